#include "core/cell/fixture.h"

#include "core/cell/edit_support.h"

#include <map>

namespace topikos {

namespace {

/// Puts copies of what hangs at and below a frame of one cell into another, which may be the same.
class Graft {
public:
    Graft(Cell& into, const Cell& from, std::string suffix) : m_into(into), m_from(from), m_suffix(std::move(suffix)) {}

    FrameId frames(FrameId top, FrameId parent)
    {
        for (const Frame& f : m_from.frames) {
            if (!isBelow(m_from, f.id, top)) continue;
            Frame copy = f;
            copy.id = {m_into.nextId++};
            copy.name = freeNameIn(m_into.frames, f.name + m_suffix);
            m_frames[f.id] = copy.id;
            m_into.frames.push_back(std::move(copy));
        }
        // A parent may stand behind its child in the list.
        for (const auto& [old, fresh] : m_frames) {
            Frame& frame = *findIn(m_into.frames, fresh);
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
                m_patterns[p.id] = copy.id;
                m_into.patterns.push_back(std::move(copy));
            }
        for (const Part& p : m_from.parts)
            if (p.frame && m_frames.contains(p.frame)) {
                Part copy = copied(p, m_into.parts);
                copy.kind = kind(p.kind);
                if (p.pattern) copy.pattern = m_patterns[p.pattern];
                m_into.parts.push_back(std::move(copy));
            }
        for (const Target& t : m_from.targets)
            if (t.kind == Target::Kind::Pose && t.frame && m_frames.contains(t.frame)) {
                Target copy = copied(t, m_into.targets);
                copy.tool = tool(t.tool);
                copy.tcp = point(t.tool, t.tcp);
                if (t.pattern) copy.pattern = m_patterns[t.pattern];
                if (t.posture.size() != m_into.arm.model->jointCount()) copy.posture = JointVector();
                m_into.targets.push_back(std::move(copy));
            }
    }

    ToolId tool(ToolId id)
    {
        if (&m_from == m_source || m_tools.contains(id)) return m_tools.contains(id) ? m_tools[id] : id;
        Tool copy = *findTool(m_from, id);
        copy.id = {m_into.nextId++};
        copy.name = freeNameIn(m_into.tools, copy.name);
        for (ToolPoint& p : copy.points) {
            m_points[p.id] = {m_into.nextId};
            p.id = {m_into.nextId++};
        }
        m_tools[id] = copy.id;
        m_into.tools.push_back(std::move(copy));
        return m_tools[id];
    }

    /// Things of the source are those of the target cell: nothing has to come along.
    void sameCell() { m_source = &m_from; }

    /// Tools and kinds that both cells have are not brought twice.
    void matchNames()
    {
        for (const Tool& t : m_from.tools)
            for (const Tool& own : m_into.tools)
                if (own.name == t.name && own.flangeFromTcp == t.flangeFromTcp && own.body == t.body && own.points.empty() && t.points.empty()) m_tools[t.id] = own.id;
        for (const PartKind& k : m_from.partKinds)
            for (const PartKind& own : m_into.partKinds)
                if (own.name == k.name && own.solids == k.solids && own.mass == k.mass) m_kinds[k.id] = own.id;
    }

private:
    template <class Object>
    Object copied(const Object& object, const std::vector<Object>& list)
    {
        Object copy = object;
        copy.id = {m_into.nextId++};
        copy.name = freeNameIn(list, object.name + m_suffix);
        copy.frame = m_frames[object.frame];
        return copy;
    }

    PartKindId kind(PartKindId id)
    {
        if (&m_from == m_source || m_kinds.contains(id)) return m_kinds.contains(id) ? m_kinds[id] : id;
        PartKind copy = *findPartKind(m_from, id);
        copy.id = {m_into.nextId++};
        copy.name = freeNameIn(m_into.partKinds, copy.name);
        m_kinds[id] = copy.id;
        m_into.partKinds.push_back(std::move(copy));
        return m_kinds[id];
    }

    TcpId point(ToolId owner, TcpId id)
    {
        if (!id || &m_from == m_source) return id;
        (void)tool(owner);
        return m_points.contains(id) ? m_points[id] : TcpId{};
    }

    Cell& m_into;
    const Cell& m_from;
    const Cell* m_source = nullptr;
    std::string m_suffix;
    std::map<FrameId, FrameId> m_frames;
    std::map<PatternId, PatternId> m_patterns;
    std::map<PartKindId, PartKindId> m_kinds;
    std::map<ToolId, ToolId> m_tools;
    std::map<TcpId, TcpId> m_points;
};

}  // namespace

Result<Cell> copyFixture(const Cell& cell, FrameId id, FrameId* created)
{
    const Frame* original = findFrame(cell, id);
    if (!original) return missing("frame");
    Cell next = cell;
    Graft graft(next, cell, " copy");
    graft.sameCell();
    const FrameId top = graft.frames(id, original->parent);
    graft.contents();
    // Beside the original, so that both are seen.
    Frame& frame = *findIn(next.frames, top);
    frame.pose.translation += Vec3(0.3, 0.3, 0);
    if (frame.measured) frame.measured->translation += Vec3(0.3, 0.3, 0);
    if (created) *created = top;
    return next;
}

Result<Cell> bringFixture(const Cell& cell, const Cell& from, FrameId id, FrameId* created)
{
    if (!findFrame(from, id)) return missing("frame");
    Cell next = cell;
    Graft graft(next, from, "");
    graft.matchNames();
    const FrameId top = graft.frames(id, {});
    graft.contents();
    Frame& frame = *findIn(next.frames, top);
    const Pose parent = worldFromFrame(from, findFrame(from, id)->parent);
    frame.pose = parent * frame.pose;
    if (frame.measured) frame.measured = parent * *frame.measured;
    if (created) *created = top;
    return next;
}

Result<Cell> bringTool(const Cell& cell, const Cell& from, ToolId id, ToolId* created)
{
    if (!findTool(from, id)) return missing("tool");
    Cell next = cell;
    Graft graft(next, from, "");
    const ToolId brought = graft.tool(id);
    if (created) *created = brought;
    return next;
}

}  // namespace topikos
