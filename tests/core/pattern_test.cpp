#include "core/program/step_text.h"
#include "tests/core/program_cells.h"
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
    void placesAreNamedByNumber_data();
    void placesAreNamedByNumber();
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

void PatternTest::placesAreNamedByNumber_data()
{
    QTest::addColumn<QString>("typed");
    QTest::addColumn<QString>("reads");  // with "error: " in front what the error has
    QTest::newRow("by number") << "joint to Rack[3]"
                               << "joint to Rack 3";
    QTest::newRow("blanks and case") << "LINE to rack [ 3 ]"
                                     << "line to Rack 3 at 250 mm/s";
    QTest::newRow("over in front") << "joint over Rack[2] 80 mm"
                                   << "joint over Rack 2 80 mm";
    QTest::newRow("over behind") << "line to Rack[2] over 80 mm at 100 mm/s"
                                 << "line over Rack 2 80 mm at 100 mm/s";
    QTest::newRow("column and row") << "joint to Rack[2,1]"
                                    << "joint to Rack 2";
    // Rows go there and back, so that the third column of the second row is the fourth place.
    QTest::newRow("serpentine") << "joint to Rack[3,2,1]"
                                << "joint to Rack 4";
    QTest::newRow("too far") << "joint to Rack[9]"
                             << "error: Its places are 1 to 6";
    QTest::newRow("none") << "joint to Rack[0]"
                          << "error: from 1 on";
    QTest::newRow("no such column") << "joint to Rack[4,1]"
                                    << "error: Its columns are 1 to 3";
    QTest::newRow("no such layer") << "joint to Rack[1,1,2]"
                                   << "error: layers 1 to 1";
    QTest::newRow("no end") << "joint to Rack[1"
                            << "error: a bracket is missing";
    QTest::newRow("no number") << "joint to Rack[]"
                               << "error: the number of a place is missing";
    QTest::newRow("four numbers") << "joint to Rack[1,1,1,1]"
                                  << "error: no such place";
}

void PatternTest::placesAreNamedByNumber()
{
    QFETCH(QString, typed);
    QFETCH(QString, reads);
    Cell cell = programCell(3, 2);
    Pattern rack =
        *std::find_if(cell.patterns.begin(), cell.patterns.end(), [](const Pattern& p) { return p.name == "Rack"; });
    rack.order = Pattern::Order::Serpentine;
    cell = changePattern(cell, rack).value();
    const Result<Step> step = typedStep(cell, typed.toStdString());
    if (reads.startsWith("error: ")) {
        QVERIFY(!step);
        QVERIFY2(QString::fromStdString(step.error().line()).contains(reads.mid(7)), step.error().line().c_str());
        return;
    }
    QVERIFY2(bool(step), step ? "" : step.error().line().c_str());
    QCOMPARE(QString::fromStdString(stepText(cell, *step)), reads);
}

TOPIKOS_TEST(PatternTest)
#include "pattern_test.moc"
