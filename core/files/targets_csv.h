#pragma once
#include "core/cell/cell.h"
#include "core/files/file.h"

namespace topikos {

// Targets as a table: out, and in again from a spreadsheet.

/// A row for each target that is in no pattern: name, arm, frame, tool, point, place [m] and quaternion of the tool
/// point in the frame, way; of postures the joints [rad or m]; group and note, approach and retract where some target
/// has any of its own. Numbers read back to the last bit.
std::string targetsCsv(const Cell& cell);
Status saveTargetsCsv(const std::string& path, const Cell& cell);

/// What a table does to the targets of a cell.
struct TargetsRead {
    Cell cell;                          ///< with all rows that are right
    size_t changed = 0, added = 0;      ///< targets
    std::vector<Error> broken{};        ///< rows that are not, each with its line; nothing of them is taken
    std::vector<std::string> unread{};  ///< names of columns that mean nothing here

    /// "column "colour" is not read"; empty where all are.
    std::string unreadText() const;
};
/// Columns are matched by their names, letter case not counted, with a unit in brackets (without one m and rad): name,
/// arm, frame, tool, point, x, y, z; qw, qx, qy, qz or rx, ry, rz (the angles of the cell's order); shoulder, elbow,
/// wrist, or all three in one column way; approach, near approach, approach along ("tool -z") and the same of retract;
/// group, note; j1, j2, … for postures. A row changes the target of that name in what its columns say, or makes a new
/// one. Fails where the table as a whole cannot be used: a unit that does not fit its column, a rotation or a posture
/// of which columns are missing.
Result<TargetsRead> targetsFromCsv(const Cell& cell, const std::string& text);

}  // namespace topikos
