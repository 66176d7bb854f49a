#pragma once
#include "core/cell/drawing.h"
#include "core/surface/body_surface.h"

#include <variant>

namespace topikos {

/// A line on a surface.
struct SurfaceLine {
    std::vector<SurfaceSpot> spots;
    bool closed = false;  ///< the last one leads to the first
};

/// How a line comes to points.
struct DrawRule {
    enum class Kind { Spacing, Chord };
    Kind kind = Kind::Spacing;
    double spacing = 0.02;  ///< along the line; what is left over is at its end, and before sharp corners [m]
    double chord = 0.0005;  ///< how far the line departs at most from the chord between two points [m]
    double radius = 0;      ///< that normals are smoothed over [m]
};

/// From spot to spot over the surface: where a plane through both cuts it, see BodySurface::cut(); where that does not
/// get there, along what lies nearest to the chord.
SurfaceLine lineThrough(const BodySurface& surface, const std::vector<SurfaceSpot>& spots, bool closed);

inline constexpr double kEdgeWithin = 0.03;  ///< an edge this near to a chosen place is meant [m]
/// Along sharp edges and open rims, from the one nearest to a spot on, around the face that the spot is on; where
/// several go on, that on the same side, then the straightest. Nothing when none is within a distance [m].
std::optional<SurfaceLine> edgeLine(const BodySurface& surface, const SurfaceSpot& spot, double within);

/// Points on a line by a rule. Refused where there would be more than a group can have, or fewer than two.
Result<std::vector<SurfacePoint>> pointsAlong(const BodySurface& surface, const SurfaceLine& line,
                                              const DrawRule& rule);
/// A point at each spot.
std::vector<SurfacePoint> pointsAt(const BodySurface& surface, const std::vector<SurfaceSpot>& spots, double radius);

// Groups as they are drawn already. Points keep their numbers; those that are new get free ones.

/// Points anew by a rule, along the line through those that there are.
Result<Drawing> respaced(const BodySurface& surface, Drawing drawing, const DrawRule& rule);
/// Normals anew, smoothed over a radius [m].
Drawing smoothed(const BodySurface& surface, Drawing drawing, double radius);
/// One point elsewhere on the surface.
Drawing withPointAt(const BodySurface& surface, Drawing drawing, size_t point, const SurfaceSpot& spot);
/// One point more, before `at` (0 to the number of points).
Drawing withPoint(const BodySurface& surface, Drawing drawing, size_t at, const SurfaceSpot& spot);
/// All points by so much, in the body, and from there to the nearest of the surface.
Drawing shifted(const BodySurface& surface, Drawing drawing, const Vec3& by);
/// All points at a plane across an axis of the body (0 to 2) through its origin, and from there to the nearest of the
/// surface.
Drawing mirrored(const BodySurface& surface, Drawing drawing, int axis);

/// What a group is drawn on.
using DrawnOn = std::variant<FrameId, PartId>;
/// A group for the tool in force of an arm, as one edit. Its targets have the configuration of a posture, and axes that
/// move the body as seen from the arm stand where they do in `axes`.
Result<Cell> addDrawnGroup(const Cell& cell, ArmId arm, const DrawnOn& body, Drawing drawing, const std::string& name,
                           const JointVector& posture, const AxisValues& axes, PatternId* created = nullptr);

/// The shapes that a drawn pattern is on.
const std::vector<Solid>& bodyOf(const Cell& cell, const Pattern& pattern);

}  // namespace topikos
