#pragma once
#include "core/cell/cell.h"
#include "core/spatial/result.h"

namespace topikos {

// Edits of several targets at once. Members of patterns are placed by these, so that those which place refuse them.

/// How the way to targets is free.
Result<Cell> setFreedom(const Cell& cell, const std::vector<TargetId>& ids, const Freedom& freedom);
Status checkFreedom(const Freedom& freedom);

/// How the tool comes to targets, or leaves them.
Result<Cell> setApproach(const Cell& cell, const std::vector<TargetId>& ids, bool retract, const Approach& way);
Status checkApproach(const Approach& way);

/// The group that targets are listed under; "" for none. Up to 60 characters.
Result<Cell> setTargetGroup(const Cell& cell, const std::vector<TargetId>& ids, const std::string& group);
Result<Cell> setTargetNote(const Cell& cell, TargetId id, const std::string& note);
Status checkTargetText(const Target& target);

/// Moves targets by so much along the axes of their frame [m], after turning them about one of its axes (0 to 2; [rad])
/// through `about`, a place in it.
struct TargetShift {
    Vec3 along = Vec3::Zero();
    int axis = 2;
    double turn = 0;
    Vec3 about = Vec3::Zero();
};
Result<Cell> shiftTargets(const Cell& cell, const std::vector<TargetId>& ids, const TargetShift& shift);

/// Mirrors targets at the plane through `through` across axis `axis` (0 to 2) of their frame. A mirrored tool would be
/// another tool: its z axis is mirrored, its x axis too, and its y axis follows.
Result<Cell> mirrorTargets(const Cell& cell, const std::vector<TargetId>& ids, int axis, const Vec3& through);

/// The same targets once more in another frame, each where it is in its own; those tied to another one of them are tied
/// to its copy.
Result<Cell> copyTargetsTo(const Cell& cell, const std::vector<TargetId>& ids, FrameId frame,
                           std::vector<TargetId>* created = nullptr);

}  // namespace topikos
