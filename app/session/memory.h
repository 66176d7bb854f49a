#pragma once
#include <malloc.h>

namespace topikos {

/// Blocks of surfaces and pictures go back to the system when they are freed. Left to itself the C library keeps ever
/// larger ones to itself once it has seen them come and go. To be called before anything large is made.
inline void giveBackLargeBlocks() { mallopt(M_MMAP_THRESHOLD, 1 << 20); }

/// What the C library keeps of small ones goes back as well; takes some milliseconds.
inline void giveBackSmallBlocks() { malloc_trim(0); }

}  // namespace topikos
