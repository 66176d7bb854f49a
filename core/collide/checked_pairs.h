#pragma once
#include "core/collide/cell_bodies.h"

#include <algorithm>
#include <tuple>
#include <unordered_map>

namespace topikos {

/// Nearer than this counts as contact [m].
inline constexpr double kTouch = 1e-5;

/// Two bodies that are looked at.
struct CheckedPair {
    size_t a = 0, b = 0;
    double caution = 0;  ///< [m]
};
/// Two bodies whose balls are so far apart, negative where they share something.
template <class Pair> struct ApartPair {
    double gap;  ///< [m]
    const Pair* pair;
};
/// The nearest of what `ask(pair, upTo)` finds of pairs, of those that are nearer than `upTo`: those whose balls are
/// nearest are asked first, so that most others need no more than their balls.
template <class Near, class Pair, class Ask>
Near nearestOf(std::vector<ApartPair<Pair>>& pairs, double upTo, const Ask& ask)
{
    std::sort(pairs.begin(), pairs.end(), [](const ApartPair<Pair>& x, const ApartPair<Pair>& y) {
        return std::tie(x.gap, x.pair->a, x.pair->b) < std::tie(y.gap, y.pair->a, y.pair->b);
    });
    Near best{.distance = upTo};
    for (const auto& [gap, pair] : pairs) {
        if (gap > best.distance || best.distance <= 0) break;
        if (const Near found = ask(*pair, best.distance); found.distance < best.distance) best = found;
    }
    return best;
}
/// Which bodies are looked at: those that move against each other, but neighbours on an arm, what touches in every
/// posture of the arm, and what the table of pairs leaves out. Belts see to parts that no arm ever carries.
class CheckedBodies {
public:
    /// `first`: where axes stand at first; frames that touch then are built that way. Keeps the bodies by address.
    CheckedBodies(const CellBodies& bodies, const AxisValues& first, double caution = 0, ContactCache* cache = nullptr);

    /// Two bodies, the one with the lower number first; nothing when they are not looked at.
    std::optional<CheckedPair> pair(size_t a, size_t b) const;
    double largestCaution() const { return m_largest; }
    /// All of them, by their numbers. As many as there are parts times all others: not where there may be many.
    std::vector<CheckedPair> all() const;

private:
    const CellBodies& m_bodies;
    double m_caution, m_largest;
    std::unordered_map<std::uint64_t, double> m_members;  ///< cautions of pairs without parts
};
inline std::vector<CheckedPair> checkedPairs(const CellBodies& bodies, const AxisValues& first, double caution = 0,
                                             ContactCache* cache = nullptr)
{
    return CheckedBodies(bodies, first, caution, cache).all();
}

}  // namespace topikos
