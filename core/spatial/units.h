#pragma once
#include <numbers>

/// Conversions used where a person or a file reads or types a number. Inside, everything is m, rad, s.
namespace topikos {

constexpr double kDegree = std::numbers::pi / 180;  // [rad]
constexpr double kMillimetre = 1e-3;                // [m]
constexpr double kTurn = 2 * std::numbers::pi;      // a whole one [rad]

constexpr double degrees(double radians) { return radians / kDegree; }
constexpr double millimetres(double metres) { return metres / kMillimetre; }

}  // namespace topikos
