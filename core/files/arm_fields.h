#pragma once
#include "core/files/json_fields.h"
#include "core/robot/data_sheet.h"

#include <algorithm>

namespace topikos {

template <class Io> void fields(Io& io, SheetAxis& a)
{
    const SheetAxis plain;
    io.field("name", a.name);
    io.word("kind", a.kind, {{"revolute", JointKind::Revolute}, {"prismatic", JointKind::Prismatic}});
    io.optional("point", a.point, plain.point);
    io.optional("direction", a.direction, plain.direction);
    io.optional("a", a.a, plain.a);
    io.optional("alpha", a.alpha, plain.alpha);
    io.optional("d", a.d, plain.d);
    io.optional("theta", a.theta, plain.theta);
    io.optional("reversed", a.reversed, plain.reversed);
    io.field("lower", a.lower);
    io.field("upper", a.upper);
    io.field("speed", a.speed);
    io.field("acceleration", a.acceleration);
    io.optional("jerk", a.jerk, plain.jerk);
    io.optional("effort", a.effort, plain.effort);
    io.optional("drawn", a.drawn, plain.drawn);
    io.optional("mass", a.mass, plain.mass);
    io.optional("centre-of-mass", a.centre, plain.centre);
    io.optional("moments", a.moments, plain.moments);
    io.optional("products", a.products, plain.products);
}

inline constexpr Word<AngleOrder> kAngleWords[] = {{"fixed-xyz", AngleOrder::FixedXyz},
                                                   {"zyx", AngleOrder::IntrinsicZyx},
                                                   {"zyz", AngleOrder::IntrinsicZyz},
                                                   {"xyz", AngleOrder::IntrinsicXyz}};

/// A surface in a file: flat lists of coordinates and corner indices.
struct StoredMesh {
    std::uint32_t link = 0;
    Color color;
    std::vector<double> points;            ///< [m], three per point
    std::vector<std::uint32_t> triangles;  ///< three per triangle
};

template <class Io> void fields(Io& io, StoredMesh& m)
{
    io.field("link", m.link);
    io.field("color", m.color);
    io.field("points", m.points);
    io.field("triangles", m.triangles);
}

inline StoredMesh storedMesh(const LinkMesh& mesh)
{
    StoredMesh out;
    out.link = std::uint32_t(mesh.link);
    out.color = {mesh.triangles->color[0], mesh.triangles->color[1], mesh.triangles->color[2]};
    // Tenths of a micrometre: what a single-precision coordinate holds, in few digits.
    for (const Eigen::Vector3f& p : mesh.triangles->points)
        for (const float c : p)
            out.points.push_back(std::round(double(c) * 1e7) / 1e7);
    for (const auto& face : mesh.triangles->faces)
        out.triangles.insert(out.triangles.end(), face.begin(), face.end());
    return out;
}

/// Fails on an io that reads when the lists do not make triangles.
template <class Io> LinkMesh linkMesh(Io& io, const StoredMesh& m)
{
    auto triangles = std::make_shared<Triangles>();
    triangles->color = {m.color.red, m.color.green, m.color.blue};
    const bool whole = m.points.size() % 3 == 0 && m.triangles.size() % 3 == 0 && m.link <= std::uint32_t(kMaxJoints);
    const bool known =
        std::all_of(m.triangles.begin(), m.triangles.end(), [&](std::uint32_t i) { return i < m.points.size() / 3; });
    if (!whole || !known) {
        io.fail("meshes",
                "must hold three numbers per point, three corners per triangle, and no corner beyond the last point");
        return {};
    }
    for (size_t i = 0; i < m.points.size(); i += 3)
        triangles->points.push_back(Vec3(m.points[i], m.points[i + 1], m.points[i + 2]).cast<float>());
    for (size_t i = 0; i < m.triangles.size(); i += 3)
        triangles->faces.push_back({m.triangles[i], m.triangles[i + 1], m.triangles[i + 2]});
    return {int(m.link), triangles};
}

template <class Io> void fields(Io& io, DataSheet& s)
{
    using Placement = DataSheet::Placement;
    io.field("id", s.id);
    io.field("name", s.name);
    io.word("placement", s.placement,
            {{"drawing", Placement::Drawing},
             {"dh-classic", Placement::DhClassic},
             {"dh-modified", Placement::DhModified}});
    io.word("orientation", s.orientation, kAngleWords);
    io.optional("payload", s.payload, 0.0);
    io.optional("reach", s.reach, 0.0);
    io.field("home", s.home);
    io.field("flange", s.flange);
    io.list("axes", s.axes);
    std::vector<StoredMesh> stored;
    for (const LinkMesh& mesh : s.meshes)
        stored.push_back(storedMesh(mesh));
    io.optionalList("meshes", stored);
    if constexpr (Io::kReads)
        for (const StoredMesh& mesh : stored)
            s.meshes.push_back(linkMesh(io, mesh));
}

}  // namespace topikos
