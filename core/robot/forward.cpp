#include "core/robot/forward.h"

#include <cmath>

namespace topikos {

void chainFrames(const Arm& arm, const JointVector& posture, ChainFrames& out)
{
    const auto& segments = arm.segments();
    Mat3 r = Mat3::Identity();
    Vec3 p = Vec3::Zero();
    for (size_t i = 0; i < segments.size(); ++i) {
        const Arm::Segment& s = segments[i];
        AxisFrame& f = out.joints[i];
        if (i == 0) {
            r = s.rotation;
            p = s.translation;
        } else {
            p += r * s.translation;
            const Mat3 turned = r * s.rotation;
            r = turned;
        }
        if (s.prismatic) {
            p += r.col(2) * posture[Eigen::Index(i)];
        } else {
            const double sine = std::sin(posture[Eigen::Index(i)]), cosine = std::cos(posture[Eigen::Index(i)]);
            const Vec3 x = r.col(0), y = r.col(1);
            r.col(0) = cosine * x + sine * y;
            r.col(1) = cosine * y - sine * x;
        }
        f.rotation = r;
        f.origin = p;
    }
    out.flange.rotation = r * arm.flangeRotation();
    out.flange.origin = p + r * arm.flangeTranslation();
}

Pose forward(const Arm& arm, const JointVector& posture)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    return makePose(frames.flange.rotation, frames.flange.origin);
}

std::vector<Pose> linkPoses(const Arm& arm, const JointVector& posture)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    std::vector<Pose> poses;
    for (int i = 0; i < arm.jointCount(); ++i)
        poses.push_back(makePose(frames.joints[size_t(i)].rotation * arm.segments()[size_t(i)].linkInZ,
                                 frames.joints[size_t(i)].origin));
    poses.push_back(makePose(frames.flange.rotation, frames.flange.origin));
    return poses;
}

Jacobian jacobian(const ChainFrames& frames, const Arm& arm)
{
    const int n = arm.jointCount();
    Jacobian j(6, n);
    for (int i = 0; i < n; ++i) {
        const AxisFrame& f = frames.joints[size_t(i)];
        const Vec3 z = f.rotation.col(2);
        if (arm.segments()[size_t(i)].prismatic) {
            j.col(i).head<3>() = z;
            j.col(i).tail<3>().setZero();
        } else {
            j.col(i).head<3>() = z.cross(frames.flange.origin - f.origin);
            j.col(i).tail<3>() = z;
        }
    }
    return j;
}

Jacobian jacobian(const Arm& arm, const JointVector& posture)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    return jacobian(frames, arm);
}

}  // namespace topikos
