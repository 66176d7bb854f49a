#include "core/cell/edit_layout.h"
#include "core/cell/edit_targets.h"
#include "core/cell/fixture.h"
#include "core/cell/pattern.h"
#include "core/cell/settled.h"
#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "core/files/targets_csv.h"
#include "core/mend/remedy.h"
#include "core/program/step_text.h"
#include "core/reach/send.h"
#include "core/spatial/limits.h"
#include "tests/core/drawn_cell.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// How the tool comes to targets and leaves them: values of the target that steps go by.
class ApproachTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void eachPointIsOffTheTarget_data();
    void eachPointIsOffTheTarget();
    void itStaysRightWhereverTheTargetGoes();
    void aTurnedRackTakesAWorldApproachUpright();
    void patternsSayItForAllPlaces();
    void editsAreJudged_data();
    void editsAreJudged();
    void stepsGoThere();
    void strokesUseBothStages();
    void textReadsAsItPrints_data();
    void textReadsAsItPrints();
    void namesLikeTheWordsAreKeptApart();
    void posturesHaveNone();
    void filesKeepIt();
    void filesAreJudgedAsEditsAre_data();
    void filesAreJudgedAsEditsAre();
    void tablesKeepIt();
    void tablesSayWhatIsWrong_data();
    void tablesSayWhatIsWrong();
    void aTooLongOneIsMended();
    void adviceGoesByWhatTheTargetSays();
};

namespace {

/// The demo with a pose target on the bench that is no place of a pattern.
struct Taught {
    Cell cell;
    TargetId id;
    FrameId bench;
};
Taught taught()
{
    const Drawn d = drawnOnBench();
    Taught out{d.cell, {}, d.bench};
    out.cell = *copyTarget(d.cell, placesOf(d.cell, d.seam)[3]->id, &out.id);
    out.cell = *renameTarget(out.cell, out.id, "Pick");
    return out;
}

Vec3 worldOff(const Cell& cell, TargetId id, Stage stage)
{
    const Target& target = *findTarget(cell, id);
    const ArmStation& arm = armOf(cell, target);
    const Vec3 there = (worldFromBase(cell, arm) * baseFromTarget(cell, target, {0, stage})).translation;
    return there - worldOf(cell, target).translation;
}

}  // namespace

void ApproachTest::eachPointIsOffTheTarget_data()
{
    QTest::addColumn<int>("along");
    QTest::addColumn<int>("axis");
    QTest::addColumn<bool>("negative");
    const char* const names[] = {"tool", "frame", "world"};
    for (int along = 0; along < 3; ++along)
        for (int axis = 0; axis < 3; ++axis)
            for (const bool negative : {false, true})
                QTest::newRow(
                    qPrintable(QString("%1 %2%3").arg(names[along]).arg(negative ? "-" : "").arg("xyz"[axis])))
                    << along << axis << negative;
}
void ApproachTest::eachPointIsOffTheTarget()
{
    QFETCH(int, along);
    QFETCH(int, axis);
    QFETCH(bool, negative);
    Taught t = taught();
    // A bench that is turned, so that its axes are none of the world's.
    t.cell = *setFramePose(t.cell, t.bench,
                           findFrame(t.cell, t.bench)->pose
                               * Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(0.3, Vec3(1, 2, 3).normalized()))});
    const Approach way{Approach::Along(along), axis, negative, 0.08, 0.03};
    t.cell = *setApproach(t.cell, {t.id}, false, way);
    t.cell = *setApproach(t.cell, {t.id}, true, {way.along, axis, !negative, 0.05, 0.01});
    const Target& target = *findTarget(t.cell, t.id);
    const Quat frame = worldFromFrame(t.cell, t.bench).rotation, tool = frame * target.pose.rotation;
    const Quat of = along == 0 ? tool : along == 1 ? frame : Quat::Identity();
    const Vec3 unit = (negative ? -1.0 : 1.0) * (of * Vec3(Vec3::Unit(axis)));
    const std::pair<Stage, double> points[] = {{Stage::Approach, 0.08},
                                               {Stage::NearApproach, 0.03},
                                               {Stage::Retract, -0.05},
                                               {Stage::NearRetract, -0.01},
                                               {Stage::Over, 0}};
    for (const auto& [stage, by] : points) {
        QVERIFY((worldOff(t.cell, t.id, stage) - by * unit).norm() < 1e-12);
        QVERIFY(std::abs(distanceOff(target, {0, stage}) - std::abs(by)) < 1e-15);
        // The tool keeps its turn.
        QVERIFY(deviation(baseFromTarget(t.cell, target, {0, stage}), baseFromTarget(t.cell, target)).radians < 1e-9);
    }
}

void ApproachTest::itStaysRightWhereverTheTargetGoes()
{
    Taught t = taught();
    t.cell = *setApproach(t.cell, {t.id}, false, {Approach::Along::Frame, 0, false, 0.12, 0.02});
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> real(-1, 1);
    for (int i = 0; i < 20; ++i) {
        const Pose by{
            0.0125 * Vec3(real(random), real(random), real(random)),
            Quat(Eigen::AngleAxisd(3 * kDegree, Vec3(real(random), real(random), real(random)).normalized()))};
        const Pose before = worldFromFrame(t.cell, t.bench);
        const Cell moved = *setFramePose(t.cell, t.bench, findFrame(t.cell, t.bench)->pose * by);
        const Pose change = worldFromFrame(moved, t.bench) * inverse(before);
        for (const Stage stage : {Stage::Approach, Stage::NearApproach, Stage::Retract}) {
            const auto world = [&](const Cell& cell) {
                const Target& target = *findTarget(cell, t.id);
                return worldFromBase(cell, armOf(cell, target)) * baseFromTarget(cell, target, {0, stage});
            };
            const PoseDeviation off = deviation(world(moved), change * world(t.cell));
            QVERIFY(off.metres < 1e-12 && off.radians < 1e-9);
        }
    }
}

void ApproachTest::aTurnedRackTakesAWorldApproachUpright()
{
    Taught t = taught();
    t.cell = *setApproach(t.cell, {t.id}, false, {Approach::Along::World, 2, false, 0.1, 0});
    t.cell = *setFramePose(t.cell, t.bench,
                           findFrame(t.cell, t.bench)->pose
                               * Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(0.4, Vec3::UnitX()))});
    QVERIFY((worldOff(t.cell, t.id, Stage::Approach) - Vec3(0, 0, 0.1)).norm() < 1e-12);
}

void ApproachTest::patternsSayItForAllPlaces()
{
    PatternId id;
    Cell cell = patterned(nullptr, &id);
    Pattern pattern = *findPattern(cell, id);
    pattern.approach = {Approach::Along::Frame, 1, true, 0.2, 0.05};
    cell = *changePattern(cell, pattern);
    size_t places = 0;
    for (const Target& target : cell.targets) {
        if (target.pattern != id) continue;
        ++places;
        QVERIFY(target.approach == pattern.approach && target.retract == pattern.retract);
        const Result<Cell> own = setApproach(cell, {target.id}, false, {});
        QVERIFY(!own.ok());
        QVERIFY2(QString::fromStdString(own.error().line()).contains(QString::fromStdString(pattern.name)),
                 qPrintable(QString::fromStdString(own.error().line())));
    }
    QVERIFY(places > 1);
    // A pattern of a target has that target's; taken apart, the places keep it.
    QVERIFY(patternOf(*std::find_if(cell.targets.begin(), cell.targets.end(),
                                    [&](const Target& t) { return t.pattern == id; }))
                .approach
            == pattern.approach);
    const Cell apart = *deletePattern(cell, id, true);
    size_t kept = 0;
    for (const Target& target : apart.targets)
        kept += target.approach == pattern.approach;
    QCOMPARE(kept, places);
    pattern.retract.near = 2;
    QVERIFY(!changePattern(cell, pattern).ok());
}

void ApproachTest::editsAreJudged_data()
{
    QTest::addColumn<double>("far");
    QTest::addColumn<double>("near");
    QTest::addColumn<int>("axis");
    QTest::addColumn<QString>("says");
    QTest::newRow("as usual") << 0.05 << 0.0 << 2 << QString();
    QTest::newRow("none") << 0.0 << 0.0 << 2 << QString();
    QTest::newRow("both the same") << 0.05 << 0.05 << 2 << QString();
    QTest::newRow("the limit") << limits::kStandoff.most << 0.0 << 0 << QString();
    QTest::newRow("too far") << 1.001 << 0.0 << 2 << "a distance above a target";
    QTest::newRow("the other way") << -0.01 << 0.0 << 2 << "a distance above a target";
    QTest::newRow("no number") << std::nan("") << 0.0 << 2 << "a distance above a target";
    QTest::newRow("near beyond far") << 0.05 << 0.06 << 2 << "farther off than its far one";
    QTest::newRow("no such axis") << 0.05 << 0.0 << 3 << "no such axis";
}
void ApproachTest::editsAreJudged()
{
    QFETCH(double, far);
    QFETCH(double, near);
    QFETCH(int, axis);
    QFETCH(QString, says);
    const Taught t = taught();
    for (const bool retract : {false, true}) {
        const Approach way{Approach::Along::Tool, axis, true, far, near};
        const Result<Cell> next = setApproach(t.cell, {t.id}, retract, way);
        QCOMPARE(next.ok(), says.isEmpty());
        if (next.ok()) {
            const Target& target = *findTarget(*next, t.id);
            QVERIFY((retract ? target.retract : target.approach) == way);
        } else {
            QVERIFY2(QString::fromStdString(next.error().line()).contains(says),
                     qPrintable(QString::fromStdString(next.error().line())));
        }
    }
}

void ApproachTest::stepsGoThere()
{
    Taught t = taught();
    t.cell = *setApproach(t.cell, {t.id}, false, {Approach::Along::World, 2, false, 0.06, 0.02});
    t.cell = *setApproach(t.cell, {t.id}, true, {Approach::Along::Tool, 2, true, 0.09, 0});
    const Cell cell = mainWith(t.cell, "    joint to approach of Pick\n    line to near approach of Pick\n"
                                       "    line to Pick\n    line to retract of Pick\n");
    const CheckResult checked = check(cell);
    const ArmTrace& arm = checked.trace.arms.front();
    QVERIFY(!arm.blockedAt.has_value());
    QCOMPARE(arm.outcomes.size(), size_t(4));
    const Stage stages[] = {Stage::Approach, Stage::NearApproach, Stage::Over, Stage::Retract};
    for (size_t i = 0; i < 4; ++i) {
        const Vec3 is = worldFromTcp(cell, cell.arms.front(), arm.outcomes[i].arrival).translation;
        const Vec3 wanted = worldOf(cell, *findTarget(cell, t.id)).translation + worldOff(cell, t.id, stages[i]);
        QVERIFY2((is - wanted).norm() < 1e-6,
                 qPrintable(QString("step %1: %2 mm off").arg(i + 1).arg(1000 * (is - wanted).norm())));
    }
    // A change of the target changes the run; the steps stay as they are.
    const Cell longer = *setApproach(cell, {t.id}, false, {Approach::Along::World, 2, false, 0.1, 0.02});
    QVERIFY(longer.routines == cell.routines);
    const Vec3 begins =
        worldFromTcp(longer, longer.arms.front(), check(longer).trace.arms.front().outcomes.front().arrival)
            .translation;
    QVERIFY((begins - worldOf(longer, *findTarget(longer, t.id)).translation - Vec3(0, 0, 0.1)).norm() < 1e-6);
}

void ApproachTest::strokesUseBothStages()
{
    Taught t = taught();
    Target target = *findTarget(t.cell, t.id);
    QCOMPARE(gripStroke(target).size(), size_t(4));
    target.approach.near = target.retract.near = 0.01;
    const std::vector<Step> both = gripStroke(target);
    QCOMPARE(both.size(), size_t(6));
    const std::pair<StepKind, Stage> wanted[] = {
        {StepKind::Joint, Stage::Approach}, {StepKind::Line, Stage::NearApproach}, {StepKind::Line, Stage::Over},
        {StepKind::Grip, Stage::Over},      {StepKind::Line, Stage::NearRetract},  {StepKind::Line, Stage::Retract}};
    for (size_t i = 0; i < both.size(); ++i) {
        QCOMPARE(both[i].kind(), wanted[i].first);
        if (const AtPlace* at = endOf(both[i])) QCOMPARE(at->stage, wanted[i].second);
    }
    QCOMPARE(releaseStroke(target)[3].kind(), StepKind::Release);
}

void ApproachTest::textReadsAsItPrints_data()
{
    QTest::addColumn<QString>("text");
    QTest::addColumn<int>("stage");
    for (const auto& [words, stage] : {std::pair("approach", Stage::Approach),
                                       {"near approach", Stage::NearApproach},
                                       {"retract", Stage::Retract},
                                       {"near retract", Stage::NearRetract}}) {
        QTest::newRow(qPrintable(QString("joint, %1").arg(words)))
            << QString("joint to %1 of Pick at 40 %").arg(words) << int(stage);
        QTest::newRow(qPrintable(QString("line, %1").arg(words)))
            << QString("line to %1 of Pick at 80 mm/s blend 5 mm, may touch Bench").arg(words) << int(stage);
    }
    QTest::newRow("the end of an arc") << "arc via Tile pick to retract of Pick at 80 mm/s" << int(Stage::Retract);
    QTest::newRow("the way of an arc") << "arc via near approach of Tile pick to Pick at 80 mm/s" << int(Stage::Over);
}
void ApproachTest::textReadsAsItPrints()
{
    QFETCH(QString, text);
    QFETCH(int, stage);
    const Taught t = taught();
    const Result<Step> step = typedStep(t.cell, text.toStdString());
    QVERIFY2(step.ok(), step.ok() ? "" : qPrintable(QString::fromStdString(step.error().line())));
    QCOMPARE(int(endOf(*step)->stage), stage);
    QCOMPARE(endOf(*step)->over, 0.0);
    QCOMPARE(QString::fromStdString(stepText(t.cell, *step)), text);
}

void ApproachTest::namesLikeTheWordsAreKeptApart()
{
    Taught t = taught();
    TargetId near, like;
    t.cell = *copyTarget(t.cell, t.id, &near);
    t.cell = *renameTarget(t.cell, near, "Near");
    t.cell = *copyTarget(t.cell, t.id, &like);
    t.cell = *renameTarget(t.cell, like, "Approach of Pick");
    const StepScope scope{routineOf(t.cell, t.cell.arms.front())};
    for (const TargetId id : {t.id, near, like})
        for (const Stage stage : {Stage::Over, Stage::Approach, Stage::NearRetract}) {
            const Step step{.action = LineMove{AtPlace{id, 0, stage}}};
            const std::string text = stepText(t.cell, step, &scope);
            const Result<Step> again = parseStep(t.cell, scope, text);
            QVERIFY2(again.ok(), text.c_str());
            QVERIFY2(targetOf(*again) == id && endOf(*again)->stage == stage, text.c_str());
        }
    // Where nothing stands behind the words they are the begin of a name.
    const Result<Step> plain = typedStep(t.cell, "line to near");
    QVERIFY(plain.ok() && targetOf(*plain) == near);
    QVERIFY(!typedStep(t.cell, "line to approach of").ok());
    QVERIFY(!typedStep(t.cell, "line to approach of Nothing").ok());
}

void ApproachTest::posturesHaveNone()
{
    const Taught t = taught();
    const TargetId home = t.cell.arms.front().home;
    QVERIFY(!setApproach(t.cell, {home}, false, {}).ok());
    const Result<Step> step = typedStep(t.cell, "joint to approach of Home");
    QVERIFY(!step.ok());
    QVERIFY(QString::fromStdString(step.error().line()).contains("is a posture"));
}

void ApproachTest::filesKeepIt()
{
    Taught t = taught();
    PatternId racks;
    t.cell = *setApproach(t.cell, {t.id}, false, {Approach::Along::World, 1, false, 0.061, 0.017});
    t.cell = *setApproach(t.cell, {t.id}, true, {Approach::Along::Frame, 0, true, 0.093, 0});
    for (const Pattern& p : t.cell.patterns)
        if (p.content == Pattern::Content::Targets && p.layout == Pattern::Layout::Grid) racks = p.id;
    Pattern rack = *findPattern(t.cell, racks);
    rack.retract = {Approach::Along::Tool, 2, true, 0.123, 0.045};
    t.cell = *changePattern(t.cell, rack);
    t.cell = mainWith(t.cell,
                      "    joint to approach of Pick\n    line to near approach of Pick\n    line to retract of Pick\n"
                      "    line to near retract of Pick\n    arc via approach of Pick to retract of Pick\n"
                      "    for each place of Rack\n        line to retract of place\n"
                      "    follow Rim from approach to retract\n");
    const std::string text = writeCell(t.cell);
    const Result<Cell> read = readCell(text, "x");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QVERIFY(*read == t.cell);
    QCOMPARE(writeCell(*read), text);
    const Json schema =
        Json::parse(readFile(std::string(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json", 1 << 24).value());
    QCOMPARE(schemaOffence(Json::parse(text), schema, schema, ""), std::string());
}

void ApproachTest::filesAreJudgedAsEditsAre_data()
{
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("says");
    QTest::newRow("near beyond far") << "\"far\":0.061,\"near\":0.017"
                                     << "\"far\":0.061,\"near\":0.07"
                                     << "farther off than its far one";
    QTest::newRow("too far") << "\"far\":0.061"
                             << "\"far\":6.1"
                             << "a distance above a target";
    QTest::newRow("no axis") << "\"along\":\"world\",\"axis\":\"y\""
                             << "\"along\":\"world\",\"axis\":\"w\""
                             << "axis";
    QTest::newRow("an older version") << "\"version\": 9"
                                      << "\"version\": 7"
                                      << "came with version 8";
    QTest::newRow("a distance of both") << "\"standoff\":0.0,\"stage\":\"approach\""
                                        << "\"standoff\":0.02,\"stage\":\"approach\""
                                        << "has its distance from its target";
}
void ApproachTest::filesAreJudgedAsEditsAre()
{
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, says);
    Taught t = taught();
    t.cell = *setApproach(t.cell, {t.id}, false, {Approach::Along::World, 1, false, 0.061, 0.017});
    t.cell = mainWith(t.cell, "    joint to approach of Pick\n");
    QString text = QString::fromStdString(writeCell(t.cell));
    QVERIFY2(text.contains(from), qPrintable(text.mid(text.indexOf("approach") - 80, 300)));
    text.replace(text.indexOf(from), from.size(), to);
    const Result<Cell> read = readCell(text.toStdString(), "x");
    QVERIFY(!read.ok());
    QVERIFY2(QString::fromStdString(read.error().line()).contains(says), read.error().line().c_str());
}

void ApproachTest::tablesKeepIt()
{
    Taught t = taught();
    t.cell = *setApproach(t.cell, {t.id}, false, {Approach::Along::World, 1, true, 0.061, 0.017});
    t.cell = *setTargetGroup(t.cell, {t.id}, "Left, upper");
    t.cell = *setTargetNote(t.cell, t.id, "says \"slow\"");
    const std::string table = targetsCsv(t.cell);
    // Into a cell where the target is as usual.
    Cell plain = t.cell;
    Target& target = *plain.targets.edit(t.id);
    target.approach = {};
    target.group = target.note = "";
    const Result<TargetsRead> read = targetsFromCsv(plain, table);
    QVERIFY(read.ok() && read->broken.empty());
    QCOMPARE(read->changed, size_t(1));
    QVERIFY(read->cell == t.cell);
    QCOMPARE(targetsCsv(read->cell), table);
    // Where nobody says any of it there are no columns for it.
    QVERIFY(!QString::fromStdString(targetsCsv(plain)).contains("approach"));
}

void ApproachTest::tablesSayWhatIsWrong_data()
{
    QTest::addColumn<QString>("table");
    QTest::addColumn<QString>("says");
    QTest::newRow("the way in one column") << "name,way\nPick,back down turned\n" << QString();
    QTest::newRow("with dots") << "name,way\nPick,back · down · turned\n" << QString();
    QTest::newRow("inches") << "name,approach [in]\nPick,2\n" << QString();
    QTest::newRow("no word of a way") << "name,way\nPick,back sideways\n"
                                      << "\"sideways\" is no way";
    QTest::newRow("no axis") << "name,approach along\nPick,tool q\n"
                             << "is no axis";
    QTest::newRow("no space") << "name,approach along\nPick,hall z\n"
                              << "is no axis";
    QTest::newRow("near beyond far") << "name,near approach [mm]\nPick,60\n"
                                     << "farther off than its far one";
    QTest::newRow("too long a note") << "name,note\nPick," + QString(201, 'x') + "\n"
                                     << "the length of a note";
}
void ApproachTest::tablesSayWhatIsWrong()
{
    QFETCH(QString, table);
    QFETCH(QString, says);
    const Taught t = taught();
    const Result<TargetsRead> read = targetsFromCsv(t.cell, table.toStdString());
    QVERIFY(read.ok());
    QCOMPARE(read->broken.empty(), says.isEmpty());
    if (!says.isEmpty()) {
        QVERIFY2(QString::fromStdString(read->broken.front().line()).contains(says),
                 read->broken.front().line().c_str());
        QVERIFY(read->cell == t.cell);
        return;
    }
    QCOMPARE(read->changed, size_t(1));
    const Target& target = *findTarget(read->cell, t.id);
    if (table.contains("way"))
        QVERIFY(target.configuration.shoulderBack && target.configuration.elbowDown
                && target.configuration.wristTurned);
    else QVERIFY(std::abs(target.approach.far - 0.0508) < 1e-12);
}

void ApproachTest::aTooLongOneIsMended()
{
    // As long as it can be, straight up: out of the arm's reach, or near enough to it to be blocked.
    Taught t = taught();
    TargetId id = t.id;
    Cell cell = *setApproach(t.cell, {id}, false, {Approach::Along::World, 2, false, 1, 0});
    const Target& target = *findTarget(cell, id);
    if (chosenWay(*armOf(cell, target).model, target, waysTo(cell, target, {0, Stage::Approach}).items))
        QFAIL("the approach is reached; the cell of this test is no use any more");
    cell = mainWith(cell, "    joint to approach of Pick\n    line to Pick\n");
    const CheckResult checked = check(cell);
    std::vector<Remedy> offers;
    for (const Finding& f : checked.findings)
        if (f.severity == Severity::Blocked) {
            offers = remediesFor(cell, checked, f).offers;
            break;
        }
    const auto shorter =
        std::find_if(offers.begin(), offers.end(), [](const Remedy& r) { return r.change == "approach"; });
    QVERIFY(shorter != offers.end());
    const Cell mended = *patched(cell, shorter->patch);
    const Target& after = *findTarget(mended, id);
    QVERIFY(after.approach.far < 1 && after.pose == target.pose);
    QVERIFY2(QString::fromStdString(shorter->text).contains("approach of Pick"), shorter->text.c_str());
}

void ApproachTest::adviceGoesByWhatTheTargetSays()
{
    // The jaws come to the tile from the side and take it away to the side.
    Cell cell = example("tile-glazing-line");
    TargetId pick, beside;
    for (const Target& target : cell.targets)
        if (target.name == "Tile pick") pick = target.id;
    cell = *copyTarget(cell, pick, &beside);
    cell = *renameTarget(cell, beside, "Beside");
    Pose pose = findTarget(cell, pick)->pose;
    pose.translation.x() += 0.1;
    cell = *setTargetPose(cell, beside, pose);
    cell = mainWith(cell, "    joint to Beside\n    line to Tile pick\n    grip\n    line to Beside\n");
    const auto advice = [](const Cell& of, Rule rule) {
        const CheckResult checked = check(of);
        return std::any_of(checked.findings.begin(), checked.findings.end(),
                           [rule](const Finding& f) { return f.rule == rule; });
    };
    QVERIFY(advice(cell, Rule::AdviceNoApproach));
    QVERIFY(advice(cell, Rule::AdviceSideways));
    // That is meant: the target says so.
    const Approach side{Approach::Along::Frame, 0, false, 0.1, 0};
    const Cell meant = *setApproach(cell, {pick}, false, side);
    QVERIFY(!advice(meant, Rule::AdviceNoApproach));
    Cell said = *setApproach(meant, {pick}, true, side);
    said = mainWith(said, "    joint to approach of Tile pick\n    line to Tile pick\n    grip\n"
                          "    line to retract of Tile pick\n");
    QVERIFY(!advice(said, Rule::AdviceNoApproach));
    QVERIFY(!advice(said, Rule::AdviceSideways));
    // From the other side it is not what the target says.
    const Cell other = *setApproach(cell, {pick}, false, {Approach::Along::Frame, 0, true, 0.1, 0});
    QVERIFY(advice(other, Rule::AdviceNoApproach));
}

TOPIKOS_TEST(ApproachTest)
#include "approach_test.moc"
