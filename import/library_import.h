#pragma once
#include "core/spatial/result.h"
#include "core/spatial/triangles.h"

#include <string>

namespace topikos {

/// A surface as the file gives it, read in this process by the mesh library after looksSound() has let it pass. May use
/// any amount of time and memory, or crash: call it in a process of its own. Files that the file names are opened only
/// when they are regular files in its folder or below.
Result<Triangles> importMesh(const std::string& path);

}  // namespace topikos
