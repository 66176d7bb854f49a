#include "core/collide/clearance_along.h"

#include <algorithm>

namespace topikos {

ClearanceAlong::ClearanceAlong(const Cell& cell, const Trace& trace, ContactCache* cache) :
    m_scene(cell, trace, cache), m_meant(m_scene), m_pairs(checkedPairs(m_scene, 0, cache)), m_windows(windowsOf(trace))
{
}

ClearanceAlong::Near ClearanceAlong::nearest(ArmId arm, double time, bool itself)
{
    Near best;
    if (m_windows.empty()) return best;
    const auto next = std::upper_bound(m_windows.begin(), m_windows.end(), time,
                                       [](double t, const Window& window) { return t < window.to; });
    const size_t window = std::min(size_t(next - m_windows.begin()), m_windows.size() - 1);
    const double middle = m_windows[window].middle();
    const std::vector<SceneBody>& bodies = m_scene.bodies();
    std::vector<bool> own(bodies.size());
    for (size_t i = 0; i < bodies.size(); ++i)
        own[i] = m_scene.moverOf(i, time) == arm;
    // Those whose balls are nearest first, so that most others need no more than their balls.
    struct Candidate {
        double gap;
        const CheckedPair* pair;
    };
    std::vector<Candidate> candidates;
    for (const CheckedPair& pair : m_pairs) {
        if (itself ? !own[pair.a] || !own[pair.b] : own[pair.a] == own[pair.b]) continue;
        if (m_meant.touch(pair.a, pair.b, middle) || !m_meant.drawnBack(pair.a, pair.b, middle).isZero()) continue;
        const std::optional<Pose> a = m_scene.place(pair.a, time), b = m_scene.place(pair.b, time);
        if (!a || !b) continue;
        const Ball &x = bodies[pair.a].shape->ball(), &y = bodies[pair.b].shape->ball();
        candidates.push_back({(*a * x.centre - *b * y.centre).norm() - x.radius - y.radius, &pair});
    }
    std::sort(candidates.begin(), candidates.end(),
              [](const Candidate& x, const Candidate& y) { return x.gap < y.gap; });
    for (const auto& [gap, pair] : candidates) {
        if (gap > best.distance) break;
        const Nearest found = bodies[pair->a].shape->nearest(*m_scene.place(pair->a, time), *bodies[pair->b].shape,
                                                             *m_scene.place(pair->b, time), best.distance);
        if (found.distance >= best.distance) continue;
        const bool isA = own[pair->a];
        best = {isA ? pair->a : pair->b, isA ? pair->b : pair->a, found.distance, isA ? found.onA : found.onB,
                isA ? found.onB : found.onA};
        if (best.distance <= 0) break;
    }
    return best;
}

}  // namespace topikos
