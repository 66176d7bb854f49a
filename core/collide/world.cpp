#include "core/collide/world_parts.h"

#include "core/collide/pairs.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace topikos {

namespace {

constexpr double kRestsOn = 1e-3;  // what is nearer to a body lies on it [m]

bool samePlace(const Pose& a, const Pose& b)
{
    const PoseDeviation off = deviation(a, b);
    return off.metres < 1e-9 && off.radians < 1e-9;
}

}  // namespace

World::World(std::unique_ptr<Parts> parts) : m(std::move(parts)) {}
World::~World() = default;
World::World(World&&) noexcept = default;

World::World(const Cell& cell, const CellState& state, ArmId id, ContactCache& cache, WorldOptions options) :
    m(new Parts{&cell, id, findArm(cell, id), Places(cell), {}, std::move(options.axes), state.axes, {}, {}, {}})
{
    const ArmStation& station = *m->station;
    const JointVector& posture = state.of(id).posture;
    m->start.resize(posture.size() + Eigen::Index(m->axes.size()));
    m->start.head(posture.size()) = posture;
    for (size_t i = 0; i < m->axes.size(); ++i)
        m->start[posture.size() + Eigen::Index(i)] = axisValue(*findFrame(cell, m->axes[i]), state.axes);

    // Where parts are, and which of them are elsewhere than the cell says.
    Movers movers{{}, {m->axes.begin(), m->axes.end()}, {}, {options.carried.begin(), options.carried.end()}};
    for (const ArmStation& arm : cell.arms)
        movers.arms.insert(arm.id);
    std::map<PartId, const PlacedPart*> placed;
    for (const PlacedPart& part : state.parts) {
        placed[part.part] = &part;
        const Part* authored = findPart(cell, part.part);
        if (!authored)
            m->made.push_back({.id = part.part, .name = findPartKind(cell, part.kind)->name, .kind = part.kind});
        if (!authored || movers.carried.contains(part.part)
            || !samePlace(worldFromPart(cell, *authored, state.axes), part.worldFromPart))
            movers.parts.insert(part.part);
    }
    for (const Part& part : cell.parts)
        if (!placed.contains(part.id)) movers.parts.insert(part.id);
    const CellBodies bodies(cell, movers, m->made, cache);
    const auto world = [&](FrameId frame) {
        return m->places.world(frame, [&](const Frame& f) { return axisValue(f, state.axes); });
    };
    std::vector<ChainFrames> chains(cell.arms.size());
    std::vector<Pose> bases;
    for (size_t i = 0; i < cell.arms.size(); ++i) {
        chainFrames(*cell.arms[i].model, state.of(cell.arms[i].id).posture, chains[i]);
        bases.push_back(world(cell.arms[i].mount));
    }
    const auto place = [&](const SceneBody& body) -> std::optional<Pose> {
        if (body.kind == SceneBody::Kind::Frame) return world(body.frame);
        if (body.kind == SceneBody::Kind::Part) {
            const auto own = placed.find(body.part);
            return own == placed.end() ? std::nullopt : std::optional(own->second->worldFromPart);
        }
        const size_t arm = *cell.arms.placeOf(body.arm);
        return placeOnArm(body, toolInForce(cell, cell.arms[arm]), bases[arm], chains[arm],
                          state.of(body.arm).gripperOpening);
    };
    const size_t ownNumber = *cell.arms.placeOf(id);
    const Pose flange = flangePlace(bases[ownNumber], chains[ownNumber]);

    const std::vector<Coordinate> above = m->axesOf(station.mount);
    const auto ofArm = [&](Body& body, int joints) {
        body.ofArm = true;
        for (int j = joints - 1; j >= 0; --j)
            body.chain.push_back(Coordinate(j));
        body.chain.insert(body.chain.end(), above.begin(), above.end());
    };
    const Tool& tool = toolInForce(cell, station);
    for (size_t i = 0; i < bodies.size(); ++i) {
        Body& body = m->bodies.emplace_back();
        body.own = bodies[i];
        const std::optional<Pose> at = place(body.own);
        if (body.own.ofArm() && body.own.arm == id) {
            const bool link = body.own.kind == SceneBody::Kind::Link;
            body.where = link ? Body::Where::Link : Body::Where::Flange;
            if (body.own.kind == SceneBody::Kind::Jaw)
                body.local = tool.flangeFromTcp * jawPlaces(tool.gripper, state.of(id).gripperOpening)[body.own.number];
            ofArm(body, link ? int(body.own.number) : m->joints());
        } else if (at && movers.carried.contains(body.own.part)) {
            body.where = Body::Where::Flange;
            body.local = inverse(flange) * *at;
            ofArm(body, m->joints());
        } else if (at) {
            const bool elsewhere = movers.parts.contains(body.own.part);
            body.frame = body.own.ofArm()                          ? findArm(cell, body.own.arm)->mount
                         : body.own.kind == SceneBody::Kind::Frame ? body.own.frame
                         : elsewhere                               ? FrameId()
                                                                   : bodies.part(i).frame;
            if (elsewhere)
                // What was set down on something that the axes move goes with it.
                for (size_t k = 0; k < i && !body.frame; ++k)
                    if (const Body& under = m->bodies[k];
                        under.own.kind == SceneBody::Kind::Frame && !under.chain.empty()
                        && body.own.shape->nearest(*at, *under.own.shape, *place(under.own), kRestsOn).distance
                               <= kRestsOn)
                        body.frame = under.own.frame;
            body.local = inverse(world(body.frame)) * *at;
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
    for (const CheckedPair& pair : checkedPairs(bodies, state.axes, 0, &cache)) {
        const Body &a = m->bodies[pair.a], &b = m->bodies[pair.b];
        if (a.moved == b.moved || !counts(a) || !counts(b) || held(a, b) || held(b, a)) continue;
        if (!options.others && !a.ofArm && !b.ofArm) continue;
        const bool first = a.ofArm || (!b.ofArm && !a.chain.empty());
        m->pairs.push_back(
            {std::uint32_t(first ? pair.a : pair.b), std::uint32_t(first ? pair.b : pair.a), a.radius + b.radius});
    }
    m->settle();
}

World World::in(const Cell& moved) const
{
    World out(std::make_unique<Parts>(
        Parts{&moved, m->arm, nullptr, Places(moved), m->made, m->axes, m->rest, m->start, m->bodies, m->pairs}));
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
    const SceneBody& own = m->bodies[index].own;
    const Part* part = findPart(*m->cell, own.part);
    for (const Part& made : m->made)
        if (made.id == own.part) part = &made;
    return sideOf(*m->cell, own, part);
}

void World::place(const Coordinates& at, Placed& out) const
{
    const Coordinate joints = m->joints();
    chainFrames(*m->station->model, at.head(joints), out.chain);
    out.base = m->baseMoves ? m->world(m->station->mount, at) : m->base;
    const Pose flange = flangePlace(out.base, out.chain);
    if (out.world != m->number) {
        out.world = m->number;
        out.poses = m->poses;
        out.centres = m->centres;
    }
    for (const std::uint32_t i : m->moving) {
        const Body& body = m->bodies[i];
        switch (body.where) {
        case Body::Where::Fixed: break;
        case Body::Where::Link: out.poses[i] = linkPlace(out.base, out.chain, body.own.number); break;
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
    const double least = pair.radii + upTo;
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
    thread_local Placed placed;
    place(at, placed);
    for (const Pair& pair : m->pairs) {
        // Most pairs end here.
        const double least = pair.radii + kTouch;
        if ((placed.centres[pair.a] - placed.centres[pair.b]).squaredNorm() > least * least) continue;
        if (const Near found = near(pair, placed, kTouch)) return found;
    }
    return {};
}

World::Near World::nearest(const Coordinates& at, bool itself, double upTo) const
{
    Placed placed;
    place(at, placed);
    std::vector<ApartPair<Pair>> order;
    for (const Pair& pair : m->pairs) {
        const Body &a = m->bodies[pair.a], &b = m->bodies[pair.b];
        if ((a.ofArm && b.ofArm) != itself || (!a.ofArm && !b.ofArm)) continue;
        const double gap = (placed.centres[pair.a] - placed.centres[pair.b]).norm() - pair.radii;
        if (gap < upTo) order.push_back({gap, &pair});
    }
    return nearestOf<Near>(order, upTo, [&](const Pair& pair, double least) { return near(pair, placed, least); });
}

}  // namespace topikos
