#pragma once
#include "core/collide/sweep.h"

#include <algorithm>
#include <cmath>
#include <queue>
#include <tuple>

namespace topikos {

/// When the next look at a pair is due: what both can move until then is no more than `allowed` [m].
double nextLook(const ContactScene& scene, const CheckedPair& pair, const Window& window, double time, double allowed);

/// Clearance of a pair, exact where it is of interest; else a bound from below.
Nearest clearance(const SceneBody& a, const Pose& atA, const SceneBody& b, const Pose& atB, double interest);

/// Goes through a window and looks at some pairs when that is due: `look(which of those, time, place of a, place of b)`
/// says when the next time is; infinite: never.
template <class Look>
void sweep(const ContactScene& scene, const std::vector<CheckedPair>& pairs, const std::vector<size_t>& looked,
           const Window& window, const std::stop_token& stop, Look look)
{
    struct Watch {
        double due;
        size_t at;  ///< in `looked`
        bool operator>(const Watch& o) const { return std::tie(due, at) > std::tie(o.due, o.at); }
    };
    std::priority_queue<Watch, std::vector<Watch>, std::greater<>> watches;
    for (size_t at = 0; at < looked.size(); ++at)
        watches.push({window.from, at});
    for (size_t looks = 1; !watches.empty(); ++looks) {
        if (looks % 64 == 0 && stop.stop_requested()) return;
        const auto [time, at] = watches.top();
        watches.pop();
        const CheckedPair& own = pairs[looked[at]];
        const std::optional<Pose> atA = scene.place(own.a, time), atB = scene.place(own.b, time);
        if (!atA || !atB) continue;
        double due = look(at, time, *atA, *atB);
        if (due > window.to && time < window.to && std::isfinite(due)) due = window.to;
        if (due <= window.to) watches.push({due, at});
    }
}

}  // namespace topikos
