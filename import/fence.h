#pragma once
#include <cstdint>
#include <string>

namespace topikos {

/// Takes from this process, for good, all that reading a file of `size` bytes does not need: what is not on a short
/// list of calls of the system is refused (it may read, write to its pipes, ask for memory and end), files outside of
/// `folder` cannot be seen where the kernel keeps such rules, and privileges, other processes, memory and time beyond
/// kImportMemory and kImportSeconds (core/shape/mesh_file.h) are gone. An empty folder: no file can be seen.
void raiseFence(std::uintmax_t size, const std::string& folder);

/// What the fence keeps out, each tried, with a file that stands outside of it: "network: refused, programs: refused,
/// …".
std::string fenceReport(const std::string& victim);

/// "needs more than 0.9 GB of memory …"
std::string tooMuchMemoryText(std::uintmax_t size);

}  // namespace topikos
