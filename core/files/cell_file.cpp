#include "core/files/cell_file.h"

#include "core/cell/settled.h"
#include "core/cell/validate.h"
#include "core/files/arm_fields.h"
#include "core/files/arm_file.h"
#include "core/files/cell_fields.h"
#include "core/files/document.h"
#include "core/files/field_versions.h"
#include "core/files/migrations.h"
#include "core/robot/catalogue.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

constexpr DocumentKind kCellDocument{"topikos-cell", kCellFormatVersion, "cell file", ".topikos", "cell"};

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
    RoutineId main;
    TcpId point;
    std::vector<StoredLock> locks;
    std::optional<DataSheet> sheet;
    double padding = 0;
};

template <class Io> void fields(Io& io, StoredArm& a)
{
    io.field("id", a.id);
    io.field("name", a.name);
    io.field("model", a.model);
    io.field("mount", a.mount);
    io.field("tool", a.tool);
    io.field("home", a.home);
    io.field("main", a.main);
    io.optional("point", a.point, TcpId());
    io.optionalList("locks", a.locks);
    io.optionalObject("sheet", a.sheet);
    io.optional("padding", a.padding, 0.0);
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
    io.list("frames", s.cell.frames);
    io.list("tools", s.cell.tools);
    io.optionalList("part-kinds", s.cell.partKinds);
    io.list("parts", s.cell.parts);
    io.optionalList("patterns", s.cell.patterns);
    io.list("targets", s.cell.targets);
    io.optionalList("signals", s.cell.signals);
    io.optionalList("time-tables", s.cell.timeTables);
    io.list("routines", s.cell.routines);
    io.optionalList("accepted", s.cell.accepted);
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

Error fault(std::string message, std::string where)
{
    return {"cell.content", std::move(message), std::move(where), "Correct the file or open another one."};
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

/// The arms of the file with their models.
Status giveArms(Cell& cell, const std::vector<StoredArm>& stored)
{
    for (size_t i = 0; i < stored.size(); ++i) {
        const StoredArm& arm = stored[i];
        Result<ArmPtr> model = modelOf(arm, fmt::format("arms[{}]", i));
        if (!model) return model.error();
        cell.arms.push_back(
            {arm.id, arm.name, *model, arm.mount, arm.tool, arm.home, arm.point, arm.main, arm.padding});
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
        StoredArm& own = stored.arms.emplace_back(StoredArm{
            arm.id, arm.name, model.id, arm.mount, arm.tool, arm.home, arm.main, arm.tcp, {}, {}, arm.padding});
        if (!fromCatalogue(model)) own.sheet = sheetOf(model);
        for (size_t i = 0; i < model.joints.size(); ++i)
            if (model.joints[i].locked) own.locks.push_back({std::uint32_t(i + 1), *model.joints[i].locked});
    }
    FieldWriter writer;
    fields(writer, stored);
    return printDocument(writer.json);
}

Result<Cell> readCell(const std::string& text, const std::string& name)
{
    const auto within = [&name](Error error) { return inFile(std::move(error), name); };
    Result<Json> parsed = parseDocument(text, kCellDocument);
    if (!parsed) return within(parsed.error());
    Json document = std::move(parsed).value();
    constexpr void (*migrations[])(Json&) = {migrate1to2, migrate2to3, migrate3to4, migrate4to5,
                                             migrate5to6, migrate6to7, migrate7to8, migrate8to9};
    static_assert(std::size(migrations) + 1 == kCellFormatVersion);
    const size_t written = document["version"].get<size_t>();
    if (Status bad = checkFieldVersions(document, written)) return within(*bad);
    for (size_t version = written; version < kCellFormatVersion; ++version)
        migrations[version - 1](document);
    std::optional<Error> error;
    StoredCell stored;
    {
        FieldReader reader(document, "", error);
        fields(reader, stored);
    }
    if (error) return within(*error);
    Cell& cell = stored.cell;
    if (Status bad = giveArms(cell, stored.arms)) return within(*bad);
    cell.targets.change([](const Target& t) { return bool(t.pattern); },
                        [&](Target& t) {
                            const Pattern* own = findPattern(cell, t.pattern);
                            if (own) t.approach = own->approach, t.retract = own->retract;
                        });
    if (Status bad = validate(cell)) return within(*bad);
    Result<Cell> right = settled(cell);
    if (!right) return within(right.error());
    return right;
}

Result<Cell> openCell(const std::string& path)
{
    Result<std::string> text = readFile(path, kLargestCellFile);
    if (!text) return text.error();
    return readCell(*text, path);
}

Status saveCell(const std::string& path, const Cell& cell)
{
    constexpr const char* remedy =
        "Undo what led to that, then save. The file on disk is unchanged; the cell stays open.";
    const auto unreadable = [&](const Error& why) {
        return Error{"cell.unreadable", fmt::format("could not be opened again ({}: {})", why.where, why.message), path,
                     remedy};
    };
    if (const Status bad = validate(cell)) return unreadable(*bad);
    const std::string text = writeCell(cell);
    if (text.size() > kLargestCellFile)
        return Error{"cell.size",
                     fmt::format("would have {} MB; {} MB is the limit of a cell file", text.size() >> 20,
                                 kLargestCellFile >> 20),
                     path, "Reduce its surfaces. The file on disk is unchanged."};
    const Result<Cell> again = readCell(text, path);
    if (!again) return unreadable(again.error());
    // Values that a kind of step has no use for are not in the file; then the bytes tell.
    if (!(*again == cell) && writeCell(*again) != text)
        return Error{"cell.changed", "would be opened as another cell", path, remedy};
    return saveFile(path, text);
}

}  // namespace topikos
