#include "core/cell/validate.h"
#include "core/files/cell_file.h"
#include "core/files/targets_csv.h"
#include "tests/fuzz/target.h"

using namespace topikos;

/// A table is an error, or rows that are wrong beside a cell that can be saved; that cell's table changes nothing more.
TOPIKOS_FUZZ_TARGET(targets)
{
    static const Cell cell = openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value();
    const Result<TargetsRead> read = targetsFromCsv(cell, bytes);
    if (!read) return fuzz::requireLine(read.error().line());
    for (const Error& error : read->broken)
        fuzz::requireLine(error.line());
    fuzz::require(!validate(read->cell), "the cell can be saved");
    const Result<TargetsRead> again = targetsFromCsv(read->cell, targetsCsv(read->cell));
    fuzz::require(bool(again) && again->broken.empty() && again->unread.empty(), "a written table is read again");
    fuzz::require(again->changed + again->added == 0, "and changes nothing");
}
