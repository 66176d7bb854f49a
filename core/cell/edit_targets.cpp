#include "core/cell/edit_targets.h"

#include "core/cell/edit_support.h"
#include "core/cell/settled.h"
#include "core/cell/step_check.h"
#include "core/spatial/limits.h"
#include "core/spatial/rotation.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace topikos {

namespace {

/// A target that stands in a frame.
Result<const Target*> poseTarget(const Cell& cell, TargetId id)
{
    const Target* own = findTarget(cell, id);
    if (!own) return missing("target");
    if (own->kind == Target::Kind::Posture)
        return fail("edit.not-a-pose", fmt::format("\"{}\" is a posture and stands in no frame", own->name),
                    "Choose pose targets only.");
    return own;
}

/// Gives each of the targets another pose in its frame.
template <class Moved> Result<Cell> placed(const Cell& cell, const std::vector<TargetId>& ids, Moved moved)
{
    Cell next = cell;
    for (const TargetId id : ids) {
        const Result<const Target*> found = poseTarget(cell, id);
        if (!found) return found.error();
        const Target* own = *found;
        if (Status bad = checkNoMember(cell, *own)) return *bad;
        const Pose pose = moved(own->pose);
        if (Status bad = checkPose(pose)) return *bad;
        Target& target = *next.targets.edit(id);
        target.pose = pose;
    }
    // What is tied to another target that has been moved too stays where it is beside it.
    for (const TargetId id : ids)
        keepTie(next, *next.targets.edit(id));
    return next;
}

}  // namespace

Status checkFreedom(const Freedom& f)
{
    if (Status bad = checkLimit(limits::kFreeAngle, f.angle, "edit.freedom")) return bad;
    if (Status bad = checkLimit(limits::kFreeLength, f.length, "edit.freedom")) return bad;
    if (f.axis < 0 || f.axis > 2) return fail("edit.freedom", "there is no such axis", "Name x, y or z.");
    return std::nullopt;
}

Result<Cell> setFreedom(const Cell& cell, const std::vector<TargetId>& ids, const Freedom& freedom)
{
    if (Status bad = checkFreedom(freedom)) return *bad;
    Cell next = cell;
    for (const TargetId id : ids) {
        Target* target = next.targets.edit(id);
        if (!target) return missing("target");
        if (target->kind == Target::Kind::Posture)
            return fail("edit.freedom", fmt::format("\"{}\" is a posture: each joint has one value", target->name),
                        "Give freedom to pose targets.");
        target->freedom = freedom;
    }
    return next;
}

Status checkApproach(const Approach& way)
{
    for (const double distance : {way.far, way.near})
        if (Status bad = checkLimit(limits::kStandoff, distance, "edit.approach")) return bad;
    if (way.near > way.far)
        return fail("edit.approach", "the near point of the way is farther off than its far one",
                    "Keep the second distance below the first.");
    if (way.axis < 0 || way.axis > 2) return fail("edit.approach", "there is no such axis", "Name x, y or z.");
    return std::nullopt;
}

Result<Cell> setApproach(const Cell& cell, const std::vector<TargetId>& ids, bool retract, const Approach& way)
{
    if (Status bad = checkApproach(way)) return *bad;
    Cell next = cell;
    for (const TargetId id : ids) {
        const Result<const Target*> found = poseTarget(cell, id);
        if (!found) return found.error();
        if (Status bad = checkNoMember(cell, **found)) return *bad;
        Target* target = next.targets.edit(id);
        (retract ? target->retract : target->approach) = way;
    }
    return next;
}

Status checkTargetText(const Target& target)
{
    for (const std::string* text : {&target.group, &target.note}) {
        if (Status bad = checkStepText(*text)) return bad;
        if (Status bad = checkLimit(limits::kTargetNote, double(text->size()), "edit.target-text")) return bad;
    }
    return std::nullopt;
}

Result<Cell> setTargetGroup(const Cell& cell, const std::vector<TargetId>& ids, const std::string& group)
{
    if (!group.empty())
        if (Status bad = checkName(group)) return *bad;
    Cell next = cell;
    for (const TargetId id : ids) {
        Target* target = next.targets.edit(id);
        if (!target) return missing("target");
        if (Status bad = checkNoMember(cell, *target)) return *bad;
        target->group = group;
    }
    return next;
}

Result<Cell> setTargetNote(const Cell& cell, TargetId id, const std::string& note)
{
    Cell next = cell;
    Target* target = next.targets.edit(id);
    if (!target) return missing("target");
    target->note = note;
    if (Status bad = checkTargetText(*target)) return *bad;
    return next;
}

Result<Cell> shiftTargets(const Cell& cell, const std::vector<TargetId>& ids, const TargetShift& shift)
{
    const Quat turn(Eigen::AngleAxisd(shift.turn, Vec3::Unit(shift.axis)));
    return placed(cell, ids, [&](const Pose& p) {
        return Pose{shift.about + turn * (p.translation - shift.about) + shift.along, (turn * p.rotation).normalized()};
    });
}

Result<Cell> mirrorTargets(const Cell& cell, const std::vector<TargetId>& ids, int axis, const Vec3& through)
{
    const auto across = [axis](Vec3 v) {
        v[axis] = -v[axis];
        return v;
    };
    return placed(cell, ids, [&](const Pose& p) {
        const Mat3 r = p.matrix();
        Mat3 mirrored;
        mirrored.col(0) = across(r.col(0));
        mirrored.col(2) = across(r.col(2));
        mirrored.col(1) = mirrored.col(2).cross(mirrored.col(0));
        return Pose{through + across(p.translation - through), Quat(mirrored).normalized()};
    });
}

Result<Cell> copyTargetsTo(const Cell& cell, const std::vector<TargetId>& ids, FrameId frame,
                           std::vector<TargetId>* created)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    Cell next = cell;
    std::map<TargetId, TargetId> copies;
    for (const TargetId id : ids) {
        const Result<const Target*> found = poseTarget(cell, id);
        if (!found) return found.error();
        const Target* own = *found;
        Target copy = *own;
        copy.id = {next.nextId++};
        copy.name = freeNameIn(next.targets,
                               fmt::format("{} {}", shortened(own->name, 24), shortened(frameName(cell, frame), 24)));
        copy.frame = frame;
        copy.pattern = {};
        copy.place = 0;
        std::erase_if(copy.axes, [&](const AxisValue& a) {
            const std::vector<FrameId> between = axesBetween(cell, armOf(cell, *own).mount, frame);
            return std::find(between.begin(), between.end(), a.frame) == between.end();
        });
        copies[id] = copy.id;
        if (created) created->push_back(copy.id);
        next.targets.push_back(std::move(copy));
    }
    for (const auto& [from, to] : copies) {
        Target& copy = *next.targets.edit(to);
        if (!copy.tie) continue;
        const auto other = copies.find(copy.tie->target);
        if (copy.tie->target && other != copies.end()) copy.tie->target = other->second;
        else copy.tie.reset();
    }
    return next;
}

}  // namespace topikos
