#pragma once
#include "core/shape/convex.h"

namespace topikos {

/// How near two bodies come to each other.
struct Nearest {
    double distance = INFINITY;  ///< 0 when they share a point; beyond what was asked for, a lower bound [m]
    Vec3 onA = Vec3::Zero(), onB = Vec3::Zero();  ///< points that are that far apart
    bool touching() const { return distance <= 0; }
};

/// The distance of two convex bodies, `aFromB` placing the frame that b's pose is in, in the one that a's is in; points
/// in the latter. Exact to kNearestError; round shapes count as round. Given up where it is found to be above `upTo`.
///
/// Method: Gilbert, Johnson and Keerthi, "A fast procedure for computing the distance between complex objects in
/// three-dimensional space" (1988), on the difference of the two bodies, ended when the bound from below by the
/// supporting plane meets the distance.
Nearest nearest(const Convex& a, const Convex& b, const Pose& aFromB, double upTo = INFINITY);
inline constexpr double kNearestError = 1e-10;  ///< [m]

/// The shortest way along which b can be moved so that it leaves a: 0 when they are apart. To kDepthError, and never
/// less than that way. [m]
///
/// Method: a polytope inside the difference of the two is grown where it is nearest to the origin (van den Bergen,
/// "Proximity queries and penetration depth computation on 3D game objects", 2001).
double depth(const Convex& a, const Convex& b, const Pose& aFromB);
inline constexpr double kDepthError = 1e-7;  ///< [m]

}  // namespace topikos
