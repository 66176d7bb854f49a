#pragma once
#include "core/collide/checked_pairs.h"
#include "core/collide/scene.h"

#include <functional>

namespace topikos {

/// A stretch of a run in which nothing of what moves one body begins or ends.
struct BodyStretch {
    std::uint32_t body = 0;
    Window window;
    bool moves = false;
    bool appears = false;       ///< what it is in begins with it
    Eigen::AlignedBox3d box{};  ///< that it does not leave; empty: it is not there
};
/// The stretches of all bodies, without what the bodies do in them, those of equal windows side by side, by time.
std::vector<BodyStretch> stretchesOf(const ContactScene& scene);

/// Two bodies whose boxes come near each other while a stretch of each lasts.
struct NearStretch {
    CheckedPair pair;
    Window window;        ///< that both have in common
    bool still = false;   ///< neither moves
    bool goesOn = false;  ///< nor appears: only of interest when they touched before
};
/// Those of pairs that checks look at, by time and by pair. Method: through the run by the beginnings of stretches,
/// with all that are under way in a grid of boxes; so time grows with what is near each other, not with all pairs.
std::vector<NearStretch> nearStretches(const ContactScene& scene, const CheckedBodies& checked,
                                       const std::vector<BodyStretch>& stretches, const std::function<bool()>& stop);

}  // namespace topikos
