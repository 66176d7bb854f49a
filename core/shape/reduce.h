#pragma once
#include "core/spatial/triangles.h"

#include <cstddef>

namespace topikos {

/// A copy with at most about `most` triangles: points that share a cube of a grid become one, the grid as fine as that
/// number allows (Rossignac and Borrel, "Multi-resolution 3D approximations", 1993). No point moves by more than
/// `moved` [m]. Small surfaces come back as they are.
Triangles reduced(const Triangles& surface, std::size_t most, double* moved = nullptr);

/// Turns faces so that neighbours agree and closed pieces face outwards; open pieces keep the side most of their faces
/// had. Returns how many faces were turned.
std::size_t repairNormals(Triangles& surface);

}  // namespace topikos
