#include "core/plan/best_ways.h"
#include "core/cell/edit.h"
#include "core/check/live_checker.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <future>

using namespace topikos;
using namespace topikos::test;

class CheckTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void demoCellIsClean();
    void plantedMistakesAreFound();
    void measuredValuesAreTrue();
    void thresholdsDecide();
    void wrongConfigurationNamesTheOtherWays();
    void emptyGripIsACaution();
    void switchedOffStepsAreNotChecked();
    void liveCheckerDeliversTheNewest();
    void brokenCheckIsDeliveredAsSuch();
    void bestWaysUndoBadChoices();
    void bestWaysAreTheLeastOfAllChains();
};

namespace {

std::string sentence(const Cell& cell, const Finding& f)
{
    const FindingText t = findingText(cell, f);
    return t.headline + ". " + t.detail;
}

}  // namespace

void CheckTest::demoCellIsClean()
{
    const Cell cell = example("tile-glazing-line");
    const CheckResult result = check(cell, cell.routines.front());
    QVERIFY2(result.findings.empty(), result.findings.empty() ? "" : sentence(cell, result.findings[0]).c_str());
    QCOMPARE(result.targets.size(), cell.targets.size());
}

void CheckTest::plantedMistakesAreFound()
{
    const Cell cell = example("planted-mistakes");
    const CheckResult result = check(cell, cell.routines.front());
    QCOMPARE(result.count(Severity::Blocked), 3);
    const auto& f = result.findings;
    QCOMPARE(int(f[0].rule), int(Rule::JointRange));
    QCOMPARE(f[0].stepIndex, size_t(2));
    QCOMPARE(f[0].as<RangeFact>()->joint, 2);
    QCOMPARE(QString::fromStdString(sentence(cell, f[0])),
             QString("Step 3 stops 36 mm short. Joint 3 is 3.2° past its range (-205.0 to 78.0°)."));
    QCOMPARE(int(f[1].rule), int(Rule::Singularity));
    QCOMPARE(int(f[1].as<SingularFact>()->kind), int(SingularityKind::Wrist));
    QCOMPARE(f[1].stepIndex, size_t(4));
    QCOMPARE(int(f[2].rule), int(Rule::Reach));
    QCOMPARE(f[2].stepIndex, size_t(6));
    QCOMPARE(QString::fromStdString(sentence(cell, f[2])),
             QString("Step 7 cannot reach Far shelf. The wrist would have to be 285 mm beyond the arm's reach."));
}

void CheckTest::measuredValuesAreTrue()
{
    const Cell cell = example("planted-mistakes");
    const CheckResult result = check(cell, cell.routines.front());
    // Joint range: the excess of joint 3 at the line's end, from inverse kinematics of the end pose.
    const Finding& range = result.findings[0];
    const Target& close = *findTarget(cell, range.target);
    const Solutions atEnd = inverseKinematics(*cell.arms.front().model, baseFromFlange(cell, close));
    const Solution* s = withConfiguration(atEnd.outOfRange, close.configuration);
    QVERIFY(s);
    QVERIFY(std::abs(rangeExcess(*cell.arms.front().model, s->joints).excess - measureOf(cell, range).measured) < 1e-9);
    QVERIFY(std::abs(range.remaining - (1 - range.fraction) * result.trace.arms[0].outcomes[2].move->line().length())
            < 1e-12);
    // Reach: distance of the wrist centre from axis 2 less the arm's length.
    const Finding& reach = result.findings[2];
    const Pose flange = baseFromFlange(cell, *findTarget(cell, reach.target));
    const Vec3 wrist = flange.translation - 0.093 * (flange.rotation * Vec3::UnitZ());
    const double away =
        std::hypot(std::hypot(wrist[0], wrist[1]) - 0.163, wrist[2] - 0.437) - cell.arms.front().model->reach();
    QVERIFY(std::abs(measureOf(cell, reach).measured - away) < 1e-9);
}

void CheckTest::thresholdsDecide()
{
    Cell cell = example("tile-glazing-line");
    QVERIFY(check(cell, cell.routines.front()).findings.empty());
    cell.thresholds.jointMargin = 45 * kDegree;
    const CheckResult margins = check(cell, cell.routines.front());
    QVERIFY(margins.count(Severity::Caution) > 0);
    QCOMPARE(margins.count(Severity::Blocked), 0);
    for (const Finding& f : margins.findings) {
        QCOMPARE(int(f.rule), int(Rule::JointRange));
        QVERIFY(measureOf(cell, f).measured < measureOf(cell, f).limit);
        QVERIFY(QString::fromStdString(sentence(cell, f)).contains("the margin asked for is 45.0°"));
    }
    cell.thresholds.jointMargin = 0;
    cell.thresholds.wristCaution = 80 * kDegree;
    const CheckResult wrist = check(cell, cell.routines.front());
    QVERIFY(wrist.count(Severity::Caution) > 0);
    for (const Finding& f : wrist.findings)
        QCOMPARE(int(f.rule), int(Rule::Singularity));
    cell.thresholds.wristBlocked = 79 * kDegree;
    QVERIFY(check(cell, cell.routines.front()).count(Severity::Blocked) > 0);
}

void CheckTest::wrongConfigurationNamesTheOtherWays()
{
    Cell cell = example("tile-glazing-line");
    const TargetId pick = cell.targets[1].id;
    cell = setTargetWay(cell, pick, {{}, {false, true, false}}).value();  // elbow down: a joint is past its range
    const TargetVerdict verdict = checkTarget(cell, *findTarget(cell, pick));
    QCOMPARE(verdict.findings.size(), size_t(1));
    QCOMPARE(int(verdict.findings[0].severity), int(Severity::Blocked));
    const RangeFact* fact = verdict.findings[0].as<RangeFact>();
    QVERIFY(fact);
    QCOMPARE(fact->otherWays, int(verdict.ways.items.size()));
    QVERIFY(fact->otherWays > 0);
    const QString words = QString::fromStdString(sentence(cell, verdict.findings[0]));
    QVERIFY2(words.contains("cannot be reached that way") && words.contains("in range."), qPrintable(words));
    const CheckResult result = check(cell, cell.routines.front());
    QVERIFY(result.count(Severity::Blocked) > 0);
}

void CheckTest::emptyGripIsACaution()
{
    Cell cell = example("tile-glazing-line");
    cell.parts.clear();
    const CheckResult result = check(cell, cell.routines.front());
    QCOMPARE(result.findings.size(), size_t(1));
    QCOMPARE(int(result.findings[0].rule), int(Rule::Grip));
    QCOMPARE(QString::fromStdString(sentence(cell, result.findings[0])),
             QString("Step 4 grips nothing. No part has its origin within 30 mm of the TCP."));
}

void CheckTest::switchedOffStepsAreNotChecked()
{
    Cell cell = example("planted-mistakes");
    for (const size_t i : {2u, 4u, 6u})
        cell.routines.at(0).steps.at(i).off = true;
    const CheckResult result = check(cell, cell.routines.front());
    for (const Finding& f : result.findings)
        QVERIFY(!f.step);
    QVERIFY(!result.trace.arms[0].blockedAt);
    // Far shelf itself still cannot be reached, which its target says.
    QCOMPARE(result.count(Severity::Blocked), 2);
}

void CheckTest::liveCheckerDeliversTheNewest()
{
    // A check that takes its time is given up when a newer cell comes, and is never delivered.
    Cell longer = example("glazing-line-on-a-rail");
    Routine& routine = longer.routines.at(0);
    const Table<Step> once = routine.steps;
    while (routine.steps.size() < 3000)
        for (Step s : once) {
            s.id = {longer.nextId++};
            routine.steps.push_back(s);
        }
    const auto slow = std::make_shared<const Cell>(longer);
    const auto cell = std::make_shared<const Cell>(example("planted-mistakes"));
    std::promise<std::shared_ptr<const CheckedCell>> last;
    std::atomic<int> older = 0;
    LiveChecker checker([&](std::shared_ptr<const CheckedCell> checked) {
        if (checked->revision == 50) last.set_value(checked);
        else ++older;
    });
    for (std::uint64_t revision = 1; revision < 50; ++revision)
        checker.submit(slow, revision);
    checker.submit(cell, 50);
    auto future = last.get_future();
    QVERIFY(future.wait_for(std::chrono::seconds(20)) == std::future_status::ready);
    const auto checked = future.get();
    QVERIFY(checked->cell == cell);
    QCOMPARE(checked->result.count(Severity::Blocked), 3);
    QCOMPARE(older.load(), 0);
}

void CheckTest::brokenCheckIsDeliveredAsSuch()
{
    // A cell no reader or edit would make: home is gone.
    Cell broken = example("tile-glazing-line");
    broken.arms.at(0).home = {};
    auto cell = std::make_shared<const Cell>(broken);
    std::promise<std::shared_ptr<const CheckedCell>> got;
    LiveChecker checker([&](std::shared_ptr<const CheckedCell> checked) { got.set_value(checked); });
    checker.submit(cell, 1);
    auto future = got.get_future();
    QVERIFY(future.wait_for(std::chrono::seconds(20)) == std::future_status::ready);
    const auto checked = future.get();
    QVERIFY2(QString::fromStdString(checked->failure).contains("home is a posture"), checked->failure.c_str());
    QVERIFY(checked->result.findings.empty());
}

void CheckTest::bestWaysUndoBadChoices()
{
    // Every pose target put on a bad branch: the chain that comes back is free of blocks and applied in one edit.
    Cell cell = example("tile-glazing-line");
    const int blockedBefore = check(cell, cell.routines.front()).count(Severity::Blocked);
    const BestWays calm = bestWays(cell, cell.routines.front());
    QCOMPARE(calm.now.blocked, blockedBefore);
    QCOMPARE(calm.ways.empty(), !calm.best.better(calm.now));
    Cell bad = cell;
    for (Target& t : bad.targets.edits())
        if (t.kind == Target::Kind::Pose)
            t.configuration.wristTurned = !t.configuration.wristTurned, t.configuration.elbowDown = true;
    QVERIFY(check(bad, bad.routines.front()).count(Severity::Blocked) > 0);
    const BestWays found = bestWays(bad, bad.routines.front());
    QVERIFY(found.best.better(found.now));
    QVERIFY(!found.ways.empty());
    const Cell mended = setTargetWays(bad, found.ways).value();
    QCOMPARE(check(mended, mended.routines.front()).count(Severity::Blocked), blockedBefore);
    QCOMPARE(found.best.blocked, 0);
    // Nothing better is left, and a second look says so.
    const BestWays again = bestWays(mended, mended.routines.front());
    QVERIFY(again.ways.empty());
    QVERIFY(std::abs(again.now.travel - found.best.travel) < 1e-6);
    // Given up at any place, nothing comes of it; targets are gone to a second time here.
    Cell twice = bad;
    Table<Step>& steps = twice.routines.at(0).steps;
    for (Step step : Table<Step>(steps)) {
        step.id = {twice.nextId++};
        steps.push_back(step);
    }
    int places = 0;
    for (bool cancelled = true; cancelled; ++places) {
        int calls = 0;
        const BestWays some = bestWays(twice, twice.routines.front(), [&](double) { return calls++ < places; });
        cancelled = some.cancelled;
        QVERIFY(!cancelled || some.ways.empty());
    }
    QVERIFY(places > 10);
}

void CheckTest::bestWaysAreTheLeastOfAllChains()
{
    // Against trying every combination of ways for the first targets of the routine.
    Cell cell = example("tile-glazing-line");
    Routine routine = cell.routines.front();
    std::vector<TargetId> used;
    std::vector<Step> moves;
    for (Step s : routine.steps)
        if (s.isMove() && moves.size() < 5)
            s.action = JointMove{AtPlace{targetOf(s), endOf(s)->over}}, moves.push_back(s);
    routine.steps = Table<Step>(moves);
    cell.routines.at(0) = routine;
    for (const Step& s : moves)
        if (findTarget(cell, targetOf(s))->kind == Target::Kind::Pose
            && std::find(used.begin(), used.end(), targetOf(s)) == used.end())
            used.push_back(targetOf(s));
    const BestWays found = bestWays(cell, routine);
    std::vector<Cell> all{cell};
    for (const TargetId id : used) {
        std::vector<Cell> next;
        for (const Cell& c : all)
            for (const Solution& s : waysTo(c, *findTarget(c, id)).items)
                next.push_back(setTargetWay(c, id, s).value());
        all = next;
    }
    ChainCost least = bestWays(all.front(), routine).now;
    for (const Cell& c : all)
        if (const ChainCost cost = bestWays(c, routine).now; cost.better(least)) least = cost;
    QVERIFY(all.size() >= 8);
    QCOMPARE(found.best.blocked, least.blocked);
    QCOMPARE(found.best.cautions, least.cautions);
    QVERIFY2(std::abs(found.best.travel - least.travel) < 1e-6,
             qPrintable(QString("%1 %2").arg(found.best.travel).arg(least.travel)));
}

TOPIKOS_TEST(CheckTest)
#include "check_test.moc"
