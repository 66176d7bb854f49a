#include "core/collide/scene.h"

#include "core/collide/pairs.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

/// Distance of a point from a line [m].
double fromLine(const Vec3& point, const Vec3& origin, const Vec3& direction)
{
    return (point - origin).cross(direction).norm();
}

}  // namespace

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
    ContactScene(cell, trace, cache ? *cache : *std::make_unique<ContactCache>())
{
}

ContactScene::ContactScene(const Cell& cell, const Trace& trace, ContactCache& known) :
    m_bodies(cell, moversOf(trace), trace.made, known), m_state(cell, trace), m_arms(cell.arms.size())
{
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
        if (m_bodies.moves(i)) continue;
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
    if (!m_bodies.moves(body)) return false;
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
        else if (!m_bodies.moves(bodies[i])) out[i] = m_fixedBoxes[bodies[i]];
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

const ContactScene::ArmAt& ContactScene::armAt(size_t arm, double time) const
{
    ArmAt& at = m_arms[arm];
    if (at.time == time) return at;
    const ArmStation& station = cell().arms[arm];
    const ArmTrace* own = findArmTrace(trace(), station.id);
    const RunState::Standing& stands = m_state.arm(arm, time);
    at.time = time;
    at.speed = JointVector::Zero(stands.posture.size());
    at.span = own ? spanUnderWay(*own, time) : nullptr;
    at.moves = at.byTable = false;
    if (at.span) {
        const StepOutcome& outcome = own->outcomes[at.span->outcome];
        at.moves = outcome.move && outcome.timing;
        at.byTable = at.moves && outcome.move->as<TableSegment>();
        if (at.byTable) at.speed = outcome.move->highestRate() * outcome.timing->peakRate();
        else if (at.moves) at.speed = outcome.timing->speedAt(time - at.span->start);
    }
    const Mat3 turn = stands.base.matrix();
    at.origins.clear();
    at.directions.clear();
    for (int j = 0; j < station.model->jointCount(); ++j) {
        const AxisFrame& axis = stands.chain.joints[size_t(j)];
        at.origins.push_back(turn * axis.origin + stands.base.translation);
        at.directions.push_back(turn * axis.rotation.col(2));
    }
    return at;
}

std::optional<Pose> ContactScene::placeNow(size_t index, double time) const
{
    const SceneBody& body = m_bodies[index];
    if (body.kind == Kind::Part) return m_state.part(m_bodies.part(index), time);
    if (body.kind == Kind::Frame) return m_state.frame(body.frame, time);
    const size_t arm = *cell().arms.placeOf(body.arm);
    const RunState::Standing& at = m_state.arm(arm, time);
    const double opening = body.kind == Kind::Jaw ? m_state.opening(arm, time) : 0;
    return placeOnArm(body, toolInForce(cell(), cell().arms[arm]), at.base, at.chain, opening);
}

const PartEvent* ContactScene::eventOf(size_t body, double time) const
{
    return m_bodies[body].kind == Kind::Part ? trace().partEvents.last(m_bodies[body].part, time) : nullptr;
}

const PartEvent* ContactScene::eventAfter(size_t body, double time) const
{
    if (m_bodies[body].kind != Kind::Part) return nullptr;
    const std::vector<std::uint32_t>& own = trace().partEvents.of(m_bodies[body].part);
    const auto after = std::upper_bound(own.begin(), own.end(), time,
                                        [&](double t, std::uint32_t i) { return t < trace().partEvents[i].time; });
    return after == own.end() ? nullptr : &trace().partEvents[*after];
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
    for (const FrameId id : m_bodies.places().axesAbove(frame)) {
        const AxisTrack* track = findAxisTrack(trace(), id);
        if (!track) continue;
        const Frame& own = m_bodies.places().frame(id);
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
        const Pose at = m_state.frame(id, time);
        motion.rate += speed * (fromLine(centre, at.translation, at.rotation * own.axis->direction) + radius);
        motion.rateBy += 2 * speed;
    }
}

void ContactScene::addArm(Motion& motion, size_t arm, int joints, const Vec3& centre, double radius, double time) const
{
    const ArmStation& station = cell().arms[arm];
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
    const ArmStation& station = cell().arms[arm];
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
    return own.kind == Kind::Link ? int(own.number) : cell().arms[arm].model->jointCount();
}

void ContactScene::addJaw(Motion& motion, size_t index, double time) const
{
    const SceneBody& body = m_bodies[index];
    if (body.kind != Kind::Jaw) return;
    const size_t arm = *cell().arms.placeOf(body.arm);
    const ArmTrace::Span* span = armAt(arm, time).span;
    if (!span || span->gripperFrom == span->gripperTo) return;
    // Tips go half of the way each; jaws that turn, with all that is behind their tips, no further than that times how
    // far they reach from their pivots.
    const Gripper& gripper = toolInForce(cell(), cell().arms[arm]).gripper;
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
    const size_t arm = *cell().arms.placeOf(mover);
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
    if (!m_bodies.moves(index)) return out;
    const std::optional<Pose> at = place(index, time);
    if (const PartEvent* next = eventAfter(index, time)) out.until = std::min(out.until, next->time);
    if (!at) return out;
    const Vec3 centre = *at * body.shape->ball().centre;
    const double radius = body.shape->ball().radius;
    if (body.ofArm()) {
        const size_t arm = *cell().arms.placeOf(body.arm);
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
        const size_t arm = *cell().arms.placeOf(event->arm);
        addArm(out, arm, cell().arms[arm].model->jointCount(), centre, radius, time);
        return out;
    }
    addAxes(out, event ? event->frame : m_bodies.part(index).frame, centre, radius, time);
    if (event && event->kind == PartEvent::Kind::Rides) {
        const auto belt = std::find_if(trace().belts.begin(), trace().belts.end(),
                                       [&](const BeltTrack& own) { return own.belt == event->frame; });
        if (belt == trace().belts.end()) return out;
        const auto next = std::upper_bound(belt->stretches.begin(), belt->stretches.end(), time,
                                           [](double t, const BeltStretch& s) { return t < s.start; });
        const bool stands =
            next == belt->stretches.begin() || ((next - 1)->acceleration == 0 && (next - 1)->speed == 0);
        if (!stands) out.rate += findFrame(cell(), event->frame)->device->speed;
        if (next != belt->stretches.end()) out.until = std::min(out.until, next->start);
    }
    return out;
}

}  // namespace topikos
