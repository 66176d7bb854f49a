#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// What a step that follows a group comes to, with the places in the order they are gone to: to above the first place
/// by joints, if a height is asked for; by a line to the first place; the process on; by lines through the others, over
/// into each other by the blend; the process off; up again. All steps have the id of the one that follows.
Steps followSteps(const Pattern& pattern, std::vector<TargetId> places, const Step& follow);

}  // namespace topikos
