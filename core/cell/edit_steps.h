#pragma once
#include "core/cell/edit.h"

namespace topikos {

// Edits of several steps of a routine at once; what they cost grows with the routine, not with its square.

/// Inserts steps before position `at`, side by side. They get new ids.
Result<Cell> insertSteps(const Cell& cell, RoutineId routine, size_t at, std::vector<Step> steps,
                         std::vector<StepId>* created = nullptr);
Result<Cell> deleteSteps(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps);
/// Brings steps side by side, in the order given, the first to position `to` of those that are left.
Result<Cell> moveSteps(const Cell& cell, RoutineId routine, const std::vector<StepId>& steps, size_t to);
/// Replaces the steps with the same ids.
Result<Cell> changeSteps(const Cell& cell, RoutineId routine, const std::vector<Step>& steps);

}  // namespace topikos
