#pragma once
#include "core/motion/move.h"
#include "core/spatial/units.h"

/// What the planners of joint moves and of lines share.
namespace topikos {

/// Ways of joints and axes below it do not count [m or rad].
inline constexpr double kNoWay = 1e-12;

/// Time at which a law that only goes forward is at a position.
double timeAt(const Profile& law, double position);

/// Highest speed of a joint in a move.
double jointSpeedLimit(const Joint& joint, const MotionLimits& limits);

/// Whether some joint has a largest jerk.
bool limitsJerk(const Arm& arm);

/// A margin in radians; 10 mm of a sliding joint count like 5 degrees.
double weighedMargin(const Joint& joint, double margin);

}  // namespace topikos
