#pragma once
#include "core/files/document.h"

namespace topikos {

/// Whether a cell file holds only fields that its version knows; the error names the first one that came later.
Status checkFieldVersions(const Json& cell, size_t version);

}  // namespace topikos
