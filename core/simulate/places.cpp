#include "core/simulate/places.h"

namespace topikos {

Places::Places(const Cell& cell)
{
    m_entries.reserve(cell.frames.size());
    for (const Frame& frame : cell.frames) {
        m_index[frame.id.value] = m_entries.size();
        m_entries.push_back({&frame, kWorld, {}, {}});
    }
    std::vector<bool> done(m_entries.size(), false);
    std::vector<size_t> path;
    for (size_t first = 0; first < m_entries.size(); ++first) {
        // From the first frame above that is done, or the world, down again.
        for (size_t i = first; !done[i];) {
            path.push_back(i);
            const FrameId parent = m_entries[i].frame->parent;
            if (!parent) break;
            i = m_index.at(parent.value);
        }
        for (; !path.empty(); path.pop_back()) {
            Entry& e = m_entries[path.back()];
            const Pose& place = placeInForce(cell, *e.frame);
            done[path.back()] = true;
            if (e.frame->parent) {
                const size_t parent = m_index.at(e.frame->parent.value);
                const Entry& above = m_entries[parent];
                e.axes = above.axes;
                e.above = above.frame->axis ? parent : above.above;
                e.fromAbove = above.frame->axis ? place : above.fromAbove * place;
            } else {
                e.fromAbove = place;
            }
            if (e.frame->axis) e.axes.push_back(e.frame->id);
        }
    }
}

const std::vector<FrameId>& Places::axesAbove(FrameId frame) const
{
    static const std::vector<FrameId> none;
    return frame ? m_entries[m_index.at(frame.value)].axes : none;
}

}  // namespace topikos
