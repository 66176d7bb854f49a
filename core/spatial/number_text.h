#pragma once
#include <optional>
#include <string>

namespace topikos {

/// Value of a typed number or sum: digits with a point or comma, + - * / and brackets, "1200-45/2". Nothing if it is
/// not one, or not finite.
std::optional<double> numberOf(const std::string& text);

enum class Quantity { Number, Length, Angle, Speed, TurnSpeed };

/// The same with a unit behind it: mm, cm, m, in (or ") for a length, deg (or °) or rad for an angle, the same with /s
/// for speeds: "12 in", "1200-45/2 mm", "0.25 m/s". Without one it counts in `unit` [m, rad, m/s or rad/s]. In those;
/// plain numbers times `unit`.
std::optional<double> quantityOf(const std::string& text, Quantity quantity, double unit = 1);

}  // namespace topikos
