#pragma once
#include <optional>
#include <string>

namespace topikos {

/// Value of a typed number or sum: digits with a point or comma, + - * / and brackets, "1200-45/2". Nothing if it is not one, or not finite.
std::optional<double> numberOf(const std::string& text);

}  // namespace topikos
