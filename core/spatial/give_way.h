#pragma once

namespace topikos {

/// From here on the calling thread computes only when nothing else wants to: what a person waits for comes first.
void giveWay();

}  // namespace topikos
