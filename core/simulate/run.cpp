#include "core/simulate/run.h"

#include "core/cell/devices.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kLongestWait = 600;  // all arms waiting this long counts as for ever [s]

StepOutcome begun(const Step& step, size_t index)
{
    StepOutcome outcome;
    outcome.step = step.id;
    outcome.index = index;
    outcome.kind = step.kind;
    outcome.off = step.off;
    if (step.isMove()) outcome.target = step.target;
    return outcome;
}

/// Goal of a move in joint space where the target allows one: the posture itself, or the solution in the target's
/// configuration.
std::optional<JointVector> goalPosture(const Cell& cell, const Step& step, const JointVector& from,
                                       const AxisValues& axes, StepOutcome& outcome)
{
    const Target& target = *findTarget(cell, step.target);
    const Arm& arm = *armOf(cell, target).model;
    if (target.kind == Target::Kind::Posture) {
        const RangeExcess excess = rangeExcess(arm, target.posture);
        if (excess.joint < 0) return target.posture;
        outcome.problem = StepOutcome::Problem::TargetOutOfReach;
        outcome.atTarget.reason = NoSolution::JointRange;
        outcome.atTarget.range = excess;
        return std::nullopt;
    }
    Solutions found = waysTo(cell, target, step.standoff, &from, axes);
    if (const Solution* s = chosenWay(arm, target, found.items)) return s->joints;
    outcome.problem =
        found.items.empty() ? StepOutcome::Problem::TargetOutOfReach : StepOutcome::Problem::TargetNotInConfiguration;
    if (const Solution* s = chosenWay(arm, target, found.outOfRange)) found.range = rangeExcess(arm, s->joints);
    outcome.atTarget = std::move(found);
    return std::nullopt;
}

MotionLimits limitsOf(const Cell& cell, const Step& step)
{
    return {step.jointSpeed, step.lineSpeed, cell.lineLimits.acceleration, cell.lineLimits.turnSpeed,
            cell.lineLimits.turnAcceleration};
}

}  // namespace

Run::Run(const Cell& cell, const std::vector<const Routine*>& routines, Trace& trace) : m_cell(cell), m_trace(trace)
{
    trace.arms.resize(routines.size());
    for (size_t i = 0; i < routines.size(); ++i) {
        const ArmStation& station = armOf(cell, *routines[i]);
        ArmTrace& own = trace.arms[i];
        own.arm = station.id;
        own.routine = routines[i]->id;
        own.start = homePosture(cell, station);
        own.startOpening = toolInForce(cell, station).gripper.open;
        own.outcomes.reserve(routines[i]->steps.size());
        m_arms.push_back({&station, routines[i], &own, own.start, own.startOpening});
    }
    for (const Signal& s : cell.signals)
        m_signals.push_back(s.start);
    for (const Frame& frame : cell.frames) {
        if (!frame.device) continue;
        DeviceRun device{frame.id, &*frame.device};
        if (frame.device->kind == Device::Kind::Belt)
            device.belt = std::make_unique<BeltRun>(frame.id, *frame.device, trace);
        if (frame.device->kind == Device::Kind::Clamp)
            if (const std::vector<FrameId> axes = axesOf(cell, frame.id); !axes.empty()) device.axis = axes.front();
        if (frame.device->kind == Device::Kind::LightBarrier && m_links.empty())
            for (const ArmStation& arm : cell.arms) {
                m_links.push_back(linkBoxes(*arm.model));
                m_links.back().push_back(boxAround(toolInForce(cell, arm).body));
            }
        m_devices.push_back(std::move(device));
    }
    for (const Part& part : cell.parts)
        m_parts.push_back({part,
                           m_devices.empty() ? std::nullopt : boxAround(partSolids(cell, part)),
                           {0, part.id, PartEvent::Kind::Lies, {}, part.frame, part.pose}});
}

void Run::go()
{
    for (PartRun& part : m_parts)
        board(part);
    for (DeviceRun& device : m_devices) {
        const Device& d = *device.device;
        const bool on = d.input && signal(d.input) != 0;
        if (device.belt && !d.indexing && (on || !d.input)) device.belt->run(0, true);
        if (d.kind == Device::Kind::Source && !d.input) {
            device.asked = true;
            device.timer = d.interval;
        }
        if (d.kind == Device::Kind::Clamp && on) react(device, 1);
        if (wiresOf(d.kind).output)
            setSignal(d.output, d.kind == Device::Kind::Belt
                                    ? device.belt->moves(0)
                                    : !axesOf(m_cell, device.frame).empty() && d.kind != Device::Kind::Clamp);
    }
    look();
    double waitedSince = 0;
    while (true) {
        for (bool again = true; again;) {
            again = false;
            for (ArmRun& arm : m_arms)
                if (!arm.done && (arm.ready <= m_now || (arm.waits && met(arm.routine->steps[arm.next - 1])))) {
                    proceed(arm);
                    again = true;
                }
            for (size_t i = 0; i < m_devices.size(); ++i)
                if (m_devices[i].timer <= m_now || (m_devices[i].belt && m_devices[i].belt->restsAt() <= m_now)) {
                    pass(m_devices[i]);
                    again = true;
                }
            for (PartRun& part : m_parts) {
                if (part.at.kind != PartEvent::Kind::Rides) continue;
                const auto belt = std::find_if(m_devices.begin(), m_devices.end(),
                                               [&](const DeviceRun& d) { return d.frame == part.belt; });
                if (freeWay(*belt, part) > 1e-9) continue;
                PartEvent event = part.at;
                event.pose = inverse(worldFromFrame(m_cell, part.belt, axesAt(m_trace, m_now))) * worldOf(part, m_now);
                event.kind = belt->device->accumulates ? PartEvent::Kind::Lies : PartEvent::Kind::Gone;
                part.waits = true;
                put(part, event);
                again = true;
            }
            look();
        }
        if (std::all_of(m_arms.begin(), m_arms.end(), [](const ArmRun& a) { return a.done; })) break;
        const bool allWait =
            std::all_of(m_arms.begin(), m_arms.end(), [](const ArmRun& a) { return a.done || a.waits; });
        if (!allWait) waitedSince = m_now;
        double next = nextStop();
        for (const ArmRun& arm : m_arms)
            if (!arm.done) next = std::min(next, arm.ready);
        for (const DeviceRun& device : m_devices) {
            next = std::min(next, device.timer);
            if (device.belt) next = std::min(next, device.belt->restsAt());
        }
        next = std::min(next, nextSight(std::min(next, allWait ? waitedSince + kLongestWait : INFINITY)));
        if (allWait && !(next <= waitedSince + kLongestWait)) break;
        m_now = next;
        look();
    }
    for (ArmRun& arm : m_arms) {
        if (arm.done) continue;
        // It waits for what does not come.
        StepOutcome outcome = std::move(*arm.ahead);
        arm.ahead.reset();
        outcome.problem = StepOutcome::Problem::WaitsForEver;
        finish(arm, std::move(outcome), arm.opening);
        judgeRest(arm);
    }
    for (const ArmTrace& arm : m_trace.arms)
        m_trace.duration = std::max(m_trace.duration, arm.duration);
}

void Run::proceed(ArmRun& arm)
{
    const std::vector<Step>& steps = arm.routine->steps;
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
            arm.done = true;
            return;
        }
        const size_t index = arm.next++;
        const Step& step = steps[index];
        StepOutcome outcome = begun(step, index);
        outcome.start = m_now;
        const double openingBefore = arm.opening;
        if (step.off) {
            outcome.start = 0;
            outcome.arrival = arm.posture;
            outcome.axes = m_axes;
            arm.trace->outcomes.push_back(std::move(outcome));
            continue;
        }
        const Gripper& gripper = toolInForce(m_cell, *arm.station).gripper;
        double overlap = 0;
        switch (step.kind) {
        case Step::Kind::JointMove:
        case Step::Kind::Line: {
            outcome = arm.ahead ? std::move(*arm.ahead) : planned(arm, step, index);
            arm.ahead.reset();
            outcome.start = m_now;
            if (outcome.move) travel(outcome.travels, outcome.move->profile);
            arm.posture = outcome.arrival;
            const Target& target = *findTarget(m_cell, step.target);
            arm.place = target.kind == Target::Kind::Pose ? target.frame : FrameId();
            size_t after = index + 1;
            while (after < steps.size() && steps[after].off)
                ++after;
            if (step.blend > 0 && outcome.move && !outcome.blocks() && after < steps.size() && steps[after].isMove()) {
                arm.ahead = planned(arm, steps[after], after);
                if (arm.ahead->move && !arm.ahead->blocks())
                    overlap = overlapTime(arm, outcome, *arm.ahead, step.blend);
            }
            break;
        }
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
            if (!met(step)) {
                outcome.arrival = arm.posture;
                arm.ahead = std::move(outcome);
                arm.waits = true;
                arm.ready = INFINITY;
                return;
            }
            break;
        case Step::Kind::MoveAxes: {
            const std::vector<FrameId> axes = axesOf(m_cell, step.device);
            AxisValues goal;
            for (size_t i = 0; i < axes.size(); ++i)
                goal.push_back({axes[i], step.axes[i]});
            outcome.travels = travelsTo(m_cell, goal, m_axes);
            const Profile profile = profileInStep(companionsOf(m_cell, outcome.travels), step.jointSpeed);
            outcome.duration = profile.duration;
            travel(outcome.travels, profile);
            break;
        }
        }
        arm.ready = m_now + outcome.duration - overlap;
        finish(arm, std::move(outcome), openingBefore);
        if (arm.trace->blockedAt) {
            judgeRest(arm);
            arm.done = true;
            return;
        }
    }
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
    while (arm.next < arm.routine->steps.size()) {
        const size_t index = arm.next++;
        const Step& step = arm.routine->steps[index];
        StepOutcome outcome = begun(step, index);
        if (!step.off && step.isMove()) {
            outcome = planned(arm, step, index);
            m_axes = arrived(m_axes, outcome.travels);
            arm.posture = outcome.arrival;
        }
        outcome.start = outcome.duration = 0;
        outcome.arrival = arm.posture;
        outcome.axes = m_axes;
        arm.trace->outcomes.push_back(std::move(outcome));
    }
    m_axes = before;
}

StepOutcome Run::planned(const ArmRun& arm, const Step& step, size_t index) const
{
    StepOutcome outcome = begun(step, index);
    const Target& target = *findTarget(m_cell, step.target);
    const Arm& model = *arm.station->model;
    outcome.arrival = arm.posture;
    outcome.travels = travelsTo(m_cell, target.axes, m_axes);
    if (step.kind == Step::Kind::JointMove) {
        const auto goal = goalPosture(m_cell, step, arm.posture, m_axes, outcome);
        if (!goal) return outcome;
        outcome.move =
            planJointMove(model, arm.posture, *goal, limitsOf(m_cell, step), companionsOf(m_cell, outcome.travels));
        outcome.arrival = *goal;
    } else {
        const LinePath path = lineTo(m_cell, target, step.standoff, arm.posture, m_axes);
        outcome.move = planLine(model, arm.posture, path, limitsOf(m_cell, step), m_cell.thresholds.blocks(),
                                m_cell.thresholds.cautions());
        if (outcome.move->stop) {
            outcome.problem = StepOutcome::Problem::LineStops;
            // Later steps are judged as if this one had arrived, where its target can be reached at all.
            StepOutcome ignored;
            outcome.arrival = goalPosture(m_cell, step, arm.posture, m_axes, ignored).value_or(arm.posture);
        } else {
            outcome.arrival = outcome.move->to;
            const Configuration wanted =
                target.kind == Target::Kind::Pose ? target.configuration : configurationOf(model, target.posture);
            outcome.otherConfiguration =
                model.hasConfigurations()
                && (model.hasBranches() ? outcome.move->branch : configurationOf(model, outcome.arrival)) != wanted;
        }
    }
    outcome.duration = outcome.move->profile.duration;
    return outcome;
}

/// Time by which the move after `first` may set in before `first` has ended: inside both ramps, with the TCP within
/// `blend` of the corner.
double Run::overlapTime(const ArmRun& arm, const StepOutcome& first, const StepOutcome& second, double blend) const
{
    const Arm& model = *arm.station->model;
    const Pose& tool = flangeFromTcp(m_cell, *arm.station);
    const bool stands = first.travels.empty() && second.travels.empty();
    const auto tcpAt = [&](const StepOutcome& outcome, double fraction) {
        const Pose tcp = forward(model, outcome.move->at(model, fraction)) * tool;
        if (stands) return tcp.translation;
        return (worldFromBase(m_cell, *arm.station, overlaid(m_axes, outcome.axesAlong(fraction))) * tcp).translation;
    };
    const Vec3 corner = tcpAt(first, 1);
    const auto near = [&](const StepOutcome& outcome, double time) {
        return (tcpAt(outcome, outcome.move->profile.at(time).position) - corner).norm() <= blend;
    };
    const auto fits = [&](double overlap) {
        return near(first, first.move->profile.duration - overlap) && near(second, overlap);
    };
    double low = 0, high = std::min(first.move->profile.rampDown(), second.move->profile.rampUp());
    if (fits(high)) return high;
    for (int i = 0; i < 40; ++i) {
        const double middle = 0.5 * (low + high);
        (fits(middle) ? low : high) = middle;
    }
    return low;
}

void Run::travel(const std::vector<AxisTravel>& travels, const Profile& profile)
{
    if (travels.empty()) return;
    for (const AxisTravel& t : travels) {
        m_trace.axisSpans.push_back({t.frame, m_now, t.from, t.to, profile});
        const FrameId owner = deviceOfAxis(m_cell, t.frame);
        for (DeviceRun& device : m_devices) {
            if (device.frame != owner || device.device->kind == Device::Kind::Clamp) continue;
            const double end = m_now + profile.duration;
            device.timer = std::isfinite(device.timer) ? std::max(device.timer, end) : end;
            setSignal(device.device->output, 0);
        }
    }
    m_axes = arrived(m_axes, travels);
}

void Run::grip(ArmRun& arm, StepOutcome& outcome)
{
    const Pose tcp = worldFromTcp(m_cell, *arm.station, arm.posture, axesAt(m_trace, m_now));
    const Gripper& gripper = toolInForce(m_cell, *arm.station).gripper;
    double nearest = INFINITY;
    std::optional<size_t> found;
    for (size_t i = 0; i < m_parts.size(); ++i) {
        if (m_parts[i].gone()) continue;
        const Pose tcpFromPart = inverse(tcp) * worldOf(m_parts[i], m_now);
        if (tcpFromPart.translation.norm() >= nearest || !inGrasp(gripper, tcpFromPart)) continue;
        nearest = tcpFromPart.translation.norm();
        found = i;
    }
    if (!found) {
        if (!arm.carried) outcome.problem = StepOutcome::Problem::NothingGripped;
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
    arm.carried = found;
    put(part, {0, {}, PartEvent::Kind::Carried, arm.station->id, {}, inverse(tcp) * worldOf(part, m_now)});
}

void Run::release(ArmRun& arm)
{
    if (!arm.carried) return;
    PartRun& part = m_parts[*arm.carried];
    arm.carried.reset();
    // It comes to lie in the frame of the target where the arm stands, and goes where that goes.
    const Pose world = worldOf(part, m_now);
    put(part, {0,
               {},
               PartEvent::Kind::Lies,
               arm.station->id,
               arm.place,
               inverse(worldFromFrame(m_cell, arm.place, axesAt(m_trace, m_now))) * world});
    board(part);
    if (!part.belt) boardWhatIsUnder(part);
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

double Run::signal(SignalId id) const
{
    for (size_t i = 0; i < m_signals.size(); ++i)
        if (m_cell.signals[i].id == id) return m_signals[i];
    return 0;
}

Trace simulate(const Cell& cell)
{
    std::vector<const Routine*> routines;
    for (const ArmStation& arm : cell.arms)
        routines.push_back(&routineOf(cell, arm));
    Trace trace;
    Run(cell, routines, trace).go();
    return trace;
}

Trace simulate(const Cell& cell, const Routine& routine)
{
    Trace trace;
    Run(cell, {&routine}, trace).go();
    return trace;
}

}  // namespace topikos
