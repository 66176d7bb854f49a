#include "core/shape/convex.h"

#include <algorithm>
#include <cmath>

namespace topikos {

Vec3 Convex::furthest(const Vec3& direction) const
{
    // Asked thousands of times for each look at a run: nothing is copied before it is known to be the answer.
    const Vec3* point = nullptr;
    double most = -INFINITY;
    for (const Vec3& p : points) {
        const double along = p.dot(direction);
        if (along > most) most = along, point = &p;
    }
    if (rings.empty()) return point ? *point : Vec3(Vec3::Zero());
    const double across = std::sqrt(direction[0] * direction[0] + direction[1] * direction[1]);
    const Ring* rim = nullptr;
    for (const Ring& ring : rings) {
        const double along = ring.centre.dot(direction) + ring.radius * across;
        if (along > most) most = along, rim = &ring;
    }
    if (!rim) return point ? *point : Vec3(Vec3::Zero());
    if (!(across > 0)) return rim->centre;
    const double out = rim->radius / across;
    return rim->centre + Vec3(out * direction[0], out * direction[1], 0);
}

Ball ballAround(const Convex& convex)
{
    Eigen::AlignedBox3d box;
    for (const Vec3& p : convex.points)
        box.extend(p);
    for (const Ring& ring : convex.rings) {
        const Vec3 half(ring.radius, ring.radius, 0);
        box.extend(Vec3(ring.centre - half));
        box.extend(Vec3(ring.centre + half));
    }
    const Vec3 centre = box.center();
    double radius = 0;
    for (const Vec3& p : convex.points)
        radius = std::max(radius, (p - centre).norm());
    for (const Ring& ring : convex.rings) {
        const Vec3 from = ring.centre - centre;
        radius = std::max(radius, std::hypot(std::hypot(from[0], from[1]) + ring.radius, from[2]));
    }
    return {convex.pose * centre, radius + convex.margin};
}

namespace {

using Corners = std::vector<Eigen::Vector2d>;

double turn(const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c)
{
    return (b - a)[0] * (c - b)[1] - (b - a)[1] * (c - b)[0];
}

/// An outline in convex pieces: triangles, put together again as long as the whole stays convex (Hertel and Mehlhorn,
/// "Fast triangulation of simple polygons", 1983).
std::vector<Corners> convexParts(Corners outline)
{
    double area = 0;
    for (size_t i = 0; i < outline.size(); ++i) {
        const Eigen::Vector2d &a = outline[i], &b = outline[(i + 1) % outline.size()];
        area += a[0] * b[1] - a[1] * b[0];
    }
    if (area < 0) std::reverse(outline.begin(), outline.end());
    std::vector<std::vector<std::uint32_t>> parts;
    for (const auto& t : filled(outline))
        parts.push_back({t[0], t[1], t[2]});
    const auto isConvex = [&](const std::vector<std::uint32_t>& part) {
        const size_t n = part.size();
        for (size_t i = 0; i < n; ++i)
            if (turn(outline[part[i]], outline[part[(i + 1) % n]], outline[part[(i + 2) % n]]) < 0) return false;
        return true;
    };
    const auto joined = [&](const std::vector<std::uint32_t>& a, const std::vector<std::uint32_t>& b) {
        for (size_t i = 0; i < a.size(); ++i)
            for (size_t k = 0; k < b.size(); ++k) {
                if (a[i] != b[(k + 1) % b.size()] || a[(i + 1) % a.size()] != b[k]) continue;
                // Along a from behind the shared edge to its begin, then along b behind it.
                std::vector<std::uint32_t> out;
                for (size_t m = 0; m < a.size(); ++m)
                    out.push_back(a[(i + 1 + m) % a.size()]);
                for (size_t m = 0; m + 2 < b.size(); ++m)
                    out.push_back(b[(k + 2 + m) % b.size()]);
                return out;
            }
        return std::vector<std::uint32_t>();
    };
    for (size_t i = 0; i < parts.size(); ++i)
        for (size_t k = i + 1; k < parts.size();) {
            const auto both = joined(parts[i], parts[k]);
            if (both.empty() || !isConvex(both)) {
                ++k;
                continue;
            }
            parts[i] = both;
            parts.erase(parts.begin() + std::ptrdiff_t(k));
            k = i + 1;
        }
    std::vector<Corners> out;
    for (const auto& part : parts) {
        Corners& corners = out.emplace_back();
        for (const std::uint32_t corner : part)
            corners.push_back(outline[corner]);
    }
    return out;
}

}  // namespace

std::vector<Convex> turnedPieces(const std::vector<LathePoint>& outline)
{
    std::vector<Convex> out(1);
    const auto ring = [](const LathePoint& p) { return Ring{{0, 0, p.height}, p.radius}; };
    for (size_t i = 0; i < outline.size(); ++i) {
        out.back().rings.push_back(ring(outline[i]));
        if (i == 0 || i + 1 >= outline.size()) continue;
        const double bend = turn({outline[i - 1].radius, outline[i - 1].height}, {outline[i].radius, outline[i].height},
                                 {outline[i + 1].radius, outline[i + 1].height});
        if (bend >= -1e-12) continue;
        out.emplace_back().rings.push_back(ring(outline[i]));
    }
    return out;
}

Convex plateHull(double radiusA, double radiusB, double length, double thickness, double bevel)
{
    const double h = 0.5 * thickness, b = std::min({bevel, 0.4 * thickness, 0.4 * std::min(radiusA, radiusB)});
    Convex out;
    for (const auto& [x, radius] : {std::pair(0.0, radiusA), {length, radiusB}})
        for (const double side : {-1.0, 1.0}) {
            out.rings.push_back({{x, 0, side * h}, radius - b});
            out.rings.push_back({{x, 0, side * (h - b)}, radius});
        }
    return out;
}

std::vector<Convex> convexPieces(const Solid& solid)
{
    const double r = 0.5 * solid.size[0], h = 0.5 * solid.size[2];
    const Vec3 half = 0.5 * solid.size;
    const auto prism = [&](const Corners& corners) {
        std::vector<Convex> out;
        for (const Corners& part : convexParts(corners)) {
            Convex& piece = out.emplace_back(Convex{solid.pose});
            for (const Eigen::Vector2d& c : part)
                for (const double z : {-h, h})
                    piece.points.push_back({c[0], c[1], z});
        }
        return out;
    };
    switch (solid.kind) {
    case Solid::Kind::Box: {
        Convex box{solid.pose};
        for (int i = 0; i < 8; ++i)
            box.points.push_back({i & 1 ? half[0] : -half[0], i & 2 ? half[1] : -half[1], i & 4 ? half[2] : -half[2]});
        return {box};
    }
    case Solid::Kind::Cylinder: return {{solid.pose, {}, {{{0, 0, -h}, r}, {{0, 0, h}, r}}}};
    case Solid::Kind::Cone: return {{solid.pose, {}, {{{0, 0, -h}, r}, {{0, 0, h}, 0.5 * solid.size[1]}}}};
    case Solid::Kind::Sphere: return {{solid.pose, {Vec3::Zero()}, {}, r}};
    case Solid::Kind::Extrusion: return prism(solid.outline);
    case Solid::Kind::Profile: return prism(profileOutline(solid.size[0], solid.size[1]));
    case Solid::Kind::Mesh: break;
    }
    return {};
}

}  // namespace topikos
