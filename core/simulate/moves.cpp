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
        out.push_back({t.to - t.from, axis.speed, axis.acceleration, t.frame.value});
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

LinePath lineTo(const Cell& cell, const Target& target, const Standoff& standoff, const Standing& from, TcpId point)
{
    const Arm& arm = *from.arm.model;
    const bool pose = target.kind == Target::Kind::Pose;
    LinePath path;
    path.flangeFromTcp = pose ? flangeFromTcp(*findTool(cell, target.tool), target.tcp)
                              : flangeFromTcp(toolInForce(cell, from.arm), point);
    path.start = forward(arm, from.posture) * path.flangeFromTcp;
    path.end =
        pose ? baseFromTarget(cell, target, standoff, from.axes) : forward(arm, target.posture) * path.flangeFromTcp;
    const std::vector<AxisTravel> travels = travelsTo(cell, target.axes, from.axes);
    if (travels.empty()) return path;
    path.companions = companionsOf(cell, travels);
    if (!pose) return path;
    // Axes on the way between the base and the target's frame move one in the other: the line is straight as seen from
    // the frame.
    path.baseFromFrame = motionBetween(cell, from.arm.mount, target.frame, travels, from.axes);
    path.start = inverse(path.baseFromFrame->at(0)) * path.start;
    path.end = frameFromTarget(cell, target, standoff, overlaid(from.axes, target.axes));
    return path;
}

std::vector<AxisTravel> travelsOf(const Cell& cell, const Operation& operation, const AxisValues& axes)
{
    if (operation.end && operation.step->isMove()) {
        const ArcMove* arc = operation.step->as<ArcMove>();
        return arc && arc->whole ? std::vector<AxisTravel>{} : travelsTo(cell, operation.end->axes, axes);
    }
    const MoveAxes* move = operation.step->as<MoveAxes>();
    if (!move) return {};
    const std::vector<FrameId> moved = axesOf(cell, move->device);
    AxisValues goal;
    for (size_t i = 0; i < moved.size(); ++i)
        goal.push_back({moved[i], move->values[i]});
    return travelsTo(cell, goal, axes);
}

namespace {

/// Where a shift takes the TCP, in base.
Pose shifted(const Cell& cell, const Shift& shift, const Standing& from, FrameId readingFrame, const Pose& baseFromTcp)
{
    Vec3 direction = Vec3::Unit(shift.axis);
    if (shift.space == Shift::Space::Tool) {
        direction = baseFromTcp.rotation * direction;
    } else {
        const FrameId frame = shift.space == Shift::Space::InForce ? readingFrame
                              : shift.space == Shift::Space::Frame ? shift.frame
                                                                   : FrameId();
        const Pose world = worldFromFrame(cell, frame, from.axes);
        direction = worldFromBase(cell, from.arm, from.axes).rotation.conjugate() * (world.rotation * direction);
    }
    Pose out = baseFromTcp;
    if (shift.turns) out.rotation = Quat(Eigen::AngleAxisd(shift.by, direction)) * out.rotation;
    else out.translation += shift.by * direction;
    out.rotation.normalize();
    return out;
}

/// Places of an arc as seen from the frame that its path is drawn in.
Vec3 placeIn(const Cell& cell, const LinePath& path, const Target& target, const Standoff& standoff,
             const Standing& from)
{
    const Pose base = target.kind == Target::Kind::Pose ? baseFromTarget(cell, target, standoff, from.axes)
                                                        : forward(*from.arm.model, target.posture) * path.flangeFromTcp;
    return path.baseFromFrame ? (inverse(path.baseFromFrame->at(0)) * base).translation : base.translation;
}

}  // namespace

MoveInput moveInput(const Cell& cell, const Operation& operation, const Standing& from)
{
    const Step& step = *operation.step;
    const Arm& arm = *from.arm.model;
    MoveInput in;
    in.arm = from.arm.model;
    in.from = from.posture;
    if (const PlayTable* play = step.as<PlayTable>()) {
        in.goal = from.posture;
        in.limits.jointFraction = play->speed;
        in.how = TableInput{findTimeTable(cell, play->table)->rows, play->between, play->times};
        return in;
    }
    const JointMove* joint = step.as<JointMove>();
    const LineMove* line = step.as<LineMove>();
    const ArcMove* arc = step.as<ArcMove>();
    const Pace& pace = *paceOf(step);
    const LineLimits& lines = cell.lineLimits;
    const double turn = pace.turnSpeed > 0 ? pace.turnSpeed : INFINITY;
    in.limits = {joint ? joint->speed : 1,
                 line  ? line->speed
                 : arc ? arc->speed
                       : LineMove{}.speed,
                 lines.acceleration * (joint ? 1 : pace.acceleration),
                 joint ? lines.turnSpeed : std::min(turn, lines.turnSpeed),
                 lines.turnAcceleration * (joint ? 1 : pace.acceleration),
                 joint ? pace.acceleration : 1,
                 joint ? turn : INFINITY};
    LinePath* path = nullptr;
    if (!joint) {
        LineInput& own = in.how.emplace<LineInput>();
        own.bounds = cell.thresholds.blocks();
        own.watch = cell.thresholds.cautions();
        path = &own.path;
    }
    const Goal* goal = joint ? &joint->goal : line ? &line->goal : nullptr;
    const auto stay = [&](const Pose& flange) {
        return PoseGoal{flange, configurationOf(arm, from.posture), keepsPosture(arm) ? from.posture : JointVector()};
    };
    if (const JointShift* shift = goal ? std::get_if<JointShift>(goal) : nullptr) {
        JointVector to = from.posture;
        to[shift->joint] += shift->by;
        in.goal = to;
        return in;
    }
    if (const Shift* shift = goal ? std::get_if<Shift>(goal) : nullptr) {
        const Pose& tcp = flangeFromTcp(toolInForce(cell, from.arm), operation.point);
        const Pose start = forward(arm, from.posture) * tcp;
        const Pose end = shifted(cell, *shift, from, operation.readingFrame, start);
        in.goal = stay(end * inverse(tcp));
        if (path) {
            path->flangeFromTcp = tcp;
            path->start = start;
            path->end = end;
        }
        return in;
    }
    const Target& target = *operation.end;
    const Standoff off = (endOf(step) ? *endOf(step) : arc->end).standoff();
    if (target.kind == Target::Kind::Posture) {
        in.goal = target.posture;
    } else {
        const JointVector taught = keepsPosture(arm) ? target.posture : JointVector();
        in.goal = PoseGoal{baseFromFlange(cell, target, off, from.axes), target.configuration, taught};
    }
    if (joint) {
        std::get<JointSegment>(in.how).companions = companionsOf(cell, travelsTo(cell, target.axes, from.axes));
        return in;
    }
    *path = lineTo(cell, target, off, from, operation.point);
    if (!arc) return in;
    if (arc->whole) {
        // Back to where it began: no axis comes along.
        path->companions = {};
        path->baseFromFrame.reset();
        path->start = path->end = forward(arm, from.posture) * path->flangeFromTcp;
        in.goal = stay(forward(arm, from.posture));
    }
    const Vec3 via = placeIn(cell, *path, *operation.via, arc->via.standoff(), from);
    const Vec3 end = arc->whole ? placeIn(cell, *path, target, off, from) : path->end.translation;
    const std::optional<PathCircle> circle = circleThrough(path->start.translation, via, end, arc->whole);
    if (circle) path->shape = *circle;
    else std::get<LineInput>(in.how).noCircle = true;
    return in;
}

}  // namespace topikos
