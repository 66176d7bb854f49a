#pragma once
#include "core/files/file.h"
#include "core/reach/reach_map.h"

namespace topikos {

/// A row for each spot: place and quaternion of the tool point in the frame, ways, margin, the nearest singularity with
/// its distance, or why it is not reached. SI units.
std::string reachCsv(const ReachMap& map);
Status saveReachCsv(const std::string& path, const ReachMap& map);

}  // namespace topikos
