#include "core/robot/sheet_reach.h"

#include "core/robot/forward.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

namespace topikos {

namespace {

constexpr int kLooks = 12;        // along the range of an axis
constexpr int kRounds = 20;       // over all axes
constexpr double kGains = 1e-6;   // less is none [m]
constexpr double kFinest = 1e-4;  // step of an axis [rad]

/// The most that something comes to within the ranges of the axes.
double farthest(const Arm& arm, const std::function<double(const JointVector&)>& value)
{
    const auto clamped = [&](double fraction) {
        JointVector q(arm.jointCount());
        for (int i = 0; i < arm.jointCount(); ++i) {
            const Joint& joint = arm.joints()[size_t(i)];
            q[i] = joint.lower + fraction * (joint.upper - joint.lower);
        }
        return q;
    };
    double best = 0;
    for (const double start : {0.5, 0.3, 0.7}) {
        JointVector q = clamped(start);
        double now = value(q);
        for (int round = 0; round < kRounds; ++round) {
            const double before = now;
            for (int i = 0; i < arm.jointCount(); ++i) {
                const Joint& joint = arm.joints()[size_t(i)];
                const auto at = [&](double x) {
                    JointVector other = q;
                    other[i] = x;
                    return value(other);
                };
                const double step = (joint.upper - joint.lower) / kLooks;
                double own = q[i];
                for (int k = 0; k <= kLooks; ++k) {
                    const double x = joint.lower + k * step;
                    if (const double v = at(x); v > now) {
                        now = v;
                        own = x;
                    }
                }
                // Between two looks the value is that of a circle: halves of the step find its highest place.
                for (double half = 0.5 * step; half > kFinest; half *= 0.5)
                    for (const double x : {own - half, own + half})
                        if (x >= joint.lower && x <= joint.upper)
                            if (const double v = at(x); v > now) {
                                now = v;
                                own = x;
                            }
                q[i] = own;
            }
            if (now - before < kGains) break;
        }
        best = std::max(best, now);
    }
    return best;
}

}  // namespace

std::optional<SheetReach> sheetReach(const Arm& arm)
{
    const size_t n = size_t(arm.jointCount());
    const bool turns = std::all_of(arm.joints().begin(), arm.joints().end(),
                                   [](const Joint& joint) { return joint.kind == JointKind::Revolute; });
    if (n < 3 || !turns) return std::nullopt;
    ChainFrames frames;
    const auto away = [&](const Vec3& place) {
        const Vec3 axis = frames.joints[0].rotation.col(2);
        return Vec3((place - frames.joints[0].origin).cross(axis)).norm();
    };
    const auto framesAt = [&](const JointVector& q) -> const ChainFrames& {
        chainFrames(arm, q, frames);
        return frames;
    };
    SheetReach out;
    out.flange = farthest(arm, [&](const JointVector& q) { return away(framesAt(q).flange.origin); });
    out.wrist = farthest(arm, [&](const JointVector& q) { return away(framesAt(q).joints[n - 2].origin); });
    out.fromShoulder = farthest(arm, [&](const JointVector& q) {
        const ChainFrames& f = framesAt(q);
        return (f.joints[n - 2].origin - f.joints[1].origin).norm();
    });
    framesAt(JointVector::Zero(arm.jointCount()));
    for (size_t i = 2; i + 1 < n; ++i)
        out.lengths += (frames.joints[i].origin - frames.joints[i - 1].origin).norm();
    return out;
}

}  // namespace topikos
