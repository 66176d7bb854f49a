#pragma once
#include "core/simulate/trace.h"

namespace topikos {

/// The run as a table: time [s], joint values [rad or m], gripper opening [m], TCP position in the world [m]. One row
/// every `step` [s] and one at the end.
std::string traceCsv(const Cell& cell, const Trace& trace, double step = 0.004);

}  // namespace topikos
