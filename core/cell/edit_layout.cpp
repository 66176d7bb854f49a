#include "core/cell/edit_layout.h"

#include "core/cell/edit_support.h"
#include "core/cell/edit_targets.h"
#include "core/cell/pattern.h"
#include "core/cell/step_tree.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

namespace topikos {

namespace {

Status checkSolids(const std::vector<Solid>& solids)
{
    for (const Solid& solid : solids)
        if (Status bad = checkSolid(solid)) return bad;
    return std::nullopt;
}

/// Changes one object of a list; `change` may refuse.
template <class Object, class Change>
Result<Cell> changed(const Cell& cell, Table<Object> Cell::*objects, decltype(Object::id) id, const char* what,
                     Change change)
{
    Cell next = cell;
    Object* object = (next.*objects).edit(id);
    if (!object) return missing(what);
    if (Status bad = change(*object)) return *bad;
    return next;
}

}  // namespace

Result<Cell> renameFrame(const Cell& cell, FrameId id, const std::string& name)
{
    if (lowered(name) == "world")
        return Error{"edit.name-taken", "\"World\" is the name of the root frame", "", "Choose a different name."};
    return renamed(cell, &Cell::frames, id, name, "frame");
}
Result<Cell> renamePart(const Cell& cell, PartId id, const std::string& name)
{
    return renamed(cell, &Cell::parts, id, name, "part");
}
Result<Cell> renamePartKind(const Cell& cell, PartKindId id, const std::string& name)
{
    return renamed(cell, &Cell::partKinds, id, name, "kind of part");
}
Result<Cell> renameTool(const Cell& cell, ToolId id, const std::string& name)
{
    return renamed(cell, &Cell::tools, id, name, "tool");
}

Result<Cell> renamePattern(const Cell& cell, PatternId id, const std::string& name)
{
    const Pattern* pattern = findPattern(cell, id);
    if (!pattern) return missing("pattern");
    Pattern next = *pattern;
    next.name = name;
    return changePattern(cell, next);
}

Result<Cell> addFrame(const Cell& cell, const std::string& name, FrameId parent, const Pose& pose, FrameId* created)
{
    if (parent && !findFrame(cell, parent)) return missing("frame");
    if (lowered(name) == "world") return nameTaken("World");
    if (Status bad = checkNewName(cell.frames, name)) return *bad;
    if (Status bad = checkPose(pose)) return *bad;
    Cell next = cell;
    const FrameId id{next.nextId++};
    if (created) *created = id;
    next.frames.push_back({id, name, parent, pose, {}});
    return next;
}

Result<Cell> setFramePose(const Cell& cell, FrameId id, const Pose& pose)
{
    if (Status bad = checkPose(pose)) return *bad;
    return changed(cell, &Cell::frames, id, "frame", [&](Frame& frame) -> Status {
        if (cell.asBuilt && frame.measured) frame.measured = pose;
        else frame.pose = pose;
        return std::nullopt;
    });
}

Result<Cell> setFrameParent(const Cell& cell, FrameId id, FrameId parent)
{
    return changed(cell, &Cell::frames, id, "frame", [&](Frame& frame) -> Status {
        if (parent && !findFrame(cell, parent)) return missing("frame");
        if (parent && isBelow(cell, parent, id))
            return Error{
                "edit.frame-loop",
                fmt::format("\"{}\" hangs below \"{}\" and cannot carry it", frameName(cell, parent), frame.name), "",
                "Choose a parent outside its own branch."};
        if (frame.axis)
            return Error{
                "edit.axis-parent",
                fmt::format("\"{}\" is an axis of \"{}\"", frame.name, frameName(cell, deviceOfAxis(cell, id))), "",
                "Give the device another parent."};
        // Its place is kept as drawn, and as built.
        const auto moved = [&](bool asBuilt, const Pose& pose) {
            Cell of = cell;
            of.asBuilt = asBuilt;
            return inverse(worldFromFrame(of, parent)) * worldFromFrame(of, frame.parent) * pose;
        };
        const Pose drawn = moved(false, frame.pose), built = moved(true, frame.measured.value_or(frame.pose));
        const PoseDeviation off = deviation(drawn, built);
        if (frame.measured || off.metres > kSamePlace || off.radians > kSamePlace) frame.measured = built;
        frame.pose = drawn;
        frame.parent = parent;
        return std::nullopt;
    });
}

Result<Cell> setFrameMeasured(const Cell& cell, FrameId id, const std::optional<Pose>& pose)
{
    if (pose)
        if (Status bad = checkPose(*pose)) return *bad;
    return changed(cell, &Cell::frames, id, "frame", [&](Frame& frame) -> Status {
        frame.measured = pose;
        return std::nullopt;
    });
}

Result<Cell> setAsBuilt(const Cell& cell, bool on)
{
    Cell next = cell;
    next.asBuilt = on;
    return next;
}

Result<Cell> setFrameSolids(const Cell& cell, FrameId id, const std::vector<Solid>& solids)
{
    if (Status bad = checkSolids(solids)) return *bad;
    return changed(cell, &Cell::frames, id, "frame", [&](Frame& frame) -> Status {
        frame.solids = solids;
        return std::nullopt;
    });
}

Result<Cell> deleteFrame(const Cell& cell, FrameId id)
{
    const Frame* frame = findFrame(cell, id);
    if (!frame) return missing("frame");
    const auto goes = [&](FrameId f) { return f && isBelow(cell, f, id); };
    for (const ArmStation& arm : cell.arms)
        if (goes(arm.mount))
            return Error{"edit.frame-mount",
                         fmt::format("\"{}\" stands on \"{}\"", arm.name, frameName(cell, arm.mount)), "",
                         "Put the arm on another frame first."};
    if (frame->axis)
        return Error{"edit.axis-delete",
                     fmt::format("\"{}\" is an axis of \"{}\"", frame->name, frameName(cell, deviceOfAxis(cell, id))),
                     "", "Delete the device."};
    for (const Frame& below : cell.frames) {
        if (!goes(below.id)) continue;
        for (const StepUse& use : stepsThatUse(cell, below.id))
            return Error{"edit.device-used", fmt::format("\"{}\" is used by {}", below.name, wordsOf(cell, use)), "",
                         "Delete that step first."};
    }
    Cell next = cell;
    for (const Target& target : cell.targets) {
        if (target.kind != Target::Kind::Pose || !goes(target.frame)) continue;
        if (Status used = checkUnused(cell, target)) return *used;
    }
    next.targets.eraseIf([&](const Target& t) { return t.kind == Target::Kind::Pose && goes(t.frame); });
    next.parts.eraseIf([&](const Part& p) { return goes(p.frame); });
    next.patterns.eraseIf([&](const Pattern& p) { return goes(p.frame); });
    next.frames.eraseIf([&](const Frame& f) { return goes(f.id); });
    const auto axisGoes = [&](const AxisValue& a) { return goes(a.frame); };
    const auto loses = [&](const auto& object) {
        return std::any_of(object.axes.begin(), object.axes.end(), axisGoes);
    };
    const auto lose = [&](auto& object) { std::erase_if(object.axes, axisGoes); };
    next.targets.change(loses, lose);
    next.patterns.change(loses, lose);
    const auto lost = [&](const ContactMember& m) { return m.kind == ContactMember::Kind::Frame && goes({m.id}); };
    std::erase_if(next.contact.pairs, [&](const ContactPair& p) { return lost(p.a) || lost(p.b); });
    dropUnusedKinds(next);
    return next;
}

Result<Cell> addPart(const Cell& cell, const std::string& name, FrameId frame, const Pose& pose, PartId* created)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    if (Status bad = checkNewName(cell.parts, name)) return *bad;
    if (Status bad = checkPose(pose)) return *bad;
    Cell next = cell;
    PartKind kind{{next.nextId++}, freeNameIn(cell.partKinds, name), 0, {Solid{}}};
    Part part{{next.nextId++}, name, kind.id, frame, pose};
    if (created) *created = part.id;
    next.partKinds.push_back(std::move(kind));
    next.parts.push_back(std::move(part));
    return next;
}

Result<Cell> copyPart(const Cell& cell, PartId id, PartId* created)
{
    const Part* part = findPart(cell, id);
    if (!part) return missing("part");
    Cell next = cell;
    Part copy = *part;
    copy.id = {next.nextId++};
    copy.name = freeNameIn(cell.parts, part->name + " copy");
    copy.pattern = {};
    copy.pose.translation += Vec3(0.05, 0.05, 0);
    if (created) *created = copy.id;
    next.parts.push_back(std::move(copy));
    return next;
}

Result<Cell> deletePart(const Cell& cell, PartId id)
{
    const Part* part = findPart(cell, id);
    if (!part) return missing("part");
    if (Status bad = checkNoMember(cell, *part)) return *bad;
    Cell next = cell;
    next.parts.erase(id);
    dropUnusedKinds(next);
    return next;
}

Result<Cell> setPartPose(const Cell& cell, PartId id, const Pose& pose)
{
    if (Status bad = checkPose(pose)) return *bad;
    return changed(cell, &Cell::parts, id, "part", [&](Part& part) -> Status {
        if (Status bad = checkNoMember(cell, part)) return bad;
        part.pose = pose;
        return std::nullopt;
    });
}

Result<Cell> setPartFrame(const Cell& cell, PartId id, FrameId frame)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    return changed(cell, &Cell::parts, id, "part", [&](Part& part) -> Status {
        if (Status bad = checkNoMember(cell, part)) return bad;
        part.pose = inverse(worldFromFrame(cell, frame)) * worldFromPart(cell, part);
        part.frame = frame;
        return std::nullopt;
    });
}

Result<Cell> setPartKind(const Cell& cell, PartId id, PartKindId kind)
{
    if (!findPartKind(cell, kind)) return missing("kind of part");
    Result<Cell> next = changed(cell, &Cell::parts, id, "part", [&](Part& part) -> Status {
        if (Status bad = checkNoMember(cell, part)) return bad;
        part.kind = kind;
        return std::nullopt;
    });
    if (!next) return next;
    Cell tidy = std::move(next).value();
    dropUnusedKinds(tidy);
    return tidy;
}

Result<Cell> changePartKind(const Cell& cell, const PartKind& kind)
{
    if (Status bad = checkNewName(cell.partKinds, kind.name, kind.id)) return *bad;
    if (Status bad = checkSolids(kind.solids)) return *bad;
    if (Status bad = checkLimit(limits::kMass, kind.mass, "edit.mass")) return *bad;
    if (Status bad = checkGrips(kind)) return *bad;
    return changed(cell, &Cell::partKinds, kind.id, "kind of part", [&](PartKind& own) -> Status {
        own = kind;
        return std::nullopt;
    });
}

Status checkGrips(const PartKind& kind)
{
    if (Status bad = checkLimit(limits::kGrips, double(kind.grips.size()), "edit.grips")) return bad;
    for (size_t i = 0; i < kind.grips.size(); ++i) {
        const GripPoint& grip = kind.grips[i];
        if (Status bad = checkName(grip.name)) return bad;
        for (size_t k = 0; k < i; ++k)
            if (lowered(kind.grips[k].name) == lowered(grip.name)) return nameTaken(grip.name);
        if (Status bad = checkPose(grip.pose)) return bad;
        if (Status bad = checkFreedom(grip.freedom)) return bad;
    }
    return std::nullopt;
}

Result<Cell> addTool(const Cell& cell, const std::string& name, ToolId* created)
{
    if (Status bad = checkNewName(cell.tools, name)) return *bad;
    Cell next = cell;
    Tool tool;
    tool.id = {next.nextId++};
    tool.name = name;
    tool.flangeFromTcp = translated({0, 0, 0.1});
    tool.body = {Solid{Solid::Kind::Cylinder, translated({0, 0, 0.05}), {0.03, 0.03, 0.1}, {96, 108, 116}}};
    if (created) *created = tool.id;
    next.tools.push_back(std::move(tool));
    return next;
}

Status checkTool(const Tool& tool)
{
    const auto fail = [](const char* code, std::string message) {
        return Error{code, std::move(message), "", "Give a value in that range."};
    };
    if (Status bad = checkPose(tool.flangeFromTcp)) return bad;
    for (const ToolPoint& point : tool.points) {
        if (Status bad = checkNewName(tool.points, point.name, point.id)) return bad;
        if (Status bad = checkPose(point.flangeFromTcp)) return bad;
    }
    if (Status bad = checkSolids(tool.body)) return bad;
    if (Status bad = checkSolids(tool.jaw)) return bad;
    const Gripper& g = tool.gripper;
    for (const double width : {g.closed, g.open})
        if (Status bad = checkLimit(limits::kJaw, width, "edit.gripper")) return bad;
    if (g.open < g.closed)
        return fail("edit.gripper", fmt::format("jaws cannot be closed at {:.6g} mm and open at {:.6g} mm",
                                                millimetres(g.closed), millimetres(g.open)));
    if (Status bad = checkLimit(limits::kGripTime, g.time, "edit.gripper")) return bad;
    if (Status bad = checkLimit(limits::kJaw, g.grasp, "edit.gripper", "a grip distance")) return bad;
    if (Status bad = checkLimit(limits::kPivot, g.pivot, "edit.gripper")) return bad;
    for (const double edge : g.region)
        if (Status bad = checkLimit(limits::kJaw, edge, "edit.gripper", "an edge of a grip region")) return bad;
    if (Status bad = checkLimit(limits::kMass, tool.mass, "edit.mass")) return bad;
    if (!tool.centreOfMass.allFinite() || tool.centreOfMass.cwiseAbs().maxCoeff() > limits::kJaw.most)
        return fail("edit.mass",
                    fmt::format("the centre of mass must lie within {:.0f} m of the flange", limits::kJaw.most));
    const Vec3& i = tool.inertia;
    for (const double moment : i)
        if (Status bad = checkLimit(limits::kInertia, moment, "edit.inertia")) return bad;
    if (2 * i.maxCoeff() > i.sum() * (1 + 1e-9) + 1e-12)
        return fail("edit.inertia",
                    "no body has such moments of inertia: none can be larger than the two others together");
    return std::nullopt;
}

Result<Cell> changeTool(const Cell& cell, const Tool& tool)
{
    if (Status bad = checkNewName(cell.tools, tool.name, tool.id)) return *bad;
    if (Status bad = checkTool(tool)) return *bad;
    const auto gone = [&](TcpId tcp) {
        return tcp
               && std::none_of(tool.points.begin(), tool.points.end(), [&](const ToolPoint& p) { return p.id == tcp; });
    };
    for (const Target& target : cell.targets)
        if (target.kind == Target::Kind::Pose && target.tool == tool.id && gone(target.tcp))
            return Error{"edit.tool-used", fmt::format("the target \"{}\" uses this point of the tool", target.name),
                         "", "Take that target with another point first."};
    Result<Cell> next = changed(cell, &Cell::tools, tool.id, "tool", [&](Tool& own) -> Status {
        own = tool;
        return std::nullopt;
    });
    if (!next) return next;
    Cell tidy = std::move(next).value();
    tidy.arms.change([&](const ArmStation& arm) { return arm.tool == tool.id && gone(arm.tcp); },
                     [](ArmStation& arm) { arm.tcp = {}; });
    return tidy;
}

Result<Cell> setToolTcp(const Cell& cell, ToolId id, const Pose& pose, TcpId tcp)
{
    const Tool* tool = findTool(cell, id);
    if (!tool) return missing("tool");
    Tool next = *tool;
    ToolPoint* point = findIn(next.points, tcp);
    if (tcp && !point) return missing("point of the tool");
    (point ? point->flangeFromTcp : next.flangeFromTcp) = pose;
    return changeTool(cell, next);
}

Result<Cell> addToolPoint(const Cell& cell, ToolId id, const std::string& name, const Pose& pose, TcpId* created)
{
    const Tool* tool = findTool(cell, id);
    if (!tool) return missing("tool");
    if (Status bad = checkNewName(tool->points, name)) return *bad;
    Cell numbered = cell;
    Tool next = *tool;
    next.points.push_back({{numbered.nextId++}, name, pose});
    if (created) *created = next.points.back().id;
    return changeTool(numbered, next);
}

Result<Cell> setToolInForce(const Cell& cell, ArmId holder, ToolId id, TcpId tcp)
{
    if (!findArm(cell, holder)) return missing("arm");
    const Tool* tool = findTool(cell, id);
    if (!tool) return missing("tool");
    if (tcp && std::none_of(tool->points.begin(), tool->points.end(), [&](const ToolPoint& p) { return p.id == tcp; }))
        return missing("point of the tool");
    for (const ArmStation& other : cell.arms)
        if (other.id != holder && other.tool == id)
            return Error{"edit.tool-used", fmt::format("\"{}\" carries \"{}\"", other.name, tool->name), "",
                         "Add another tool for this arm."};
    Cell next = cell;
    ArmStation& arm = *next.arms.edit(holder);
    if (arm.tool != id) {
        // What the other tool touched says nothing about this one.
        const auto isTool = [&](const ContactMember& m) {
            return m.kind == ContactMember::Kind::Tool && m.arm == arm.id;
        };
        std::erase_if(next.contact.pairs, [&](const ContactPair& p) { return isTool(p.a) || isTool(p.b); });
    }
    arm.tool = id;
    arm.tcp = tcp;
    return next;
}

Result<Cell> deleteTool(const Cell& cell, ToolId id)
{
    const Tool* tool = findTool(cell, id);
    if (!tool) return missing("tool");
    for (const ArmStation& arm : cell.arms)
        if (id == arm.tool)
            return Error{"edit.tool-used", fmt::format("\"{}\" carries \"{}\"", arm.name, tool->name), "",
                         "Put another tool in force first."};
    for (const Target& target : cell.targets)
        if (target.kind == Target::Kind::Pose && target.tool == id)
            return Error{"edit.tool-used", fmt::format("the target \"{}\" uses \"{}\"", target.name, tool->name), "",
                         "Take that target with another tool first."};
    for (const Pattern& pattern : cell.patterns)
        if (pattern.tool == id)
            return Error{"edit.tool-used", fmt::format("the pattern \"{}\" uses \"{}\"", pattern.name, tool->name), "",
                         "Give that pattern another tool first."};
    Cell next = cell;
    next.tools.erase(id);
    return next;
}

Result<Cell> setFrameLook(const Cell& cell, FrameId id, const Look& look)
{
    return changed(cell, &Cell::frames, id, "frame", [&](Frame& frame) -> Status {
        frame.look = look;
        return std::nullopt;
    });
}

Result<Cell> setPartLook(const Cell& cell, PartId id, const Look& look)
{
    return changed(cell, &Cell::parts, id, "part", [&](Part& part) -> Status {
        part.look = look;
        return std::nullopt;
    });
}

Result<Cell> isolateFrame(const Cell& cell, FrameId id)
{
    if (!findFrame(cell, id)) return missing("frame");
    Cell next = cell;
    const auto hides = [&](FrameId frame) { return !frame || !isBelow(cell, frame, id); };
    next.frames.change([&](const Frame& f) { return f.look.hidden != hides(f.id); },
                       [&](Frame& f) { f.look.hidden = !f.look.hidden; });
    next.parts.change([&](const Part& p) { return p.look.hidden != hides(p.frame); },
                      [&](Part& p) { p.look.hidden = !p.look.hidden; });
    return next;
}

Result<Cell> showAll(const Cell& cell)
{
    Cell next = cell;
    const auto hidden = [](const auto& object) { return object.look.hidden; };
    const auto show = [](auto& object) { object.look.hidden = false; };
    next.frames.change(hidden, show);
    next.parts.change(hidden, show);
    return next;
}

}  // namespace topikos
