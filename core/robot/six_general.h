#pragma once
#include "core/robot/branches.h"

namespace topikos {

/// Any six turning joints. Works out the best place to begin elimination and whether it finds everything, by planted
/// postures (some milliseconds).
std::optional<GeneralSix> recogniseGeneralSix(const Arm& arm);

/// All postures that hold the pose, modulo full turns, in (-pi, pi], at most 16; ranges are not looked at. Sorted, the
/// same on every run.
///
/// Elimination to a polynomial eigenvalue problem: Raghavan and Roth, "Inverse Kinematics of the General 6R Manipulator
/// and Related Linkages", Journal of Mechanical Design 115, 1993; Manocha and Canny, "Efficient Inverse Kinematics for
/// General 6R Manipulators", IEEE Transactions on Robotics and Automation 10, 1994. The 14 equations are taken here as
/// the components of a linear representation of rigid motions (a line element with its moments, seen as a bivector of
/// conformal geometry), so that every joint enters by 1, cos q and sin q alone whatever the frames.
std::vector<JointVector> solveGeneralSix(const Arm& arm, const GeneralSix& family, const Pose& baseFromFlange);

}  // namespace topikos
