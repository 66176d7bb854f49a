#include "core/simulate/belts.h"

#include "core/motion/profile.h"

#include <algorithm>

namespace topikos {

BeltState BeltRun::cut(double now)
{
    const BeltState state = m_track.at(now);
    while (!m_track.stretches.empty() && m_track.stretches.back().start >= now)
        m_track.stretches.pop_back();
    return state;
}

void BeltRun::run(double now, bool on)
{
    if (on == m_runs) return;
    m_runs = on;
    const BeltState state = cut(now);
    const double goal = on ? m_device.speed : 0, a = on ? m_device.acceleration : -m_device.acceleration;
    const double ramp = std::max(0.0, (goal - state.speed) / a);
    m_track.stretches.push_back({now, state.travel, state.speed, a});
    m_track.stretches.push_back({now + ramp, state.travel + ramp * (state.speed + 0.5 * a * ramp), goal, 0});
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
        m_track.stretches.push_back({now + s.time, travel + s.position, s.speed, s.acceleration});
    m_rest = now + profile.duration;
    m_track.stretches.push_back({m_rest, travel + m_device.pitch, 0, 0});
}

double BeltRun::timeOf(double now, double goal) const
{
    if (m_track.stretches.empty()) return INFINITY;
    // Belts only go forward: the goal lies in the last stretch that begins before it. Those planned ahead are few.
    auto s = m_track.stretches.end() - 1;
    while (s != m_track.stretches.begin() && s->travel >= goal && s->start > now)
        --s;
    const double left = goal - s->travel;
    if (left <= 0) return std::max(now, s->start);
    const double root = s->speed * s->speed + 2 * s->acceleration * left;
    if (root < 0) return INFINITY;
    // The form that keeps its digits when the acceleration is small.
    const double divisor = s->speed + std::sqrt(root);
    return divisor > 0 ? std::max(now, s->start + 2 * left / divisor) : INFINITY;
}

}  // namespace topikos
