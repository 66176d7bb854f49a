#include "core/cell/edit_layout.h"
#include "core/check/check.h"
#include "core/cell/margin.h"
#include "core/report/reach_csv.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <set>

using namespace topikos;
using namespace topikos::test;

/// The reach map: every spot as a target there would be judged, whatever the way it was come to.
class ReachTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void spotsAgreeWithSingleChecks_data();
    void spotsAgreeWithSingleChecks();
    void freeTurnTakesTheBestTurn();
    void theEdgePartsWhatIsReached();
    void coarseFirstThenTheSame();
    void surfaceIsCoveredEvenly();
    void stopsAndRefuses();
    void tableHasARowForEachSpot();

private:
    static ReachQuery aroundBase(const Cell& cell, double half, double spacing)
    {
        ReachQuery query;
        query.arm = cell.arms.front().id;
        const Vec3 base = worldFromBase(cell, cell.arms.front()).translation;
        query.lowest = base - Vec3::Constant(half);
        query.highest = base + Vec3::Constant(half);
        query.spacing = spacing;
        return query;
    }
};

void ReachTest::spotsAgreeWithSingleChecks_data()
{
    QTest::addColumn<std::string>("model");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

void ReachTest::spotsAgreeWithSingleChecks()
{
    QFETCH(std::string, model);
    Cell cell = example("tile-glazing-line");
    cell = setArmModel(cell, cell.arms.front().id, catalogueArm(model)).value();
    const ArmStation& station = cell.arms.front();
    const double reach = station.model->reach();
    const ReachQuery query = aroundBase(cell, 1.05 * reach, 0.3 * reach);
    const ReachMap map = reachMap(cell, query).value();
    QVERIFY(map.complete);
    QCOMPARE(map.spots.size(), size_t(map.counts[0] * map.counts[1] * map.counts[2]));
    QVERIFY(map.counts == (std::array{8, 8, 8}));
    size_t reached = 0;
    for (const ReachSpot& spot : map.spots) {
        Target target{{cell.nextId}, "Spot", station.id};
        target.tool = station.tool;
        target.pose = spot.frameFromTcp;
        if (spot.reached()) {
            target.configuration = configurationOf(*station.model, spot.best);
            target.posture = spot.best;
        }
        const TargetVerdict verdict = checkTarget(cell, target);
        const bool blocked = std::any_of(verdict.findings.begin(), verdict.findings.end(),
                                         [](const Finding& f) { return f.severity == Severity::Blocked; });
        QCOMPARE(int(verdict.ways.items.size()), spot.ways);
        // A pose next to a singularity is blocked as a target, but it is reached.
        if (!spot.reached()) QVERIFY(blocked);
        if (!spot.reached()) continue;
        ++reached;
        const Pose there = forward(*station.model, spot.best) * flangeFromTcp(cell, station);
        const PoseDeviation off = deviation(worldFromBase(cell, station) * there, spot.frameFromTcp);
        QVERIFY(off.metres < 1e-6 && off.radians < 1e-6);
        // The nearest singularity is the one of the smallest share of its caution.
        const SingularityMargins margins = singularityMargins(*station.model, spot.best);
        double least = INFINITY;
        for (const SingularityKind kind : kSingularityKinds)
            if (hasKind(*station.model, kind))
                least = std::min(least, margins.distance(kind) / cell.thresholds.cautions().of(kind));
        QVERIFY(std::abs(spot.cautions - least) < 1e-12 * (1 + least));
        QVERIFY(std::abs(spot.distance - margins.distance(spot.kind)) < 1e-12);
        for (const Solution& way : verdict.ways.items)
            QVERIFY(marginOf(cell, *station.model, way.joints) <= spot.margin + 1e-12);
    }
    QCOMPARE(map.reached(), reached);
}

void ReachTest::freeTurnTakesTheBestTurn()
{
    const Cell cell = example("tile-glazing-line");
    ReachQuery query = aroundBase(cell, 1.0, 0.25);
    query.frameFromTcp = Quat(0, std::sqrt(0.5), 0, std::sqrt(0.5)) * query.frameFromTcp;
    const ReachMap fixed = reachMap(cell, query).value();
    query.freedom.kind = Freedom::Kind::Turn;
    const ReachMap free = reachMap(cell, query).value();
    QVERIFY(free.reached() >= fixed.reached());
    size_t better = 0;
    for (size_t i = 0; i < fixed.spots.size(); ++i) {
        const ReachSpot &a = fixed.spots[i], &b = free.spots[i];
        QVERIFY(b.margin >= a.margin && b.reached() >= a.reached());
        better += b.margin > a.margin;
        // About the tool's own axis alone.
        const Vec3 axis = a.frameFromTcp.rotation * Vec3::UnitZ();
        QVERIFY((b.frameFromTcp.rotation * Vec3::UnitZ() - axis).norm() < 1e-12);
        QVERIFY(a.frameFromTcp.translation == b.frameFromTcp.translation);
    }
    QVERIFY(better > free.reached() / 4);
    // A cone reaches what a turn does, leaning no further than it may.
    query.freedom = {Freedom::Kind::Cone, 30 * kDegree, 0, 0};
    const ReachMap cone = reachMap(cell, query).value();
    size_t more = 0;
    for (size_t i = 0; i < fixed.spots.size(); ++i) {
        const ReachSpot &a = free.spots[i], &b = cone.spots[i];
        QVERIFY(b.margin >= a.margin && b.reached() >= a.reached());
        more += b.reached() && !a.reached();
        const double lean =
            (b.frameFromTcp.rotation * Vec3::UnitZ()).dot(fixed.spots[i].frameFromTcp.rotation * Vec3::UnitZ());
        QVERIFY(lean >= std::cos(30 * kDegree) - 1e-9);
    }
    QVERIFY(more > 0);
}

void ReachTest::theEdgePartsWhatIsReached()
{
    const Cell cell = example("tile-glazing-line");
    ReachQuery query = aroundBase(cell, 1.6, 0.1);
    query.lowest.z() = 0.4, query.highest.z() = 0.6;
    const ReachMap map = reachMap(cell, query).value();
    QVERIFY(map.counts[2] > 1);
    const auto edge = reachEdge(map, query);
    // A piece for each two neighbours in a layer of which one is reached, and none else.
    size_t wanted = 0;
    const auto [columns, rows, layers] = map.counts;
    const auto at = [&, columns = columns, rows = rows](int x, int y, int z) {
        return map.spots[size_t((z * rows + y) * columns + x)].reached();
    };
    for (int z = 0; z < layers; ++z)
        for (int y = 0; y < rows; ++y)
            for (int x = 0; x < columns; ++x) {
                wanted += x + 1 < columns && at(x, y, z) != at(x + 1, y, z);
                wanted += y + 1 < rows && at(x, y, z) != at(x, y + 1, z);
            }
    QVERIFY(wanted > 20);
    QCOMPARE(edge.size(), wanted);
    for (const auto& [a, b] : edge) {
        // Half a step from both of its spots.
        const Vec3 middle = 0.5 * (a + b);
        std::set<bool> beside;
        for (const ReachSpot& spot : map.spots)
            if ((spot.frameFromTcp.translation - middle).norm() < 0.06) beside.insert(spot.reached());
        QCOMPARE(beside.size(), size_t(2));
    }
    // Over bodies: between near spots that face the same way.
    ReachQuery over = query;
    over.over = ReachQuery::Over::Surface;
    over.frame = frameNamed(cell, "Drying rack");
    over.spacing = 0.04;
    ReachMap surface = reachMap(cell, over).value();
    size_t pairs = 0;
    const auto spots = surface.spots.size();
    // What is reached does not matter here: every third spot is.
    for (size_t i = 0; i < spots; ++i)
        surface.spots[i].ways = i % 3 == 0;
    for (size_t i = 0; i < spots; ++i)
        for (size_t k = 0; k < spots; ++k) {
            const Pose &a = surface.spots[i].frameFromTcp, &b = surface.spots[k].frameFromTcp;
            if (surface.spots[i].reached() || !surface.spots[k].reached()) continue;
            const bool same = (a.rotation * Vec3::UnitZ()).dot(b.rotation * Vec3::UnitZ()) >= 0.5;
            pairs += same && (a.translation - b.translation).norm() <= 0.06;
        }
    QVERIFY(pairs > 5);
    QCOMPARE(reachEdge(surface, over).size(), pairs);
}

void ReachTest::coarseFirstThenTheSame()
{
    const Cell cell = example("glazing-line-on-a-rail");
    ReachQuery query = aroundBase(cell, 0.9, 0.1);
    query.lowest.z() = query.highest.z() = 0.9;
    const ReachMap whole = reachMap(cell, query).value();
    std::vector<size_t> told;
    const ReachMap map = reachMap(cell, query, [&](const ReachMap& part) {
                             QVERIFY(!part.complete);
                             QCOMPARE(part.spots.size(), whole.spots.size());
                             size_t right = 0;
                             for (size_t i = 0; i < part.spots.size(); ++i) {
                                 QVERIFY(part.spots[i].frameFromTcp == whole.spots[i].frameFromTcp);
                                 right += part.spots[i].margin == whole.spots[i].margin;
                             }
                             told.push_back(right);
                         }).value();
    QCOMPARE(told.size(), size_t(3));
    QVERIFY(told[0] < told[1] && told[1] < told[2]);
    QVERIFY(map.complete);
    for (size_t i = 0; i < map.spots.size(); ++i)
        QVERIFY(map.spots[i].margin == whole.spots[i].margin && map.spots[i].ways == whole.spots[i].ways);
}

void ReachTest::surfaceIsCoveredEvenly()
{
    Cell cell = example("tile-glazing-line");
    FrameId slab;
    cell = addFrame(cell, "Slab", {}, translated({0.7, 0, 0.9}), &slab).value();
    const Vec3 size(0.4, 0.3, 0.1);
    cell = setFrameSolids(cell, slab, {{Solid::Kind::Box, {}, size, {}}}).value();
    ReachQuery query;
    query.arm = cell.arms.front().id;
    query.over = ReachQuery::Over::Surface;
    query.frame = slab;
    query.spacing = 0.01;
    const ReachMap map = reachMap(cell, query).value();
    const double area = 2 * (size.x() * size.y() + size.y() * size.z() + size.z() * size.x());
    QVERIFY(std::abs(double(map.spots.size()) * 1e-4 / area - 1) < 0.02);
    std::array<size_t, 3> faces{};
    size_t onTop = 0;
    for (const ReachSpot& spot : map.spots) {
        const Vec3 at = spot.frameFromTcp.translation.cwiseAbs() - size / 2;
        Eigen::Index axis = 0;
        QVERIFY(std::abs(at.maxCoeff(&axis)) < 1e-6);  // surfaces are of single precision
        ++faces[size_t(axis)];
        const Vec3 into = spot.frameFromTcp.rotation * Vec3::UnitZ();
        QVERIFY(std::abs(into.norm() - 1) < 1e-9);
        QVERIFY(into[axis] * spot.frameFromTcp.translation[axis] < -0.9 * size[axis] / 2);
        onTop += axis == 2 && spot.frameFromTcp.translation.z() > 0;
        if (axis == 2 && spot.frameFromTcp.translation.z() > 0) QVERIFY(spot.reached());
    }
    QVERIFY(onTop > 1000);
    const std::array<double, 3> of{2 * size.y() * size.z(), 2 * size.z() * size.x(), 2 * size.x() * size.y()};
    for (size_t i = 0; i < 3; ++i)
        QVERIFY(std::abs(double(faces[i]) * 1e-4 / of[i] - 1) < 0.05);
}

void ReachTest::stopsAndRefuses()
{
    const Cell cell = example("tile-glazing-line");
    ReachQuery query = aroundBase(cell, 1.0, 0.05);
    std::stop_source stop;
    stop.request_stop();
    query.stop = stop.get_token();
    QVERIFY(!reachMap(cell, query).value().complete);
    query.stop = {};
    const auto refused = [&](const ReachQuery& bad) {
        const Result<ReachMap> map = reachMap(cell, bad);
        return !map && !map.error().message.empty() && !map.error().remedy.empty();
    };
    ReachQuery bad = query;
    bad.spacing = 1e-4;
    QVERIFY(refused(bad));
    bad = query;
    bad.spacing = 0.005;  // 64 million spots
    QVERIFY(refused(bad));
    bad = query;
    std::swap(bad.lowest, bad.highest);
    QVERIFY(refused(bad));
    bad = query;
    bad.highest.x() = NAN;
    QVERIFY(refused(bad));
    bad = query;
    bad.over = ReachQuery::Over::Surface;
    QVERIFY(refused(bad));
    bad = query;
    bad.arm = {};
    QVERIFY(refused(bad));
}

void ReachTest::tableHasARowForEachSpot()
{
    const Cell cell = example("tile-glazing-line");
    const ReachMap map = reachMap(cell, aroundBase(cell, 1.0, 0.5)).value();
    const QStringList rows = QString::fromStdString(reachCsv(map)).split('\n', Qt::SkipEmptyParts);
    QCOMPARE(size_t(rows.size()), map.spots.size() + 1);
    for (const QString& row : rows)
        QCOMPARE(row.count(','), rows.front().count(','));
    QVERIFY(map.reached() > 0 && map.reached() < map.spots.size());
}

TOPIKOS_TEST(ReachTest)
#include "reach_test.moc"
