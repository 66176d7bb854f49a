#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/simulate/runner.h"
#include "core/spatial/limits.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

namespace {

/// Blocked findings of a check without contact, as lines.
QStringList blockedIn(const Cell& cell)
{
    CheckOptions options;
    options.contact = false;
    QStringList out;
    const CheckResult result = check(cell, options);
    for (const Finding* f : withFollowUps(result.findings))
        if (f->severity == Severity::Blocked) out << QString::fromStdString(findingText(cell, *f).line());
    return out;
}


}  // namespace

/// Runs that have no end, or seem to, and what is judged of what a run does not come to.
class EndlessTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void emptyPassesEnd_data();
    void emptyPassesEnd();
    void repeatedStateIsFound_data();
    void repeatedStateIsFound();
    void changingStateGoesOn();
    void chainsOfCallsAreBounded_data();
    void chainsOfCallsAreBounded();
    void everyPassOfABranchCounts();
    void branchesOfEqualPassesAreJudgedOnce();
    void ringIsOneFinding();
    void pulseDoesNotOutlastASet();
    void whoWaitsHearsEachValue();
    void placesOfAMainRoutineAreNotPassedOver();
    void postureHasNoDistance();
    void laterCyclesAreTold();
    void manyCyclesKeepLittle();
};

void EndlessTest::emptyPassesEnd_data()
{
    QTest::addColumn<int>("times");
    QTest::newRow("a few thousand") << 3000;
    QTest::newRow("as many as may be asked for") << int(limits::kRepeat.most);
}

void EndlessTest::emptyPassesEnd()
{
    QFETCH(int, times);
    const Trace trace =
        simulate(mainWith(programCell(), "repeat " + std::to_string(times) + " times\n    # nothing\nwait 1 s"));
    QVERIFY(!trace.stuck);
    QCOMPARE(trace.duration, 1.0);
}

void EndlessTest::repeatedStateIsFound_data()
{
    QTest::addColumn<std::string>("program");
    QTest::addColumn<bool>("timePasses");
    QTest::newRow("no time passes") << std::string("repeat until Go\n    set Full on\n    set Full off") << false;
    QTest::newRow("moves there and back")
        << std::string("repeat until Go\n    joint 1 by 20°\n    joint 1 by -20°") << true;
    QTest::newRow("while what stays") << std::string("set Go on\nrepeat while Go\n    wait 0.25 s") << true;
    QTest::newRow("every seventh pass is like the first")
        << std::string("repeat until Go\n    repeat 7 times\n        joint 1 by 5°\n    joint 1 by -35°") << true;
    QTest::newRow("a pulse that comes back")
        << std::string("repeat until Go\n    pulse Full for 0.3 s\n    wait 1 s") << true;
}

void EndlessTest::repeatedStateIsFound()
{
    QFETCH(std::string, program);
    QFETCH(bool, timePasses);
    const Cell cell = mainWith(programCell(), program + "\njoint to Home\n");
    const Trace trace = simulate(cell);
    QVERIFY(trace.stuck.has_value());
    QVERIFY(trace.stuck->why == (timePasses ? Stuck::Why::NothingChanges : Stuck::Why::NoTimePasses));
    QVERIFY2(trace.duration < 60, qPrintable(QString::number(trace.duration)));
    // It names the block, and what stands behind it is judged.
    const Step* block = findStep(routineOf(cell, cell.arms.front()).steps, trace.stuck->step);
    QVERIFY(block && block->as<Repeat>());
    QVERIFY(trace.arms.front().outcomes.back().judgedOnly);
    QVERIFY(blockedIn(cell).join('\n').contains("loops and never ends"));
}

void EndlessTest::changingStateGoesOn()
{
    // What is different after each pass, and ends after many of them.
    const Trace trace = simulate(mainWith(programCell(), "pulse Go for 300 s\nrepeat while Go\n    wait 0.1 s"));
    QVERIFY(!trace.stuck);
    QVERIFY(trace.duration > 299 && trace.duration < 301);
}

void EndlessTest::chainsOfCallsAreBounded_data()
{
    QTest::addColumn<QString>("name");
    QTest::newRow("21 deep") << "call-bomb-2-21";
    QTest::newRow("60 deep") << "call-bomb-2-60";
}

void EndlessTest::chainsOfCallsAreBounded()
{
    QFETCH(QString, name);
    const Cell cell = onceBroke(qPrintable(name));
    const Trace trace = simulate(cell);
    QVERIFY(trace.stuck && trace.stuck->why == Stuck::Why::TooMuch);
    QVERIFY(trace.stuck->calls > 10);
    size_t bytes = 0;
    for (const ArmTrace& arm : trace.arms)
        bytes += arm.outcomes.size() * sizeof(StepOutcome);
    QVERIFY(double(bytes) <= limits::kRunMemory.most);
    const QStringList all = blockedIn(cell);
    QCOMPARE(all.size(), 1);
    QVERIFY2(all.front().contains("is too much for a run") && all.front().contains("calls deep"),
             qPrintable(all.front()));
}

void EndlessTest::everyPassOfABranchCounts()
{
    // Over the far places it is out of reach: all passes are judged, though the branch is never taken.
    const Cell cell =
        mainWith(programCell(), "for each place of Rack\n    if Go\n        joint over place 750 mm\n    wait 0.1 s");
    const Trace trace = simulate(cell);
    std::set<std::uint32_t> judged;
    for (const StepOutcome& outcome : trace.arms.front().outcomes)
        if (outcome.branch) judged.insert(outcome.target.value);
    QCOMPARE(judged.size(), size_t(6));
    QVERIFY(!blockedIn(onceBroke("branch-0")).isEmpty());
}

void EndlessTest::branchesOfEqualPassesAreJudgedOnce()
{
    const Trace trace = simulate(mainWith(
        programCell(), "joint to Home\nrepeat 1000 times\n    if Go\n        joint to Rack[1]\n    wait 0.1 s"));
    const auto& outcomes = trace.arms.front().outcomes;
    QCOMPARE(std::count_if(outcomes.begin(), outcomes.end(), [](const StepOutcome& o) { return o.branch; }), 1);
}

void EndlessTest::ringIsOneFinding()
{
    Cell cell = openCell(dataPath("once-broke/zero-time-signal.topikos")).value();
    QVERIFY(cell.arms.size() == 2);
    SignalId a, b;
    cell = addSignal(cell, "A done", Signal::Kind::Digital, &a).value();
    cell = addSignal(cell, "B done", Signal::Kind::Digital, &b).value();
    const std::string first = cell.arms[0].name, second = cell.arms[1].name;
    cell = withProgram(cell, "routine Main A, run by " + first
                                 + "\n    wait for B done\n    set A done on\n\nroutine Main B, run by " + second
                                 + "\n    wait for A done\n    set B done on\n");
    const QStringList all = blockedIn(cell);
    QCOMPARE(all.size(), 1);
    for (const char* words : {"wait for each other", "\"A done\"", "\"B done\""})
        QVERIFY2(all.front().contains(words), qPrintable(all.front()));
    // One that waits for what nobody sets is no ring.
    const Cell alone =
        withProgram(cell, "routine Main A, run by " + first + "\n    wait for B done\n\nroutine Main B, run by "
                              + second + "\n    wait 1 s\n");
    QCOMPARE(blockedIn(alone).size(), 1);
    QVERIFY(blockedIn(alone).front().contains("waits for ever"));
}

void EndlessTest::pulseDoesNotOutlastASet()
{
    const Cell cell =
        mainWith(programCell(), "pulse Go for 2 s\nwait 0.5 s\nset Go on\nwait 3 s\nwait for Go\nwait 1 s");
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    QCOMPARE(trace.duration, 4.5);
    // One that nothing is set behind ends as before.
    QVERIFY(simulate(mainWith(programCell(), "pulse Go for 2 s\nwait 3 s\nwait for Go")).blocked());
}

void EndlessTest::whoWaitsHearsEachValue()
{
    const Cell cell = onceBroke("zero-time-signal");
    const Trace trace = simulate(cell);
    for (const ArmTrace& arm : trace.arms)
        for (const StepOutcome& outcome : arm.outcomes)
            QVERIFY(outcome.problem == StepOutcome::Problem::None);
    QVERIFY(!trace.blocked());
}

void EndlessTest::placesOfAMainRoutineAreNotPassedOver()
{
    const Cell cell = onceBroke("main-with-places");
    const Trace trace = simulate(cell);
    QVERIFY(trace.blocked());
    QVERIFY(blockedIn(cell).join('\n').contains("goes to a place that nothing fills in"));
    // No edit makes such a cell.
    const Cell demo = programCell();
    QVERIFY(!setParameters(demo, demo.arms.front().main, {{{}, "place"}}));
}

void EndlessTest::postureHasNoDistance()
{
    const Cell cell =
        withProgram(programCell(), "routine Main, run by Arm\n    call Over (Home)\n\nroutine Over (place), for Arm\n"
                                   "    joint over place 80 mm\n");
    QVERIFY(simulate(cell).blocked());
    QVERIFY2(blockedIn(cell).join('\n').contains("goes to a distance from Home"),
             qPrintable(blockedIn(cell).join('\n')));
}

void EndlessTest::laterCyclesAreTold()
{
    // The tile is taken away in the first cycle.
    const Cell cell = example("tile-glazing-line");
    RunOptions options;
    options.cycles = 5;
    const Trace trace = simulate(cell, options);
    const std::vector<Finding> found = laterCycleFindings(cell, trace);
    bool grips = false;
    for (const StepOutcome& outcome : trace.arms.front().outcomes)
        grips = grips || (outcome.pass > 0 && outcome.problem == StepOutcome::Problem::NothingGripped);
    QCOMPARE(found.size(), size_t(grips));
    QVERIFY(grips);
    QCOMPARE(found.front().as<GripFact>()->cycle, 1);
    QVERIFY(findingText(cell, found.front()).line().find("from cycle 2 on") != std::string::npos);
    options.cycles = 1;
    QVERIFY(laterCycleFindings(cell, simulate(cell, options)).empty());
}

void EndlessTest::manyCyclesKeepLittle()
{
    RunOptions options;
    options.cycles = 20000;
    Runner runner(std::make_shared<const Cell>(mainWith(programCell(), "joint 1 by 20°\njoint 1 by -20°\n")), options);
    double now = 0;
    while (runner.advance(now += 300, 1))
        QVERIFY(runner.trace().arms.front().outcomes.size() < 2000);
    QVERIFY(!runner.trace().stuck);
    QVERIFY(runner.trace().arms.front().ended);
}

TOPIKOS_TEST(EndlessTest)
#include "endless_test.moc"
