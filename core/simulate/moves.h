#pragma once
#include "core/cell/cell.h"
#include "core/motion/plan.h"
#include "core/program/cursor.h"

/// Moves of steps, as the planner of moves asks for them.
namespace topikos {

/// How far a device axis goes in a step.
struct AxisTravel {
    FrameId frame;
    double from = 0, to = 0;  ///< [m or rad]
    bool operator==(const AxisTravel&) const = default;
};

/// Where an arm stands before something is done.
struct Standing {
    const ArmStation& arm;
    JointVector posture;
    AxisValues axes;
};

/// What the move of an operation depends on, from where the arm and the device axes stand.
MoveInput moveInput(const Cell& cell, const Operation& operation, const Standing& from);

/// A line to a pose target from where the arm stands, with the axes that come along. Posture targets: to the pose they
/// give the TCP at the point in force.
LinePath lineTo(const Cell& cell, const Target& target, const Standoff& standoff, const Standing& from, TcpId point);
/// Whether a step is planned as a move of the arm: those that go somewhere, and time tables.
inline bool movesArm(const Step& step) { return step.isMove() || step.kind() == StepKind::PlayTable; }

/// What comes along to a target: axes of it that stand elsewhere.
std::vector<AxisTravel> travelsTo(const Cell& cell, const AxisValues& target, const AxisValues& axes);
/// The same for an operation of any kind that moves axes.
std::vector<AxisTravel> travelsOf(const Cell& cell, const Operation& operation, const AxisValues& axes);
std::vector<Companion> companionsOf(const Cell& cell, const std::vector<AxisTravel>& travels);
/// Axes after the travels.
AxisValues arrived(AxisValues axes, const std::vector<AxisTravel>& travels);

}  // namespace topikos
