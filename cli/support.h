#pragma once
#include "core/spatial/result.h"

namespace topikos::cli {

/// Says why something could not be used, in one line; the exit code for that.
int refused(const Error& error);

}  // namespace topikos::cli
