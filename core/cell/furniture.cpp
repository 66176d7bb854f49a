#include "core/cell/furniture.h"

#include "core/cell/edit_support.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

using FurnitureKind = Furniture::Kind;

constexpr Color kBoard{217, 194, 150}, kPanel{200, 204, 200}, kFencePost{141, 152, 156};

Solid box(double width, double depth, double height, const Vec3& middle, const Color& color)
{
    Solid s;
    s.size = {width, depth, height};
    s.pose = translated(middle);
    s.color = color;
    return s;
}

/// Four posts from `low` to `high` at the corners.
void addPosts(std::vector<Solid>& out, const Furniture& f, double thick, double low, double high, const Color& color)
{
    for (const double x : {-1.0, 1.0})
        for (const double y : {-1.0, 1.0})
            out.push_back(box(thick, thick, high - low,
                              {x * (f.width - thick) / 2, y * (f.depth - thick) / 2, (low + high) / 2}, color));
}

Furniture possible(Furniture f)
{
    for (double* length : {&f.width, &f.depth, &f.height})
        *length = std::max(*length, kLeastFurniture);
    return f;
}

bool alike(const Solid& a, const Solid& b)
{
    constexpr double same = 1e-9;
    return a.kind == b.kind && a.color == b.color && (a.size - b.size).norm() < same
           && deviation(a.pose, b.pose).metres < same && deviation(a.pose, b.pose).radians < same;
}

}  // namespace

const char* furnitureWord(FurnitureKind kind)
{
    switch (kind) {
    case FurnitureKind::Table: return "table";
    case FurnitureKind::Pedestal: return "pedestal";
    case FurnitureKind::Pallet: return "pallet";
    case FurnitureKind::Rack: return "rack";
    case FurnitureKind::Fence: return "fence";
    case FurnitureKind::Booth: return "booth";
    }
    return "";
}

Furniture usualFurniture(FurnitureKind kind)
{
    switch (kind) {
    case FurnitureKind::Table: return {kind, 1.2, 0.8, 0.8};
    case FurnitureKind::Pedestal: return {kind, 0.5, 0.5, 0.6};
    case FurnitureKind::Pallet: return {kind, 1.2, 0.8, 0.144};
    case FurnitureKind::Rack: return {kind, 1.2, 0.5, 1.6};
    case FurnitureKind::Fence: return {kind, 2.0, 0.1, 2.0};
    case FurnitureKind::Booth: return {kind, 1.6, 1.2, 2.2};
    }
    return {};
}

bool framedAtTop(FurnitureKind kind)
{
    return kind == FurnitureKind::Table || kind == FurnitureKind::Pedestal || kind == FurnitureKind::Pallet;
}

std::vector<Solid> solidsOf(const Furniture& asked)
{
    const Furniture f = possible(asked);
    const double w = f.width, d = f.depth, h = f.height;
    std::vector<Solid> out;
    switch (f.kind) {
    case FurnitureKind::Table:
        out.push_back(box(w, d, 0.03, {0, 0, -0.015}, kBoard));
        addPosts(out, f, 0.05, -h, -0.03, kSteel);
        break;
    case FurnitureKind::Pedestal:
        out.push_back(box(w, d, 0.03, {0, 0, -0.015}, kSteel));
        out.push_back(box(0.7 * w, 0.7 * d, h - 0.06, {0, 0, -h / 2}, kSteel));
        out.push_back(box(w, d, 0.03, {0, 0, -h + 0.015}, kSteel));
        break;
    case FurnitureKind::Pallet:
        out.push_back(box(w, d, 0.022, {0, 0, -0.011}, kBoard));
        for (const double x : {-1.0, 0.0, 1.0})
            out.push_back(box(0.1, d, h - 0.044, {x * (w - 0.1) / 2, 0, -h / 2}, kBoard));
        out.push_back(box(w, d, 0.022, {0, 0, -h + 0.011}, kBoard));
        break;
    case FurnitureKind::Rack: {
        addPosts(out, f, 0.04, 0, h, kSteel);
        const int shelves = std::max(2, int(std::floor(h / 0.4 + 1e-9)));
        for (int i = 0; i < shelves; ++i)
            out.push_back(box(w, d, 0.02, {0, 0, 0.1 + (h - 0.11) * i / (shelves - 1)}, kBoard));
        break;
    }
    case FurnitureKind::Fence: {
        const int fields = std::max(1, int(std::ceil(w / 1.5 - 1e-9)));
        for (int i = 0; i <= fields; ++i)
            out.push_back(box(0.05, d, h, {-w / 2 + 0.025 + (w - 0.05) * i / fields, 0, h / 2}, kFencePost));
        out.push_back(box(w, 0.01, h - 0.15, {0, 0, h / 2 + 0.075}, kPanel));
        break;
    }
    case FurnitureKind::Booth:
        out.push_back(box(w, 0.03, h, {0, (d - 0.03) / 2, h / 2}, kPanel));
        for (const double x : {-1.0, 1.0})
            out.push_back(box(0.03, d - 0.03, h, {x * (w - 0.03) / 2, -0.015, h / 2}, kPanel));
        out.push_back(box(w, d, 0.03, {0, 0, h + 0.015}, kBoard));
        break;
    }
    return out;
}

std::optional<Furniture> furnitureOf(const std::vector<Solid>& solids)
{
    if (solids.empty()) return std::nullopt;
    // The lengths are those of the box about all of it; a booth's roof lies on top.
    Eigen::AlignedBox3d whole;
    for (const Solid& s : solids) {
        if (s.kind != Solid::Kind::Box) return std::nullopt;
        whole.extend(s.pose.translation - s.size / 2);
        whole.extend(s.pose.translation + s.size / 2);
    }
    for (const FurnitureKind kind : kFurnitureKinds) {
        const Vec3 size = whole.sizes();
        const Furniture f{kind, size[0], size[1], size[2] - (kind == FurnitureKind::Booth ? 0.03 : 0)};
        const std::vector<Solid> own = solidsOf(f);
        if (std::equal(own.begin(), own.end(), solids.begin(), solids.end(), alike)) return f;
    }
    return std::nullopt;
}

Result<Cell> addFurniture(const Cell& cell, const std::string& name, const Furniture& furniture, FrameId parent,
                          const Pose& parentFromFoot, FrameId* created)
{
    FrameId id;
    const double lift = framedAtTop(furniture.kind) ? possible(furniture).height : 0;
    const Result<Cell> framed = addFrame(cell, name, parent, parentFromFoot * translated({0, 0, lift}), &id);
    if (!framed) return framed;
    if (created) *created = id;
    return setFrameSolids(*framed, id, solidsOf(furniture));
}

Result<Cell> resizeFurniture(const Cell& cell, FrameId id, const Furniture& furniture)
{
    const Frame* frame = findFrame(cell, id);
    const auto before = frame ? furnitureOf(frame->solids) : std::nullopt;
    if (!before) return Error{"edit.furniture", "its shapes were changed one by one", "", "Change them one by one."};
    Result<Cell> next = setFrameSolids(cell, id, solidsOf(furniture));
    const double lift = framedAtTop(furniture.kind) ? possible(furniture).height - before->height : 0;
    if (!next || lift == 0) return next;
    return setFramePose(*next, id, placeInForce(cell, *frame) * translated({0, 0, lift}));
}

}  // namespace topikos
