#include "core/collide/scene.h"

#include "core/collide/pairs.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

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

ContactSide sideOf(const ContactScene& scene, size_t body)
{
    const SceneBody& own = scene.bodies()[body];
    return {own.member(), own.part, bodyName(scene.cell(), scene.trace(), own), own.standIn};
}

std::vector<Window> windowsOf(const Trace& trace)
{
    constexpr double shortest = 1e-9;  // [s]
    std::vector<double> times{0, trace.duration};
    for (const ArmTrace& arm : trace.arms)
        for (const ArmTrace::Span& span : arm.spans)
            times.insert(times.end(), {span.start, span.end});
    for (const AxisTrack& track : trace.axes)
        for (const AxisSpan& span : track.spans)
            times.insert(times.end(), {span.start, span.end()});
    for (const BeltTrack& belt : trace.belts)
        for (const BeltStretch& stretch : belt.stretches)
            times.push_back(stretch.start);
    for (const PartEvent& event : trace.partEvents)
        times.push_back(event.time);
    std::sort(times.begin(), times.end());
    std::vector<Window> out;
    double from = 0;
    for (const double time : times) {
        if (time > trace.duration) break;
        if (time - from <= shortest) continue;
        out.push_back({from, time});
        from = time;
    }
    return out;
}

ContactScene::ContactScene(const Cell& cell, const Trace& trace, ContactCache* cache) :
    m_cell(cell), m_trace(trace), m_places(cell), m_arms(cell.arms.size())
{
    ContactCache own;
    ContactCache& known = cache ? *cache : own;
    const auto add = [&](SceneBody body, const KnownShape& shape, bool moves, const Part* part = nullptr) {
        if (!shape.body) return;
        body.shape = shape.body;
        body.shapeNumber = shape.number;
        body.standIn = shape.standIn;
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
        const ArmTrace* trail = findArmTrace(trace, arm.id);
        const bool base = travels(arm.mount), runs = base || (trail && !trail->spans.empty());
        const std::vector<KnownShape> links = known.linksOf(arm.model, arm.padding);
        for (std::uint32_t i = 0; i < links.size(); ++i)
            add({Kind::Link, arm.id, i}, links[i], i == 0 ? base : runs);
        const Tool& tool = toolInForce(cell, arm);
        add({Kind::Tool, arm.id}, known.shapeOf(tool.body), runs);
        const KnownShape jaw = known.shapeOf(tool.jaw);
        for (std::uint32_t i = 0; i < jawPlaces(tool.gripper, tool.gripper.open).size(); ++i)
            add({Kind::Jaw, arm.id, i}, jaw, runs);
    }
    for (const Frame& frame : cell.frames)
        add({Kind::Frame, {}, 0, frame.id}, known.shapeOf(frame.solids), travels(frame.id));
    std::unordered_map<std::uint32_t, KnownShape> kinds;
    const auto addPart = [&](const Part& part) {
        auto kind = kinds.find(part.kind.value);
        if (kind == kinds.end())
            kind = kinds.emplace(part.kind.value, known.shapeOf(findPartKind(cell, part.kind)->solids)).first;
        add({Kind::Part, {}, 0, {}, part.id}, kind->second,
            !trace.partEvents.of(part.id).empty() || travels(part.frame), &part);
    };
    for (const Part& part : cell.parts)
        addPart(part);
    for (const Part& part : trace.made)
        addPart(part);
    m_armEvents.resize(m_bodies.size());
    for (size_t i = 0; i < m_bodies.size(); ++i)
        if (m_bodies[i].kind == Kind::Part)
            for (const std::uint32_t at : trace.partEvents.of(m_bodies[i].part))
                if (trace.partEvents[at].arm) m_armEvents[i].push_back(&trace.partEvents[at]);
    m_placed.resize(m_bodies.size());
    m_motions.resize(m_bodies.size());
    m_fixed.resize(m_bodies.size());
    m_fixedBoxes.resize(m_bodies.size());
    for (size_t i = 0; i < m_bodies.size(); ++i) {
        if (m_moves[i]) continue;
        m_fixed[i] = placeNow(i, 0);
        if (m_fixed[i]) m_fixedBoxes[i] = m_bodies[i].shape->box(*m_fixed[i]);
    }
}

std::optional<Pose> ContactScene::place(size_t body, double time) const
{
    if (m_fixed[body]) return m_fixed[body];
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

bool ContactScene::movesIn(size_t body, const Window& window) const
{
    if (!m_moves[body]) return false;
    const Motion now = motion(body, window.middle());
    return now.rate > 0 || now.ramp > 0;
}

bool ContactScene::appearsIn(size_t body, const Window& window) const
{
    if (window.from == 0) return true;
    const PartEvent* event = eventOf(body, window.middle());
    return event && event->time >= window.from - 1e-9;
}

/// Of bodies that move: balls at times along the window, each so much larger as it can get to half way to the next one.
std::vector<Eigen::AlignedBox3d> ContactScene::boxesIn(const Window& window, const std::vector<size_t>& bodies) const
{
    constexpr double apart = 0.05;  // [s]
    const Eigen::AlignedBox3d everywhere(Vec3::Constant(-INFINITY), Vec3::Constant(INFINITY));
    std::vector<Eigen::AlignedBox3d> out(bodies.size());
    std::vector<size_t> moving;  // of those asked for
    for (size_t i = 0; i < bodies.size(); ++i) {
        if (movesIn(bodies[i], window)) moving.push_back(i);
        else if (!m_moves[bodies[i]]) out[i] = m_fixedBoxes[bodies[i]];
        else if (const std::optional<Pose> pose = place(bodies[i], window.middle()))
            out[i] = m_bodies[bodies[i]].shape->box(*pose);
    }
    if (moving.empty()) return out;
    const double length = window.to - window.from;
    const int pieces = int(std::clamp(std::ceil(length / apart), 4.0, 64.0));
    const double half = 0.5 * length / pieces;
    for (int n = 0; n < pieces; ++n) {
        const double at = window.from + length * (n + 0.5) / pieces;
        for (const size_t i : moving) {
            const size_t body = bodies[i];
            const std::optional<Pose> pose = place(body, at);
            if (!pose) continue;
            const Ball& ball = m_bodies[body].shape->ball();
            const Motion now = motion(body, at);
            const double linear = now.rate * half + now.ramp * half * half,
                         by = now.rateBy * half + now.rampBy * half * half;
            if (by > 0.5) {  // the bound does not close
                out[i] = everywhere;
                continue;
            }
            const Vec3 centre = *pose * ball.centre, radius = Vec3::Constant(ball.radius + linear / (1 - by));
            out[i].extend(Vec3(centre - radius));
            out[i].extend(Vec3(centre + radius));
        }
    }
    return out;
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

const PartEvent* ContactScene::armEventOf(size_t body, double time) const
{
    const std::vector<const PartEvent*>& own = m_armEvents[body];
    const auto after =
        std::upper_bound(own.begin(), own.end(), time, [](double t, const PartEvent* e) { return t < e->time; });
    return after == own.begin() ? nullptr : *(after - 1);
}

const PartEvent* ContactScene::armEventAfter(size_t body, double time) const
{
    const std::vector<const PartEvent*>& own = m_armEvents[body];
    const auto after =
        std::upper_bound(own.begin(), own.end(), time, [](double t, const PartEvent* e) { return t < e->time; });
    return after == own.end() ? nullptr : *after;
}

const PartEvent* ContactScene::armEventBefore(size_t body, const PartEvent& event) const
{
    const std::vector<const PartEvent*>& own = m_armEvents[body];
    const auto at = std::find(own.begin(), own.end(), &event);
    return at == own.end() || at == own.begin() ? nullptr : *(at - 1);
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
    addJoints(motion, arm, 0, joints, centre, radius, time);
}

void ContactScene::addJoints(Motion& motion, size_t arm, int first, int last, const Vec3& centre, double radius,
                             double time) const
{
    const ArmStation& station = m_cell.arms[arm];
    const ArmAt& at = armAt(arm, time);
    if (!at.span || !at.moves) return;
    for (int j = first; j < last; ++j) {
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

int ContactScene::jointsOf(size_t body, size_t arm) const
{
    const SceneBody& own = m_bodies[body];
    return own.kind == Kind::Link ? int(own.number) : m_cell.arms[arm].model->jointCount();
}

void ContactScene::addJaw(Motion& motion, size_t index, double time) const
{
    const SceneBody& body = m_bodies[index];
    if (body.kind != Kind::Jaw) return;
    const size_t arm = *m_cell.arms.placeOf(body.arm);
    const ArmTrace::Span* span = armAt(arm, time).span;
    if (!span || span->gripperFrom == span->gripperTo) return;
    // Tips go half of the way each; jaws that turn, with all that is behind their tips, no further than that times how
    // far they reach from their pivots.
    const Gripper& gripper = toolInForce(m_cell, m_cell.arms[arm]).gripper;
    const Ball& ball = body.shape->ball();
    const double reach = gripper.kind == Gripper::Kind::Angular
                             ? (ball.centre.norm() + ball.radius + gripper.pivot) / std::max(1e-3, gripper.pivot)
                             : 1;
    motion.rate += reach * std::abs(span->gripperTo - span->gripperFrom) / (span->end - span->start);
}

Motion ContactScene::motionBetween(size_t a, size_t b, double time) const
{
    const Motion x = motion(a, time), y = motion(b, time);
    Motion out;
    out.until = std::min(x.until, y.until);
    const ArmId mover = moverOf(a, time);
    if (!mover || mover != moverOf(b, time)) {
        out.rate = x.rate + y.rate;
        out.ramp = x.ramp + y.ramp;
        out.rateBy = x.rateBy + y.rateBy;
        out.rampBy = x.rampBy + y.rampBy;
        return out;
    }
    const size_t arm = *m_cell.arms.placeOf(mover);
    const int jointsA = jointsOf(a, arm), jointsB = jointsOf(b, arm);
    const size_t outer = jointsA > jointsB ? a : b;
    if (const std::optional<Pose> at = place(outer, time)) {
        const Ball& ball = m_bodies[outer].shape->ball();
        addJoints(out, arm, std::min(jointsA, jointsB), std::max(jointsA, jointsB), *at * ball.centre, ball.radius,
                  time);
    }
    addJaw(out, a, time);
    addJaw(out, b, time);
    return out;
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
        addArm(out, arm, jointsOf(index, arm), centre, radius, time);
        addJaw(out, index, time);
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
    if (event && event->kind == PartEvent::Kind::Rides) {
        const auto belt = std::find_if(m_trace.belts.begin(), m_trace.belts.end(),
                                       [&](const BeltTrack& own) { return own.belt == event->frame; });
        if (belt == m_trace.belts.end()) return out;
        const auto next = std::upper_bound(belt->stretches.begin(), belt->stretches.end(), time,
                                           [](double t, const BeltStretch& s) { return t < s.start; });
        const bool stands =
            next == belt->stretches.begin() || ((next - 1)->acceleration == 0 && (next - 1)->speed == 0);
        if (!stands) out.rate += findFrame(m_cell, event->frame)->device->speed;
        if (next != belt->stretches.end()) out.until = std::min(out.until, next->start);
    }
    return out;
}

}  // namespace topikos
