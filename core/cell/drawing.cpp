#include "core/cell/drawing.h"

#include "core/cell/edit_support.h"
#include "core/spatial/limits.h"
#include "core/spatial/rotation.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace topikos {

namespace {

constexpr double kUnitLength = 1e-6;  // of a normal

/// The part of a vector along the surface, of length 1; nothing when there is none.
std::optional<Vec3> alongSurface(const Vec3& v, const Vec3& normal)
{
    const Vec3 flat = v - normal * normal.dot(v);
    if (flat.norm() < 1e-9 + 1e-6 * v.norm()) return std::nullopt;
    return flat.normalized();
}

}  // namespace

Vec3 wayAt(const Drawing& d, size_t i)
{
    const size_t n = d.points.size();
    const Vec3& normal = d.points[i].normal;
    Vec3 way = Vec3::Zero();
    const auto add = [&](size_t from, size_t to) {
        const Vec3 step = d.points[to].at - d.points[from].at;
        if (step.norm() > kSamePlace) way += step.normalized();
    };
    if (i + 1 < n || (d.closed && n > 2)) add(i, (i + 1) % n);
    if (i > 0 || (d.closed && n > 2)) add((i + n - 1) % n, i);
    if (const auto flat = alongSurface(way, normal)) return *flat;
    for (const Vec3& axis : {Vec3(Vec3::UnitX()), Vec3(Vec3::UnitY())})
        if (const auto flat = alongSurface(axis, normal); flat && std::abs(axis.dot(normal)) < 0.9) return *flat;
    return *alongSurface(Vec3::UnitY(), normal);
}

Pose bodyFromTcp(const Drawing& d, size_t i)
{
    const SurfacePoint& p = d.points[i];
    const Vec3 into = -p.normal, way = wayAt(d, i);
    Mat3 plain;
    plain.col(0) = way;
    plain.col(1) = into.cross(way);  // to the right of the way, seen from outside
    plain.col(2) = into;
    // A turn about the second axis takes the tool's back, which is outside, against the way; one about the first takes
    // it to the right.
    const Mat3 leaning = plain * rotationAbout(Vec3::UnitY(), -d.lead) * rotationAbout(Vec3::UnitX(), -d.tilt);
    Quat rotation(leaning);
    if (d.turns == Drawing::Turn::Fixed) rotation = facing(leaning.col(2));
    const double turn = d.turn + (d.turns == Drawing::Turn::Free ? p.turn : 0);
    if (turn != 0) rotation = rotation * Quat(Eigen::AngleAxisd(turn, Vec3::UnitZ()));
    return {p.at + p.normal * d.offset, rotation.normalized()};
}

double lengthOf(const Drawing& d)
{
    double out = 0;
    for (size_t i = 1; i < d.points.size(); ++i)
        out += (d.points[i].at - d.points[i - 1].at).norm();
    if (d.closed && d.points.size() > 2) out += (d.points.front().at - d.points.back().at).norm();
    return out;
}

std::uint32_t freeNumber(const Drawing& d)
{
    std::uint32_t out = 0;
    for (const SurfacePoint& p : d.points)
        out = std::max(out, p.number + 1);
    return out;
}

Drawing reversed(Drawing d)
{
    std::reverse(d.points.begin() + (d.closed && !d.points.empty()), d.points.end());
    return d;
}

Status checkDrawing(const Drawing& d)
{
    if (Status bad = checkLimit(limits::kPlaces, double(d.points.size()), "edit.pattern-count")) return bad;
    std::set<std::uint32_t> numbers;
    for (const SurfacePoint& p : d.points) {
        if (!numbers.insert(p.number).second)
            return fail("edit.drawing-number", fmt::format("two points have the number {}", p.number),
                        "Give each point a number of its own.");
        if (Status bad = checkLimit(limits::kPointNumber, double(p.number), "edit.drawing-number")) return bad;
        for (const double value : p.at)
            if (Status bad = checkLimit(limits::kOffset, value, "edit.drawing-point")) return bad;
        if (!p.normal.allFinite() || std::abs(p.normal.norm() - 1) > kUnitLength)
            return fail("edit.drawing-normal", "a normal is not of length 1", "Draw the group anew.");
        if (Status bad = checkLimit(limits::kTypedAngle, p.turn, "edit.drawing-angle", "the turn of a point"))
            return bad;
    }
    if (Status bad = checkLimit(limits::kLean, d.lead, "edit.drawing-angle", "the lead")) return bad;
    if (Status bad = checkLimit(limits::kLean, d.tilt, "edit.drawing-angle", "the tilt")) return bad;
    if (Status bad = checkLimit(limits::kTypedAngle, d.turn, "edit.drawing-angle", "the turn")) return bad;
    if (Status bad = checkLimit(limits::kSurfaceOffset, d.offset, "edit.drawing-offset")) return bad;
    return checkLimit(limits::kSmoothing, d.radius, "edit.drawing-radius");
}

}  // namespace topikos
