#include "core/collide/checked_pairs.h"

#include "core/collide/pairs.h"

#include <algorithm>
#include <map>
#include <random>
#include <set>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

/// Pairs of bodies that stand on the same place that touch in every posture that is tried: they are built that way.
std::set<std::pair<size_t, size_t>> alwaysTouching(const CellBodies& bodies)
{
    constexpr int postures = 24;
    const Cell& cell = bodies.cell();
    std::set<std::pair<size_t, size_t>> out;
    for (const ArmStation& arm : cell.arms) {
        std::vector<size_t> own, around;
        for (size_t i = 0; i < bodies.size(); ++i) {
            if (bodies[i].ofArm() && bodies[i].arm == arm.id) own.push_back(i);
            if (bodies[i].kind == Kind::Frame && axesBetween(cell, bodies[i].frame, arm.mount).empty())
                around.push_back(i);
        }
        std::vector<std::pair<size_t, size_t>> left;
        for (size_t i = 0; i < own.size(); ++i) {
            for (size_t k = i + 1; k < own.size(); ++k)
                if (!neighbours(cell, *bodies[own[i]].member(), *bodies[own[k]].member()))
                    left.push_back({own[i], own[k]});
            for (const size_t frame : around)
                if (!(bodies[own[i]].kind == Kind::Link && bodies[own[i]].number == 0)) left.push_back({own[i], frame});
        }
        std::mt19937_64 random(1);
        const Pose base = worldFromBase(cell, arm);
        const Tool& tool = toolInForce(cell, arm);
        for (int n = 0; n < postures && !left.empty(); ++n) {
            JointVector q(arm.model->jointCount());
            for (int j = 0; j < arm.model->jointCount(); ++j) {
                const Joint& joint = arm.model->joints()[size_t(j)];
                q[j] = joint.lower + (joint.upper - joint.lower) * double(random() >> 11) * 0x1p-53;
            }
            ChainFrames chain;
            chainFrames(*arm.model, q, chain);
            const auto place = [&](size_t i) {
                const SceneBody& body = bodies[i];
                if (body.kind == Kind::Frame) return worldFromFrame(cell, body.frame);
                return placeOnArm(body, tool, base, chain, tool.gripper.open);
            };
            std::erase_if(left, [&](const auto& pair) {
                return !bodies[pair.first].shape->touches(place(pair.first), *bodies[pair.second].shape,
                                                          place(pair.second));
            });
        }
        out.insert(left.begin(), left.end());
    }
    return out;
}

/// Pairs without parts by what they are, whatever the table says of their clearance.
std::vector<std::uint32_t> pairsOf(const CellBodies& bodies, const AxisValues& first)
{
    const Cell& cell = bodies.cell();
    std::map<std::pair<ContactMember, ContactMember>, bool> table;
    for (const ContactPair& p : cell.contact.pairs) {
        table[{p.a, p.b}] = p.checked;
        table[{p.b, p.a}] = p.checked;
    }
    const std::set<std::pair<size_t, size_t>> built = alwaysTouching(bodies);
    // Frames that touch before anything has moved are built that way.
    const auto placeAtFirst = [&](size_t i) {
        return bodies.places().world(bodies[i].frame, [&](const Frame& f) { return axisValue(f, first); });
    };
    const auto touchAtFirst = [&](size_t i, size_t k) {
        return bodies[i].shape->nearest(placeAtFirst(i), *bodies[k].shape, placeAtFirst(k), kTouch).distance <= kTouch;
    };
    std::vector<size_t> members, moving;
    for (size_t i = 0; i < bodies.size(); ++i) {
        if (bodies[i].kind == Kind::Part) continue;
        members.push_back(i);
        if (bodies.moves(i)) moving.push_back(i);
    }
    std::vector<std::uint32_t> out;
    const auto add = [&](size_t i, size_t k) { out.insert(out.end(), {std::uint32_t(i), std::uint32_t(k)}); };
    for (const size_t i : members)
        // With those behind it, of which one of the two moves.
        for (const size_t k : bodies.moves(i) ? members : moving) {
            if (k <= i) continue;
            const SceneBody &a = bodies[i], &b = bodies[k];
            const auto own = a.member(), other = b.member();
            if (own && other) {
                if (own == other) continue;
                if (const auto known = table.find({*own, *other}); known != table.end()) {
                    if (known->second) add(i, k);
                    continue;
                }
            }
            if ((own && other && neighbours(cell, *own, *other)) || built.contains({i, k}) || built.contains({k, i}))
                continue;
            const bool frames = a.kind == Kind::Frame && b.kind == Kind::Frame;
            const bool still = frames && (axesBetween(cell, a.frame, b.frame).empty() || touchAtFirst(i, k));
            // The base of an arm and what carries it, or stands beside it for good.
            const FrameId mount = a.kind == Kind::Link && a.number == 0 ? findArm(cell, a.arm)->mount : FrameId();
            const bool base = mount && b.kind == Kind::Frame
                              && (isBelow(cell, mount, b.frame) || axesBetween(cell, mount, b.frame).empty());
            if (!still && !base) add(i, k);
        }
    return out;
}

/// Everything of a run that decides its pairs.
Digest pairsKey(const CellBodies& bodies, const AxisValues& first)
{
    Digest key;
    const Cell& cell = bodies.cell();
    for (size_t i = 0; i < bodies.size(); ++i) {
        const SceneBody& body = bodies[i];
        if (body.kind == Kind::Part) continue;
        key.add(std::uint64_t(body.kind) << 32 | body.number);
        key.add(std::uint64_t(body.arm.value) << 32 | body.frame.value);
        key.add(body.shapeNumber);
        key.add(std::uint64_t(bodies.moves(i)));
    }
    for (const ArmStation& arm : cell.arms) {
        key.add(arm.model->number());
        key.add(std::uint64_t(arm.id.value) << 32 | arm.mount.value);
        const Tool& tool = toolInForce(cell, arm);
        key.add(tool.flangeFromTcp);
        key.add(std::uint64_t(tool.gripper.kind));
        key.add(tool.gripper.pivot);
        key.add(tool.gripper.open);
    }
    for (const Frame& frame : cell.frames) {
        key.add(std::uint64_t(frame.id.value) << 32 | frame.parent.value);
        key.add(placeInForce(cell, frame));
        key.add(std::uint64_t(frame.axis.has_value()));
        if (!frame.axis) continue;
        key.add(std::uint64_t(frame.axis->kind));
        for (const double v : {frame.axis->direction[0], frame.axis->direction[1], frame.axis->direction[2]})
            key.add(v);
        key.add(axisValue(frame, first));
    }
    for (const ContactPair& p : cell.contact.pairs) {
        for (const ContactMember& m : {p.a, p.b}) {
            key.add(std::uint64_t(m.arm.value) << 32 | m.id);
            key.add(std::uint64_t(m.kind));
        }
        key.add(std::uint64_t(p.checked));
    }
    return key;
}

}  // namespace

CheckedBodies::CheckedBodies(const CellBodies& bodies, const AxisValues& first, double caution, ContactCache* cache) :
    m_bodies(bodies), m_caution(caution), m_largest(caution)
{
    const Cell& cell = bodies.cell();
    const Digest key = cache ? pairsKey(bodies, first) : Digest();
    ContactCache::Pairs known = cache ? cache->findPairs(key) : nullptr;
    if (!known) {
        known = std::make_shared<const std::vector<std::uint32_t>>(pairsOf(bodies, first));
        if (cache) cache->keepPairs(key, known);
    }
    std::map<std::pair<ContactMember, ContactMember>, double> own;
    for (const ContactPair& p : cell.contact.pairs)
        if (p.caution) own[{p.a, p.b}] = own[{p.b, p.a}] = *p.caution;
    for (size_t i = 0; i < known->size(); i += 2) {
        const std::uint32_t a = (*known)[i], b = (*known)[i + 1];
        double& wanted = m_members[std::uint64_t(a) << 32 | b] = caution;
        if (own.empty()) continue;
        if (const auto found = own.find({*bodies[a].member(), *bodies[b].member()}); found != own.end())
            wanted = found->second;
        m_largest = std::max(m_largest, wanted);
    }
}

std::optional<CheckedPair> CheckedBodies::pair(size_t a, size_t b) const
{
    const bool partA = m_bodies[a].kind == Kind::Part, partB = m_bodies[b].kind == Kind::Part;
    if (!partA && !partB) {
        const auto known = m_members.find(std::uint64_t(a) << 32 | b);
        return known == m_members.end() ? std::nullopt : std::optional(CheckedPair{a, b, known->second});
    }
    // Belts see to what rides on them; parts that arms carry are another thing.
    if (partA && partB && !m_bodies.isCarried(a) && !m_bodies.isCarried(b)) return std::nullopt;
    return m_bodies.moves(a) || m_bodies.moves(b) ? std::optional(CheckedPair{a, b, m_caution}) : std::nullopt;
}

std::vector<CheckedPair> CheckedBodies::all() const
{
    std::vector<CheckedPair> out;
    for (size_t a = 0; a < m_bodies.size(); ++a)
        for (size_t b = a + 1; b < m_bodies.size(); ++b)
            if (const auto own = pair(a, b)) out.push_back(*own);
    return out;
}

}  // namespace topikos
