#include "core/collide/world_parts.h"

#include <cmath>

namespace topikos {

namespace {

constexpr double kInContact = 1e-3;  // looks at what touches from the beginning on are so far apart [m]
constexpr int kMostLooksOut = 4000;  // for it to come out

}  // namespace

/// A straight way that is gone through.
class World::Way {
public:
    Way(const World& world, const Coordinates& from, const Coordinates& to) :
        m_world(world), m_parts(*world.m), m_from(from), m_way(to - from), m_change(m_way.cwiseAbs())
    {
    }

    Edge run(double gap)
    {
        place(0);
        const Placed begin = m_placed;
        std::vector<Pair> all;
        std::vector<std::pair<Pair, double>> late;  // those that are left first, and from when on they are looked at
        for (const Pair& pair : m_parts.pairs) {
            if (m_world.reach(pair, begin, m_change) == 0) continue;
            if (m_world.near(pair, begin, kTouch + 2 * kFinestEdge).distance > kTouch + 2 * kFinestEdge)
                all.push_back(pair);
            else if (const auto apart = leaves(pair, begin)) late.push_back({pair, *apart});
            else meet(0, 0, pair);
        }
        prove(0, 1, all);
        for (const auto& [pair, from] : late)
            prove(from, 1, {pair});
        if (m_out.free) return m_out;
        return leave(gap);
    }

private:
    void place(double fraction)
    {
        ++m_out.looks;
        const Coordinates at = m_from + fraction * m_way;
        m_world.place(at, m_placed);
        // The axes that coordinates turn about or slide along.
        m_placed.lines.resize(size_t(at.size()));
        const Coordinate joints = m_parts.joints();
        for (size_t j = 0; j < joints; ++j) {
            const AxisFrame& axis = m_placed.chain.joints[j];
            m_placed.lines[j] = {m_placed.base * axis.origin, m_placed.base.rotation * Vec3(axis.rotation.col(2)),
                                 m_parts.station->model->joints()[j].kind == JointKind::Prismatic};
        }
        for (size_t i = 0; i < m_parts.axes.size(); ++i) {
            const Frame& frame = m_parts.places.frame(m_parts.axes[i]);
            const Pose pose = m_parts.world(frame.id, at);
            m_placed.lines[joints + i] = {pose.translation, pose.rotation * frame.axis->direction,
                                          frame.axis->kind == JointKind::Prismatic};
        }
    }
    /// Free up to a fraction; between there and a later one the two come too near.
    void meet(double at, double by, const Pair& pair)
    {
        if (!m_out.free && at >= m_out.until) return;
        m_out.free = false;
        m_out.until = at;
        m_by = by;
        m_met = pair;
    }
    double depth(const Pair& pair) const
    {
        return m_parts.bodies[pair.a].own.shape->depth(m_placed.poses[pair.a], *m_parts.bodies[pair.b].own.shape,
                                                       m_placed.poses[pair.b]);
    }
    /// From where on two that touch, or all but touch, at the beginning are apart; nothing when they go into each
    /// other.
    std::optional<double> leaves(const Pair& pair, const Placed& begin)
    {
        m_placed = begin;
        const double deep = depth(pair), reach = m_world.reach(pair, begin, m_change);
        double fraction = 0, distance = m_world.near(pair, begin, kTouch).distance;
        const bool touches = distance <= kTouch;
        for (int n = 0; n < kMostLooksOut; ++n) {
            fraction += std::min(1.0, (distance <= kTouch ? kInContact : kFinestEdge) / reach);
            place(std::min(fraction, 1.0));
            distance = m_world.near(pair, m_placed, kTouch + 2 * kFinestEdge).distance;
            if (distance <= kTouch && (!touches || depth(pair) > deep + 1e-6)) return std::nullopt;
            if (distance > kTouch + 2 * kFinestEdge || fraction >= 1) return std::min(fraction, 1.0);
        }
        return std::nullopt;
    }
    /// Goes through the pieces of a stretch, those before first, until something is met.
    void prove(double from, double to, const std::vector<Pair>& pairs)
    {
        if (to - from <= 0 || pairs.empty() || (!m_out.free && from >= m_out.until)) return;
        const double middle = 0.5 * (from + to);
        place(middle);
        const Coordinates by = 0.5 * (to - from) * m_change;
        std::vector<Pair> left;
        double most = 0, nearest = INFINITY;
        const Pair* next = nullptr;
        for (const Pair& pair : pairs) {
            const double reach = m_world.reach(pair, m_placed, by), need = kTouch + reach;
            const double distance = m_world.near(pair, m_placed, need).distance;
            if (distance > need) continue;
            left.push_back(pair);
            most = std::max(most, reach);
            if (distance - reach < nearest) {
                nearest = distance - reach;
                next = &pair;
            }
        }
        if (left.empty()) return;
        if (most <= kFinestEdge) return meet(from, to, *next);
        prove(from, middle, left);
        prove(middle, to, left);
    }
    /// Goes back from what is met until the gap is left, and tells what is between the two there.
    Edge leave(double gap)
    {
        const double least = std::max(gap, kTouch);
        const auto apart = [&](double fraction) {
            place(fraction);
            return m_world.near(*m_met, m_placed, INFINITY).distance > least;
        };
        double free = m_out.until, touch = m_by;
        for (double back = 1e-4; free > 0 && !apart(free); back *= 2) {
            touch = free;
            free = std::max(0.0, m_out.until - back);
        }
        for (int n = 0; n < 40 && touch - free > 1e-7; ++n) {
            const double middle = 0.5 * (free + touch);
            (apart(middle) ? free : touch) = middle;
        }
        m_out.until = free;
        place(free);
        m_out.met = m_world.near(*m_met, m_placed, INFINITY);
        return m_out;
    }

    const World& m_world;
    const Parts& m_parts;
    Coordinates m_from, m_way, m_change;
    Placed m_placed;
    std::optional<Pair> m_met;
    double m_by = 0;  // it is met
    Edge m_out;
};

World::Edge World::edge(const Coordinates& from, const Coordinates& to, double gap) const
{
    return Way(*this, from, to).run(gap);
}

}  // namespace topikos
