#pragma once
#include "core/spatial/result.h"

#include <string>
#include <string_view>

namespace topikos {

/// What can be told to be wrong with a mesh file before a library reads it, or nothing: counts that the file has no
/// room for, indices of points that are not there, lists that go past the end. Looks into STL, OBJ and PLY (by the
/// ending of `path`); of others only whether it is a file of at most kLargestMeshFile.
Status looksSound(const std::string& path);

// The same for the content of a file.
Status stlLooksSound(std::string_view content);
Status objLooksSound(std::string_view content);
Status plyLooksSound(std::string_view content);

}  // namespace topikos
