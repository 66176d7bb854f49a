#include "core/robot/forward.h"

#include "core/robot/turns.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

/// Sines and cosines of `n` angles, two at a time.
void sineCosines(const double* angles, size_t n, std::array<double, kMaxJoints>& sines,
                 std::array<double, kMaxJoints>& cosines)
{
    for (size_t i = 0; i < n; i += 2) {
        const Two pair{angles[i], i + 1 < n ? angles[i + 1] : 0.0};
        const SineCosineOf<Two> turn = sineCosine(pair);
        for (const int k : {0, 1}) {
            const bool small = std::abs(pair[k]) <= kLargestTurn;
            sines[i + size_t(k)] = small ? turn.sine[k] : std::sin(pair[k]);
            cosines[i + size_t(k)] = small ? turn.cosine[k] : std::cos(pair[k]);
        }
    }
}

}  // namespace

void chainFrames(const Arm& arm, const JointVector& posture, ChainFrames& out)
{
    const std::vector<Arm::Segment>& segments = arm.segments();
    const size_t n = segments.size();
    const double* q = posture.data();
    std::array<double, kMaxJoints> sines, cosines;
    sineCosines(q, n, sines, cosines);
    // Columns of the rotation and the place, in plain numbers: nothing of them has to go through memory on the way.
    double r[9] = {1, 0, 0, 0, 1, 0, 0, 0, 1}, p[3] = {0, 0, 0};
    for (size_t i = 0; i < n; ++i) {
        const Arm::Segment& s = segments[i];
        const double* m = s.rotation.data();
        const double* t = s.translation.data();
        double a[9];
        for (int k = 0; k < 3; ++k) {
            p[k] += r[k] * t[0] + r[3 + k] * t[1] + r[6 + k] * t[2];
            for (int c = 0; c < 3; ++c)
                a[3 * c + k] = r[k] * m[3 * c] + r[3 + k] * m[3 * c + 1] + r[6 + k] * m[3 * c + 2];
        }
        if (s.prismatic) {
            for (int k = 0; k < 3; ++k)
                p[k] += a[6 + k] * q[i];
            std::copy(a, a + 9, r);
        } else {
            for (int k = 0; k < 3; ++k) {
                r[k] = cosines[i] * a[k] + sines[i] * a[3 + k];
                r[3 + k] = cosines[i] * a[3 + k] - sines[i] * a[k];
                r[6 + k] = a[6 + k];
            }
        }
        AxisFrame& f = out.joints[i];
        std::copy(r, r + 9, f.rotation.data());
        std::copy(p, p + 3, f.origin.data());
    }
    const Eigen::Map<const Mat3> last(r);
    out.flange.rotation.noalias() = last * arm.flangeRotation();
    out.flange.origin.noalias() = Eigen::Map<const Vec3>(p) + last * arm.flangeTranslation();
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
