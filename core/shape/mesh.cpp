#include "core/shape/mesh.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <unordered_map>

namespace topikos {

namespace {

Eigen::Vector3f f(const Vec3& v) { return v.cast<float>(); }

/// A closed ring of points swept to the next ring with one normal per point and side; `edge` draws the ring.
void band(Mesh& mesh, const std::vector<Vec3>& low, const std::vector<Vec3>& high, const std::vector<Vec3>& lowNormal,
          const std::vector<Vec3>& highNormal, Color color)
{
    const auto base = std::uint32_t(mesh.vertices.size());
    const auto n = std::uint32_t(low.size());
    for (std::uint32_t i = 0; i < n; ++i) {
        mesh.vertices.push_back({f(low[i]), f(lowNormal[i]), color});
        mesh.vertices.push_back({f(high[i]), f(highNormal[i]), color});
    }
    for (std::uint32_t i = 0; i < n; ++i) {
        const std::uint32_t a = base + 2 * i, b = base + 2 * ((i + 1) % n);
        for (const std::uint32_t v : {a, b, b + 1, a, b + 1, a + 1})
            mesh.triangles.push_back(v);
    }
}

void ringEdge(Mesh& mesh, const std::vector<Vec3>& ring)
{
    for (size_t i = 0; i < ring.size(); ++i) {
        mesh.edges.push_back(f(ring[i]));
        mesh.edges.push_back(f(ring[(i + 1) % ring.size()]));
    }
}

/// Flat cap over a convex ring, facing along `normal`.
void cap(Mesh& mesh, const std::vector<Vec3>& ring, const Vec3& normal, Color color)
{
    const auto base = std::uint32_t(mesh.vertices.size());
    for (const Vec3& p : ring)
        mesh.vertices.push_back({f(p), f(normal), color});
    const bool forward = (ring[1] - ring[0]).cross(ring[2] - ring[1]).dot(normal) > 0;
    for (std::uint32_t i = 1; i + 1 < ring.size(); ++i) {
        mesh.triangles.push_back(base);
        mesh.triangles.push_back(base + (forward ? i : i + 1));
        mesh.triangles.push_back(base + (forward ? i + 1 : i));
    }
}

Mesh boxMesh(const Vec3& size, Color color)
{
    Mesh mesh;
    const Vec3 h = 0.5 * size;
    for (int axis = 0; axis < 3; ++axis)
        for (const double side : {-1.0, 1.0}) {
            const int u = (axis + 1) % 3, v = (axis + 2) % 3;
            std::vector<Vec3> ring;
            for (const auto& [su, sv] : {std::pair{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}) {
                Vec3 p;
                p[axis] = side * h[axis];
                p[u] = su * h[u];
                p[v] = sv * h[v];
                ring.push_back(p);
            }
            cap(mesh, ring, side * Vec3::Unit(axis), color);
            if (axis == 2) ringEdge(mesh, ring);
        }
    for (const auto& [sx, sy] : {std::pair{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}) {
        mesh.edges.push_back(f(Vec3(sx * h[0], sy * h[1], -h[2])));
        mesh.edges.push_back(f(Vec3(sx * h[0], sy * h[1], h[2])));
    }
    return mesh;
}

}  // namespace

void Mesh::append(const Mesh& other, const Pose& placement)
{
    const auto base = std::uint32_t(vertices.size());
    const Eigen::Matrix3f r = placement.matrix().cast<float>();
    const Eigen::Vector3f t = f(placement.translation);
    for (const MeshVertex& v : other.vertices)
        vertices.push_back({r * v.position + t, r * v.normal, v.color});
    for (const std::uint32_t i : other.triangles)
        triangles.push_back(base + i);
    for (const Eigen::Vector3f& e : other.edges)
        edges.push_back(r * e + t);
}

Mesh latheMesh(const std::vector<LathePoint>& outline, Color color, int sides)
{
    Mesh mesh;
    const size_t n = outline.size();
    const auto ring = [&](const LathePoint& p) {
        std::vector<Vec3> points;
        for (int i = 0; i < sides; ++i) {
            const double a = 2 * std::numbers::pi * i / sides;
            points.push_back({p.radius * std::cos(a), p.radius * std::sin(a), p.height});
        }
        return points;
    };
    const auto normals = [&](double radial, double axial) {
        std::vector<Vec3> out;
        for (int i = 0; i < sides; ++i) {
            const double a = 2 * std::numbers::pi * i / sides;
            out.push_back(Vec3(radial * std::cos(a), radial * std::sin(a), axial).normalized());
        }
        return out;
    };
    for (size_t i = 0; i + 1 < n; ++i) {
        const double dr = outline[i + 1].radius - outline[i].radius, dh = outline[i + 1].height - outline[i].height;
        const auto normal = normals(dh, -dr);
        band(mesh, ring(outline[i]), ring(outline[i + 1]), normal, normal, color);
        if (i > 0) {
            const double r0 = outline[i].radius - outline[i - 1].radius, h0 = outline[i].height - outline[i - 1].height;
            const double cosine = (dr * r0 + dh * h0) / (std::hypot(dr, dh) * std::hypot(r0, h0));
            if (cosine < 0.87) ringEdge(mesh, ring(outline[i]));
        }
    }
    if (outline.front().radius > 0) {
        cap(mesh, ring(outline.front()), -Vec3::UnitZ(), color);
        ringEdge(mesh, ring(outline.front()));
    }
    if (outline.back().radius > 0) {
        cap(mesh, ring(outline.back()), Vec3::UnitZ(), color);
        ringEdge(mesh, ring(outline.back()));
    }
    return mesh;
}

std::vector<LathePoint> drumOutline(double radius, double low, double high, double bevel)
{
    // The rim is rounded in two steps, without an edge line between them.
    const double b = std::min({bevel, 0.4 * radius, 0.4 * (high - low)});
    return {{radius - b, low},  {radius - 0.3 * b, low + 0.3 * b},  {radius, low + b},
            {radius, high - b}, {radius - 0.3 * b, high - 0.3 * b}, {radius - b, high}};
}

Mesh drumMesh(double radius, double low, double high, double bevel, Color color)
{
    return latheMesh(drumOutline(radius, low, high, bevel), color);
}

Mesh plateMesh(double radiusA, double radiusB, double length, double thickness, double bevel, Color color)
{
    // Outline of the hull: the arc of A facing away from B, then the arc of B facing away from A.
    const double lean = std::asin(std::clamp((radiusA - radiusB) / length, -1.0, 1.0));
    constexpr int arc = 18;
    std::vector<Vec3> direction;
    std::vector<Vec3> centre;
    std::vector<double> radius;
    const double top = std::numbers::pi / 2 - lean;  // direction of the upper tangent point
    for (int i = 0; i <= arc; ++i) {
        const double a = top + (2 * std::numbers::pi - 2 * top) * i / arc;
        direction.push_back({std::cos(a), std::sin(a), 0});
        centre.push_back(Vec3::Zero());
        radius.push_back(radiusA);
    }
    for (int i = 0; i <= arc; ++i) {
        const double a = -top + 2 * top * i / arc;
        direction.push_back({std::cos(a), std::sin(a), 0});
        centre.push_back({length, 0, 0});
        radius.push_back(radiusB);
    }
    const auto ring = [&](double inset, double height) {
        std::vector<Vec3> points;
        for (size_t i = 0; i < direction.size(); ++i)
            points.push_back(centre[i] + (radius[i] - inset) * direction[i] + Vec3(0, 0, height));
        return points;
    };
    const double h = 0.5 * thickness, b = std::min({bevel, 0.4 * thickness, 0.4 * std::min(radiusA, radiusB)});
    const auto tilted = [&](double axial) {
        std::vector<Vec3> out;
        for (const Vec3& d : direction)
            out.push_back((d + Vec3(0, 0, axial)).normalized());
        return out;
    };
    Mesh mesh;
    const auto flat = tilted(0);
    band(mesh, ring(b, -h), ring(0, -h + b), tilted(-2), flat, color);
    band(mesh, ring(0, -h + b), ring(0, h - b), flat, flat, color);
    band(mesh, ring(0, h - b), ring(b, h), flat, tilted(2), color);
    cap(mesh, ring(b, -h), -Vec3::UnitZ(), color);
    cap(mesh, ring(b, h), Vec3::UnitZ(), color);
    ringEdge(mesh, ring(b, -h));
    ringEdge(mesh, ring(b, h));
    return mesh;
}

std::vector<std::array<std::uint32_t, 3>> filled(const std::vector<Eigen::Vector2d>& outline)
{
    const auto cross = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
        const Eigen::Vector2d u = outline[b] - outline[a], v = outline[c] - outline[a];
        return u[0] * v[1] - u[1] * v[0];
    };
    std::vector<std::uint32_t> left(outline.size());
    double area = 0;
    for (std::uint32_t i = 0; i < outline.size(); ++i) {
        left[i] = i;
        const Eigen::Vector2d &p = outline[i], &q = outline[(i + 1) % outline.size()];
        area += p[0] * q[1] - p[1] * q[0];
    }
    if (area < 0) std::reverse(left.begin(), left.end());
    std::vector<std::array<std::uint32_t, 3>> out;
    while (left.size() >= 3) {
        const size_t n = left.size();
        size_t ear = n;
        for (size_t i = 0; i < n && ear == n; ++i) {
            const std::uint32_t a = left[(i + n - 1) % n], b = left[i], c = left[(i + 1) % n];
            if (cross(a, b, c) <= 0) continue;
            const bool free = std::none_of(left.begin(), left.end(), [&](std::uint32_t p) {
                return p != a && p != b && p != c && cross(a, b, p) >= 0 && cross(b, c, p) >= 0 && cross(c, a, p) >= 0;
            });
            if (free) ear = i;
        }
        if (ear == n) ear = 0;  // what is left has no area
        const std::array<std::uint32_t, 3> face{left[(ear + n - 1) % n], left[ear], left[(ear + 1) % n]};
        if (cross(face[0], face[1], face[2]) > 0) out.push_back(face);
        left.erase(left.begin() + std::ptrdiff_t(ear));
    }
    return out;
}

std::vector<Eigen::Vector2d> profileOutline(double width, double height)
{
    std::vector<Eigen::Vector2d> out;
    const double g = 0.1, d = 0.28;  // half the groove, and its depth, as parts of the side
    const Eigen::Vector2d half(0.5 * width, 0.5 * height);
    const Eigen::Vector2d side[] = {{1, -1}, {1, -g * 2}, {1 - 2 * d, -g * 2}, {1 - 2 * d, g * 2}, {1, g * 2}};
    for (int quarter = 0; quarter < 4; ++quarter)
        for (Eigen::Vector2d p : side) {
            for (int i = 0; i < quarter; ++i)
                p = Eigen::Vector2d(-p[1], p[0]);
            out.push_back(p.cwiseProduct(half));
        }
    return out;
}

namespace {

Mesh extrusionMesh(const std::vector<Eigen::Vector2d>& outline, double height, Color color)
{
    Mesh mesh;
    const double h = 0.5 * height;
    const auto faces = filled(outline);
    for (const double side : {-1.0, 1.0}) {
        const auto base = std::uint32_t(mesh.vertices.size());
        std::vector<Vec3> ring;
        for (const Eigen::Vector2d& p : outline)
            ring.push_back({p[0], p[1], side * h});
        for (const Vec3& p : ring)
            mesh.vertices.push_back({f(p), f(side * Vec3::UnitZ()), color});
        for (const auto& face : faces)
            for (const size_t k : {0, 1, 2})
                mesh.triangles.push_back(base + face[side > 0 ? k : 2 - k]);
        ringEdge(mesh, ring);
    }
    double area = 0;
    for (size_t i = 0; i < outline.size(); ++i) {
        const Eigen::Vector2d &p = outline[i], &q = outline[(i + 1) % outline.size()];
        area += p[0] * q[1] - p[1] * q[0];
    }
    const size_t n = outline.size();
    const auto normalOf = [&](size_t i) {
        const Eigen::Vector2d way = (outline[(i + 1) % n] - outline[i]).normalized();
        return Vec3((area > 0 ? 1 : -1) * Vec3(way[1], -way[0], 0));
    };
    for (size_t i = 0; i < n; ++i) {
        const Eigen::Vector2d &p = outline[i], &q = outline[(i + 1) % n];
        std::vector<Vec3> wall{{p[0], p[1], -h}, {q[0], q[1], -h}, {q[0], q[1], h}, {p[0], p[1], h}};
        cap(mesh, wall, normalOf(i), color);
        // Corners of less than 20 degrees are meant as round.
        if (normalOf(i).dot(normalOf((i + n - 1) % n)) < 0.94) {
            mesh.edges.push_back(f(wall[0]));
            mesh.edges.push_back(f(wall[3]));
        }
    }
    return mesh;
}

Mesh sphereMesh(double radius, Color color, int sides)
{
    std::vector<LathePoint> outline;
    const int rings = std::max(24, sides / 2);
    for (int i = 0; i <= rings; ++i) {
        const double angle = std::numbers::pi * (double(i) / rings - 0.5);
        outline.push_back({i == 0 || i == rings ? 0 : radius * std::cos(angle), radius * std::sin(angle)});
    }
    Mesh mesh = latheMesh(outline, color, sides);
    for (MeshVertex& v : mesh.vertices)
        v.normal = v.position.normalized();
    return mesh;
}

}  // namespace

int sidesFor(const Solid& solid, double chord, int most)
{
    const double radius =
        0.5 * (solid.kind == Solid::Kind::Cone ? std::max(solid.size[0], solid.size[1]) : solid.size[0]);
    if (!(radius > chord)) return 40;
    const double sides = std::numbers::pi / std::acos(1 - chord / radius);
    return int(std::clamp(4 * std::ceil(sides / 4), 40.0, double(most)));
}

Mesh solidMesh(const Solid& solid, bool light, int sides)
{
    const double r = 0.5 * solid.size[0], h = 0.5 * solid.size[2];
    Mesh mesh;
    switch (solid.kind) {
    case Solid::Kind::Box: mesh = boxMesh(solid.size, solid.color); break;
    case Solid::Kind::Cylinder: mesh = latheMesh({{r, -h}, {r, h}}, solid.color, sides); break;
    case Solid::Kind::Cone: mesh = latheMesh({{r, -h}, {0.5 * solid.size[1], h}}, solid.color, sides); break;
    case Solid::Kind::Sphere: mesh = sphereMesh(r, solid.color, sides); break;
    case Solid::Kind::Extrusion: mesh = extrusionMesh(solid.outline, solid.size[2], solid.color); break;
    case Solid::Kind::Profile:
        mesh = extrusionMesh(profileOutline(solid.size[0], solid.size[1]), solid.size[2], solid.color);
        break;
    case Solid::Kind::Mesh: {
        mesh = meshFrom(light ? *solid.surface.light : *solid.surface.drawn);
        for (MeshVertex& v : mesh.vertices)
            v.color = solid.color;
        break;
    }
    }
    if (solid.pose == Pose{}) return mesh;
    Mesh placed;
    placed.append(mesh, solid.pose);
    return placed;
}

Triangles trianglesOf(const Mesh& mesh)
{
    Triangles out;
    for (const MeshVertex& v : mesh.vertices)
        out.points.push_back(v.position);
    for (size_t i = 0; i + 2 < mesh.triangles.size(); i += 3)
        out.faces.push_back({mesh.triangles[i], mesh.triangles[i + 1], mesh.triangles[i + 2]});
    if (!mesh.vertices.empty())
        out.color = {mesh.vertices[0].color.red, mesh.vertices[0].color.green, mesh.vertices[0].color.blue};
    return out;
}

Mesh meshFrom(const Triangles& t)
{
    const float crease = std::cos(35.0f * float(std::numbers::pi) / 180);
    std::vector<Eigen::Vector3f> normals;
    normals.reserve(t.faces.size());
    std::uint32_t places = 0;
    const std::vector<std::uint32_t> place = placeNumbers(t.points, &places);
    // Faces around each place, one list behind the other.
    std::vector<std::uint32_t> begin(places + 1, 0), around(3 * t.faces.size());
    for (const auto& face : t.faces) {
        normals.push_back((t.points[face[1]] - t.points[face[0]]).cross(t.points[face[2]] - t.points[face[0]]));
        for (const std::uint32_t corner : face)
            ++begin[place[corner] + 1];
    }
    for (size_t i = 0; i < places; ++i)
        begin[i + 1] += begin[i];
    std::vector<std::uint32_t> fill(begin.begin(), begin.end() - 1);
    for (std::uint32_t f = 0; f < t.faces.size(); ++f)
        for (const std::uint32_t corner : t.faces[f])
            around[fill[place[corner]]++] = f;
    Mesh mesh;
    mesh.vertices.reserve(3 * t.faces.size());
    mesh.triangles.reserve(3 * t.faces.size());
    const Color color{t.color[0], t.color[1], t.color[2]};
    struct Rim {
        std::uint32_t a, b, first;  ///< ends, and the first face at it
        int faces;
        bool drawn;
    };
    std::vector<Rim> rims;
    std::unordered_map<std::uint64_t, std::uint32_t> rimAt;
    rimAt.reserve(2 * t.faces.size());
    const auto sharp = [&](std::uint32_t a, std::uint32_t b) {
        return normals[a].dot(normals[b]) < crease * normals[a].norm() * normals[b].norm();
    };
    for (std::uint32_t f = 0; f < t.faces.size(); ++f) {
        for (size_t k = 0; k < 3; ++k) {
            const std::uint32_t corner = t.faces[f][k];
            Eigen::Vector3f normal = Eigen::Vector3f::Zero();
            for (std::uint32_t i = begin[place[corner]]; i < begin[place[corner] + 1]; ++i)
                if (!sharp(f, around[i])) normal += normals[around[i]];
            mesh.triangles.push_back(std::uint32_t(mesh.vertices.size()));
            mesh.vertices.push_back({t.points[corner], normal.normalized(), color});
            const std::uint32_t a = place[corner], b = place[t.faces[f][(k + 1) % 3]];
            const auto [at, fresh] =
                rimAt.try_emplace((std::uint64_t(std::min(a, b)) << 32) | std::max(a, b), std::uint32_t(rims.size()));
            if (fresh) rims.push_back({std::min(a, b), std::max(a, b), f, 0, true});
            Rim& rim = rims[at->second];
            if (++rim.faces == 2) rim.drawn = sharp(f, rim.first);
        }
    }
    std::vector<const Eigen::Vector3f*> at(places);
    for (size_t i = 0; i < t.points.size(); ++i)
        at[place[i]] = &t.points[i];
    for (const Rim& rim : rims)
        if (rim.drawn) {
            mesh.edges.push_back(*at[rim.a]);
            mesh.edges.push_back(*at[rim.b]);
        }
    return mesh;
}

std::vector<Circle> circlesOf(const Mesh& mesh)
{
    std::map<std::array<float, 3>, std::vector<Eigen::Vector3f>> neighbours;
    const auto key = [](const Eigen::Vector3f& p) { return std::array<float, 3>{p[0], p[1], p[2]}; };
    for (size_t i = 0; i + 1 < mesh.edges.size(); i += 2) {
        neighbours[key(mesh.edges[i])].push_back(mesh.edges[i + 1]);
        neighbours[key(mesh.edges[i + 1])].push_back(mesh.edges[i]);
    }
    std::vector<Circle> out;
    std::map<std::array<float, 3>, bool> seen;
    for (const auto& [start, around] : neighbours) {
        if (seen[start] || around.size() != 2) continue;
        // Along the ring until it closes; a corner where more than two edges meet ends it.
        std::vector<Vec3> ring;
        std::array<float, 3> at = start, before = key(around[0]);
        bool closed = false;
        while (!closed) {
            seen[at] = true;
            ring.push_back(Vec3(at[0], at[1], at[2]));
            const auto& next = neighbours[at];
            if (next.size() != 2) break;
            const std::array<float, 3> forward = key(next[0]) == before ? key(next[1]) : key(next[0]);
            before = at;
            at = forward;
            closed = at == start;
            if (!closed && seen[at]) break;
        }
        if (!closed || ring.size() < 8) continue;
        Vec3 centre = Vec3::Zero(), normal = Vec3::Zero();
        for (const Vec3& p : ring)
            centre += p / double(ring.size());
        for (size_t i = 0; i < ring.size(); ++i)
            normal += (ring[i] - centre).cross(ring[(i + 1) % ring.size()] - centre);
        normal.normalize();
        double radius = 0;
        for (const Vec3& p : ring)
            radius += (p - centre).norm() / double(ring.size());
        const bool round = std::all_of(ring.begin(), ring.end(), [&](const Vec3& p) {
            return std::abs((p - centre).norm() - radius) < 0.01 * radius
                   && std::abs((p - centre).dot(normal)) < 0.01 * radius;
        });
        if (round) out.push_back({centre, normal, radius});
    }
    return out;
}

std::optional<double> rayHit(const Mesh& mesh, const Vec3& origin, const Vec3& direction)
{
    // Moeller and Trumbore, "Fast, minimum storage ray/triangle intersection", 1997.
    std::optional<double> nearest;
    for (size_t i = 0; i + 2 < mesh.triangles.size(); i += 3) {
        const Vec3 a = mesh.vertices[mesh.triangles[i]].position.cast<double>();
        const Vec3 e1 = mesh.vertices[mesh.triangles[i + 1]].position.cast<double>() - a;
        const Vec3 e2 = mesh.vertices[mesh.triangles[i + 2]].position.cast<double>() - a;
        const Vec3 p = direction.cross(e2);
        const double det = e1.dot(p);
        if (std::abs(det) < 1e-15) continue;
        const Vec3 s = origin - a;
        const double u = s.dot(p) / det;
        if (u < 0 || u > 1) continue;
        const Vec3 q = s.cross(e1);
        const double v = direction.dot(q) / det;
        if (v < 0 || u + v > 1) continue;
        const double t = e2.dot(q) / det;
        if (t > 1e-9 && (!nearest || t < *nearest)) nearest = t;
    }
    return nearest;
}

}  // namespace topikos
