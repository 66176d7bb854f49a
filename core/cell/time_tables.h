#pragma once
#include "core/cell/cell.h"

namespace topikos {

inline constexpr double kLeastRowTime = 1e-6;  ///< from row to row [s]

/// What is wrong with rows for a model of an arm, or nothing: each joint once, times that rise from 0 by at least
/// kLeastRowTime, values within limits::kJointTravel.
Status checkTimeRows(const TimeRows& rows, const Arm& arm);

/// One more table of an arm, or other rows for one that is there.
Result<Cell> addTimeTable(const Cell& cell, ArmId arm, const std::string& name, TimeRows rows,
                          TimeTableId* created = nullptr);
Result<Cell> setTimeRows(const Cell& cell, TimeTableId id, TimeRows rows);
Result<Cell> renameTimeTable(const Cell& cell, TimeTableId id, const std::string& name);
/// Refused while a step plays it.
Result<Cell> deleteTimeTable(const Cell& cell, TimeTableId id);

}  // namespace topikos
