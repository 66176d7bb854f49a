#pragma once
#include "core/cell/pattern.h"

namespace topikos {

/// The target of a place of a pattern: by its number from 1 on in the order of the pattern, or of a grid by column, row
/// and, where there are several, layer. Refused where there is none, with what there is.
Result<TargetId> targetAt(const Cell& cell, const Pattern& pattern, const std::vector<std::uint32_t>& numbers);

}  // namespace topikos
