#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>

namespace topikos {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;
using Quat = Eigen::Quaterniond;

/// Placement of frame b in frame a. Named aFromB wherever it is used; maps coordinates in b to coordinates in a.
struct Pose {
    Vec3 translation = Vec3::Zero();   ///< origin of b, in a [m]
    Quat rotation = Quat::Identity();  ///< unit to 1e-12; q and -q are the same rotation

    Mat3 matrix() const { return rotation.toRotationMatrix(); }
    bool operator==(const Pose& other) const
    {
        return translation == other.translation && rotation.coeffs() == other.rotation.coeffs();
    }
};

/// aFromC = aFromB * bFromC.
inline Pose operator*(const Pose& aFromB, const Pose& bFromC)
{
    return {aFromB.translation + aFromB.rotation * bFromC.translation,
            (aFromB.rotation * bFromC.rotation).normalized()};
}

/// The point `pointInB` in coordinates of a.
inline Vec3 operator*(const Pose& aFromB, const Vec3& pointInB)
{
    return aFromB.translation + aFromB.rotation * pointInB;
}

Pose inverse(const Pose& aFromB);
Pose translated(const Vec3& translation);
Pose makePose(const Mat3& rotation, const Vec3& translation);
Eigen::Matrix4d homogeneous(const Pose& pose);

/// How far apart two poses are. Use this, not ==, to ask whether an arm got there.
struct PoseDeviation {
    double metres = 0;
    double radians = 0;  ///< in [0, pi]
};
PoseDeviation deviation(const Pose& p, const Pose& q);

/// The pose a fraction `s` in [0, 1] of the way from `a` to `b`: straight for the origin, shortest turn about one axis
/// for the rotation.
Pose interpolate(const Pose& a, const Pose& b, double s);

}  // namespace topikos
