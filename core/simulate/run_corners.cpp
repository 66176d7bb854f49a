#include "core/simulate/run.h"

#include "core/robot/forward.h"

#include <algorithm>
#include <cmath>

// How far two moves may run into each other at a corner.

namespace topikos {

namespace {

constexpr double kShortestBlend = 1e-6;  // [s]
constexpr double kAboveLimit = 1.001;    // ratio from which a joint counts as above its limit
constexpr int kCornerLooks = 16;

/// What asks most of its limit while two moves go on at once.
struct Strain {
    double ratio = 0;
    int joint = -1;
    FrameId axis{};
};

/// The last `overlap` seconds of one move while another begins.
Strain strainOf(const Cell& cell, const Arm& arm, const StepOutcome& first, const StepOutcome& second, double overlap)
{
    Strain worst;
    const auto keep = [&](double value, double limit, int joint, FrameId axis) {
        if (std::abs(value) / limit > worst.ratio) worst = {std::abs(value) / limit, joint, axis};
    };
    const Move &a = *first.move, &b = *second.move;
    for (int k = 0; k <= kCornerLooks; ++k) {
        // Just inside the ramps, since accelerations jump at their ends.
        const double time = overlap * std::clamp(double(k) / kCornerLooks, 1e-9, 1 - 1e-9);
        const double other = a.profile.duration - overlap + time;
        const JointVector speed = a.speedAt(other) + b.speedAt(time);
        const JointVector acceleration = a.accelerationAt(other) + b.accelerationAt(time);
        for (int i = 0; i < arm.jointCount(); ++i) {
            const Joint& joint = arm.joints()[size_t(i)];
            keep(speed[i], joint.speed, i, {});
            keep(acceleration[i], joint.acceleration, i, {});
        }
        for (const AxisTravel& t : first.travels)
            for (const AxisTravel& u : second.travels) {
                if (t.frame != u.frame) continue;
                const Profile::Sample s = a.profile.at(other), r = b.profile.at(time);
                const FrameAxis& axis = *findFrame(cell, t.frame)->axis;
                keep(s.speed * (t.to - t.from) + r.speed * (u.to - u.from), axis.speed, -1, t.frame);
                keep(s.acceleration * (t.to - t.from) + r.acceleration * (u.to - u.from), axis.acceleration, -1,
                     t.frame);
            }
    }
    return worst;
}

template <class Predicate> double largestThatFits(double high, Predicate fits)
{
    if (fits(high)) return high;
    double low = 0;
    for (int i = 0; i < 40; ++i) {
        const double middle = 0.5 * (low + high);
        (fits(middle) ? low : high) = middle;
    }
    return low;
}

}  // namespace

/// Time by which the move after `first` may set in before `first` has ended: inside both ramps, with the TCP within
/// `blend` of the corner, and no joint or axis above its limits.
double Run::overlapTime(const ArmRun& arm, StepOutcome& first, const StepOutcome& second, double blend) const
{
    const Arm& model = *arm.station->model;
    const Pose& tool = flangeFromTcp(toolInForce(m_cell, *arm.station), arm.point);
    const bool stands = first.travels.empty() && second.travels.empty();
    const auto tcpAt = [&](const StepOutcome& outcome, double time) {
        const double fraction = outcome.move->profile.at(time).position;
        const Pose tcp = forward(model, outcome.move->at(model, fraction)) * tool;
        if (stands) return tcp.translation;
        const AxisValues axes = overlaid(m_axes, outcome.axesAlong(fraction));
        return (worldFromBase(m_cell, *arm.station, axes) * tcp).translation;
    };
    const double duration = first.move->profile.duration;
    const Vec3 corner = tcpAt(first, duration);
    const auto near = [&](const StepOutcome& outcome, double time) {
        return (tcpAt(outcome, time) - corner).norm() <= blend;
    };
    const double asked =
        largestThatFits(std::min(first.move->profile.rampDown(), second.move->profile.rampUp()),
                        [&](double overlap) { return near(first, duration - overlap) && near(second, overlap); });
    if (asked < kShortestBlend) return 0;
    const double allowed = std::max({kAboveLimit, first.move->acceleration.ratio, second.move->acceleration.ratio});
    const Strain strain = strainOf(m_cell, model, first, second, asked);
    if (strain.ratio <= allowed) return asked;
    double kept = largestThatFits(
        asked, [&](double overlap) { return strainOf(m_cell, model, first, second, overlap).ratio <= allowed; });
    if (kept < kShortestBlend) kept = 0;
    const auto before = [&](double overlap) { return (tcpAt(first, duration - overlap) - corner).norm(); };
    first.corner = Corner{before(asked), kept > 0 ? before(kept) : 0, strain.ratio, strain.joint, strain.axis};
    return kept;
}

}  // namespace topikos
