#include "core/simulate/trace.h"

namespace topikos {

AxisValues StepOutcome::axesAlong(double fraction) const
{
    AxisValues along;
    for (const AxisTravel& t : travels)
        along.push_back({t.frame, t.from + fraction * (t.to - t.from)});
    return along.empty() ? axes : overlaid(axes, along);
}

bool Trace::blocked() const
{
    return std::any_of(arms.begin(), arms.end(), [](const ArmTrace& a) { return a.blockedAt.has_value(); });
}

const ArmState& CellState::of(ArmId arm) const
{
    const auto it = std::find_if(arms.begin(), arms.end(), [arm](const ArmState& s) { return s.arm == arm; });
    require(it != arms.end(), "the arm is in the cell");
    return *it;
}

const ArmTrace* findArmTrace(const Trace& trace, ArmId arm)
{
    const auto it =
        std::find_if(trace.arms.begin(), trace.arms.end(), [arm](const ArmTrace& a) { return a.arm == arm; });
    return it == trace.arms.end() ? nullptr : &*it;
}

const ArmTrace::Span* spanAt(const ArmTrace& trace, double time)
{
    if (trace.spans.empty()) return nullptr;
    auto next = std::upper_bound(trace.spans.begin(), trace.spans.end(), time,
                                 [](double t, const ArmTrace::Span& s) { return t < s.start; });
    return next == trace.spans.begin() ? &*next : &*(next - 1);
}

JointVector postureAt(const Cell& cell, const ArmTrace& trace, double time)
{
    const ArmTrace::Span* span = spanAt(trace, time);
    if (!span) return trace.start;
    const StepOutcome& outcome = trace.outcomes[span->outcome];
    if (!outcome.move) return outcome.arrival;
    return outcome.timing->postureAt(*findArm(cell, trace.arm)->model, std::max(0.0, time - span->start));
}

double openingAt(const ArmTrace& trace, double time)
{
    const ArmTrace::Span* span = spanAt(trace, time);
    if (!span) return trace.startOpening;
    const double length = span->end - span->start;
    const double done = length > 0 ? std::clamp((time - span->start) / length, 0.0, 1.0) : 1;
    return span->gripperFrom + done * (span->gripperTo - span->gripperFrom);
}

std::optional<double> AxisTrack::at(double time) const
{
    const auto after =
        std::upper_bound(spans.begin(), spans.end(), time, [](double t, const AxisSpan& s) { return t < s.start; });
    if (after == spans.begin()) return std::nullopt;
    auto span = after - 1;
    double value = span->to;
    for (;; --span) {
        value -= (1 - span->timing->fractionAt(time - span->origin)) * (span->to - span->from);
        if (span == spans.begin() || (span - 1)->restsFrom <= time) return value;
    }
}

bool AxisTrack::movesAt(double time) const
{
    const auto after =
        std::upper_bound(spans.begin(), spans.end(), time, [](double t, const AxisSpan& s) { return t < s.start; });
    return after != spans.begin() && time < (after - 1)->restsFrom;
}

BeltState BeltTrack::at(double time) const
{
    const auto after = std::upper_bound(stretches.begin(), stretches.end(), time,
                                        [](double t, const BeltStretch& s) { return t < s.start; });
    if (after == stretches.begin()) return {};
    const BeltStretch& s = *(after - 1);
    const double t = time - s.start;
    return {s.travel + s.speed * t + 0.5 * s.acceleration * t * t, s.speed + s.acceleration * t};
}

AxisValues axesAt(const Trace& trace, double time)
{
    AxisValues out;
    for (const AxisTrack& track : trace.axes)
        if (const auto value = track.at(time)) out.push_back({track.frame, *value});
    return out;
}

BeltState beltAt(const Trace& trace, FrameId belt, double time)
{
    const auto track = std::lower_bound(trace.belts.begin(), trace.belts.end(), belt,
                                        [](const BeltTrack& b, FrameId id) { return b.belt < id; });
    return track == trace.belts.end() || track->belt != belt ? BeltState{} : track->at(time);
}

double signalAt(const Cell& cell, const Trace& trace, SignalId signal, double time)
{
    const SignalEvent* last = trace.signalEvents.last(signal, time);
    return last ? last->value : findSignal(cell, signal)->start;
}

CellState authoredState(const Cell& cell, ArmId moved, const JointVector& posture, const AxisValues& axes)
{
    CellState state;
    state.axes = axes;
    for (const ArmStation& arm : cell.arms)
        state.arms.push_back(
            {arm.id, arm.id == moved ? posture : homePosture(cell, arm), toolInForce(cell, arm).gripper.open});
    for (const Part& part : cell.parts)
        state.parts.push_back({part.id, part.kind, worldFromPart(cell, part, axes), false});
    return state;
}

CellState stateAt(const Cell& cell, const Trace& trace, double time)
{
    CellState state;
    state.axes = axesAt(trace, time);
    for (const ArmStation& arm : cell.arms) {
        const ArmTrace* own = findArmTrace(trace, arm.id);
        if (own) state.arms.push_back({arm.id, postureAt(cell, *own, time), openingAt(*own, time)});
        else state.arms.push_back({arm.id, homePosture(cell, arm), toolInForce(cell, arm).gripper.open});
    }
    const auto place = [&](const Part& part, bool authored) {
        const PartEvent* last = trace.partEvents.last(part.id, time);
        if (!last && authored)
            state.parts.push_back({part.id, part.kind, worldFromPart(cell, part, state.axes), false});
        if (!last || last->kind == PartEvent::Kind::Gone) return;
        PlacedPart placed{part.id, part.kind, {}, last->kind == PartEvent::Kind::Carried};
        switch (last->kind) {
        case PartEvent::Kind::Carried:
            placed.worldFromPart =
                worldFromTcp(cell, *findArm(cell, last->arm), state.of(last->arm).posture, state.axes) * last->pose;
            break;
        case PartEvent::Kind::Rides:
            placed.worldFromPart =
                worldFromFrame(cell, last->frame, state.axes)
                * translated(
                    {beltAt(trace, last->frame, time).travel - beltAt(trace, last->frame, last->time).travel, 0, 0})
                * last->pose;
            break;
        default: placed.worldFromPart = worldFromFrame(cell, last->frame, state.axes) * last->pose; break;
        }
        state.parts.push_back(placed);
    };
    for (const Part& part : cell.parts)
        place(part, true);
    for (const Part& part : trace.made)
        place(part, false);
    return state;
}

Cycles cyclesOf(const Trace& trace)
{
    Cycles out;
    bool first = true;
    for (const ArmTrace& arm : trace.arms) {
        if (arm.outcomes.empty() && arm.passes.empty()) continue;
        const bool endless = !arm.rounds.empty();
        const std::vector<double>& begins = endless ? arm.rounds : arm.passes;
        const int done = int(begins.size()) + (arm.ended ? 1 : 0);
        Cycles own{done, 0, 0, arm.duration};
        if (!arm.ended) own.to = begins.empty() ? 0 : begins.back();
        if (endless && done > 1) own.from = begins.front();
        const int counted = endless && done > 1 ? done - 1 : done;
        if (counted > 0) own.time = (own.to - own.from) / counted;
        const int least = first ? done : std::min(out.done, done);
        if (first || own.time > out.time) out = own;
        out.done = least;
        first = false;
    }
    return out;
}

double partsPerHour(const Trace& trace)
{
    std::vector<double> releases;
    for (const PartEvent& event : trace.partEvents)
        if (isRelease(event)) releases.push_back(event.time);
    return partsPerHour(trace, releases);
}

double partsPerHour(const Trace& trace, const std::vector<double>& releases)
{
    if (trace.blocked() || trace.duration <= 0) return 0;
    const bool endless =
        std::any_of(trace.arms.begin(), trace.arms.end(), [](const ArmTrace& a) { return !a.rounds.empty(); });
    const Cycles cycles = endless ? cyclesOf(trace) : Cycles{};
    const double from = endless ? cycles.from : 0, to = endless ? cycles.to : trace.duration;
    if (to <= from) return 0;
    const auto set = std::count_if(releases.begin(), releases.end(), [&](double t) { return t >= from && t <= to; });
    return double(set) * 3600 / (to - from);
}

}  // namespace topikos
