#include "core/reach/send.h"

#include "core/cell/edit_steps.h"
#include "core/cell/edit_targets.h"
#include "core/check/check.h"
#include "core/cell/margin.h"
#include "core/simulate/trace.h"
#include "tests/core/device_cells.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <numbers>

using namespace topikos;
using namespace topikos::test;

/// The tool brought to a thing: every turn about its axis, and the strokes that grip and set down there.
class SendTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void toolStandsOnTheFace_data();
    void toolStandsOnTheFace();
    void nothingReachedSaysWhatLacks();
    void strokesGripAndSetDown();
    void partsLieOnTheirLowestPoint();
};

void SendTest::toolStandsOnTheFace_data()
{
    QTest::addColumn<double>("tilt");
    for (const double tilt : {0.0, 20.0, 55.0, 90.0})
        QTest::newRow(qPrintable(QString("%1°").arg(tilt))) << tilt;
}

void SendTest::toolStandsOnTheFace()
{
    QFETCH(double, tilt);
    const Cell cell = example("tile-glazing-line");
    const ArmStation& station = cell.arms.front();
    SendQuery query;
    query.arm = station.id;
    query.place = {0.75, 0.1, 0.9};
    query.into = Eigen::AngleAxisd(-tilt * kDegree, Vec3::UnitY()) * -Vec3::UnitZ();
    query.offs = {0, 0.1};
    const SendWays found = sendWays(cell, query);
    QVERIFY(found.ways.size() > 3);
    double before = 1;
    for (const SendWay& way : found.ways) {
        QVERIFY(way.margin <= before);
        before = way.margin;
        QVERIFY((way.worldFromTcp.rotation * Vec3::UnitZ() - query.into).norm() < 1e-12);
        QCOMPARE(way.postures.size(), size_t(2));
        for (size_t i = 0; i < 2; ++i) {
            const Pose tcp = worldFromTcp(cell, station, way.postures[i]);
            QVERIFY((tcp.translation - (query.place - query.offs[i] * query.into)).norm() < 1e-6);
            QVERIFY(tcp.rotation.angularDistance(way.worldFromTcp.rotation) < 1e-6);
            QVERIFY(marginOf(cell, *station.model, way.postures[i]) >= way.margin - 1e-12);
        }
        QVERIFY(configurationOf(*station.model, way.postures[0]) == configurationOf(*station.model, way.postures[1]));
    }
    // Turns are counted from the reference.
    const Vec3 x = query.reference * Vec3::UnitX();
    for (const SendWay& way : found.ways) {
        const Vec3 across = x - query.into * query.into.dot(x);
        if (across.norm() < 1e-3) continue;
        const Vec3 wanted = Eigen::AngleAxisd(way.turn, query.into) * across.normalized();
        QVERIFY((way.worldFromTcp.rotation * Vec3::UnitX() - wanted).norm() < 1e-9);
    }
}

void SendTest::nothingReachedSaysWhatLacks()
{
    const Cell cell = example("tile-glazing-line");
    SendQuery query;
    query.arm = cell.arms.front().id;
    query.place = {2.6, 0, 0.9};
    const SendWays far = sendWays(cell, query);
    QVERIFY(far.ways.empty());
    QCOMPARE(int(far.lacking.reason), int(NoSolution::TooFar));
    QVERIFY(far.lacking.shortfall > 0.5);
}

void SendTest::strokesGripAndSetDown()
{
    // A tile is picked from where it lies and put on the rack, by nothing but strokes.
    Cell cell = example("tile-glazing-line");
    const Part tile = cell.parts.front();
    const PartKind& kind = *findPartKind(cell, tile.kind);
    const ArmId arm = cell.arms.front().id;
    const RoutineId routine = cell.arms.front().main;
    cell.routines.edit(routine)->steps.clear();
    const auto add = [&](FrameId frame, const Vec3& place, const char* name, bool grips) {
        SendQuery query;
        query.arm = arm;
        query.place = place;
        query.turns = 4;
        query.offs = {0, 0.1};
        const SendWays found = sendWays(cell, query);
        QVERIFY(!found.ways.empty());
        TargetId target;
        cell = takePoseTarget(cell, arm, frame, found.ways.front().postures.front(), name, &target).value();
        for (const bool retract : {false, true})
            cell = setApproach(cell, {target}, retract, {.far = 0.1}).value();
        const Target& taught = *findTarget(cell, target);
        cell = insertSteps(cell, routine, findRoutine(cell, routine)->steps.size(),
                           grips ? gripStroke(taught) : releaseStroke(taught))
                   .value();
    };
    const FrameId rack = frameNamed(cell, "Drying rack");
    const Vec3 top = worldFromFrame(cell, rack) * Vec3(0.2, 0.3, heightOver(kind));
    add(tile.frame, (worldFromFrame(cell, tile.frame) * tile.pose).translation, "From", true);
    add(rack, top, "To", false);
    const CheckResult result = check(cell);
    for (const Finding& f : result.findings)
        QVERIFY2(f.severity != Severity::Blocked, findingText(cell, f).line().c_str());
    const Pose there = partAt(cell, result.trace, tile.id, result.trace.duration);
    QVERIFY((there.translation - top).norm() < 1e-6);
    QCOMPARE(findRoutine(cell, routine)->steps.size(), size_t(8));
}

void SendTest::partsLieOnTheirLowestPoint()
{
    PartKind kind;
    kind.solids = {Solid{Solid::Kind::Box, translated({0, 0, 0.02}), {0.1, 0.1, 0.06}}};
    QVERIFY(std::abs(heightOver(kind) - 0.01) < 1e-12);
    kind.solids.push_back({Solid::Kind::Box, translated({0, 0, -0.05}), {0.02, 0.02, 0.02}});
    QVERIFY(std::abs(heightOver(kind) - 0.06) < 1e-12);
    QCOMPARE(heightOver(PartKind{}), 0.0);
}

TOPIKOS_TEST(SendTest)
#include "send_test.moc"
