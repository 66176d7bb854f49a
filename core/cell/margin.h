#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// How far a posture is from what the arm cannot do: the smallest of each joint's distance from its nearer range end by
/// half its range, and of each singularity's distance by five times the caution threshold, at most 1.
double marginOf(const Cell& cell, const Arm& arm, const JointVector& posture);

}  // namespace topikos
