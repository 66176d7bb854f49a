#include "core/collide/cache.h"

#include "core/shape/arm_bodies.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr size_t kMostSolids = 2000;              // shapes that are remembered,
constexpr size_t kMostArms = 40;                  // with their links
constexpr size_t kMostBytes = size_t(128) << 20;  // and what they take, about
constexpr size_t kPerTriangle = 200;              // with the tree of boxes around them

}  // namespace

KnownShape ContactCache::shapeOf(const std::vector<Solid>& solids)
{
    Digest key;
    for (const Solid& solid : solids) {
        key.add(std::uint64_t(solid.kind));
        for (int i = 0; i < 3; ++i)
            key.add(solid.size[i]);
        key.add(solid.pose);
    }
    const std::lock_guard lock(m_mutex);
    const auto [first, last] = m_solids.equal_range(key.low());
    const auto known = std::find_if(first, last, [&](const auto& own) { return own.second.solids == solids; });
    if (known != last) return known->second.shape;
    KnownShape shape{m_next++};
    if (ContactBody body = ContactBody::of(solids); !body.empty())
        shape.body = std::make_shared<const ContactBody>(std::move(body));
    size_t bytes = solids.capacity() * sizeof(Solid);
    for (const Solid& solid : solids)
        if (solid.surface.light) bytes += solid.surface.light->faces.size() * kPerTriangle;
    if (m_solids.size() >= kMostSolids || m_solidBytes + bytes > kMostBytes) {
        m_solids.clear();
        m_solidBytes = 0;
    }
    m_solidBytes += bytes;
    m_solids.emplace(key.low(), OwnSolids{solids, shape});
    return shape;
}

std::vector<KnownShape> ContactCache::linksOf(const ArmPtr& arm, double padding)
{
    const std::lock_guard lock(m_mutex);
    const auto known = std::find_if(m_links.begin(), m_links.end(),
                                    [&](const OwnLinks& own) { return own.arm == arm && own.padding == padding; });
    if (known != m_links.end()) return known->shapes;
    OwnLinks own{arm, padding, {}, 0};
    for (LinkShape& link : armShapes(*arm)) {
        for (const PlacedSurface& surface : link.surfaces)
            own.bytes += surface.triangles->faces.size() * kPerTriangle;
        if (link.standIn)
            for (Convex& piece : link.pieces)
                piece.margin += padding;
        KnownShape& shape = own.shapes.emplace_back(KnownShape{m_next++, nullptr, link.standIn});
        if (ContactBody body(link.pieces, link.surfaces); !body.empty())
            shape.body = std::make_shared<const ContactBody>(std::move(body));
    }
    m_linkBytes += own.bytes;
    while (!m_links.empty() && (m_links.size() >= kMostArms || m_linkBytes > kMostBytes)) {
        m_linkBytes -= m_links.front().bytes;
        m_links.erase(m_links.begin());
    }
    m_links.push_back(own);
    return own.shapes;
}

std::optional<ContactCache::Met> ContactCache::findMet(const Digest& pair)
{
    const std::lock_guard lock(m_mutex);
    const auto* known = m_met.find(pair);
    if (known) {
        ++m_counts.pairsAsked;
        ++m_counts.pairsFound;
    }
    return known ? std::optional(*known) : std::nullopt;
}

void ContactCache::keepMet(const Digest& pair, Met met)
{
    const std::lock_guard lock(m_mutex);
    ++m_counts.pairsAsked;
    m_met.keep(pair, std::move(met));
}

std::optional<Eigen::AlignedBox3d> ContactCache::findBox(const Digest& body)
{
    const std::lock_guard lock(m_mutex);
    const auto* known = m_boxes.find(body);
    ++m_counts.asked;
    if (known) ++m_counts.found;
    return known ? std::optional(*known) : std::nullopt;
}

void ContactCache::keepBox(const Digest& body, const Eigen::AlignedBox3d& box)
{
    const std::lock_guard lock(m_mutex);
    m_boxes.keep(body, box);
}

ContactCache::Counts ContactCache::counts()
{
    const std::lock_guard lock(m_mutex);
    return m_counts;
}

ContactCache::Pairs ContactCache::findPairs(const Digest& scene)
{
    const std::lock_guard lock(m_mutex);
    const auto* known = m_pairs.find(scene);
    return known ? *known : nullptr;
}

void ContactCache::keepPairs(const Digest& scene, Pairs pairs)
{
    const std::lock_guard lock(m_mutex);
    m_pairs.keep(scene, std::move(pairs));
}

void ContactCache::forget()
{
    const std::lock_guard lock(m_mutex);
    m_solids.clear();
    m_solidBytes = 0;
    m_links.clear();
    m_linkBytes = 0;
    m_met = Kept<Met>{kPairs};
    m_boxes = Kept<Eigen::AlignedBox3d>{kBoxes};
    m_pairs = Kept<Pairs>{kPairLists};
}

}  // namespace topikos
