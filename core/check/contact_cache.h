#pragma once
#include "core/contact/bodies.h"
#include "core/robot/arm.h"

#include <cstdint>
#include <memory>
#include <mutex>
#include <unordered_map>

namespace topikos {

/// What decides a result, as 128 bits. Numbers count to a thousand millionth, so that the same motion at another time
/// of a run is the same.
class Digest {
public:
    void add(std::uint64_t word);
    void add(double value);
    void add(const Pose& pose);
    void add(const void* address) { add(std::uint64_t(reinterpret_cast<std::uintptr_t>(address))); }
    auto operator<=>(const Digest&) const = default;
    std::uint64_t low() const { return m_a; }

private:
    std::uint64_t m_a = 0x243f6a8885a308d3, m_b = 0x13198a2e03707344;
};

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
    double depth = 0;  ///< see ContactBody::depth [m]
};

/// Remembers shapes, and what happens in windows of runs by all that decides it. Safe to use from several threads.
class ContactCache {
public:
    explicit ContactCache(size_t most = 30000) : m_most(most) {}

    KnownShape shapeOf(const std::vector<Solid>& solids);
    /// Base and links of an arm, those made from its kinematics with so much around them [m].
    std::vector<KnownShape> linksOf(const ArmPtr& arm, double padding);

    using Meetings = std::shared_ptr<const std::vector<Meeting>>;
    /// nullptr where nothing is known.
    Meetings find(const Digest& key);
    /// `keeps`: what the key has the address of, so that it is not used again.
    void keep(const Digest& key, Meetings meetings, std::vector<std::shared_ptr<const void>> keeps);
    struct Counts {
        std::uint64_t asked = 0, found = 0;  ///< windows
    };
    Counts counts();

    /// Pairs of a scene that are looked at, by what decides them: numbers of bodies, two and two.
    using Pairs = std::shared_ptr<const std::vector<std::uint32_t>>;
    Pairs findPairs(const Digest& key);
    void keepPairs(const Digest& key, Pairs pairs);

private:
    struct Hash {
        size_t operator()(const Digest& key) const { return size_t(key.low()); }
    };
    struct Entry {
        Meetings meetings;
        std::vector<std::shared_ptr<const void>> keeps;
    };
    struct OwnSolids {
        std::vector<Solid> solids;
        KnownShape shape;
    };
    struct OwnLinks {
        ArmPtr arm;
        double padding;
        std::vector<KnownShape> shapes;
    };
    std::mutex m_mutex;
    const size_t m_most;
    Counts m_counts;
    std::uint64_t m_next = 1;
    std::vector<OwnSolids> m_solids;  ///< the ones asked for last at the end
    std::vector<OwnLinks> m_links;
    std::unordered_map<Digest, Entry, Hash> m_young, m_old;
    std::unordered_map<Digest, Pairs, Hash> m_pairs;
};

}  // namespace topikos
