#pragma once
#include "core/cell/edit.h"

namespace topikos {

// Edits of the arms of a cell.

/// Another arm on a frame, with a tool, a home posture and an empty routine of its own.
Result<Cell> addArm(const Cell& cell, const std::string& name, const ArmPtr& model, FrameId mount,
                    ArmId* created = nullptr);
Result<Cell> renameArm(const Cell& cell, ArmId id, const std::string& name);
/// Takes an arm away with its routines, targets and patterns of targets. Refused for the last one.
Result<Cell> deleteArm(const Cell& cell, ArmId id);
/// What bodies made from the data sheet get on all sides for contact [m].
Result<Cell> setArmPadding(const Cell& cell, ArmId id, double padding);
/// The frame that an arm stands on.
Result<Cell> setArmMount(const Cell& cell, ArmId id, FrameId frame);

/// Another routine of an arm, behind the others.
Result<Cell> addRoutine(const Cell& cell, ArmId arm, const std::string& name, RoutineId* created = nullptr);
/// Makes a routine the main one of its arm: the one that runs.
Result<Cell> setMainRoutine(const Cell& cell, RoutineId id);
/// Refused for the last one of its arm. If it was the main one, the arm's next one becomes that.
Result<Cell> deleteRoutine(const Cell& cell, RoutineId id);

}  // namespace topikos
