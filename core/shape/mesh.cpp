#include "core/shape/mesh.h"

#include <array>
#include <cmath>
#include <map>
#include <numbers>

namespace topikos {

namespace {

Eigen::Vector3f f(const Vec3& v) { return v.cast<float>(); }

/// A closed ring of points swept to the next ring with one normal per point and side; `edge` draws the ring.
void band(Mesh& mesh, const std::vector<Vec3>& low, const std::vector<Vec3>& high, const std::vector<Vec3>& lowNormal, const std::vector<Vec3>& highNormal, Color color)
{
    const auto base = std::uint32_t(mesh.vertices.size());
    const auto n = std::uint32_t(low.size());
    for (std::uint32_t i = 0; i < n; ++i) {
        mesh.vertices.push_back({f(low[i]), f(lowNormal[i]), color});
        mesh.vertices.push_back({f(high[i]), f(highNormal[i]), color});
    }
    for (std::uint32_t i = 0; i < n; ++i) {
        const std::uint32_t a = base + 2 * i, b = base + 2 * ((i + 1) % n);
        for (const std::uint32_t v : {a, b, b + 1, a, b + 1, a + 1}) mesh.triangles.push_back(v);
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
    for (const Vec3& p : ring) mesh.vertices.push_back({f(p), f(normal), color});
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
    for (const MeshVertex& v : other.vertices) vertices.push_back({r * v.position + t, r * v.normal, v.color});
    for (const std::uint32_t i : other.triangles) triangles.push_back(base + i);
    for (const Eigen::Vector3f& e : other.edges) edges.push_back(r * e + t);
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

Mesh drumMesh(double radius, double low, double high, double bevel, Color color)
{
    // The rim is rounded in two steps, without an edge line between them.
    const double b = std::min({bevel, 0.4 * radius, 0.4 * (high - low)});
    return latheMesh({{radius - b, low}, {radius - 0.3 * b, low + 0.3 * b}, {radius, low + b}, {radius, high - b}, {radius - 0.3 * b, high - 0.3 * b}, {radius - b, high}}, color);
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
        for (size_t i = 0; i < direction.size(); ++i) points.push_back(centre[i] + (radius[i] - inset) * direction[i] + Vec3(0, 0, height));
        return points;
    };
    const double h = 0.5 * thickness, b = std::min({bevel, 0.4 * thickness, 0.4 * std::min(radiusA, radiusB)});
    const auto tilted = [&](double axial) {
        std::vector<Vec3> out;
        for (const Vec3& d : direction) out.push_back((d + Vec3(0, 0, axial)).normalized());
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

Mesh solidMesh(const Solid& solid)
{
    Mesh mesh;
    if (solid.kind == Solid::Kind::Box) {
        mesh.append(boxMesh(solid.size, solid.color), solid.pose);
    } else {
        const double r = 0.5 * solid.size[0], h = 0.5 * solid.size[2];
        mesh.append(latheMesh({{r, -h}, {r, h}}, solid.color), solid.pose);
    }
    return mesh;
}

Triangles trianglesOf(const Mesh& mesh)
{
    Triangles out;
    for (const MeshVertex& v : mesh.vertices) out.points.push_back(v.position);
    for (size_t i = 0; i + 2 < mesh.triangles.size(); i += 3) out.faces.push_back({mesh.triangles[i], mesh.triangles[i + 1], mesh.triangles[i + 2]});
    if (!mesh.vertices.empty()) out.color = {mesh.vertices[0].color.red, mesh.vertices[0].color.green, mesh.vertices[0].color.blue};
    return out;
}

Mesh meshFrom(const Triangles& t)
{
    const float crease = std::cos(35.0f * float(std::numbers::pi) / 180);
    std::vector<Eigen::Vector3f> normals;
    normals.reserve(t.faces.size());
    // Points at the same place are one corner of the surface, however often the file repeats them.
    std::map<std::array<float, 3>, std::uint32_t> places;
    std::vector<std::uint32_t> place(t.points.size());
    for (size_t i = 0; i < t.points.size(); ++i)
        place[i] = places.try_emplace({t.points[i][0], t.points[i][1], t.points[i][2]}, std::uint32_t(places.size())).first->second;
    std::vector<std::vector<std::uint32_t>> around(places.size());
    for (size_t f = 0; f < t.faces.size(); ++f) {
        const auto& face = t.faces[f];
        normals.push_back((t.points[face[1]] - t.points[face[0]]).cross(t.points[face[2]] - t.points[face[0]]));
        for (const std::uint32_t corner : face) around[place[corner]].push_back(std::uint32_t(f));
    }
    Mesh mesh;
    mesh.vertices.reserve(3 * t.faces.size());
    mesh.triangles.reserve(3 * t.faces.size());
    const Color color{t.color[0], t.color[1], t.color[2]};
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::pair<std::uint32_t, int>> rims;  // first face, number of faces
    const auto sharp = [&](std::uint32_t a, std::uint32_t b) { return normals[a].dot(normals[b]) < crease * normals[a].norm() * normals[b].norm(); };
    std::map<std::pair<std::uint32_t, std::uint32_t>, bool> edges;
    for (std::uint32_t f = 0; f < t.faces.size(); ++f) {
        for (size_t k = 0; k < 3; ++k) {
            const std::uint32_t corner = t.faces[f][k];
            Eigen::Vector3f normal = Eigen::Vector3f::Zero();
            for (const std::uint32_t other : around[place[corner]])
                if (!sharp(f, other)) normal += normals[other];
            mesh.triangles.push_back(std::uint32_t(mesh.vertices.size()));
            mesh.vertices.push_back({t.points[corner], normal.normalized(), color});
            const std::uint32_t a = place[corner], b = place[t.faces[f][(k + 1) % 3]];
            const auto [rim, fresh] = rims.try_emplace({std::min(a, b), std::max(a, b)}, f, 0);
            if (++rim->second.second == 2) edges[rim->first] = sharp(f, rim->second.first);
            else if (fresh) edges[rim->first] = true;
        }
    }
    std::vector<const Eigen::Vector3f*> at(places.size());
    for (size_t i = 0; i < t.points.size(); ++i) at[place[i]] = &t.points[i];
    for (const auto& [ends, drawn] : edges)
        if (drawn) {
            mesh.edges.push_back(*at[ends.first]);
            mesh.edges.push_back(*at[ends.second]);
        }
    return mesh;
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
