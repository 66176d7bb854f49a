#pragma once
#include "core/cell/edit.h"
#include "core/cell/step_tree.h"

namespace topikos {

// Edits of steps. What they cost grows with the routine, not with its square. A number in place of a StepPlace means
// that place among the outermost steps.

/// Inserts steps side by side, with all they hold. All get new ids; `created` has those of the outer ones.
Result<Cell> insertSteps(const Cell& cell, RoutineId routine, const StepPlace& at, std::vector<Step> steps,
                         std::vector<StepId>* created = nullptr);
Result<Cell> insertSteps(const Cell& cell, RoutineId routine, size_t at, std::vector<Step> steps,
                         std::vector<StepId>* created = nullptr);
/// Deletes steps, with all they hold.
Result<Cell> deleteSteps(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps);
/// Brings steps side by side, in the order given, with all they hold: the first to a place, counted without them. Steps
/// inside others of them come along with those. Refused into a step that is moved itself.
Result<Cell> moveSteps(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps, const StepPlace& to);
Result<Cell> moveSteps(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps, size_t to);
/// Replaces the steps with the same ids, with all they hold.
Result<Cell> changeSteps(const Cell& cell, RoutineId routine, const std::vector<Step>& steps);

/// Steps that stand side by side become the body of a new block in their place.
Result<Cell> wrapSteps(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps, Step block,
                       StepId* created = nullptr);
/// What a block holds takes its place.
Result<Cell> unwrapStep(const Cell& cell, RoutineId routine, StepId block);
/// Steps that stand side by side become a routine of their own, called in their place. Places that a loop or a call
/// gives them become places of the new routine.
Result<Cell> makeRoutine(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps, const std::string& name,
                         RoutineId* created = nullptr);
/// The names of a routine's places. Those with an id of the routine keep what calls give them; new ones (id 0) are
/// given the home of the calling arm, for want of better. Refused while a step uses one that goes.
Result<Cell> setParameters(const Cell& cell, RoutineId routine, std::vector<Parameter> parameters);
/// The arm that runs a routine; none: every arm can call it.
Result<Cell> setRoutineArm(const Cell& cell, RoutineId routine, ArmId arm);
/// One more process of a tool, or a changed one; the id 0 makes a new one.
Result<Cell> setProcess(const Cell& cell, ToolId tool, Process process, ProcessId* created = nullptr);
/// Refused while a step uses it.
Result<Cell> deleteProcess(const Cell& cell, ProcessId process);

/// Those of the steps that are in none of the others, in the order of the routine.
std::vector<StepId> outermost(const Steps& steps, const std::vector<StepId>& ids);

}  // namespace topikos
