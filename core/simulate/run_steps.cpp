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
        const bool goes = arm.waits ? arm.heard || met(arm.waiting.step->as<WaitSignal>()->until) : arm.ready <= m_now;
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
        arm.waits = arm.limited = arm.heard = false;
        arm.ready = m_now;
        StepOutcome outcome = std::move(*arm.ahead);
        arm.ahead.reset();
        outcome.duration = m_now - outcome.start;
        finish(arm, std::move(outcome), arm.opening);
    }
    while (arm.ready <= m_now) {
        if (std::exchange(arm.grips, false)) grip(arm, arm.trace->outcomes.back());
        switch (advance(arm)) {
        case Cursor::Next::Step:
            if (!begin(arm, arm.cursor.operation()) || m_trace.stuck) return;
            break;
        case Cursor::Next::Pass:
            if (!passes(arm)) return;
            break;
        case Cursor::Next::Unknown:
        case Cursor::Next::End:
            if (++arm.pass >= m_options.cycles || arm.cursor.endedInARepeat()) {
                arm.done = arm.trace->ended = true;
                return;
            }
            arm.cursor = Cursor(m_index, *arm.routine, arm.station->tcp, m_options.rounds);
            arm.trace->passes.push_back(m_now);
            if (!passesAgain(arm)) return;
            break;
        }
    }
}

/// What comes next, if that is known now; the cursor goes there.
std::optional<Operation> Run::lookAhead(Cursor& cursor)
{
    constexpr int kMostPasses = 16;
    const auto unknown = [](const Step&, int) { return std::optional<bool>(); };
    for (int i = 0; i < kMostPasses; ++i) {
        const Cursor::Next next = cursor.next(unknown);
        if (next == Cursor::Next::Step) return cursor.hasPlace() ? std::optional(cursor.operation()) : std::nullopt;
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
    StepOutcome outcome = begun(arm, operation);
    outcome.start = m_now;
    arm.point = operation.point;
    const double openingBefore = arm.opening;
    if (!arm.cursor.hasPlace()) {
        // Of a routine that is gone through by itself the places are open, and moves to them passed over.
        if (!operation.end && arm.routine->id != arm.station->main) return true;
        outcome.problem = StepOutcome::Problem::NoPlace;
    } else if (!act(arm, operation, outcome)) {
        return !arm.waits;
    }
    arm.ready = m_now + outcome.duration;
    const bool stopped = outcome.problem == StepOutcome::Problem::Stopped;
    finish(arm, std::move(outcome), openingBefore);
    if (!arm.trace->blockedAt && !stopped) return true;
    judgeRest(arm);
    arm.done = true;
    return false;
}

/// Does a step; false when nothing has come of it: it waits, or the cursor has gone through it.
bool Run::act(ArmRun& arm, const Operation& operation, StepOutcome& outcome)
{
    const Step& step = *operation.step;
    const Gripper& gripper = toolInForce(m_cell, *arm.station).gripper;
    switch (step.kind()) {
    case StepKind::Joint:
    case StepKind::Line:
    case StepKind::Arc: beginMove(arm, operation, outcome); break;
    case StepKind::PlayTable:
        outcome = planned(arm, operation);
        outcome.start = m_now;
        if (outcome.move) outcome.timing = aloneTiming(outcome.move);
        arm.posture = outcome.arrival;
        arm.place = {};
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
    case StepKind::SetSignal: writeSignal(step.as<SetSignal>()->signal, step.as<SetSignal>()->value); break;
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
        outcome.timing = fractionTiming(profile);
        travel(&arm, outcome.travels, outcome.timing, m_now);
        arrive(outcome.travels);
        break;
    }
    case StepKind::SwitchProcess: {
        const SwitchProcess& own = *step.as<SwitchProcess>();
        if (const Process* process = findProcess(m_cell, own.process)) writeSignal(process->signal, own.on);
        break;
    }
    case StepKind::Halt: outcome.problem = StepOutcome::Problem::Stopped; break;
    // The cursor has gone through these.
    case StepKind::Call:
    case StepKind::Repeat:
    case StepKind::ForEach:
    case StepKind::Follow:
    case StepKind::If:
    case StepKind::Note:
    case StepKind::UsePoint:
    case StepKind::ReadFrom: return false;
    }
    return true;
}

/// Plans moves anew from one that has been foreseen, since more lies behind them.
void Run::planOn(ArmRun& arm, const Operation& operation, StepOutcome& outcome)
{
    ArmRun::Moves& moves = arm.moves;
    const std::shared_ptr<const Timing> foreseen = outcome.timing;
    const bool stands = foreseen->begins() >= 0;
    const std::optional<ChainEntry> entry = stands ? std::nullopt : entryBefore(*moves.chain, moves.next - 1);
    if ((!stands && !entry) || !planMoves(arm, outcome, operation, entry)) {
        // What was foreseen ends in a stop.
        moves.horizon = moves.outcomes.size();
        moves.outcomes.back().corner = Corner{moves.lastBlend, 0, Corner::Why::NotKept};
        return;
    }
    const StepOutcome& first = moves.outcomes.front();
    auto timing = std::make_shared<Timing>(*first.timing);
    // The half of the corner that has been gone stays as it was.
    if (entry) timing->legs.insert(timing->legs.begin(), foreseen->legs.front());
    outcome.timing = timing;
    outcome.duration = timing->duration;
    outcome.corner = first.corner;
}

void Run::beginMove(ArmRun& arm, const Operation& operation, StepOutcome& outcome)
{
    ArmRun::Moves& moves = arm.moves;
    if (moves.next < moves.outcomes.size()) {
        // On from the move before, through the corner.
        const size_t k = moves.next++;
        outcome = moves.outcomes[k];
        require(outcome.step == operation.step->id, "the move that was foreseen");
        if (k == moves.horizon && k > 0) planOn(arm, operation, outcome);
    } else {
        outcome = planned(arm, operation);
        if (!axesFree(arm, outcome)) return;
        if (outcome.move && !outcome.blocks()) {
            planMoves(arm, outcome, operation, {});
            outcome = moves.outcomes.front();
        } else if (outcome.move) {
            outcome.timing = aloneTiming(outcome.move);
        }
    }
    outcome.pass = arm.pass;
    outcome.within = operation.within;
    outcome.start = m_now;
    if (outcome.timing) travel(&arm, outcome.travels, outcome.timing, m_now);
    arrive(outcome.travels);
    // What comes along with the next move begins in the corner.
    if (moves.next < moves.outcomes.size() && outcome.timing) {
        const StepOutcome& after = moves.outcomes[moves.next];
        if (after.timing->begins() < 0) travel(&arm, after.travels, after.timing, m_now + outcome.duration, true);
    }
    arm.posture = outcome.arrival;
    if (operation.end) arm.place = operation.end->kind == Target::Kind::Pose ? operation.end->frame : FrameId();
    if (!m_hasLeads || !outcome.move || outcome.blocks()) return;
    Cursor cursor = arm.cursor;
    const std::optional<Operation> after = lookAhead(cursor);
    if (after && after->step->kind() == StepKind::SwitchProcess) switchAhead(*after, m_now + outcome.duration);
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
    keep(0, sizeof(StepOutcome) + sizeof(ArmTrace::Span) + size_t(outcome.arrival.size()) * sizeof(double)
                + outcome.axes.size() * sizeof(AxisValue));
    arm.trace->outcomes.push_back(std::move(outcome));
}

StepOutcome Run::planned(const ArmRun& arm, const Operation& operation) const
{
    return planned(arm, operation, arm.posture, m_axes);
}

StepOutcome Run::planned(const ArmRun& arm, const Operation& operation, const JointVector& from,
                         const AxisValues& axes) const
{
    StepOutcome outcome = begun(arm, operation);
    outcome.travels = travelsOf(m_cell, operation, axes);
    outcome.plan = m_options.plans->get(moveInput(m_cell, operation, {*arm.station, from, axes}));
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
    case MovePlan::Problem::TableJumps: outcome.problem = StepOutcome::Problem::TableJumps; break;
    }
    return outcome;
}

}  // namespace topikos
