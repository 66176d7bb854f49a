#pragma once
#include "core/robot/branches.h"

namespace topikos {

/// The postures of a seven-axis arm that hold a pose: one for each configuration (elbow, shoulder and wrist either
/// way), each with the swivel of the elbow about the line from shoulder to wrist that leaves the largest margin: the
/// smallest distance of a joint from its range end, of axes 1 and 3 and of axes 5 and 7 from lining up [rad]. With
/// `near`, the swivel nearest to that of `near` that keeps the ranges.
///
/// Closed form for a given swivel. The swivel is looked for in 16 equal steps, then refined where the margin is below
/// 0.3 rad; if none of them is in range, at every angle where a joint crosses a range end (a cos + b sin = c each) and
/// between these, which misses no window however small.
struct SevenSolutions {
    std::vector<Solution> items;       ///< in range
    std::vector<Solution> outOfRange;  ///< of configurations with no swivel in range: the one that is least out
    NoSolution reason = NoSolution::None;
    double shortfall = 0;  ///< [m]
};
SevenSolutions solveSevenAxis(const Arm& arm, const SevenAxis& family, const Pose& baseFromFlange,
                              const JointVector* near);

}  // namespace topikos
