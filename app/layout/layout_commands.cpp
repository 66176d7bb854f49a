#include "app/layout/layout_commands.h"

#include "app/session/text.h"
#include "core/cell/edit_support.h"
#include "core/cell/fixture.h"

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
    if (session.edit("Add " + text(name), [&](const Cell& cell) { return addFrame(cell, name, parent, pose, &created); })) session.select(created);
}

void addPartHere(Session& session)
{
    const FrameId frame = frameForNew(session);
    const std::string name = freeNameIn(session.cell().parts, "Part");
    PartId created;
    const Pose pose = translated(frame ? Vec3(0, 0, 0.05) : Vec3(0.8, 0, 0.05));
    if (session.edit("Add " + text(name), [&](const Cell& cell) { return addPart(cell, name, frame, pose, &created); })) session.select(created);
}

void addToolHere(Session& session)
{
    const std::string name = freeNameIn(session.cell().tools, "Tool");
    ToolId created;
    if (session.edit("Add " + text(name), [&](const Cell& cell) { return addTool(cell, name, &created); })) session.select(created);
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
    if (const Target* target = findTarget(cell, session.selected<TargetId>()); target && target->kind == Target::Kind::Pose) {
        pattern.content = Pattern::Content::Targets;
        pattern.frame = target->frame;
        pattern.first = target->pose;
        pattern.arm = target->arm;
        pattern.tool = target->tool;
        pattern.axes = target->axes;
        pattern.configuration = target->configuration;
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
            next.partKinds.push_back({own.kind, freeNameIn(before.partKinds, "Kind"), 0, {Solid{Solid::Kind::Box, {}, Vec3::Constant(0.06), {}}}});
        }
        return addPattern(next, own, &created, firstPart, firstTarget);
    };
    if (session.edit("Add " + text(pattern.name), make)) session.select(created);
}

void copySelected(Session& session)
{
    if (const FrameId id = session.selected<FrameId>()) {
        FrameId created;
        if (session.edit("Copy " + text(frameName(session.cell(), id)), [&](const Cell& cell) { return copyFixture(cell, id, &created); })) session.select(created);
    } else if (const PartId part = session.selected<PartId>()) {
        PartId created;
        if (session.edit("Copy part", [&](const Cell& cell) { return copyPart(cell, part, &created); })) session.select(created);
    } else {
        session.say("Select a frame or a part to copy.", true);
    }
}

void deleteSelected(Session& session)
{
    const auto run = [&](const QString& label, auto edit) { session.edit(label, edit); };
    if (const FrameId frame = session.selected<FrameId>()) run("Delete " + text(frameName(session.cell(), frame)), [=](const Cell& c) { return deleteFrame(c, frame); });
    else if (const PartId part = session.selected<PartId>()) run("Delete part", [=](const Cell& c) { return deletePart(c, part); });
    else if (const ToolId tool = session.selected<ToolId>()) run("Delete tool", [=](const Cell& c) { return deleteTool(c, tool); });
    else if (const PatternId pattern = session.selected<PatternId>()) run("Delete pattern", [=](const Cell& c) { return deletePattern(c, pattern); });
    else session.say("Select a frame, part, tool or pattern to delete.", true);
}

namespace {

template <class Change>
void changeLook(Session& session, const QString& label, Change change)
{
    const Cell& cell = session.cell();
    if (const Frame* frame = findFrame(cell, session.selected<FrameId>())) {
        Look look = frame->look;
        change(look);
        session.edit(label, [id = frame->id, look](const Cell& c) { return setFrameLook(c, id, look); });
    } else if (const Part* part = findPart(cell, session.selected<PartId>())) {
        Look look = part->look;
        change(look);
        session.edit(label, [id = part->id, look](const Cell& c) { return setPartLook(c, id, look); });
    } else {
        session.say("Select a frame or a part.", true);
    }
}

}  // namespace

void hideSelected(Session& session) { changeLook(session, "Hide or show", [](Look& look) { look.hidden = !look.hidden; }); }
void lockSelected(Session& session) { changeLook(session, "Lock or unlock", [](Look& look) { look.locked = !look.locked; }); }

void isolateSelected(Session& session)
{
    const FrameId frame = frameForNew(session);
    if (!frame) return session.say("Select a frame, or a part in one, to see it alone.", true);
    session.edit("Show " + text(frameName(session.cell(), frame)) + " alone", [=](const Cell& c) { return isolateFrame(c, frame); });
}

void showEverything(Session& session) { session.edit("Show everything", [](const Cell& c) { return showAll(c); }); }

void putToolInForce(Session& session)
{
    const ToolId tool = session.selected<ToolId>();
    if (!tool) return session.say("Select the tool that the arm is to carry.", true);
    session.edit("Put " + text(findTool(session.cell(), tool)->name) + " in force", [=](const Cell& c) { return setToolInForce(c, tool); });
}

void switchAsBuilt(Session& session)
{
    const bool on = !session.cell().asBuilt;
    const auto count = std::count_if(session.cell().frames.begin(), session.cell().frames.end(), [](const Frame& f) { return f.measured.has_value(); });
    if (session.edit(on ? "Use measured places" : "Use drawn places", [on](const Cell& c) { return setAsBuilt(c, on); }))
        session.say(QString(on ? "%1 measured frames stand as built." : "%1 measured frames stand as drawn.").arg(count));
}

}  // namespace topikos
