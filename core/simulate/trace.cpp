#include "core/simulate/trace.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

using Problem = StepOutcome::Problem;

/// Goal of a move in joint space where the target allows one: the posture itself, or the solution in the target's configuration.
std::optional<JointVector> goalPosture(const Cell& cell, const Step& step, const JointVector& from, StepOutcome& outcome)
{
    const Target& target = *findTarget(cell, step.target);
    const Arm& arm = *cell.arm.model;
    if (target.kind == Target::Kind::Posture) {
        const RangeExcess excess = rangeExcess(arm, target.posture);
        if (excess.joint < 0) return target.posture;
        outcome.problem = Problem::TargetOutOfReach;
        outcome.atTarget.reason = NoSolution::JointRange;
        outcome.atTarget.range = excess;
        return std::nullopt;
    }
    Solutions found = waysTo(cell, target, step.standoff, &from);
    if (const Solution* s = chosenWay(arm, target, found.items)) return s->joints;
    outcome.problem = found.items.empty() ? Problem::TargetOutOfReach : Problem::TargetNotInConfiguration;
    if (const Solution* s = chosenWay(arm, target, found.outOfRange)) found.range = rangeExcess(arm, s->joints);
    outcome.atTarget = std::move(found);
    return std::nullopt;
}

MotionLimits limitsOf(const Cell& cell, const Step& step)
{
    return {step.jointSpeed, step.lineSpeed, cell.lineLimits.acceleration, cell.lineLimits.turnSpeed, cell.lineLimits.turnAcceleration};
}

/// Walks through the steps, keeping posture, gripper and parts.
class Run {
public:
    Run(const Cell& cell, Trace& trace) : m_cell(cell), m_trace(trace), m_posture(homePosture(cell)), m_opening(toolInForce(cell).gripper.open)
    {
        trace.start = m_posture;
        trace.startOpening = m_opening;
        for (const Part& part : cell.parts) m_parts.push_back({part.id, worldFromPart(cell, part)});
    }

    void take(const Step& step, size_t index)
    {
        StepOutcome outcome;
        outcome.step = step.id;
        outcome.index = index;
        outcome.kind = step.kind;
        outcome.off = step.off;
        if (step.isMove()) outcome.target = step.target;
        const double openingBefore = m_opening;
        if (!step.off) {
            switch (step.kind) {
            case Step::Kind::JointMove: jointMove(step, outcome); break;
            case Step::Kind::Line: line(step, outcome); break;
            case Step::Kind::Grip: m_opening = toolInForce(m_cell).gripper.closed; outcome.duration = toolInForce(m_cell).gripper.time; break;
            case Step::Kind::Release: m_opening = toolInForce(m_cell).gripper.open; outcome.duration = toolInForce(m_cell).gripper.time; break;
            case Step::Kind::Wait: outcome.duration = step.seconds; break;
            }
        }
        outcome.start = m_time;
        outcome.arrival = m_posture;
        if (step.kind == Step::Kind::Grip && !step.off) grip(outcome);
        if (step.kind == Step::Kind::Release && !step.off) release();
        if (!m_trace.blockedAt && !step.off) {
            m_trace.spans.push_back({m_trace.outcomes.size(), m_time, m_time + outcome.duration, openingBefore, m_opening});
            m_time += outcome.duration;
            if (outcome.blocks()) m_trace.blockedAt = m_trace.outcomes.size();
        } else {
            outcome.start = outcome.duration = 0;
        }
        m_trace.outcomes.push_back(std::move(outcome));
        m_trace.duration = m_time;
    }

private:
    void jointMove(const Step& step, StepOutcome& outcome)
    {
        const auto goal = goalPosture(m_cell, step, m_posture, outcome);
        if (!goal) return;
        outcome.move = planJointMove(*m_cell.arm.model, m_posture, *goal, limitsOf(m_cell, step));
        outcome.duration = outcome.move->profile.duration;
        m_posture = *goal;
    }

    void line(const Step& step, StepOutcome& outcome)
    {
        const Target& target = *findTarget(m_cell, step.target);
        const Arm& arm = *m_cell.arm.model;
        LinePath path;
        path.flangeFromTcp = target.kind == Target::Kind::Pose ? flangeFromTcp(*findTool(m_cell, target.tool), target.tcp) : flangeFromTcp(m_cell);
        path.start = forward(arm, m_posture) * path.flangeFromTcp;
        path.end = target.kind == Target::Kind::Pose ? baseFromTarget(m_cell, target, step.standoff) : forward(arm, target.posture) * path.flangeFromTcp;
        outcome.move = planLine(arm, m_posture, path, limitsOf(m_cell, step), m_cell.thresholds.blocks(), m_cell.thresholds.cautions());
        outcome.duration = outcome.move->profile.duration;
        if (outcome.move->stop) {
            outcome.problem = Problem::LineStops;
            // Later steps are judged as if this one had arrived, where its target can be reached at all.
            StepOutcome ignored;
            m_posture = goalPosture(m_cell, step, m_posture, ignored).value_or(m_posture);
            return;
        }
        m_posture = outcome.move->to;
        const Configuration wanted = target.kind == Target::Kind::Pose ? target.configuration : configurationOf(arm, target.posture);
        outcome.otherConfiguration = arm.hasConfigurations() && (arm.hasBranches() ? outcome.move->branch : configurationOf(arm, m_posture)) != wanted;
    }

    Pose worldFromTcp() const { return worldFromBase(m_cell) * baseFromTcp(m_cell, m_posture); }

    void grip(StepOutcome& outcome)
    {
        const Pose tcp = worldFromTcp();
        const Gripper& gripper = toolInForce(m_cell).gripper;
        double nearest = INFINITY;
        for (const auto& [id, place] : m_parts) {
            const double distance = (place.translation - tcp.translation).norm();
            if (distance < nearest && inGrasp(gripper, inverse(tcp) * place)) {
                nearest = distance;
                m_carried = id;
                m_tcpFromPart = inverse(tcp) * place;
            }
        }
        if (!m_carried) outcome.problem = Problem::NothingGripped;
        else if (!m_trace.blockedAt) m_trace.partEvents.push_back({m_trace.outcomes.size(), 0, m_carried, true, m_tcpFromPart});
    }

    void release()
    {
        if (!m_carried) return;
        const Pose place = worldFromTcp() * m_tcpFromPart;
        for (auto& [id, pose] : m_parts)
            if (id == m_carried) pose = place;
        if (!m_trace.blockedAt) m_trace.partEvents.push_back({m_trace.outcomes.size(), 0, m_carried, false, place});
        m_carried = {};
    }

    const Cell& m_cell;
    Trace& m_trace;
    JointVector m_posture;
    double m_opening;
    double m_time = 0;
    std::vector<std::pair<PartId, Pose>> m_parts;  ///< worldFromPart
    PartId m_carried;
    Pose m_tcpFromPart;
};

/// Time by which the move after `first` may set in before `first` has ended: inside both ramps, with the TCP within `blend` of the corner.
double overlapTime(const Arm& arm, const Pose& flangeFromTcp, const Move& first, const Move& second, double blend)
{
    const Vec3 corner = (forward(arm, first.to) * flangeFromTcp).translation;
    const auto near = [&](const Move& move, double time) {
        const JointVector q = move.at(arm, move.profile.at(time).position);
        return ((forward(arm, q) * flangeFromTcp).translation - corner).norm() <= blend;
    };
    const auto fits = [&](double overlap) { return near(first, first.profile.duration - overlap) && near(second, overlap); };
    double low = 0, high = std::min(first.profile.rampDown(), second.profile.rampUp());
    if (fits(high)) return high;
    for (int i = 0; i < 40; ++i) {
        const double middle = 0.5 * (low + high);
        (fits(middle) ? low : high) = middle;
    }
    return low;
}

/// Lets blended moves overlap and moves everything after them forward.
void blendMoves(const Cell& cell, const Routine& routine, Trace& trace)
{
    double gained = 0;
    for (size_t i = 0; i < trace.spans.size(); ++i) {
        Trace::Span& span = trace.spans[i];
        StepOutcome& outcome = trace.outcomes[span.outcome];
        if (i > 0) {
            const StepOutcome& before = trace.outcomes[trace.spans[i - 1].outcome];
            const double blend = routine.steps[before.index].blend;
            if (blend > 0 && before.move && outcome.move && !before.blocks() && !outcome.blocks())
                gained += overlapTime(*cell.arm.model, flangeFromTcp(cell), *before.move, *outcome.move, blend);
        }
        span.start -= gained;
        span.end -= gained;
        outcome.start = span.start;
    }
    for (Trace::PartEvent& event : trace.partEvents) {
        const StepOutcome& outcome = trace.outcomes[event.outcome];
        event.time = outcome.start + (event.carried ? outcome.duration : 0);
    }
    trace.duration -= gained;
}

JointVector alongSpan(const Cell& cell, const Trace& trace, const Trace::Span& span, double time)
{
    const StepOutcome& outcome = trace.outcomes[span.outcome];
    if (!outcome.move) return outcome.arrival;
    return outcome.move->at(*cell.arm.model, outcome.move->profile.at(time - span.start).position);
}

}  // namespace

Trace simulate(const Cell& cell, const Routine& routine)
{
    Trace trace;
    Run run(cell, trace);
    for (size_t i = 0; i < routine.steps.size(); ++i) run.take(routine.steps[i], i);
    blendMoves(cell, routine, trace);
    return trace;
}

const Trace::Span* spanAt(const Trace& trace, double time)
{
    if (trace.spans.empty()) return nullptr;
    auto next = std::upper_bound(trace.spans.begin(), trace.spans.end(), time, [](double t, const Trace::Span& s) { return t < s.start; });
    return next == trace.spans.begin() ? &*next : &*(next - 1);
}

JointVector postureAt(const Cell& cell, const Trace& trace, double time)
{
    const Trace::Span* span = spanAt(trace, time);
    if (!span) return trace.start;
    const JointVector posture = alongSpan(cell, trace, *span, time);
    if (span == trace.spans.data()) return posture;
    const Trace::Span& before = *(span - 1);
    if (before.end <= time) return posture;
    // Blend: the end of one move and the beginning of the next add up.
    return posture + alongSpan(cell, trace, before, time) - trace.outcomes[before.outcome].move->to;
}

CellState authoredState(const Cell& cell, const JointVector& posture)
{
    CellState state;
    state.posture = posture;
    state.gripperOpening = toolInForce(cell).gripper.open;
    for (const Part& part : cell.parts) state.parts.push_back({part.id, worldFromPart(cell, part), false});
    return state;
}

CellState stateAt(const Cell& cell, const Trace& trace, double time)
{
    CellState state = authoredState(cell, postureAt(cell, trace, time));
    if (const Trace::Span* span = spanAt(trace, time)) {
        const double length = span->end - span->start;
        const double done = length > 0 ? std::clamp((time - span->start) / length, 0.0, 1.0) : 1;
        state.gripperOpening = span->gripperFrom + done * (span->gripperTo - span->gripperFrom);
    }
    for (const Trace::PartEvent& event : trace.partEvents) {
        if (event.time > time) continue;
        for (PlacedPart& placed : state.parts) {
            if (placed.part != event.part) continue;
            placed.carried = event.carried;
            placed.worldFromPart = event.carried ? worldFromBase(cell) * baseFromTcp(cell, state.posture) * event.pose : event.pose;
        }
    }
    return state;
}

double partsPerHour(const Trace& trace)
{
    if (trace.blockedAt || trace.duration <= 0) return 0;
    const auto set = std::count_if(trace.partEvents.begin(), trace.partEvents.end(), [](const Trace::PartEvent& e) { return !e.carried; });
    return double(set) * 3600 / trace.duration;
}

}  // namespace topikos
