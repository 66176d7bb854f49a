#pragma once
#include "core/cell/cell.h"
#include "core/spatial/result.h"

#include <random>

namespace topikos::test {

/// Some edit of a cell, of its layout, tools, patterns, devices, arms or targets. `wild`: of its steps too, and with
/// values far beyond what is possible.
Result<Cell> randomEdit(const Cell& cell, std::mt19937_64& random, bool wild = false);

}  // namespace topikos::test
