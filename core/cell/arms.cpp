#include "core/cell/arms.h"

#include "core/cell/edit_layout.h"
#include "core/cell/edit_support.h"
#include "core/robot/data_sheet.h"

#include <fmt/format.h>

namespace topikos {

Result<Cell> addArm(const Cell& cell, const std::string& name, const ArmPtr& model, FrameId mount, ArmId* created)
{
    if (!model) return missing("arm");
    if (mount && !findFrame(cell, mount)) return missing("frame");
    if (Status bad = checkNewName(cell.arms, name)) return *bad;
    const std::string stem = shortened(name, 40);
    ToolId tool;
    Result<Cell> tooled = addTool(cell, freeNameIn(cell.tools, stem + " tool"), &tool);
    if (!tooled) return tooled;
    Cell next = std::move(tooled).value();
    ArmStation arm{{next.nextId++}, name, model, mount, tool, {next.nextId++}};
    Target home;
    home.id = arm.home;
    home.name = freeNameIn(next.targets, stem + " home");
    home.arm = arm.id;
    home.kind = Target::Kind::Posture;
    home.posture = armHome(*model);
    next.targets.push_back(std::move(home));
    next.routines.push_back({{next.nextId++}, freeNameIn(next.routines, stem + " routine"), {}, arm.id});
    next.inHand = arm.id;
    if (created) *created = arm.id;
    next.arms.push_back(std::move(arm));
    return next;
}

Result<Cell> renameArm(const Cell& cell, ArmId id, const std::string& name)
{
    return renamed(cell, &Cell::arms, id, name, "arm");
}

Result<Cell> deleteArm(const Cell& cell, ArmId id)
{
    const ArmStation* arm = findArm(cell, id);
    if (!arm) return missing("arm");
    if (cell.arms.size() == 1)
        return Error{"edit.last-arm", fmt::format("\"{}\" is the only arm of the cell", arm->name), "",
                     "Add another one first, or change its model."};
    Cell next = cell;
    std::erase_if(next.routines, [id](const Routine& r) { return r.arm == id; });
    std::erase_if(next.targets, [id](const Target& t) { return t.arm == id; });
    std::erase_if(next.patterns, [id](const Pattern& p) { return p.arm == id; });
    std::erase_if(next.contact.pairs, [id](const ContactPair& p) { return p.a.arm == id || p.b.arm == id; });
    std::erase_if(next.arms, [id](const ArmStation& a) { return a.id == id; });
    if (next.inHand == id) next.inHand = next.arms.front().id;
    return next;
}

Result<Cell> takeInHand(const Cell& cell, ArmId id)
{
    if (!findArm(cell, id)) return missing("arm");
    Cell next = cell;
    next.inHand = id;
    return next;
}

Result<Cell> setArmMount(const Cell& cell, ArmId id, FrameId frame)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    Cell next = cell;
    ArmStation* arm = findIn(next.arms, id);
    if (!arm) return missing("arm");
    arm->mount = frame;
    return next;
}

Result<Cell> addRoutine(const Cell& cell, const std::string& name, RoutineId* created)
{
    if (Status bad = checkNewName(cell.routines, name)) return *bad;
    Cell next = cell;
    const RoutineId id{next.nextId++};
    if (created) *created = id;
    next.routines.push_back({id, name, {}, cell.inHand});
    return next;
}

Result<Cell> setRoutineToRun(const Cell& cell, RoutineId id)
{
    const Routine* routine = findRoutine(cell, id);
    if (!routine) return missing("routine");
    Cell next = cell;
    const auto at = next.routines.begin() + (routine - cell.routines.data());
    std::rotate(next.routines.begin(), at, at + 1);
    return next;
}

Result<Cell> deleteRoutine(const Cell& cell, RoutineId id)
{
    const Routine* routine = findRoutine(cell, id);
    if (!routine) return missing("routine");
    const auto own = std::count_if(cell.routines.begin(), cell.routines.end(),
                                   [&](const Routine& r) { return r.arm == routine->arm; });
    if (own == 1)
        return Error{"edit.last-routine",
                     fmt::format("\"{}\" is the only routine of \"{}\"", routine->name, armOf(cell, *routine).name), "",
                     "Add another one first."};
    Cell next = cell;
    std::erase_if(next.routines, [id](const Routine& r) { return r.id == id; });
    return next;
}

}  // namespace topikos
