#include "core/collide/clearance_along.h"

#include <algorithm>

namespace topikos {

ClearanceAlong::ClearanceAlong(const Cell& cell, const Trace& trace, ContactCache* cache) :
    m_scene(cell, trace, cache), m_meant(m_scene), m_pairs(checkedPairs(m_scene.bodies(), axesAt(trace, 0), 0, cache)),
    m_windows(windowsOf(trace))
{
}

ClearanceAlong::Near ClearanceAlong::nearest(ArmId arm, double time, bool itself)
{
    if (m_windows.empty()) return {};
    const auto next = std::upper_bound(m_windows.begin(), m_windows.end(), time,
                                       [](double t, const Window& window) { return t < window.to; });
    const size_t window = std::min(size_t(next - m_windows.begin()), m_windows.size() - 1);
    const double middle = m_windows[window].middle();
    const CellBodies& bodies = m_scene.bodies();
    std::vector<bool> own(bodies.size());
    for (size_t i = 0; i < bodies.size(); ++i)
        own[i] = m_scene.moverOf(i, time) == arm;
    std::vector<ApartPair<CheckedPair>> candidates;
    for (const CheckedPair& pair : m_pairs) {
        if (itself ? !own[pair.a] || !own[pair.b] : own[pair.a] == own[pair.b]) continue;
        if (m_meant.touch(pair.a, pair.b, middle) || !m_meant.drawnBack(pair.a, pair.b, middle).isZero()) continue;
        const std::optional<Pose> a = m_scene.place(pair.a, time), b = m_scene.place(pair.b, time);
        if (!a || !b) continue;
        const Ball &x = bodies[pair.a].shape->ball(), &y = bodies[pair.b].shape->ball();
        candidates.push_back({(*a * x.centre - *b * y.centre).norm() - x.radius - y.radius, &pair});
    }
    return nearestOf<Near>(candidates, INFINITY, [&](const CheckedPair& pair, double upTo) {
        const Nearest found = bodies[pair.a].shape->nearest(*m_scene.place(pair.a, time), *bodies[pair.b].shape,
                                                            *m_scene.place(pair.b, time), upTo);
        const bool isA = own[pair.a];
        return Near{isA ? pair.a : pair.b, isA ? pair.b : pair.a, found.distance, isA ? found.onA : found.onB,
                    isA ? found.onB : found.onA};
    });
}

}  // namespace topikos
