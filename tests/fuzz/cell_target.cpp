#include "core/files/cell_file.h"
#include "tests/fuzz/target.h"

using namespace topikos;

TOPIKOS_FUZZ_TARGET(cell)
{
    const Result<Cell> cell = readCell(bytes, "cell");
    if (!cell) return fuzz::requireLine(cell.error().line());
    const std::string text = writeCell(*cell);
    const Result<Cell> again = readCell(text, "again");
    fuzz::require(again.ok() && *again == *cell, "what was written is read again as the same cell");
    fuzz::require(writeCell(*again) == text, "the bytes are stable");
}
