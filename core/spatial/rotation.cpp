#include "core/spatial/rotation.h"

#include <cmath>
#include <numbers>

namespace topikos {

namespace {

/// Below this cosine (for Zyz: sine) dropping the third angle costs less than the rounding of the others.
constexpr double kLock = 1e-10;

Quat about(int axis, double angle) { return Quat(Eigen::AngleAxisd(angle, Vec3::Unit(axis))); }

/// atan2 with -pi folded onto pi, so that angles stay in (-pi, pi].
double angleOf(double sine, double cosine)
{
    const double a = std::atan2(sine, cosine);
    return a <= -std::numbers::pi ? std::numbers::pi : a;
}

}  // namespace

Quat rotationFrom(AngleOrder order, const Vec3& v)
{
    switch (order) {
    case AngleOrder::FixedXyz: return about(2, v[2]) * about(1, v[1]) * about(0, v[0]);
    case AngleOrder::IntrinsicZyx: return about(2, v[0]) * about(1, v[1]) * about(0, v[2]);
    case AngleOrder::IntrinsicZyz: return about(2, v[0]) * about(1, v[1]) * about(2, v[2]);
    case AngleOrder::IntrinsicXyz: return about(0, v[0]) * about(1, v[1]) * about(2, v[2]);
    }
    return Quat::Identity();
}

Vec3 anglesOf(AngleOrder order, const Mat3& r)
{
    switch (order) {
    case AngleOrder::FixedXyz: {
        const Vec3 zyx = anglesOf(AngleOrder::IntrinsicZyx, r);
        return {zyx[2], zyx[1], zyx[0]};
    }
    case AngleOrder::IntrinsicZyx: {
        const double c = std::hypot(r(0, 0), r(1, 0));
        const double b = std::atan2(-r(2, 0), c);
        if (c < kLock) return {angleOf(-r(0, 1), r(1, 1)), b, 0};
        const double a = angleOf(r(1, 0), r(0, 0)), sa = std::sin(a), ca = std::cos(a);
        return {a, b, angleOf(sa * r(0, 2) - ca * r(1, 2), ca * r(1, 1) - sa * r(0, 1))};
    }
    case AngleOrder::IntrinsicZyz: {
        const double s = std::hypot(r(0, 2), r(1, 2));
        const double b = std::atan2(s, r(2, 2));
        if (s < kLock) return {angleOf(-r(0, 1), r(1, 1)), b, 0};
        const double a = angleOf(r(1, 2), r(0, 2)), sa = std::sin(a), ca = std::cos(a);
        return {a, b, angleOf(ca * r(1, 0) - sa * r(0, 0), ca * r(1, 1) - sa * r(0, 1))};
    }
    case AngleOrder::IntrinsicXyz: {
        const double c = std::hypot(r(0, 0), r(0, 1));
        const double b = std::atan2(r(0, 2), c);
        if (c < kLock) return {angleOf(r(2, 1), r(1, 1)), b, 0};
        const double a = angleOf(-r(1, 2), r(2, 2)), sa = std::sin(a), ca = std::cos(a);
        return {a, b, angleOf(ca * r(1, 0) + sa * r(2, 0), ca * r(1, 1) + sa * r(2, 1))};
    }
    }
    return Vec3::Zero();
}

Quat canonical(const Quat& q)
{
    for (const double entry : {q.w(), q.x(), q.y(), q.z()}) {
        if (entry > 0) return q;
        if (entry < 0) return Quat(-q.w(), -q.x(), -q.y(), -q.z());
    }
    return q;
}

AxisAngle axisAngleOf(const Quat& rotation)
{
    const Quat q = canonical(rotation);
    const double s = q.vec().norm();
    if (s == 0) return {Vec3::UnitZ(), 0};
    return {q.vec() / s, 2 * std::atan2(s, q.w())};
}

Mat3 rotationAbout(const Vec3& axis, double angle)
{
    const double s = std::sin(angle), c = std::cos(angle), d = 1 - c;
    const double x = axis[0], y = axis[1], z = axis[2];
    Mat3 r;
    r << c + x * x * d, x * y * d - z * s, x * z * d + y * s,  //
        y * x * d + z * s, c + y * y * d, y * z * d - x * s,   //
        z * x * d - y * s, z * y * d + x * s, c + z * z * d;
    return r;
}

double wrapped(double angle)
{
    constexpr double pi = std::numbers::pi, turn = 2 * pi;
    // One turn too many or too few is what sums of angles have; std::remainder is ten times slower.
    if (angle > 3 * pi || angle < -3 * pi) angle = std::remainder(angle, turn);
    if (angle > pi) return angle - turn;
    return angle <= -pi ? angle + turn : angle;
}

Quat facing(const Vec3& into, const Quat& reference)
{
    Mat3 turn;
    turn.col(2) = into.normalized();
    Vec3 x = reference * Vec3::UnitX();
    x -= turn.col(2) * turn.col(2).dot(x);
    if (x.norm() < 1e-3) {
        x = reference * Vec3::UnitY();
        x -= turn.col(2) * turn.col(2).dot(x);
    }
    turn.col(0) = x.normalized();
    turn.col(1) = turn.col(2).cross(turn.col(0));
    return Quat(turn);
}

Quat turnOnto(const Vec3& from, const Vec3& to) { return Quat::FromTwoVectors(from, to); }

}  // namespace topikos
