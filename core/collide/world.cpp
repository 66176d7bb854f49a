#include "core/collide/world_parts.h"

#include "core/collide/pairs.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kRestsOn = 1e-3;  // what is nearer to a body lies on it [m]

bool samePlace(const Pose& a, const Pose& b)
{
    const PoseDeviation off = deviation(a, b);
    return off.metres < 1e-9 && off.radians < 1e-9;
}

/// The state as a run of a second in which nothing moves.
Trace standingRun(const Cell& cell, const CellState& state)
{
    Trace trace;
    trace.duration = 1;
    for (const ArmStation& arm : cell.arms) {
        const ArmState& stands = state.of(arm.id);
        ArmTrace& own = trace.arms.emplace_back();
        own.arm = arm.id;
        own.routine = arm.main;
        own.start = stands.posture;
        own.startOpening = stands.gripperOpening;
        own.duration = 1;
        StepOutcome outcome;
        outcome.arrival = own.start;
        outcome.duration = 1;
        own.spans.push_back({0, 0, 1, own.startOpening, own.startOpening});
        own.outcomes.push_back(std::move(outcome));
    }
    return trace;
}

/// The cell with device axes where they are said to stand; nothing when that is where they stand.
std::optional<Cell> withAxes(const Cell& cell, const AxisValues& axes)
{
    std::optional<Cell> out;
    for (const AxisValue& a : axes) {
        const Frame* frame = findFrame(cell, a.frame);
        if (!frame || !frame->axis || frame->axis->value == a.value) continue;
        if (!out) out = cell;
        out->frames.edit(a.frame)->axis->value = a.value;
    }
    return out;
}

}  // namespace

World::World(std::unique_ptr<Parts> parts) : m(std::move(parts)) {}
World::~World() = default;
World::World(World&&) noexcept = default;

World::World(const Cell& cell, const CellState& state, ArmId id, ContactCache& cache, WorldOptions options) :
    m(new Parts{&cell, id, findArm(cell, id), Places(cell), std::move(options.axes), state.axes, {}, {}, {}})
{
    const ArmStation& station = *m->station;
    const JointVector& posture = state.of(id).posture;
    m->start.resize(posture.size() + Eigen::Index(m->axes.size()));
    m->start.head(posture.size()) = posture;
    for (size_t i = 0; i < m->axes.size(); ++i)
        m->start[posture.size() + Eigen::Index(i)] = axisValue(*findFrame(cell, m->axes[i]), state.axes);

    // The state as a run in which nothing moves, for what a check would look at in it.
    const std::optional<Cell> elsewhere = withAxes(cell, state.axes);
    const Cell& there = elsewhere ? *elsewhere : cell;
    Trace trace = standingRun(there, state);
    for (const FrameId frame : m->axes)
        trace.axes.push_back({frame, {}});
    std::sort(trace.axes.begin(), trace.axes.end(),
              [](const AxisTrack& a, const AxisTrack& b) { return a.frame < b.frame; });
    std::set<PartId> here;
    const Pose tcp = worldFromTcp(there, station, posture);
    for (const PlacedPart& placed : state.parts) {
        here.insert(placed.part);
        const Part* authored = findPart(cell, placed.part);
        if (!authored)
            trace.made.push_back(
                {.id = placed.part, .name = findPartKind(cell, placed.kind)->name, .kind = placed.kind});
        if (std::find(options.carried.begin(), options.carried.end(), placed.part) != options.carried.end())
            trace.partEvents.push_back(
                {0, placed.part, PartEvent::Kind::Carried, id, {}, inverse(tcp) * placed.worldFromPart});
        else if (!authored || !samePlace(worldFromPart(there, *authored), placed.worldFromPart))
            trace.partEvents.push_back({0, placed.part, PartEvent::Kind::Lies, {}, {}, placed.worldFromPart});
    }
    for (const Part& part : cell.parts)
        if (!here.contains(part.id)) trace.partEvents.push_back({0, part.id, PartEvent::Kind::Gone, {}, {}, {}});
    const ContactScene scene(there, trace, &cache);

    const std::vector<Coordinate> above = m->axesOf(station.mount);
    const auto ofArm = [&](Body& body, int joints) {
        body.ofArm = true;
        for (int j = joints - 1; j >= 0; --j)
            body.chain.push_back(Coordinate(j));
        body.chain.insert(body.chain.end(), above.begin(), above.end());
    };
    const Tool& tool = toolInForce(cell, station);
    for (size_t i = 0; i < scene.bodies().size(); ++i) {
        Body& body = m->bodies.emplace_back();
        body.own = scene.bodies()[i];
        const std::optional<Pose> at = scene.place(i, 0.5);
        const PartEvent* event = scene.eventOf(i, 0.5);
        if (body.own.ofArm() && body.own.arm == id) {
            const bool link = body.own.kind == SceneBody::Kind::Link;
            body.where = link ? Body::Where::Link : Body::Where::Flange;
            if (body.own.kind == SceneBody::Kind::Jaw)
                body.local = tool.flangeFromTcp * jawPlaces(tool.gripper, state.of(id).gripperOpening)[body.own.number];
            ofArm(body, link ? int(body.own.number) : m->joints());
        } else if (event && event->kind == PartEvent::Kind::Carried) {
            body.where = Body::Where::Flange;
            body.local = flangeFromTcp(cell, station) * event->pose;
            ofArm(body, m->joints());
        } else if (at) {
            body.frame = body.own.ofArm()                          ? findArm(cell, body.own.arm)->mount
                         : body.own.kind == SceneBody::Kind::Frame ? body.own.frame
                         : event                                   ? FrameId()
                                                                   : scene.part(i).frame;
            if (event)
                // What was set down on something that the axes move goes with it.
                for (size_t k = 0; k < i && !body.frame; ++k)
                    if (const Body& under = m->bodies[k];
                        under.own.kind == SceneBody::Kind::Frame && !under.chain.empty()
                        && body.own.shape->nearest(*at, *under.own.shape, *scene.place(k, 0.5), kRestsOn).distance
                               <= kRestsOn)
                        body.frame = under.own.frame;
            body.local = inverse(worldFromFrame(there, body.frame)) * *at;
            body.chain = m->axesOf(body.frame);
            body.where = body.chain.empty() ? Body::Where::Fixed : Body::Where::Frame;
        } else {
            body.own.shape = nullptr;
        }
        if (body.own.shape) {
            body.radius = body.own.shape->ball().radius;
            body.box = body.own.shape->box(Pose{});
        }
        body.moved.resize(size_t(m->start.size()));
        for (const Coordinate c : body.chain)
            body.moved[c] = true;
    }
    const auto counts = [&](const Body& body) {
        return body.own.shape && !options.leftOut.contains(body.own.frame)
               && (options.parts || body.ofArm || body.own.kind != SceneBody::Kind::Part);
    };
    const auto held = [&](const Body& part, const Body& by) {
        return part.ofArm && part.own.kind == SceneBody::Kind::Part && by.ofArm
               && (by.own.kind == SceneBody::Kind::Tool || by.own.kind == SceneBody::Kind::Jaw
                   || by.own.kind == SceneBody::Kind::Part);
    };
    for (const CheckedPair& pair : checkedPairs(scene, 0, &cache)) {
        const Body &a = m->bodies[pair.a], &b = m->bodies[pair.b];
        if (a.moved == b.moved || !counts(a) || !counts(b) || held(a, b) || held(b, a)) continue;
        if (!options.others && !a.ofArm && !b.ofArm) continue;
        const bool first = a.ofArm || (!b.ofArm && !a.chain.empty());
        m->pairs.push_back({std::uint32_t(first ? pair.a : pair.b), std::uint32_t(first ? pair.b : pair.a)});
    }
    m->settle();
}

World World::in(const Cell& moved) const
{
    World out(std::make_unique<Parts>(
        Parts{&moved, m->arm, nullptr, Places(moved), m->axes, m->rest, m->start, m->bodies, m->pairs}));
    out.m->settle();
    return out;
}

Eigen::Index World::size() const { return m->start.size(); }
const World::Coordinates& World::start() const { return m->start; }

World::Coordinates World::at(const JointVector& posture, const AxisValues& axes) const
{
    Coordinates out = m->start;
    out.head(posture.size()) = posture;
    for (size_t i = 0; i < m->axes.size(); ++i)
        for (const AxisValue& own : axes)
            if (own.frame == m->axes[i]) out[posture.size() + Eigen::Index(i)] = own.value;
    return out;
}

JointVector World::posture(const Coordinates& at) const { return at.head(m->joints()); }

AxisValues World::axes(const Coordinates& at) const
{
    AxisValues out;
    for (size_t i = 0; i < m->axes.size(); ++i)
        out.push_back({m->axes[i], at[m->joints() + Eigen::Index(i)]});
    return overlaid(m->rest, out);
}

ContactSide World::side(size_t index) const
{
    const Body& body = m->bodies[index];
    ContactSide out{body.own.member(), body.own.part, {}, body.own.standIn};
    if (out.member) out.name = memberName(*m->cell, *out.member);
    else if (const Part* part = findPart(*m->cell, body.own.part)) out.name = part->name;
    else out.name = "part";
    return out;
}

void World::place(const Coordinates& at, Placed& out) const
{
    const Coordinate joints = m->joints();
    chainFrames(*m->station->model, at.head(joints), out.chain);
    out.base = m->baseMoves ? m->world(m->station->mount, at) : m->base;
    const Pose flange = out.base * makePose(out.chain.flange.rotation, out.chain.flange.origin);
    out.poses.resize(m->bodies.size());
    out.centres.resize(m->bodies.size());
    for (size_t i = 0; i < m->bodies.size(); ++i) {
        const Body& body = m->bodies[i];
        if (!body.own.shape) continue;
        switch (body.where) {
        case Body::Where::Fixed: out.poses[i] = body.fixed; break;
        case Body::Where::Link:
            out.poses[i] = body.own.number == 0 ? out.base
                                                : out.base
                                                      * makePose(out.chain.joints[body.own.number - 1].rotation,
                                                                 out.chain.joints[body.own.number - 1].origin);
            break;
        case Body::Where::Flange: out.poses[i] = flange * body.local; break;
        case Body::Where::Frame: out.poses[i] = m->world(body.frame, at) * body.local; break;
        }
        out.centres[i] = out.poses[i] * body.own.shape->ball().centre;
    }
}

double World::reach(const Pair& pair, const Placed& placed, const Coordinates& by) const
{
    double out = 0;
    for (const auto& [own, other] : {std::pair(pair.a, pair.b), std::pair(pair.b, pair.a)}) {
        const Body &body = m->bodies[own], &against = m->bodies[other];
        double far = 0;
        for (const Coordinate c : body.chain) {
            if (against.moved[c] || by[c] == 0) continue;
            const Placed::Line& line = placed.lines[c];
            const double lever =
                line.slides ? 1 : (placed.centres[own] - line.origin).cross(line.direction).norm() + body.radius + far;
            far += by[c] * lever;
        }
        out += far;
    }
    return out;
}

World::Near World::near(const Pair& pair, const Placed& placed, double upTo) const
{
    const Body &a = m->bodies[pair.a], &b = m->bodies[pair.b];
    const double least = a.radius + b.radius + upTo;
    if ((placed.centres[pair.a] - placed.centres[pair.b]).squaredNorm() > least * least) return {};
    // The ball of each against the box of the other: links are long.
    for (const auto& [boxed, ball] : {std::pair(pair.a, pair.b), std::pair(pair.b, pair.a)}) {
        const Pose& pose = placed.poses[boxed];
        const Vec3 centre = pose.rotation.conjugate() * Vec3(placed.centres[ball] - pose.translation);
        const double most = m->bodies[ball].radius + upTo;
        if (m->bodies[boxed].box.squaredExteriorDistance(centre) > most * most) return {};
    }
    const auto found = a.own.shape->within(placed.poses[pair.a], *b.own.shape, placed.poses[pair.b], upTo);
    return found ? Near{pair.a, pair.b, found->distance, found->onA, found->onB} : Near{};
}

World::Near World::touch(const Coordinates& at) const
{
    Placed placed;
    place(at, placed);
    for (const Pair& pair : m->pairs) {
        // Most pairs end here.
        const double least = m->bodies[pair.a].radius + m->bodies[pair.b].radius + kTouch;
        if ((placed.centres[pair.a] - placed.centres[pair.b]).squaredNorm() > least * least) continue;
        if (const Near found = near(pair, placed, kTouch)) return found;
    }
    return {};
}

World::Near World::nearest(const Coordinates& at, bool itself, double upTo) const
{
    Placed placed;
    place(at, placed);
    // Those whose balls are nearest first, so that most others need no more than their balls.
    std::vector<std::pair<double, const Pair*>> order;
    for (const Pair& pair : m->pairs) {
        const Body &a = m->bodies[pair.a], &b = m->bodies[pair.b];
        if ((a.ofArm && b.ofArm) != itself || (!a.ofArm && !b.ofArm)) continue;
        const double gap = (placed.centres[pair.a] - placed.centres[pair.b]).norm() - a.radius - b.radius;
        if (gap < upTo) order.push_back({gap, &pair});
    }
    std::sort(order.begin(), order.end(), [](const auto& x, const auto& y) {
        return std::tie(x.first, x.second->a, x.second->b) < std::tie(y.first, y.second->a, y.second->b);
    });
    Near best{.distance = upTo};
    for (const auto& [gap, pair] : order) {
        if (gap > best.distance || best.distance <= 0) break;
        if (const Near found = near(*pair, placed, best.distance); found.distance < best.distance) best = found;
    }
    return best;
}

}  // namespace topikos
