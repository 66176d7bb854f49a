#pragma once
#include "core/cell/step_check.h"

namespace topikos {

/// A step of a kind as it is before somebody fills it in, or why there can be none: moves go to `target` (or home),
/// others take the first thing of the cell that fits.
Result<Action> newAction(const Cell& cell, const StepScope& scope, StepKind kind, TargetId target = {});
/// A MoveAxes of a device, to where its axes stand at the start.
MoveAxes movesOf(const Cell& cell, FrameId device);

/// What there is for a new step in a routine to be about.
struct NewStep {
    const Cell& cell;
    const StepScope& scope;
    const ArmStation* arm;  ///< of the routine; nullptr when every arm can call it
    Place place{};          ///< that it goes to, if it is somewhere
    bool somewhere = false;

    NewStep(const Cell& cell, const StepScope& scope, TargetId target);
    SignalId anySignal() const;
    SignalId writableSignal() const;  ///< that no device writes
    SignalId pulsedSignal() const;    ///< the same, digital
    static Error none(const char* message, const char* remedy) { return {"step.none", message, "", remedy}; }
    static Error noPlace();
    static Error noSignal();
};

}  // namespace topikos
