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

/// Devices with axes: what moves with them, and what edits and files keep of them.
class DeviceTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void railTakesTheArmAlong();
    void axisMovesTakeTheirTime();
    void axisThatJoinsInACornerIsToldThere();
    void linesAreStraightAsSeenFromTheirFrame_data();
    void linesAreStraightAsSeenFromTheirFrame();
    void axisIsCopiedAsAFrame();
    void refusals_data();
    void refusals();
    void devicesSurviveTheFile();
    void turntableMakesPairsThatCanTouch();
};

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
    const QStringList lines =
        QString::fromStdString(traceCsv(cell, trace, 0.1).value()).split('\n', Qt::SkipEmptyParts);
    const auto column = lines[0].split(',').indexOf("Rail carriage_m");
    QVERIFY(column > 0 && std::abs(lines.back().split(',')[column].toDouble() - 1.9) < 1e-9);
}

void DeviceTest::axisThatJoinsInACornerIsToldThere()
{
    FrameId rail, carriage;
    Cell cell = onRail(rail, carriage);
    SignalId rests;
    cell = addSignal(cell, "Rail rests", Signal::Kind::Digital, &rests).value();
    Device device = *findFrame(cell, rail)->device;
    device.output = rests;
    cell = changeDevice(cell, rail, device).value();
    const ArmStation& arm = cell.arms.front();
    JointVector q = homePosture(cell, arm);
    q[0] += 0.8;
    cell = takePostureTarget(cell, arm.id, q, "Aside").value();
    q[0] += 0.4;
    cell = takePoseTarget(cell, arm.id, {}, q, "There", nullptr, {{carriage, 0.5}}).value();
    cell = withSteps(cell, {"joint to Aside at 30 %", "joint to There", "wait 1 s"});
    cell.routines.edit(cell.arms.front().main)->steps.at(0).as<JointMove>()->pace.blend = 0.1;
    const Trace trace = simulate(cell);
    const ArmTrace& own = trace.arms[0];
    const StepOutcome& there = own.outcomes[1];
    QVERIFY(there.timing->begins() < -1e-3);
    const double joins = there.start + there.timing->begins(), rest = there.start + there.timing->ends();
    QVERIFY(joins > own.outcomes[0].start + 0.1);
    for (const auto& [time, value] : {std::pair(joins - 1e-6, 1.0), std::pair(joins + 1e-6, 0.0),
                                      std::pair(rest - 1e-6, 0.0), std::pair(rest + 1e-6, 1.0)})
        QCOMPARE(signalAt(cell, trace, rests, time), value);
    // And it moves evenly from there on.
    const auto at = [&](double time) { return axisValue(*findFrame(cell, carriage), axesAt(trace, time)); };
    QVERIFY(std::abs(at(joins) - at(joins - 0.1)) < 1e-12 && at(there.start) > at(joins) + 1e-5);
    QVERIFY(std::abs(at(rest) - 0.5) < 1e-12);
    for (double t = joins - 0.01; t < rest; t += 1e-3)
        QVERIFY(std::abs(at(t + 1e-3) - at(t)) < 1.01e-3);
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
    QVERIFY(outcome.move->line().baseFromFrame.has_value());
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
    cell = takePoseTarget(cell, cell.arms.front().id, plate, homePosture(cell, cell.arms.front()), "On the plate",
                          &there, {{plate, 0.4}})
               .value();
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
    }) << "\"Rail\" is used by step";
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
    }) << "the length or width of a belt cannot be 0 mm";
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
        return insertStep(two, routineOf(two, two.arms.back()).id, 0, jointTo(c.targets[1].id));
    }) << "is a target of \"Arm\"";
    QTest::newRow("signal of a sensor set by a step") << Do([](const Cell& c, FrameId, FrameId) {
        FrameId eye;
        const Cell s = addDevice(c, Device::Kind::Sensor, "Eye", {}, {}, &eye).value();
        return insertStep(s, c.routines[0].id, 0, Step{.action = SetSignal{findFrame(s, eye)->device->output, 1}});
    }) << "is written by \"Eye\"";
    QTest::newRow("digital signal at 3") << Do([](const Cell& c, FrameId, FrameId) {
        SignalId id;
        const Cell s = addSignal(c, "Flag", Signal::Kind::Digital, &id).value();
        return insertStep(s, c.routines[0].id, 0, Step{.action = SetSignal{id, 3}});
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
    cell = takePoseTarget(cell, cell.arms.front().id, {}, homePosture(cell, cell.arms.front()), "There", &there,
                          {{carriage, 0.5}})
               .value();
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

TOPIKOS_TEST(DeviceTest)
#include "device_test.moc"
