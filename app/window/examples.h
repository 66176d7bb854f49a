#pragma once
#include "core/cell/cell.h"

#include <QString>

#include <array>

namespace topikos {

inline constexpr std::array kSpeeds{0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 32.0};  ///< of the run, times real time
inline constexpr const char* kDemo = "tile-glazing-line";

/// A cell that ships with the application.
Result<Cell> readExample(const QString& name);

}  // namespace topikos
