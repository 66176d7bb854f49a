#pragma once
#include "core/robot/arm.h"

#include <optional>

namespace topikos {

/// The posture in which one joint (from 0) has gone on by so much [rad or m] while the flange stays where it is to
/// 1e-9 m and rad: small steps along what the Jacobian takes to nothing, each put right by least squares. Nothing where
/// the joints have nothing to spare for that one. Ranges are not looked at.
std::optional<JointVector> selfMotion(const Arm& arm, const JointVector& posture, int joint, double by);

}  // namespace topikos
