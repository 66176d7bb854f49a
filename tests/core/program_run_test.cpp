#include "tests/core/program_cells.h"

#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/program/program_text.h"
#include "core/simulate/runner.h"
#include "core/simulate/state.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <climits>
#include <set>

using namespace topikos;
using namespace topikos::test;

class ProgramRunTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void unrolledByHandTakesTheSameTime();
    void textAndStepsGiveTheSameTrace();
    void repeatsCountAskAndEnd();
    void eachPlaceInEveryOrder_data();
    void eachPlaceInEveryOrder();
    void placesGoDownThroughCalls();
    void pulsesEndByThemselves();
    void waitsRunOutOfTime();
    void stopEndsTheProgram();
    void branchesNotTakenAreJudged();
    void whatIsBehindABlockIsJudgedInLoops();
    void arcsAreRound();
    void arcThroughPlacesOnALineIsBlocked();
    void shiftsGoAlongTheAxesTheyName();
    void jointShiftsAndPace();
    void processIsSwitchedAhead();
    void cornersAreCutOverCallsAndPasses();
    void startsAtAStep();
    void endlessRunGivesTheSteadyCycle();
    void runnerGoesOnAsIfInOne();
    void runnerForgetsAndStaysExact();
    void partsInArePartsOutAndHeld();
    void findingsOfPassesAreOne();
};

namespace {

SignalId signalNamed(const Cell& cell, const std::string& name)
{
    for (const Signal& s : cell.signals)
        if (s.name == name) return s.id;
    qFatal("no signal %s", name.c_str());
}

/// Kinds, targets and times of what an arm does.
std::string storyOfSteps(const Cell& cell, const ArmTrace& arm)
{
    std::string out;
    for (const ArmTrace::Span& span : arm.spans) {
        const StepOutcome& o = arm.outcomes[span.outcome];
        const Target* target = findTarget(cell, o.target);
        out += fmt::format("{} {} {:a} {:a}\n", int(o.kind), target ? target->name : "", span.start, span.end);
    }
    return out;
}

std::vector<std::string> placesVisited(const Cell& cell, const Trace& trace)
{
    std::vector<std::string> out;
    for (const StepOutcome& o : trace.arms[0].outcomes)
        if (const Target* t = findTarget(cell, o.target); t && o.kind == StepKind::Line && !o.judgedOnly)
            out.push_back(t->name);
    return out;
}

/// A belt with a source, a sensor where the arm takes, and a sink that takes what is set down.
Cell fedCell(std::mt19937_64* random = nullptr)
{
    const auto real = [&](double low, double high) {
        return random ? low + (high - low) * double((*random)() >> 11) * 0x1p-53 : 0.5 * (low + high);
    };
    Cell cell = programCell(3, 2);
    for (const Part& part : std::vector<Part>(cell.parts.begin(), cell.parts.end()))
        cell.parts.erase(part.id);
    const Target pick =
        *std::find_if(cell.targets.begin(), cell.targets.end(), [](const Target& t) { return t.name == "Tile pick"; });
    const Pose world = worldFromFrame(cell, pick.frame) * pick.pose;
    FrameId belt, source, eye, sink;
    cell = addDevice(cell, Device::Kind::Belt, "Feed", {}, {}, &belt).value();
    Device d = *findFrame(cell, belt)->device;
    d.size = {1.2, 0.3, 0.1};
    d.speed = real(0.1, 0.4);
    cell = changeDevice(cell, belt, d).value();
    // The belt's end is where the tile is taken.
    Frame frame = *findFrame(cell, belt);
    const double half = 0.5 * findPartKind(cell, cell.partKinds[0].id)->solids[0].size[0];
    frame.pose = translated({world.translation[0] - 1.2 + half, world.translation[1], world.translation[2] - 0.006});
    cell = setFramePose(cell, belt, frame.pose).value();
    cell = addDevice(cell, Device::Kind::Source, "Source", belt, translated({0.1, 0, 0.006}), &source).value();
    d = *findFrame(cell, source)->device;
    d.makes = cell.partKinds[0].id;
    d.interval = real(1, 9);
    d.most = 500;
    cell = changeDevice(cell, source, d).value();
    cell = addDevice(cell, Device::Kind::Sensor, "Eye", {}, {}, &eye).value();
    d = *findFrame(cell, eye)->device;
    d.size = {0.4, 0, 0};
    d.output = signalNamed(cell, "Go");
    cell = changeDevice(cell, eye, d).value();
    cell = setFramePose(cell, eye, translated({world.translation[0] - 0.2, world.translation[1], world.translation[2]}))
               .value();
    const Target& place = cell.targets.back();
    cell =
        addDevice(cell, Device::Kind::Sink, "Out", {}, worldFromFrame(cell, place.frame) * place.pose, &sink).value();
    d = *findFrame(cell, sink)->device;
    d.size = Vec3::Constant(real(0.03, 0.08));
    cell = changeDevice(cell, sink, d).value();
    return mainWith(cell, R"(joint to Home
repeat without end
    for each place of Rack
        joint over Tile pick 120 mm blend 20 mm
        wait for Go
        wait 0.4 s
        line to Tile pick at 250 mm/s
        grip
        line over Tile pick 120 mm at 250 mm/s
        joint over place 120 mm blend 20 mm
        line to place at 250 mm/s
        release
        line over place 120 mm at 250 mm/s)");
}

}  // namespace

void ProgramRunTest::unrolledByHandTakesTheSameTime()
{
    const Cell base = programCell();
    const Cell loops = withProgram(base, R"(routine Set one tile (pick, there)
    joint over pick 120 mm blend 20 mm
    line to pick at 150 mm/s
    grip
    line over pick 120 mm at 250 mm/s blend 10 mm
    joint over there 120 mm blend 20 mm
    line to there at 150 mm/s
    release
    line over there 120 mm at 250 mm/s

routine Main, run by Arm
    joint to Home
    for each place of Rack
        call Set one tile (Tile pick, place)
    joint to Home
)");
    std::string text = "routine Main, run by Arm\n    joint to Home\n";
    for (int i = 1; i <= 6; ++i)
        text += fmt::format(
            "    joint over Tile pick 120 mm blend 20 mm\n    line to Tile pick at 150 mm/s\n    grip\n"
            "    line over Tile pick 120 mm at 250 mm/s blend 10 mm\n    joint over Rack {0} 120 mm blend 20 mm\n"
            "    line to Rack {0} at 150 mm/s\n    release\n    line over Rack {0} 120 mm at 250 mm/s\n",
            i);
    const Cell flat = withProgram(base, text + "    joint to Home\n");
    const Trace a = simulate(loops), b = simulate(flat);
    QVERIFY(!a.blocked() && a.duration > 20);
    QVERIFY(std::abs(a.duration - b.duration) < 1e-9);
    QCOMPARE(storyOfSteps(loops, a.arms[0]), storyOfSteps(flat, b.arms[0]));
    // One plan per move that differs, whatever the number of passes.
    PlanCache plans;
    RunOptions options;
    options.plans = &plans;
    (void)simulate(loops, options);
    const auto first = plans.counts().planned;
    options.cycles = 20;
    (void)simulate(loops, options);
    QVERIFY(plans.counts().planned <= first + 2);
}

void ProgramRunTest::textAndStepsGiveTheSameTrace()
{
    std::mt19937_64 random(81);
    const Cell base = programCell();
    int ran = 0;
    for (int i = 0; i < 60; ++i) {
        const Cell cell = randomProgram(base, random, 25);
        // Put into its own cell a text changes not a bit, whatever its digits; what was typed is the same in every
        // cell.
        const Cell own = withProgram(cell, programText(cell));
        QVERIFY(own.routines == cell.routines);
        const Cell once = withProgram(base, programText(cell)), typed = withProgram(base, programText(once));
        QVERIFY(typed.routines == once.routines);
        RunOptions options;
        options.until = 200;
        const Trace a = simulate(once, options), b = simulate(typed, options), c = simulate(cell, options),
                    d = simulate(own, options);
        QVERIFY(a.duration == b.duration && c.duration == d.duration);
        for (size_t k = 0; k < a.arms.size(); ++k) {
            QCOMPARE(storyOfSteps(once, a.arms[k]), storyOfSteps(typed, b.arms[k]));
            QCOMPARE(storyOfSteps(cell, c.arms[k]), storyOfSteps(own, d.arms[k]));
        }
        ran += !a.arms[0].spans.empty();
    }
    QVERIFY(ran > 20);
}

void ProgramRunTest::repeatsCountAskAndEnd()
{
    const auto count = [](const std::string& body, int rounds = 1) {
        RunOptions options;
        options.rounds = rounds;
        const Cell cell = mainWith(programCell(), body);
        const Trace trace = simulate(cell, options);
        return std::count_if(trace.arms[0].outcomes.begin(), trace.arms[0].outcomes.end(),
                             [](const StepOutcome& o) { return o.kind == StepKind::Wait && !o.judgedOnly; });
    };
    QCOMPARE(int(count("repeat 7 times\n    wait 0.1 s")), 7);
    QCOMPARE(int(count("repeat 3 times\n    repeat 4 times\n        wait 0.1 s")), 12);
    QCOMPARE(int(count("repeat while Go\n    wait 0.1 s")), 0);
    QCOMPARE(int(count("repeat until Go off\n    wait 0.1 s")), 1);
    QCOMPARE(int(count("set Go on\nrepeat while Go\n    wait 0.1 s\n    set Go off")), 1);
    QCOMPARE(int(count("pulse Go for 1 s\nrepeat while Go\n    wait 0.3 s")), 4);  // the last begins at 0.9 s
    QCOMPARE(int(count("repeat without end\n    wait 0.1 s", 5)), 5);
    QCOMPARE(int(count("if Go\n    wait 0.1 s\nelse\n    wait 0.1 s\n    wait 0.1 s")), 2);
    QCOMPARE(int(count("off repeat 3 times\n    wait 0.1 s")), 0);
    // A loop in which no time passes is given up.
    const Trace stuck = simulate(mainWith(programCell(), "repeat until Go\n    set Full on\n    set Full off"));
    QVERIFY(stuck.stuck && stuck.stuck->why == Stuck::Why::NoTimePasses);
}

void ProgramRunTest::eachPlaceInEveryOrder_data()
{
    QTest::addColumn<QString>("head");
    QTest::addColumn<QString>("places");
    QTest::newRow("forwards") << "for each place of Rack"
                              << "1 2 3 4 5 6";
    QTest::newRow("backwards") << "for each place of Rack backwards"
                               << "6 5 4 3 2 1";
    QTest::newRow("a range") << "for each place of Rack from 2 to 4"
                             << "2 3 4";
    QTest::newRow("a range backwards") << "for each place of Rack from 2 to 4 backwards"
                                       << "4 3 2";
    QTest::newRow("to the end") << "for each place of Rack from 5 to end"
                                << "5 6";
    QTest::newRow("beyond the end") << "for each place of Rack from 5 to 9"
                                    << "5 6";
    QTest::newRow("none") << "for each place of Rack from 8 to 9"
                          << "";
}

void ProgramRunTest::eachPlaceInEveryOrder()
{
    QFETCH(QString, head);
    QFETCH(QString, places);
    const Cell cell = mainWith(programCell(), head.toStdString() + "\n    line to place at 250 mm/s");
    QString visited;
    for (const std::string& name : placesVisited(cell, simulate(cell)))
        visited += (visited.isEmpty() ? "" : " ") + QString::fromStdString(name).section(' ', 1);
    QCOMPARE(visited, places);
}

void ProgramRunTest::placesGoDownThroughCalls()
{
    // Two patterns side by side, handed on through two calls, the second with its places swapped.
    const Cell cell = withProgram(programCell(), R"(routine Outer (a, b)
    call Inner (b, a)

routine Inner (first, second)
    line to first at 250 mm/s
    line to second at 250 mm/s

routine Main, run by Arm
    for each Rack place from 5 to end with Tray place
        call Outer (Rack place, Tray place)
)");
    const Trace trace = simulate(cell);
    const std::vector<std::string> wanted{"Tray 1", "Rack 5", "Tray 2", "Rack 6"};
    QVERIFY(placesVisited(cell, trace) == wanted);
    // Each outcome knows the way that led to it.
    const StepOutcome& last = trace.arms[0].outcomes.back();
    QCOMPARE(callDepth(last.within.get()), 2);
    QCOMPARE(passOf(last.within.get(), cell.routines[2].steps[0].id).value_or(-1), 1);
}

void ProgramRunTest::pulsesEndByThemselves()
{
    const Cell cell = mainWith(
        programCell(), "wait 1 s\npulse Go for 0.5 s\nwait 0.2 s\npulse Go for 0.5 s\nwait 3 s\npulse Full for 9 s");
    const Trace trace = simulate(cell);
    const SignalId go = signalNamed(cell, "Go");
    // The second pulse begins before the first has ended, and takes its place.
    for (const auto& [time, value] : {std::pair(0.99, 0), {1.0, 1}, {1.3, 1}, {1.6, 1}, {1.69, 1}, {1.71, 0}, {4, 0}})
        QCOMPARE(signalAt(cell, trace, go, time), double(value));
    QVERIFY(std::abs(trace.duration - 4.2) < 1e-12);  // a pulse takes no time of the routine
}

void ProgramRunTest::waitsRunOutOfTime()
{
    const Cell cell = mainWith(programCell(), "wait for Go at most 2 s, else set Full on\nwait 1 s");
    const Trace trace = simulate(cell);
    QVERIFY(std::abs(trace.duration - 3) < 1e-12);
    QCOMPARE(signalAt(cell, trace, signalNamed(cell, "Full"), 2.5), 1.0);
    const StepOutcome& first =
        trace.arms[0].outcomes[trace.arms[0].spans[0].outcome];  // what stands for it is judged before
    QCOMPARE(int(first.problem), int(StepOutcome::Problem::TimedOut));
    const CheckResult result = check(cell);
    QCOMPARE(result.count(Severity::Caution), 1);
    QVERIFY(findingText(cell, result.findings[0]).line().find("waits 2 s in vain") != std::string::npos);
    // What comes at the very instant is in time.
    const Cell inTime =
        mainWith(programCell(), "pulse Full for 2 s\nwait for Full off at most 2 s, else stop \"late\"\nwait 1 s");
    const Trace other = simulate(inTime);
    QCOMPARE(int(other.arms[0].outcomes.size()), 4);  // the stop is judged, not run
    QVERIFY(std::abs(other.duration - 3) < 1e-12);
    // Longer than all else: a limited wait is no wait for ever.
    QVERIFY(std::abs(simulate(mainWith(programCell(), "wait for Go at most 2000 s")).duration - 2000) < 1e-9);
}

void ProgramRunTest::stopEndsTheProgram()
{
    const Cell cell = mainWith(
        programCell(), "wait 1 s\nif Go off\n    stop \"nothing to do\"\nwait 5 s\nline to Tile pick at 250 mm/s");
    const CheckResult result = check(cell);
    QVERIFY(std::abs(result.trace.duration - 1) < 1e-12);
    QVERIFY(!result.trace.blocked());
    const Finding& stop = result.findings.front();
    QVERIFY(stop.rule == Rule::Stop && stop.severity == Severity::Caution && stop.stepIndex == 2);
    QVERIFY(findingText(cell, stop).line().find("nothing to do") != std::string::npos);
}

void ProgramRunTest::branchesNotTakenAreJudged()
{
    Cell cell = programCell();
    Target far = cell.targets[1];
    far.id = {cell.nextId++};
    far.name = "Far";
    far.pose.translation += Vec3(5, 0, 0);
    cell.targets.push_back(far);
    const Cell branch =
        mainWith(cell, "joint to Home\nif Go\n    line to Far at 250 mm/s\nelse\n    wait 1 s\njoint to Home");
    const CheckResult result = check(branch);
    QVERIFY(!result.trace.blocked());
    QCOMPARE(result.count(Severity::Blocked), 1);
    const Finding& f = result.findings.front();
    QVERIFY(f.branch && f.stepIndex == 2 && f.target == far.id);
    QVERIFY(findingText(branch, f).line().find("The run does not come here") != std::string::npos);
    QVERIFY(outcomeOf(result, f) && outcomeOf(result, f)->judgedOnly);
    // The same behind a wait whose time is not up, in a loop that is not gone into, and in a branch of a branch.
    for (const char* body :
         {"pulse Go for 1 s\nwait for Go at most 3 s, else line to Far at 250 mm/s",
          "repeat while Go\n    line to Far at 250 mm/s", "if Go\n    if Full\n        line to Far at 250 mm/s",
          "if Go\n    grip\nelse\n    if Full off\n        wait 1 s\n    else\n        line to Far at 250 mm/s"})
        QVERIFY2(check(mainWith(cell, body)).count(Severity::Blocked) == 1, body);
    for (const Finding& other : check(mainWith(cell, "if Go\n    joint to Tile pick\nelse\n    wait 1 s")).findings)
        QVERIFY(!other.step);  // Far by itself, and nothing of the branch
}

void ProgramRunTest::whatIsBehindABlockIsJudgedInLoops()
{
    Cell cell = programCell();
    Target far = cell.targets[1];
    far.id = {cell.nextId++};
    far.name = "Far";
    far.pose.translation += Vec3(5, 0, 0);
    cell.targets.push_back(far);
    const Cell blocked = mainWith(
        cell, "for each place of Rack\n    joint to Far\n    line over place 100 mm at 250 mm/s\njoint to Home");
    const CheckResult result = check(blocked);
    QVERIFY(result.trace.blocked());
    std::set<TargetId> judged;
    for (const StepOutcome& o : result.trace.arms[0].outcomes)
        if (o.judgedOnly) judged.insert(o.target);
    QVERIFY(judged.size() == 6 + 2);  // the places, Far again, and home
}

void ProgramRunTest::arcsAreRound()
{
    Cell cell = programCell();
    const auto shifted = [&](const char* name, const Vec3& by) {
        Target t = cell.targets[1];
        t.id = {cell.nextId++};
        t.name = name;
        t.pose.translation += by;
        cell.targets.push_back(t);
    };
    shifted("A", {0, 0, -0.2});
    shifted("B", {0.05, 0.05, -0.2});
    shifted("C", {0.1, 0, -0.2});
    const auto way = [&](const std::string& step) {
        const Cell own = mainWith(cell, "joint to A\n" + step);
        const Trace trace = simulate(own);
        if (trace.blocked()) qFatal("blocked: %s", findingText(own, check(own).findings[0]).line().c_str());
        const StepOutcome& arc = trace.arms[0].outcomes[1];
        std::vector<Vec3> points;
        for (int i = 0; i <= 200; ++i)
            points.push_back(worldFromTcp(own, own.arms[0], arc.move->at(*own.arms[0].model, i / 200.0)).translation);
        return std::pair(points, arc);
    };
    const auto world = [&](size_t back) {
        const Target& t = cell.targets[cell.targets.size() - back];
        return Vec3((worldFromFrame(cell, t.frame) * t.pose).translation);
    };
    const Vec3 a = world(3), b = world(2), c = world(1), centre = 0.5 * (a + c);
    const auto [half, outcome] = way("arc via B to C at 100 mm/s");
    double length = 0, nearest = 1;
    for (size_t i = 0; i < half.size(); ++i) {
        QVERIFY(std::abs((half[i] - centre).norm() - 0.05) < 1e-8);
        if (i > 0) length += (half[i] - half[i - 1]).norm();
        nearest = std::min(nearest, (half[i] - b).norm());
    }
    QVERIFY((half.front() - a).norm() < 1e-8 && (half.back() - c).norm() < 1e-8 && nearest < 1e-3);
    QVERIFY(std::abs(length - std::numbers::pi * 0.05) < 1e-4);
    // At 100 mm/s with ramps of 2 m/s^2.
    const double byHand = std::numbers::pi * 0.05 / 0.1 + 0.1 / 2;
    QVERIFY(outcome.duration >= byHand - 1e-9 && outcome.duration < byHand + 0.05 * 0.1 / 2);
    const auto [whole, round] = way("circle via B and C at 100 mm/s");
    QVERIFY((whole.front() - whole.back()).norm() < 1e-8);
    QVERIFY(std::abs(round.move->line().length() - 2 * std::numbers::pi * 0.05) < 1e-9);
    // Fast ones are held back by what keeps the TCP on its circle: v^2 / r.
    const auto [fast, quick] = way("arc via B to C at 5000 mm/s");
    QVERIFY(quick.move->profile.peakSpeed() * quick.move->line().length() <= std::sqrt(2 * 0.05) + 1e-9);
    // The other way round, past the far side.
    const auto [far, threeQuarters] = way("arc via C to B at 100 mm/s");
    QVERIFY(std::abs(threeQuarters.move->line().circle()->angle - 1.5 * std::numbers::pi) < 1e-9);
}

void ProgramRunTest::arcThroughPlacesOnALineIsBlocked()
{
    const Cell cell =
        mainWith(programCell(), "joint over Tile pick 100 mm\narc via over Tile pick 50 mm to Tile pick at 100 mm/s");
    const CheckResult result = check(cell);
    QCOMPARE(result.count(Severity::Blocked), 1);
    QVERIFY(findingText(cell, result.findings[0]).headline.find("has no circle to go on") != std::string::npos);
}

void ProgramRunTest::shiftsGoAlongTheAxesTheyName()
{
    const Cell base = programCell();
    const ArmStation& arm = base.arms[0];
    const auto moved = [&](const std::string& step) {
        const Cell own = mainWith(base, "joint over Tile pick 120 mm\n" + step);
        const Trace trace = simulate(own);
        if (trace.blocked()) qFatal("%s", findingText(own, check(own).findings[0]).line().c_str());
        const auto& o = trace.arms[0].outcomes;
        return std::pair(worldFromTcp(own, arm, o[0].arrival), worldFromTcp(own, arm, o.back().arrival));
    };
    const auto by = [&](const std::string& step, const Vec3& way) {
        const auto [from, to] = moved(step);
        return (to.translation - from.translation - way).norm() < 1e-8
               && deviation({{}, from.rotation}, {{}, to.rotation}).radians < 1e-8;
    };
    for (const char* kind : {"line", "joint"}) {
        const std::string k = kind;
        QVERIFY(by(k + " by 50 mm along x of world", {0.05, 0, 0}));
        QVERIFY(by(k + " by -30 mm along z", {0, 0, -0.03}));
        const auto [from, unused] = moved("wait 0.1 s");
        QVERIFY(by(k + " by -40 mm along z of tool", from.rotation * Vec3(0, 0, -0.04)));
        const FrameId rack = frameNamed(base, "Drying rack");
        QVERIFY(by("read from Drying rack\n" + k + " by 20 mm along y",
                   worldFromFrame(base, rack).rotation * Vec3(0, 0.02, 0)));
        QVERIFY(
            by(k + " by 20 mm along y of frame Drying rack", worldFromFrame(base, rack).rotation * Vec3(0, 0.02, 0)));
    }
    const auto [from, to] = moved("line by 30° about z of tool");
    QVERIFY((from.translation - to.translation).norm() < 1e-8);
    const AxisAngle turn = axisAngleOf(from.rotation.conjugate() * to.rotation);
    QVERIFY(std::abs(turn.angle - 30 * kDegree) < 1e-8 && (turn.axis - Vec3::UnitZ()).norm() < 1e-7);
}

void ProgramRunTest::jointShiftsAndPace()
{
    const Cell base = programCell();
    const auto run = [&](const std::string& step) {
        return simulate(mainWith(base, "joint to Home\n" + step)).arms[0].outcomes[1];
    };
    const JointVector home = homePosture(base, base.arms[0]);
    const StepOutcome plain = run("joint 4 by -40°");
    QVERIFY(std::abs(plain.arrival[3] - home[3] + 40 * kDegree) < 1e-12);
    const Joint& joint = base.arms[0].model->joints()[3];
    const auto time = [](double way, double v, double a) {
        return way >= v * v / a ? way / v + v / a : 2 * std::sqrt(way / a);
    };
    QVERIFY(std::abs(plain.duration - time(40 * kDegree, joint.speed, joint.acceleration)) < 1e-9);
    QVERIFY(std::abs(run("joint 4 by -40° acceleration 25 %").duration
                     - time(40 * kDegree, joint.speed, 0.25 * joint.acceleration))
            < 1e-9);
    QVERIFY(std::abs(run("joint 4 by -40° at 20 °/s").duration - time(40 * kDegree, 20 * kDegree, joint.acceleration))
            < 1e-9);
    const StepOutcome line = run("line by 100 mm along x at 200 mm/s acceleration 50 %");
    QVERIFY(std::abs(line.duration - time(0.1, 0.2, 1)) < 1e-9);
    // Out of its range: blocked, with the joint named.
    const CheckResult result = check(mainWith(base, "joint 1 by 300°"));
    QCOMPARE(result.count(Severity::Blocked), 1);
}

void ProgramRunTest::processIsSwitchedAhead()
{
    Cell cell = programCell();
    Process spray = cell.tools[0].processes[0];
    spray.lead = 0.25;
    cell = setProcess(cell, cell.tools[0].id, spray).value();
    cell = mainWith(cell, "joint to Home\njoint over Tile pick 120 mm\nprocess Spray on\nline to Tile pick at 100 "
                          "mm/s\nprocess Spray off");
    const Trace trace = simulate(cell);
    const double begin = trace.arms[0].outcomes[3].start, end = trace.duration;
    const SignalId valve = signalNamed(cell, "Valve");
    const auto at = [&](double time) { return signalAt(cell, trace, valve, time); };
    QVERIFY(at(begin - 0.26) == 0 && at(begin - 0.24) == 1 && at(end - 0.26) == 1 && at(end - 0.24) == 0);
    // Without a lead at the step itself, and on a move that is shorter than the lead from its begin.
    spray.lead = 0;
    const Cell plain = setProcess(cell, cell.tools[0].id, spray).value();
    const Trace sharp = simulate(plain);
    QVERIFY(signalAt(plain, sharp, valve, begin - 1e-6) == 0 && signalAt(plain, sharp, valve, begin + 1e-6) == 1);
    spray.lead = 10;
    const Cell early = setProcess(cell, cell.tools[0].id, spray).value();
    QVERIFY(signalAt(early, simulate(early), valve, trace.arms[0].outcomes[1].start + 1e-6) == 1);
}

void ProgramRunTest::cornersAreCutOverCallsAndPasses()
{
    const Cell cell = withProgram(programCell(), R"(routine Along
    line by 30 mm along x at 100 mm/s blend 10 mm

routine Up
    line by 30 mm along z at 100 mm/s blend 10 mm

routine Main, run by Arm
    joint over Tile pick 120 mm
    repeat 2 times
        call Along
        call Up
    if Go off
        joint to Home
)");
    const Trace trace = simulate(cell);
    const std::vector<ArmTrace::Span>& spans = trace.arms[0].spans;
    QCOMPARE(spans.size(), size_t(6));
    const auto timing = [&](size_t i) -> const Timing& { return *trace.arms[0].outcomes[spans[i].outcome].timing; };
    for (size_t i = 1; i < 4; ++i)
        QVERIFY(timing(i).ends() > timing(i).duration + 1e-3 && timing(i + 1).begins() < -1e-3);
    // What follows a decision is not known while the corner is cut: the stop is exact.
    QVERIFY(std::abs(timing(4).ends() - timing(4).duration) < 1e-12);
}

void ProgramRunTest::startsAtAStep()
{
    const Cell cell = mainWith(programCell(), "joint to Home\nrepeat 2 times\n    wait 1 s\n    wait 2 s\nwait 4 s");
    const ArmStation& arm = cell.arms[0];
    RunOptions options;
    JointVector posture = homePosture(cell, arm);
    posture[0] += 0.3;
    options.starts = {{arm.id, findRoutine(cell, arm.main)->steps[1].body[1].id, posture}};
    const Trace trace = simulate(cell, options);
    QVERIFY(std::abs(trace.duration - (2 + 1 + 2 + 4)) < 1e-12);
    QVERIFY((postureAt(cell, trace.arms[0], 0.5) - posture).cwiseAbs().maxCoeff() == 0);
}

void ProgramRunTest::endlessRunGivesTheSteadyCycle()
{
    const Cell cell = mainWith(programCell(), "joint over Tile pick 100 mm\nwait 7 s\nrepeat without end\n    wait 1 "
                                              "s\n    joint to Home\n    joint over Tile pick 100 mm");
    const CheckResult result = check(cell);
    const Cycles cycles = cyclesOf(result.trace);
    QCOMPARE(cycles.done, kCheckedRounds);
    const Trace once = simulate(
        mainWith(programCell(), "joint over Tile pick 100 mm\nwait 1 s\njoint to Home\njoint over Tile pick 100 mm"));
    QVERIFY(std::abs(cycles.time - (once.duration - once.arms[0].outcomes[0].duration)) < 1e-9);
    // Both passes are judged: that the second begins where the first one ends.
    QVERIFY(result.trace.arms[0].rounds.size() == 1);
}

void ProgramRunTest::runnerGoesOnAsIfInOne()
{
    const auto cell = std::make_shared<const Cell>(fedCell());
    RunOptions options;
    options.cycles = options.rounds = INT_MAX;
    options.until = 240;
    const Trace whole = simulate(*cell, options);
    Runner runner(cell, options);
    for (double t = 0; t < 240; t += 7.3)
        QVERIFY(runner.advance(t));
    runner.advance(240);
    QCOMPARE(storyOf(runner.trace()), storyOf(whole));
    QVERIFY(!whole.signalEvents.empty() && runner.counts().released > 10);
}

void ProgramRunTest::runnerForgetsAndStaysExact()
{
    const auto cell = std::make_shared<const Cell>(fedCell());
    RunOptions options;
    options.cycles = options.rounds = INT_MAX;
    Runner whole(cell, options), short_(cell, options);
    size_t events = 0, spans = 0;
    for (double t = 60; t <= 1500; t += 60) {
        whole.advance(t);
        short_.advance(t, 120);
        const Trace &a = whole.trace(), &b = short_.trace();
        for (double at = std::max(0.0, t - 119); at <= t; at += 3.7) {
            const CellState x = stateAt(*cell, a, at), y = stateAt(*cell, b, at);
            QVERIFY((x.arms[0].posture - y.arms[0].posture).cwiseAbs().maxCoeff() == 0);
            QVERIFY(x.arms[0].gripperOpening == y.arms[0].gripperOpening);
            QCOMPARE(y.parts.size(), x.parts.size());
            for (size_t i = 0; i < x.parts.size(); ++i)
                QVERIFY(x.parts[i].part == y.parts[i].part
                        && (x.parts[i].worldFromPart.translation - y.parts[i].worldFromPart.translation).norm()
                               < 1e-12);
            for (const Signal& s : cell->signals)
                QVERIFY(signalAt(*cell, a, s.id, at) == signalAt(*cell, b, s.id, at));
        }
        QVERIFY(whole.counts().released == short_.counts().released && whole.counts().made == short_.counts().made
                && whole.counts().gone == short_.counts().gone);
        if (t > 600) {
            events = std::max(events, b.partEvents.size() + b.signalEvents.size());
            spans = std::max(spans, b.arms[0].spans.size());
        }
    }
    // What is kept does not grow with the time.
    QVERIFY(events < whole.trace().partEvents.size() / 3 && spans < whole.trace().arms[0].spans.size() / 5);
}

void ProgramRunTest::partsInArePartsOutAndHeld()
{
    std::mt19937_64 random(82);
    size_t made = 0, gone = 0;
    for (int i = 0; i < 1000; ++i) {
        const Cell cell = fedCell(&random);
        RunOptions options;
        options.cycles = options.rounds = INT_MAX;
        options.until = 20 + 60 * double(random() >> 11) * 0x1p-53;
        const Trace trace = simulate(cell, options);
        const size_t out = size_t(std::count_if(trace.partEvents.begin(), trace.partEvents.end(),
                                                [](const PartEvent& e) { return e.kind == PartEvent::Kind::Gone; }));
        const CellState state = stateAt(cell, trace, trace.duration);
        QCOMPARE(trace.made.size(), out + state.parts.size());
        std::set<std::uint32_t> ids;
        for (const PlacedPart& part : state.parts)
            QVERIFY(ids.insert(part.part.value).second);
        made += trace.made.size();
        gone += out;
    }
    QVERIFY(made > 3000 && gone > 500);
}

void ProgramRunTest::findingsOfPassesAreOne()
{
    // Each place beyond the first row is too far; the first of them speaks for its step and target.
    Cell cell = programCell(1, 4);
    Pattern rack = cell.patterns[0];
    rack.pitch = {0.4, 0.4, 0};
    for (const auto& text :
         {"for each place of Rack\n    joint over place 50 mm\n    grip\n    joint over Tile pick 50 mm"}) {
        const CheckResult result = check(mainWith(cell, text));
        int grips = 0;
        for (const Finding& f : result.findings)
            if (f.rule == Rule::Grip) {
                ++grips;
                QCOMPARE(f.passes, 4);
                QVERIFY(findingText(cell, f).line().find("So in 4 passes, first in pass 1.") != std::string::npos);
            }
        QCOMPARE(grips, 1);
    }
}

TOPIKOS_TEST(ProgramRunTest)
#include "program_run_test.moc"
