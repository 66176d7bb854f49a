#pragma once
#include "core/cell/cell.h"

#include <unordered_map>

namespace topikos {

/// Where frames stand in the world, worked out once as far as no axis moves them.
class Places {
public:
    explicit Places(const Cell& cell);

    /// worldFromFrame; `valueOf(axis frame)` says where an axis stands.
    template <class ValueOf> Pose world(FrameId frame, const ValueOf& valueOf) const
    {
        if (!frame) return Pose{};
        const Entry& e = m_entries[m_index.at(frame.value)];
        Pose pose = e.above == kWorld ? e.fromAbove : world(m_entries[e.above].frame->id, valueOf) * e.fromAbove;
        if (e.frame->axis) pose = pose * axisMotion(*e.frame->axis, valueOf(*e.frame));
        return pose;
    }
    /// Frames with an axis among this one and those above it, nearest to the world first.
    const std::vector<FrameId>& axesAbove(FrameId frame) const;
    const Frame& frame(FrameId id) const { return *m_entries[m_index.at(id.value)].frame; }

private:
    static constexpr size_t kWorld = size_t(-1);
    struct Entry {
        const Frame* frame;
        size_t above = kWorld;  ///< the nearest frame above that moves
        Pose fromAbove;         ///< place as seen from that one, without the own axis
        std::vector<FrameId> axes;
    };
    std::vector<Entry> m_entries;
    std::unordered_map<std::uint32_t, size_t> m_index;
};

}  // namespace topikos
