#pragma once
#include "core/robot/forward.h"
#include "core/robot/turns.h"

namespace topikos {

/// Axes of an arm at its zero posture, in base: what the families are recognised by.
struct ZeroAxes {
    std::array<Vec3, kMaxJoints> h;  ///< unit directions
    std::array<Vec3, kMaxJoints> o;  ///< a point on each [m]
    AxisFrame flange;

    explicit ZeroAxes(const Arm& arm)
    {
        ChainFrames zero;
        chainFrames(arm, JointVector::Zero(arm.jointCount()), zero);
        for (size_t i = 0; i < size_t(arm.jointCount()); ++i) {
            h[i] = zero.joints[i].rotation.col(2);
            o[i] = zero.joints[i].origin;
        }
        flange = zero.flange;
    }
    bool parallel(size_t a, size_t b) const { return h[a].cross(h[b]).norm() <= kParallel; }
    double sign(size_t a, size_t b) const { return h[a].dot(h[b]) > 0 ? 1 : -1; }
    Vec3 inFlange(const Vec3& point) const { return flange.rotation.transpose() * (point - flange.origin); }
};

/// Whether the arm has `count` joints and all of them turn.
inline bool allRevolute(const Arm& arm, int count)
{
    return arm.jointCount() == count && std::all_of(arm.joints().begin(), arm.joints().end(), [](const Joint& j) {
               return j.kind == JointKind::Revolute;
           });
}

}  // namespace topikos
