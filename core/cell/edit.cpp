#include "core/cell/edit.h"

#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/robot/data_sheet.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>

namespace topikos {

std::string lowered(std::string text)
{
    for (char& c : text)
        c = char(std::tolower(static_cast<unsigned char>(c)));
    return text;
}

Error missing(const char* what)
{
    return {"edit.missing", fmt::format("this {} is no longer in the cell", what), "", "Choose another one."};
}

Status checkName(const std::string& name)
{
    if (name.empty()) return Error{"edit.name-empty", "a name cannot be empty", "", "Type at least one character."};
    if (name.size() > 60)
        return Error{"edit.name-long", fmt::format("the name has {} characters; 60 is the limit", name.size()), "",
                     "Shorten it."};
    if (name.front() == ' ' || name.back() == ' '
        || std::any_of(name.begin(), name.end(), [](unsigned char c) { return c < 32; }))
        return Error{"edit.name-characters", "a name cannot begin or end with a space or hold line breaks", "",
                     "Remove them."};
    return std::nullopt;
}

std::string shortened(const std::string& name, size_t most)
{
    size_t end = std::min(most, name.size());
    while (end > 0 && end < name.size() && (static_cast<unsigned char>(name[end]) & 0xc0) == 0x80)
        --end;
    while (end > 1 && name[end - 1] == ' ')
        --end;
    return name.substr(0, end);
}

Status checkUnused(const Cell& cell, const Target& target)
{
    for (const Routine& routine : cell.routines)
        for (size_t i = 0; i < routine.steps.size(); ++i)
            if (routine.steps[i].isMove() && routine.steps[i].target == target.id)
                return Error{"edit.target-used",
                             fmt::format("\"{}\" is used by step {} of \"{}\"", target.name, i + 1, routine.name), "",
                             "Delete that step or give it another target first."};
    return std::nullopt;
}

void dropUnusedKinds(Cell& cell)
{
    std::set<PartKindId> used;
    for (const Part& p : cell.parts)
        used.insert(p.kind);
    for (const Pattern& p : cell.patterns)
        used.insert(p.kind);
    for (const Frame& f : cell.frames)
        if (f.device) used.insert(f.device->makes);
    cell.partKinds.eraseIf([&](const PartKind& kind) { return !used.contains(kind.id); });
}

Error nameTaken(const std::string& name)
{
    return {"edit.name-taken", fmt::format("there is already a \"{}\"", name), "", "Choose a different name."};
}

Error inPattern(const std::string& member, const std::string& pattern)
{
    return {"edit.pattern-member",
            fmt::format("\"{}\" belongs to the pattern \"{}\", which names and places it", member, pattern), "",
            "Change the pattern."};
}

Status checkPose(const Pose& pose)
{
    constexpr double farthest = 1000;  // [m]
    if (!pose.translation.allFinite() || !pose.rotation.coeffs().allFinite())
        return Error{"edit.pose", "the pose holds a value that is not a number", "", "Type plain numbers."};
    if (pose.translation.cwiseAbs().maxCoeff() > farthest)
        return Error{"edit.pose-far",
                     fmt::format("an offset of {:.0f} m is too far; {:.0f} m is the limit",
                                 pose.translation.cwiseAbs().maxCoeff(), farthest),
                     "", "Check the unit: offsets are typed in mm unless one is given."};
    return std::nullopt;
}

namespace {

Status checkPosture(const ArmStation& arm, const JointVector& posture)
{
    if (posture.size() != arm.model->jointCount() || !posture.allFinite())
        return Error{"edit.posture", "the posture does not fit the arm", "", "Take it again with this arm."};
    return std::nullopt;
}

template <class Change> Result<Cell> changedTarget(const Cell& cell, TargetId id, Change change)
{
    Cell next = cell;
    Target* target = next.targets.edit(id);
    if (!target) return missing("target");
    const Pose before = target->pose;
    if (Status bad = change(*target)) return *bad;
    if (!(target->pose == before))
        if (Status bad = checkNoMember(cell, *target)) return *bad;
    return next;
}

template <class Change> Result<Cell> changedRoutine(const Cell& cell, RoutineId id, Change change)
{
    Cell next = cell;
    Routine* routine = next.routines.edit(id);
    if (!routine) return missing("routine");
    if (Status bad = change(next, *routine)) return *bad;
    return next;
}

}  // namespace

Result<Cell> renameCell(const Cell& cell, const std::string& name)
{
    if (Status bad = checkName(name)) return *bad;
    Cell next = cell;
    next.name = name;
    return next;
}

Result<Cell> renameTarget(const Cell& cell, TargetId id, const std::string& name)
{
    return renamed(cell, &Cell::targets, id, name, "target");
}
Result<Cell> renameRoutine(const Cell& cell, RoutineId id, const std::string& name)
{
    return renamed(cell, &Cell::routines, id, name, "routine");
}

Result<Cell> setArmModel(const Cell& cell, ArmId id, const ArmPtr& model)
{
    if (!model) return missing("arm");
    Cell next = cell;
    ArmStation* arm = next.arms.edit(id);
    if (!arm) return missing("arm");
    const ArmPtr former = arm->model;
    const Arm& before = *former;
    const TargetId home = arm->home;
    arm->model = model;
    next.contact = {};  // other links, other pairs
    if (model->description().sheet) next.angles = model->description().sheet->orientation;
    const bool sameJoints =
        std::equal(model->joints().begin(), model->joints().end(), before.joints().begin(), before.joints().end(),
                   [](const Joint& a, const Joint& b) { return a.kind == b.kind; });
    const auto adapt = [&](Target& target) {
        if (target.kind == Target::Kind::Posture) {
            if (sameJoints) return;
            // A posture means nothing to another chain: the flange is held where it was, home becomes the arm's own.
            const Solutions found = inverseKinematics(*model, forward(before, target.posture));
            const bool own = found.items.empty() || target.id == home;
            target.posture = own ? armHome(*model) : found.items.front().joints;
            return;
        }
        const Solutions found = inverseKinematics(*model, baseFromFlange(next, target));
        if (keepsPosture(*model)) target.posture = found.items.empty() ? JointVector() : found.items.front().joints;
        else target.posture = JointVector();
        const bool kept = model->hasConfigurations() && withConfiguration(found.items, target.configuration);
        if (!sameJoints && !kept && !found.items.empty()) target.configuration = found.items.front().configuration;
    };
    Table<Target> targets = next.targets;
    targets.change([id](const Target& t) { return t.arm == id; }, adapt);
    next.targets = std::move(targets);
    return next;
}

Result<Cell> setAngles(const Cell& cell, AngleOrder angles)
{
    Cell next = cell;
    next.angles = angles;
    return next;
}

Result<Cell> setAxisLock(const Cell& cell, ArmId id, int joint, std::optional<double> value)
{
    const ArmStation* station = findArm(cell, id);
    if (!station) return missing("arm");
    ArmDescription description = station->model->description();
    if (joint < 0 || joint >= int(description.joints.size()))
        return Error{"edit.axis", fmt::format("the arm has no axis {}", joint + 1), "", "Choose one of its axes."};
    description.joints[size_t(joint)].locked = value;
    Result<ArmPtr> arm = Arm::make(std::move(description));
    if (!arm) return arm.error();
    Cell next = cell;
    next.arms.edit(id)->model = *arm;
    // With an axis held, configurations no longer name a way: targets keep the posture they meant.
    next.targets.change([id](const Target& t) { return t.kind == Target::Kind::Pose && t.arm == id; },
                        [&](Target& target) {
                            if (!keepsPosture(**arm)) {
                                target.posture = JointVector();
                            } else if (target.posture.size() == 0) {
                                const Solutions found = waysTo(cell, target);
                                const Solution* own = chosenWay(*station->model, target, found.items);
                                if (own) target.posture = own->joints;
                            }
                        });
    return next;
}

Result<Cell> setTargetWays(const Cell& cell, const std::vector<std::pair<TargetId, Solution>>& ways)
{
    Result<Cell> next = cell;
    for (const auto& [target, way] : ways) {
        next = setTargetWay(*next, target, way);
        if (!next) return next;
    }
    return next;
}

namespace {

Result<Cell> added(const Cell& cell, Target target, TargetId* created)
{
    if (Status bad = checkNewName(cell.targets, target.name)) return *bad;
    Cell next = cell;
    target.id = {next.nextId++};
    if (created) *created = target.id;
    next.targets.push_back(std::move(target));
    return next;
}

}  // namespace

namespace {

/// Puts a pose target where an arm stands.
void takeHere(const Cell& cell, const ArmStation& arm, Target& target, const JointVector& posture,
              const AxisValues& axes)
{
    target.arm = arm.id;
    target.tool = arm.tool;
    target.tcp = arm.tcp;
    target.pose = frameFromTcp(cell, arm, target.frame, posture, axes);
    target.configuration = configurationOf(*arm.model, posture);
    if (keepsPosture(*arm.model)) target.posture = posture;
    target.axes.clear();
    for (const FrameId axis : axesBetween(cell, arm.mount, target.frame))
        target.axes.push_back({axis, axisValue(*findFrame(cell, axis), axes)});
}

}  // namespace

Result<Cell> takePoseTarget(const Cell& cell, ArmId id, FrameId frame, const JointVector& posture,
                            const std::string& name, TargetId* created, const AxisValues& axes)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    const ArmStation* arm = findArm(cell, id);
    if (!arm) return missing("arm");
    if (Status bad = checkPosture(*arm, posture)) return *bad;
    Target target;
    target.name = name;
    target.frame = frame;
    takeHere(cell, *arm, target, posture, axes);
    return added(cell, std::move(target), created);
}

Result<Cell> takePostureTarget(const Cell& cell, ArmId id, const JointVector& posture, const std::string& name,
                               TargetId* created)
{
    const ArmStation* arm = findArm(cell, id);
    if (!arm) return missing("arm");
    if (Status bad = checkPosture(*arm, posture)) return *bad;
    Target target;
    target.name = name;
    target.arm = id;
    target.kind = Target::Kind::Posture;
    target.posture = posture;
    return added(cell, std::move(target), created);
}

Result<Cell> retakeTarget(const Cell& cell, TargetId id, const JointVector& posture, const AxisValues& axes)
{
    return changedTarget(cell, id, [&](Target& target) -> Status {
        const ArmStation& arm = armOf(cell, target);
        if (Status bad = checkPosture(arm, posture)) return bad;
        if (target.kind == Target::Kind::Posture) target.posture = posture;
        else takeHere(cell, arm, target, posture, axes);
        return std::nullopt;
    });
}

Result<Cell> setTargetPose(const Cell& cell, TargetId id, const Pose& pose)
{
    if (Status bad = checkPose(pose)) return *bad;
    return changedTarget(cell, id, [&](Target& target) -> Status {
        if (target.kind != Target::Kind::Pose)
            return Error{"edit.not-a-pose", fmt::format("\"{}\" is a posture and has no pose of its own", target.name),
                         "", "Take a pose target instead."};
        target.pose = pose;
        return std::nullopt;
    });
}

Result<Cell> setTargetWay(const Cell& cell, TargetId id, const Solution& way)
{
    return changedTarget(cell, id, [&](Target& target) -> Status {
        if (target.kind != Target::Kind::Pose)
            return Error{"edit.not-a-pose",
                         fmt::format("\"{}\" is a posture; its configuration follows from its joints", target.name), "",
                         ""};
        target.configuration = way.configuration;
        if (keepsPosture(*armOf(cell, target).model)) target.posture = way.joints;
        return std::nullopt;
    });
}

Result<Cell> deleteTarget(const Cell& cell, TargetId id)
{
    const Target* target = findTarget(cell, id);
    if (!target) return missing("target");
    if (std::any_of(cell.arms.begin(), cell.arms.end(), [id](const ArmStation& arm) { return arm.home == id; }))
        return Error{"edit.home", fmt::format("\"{}\" is the home posture", target->name), "",
                     "Make another posture home first."};
    if (Status bad = checkUnused(cell, *target)) return *bad;
    if (Status bad = checkNoMember(cell, *target)) return *bad;
    Cell next = cell;
    next.targets.erase(id);
    return next;
}

Result<Cell> setHome(const Cell& cell, TargetId id)
{
    const Target* target = findTarget(cell, id);
    if (!target) return missing("target");
    if (target->kind != Target::Kind::Posture)
        return Error{"edit.home-pose", fmt::format("\"{}\" is a pose; home must be a posture", target->name), "",
                     "Take a posture there and make it home."};
    Cell next = cell;
    next.arms.edit(target->arm)->home = id;
    return next;
}

Status checkSignalValue(const Signal& signal, double value)
{
    const auto fail = [&](const char* needs, const char* remedy) {
        return Error{"edit.signal-value", fmt::format("\"{}\" cannot be {:.6g}: {}", signal.name, value, needs), "",
                     remedy};
    };
    if (!std::isfinite(value) || std::abs(value) > 1e12)
        return fail("values go up to 1e12", "Give a value in that range.");
    if (signal.kind == Signal::Kind::Digital && value != 0 && value != 1)
        return fail("it is on (1) or off (0)", "Give 1 or 0.");
    if (signal.kind == Signal::Kind::Number && value != std::round(value))
        return fail("it holds whole numbers", "Give a whole number.");
    return std::nullopt;
}

Status checkAxisValue(const Frame& frame, double value)
{
    const FrameAxis& axis = *frame.axis;
    if (value >= axis.lowest && value <= axis.highest) return std::nullopt;
    const bool turns = axis.kind == JointKind::Revolute;
    const double unit = turns ? kDegree : kMillimetre;
    const char* symbol = turns ? "°" : " mm";
    return Error{"edit.axis-range",
                 fmt::format("\"{}\" cannot go to {:.6g}{}; {:.6g} to {:.6g}{} is its range", frame.name, value / unit,
                             symbol, axis.lowest / unit, axis.highest / unit, symbol),
                 "", "Give a value in that range, or change the range of the axis."};
}

Status checkStep(const Cell& cell, const Step& step,
                 const std::unordered_map<std::uint32_t, std::vector<FrameId>>* writers)
{
    const auto outside = [](double value, double low, double high) { return !(value >= low && value <= high); };
    const auto fail = [](const char* code, std::string message, const char* remedy) {
        return Error{code, std::move(message), "", remedy};
    };
    if (step.isMove() && !findTarget(cell, step.target))
        return fail("edit.step-target", "the move has no target", "Name a target of this cell.");
    if (outside(step.jointSpeed, 1e-3, 1))
        return fail("edit.step-speed",
                    fmt::format("a joint move at {:.4g} % is not possible; 0.1 to 100 % is", step.jointSpeed * 100),
                    "Give a speed in that range.");
    if (outside(step.lineSpeed, 1e-4, 10))
        return fail("edit.step-speed",
                    fmt::format("a line at {:.6g} mm/s is not possible; 0.1 to 10000 mm/s is", step.lineSpeed * 1000),
                    "Give a speed in that range.");
    if (outside(step.blend, 0, 1))
        return fail("edit.step-blend",
                    fmt::format("a blend of {:.6g} mm is not possible; 0 to 1000 mm is", step.blend * 1000),
                    "Give a blend in that range.");
    if (outside(step.standoff, 0, 1))
        return fail("edit.step-standoff",
                    fmt::format("a distance of {:.6g} mm is not possible; 0 to 1000 mm is", step.standoff * 1000),
                    "Give a distance in that range.");
    if (step.kind == Step::Kind::SetSignal || step.kind == Step::Kind::WaitSignal) {
        const Signal* signal = findSignal(cell, step.signal);
        if (!signal) return fail("edit.step-signal", "the step has no signal", "Name a signal of this cell.");
        if (Status bad = checkSignalValue(*signal, step.value)) return bad;
        const auto writerOfSignal = [&] {
            if (!writers) return writerOf(cell, signal->id);
            const auto known = writers->find(signal->id.value);
            return known == writers->end() ? FrameId() : known->second.front();
        };
        if (const FrameId writer = step.kind == Step::Kind::SetSignal ? writerOfSignal() : FrameId())
            return fail("edit.step-signal-written",
                        fmt::format("\"{}\" is written by \"{}\"", signal->name, frameName(cell, writer)),
                        "Set another signal; this one can be waited for.");
    }
    if (step.kind == Step::Kind::MoveAxes) {
        const std::vector<FrameId> axes = axesOf(cell, step.device);
        if (axes.empty() || findFrame(cell, step.device)->device->kind == Device::Kind::Clamp)
            return fail("edit.step-device", "the step has no device with axes",
                        "Name a rail, turntable or positioner of this cell.");
        if (axes.size() != step.axes.size())
            return fail("edit.step-axes",
                        fmt::format("\"{}\" has {} {}, not {}", frameName(cell, step.device), axes.size(),
                                    axes.size() == 1 ? "axis" : "axes", step.axes.size()),
                        "Give one value for each.");
        for (size_t i = 0; i < axes.size(); ++i)
            if (Status bad = checkAxisValue(*findFrame(cell, axes[i]), step.axes[i])) return bad;
    }
    if (outside(step.seconds, 0, 3600))
        return fail("edit.step-wait", fmt::format("a wait of {:.6g} s is not possible; 0 to 3600 s is", step.seconds),
                    "Give a time in that range.");
    if (step.isMove() && step.standoff > 0 && findTarget(cell, step.target)->kind == Target::Kind::Posture)
        return fail("edit.step-standoff-posture",
                    fmt::format("\"{}\" is a posture, so there is no distance to keep from it",
                                findTarget(cell, step.target)->name),
                    "Leave the distance out.");
    return std::nullopt;
}

Status checkOwnTarget(const Cell& cell, const Routine& routine, const Step& step)
{
    if (!step.isMove() || findTarget(cell, step.target)->arm == routine.arm) return std::nullopt;
    const Target& target = *findTarget(cell, step.target);
    return Error{"edit.step-arm",
                 fmt::format("\"{}\" is a target of \"{}\", not of \"{}\"", target.name, armOf(cell, target).name,
                             armOf(cell, routine).name),
                 "", "Take a target with the arm that runs this routine."};
}

Result<Cell> insertStep(const Cell& cell, RoutineId id, size_t at, Step step, StepId* created)
{
    if (Status bad = checkStep(cell, step)) return *bad;
    return changedRoutine(cell, id, [&](Cell& next, Routine& routine) -> Status {
        if (at > routine.steps.size()) return missing("place in the routine");
        if (Status bad = checkOwnTarget(cell, routine, step)) return bad;
        step.id = {next.nextId++};
        if (created) *created = step.id;
        routine.steps.insert(at, step);
        return std::nullopt;
    });
}

Result<Cell> deleteStep(const Cell& cell, RoutineId id, StepId step)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        if (!routine.steps.find(step)) return missing("step");
        routine.steps.erase(step);
        return std::nullopt;
    });
}

Result<Cell> moveStep(const Cell& cell, RoutineId id, StepId step, size_t to)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        const auto from = routine.steps.placeOf(step);
        if (!from) return missing("step");
        if (to >= routine.steps.size()) return missing("place in the routine");
        routine.steps.move(*from, to);
        return std::nullopt;
    });
}

Result<Cell> changeStep(const Cell& cell, RoutineId id, const Step& step)
{
    if (Status bad = checkStep(cell, step)) return *bad;
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        Step* own = routine.steps.edit(step.id);
        if (!own) return missing("step");
        if (Status bad = checkOwnTarget(cell, routine, step)) return bad;
        *own = step;
        return std::nullopt;
    });
}

Status checkThresholds(const Thresholds& t)
{
    const auto pair = [](const char* name, double blocked, double caution, double unit, const char* symbol) -> Status {
        if (blocked >= 0 && blocked <= caution && caution <= 1e3) return std::nullopt;
        return Error{"edit.threshold",
                     fmt::format("{}: blocked at {:.4g} {}, caution at {:.4g} {} is not possible", name, blocked / unit,
                                 symbol, caution / unit, symbol),
                     "", "Blocked must be at least 0 and not above caution."};
    };
    if (!(t.jointMargin >= 0 && t.jointMargin <= 3.2))
        return Error{"edit.threshold",
                     fmt::format("a joint margin of {:.4g}° is not possible; 0 to 180° is", degrees(t.jointMargin)), "",
                     "Give a margin in that range."};
    if (Status bad = pair("wrist", t.wristBlocked, t.wristCaution, kDegree, "°")) return bad;
    if (Status bad = pair("elbow", t.elbowBlocked, t.elbowCaution, kMillimetre, "mm")) return bad;
    if (Status bad = pair("shoulder", t.shoulderBlocked, t.shoulderCaution, kMillimetre, "mm")) return bad;
    if (!(t.slideMargin >= 0 && t.slideMargin <= 10))
        return Error{"edit.threshold",
                     fmt::format("a margin of {:.4g} mm for sliding joints is not possible; 0 to 10000 mm is",
                                 millimetres(t.slideMargin)),
                     "", "Give a margin in that range."};
    return pair("direction", t.directionBlocked, t.directionCaution, 1, "");
}

Result<Cell> setThresholds(const Cell& cell, const Thresholds& thresholds)
{
    if (Status bad = checkThresholds(thresholds)) return *bad;
    Cell next = cell;
    next.thresholds = thresholds;
    return next;
}

std::string freeTargetName(const Cell& cell, const std::string& stem)
{
    for (int n = 1;; ++n) {
        const std::string name = fmt::format("{} {}", stem, n);
        if (!checkNewName(cell.targets, name)) return name;
    }
}

}  // namespace topikos
