#include "core/simulate/trace.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

JointVector alongSpan(const Arm& arm, const ArmTrace& trace, const ArmTrace::Span& span, double time)
{
    const StepOutcome& outcome = trace.outcomes[span.outcome];
    if (!outcome.move) return outcome.arrival;
    return outcome.move->at(arm, outcome.move->profile.at(time - span.start).position);
}

/// Place of `frame` as seen from another one while axes travel: chain down from the world behind the other chain turned
/// round.
PlaceMotion motionBetween(const Cell& cell, FrameId seenFrom, FrameId frame, const std::vector<AxisTravel>& travels,
                          const AxisValues& axes)
{
    struct Link {
        Pose pose;
        const FrameAxis* axis;
        double from, to;
    };
    const auto chain = [&](FrameId id) {
        std::vector<Link> links;
        for (const Frame* f = findFrame(cell, id); f; f = findFrame(cell, f->parent)) {
            Link link{placeInForce(cell, *f), f->axis ? &*f->axis : nullptr, axisValue(*f, axes), 0};
            link.to = link.from;
            for (const AxisTravel& t : travels)
                if (t.frame == f->id) link.from = t.from, link.to = t.to;
            links.insert(links.begin(), link);
        }
        return links;
    };
    PlaceMotion out;
    const auto piece = [&](const FrameAxis& axis, double from, double to) {
        out.pieces.push_back({out.after, axis.kind, axis.direction, from, to});
        out.after = Pose{};
    };
    const std::vector<Link> up = chain(seenFrom), down = chain(frame);
    for (auto link = up.rbegin(); link != up.rend(); ++link) {
        if (link->axis) piece(*link->axis, -link->from, -link->to);
        out.after = out.after * inverse(link->pose);
    }
    for (const Link& link : down) {
        out.after = out.after * link.pose;
        if (link.axis) piece(*link.axis, link.from, link.to);
    }
    return out;
}

const PartEvent* lastEvent(const Trace& trace, PartId part, double time)
{
    const PartEvent* last = nullptr;
    for (const PartEvent& e : trace.partEvents) {
        if (e.time > time) break;
        if (e.part == part) last = &e;
    }
    return last;
}

}  // namespace

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
    const Arm& arm = *findArm(cell, trace.arm)->model;
    const JointVector posture = alongSpan(arm, trace, *span, time);
    if (span == trace.spans.data()) return posture;
    const ArmTrace::Span& before = *(span - 1);
    if (before.end <= time) return posture;
    // Blend: the end of one move and the beginning of the next add up.
    return posture + alongSpan(arm, trace, before, time) - trace.outcomes[before.outcome].move->to;
}

double openingAt(const ArmTrace& trace, double time)
{
    const ArmTrace::Span* span = spanAt(trace, time);
    if (!span) return trace.startOpening;
    const double length = span->end - span->start;
    const double done = length > 0 ? std::clamp((time - span->start) / length, 0.0, 1.0) : 1;
    return span->gripperFrom + done * (span->gripperTo - span->gripperFrom);
}

AxisValues axesAt(const Trace& trace, double time)
{
    AxisValues out;
    const auto end = std::upper_bound(trace.axisSpans.begin(), trace.axisSpans.end(), time,
                                      [](double t, const AxisSpan& s) { return t < s.start; });
    for (auto span = trace.axisSpans.begin(); span != end; ++span) {
        const double done = span->profile.at(time - span->start).position;
        const auto known =
            std::find_if(out.begin(), out.end(), [&](const AxisValue& a) { return a.frame == span->frame; });
        // Blended moves overlap: what is left of the one adds to the other.
        if (known == out.end()) out.push_back({span->frame, span->from + done * (span->to - span->from)});
        else known->value += done * (span->to - span->from);
    }
    return out;
}

BeltState beltAt(const Trace& trace, FrameId belt, double time)
{
    const auto end = std::upper_bound(trace.beltStretches.begin(), trace.beltStretches.end(), time,
                                      [](double t, const BeltStretch& s) { return t < s.start; });
    for (auto it = end; it != trace.beltStretches.begin();) {
        --it;
        if (it->belt != belt) continue;
        const double t = time - it->start;
        return {it->travel + it->speed * t + 0.5 * it->acceleration * t * t, it->speed + it->acceleration * t};
    }
    return {};
}

double signalAt(const Cell& cell, const Trace& trace, SignalId signal, double time)
{
    double value = findSignal(cell, signal)->start;
    for (const SignalEvent& e : trace.signalEvents) {
        if (e.time > time) break;
        if (e.signal == signal) value = e.value;
    }
    return value;
}

CellState authoredState(const Cell& cell, const JointVector& posture, const AxisValues& axes)
{
    CellState state;
    state.axes = axes;
    for (const ArmStation& arm : cell.arms)
        state.arms.push_back(
            {arm.id, arm.id == cell.inHand ? posture : homePosture(cell, arm), toolInForce(cell, arm).gripper.open});
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
        const PartEvent* last = lastEvent(trace, part.id, time);
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

std::vector<AxisTravel> travelsTo(const Cell& cell, const AxisValues& target, const AxisValues& axes)
{
    std::vector<AxisTravel> out;
    for (const AxisValue& a : target) {
        const double from = axisValue(*findFrame(cell, a.frame), axes);
        if (from != a.value) out.push_back({a.frame, from, a.value});
    }
    return out;
}

std::vector<Companion> companionsOf(const Cell& cell, const std::vector<AxisTravel>& travels)
{
    std::vector<Companion> out;
    for (const AxisTravel& t : travels) {
        const FrameAxis& axis = *findFrame(cell, t.frame)->axis;
        out.push_back({t.to - t.from, axis.speed, axis.acceleration});
    }
    return out;
}

AxisValues arrived(AxisValues axes, const std::vector<AxisTravel>& travels)
{
    AxisValues there;
    for (const AxisTravel& t : travels)
        there.push_back({t.frame, t.to});
    return there.empty() ? axes : overlaid(axes, there);
}

LinePath lineTo(const Cell& cell, const Target& target, double standoff, const JointVector& from,
                const AxisValues& axes)
{
    const ArmStation& arm = armOf(cell, target);
    const bool pose = target.kind == Target::Kind::Pose;
    LinePath path;
    path.flangeFromTcp = pose ? flangeFromTcp(*findTool(cell, target.tool), target.tcp) : flangeFromTcp(cell, arm);
    path.start = forward(*arm.model, from) * path.flangeFromTcp;
    path.end =
        pose ? baseFromTarget(cell, target, standoff, axes) : forward(*arm.model, target.posture) * path.flangeFromTcp;
    const std::vector<AxisTravel> travels = travelsTo(cell, target.axes, axes);
    if (travels.empty()) return path;
    path.companions = companionsOf(cell, travels);
    if (!pose) return path;
    // Axes on the way between the base and the target's frame move one in the other: the line is straight as seen from
    // the frame.
    path.baseFromFrame = motionBetween(cell, arm.mount, target.frame, travels, axes);
    path.start = inverse(path.baseFromFrame->at(0)) * path.start;
    path.end = target.pose * translated({0, 0, -standoff});
    return path;
}

double partsPerHour(const Trace& trace)
{
    if (trace.blocked() || trace.duration <= 0) return 0;
    const auto set = std::count_if(trace.partEvents.begin(), trace.partEvents.end(),
                                   [](const PartEvent& e) { return e.arm && e.kind != PartEvent::Kind::Carried; });
    return double(set) * 3600 / trace.duration;
}

}  // namespace topikos
