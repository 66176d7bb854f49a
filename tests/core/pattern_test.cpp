#include "core/cell/edit.h"
#include "core/cell/pattern.h"
#include "core/check/check.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Places of a pattern, and what stands on them.
class PatternTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void gridPlaces_data();
    void gridPlaces();
    void ringPlaces();
    void patternEditKeepsIdentities();
    void patternTakesInWhatItRepeats();
    void patternOfTargetsIsReachedLikeOneTarget();
};

void PatternTest::gridPlaces_data()
{
    QTest::addColumn<int>("order");
    QTest::addColumn<QList<uint>>("leftOut");
    QTest::addColumn<QList<uint>>("places");
    QTest::newRow("rows") << int(Pattern::Order::Rows) << QList<uint>{} << QList<uint>{0, 1, 2, 3, 4, 5};
    QTest::newRow("serpentine") << int(Pattern::Order::Serpentine) << QList<uint>{} << QList<uint>{0, 1, 2, 5, 4, 3};
    QTest::newRow("serpentine with a gap")
        << int(Pattern::Order::Serpentine) << QList<uint>{2, 4} << QList<uint>{0, 1, 5, 3};
    QTest::newRow("nearest") << int(Pattern::Order::Nearest) << QList<uint>{1} << QList<uint>{0, 3, 4, 5, 2};
}

void PatternTest::gridPlaces()
{
    QFETCH(int, order);
    QFETCH(QList<uint>, leftOut);
    QFETCH(QList<uint>, places);
    Pattern p;
    p.first = {Vec3(1, 2, 3), Quat(Eigen::AngleAxisd(0.5, Vec3::UnitZ()))};
    p.columns = 3;
    p.rows = 2;
    p.pitch = {0.1, 0.15, 0.2};
    p.stagger = 0.5;
    p.order = Pattern::Order(order);
    p.leftOut.assign(leftOut.begin(), leftOut.end());
    QList<uint> found;
    for (const PatternPlace& place : placesOf(p)) {
        found << place.place;
        const double row = place.place / 3, column = place.place % 3;
        const Vec3 wanted = p.first * Vec3(0.1 * (column + 0.5 * row), 0.15 * row, 0);
        QVERIFY((place.pose.translation - wanted).norm() < 1e-12);
    }
    QCOMPARE(found, places);
}

void PatternTest::ringPlaces()
{
    Pattern p;
    p.layout = Pattern::Layout::Ring;
    p.columns = 6;
    p.layers = 2;
    p.pitch = {0.3, 0, 0.1};
    const auto full = placesOf(p);
    QCOMPARE(full.size(), size_t(12));
    for (size_t i = 0; i < 12; ++i) {
        QVERIFY(std::abs(full[i].pose.translation.head<2>().norm() - 0.3) < 1e-12);
        QVERIFY(std::abs(full[i].pose.translation[2] - (i < 6 ? 0 : 0.1)) < 1e-12);
        // x of each place points outwards.
        QVERIFY((full[i].pose.rotation * Vec3::UnitX()
                 - Vec3(full[i].pose.translation[0], full[i].pose.translation[1], 0) / 0.3)
                    .norm()
                < 1e-12);
        for (size_t k = 0; k < i; ++k)
            QVERIFY((full[i].pose.translation - full[k].pose.translation).norm() > 0.09);
    }
    p.sweep = 90 * kDegree;
    p.columns = 4;
    p.layers = 1;
    const auto part = placesOf(p);
    QVERIFY((part.back().pose.translation - Vec3(0, 0.3, 0)).norm() < 1e-12);  // the end is a place, too
}

void PatternTest::patternEditKeepsIdentities()
{
    PatternId parts, targets;
    Cell cell = patterned(&parts, &targets);
    QCOMPARE(std::count_if(cell.parts.begin(), cell.parts.end(), [&](const Part& p) { return p.pattern == parts; }),
             12);
    const auto idAt = [](const auto& list, PatternId id, std::uint32_t place) {
        const auto it =
            std::find_if(list.begin(), list.end(), [&](const auto& o) { return o.pattern == id && o.place == place; });
        return it == list.end() ? 0u : it->id.value;
    };
    const std::uint32_t third = idAt(cell.targets, targets, 2);
    // The way of one target is its own; it stays when the pattern changes.
    const Solutions ways = waysTo(cell, *findTarget(cell, {third}));
    QVERIFY(ways.items.size() >= 2);
    const Solution other = *std::find_if(ways.items.begin(), ways.items.end(), [&](const Solution& s) {
        return !(s.configuration == findTarget(cell, {third})->configuration);
    });
    cell = setTargetWay(cell, {third}, other).value();
    Pattern p = *findPattern(cell, targets);
    p.first.translation[2] += 0.01;
    p.leftOut = {1};
    const Cell changed = changePattern(cell, p).value();
    QCOMPARE(idAt(changed.targets, targets, 2), third);
    QCOMPARE(idAt(changed.targets, targets, 1), 0u);
    QVERIFY(findTarget(changed, {third})->configuration == other.configuration);
    QVERIFY(std::abs(findTarget(changed, {third})->pose.translation[2] - findTarget(cell, {third})->pose.translation[2]
                     - 0.01)
            < 1e-12);
    // A place in use cannot be left out; taking the pattern apart leaves its targets.
    const Step step = lineTo(TargetId{third});
    const Cell used = insertStep(cell, cell.routines.front().id, 0, step).value();
    p.leftOut = {2};
    const Result<Cell> refused = changePattern(used, p);
    QVERIFY(!refused && refused.error().message.find("used by step 1") != std::string::npos);
    QVERIFY(!deletePattern(used, targets));
    const Cell apart = deletePattern(used, targets, true).value();
    QCOMPARE(apart.targets.size(), used.targets.size());
    QVERIFY(setTargetPose(apart, {third}, Pose{}).ok());
}

void PatternTest::patternTakesInWhatItRepeats()
{
    // Steps go on using the target that became the first place.
    const Cell cell = example("tile-glazing-line");
    const Target& place = cell.targets.back();
    Pattern p = patternOf(place);
    p.name = "Rack";
    const Cell next = addPattern(cell, p, nullptr, {}, place.id).value();
    QCOMPARE(next.targets.size(), cell.targets.size() + 3);
    const Target& member = *findTarget(next, place.id);
    QVERIFY(member.pattern && member.place == 0);
    QCOMPARE(member.name, std::string("Rack 1"));
    QVERIFY(member.pose == place.pose && member.configuration == place.configuration);
    const CheckResult before = check(cell, cell.routines.front()), after = check(next, next.routines.front());
    QCOMPARE(after.trace.duration, before.trace.duration);
}

void PatternTest::patternOfTargetsIsReachedLikeOneTarget()
{
    const Cell cell = patterned();
    const CheckResult result = check(cell, cell.routines.front());
    int members = 0;
    for (const TargetVerdict& v : result.targets)
        if (findTarget(cell, v.target)->pattern) {
            ++members;
            QVERIFY(!v.ways.items.empty());
        }
    QCOMPARE(members, 4);
}

TOPIKOS_TEST(PatternTest)
#include "pattern_test.moc"
