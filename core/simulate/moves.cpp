#include "core/simulate/moves.h"

#include <algorithm>

namespace topikos {

namespace {

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

}  // namespace

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

std::vector<AxisTravel> travelsOf(const Cell& cell, const Step& step, const AxisValues& axes)
{
    if (step.isMove()) return travelsTo(cell, findTarget(cell, step.target)->axes, axes);
    if (step.kind != Step::Kind::MoveAxes) return {};
    const std::vector<FrameId> moved = axesOf(cell, step.device);
    AxisValues goal;
    for (size_t i = 0; i < moved.size(); ++i)
        goal.push_back({moved[i], step.axes[i]});
    return travelsTo(cell, goal, axes);
}

MoveInput moveInput(const Cell& cell, const Step& step, const JointVector& from, const AxisValues& axes)
{
    const Target& target = *findTarget(cell, step.target);
    MoveInput in;
    in.arm = armOf(cell, target).model;
    in.kind = step.kind == Step::Kind::Line ? Move::Kind::Line : Move::Kind::Joint;
    in.from = from;
    if (target.kind == Target::Kind::Posture) {
        in.goal = target.posture;
    } else {
        const JointVector taught = keepsPosture(*in.arm) ? target.posture : JointVector();
        in.goal = PoseGoal{baseFromFlange(cell, target, step.standoff, axes), target.configuration, taught};
    }
    const LineLimits& lines = cell.lineLimits;
    in.limits = {step.jointSpeed, step.lineSpeed, lines.acceleration, lines.turnSpeed, lines.turnAcceleration};
    if (in.kind == Move::Kind::Line) {
        in.line = lineTo(cell, target, step.standoff, from, axes);
        in.bounds = cell.thresholds.blocks();
        in.watch = cell.thresholds.cautions();
    } else {
        in.companions = companionsOf(cell, travelsTo(cell, target.axes, axes));
    }
    return in;
}

}  // namespace topikos
