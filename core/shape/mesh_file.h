#pragma once
#include "core/spatial/result.h"
#include "core/spatial/triangles.h"

#include <cstdint>
#include <functional>
#include <string>

namespace topikos {

inline constexpr std::size_t kLargestMeshFile = std::size_t(256) << 20;  // [bytes]
inline constexpr std::size_t kMostTriangles = 4000000;

/// Memory [bytes] and processor time [s] that reading a file of `size` bytes may take.
constexpr std::uintmax_t importMemory(std::uintmax_t size) { return (std::uintmax_t(800) << 20) + 20 * size; }
constexpr std::uintmax_t importSeconds(std::uintmax_t size) { return 6 + (size >> 22); }

/// A surface from an STL, OBJ, PLY, DAE or glTF file, its parts put together as one. Lengths are multiplied by `scale`
/// to become metres.
///
/// The file is read by a program of its own (`topikos-import`), behind limits, so that no file can take this one down.
/// Triangles of no area are left out. Refused, in one line that says why: files too large or cut off, counts and
/// indices that the file does not hold, numbers that are not finite, more than kMostTriangles triangles, files without
/// a surface, and what takes more than importMemory() or importSeconds() or ends the reading program. `keepOn`, if
/// given, is asked every 50 ms; when it says no, the reading ends with the code "mesh.cancelled".
Result<Triangles> readMeshFile(const std::string& path, const Vec3& scale = Vec3::Ones(),
                               const std::function<bool()>& keepOn = {});

/// The surface as the content of a binary STL file, in metres. STL holds no colour.
std::string stlOf(const Triangles& triangles);

}  // namespace topikos
