#include "core/cell/fixture.h"

#include "core/cell/edit_support.h"
#include "core/cell/pattern.h"

#include <map>

namespace topikos {

namespace {

/// Puts copies of what hangs at and below a frame of one cell into another, which may be the same.
class Graft {
public:
    /// `same`: both are the same cell, so that tools and kinds of parts are there already.
    Graft(Cell& into, const Cell& from, bool same, ArmId arm) :
        m_into(into), m_from(from), m_same(same), m_arm(arm), m_suffix(same ? " copy" : "")
    {
        if (same) return;
        // Tools and kinds that both cells have are not brought twice.
        for (const Tool& t : from.tools)
            if (const Tool* own = findNamed(into.tools, t.name); own && alike(*own, t)) m_tools[t.id] = own->id;
        for (const PartKind& k : from.partKinds)
            if (const PartKind* own = findNamed(into.partKinds, k.name); own && alike(*own, k)) m_kinds[k.id] = own->id;
    }

    FrameId frames(FrameId top, FrameId parent)
    {
        for (const Frame& f : m_from.frames) {
            if (!isBelow(m_from, f.id, top)) continue;
            Frame copy = f;
            copy.id = {m_into.nextId++};
            copy.name = freeNameIn(m_into.frames, f.name + m_suffix);
            m_frames[f.id] = copy.id;
            if (copy.device) bring(*copy.device);
            if (const FrameId device = deviceOfAxis(m_from, f.id); copy.axis && !isBelow(m_from, device, top)) {
                // Without its device it is a frame like others, where the axis starts.
                const Pose start = axisMotion(*copy.axis, copy.axis->value);
                copy.pose = copy.pose * start;
                if (copy.measured) copy.measured = *copy.measured * start;
                copy.axis.reset();
            }
            m_into.frames.push_back(std::move(copy));
        }
        // A parent may stand behind its child in the list.
        for (const auto& [old, fresh] : m_frames) {
            Frame& frame = *m_into.frames.edit(fresh);
            frame.parent = old == top ? parent : m_frames[findFrame(m_from, old)->parent];
        }
        return m_frames[top];
    }

    void contents()
    {
        for (const Pattern& p : m_from.patterns)
            if (m_frames.contains(p.frame)) {
                Pattern copy = copied(p, m_into.patterns);
                if (p.content == Pattern::Content::Parts) copy.kind = kind(p.kind);
                else copy.tool = tool(p.tool);
                if (!m_same && p.content == Pattern::Content::Targets) copy.arm = m_arm;
                copy.axes = axes(p.axes);
                m_patterns[p.id] = copy.id;
                m_into.patterns.push_back(std::move(copy));
            }
        for (const Part& p : m_from.parts)
            if (p.frame && m_frames.contains(p.frame)) {
                Part copy = copied(p, m_into.parts);
                copy.kind = kind(p.kind);
                if (p.pattern) copy.pattern = m_patterns[p.pattern];
                m_parts[p.id] = copy.id;
                m_into.parts.push_back(std::move(copy));
            }
        for (const Target& t : m_from.targets)
            if (t.kind == Target::Kind::Pose && t.frame && m_frames.contains(t.frame)) {
                Target copy = copied(t, m_into.targets);
                if (!m_same) copy.arm = m_arm;
                copy.axes = axes(t.axes);
                copy.tool = tool(t.tool);
                copy.tcp = point(t.tcp);
                if (t.pattern) copy.pattern = m_patterns[t.pattern];
                if (t.posture.size() != armOf(m_into, copy).model->jointCount()) copy.posture = JointVector();
                m_targets[t.id] = copy.id;
                m_into.targets.push_back(std::move(copy));
            }
        relations();
    }

    /// What goes with a part or target that was copied goes with the copy; with others it does not.
    void relations()
    {
        std::map<std::uint32_t, std::uint32_t> families;
        for (const auto& [old, fresh] : m_patterns) {
            const Pattern& pattern = *findPattern(m_from, old);
            if (pattern.follows) {
                const auto parts = m_patterns.find(pattern.follows);
                m_into.patterns.edit(fresh)->follows = parts == m_patterns.end() ? PatternId() : parts->second;
            }
            const Drawing& from = pattern.drawing;
            if (!from.part && !from.family) continue;
            Drawing& own = m_into.patterns.edit(fresh)->drawing;
            own.part = m_parts[from.part];
            if (!m_same && from.family) own.family = families.try_emplace(from.family, fresh.value).first->second;
        }
        for (const auto& [old, fresh] : m_targets) {
            const Target& from = *findTarget(m_from, old);
            if (!from.tie) continue;
            Target& own = *m_into.targets.edit(fresh);
            const auto part = m_parts.find(from.tie->part);
            const auto target = m_targets.find(from.tie->target);
            if (from.tie->part && part != m_parts.end()) own.tie->part = part->second;
            else if (from.tie->target && target != m_targets.end()) own.tie->target = target->second;
            else own.tie.reset();
        }
    }

    ToolId tool(ToolId id)
    {
        if (m_same) return id;
        const auto [it, fresh] = m_tools.try_emplace(id);
        if (!fresh) return it->second;
        Tool copy = *findTool(m_from, id);
        copy.id = it->second = {m_into.nextId++};
        copy.name = freeNameIn(m_into.tools, copy.name);
        for (ToolPoint& p : copy.points) {
            const TcpId before = p.id;
            p.id = m_points[before] = {m_into.nextId++};
        }
        m_into.tools.push_back(std::move(copy));
        return it->second;
    }

    const std::map<PatternId, PatternId>& patterns() const { return m_patterns; }

private:
    template <class Object> Object copied(const Object& object, const Table<Object>& list)
    {
        Object copy = object;
        copy.id = {m_into.nextId++};
        copy.name = freeNameIn(list, object.name + m_suffix);
        copy.frame = m_frames[object.frame];
        return copy;
    }

    PartKindId kind(PartKindId id)
    {
        if (m_same) return id;
        const auto [it, fresh] = m_kinds.try_emplace(id);
        if (!fresh) return it->second;
        PartKind copy = *findPartKind(m_from, id);
        copy.id = it->second = {m_into.nextId++};
        copy.name = freeNameIn(m_into.partKinds, copy.name);
        m_into.partKinds.push_back(std::move(copy));
        return it->second;
    }

    /// Two devices cannot write the same signal; those of another cell are not here at all. The kind of part it makes
    /// comes along.
    void bring(Device& device)
    {
        device.output = device.number = {};
        if (!m_same) device.input = {};
        if (device.makes) device.makes = kind(device.makes);
    }

    /// Axes that have been copied are those of the copies; in another cell there are no others.
    AxisValues axes(const AxisValues& from) const
    {
        AxisValues out;
        for (AxisValue a : from) {
            const auto it = m_frames.find(a.frame);
            if (it != m_frames.end()) a.frame = it->second;
            else if (!m_same) continue;
            if (!findFrame(m_into, a.frame)->axis) continue;
            out.push_back(a);
        }
        return out;
    }

    /// A point of a tool that has been brought.
    TcpId point(TcpId id) const
    {
        const auto it = m_points.find(id);
        return it == m_points.end() ? id : it->second;
    }

    /// Whether two objects differ in nothing but their id. Points of a tool have ids of their own.
    template <class Object> static bool alike(const Object& a, Object b)
    {
        if constexpr (requires { a.points; })
            if (!a.points.empty() || !b.points.empty()) return false;
        b.id = a.id;
        b.name = a.name;
        return a == b;
    }

    Cell& m_into;
    const Cell& m_from;
    bool m_same;
    ArmId m_arm;  ///< that targets of another cell become targets of
    std::string m_suffix;
    std::map<FrameId, FrameId> m_frames;
    std::map<PatternId, PatternId> m_patterns;
    std::map<PartKindId, PartKindId> m_kinds;
    std::map<PartId, PartId> m_parts;
    std::map<TargetId, TargetId> m_targets;
    std::map<ToolId, ToolId> m_tools;
    std::map<TcpId, TcpId> m_points;
};

}  // namespace

namespace {

/// Plants the frame and all below it; `move` says where the new frame stands in its parent, from where the old one did.
template <class Move>
Result<Cell> planted(const Cell& cell, const Cell& from, FrameId id, FrameId parent, bool same, ArmId arm, Move move,
                     FrameId* created)
{
    Cell grown = cell;
    Graft graft(grown, from, same, arm);
    const FrameId top = graft.frames(id, parent);
    graft.contents();
    Frame& frame = *grown.frames.edit(top);
    frame.pose = move(frame.pose);
    if (frame.measured) frame.measured = move(*frame.measured);
    if (created) *created = top;
    // Members are named after their pattern, which may have another name now.
    Result<Cell> next = grown;
    for (const auto& [old, fresh] : graft.patterns())
        if (next) next = changePattern(*next, *findPattern(*next, fresh));
    return next;
}

}  // namespace

Result<Cell> copyFixture(const Cell& cell, FrameId id, FrameId* created)
{
    const Frame* original = findFrame(cell, id);
    if (!original) return missing("frame");
    // Beside the original, so that both are seen.
    return planted(
        cell, cell, id, original->parent, true, {},
        [](Pose pose) {
            pose.translation += Vec3(0.3, 0.3, 0);
            return pose;
        },
        created);
}

Result<Cell> bringFixture(const Cell& cell, ArmId arm, const Cell& from, FrameId id, FrameId* created)
{
    if (!findArm(cell, arm)) return missing("arm");
    const Frame* original = findFrame(from, id);
    if (!original) return missing("frame");
    const Pose parent = worldFromFrame(from, original->parent);
    return planted(
        cell, from, id, {}, false, arm, [&](const Pose& pose) { return parent * pose; }, created);
}

Result<Cell> bringTool(const Cell& cell, const Cell& from, ToolId id, ToolId* created)
{
    if (!findTool(from, id)) return missing("tool");
    Cell next = cell;
    Graft graft(next, from, false, {});
    const ToolId brought = graft.tool(id);
    if (created) *created = brought;
    return next;
}

}  // namespace topikos
