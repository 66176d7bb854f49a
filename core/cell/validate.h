#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// What is wrong with a cell, or nothing: the one list of rules that every reader and every edit is held to. `where` is
/// the place as the file names it, "routines[0].steps[3]".
Status validate(const Cell& cell);
/// The same of a cell made from one in which nothing is wrong. Quick where frames, parts and targets have only got
/// values that nothing else depends on, as when they are moved: then only these are looked at.
Status validate(const Cell& cell, const Cell& before);

}  // namespace topikos
