#include "core/check/contact_scene.h"

#include "core/check/contact_pairs.h"
#include "core/shape/arm_bodies.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

const AxisTrack* trackOf(const Trace& trace, FrameId frame)
{
    const auto found = std::lower_bound(trace.axes.begin(), trace.axes.end(), frame,
                                        [](const AxisTrack& t, FrameId id) { return t.frame < id; });
    return found != trace.axes.end() && found->frame == frame ? &*found : nullptr;
}

/// Distance of a point from a line [m].
double fromLine(const Vec3& point, const Vec3& origin, const Vec3& direction)
{
    return (point - origin).cross(direction).norm();
}

}  // namespace

std::optional<ContactMember> SceneBody::member() const
{
    switch (kind) {
    case Kind::Link: return ContactMember{ContactMember::Kind::Link, number, arm};
    case Kind::Tool:
    case Kind::Jaw: return ContactMember{ContactMember::Kind::Tool, 0, arm};
    case Kind::Frame: return ContactMember{ContactMember::Kind::Frame, frame.value};
    case Kind::Part: break;
    }
    return std::nullopt;
}

std::string bodyName(const Cell& cell, const Trace& trace, const SceneBody& body)
{
    if (const auto member = body.member()) return memberName(cell, *member);
    if (const Part* part = findPart(cell, body.part)) return part->name;
    for (const Part& part : trace.made)
        if (part.id == body.part) return part.name;
    return "part";
}

ContactScene::ContactScene(const Cell& cell, const Trace& trace) :
    m_cell(cell), m_trace(trace), m_places(cell), m_arms(cell.arms.size())
{
    const auto add = [&](SceneBody body, ContactBody shape, bool moves, const Part* part = nullptr) {
        if (shape.empty()) return;
        body.shape = std::make_shared<const ContactBody>(std::move(shape));
        m_bodies.push_back(std::move(body));
        m_moves.push_back(moves);
        m_parts.push_back(part);
    };
    const auto travels = [&](FrameId frame) {
        if (!frame) return false;
        const std::vector<FrameId>& axes = m_places.axesAbove(frame);
        return std::any_of(axes.begin(), axes.end(), [&](FrameId axis) { return trackOf(trace, axis) != nullptr; });
    };
    for (const ArmStation& arm : cell.arms) {
        const ArmTrace* own = findArmTrace(trace, arm.id);
        const bool base = travels(arm.mount), runs = base || (own && !own->spans.empty());
        const std::vector<LinkShape> links = armShapes(*arm.model);
        for (std::uint32_t i = 0; i < links.size(); ++i)
            add({Kind::Link, arm.id, i, {}, {}, {}, links[i].standIn}, {links[i].pieces, links[i].surfaces},
                i == 0 ? base : runs);
        const Tool& tool = toolInForce(cell, arm);
        add({Kind::Tool, arm.id}, ContactBody::of(tool.body), runs);
        for (std::uint32_t i = 0; i < jawPlaces(tool.gripper, tool.gripper.open).size(); ++i)
            add({Kind::Jaw, arm.id, i}, ContactBody::of(tool.jaw), runs);
    }
    for (const Frame& frame : cell.frames)
        add({Kind::Frame, {}, 0, frame.id}, ContactBody::of(frame.solids), travels(frame.id));
    const auto addPart = [&](const Part& part) {
        add({Kind::Part, {}, 0, {}, part.id}, ContactBody::of(findPartKind(cell, part.kind)->solids),
            !trace.partEvents.of(part.id).empty() || travels(part.frame), &part);
    };
    for (const Part& part : cell.parts)
        addPart(part);
    for (const Part& part : trace.made)
        addPart(part);
    m_placed.resize(m_bodies.size());
    m_motions.resize(m_bodies.size());
    m_stays.resize(m_bodies.size());
}

std::optional<Pose> ContactScene::place(size_t body, double time) const
{
    Last<std::optional<Pose>>& last = m_placed[body];
    if (last.time != time) last = {time, placeNow(body, time)};
    return last.value;
}

Motion ContactScene::motion(size_t body, double time) const
{
    Last<Motion>& last = m_motions[body];
    if (last.time != time) last = {time, motionNow(body, time)};
    return last.value;
}

Stay ContactScene::stay(size_t body, double time) const
{
    Last<Stay>& last = m_stays[body];
    if (!(time >= last.time && time < last.value.until)) last = {time, stayFrom(body, time)};
    return last.value;
}

/// Balls at times along the step, each so much larger as it can get to half way to the next one, and one around them.
Stay ContactScene::stayFrom(size_t index, double time) const
{
    const ContactBody& shape = *m_bodies[index].shape;
    const Motion first = motion(index, time);
    const double length = std::min(first.until, m_trace.duration) - time;
    const bool still = first.rate == 0 && first.ramp == 0;
    const int pieces = still || length <= 0 ? 1 : int(std::clamp(std::ceil(length / 0.05), 4.0, 64.0));
    Eigen::AlignedBox3d box;
    for (int i = 0; i < pieces; ++i) {
        const double at = still ? time : time + length * (i + 0.5) / pieces;
        const std::optional<Pose> pose = place(index, at);
        if (!pose) return {{Vec3::Zero(), still ? 0.0 : INFINITY}, first.until};
        const double half = still ? 0 : 0.5 * length / pieces;
        const Motion now = motion(index, at);
        const double linear = now.rate * half + now.ramp * half * half,
                     by = now.rateBy * half + now.rampBy * half * half;
        if (by > 0.5) return {{Vec3::Zero(), INFINITY}, first.until};  // the bound does not close
        const double radius = shape.ball().radius + linear / (1 - by);
        const Vec3 centre = *pose * shape.ball().centre;
        box.extend(Vec3(centre - Vec3::Constant(radius)));
        box.extend(Vec3(centre + Vec3::Constant(radius)));
    }
    if (still) return {{*place(index, time) * shape.ball().centre, shape.ball().radius}, first.until};
    return {{box.center(), 0.5 * box.diagonal().norm()}, first.until};
}

double ContactScene::axisAt(const Frame& frame, double time) const
{
    const AxisTrack* track = trackOf(m_trace, frame.id);
    const std::optional<double> value = track ? track->at(time) : std::nullopt;
    return value.value_or(frame.axis->value);
}

Pose ContactScene::worldOf(FrameId frame, double time) const
{
    return m_places.world(frame, [&](const Frame& f) { return axisAt(f, time); });
}

const ContactScene::ArmAt& ContactScene::armAt(size_t arm, double time) const
{
    ArmAt& at = m_arms[arm];
    if (at.time == time) return at;
    const ArmStation& station = m_cell.arms[arm];
    const ArmTrace* own = findArmTrace(m_trace, station.id);
    at.time = time;
    at.posture = own ? postureAt(m_cell, *own, time) : homePosture(m_cell, station);
    at.speed = JointVector::Zero(at.posture.size());
    at.span = own && !own->spans.empty() && time < own->spans.back().end ? spanAt(*own, time) : nullptr;
    if (at.span && time >= at.span->end) at.span = nullptr;
    at.moves = at.byTable = false;
    if (at.span) {
        const StepOutcome& outcome = own->outcomes[at.span->outcome];
        at.moves = outcome.move && outcome.timing;
        at.byTable = at.moves && outcome.move->table;
        if (at.byTable) at.speed = outcome.move->highestRate() * outcome.timing->peakRate();
        else if (at.moves) at.speed = outcome.timing->speedAt(time - at.span->start);
    }
    chainFrames(*station.model, at.posture, at.chain);
    at.base = worldOf(station.mount, time);
    const Mat3 turn = at.base.matrix();
    at.origins.clear();
    at.directions.clear();
    for (int j = 0; j < station.model->jointCount(); ++j) {
        const AxisFrame& axis = at.chain.joints[size_t(j)];
        at.origins.push_back(turn * axis.origin + at.base.translation);
        at.directions.push_back(turn * axis.rotation.col(2));
    }
    return at;
}

std::optional<Pose> ContactScene::placeNow(size_t index, double time) const
{
    const SceneBody& body = m_bodies[index];
    if (body.ofArm()) {
        const size_t arm = *m_cell.arms.placeOf(body.arm);
        const ArmAt& at = armAt(arm, time);
        if (body.kind == Kind::Link) {
            if (body.number == 0) return at.base;
            const AxisFrame& frame = at.chain.joints[body.number - 1];
            return at.base * makePose(frame.rotation, frame.origin);
        }
        const Pose flange = at.base * makePose(at.chain.flange.rotation, at.chain.flange.origin);
        if (body.kind == Kind::Tool) return flange;
        const Tool& tool = toolInForce(m_cell, m_cell.arms[arm]);
        const ArmTrace* own = findArmTrace(m_trace, body.arm);
        const double opening = own ? openingAt(*own, time) : tool.gripper.open;
        return flange * tool.flangeFromTcp * jawPlaces(tool.gripper, opening)[body.number];
    }
    if (body.kind == Kind::Frame) return worldOf(body.frame, time);
    const Part& part = *m_parts[index];
    const PartEvent* event = eventOf(index, time);
    if (!event) {
        const bool made = part.id.value >= m_cell.nextId;
        return made ? std::nullopt : std::optional(worldOf(part.frame, time) * part.pose);
    }
    switch (event->kind) {
    case PartEvent::Kind::Gone: return std::nullopt;
    case PartEvent::Kind::Carried: {
        const size_t arm = *m_cell.arms.placeOf(event->arm);
        const ArmAt& at = armAt(arm, time);
        return at.base * makePose(at.chain.flange.rotation, at.chain.flange.origin)
               * flangeFromTcp(m_cell, m_cell.arms[arm]) * event->pose;
    }
    case PartEvent::Kind::Rides:
        return worldOf(event->frame, time)
               * translated(
                   {beltAt(m_trace, event->frame, time).travel - beltAt(m_trace, event->frame, event->time).travel, 0,
                    0})
               * event->pose;
    case PartEvent::Kind::Lies: break;
    }
    return worldOf(event->frame, time) * event->pose;
}

const PartEvent* ContactScene::eventOf(size_t body, double time) const
{
    return m_bodies[body].kind == Kind::Part ? m_trace.partEvents.last(m_bodies[body].part, time) : nullptr;
}

const PartEvent* ContactScene::eventAfter(size_t body, double time) const
{
    if (m_bodies[body].kind != Kind::Part) return nullptr;
    const std::vector<std::uint32_t>& own = m_trace.partEvents.of(m_bodies[body].part);
    const auto after = std::upper_bound(own.begin(), own.end(), time,
                                        [&](double t, std::uint32_t i) { return t < m_trace.partEvents[i].time; });
    return after == own.end() ? nullptr : &m_trace.partEvents[*after];
}

ArmId ContactScene::moverOf(size_t body, double time) const
{
    if (m_bodies[body].ofArm()) return m_bodies[body].arm;
    const PartEvent* event = eventOf(body, time);
    return event && event->kind == PartEvent::Kind::Carried ? event->arm : ArmId();
}

void ContactScene::addAxes(Motion& motion, FrameId frame, const Vec3& centre, double radius, double time) const
{
    if (!frame) return;
    for (const FrameId id : m_places.axesAbove(frame)) {
        const AxisTrack* track = trackOf(m_trace, id);
        if (!track) continue;
        const Frame& own = m_places.frame(id);
        const auto next = std::upper_bound(track->spans.begin(), track->spans.end(), time,
                                           [](double t, const AxisSpan& s) { return t < s.start; });
        if (next != track->spans.end()) motion.until = std::min(motion.until, next->start);
        // Stretches before may still be under way: those since the axis last was at rest.
        double ends = -INFINITY;
        for (auto span = next; span != track->spans.begin();) {
            --span;
            ends = std::max(ends, span->end());
            if (span->restsFrom <= time) break;
        }
        if (ends <= time) continue;
        motion.until = std::min(motion.until, ends);
        const double speed = own.axis->speed * (1 + kAboveLimit);
        if (own.axis->kind == JointKind::Prismatic) {
            motion.rate += speed;
            continue;
        }
        const Pose at = worldOf(id, time);
        motion.rate += speed * (fromLine(centre, at.translation, at.rotation * own.axis->direction) + radius);
        motion.rateBy += 2 * speed;
    }
}

void ContactScene::addArm(Motion& motion, size_t arm, int joints, const Vec3& centre, double radius, double time) const
{
    const ArmStation& station = m_cell.arms[arm];
    addAxes(motion, station.mount, centre, radius, time);
    const ArmAt& at = armAt(arm, time);
    if (!at.span) return;
    // Each step is looked at anew.
    motion.until = std::min(motion.until, at.span->end);
    if (!at.moves) return;
    for (int j = 0; j < joints; ++j) {
        const Joint& joint = station.model->joints()[size_t(j)];
        // The speed at hand grows by no more than the joint's acceleration; tables keep to their rows.
        const double speed = std::abs(at.speed[j]);
        const double ramp = at.byTable ? 0 : 0.5 * joint.acceleration * (1 + kAboveLimit);
        if (joint.kind == JointKind::Prismatic) {
            motion.rate += speed;
            motion.ramp += ramp;
            continue;
        }
        const double lever = fromLine(centre, at.origins[size_t(j)], at.directions[size_t(j)]) + radius;
        motion.rate += lever * speed;
        motion.ramp += lever * ramp;
        motion.rateBy += 2 * speed;
        motion.rampBy += 2 * ramp;
    }
}

Motion ContactScene::motionNow(size_t index, double time) const
{
    Motion out;
    const SceneBody& body = m_bodies[index];
    if (!m_moves[index]) return out;
    const std::optional<Pose> at = place(index, time);
    if (const PartEvent* next = eventAfter(index, time)) out.until = std::min(out.until, next->time);
    if (!at) return out;
    const Vec3 centre = *at * body.shape->ball().centre;
    const double radius = body.shape->ball().radius;
    if (body.ofArm()) {
        const size_t arm = *m_cell.arms.placeOf(body.arm);
        const int joints = body.kind == Kind::Link ? int(body.number) : m_cell.arms[arm].model->jointCount();
        addArm(out, arm, joints, centre, radius, time);
        const ArmTrace::Span* span = armAt(arm, time).span;
        if (body.kind == Kind::Jaw && span && span->gripperFrom != span->gripperTo) {
            // Tips go half of the way each; jaws that turn, with all that is behind their tips, no further than that
            // times how far they reach from their pivots.
            const Gripper& gripper = toolInForce(m_cell, m_cell.arms[arm]).gripper;
            const double reach =
                gripper.kind == Gripper::Kind::Angular
                    ? (body.shape->ball().centre.norm() + radius + gripper.pivot) / std::max(1e-3, gripper.pivot)
                    : 1;
            out.rate += reach * std::abs(span->gripperTo - span->gripperFrom) / (span->end - span->start);
        }
        return out;
    }
    if (body.kind == Kind::Frame) {
        addAxes(out, body.frame, centre, radius, time);
        return out;
    }
    const PartEvent* event = eventOf(index, time);
    if (event && event->kind == PartEvent::Kind::Carried) {
        const size_t arm = *m_cell.arms.placeOf(event->arm);
        addArm(out, arm, m_cell.arms[arm].model->jointCount(), centre, radius, time);
        return out;
    }
    addAxes(out, event ? event->frame : m_parts[index]->frame, centre, radius, time);
    if (event && event->kind == PartEvent::Kind::Rides) out.rate += findFrame(m_cell, event->frame)->device->speed;
    return out;
}

}  // namespace topikos
