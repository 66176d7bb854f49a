#pragma once
#include "core/collide/scene.h"

#include <unordered_map>

namespace topikos {

/// Nearer than this counts as contact [m].
inline constexpr double kTouch = 1e-5;

/// Two bodies that are looked at.
struct CheckedPair {
    size_t a = 0, b = 0;
    double caution = 0;  ///< [m]
};
/// Which bodies of a scene are looked at: those that move against each other, but neighbours on an arm, what touches in
/// every posture of the arm, and what the table of pairs leaves out. Belts see to parts that no arm ever carries.
class CheckedBodies {
public:
    CheckedBodies(const ContactScene& scene, double caution = 0, ContactCache* cache = nullptr);

    /// Two bodies, the one with the lower number first; nothing when they are not looked at.
    std::optional<CheckedPair> pair(size_t a, size_t b) const;
    bool isCarried(size_t body) const { return m_carried[body]; }  ///< a part, by an arm at some time
    double largestCaution() const { return m_largest; }
    /// All of them, by their numbers. As many as there are parts times all others: not where there may be many.
    std::vector<CheckedPair> all() const;

private:
    const ContactScene& m_scene;
    double m_caution, m_largest;
    std::vector<bool> m_carried;
    std::unordered_map<std::uint64_t, double> m_members;  ///< cautions of pairs without parts
};
inline std::vector<CheckedPair> checkedPairs(const ContactScene& scene, double caution = 0,
                                             ContactCache* cache = nullptr)
{
    return CheckedBodies(scene, caution, cache).all();
}

}  // namespace topikos
