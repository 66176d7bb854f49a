#pragma once
#include "core/robot/inverse.h"

#include <array>

namespace topikos {

/// Raw postures of a closed-form solver: up to one per configuration, joints in (-pi, pi], ranges not looked at.
struct BranchSolutions {
    struct Item {
        std::array<double, 6> q;
        bool alignedWrist = false;  ///< the pose leaves the wrist one free turn
        Configuration configuration;
    };
    std::array<Item, 8> items;
    int count = 0;
    NoSolution reason = NoSolution::None;
    double shortfall = 0;  ///< [m]
};

/// Recognises the family from the geometry: six revolute joints, axes 2 and 3 parallel and apart, not parallel to axis 1, axes 4, 5, 6
/// through one point (to 1e-7 m), neighbours of axis 5 not parallel to it. Offsets may have either sign or be zero.
std::optional<SphericalWrist> recogniseSphericalWrist(const Arm& arm);
/// The same with axes 2, 3 and 4 parallel and apart, and axes 5 and 6 through one point.
std::optional<ParallelAxes> recogniseParallelAxes(const Arm& arm);

/// Solves for the flange pose. `seed` (jointCount() entries) fills in joints that the pose leaves free. With `only`, other configurations are not
/// worked out; at a singular pose the one asked for may then be missing. The arm must be of a closed-form family.
BranchSolutions solveBranches(const Arm& arm, const Mat3& rotation, const Vec3& position, const JointVector& seed, const Configuration* only = nullptr);

BranchSolutions solveSphericalWrist(const SphericalWrist& arm, const Mat3& rotation, const Vec3& position, double seed1, double seed4, const Configuration* only);
BranchSolutions solveParallelAxes(const Arm& whole, const Mat3& rotation, const Vec3& position, const JointVector& seed, const Configuration* only);

}  // namespace topikos
