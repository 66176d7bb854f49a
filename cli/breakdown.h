#pragma once
#include "core/simulate/breakdown.h"

#include <nlohmann/json_fwd.hpp>

namespace topikos::cli {

nlohmann::ordered_json breakdownJson(const Cell& cell, const Breakdown& breakdown);
/// The same as tables for people.
std::string breakdownText(const Cell& cell, const Breakdown& breakdown);

}  // namespace topikos::cli
