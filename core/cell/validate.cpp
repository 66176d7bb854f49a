#include "core/cell/validate.h"

#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_support.h"
#include "core/cell/edit_targets.h"
#include "core/cell/pattern.h"
#include "core/cell/step_check.h"
#include "core/cell/step_tree.h"
#include "core/cell/time_tables.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <set>
#include <type_traits>
#include <unordered_set>

namespace topikos {

namespace {

Error fault(std::string message, std::string where)
{
    return {"cell.content", std::move(message), std::move(where), "Correct the file or open another one."};
}

Status checkId(std::uint32_t id, const std::string& of, std::unordered_set<std::uint32_t>& used, std::uint32_t nextId)
{
    if (id == 0 || id >= nextId)
        return fault(fmt::format("is {}; ids go from 1 to next-id - 1 = {}", id, nextId - 1), of + ".id");
    if (!used.insert(id).second) return fault(fmt::format("is {}, which another object has already", id), of + ".id");
    return std::nullopt;
}

template <class List>
Status checkIds(const List& objects, const char* list, std::unordered_set<std::uint32_t>& used, std::uint32_t nextId)
{
    for (size_t i = 0; i < objects.size(); ++i)
        if (Status bad = checkId(objects[i].id.value, fmt::format("{}[{}]", list, i), used, nextId)) return bad;
    return std::nullopt;
}

template <class List> Status checkNames(const List& objects, const char* list)
{
    std::unordered_set<std::string> names;
    if constexpr (std::is_same_v<typename List::value_type, Frame>) names.insert("world");  // the root has that name
    for (size_t i = 0; i < objects.size(); ++i) {
        const std::string name = lowered(objects[i].name);
        if (Status bad = checkName(objects[i].name)) return fault(bad->message, fmt::format("{}[{}].name", list, i));
        if (!names.insert(name).second)
            return fault(fmt::format("the name \"{}\" is taken", objects[i].name), fmt::format("{}[{}].name", list, i));
    }
    return std::nullopt;
}

/// Each place of a pattern is there, and taken by one thing of its kind at most.
template <class List>
Status checkMembers(const Cell& cell, const List& objects, const char* list, Pattern::Content content)
{
    std::set<std::pair<std::uint32_t, std::uint32_t>> taken;
    for (size_t i = 0; i < objects.size(); ++i) {
        const auto& o = objects[i];
        if (!o.pattern) continue;
        const std::string where = fmt::format("{}[{}].pattern", list, i);
        const Pattern* pattern = findPattern(cell, o.pattern);
        if (!pattern)
            return fault(fmt::format("pattern {} of \"{}\" is not in the cell", o.pattern.value, o.name), where);
        if (pattern->content != content)
            return fault(fmt::format("\"{}\" repeats other things than \"{}\"", pattern->name, o.name), where);
        if (o.place >= placeCount(*pattern))
            return fault(fmt::format("\"{}\" has {} places, so none with the number {}", pattern->name,
                                     placeCount(*pattern), o.place),
                         where);
        if (!taken.insert({o.pattern.value, o.place}).second)
            return fault(fmt::format("place {} of \"{}\" is taken twice", o.place, pattern->name), where);
    }
    return std::nullopt;
}

/// Every frame's parent exists, no frame is its own ancestor, and none has too many above it.
Status checkTree(const Cell& cell)
{
    for (size_t i = 0; i < cell.frames.size(); ++i) {
        const Frame& frame = cell.frames[i];
        if (frame.parent && !findFrame(cell, frame.parent))
            return fault(fmt::format("frame {} of \"{}\" is not in the cell", frame.parent.value, frame.name),
                         fmt::format("frames[{}].parent", i));
    }
    std::vector<size_t> depth(cell.frames.size(), 0);  // 0: not known yet
    std::vector<size_t> way;
    for (size_t i = 0; i < cell.frames.size(); ++i) {
        size_t above = 0;
        for (size_t at = i; depth[at] == 0;) {
            way.push_back(at);
            if (way.size() > cell.frames.size())
                return fault(fmt::format("\"{}\" hangs below itself", cell.frames[at].name),
                             fmt::format("frames[{}].parent", at));
            const FrameId parent = cell.frames[at].parent;
            if (!parent) break;
            at = *cell.frames.placeOf(parent);
            above = depth[at];
        }
        for (; !way.empty(); way.pop_back()) {
            depth[way.back()] = ++above;
            if (!limits::kTreeDepth.holds(double(above)))
                return fault(fmt::format("the frame tree is deeper than {:.0f} levels", limits::kTreeDepth.most),
                             fmt::format("frames[{}]", way.back()));
        }
    }
    return std::nullopt;
}

Status checkSolids(const std::vector<Solid>& solids, const std::string& where)
{
    if (Status bad = checkLimit(limits::kSolids, double(solids.size()), "cell.limit"))
        return fault(bad->message, where);
    for (size_t i = 0; i < solids.size(); ++i)
        if (Status bad = checkSolid(solids[i])) return fault(bad->message, fmt::format("{}[{}]", where, i));
    return std::nullopt;
}

Status checkAxes(const Cell& cell, const AxisValues& axes, const std::string& where)
{
    for (const AxisValue& a : axes) {
        const Frame* frame = findFrame(cell, a.frame);
        if (!frame || !frame->axis)
            return fault(fmt::format("frame {} is no axis of the cell", a.frame.value), where + ".axes");
        if (Status bad = checkAxisValue(*frame, a.value)) return fault(bad->message, where + ".axes");
    }
    return std::nullopt;
}

/// `tied`: targets of which it is known that their ties come to an end.
Status checkTarget(const Cell& cell, const Target& t, const std::string& where, std::unordered_set<std::uint32_t>& tied)
{
    const ArmStation* arm = findArm(cell, t.arm);
    if (!arm) return fault(fmt::format("arm {} of \"{}\" is not in the cell", t.arm.value, t.name), where + ".arm");
    const int joints = arm->model->jointCount();
    if (Status bad = checkAxes(cell, t.axes, where)) return bad;
    if (Status bad = checkTargetText(t)) return fault(bad->message, where);
    if (Status bad = checkFreedom(t.freedom)) return fault(bad->message, where + ".freedom");
    for (const auto& [way, name] : {std::pair(&t.approach, ".approach"), std::pair(&t.retract, ".retract")})
        if (Status bad = checkApproach(*way)) return fault(bad->message, where + name);
    if (t.tie) {
        if (Status bad = checkPose(t.tie->pose)) return fault(bad->message, where + ".tie");
        const Target* to = findTarget(cell, t.tie->target);
        if (t.tie->part ? !findPart(cell, t.tie->part) : !to || to->kind != Target::Kind::Pose)
            return fault("names nothing of the cell that a target can be tied to", where + ".tie");
        if (t.kind == Target::Kind::Posture || t.pattern)
            return fault(fmt::format("\"{}\" is placed by its joints or its pattern and is tied to nothing", t.name),
                         where + ".tie");
        // From target to target the ties come to an end.
        std::vector<std::uint32_t> way{t.id.value};
        bool loops = false;
        for (TargetId at = t.tie->target; at && !tied.contains(at.value) && !loops;) {
            const Target* next = findTarget(cell, at);
            way.push_back(at.value);
            at = next && next->tie ? next->tie->target : TargetId();
            loops = way.size() > cell.targets.size() + 1;
        }
        if (loops) return fault(fmt::format("\"{}\" would come to be tied to itself", t.name), where + ".tie");
        tied.insert(way.begin(), way.end());
    }
    for (const double value : t.posture)
        if (Status bad = checkLimit(limits::kJointTravel, value, "cell.limit", "a joint value"))
            return fault(bad->message, where + ".posture");
    if (t.kind == Target::Kind::Posture) {
        if (t.posture.size() != joints)
            return fault(fmt::format("has {} values; the arm has {} joints", t.posture.size(), joints),
                         where + ".posture");
    } else {
        if (t.frame && !findFrame(cell, t.frame))
            return fault(fmt::format("frame {} of \"{}\" is not in the cell", t.frame.value, t.name), where + ".frame");
        if (t.posture.size() != 0 && t.posture.size() != joints)
            return fault(fmt::format("has {} values; the arm has {} joints", t.posture.size(), joints),
                         where + ".taught");
        if (Status bad = checkPose(t.pose)) return fault(bad->message, where + ".pose");
        const Tool* tool = findTool(cell, t.tool);
        if (!tool)
            return fault(fmt::format("tool {} of \"{}\" is not in the cell", t.tool.value, t.name), where + ".tool");
        if (!hasPoint(*tool, t.tcp))
            return fault(fmt::format("\"{}\" has no point {}", tool->name, t.tcp.value), where + ".point");
    }
    return std::nullopt;
}

Status checkContent(const Cell& cell)
{
    const SignalWriters writers = signalWriters(cell);
    std::unordered_set<std::uint32_t> used;
    if (!limits::kIdentifier.holds(cell.nextId))
        return fault(fmt::format("is {}; {:.0f} is the limit", cell.nextId, limits::kIdentifier.most), "next-id");
    for (const auto& [list, size] :
         {std::pair("frames", cell.frames.size()), std::pair("tools", cell.tools.size()),
          std::pair("parts", cell.parts.size()), std::pair("part-kinds", cell.partKinds.size()),
          std::pair("patterns", cell.patterns.size()), std::pair("targets", cell.targets.size()),
          std::pair("routines", cell.routines.size()), std::pair("signals", cell.signals.size()),
          std::pair("time-tables", cell.timeTables.size()), std::pair("contact-pairs", cell.contact.pairs.size())})
        if (!limits::kListLength.holds(double(size)))
            return fault(fmt::format("has {} entries; {:.0f} is the limit", size, limits::kListLength.most), list);
    if (Status bad = checkIds(cell.frames, "frames", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.tools, "tools", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.parts, "parts", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.partKinds, "part-kinds", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.patterns, "patterns", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.targets, "targets", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.routines, "routines", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.arms, "arms", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.signals, "signals", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.timeTables, "time-tables", used, cell.nextId)) return bad;
    if (Status bad = checkNames(cell.arms, "arms")) return bad;
    if (Status bad = checkNames(cell.signals, "signals")) return bad;
    if (Status bad = checkNames(cell.timeTables, "time-tables")) return bad;
    if (Status bad = checkNames(cell.frames, "frames")) return bad;
    if (Status bad = checkNames(cell.tools, "tools")) return bad;
    if (Status bad = checkNames(cell.parts, "parts")) return bad;
    if (Status bad = checkNames(cell.partKinds, "part-kinds")) return bad;
    if (Status bad = checkNames(cell.patterns, "patterns")) return bad;
    if (Status bad = checkNames(cell.targets, "targets")) return bad;
    if (Status bad = checkNames(cell.routines, "routines")) return bad;
    if (Status bad = checkTree(cell)) return bad;
    if (Status bad = checkThresholds(cell.thresholds)) return fault(bad->message, "thresholds");
    if (Status bad = checkName(cell.name)) return fault(bad->message, "name");
    for (const auto& [limit, value] : {std::pair(&limits::kLineAcceleration, cell.lineLimits.acceleration),
                                       std::pair(&limits::kTurnSpeed, cell.lineLimits.turnSpeed),
                                       std::pair(&limits::kTurnAcceleration, cell.lineLimits.turnAcceleration)})
        if (Status bad = checkLimit(*limit, value, "cell.limit")) return fault(bad->message, "line-limits");
    for (size_t i = 0; i < cell.signals.size(); ++i)
        if (Status bad = checkSignalValue(cell.signals[i], cell.signals[i].start))
            return fault(bad->message, fmt::format("signals[{}].start", i));
    for (size_t i = 0; i < cell.frames.size(); ++i) {
        const Frame& frame = cell.frames[i];
        const std::string where = fmt::format("frames[{}]", i);
        if (Status bad = checkSolids(frame.solids, where + ".solids")) return bad;
        if (frame.axis)
            if (Status bad = checkAxis(*frame.axis)) return fault(bad->message, where + ".axis");
        if (frame.axis) {
            const Frame* device = findFrame(cell, deviceOfAxis(cell, frame.id));
            if (!device)
                return fault(fmt::format("\"{}\" has an axis, but hangs below no device", frame.name), where + ".axis");
            if (!hasAxes(device->device->kind))
                return fault(fmt::format("\"{}\" has an axis, but the device above it is the {} \"{}\", which has none",
                                         frame.name, deviceWord(device->device->kind), device->name),
                             where + ".axis");
        }
        if (Status bad = checkPose(frame.pose)) return fault(bad->message, where + ".pose");
        if (frame.measured)
            if (Status bad = checkPose(*frame.measured)) return fault(bad->message, where + ".measured");
        if (frame.device)
            if (Status bad = checkDevice(cell, frame, &writers)) return fault(bad->message, where + ".device");
    }
    for (size_t i = 0; i < cell.tools.size(); ++i) {
        const Tool& tool = cell.tools[i];
        const std::string where = fmt::format("tools[{}]", i);
        if (Status bad = checkIds(tool.points, (where + ".points").c_str(), used, cell.nextId)) return bad;
        if (Status bad = checkTool(tool)) return fault(bad->message, where);
    }
    for (size_t i = 0; i < cell.parts.size(); ++i) {
        const Part& part = cell.parts[i];
        if (part.frame && !findFrame(cell, part.frame))
            return fault(fmt::format("frame {} is not in the cell", part.frame.value),
                         fmt::format("parts[{}].frame", i));
        if (!findPartKind(cell, part.kind))
            return fault(fmt::format("kind {} of \"{}\" is not in the cell", part.kind.value, part.name),
                         fmt::format("parts[{}].kind", i));
        if (Status bad = checkPose(part.pose)) return fault(bad->message, fmt::format("parts[{}].pose", i));
    }
    for (size_t i = 0; i < cell.partKinds.size(); ++i) {
        if (Status bad = checkSolids(cell.partKinds[i].solids, fmt::format("part-kinds[{}].solids", i))) return bad;
        if (Status bad = checkLimit(limits::kMass, cell.partKinds[i].mass, "cell.limit"))
            return fault(bad->message, fmt::format("part-kinds[{}].mass", i));
        if (Status bad = checkGrips(cell.partKinds[i]))
            return fault(bad->message, fmt::format("part-kinds[{}].grips", i));
    }
    for (size_t i = 0; i < cell.patterns.size(); ++i)
        if (Status bad = checkPattern(cell, cell.patterns[i]))
            return fault(bad->message, fmt::format("patterns[{}]", i));
    for (size_t i = 0; i < cell.patterns.size(); ++i)
        if (Status bad = checkAxes(cell, cell.patterns[i].axes, fmt::format("patterns[{}]", i))) return bad;
    std::unordered_set<std::uint32_t> tied;
    for (size_t i = 0; i < cell.targets.size(); ++i)
        if (Status bad = checkTarget(cell, cell.targets[i], fmt::format("targets[{}]", i), tied)) return bad;
    if (Status bad = checkMembers(cell, cell.parts, "parts", Pattern::Content::Parts)) return bad;
    if (Status bad = checkMembers(cell, cell.targets, "targets", Pattern::Content::Targets)) return bad;
    for (size_t i = 0; i < cell.contact.pairs.size(); ++i)
        for (const ContactMember& m : {cell.contact.pairs[i].a, cell.contact.pairs[i].b}) {
            const ArmStation* arm = findArm(cell, m.arm);
            const bool known =
                m.kind == ContactMember::Kind::Frame
                    ? findFrame(cell, {m.id}) != nullptr
                    : arm && (m.kind == ContactMember::Kind::Tool || m.id <= std::uint32_t(arm->model->jointCount()));
            if (!known) return fault("names a body that is not in the cell", fmt::format("contact-pairs[{}]", i));
            if (const auto& caution = cell.contact.pairs[i].caution)
                if (Status bad = checkLimit(limits::kClearance, *caution, "cell.limit"))
                    return fault(bad->message, fmt::format("contact-pairs[{}].caution", i));
        }
    for (size_t t = 0; t < cell.tools.size(); ++t)
        for (const Process& process : cell.tools[t].processes) {
            const std::string where = fmt::format("tools[{}].processes", t);
            if (Status bad = checkId(process.id.value, where, used, cell.nextId)) return bad;
            if (Status bad = checkProcess(cell, cell.tools[t], process, &writers)) return fault(bad->message, where);
        }
    for (size_t i = 0; i < cell.timeTables.size(); ++i) {
        const TimeTable& table = cell.timeTables[i];
        const std::string where = fmt::format("time-tables[{}]", i);
        const ArmStation* arm = findArm(cell, table.arm);
        if (!arm)
            return fault(fmt::format("arm {} of \"{}\" is not in the cell", table.arm.value, table.name),
                         where + ".arm");
        if (Status bad = checkTimeRows(*table.rows, *arm->model))
            return fault(bad->message, where + (bad->where.empty() ? "" : ", " + bad->where));
    }
    for (size_t r = 0; r < cell.routines.size(); ++r) {
        const Routine& routine = cell.routines[r];
        const std::string where = fmt::format("routines[{}]", r);
        if (routine.arm && !findArm(cell, routine.arm))
            return fault(fmt::format("arm {} is not in the cell", routine.arm.value), where + ".arm");
        for (const Parameter& parameter : routine.parameters)
            if (Status bad = checkId(parameter.id.value, where + ".places", used, cell.nextId)) return bad;
        Status badId;
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            const std::uint32_t id = step.id.value;
            const bool right = id > 0 && id < cell.nextId && used.insert(id).second;
            if (!right && !badId) badId = checkId(id, fmt::format("{}.steps[{}]", where, number), used, cell.nextId);
        });
        if (badId) return badId;
        if (Status bad = checkRoutine(cell, routine, &writers))
            return fault(bad->message, where + (bad->where.empty() ? "" : ", " + bad->where));
    }
    for (size_t i = 0; i < cell.accepted.size(); ++i)
        if (Status bad = checkAccepted(cell.accepted[i])) return fault(bad->message, fmt::format("accepted[{}]", i));
    if (Status bad = checkCalls(cell)) return fault(bad->message, "routines");
    return std::nullopt;
}

/// What each arm of a cell refers to is there. Called when all else is known to be right.
Status checkArms(const Cell& cell)
{
    for (size_t i = 0; i < cell.arms.size(); ++i) {
        const ArmStation& arm = cell.arms[i];
        const std::string where = fmt::format("arms[{}]", i);
        if (Status bad = checkLimit(limits::kPadding, arm.padding, "cell.limit"))
            return fault(bad->message, where + ".padding");
        if (arm.mount && !findFrame(cell, arm.mount))
            return fault(fmt::format("frame {} is not in the cell", arm.mount.value), where + ".mount");
        const Tool* tool = findTool(cell, arm.tool);
        if (!tool) return fault(fmt::format("tool {} is not in the cell", arm.tool.value), where + ".tool");
        if (!hasPoint(*tool, arm.tcp))
            return fault(fmt::format("point {} is not one of the tool's", arm.tcp.value), where + ".point");
        for (size_t k = 0; k < i; ++k)
            if (cell.arms[k].tool == arm.tool)
                return fault(fmt::format("tool {} is carried by \"{}\" already", arm.tool.value, cell.arms[k].name),
                             where + ".tool");
        const Routine* main = findRoutine(cell, arm.main);
        if (!main || main->arm != arm.id) return fault("must name a routine of the arm", where + ".main");
        const Target* home = findTarget(cell, arm.home);
        if (!home || home->kind != Target::Kind::Posture || home->arm != arm.id)
            return fault("must name a posture target of the arm", where + ".home");
    }
    return std::nullopt;
}

}  // namespace

Status validate(const Cell& cell)
{
    if (Status bad = checkLimit(limits::kArms, double(cell.arms.size()), "cell.limit"))
        return fault(bad->message, "arms");
    if (Status bad = checkContent(cell)) return bad;
    return checkArms(cell);
}

namespace {

/// What may differ of an object without anything else of the cell having to do with it.
void takeOwnValues(Frame& frame, const Frame& from) { frame.pose = from.pose; }
void takeOwnValues(Part& part, const Part& from) { part.pose = from.pose; }
void takeOwnValues(Target& target, const Target& from)
{
    target.pose = from.pose;
    target.posture = from.posture;
    target.configuration = from.configuration;
    target.axes = from.axes;
    target.freedom = from.freedom;
    target.note = from.note;
}

/// Objects of which nothing but own values differs; nothing when there is any other difference.
template <class T> std::optional<std::vector<size_t>> ownValuesOnly(const Table<T>& before, const Table<T>& after)
{
    std::vector<size_t> out;
    if (before.isShared(after)) return out;
    if (before.size() != after.size()) return std::nullopt;
    for (size_t i = 0; i < after.size(); ++i) {
        if (before.shared(i) == after.shared(i)) continue;
        T taken = before[i];
        takeOwnValues(taken, after[i]);
        if (!(taken == after[i])) return std::nullopt;
        out.push_back(i);
    }
    return out;
}

}  // namespace

Status validate(const Cell& cell, const Cell& before)
{
    const bool same = cell.name == before.name && cell.thresholds == before.thresholds
                      && cell.lineLimits == before.lineLimits && cell.contact == before.contact
                      && cell.accepted == before.accepted && cell.nextId >= before.nextId
                      && limits::kIdentifier.holds(cell.nextId) && cell.arms.isShared(before.arms)
                      && cell.tools.isShared(before.tools) && cell.partKinds.isShared(before.partKinds)
                      && cell.patterns.isShared(before.patterns) && cell.signals.isShared(before.signals)
                      && cell.timeTables.isShared(before.timeTables) && cell.routines.isShared(before.routines);
    if (!same) return validate(cell);
    const auto frames = ownValuesOnly(before.frames, cell.frames);
    const auto parts = ownValuesOnly(before.parts, cell.parts);
    const auto targets = ownValuesOnly(before.targets, cell.targets);
    if (!frames || !parts || !targets) return validate(cell);
    for (const size_t i : *frames)
        if (Status bad = checkPose(cell.frames[i].pose)) return fault(bad->message, fmt::format("frames[{}].pose", i));
    for (const size_t i : *parts)
        if (Status bad = checkPose(cell.parts[i].pose)) return fault(bad->message, fmt::format("parts[{}].pose", i));
    std::unordered_set<std::uint32_t> tied;
    for (const size_t i : *targets)
        if (Status bad = checkTarget(cell, cell.targets[i], fmt::format("targets[{}]", i), tied)) return bad;
    return std::nullopt;
}

}  // namespace topikos
