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

const AxisTrack* findAxisTrack(const Trace& trace, FrameId frame)
{
    const auto found = std::lower_bound(trace.axes.begin(), trace.axes.end(), frame,
                                        [](const AxisTrack& t, FrameId id) { return t.frame < id; });
    return found != trace.axes.end() && found->frame == frame ? &*found : nullptr;
}

const ArmTrace::Span* spanUnderWay(const ArmTrace& trace, double time)
{
    if (trace.spans.empty() || time >= trace.spans.back().end) return nullptr;
    const ArmTrace::Span* span = spanAt(trace, time);
    return time < span->end ? span : nullptr;
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

std::vector<Carried> carriedIn(const Cell& cell, const Trace& trace)
{
    std::unordered_map<std::uint32_t, PartKindId> made;
    for (const Part& part : trace.made)
        made[part.id.value] = part.kind;
    std::vector<Carried> out;
    std::unordered_map<std::uint32_t, size_t> open;  // by part
    for (const PartEvent& event : trace.partEvents) {
        if (const auto before = open.find(event.part.value); before != open.end()) {
            out[before->second].until = event.time;
            open.erase(before);
        }
        if (event.kind != PartEvent::Kind::Carried) continue;
        open[event.part.value] = out.size();
        const Part* part = findPart(cell, event.part);
        out.push_back(
            {event.arm, event.part, part ? part->kind : made[event.part.value], event.time, INFINITY, event.pose});
    }
    return out;
}

double signalAt(const Cell& cell, const Trace& trace, SignalId signal, double time)
{
    const SignalEvent* last = trace.signalEvents.last(signal, time);
    return last ? last->value : findSignal(cell, signal)->start;
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
