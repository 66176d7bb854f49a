#include "core/files/arm_file.h"
#include "tests/fuzz/target.h"

using namespace topikos;

TOPIKOS_FUZZ_TARGET(arm)
{
    const Result<DataSheet> sheet = readSheet(bytes, "arm");
    if (!sheet) return fuzz::requireLine(sheet.error().line());
    const std::string text = writeSheet(*sheet);
    const Result<DataSheet> again = readSheet(text, "again");
    fuzz::require(again.ok() && writeSheet(*again) == text, "what was written is read again");
    const Result<ArmPtr> arm = armOf(*sheet);
    if (!arm) fuzz::requireLine(arm.error().line());
}
