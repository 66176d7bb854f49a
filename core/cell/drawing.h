#pragma once
#include "core/cell/cell.h"

namespace topikos {

// Groups of process targets that are drawn on a body, as values. The points come from core/surface.

/// Which way the group goes on at one of its points, along the surface, of length 1: as the middle of the ways from the
/// point before and to the point behind; of a single point, as near as can be to the body's x axis.
Vec3 wayAt(const Drawing& drawing, size_t point);

/// Where the tool point is to be at a point, in the body. The tool's z axis points into the surface, leaning by lead
/// and tilt about the point; its x axis is as Drawing::turns says.
Pose bodyFromTcp(const Drawing& drawing, size_t point);

/// Sum of the distances from each point to the next one, back to the first for closed ones [m].
double lengthOf(const Drawing& drawing);

/// A number that no point has.
std::uint32_t freeNumber(const Drawing& drawing);

/// The other way round; of closed ones the first point stays the first.
Drawing reversed(Drawing drawing);

/// What is wrong with the values, or nothing: at least one point, coordinates and unit normals, numbers that differ.
Status checkDrawing(const Drawing& drawing);

}  // namespace topikos
