#pragma once
#include "core/collide/cache.h"
#include "core/collide/side.h"

namespace topikos {

/// What keeps an arm that is moved by hand from getting where it should.
struct HandStop {
    double fraction = 1;         ///< of the way that is free
    JointVector posture;         ///< there [rad or m]
    AxisValues axes;             ///< there
    ContactSide own, other;      ///< what touches: of the arm and what it moves, and what is in its way
    Vec3 normal = Vec3::Zero();  ///< from the other to the own one, in the world
    bool touches() const { return fraction < 1; }
};

inline constexpr double kHandGap = 2e-4;  // that is left between them [m]

/// An arm goes from one posture to another, all joints in step, and device axes with it, in the cell as it is at the
/// start of a run: other arms at home, jaws open, parts where they lie. It stops `gap` [m] before the first contact
/// that it does not have already where it begins; of those that it has it may come out, not further in. Nothing is
/// jumped over.
HandStop moveByHand(const Cell& cell, ArmId arm, const JointVector& from, const JointVector& to,
                    const AxisValues& axesFrom, const AxisValues& axesTo, ContactCache& cache, double gap = kHandGap);

/// Whether it touches nothing that stands there, in the same cell. Parts do not count: one goes to them to grip them.
bool isFree(const Cell& cell, ArmId arm, const JointVector& posture, const AxisValues& axes, ContactCache& cache);

/// An arm's tool goes along a direction of the world until something is touched, at most so far [m]. The posture there,
/// what it touches; without contact `fraction` is 1 at the end of the way or where the arm cannot go on.
HandStop downToContact(const Cell& cell, ArmId arm, const JointVector& from, const Vec3& direction, double most,
                       const AxisValues& axes, ContactCache& cache);

}  // namespace topikos
