#include "core/collide/cell_bodies.h"

#include "core/collide/pairs.h"

#include <algorithm>
#include <unordered_map>

namespace topikos {

using Kind = SceneBody::Kind;

std::optional<ContactMember> SceneBody::member() const
{
    switch (kind) {
    case Kind::Link: return ContactMember{ContactMember::Kind::Link, number, arm};
    case Kind::Tool:
    case Kind::Jaw: return ContactMember{ContactMember::Kind::Tool, 0, arm};
    case Kind::Frame: return ContactMember{ContactMember::Kind::Frame, frame.value};
    case Kind::Part: break;
    }
    return std::nullopt;
}

Pose placeOnArm(const SceneBody& body, const Tool& tool, const Pose& base, const ChainFrames& chain, double opening)
{
    if (body.kind == Kind::Link) return linkPlace(base, chain, body.number);
    const Pose flange = flangePlace(base, chain);
    return body.kind == Kind::Tool ? flange
                                   : flange * tool.flangeFromTcp * jawPlaces(tool.gripper, opening)[body.number];
}

ContactSide sideOf(const Cell& cell, const SceneBody& body, const Part* part)
{
    const auto member = body.member();
    return {member, body.part, member ? memberName(cell, *member) : part->name, body.standIn};
}

Movers moversOf(const Trace& trace)
{
    Movers out;
    for (const ArmTrace& arm : trace.arms)
        if (!arm.spans.empty()) out.arms.insert(arm.arm);
    for (const AxisTrack& track : trace.axes)
        out.axes.insert(track.frame);
    for (const PartEvent& event : trace.partEvents) {
        out.parts.insert(event.part);
        if (event.kind == PartEvent::Kind::Carried) out.carried.insert(event.part);
    }
    return out;
}

CellBodies::CellBodies(const Cell& cell, const Movers& movers, const std::vector<Part>& made, ContactCache& cache) :
    m_cell(&cell), m_places(cell)
{
    const auto add = [&](SceneBody body, const KnownShape& shape, bool moves, const Part* part = nullptr) {
        if (!shape.body) return;
        body.shape = shape.body;
        body.shapeNumber = shape.number;
        body.standIn = shape.standIn;
        m_bodies.push_back(std::move(body));
        m_moves.push_back(moves);
        m_parts.push_back(part);
        m_carried.push_back(part && movers.carried.contains(part->id));
    };
    const auto travels = [&](FrameId frame) {
        const std::vector<FrameId>& axes = m_places.axesAbove(frame);
        return std::any_of(axes.begin(), axes.end(), [&](FrameId axis) { return movers.axes.contains(axis); });
    };
    for (const ArmStation& arm : cell.arms) {
        const bool base = travels(arm.mount), runs = base || movers.arms.contains(arm.id);
        const std::vector<KnownShape> links = cache.linksOf(arm.model, arm.padding);
        for (std::uint32_t i = 0; i < links.size(); ++i)
            add({Kind::Link, arm.id, i}, links[i], i == 0 ? base : runs);
        const Tool& tool = toolInForce(cell, arm);
        add({Kind::Tool, arm.id}, cache.shapeOf(tool.body), runs);
        const KnownShape jaw = cache.shapeOf(tool.jaw);
        for (std::uint32_t i = 0; i < jawPlaces(tool.gripper, tool.gripper.open).size(); ++i)
            add({Kind::Jaw, arm.id, i}, jaw, runs);
    }
    for (const Frame& frame : cell.frames)
        add({Kind::Frame, {}, 0, frame.id}, cache.shapeOf(frame.solids), travels(frame.id));
    std::unordered_map<std::uint32_t, KnownShape> kinds;
    const auto addPart = [&](const Part& part) {
        auto kind = kinds.find(part.kind.value);
        if (kind == kinds.end())
            kind = kinds.emplace(part.kind.value, cache.shapeOf(findPartKind(cell, part.kind)->solids)).first;
        add({Kind::Part, {}, 0, {}, part.id}, kind->second, movers.parts.contains(part.id) || travels(part.frame),
            &part);
    };
    for (const Part& part : cell.parts)
        addPart(part);
    for (const Part& part : made)
        addPart(part);
}

std::string CellBodies::name(size_t body) const { return side(body).name; }

ContactSide CellBodies::side(size_t body) const { return sideOf(*m_cell, m_bodies[body], m_parts[body]); }

}  // namespace topikos
