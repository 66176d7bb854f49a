#pragma once
#include "core/check/finding.h"

namespace topikos {

/// Why a rule matters, in one sentence; it stands in docs/manual/findings.md, too.
const char* whyItMatters(Rule rule);

}  // namespace topikos
