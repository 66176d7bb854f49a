#pragma once
#include "core/contact/bodies.h"
#include "core/robot/arm.h"
#include "core/spatial/digest.h"

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <unordered_map>

namespace topikos {

/// A shape that is known by what it is made of; two with the same number are the same.
struct KnownShape {
    std::uint64_t number = 0;
    std::shared_ptr<const ContactBody> body{};  ///< null for no shape
    bool standIn = false;                       ///< made from the kinematics of an arm
};

/// What two bodies do in a window of a run, at times since it begins.
struct Meeting {
    std::uint32_t a = 0, b = 0;            ///< by number in the scene
    double from = 0, time = 0, until = 0;  ///< stretch, and when contact begins or they are nearest [s]
    Nearest nearest{};                     ///< then
    bool contact = false;
    double parts = 0;  ///< contact: its end [s]
    double depth = 0;  ///< see ContactBody::depth [m]
};

/// Remembers values by digest: the newest `most` of them at least, twice that many at most.
template <class T> class Kept {
public:
    explicit Kept(size_t most) : m_most(most) {}
    const T* find(const Digest& key)
    {
        if (const auto known = m_young.find(key); known != m_young.end()) return &known->second;
        const auto known = m_old.find(key);
        if (known == m_old.end()) return nullptr;
        const T& moved = m_young.emplace(key, std::move(known->second)).first->second;
        m_old.erase(known);
        return &moved;
    }
    void keep(const Digest& key, T value)
    {
        if (m_young.size() >= m_most) {
            m_old = std::move(m_young);
            m_young.clear();
        }
        m_young[key] = std::move(value);
    }

private:
    size_t m_most;
    std::unordered_map<Digest, T, Digest::Hash> m_young, m_old;
};

/// Remembers shapes, and what happens to pairs of bodies in windows of runs, by all that decides it. Safe to use from
/// several threads.
class ContactCache {
public:
    KnownShape shapeOf(const std::vector<Solid>& solids);
    /// Base and links of an arm, those made from its kinematics with so much around them [m].
    std::vector<KnownShape> linksOf(const ArmPtr& arm, double padding);

    /// What becomes of a pair in a window, by whose numbers does not count; null: it does not meet.
    using Met = std::shared_ptr<const Meeting>;
    std::optional<Met> findMet(const Digest& pair);
    void keepMet(const Digest& pair, Met met);
    /// A box that a body does not leave in a window.
    std::optional<Eigen::AlignedBox3d> findBox(const Digest& body);
    void keepBox(const Digest& body, const Eigen::AlignedBox3d& box);

    struct Counts {
        std::uint64_t asked = 0, found = 0;            ///< boxes of bodies that move
        std::uint64_t pairsAsked = 0, pairsFound = 0;  ///< near pairs; equal ones of one check are asked for once
    };
    Counts counts();

    /// Pairs of a scene that are looked at, by what decides them: numbers of bodies, two and two.
    using Pairs = std::shared_ptr<const std::vector<std::uint32_t>>;
    Pairs findPairs(const Digest& scene);
    void keepPairs(const Digest& scene, Pairs pairs);

    /// Of a cell that is no longer looked at.
    void forget();

private:
    struct OwnSolids {
        std::vector<Solid> solids;
        KnownShape shape;
    };
    struct OwnLinks {
        ArmPtr arm;
        double padding;
        std::vector<KnownShape> shapes;
        size_t bytes;
    };
    std::mutex m_mutex;
    Counts m_counts;
    std::uint64_t m_next = 1;
    std::unordered_multimap<std::uint64_t, OwnSolids> m_solids;  ///< by a digest of their sizes
    size_t m_solidBytes = 0;
    std::vector<OwnLinks> m_links;
    size_t m_linkBytes = 0;
    static constexpr size_t kPairs = 300000, kBoxes = 150000, kPairLists = 200;
    Kept<Met> m_met{kPairs};
    Kept<Eigen::AlignedBox3d> m_boxes{kBoxes};
    Kept<Pairs> m_pairs{kPairLists};
};

}  // namespace topikos
