#include "core/exchange/cell_file.h"

#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_support.h"
#include "core/cell/pattern.h"
#include "core/exchange/arm_file.h"
#include "core/exchange/arm_fields.h"
#include "core/exchange/cell_fields.h"
#include "core/exchange/document.h"
#include "core/robot/catalogue.h"

#include <fmt/format.h>

#include <cmath>
#include <unordered_set>

namespace topikos {

namespace {

constexpr DocumentKind kCellDocument{"topikos-cell", kCellFormatVersion, "cell file", ".topikos", "cell"};
constexpr size_t kDeepestTree = 100;
constexpr std::uint32_t kLargestId = 4000000000;  // leaves room for edits
constexpr size_t kLongestList = 100000;

/// An axis held in place.
struct StoredLock {
    std::uint32_t joint = 0;  ///< from 1
    double value = 0;         ///< [rad or m]
};

template <class Io> void fields(Io& io, StoredLock& l)
{
    io.field("joint", l.joint);
    io.field("value", l.value);
}

/// The arm as the file holds it: by catalogue id, or with its data sheet.
struct StoredArm {
    ArmId id;
    std::string name, model;
    FrameId mount;
    ToolId tool;
    TargetId home;
    TcpId point;
    std::vector<StoredLock> locks;
    std::optional<DataSheet> sheet;
};

template <class Io> void fields(Io& io, StoredArm& a)
{
    io.optional("id", a.id, ArmId());  // files of version 1 and 2 have none
    io.field("name", a.name);
    io.field("model", a.model);
    io.field("mount", a.mount);
    io.field("tool", a.tool);
    io.field("home", a.home);
    io.optional("point", a.point, TcpId());
    io.optionalList("locks", a.locks);
    io.optionalObject("sheet", a.sheet);
}

/// A surface from a file, packed: three float32 [m] per point, three uint32 per triangle.
struct StoredSurface {
    std::vector<float> points;
    std::vector<std::uint32_t> triangles;
    std::vector<float> lightPoints;  ///< none: as drawn
    std::vector<std::uint32_t> lightTriangles;
};

template <class Io> void fields(Io& io, StoredSurface& s)
{
    io.packed("points", s.points);
    io.packed("triangles", s.triangles);
    io.packed("light-points", s.lightPoints);
    io.packed("light-triangles", s.lightTriangles);
}

void pack(const Triangles& from, std::vector<float>& points, std::vector<std::uint32_t>& triangles)
{
    for (const Eigen::Vector3f& p : from.points)
        points.insert(points.end(), p.data(), p.data() + 3);
    for (const auto& face : from.faces)
        triangles.insert(triangles.end(), face.begin(), face.end());
}

/// Nothing when the lists do not make triangles.
std::shared_ptr<const Triangles> unpack(const std::vector<float>& points, const std::vector<std::uint32_t>& triangles)
{
    if (points.size() % 3 || triangles.size() % 3 || triangles.empty()) return nullptr;
    auto out = std::make_shared<Triangles>();
    for (size_t i = 0; i < points.size(); i += 3) {
        out->points.push_back({points[i], points[i + 1], points[i + 2]});
        if (!out->points.back().allFinite()) return nullptr;
    }
    for (size_t i = 0; i < triangles.size(); i += 3) {
        out->faces.push_back({triangles[i], triangles[i + 1], triangles[i + 2]});
        for (const std::uint32_t corner : out->faces.back())
            if (corner >= out->points.size()) return nullptr;
    }
    return out;
}

struct StoredCell {
    std::string format = kCellDocument.format;
    std::uint32_t version = kCellFormatVersion;
    Cell cell;
    std::vector<StoredArm> arms;
    std::vector<StoredPart> parts;
    std::vector<StoredSurface> surfaces;
};

template <class Io> void fields(Io& io, StoredCell& s)
{
    io.field("format", s.format);
    io.field("version", s.version);
    io.field("name", s.cell.name);
    io.field("next-id", s.cell.nextId);
    io.object("thresholds", s.cell.thresholds);
    io.object("line-limits", s.cell.lineLimits);
    io.optionalWord("angles", s.cell.angles, kAngleWords, AngleOrder::FixedXyz);
    io.optional("as-built", s.cell.asBuilt, true);
    SurfaceShelf shelf;
    io.shelf = &shelf;
    if constexpr (Io::kReads) {
        // Shapes refer to them.
        io.optionalList("surfaces", s.surfaces);
        for (size_t i = 0; i < s.surfaces.size(); ++i) {
            StoredSurface& stored = s.surfaces[i];
            const auto drawn = unpack(stored.points, stored.triangles);
            const auto light =
                stored.lightTriangles.empty() ? drawn : unpack(stored.lightPoints, stored.lightTriangles);
            if (!drawn || !light)
                return io.fail("surfaces", "must hold points of three numbers and triangles of three of these points");
            shelf.surfaces.push_back({drawn, light});
            stored = {};
        }
    }
    io.list("arms", s.arms);
    io.optional("in-hand", s.cell.inHand, ArmId());
    io.list("frames", s.cell.frames);
    io.list("tools", s.cell.tools);
    io.optionalList("part-kinds", s.cell.partKinds);
    io.list("parts", s.parts);
    io.optionalList("patterns", s.cell.patterns);
    io.list("targets", s.cell.targets);
    io.optionalList("signals", s.cell.signals);
    io.list("routines", s.cell.routines);
    io.optional("contact-samples", s.cell.contact.samples, std::uint32_t(0));
    io.optional("contact-seed", s.cell.contact.seed, std::uint32_t(0));
    io.optionalList("contact-pairs", s.cell.contact.pairs);
    if constexpr (!Io::kReads) {
        for (const Surface& surface : shelf.surfaces) {
            StoredSurface& stored = s.surfaces.emplace_back();
            pack(*surface.drawn, stored.points, stored.triangles);
            if (surface.light != surface.drawn) pack(*surface.light, stored.lightPoints, stored.lightTriangles);
        }
        io.optionalList("surfaces", s.surfaces);
    }
    io.shelf = nullptr;
}

/// Parts of version 1 had solids of their own: parts of the same shape become one kind.
void giveKinds(Cell& cell, std::vector<StoredPart>& stored)
{
    for (StoredPart& s : stored) {
        if (!s.part.kind) {
            const auto same = std::find_if(cell.partKinds.begin(), cell.partKinds.end(),
                                           [&](const PartKind& k) { return k.solids == s.solids; });
            if (same != cell.partKinds.end()) {
                s.part.kind = same->id;
            } else {
                std::string stem = s.part.name.substr(0, s.part.name.find_last_not_of("0123456789 ") + 1);
                if (stem.empty()) stem = s.part.name;
                s.part.kind = {cell.nextId++};
                cell.partKinds.push_back({s.part.kind, freeNameIn(cell.partKinds, stem), 0, s.solids});
            }
        }
        cell.parts.push_back(std::move(s.part));
    }
}

Error fault(std::string message, std::string where)
{
    return {"cell.content", std::move(message), std::move(where), "Correct the file or open another one."};
}

template <class Object>
Status checkIds(const std::vector<Object>& objects, const char* list, std::unordered_set<std::uint32_t>& used,
                std::uint32_t nextId)
{
    for (size_t i = 0; i < objects.size(); ++i) {
        const std::uint32_t id = objects[i].id.value;
        const std::string where = fmt::format("{}[{}].id", list, i);
        if (id == 0 || id >= nextId)
            return fault(fmt::format("is {}; ids go from 1 to next-id - 1 = {}", id, nextId - 1), where);
        if (!used.insert(id).second) return fault(fmt::format("is {}, which another object has already", id), where);
    }
    return std::nullopt;
}

template <class Object> Status checkNames(const std::vector<Object>& objects, const char* list)
{
    std::unordered_set<std::string> names;
    for (size_t i = 0; i < objects.size(); ++i) {
        std::string name = objects[i].name;
        for (char& c : name)
            c = char(std::tolower(static_cast<unsigned char>(c)));
        if (name.empty()) return fault("is empty", fmt::format("{}[{}].name", list, i));
        if (!names.insert(name).second)
            return fault(fmt::format("\"{}\" is there twice", objects[i].name), fmt::format("{}[{}].name", list, i));
    }
    return std::nullopt;
}

/// Every frame's parent exists and no frame is its own ancestor.
Status checkTree(const Cell& cell)
{
    for (size_t i = 0; i < cell.frames.size(); ++i) {
        const Frame& frame = cell.frames[i];
        if (frame.parent && !findFrame(cell, frame.parent))
            return fault(fmt::format("frame {} of \"{}\" is not in the file", frame.parent.value, frame.name),
                         fmt::format("frames[{}].parent", i));
    }
    // 0 unseen, 1 on the way up, 2 known to end at the world
    std::vector<int> state(cell.frames.size(), 0);
    const auto indexOf = [&](FrameId id) { return size_t(findFrame(cell, id) - cell.frames.data()); };
    for (size_t i = 0; i < cell.frames.size(); ++i) {
        std::vector<size_t> way;
        size_t at = i;
        while (state[at] == 0) {
            state[at] = 1;
            way.push_back(at);
            if (way.size() > kDeepestTree)
                return fault(fmt::format("the frame tree is deeper than {} levels", kDeepestTree),
                             fmt::format("frames[{}]", i));
            if (!cell.frames[at].parent) break;
            at = indexOf(cell.frames[at].parent);
            if (state[at] == 1)
                return fault(fmt::format("\"{}\" hangs below itself", cell.frames[at].name),
                             fmt::format("frames[{}].parent", at));
        }
        for (const size_t w : way)
            state[w] = 2;
    }
    return std::nullopt;
}

Status checkSolids(const std::vector<Solid>& solids, const std::string& where)
{
    for (size_t i = 0; i < solids.size(); ++i)
        if (Status bad = checkSolid(solids[i])) return fault(bad->message, fmt::format("{}[{}]", where, i));
    return std::nullopt;
}

/// The arm that the file means, with its locks.
Result<ArmPtr> modelOf(const StoredArm& stored, const std::string& where)
{
    ArmDescription description;
    if (stored.sheet) {
        Result<ArmDescription> described = describe(*stored.sheet);
        if (!described) return inFile(described.error(), where + ".sheet");
        description = std::move(described).value();
    } else {
        const ArmPtr known = catalogueArm(stored.model);
        if (!known) return fault(fmt::format("\"{}\" is not in the catalogue", stored.model), where + ".model");
        if (stored.locks.empty()) return known;
        description = known->description();
    }
    for (const StoredLock& lock : stored.locks) {
        if (lock.joint < 1 || lock.joint > description.joints.size())
            return fault(fmt::format("locks joint {}; the arm has {}", lock.joint, description.joints.size()),
                         where + ".locks");
        description.joints[lock.joint - 1].locked = lock.value;
    }
    Result<ArmPtr> arm = Arm::make(std::move(description));
    if (!arm) return inFile(arm.error(), where);
    return arm;
}

/// Everything that says which arm it belongs to.
template <class Visit> void forEachArm(Cell& cell, Visit visit)
{
    for (Target& t : cell.targets)
        visit(t.arm);
    for (Routine& r : cell.routines)
        visit(r.arm);
    for (Pattern& p : cell.patterns)
        if (p.content == Pattern::Content::Targets) visit(p.arm);
    for (ContactPair& p : cell.contact.pairs)
        for (ContactMember* m : {&p.a, &p.b})
            if (m->kind != ContactMember::Kind::Frame) visit(m->arm);
}

Status checkContent(const Cell& cell)
{
    std::unordered_set<std::uint32_t> used;
    if (cell.nextId > kLargestId)
        return fault(fmt::format("is {}; {} is the limit", cell.nextId, kLargestId), "next-id");
    for (const size_t size : {cell.frames.size(), cell.tools.size(), cell.parts.size(), cell.targets.size(),
                              cell.routines.size(), cell.signals.size()})
        if (size > kLongestList)
            return fault(fmt::format("a list has {} entries; {} is the limit", size, kLongestList), "document");
    if (Status bad = checkIds(cell.frames, "frames", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.tools, "tools", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.parts, "parts", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.partKinds, "part-kinds", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.patterns, "patterns", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.targets, "targets", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.routines, "routines", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.arms, "arms", used, cell.nextId)) return bad;
    if (Status bad = checkIds(cell.signals, "signals", used, cell.nextId)) return bad;
    if (Status bad = checkNames(cell.arms, "arms")) return bad;
    if (Status bad = checkNames(cell.signals, "signals")) return bad;
    if (Status bad = checkNames(cell.frames, "frames")) return bad;
    if (Status bad = checkNames(cell.tools, "tools")) return bad;
    if (Status bad = checkNames(cell.parts, "parts")) return bad;
    if (Status bad = checkNames(cell.partKinds, "part-kinds")) return bad;
    if (Status bad = checkNames(cell.patterns, "patterns")) return bad;
    if (Status bad = checkNames(cell.targets, "targets")) return bad;
    if (Status bad = checkNames(cell.routines, "routines")) return bad;
    if (Status bad = checkTree(cell)) return bad;
    if (Status bad = checkThresholds(cell.thresholds)) return fault(bad->message, "thresholds");
    for (const double limit :
         {cell.lineLimits.acceleration, cell.lineLimits.turnSpeed, cell.lineLimits.turnAcceleration})
        if (!(limit > 0 && limit <= 1e4)) return fault("must hold values above 0 and up to 10000", "line-limits");
    for (size_t i = 0; i < cell.signals.size(); ++i)
        if (Status bad = checkSignalValue(cell.signals[i], cell.signals[i].start))
            return fault(bad->message, fmt::format("signals[{}].start", i));
    for (size_t i = 0; i < cell.frames.size(); ++i) {
        const Frame& frame = cell.frames[i];
        const std::string where = fmt::format("frames[{}]", i);
        if (Status bad = checkSolids(frame.solids, where + ".solids")) return bad;
        if (frame.axis)
            if (Status bad = checkAxis(*frame.axis)) return fault(bad->message, where + ".axis");
        if (frame.axis && !deviceOfAxis(cell, frame.id))
            return fault(fmt::format("\"{}\" has an axis, but hangs below no device", frame.name), where + ".axis");
        if (frame.device)
            if (Status bad = checkDevice(cell, frame)) return fault(bad->message, where + ".device");
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
            return fault(fmt::format("frame {} is not in the file", part.frame.value),
                         fmt::format("parts[{}].frame", i));
        if (!findPartKind(cell, part.kind))
            return fault(fmt::format("kind {} of \"{}\" is not in the file", part.kind.value, part.name),
                         fmt::format("parts[{}].kind", i));
        if (part.pattern && !findPattern(cell, part.pattern))
            return fault(fmt::format("pattern {} of \"{}\" is not in the file", part.pattern.value, part.name),
                         fmt::format("parts[{}].pattern", i));
    }
    for (size_t i = 0; i < cell.partKinds.size(); ++i) {
        if (Status bad = checkSolids(cell.partKinds[i].solids, fmt::format("part-kinds[{}].solids", i))) return bad;
        if (!(cell.partKinds[i].mass >= 0 && cell.partKinds[i].mass <= 1e5))
            return fault("must be 0 to 100000 kg", fmt::format("part-kinds[{}].mass", i));
    }
    for (size_t i = 0; i < cell.patterns.size(); ++i)
        if (Status bad = checkPattern(cell, cell.patterns[i]))
            return fault(bad->message, fmt::format("patterns[{}]", i));
    const auto checkAxes = [&](const AxisValues& axes, const std::string& where) -> Status {
        for (const AxisValue& a : axes) {
            const Frame* frame = findFrame(cell, a.frame);
            if (!frame || !frame->axis)
                return fault(fmt::format("frame {} is no axis of the file", a.frame.value), where + ".axes");
            if (Status bad = checkAxisValue(*frame, a.value)) return fault(bad->message, where + ".axes");
        }
        return std::nullopt;
    };
    for (size_t i = 0; i < cell.patterns.size(); ++i)
        if (Status bad = checkAxes(cell.patterns[i].axes, fmt::format("patterns[{}]", i))) return bad;
    for (size_t i = 0; i < cell.targets.size(); ++i) {
        const Target& t = cell.targets[i];
        const std::string where = fmt::format("targets[{}]", i);
        const ArmStation* arm = findArm(cell, t.arm);
        if (!arm) return fault(fmt::format("arm {} of \"{}\" is not in the file", t.arm.value, t.name), where + ".arm");
        const int joints = arm->model->jointCount();
        if (Status bad = checkAxes(t.axes, where)) return bad;
        if (t.kind == Target::Kind::Posture) {
            if (t.posture.size() != joints)
                return fault(fmt::format("has {} values; the arm has {} joints", t.posture.size(), joints),
                             where + ".posture");
        } else {
            if (t.frame && !findFrame(cell, t.frame))
                return fault(fmt::format("frame {} of \"{}\" is not in the file", t.frame.value, t.name),
                             where + ".frame");
            if (t.posture.size() != 0 && t.posture.size() != joints)
                return fault(fmt::format("has {} values; the arm has {} joints", t.posture.size(), joints),
                             where + ".taught");
            if (t.pattern && !findPattern(cell, t.pattern))
                return fault(fmt::format("pattern {} of \"{}\" is not in the file", t.pattern.value, t.name),
                             where + ".pattern");
            if (!findTool(cell, t.tool))
                return fault(fmt::format("tool {} of \"{}\" is not in the file", t.tool.value, t.name),
                             where + ".tool");
        }
    }
    for (size_t i = 0; i < cell.contact.pairs.size(); ++i)
        for (const ContactMember& m : {cell.contact.pairs[i].a, cell.contact.pairs[i].b}) {
            const ArmStation* arm = findArm(cell, m.arm);
            const bool known =
                m.kind == ContactMember::Kind::Frame
                    ? findFrame(cell, {m.id}) != nullptr
                    : arm && (m.kind == ContactMember::Kind::Tool || m.id <= std::uint32_t(arm->model->jointCount()));
            if (!known) return fault("names a body that is not in the file", fmt::format("contact-pairs[{}]", i));
        }
    for (size_t i = 0; i < cell.arms.size(); ++i)
        if (std::none_of(cell.routines.begin(), cell.routines.end(),
                         [&](const Routine& r) { return r.arm == cell.arms[i].id; }))
            return fault(fmt::format("must hold a routine of \"{}\"", cell.arms[i].name), "routines");
    for (size_t r = 0; r < cell.routines.size(); ++r) {
        if (!findArm(cell, cell.routines[r].arm))
            return fault(fmt::format("arm {} is not in the file", cell.routines[r].arm.value),
                         fmt::format("routines[{}].arm", r));
        const std::vector<Step>& steps = cell.routines[r].steps;
        if (Status bad = checkIds(steps, fmt::format("routines[{}].steps", r).c_str(), used, cell.nextId)) return bad;
        for (size_t i = 0; i < steps.size(); ++i) {
            const std::string where = fmt::format("routines[{}].steps[{}]", r, i);
            if (Status bad = checkStep(cell, steps[i])) return fault(bad->message, where);
            if (Status bad = checkOwnTarget(cell, cell.routines[r], steps[i])) return fault(bad->message, where);
        }
    }
    return std::nullopt;
}

/// The arms of the file, and who they are where the file does not say because there is only one.
Status giveArms(Cell& cell, const std::vector<StoredArm>& stored)
{
    if (stored.empty() || stored.size() > 100)
        return fault(fmt::format("holds {} arms; 1 to 100 are possible", stored.size()), "arms");
    for (size_t i = 0; i < stored.size(); ++i) {
        const StoredArm& arm = stored[i];
        const std::string where = fmt::format("arms[{}]", i);
        Result<ArmPtr> model = modelOf(arm, where);
        if (!model) return model.error();
        if (!arm.id && stored.size() > 1) return fault("is missing; each of several arms needs one", where + ".id");
        cell.arms.push_back(
            {arm.id ? arm.id : ArmId{cell.nextId++}, arm.name, *model, arm.mount, arm.tool, arm.home, arm.point});
    }
    if (!cell.inHand) cell.inHand = cell.arms.front().id;
    if (!findArm(cell, cell.inHand))
        return fault(fmt::format("arm {} is not in the file", cell.inHand.value), "in-hand");
    forEachArm(cell, [&](ArmId& id) {
        if (!id) id = cell.arms.front().id;
    });
    return std::nullopt;
}

/// What each arm of a cell refers to is there. Called when all else is known to be right.
Status checkArms(const Cell& cell)
{
    for (size_t i = 0; i < cell.arms.size(); ++i) {
        const ArmStation& arm = cell.arms[i];
        const std::string where = fmt::format("arms[{}]", i);
        if (arm.mount && !findFrame(cell, arm.mount))
            return fault(fmt::format("frame {} is not in the file", arm.mount.value), where + ".mount");
        const Tool* tool = findTool(cell, arm.tool);
        if (!tool) return fault(fmt::format("tool {} is not in the file", arm.tool.value), where + ".tool");
        if (arm.tcp && &flangeFromTcp(*tool, arm.tcp) == &tool->flangeFromTcp)
            return fault(fmt::format("point {} is not one of the tool's", arm.tcp.value), where + ".point");
        for (size_t k = 0; k < i; ++k)
            if (cell.arms[k].tool == arm.tool)
                return fault(fmt::format("tool {} is carried by \"{}\" already", arm.tool.value, cell.arms[k].name),
                             where + ".tool");
        const Target* home = findTarget(cell, arm.home);
        if (!home || home->kind != Target::Kind::Posture || home->arm != arm.id)
            return fault("must name a posture target of the arm", where + ".home");
    }
    return std::nullopt;
}

}  // namespace

std::string writeCell(const Cell& cell)
{
    StoredCell stored;
    stored.cell = cell;
    for (const ArmStation& arm : cell.arms) {
        const ArmDescription& model = arm.model->description();
        StoredArm& own = stored.arms.emplace_back(
            StoredArm{arm.id, arm.name, model.id, arm.mount, arm.tool, arm.home, arm.tcp, {}, {}});
        if (!fromCatalogue(model)) own.sheet = sheetOf(model);
        for (size_t i = 0; i < model.joints.size(); ++i)
            if (model.joints[i].locked) own.locks.push_back({std::uint32_t(i + 1), *model.joints[i].locked});
    }
    if (cell.arms.size() == 1) {
        // With one arm nothing needs to say whose it is.
        forEachArm(stored.cell, [](ArmId& id) { id = {}; });
        stored.cell.inHand = {};
    }
    for (const Part& part : cell.parts)
        stored.parts.push_back({part, {}});
    FieldWriter writer;
    fields(writer, stored);
    return printDocument(writer.json);
}

Result<Cell> readCell(const std::string& text, const std::string& name)
{
    const auto within = [&name](Error error) { return inFile(std::move(error), name); };
    const Result<Json> parsed = parseDocument(text, kCellDocument);
    if (!parsed) return within(parsed.error());
    const Json& document = *parsed;
    std::optional<Error> error;
    StoredCell stored;
    {
        FieldReader reader(document, "", error);
        fields(reader, stored);
    }
    if (error) return within(*error);
    Cell& cell = stored.cell;
    if (Status bad = giveArms(cell, stored.arms)) return within(*bad);
    for (size_t i = 0; i < stored.parts.size(); ++i)
        if (stored.parts[i].part.kind && !stored.parts[i].solids.empty())
            return within(fault("has solids of its own beside those of its kind", fmt::format("parts[{}].solids", i)));
    giveKinds(cell, stored.parts);
    if (Status bad = checkContent(cell)) return within(*bad);
    if (Status bad = checkArms(cell)) return within(*bad);
    return std::move(cell);
}

}  // namespace topikos
