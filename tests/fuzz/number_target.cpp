#include "core/spatial/number_text.h"
#include "core/spatial/text.h"
#include "tests/fuzz/target.h"

#include <cmath>

using namespace topikos;

TOPIKOS_FUZZ_TARGET(number)
{
    for (const Quantity quantity : {Quantity::Number, Quantity::Length, Quantity::Angle})
        if (const auto value = quantityOf(bytes, quantity)) fuzz::require(std::isfinite(*value), "a number is finite");
    const std::string shown = shownText(bytes);
    fuzz::require(isUtf8(shown), "what is shown is UTF-8");
    fuzz::require(shownText(shown) == shown, "and stays as it is");
    fuzz::require(csvText(bytes).find('\n') == std::string::npos, "a field of a table is one line");
}
