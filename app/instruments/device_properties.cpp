#include "app/instruments/properties.h"

#include "app/instruments/choices.h"
#include "app/instruments/number_field.h"
#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_support.h"

#include <QCheckBox>
#include <QComboBox>

/// Properties of what acts: devices, their axes, arms, and steps that are about signals and axes.
namespace topikos {

namespace {

const QStringList kDirections{"X", "Y", "Z", "back along X", "back along Y", "back along Z"};

int directionIndex(const Vec3& direction)
{
    for (int i = 0; i < 6; ++i)
        if ((direction - (i < 3 ? 1 : -1) * Vec3::Unit(i % 3)).norm() < 1e-6) return i;
    return -1;
}

double unitOf(JointKind kind) { return kind == JointKind::Revolute ? kDegree : kMillimetre; }
QString symbolOf(JointKind kind) { return kind == JointKind::Revolute ? "°" : "mm"; }

}  // namespace

void Properties::addDevice(const Frame& frame)
{
    using Kind = Device::Kind;
    const FrameId id = frame.id;
    const Device device = *frame.device;
    const auto change = [=, this](auto set) {
        Device next = device;
        set(next);
        edit("Change " + text(frame.name), [=](const Cell& c) { return changeDevice(c, id, next); });
    };
    addHead(text(deviceTitle(device.kind)));
    const auto size = [&](int axis, const QString& label) {
        addNumber(
            label, QString("deviceSize%1").arg(axis), millimetres(device.size[axis]), "mm", limits::kDeviceLength,
            kMillimetre, 1, [=](double v) { change([&](Device& d) { d.size[axis] = v * kMillimetre; }); }, true);
    };
    switch (device.kind) {
    case Kind::Belt:
        size(0, "Length");
        size(1, "Width");
        addNumber(
            "Speed", "beltSpeed", millimetres(device.speed), "mm/s", limits::kBeltSpeed, kMillimetre, 1,
            [=](double v) { change([&](Device& d) { d.speed = v * kMillimetre; }); }, true);
        addNumber(
            "Ramp", "beltRamp", millimetres(device.acceleration), "mm/s²", limits::kBeltAcceleration, kMillimetre, 0,
            [=](double v) { change([&](Device& d) { d.acceleration = v * kMillimetre; }); }, true);
        addChoice("Goes", "beltMode", {"on and on", "by the pitch"}, device.indexing,
                  [=](int i) { change([&](Device& d) { d.indexing = i == 1; }); });
        if (device.indexing)
            addNumber(
                "Pitch", "beltPitch", millimetres(device.pitch), "mm", limits::kBeltPitch, kMillimetre, 1,
                [=](double v) { change([&](Device& d) { d.pitch = v * kMillimetre; }); }, true);
        addChoice("At its end", "beltEnd", {"parts run off", "parts queue"}, device.accumulates,
                  [=](int i) { change([&](Device& d) { d.accumulates = i == 1; }); });
        if (!device.input)
            addText("", device.indexing ? "Stands until it gets a signal for one pitch."
                                        : "Runs all the time: no signal starts it.");
        break;
    case Kind::Source: {
        const Table<PartKind>& kinds = m_session.cell().partKinds;
        Choices<PartKindId> makes;
        makes.add("nothing", {}, device.makes);
        for (const PartKind& k : kinds)
            makes.add(k.name, k.id, device.makes);
        addChoice("Makes", "sourceMakes", makes.names, makes.current,
                  [=](int i) { change([&](Device& d) { d.makes = makes.ids[size_t(i)]; }); });
        if (!device.input)
            addNumber("Every", "sourceInterval", device.interval, "s", limits::kSourceInterval, 1, 2,
                      [=](double v) { change([&](Device& d) { d.interval = v; }); });
        addNumber("At most", "sourceMost", device.most, "", limits::kSourceMost, 1, 0,
                  [=](double v) { change([&](Device& d) { d.most = std::uint32_t(v); }); });
        if (kinds.empty()) addText("", "Add a part first: a source makes parts of a kind that is in the cell.");
        addText("", "A part comes when this box is free:");
        break;
    }
    case Kind::Sensor: size(0, "Beam"); break;
    case Kind::LightBarrier:
        size(0, "Width");
        size(2, "Height");
        break;
    default: break;
    }
    if (device.kind == Kind::Source || device.kind == Kind::Sink || device.kind == Kind::Scanner
        || device.kind == Kind::Clamp)
        for (int i = 0; i < 3; ++i)
            size(i, QString("Box ") + "XYZ"[i]);
    const Wires wires = wiresOf(device.kind);
    const auto wire = [&](const char* role, SignalId Device::*which, Signal::Kind kind, const QString& name,
                          const QString& what) {
        if (!role) return;
        QStringList names{"none", QString("new: %1 %2").arg(text(shortened(frame.name, 40)), role)};
        std::vector<SignalId> ids{{}, {}};
        int current = 0;
        for (const Signal& s : m_session.cell().signals) {
            if (s.kind != kind) continue;
            if (s.id == device.*which) current = int(ids.size());
            names << text(s.name);
            ids.push_back(s.id);
        }
        addText("", what);
        addChoice("", name, names, current, [=, this](int i) {
            edit("Wire " + text(frame.name), [=](const Cell& c) -> Result<Cell> {
                Device next = device;
                next.*which = ids[size_t(i)];
                if (i != 1) return changeDevice(c, id, next);
                const Result<Cell> more = topikos::addSignal(
                    c, freeNameIn(c.signals, shortened(frame.name, 40) + " " + role), kind, &(next.*which));
                return more ? changeDevice(*more, id, next) : more;
            });
        });
    };
    wire(wires.input, &Device::input, Signal::Kind::Digital, "wireInput",
         QString("Reads \"%1\" from").arg(wires.input));
    wire(wires.output, &Device::output, Signal::Kind::Digital, "wireOutput",
         QString("Writes \"%1\" to").arg(wires.output));
    wire(wires.number, &Device::number, Signal::Kind::Number, "wireNumber",
         QString("Writes \"%1\" to").arg(wires.number));
    for (const FrameId axis : axesOf(m_session.cell(), id))
        addAxis(*findFrame(m_session.cell(), axis));
}

void Properties::addAxis(const Frame& frame)
{
    const FrameId id = frame.id;
    const FrameAxis axis = *frame.axis;
    const double unit = unitOf(axis.kind);
    const QString symbol = symbolOf(axis.kind), name = text(frame.name), prefix = QString("axis%1").arg(id.value);
    const auto change = [=, this](const QString& label, auto set) {
        FrameAxis next = axis;
        set(next);
        edit(label, [=](const Cell& c) { return changeAxis(c, id, next); });
    };
    const auto value = [&](const QString& label, const QString& what, double FrameAxis::*which, double low, double high,
                           const QString& per = {}) {
        addNumber(
            label, prefix + what, axis.*which / unit, symbol + per, low, high, 2,
            [=](double v) { change(label + " of " + name, [&](FrameAxis& a) { a.*which = v * unit; }); }, true);
    };
    addHead(QString("Axis: %1").arg(name));
    const double low = axis.lowest / unit, high = axis.highest / unit;
    addNumber(
        "Now", prefix + "Now", axisValue(frame, m_session.shownAxes()) / unit, symbol, low, high, 2,
        [=, this](double v) {
            if (!m_trying) m_session.setAxis(id, v * unit);
        },
        true);
    value("At start", "Start", &FrameAxis::value, low, high);
    const auto within = [&](const QString& label, const QString& what, double FrameAxis::*which, const Limit& limit,
                            const QString& per = {}) {
        value(label, what, which, limit.least / unit, limit.most / unit, per);
    };
    within("From", "Low", &FrameAxis::lowest, limits::kJointTravel);
    within("To", "High", &FrameAxis::highest, limits::kJointTravel);
    within("Speed", "Speed", &FrameAxis::speed, limits::kJointSpeed, "/s");
    within("Ramp", "Ramp", &FrameAxis::acceleration, limits::kJointAcceleration, "/s²");
    addChoice(axis.kind == JointKind::Revolute ? "About" : "Along", prefix + "Direction", kDirections,
              directionIndex(axis.direction), [=](int i) {
                  change("Direction of " + name,
                         [&](FrameAxis& a) { a.direction = (i < 3 ? 1 : -1) * Vec3::Unit(i % 3); });
              });
}

void Properties::showAxesNow()
{
    const AxisValues axes = m_session.shownAxes();
    for (const Frame& frame : m_session.cell().frames)
        if (frame.axis)
            if (auto* field = findChild<NumberField*>(QString("axis%1Now").arg(frame.id.value))) {
                const QSignalBlocker block(field);
                field->setValue(axisValue(frame, axes) / unitOf(frame.axis->kind));
            }
}

void Properties::showArm(const ArmStation& arm)
{
    const ArmId id = arm.id;
    const Cell& cell = m_session.cell();
    const bool held = m_session.station().id == id;
    m_title->setText(cell.arms.size() > 1 ? (held ? "Arm (in hand)" : "Arm") : "Arm");
    addName(arm.name, [=, this](const std::string& name) {
        edit("Rename arm", [=](const Cell& c) { return renameArm(c, id, name); });
    });
    addText("Model", text(arm.model->description().name));
    const auto frames = framesOf(cell, arm.mount);
    addChoice("Stands on", "armMount", frames.names, frames.current, [=, this](int i) {
        edit("Put the arm on " + frames.names[i],
             [=](const Cell& c) { return setArmMount(c, id, frames.ids[size_t(i)]); });
    });
    addText("Carries", text(toolInForce(cell, arm).name));
    Choices<RoutineId> routines;
    for (const Routine& r : cell.routines)
        if (r.arm == id) routines.add(r.name, r.id, routineOf(cell, arm).id);
    addChoice("Runs", "armRuns", routines.names, routines.current, [=, this](int i) {
        edit("Run " + routines.names[i], [=](const Cell& c) { return setMainRoutine(c, routines.ids[size_t(i)]); });
    });
    std::vector<Button> buttons;
    if (!held)
        buttons.push_back({"Take in hand", "takeInHand", "This arm is jogged and taught from now on",
                           [=, this] { takeArmInHand(m_session, id); }});
    if (cell.arms.size() > 1)
        buttons.push_back({"Delete", "deleteArm", "With its routines and targets", [=, this] {
                               edit("Delete " + text(arm.name),
                                    [=](const Cell& c) { return topikos::deleteArm(c, id); });
                           }});
    addButtons(buttons);
}

void Properties::addTargetAxes(const Target& target)
{
    const Cell& cell = m_session.cell();
    std::vector<FrameId> axes;
    for (const AxisValue& a : target.axes)
        axes.push_back(a.frame);
    // A posture can take along what the arm stands on.
    for (const FrameId axis :
         axesBetween(cell, armOf(cell, target).mount, target.kind == Target::Kind::Pose ? target.frame : FrameId()))
        if (std::find(axes.begin(), axes.end(), axis) == axes.end()) axes.push_back(axis);
    if (axes.empty()) return;
    addHead("Axes that come along");
    for (const FrameId axis : axes) {
        const Frame& frame = *findFrame(cell, axis);
        const double unit = unitOf(frame.axis->kind);
        const auto known = std::find_if(target.axes.begin(), target.axes.end(),
                                        [axis](const AxisValue& a) { return a.frame == axis; });
        const bool named = known != target.axes.end();
        const auto set = [=, this, id = target.id, now = target.axes](std::optional<double> value) {
            AxisValues next = now;
            std::erase_if(next, [axis](const AxisValue& a) { return a.frame == axis; });
            if (value) next.push_back({axis, *value});
            edit("Axes of the target", [=](const Cell& c) { return setTargetAxes(c, id, next); });
        };
        auto* box = new QCheckBox(text(frame.name), this);
        box->setObjectName(QString("comesAlong%1").arg(axis.value));
        box->setToolTip("Moves there together with the arm; otherwise it stays where the steps before have brought it");
        box->setChecked(named);
        connect(box, &QCheckBox::toggled, this, [=, this, &session = m_session](bool on) {
            set(on ? std::optional(axisValue(*findFrame(session.cell(), axis), session.shownAxes())) : std::nullopt);
        });
        addField("", box, true);
        if (named)
            addNumber(
                "at", QString("targetAxis%1").arg(axis.value), known->value / unit, symbolOf(frame.axis->kind),
                frame.axis->lowest / unit, frame.axis->highest / unit, 2, [=](double v) { set(v * unit); }, true);
    }
}

void Properties::addStepDetails(const Step& step, const std::function<void(const Step&)>& change)
{
    const Cell& cell = m_session.cell();
    if (step.kind == Step::Kind::SetSignal || step.kind == Step::Kind::WaitSignal) {
        Choices<SignalId> signals;
        for (const Signal& s : cell.signals)
            if (step.kind == Step::Kind::WaitSignal || !writerOf(cell, s.id)) signals.add(s.name, s.id, step.signal);
        const auto with = [=](auto set) {
            Step next = step;
            set(next);
            change(next);
        };
        addChoice("Signal", "stepSignal", signals.names, signals.current, [=, this](int i) {
            with([&](Step& s) {
                const Signal& signal = *findSignal(m_session.cell(), signals.ids[size_t(i)]);
                s.signal = signal.id;
                if (checkSignalValue(signal, s.value)) s.value = 1;
                if (signal.kind == Signal::Kind::Digital) s.comparison = Step::Comparison::Equal;
            });
        });
        const Signal* signal = findSignal(cell, step.signal);
        if (signal && signal->kind == Signal::Kind::Digital) {
            addChoice(step.kind == Step::Kind::SetSignal ? "To" : "Is", "stepValue", {"off", "on"}, step.value != 0,
                      [=](int i) { with([&](Step& s) { s.value = i; }); });
        } else {
            if (step.kind == Step::Kind::WaitSignal)
                addChoice("Is", "stepComparison", {"equal to", "at least", "at most"}, int(step.comparison),
                          [=](int i) { with([&](Step& s) { s.comparison = Step::Comparison(i); }); });
            addNumber(
                "Value", "stepValue", step.value, "", limits::kSignalValue, 1,
                signal && signal->kind == Signal::Kind::Number ? 0 : 3,
                [=](double v) { with([&](Step& s) { s.value = v; }); }, true);
        }
    }
    if (step.kind != Step::Kind::MoveAxes) return;
    Choices<FrameId> devices;
    for (const FrameId device : movableDevices(cell))
        devices.add(frameName(cell, device), device, step.device);
    addChoice("Device", "stepDevice", devices.names, devices.current,
              [=, this](int i) { change(axisStep(m_session.cell(), step, devices.ids[size_t(i)])); });
    const std::vector<FrameId> axes = axesOf(cell, step.device);
    for (size_t i = 0; i < std::min(axes.size(), step.axes.size()); ++i) {
        const Frame& frame = *findFrame(cell, axes[i]);
        const double unit = unitOf(frame.axis->kind);
        addNumber(
            axes.size() > 1 ? text(frame.name) : "To", QString("stepAxis%1").arg(i), step.axes[i] / unit,
            symbolOf(frame.axis->kind), frame.axis->lowest / unit, frame.axis->highest / unit, 2,
            [=](double v) {
                Step next = step;
                next.axes[i] = v * unit;
                change(next);
            },
            true);
    }
    addNumber(
        "Speed", "stepSpeed", step.jointSpeed * 100, "%", limits::kStepJointSpeed, 0.01, 1,
        [=](double v) {
            Step next = step;
            next.jointSpeed = v / 100;
            change(next);
        },
        true);
}

Step axisStep(const Cell& cell, Step step, FrameId device)
{
    step.kind = Step::Kind::MoveAxes;
    step.device = device;
    step.axes.clear();
    for (const FrameId axis : axesOf(cell, device))
        step.axes.push_back(findFrame(cell, axis)->axis->value);
    return step;
}

}  // namespace topikos
