#pragma once
#include "core/shape/mesh.h"
#include "core/shape/solid.h"

#include <memory>
#include <vector>

namespace topikos {

/// A circle across z.
struct Ring {
    Vec3 centre = Vec3::Zero();
    double radius = 0;  ///< [m]
};

/// A convex body: the hull of points and circles, with all that is within `margin` of it. Round shapes are round.
struct Convex {
    Pose pose;  ///< in the body that it is a piece of
    std::vector<Vec3> points{};
    std::vector<Ring> rings{};
    double margin = 0;  ///< [m]

    /// The point that is furthest along a direction of any length, without the margin; in its own frame.
    Vec3 furthest(const Vec3& direction) const;
};

/// A surface from a file where it stands in a body.
struct PlacedSurface {
    Pose pose;
    std::shared_ptr<const Triangles> triangles;
};

/// A ball around a convex body, in the body that it is a piece of.
struct Ball {
    Vec3 centre = Vec3::Zero();
    double radius = 0;  ///< [m]
};
Ball ballAround(const Convex& convex);

/// The convex pieces that a solid is made of; none for surfaces from files. Solids of an outline become prisms.
std::vector<Convex> convexPieces(const Solid& solid);

/// A body of revolution about z by its outline, from bottom to top, cut where it is hollow.
std::vector<Convex> turnedPieces(const std::vector<LathePoint>& outline);
/// The plate of plateMesh(), with round ends.
Convex plateHull(double radiusA, double radiusB, double length, double thickness, double bevel);

}  // namespace topikos
