#pragma once
#include "core/spatial/pose.h"
#include "core/spatial/result.h"

#include <vector>

namespace topikos {

/// Frame through three touched points: its origin, a point on its positive x axis, a point in its xy plane on the side
/// of positive y. Errors when they lie on a line (within 0.1 mm) or too near together (1 mm).
Result<Pose> frameFromThreePoints(const Vec3& origin, const Vec3& alongX, const Vec3& towardsY);

/// Where something was measured to stand.
struct PlaceFit {
    Pose place;        ///< measuredFromNominal: takes nominal points onto measured ones
    double rms = 0;    ///< distance left over [m]
    double worst = 0;  ///< [m]
    std::size_t worstPoint = 0;
};
/// The rigid placement that brings nominal points nearest to measured ones (least squares; Arun, Huang and Blostein,
/// "Least-squares fitting of two 3-D point sets", 1987). At least three pairs, not on a line.
Result<PlaceFit> fitPlace(const std::vector<Vec3>& nominal, const std::vector<Vec3>& measured);

/// A tool centre point found by bringing it to one fixed place in several orientations.
struct TcpFit {
    Vec3 flangeFromTcp = Vec3::Zero();  ///< [m]
    Vec3 place = Vec3::Zero();          ///< in base [m]
    double rms = 0;                     ///< of the distances of the TCP from the place [m]
    double worst = 0;                   ///< [m]
    std::size_t worstPosture = 0;
    /// Error of the TCP per error of a touched point, for independent errors: the standard deviation of the TCP is this
    /// times that of one coordinate.
    double gain = 0;
    bool poorSpread() const { return gain > 3; }
};
/// Least squares over baseFromFlange in at least four postures. Errors when their orientations do not tell the point at
/// all.
Result<TcpFit> fitTcp(const std::vector<Pose>& baseFromFlange);

}  // namespace topikos
