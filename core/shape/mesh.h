#pragma once
#include "core/shape/solid.h"
#include "core/spatial/triangles.h"

#include <array>
#include <optional>
#include <vector>

namespace topikos {

struct MeshVertex {
    Eigen::Vector3f position;  ///< [m]
    Eigen::Vector3f normal;    ///< unit
    Color color;
};

/// Triangles to be lit and feature edges to be drawn as thin lines.
struct Mesh {
    std::vector<MeshVertex> vertices;
    std::vector<std::uint32_t> triangles;  ///< three indices each, counter-clockwise from outside
    std::vector<Eigen::Vector3f> edges;    ///< two points each [m]

    void append(const Mesh& other, const Pose& placement = {});
};

/// A corner of the outline of a turned body.
struct LathePoint {
    double radius, height;  ///< [m]
};

/// Body of revolution about z; the outline runs from bottom to top. Corners sharper than about 30° get an edge.
Mesh latheMesh(const std::vector<LathePoint>& outline, Color color, int sides = 40);

/// Outline of a cylinder with bevelled rims.
std::vector<LathePoint> drumOutline(double radius, double low, double high, double bevel);

/// Square section with a groove in each side, as frames are built of.
std::vector<Eigen::Vector2d> profileOutline(double width, double height);

/// Cylinder about z from `low` to `high` with bevelled rims.
Mesh drumMesh(double radius, double low, double high, double bevel, Color color);

/// Plate with two round ends: hull of a circle at the origin and one at (length, 0), thickness along z centred on 0,
/// bevelled rims.
Mesh plateMesh(double radiusA, double radiusB, double length, double thickness, double bevel, Color color);

/// With `light`, surfaces from files are drawn by their lighter copy. Round bodies get so many sides.
Mesh solidMesh(const Solid& solid, bool light = false, int sides = 40);
/// The sides that a round body needs to keep within `chord` of its true shape, from 40 to `most`.
int sidesFor(const Solid& solid, double chord, int most);

/// The triangles that fill an outline free of crossings, counter-clockwise, as indices of its corners (ear clipping).
std::vector<std::array<std::uint32_t, 3>> filled(const std::vector<Eigen::Vector2d>& outline);

/// The triangles of a mesh alone.
Triangles trianglesOf(const Mesh& mesh);

/// A read surface made ready for drawing: corners between faces that meet at less than 35° are smooth, sharper ones and
/// open rims get an edge.
Mesh meshFrom(const Triangles& triangles);

/// A round rim: the edge of a hole, a pin, a cylinder.
struct Circle {
    Vec3 centre, axis;  ///< axis: unit, either way round
    double radius;      ///< [m]
};
/// The closed rings among the feature edges that are circles, to 1 % of their radius, of at least eight corners.
std::vector<Circle> circlesOf(const Mesh& mesh);

/// Distance along the ray (unit direction) to the first triangle hit [m].
std::optional<double> rayHit(const Mesh& mesh, const Vec3& origin, const Vec3& direction);

}  // namespace topikos
