#include "core/cell/devices.h"

#include "core/cell/edit_layout.h"
#include "core/cell/edit_support.h"
#include "core/cell/step_check.h"
#include "core/cell/step_tree.h"
#include "core/spatial/limits.h"
#include "core/cell/pattern.h"

#include <fmt/format.h>

#include <cctype>
#include <cmath>

namespace topikos {

namespace {

using Kind = Device::Kind;

constexpr Color kLight{176, 184, 188}, kRubber{69, 77, 82}, kPost{192, 132, 40};

Solid box(const Vec3& centre, const Vec3& size, Color color)
{
    return {Solid::Kind::Box, translated(centre), size, color};
}
Solid disc(double height, double diameter, double thickness, Color color)
{
    return {Solid::Kind::Cylinder, translated({0, 0, height}), {diameter, diameter, thickness}, color};
}

FrameAxis sliding(const Vec3& direction, double highest, double speed, double acceleration)
{
    return {JointKind::Prismatic, direction, 0, highest, speed, acceleration, 0};
}
FrameAxis turning(const Vec3& direction, double range, double speed, double acceleration)
{
    return {JointKind::Revolute, direction, -range, range, speed, acceleration, 0};
}

struct AxisPlan {
    const char* name;
    Pose place;  ///< in the frame above
    FrameAxis axis;
    std::vector<Solid> solids;
};

/// What a new device of a kind is made of.
struct DevicePlan {
    Device device;
    std::vector<Solid> solids;
    std::vector<AxisPlan> axes;
};

std::vector<Solid> beltBody(const Device& belt)
{
    const double length = belt.size[0], width = belt.size[1];
    return {box({length / 2, 0, -0.006}, {length, width, 0.012}, kRubber),
            box({length / 2, width / 2 + 0.015, -0.03}, {length, 0.03, 0.08}, kSteel),
            box({length / 2, -width / 2 - 0.015, -0.03}, {length, 0.03, 0.08}, kSteel)};
}

std::vector<Solid> bodyOf(const Device& d)
{
    const Vec3& s = d.size;
    switch (d.kind) {
    case Kind::Belt: return beltBody(d);
    case Kind::Sensor: return {box({-0.02, 0, 0}, {0.04, 0.02, 0.04}, kPost)};
    case Kind::LightBarrier:
        return {box({-0.02, 0, s[2] / 2}, {0.04, 0.04, s[2]}, kPost),
                box({s[0] + 0.02, 0, s[2] / 2}, {0.04, 0.04, s[2]}, kPost)};
    case Kind::Scanner: return {box({0, 0, s[2] / 2 + 0.05}, {0.08, 0.06, 0.06}, kPost)};
    default: return {};
    }
}

DevicePlan planOf(Kind kind)
{
    DevicePlan plan;
    plan.device.kind = kind;
    switch (kind) {
    case Kind::Rail:
        plan.solids = {box({1, 0, 0.1}, {2.7, 0.5, 0.2}, kSteel)};
        plan.axes = {{"carriage",
                      translated({0, 0, 0.2}),
                      sliding(Vec3::UnitX(), 2, 1, 2),
                      {box({0, 0, 0.03}, {0.6, 0.54, 0.06}, kLight)}}};
        break;
    case Kind::Turntable:
        plan.solids = {disc(0.1, 0.5, 0.2, kSteel)};
        plan.axes = {{"plate",
                      translated({0, 0, 0.2}),
                      turning(Vec3::UnitZ(), 2 * std::numbers::pi, 1.5, 3),
                      {disc(0.015, 0.8, 0.03, kLight)}}};
        break;
    case Kind::Positioner:
        plan.solids = {box({0, 0.42, 0.3}, {0.24, 0.2, 0.6}, kSteel), box({0, -0.42, 0.3}, {0.24, 0.2, 0.6}, kSteel)};
        plan.axes = {{"cradle",
                      translated({0, 0, 0.6}),
                      turning(Vec3::UnitY(), 100 * kDegree, 1.2, 2.5),
                      {box({0, 0, -0.13}, {0.3, 0.62, 0.04}, kSteel)}},
                     {"plate",
                      translated({0, 0, -0.1}),
                      turning(Vec3::UnitZ(), 2 * std::numbers::pi, 1.8, 4),
                      {disc(0.01, 0.52, 0.02, kLight)}}};
        break;
    case Kind::Belt: plan.device.size = {1.4, 0.3, 0.1}; break;
    case Kind::Sensor: plan.device.size = {0.4, 0, 0}; break;
    case Kind::LightBarrier: plan.device.size = {1.2, 0, 1}; break;
    case Kind::Clamp:
        plan.device.size = {0.1, 0.1, 0.1};
        plan.solids = {box({-0.14, 0, 0.02}, {0.08, 0.08, 0.04}, kSteel)};
        plan.axes = {{"jaw",
                      translated({-0.1, 0, 0.05}),
                      sliding(Vec3::UnitX(), 0.03, 0.1, 2),
                      {box({-0.01, 0, 0}, {0.02, 0.06, 0.03}, kPost)}}};
        break;
    default: break;
    }
    if (plan.solids.empty()) plan.solids = bodyOf(plan.device);
    return plan;
}

constexpr double kBesideBelt = 0.05;  // from the edge of a belt to what looks across it [m]

const Device* beltOf(const Cell& cell, FrameId id)
{
    const Frame* frame = findFrame(cell, id);
    return frame && frame->device && frame->device->kind == Kind::Belt ? &*frame->device : nullptr;
}

Status fail(std::string message, const char* remedy = "Give a value in that range.")
{
    return Error{"edit.device", std::move(message), "", remedy};
}

}  // namespace

const char* deviceWord(Kind kind)
{
    switch (kind) {
    case Kind::Rail: return "rail";
    case Kind::Turntable: return "turntable";
    case Kind::Positioner: return "positioner";
    case Kind::Belt: return "belt";
    case Kind::Source: return "source";
    case Kind::Sink: return "sink";
    case Kind::Sensor: return "presence sensor";
    case Kind::Scanner: return "scanner";
    case Kind::Clamp: return "clamp";
    case Kind::LightBarrier: return "light barrier";
    }
    return "";
}

std::string deviceTitle(Kind kind)
{
    std::string word = deviceWord(kind);
    word[0] = char(std::toupper(static_cast<unsigned char>(word[0])));
    return word;
}

Wires wiresOf(Kind kind)
{
    switch (kind) {
    case Kind::Rail:
    case Kind::Turntable:
    case Kind::Positioner: return {nullptr, "in place", nullptr};
    case Kind::Belt: return {"run", "moving", nullptr};
    case Kind::Source: return {"next part", "part there", "parts made"};
    case Kind::Sink: return {nullptr, nullptr, "parts taken"};
    case Kind::Sensor: return {nullptr, "part seen", nullptr};
    case Kind::Scanner: return {"read", "read well", "code"};
    case Kind::Clamp: return {"close", "closed", nullptr};
    case Kind::LightBarrier: return {nullptr, "interrupted", nullptr};
    }
    return {};
}

std::vector<FrameId> movableDevices(const Cell& cell)
{
    std::vector<FrameId> out;
    for (const Frame& f : cell.frames)
        if (f.device && f.device->kind != Device::Kind::Clamp && !axesOf(cell, f.id).empty()) out.push_back(f.id);
    return out;
}

Status checkAxis(const FrameAxis& a)
{
    constexpr const char* code = "edit.axis";
    for (const double end : {a.lowest, a.highest})
        if (Status bad = checkLimit(limits::kJointTravel, end, code)) return bad;
    if (a.lowest > a.highest) return fail("the range of an axis goes from a lower to a higher end");
    if (Status bad = checkLimit(limits::kJointSpeed, a.speed, code)) return bad;
    if (Status bad = checkLimit(limits::kJointAcceleration, a.acceleration, code)) return bad;
    if (!(std::abs(a.direction.norm() - 1) < 1e-6))
        return fail("the direction of an axis must have length 1", "Give X, Y or Z, either way.");
    if (!(a.value >= a.lowest && a.value <= a.highest)) return fail("an axis starts inside its range");
    return std::nullopt;
}

SignalWriters signalWriters(const Cell& cell)
{
    SignalWriters writers;
    for (const Frame& f : cell.frames)
        if (f.device)
            for (const SignalId id : {f.device->output, f.device->number})
                if (id) writers[id.value].push_back(f.id);
    return writers;
}

bool hasAxes(Device::Kind kind)
{
    return kind == Kind::Rail || kind == Kind::Turntable || kind == Kind::Positioner || kind == Kind::Clamp;
}

Status checkDevice(const Cell& cell, const Frame& frame, const SignalWriters* writers)
{
    const Device& d = *frame.device;
    const Wires wires = wiresOf(d.kind);
    constexpr const char* code = "edit.device";
    for (const double length : d.size)
        if (Status bad = checkLimit(limits::kDeviceLength, length, code)) return bad;
    if (d.kind == Kind::Belt)
        for (const double length : {d.size[0], d.size[1]})
            if (Status bad = checkLimit(limits::kSize, length, code, "the length or width of a belt")) return bad;
    if (Status bad = checkLimit(limits::kBeltSpeed, d.speed, code)) return bad;
    if (Status bad = checkLimit(limits::kBeltAcceleration, d.acceleration, code)) return bad;
    if (Status bad = checkLimit(limits::kBeltPitch, d.pitch, code)) return bad;
    if (Status bad = checkLimit(limits::kSourceInterval, d.interval, code)) return bad;
    if (Status bad = checkLimit(limits::kSourceMost, d.most, code)) return bad;
    if (d.makes && !findPartKind(cell, d.makes)) return missing("kind of part");
    const auto wire = [&](SignalId id, const char* role, std::optional<Signal::Kind> kind, bool writes) -> Status {
        if (!id) return std::nullopt;
        const Signal* signal = findSignal(cell, id);
        if (!signal) return missing("signal");
        if (!role) return fail(fmt::format("a {} has no such signal", deviceWord(d.kind)), "Take it away.");
        if (kind && signal->kind != *kind)
            return fail(fmt::format("\"{}\" of \"{}\" needs a {} signal", role, frame.name,
                                    *kind == Signal::Kind::Digital ? "digital" : "number"),
                        "Choose another one, or change the kind of that signal.");
        if (writes && writers) {
            for (const FrameId other : writers->at(id.value))
                if (other != frame.id)
                    return fail(
                        fmt::format("\"{}\" is written by \"{}\" already", signal->name, frameName(cell, other)),
                        "Choose another signal.");
        } else if (writes) {
            for (const SignalUse& use : usesOf(cell, id))
                if (use.writes && use.device != frame.id)
                    return fail(fmt::format("\"{}\" is written by {} already", signal->name, use.words),
                                "Choose another signal.");
        }
        return std::nullopt;
    };
    if (Status bad = wire(d.input, wires.input, Signal::Kind::Digital, false)) return bad;
    if (Status bad = wire(d.output, wires.output, Signal::Kind::Digital, true)) return bad;
    return wire(d.number, wires.number, Signal::Kind::Number, true);
}

Pose usualPlace(const Cell& cell, Kind kind, FrameId parent)
{
    const Device* belt = beltOf(cell, parent);
    if (!belt) return parent ? Pose{} : translated({0.8, 0, 0});
    const double length = belt->size[0], side = 0.5 * belt->size[1] + kBesideBelt;
    switch (kind) {
    case Kind::Source: return translated({std::min(0.15, 0.5 * length), 0, 0.05});
    case Kind::Sink: return translated({length, 0, 0.05});
    case Kind::Sensor:
    case Kind::LightBarrier: {
        // Across the belt, where parts wait at its end.
        Pose across = translated({std::max(0.0, length - 0.05), -side, 0.006});
        across.rotation = Quat(Eigen::AngleAxisd(0.5 * std::numbers::pi, Vec3::UnitZ()));
        return across;
    }
    default: return {};
    }
}

Result<Cell> addDevice(const Cell& cell, Kind kind, const std::string& name, FrameId parent, const Pose& pose,
                       FrameId* created)
{
    FrameId id;
    Result<Cell> framed = addFrame(cell, name, parent, pose, &id);
    if (!framed) return framed;
    Cell next = std::move(framed).value();
    DevicePlan plan = planOf(kind);
    const Device* belt = beltOf(cell, parent);
    if (belt && (kind == Kind::Sensor || kind == Kind::LightBarrier)) {
        plan.device.size[0] = belt->size[1] + 2 * kBesideBelt;
        plan.solids = bodyOf(plan.device);
    }
    if (kind == Kind::Sensor || kind == Kind::LightBarrier) {
        plan.device.output = {next.nextId++};
        next.signals.push_back(
            {plan.device.output, freeNameIn(next.signals, shortened(name, 40) + " " + wiresOf(kind).output)});
    }
    if (kind == Kind::Source) {
        // Where there is no kind of part yet, it makes one of its own.
        if (cell.partKinds.empty()) next.partKinds.push_back({{next.nextId++}, "Part", 0, {Solid{}}});
        plan.device.makes = next.partKinds.front().id;
    }
    Frame& standsIn = *next.frames.edit(id);
    standsIn.solids = plan.solids;
    standsIn.device = plan.device;
    FrameId above = id;
    for (const AxisPlan& axis : plan.axes) {
        Frame frame{{next.nextId++},
                    freeNameIn(next.frames, shortened(name, 40) + " " + axis.name),
                    above,
                    axis.place,
                    axis.solids};
        frame.axis = axis.axis;
        above = frame.id;
        next.frames.push_back(std::move(frame));
    }
    if (created) *created = id;
    return next;
}

Result<Cell> changeDevice(const Cell& cell, FrameId id, const Device& device)
{
    Cell next = cell;
    Frame* frame = next.frames.edit(id);
    if (!frame || !frame->device || frame->device->kind != device.kind) return missing("device");
    const bool plain = frame->solids == bodyOf(*frame->device);
    frame->device = device;
    if (plain) frame->solids = bodyOf(device);
    if (Status bad = checkDevice(next, *frame)) return *bad;
    return next;
}

Result<Cell> makeNewKind(const Cell& cell, FrameId id)
{
    const Frame* frame = findFrame(cell, id);
    if (!frame || !frame->device || frame->device->kind != Device::Kind::Source) return missing("source");
    Cell next = cell;
    PartKind kind{{next.nextId++}, freeNameIn(cell.partKinds, "Part"), 0, {Solid{}}};
    Device device = *frame->device;
    device.makes = kind.id;
    next.partKinds.push_back(std::move(kind));
    Result<Cell> changed = changeDevice(next, id, device);
    if (!changed) return changed;
    Cell tidy = std::move(changed).value();
    dropUnusedKinds(tidy);
    return tidy;
}

Result<Cell> changeAxis(const Cell& cell, FrameId id, const FrameAxis& axis)
{
    if (Status bad = checkAxis(axis)) return *bad;
    Cell next = cell;
    Frame* frame = next.frames.edit(id);
    if (!frame || !frame->axis) return missing("axis");
    frame->axis = axis;
    for (const Target& target : cell.targets)
        for (const AxisValue& a : target.axes)
            if (a.frame == id)
                if (Status bad = checkAxisValue(*frame, a.value)) return within(*bad, "target \"" + target.name + "\"");
    for (const Routine& routine : next.routines)
        if (Status bad = checkRoutine(next, routine)) return within(*bad, "\"" + routine.name + "\"");
    return next;
}

Result<Cell> setTargetAxes(const Cell& cell, TargetId id, const AxisValues& axes)
{
    const Target* target = findTarget(cell, id);
    if (!target) return missing("target");
    for (const AxisValue& a : axes) {
        const Frame* frame = findFrame(cell, a.frame);
        if (!frame || !frame->axis) return missing("axis");
        if (Status bad = checkAxisValue(*frame, a.value)) return *bad;
    }
    if (target->pattern) {
        Pattern pattern = *findPattern(cell, target->pattern);
        pattern.axes = axes;
        return changePattern(cell, pattern);
    }
    Cell next = cell;
    next.targets.edit(id)->axes = axes;
    return next;
}

Result<Cell> addSignal(const Cell& cell, const std::string& name, Signal::Kind kind, SignalId* created)
{
    if (Status bad = checkNewName(cell.signals, name)) return *bad;
    Cell next = cell;
    const SignalId id{next.nextId++};
    if (created) *created = id;
    next.signals.push_back({id, name, kind});
    return next;
}

Result<Cell> changeSignal(const Cell& cell, const Signal& signal)
{
    if (Status bad = checkNewName(cell.signals, signal.name, signal.id)) return *bad;
    if (Status bad = checkSignalValue(signal, signal.start)) return *bad;
    Cell next = cell;
    Signal* own = next.signals.edit(signal.id);
    if (!own) return missing("signal");
    *own = signal;
    for (const Frame& frame : next.frames)
        if (frame.device)
            if (Status bad = checkDevice(next, frame)) return *bad;
    for (const Tool& tool : next.tools)
        for (const Process& process : tool.processes)
            if (process.signal == signal.id)
                if (Status bad = checkProcess(next, tool, process)) return *bad;
    for (const Routine& routine : next.routines)
        if (Status bad = checkRoutine(next, routine)) return within(*bad, "\"" + routine.name + "\"");
    return next;
}

Result<Cell> deleteSignal(const Cell& cell, SignalId id)
{
    const Signal* signal = findSignal(cell, id);
    if (!signal) return missing("signal");
    if (const std::vector<SignalUse> uses = usesOf(cell, id); !uses.empty())
        return Error{"edit.signal-used", fmt::format("\"{}\" is used by {}", signal->name, uses.front().words), "",
                     "Take it away there first."};
    Cell next = cell;
    next.signals.erase(id);
    return next;
}

FrameId writerOf(const Cell& cell, SignalId id)
{
    for (const Frame& f : cell.frames)
        if (f.device && id && (f.device->output == id || f.device->number == id)) return f.id;
    return {};
}

std::vector<SignalUse> usesOf(const Cell& cell, SignalId id)
{
    std::vector<SignalUse> out;
    for (const Frame& frame : cell.frames) {
        if (!frame.device) continue;
        const Wires wires = wiresOf(frame.device->kind);
        const auto add = [&](SignalId own, const char* role, bool writes) {
            if (own == id && role) out.push_back({writes, frame.id, {}, {}, frame.name + ": " + role});
        };
        add(frame.device->input, wires.input, false);
        add(frame.device->output, wires.output, true);
        add(frame.device->number, wires.number, true);
    }
    for (const Tool& tool : cell.tools)
        for (const Process& process : tool.processes)
            if (process.signal == id) out.push_back({true, {}, {}, {}, tool.name + ": " + process.name});
    for (const StepUse& use : stepsThatUse(cell, id))
        out.push_back({use.writes,
                       {},
                       use.routine,
                       use.step,
                       fmt::format("{}, step {}", findRoutine(cell, use.routine)->name, use.number + 1)});
    return out;
}

}  // namespace topikos
