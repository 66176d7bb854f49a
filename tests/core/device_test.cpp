#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/fixture.h"
#include "core/check/check.h"
#include "core/check/contact_pairs.h"
#include "core/program/step_text.h"
#include "core/exchange/trace_csv.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class DeviceTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void railTakesTheArmAlong();
    void axisMovesTakeTheirTime();
    void linesAreStraightAsSeenFromTheirFrame_data();
    void linesAreStraightAsSeenFromTheirFrame();
    void beltCarriesAndAccumulates();
    void beltWithoutAStopLosesParts();
    void beltIndexesByItsPitch();
    void beltRampsAndStops();
    void sourceAndSinkCount();
    void beamIsBrokenWhenTheEdgeArrives();
    void lightBarrierSeesTheArm();
    void clampHoldsThePart();
    void scannerReadsTheKind();
    void releasedPartRides();
    void axisIsCopiedAsAFrame();
    void armsWaitForEachOther();
    void partIsHandedOver();
    void waitThatNeverEndsIsFound();
    void signalsKnowWhoUsesThem();
    void refusals_data();
    void refusals();
    void armsComeAndGo();
    void devicesSurviveTheFile();
    void turntableMakesPairsThatCanTouch();
    void anyWiringComesToAnEnd();
};

namespace {

using Do = std::function<Result<Cell>(const Cell&, FrameId, FrameId)>;

/// The demo cell with a device; `id` is its frame.
Cell with(const Cell& cell, Device::Kind kind, const std::string& name, const Pose& pose, FrameId& id,
          FrameId parent = {})
{
    return addDevice(cell, kind, name, parent, pose, &id).value();
}

Cell withoutParts(Cell cell)
{
    while (!cell.parts.empty())
        cell = deletePart(cell, cell.parts.back().id).value();
    return cell;
}

/// The arm on a rail along Y of the world.
Cell onRail(FrameId& rail, FrameId& carriage)
{
    Cell cell = example("tile-glazing-line");
    cell = with(cell, Device::Kind::Rail, "Rail",
                Pose{Vec3(0, -0.5, 0.1), Quat(Eigen::AngleAxisd(90 * kDegree, Vec3::UnitZ()))}, rail);
    carriage = axesOf(cell, rail).front();
    return setArmMount(cell, cell.arms.front().id, carriage).value();
}

Pose partAt(const Cell& cell, const Trace& trace, PartId part, double time)
{
    for (const PlacedPart& p : stateAt(cell, trace, time).parts)
        if (p.part == part) return p.worldFromPart;
    return translated({NAN, NAN, NAN});
}

double timeOf(double distance, double speed, double acceleration)
{
    if (distance >= speed * speed / acceleration) return distance / speed + speed / acceleration;
    return 2 * std::sqrt(distance / acceleration);
}

SignalId signalNamed(const Cell& cell, const std::string& name)
{
    for (const Signal& s : cell.signals)
        if (s.name == name) return s.id;
    return {};
}

/// When a signal first takes a value, NaN for never.
double firstTime(const Trace& trace, SignalId id, double value)
{
    for (const SignalEvent& e : trace.signalEvents)
        if (e.signal == id && e.value == value) return e.time;
    return NAN;
}

/// A belt along X of the world with a running time of 60 s beside it, and parts of 150 mm on it at these places.
Cell beltCell(std::initializer_list<double> places, FrameId& belt)
{
    Cell cell = withoutParts(example("tile-glazing-line"));
    cell = with(cell, Device::Kind::Belt, "Belt", translated({-3, 2, 0.5}), belt);
    int n = 0;
    for (const double x : places) {
        PartId id;
        cell = addPart(cell, "Slab " + std::to_string(++n), belt, translated({x, 0, 0.05}), &id).value();
        PartKind kind = *findPartKind(cell, findPart(cell, id)->kind);
        kind.solids = {Solid{Solid::Kind::Box, {}, {0.15, 0.1, 0.1}}};
        cell = changePartKind(cell, kind).value();
    }
    return withSteps(cell, {"wait 60 s"});
}

}  // namespace

void DeviceTest::railTakesTheArmAlong()
{
    FrameId rail, carriage;
    Cell cell = onRail(rail, carriage);
    const ArmStation arm = cell.arms.front();
    // The carriage moves along Y of the world.
    QVERIFY((worldFromBase(cell, arm, {{carriage, 1.5}}).translation - worldFromBase(cell, arm).translation
             - Vec3(0, 1.5, 0))
                .norm()
            < 1e-12);
    JointVector q(6);
    q << 0.3, -0.2, 0.5, 0.1, 1.2, -0.4;
    TargetId there;
    const Pose tcp = worldFromTcp(cell, arm, q, {{carriage, 1.9}});
    cell = takePoseTarget(cell, cell.arms.front().id, {}, q, "There", &there, {{carriage, 1.9}}).value();
    QCOMPARE(findTarget(cell, there)->axes, AxisValues({{carriage, 1.9}}));
    QVERIFY(deviation(findTarget(cell, there)->pose, tcp).metres < 1e-12);
    QVERIFY(checkTarget(cell, *findTarget(cell, there)).ways.items.size() > 0);
    // Without its axis it would be out of reach.
    const Cell alone = setTargetAxes(cell, there, {}).value();
    QVERIFY(checkTarget(alone, *findTarget(alone, there)).ways.items.empty());

    cell = withSteps(cell, {"joint to Home", "joint to There", "joint to Home"});
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    const ArmTrace& own = trace.arms[0];
    // Both arrive together, and the slower one decides: 1.9 m at 1 m/s and 2 m/s^2.
    const double slide = timeOf(1.9, 1, 2);
    const ArmTrace::Span& span = own.spans[1];
    QVERIFY2(std::abs(span.end - span.start - slide) < 1e-9, qPrintable(QString::number(span.end - span.start)));
    for (int i = 0; i <= 20; ++i) {
        const double t = span.start + slide * i / 20;
        const StepOutcome& outcome = own.outcomes[1];
        const double fraction = outcome.move->profile.at(t - span.start).position;
        const CellState state = stateAt(cell, trace, t);
        QVERIFY(std::abs(axisValue(*findFrame(cell, carriage), state.axes) - 1.9 * fraction) < 1e-12);
        QVERIFY((state.of(cell.arms.front().id).posture
                 - (homePosture(cell, arm) + fraction * (outcome.arrival - homePosture(cell, arm))))
                    .norm()
                < 1e-12);
    }
    QVERIFY(deviation(worldFromTcp(cell, arm, postureAt(cell, own, span.end), axesAt(trace, span.end)), tcp).metres
            < 1e-9);
    // Home is a posture without axes: the rail stays where it is.
    QVERIFY(std::abs(axisValue(*findFrame(cell, carriage), axesAt(trace, trace.duration)) - 1.9) < 1e-12);
    // What a CSV says is the same.
    const QStringList lines = QString::fromStdString(traceCsv(cell, trace, 0.1)).split('\n', Qt::SkipEmptyParts);
    const auto column = lines[0].split(',').indexOf("Rail carriage_m");
    QVERIFY(column > 0 && std::abs(lines.back().split(',')[column].toDouble() - 1.9) < 1e-9);
}

void DeviceTest::axisMovesTakeTheirTime()
{
    FrameId rail, carriage;
    Cell cell = onRail(rail, carriage);
    cell = withSteps(cell, {"move Rail to 1500 at 50 %", "move Rail to 1400"});
    const Trace trace = simulate(cell);
    QCOMPARE(trace.axes.size(), size_t(1));
    QCOMPARE(trace.axes[0].spans.size(), size_t(2));
    QVERIFY(std::abs(trace.duration - timeOf(1.5, 0.5, 2) - timeOf(0.1, 1, 2)) < 1e-9);
    QVERIFY(std::abs(axesAt(trace, trace.duration)[0].value - 1.4) < 1e-12);
    double before = 0, fastest = 0;
    for (double t = 0; t < trace.duration; t += 1e-3) {
        const AxisValues axes = axesAt(trace, t);
        const double at = axes.empty() ? 0 : axes[0].value;
        fastest = std::max(fastest, std::abs(at - before) / 1e-3);
        before = at;
    }
    QVERIFY(fastest < 0.5 + 1e-6 && fastest > 0.49);
    // In place while it rests.
    SignalId rests;
    cell = addSignal(cell, "Rail rests", Signal::Kind::Digital, &rests).value();
    Device device = *findFrame(cell, rail)->device;
    device.output = rests;
    cell = changeDevice(cell, rail, device).value();
    const Trace again = simulate(cell);
    QCOMPARE(signalAt(cell, again, rests, 0.5), 0.0);
    QCOMPARE(signalAt(cell, again, rests, again.duration + 1), 1.0);
}

void DeviceTest::linesAreStraightAsSeenFromTheirFrame_data()
{
    QTest::addColumn<int>("kind");
    QTest::addColumn<double>("goal");
    QTest::newRow("turntable") << int(Device::Kind::Turntable) << 0.7;
    QTest::newRow("positioner, plate") << int(Device::Kind::Positioner) << 0.5;
    QTest::newRow("rail under the arm") << int(Device::Kind::Rail) << 0.4;
}

void DeviceTest::linesAreStraightAsSeenFromTheirFrame()
{
    QFETCH(int, kind);
    QFETCH(double, goal);
    FrameId device, moved, carriage;
    Cell cell = example("tile-glazing-line");
    FrameId frame;
    if (Device::Kind(kind) == Device::Kind::Rail) {
        cell = onRail(device, carriage);
        moved = carriage;
    } else {
        cell = with(cell, Device::Kind(kind), "Table", translated({0.75, 0, 0.2}), device);
        moved = axesOf(cell, device).back();
        frame = moved;
    }
    const ArmStation arm = cell.arms.front();
    const Pose start = worldFromTcp(cell, arm, homePosture(cell, arm));
    // From home 150 mm along as seen from the frame, with the axis turning or sliding meanwhile.
    const Pose startInFrame = inverse(worldFromFrame(cell, frame)) * start;
    Target target;
    target.id = {cell.nextId++};
    target.name = "Far end";
    target.arm = arm.id;
    target.frame = frame;
    target.tool = arm.tool;
    target.pose = translated({0.1, 0.1, -0.05}) * startInFrame;
    target.configuration = configurationOf(*arm.model, homePosture(cell, arm));
    target.axes = {{moved, goal}};
    cell.targets.push_back(target);
    cell = withSteps(cell, {"line to Far end at 100 mm/s"});
    const Trace trace = simulate(cell);
    const ArmTrace& own = trace.arms[0];
    QVERIFY(!trace.blocked());
    const StepOutcome& outcome = own.outcomes[0];
    QVERIFY(outcome.move->line.baseFromFrame.has_value());
    JointVector before;
    double before_t = 0;
    for (int i = 0; i <= 200; ++i) {
        const double t = trace.duration * i / 200;
        const AxisValues axes = axesAt(trace, t);
        const JointVector q = postureAt(cell, own, t);
        const Pose seen = inverse(worldFromFrame(cell, frame, axes)) * worldFromTcp(cell, cell.arms.front(), q, axes);
        const double fraction = outcome.move->profile.at(t).position;
        QVERIFY2((seen.translation - (startInFrame.translation + fraction * Vec3(0.1, 0.1, -0.05))).norm() < 1e-6,
                 qPrintable(QString::number(i)));
        QVERIFY(deviation(seen, {seen.translation, startInFrame.rotation}).radians < 1e-6);
        QVERIFY(std::abs(axisValue(*findFrame(cell, moved), axes) - fraction * goal) < 1e-9);
        if (before.size())
            for (int j = 0; j < 6; ++j)
                QVERIFY(std::abs(q[j] - before[j]) / (t - before_t) < 1.02 * arm.model->joints()[size_t(j)].speed);
        before = q;
        before_t = t;
    }
    // The line asks for 100 mm/s as seen from the frame; the axis may need longer.
    const FrameAxis& axis = *findFrame(cell, moved)->axis;
    QVERIFY(trace.duration >= std::max(0.15 / 0.1, std::abs(goal) / axis.speed));
}

void DeviceTest::beltCarriesAndAccumulates()
{
    FrameId belt;
    const Cell cell = beltCell({0.1, 0.4, 0.6}, belt);
    const Trace trace = simulate(cell);
    // 200 mm/s, reached at 1 m/s^2.
    const auto x = [&](size_t part, double t) {
        return partAt(cell, trace, cell.parts[part].id, t).translation[0] + 3;
    };
    for (const double t : {0.05, 0.2, 1.0, 2.0}) {
        const double way = t < 0.2 ? 0.5 * t * t : 0.02 + 0.2 * (t - 0.2);
        for (size_t i = 0; i < 3; ++i)
            QVERIFY2(std::abs(x(i, t) - std::array{0.1, 0.4, 0.6}[i] - way) < 1e-12, qPrintable(QString::number(t)));
    }
    // The first one meets the end of 1.4 m with its front, the others queue behind it without gaps.
    QVERIFY(std::abs(x(2, 60) - (1.4 - 0.075)) < 1e-9);
    QVERIFY(std::abs(x(1, 60) - (1.4 - 0.225)) < 1e-9);
    QVERIFY(std::abs(x(0, 60) - (1.4 - 0.375)) < 1e-9);
    const auto stops = std::count_if(trace.partEvents.begin(), trace.partEvents.end(),
                                     [](const PartEvent& e) { return e.kind == PartEvent::Kind::Lies; });
    QCOMPARE(int(stops), 3);
    for (const PartEvent& e : trace.partEvents)
        if (e.kind == PartEvent::Kind::Lies && e.part == cell.parts[2].id)
            QVERIFY(std::abs(e.time - ((1.4 - 0.075 - 0.6 - 0.02) / 0.2 + 0.2)) < 1e-9);
}

void DeviceTest::beltWithoutAStopLosesParts()
{
    FrameId belt;
    Cell cell = beltCell({1.0}, belt);
    Device device = *findFrame(cell, belt)->device;
    device.accumulates = false;
    cell = changeDevice(cell, belt, device).value();
    const CheckResult result = check(cell);
    QVERIFY(stateAt(cell, result.trace, 60).parts.empty());
    const auto lost = std::find_if(result.findings.begin(), result.findings.end(),
                                   [](const Finding& f) { return f.rule == Rule::Belt; });
    QVERIFY(lost != result.findings.end());
    QVERIFY(std::abs(measureOf(cell, *lost).measured - (0.38 / 0.2 + 0.2)) < 1e-9);
    QVERIFY(QString::fromStdString(findingText(cell, *lost).headline).contains("runs off the end of Belt"));
}

void DeviceTest::beltIndexesByItsPitch()
{
    FrameId belt;
    Cell cell = beltCell({0.1}, belt);
    SignalId next, moving;
    cell = addSignal(cell, "Next tile", Signal::Kind::Digital, &next).value();
    cell = addSignal(cell, "Belt moves", Signal::Kind::Digital, &moving).value();
    Device device = *findFrame(cell, belt)->device;
    device.indexing = true;
    device.pitch = 0.3;
    device.input = next;
    device.output = moving;
    cell = changeDevice(cell, belt, device).value();
    cell = withSteps(cell, {"wait 1 s", "set Next tile on", "wait for Belt moves off", "set Next tile off",
                            "set Next tile on", "set Next tile off", "set Next tile on", "wait 10 s"});
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    const double index = timeOf(0.3, 0.2, 1);
    const auto x = [&](double t) { return partAt(cell, trace, cell.parts[0].id, t).translation[0] + 3; };
    QVERIFY(std::abs(x(1) - 0.1) < 1e-12);
    QVERIFY(std::abs(x(1 + index) - 0.4) < 1e-12);
    // Two edges at once are two indexes, one after the other.
    QVERIFY(std::abs(x(1 + 2 * index) - 0.7) < 1e-9);
    QVERIFY(std::abs(x(1 + 3 * index + 0.1) - 1.0) < 1e-9);
    QVERIFY(std::abs(trace.arms[0].outcomes[2].duration - index) < 1e-9);
}

void DeviceTest::beltRampsAndStops()
{
    FrameId belt;
    Cell cell = beltCell({0.1}, belt);
    SignalId run;
    cell = addSignal(cell, "Run", Signal::Kind::Digital, &run).value();
    Device device = *findFrame(cell, belt)->device;
    device.input = run;
    cell = changeDevice(cell, belt, device).value();
    cell = withSteps(cell, {"wait 2 s", "set Run on", "wait 1 s", "set Run off", "wait 1 s"});
    const Trace trace = simulate(cell);
    QVERIFY(beltAt(trace, belt, 1.9).travel == 0);
    QVERIFY(std::abs(beltAt(trace, belt, 2.1).speed - 0.1) < 1e-12);
    // 1 s of running with a ramp of 0.2 s, then the same ramp down.
    QVERIFY(std::abs(beltAt(trace, belt, 4).travel - (0.02 + 0.2 * 0.8 + 0.02)) < 1e-12);
    QVERIFY(beltAt(trace, belt, 4).speed == 0);
}

void DeviceTest::sourceAndSinkCount()
{
    FrameId belt, source, sink;
    Cell cell = beltCell({1.0}, belt);
    cell = with(cell, Device::Kind::Source, "Press", translated({0.2, 0, 0.05}), source, belt);
    cell = with(cell, Device::Kind::Sink, "Crate", translated({1.2, 0, 0.05}), sink, belt);
    SignalId made, taken;
    cell = addSignal(cell, "Made", Signal::Kind::Number, &made).value();
    cell = addSignal(cell, "Taken", Signal::Kind::Number, &taken).value();
    Device d = *findFrame(cell, source)->device;
    d.makes = cell.parts[0].kind;
    d.interval = 4;
    d.most = 5;
    d.number = made;
    cell = changeDevice(cell, source, d).value();
    d = *findFrame(cell, sink)->device;
    d.number = taken;
    cell = changeDevice(cell, sink, d).value();
    const Trace trace = simulate(cell);
    QCOMPARE(trace.made.size(), size_t(5));
    QCOMPARE(signalAt(cell, trace, made, 60), 5.0);
    QCOMPARE(signalAt(cell, trace, taken, 60), 6.0);
    QVERIFY(stateAt(cell, trace, 60).parts.empty());
    for (int i = 0; i < 5; ++i)
        QVERIFY(std::abs(firstTime(trace, made, i + 1) - 4.0 * i) < 1e-9);
    // From the middle of the source to the near side of the sink, 100 mm before its middle, at the speed the belt has
    // by then.
    QVERIFY(std::abs(firstTime(trace, taken, 3) - (4 + (1.1 - 0.2) / 0.2)) < 2e-6);
    // The authored cell knows nothing of it.
    QCOMPARE(cell.parts.size(), size_t(1));
    for (const Part& p : trace.made)
        QVERIFY(!findPart(cell, p.id) && p.id.value >= cell.nextId);
}

void DeviceTest::beamIsBrokenWhenTheEdgeArrives()
{
    FrameId belt, sensor;
    Cell cell = beltCell({0.1}, belt);
    // Across the belt at 700 mm, from one side to the other.
    cell = with(cell, Device::Kind::Sensor, "Eye",
                Pose{Vec3(0.7, -0.2, 0.06), Quat(Eigen::AngleAxisd(90 * kDegree, Vec3::UnitZ()))}, sensor, belt);
    const SignalId seen = findFrame(cell, sensor)->device->output;
    QVERIFY(seen);
    const Trace trace = simulate(cell);
    // The front edge is 75 mm ahead of the origin, the back edge as far behind.
    QVERIFY(std::abs(firstTime(trace, seen, 1) - ((0.7 - 0.175 - 0.02) / 0.2 + 0.2)) < 2e-6);
    QVERIFY(std::abs(firstTime(trace, seen, 0) - ((0.7 - 0.025 - 0.02) / 0.2 + 0.2)) < 2e-6);
    // A beam above the part sees nothing.
    Cell above = setFramePose(cell, sensor, Pose{Vec3(0.7, -0.2, 0.3), findFrame(cell, sensor)->pose.rotation}).value();
    QVERIFY(std::isnan(firstTime(simulate(above), seen, 1)));
}

void DeviceTest::lightBarrierSeesTheArm()
{
    FrameId barrier;
    Cell cell = example("tile-glazing-line");
    // A curtain across the way to the rack.
    cell = with(cell, Device::Kind::LightBarrier, "Curtain", translated({0.2, 0.35, 0}), barrier);
    Device device = *findFrame(cell, barrier)->device;
    device.size = {1.2, 0, 2.5};
    cell = changeDevice(cell, barrier, device).value();
    const Trace trace = simulate(cell);
    const double entered = firstTime(trace, device.output, 1);
    QVERIFY(!std::isnan(entered));
    // The TCP is on the far side at the rack, so it went through; it was not inside before.
    const ArmTrace& own = trace.arms[0];
    const auto y = [&](double t) {
        return worldFromTcp(cell, cell.arms.front(), postureAt(cell, own, t)).translation[1];
    };
    double crossed = 0;
    while (crossed < trace.duration && y(crossed) < 0.35)
        crossed += 1e-3;
    QVERIFY(crossed < trace.duration);
    QVERIFY(entered <= crossed && entered > crossed - 1.5);
    // Out of the way it sees nothing.
    const Cell away = setFramePose(cell, barrier, translated({-4, 0, 0})).value();
    QVERIFY(std::isnan(firstTime(simulate(away), device.output, 1)));
}

void DeviceTest::clampHoldsThePart()
{
    FrameId clamp;
    Cell cell = example("tile-glazing-line");
    const Part tile = cell.parts.front();
    cell = with(cell, Device::Kind::Clamp, "Clamp", tile.pose, clamp, tile.frame);
    SignalId close, closed;
    cell = addSignal(cell, "Close", Signal::Kind::Digital, &close).value();
    cell = addSignal(cell, "Closed", Signal::Kind::Digital, &closed).value();
    Device device = *findFrame(cell, clamp)->device;
    device.input = close;
    device.output = closed;
    cell = changeDevice(cell, clamp, device).value();
    cell = withSteps(cell, {"set Close on", "wait for Closed", "joint to Tile pick", "grip", "release", "set Close off",
                            "grip", "line over Tile pick 100"});
    const CheckResult result = check(cell);
    const ArmTrace& own = result.trace.arms[0];
    QVERIFY(std::abs(own.outcomes[1].duration - timeOf(0.03, 0.1, 2)) < 1e-9);
    QCOMPARE(int(own.outcomes[3].problem), int(StepOutcome::Problem::PartHeld));
    QCOMPARE(int(own.outcomes[6].problem), int(StepOutcome::Problem::None));
    const auto held = std::find_if(result.findings.begin(), result.findings.end(),
                                   [](const Finding& f) { return f.rule == Rule::Grip; });
    QVERIFY(held != result.findings.end());
    QVERIFY(QString::fromStdString(findingText(cell, *held).detail).contains("Clamp holds it"));
    // Its jaw went to the part and back.
    const FrameId jaw = axesOf(cell, clamp).front();
    QVERIFY(std::abs(axisValue(*findFrame(cell, jaw), axesAt(result.trace, own.spans[2].start)) - 0.03) < 1e-12);
    QVERIFY(std::abs(axisValue(*findFrame(cell, jaw), axesAt(result.trace, result.trace.duration))) < 1e-12);
}

void DeviceTest::scannerReadsTheKind()
{
    FrameId belt, scanner;
    Cell cell = beltCell({0.1, 0.5}, belt);
    cell = with(cell, Device::Kind::Scanner, "Reader", translated({0.9, 0, 0.05}), scanner, belt);
    SignalId code, well, ask;
    cell = addSignal(cell, "Code", Signal::Kind::Number, &code).value();
    cell = addSignal(cell, "Well read", Signal::Kind::Digital, &well).value();
    cell = addSignal(cell, "Read now", Signal::Kind::Digital, &ask).value();
    Device device = *findFrame(cell, scanner)->device;
    device.number = code;
    device.output = well;
    cell = changeDevice(cell, scanner, device).value();
    const auto kindOf = [&](size_t part) {
        for (size_t i = 0; i < cell.partKinds.size(); ++i)
            if (cell.partKinds[i].id == cell.parts[part].kind) return double(i + 1);
        return 0.0;
    };
    const Trace trace = simulate(cell);
    // The second one comes first: its origin enters the box 100 mm before the middle.
    QVERIFY(std::abs(firstTime(trace, code, kindOf(1)) - ((0.8 - 0.5 - 0.02) / 0.2 + 0.2)) < 2e-6);
    QVERIFY(std::abs(firstTime(trace, code, kindOf(0)) - ((0.8 - 0.1 - 0.02) / 0.2 + 0.2)) < 2e-6);
    // Asked when there is nothing, it says so.
    device.input = ask;
    cell = changeDevice(cell, scanner, device).value();
    cell = withSteps(cell, {"set Read now on", "wait 2.5 s", "set Read now off", "set Read now on"});
    const Trace asked = simulate(cell);
    QCOMPARE(signalAt(cell, asked, code, 2), 0.0);
    QCOMPARE(signalAt(cell, asked, well, 2), 0.0);
    QCOMPARE(signalAt(cell, asked, code, 2.5), kindOf(1));
    QCOMPARE(signalAt(cell, asked, well, 2.5), 1.0);
}

void DeviceTest::releasedPartRides()
{
    // A belt under the place in the rack, along X; the target stays in the rack's frame.
    Cell cell = example("tile-glazing-line");
    const Target place = cell.targets.back();
    const Pose world = worldFromFrame(cell, place.frame) * place.pose;
    FrameId belt;
    cell = with(cell, Device::Kind::Belt, "Outfeed", translated(world.translation - Vec3(0.3, 0, 0.006)), belt);
    cell = insertStep(cell, cell.routines[0].id, cell.routines[0].steps.size(), parseStep(cell, "wait 3 s").value())
               .value();
    const Trace trace = simulate(cell);
    const PartEvent& ride = trace.partEvents.back();
    QVERIFY(ride.part == cell.parts[0].id
            && (ride.kind == PartEvent::Kind::Rides || ride.kind == PartEvent::Kind::Lies));
    const auto released = std::find_if(trace.partEvents.begin(), trace.partEvents.end(), [&](const PartEvent& e) {
        return e.part == ride.part && e.kind == PartEvent::Kind::Rides;
    });
    QVERIFY(released != trace.partEvents.end() && released->frame == belt);
    // The belt has been running for long: 200 mm/s.
    const double x = partAt(cell, trace, ride.part, released->time + 1).translation[0];
    QVERIFY2(std::abs(x - world.translation[0] - 0.2) < 1e-6, qPrintable(QString::number(x)));
}

void DeviceTest::axisIsCopiedAsAFrame()
{
    FrameId rail, carriage, table;
    Cell cell = withSteps(onRail(rail, carriage), {"move Rail to 1200"});
    cell = changeAxis(cell, carriage,
                      [&] {
                          FrameAxis a = *findFrame(cell, carriage)->axis;
                          a.value = 0.7;
                          return a;
                      }())
               .value();
    FrameId copy;
    cell = copyFixture(cell, carriage, &copy).value();
    QVERIFY(!findFrame(cell, copy)->axis);
    QCOMPARE(axesOf(cell, rail).size(), size_t(1));
    QVERIFY((worldFromFrame(cell, copy).translation - worldFromFrame(cell, carriage).translation).norm()
            < 0.5);  // beside it, not at the rail's end
    // A whole device keeps its axes, and targets in it the copied ones.
    cell = with(cell, Device::Kind::Positioner, "Table", translated({0.7, 0.3, 0}), table);
    const FrameId plate = axesOf(cell, table).back();
    TargetId there;
    cell =
        takePoseTarget(cell, cell.arms.front().id, plate, homePosture(cell, cell.arms.front()), "On the plate", &there, {{plate, 0.4}}).value();
    QCOMPARE(findTarget(cell, there)->axes.size(), size_t(3));  // rail, cradle, plate
    FrameId second;
    cell = copyFixture(cell, table, &second).value();
    const std::vector<FrameId> copied = axesOf(cell, second);
    QCOMPARE(copied.size(), size_t(2));
    const Target& other = cell.targets.back();
    QVERIFY(other.id != there && other.frame == copied[1]);
    for (const AxisValue& a : other.axes)
        QVERIFY(a.frame == carriage || a.frame == copied[0] || a.frame == copied[1]);
    QVERIFY(readCell(writeCell(cell), "copied").ok());
}

void DeviceTest::armsWaitForEachOther()
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
    const CheckResult result = check(bad);
    QCOMPARE(result.count(Severity::Blocked), 2);
    QVERIFY(QString::fromStdString(findingText(bad, result.findings.back()).headline)
                .startsWith("Loader: step 1 waits for ever"));
}

void DeviceTest::partIsHandedOver()
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
    const CheckResult result = check(cell);
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

void DeviceTest::waitThatNeverEndsIsFound()
{
    FrameId belt;
    Cell cell = beltCell({0.1}, belt);
    SignalId never;
    cell = addSignal(cell, "Never", Signal::Kind::Digital, &never).value();
    cell = withSteps(cell, {"wait 1 s", "wait for Never", "joint to Home"});
    const CheckResult result = check(cell);
    const ArmTrace& own = result.trace.arms[0];
    QVERIFY(own.blockedAt && *own.blockedAt == 1);
    QCOMPARE(own.outcomes.size(), size_t(3));
    QCOMPARE(result.count(Severity::Blocked), 1);
    QVERIFY(result.findings[0].rule == Rule::Signal && result.findings[0].as<SignalFact>()->signal == never);
    QVERIFY(std::abs(own.duration - 1) < 1e-12);
}

void DeviceTest::signalsKnowWhoUsesThem()
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

void DeviceTest::refusals_data()
{
    QTest::addColumn<Do>("edit");
    QTest::addColumn<QString>("said");

    QTest::newRow("axis to another parent")
        << Do([](const Cell& c, FrameId, FrameId axis) { return setFrameParent(c, axis, {}); })
        << "is an axis of \"Rail\"";
    QTest::newRow("axis deleted alone") << Do([](const Cell& c, FrameId, FrameId axis) {
        return deleteFrame(setArmMount(c, c.arms.front().id, {}).value(), axis);
    }) << "is an axis of \"Rail\"";
    QTest::newRow("device under the arm")
        << Do([](const Cell& c, FrameId rail, FrameId) { return deleteFrame(c, rail); }) << "stands on";
    QTest::newRow("device that a step moves") << Do([](const Cell& c, FrameId rail, FrameId) {
        return deleteFrame(setArmMount(c, c.arms.front().id, {}).value(), rail);
    }) << "moves \"Rail\"";
    QTest::newRow("range that a step leaves") << Do([](const Cell& c, FrameId, FrameId axis) {
        FrameAxis a = *findFrame(c, axis)->axis;
        a.highest = 0.5;
        return changeAxis(c, axis, a);
    }) << "0 to 500 mm is its range";
    QTest::newRow("range upside down") << Do([](const Cell& c, FrameId, FrameId axis) {
        FrameAxis a = *findFrame(c, axis)->axis;
        a.lowest = 3;
        return changeAxis(c, axis, a);
    }) << "from a lower to a higher end";
    QTest::newRow("belt without width") << Do([](const Cell& c, FrameId, FrameId) {
        FrameId belt;
        const Cell b = addDevice(c, Device::Kind::Belt, "Belt", {}, {}, &belt).value();
        Device d = *findFrame(b, belt)->device;
        d.size[1] = 0;
        return changeDevice(b, belt, d);
    }) << "a length and a width above 0";
    QTest::newRow("signal written twice") << Do([](const Cell& c, FrameId, FrameId) {
        FrameId a, b;
        const Cell two = addDevice(addDevice(c, Device::Kind::Sensor, "A", {}, {}, &a).value(), Device::Kind::Sensor,
                                   "B", {}, {}, &b)
                             .value();
        Device d = *findFrame(two, b)->device;
        d.output = findFrame(two, a)->device->output;
        return changeDevice(two, b, d);
    }) << "is written by A: part seen already";
    QTest::newRow("last arm") << Do([](const Cell& c, FrameId, FrameId) { return deleteArm(c, c.arms.front().id); })
                              << "is the only arm";
    QTest::newRow("last routine") << Do([](const Cell& c, FrameId, FrameId) {
        return deleteRoutine(c, c.routines[0].id);
    }) << "is the only routine";
    QTest::newRow("tool of the other arm") << Do([](const Cell& c, FrameId, FrameId) {
        ArmId b;
        const Cell two = addArm(c, "B", catalogueArm("cobot-900"), {}, &b).value();
        return setToolInForce(two, b, c.arms.front().tool);
    }) << "carries";
    QTest::newRow("target of the other arm") << Do([](const Cell& c, FrameId, FrameId) {
        const Cell two = addArm(c, "B", catalogueArm("cobot-900"), {}).value();
        Step step;
        step.target = c.targets[1].id;
        return insertStep(two, routineOf(two, two.arms.back()).id, 0, step);
    }) << "is a target of \"Arm\"";
    QTest::newRow("signal of a sensor set by a step") << Do([](const Cell& c, FrameId, FrameId) {
        FrameId eye;
        const Cell s = addDevice(c, Device::Kind::Sensor, "Eye", {}, {}, &eye).value();
        Step step;
        step.kind = Step::Kind::SetSignal;
        step.signal = findFrame(s, eye)->device->output;
        return insertStep(s, c.routines[0].id, 0, step);
    }) << "is written by \"Eye\"";
    QTest::newRow("digital signal at 3") << Do([](const Cell& c, FrameId, FrameId) {
        SignalId id;
        const Cell s = addSignal(c, "Flag", Signal::Kind::Digital, &id).value();
        Step step;
        step.kind = Step::Kind::SetSignal;
        step.signal = id;
        step.value = 3;
        return insertStep(s, c.routines[0].id, 0, step);
    }) << "on (1) or off (0)";
}

void DeviceTest::refusals()
{
    QFETCH(Do, edit);
    QFETCH(QString, said);
    FrameId rail, carriage;
    const Cell cell = withSteps(onRail(rail, carriage), {"move Rail to 1200"});
    const Result<Cell> refused = edit(cell, rail, carriage);
    QVERIFY(!refused.ok());
    QVERIFY2(QString::fromStdString(refused.error().line()).contains(said), refused.error().line().c_str());
}

void DeviceTest::armsComeAndGo()
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

void DeviceTest::devicesSurviveTheFile()
{
    FrameId rail, carriage;
    Cell cell = onRail(rail, carriage);
    for (int k = 0; k <= int(Device::Kind::LightBarrier); ++k) {
        FrameId id;
        cell = with(cell, Device::Kind(k), "Device " + std::to_string(k), translated({0.1 * k, 1, 0}), id);
        Device d = *findFrame(cell, id)->device;
        const Wires wires = wiresOf(d.kind);
        const auto wire = [&](const char* role, SignalId& to, Signal::Kind kind) {
            if (role && !to) cell = addSignal(cell, "Device " + std::to_string(k) + " " + role, kind, &to).value();
        };
        wire(wires.input, d.input, Signal::Kind::Digital);
        wire(wires.output, d.output, Signal::Kind::Digital);
        wire(wires.number, d.number, Signal::Kind::Number);
        d.size = {0.31, 0.32, 0.33};
        d.speed = 0.17;
        d.acceleration = 0.9;
        d.indexing = true;
        d.pitch = 0.21;
        d.accumulates = false;
        d.interval = 3.5;
        d.most = 7;
        if (d.kind == Device::Kind::Source) d.makes = cell.partKinds[0].id;
        cell = changeDevice(cell, id, d).value();
    }
    TargetId there;
    cell = takePoseTarget(cell, cell.arms.front().id, {}, homePosture(cell, cell.arms.front()), "There", &there, {{carriage, 0.5}}).value();
    cell = withSteps(cell, {"joint to There", "move Rail to 250 at 20 %", "move Device 2 to 10 -20.5",
                            "set Device 3 run on", "wait for Device 4 parts made at least 2"});
    cell = addArm(cell, "Loader", catalogueArm("cobot-900"), rail).value();
    cell = withSteps(cell, {"joint to Loader home"});
    cell = setContactPairs(cell, sampleContactPairs(cell, {20, 3}).value()).value();
    const std::string text = writeCell(cell);
    const Result<Cell> read = readCell(text, "devices");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QCOMPARE(writeCell(*read), text);
    QCOMPARE(read->arms.size(), size_t(2));
    for (const Frame& frame : cell.frames) {
        const Frame& other = *findFrame(*read, frame.id);
        QVERIFY(other.axis == frame.axis && other.device.has_value() == frame.device.has_value());
        if (frame.device) QCOMPARE(other.device->output, frame.device->output);
    }
    QCOMPARE(findTarget(*read, there)->axes, AxisValues({{carriage, 0.5}}));
    const Json schema =
        Json::parse(readFile(std::string(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json", 1 << 20).value());
    const std::string offence = schemaOffence(Json::parse(text), schema, schema, "cell");
    QVERIFY2(offence.empty(), offence.c_str());
}

void DeviceTest::turntableMakesPairsThatCanTouch()
{
    FrameId table;
    Cell cell = with(example("tile-glazing-line"), Device::Kind::Turntable, "Table", translated({0.75, 0, 0.2}), table);
    const FrameId plate = axesOf(cell, table).front();
    const ContactPairs pairs = sampleContactPairs(cell, {50, 1}).value();
    const auto isFrame = [](const ContactMember& m, FrameId f) {
        return m.kind == ContactMember::Kind::Frame && m.id == f.value;
    };
    const auto pair = [&](FrameId a, FrameId b) {
        return std::any_of(pairs.pairs.begin(), pairs.pairs.end(),
                           [&](const ContactPair& p) { return isFrame(p.a, a) && isFrame(p.b, b); });
    };
    QVERIFY(pair(table, plate));
    QVERIFY(!pair(cell.frames[0].id, table));  // both stand still
}

void DeviceTest::anyWiringComesToAnEnd()
{
    // Devices wired at random, in circles too, with arms that set and wait for anything: every run ends, in order, and
    // can be read at any time.
    std::mt19937_64 random(11);
    int runs = 0, waits = 0, rides = 0;
    for (int n = 0; n < 150; ++n) {
        const Cell cell = randomWiring(random);
        const Result<Cell> read = readCell(writeCell(cell), "random");
        QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
        const CheckResult result = check(*read);
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

TOPIKOS_TEST(DeviceTest)
#include "device_test.moc"
