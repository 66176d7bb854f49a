#include "core/surface/body_surface.h"

#include "core/shape/mesh.h"

#include <Eigen/Dense>
#include <unsupported/Eigen/BVH>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>
#include <unordered_map>

namespace topikos {

namespace {

using Box = Eigen::AlignedBox3d;
constexpr double kDegrees = std::numbers::pi / 180;
const double kCrease = std::cos(35 * kDegrees);  // sharper edges part the surface
const double kLean = std::cos(60 * kDegrees);    // faces that lean away further are another side

constexpr double kRoundness = 2e-5;  // round shapes are kept to this, as far as so many sides do [m]
constexpr int kFewestSides = 160, kMostSides = 720, kFewestBallSides = 96, kMostBallSides = 200;

/// The point of a triangle nearest to another one (Ericson, "Real-Time Collision Detection", 2004, section 5.1.5).
Vec3 nearestOf(const std::array<Vec3, 3>& t, const Vec3& p)
{
    const Vec3 ab = t[1] - t[0], ac = t[2] - t[0], ap = p - t[0];
    const double d1 = ab.dot(ap), d2 = ac.dot(ap);
    if (d1 <= 0 && d2 <= 0) return t[0];
    const Vec3 bp = p - t[1];
    const double d3 = ab.dot(bp), d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3) return t[1];
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return t[0] + ab * (d1 / (d1 - d3));
    const Vec3 cp = p - t[2];
    const double d5 = ab.dot(cp), d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6) return t[2];
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return t[0] + ac * (d2 / (d2 - d6));
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return t[1] + (t[2] - t[1]) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    const double sum = va + vb + vc;
    return t[0] + ab * (vb / sum) + ac * (vc / sum);
}

/// How far along a ray a triangle is hit (Moeller and Trumbore, "Fast, minimum storage ray/triangle intersection",
/// 1997).
std::optional<double> hitOf(const std::array<Vec3, 3>& t, const Vec3& origin, const Vec3& direction)
{
    const Vec3 e1 = t[1] - t[0], e2 = t[2] - t[0], p = direction.cross(e2);
    const double det = e1.dot(p);
    if (det == 0) return std::nullopt;
    const Vec3 s = origin - t[0], q = s.cross(e1);
    const double u = s.dot(p) / det, v = direction.dot(q) / det, away = e2.dot(q) / det;
    if (u < 0 || v < 0 || u + v > 1 || away < 0) return std::nullopt;
    return away;
}

}  // namespace

struct BodySurface::Tree {
    Eigen::KdBVH<double, 3, std::uint32_t> boxes;
};

BodySurface::~BodySurface() = default;
BodySurface::BodySurface(BodySurface&&) noexcept = default;
BodySurface& BodySurface::operator=(BodySurface&&) noexcept = default;

BodySurface::BodySurface(const std::vector<Solid>& solids)
{
    Triangles all;
    for (const Solid& solid : solids) {
        Solid plain = solid;
        plain.pose = {};
        const bool ball = solid.kind == Solid::Kind::Sphere;
        const int sides = std::max(ball ? kFewestBallSides : kFewestSides,
                                   sidesFor(solid, kRoundness, ball ? kMostBallSides : kMostSides));
        const Triangles own = placed(solid.pose, solid.kind == Solid::Kind::Mesh && solid.surface.drawn
                                                     ? *solid.surface.drawn
                                                     : trianglesOf(solidMesh(plain, false, sides)));
        const auto first = std::uint32_t(all.points.size());
        all.points.insert(all.points.end(), own.points.begin(), own.points.end());
        for (const auto& face : own.faces)
            all.faces.push_back({face[0] + first, face[1] + first, face[2] + first});
    }
    std::uint32_t count = 0;
    const std::vector<std::uint32_t> place = placeNumbers(all.points, &count);
    m_points.resize(count);
    for (size_t i = 0; i < place.size(); ++i)
        m_points[place[i]] = all.points[i].cast<double>();
    for (const auto& face : all.faces) {
        const std::array<std::uint32_t, 3> own{place[face[0]], place[face[1]], place[face[2]]};
        const Vec3 across = (m_points[own[1]] - m_points[own[0]]).cross(m_points[own[2]] - m_points[own[0]]);
        if (!(across.norm() > 0)) continue;
        m_faces.push_back(own);
        m_normals.push_back(across.normalized());
    }
    // Faces around each point, and across each edge.
    m_begin.assign(m_points.size() + 1, 0);
    m_around.resize(3 * m_faces.size());
    for (const auto& face : m_faces)
        for (const std::uint32_t corner : face)
            ++m_begin[corner + 1];
    for (size_t i = 0; i < m_points.size(); ++i)
        m_begin[i + 1] += m_begin[i];
    std::vector<std::uint32_t> fill(m_begin.begin(), m_begin.end() - 1);
    for (std::uint32_t f = 0; f < m_faces.size(); ++f)
        for (const std::uint32_t corner : m_faces[f])
            m_around[fill[corner]++] = f;
    m_beside.resize(m_faces.size());
    struct Side {
        std::uint32_t face;
        int edge;
    };
    std::unordered_map<std::uint64_t, Side> open;
    open.reserve(2 * m_faces.size());
    for (std::uint32_t f = 0; f < m_faces.size(); ++f)
        for (int k = 0; k < 3; ++k) {
            m_beside[f][size_t(k)] = f;
            const std::uint32_t a = m_faces[f][size_t(k)], b = m_faces[f][size_t(k + 1) % 3];
            const std::uint64_t key = (std::uint64_t(std::min(a, b)) << 32) | std::max(a, b);
            const auto [at, fresh] = open.try_emplace(key, Side{f, k});
            if (fresh) continue;
            m_beside[f][size_t(k)] = at->second.face;
            m_beside[at->second.face][size_t(at->second.edge)] = f;
            open.erase(at);
        }
    for (std::uint32_t f = 0; f < m_faces.size(); ++f)
        for (int k = 0; k < 3; ++k) {
            const std::uint32_t other = m_beside[f][size_t(k)];
            if (other < f || (other != f && m_normals[f].dot(m_normals[other]) >= kCrease)) continue;
            m_edges.push_back({m_faces[f][size_t(k)], m_faces[f][size_t(k + 1) % 3], f, other});
        }
    std::vector<std::uint32_t> numbers(m_faces.size());
    std::vector<Box> boxes(m_faces.size());
    for (std::uint32_t f = 0; f < m_faces.size(); ++f) {
        numbers[f] = f;
        for (const Vec3& corner : cornersOf(f))
            boxes[f].extend(corner);
    }
    m_tree = std::make_unique<Tree>();
    if (!numbers.empty()) m_tree->boxes.init(numbers.begin(), numbers.end(), boxes.begin(), boxes.end());
}

std::array<Vec3, 3> BodySurface::cornersOf(std::uint32_t face) const
{
    return {m_points[m_faces[face][0]], m_points[m_faces[face][1]], m_points[m_faces[face][2]]};
}

std::optional<SurfaceSpot> BodySurface::hit(const Vec3& origin, const Vec3& direction) const
{
    if (empty()) return std::nullopt;
    struct Query {
        const BodySurface& surface;
        Vec3 origin, direction;
        double best = INFINITY;
        std::uint32_t face = 0;

        bool intersectVolume(const Box& box) const
        {
            double from = 0, to = best;
            for (int i = 0; i < 3; ++i) {
                if (direction[i] == 0) {
                    if (origin[i] < box.min()[i] || origin[i] > box.max()[i]) return false;
                    continue;
                }
                const double a = (box.min()[i] - origin[i]) / direction[i],
                             b = (box.max()[i] - origin[i]) / direction[i];
                from = std::max(from, std::min(a, b));
                to = std::min(to, std::max(a, b));
            }
            return from <= to * (1 + 1e-12) + 1e-12;
        }
        bool intersectObject(std::uint32_t f)
        {
            const auto away = hitOf(surface.cornersOf(f), origin, direction);
            if (away && *away < best) best = *away, face = f;
            return false;
        }
    } query{*this, origin, direction.normalized()};
    Eigen::BVIntersect(m_tree->boxes, query);
    if (!std::isfinite(query.best)) return std::nullopt;
    return SurfaceSpot{origin + query.best * query.direction, query.face};
}

SurfaceSpot BodySurface::nearest(const Vec3& point) const
{
    struct Query {
        using Scalar = double;
        const BodySurface& surface;
        Vec3 point;
        double best = INFINITY;
        SurfaceSpot spot{};

        double minimumOnVolume(const Box& box) const { return box.squaredExteriorDistance(point); }
        double minimumOnObject(std::uint32_t f)
        {
            const Vec3 at = nearestOf(surface.cornersOf(f), point);
            const double away = (at - point).squaredNorm();
            if (away < best) best = away, spot = {at, f};
            return away;
        }
    } query{*this, point};
    Eigen::BVMinimize(m_tree->boxes, query);
    return query.spot;
}

Vec3 BodySurface::cornerNormal(std::uint32_t face, int corner) const
{
    const std::uint32_t point = m_faces[face][size_t(corner)];
    Vec3 sum = Vec3::Zero();
    for (std::uint32_t i = m_begin[point]; i < m_begin[point + 1]; ++i) {
        const std::uint32_t f = m_around[i];
        if (m_normals[f].dot(m_normals[face]) < kCrease) continue;
        const size_t k = size_t(std::find(m_faces[f].begin(), m_faces[f].end(), point) - m_faces[f].begin());
        const Vec3 a = (m_points[m_faces[f][(k + 1) % 3]] - m_points[point]).normalized();
        const Vec3 b = (m_points[m_faces[f][(k + 2) % 3]] - m_points[point]).normalized();
        sum += std::acos(std::clamp(a.dot(b), -1.0, 1.0)) * m_normals[f];
    }
    return sum.norm() > 0 ? Vec3(sum.normalized()) : m_normals[face];
}

Vec3 BodySurface::normal(const SurfaceSpot& spot, double radius) const
{
    const std::array<Vec3, 3> t = cornersOf(spot.face);
    const Vec3 across = (t[1] - t[0]).cross(t[2] - t[0]);
    const auto share = [&](const Vec3& b, const Vec3& c) {
        return std::max(0.0, (b - spot.at).cross(c - spot.at).dot(across) / across.squaredNorm());
    };
    Vec3 plain = share(t[1], t[2]) * cornerNormal(spot.face, 0) + share(t[2], t[0]) * cornerNormal(spot.face, 1)
                 + share(t[0], t[1]) * cornerNormal(spot.face, 2);
    plain = plain.norm() > 0 ? Vec3(plain.normalized()) : m_normals[spot.face];
    if (radius <= 0) return plain;

    // Faces that hang together around the spot.
    std::set<std::uint32_t> seen{spot.face};
    std::vector<std::uint32_t> open{spot.face};
    std::set<std::uint32_t> corners;
    Vec3 mean = Vec3::Zero();
    while (!open.empty()) {
        const std::uint32_t f = open.back();
        open.pop_back();
        const std::array<Vec3, 3> own = cornersOf(f);
        if ((nearestOf(own, spot.at) - spot.at).norm() > radius) continue;
        mean += (own[1] - own[0]).cross(own[2] - own[0]);
        for (size_t k = 0; k < 3; ++k) {
            if ((own[k] - spot.at).norm() < radius) corners.insert(m_faces[f][k]);
            const std::uint32_t next = m_beside[f][k];
            if (m_normals[next].dot(plain) > kLean && seen.insert(next).second) open.push_back(next);
        }
    }
    Vec3 out = mean.norm() > 0 ? Vec3(mean.normalized()) : plain;
    if (corners.size() < 10) return out;
    for (int pass = 0; pass < 2; ++pass) {
        const Vec3 u = out.unitOrthogonal(), v = out.cross(u);
        Eigen::Matrix<double, 6, 6> left = Eigen::Matrix<double, 6, 6>::Zero();
        Eigen::Matrix<double, 6, 1> right = Eigen::Matrix<double, 6, 1>::Zero();
        for (const std::uint32_t corner : corners) {
            const Vec3 d = (m_points[corner] - spot.at) / radius;
            const double x = d.dot(u), y = d.dot(v), h = d.dot(out), fade = 1 - d.squaredNorm();
            Eigen::Matrix<double, 6, 1> row;
            row << 1, x, y, x * x, x * y, y * y;
            left += fade * fade * row * row.transpose();
            right += fade * fade * h * row;
        }
        const Eigen::Matrix<double, 6, 1> fit = left.ldlt().solve(right);
        if (!fit.allFinite() || (left * fit - right).norm() > 1e-6 * (1 + right.norm())) return out;
        out = (out - fit[1] * u - fit[2] * v).normalized();
    }
    return out;
}

std::optional<std::vector<SurfaceSpot>> BodySurface::cut(const SurfaceSpot& from, const SurfaceSpot& to) const
{
    const Vec3 way = to.at - from.at;
    std::vector<SurfaceSpot> out{from};
    if (from.face == to.face) {
        if (way.norm() > 0) out.push_back(to);
        return out;
    }
    Vec3 mean = normal(from) + normal(to);
    if (mean.norm() < 0.1) mean = normal(from);
    const Vec3 across = way.cross(mean).normalized();
    if (!across.allFinite() || across.norm() < 0.5) return std::nullopt;
    const auto side = [&](std::uint32_t point) {
        const double s = across.dot(m_points[point] - from.at);
        return s == 0 ? 1e-15 : s;  // a corner on the plane counts as beside it
    };
    std::uint32_t face = from.face, before = from.face;
    for (size_t steps = 0; steps <= m_faces.size(); ++steps) {
        int taken = -1;
        Vec3 best = Vec3::Zero();
        for (int k = 0; k < 3; ++k) {
            const std::uint32_t a = m_faces[face][size_t(k)], b = m_faces[face][size_t(k + 1) % 3];
            const double sa = side(a), sb = side(b);
            if ((sa > 0) == (sb > 0)) continue;
            if (steps > 0 && m_beside[face][size_t(k)] == before) continue;
            const Vec3 at = m_points[a] + (m_points[b] - m_points[a]) * (sa / (sa - sb));
            if (taken < 0 || (at - best).dot(way) > 0) taken = k, best = at;
        }
        if (taken < 0) return std::nullopt;
        const std::uint32_t next = m_beside[face][size_t(taken)];
        if (next == face) return std::nullopt;
        if ((best - out.back().at).norm() > 1e-9) out.push_back({best, face});
        before = face;
        face = next;
        if (face != to.face) continue;
        if ((to.at - out.back().at).norm() > 1e-9) out.push_back(to);
        return out;
    }
    return std::nullopt;
}

}  // namespace topikos
