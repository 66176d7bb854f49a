#include "core/check/contact_cache.h"

#include "core/shape/arm_bodies.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

std::uint64_t mixed(std::uint64_t x)
{
    // The finalizer of splitmix64.
    x += 0x9e3779b97f4a7c15;
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9;
    x = (x ^ (x >> 27)) * 0x94d049bb133111eb;
    return x ^ (x >> 31);
}

constexpr double kSame = 1e9;         // numbers count to one part of this
constexpr size_t kMostSolids = 2000;  // shapes that are remembered
constexpr size_t kMostPairLists = 200;

}  // namespace

void Digest::add(std::uint64_t word)
{
    m_a = mixed(m_a ^ word);
    m_b = mixed(m_b + 0x9e3779b97f4a7c15 * (word ^ (m_a >> 7)));
}

void Digest::add(double value)
{
    const double scaled = value * kSame;
    if (std::abs(scaled) < 9e18) add(std::uint64_t(std::llround(scaled)));
    else add(std::uint64_t(std::isnan(value) ? 1 : value > 0 ? 2 : 3));
}

void Digest::add(const Pose& pose)
{
    for (int i = 0; i < 3; ++i)
        add(pose.translation[i]);
    // Opposite quaternions are the same turn.
    const auto& q = pose.rotation;
    for (const double v : {q.w(), q.x(), q.y(), q.z()})
        add(q.w() < 0 ? -v : v);
}

KnownShape ContactCache::shapeOf(const std::vector<Solid>& solids)
{
    const std::lock_guard lock(m_mutex);
    const auto known =
        std::find_if(m_solids.begin(), m_solids.end(), [&](const OwnSolids& own) { return own.solids == solids; });
    if (known != m_solids.end()) return known->shape;
    KnownShape shape{m_next++};
    if (ContactBody body = ContactBody::of(solids); !body.empty())
        shape.body = std::make_shared<const ContactBody>(std::move(body));
    if (m_solids.size() >= kMostSolids) m_solids.erase(m_solids.begin(), m_solids.begin() + kMostSolids / 2);
    m_solids.push_back({solids, shape});
    return shape;
}

std::vector<KnownShape> ContactCache::linksOf(const ArmPtr& arm, double padding)
{
    const std::lock_guard lock(m_mutex);
    const auto known = std::find_if(m_links.begin(), m_links.end(),
                                    [&](const OwnLinks& own) { return own.arm == arm && own.padding == padding; });
    if (known != m_links.end()) return known->shapes;
    OwnLinks own{arm, padding, {}};
    for (LinkShape& link : armShapes(*arm)) {
        if (link.standIn)
            for (Convex& piece : link.pieces)
                piece.margin += padding;
        KnownShape& shape = own.shapes.emplace_back(KnownShape{m_next++, nullptr, link.standIn});
        if (ContactBody body(link.pieces, link.surfaces); !body.empty())
            shape.body = std::make_shared<const ContactBody>(std::move(body));
    }
    constexpr size_t most = 40;
    if (m_links.size() >= most) m_links.erase(m_links.begin());
    m_links.push_back(own);
    return own.shapes;
}

ContactCache::Meetings ContactCache::find(const Digest& key)
{
    const std::lock_guard lock(m_mutex);
    ++m_counts.asked;
    if (const auto known = m_young.find(key); known != m_young.end()) {
        ++m_counts.found;
        return known->second.meetings;
    }
    const auto known = m_old.find(key);
    if (known == m_old.end()) return nullptr;
    ++m_counts.found;
    const Meetings meetings = known->second.meetings;
    m_young.emplace(key, std::move(known->second));
    m_old.erase(known);
    return meetings;
}

void ContactCache::keep(const Digest& key, Meetings meetings, std::vector<std::shared_ptr<const void>> keeps)
{
    const std::lock_guard lock(m_mutex);
    m_young[key] = {std::move(meetings), std::move(keeps)};
    if (m_young.size() < m_most) return;
    m_old = std::move(m_young);
    m_young.clear();
}

ContactCache::Counts ContactCache::counts()
{
    const std::lock_guard lock(m_mutex);
    return m_counts;
}

ContactCache::Pairs ContactCache::findPairs(const Digest& key)
{
    const std::lock_guard lock(m_mutex);
    const auto known = m_pairs.find(key);
    return known == m_pairs.end() ? nullptr : known->second;
}

void ContactCache::keepPairs(const Digest& key, Pairs pairs)
{
    const std::lock_guard lock(m_mutex);
    if (m_pairs.size() >= kMostPairLists) m_pairs.clear();
    m_pairs[key] = std::move(pairs);
}

}  // namespace topikos
