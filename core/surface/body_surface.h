#pragma once
#include "core/shape/solid.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

namespace topikos {

/// A point of a surface.
struct SurfaceSpot {
    Vec3 at = Vec3::Zero();  ///< in the body [m]
    std::uint32_t face = 0;
};

/// The surface of a body, made ready for questions about places, normals and edges of it. All its shapes count as one
/// surface;
/// round ones are kept to 0.02 mm up to a radius of 2 m, balls to 0.04 mm up to 0.16 m.
class BodySurface {
public:
    explicit BodySurface(const std::vector<Solid>& solids);
    ~BodySurface();
    BodySurface(BodySurface&&) noexcept;
    BodySurface& operator=(BodySurface&&) noexcept;

    bool empty() const { return m_faces.empty(); }
    /// The first place that a ray comes to; direction of any length.
    std::optional<SurfaceSpot> hit(const Vec3& origin, const Vec3& direction) const;
    /// The place nearest to a point. Not for empty surfaces.
    SurfaceSpot nearest(const Vec3& point) const;

    /// Which way the surface faces, of length 1. Without a radius: between the corners of the face, each of which has
    /// the mean of the faces around it, by their angles there, that meet at less than 35°. With one: of the
    /// second-degree surface that lies nearest to the corners within it, the nearer ones counting more, of faces that
    /// hang together and lean less than 60° away; fewer than ten such corners give their faces' mean.
    Vec3 normal(const SurfaceSpot& spot, double radius = 0) const;

    /// Where a plane cuts the surface, from one place to another, on the side on which the way begins towards it. The
    /// plane holds both places and their mean normal. Nothing where the cut ends before.
    std::optional<std::vector<SurfaceSpot>> cut(const SurfaceSpot& from, const SurfaceSpot& to) const;

    /// A sharp edge or open rim.
    struct Edge {
        std::uint32_t a, b;         ///< corners
        std::uint32_t face, other;  ///< on both sides; the same twice at an open rim
    };
    const std::vector<Edge>& edges() const { return m_edges; }
    const Vec3& corner(std::uint32_t i) const { return m_points[i]; }
    const Vec3& faceNormal(std::uint32_t face) const { return m_normals[face]; }

private:
    struct Tree;
    Vec3 cornerNormal(std::uint32_t face, int corner) const;
    std::array<Vec3, 3> cornersOf(std::uint32_t face) const;

    std::vector<Vec3> m_points;
    std::vector<std::array<std::uint32_t, 3>> m_faces;
    std::vector<std::array<std::uint32_t, 3>> m_beside;  ///< faces across each edge; itself at an open rim
    std::vector<Vec3> m_normals;                         ///< of faces
    std::vector<std::uint32_t> m_begin, m_around;        ///< faces around each point
    std::vector<Edge> m_edges;
    std::unique_ptr<Tree> m_tree;
};

}  // namespace topikos
