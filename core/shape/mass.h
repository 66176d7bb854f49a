#pragma once
#include "core/robot/arm.h"
#include "core/shape/solid.h"

namespace topikos {

/// Volume of a closed surface, and its mass distribution at density 1 kg/m^3. A surface with holes, or turned inside
/// out, gives what the divergence theorem makes of it: compare `volume` with the bounding box.
struct Bulk {
    double volume = 0;  ///< [m^3]
    Inertial unit;      ///< mass = volume [kg]; centre [m] and inertia about it [kg m^2], in the frame of the shape
};

/// By the divergence theorem over signed tetrahedra (Tonon, "Explicit exact formulas for the 3-D tetrahedron inertia
/// tensor", 2004).
Bulk bulkOf(const Triangles& surface);

/// Exact for box, cylinder, cone, sphere and extrusion; the profile counts as its drawn surface. In the frame the
/// solid's pose is given in.
Bulk bulkOf(const Solid& solid);

/// Mass distribution of solids of one density [kg/m^3], overlaps counted twice.
Inertial inertialOf(const std::vector<Solid>& solids, double density);

}  // namespace topikos
