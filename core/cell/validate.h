#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// What is wrong with a cell, or nothing: the one list of rules that every reader and every edit is held to. `where` is
/// the place as the file names it, "routines[0].steps[3]".
Status validate(const Cell& cell);

}  // namespace topikos
