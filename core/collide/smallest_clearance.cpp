#include "core/collide/digest.h"
#include "core/collide/looks.h"

#include <thread>
#include <unordered_set>

namespace topikos {

namespace {

/// Pairs that may come nearer in a window than they came so far, by the boxes that their bodies do not leave.
std::vector<size_t> pairsToLookAt(const ContactScene& scene, SceneDigest& digest, ContactCache& cache,
                                  const Window& window, const std::vector<SmallestClearance>& pairs)
{
    const size_t n = scene.bodies().size();
    std::vector<bool> stirs(n);  // moves, or appears
    for (size_t i = 0; i < n; ++i)
        stirs[i] = scene.movesIn(i, window) || scene.appearsIn(i, window);
    if (std::find(stirs.begin(), stirs.end(), true) == stirs.end()) return {};
    std::vector<Eigen::AlignedBox3d> boxes(n);
    std::vector<size_t> asked;
    for (size_t i = 0; i < n; ++i) {
        const auto known = scene.moves(i) ? cache.findBox(digest.ofBody(i)) : std::nullopt;
        if (known) boxes[i] = *known;
        else asked.push_back(i);
    }
    const std::vector<Eigen::AlignedBox3d> found = scene.boxesIn(window, asked);
    for (size_t i = 0; i < asked.size(); ++i) {
        boxes[asked[i]] = found[i];
        if (scene.moves(asked[i])) cache.keepBox(digest.ofBody(asked[i]), found[i]);
    }
    // A box may be that of the same motion at another time, which differs by rounding.
    constexpr double rounding = 1e-6;  // [m]
    std::vector<size_t> out;
    for (size_t p = 0; p < pairs.size(); ++p) {
        const size_t a = pairs[p].a, b = pairs[p].b;
        if (!stirs[a] && !stirs[b]) continue;
        if (boxes[a].isEmpty() || boxes[b].isEmpty()) continue;
        const double most = pairs[p].nearest.distance + rounding;
        if (boxes[a].squaredExteriorDistance(boxes[b]) <= most * most) out.push_back(p);
    }
    return out;
}

/// The smallest clearances of some of the pairs, each to kFinestLook or 2 % of it.
void sweepClearances(const ContactScene& scene, ContactCache& cache, const std::stop_token& stop,
                     const std::vector<CheckedPair>& pairs, const std::vector<Window>& windows,
                     std::vector<SmallestClearance>& out)
{
    const CellBodies& bodies = scene.bodies();
    SceneDigest digest(scene);
    // First where balls around the two are nearest, so that most windows need not be gone through.
    const auto nearest = [&](SmallestClearance& own, double time, const Pose& atA, const Pose& atB) {
        const Nearest now = bodies[own.a].shape->nearest(atA, *bodies[own.b].shape, atB);
        if (now.distance >= own.nearest.distance) return;
        own.nearest = now;
        own.time = time;
    };
    std::vector<double> gaps(pairs.size(), INFINITY), times(pairs.size(), 0);
    std::vector<std::optional<Vec3>> centres(bodies.size());
    for (const Window& window : windows) {
        if (stop.stop_requested()) return;
        for (size_t i = 0; i < bodies.size(); ++i) {
            const std::optional<Pose> at = bodies[i].shape ? scene.place(i, window.middle()) : std::nullopt;
            centres[i] = at ? std::optional<Vec3>(*at * bodies[i].shape->ball().centre) : std::nullopt;
        }
        for (size_t p = 0; p < pairs.size(); ++p) {
            const size_t a = out[p].a, b = out[p].b;
            if (!centres[a] || !centres[b]) continue;
            const double gap = (*centres[a] - *centres[b]).norm();
            if (gap >= gaps[p]) continue;
            gaps[p] = gap;
            times[p] = window.middle();
        }
    }
    for (size_t p = 0; p < pairs.size(); ++p)
        if (std::isfinite(gaps[p]))
            nearest(out[p], times[p], *scene.place(out[p].a, times[p]), *scene.place(out[p].b, times[p]));
    std::vector<std::unordered_set<Digest, Digest::Hash>> done(pairs.size());  // what a pair has done before
    for (const Window& window : windows) {
        if (stop.stop_requested()) return;
        digest.enter(window);
        std::vector<size_t> anew;
        for (const size_t p : pairsToLookAt(scene, digest, cache, window, out)) {
            if (out[p].nearest.touching()) continue;
            Digest key = digest.ofBody(out[p].a);
            key.add(digest.ofBody(out[p].b));
            if (done[p].insert(key).second) anew.push_back(p);
        }
        sweep(scene, pairs, anew, window, stop, [&](size_t at, double time, const Pose& atA, const Pose& atB) {
            const CheckedPair& pair = pairs[anew[at]];
            SmallestClearance& own = out[anew[at]];
            const Nearest now = clearance(bodies[own.a], atA, bodies[own.b], atB, own.nearest.distance);
            // The gap of the balls is no distance; below the best one it is worked out.
            if (now.distance < own.nearest.distance) nearest(own, time, atA, atB);
            if (own.nearest.touching()) return double(INFINITY);
            const double allowed =
                std::max(now.distance - own.nearest.distance, 0.0) + std::max(kFinestLook, 0.02 * own.nearest.distance);
            return nextLook(scene, pair, window, time, allowed);
        });
    }
}

}  // namespace

std::vector<SmallestClearance> smallestClearances(const ContactScene& scene, const std::stop_token& stop)
{
    constexpr size_t kWorkers = 2;
    const std::vector<CheckedPair> all = checkedPairs(scene.bodies(), axesAt(scene.trace(), 0));
    const std::vector<Window> windows = windowsOf(scene.trace());
    const CellBodies& bodies = scene.bodies();
    ContactCache cache;
    std::vector<std::vector<CheckedPair>> shares(kWorkers);
    for (size_t p = 0; p < all.size(); ++p)
        shares[p % kWorkers].push_back(all[p]);
    std::vector<std::vector<SmallestClearance>> found(kWorkers);
    {
        std::vector<std::jthread> helpers;
        for (size_t n = 0; n < kWorkers; ++n) {
            for (const CheckedPair& pair : shares[n])
                found[n].push_back({pair.a, pair.b});
            helpers.emplace_back(
                [&, n, own = scene] { sweepClearances(own, cache, stop, shares[n], windows, found[n]); });
        }
    }
    std::vector<SmallestClearance> out;
    for (const std::vector<SmallestClearance>& share : found)
        out.insert(out.end(), share.begin(), share.end());
    // Between the looks around the best one it may be a little less: the smallest of a parabola's kind.
    for (SmallestClearance& own : out) {
        if (stop.stop_requested()) break;
        if (!std::isfinite(own.nearest.distance) || own.nearest.touching()) continue;
        double step = 0.02;
        for (int n = 0; n < 24; ++n) {
            bool better = false;
            for (const double t : {own.time - step, own.time + step}) {
                if (t < 0 || t > scene.trace().duration) continue;
                const auto atA = scene.place(own.a, t), atB = scene.place(own.b, t);
                if (!atA || !atB) continue;
                const Nearest now = bodies[own.a].shape->nearest(*atA, *bodies[own.b].shape, *atB);
                if (now.distance >= own.nearest.distance) continue;
                own.nearest = now;
                own.time = t;
                better = true;
                break;
            }
            if (!better) step *= 0.5;
        }
    }
    std::erase_if(out, [](const SmallestClearance& own) { return !std::isfinite(own.nearest.distance); });
    std::sort(out.begin(), out.end(), [](const SmallestClearance& x, const SmallestClearance& y) {
        return std::tie(x.nearest.distance, x.a, x.b) < std::tie(y.nearest.distance, y.a, y.b);
    });
    return out;
}

}  // namespace topikos
