#include "app/layout/layout_commands.h"

#include "app/session/text.h"
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/cell/fixture.h"
#include "core/cell/new_cell.h"

namespace topikos {

FrameId frameForNew(const Session& session)
{
    if (const FrameId frame = session.selected<FrameId>()) return frame;
    if (const Part* part = findPart(session.cell(), session.selected<PartId>())) return part->frame;
    if (const Pattern* pattern = findPattern(session.cell(), session.selected<PatternId>())) return pattern->frame;
    return {};
}

void addFrameHere(Session& session)
{
    const FrameId parent = frameForNew(session);
    const std::string name = freeNameIn(session.cell().frames, "Frame");
    FrameId created;
    // Off its parent, so that it is seen.
    const Pose pose = parent ? translated({0.1, 0.1, 0}) : translated({0.8, 0, 0});
    if (session.edit("Add " + text(name),
                     [&](const Cell& cell) { return addFrame(cell, name, parent, pose, &created); }))
        session.selectNew(created);
}

void addPartHere(Session& session)
{
    const FrameId frame = frameForNew(session);
    const std::string name = freeNameIn(session.cell().parts, "Part");
    PartId created;
    const Pose pose = translated(frame ? Vec3(0, 0, 0.05) : Vec3(0.8, 0, 0.05));
    if (session.edit("Add " + text(name), [&](const Cell& cell) { return addPart(cell, name, frame, pose, &created); }))
        session.selectNew(created);
}

QString furnitureTitle(Furniture::Kind kind)
{
    QString title = furnitureWord(kind);
    title[0] = title[0].toUpper();
    return title;
}

void addFurnitureHere(Session& session, Furniture::Kind kind)
{
    const FrameId parent = frameForNew(session);
    const std::string name = freeNameIn(session.cell().frames, furnitureTitle(kind).toStdString());
    FrameId created;
    const Pose foot = translated(parent ? Vec3(0.1, 0.1, 0) : Vec3(1.2, 0, 0));
    if (session.edit("Add " + text(name), [&](const Cell& cell) {
            return addFurniture(cell, name, usualFurniture(kind), parent, foot, &created);
        }))
        session.selectNew(created);
}

void addToolHere(Session& session)
{
    const std::string name = freeNameIn(session.cell().tools, "Tool");
    ToolId created;
    if (session.edit("Add " + text(name), [&](const Cell& cell) { return addTool(cell, name, &created); }))
        session.selectNew(created);
}

void addGripperHere(Session& session, Gripper::Kind kind)
{
    const std::string name = freeNameIn(session.cell().tools, readyGripper(kind, 0).name);
    ToolId created;
    const auto make = [&](const Cell& cell) -> Result<Cell> {
        Result<Cell> next = addGripper(cell, name, kind, kUsualGrip, &created);
        return next ? setToolInForce(*next, session.station().id, created) : next;
    };
    if (session.edit("Add " + text(name), make)) session.selectNew(created);
}

void addDeviceHere(Session& session, Device::Kind kind)
{
    const FrameId parent = frameForNew(session);
    const std::string name = freeNameIn(session.cell().frames, deviceTitle(kind));
    FrameId created;
    const Pose pose = usualPlace(session.cell(), kind, parent);
    if (session.edit("Add " + text(name),
                     [&](const Cell& cell) { return addDevice(cell, kind, name, parent, pose, &created); }))
        session.selectNew(created);
}

void addArmHere(Session& session)
{
    const Cell& cell = session.cell();
    const std::string name = freeNameIn(cell.arms, "Arm");
    FrameId mount = session.selected<FrameId>();
    if (std::any_of(cell.arms.begin(), cell.arms.end(), [&](const ArmStation& a) { return a.mount == mount; }))
        mount = {};
    ArmId created;
    const auto make = [&](const Cell& before) -> Result<Cell> {
        Result<Cell> framed = before;
        FrameId base = mount;
        if (!base)
            framed = addFrame(before, freeNameIn(before.frames, name + " base"), {}, translated({0, 1.5, 0}), &base);
        return framed ? addArm(*framed, name, session.station().model, base, &created) : framed;
    };
    if (session.edit("Add " + text(name), make)) {
        session.takeInHand(created);
        session.selectNew(created);
        session.say(text(name) + " is in hand now: it is jogged and taught until another arm is taken.");
    }
}

void takeArmInHand(Session& session, ArmId arm)
{
    const ArmStation* station = findArm(session.cell(), arm);
    if (!station || arm == session.station().id) return;
    session.takeInHand(arm);
    session.say(text(station->name) + " is in hand.");
}

void takeNextArmInHand(Session& session)
{
    const Table<ArmStation>& arms = session.cell().arms;
    if (arms.size() == 1) return session.say("There is only one arm. Add another one in the layout.", true);
    const size_t at = *arms.placeOf(session.station().id);
    takeArmInHand(session, arms[(at + 1) % arms.size()].id);
}

void mountArmHere(Session& session)
{
    const FrameId frame = session.selected<FrameId>();
    if (!frame) return session.say("Select the frame that the arm is to stand on.", true);
    session.edit("Put the arm on " + text(frameName(session.cell(), frame)),
                 [=, arm = session.station().id](const Cell& c) { return setArmMount(c, arm, frame); });
}

void addRoutineForArm(Session& session)
{
    const std::string name = freeNameIn(session.cell().routines, "Routine");
    RoutineId created;
    const ArmId arm = session.station().id;
    if (session.edit("Add " + text(name), [&](const Cell& cell) { return addRoutine(cell, arm, name, &created); }))
        session.showRoutine(created);
}

void addPatternHere(Session& session)
{
    Pattern pattern;
    const Cell& cell = session.cell();
    std::string name = "Pattern";
    // What is repeated becomes the first place, and lends the pattern its name: "Tile" for "Tile 1".
    const auto stem = [](const std::string& of) {
        const size_t end = of.find_last_not_of("0123456789 ");
        return end == std::string::npos ? of : of.substr(0, end + 1);
    };
    PartId firstPart;
    TargetId firstTarget;
    if (const Target* target = findTarget(cell, session.selected<TargetId>());
        target && target->kind == Target::Kind::Pose) {
        pattern = patternOf(*target);
        if (!target->pattern) firstTarget = target->id, name = stem(target->name);
    } else if (const Part* part = findPart(cell, session.selected<PartId>())) {
        pattern.frame = part->frame;
        pattern.first = part->pose;
        pattern.kind = part->kind;
        if (!part->pattern) firstPart = part->id, name = stem(part->name);
    } else {
        pattern.frame = frameForNew(session);
        pattern.first = translated(pattern.frame ? Vec3(0, 0, 0.05) : Vec3(0.8, 0, 0.05));
    }
    pattern.name = freeNameIn(cell.patterns, name);
    PatternId created;
    const auto make = [&](const Cell& before) -> Result<Cell> {
        Pattern own = pattern;
        Cell next = before;
        if (own.content == Pattern::Content::Parts && !own.kind) {
            own.kind = {next.nextId++};
            next.partKinds.push_back({own.kind,
                                      freeNameIn(before.partKinds, "Kind"),
                                      0,
                                      {Solid{Solid::Kind::Box, {}, Vec3::Constant(0.06), {}}}});
        }
        return addPattern(next, own, &created, firstPart, firstTarget);
    };
    if (session.edit("Add " + text(pattern.name), make)) session.selectNew(created);
}

namespace {

QString nameOf(const Cell& cell, FrameId id) { return text(frameName(cell, id)); }
QString nameOf(const Cell& cell, PartId id) { return text(findPart(cell, id)->name); }
QString nameOf(const Cell& cell, TargetId id) { return text(findTarget(cell, id)->name); }
QString nameOf(const Cell& cell, ToolId id) { return text(findTool(cell, id)->name); }
QString nameOf(const Cell& cell, PatternId id) { return text(findPattern(cell, id)->name); }
QString nameOf(const Cell& cell, ArmId id) { return text(findArm(cell, id)->name); }

/// One edit for everything of a kind that is selected: "Delete Rack", or "Delete 3 frames". False when nothing of that
/// kind is.
template <class IdType, class Change>
bool editSelected(Session& session, const QString& verb, const QString& what, Change change)
{
    const std::vector<IdType> ids = session.allSelected<IdType>();
    if (ids.empty()) return false;
    const QString label = ids.size() == 1 ? verb + " " + nameOf(session.cell(), ids.front())
                                          : QString("%1 %2 %3s").arg(verb).arg(ids.size()).arg(what);
    session.edit(label, [&](const Cell& cell) {
        Result<Cell> next = cell;
        for (const IdType id : ids)
            if (next) next = change(*next, id);
        return next;
    });
    return true;
}

/// Copies all that is selected of a kind, and selects the copies.
template <class IdType, class Copy> bool copyAll(Session& session, const QString& what, Copy copy)
{
    std::vector<Selection> made;
    const bool any = editSelected<IdType>(session, "Copy", what, [&](const Cell& cell, IdType id) {
        IdType created;
        Result<Cell> next = copy(cell, id, &created);
        made.push_back(created);
        return next;
    });
    // A refused copy is nowhere to be selected.
    std::erase_if(made, [&](const Selection& s) { return !session.isThere(s); });
    if (made.size() == 1) session.selectNew(made.front());
    else if (!made.empty()) session.selectMany(made);
    return any;
}

}  // namespace

void copySelected(Session& session)
{
    if (copyAll<FrameId>(session, "frame", copyFixture) || copyAll<PartId>(session, "part", copyPart)
        || copyAll<TargetId>(session, "target", copyTarget))
        return;
    session.say("Select a frame, a part or a target to copy.", true);
}

void deleteSelected(Session& session)
{
    // A frame goes with what is below it, which may be selected as well.
    const auto frame = [](const Cell& c, FrameId id) {
        return findFrame(c, id) ? deleteFrame(c, id) : Result<Cell>(c);
    };
    const auto pattern = [](const Cell& c, PatternId id) { return deletePattern(c, id); };
    // A point of a drawn group goes out of the group.
    const auto targetOrPoint = [](const Cell& c, TargetId id) -> Result<Cell> {
        const Target* target = findTarget(c, id);
        const Pattern* group = target ? findPattern(c, target->pattern) : nullptr;
        if (!group || group->layout != Pattern::Layout::Drawn || group->drawing.points.size() < 2)
            return deleteTarget(c, id);
        Pattern next = *group;
        std::erase_if(next.drawing.points, [&](const SurfacePoint& p) { return p.number == target->place; });
        return changePattern(c, next);
    };
    if (editSelected<FrameId>(session, "Delete", "frame", frame)
        || editSelected<PartId>(session, "Delete", "part", deletePart)
        || editSelected<TargetId>(session, "Delete", "target", targetOrPoint)
        || editSelected<ToolId>(session, "Delete", "tool", deleteTool)
        || editSelected<PatternId>(session, "Delete", "pattern", pattern)
        || editSelected<ArmId>(session, "Delete", "arm", deleteArm))
        return;
    session.say("Select what is to be deleted.", true);
}

namespace {

/// Changes the look of all that is selected: what the last one gets, all get.
template <class Change> void changeLook(Session& session, const QString& label, Change change)
{
    const Cell& cell = session.cell();
    const Frame* frame = findFrame(cell, session.selected<FrameId>());
    const Part* part = findPart(cell, session.selected<PartId>());
    if (!frame && !part) return session.say("Select a frame or a part.", true);
    Look look = frame ? frame->look : part->look;
    change(look);
    if (!editSelected<FrameId>(session, label, "frame",
                               [look](const Cell& c, FrameId id) { return setFrameLook(c, id, look); }))
        editSelected<PartId>(session, label, "part",
                             [look](const Cell& c, PartId id) { return setPartLook(c, id, look); });
}

}  // namespace

void hideSelected(Session& session)
{
    changeLook(session, "Hide or show", [](Look& look) { look.hidden = !look.hidden; });
}
void lockSelected(Session& session)
{
    changeLook(session, "Lock or unlock", [](Look& look) { look.locked = !look.locked; });
}

void isolateSelected(Session& session)
{
    const FrameId frame = frameForNew(session);
    if (!frame) return session.say("Select a frame, or a part in one, to see it alone.", true);
    session.edit("Show " + text(frameName(session.cell(), frame)) + " alone",
                 [=](const Cell& c) { return isolateFrame(c, frame); });
}

void showEverything(Session& session)
{
    session.edit("Show everything", [](const Cell& c) { return showAll(c); });
}

void putToolInForce(Session& session)
{
    const ToolId tool = session.selected<ToolId>();
    if (!tool) return session.say("Select the tool that the arm is to carry.", true);
    session.edit("Put " + text(findTool(session.cell(), tool)->name) + " in force",
                 [=, arm = session.station().id](const Cell& c) { return setToolInForce(c, arm, tool); });
}

void switchAsBuilt(Session& session)
{
    const bool on = !session.cell().asBuilt;
    const auto count = std::count_if(session.cell().frames.begin(), session.cell().frames.end(),
                                     [](const Frame& f) { return f.measured.has_value(); });
    if (session.edit(on ? "Use measured places" : "Use drawn places",
                     [on](const Cell& c) { return setAsBuilt(c, on); }))
        session.say(
            QString(on ? "%1 measured frames stand as built." : "%1 measured frames stand as drawn.").arg(count));
}

}  // namespace topikos
