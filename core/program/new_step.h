#pragma once
#include "core/cell/step_check.h"

namespace topikos {

/// A step of a kind as it is before somebody fills it in, or why there can be none: moves go to `target` (or home),
/// others take the first thing of the cell that fits.
Result<Action> newAction(const Cell& cell, const StepScope& scope, StepKind kind, TargetId target = {});
/// A MoveAxes of a device, to where its axes stand at the start.
MoveAxes movesOf(const Cell& cell, FrameId device);
/// What a kind of step is called: "joint move", "wait for signal", …
const char* stepKindName(StepKind kind);

}  // namespace topikos
