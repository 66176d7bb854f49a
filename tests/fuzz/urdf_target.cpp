#include "core/files/urdf.h"
#include "tests/fuzz/target.h"

using namespace topikos;

TOPIKOS_FUZZ_TARGET(urdf)
{
    const Result<ArmPtr> arm = readUrdf(bytes, "arm.urdf");
    if (!arm) return fuzz::requireLine(arm.error().line());
    const Result<ArmPtr> again = readUrdf(writeUrdf(**arm).text, "again.urdf");
    fuzz::require(again.ok(), "what was written is read again");
    fuzz::require((*again)->jointCount() == (*arm)->jointCount(), "with as many joints");
}
