#pragma once
#include "core/robot/inverse.h"

#include <array>

namespace topikos {

inline constexpr double kOrientation = 1e-7;  ///< [rad] by which an asked orientation may be off what few axes can give

/// Raw postures of a closed-form solver: up to one per configuration, joints in (-pi, pi], ranges not looked at.
struct BranchSolutions {
    struct Item {
        std::array<double, 6> q;
        bool alignedWrist = false;  ///< the pose leaves the wrist one free turn
        Configuration configuration;
    };
    std::array<Item, 8> items;  ///< of arms with fewer joints the first entries of q count
    int count = 0;
    NoSolution reason = NoSolution::None;
    double shortfall = 0;            ///< [m]; Orientation: [rad]
    Vec3 excessTurn = Vec3::Zero();  ///< Orientation: the turn, in base, from the nearest orientation that the arm can
                                     ///< give there to the one asked for [rad]
};

/// Recognises the family from the geometry: six revolute joints, axes 2 and 3 parallel and apart, not parallel to axis
/// 1, axes 4, 5, 6 through one point (to 1e-7 m), neighbours of axis 5 not parallel to it. Offsets may have either sign
/// or be zero.
std::optional<SphericalWrist> recogniseSphericalWrist(const Arm& arm);
/// The same with axes 2, 3 and 4 parallel and apart, and axes 5 and 6 through one point.
std::optional<ParallelAxes> recogniseParallelAxes(const Arm& arm);

/// Four joints: revolute, revolute, then one sliding and one revolute in either order, all along one direction.
std::optional<HorizontalArm> recogniseHorizontalArm(const Arm& arm);
/// Five revolute joints: yaw, three parallel pitches at right angles to it and apart, roll at right angles to the
/// pitches.
std::optional<FiveAxis> recogniseFiveAxis(const Arm& arm);

/// Three sliding joints that span space and one to three that turn, in any order, none of these parallel to the next.
std::optional<Gantry> recogniseGantry(const Arm& arm);
/// Seven revolute joints, axes 1, 2, 3 through one point and 5, 6, 7 through another.
std::optional<SevenAxis> recogniseSevenAxis(const Arm& arm);

/// Solves for the flange pose. `seed` (jointCount() entries) fills in joints that the pose leaves free. With `only`,
/// other configurations are not worked out; at a singular pose the one asked for may then be missing. The arm must be
/// of a closed-form family with at most six joints.
BranchSolutions solveBranches(const Arm& arm, const Mat3& rotation, const Vec3& position, const JointVector& seed,
                              const Configuration* only = nullptr);

/// With the first and the last axis of a wrist lined up, only the sum of their turns is fixed: the first keeps its value
/// as far as the ranges of both allow.
void shareAlignedWrist(const ThreeAxes& wrist, const Joint& first, const Joint& last, double& q4, double q5,
                       double& q6);

BranchSolutions solveSphericalWrist(const SphericalWrist& arm, const Mat3& rotation, const Vec3& position, double seed1,
                                    double seed4, const Configuration* only);
/// An orientation that the arm cannot give, to 1e-7 rad (kOrientation), ends in NoSolution::Orientation with the angle
/// by which it is off as shortfall.
BranchSolutions solveHorizontalArm(const HorizontalArm& arm, const Mat3& rotation, const Vec3& position);
BranchSolutions solveFiveAxis(const FiveAxis& arm, const Mat3& rotation, const Vec3& position, double seed1);
BranchSolutions solveGantry(const Arm& whole, const Gantry& gantry, const Mat3& rotation, const Vec3& position,
                            const JointVector& seed);
BranchSolutions solveParallelAxes(const Arm& whole, const Mat3& rotation, const Vec3& position, const JointVector& seed,
                                  const Configuration* only);

}  // namespace topikos
