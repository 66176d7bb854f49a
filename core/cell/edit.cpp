#include "core/cell/edit.h"

#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/cell/settled.h"
#include "core/cell/step_tree.h"
#include "core/cell/time_tables.h"
#include "core/robot/data_sheet.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>

namespace topikos {

Error missing(const char* what)
{
    return {"edit.missing", fmt::format("this {} is no longer in the cell", what), "", "Choose another one."};
}

Status checkName(const std::string& name)
{
    if (name.empty()) return Error{"edit.name-empty", "a name cannot be empty", "", "Type at least one character."};
    if (!isUtf8(name)) return Error{"edit.name-bytes", "the name is no UTF-8 text", "", "Type it again."};
    const auto length = std::count_if(name.begin(), name.end(), [](char c) { return (c & 0xc0) != 0x80; });
    if (Status bad = checkLimit(limits::kNameLength, double(length), "edit.name-long")) return bad;
    if (name.front() == ' ' || name.back() == ' ' || shownText(name) != name)
        return Error{"edit.name-characters",
                     "a name cannot begin or end with a space, or hold line breaks or other control characters", "",
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
    for (const StepUse& use : stepsThatUse(cell, target.id))
        return Error{"edit.target-used", fmt::format("\"{}\" is used by {}", target.name, wordsOf(cell, use)), "",
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
    const auto gone = [&](const Touchable& t) {
        const auto* kind = std::get_if<PartKindId>(&t);
        return kind && !cell.partKinds.find(*kind);
    };
    const auto namesOne = [&](const Step& step) {
        return std::any_of(step.mayTouch.begin(), step.mayTouch.end(), gone);
    };
    cell.routines.change(
        [&](const Routine& routine) {
            bool found = false;
            eachStep(routine.steps, [&](const Step& step, size_t) { found = found || namesOne(step); });
            return found;
        },
        [&](Routine& routine) {
            changeEach(routine.steps, namesOne, [&](Step& step) { std::erase_if(step.mayTouch, gone); });
        });
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
    if (!pose.translation.allFinite() || !pose.rotation.coeffs().allFinite())
        return Error{"edit.pose", "the pose holds a value that is not a number", "", "Type plain numbers."};
    const double farthest = pose.translation.cwiseAbs().maxCoeff();
    if (!limits::kOffset.holds(farthest))
        return Error{
            "edit.pose-far",
            fmt::format("an offset of {:.0f} m is too far; {:.0f} m is the limit", farthest, limits::kOffset.most), "",
            "Check the unit: offsets are typed in mm unless one is given."};
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

namespace {

std::shared_ptr<const TimeRows> ofJointsBelow(const TimeRows& rows, int joints)
{
    TimeRows out;
    out.times = rows.times;
    for (const int joint : rows.joints)
        if (joint < joints) out.joints.push_back(joint);
    for (size_t i = 0; i < rows.size(); ++i)
        for (size_t k = 0; k < rows.joints.size(); ++k)
            if (rows.joints[k] < joints) out.values.push_back(rows.at(i, k));
    return std::make_shared<const TimeRows>(std::move(out));
}

}  // namespace

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
    // Pairs of this arm were found with other links; those set by hand stay as far as their links are there.
    const auto lost = [&](const ContactMember& m) {
        return m.kind == ContactMember::Kind::Link && m.arm == id && m.id > std::uint32_t(model->jointCount());
    };
    std::erase_if(next.contact.pairs, [&](const ContactPair& p) {
        const bool own = p.a.arm == id || p.b.arm == id;
        return lost(p.a) || lost(p.b) || (own && p.reason != ContactPair::Reason::ByHand);
    });
    if (model->description().sheet) next.angles = model->description().sheet->orientation;
    const bool sameJoints =
        std::equal(model->joints().begin(), model->joints().end(), before.joints().begin(), before.joints().end(),
                   [](const Joint& a, const Joint& b) { return a.kind == b.kind; });
    const auto adapt = [&](Target& target) {
        if (target.kind == Target::Kind::Posture) {
            // Another arm starts at its own home; the same one, changed, where it did.
            if (target.id == home && model->description().id != before.description().id) {
                target.posture = armHome(*model);
                return;
            }
            if (sameJoints) return;
            // A posture means nothing to another chain: the flange is held where it was.
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
    // A table keeps the joints that are still there.
    next.timeTables.change([&](const TimeTable& t) { return t.arm == id && bool(checkTimeRows(*t.rows, *model)); },
                           [&](TimeTable& t) { t.rows = ofJointsBelow(*t.rows, model->jointCount()); });
    Table<Target> targets = next.targets;
    targets.change([id](const Target& t) { return t.arm == id; }, adapt);
    next.targets = std::move(targets);
    return next;
}

Result<Cell> addLinkSurface(const Cell& cell, ArmId id, const LinkMesh& surface)
{
    const ArmStation* station = findArm(cell, id);
    if (!station) return missing("arm");
    const ArmDescription& before = station->model->description();
    if (surface.link < 0 || surface.link > int(before.joints.size()) || !surface.triangles)
        return Error{"edit.axis", fmt::format("the arm has no link {}", surface.link), "", "Choose one of its links."};
    // The sheet is what keeps surfaces in a file. It knows nothing of locks.
    ArmDescription bare = before;
    for (Joint& joint : bare.joints)
        joint.locked.reset();
    if (bare.sheet && bare.sheet->placement != DataSheet::Placement::Drawing) bare.sheet.reset();
    DataSheet sheet = bare.sheet ? *bare.sheet : sheetOf(bare);
    sheet.orientation = cell.angles;  // as it is shown now
    sheet.meshes.push_back(surface);
    Result<ArmDescription> described = describe(sheet);
    if (!described) return described.error();
    ArmDescription next = std::move(described).value();
    next.id = before.id;
    for (size_t i = 0; i < before.joints.size(); ++i)
        next.joints[i].locked = before.joints[i].locked;
    const Result<ArmPtr> model = Arm::make(std::move(next));
    return model ? setArmModel(cell, id, *model) : Result<Cell>(model.error());
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
        keepTie(cell, target);
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
        keepTie(cell, target);
        return std::nullopt;
    });
}

Result<Cell> setTargetFrame(const Cell& cell, const std::vector<TargetId>& ids, FrameId frame)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    Cell next = cell;
    for (const TargetId id : ids) {
        const Target* own = findTarget(cell, id);
        if (!own) return missing("target");
        if (own->kind != Target::Kind::Pose)
            return Error{"edit.not-a-pose", fmt::format("\"{}\" is a posture and stands in no frame", own->name), "",
                         "Choose pose targets only."};
        if (Status bad = checkNoMember(cell, *own)) return *bad;
        const FrameId mount = armOf(cell, *own).mount;
        const std::vector<FrameId> before = axesBetween(cell, mount, own->frame);
        Target& target = *next.targets.edit(id);
        target.pose =
            inverse(worldFromFrame(cell, frame, own->axes)) * worldFromFrame(cell, own->frame, own->axes) * own->pose;
        target.frame = frame;
        target.tie.reset();
        target.axes.clear();
        for (const FrameId axis : axesBetween(cell, mount, frame)) {
            const bool named =
                std::any_of(own->axes.begin(), own->axes.end(), [axis](const AxisValue& a) { return a.frame == axis; });
            // What stayed behind on purpose goes on staying.
            if (named || std::find(before.begin(), before.end(), axis) == before.end())
                target.axes.push_back({axis, axisValue(*findFrame(cell, axis), own->axes)});
        }
    }
    return next;
}

Result<Cell> copyTarget(const Cell& cell, TargetId id, TargetId* created)
{
    const Target* target = findTarget(cell, id);
    if (!target) return missing("target");
    Target copy = *target;
    copy.name = freeNameIn(cell.targets, target->name + " copy");
    copy.pattern = {};
    copy.place = 0;
    return added(cell, std::move(copy), created);
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

Status checkThresholds(const Thresholds& t)
{
    constexpr const char* code = "edit.threshold";
    if (Status bad = checkLimit(limits::kJointMargin, t.jointMargin, code)) return bad;
    if (Status bad = checkLimit(limits::kSlideMargin, t.slideMargin, code)) return bad;
    if (Status bad = checkLimit(limits::kClearance, t.clearance, code)) return bad;
    struct Pair {
        const char* name;
        double blocked, caution;
        const Limit& limit;
    };
    for (const Pair& p : {Pair{"wrist", t.wristBlocked, t.wristCaution, limits::kWristAngle},
                          Pair{"elbow", t.elbowBlocked, t.elbowCaution, limits::kSingularLength},
                          Pair{"shoulder", t.shoulderBlocked, t.shoulderCaution, limits::kSingularLength},
                          Pair{"direction", t.directionBlocked, t.directionCaution, limits::kSingularValue}}) {
        for (const double value : {p.blocked, p.caution})
            if (Status bad = checkLimit(p.limit, value, code)) return bad;
        if (p.blocked > p.caution)
            return Error{code,
                         fmt::format("{}: blocked at {:.4g} {}, caution at {:.4g} {} is not possible", p.name,
                                     p.blocked / p.limit.inUnit, p.limit.unit, p.caution / p.limit.inUnit,
                                     p.limit.unit),
                         "", "Blocked must be at least 0 and not above caution."};
    }
    return std::nullopt;
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
