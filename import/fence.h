#pragma once
#include <cstdint>
#include <string>

namespace topikos {

/// Takes from this process, for good, what reading a file of `size` bytes does not need: memory and time beyond
/// kImportMemory and kImportSeconds (core/shape/mesh_file.h), writing of files, network, other programs.
void raiseFence(std::uintmax_t size);

/// What the fence keeps out, tried: "network: refused, programs: refused, files: refused".
std::string fenceReport();

/// "needs more than 0.9 GB of memory …"
std::string tooMuchMemoryText(std::uintmax_t size);

}  // namespace topikos
