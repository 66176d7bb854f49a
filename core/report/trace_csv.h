#pragma once
#include "core/files/file.h"
#include "core/simulate/trace.h"

namespace topikos {

inline constexpr double kTableStep = 0.004;  // [s]

/// Refused: rows closer than limits::kTableStep, or more of them than limits::kTableRows.
Status checkTable(const Trace& trace, double step);

/// The run as a table: time [s], joint values [rad or m], gripper opening [m], TCP position in the world [m]. One row
/// every `step` [s] and one at the end, handed on in pieces. Refused when that is more than limits::kTableRows.
Status writeTraceCsv(const Cell& cell, const Trace& trace, const FileSink& sink, double step = kTableStep);
/// The same as one text, or as a file.
Result<std::string> traceCsv(const Cell& cell, const Trace& trace, double step = kTableStep);
Status saveTraceCsv(const std::string& path, const Cell& cell, const Trace& trace, double step = kTableStep);

}  // namespace topikos
