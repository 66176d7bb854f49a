#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/fixture.h"
#include "core/check/check.h"
#include "core/collide/pairs.h"
#include "core/program/step_text.h"
#include "core/report/trace_csv.h"
#include "core/simulate/state.h"
#include "tests/core/device_cells.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Arms and devices that wait for each other by signals.
class SeveralArmsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void armsWaitForEachOther();
    void partIsHandedOver();
    void waitThatNeverEndsIsFound();
    void signalsKnowWhoUsesThem();
    void armsComeAndGo();
    void anyWiringComesToAnEnd();
};

void SeveralArmsTest::armsWaitForEachOther()
{
    Cell cell = example("tile-glazing-line");
    const ArmId first = cell.arms.front().id;
    SignalId free, full;
    cell = addSignal(cell, "Rack free", Signal::Kind::Digital, &free).value();
    cell = addSignal(cell, "Count", Signal::Kind::Number, &full).value();
    cell = withSteps(cell, {"wait 2 s", "set Rack free on", "wait for Count at least 3", "wait 1 s"});
    ArmId second;
    cell = addArm(cell, "Loader", catalogueArm("cobot-900"), {}, &second).value();
    cell = withSteps(cell, {"wait for Rack free", "joint to Loader home", "wait 0.5 s", "set Count to 3"});
    QVERIFY(cell.arms.size() == 2 && findArm(cell, second));
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    const ArmTrace &a = *findArmTrace(trace, first), &b = *findArmTrace(trace, second);
    QVERIFY(std::abs(b.outcomes[0].duration - 2) < 1e-12);
    QVERIFY(std::abs(a.outcomes[2].duration - 0.5) < 1e-12);
    QVERIFY(std::abs(a.duration - 3.5) < 1e-12 && std::abs(b.duration - 2.5) < 1e-12 && trace.duration == a.duration);
    const CellState state = stateAt(cell, trace, 1);
    QCOMPARE(state.arms.size(), size_t(2));
    QCOMPARE(state.of(second).posture.size(), findArm(cell, second)->model->jointCount());
    // A routine of its own goes on where the other one is alone.
    QCOMPARE(simulate(cell, routineOf(cell, *findArm(cell, first))).arms.size(), size_t(1));
    // Every finding of several arms says whose step it is.
    const Cell bad = withSteps(cell, {"wait for Count at most -1"});
    const CheckResult result = check(bad, {.contact = false});
    QCOMPARE(result.count(Severity::Blocked), 2);
    const auto last = std::find_if(result.findings.rbegin(), result.findings.rend(),
                                   [](const Finding& f) { return f.severity == Severity::Blocked; });
    QVERIFY(QString::fromStdString(findingText(bad, *last).headline).startsWith("Loader: step 1 waits for ever"));
}

void SeveralArmsTest::partIsHandedOver()
{
    // Two arms of the same model on the same spot can both reach the tile: the second one takes it from the first.
    Cell cell = example("tile-glazing-line");
    const ArmStation first = cell.arms.front();
    SignalId held, taken;
    cell = addSignal(cell, "Held", Signal::Kind::Digital, &held).value();
    cell = addSignal(cell, "Taken", Signal::Kind::Digital, &taken).value();
    cell = withSteps(cell, {"joint to Tile pick", "grip", "set Held on", "wait for Taken", "release"});
    const Target pick = cell.targets[1];
    ArmId second;
    cell = addArm(cell, "Helper", first.model, first.mount, &second).value();
    const JointVector q = chosenWay(*first.model, pick, waysTo(cell, pick).items)->joints;
    Tool tool = *findTool(cell, first.tool);
    tool.id = cell.arms.back().tool;
    tool.name = "Helper jaws";
    cell = changeTool(cell, tool).value();
    cell = takePostureTarget(cell, second, q, "Tile too").value();
    cell = withSteps(cell, {"wait for Held", "joint to Tile too", "grip", "set Taken on", "wait 1 s", "release"});
    const CheckResult result = check(cell, {.contact = false});
    QVERIFY(!result.trace.blocked());
    std::vector<std::pair<PartEvent::Kind, ArmId>> story;
    for (const PartEvent& e : result.trace.partEvents)
        story.push_back({e.kind, e.arm});
    const std::vector<std::pair<PartEvent::Kind, ArmId>> wanted{
        {PartEvent::Kind::Carried, first.id}, {PartEvent::Kind::Carried, second}, {PartEvent::Kind::Lies, second}};
    QVERIFY(story == wanted);
    QVERIFY(
        deviation(partAt(cell, result.trace, result.trace.partEvents[0].part, 1e9), worldFromPart(cell, cell.parts[0]))
            .metres
        < 1e-6);
}

void SeveralArmsTest::waitThatNeverEndsIsFound()
{
    FrameId belt;
    Cell cell = beltCell({0.1}, belt);
    SignalId never;
    cell = addSignal(cell, "Never", Signal::Kind::Digital, &never).value();
    cell = withSteps(cell, {"wait 1 s", "wait for Never", "joint to Home"});
    const CheckResult result = check(cell, {.contact = false});
    const ArmTrace& own = result.trace.arms[0];
    QVERIFY(own.blockedAt && *own.blockedAt == 1);
    QCOMPARE(own.outcomes.size(), size_t(3));
    QCOMPARE(result.count(Severity::Blocked), 1);
    QVERIFY(result.findings[0].rule == Rule::Signal && result.findings[0].as<SignalFact>()->signal == never);
    QVERIFY(std::abs(own.duration - 1) < 1e-12);
}

void SeveralArmsTest::signalsKnowWhoUsesThem()
{
    FrameId sensor;
    Cell cell = with(example("tile-glazing-line"), Device::Kind::Sensor, "Eye", {}, sensor);
    const SignalId seen = signalNamed(cell, "Eye part seen");
    QVERIFY(seen);
    cell = withSteps(cell, {"wait for Eye part seen", "wait for Eye part seen off"});
    const std::vector<SignalUse> uses = usesOf(cell, seen);
    QCOMPARE(uses.size(), size_t(3));
    QVERIFY(uses[0].writes && uses[0].device == sensor && uses[0].words == "Eye: part seen");
    QVERIFY(!uses[2].writes && uses[2].words == "Set one tile, step 2");
    QVERIFY(!deleteSignal(cell, seen).ok());
    Signal s = *findSignal(cell, seen);
    s.kind = Signal::Kind::Number;
    QVERIFY(!changeSignal(cell, s).ok());  // the sensor needs a digital one
    s.kind = Signal::Kind::Digital;
    s.name = "Tile there";
    cell = changeSignal(cell, s).value();
    QCOMPARE(stepText(cell, cell.routines[0].steps[1]), std::string("wait for Tile there off"));
}

void SeveralArmsTest::armsComeAndGo()
{
    const Cell cell = example("tile-glazing-line");
    ArmId second;
    Cell two = addArm(cell, "Loader", catalogueArm("scara-600"), cell.frames.back().id, &second).value();
    QCOMPARE(two.routines.size(), size_t(2));
    const ArmStation loader = *findArm(two, second);
    QVERIFY(loader.tool != cell.arms.front().tool);
    // Targets are taken with the arm in hand, in its own posture.
    TargetId taken;
    const JointVector q = homePosture(two, loader);
    two = takePoseTarget(two, second, {}, q, "Loader place", &taken).value();
    QVERIFY(findTarget(two, taken)->arm == second);
    QVERIFY(deviation(worldFromBase(two, loader) * baseFromTarget(two, *findTarget(two, taken)),
                      worldFromTcp(two, loader, q))
                .metres
            < 1e-12);
    const Cell& other = two;
    // Another model for one arm leaves the other one's targets alone.
    const Cell swapped = setArmModel(other, other.arms.front().id, catalogueArm("cobot-900")).value();
    QCOMPARE(findTarget(swapped, taken)->posture, findTarget(two, taken)->posture);
    QVERIFY(findTarget(swapped, taken)->configuration == findTarget(two, taken)->configuration);
    const Cell gone = deleteArm(two, second).value();
    QCOMPARE(gone.arms.size(), size_t(1));
    QVERIFY(gone.arms.front().id == cell.arms.front().id && !findTarget(gone, taken) && gone.routines.size() == 1);
    QCOMPARE(readCell(writeCell(gone), "gone").ok(), true);
}

void SeveralArmsTest::anyWiringComesToAnEnd()
{
    // Devices wired at random, in circles too, with arms that set and wait for anything: every run ends, in order, and
    // can be read at any time.
    std::mt19937_64 random(11);
    int runs = 0, waits = 0, rides = 0;
    for (int n = 0; n < 150; ++n) {
        const Cell cell = randomWiring(random);
        const Result<Cell> read = readCell(writeCell(cell), "random");
        QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
        const CheckResult result = check(*read, {.contact = false});
        const Trace& trace = result.trace;
        ++runs;
        QVERIFY(std::isfinite(trace.duration) && trace.duration >= 0);
        QVERIFY(std::is_sorted(trace.partEvents.begin(), trace.partEvents.end(),
                               [](const PartEvent& a, const PartEvent& b) { return a.time < b.time; }));
        QVERIFY(std::is_sorted(trace.signalEvents.begin(), trace.signalEvents.end(),
                               [](const SignalEvent& a, const SignalEvent& b) { return a.time < b.time; }));
        for (const AxisTrack& axis : trace.axes)
            QVERIFY(std::is_sorted(axis.spans.begin(), axis.spans.end(),
                                   [](const AxisSpan& a, const AxisSpan& b) { return a.start < b.start; }));
        for (const ArmTrace& arm : trace.arms) {
            QCOMPARE(arm.outcomes.size(), findRoutine(*read, arm.routine)->steps.size());
            for (size_t i = 0; i + 1 < arm.spans.size(); ++i)
                QVERIFY(arm.spans[i].start <= arm.spans[i + 1].start);
            waits += arm.blockedAt && arm.outcomes[*arm.blockedAt].problem == StepOutcome::Problem::WaitsForEver;
        }
        for (const PartEvent& e : trace.partEvents)
            rides += e.kind == PartEvent::Kind::Rides;
        for (int i = 0; i <= 100; ++i) {
            const CellState state = stateAt(*read, trace, trace.duration * i / 100);
            for (const PlacedPart& p : state.parts)
                QVERIFY(p.worldFromPart.translation.allFinite());
            for (const AxisValue& a : state.axes) {
                const FrameAxis& axis = *findFrame(*read, a.frame)->axis;
                QVERIFY(a.value >= axis.lowest - 1e-9 && a.value <= axis.highest + 1e-9);
            }
        }
        // The same again, to the last event.
        QCOMPARE(storyOf(simulate(*read)), storyOf(trace));
    }
    QCOMPARE(runs, 150);
    QVERIFY2(waits > 10 && rides > 100, qPrintable(QString("%1 endless waits, %2 rides").arg(waits).arg(rides)));
}

TOPIKOS_TEST(SeveralArmsTest)
#include "several_arms_test.moc"
