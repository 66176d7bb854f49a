#include "core/robot/dynamics.h"

#include "core/robot/forward.h"

namespace topikos {

JointVector jointEfforts(const Arm& arm, const JointVector& q, const JointVector& qd, const JointVector& qdd,
                         const Vec3& gravity, const Payload& payload)
{
    const int n = arm.jointCount();
    ChainFrames frames;
    chainFrames(arm, q, frames);

    // Outwards: motion of every link; the arm accelerates against free fall.
    std::array<Vec3, kMaxJoints> force, moment;  // on each link, at its joint's origin
    Vec3 omega = Vec3::Zero(), alpha = Vec3::Zero(), acceleration = -gravity, before = Vec3::Zero();
    for (int i = 0; i < n; ++i) {
        const AxisFrame& f = frames.joints[size_t(i)];
        const Arm::Segment& s = arm.segments()[size_t(i)];
        const Vec3 z = f.rotation.col(2), r = f.origin - before;
        acceleration += alpha.cross(r) + omega.cross(omega.cross(r));
        if (s.prismatic) {
            acceleration += qdd[i] * z + 2 * qd[i] * omega.cross(z);
        } else {
            alpha += qdd[i] * z + qd[i] * omega.cross(z);
            omega += qd[i] * z;
        }
        const auto load = [&](double mass, const Vec3& centre) {
            return Vec3(mass * (acceleration + alpha.cross(centre) + omega.cross(omega.cross(centre))));
        };
        const Vec3 centre = f.rotation * s.link.centre;
        const Mat3 inertia = f.rotation * s.link.inertia * f.rotation.transpose();
        force[size_t(i)] = load(s.link.mass, centre);
        moment[size_t(i)] = inertia * alpha + omega.cross(inertia * omega) + centre.cross(force[size_t(i)]);
        if (i == n - 1 && payload.mass > 0) {
            const Vec3 place = frames.flange.origin + frames.flange.rotation * payload.centre - f.origin;
            const Vec3 weight = load(payload.mass, place);
            force[size_t(i)] += weight;
            moment[size_t(i)] += place.cross(weight);
        }
        before = f.origin;
    }
    // Inwards: what each joint passes on.
    JointVector efforts(n);
    for (int i = n - 1; i >= 0; --i) {
        const size_t k = size_t(i);
        if (i + 1 < n) {
            moment[k] += moment[k + 1] + (frames.joints[k + 1].origin - frames.joints[k].origin).cross(force[k + 1]);
            force[k] += force[k + 1];
        }
        const Vec3 z = frames.joints[k].rotation.col(2);
        efforts[i] = z.dot(arm.segments()[k].prismatic ? force[k] : moment[k]);
    }
    return efforts;
}

JointVector gravityEfforts(const Arm& arm, const JointVector& q, const Vec3& gravity, const Payload& payload)
{
    const JointVector still = JointVector::Zero(arm.jointCount());
    return jointEfforts(arm, q, still, still, gravity, payload);
}

}  // namespace topikos
