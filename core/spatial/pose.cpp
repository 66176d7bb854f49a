#include "core/spatial/pose.h"

#include <cmath>

namespace topikos {

Pose inverse(const Pose& aFromB)
{
    const Quat back = aFromB.rotation.conjugate();
    return {-(back * aFromB.translation), back};
}

Pose translated(const Vec3& translation) { return {translation, Quat::Identity()}; }

Pose makePose(const Mat3& rotation, const Vec3& translation) { return {translation, Quat(rotation).normalized()}; }

Eigen::Matrix4d homogeneous(const Pose& pose)
{
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.topLeftCorner<3, 3>() = pose.matrix();
    m.topRightCorner<3, 1>() = pose.translation;
    return m;
}

PoseDeviation deviation(const Pose& p, const Pose& q)
{
    const Quat turn = p.rotation.conjugate() * q.rotation;
    return {(p.translation - q.translation).norm(), 2 * std::atan2(turn.vec().norm(), std::abs(turn.w()))};
}

Pose interpolate(const Pose& a, const Pose& b, double s)
{
    return {a.translation + s * (b.translation - a.translation), a.rotation.slerp(s, b.rotation)};
}

}  // namespace topikos
