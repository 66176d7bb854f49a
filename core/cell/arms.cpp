#include "core/cell/arms.h"

#include "core/cell/edit_layout.h"
#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/robot/data_sheet.h"
#include "core/spatial/limits.h"

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
    arm.main = {next.nextId++};
    next.routines.push_back({arm.main, freeNameIn(next.routines, stem + " routine"), {}, arm.id});
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
    next.routines.eraseIf([id](const Routine& r) { return r.arm == id; });
    next.targets.eraseIf([id](const Target& t) { return t.arm == id; });
    next.patterns.eraseIf([id](const Pattern& p) { return p.arm == id; });
    next.timeTables.eraseIf([id](const TimeTable& t) { return t.arm == id; });
    std::erase_if(next.contact.pairs, [id](const ContactPair& p) { return p.a.arm == id || p.b.arm == id; });
    next.arms.eraseIf([id](const ArmStation& a) { return a.id == id; });
    return next;
}

Result<Cell> setArmPadding(const Cell& cell, ArmId id, double padding)
{
    if (Status bad = checkLimit(limits::kPadding, padding, "edit.arm-padding")) return *bad;
    Cell next = cell;
    ArmStation* arm = next.arms.edit(id);
    if (!arm) return missing("arm");
    arm->padding = padding;
    return next;
}

Result<Cell> setArmMount(const Cell& cell, ArmId id, FrameId frame)
{
    if (frame && !findFrame(cell, frame)) return missing("frame");
    Cell next = cell;
    ArmStation* arm = next.arms.edit(id);
    if (!arm) return missing("arm");
    arm->mount = frame;
    return next;
}

Result<Cell> addRoutine(const Cell& cell, ArmId arm, const std::string& name, RoutineId* created)
{
    if (arm && !findArm(cell, arm)) return missing("arm");
    if (Status bad = checkNewName(cell.routines, name)) return *bad;
    Cell next = cell;
    const RoutineId id{next.nextId++};
    if (created) *created = id;
    next.routines.push_back({id, name, {}, arm});
    return next;
}

Result<Cell> setMainRoutine(const Cell& cell, RoutineId id)
{
    const Routine* routine = findRoutine(cell, id);
    if (!routine) return missing("routine");
    if (!routine->arm || !routine->parameters.empty())
        return Error{"edit.main-routine",
                     fmt::format("\"{}\" {}", routine->name,
                                 routine->arm ? "has places that a call fills in" : "is not of one arm"),
                     "", "Let the arm run a routine of its own that calls it."};
    Cell next = cell;
    next.arms.edit(routine->arm)->main = id;
    return next;
}

Result<Cell> deleteRoutine(const Cell& cell, RoutineId id)
{
    const Routine* routine = findRoutine(cell, id);
    if (!routine) return missing("routine");
    for (const StepUse& use : stepsThatUse(cell, id))
        if (use.routine != id)
            return Error{"edit.routine-used", fmt::format("\"{}\" is called by {}", routine->name, wordsOf(cell, use)),
                         "", "Take that step out first."};
    Cell next = cell;
    if (routine->arm && armOf(cell, *routine).main == id) {
        const auto other = std::find_if(cell.routines.begin(), cell.routines.end(), [&](const Routine& r) {
            return r.arm == routine->arm && r.id != id && r.parameters.empty();
        });
        if (other == cell.routines.end())
            return Error{"edit.last-routine",
                         fmt::format("\"{}\" is the only routine that \"{}\" can run", routine->name,
                                     armOf(cell, *routine).name),
                         "", "Add another one first."};
        next.arms.edit(routine->arm)->main = other->id;
    }
    next.routines.erase(id);
    return next;
}

}  // namespace topikos
