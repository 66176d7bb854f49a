#include "core/cell/step_tree.h"
#include "core/simulate/run.h"

#include <algorithm>
#include <cmath>

// How arms go on from step to step.

namespace topikos {

bool Run::armsGoOn()
{
    bool any = false;
    for (ArmRun& arm : m_arms) {
        if (arm.done) continue;
        const bool goes = arm.waits ? met(arm.waiting.step->as<WaitSignal>()->until) : arm.ready <= m_now;
        if (!goes) continue;
        proceed(arm);
        any = true;
    }
    m_progress = m_progress || any;
    return any;
}

/// Waits whose time is up. What comes at the same instant has been heard by then.
bool Run::timesOut()
{
    bool any = false;
    for (ArmRun& arm : m_arms) {
        if (arm.done || !arm.waits || !arm.limited || arm.ready > m_now) continue;
        arm.ahead->problem = StepOutcome::Problem::TimedOut;
        const Step& step = *arm.waiting.step;
        arm.cursor.enter(step, step.otherwise);
        proceed(arm);
        any = true;
    }
    m_progress = m_progress || any;
    return any;
}

Cursor::Next Run::advance(ArmRun& arm)
{
    const auto decide = [&](const Step& step, int) -> std::optional<bool> {
        const If* decision = step.as<If>();
        return met(decision ? decision->condition : step.as<Repeat>()->condition);
    };
    const auto untaken = [&](const Step& step, const Steps& list) { judgeList(arm, arm.cursor, step, list); };
    const int before = arm.cursor.rounds();
    const Cursor::Next next = arm.cursor.next(decide, untaken);
    if (arm.cursor.rounds() != before) arm.trace->rounds.push_back(m_now);
    return next;
}

void Run::proceed(ArmRun& arm)
{
    if (arm.waits) {
        arm.waits = arm.limited = false;
        arm.ready = m_now;
        StepOutcome outcome = std::move(*arm.ahead);
        arm.ahead.reset();
        outcome.duration = m_now - outcome.start;
        finish(arm, std::move(outcome), arm.opening);
    }
    while (arm.ready <= m_now) {
        if (std::exchange(arm.grips, false)) grip(arm, arm.trace->outcomes.back());
        if (arm.again) {
            const Operation operation = *std::exchange(arm.again, std::nullopt);
            if (!begin(arm, operation)) return;
            continue;
        }
        switch (advance(arm)) {
        case Cursor::Next::Step:
            if (!begin(arm, arm.cursor.operation())) return;
            break;
        case Cursor::Next::Pass:
            if (!spend()) return;
            break;
        case Cursor::Next::Unknown:
        case Cursor::Next::End:
            if (++arm.pass >= m_options.cycles || arm.cursor.endedInARepeat()) {
                arm.done = arm.trace->ended = true;
                return;
            }
            arm.cursor = Cursor(m_index, *arm.routine, arm.station->tcp, m_options.rounds);
            arm.trace->passes.push_back(m_now);
            if (!spend()) return;
            break;
        }
    }
}

/// What comes next, if that is known now.
std::optional<Operation> Run::lookAhead(const ArmRun& arm) const
{
    constexpr int kMostPasses = 16;
    Cursor cursor = arm.cursor;
    const auto unknown = [](const Step&, int) { return std::optional<bool>(); };
    for (int i = 0; i < kMostPasses; ++i) {
        const Cursor::Next next = cursor.next(unknown);
        if (next == Cursor::Next::Step) return cursor.operation();
        if (next != Cursor::Next::Pass) break;
    }
    return std::nullopt;
}

StepOutcome Run::begun(const ArmRun& arm, const Operation& operation) const
{
    StepOutcome outcome;
    outcome.step = operation.step->id;
    outcome.routine = operation.routine->id;
    outcome.index = m_index.numberOf(operation.step->id);
    outcome.pass = arm.pass;
    outcome.within = operation.within;
    outcome.point = operation.point;
    outcome.readingFrame = operation.readingFrame;
    outcome.kind = operation.step->kind();
    outcome.arrival = arm.posture;
    if (operation.end) outcome.target = operation.end->id;
    return outcome;
}

bool Run::begin(ArmRun& arm, const Operation& operation)
{
    const Step& step = *operation.step;
    StepOutcome outcome = begun(arm, operation);
    outcome.start = m_now;
    arm.point = operation.point;
    const double openingBefore = arm.opening;
    const Gripper& gripper = toolInForce(m_cell, *arm.station).gripper;
    double overlap = 0;
    switch (step.kind()) {
    case StepKind::Joint:
    case StepKind::Line:
    case StepKind::Arc:
        if (!beginMove(arm, operation, outcome, overlap)) return false;
        break;
    case StepKind::Grip:
        arm.opening = gripper.closed;
        outcome.duration = gripper.time;
        arm.grips = true;
        break;
    case StepKind::Release:
        arm.opening = gripper.open;
        outcome.duration = gripper.time;
        if (!arm.carried) outcome.problem = StepOutcome::Problem::NothingHeld;
        release(arm);
        break;
    case StepKind::Wait: outcome.duration = step.as<Wait>()->seconds; break;
    case StepKind::SetSignal: setSignal(step.as<SetSignal>()->signal, step.as<SetSignal>()->value); break;
    case StepKind::PulseSignal: {
        const PulseSignal& pulse = *step.as<PulseSignal>();
        setSignal(pulse.signal, 1);
        setLater(m_now + pulse.seconds, pulse.signal, 0);
        break;
    }
    case StepKind::WaitSignal: {
        const WaitSignal& wait = *step.as<WaitSignal>();
        if (!step.otherwise.empty()) judgeList(arm, arm.cursor, step, step.otherwise);
        if (met(wait.until)) break;
        arm.ahead = std::move(outcome);
        arm.waiting = operation;
        arm.waits = true;
        arm.limited = wait.limit > 0;
        arm.ready = arm.limited ? m_now + wait.limit : INFINITY;
        return false;
    }
    case StepKind::MoveAxes: {
        outcome.travels = travelsOf(m_cell, operation, m_axes);
        if (!axesFree(arm, outcome)) break;
        const Profile profile = profileInStep(companionsOf(m_cell, outcome.travels), step.as<MoveAxes>()->speed);
        outcome.duration = profile.duration;
        travel(&arm, outcome.travels, profile);
        break;
    }
    case StepKind::SwitchProcess: {
        const SwitchProcess& own = *step.as<SwitchProcess>();
        if (const Process* process = findProcess(m_cell, own.process)) setSignal(process->signal, own.on);
        break;
    }
    case StepKind::Halt: outcome.problem = StepOutcome::Problem::Stopped; break;
    // The cursor has gone through these.
    case StepKind::Call:
    case StepKind::Repeat:
    case StepKind::ForEach:
    case StepKind::If:
    case StepKind::Note:
    case StepKind::UsePoint:
    case StepKind::ReadFrom: return true;
    }
    arm.ready = m_now + outcome.duration - overlap;
    arm.cornerEnd = m_now + outcome.duration;
    const bool stopped = outcome.problem == StepOutcome::Problem::Stopped;
    finish(arm, std::move(outcome), openingBefore);
    if (!arm.trace->blockedAt && !stopped) return true;
    judgeRest(arm);
    arm.done = true;
    return false;
}

bool Run::beginMove(ArmRun& arm, const Operation& operation, StepOutcome& outcome, double& overlap)
{
    outcome = planned(arm, operation);
    if (arm.ahead) {
        const bool same = arm.ahead->plan == outcome.plan && arm.ahead->travels == outcome.travels;
        arm.ahead.reset();
        if (!same && arm.cornerEnd > m_now) {
            // An axis went elsewhere since: the corner is not cut, and the move begins where the one before ends.
            StepOutcome& first = arm.trace->outcomes[arm.trace->spans.back().outcome];
            first.corner = Corner{first.corner ? first.corner->asked : 0, 0, 0, -1, {}};
            if (const Step* before = findStep(findRoutine(m_cell, first.routine)->steps, first.step))
                first.corner->asked = paceOf(*before)->blend;
            arm.ready = arm.cornerEnd;
            arm.again = operation;
            return false;
        }
    }
    outcome.start = m_now;
    if (!axesFree(arm, outcome)) return true;
    if (outcome.move) travel(&arm, outcome.travels, outcome.move->profile);
    arm.posture = outcome.arrival;
    if (operation.end) arm.place = operation.end->kind == Target::Kind::Pose ? operation.end->frame : FrameId();
    if (!outcome.move || outcome.blocks()) return true;
    const double blend = paceOf(*operation.step)->blend;
    if (blend <= 0 && !m_hasLeads) return true;
    const std::optional<Operation> after = lookAhead(arm);
    if (!after) return true;
    if (after->step->kind() == StepKind::SwitchProcess) switchAhead(*after, m_now + outcome.duration);
    if (blend <= 0 || !after->step->isMove()) return true;
    StepOutcome ahead = planned(arm, *after);
    if (!ahead.move || ahead.blocks()) return true;
    overlap = overlapTime(arm, outcome, ahead, blend);
    if (overlap > 0) arm.ahead = std::move(ahead);
    return true;
}

/// A process with a lead time is switched before the move that comes before it has ended.
void Run::switchAhead(const Operation& after, double end)
{
    const SwitchProcess& own = *after.step->as<SwitchProcess>();
    const Process* process = findProcess(m_cell, own.process);
    if (process && process->lead > 0) setLater(std::max(m_now, end - process->lead), process->signal, own.on);
}

/// Whether no other arm moves an axis that the step moves; else the step is blocked.
bool Run::axesFree(const ArmRun& arm, StepOutcome& outcome) const
{
    for (const AxisTravel& t : outcome.travels) {
        const AxisRun& axis = m_axisRuns.at(t.frame);
        if (!axis.mover || axis.mover == &arm || !axis.track->movesAt(m_now)) continue;
        outcome.problem = StepOutcome::Problem::AxisBusy;
        outcome.axis = t.frame;
        outcome.other = axis.mover->station->id;
        outcome.move = nullptr;
        outcome.travels.clear();
        outcome.duration = 0;
        outcome.arrival = arm.posture;
        return false;
    }
    return true;
}

void Run::finish(ArmRun& arm, StepOutcome outcome, double openingBefore)
{
    outcome.arrival = arm.posture;
    outcome.axes = m_axes;
    const double end = outcome.start + outcome.duration;
    arm.trace->spans.push_back({arm.trace->outcomes.size(), outcome.start, end, openingBefore, arm.opening});
    arm.trace->duration = std::max(arm.trace->duration, end);
    if (outcome.blocks()) arm.trace->blockedAt = arm.trace->outcomes.size();
    m_enough = m_enough || (m_options.upTo && outcome.step == m_options.upTo);
    arm.trace->outcomes.push_back(std::move(outcome));
}

StepOutcome Run::planned(const ArmRun& arm, const Operation& operation) const
{
    StepOutcome outcome = begun(arm, operation);
    outcome.travels = travelsOf(m_cell, operation, m_axes);
    outcome.plan = m_options.plans->get(moveInput(m_cell, operation, {*arm.station, arm.posture, m_axes}));
    outcome.arrival = outcome.plan->arrival;
    if (outcome.plan->move) {
        outcome.move = {outcome.plan, &*outcome.plan->move};
        outcome.duration = outcome.move->profile.duration;
    }
    switch (outcome.plan->problem) {
    case MovePlan::Problem::None: break;
    case MovePlan::Problem::OutOfReach: outcome.problem = StepOutcome::Problem::TargetOutOfReach; break;
    case MovePlan::Problem::NotInConfiguration: outcome.problem = StepOutcome::Problem::TargetNotInConfiguration; break;
    case MovePlan::Problem::LineStops: outcome.problem = StepOutcome::Problem::LineStops; break;
    case MovePlan::Problem::NoCircle: outcome.problem = StepOutcome::Problem::NoCircle; break;
    }
    return outcome;
}

}  // namespace topikos
