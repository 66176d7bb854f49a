#pragma once
#include "core/motion/move.h"
#include "core/spatial/units.h"

/// What the planners of joint moves and of lines share.
namespace topikos {

/// Lowers speed and acceleration [1/s, 1/s^2] to what companions can follow.
void holdBack(const std::vector<Companion>& companions, double fractionOfSpeed, double& speed, double& acceleration);

/// A margin in radians; 10 mm of a sliding joint count like 5 degrees.
double weighedMargin(const Joint& joint, double margin);

}  // namespace topikos
