#pragma once
#include "core/cell/cell.h"
#include "core/files/table_text.h"

#include <string>
#include <vector>

namespace topikos {

// Time tables from text, as spreadsheets and other programs write it, and out again.

/// What a column is.
struct TableColumn {
    enum class Use { None, Time, Joint };
    Use use = Use::None;
    int joint = -1;  ///< from 0
    TableUnit unit = TableUnit::Second;
    bool said = false;  ///< the text names the unit; else it is taken for granted
};
/// Columns by their names: "time" or "t"; a joint by its own name, that of the arm and its own, or its number ("j2",
/// "joint 2", "axis 2"). A unit stands in brackets, or behind the last blank or underscore. Without one times are in s,
/// joints in ° or mm. Without names the first column is the time, and the joints follow in their order.
std::vector<TableColumn> guessColumns(const TableText& table, const ArmStation& arm);

/// The rows that the columns make, with times counted from the first one. Fails with the line and column of what is
/// wrong, and where checkTimeRows() does.
Result<TimeRows> timeRowsOf(const TableText& table, const std::vector<TableColumn>& columns, const ArmStation& arm);

/// All three in one, for texts that say what they hold. `used` tells how the columns were taken.
Result<TimeRows> readTimeTable(const std::string& text, const ArmStation& arm,
                               std::vector<TableColumn>* used = nullptr);

/// The rows as CSV, with the columns that runs are written with; reads back to the last bit.
std::string timeTableCsv(const Arm& arm, const TimeRows& rows);

/// "time in s, joint_2 in ° (taken for granted); not used: comment"
std::string columnsText(const TableText& table, const std::vector<TableColumn>& columns, const ArmStation& arm);

}  // namespace topikos
