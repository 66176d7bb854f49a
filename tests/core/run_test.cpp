#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/check/check.h"
#include "core/simulate/runner.h"
#include "core/simulate/state.h"
#include "core/spatial/limits.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <limits>
#include <thread>

using namespace topikos;
using namespace topikos::test;

/// What must hold of every run: order of events, limits, and an end.
class RunTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void runsThatNeverEndAreGivenUp();
    void orderOfTheFileChangesNothing();
    void twoThreadsRunTheSame();
    void waitingArmIsAskedAfterASensorSaw();
    void waitsAfterEachOtherAreNotAddedUp();
    void noCornerBeforeATableThatOthersTurn();
    void gripWhileCarryingKeepsThePart();
    void axisIsMovedByOneArmAtATime();
    void blendsKeepJointAccelerations();
    void cutCornerSaysByHowMuch();
    void cyclesAreRunOneAfterTheOther();
    void runEndsInTime();
    void shortGlimpsesAreSeen_data();
    void shortGlimpsesAreSeen();
    void carriedPartIsSeenWhenItPasses();
    void axisBelowABeltIsRefused();
    void endlessInstantIsFound();
    void runCanBeStopped();
    void scannerNumbersDoNotHangOnTheFile();
    void signalsComeFromOutside();
    void outsideSignalsMoveDevices();
    void goingOnInPiecesIsTheSame();
    void wrongSignalsFromOutsideAreRefused();
    void whatIsCarriedIsToldByItsTimes();
};

namespace {

FrameId device(Cell& cell, Device::Kind kind, const std::string& name, const Pose& pose, FrameId parent = {})
{
    FrameId id;
    cell = addDevice(cell, kind, name, parent, pose, &id).value();
    return id;
}

void change(Cell& cell, FrameId id, const std::function<void(Device&)>& how)
{
    Device d = *findFrame(cell, id)->device;
    how(d);
    cell = changeDevice(cell, id, d).value();
}

/// A belt along X beside the arm, with a slab of 100 mm at x of each place.
Cell beltBeside(std::initializer_list<double> places, FrameId& belt)
{
    Cell cell = example("tile-glazing-line");
    while (!cell.parts.empty())
        cell = deletePart(cell, cell.parts.back().id).value();
    belt = device(cell, Device::Kind::Belt, "Belt", translated({-3, 2, 0.5}));
    int n = 0;
    for (const double x : places) {
        PartId id;
        cell = addPart(cell, "Slab " + std::to_string(++n), belt, translated({x, 0, 0.05}), &id).value();
        PartKind kind = *findPartKind(cell, findPart(cell, id)->kind);
        kind.solids = {Solid{Solid::Kind::Box, {}, {0.1, 0.1, 0.1}}};
        cell = changePartKind(cell, kind).value();
    }
    return cell;
}

SignalId outputOf(const Cell& cell, FrameId id) { return findFrame(cell, id)->device->output; }

/// Largest ratio of a joint's acceleration to its limit over a run, by second differences.
double largestAcceleration(const Cell& cell, const Trace& trace, double from, double to)
{
    const Arm& arm = *cell.arms.front().model;
    constexpr double h = 2e-4;
    double most = 0;
    for (double t = from + h; t < to - h; t += h) {
        const JointVector a = postureAt(cell, trace.arms[0], t - h), b = postureAt(cell, trace.arms[0], t),
                          c = postureAt(cell, trace.arms[0], t + h);
        for (int i = 0; i < arm.jointCount(); ++i)
            most = std::max(most, std::abs(a[i] - 2 * b[i] + c[i]) / (h * h) / arm.joints()[size_t(i)].acceleration);
    }
    return most;
}

/// Moves there and back between postures of the demo arm, so that every joint turns round at the corner.
Cell thereAndBack(double blend)
{
    Cell cell = example("tile-glazing-line");
    JointVector q = homePosture(cell, cell.arms.front());
    const ArmId arm = cell.arms.front().id;
    q[0] += 0.8;
    q[1] += 0.2;
    cell = takePostureTarget(cell, arm, q, "Left").value();
    q[0] -= 1.2;
    cell = takePostureTarget(cell, arm, q, "Right").value();
    cell = withSteps(cell, {"joint to Left", "joint to Right", "joint to Home"});
    Routine& routine = *cell.routines.edit(cell.arms.front().main);
    for (size_t i = 0; i < 2; ++i)
        paceOf(routine.steps.at(i))->blend = blend;
    return cell;
}

}  // namespace

void RunTest::orderOfTheFileChangesNothing()
{
    std::mt19937_64 random(5);
    std::vector<Cell> cells{example("tile-glazing-line"), example("planted-mistakes"),
                            example("glazing-line-on-a-rail")};
    for (int i = 0; i < 60; ++i)
        cells.push_back(randomWiring(random));
    size_t events = 0;
    for (const Cell& cell : cells) {
        const std::string story = storyOf(simulate(cell));
        events += size_t(std::count(story.begin(), story.end(), '\n'));
        for (int i = 0; i < 3; ++i) {
            const Result<Cell> other = readCell(writeCell(shuffled(cell, random)), "shuffled");
            QVERIFY2(other.ok(), other.ok() ? "" : other.error().line().c_str());
            QCOMPARE(QString::fromStdString(storyOf(simulate(*other))), QString::fromStdString(story));
        }
    }
    QVERIFY(events > 1000);
}

void RunTest::twoThreadsRunTheSame()
{
    const Cell cell = example("glazing-line-on-a-rail");
    PlanCache plans;
    RunOptions options;
    options.plans = &plans;
    const std::string alone = storyOf(simulate(cell));
    std::vector<std::string> stories(4);
    {
        std::vector<std::jthread> threads;
        for (std::string& story : stories)
            threads.emplace_back([&] { story = storyOf(simulate(cell, options)); });
    }
    for (const std::string& story : stories)
        QVERIFY(story == alone);
    // The second time nothing is planned any more.
    const auto planned = plans.counts().planned;
    QVERIFY(planned > 5);
    simulate(cell, options);
    QCOMPARE(plans.counts().planned, planned);
}

void RunTest::waitingArmIsAskedAfterASensorSaw()
{
    // A slab comes to a sensor and into a sink at the same instant. The arm that waits for the sensor goes on, whatever
    // stands first in the file.
    FrameId belt;
    Cell cell = beltBeside({0.2}, belt);
    const FrameId sink = device(cell, Device::Kind::Sink, "Sink", translated({1.0, 0, 0.05}), belt);
    change(cell, sink, [](Device& d) { d.size = {0.1, 0.1, 0.1}; });
    // Its beam is met by the front of the slab when the middle comes into the sink.
    const FrameId sensor = device(
        cell, Device::Kind::Sensor, "Eye",
        translated({1.0, -0.2, 0.05}) * Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(90 * kDegree, Vec3::UnitZ()))}, belt);
    cell = renameFrame(cell, sensor, "Eye at the end").value();
    const std::string name = findSignal(cell, outputOf(cell, sensor))->name;
    cell = withSteps(cell, {("wait for " + name).c_str(), "wait 1 s"});
    for (const bool turned : {false, true}) {
        Cell other = cell;
        if (turned) other.frames.move(*other.frames.placeOf(sensor), *other.frames.placeOf(sink));
        const Trace trace = simulate(other);
        QVERIFY(!trace.blocked());
        QVERIFY(trace.duration > 1 && trace.duration < 10);
    }
}

void RunTest::waitsAfterEachOtherAreNotAddedUp()
{
    // Two waits of 400 s each, for parts that a source makes: none is endless, since between them the arm goes on.
    FrameId belt;
    Cell cell = beltBeside({}, belt);
    cell = addPart(cell, "Sample", {}, translated({0, 3, 0})).value();
    const FrameId source = device(cell, Device::Kind::Source, "Feed", translated({0.2, 0, 0.05}), belt);
    SignalId made;
    cell = addSignal(cell, "Made", Signal::Kind::Number, &made).value();
    change(cell, source, [&](Device& d) {
        d.interval = 400;
        d.number = made;
        d.makes = cell.partKinds.front().id;
    });
    cell = withSteps(cell, {"wait for Made at least 1", "wait for Made at least 2", "wait for Made at least 3"});
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    QCOMPARE(trace.duration, 800.0);  // the first one is there at once
    // One that is not met for 10 min is endless all the same.
    Cell slow = cell;
    change(slow, source, [](Device& d) { d.interval = 601; });
    QVERIFY(simulate(slow).blocked());
}

void RunTest::noCornerBeforeATableThatOthersTurn()
{
    // The first arm blends from a joint move into one to a target on a table, while the second one turns that table.
    Cell cell = example("tile-glazing-line");
    const FrameId table = device(cell, Device::Kind::Turntable, "Table", translated({0.9, 0.5, 0.2}));
    const FrameId plate = axesOf(cell, table).front();
    const ArmId first = cell.arms.front().id;
    TargetId there;
    // On the way from home through the corner and on, each joint goes on in its direction.
    JointVector q = homePosture(cell, cell.arms.front());
    q[0] += 0.5;
    cell = takePostureTarget(cell, first, q, "Aside").value();
    q[0] += 0.5;
    cell = takePoseTarget(cell, first, plate, q, "On the plate", &there).value();
    cell = setTargetAxes(cell, there, {}).value();
    cell = withSteps(cell, {"joint to Aside at 30 %", "joint to On the plate"});
    cell.routines.edit(cell.arms.front().main)->steps.at(0).as<JointMove>()->pace.blend = 0.2;
    const Trace undisturbed = simulate(cell);
    QVERIFY(undisturbed.arms[0].outcomes[0].timing->legs.size() == 2 && !undisturbed.arms[0].outcomes[0].corner);
    cell = addArm(cell, "Loader", catalogueArm("cobot-900"), {}).value();
    // It turns the table while the first move is under way.
    cell = withSteps(cell, {"wait 0.1 s", "move Table to 20°"});
    const Trace trace = simulate(cell);
    const ArmTrace& own = *findArmTrace(trace, first);
    QVERIFY(!trace.blocked());
    const Target& target = *findTarget(cell, there);
    const AxisValues axes = axesAt(trace, trace.duration);
    const Pose tcp = worldFromTcp(cell, *findArm(cell, first), postureAt(cell, own, trace.duration), axes);
    const PoseDeviation off = deviation(tcp, worldFromFrame(cell, plate, axes) * target.pose);
    QVERIFY2(off.metres < 1e-6 && off.radians < 1e-6, qPrintable(QString("%1 m").arg(off.metres)));
    // The corner is not cut, and that is said.
    QVERIFY(own.outcomes[0].corner && own.outcomes[0].corner->kept == 0);
    QCOMPARE(int(own.outcomes[0].corner->why), int(Corner::Why::AxisElsewhere));
    QVERIFY(std::abs(own.spans[1].start - own.spans[0].end) < 1e-12);
}

void RunTest::gripWhileCarryingKeepsThePart()
{
    Cell cell = example("tile-glazing-line");
    const Part tile = cell.parts.front();
    // A second tile right where the first one is brought to.
    cell = withSteps(cell, {"joint to Tile pick", "grip", "joint to Rack place", "grip", "joint to Home"});
    const Trace alone = simulate(cell);
    QCOMPARE(int(alone.arms[0].outcomes[3].problem), int(StepOutcome::Problem::GripsAgain));
    const Target place =
        *std::find_if(cell.targets.begin(), cell.targets.end(), [](const Target& t) { return t.name == "Rack place"; });
    PartId other;
    cell = addPart(cell, "Tile beside", place.frame, place.pose, &other).value();
    const CheckResult result = check(cell, {.contact = false});
    const StepOutcome& outcome = result.trace.arms[0].outcomes[3];
    QCOMPARE(int(outcome.problem), int(StepOutcome::Problem::StillCarrying));
    QVERIFY(outcome.part == tile.id);
    for (const PlacedPart& p : stateAt(cell, result.trace, result.trace.duration).parts) {
        if (p.part == tile.id) QVERIFY(p.carried);
        if (p.part == other) QVERIFY(!p.carried);
    }
    const auto own = result.ofStep(outcome.step);
    QCOMPARE(own.size(), size_t(1));
    const QString words = QString::fromStdString(findingText(cell, *own[0]).line());
    QVERIFY2(own[0]->rule == Rule::Grip && words.contains("still carries") && words.contains("Tile 1"),
             qPrintable(words));
}

void RunTest::axisIsMovedByOneArmAtATime()
{
    Cell cell = example("tile-glazing-line");
    device(cell, Device::Kind::Turntable, "Table", translated({2, 0, 0.2}));
    const ArmId first = cell.arms.front().id;
    cell = withSteps(cell, {"move Table to 90°", "wait 1 s"});
    ArmId second;
    cell = addArm(cell, "Loader", catalogueArm("cobot-900"), {}, &second).value();
    cell = withSteps(cell, {"wait 0.2 s", "move Table to 10°", "joint to Loader home"});
    const CheckResult result = check(cell, {.contact = false});
    const ArmTrace& own = *findArmTrace(result.trace, second);
    QVERIFY(own.blockedAt && *own.blockedAt == 1);
    QCOMPARE(int(own.outcomes[1].problem), int(StepOutcome::Problem::AxisBusy));
    QVERIFY(own.outcomes[1].other == first);
    QVERIFY(!findArmTrace(result.trace, first)->blockedAt);
    QVERIFY(std::abs(axesAt(result.trace, 100)[0].value - 90 * kDegree) < 1e-12);
    QCOMPARE(result.count(Severity::Blocked), 1);
    const QString words = QString::fromStdString(findingText(cell, result.findings[0]).line());
    QVERIFY2(words.contains("cannot move Table plate") && words.contains("still moving it"), qPrintable(words));
    // One after the other is fine.
    Cell patient = withSteps(cell, {"wait 10 s", "move Table to 10°"});
    QVERIFY(!simulate(patient).blocked());
}

void RunTest::blendsKeepJointAccelerations()
{
    // Random corners between joint moves of every length: never above the limit by more than a named constant.
    std::mt19937_64 random(8);
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    int cut = 0;
    for (int n = 0; n < 25; ++n) {
        Cell cell = thereAndBack(real(0.01, 0.3));
        // Every other corner goes straight on, so that there is something to keep.
        const JointVector home = homePosture(cell, cell.arms.front());
        JointVector way = home;
        for (int i = 0; i < 6; ++i)
            way[i] = real(-0.3, 0.3);
        for (Target& t : cell.targets.edits())
            if (t.name == "Left") t.posture = home + way;
            else if (t.name == "Right")
                for (int i = 0; i < 6; ++i)
                    t.posture[i] = n % 2 ? home[i] + real(1.5, 2.5) * way[i] : home[i] + real(-0.3, 0.3);
        const Trace trace = simulate(cell);
        if (trace.blocked()) continue;
        const double most = largestAcceleration(cell, trace, 0, trace.duration);
        QVERIFY2(most < 1.01, qPrintable(QString("%1 times the limit").arg(most)));
        for (size_t i = 0; i < 2; ++i) {
            const auto& spans = trace.arms[0].spans;
            QCOMPARE(spans[i].end, spans[i + 1].start);
            cut += trace.arms[0].outcomes[i].timing->legs.size() > 1;
        }
    }
    QVERIFY2(cut > 10, qPrintable(QString("%1 cut").arg(cut)));
}

void RunTest::cutCornerSaysByHowMuch()
{
    QVERIFY(!check(thereAndBack(0.1)).trace.arms[0].outcomes[0].corner);
    const Cell cell = thereAndBack(1);
    const CheckResult result = check(cell);
    const StepOutcome& outcome = result.trace.arms[0].outcomes[0];
    QVERIFY(outcome.corner && outcome.corner->why == Corner::Why::ShortMove);
    QVERIFY(outcome.corner->kept < outcome.corner->asked && outcome.corner->asked == 1 && outcome.corner->kept > 0.1);
    const auto own = result.ofStep(outcome.step);
    QCOMPARE(own.size(), size_t(1));
    QVERIFY(own[0]->rule == Rule::Corner && own[0]->severity == Severity::Advice);
    const Measure m = measureOf(cell, *own[0]);
    QCOMPARE(m.measured, outcome.corner->kept);
    QCOMPARE(m.limit, outcome.corner->asked);
    QVERIFY(QString::fromStdString(findingText(cell, *own[0]).detail).contains("half of a move"));
}

void RunTest::cyclesAreRunOneAfterTheOther()
{
    // Three tiles by hand would be gripped one after the other; here there is one, and the second cycle finds none.
    const Cell cell = example("tile-glazing-line");
    RunOptions options;
    options.cycles = 3;
    const Trace one = simulate(cell), three = simulate(cell, options);
    const ArmTrace& own = three.arms[0];
    QCOMPARE(own.outcomes.size(), 3 * one.arms[0].outcomes.size());
    QVERIFY(std::abs(three.duration - 3 * one.duration) < 1e-9);
    QCOMPARE(three.partEvents.size(), size_t(2));
    for (size_t i = 0; i < own.outcomes.size(); ++i)
        QCOMPARE(own.outcomes[i].pass, int(i / one.arms[0].outcomes.size()));
    QCOMPARE(int(own.outcomes[3].problem), int(StepOutcome::Problem::None));
    QCOMPARE(int(own.outcomes[13].problem), int(StepOutcome::Problem::NothingGripped));
    // The line with a source goes on as long as it has parts.
    const Cell line = example("glazing-line-on-a-rail");
    options.cycles = 2;
    const Trace twice = simulate(line, options);
    QVERIFY(!twice.blocked());
    QVERIFY(twice.made.size() > simulate(line).made.size());
}

void RunTest::runEndsInTime()
{
    const Cell cell = example("tile-glazing-line");
    RunOptions options;
    options.cycles = 1000000;
    options.until = 3600;
    const Trace hour = simulate(cell, options);
    QCOMPARE(hour.duration, 3600.0);
    QVERIFY(hour.arms[0].outcomes.size() > 6000);
}

void RunTest::shortGlimpsesAreSeen_data()
{
    QTest::addColumn<double>("thickness");
    QTest::newRow("2 mm: 10 ms") << 2e-3;
    QTest::newRow("0.5 mm: 2.5 ms") << 5e-4;
    QTest::newRow("0.05 mm: 0.25 ms") << 5e-5;
}

void RunTest::shortGlimpsesAreSeen()
{
    // A thin sheet rides through a beam at 200 mm/s.
    QFETCH(double, thickness);
    FrameId belt;
    Cell cell = beltBeside({0.2}, belt);
    PartKind sheet = cell.partKinds.front();
    sheet.solids = {Solid{Solid::Kind::Box, {}, {thickness, 0.1, 0.1}}};
    cell = changePartKind(cell, sheet).value();
    const FrameId sensor = device(
        cell, Device::Kind::Sensor, "Eye",
        translated({1.0, -0.2, 0.05}) * Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(90 * kDegree, Vec3::UnitZ()))}, belt);
    cell = withSteps(cell, {"wait 8 s"});
    const Trace trace = simulate(cell);
    const auto& seen = trace.signalEvents.of(outputOf(cell, sensor));
    QCOMPARE(seen.size(), size_t(2));
    // 200 mm/s, reached at 1 m/s^2: exact to rounding.
    const double front = (0.8 - thickness / 2 - 0.02) / 0.2 + 0.2;
    QVERIFY(std::abs(trace.signalEvents[seen[0]].time - front) < 1e-9);
    QVERIFY(std::abs(trace.signalEvents[seen[1]].time - front - thickness / 0.2) < 1e-9);
}

void RunTest::carriedPartIsSeenWhenItPasses()
{
    // The arm swings a thin sheet through a beam; when it comes and goes is known from the posture.
    Cell cell = example("tile-glazing-line");
    PartKind tile = *findPartKind(cell, cell.parts.front().kind);
    tile.solids = {Solid{Solid::Kind::Box, {}, {0.004, 0.004, 0.004}}};
    cell = changePartKind(cell, tile).value();
    JointVector q = chosenWay(*cell.arms.front().model, cell.targets[1], waysTo(cell, cell.targets[1]).items)->joints;
    q[0] += 1.0;
    cell = takePostureTarget(cell, cell.arms.front().id, q, "Away").value();
    cell = withSteps(cell, {"joint to Tile pick", "grip", "joint to Away"});
    const Trace plain = simulate(cell);
    // Where the part is half-way, a beam from above.
    const ArmTrace& own = plain.arms[0];
    const double middle = 0.5 * (own.spans[2].start + own.spans[2].end);
    const PartId part = plain.partEvents[0].part;
    const auto placeAt = [&](const Cell& c, const Trace& trace, double t) {
        for (const PlacedPart& p : stateAt(c, trace, t).parts)
            if (p.part == part) return p.worldFromPart;
        return Pose{};
    };
    const Vec3 at = placeAt(cell, plain, middle).translation;
    const Pose down{at + Vec3(0, 0, 0.3), Quat(Eigen::AngleAxisd(90 * kDegree, Vec3::UnitY()))};
    const FrameId sensor = device(cell, Device::Kind::Sensor, "Eye", down);
    const Trace trace = simulate(cell);
    std::vector<double> times;
    for (const std::uint32_t i : trace.signalEvents.of(outputOf(cell, sensor)))
        times.push_back(trace.signalEvents[i].time);
    QCOMPARE(times.size(), size_t(2));
    QVERIFY2(times[1] - times[0] < 0.01 && times[0] < middle && middle < times[1],
             qPrintable(QString("%1 s to %2 s around %3 s").arg(times[0]).arg(times[1]).arg(middle)));
}

void RunTest::axisBelowABeltIsRefused()
{
    // A carriage that hangs below a belt used to keep checks busy for ever.
    Cell cell = example("glazing-line-on-a-rail");
    const auto belt = std::find_if(cell.frames.begin(), cell.frames.end(),
                                   [](const Frame& f) { return f.device && f.device->kind == Device::Kind::Belt; });
    const auto axis =
        std::find_if(cell.frames.begin(), cell.frames.end(), [](const Frame& f) { return f.axis.has_value(); });
    cell.frames.edit(axis->id)->parent = belt->id;
    const Result<Cell> read = readCell(writeCell(cell), "cell");
    QVERIFY(!read.ok());
    QVERIFY2(read.error().message.find("which has none") != std::string::npos, read.error().line().c_str());
}

void RunTest::endlessInstantIsFound()
{
    // A routine without any time in it, again and again: the run says that it does not get on, and ends.
    Cell cell = example("tile-glazing-line");
    SignalId signal;
    cell = addSignal(cell, "Flip", Signal::Kind::Digital, &signal).value();
    cell = withSteps(cell, {"set Flip on", "set Flip off"});
    RunOptions options;
    options.cycles = 1000000000;
    const Trace trace = simulate(cell, options);
    QVERIFY(trace.stuck.has_value());
    QVERIFY(trace.stuck->why == Stuck::Why::NoTimePasses);
    QCOMPARE(trace.stuck->time, 0.0);
}

void RunTest::runCanBeStopped()
{
    const Cell cell = example("glazing-line-on-a-rail");
    std::stop_source source;
    source.request_stop();
    RunOptions options;
    options.stop = source.get_token();
    const Trace trace = simulate(cell, options);
    QVERIFY(trace.stopped);
    QVERIFY(trace.duration < simulate(cell).duration);
    CheckOptions checked;
    checked.stop = source.get_token();
    QVERIFY(!check(cell, checked).complete);
    QVERIFY(check(cell).complete);
}

void RunTest::scannerNumbersDoNotHangOnTheFile()
{
    FrameId belt;
    Cell cell = beltBeside({0.3}, belt);
    cell = addPart(cell, "Sample", {}, translated({0, 3, 0})).value();
    const FrameId scanner = device(cell, Device::Kind::Scanner, "Reader", translated({0.8, 0, 0.05}), belt);
    SignalId code;
    cell = addSignal(cell, "Code", Signal::Kind::Number, &code).value();
    change(cell, scanner, [&](Device& d) { d.number = code; });
    cell = withSteps(cell, {"wait 5 s"});
    const auto read = [&](const Cell& c) {
        const Trace trace = simulate(c);
        return trace.signalEvents[trace.signalEvents.of(code).at(0)].value;
    };
    const double number = read(cell);
    QVERIFY(number >= 1);
    Cell other = cell;
    other.partKinds.move(0, 1);
    QCOMPARE(read(other), number);
}

void RunTest::runsThatNeverEndAreGivenUp()
{
    // A rail that creeps on for months, and a routine of a millisecond that is run for ever.
    Cell slow = example("tile-glazing-line");
    const FrameId rail = device(slow, Device::Kind::Rail, "Rail", {});
    const FrameId carriage = axesOf(slow, rail).front();
    FrameAxis axis = *findFrame(slow, carriage)->axis;
    axis.highest = limits::kJointTravel.most;
    axis.speed = limits::kJointSpeed.least;
    slow = withSteps(changeAxis(slow, carriage, axis).value(), {"move Rail to 900000 mm"});
    const Trace creeps = simulate(slow);
    QVERIFY(creeps.stuck && creeps.stuck->why == Stuck::Why::TooLong);
    RunOptions forEver;
    forEver.cycles = std::numeric_limits<int>::max();
    const Cell quick = withSteps(example("tile-glazing-line"), {"wait 0.001 s"});
    const Trace busy = simulate(quick, forEver);
    QVERIFY(busy.stuck && busy.stuck->why == Stuck::Why::TooMuch);
    QVERIFY(busy.stuck->time > 100 && busy.stuck->time < 0.001 * limits::kRunEvents.most * 1.01);
    // The check says so, and with a time to end at there is nothing to say.
    const CheckResult result = check(slow);
    QVERIFY(std::any_of(result.findings.begin(), result.findings.end(), [&](const Finding& f) {
        return f.severity == Severity::Blocked && findingText(slow, f).line().find("30 days") != std::string::npos;
    }));
    forEver.until = 5;
    QVERIFY(!simulate(quick, forEver).stuck);
}

namespace {

RunOptions fromOutside()
{
    RunOptions options;
    options.outside = true;
    return options;
}

/// The demo with a signal of its own, and a main routine of these steps.
Cell withGate(std::initializer_list<const char*> steps, SignalId& gate)
{
    const Cell cell = addSignal(example("tile-glazing-line"), "Gate", Signal::Kind::Digital, &gate).value();
    return withSteps(cell, steps);
}

}  // namespace

void RunTest::signalsComeFromOutside()
{
    SignalId gate;
    const auto cell =
        std::make_shared<const Cell>(withGate({"wait for Gate", "wait 0.5 s", "wait for Gate off"}, gate));
    Runner runner(cell, fromOutside());
    // Nobody writes it: it waits as long as it takes.
    QVERIFY(runner.advance(7200));
    QVERIFY(!runner.write(gate, 1));
    QVERIFY(runner.advance(7205));
    QVERIFY(!runner.write(gate, 0));
    QVERIFY(!runner.advance(7300));
    QVERIFY(runner.over() && !runner.trace().blocked());
    const ArmTrace& arm = runner.trace().arms.front();
    QCOMPARE(arm.outcomes.size(), size_t(3));
    QCOMPARE(arm.outcomes[0].start + arm.outcomes[0].duration, 7200.0);
    QCOMPARE(arm.outcomes[1].start + arm.outcomes[1].duration, 7200.5);
    QCOMPARE(arm.outcomes[2].start + arm.outcomes[2].duration, 7205.0);
    // Without that the same run is given up.
    QVERIFY(simulate(*cell).blocked());
}

void RunTest::outsideSignalsMoveDevices()
{
    FrameId belt;
    SignalId gate;
    Cell cell = addSignal(beltBeside({0.2}, belt), "Gate", Signal::Kind::Digital, &gate).value();
    change(cell, belt, [&](Device& d) { d.input = gate; });
    cell = withSteps(cell, {"wait 60 s"});
    const auto own = std::make_shared<const Cell>(cell);
    Runner runner(own, fromOutside());
    runner.advance(2);
    QVERIFY(!runner.write(gate, 1));
    runner.advance(4);
    QVERIFY(!runner.write(gate, 0));
    runner.advance(10);
    const Device& d = *findFrame(cell, belt)->device;
    // Up to its speed, at it, and down again.
    QCOMPARE(beltAt(runner.trace(), belt, 2).travel, 0.0);
    QVERIFY(std::abs(beltAt(runner.trace(), belt, 4).speed - d.speed) < 1e-12);
    QVERIFY(std::abs(beltAt(runner.trace(), belt, 10).travel - 2 * d.speed) < 1e-12);
    QCOMPARE(beltAt(runner.trace(), belt, 10).speed, 0.0);
}

void RunTest::goingOnInPiecesIsTheSame()
{
    // A write of what a signal is already, at many times: nothing else than the run in one go.
    SignalId gate;
    const Cell cell = addSignal(example("glazing-line-on-a-rail"), "Gate", Signal::Kind::Digital, &gate).value();
    const auto own = std::make_shared<const Cell>(cell);
    Runner pieces(own, fromOutside());
    std::mt19937_64 random(8);
    double time = 0;
    for (bool goesOn = true; goesOn;) {
        time += double(random() % 1000) / 1000;
        goesOn = pieces.advance(time);
        if (goesOn) QVERIFY(!pieces.write(gate, 0));
    }
    QCOMPARE(storyOf(pieces.trace()), storyOf(simulate(cell)));
}

void RunTest::wrongSignalsFromOutsideAreRefused()
{
    SignalId gate;
    const auto cell = std::make_shared<const Cell>(withGate({"wait for Gate"}, gate));
    Runner runner(cell, fromOutside());
    runner.advance(1);
    QCOMPARE(runner.write({4711}, 1)->code, std::string("run.signal"));
    for (const double wrong : {0.5, double(NAN), double(INFINITY)})
        QVERIFY(runner.write(gate, wrong).has_value());
    QVERIFY(runner.trace().signalEvents.empty());
    QVERIFY(!runner.write(gate, 1));
    QVERIFY(!runner.advance(2));
    QCOMPARE(runner.write(gate, 0)->code, std::string("run.over"));
}

void RunTest::whatIsCarriedIsToldByItsTimes()
{
    for (const char* name : {"tile-glazing-line", "rack-of-24"}) {
        const Cell cell = example(name);
        const Trace trace = simulate(cell);
        const std::vector<Carried> carried = carriedIn(cell, trace);
        QVERIFY(!carried.empty());
        std::mt19937_64 random(4);
        for (int n = 0; n < 300; ++n) {
            const double time = trace.duration * double(random() % 100000) / 100000;
            std::set<PartId> told, there;
            for (const Carried& own : carried) {
                QVERIFY(own.until > own.from && own.kind);
                if (time >= own.from && time < own.until) told.insert(own.part);
            }
            for (const PlacedPart& part : stateAt(cell, trace, time).parts)
                if (part.carried) there.insert(part.part);
            QVERIFY(told == there);
        }
    }
}

TOPIKOS_TEST(RunTest)
#include "run_test.moc"
