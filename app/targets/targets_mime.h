#pragma once

namespace topikos {

/// Ids of targets that are being dragged, with blanks between them.
inline constexpr const char* kTargetsMime = "application/x-topikos-targets";

}  // namespace topikos
