#include "core/simulate/run.h"

#include "core/cell/devices.h"
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
    m_cell(cell), m_options(options), m_trace(trace), m_places(cell)
{
    std::vector<const Routine*> own = routines;
    std::sort(own.begin(), own.end(), [](const Routine* a, const Routine* b) { return a->arm < b->arm; });
    trace.arms.resize(own.size());
    size_t steps = 0;
    for (size_t i = 0; i < own.size(); ++i) {
        const ArmStation& station = armOf(cell, *own[i]);
        ArmTrace& armTrace = trace.arms[i];
        armTrace.arm = station.id;
        armTrace.routine = own[i]->id;
        armTrace.start = homePosture(cell, station);
        armTrace.startOpening = toolInForce(cell, station).gripper.open;
        armTrace.outcomes.reserve(own[i]->steps.size());
        m_arms.push_back({&station, own[i], &armTrace, armTrace.start, armTrace.startOpening});
        m_arms.back().lengths = lengthsOf(*station.model);
        steps += own[i]->steps.size();
    }
    for (const Signal& s : cell.signals)
        m_signals[s.id.value] = s.start;
    const std::vector<const Frame*> frames = byId(cell.frames);
    for (const Frame* frame : frames)
        if (frame->axis) trace.axes.push_back({frame->id, {}});
    for (AxisTrack& track : trace.axes)
        m_axisRuns[track.frame] = {&track, deviceOfAxis(cell, track.frame)};
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

void Run::go()
{
    for (size_t i = 0; i < m_parts.size(); ++i)
        board(i);
    startDevices();
    for (size_t i = 0; i < m_parts.size(); ++i)
        lookAgainAt(i);
    for (const size_t w : m_watchers)
        if (m_devices[w].device->kind == Device::Kind::LightBarrier)
            m_devices[w].armInside = gapToArms(m_devices[w], 0) <= 0;
    double waitedSince = 0;
    while (true) {
        m_spent = 0;
        m_progress = false;
        while (armsGoOn() || devicesGoOn() || beltsGoOn() || look())
            if (!spend()) break;
        m_events += m_spent + 1;
        if (!m_trace.stuck && double(m_events) > limits::kRunEvents.most)
            m_trace.stuck = Stuck{Stuck::Why::TooMuch, m_now};
        if (m_trace.stuck) break;
        const auto waitsOrIsDone = [](const ArmRun& a) { return a.done || a.waits; };
        if (std::all_of(m_arms.begin(), m_arms.end(), [](const ArmRun& a) { return a.done; })) break;
        const bool allWait = std::all_of(m_arms.begin(), m_arms.end(), waitsOrIsDone);
        if (!allWait || m_progress) waitedSince = m_now;
        double next = m_due.empty() ? INFINITY : m_due.begin()->first;
        for (const ArmRun& arm : m_arms)
            if (!arm.done) next = std::min(next, arm.ready);
        for (const size_t belt : m_belts)
            next = std::min(next, nextPassage(m_devices[belt]));
        const double patience = allWait ? waitedSince + kLongestWait : INFINITY;
        next = std::min(next, nextSight(std::min({next, patience, m_options.until})));
        if (allWait && !(next <= patience)) break;
        if (next > m_options.until) {
            endInTime(m_options.until);
            return;
        }
        if (next > limits::kRunLength.most) {
            m_trace.stuck = Stuck{Stuck::Why::TooLong, m_now};
            break;
        }
        if (m_options.stop.stop_requested()) {
            m_trace.stopped = true;
            break;
        }
        m_now = next;
    }
    endWaits();
    std::erase_if(m_trace.axes, [](const AxisTrack& track) { return track.spans.empty(); });
    for (const ArmTrace& arm : m_trace.arms)
        m_trace.duration = std::max(m_trace.duration, arm.duration);
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
    std::erase_if(m_trace.axes, [](const AxisTrack& track) { return track.spans.empty(); });
    for (ArmTrace& arm : m_trace.arms)
        arm.duration = std::min(arm.duration, end);
    m_trace.duration = end;
}

bool Run::armsGoOn()
{
    bool any = false;
    for (ArmRun& arm : m_arms) {
        if (arm.done) continue;
        const bool goes = arm.waits ? met(arm.routine->steps[arm.next - 1]) : arm.ready <= m_now;
        if (!goes) continue;
        proceed(arm);
        any = true;
    }
    m_progress = m_progress || any;
    return any;
}

void Run::proceed(ArmRun& arm)
{
    const Table<Step>& steps = arm.routine->steps;
    if (arm.waits) {
        arm.waits = false;
        arm.ready = m_now;
        StepOutcome outcome = std::move(*arm.ahead);
        arm.ahead.reset();
        outcome.duration = m_now - outcome.start;
        finish(arm, std::move(outcome), arm.opening);
    }
    while (arm.ready <= m_now) {
        if (std::exchange(arm.grips, false)) grip(arm, arm.trace->outcomes.back());
        if (arm.next >= steps.size()) {
            if (++arm.pass >= m_options.cycles) {
                arm.done = true;
                return;
            }
            arm.next = 0;
            if (!spend()) return;
            continue;
        }
        const size_t index = arm.next++;
        if (!begin(arm, steps[index], index)) return;
    }
}

StepOutcome Run::begun(const ArmRun& arm, const Step& step, size_t index) const
{
    StepOutcome outcome;
    outcome.step = step.id;
    outcome.index = index;
    outcome.pass = arm.pass;
    outcome.kind = step.kind;
    outcome.off = step.off;
    outcome.arrival = arm.posture;
    if (step.isMove()) outcome.target = step.target;
    return outcome;
}

bool Run::begin(ArmRun& arm, const Step& step, size_t index)
{
    StepOutcome outcome = begun(arm, step, index);
    if (step.off) {
        outcome.axes = m_axes;
        arm.trace->outcomes.push_back(std::move(outcome));
        return true;
    }
    outcome.start = m_now;
    const double openingBefore = arm.opening;
    const Gripper& gripper = toolInForce(m_cell, *arm.station).gripper;
    double overlap = 0;
    switch (step.kind) {
    case Step::Kind::JointMove:
    case Step::Kind::Line:
        if (!beginMove(arm, step, index, outcome, overlap)) return false;
        break;
    case Step::Kind::Grip:
        arm.opening = gripper.closed;
        outcome.duration = gripper.time;
        arm.grips = true;
        break;
    case Step::Kind::Release:
        arm.opening = gripper.open;
        outcome.duration = gripper.time;
        release(arm);
        break;
    case Step::Kind::Wait: outcome.duration = step.seconds; break;
    case Step::Kind::SetSignal: setSignal(step.signal, step.value); break;
    case Step::Kind::WaitSignal:
        if (met(step)) break;
        arm.ahead = std::move(outcome);
        arm.waits = true;
        arm.ready = INFINITY;
        return false;
    case Step::Kind::MoveAxes: {
        outcome.travels = travelsOf(m_cell, step, m_axes);
        if (!axesFree(arm, outcome)) break;
        const Profile profile = profileInStep(companionsOf(m_cell, outcome.travels), step.jointSpeed);
        outcome.duration = profile.duration;
        travel(&arm, outcome.travels, profile);
        break;
    }
    }
    arm.ready = m_now + outcome.duration - overlap;
    arm.cornerEnd = m_now + outcome.duration;
    finish(arm, std::move(outcome), openingBefore);
    if (!arm.trace->blockedAt) return true;
    judgeRest(arm);
    arm.done = true;
    return false;
}

bool Run::beginMove(ArmRun& arm, const Step& step, size_t index, StepOutcome& outcome, double& overlap)
{
    outcome = planned(arm, step, index);
    if (arm.ahead) {
        const bool same = arm.ahead->plan == outcome.plan && arm.ahead->travels == outcome.travels;
        arm.ahead.reset();
        if (!same && arm.cornerEnd > m_now) {
            // An axis went elsewhere since: the corner is not cut, and the move begins where the one before ends.
            StepOutcome& first = arm.trace->outcomes[arm.trace->spans.back().outcome];
            first.corner = Corner{arm.routine->steps[first.index].blend, 0, 0, -1, {}};
            arm.ready = arm.cornerEnd;
            --arm.next;
            return false;
        }
    }
    outcome.start = m_now;
    if (!axesFree(arm, outcome)) return true;
    if (outcome.move) travel(&arm, outcome.travels, outcome.move->profile);
    arm.posture = outcome.arrival;
    const Target& target = *findTarget(m_cell, step.target);
    arm.place = target.kind == Target::Kind::Pose ? target.frame : FrameId();
    if (step.blend <= 0 || !outcome.move || outcome.blocks()) return true;
    const Table<Step>& steps = arm.routine->steps;
    size_t after = index + 1;
    while (after < steps.size() && steps[after].off)
        ++after;
    if (after >= steps.size() || !steps[after].isMove()) return true;
    StepOutcome ahead = planned(arm, steps[after], after);
    if (!ahead.move || ahead.blocks()) return true;
    overlap = overlapTime(arm, outcome, ahead, step.blend);
    if (overlap > 0) arm.ahead = std::move(ahead);
    return true;
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
    arm.trace->outcomes.push_back(std::move(outcome));
}

void Run::judgeRest(ArmRun& arm)
{
    // Later steps are judged as if the blocked one had arrived, without time. What parts and signals would be is not
    // known any more.
    const AxisValues before = m_axes;
    if (!arm.trace->outcomes.empty() && arm.trace->outcomes.back().problem == StepOutcome::Problem::AxisBusy) {
        const Step& step = arm.routine->steps[arm.trace->outcomes.back().index];
        m_axes = arrived(m_axes, travelsOf(m_cell, step, m_axes));
        if (step.isMove()) arm.posture = planned(arm, step, arm.next - 1).arrival;
    }
    while (arm.next < arm.routine->steps.size()) {
        const size_t index = arm.next++;
        const Step& step = arm.routine->steps[index];
        StepOutcome outcome = begun(arm, step, index);
        if (!step.off && step.isMove()) {
            outcome = planned(arm, step, index);
            arm.posture = outcome.arrival;
        } else if (!step.off) {
            outcome.travels = travelsOf(m_cell, step, m_axes);
        }
        m_axes = arrived(m_axes, outcome.travels);
        outcome.start = outcome.duration = 0;
        outcome.arrival = arm.posture;
        outcome.axes = m_axes;
        arm.trace->outcomes.push_back(std::move(outcome));
    }
    m_axes = before;
}

StepOutcome Run::planned(const ArmRun& arm, const Step& step, size_t index) const
{
    StepOutcome outcome = begun(arm, step, index);
    outcome.travels = travelsOf(m_cell, step, m_axes);
    outcome.plan = m_options.plans->get(moveInput(m_cell, step, arm.posture, m_axes));
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
    const Pose tcp = worldOfTcp(*arm.station, m_now);
    const Gripper& gripper = toolInForce(m_cell, *arm.station).gripper;
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
        if (!found) return;
        outcome.problem = StepOutcome::Problem::StillCarrying;
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
    const Pose tcpFromPart = inverse(tcp) * worldOf(part, m_now);
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

bool Run::met(const Step& step) const
{
    const double value = signal(step.signal);
    switch (step.comparison) {
    case Step::Comparison::Equal: return value == step.value;
    case Step::Comparison::AtLeast: return value >= step.value;
    case Step::Comparison::AtMost: return value <= step.value;
    }
    return false;
}

namespace {

Trace run(const Cell& cell, const std::vector<const Routine*>& routines, RunOptions options)
{
    PlanCache own;
    if (!options.plans) options.plans = &own;
    Trace trace;
    Run(cell, routines, options, trace).go();
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
