#pragma once
#include "core/check/check.h"

#include <nlohmann/json_fwd.hpp>

namespace topikos::cli {

/// A finding as all commands tell it; measured and limit in m, rad and s.
nlohmann::ordered_json findingJson(const Cell& cell, const Finding& f);

}  // namespace topikos::cli
