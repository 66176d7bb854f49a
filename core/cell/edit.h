#pragma once
#include "core/cell/cell.h"

namespace topikos {

// Edits: functions from a cell to a cell. A refused edit says why and changes nothing.

// Of the layout: core/cell/edit_layout.h; of patterns: core/cell/pattern.h.

/// Names must be 1 to 60 characters, without line breaks, unique among objects of their kind (letter case does not
/// count).
Result<Cell> renameCell(const Cell& cell, const std::string& name);
Result<Cell> renameTarget(const Cell& cell, TargetId id, const std::string& name);
Result<Cell> renameRoutine(const Cell& cell, RoutineId id, const std::string& name);

/// Another arm on the same base. Targets, tool and routines stay; checks tell what no longer works. With another number
/// of joints, home becomes the arm's own and other posture targets hold the flange where they did, if that is possible.
Result<Cell> setArmModel(const Cell& cell, ArmId arm, const ArmPtr& model);
/// One more surface on a link, in base as in the posture of the arm's drawing; of arms entered otherwise, with all
/// joints at zero. Links with surfaces need no body made from the kinematics.
Result<Cell> addLinkSurface(const Cell& cell, ArmId arm, const LinkMesh& surface);
/// Chooses the convention in which orientations are shown and typed.
Result<Cell> setAngles(const Cell& cell, AngleOrder angles);
/// Holds axis `joint` (from 0) at `value` [rad or m], or frees it. Solutions then leave it out.
Result<Cell> setAxisLock(const Cell& cell, ArmId arm, int joint, std::optional<double> value);
/// Chooses ways for several pose targets at once.
Result<Cell> setTargetWays(const Cell& cell, const std::vector<std::pair<TargetId, Solution>>& ways);

/// A pose target of an arm where its tool in force stands at `posture`, in `frame`, with the configuration of
/// `posture`. Device axes between the arm and the frame stand at `axes` and come along with the target.
Result<Cell> takePoseTarget(const Cell& cell, ArmId arm, FrameId frame, const JointVector& posture,
                            const std::string& name, TargetId* created = nullptr, const AxisValues& axes = {});
Result<Cell> takePostureTarget(const Cell& cell, ArmId arm, const JointVector& posture, const std::string& name,
                               TargetId* created = nullptr);
/// Takes the target anew at `posture`, keeping its kind, frame and place in the program. The tool becomes the one in
/// force.
Result<Cell> retakeTarget(const Cell& cell, TargetId id, const JointVector& posture, const AxisValues& axes = {});
Result<Cell> setTargetPose(const Cell& cell, TargetId id, const Pose& frameFromTcp);
/// Ties pose targets to another frame; each stays where it is in the world, with the axes that come along to it where
/// it has them and the others at the start. Refused for those of a pattern.
Result<Cell> setTargetFrame(const Cell& cell, const std::vector<TargetId>& ids, FrameId frame);
/// The same target once more, under a name of its own.
Result<Cell> copyTarget(const Cell& cell, TargetId id, TargetId* created = nullptr);
/// Chooses one of the ways to reach a pose target.
Result<Cell> setTargetWay(const Cell& cell, TargetId id, const Solution& way);
/// Refused for home and while steps use it.
Result<Cell> deleteTarget(const Cell& cell, TargetId id);
Result<Cell> setHome(const Cell& cell, TargetId id);

/// Inserts before position `at` (0 to the number of steps). The step gets a new id.
Result<Cell> insertStep(const Cell& cell, RoutineId routine, size_t at, Step step, StepId* created = nullptr);
Result<Cell> deleteStep(const Cell& cell, RoutineId routine, StepId step);
/// Moves a step so that it stands at position `to` afterwards.
Result<Cell> moveStep(const Cell& cell, RoutineId routine, StepId step, size_t to);
/// Replaces the step with the same id.
Result<Cell> changeStep(const Cell& cell, RoutineId routine, const Step& step);

Result<Cell> setThresholds(const Cell& cell, const Thresholds& thresholds);

/// The first of `stem 1`, `stem 2`, … that no target has.
std::string freeTargetName(const Cell& cell, const std::string& stem);

/// What is wrong with thresholds, or nothing: 0 <= blocked <= caution, finite.
Status checkThresholds(const Thresholds& thresholds);

}  // namespace topikos
