#pragma once
#include "core/check/contact_scene.h"

namespace topikos {

/// Nearer than this counts as contact [m].
inline constexpr double kTouch = 1e-5;

/// Two bodies that are looked at.
struct CheckedPair {
    size_t a = 0, b = 0;
    double caution = 0;  ///< [m]
};
/// Those that move against each other, but neighbours on an arm, what touches in every posture of the arm, and what the
/// table of pairs leaves out.
std::vector<CheckedPair> checkedPairs(const ContactScene& scene, double caution = 0, ContactCache* cache = nullptr);

}  // namespace topikos
