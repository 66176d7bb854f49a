#include "core/cell/time_tables.h"
#include "core/files/cell_file.h"
#include "core/files/time_table_csv.h"
#include "tests/fuzz/target.h"

using namespace topikos;

/// A table of times is an error, or rows that are written and read to the same.
TOPIKOS_FUZZ_TARGET(timetable)
{
    static const Cell cell = openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value();
    const ArmStation& arm = cell.arms.front();
    const Result<TimeRows> rows = readTimeTable(bytes, arm, nullptr);
    if (!rows) return fuzz::requireLine(rows.error().line());
    fuzz::require(!checkTimeRows(*rows, *arm.model), "the rows can be kept");
    const Result<TimeRows> again = readTimeTable(timeTableCsv(*arm.model, *rows), arm, nullptr);
    fuzz::require(bool(again), "a written table is read again");
    fuzz::require(again->times == rows->times && again->values == rows->values && again->joints == rows->joints,
                  "to the same rows");
}
