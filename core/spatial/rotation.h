#pragma once
#include "core/spatial/pose.h"

namespace topikos {

/// Ways to write a rotation as three angles. Intrinsic orders turn about the axes as already turned.
enum class AngleOrder {
    FixedXyz,      ///< roll, pitch, yaw about the fixed x, y, z: R = Rz(yaw) Ry(pitch) Rx(roll)
    IntrinsicZyx,  ///< R = Rz(a) Ry(b) Rx(c)
    IntrinsicZyz,  ///< R = Rz(a) Ry(b) Rz(c)
    IntrinsicXyz,  ///< R = Rx(a) Ry(b) Rz(c)
};

/// Rotation from three angles [rad] in the given order.
Quat rotationFrom(AngleOrder order, const Vec3& angles);

/// Three angles [rad] of a rotation matrix. First and third in (-pi, pi]; the middle one in [-pi/2, pi/2], for Zyz in
/// [0, pi]. At a lock (first and third axis line up to 1e-10) the third angle (for FixedXyz: roll) is 0 and the other
/// carries the turn. Formulas: the first two angles from the entries of the product matrix, the third from what is left
/// after turning the first back, which keeps the whole exact near a lock.
Vec3 anglesOf(AngleOrder order, const Mat3& rotation);

/// The quaternion of the pair q, -q whose first non-zero entry of (w, x, y, z) is positive.
Quat canonical(const Quat& q);

struct AxisAngle {
    Vec3 axis;     ///< unit; (0, 0, 1) for no turn
    double angle;  ///< [rad], in [0, pi]
};
AxisAngle axisAngleOf(const Quat& rotation);

/// Rotation by `angle` [rad] about unit `axis` (Rodrigues).
Mat3 rotationAbout(const Vec3& axis, double angle);

/// The shortest rotation that brings the direction of one vector onto that of another, both above 0 in length. Here and
/// not where it is used, since the solver that it needs for opposite vectors takes long to compile.
Quat turnOnto(const Vec3& from, const Vec3& to);

/// The orientation whose z axis points along a way, its x axis as near as can be to that of another one.
Quat facing(const Vec3& into, const Quat& reference = Quat::Identity());

/// `angle` [rad] brought into (-pi, pi].
double wrapped(double angle);

}  // namespace topikos
