#pragma once
#include "core/files/file.h"
#include "core/simulate/breakdown.h"

namespace topikos {

/// A row for each step: arm, routine, step, its words, passes, seconds in all, per cycle, share of the time, saved by
/// corners, lost to joints, near singularities and to low speeds, what holds it, what it waits for.
std::string breakdownCsv(const Cell& cell, const Breakdown& breakdown);
Status saveBreakdownCsv(const std::string& path, const Cell& cell, const Breakdown& breakdown);

/// What a step does, in words: "line to Tile pick at 150 mm/s".
std::string stepWords(const Cell& cell, const StepShare& step);

}  // namespace topikos
