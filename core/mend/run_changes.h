#pragma once
#include "core/mend/changes.h"

namespace topikos {

/// What could be done about what happens in a run: waits without end, axes that another arm moves, grips, stops and
/// belts. They keep the cell, the check and the finding by reference.
std::vector<Change> runChangesFor(const Cell& cell, const CheckResult& checked, const Finding& finding);

/// What could be done about a tool that touches what lies beside the place it goes to: another turn of the grip, jaws
/// that open less, a wider pitch.
std::vector<Change> neighbourChangesFor(const Cell& cell, const Finding& finding, TargetId target);

}  // namespace topikos
