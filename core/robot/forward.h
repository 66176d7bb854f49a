#pragma once
#include "core/robot/arm.h"

#include <array>

namespace topikos {

/// Placement of a joint's z-frame in base: the joint turns about, or slides along, column z of `rotation`.
struct AxisFrame {
    Mat3 rotation;
    Vec3 origin;  ///< [m]
};

struct ChainFrames {
    std::array<AxisFrame, kMaxJoints> joints;
    AxisFrame flange;
};

/// All frames of the chain at a posture, in base. `posture` has jointCount() entries; ranges are not looked at.
void chainFrames(const Arm& arm, const JointVector& posture, ChainFrames& out);

/// Where links are when the base is at `base`: 0 the base itself, i what moves with joint i.
inline Pose linkPlace(const Pose& base, const ChainFrames& chain, size_t link)
{
    return link == 0 ? base : base * makePose(chain.joints[link - 1].rotation, chain.joints[link - 1].origin);
}
inline Pose flangePlace(const Pose& base, const ChainFrames& chain)
{
    return base * makePose(chain.flange.rotation, chain.flange.origin);
}

/// baseFromFlange at a posture.
Pose forward(const Arm& arm, const JointVector& posture);

/// Placement of every link in base, link i moving with joint i, followed by the flange (jointCount() + 1 poses).
std::vector<Pose> linkPoses(const Arm& arm, const JointVector& posture);

/// Geometric Jacobian of the flange origin in base: rows 0-2 linear [m/s], rows 3-5 angular [rad/s] per unit of joint
/// speed.
Jacobian jacobian(const ChainFrames& frames, const Arm& arm);
Jacobian jacobian(const Arm& arm, const JointVector& posture);

}  // namespace topikos
