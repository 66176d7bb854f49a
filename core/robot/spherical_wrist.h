#pragma once
#include "core/robot/inverse.h"

#include <array>

namespace topikos {

/// Recognises the family from the geometry: six revolute joints, axes 2 and 3 parallel and apart, not parallel to axis 1, axes 4, 5, 6
/// through one point (to 1e-7 m), neighbours of axis 5 not parallel to it. Offsets may have either sign or be zero.
std::optional<SphericalWrist> recogniseSphericalWrist(const Arm& arm);

/// Up to eight raw postures, joints in (-pi, pi], ranges not looked at.
struct SphericalSolutions {
    struct Item {
        std::array<double, 6> q;
        bool alignedWrist = false;  ///< only q4 + q6 is fixed
        Configuration configuration;
    };
    std::array<Item, 8> items;
    int count = 0;
    NoSolution reason = NoSolution::None;
    double shortfall = 0;  ///< [m]
};

/// `seed4` and `seed1` [rad] are used for joints 4 and 1 where the pose leaves them free. With `only`, other configurations are not worked out
/// (at a singular pose the one asked for may then be missing).
SphericalSolutions solveSphericalWrist(const SphericalWrist& arm, const Mat3& rotation, const Vec3& position, double seed1, double seed4,
                                       const Configuration* only = nullptr);

}  // namespace topikos
