#pragma once
#include "core/spatial/result.h"
#include "core/spatial/triangles.h"

#include <functional>
#include <string>

namespace topikos {

inline constexpr std::size_t kLargestMeshFile = std::size_t(256) << 20;  // [bytes]
inline constexpr std::size_t kMostTriangles = 4000000;

/// A surface from an STL, OBJ, PLY, DAE or glTF file, its parts put together as one. Lengths are multiplied by `scale`
/// to become metres.
///
/// Triangles of no area are left out. Refused, in one line that says why: files too large or cut off, counts in the
/// header that the file cannot hold, numbers that are not finite, more than kMostTriangles triangles, files without a
/// surface. `keepOn`, if given, is asked in between; when it says no, the reading ends with the code "mesh.cancelled".
Result<Triangles> readMeshFile(const std::string& path, const Vec3& scale = Vec3::Ones(),
                               const std::function<bool()>& keepOn = {});

/// The surface as the content of a binary STL file, in metres. STL holds no colour.
std::string stlOf(const Triangles& triangles);

}  // namespace topikos
