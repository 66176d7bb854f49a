#pragma once
#include "core/cell/cell.h"
#include "core/motion/plan.h"

/// Moves of steps, as the planner of moves asks for them.
namespace topikos {

/// How far a device axis goes in a step.
struct AxisTravel {
    FrameId frame;
    double from = 0, to = 0;  ///< [m or rad]
    bool operator==(const AxisTravel&) const = default;
};

/// What the move of a step depends on, from where the arm and the device axes stand.
MoveInput moveInput(const Cell& cell, const Step& step, const JointVector& from, const AxisValues& axes);

/// A line to a pose target from where the arm stands, with the axes that come along. Posture targets: to the pose they
/// give the TCP.
LinePath lineTo(const Cell& cell, const Target& target, double standoff, const JointVector& from,
                const AxisValues& axes);
/// What comes along to a target: axes of it that stand elsewhere.
std::vector<AxisTravel> travelsTo(const Cell& cell, const AxisValues& target, const AxisValues& axes);
/// The same for a step of any kind that moves axes.
std::vector<AxisTravel> travelsOf(const Cell& cell, const Step& step, const AxisValues& axes);
std::vector<Companion> companionsOf(const Cell& cell, const std::vector<AxisTravel>& travels);
/// Axes after the travels.
AxisValues arrived(AxisValues axes, const std::vector<AxisTravel>& travels);

}  // namespace topikos
