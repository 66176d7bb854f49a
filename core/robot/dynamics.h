#pragma once
#include "core/robot/arm.h"

namespace topikos {

/// A point mass carried by the flange.
struct Payload {
    double mass = 0;             ///< [kg]
    Vec3 centre = Vec3::Zero();  ///< in the flange [m]
};

/// Free fall of an arm that stands upright, in base [m/s^2].
inline const Vec3 kStandardGravity{0, 0, -9.80665};

/// Joint efforts [N m; N for a sliding joint] that give the arm the acceleration `qdd` at posture `q` and speed `qd`
/// (jointCount() entries each, in rad and m based units). `gravity` is the acceleration of free fall in base. No
/// friction, damping or motor inertia. Links of unknown mass count as weightless. Method: recursive Newton-Euler (Luh,
/// Walker, Paul, "On-line computational scheme for mechanical manipulators", 1980), in base coordinates.
JointVector jointEfforts(const Arm& arm, const JointVector& q, const JointVector& qd, const JointVector& qdd,
                         const Vec3& gravity = kStandardGravity, const Payload& payload = {});

/// Efforts that hold the arm still.
JointVector gravityEfforts(const Arm& arm, const JointVector& q, const Vec3& gravity = kStandardGravity,
                           const Payload& payload = {});

}  // namespace topikos
