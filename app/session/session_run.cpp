#include "app/session/session.h"

#include "app/session/text.h"

/// What is played on a copy of the cell, and what is drawn.
namespace topikos {

void Session::setPlaySpeed(double factor)
{
    m_playSpeed = factor;
    Q_EMIT runChanged();
}

void Session::play()
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    m_inRun = true;
    m_playUntil = t->duration;
    m_clock.start();
    m_timer.start();
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::playStep()
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    double until = t->duration;
    if (const ArmTrace* own = findArmTrace(*t, m_arm))
        for (const ArmTrace::Span& span : own->spans)
            if (span.end > m_time + 1e-6) {
                until = span.end;
                break;
            }
    play();
    m_playUntil = until;
}

void Session::pause()
{
    m_timer.stop();
    Q_EMIT runChanged();
}

void Session::scrub(double time)
{
    const Trace* t = trace();
    if (!t) return;
    m_timer.stop();
    m_inRun = true;
    m_time = std::clamp(time, 0.0, t->duration);
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::leaveRun()
{
    if (!m_inRun) return;
    m_timer.stop();
    m_inRun = false;
    m_time = 0;
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::tick()
{
    m_time += double(m_clock.restart()) * 1e-3 * m_playSpeed;
    if (m_time >= m_playUntil) {
        m_time = m_playUntil;
        m_timer.stop();
        const Trace* t = trace();
        const Finding* end = t && m_time >= t->duration ? whatEndsTheRun(m_checked->result) : nullptr;
        if (end) say(text(findingText(*m_checked->cell, *end).line()), true);
    }
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

CellState Session::shownState() const
{
    if (m_inRun && m_checked) return stateAt(*m_checked->cell, m_checked->result.trace, m_time);
    CellState state = authoredState(shownCell(), m_arm, m_posture, m_axes);
    for (ArmState& arm : state.arms)
        if (const auto own = m_postures.find(arm.arm); own != m_postures.end() && arm.arm != m_arm)
            arm.posture = own->second;
    return state;
}

JointVector Session::shownPosture() const
{
    if (m_inRun && m_checked)
        if (const ArmTrace* own = findArmTrace(m_checked->result.trace, m_arm))
            return postureAt(*m_checked->cell, *own, m_time);
    return m_posture;
}

AxisValues Session::shownAxes() const
{
    return m_inRun && m_checked ? axesAt(m_checked->result.trace, m_time) : m_axes;
}

StepId Session::shownStep() const
{
    // What runs is shown, whatever routine is looked at.
    const ArmTrace* t = m_inRun && m_checked ? findArmTrace(m_checked->result.trace, m_arm) : nullptr;
    if (!t) return {};
    const ArmTrace::Span* span = spanAt(*t, m_time);
    return span ? t->outcomes[span->outcome].step : StepId{};
}

std::vector<StepId> Session::runningSteps() const
{
    std::vector<StepId> out;
    if (!m_inRun || !m_checked) return out;
    for (const ArmTrace& arm : m_checked->result.trace.arms)
        if (const ArmTrace::Span* span = spanAt(arm, m_time)) out.push_back(arm.outcomes[span->outcome].step);
    return out;
}

void Session::setWays(std::vector<JointVector> ways, AxisValues axes)
{
    if (ways.empty() && m_ways.empty()) return;
    m_ways = std::move(ways);
    m_waysAxes = std::move(axes);
    Q_EMIT ghostChanged();
}

void Session::setGhost(std::optional<JointVector> ghost, AxisValues axes)
{
    m_ghost = std::move(ghost);
    m_ghostAxes = std::move(axes);
    Q_EMIT ghostChanged();
}

}  // namespace topikos
