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

/// What belts, sources, sinks, sensors, clamps and scanners do with parts.
class BeltTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
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
};

void BeltTest::beltCarriesAndAccumulates()
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

void BeltTest::beltWithoutAStopLosesParts()
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

void BeltTest::beltIndexesByItsPitch()
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

void BeltTest::beltRampsAndStops()
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

void BeltTest::sourceAndSinkCount()
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

void BeltTest::beamIsBrokenWhenTheEdgeArrives()
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

void BeltTest::lightBarrierSeesTheArm()
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

void BeltTest::clampHoldsThePart()
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

void BeltTest::scannerReadsTheKind()
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

void BeltTest::releasedPartRides()
{
    // A belt under the place in the rack, along X; the target stays in the rack's frame.
    Cell cell = example("tile-glazing-line");
    const Target place = cell.targets.back();
    const Pose world = worldFromFrame(cell, place.frame) * place.pose;
    FrameId belt;
    cell = with(cell, Device::Kind::Belt, "Outfeed", translated(world.translation - Vec3(0.3, 0, 0.006)), belt);
    cell = insertStep(cell, cell.routines[0].id, cell.routines[0].steps.size(), typedStep(cell, "wait 3 s").value())
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

TOPIKOS_TEST(BeltTest)
#include "belt_test.moc"
