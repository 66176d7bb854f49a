#include "core/robot/numeric.h"

#include "core/spatial/rotation.h"

#include <Eigen/Cholesky>

#include <algorithm>
#include <random>

namespace topikos {

namespace {

using Vec6 = Eigen::Matrix<double, 6, 1>;
using Square = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, kMaxJoints, kMaxJoints>;

/// Way (linear, then angular times the scale) from where the flange is to where it shall be.
Vec6 residual(const ChainFrames& frames, const Mat3& rotation, const Vec3& position, double scale, double& metres,
              double& radians)
{
    const Quat turn(rotation * frames.flange.rotation.transpose());
    const double sine = turn.vec().norm();
    radians = 2 * std::atan2(sine, std::abs(turn.w()));
    const double factor = sine > 1e-12 ? std::copysign(radians / sine, turn.w()) : 2;
    Vec6 r;
    r.head<3>() = position - frames.flange.origin;
    r.tail<3>() = scale * factor * turn.vec();
    metres = r.head<3>().norm();
    return r;
}

/// Damped step; joints in `held` stay.
void dampedStep(const Jacobian& j, const Vec6& r, double damping, const std::array<bool, kMaxJoints>& held,
                JointVector& step)
{
    const Eigen::Index n = j.cols();
    Square h = j.transpose() * j;
    step = j.transpose() * r;
    for (Eigen::Index i = 0; i < n; ++i) {
        h(i, i) += damping;
        if (!held[size_t(i)]) continue;
        h.row(i).setZero();
        h.col(i).setZero();
        h(i, i) = 1;
        step[i] = 0;
    }
    step = h.ldlt().solve(step).eval();
}

}  // namespace

Descent descend(const Arm& arm, const Pose& baseFromFlange, const JointVector& start, bool inRange, double lengthScale,
                int mostSteps)
{
    const Mat3 rotation = baseFromFlange.matrix();
    const Vec3& position = baseFromFlange.translation;
    const int n = arm.jointCount();
    const double floor = 1e-28 * lengthScale * lengthScale;
    ChainFrames frames;
    Descent at;
    at.joints = inRange ? clampedToRange(arm, start) : start;
    chainFrames(arm, at.joints, frames);
    Vec6 r = residual(frames, rotation, position, lengthScale, at.metres, at.radians);
    double error = r.squaredNorm(), weight = 0.05;
    int slow = 0;
    for (int k = 0; k < mostSteps && error > floor; ++k) {
        Jacobian j = jacobian(frames, arm);
        j.bottomRows<3>() *= lengthScale;
        JointVector step(n);
        std::array<bool, kMaxJoints> held{};
        for (int round = 0; round < n; ++round) {
            dampedStep(j, r, weight * error + 1e-20, held, step);
            bool more = false;
            for (int i = 0; inRange && i < n; ++i) {
                const Joint& joint = arm.joints()[size_t(i)];
                if (held[size_t(i)]
                    || !((step[i] > 0 && at.joints[i] >= joint.upper) || (step[i] < 0 && at.joints[i] <= joint.lower)))
                    continue;
                held[size_t(i)] = more = true;
            }
            if (!more) break;
        }
        Descent next;
        next.joints = inRange ? clampedToRange(arm, at.joints + step) : JointVector(at.joints + step);
        chainFrames(arm, next.joints, frames);
        const Vec6 nextR = residual(frames, rotation, position, lengthScale, next.metres, next.radians);
        const double nextError = nextR.squaredNorm();
        if (!(nextError < error)) {
            if (at.arrived() || (weight *= 8) > 1e6) break;
            chainFrames(arm, at.joints, frames);
            continue;
        }
        slow = nextError > 0.97 * error ? slow + 1 : 0;
        weight = std::max(1e-3, weight / 2);
        at = std::move(next);
        r = nextR;
        error = nextError;
        if (slow > 6) break;
    }
    return at;
}

Descent search(const Arm& arm, const Pose& baseFromFlange, const JointVector& first, int restarts)
{
    const double scale = arm.reach();
    Descent best = descend(arm, baseFromFlange, first, true, scale);
    const auto cost = [&](const Descent& d) { return length(d.metres, scale * d.radians); };
    std::mt19937_64 random(20120509);
    std::uniform_real_distribution<double> share(0, 1);
    const Mat3 rotation = baseFromFlange.matrix();
    ChainFrames frames;
    for (int k = 0; k < restarts && !best.arrived(); ++k) {
        JointVector start(arm.jointCount());
        double least = INFINITY;
        for (int draw = 0; draw < 8; ++draw) {
            JointVector q(arm.jointCount());
            for (int i = 0; i < arm.jointCount(); ++i) {
                const Joint& joint = arm.joints()[size_t(i)];
                // A joint that turns more than once round starts from the middle turn.
                const double middle = 0.5 * (joint.lower + joint.upper);
                const double half = joint.kind == JointKind::Revolute
                                        ? std::min(0.5 * (joint.upper - joint.lower), std::numbers::pi)
                                        : 0.5 * (joint.upper - joint.lower);
                q[i] = middle + (2 * share(random) - 1) * half;
            }
            chainFrames(arm, q, frames);
            Descent at;
            const double error =
                residual(frames, rotation, baseFromFlange.translation, scale, at.metres, at.radians).squaredNorm();
            if (error < least) {
                least = error;
                start = q;
            }
        }
        const Descent end = descend(arm, baseFromFlange, start, true, scale);
        if (cost(end) < cost(best)) best = end;
    }
    return best;
}

}  // namespace topikos
