#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "tests/fuzz/target.h"

using namespace topikos;

TOPIKOS_FUZZ_TARGET(run)
{
    const Result<Cell> cell = readCell(bytes, "cell");
    if (!cell) return;
    RunOptions options;
    options.until = 60;
    fuzz::require(simulate(*cell, options).duration <= 60, "a run ends where it is told to");
    for (const Finding& f : check(*cell).findings)
        fuzz::requireLine(findingText(*cell, f).line());
}
