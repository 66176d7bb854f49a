#pragma once
#include "core/simulate/trace.h"

namespace topikos {

/// What one step does with the time of a run, all its passes together.
struct StepShare {
    ArmId arm;
    RoutineId routine;
    StepId step;
    size_t index = 0;  ///< of the step in its routine, from 0
    StepKind kind = StepKind::Wait;
    int passes = 0;
    double first = 0;     ///< when it begins for the first time [s]
    double time = 0;      ///< [s]; the next are parts of it, or what it would take more or less
    double saved = 0;     ///< by cutting the corner behind it and the one before [s]
    double joints = 0;    ///< lost because joints can do no more, away from singularities [s]
    double singular = 0;  ///< the same near to a singularity [s]
    double low = 0;       ///< lost to a speed or acceleration asked for that is below what the arm can do [s]
    HeldBy by{};          ///< what holds the move for the longest time
    double held = 0;      ///< so long [s]
    SignalId waitsFor{};  ///< waits for a signal
    std::optional<double> before{};  ///< what it took per cycle in the run that is compared with [s]
};
/// What an arm does with the time that is looked at.
struct ArmShare {
    ArmId arm;
    double moving = 0, gripping = 0, waiting = 0, pausing = 0, axes = 0, ended = 0;  ///< [s]; waiting: for signals
    double busy() const { return moving + gripping + axes; }
};
struct RoutineShare {
    RoutineId routine;
    ArmId arm;
    double time = 0;  ///< [s]
};
struct DeviceShare {
    FrameId frame;
    double moving = 0;  ///< [s]
};
struct SignalShare {
    SignalId signal;
    ArmId arm;
    double waited = 0;  ///< [s]
};

/// Where the time of a run goes. Of a run without end the first pass is left out, as its warm-up.
struct Breakdown {
    double from = 0, to = 0;  ///< the stretch of the run that is looked at [s]
    int cycles = 0;           ///< whole ones in it
    double cycleTime = 0;     ///< [s]
    double partsPerHour = 0;
    std::vector<StepShare> steps;  ///< by arm, then by when they first begin
    std::vector<RoutineShare> routines;
    std::vector<ArmShare> arms;
    std::vector<DeviceShare> devices;  ///< that move
    std::vector<SignalShare> signals;  ///< that are waited for, longest first
    ArmId busiest;                     ///< the arm that moves and grips for the largest share

    double seconds() const { return to - from; }
};
Breakdown breakdownOf(const Cell& cell, const Trace& trace);
/// Writes beside each step what it took in another run.
void compareWith(Breakdown& now, const Breakdown& before);

/// "speed of joint 3", "acceleration of the tool", "acceleration of Rail"; empty for nothing.
std::string heldByText(const HeldBy& by);

}  // namespace topikos
