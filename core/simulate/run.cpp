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
    findOthersAxes();
    m_budget = 1000 + 100 * (m_arms.size() + m_devices.size() + m_parts.size() + cell.signals.size() + steps);
    makeSights();
}

std::vector<const Routine*> Run::mainRoutines(const Cell& cell)
{
    std::vector<const Routine*> out;
    for (const ArmStation& arm : cell.arms)
        out.push_back(&routineOf(cell, arm));
    return out;
}

bool Run::spend()
{
    if (m_trace.stuck) return false;
    if (++m_spent <= m_budget) return keep(1, 0);
    giveUp(Stuck::Why::NoTimePasses);
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
        if (!keep(1, 0)) break;
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
        const double patience = allWait && !m_options.outside ? m_waitedSince + kLongestWait : INFINITY;
        next = std::min(next, nextSight(std::min({next, patience, until})));
        if (allWait && !m_options.outside && !(next <= patience)) break;
        if (next > until) {
            endInTime(until);
            return true;
        }
        if (next > limits::kRunLength.most) {
            giveUp(Stuck::Why::TooLong);
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

void Run::write(SignalId id, double value, double time)
{
    m_now = std::max(m_now, time);
    m_spent = 0;
    writeSignal(id, value);
}

void Run::close()
{
    std::erase_if(m_trace.axes, [](const AxisTrack& track) { return track.spans.empty(); });
}

void Run::forgot()
{
    m_events = m_bytes = 0;
    m_free.clear();
    for (size_t i = m_parts.size(); i-- > 0;)
        if (m_parts[i].gone() && m_parts[i].part.id.value >= m_cell.nextId
            && m_trace.partEvents.of(m_parts[i].part.id).empty())
            m_free.push_back(i);
}

void Run::endWaits()
{
    for (ArmRun& arm : m_arms) {
        if (arm.done) continue;
        if (m_trace.stuck || m_trace.stopped) {
            arm.trace->duration = std::max(arm.trace->duration, m_now);
            // What stands behind a block without end.
            if (m_trace.stuck && m_trace.stuck->arm == arm.station->id && !arm.trace->outcomes.empty()) judgeRest(arm);
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

void Run::travel(const ArmRun* mover, const std::vector<AxisTravel>& travels, const TimingPtr& timing, double origin,
                 bool foreseen)
{
    const double end = origin + timing->ends();
    for (const AxisTravel& t : travels) {
        AxisRun& axis = m_axisRuns.at(t.frame);
        axis.mover = mover;
        std::vector<AxisSpan>& spans = axis.track->spans;
        // What was foreseen of a move before the rest of its way was known.
        if (!spans.empty() && spans.back().origin == origin && spans.back().timing->move == timing->move
            && timing->move)
            spans.pop_back();
        const double rests = spans.empty() ? end : std::max(end, spans.back().restsFrom);
        spans.push_back({origin + timing->begins(), t.from, t.to, timing, origin, rests});
        DeviceRun& device = m_devices[m_deviceOf.at(axis.device.value)];
        if (device.device->kind == Device::Kind::Clamp) continue;
        if (foreseen) {
            if (device.device->output) setLater(origin + timing->begins(), device.device->output, 0);
            continue;
        }
        setDue(device, std::isfinite(device.due) ? std::max(device.due, end) : end);
        setSignal(device.device->output, 0);
    }
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

Trace simulate(const Cell& cell, const RunOptions& options) { return run(cell, Run::mainRoutines(cell), options); }

Trace simulate(const Cell& cell, const Routine& routine, const RunOptions& options)
{
    return run(cell, {&routine}, options);
}

}  // namespace topikos
