#include "core/simulate/belts.h"

#include "core/motion/profile.h"

#include <algorithm>

namespace topikos {

void BeltRun::stretch(double start, double travel, double speed, double acceleration)
{
    const auto after = std::upper_bound(m_trace.beltStretches.begin(), m_trace.beltStretches.end(), start,
                                        [](double t, const BeltStretch& s) { return t < s.start; });
    m_trace.beltStretches.insert(after, {m_frame, start, travel, speed, acceleration});
}

BeltState BeltRun::cut(double now)
{
    const BeltState state = beltAt(m_trace, m_frame, now);
    std::erase_if(m_trace.beltStretches, [&](const BeltStretch& s) { return s.belt == m_frame && s.start >= now; });
    return state;
}

void BeltRun::run(double now, bool on)
{
    if (on == m_runs) return;
    m_runs = on;
    const BeltState state = cut(now);
    const double goal = on ? m_device.speed : 0, a = on ? m_device.acceleration : -m_device.acceleration;
    const double ramp = std::max(0.0, (goal - state.speed) / a);
    stretch(now, state.travel, state.speed, a);
    stretch(now + ramp, state.travel + ramp * (state.speed + 0.5 * a * ramp), goal, 0);
    m_rest = on ? INFINITY : now + ramp;
}

void BeltRun::index(double now)
{
    ++m_due;
    if (m_rest == INFINITY) pass(now);
}

void BeltRun::pass(double now)
{
    m_rest = INFINITY;
    if (m_due == 0) return;
    --m_due;
    const double travel = cut(now).travel;
    const Profile profile = trapezoid(m_device.pitch, m_device.speed, m_device.acceleration);
    for (const Profile::Stretch& s : profile.stretches)
        stretch(now + s.time, travel + s.position, s.speed, s.acceleration);
    m_rest = now + profile.duration;
    stretch(m_rest, travel + m_device.pitch, 0, 0);
}

double BeltRun::timeOf(double now, double distance) const
{
    const double goal = beltAt(m_trace, m_frame, now).travel + distance;
    const BeltStretch* before = nullptr;
    for (const BeltStretch& s : m_trace.beltStretches) {
        if (s.belt != m_frame) continue;
        // Belts only go forward: the goal lies in the last stretch that begins before it.
        if (before && s.travel >= goal && s.start > now) break;
        before = &s;
    }
    if (!before) return INFINITY;
    const double left = goal - before->travel;
    if (left <= 0) return std::max(now, before->start);
    const double root = before->speed * before->speed + 2 * before->acceleration * left;
    if (root < 0) return INFINITY;
    // The form that keeps its digits when the acceleration is small.
    const double divisor = before->speed + std::sqrt(root);
    return divisor > 0 ? std::max(now, before->start + 2 * left / divisor) : INFINITY;
}

}  // namespace topikos
