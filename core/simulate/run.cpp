#include "core/simulate/run.h"

#include "core/cell/devices.h"
#include "core/cell/step_tree.h"
#include "core/robot/forward.h"
#include "core/spatial/limits.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kLongestWait = 600;  // all arms waiting this long, and nothing else going on, counts as for ever [s]

/// Distances from each joint's origin to the flange with everything between stretched out.
std::vector<double> lengthsOf(const Arm& arm)
{
    std::vector<double> out(size_t(arm.jointCount()));
    double length = arm.flangeTranslation().norm();
    for (size_t i = out.size(); i-- > 0;) {
        const Joint& joint = arm.joints()[i];
        if (joint.kind == JointKind::Prismatic) length += std::max(std::abs(joint.lower), std::abs(joint.upper));
        out[i] = length;
        length += arm.segments()[i].translation.norm();
    }
    return out;
}

template <class Object> std::vector<const Object*> byId(const Table<Object>& objects)
{
    std::vector<const Object*> out;
    for (const Object& o : objects)
        out.push_back(&o);
    std::sort(out.begin(), out.end(), [](const Object* a, const Object* b) { return a->id < b->id; });
    return out;
}

}  // namespace

Run::Run(const Cell& cell, const std::vector<const Routine*>& routines, const RunOptions& options, Trace& trace) :
    m_cell(cell), m_options(options), m_trace(trace), m_places(cell), m_index(cell)
{
    std::vector<const Routine*> own = routines;
    std::sort(own.begin(), own.end(), [](const Routine* a, const Routine* b) { return a->arm < b->arm; });
    trace.arms.resize(own.size());
    size_t steps = 0;
    for (const Routine& routine : cell.routines)
        steps += countSteps(routine.steps);
    for (size_t i = 0; i < own.size(); ++i) {
        const ArmStation& station = armOf(cell, *own[i]);
        ArmTrace& armTrace = trace.arms[i];
        armTrace.arm = station.id;
        armTrace.routine = own[i]->id;
        armTrace.start = homePosture(cell, station);
        armTrace.startOpening = toolInForce(cell, station).gripper.open;
        Cursor cursor(m_index, *own[i], station.tcp, options.rounds);
        for (const RunStart& start : options.starts)
            if (start.arm == station.id) {
                cursor.startAt(start.step);
                if (start.posture) armTrace.start = *start.posture;
            }
        m_arms.push_back({&station, own[i], &armTrace, armTrace.start, armTrace.startOpening, std::move(cursor)});
        m_arms.back().lengths = lengthsOf(*station.model);
        m_arms.back().point = station.tcp;
    }
    for (const Signal& s : cell.signals)
        m_signals[s.id.value] = s.start;
    const std::vector<const Frame*> frames = byId(cell.frames);
    for (const Frame* frame : frames)
        if (frame->axis) trace.axes.push_back({frame->id, {}});
    for (AxisTrack& track : trace.axes)
        m_axisRuns[track.frame] = {&track, deviceOfAxis(cell, track.frame)};
    for (const Tool& tool : cell.tools)
        for (const Process& process : tool.processes)
            m_hasLeads = m_hasLeads || process.lead > 0;
    makeDevices();
    for (const Part* part : byId(cell.parts))
        m_parts.push_back({*part,
                           m_devices.empty() ? std::nullopt : boxAround(partSolids(cell, *part)),
                           0,
                           {0, part->id, PartEvent::Kind::Lies, {}, part->frame, part->pose}});
    for (PartRun& part : m_parts)
        if (part.box) part.size = part.box->pose.translation.norm() + part.box->half.norm();
    m_budget = 1000 + 100 * (m_arms.size() + m_devices.size() + m_parts.size() + cell.signals.size() + steps);
    makeSights();
}

bool Run::spend()
{
    if (++m_spent <= m_budget) return true;
    m_trace.stuck = Stuck{Stuck::Why::NoTimePasses, m_now};
    return false;
}

bool Run::go(double until)
{
    if (!std::exchange(m_begun, true)) {
        for (size_t i = 0; i < m_parts.size(); ++i)
            board(i);
        startDevices();
        for (size_t i = 0; i < m_parts.size(); ++i)
            lookAgainAt(i);
        for (const size_t w : m_watchers)
            if (m_devices[w].device->kind == Device::Kind::LightBarrier)
                m_devices[w].armInside = gapToArms(m_devices[w], 0) <= 0;
    }
    // What was cut off at an earlier time goes on.
    for (ArmTrace& arm : m_trace.arms)
        if (!arm.spans.empty()) arm.duration = std::max(arm.duration, arm.spans.back().end);
    while (true) {
        m_spent = 0;
        m_progress = false;
        while (armsGoOn() || writesGoOn() || devicesGoOn() || beltsGoOn() || look() || timesOut())
            if (!spend()) break;
        m_events += m_spent + 1;
        if (!m_trace.stuck && double(m_events) > limits::kRunEvents.most)
            m_trace.stuck = Stuck{Stuck::Why::TooMuch, m_now};
        if (m_trace.stuck) break;
        const auto waitsOrIsDone = [](const ArmRun& a) { return a.done || (a.waits && !a.limited); };
        if (std::all_of(m_arms.begin(), m_arms.end(), [](const ArmRun& a) { return a.done; })) break;
        const bool allWait = std::all_of(m_arms.begin(), m_arms.end(), waitsOrIsDone);
        if (!allWait || m_progress) m_waitedSince = m_now;
        double next = m_due.empty() ? INFINITY : m_due.begin()->first;
        if (!m_writes.empty()) next = std::min(next, m_writes.begin()->first);
        for (const ArmRun& arm : m_arms)
            if (!arm.done) next = std::min(next, arm.ready);
        for (const size_t belt : m_belts)
            next = std::min(next, nextPassage(m_devices[belt]));
        const double patience = allWait ? m_waitedSince + kLongestWait : INFINITY;
        next = std::min(next, nextSight(std::min({next, patience, until})));
        if (allWait && !(next <= patience)) break;
        if (next > until) {
            endInTime(until);
            return true;
        }
        if (next > limits::kRunLength.most) {
            m_trace.stuck = Stuck{Stuck::Why::TooLong, m_now};
            break;
        }
        if (m_options.stop.stop_requested() || m_enough) {
            m_trace.stopped = true;
            break;
        }
        m_now = next;
    }
    endWaits();
    m_trace.duration = 0;
    for (const ArmTrace& arm : m_trace.arms)
        m_trace.duration = std::max(m_trace.duration, arm.duration);
    return false;
}

void Run::close()
{
    std::erase_if(m_trace.axes, [](const AxisTrack& track) { return track.spans.empty(); });
}

void Run::forgot()
{
    m_events = 0;
    m_free.clear();
    for (size_t i = m_parts.size(); i-- > 0;)
        if (m_parts[i].gone() && m_parts[i].part.id.value >= m_cell.nextId && m_trace.partEvents.of(m_parts[i].part.id).empty())
            m_free.push_back(i);
}

void Run::endWaits()
{
    for (ArmRun& arm : m_arms) {
        if (arm.done) continue;
        if (m_trace.stuck || m_trace.stopped) {
            arm.trace->duration = std::max(arm.trace->duration, m_now);
            continue;
        }
        // It waits for what does not come.
        StepOutcome outcome = std::move(*arm.ahead);
        arm.ahead.reset();
        outcome.problem = StepOutcome::Problem::WaitsForEver;
        finish(arm, std::move(outcome), arm.opening);
        judgeRest(arm);
    }
}

void Run::endInTime(double end)
{
    for (ArmTrace& arm : m_trace.arms)
        arm.duration = std::min(arm.duration, end);
    m_trace.duration = end;
}

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
    const auto untaken = [&](const Step& step, const Steps& list) { judgeList(arm, step, list); };
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
        if (met(wait.until)) {
            if (!step.otherwise.empty()) judgeList(arm, step, step.otherwise);
            break;
        }
        arm.ahead = std::move(outcome);
        arm.waiting = operation;
        arm.waits = true;
        arm.limited = wait.limit > 0;
        arm.ready = arm.limited ? m_now + wait.limit : INFINITY;
        if (!step.otherwise.empty()) judgeList(arm, step, step.otherwise);
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

void Run::travel(const ArmRun* mover, const std::vector<AxisTravel>& travels, const Profile& profile)
{
    const double end = m_now + profile.duration;
    for (const AxisTravel& t : travels) {
        AxisRun& axis = m_axisRuns.at(t.frame);
        axis.mover = mover;
        std::vector<AxisSpan>& spans = axis.track->spans;
        const double rests = spans.empty() ? end : std::max(end, spans.back().restsFrom);
        spans.push_back({m_now, t.from, t.to, profile, rests});
        DeviceRun& device = m_devices[m_deviceOf.at(axis.device.value)];
        if (device.device->kind == Device::Kind::Clamp) continue;
        setDue(device, std::isfinite(device.due) ? std::max(device.due, end) : end);
        setSignal(device.device->output, 0);
    }
    m_axes = arrived(m_axes, travels);
}

void Run::grip(ArmRun& arm, StepOutcome& outcome)
{
    const Tool& tool = toolInForce(m_cell, *arm.station);
    const Gripper& gripper = tool.gripper;
    const Pose own = worldOfTcp(*arm.station, m_now);
    // Parts are gripped at the point in force, and carried along with the one of the cell.
    const Pose tcp = own * inverse(flangeFromTcp(m_cell, *arm.station)) * flangeFromTcp(tool, arm.point);
    double nearest = INFINITY;
    std::optional<size_t> found;
    for (size_t i = 0; i < m_parts.size(); ++i) {
        if (m_parts[i].gone() || arm.carried == i) continue;
        const Pose tcpFromPart = inverse(tcp) * worldOf(m_parts[i], m_now);
        if (tcpFromPart.translation.norm() >= nearest || !inGrasp(gripper, tcpFromPart)) continue;
        nearest = tcpFromPart.translation.norm();
        found = i;
    }
    if (arm.carried) {
        outcome.problem = found ? StepOutcome::Problem::StillCarrying : StepOutcome::Problem::GripsAgain;
        outcome.part = m_parts[*arm.carried].part.id;
        return;
    }
    if (!found) {
        outcome.problem = StepOutcome::Problem::NothingGripped;
        return;
    }
    PartRun& part = m_parts[*found];
    if (part.clamp) {
        outcome.problem = StepOutcome::Problem::PartHeld;
        outcome.clamp = part.clamp;
        return;
    }
    for (ArmRun& other : m_arms)
        if (other.carried == found) other.carried.reset();  // handed over
    const Pose tcpFromPart = inverse(own) * worldOf(part, m_now);
    arm.carried = found;
    put(*found, {0, {}, PartEvent::Kind::Carried, arm.station->id, {}, tcpFromPart});
}

void Run::release(ArmRun& arm)
{
    if (!arm.carried) return;
    const size_t part = *arm.carried;
    arm.carried.reset();
    // It comes to lie in the frame of the target where the arm stands, and goes where that goes.
    const Pose place = inverse(worldOf(arm.place, m_now)) * worldOf(m_parts[part], m_now);
    put(part, {0, {}, PartEvent::Kind::Lies, arm.station->id, arm.place, place});
    board(part);
    if (!m_parts[part].belt) boardWhatIsUnder(part);
}

namespace {

Trace run(const Cell& cell, const std::vector<const Routine*>& routines, RunOptions options)
{
    PlanCache own;
    if (!options.plans) options.plans = &own;
    Trace trace;
    Run run(cell, routines, options, trace);
    run.go(options.until);
    run.close();
    return trace;
}

}  // namespace

Trace simulate(const Cell& cell, const RunOptions& options)
{
    std::vector<const Routine*> routines;
    for (const ArmStation& arm : cell.arms)
        routines.push_back(&routineOf(cell, arm));
    return run(cell, routines, options);
}

Trace simulate(const Cell& cell, const Routine& routine, const RunOptions& options)
{
    return run(cell, {&routine}, options);
}

}  // namespace topikos
