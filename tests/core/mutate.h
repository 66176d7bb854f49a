#pragma once
#include <nlohmann/json.hpp>

#include <random>

namespace topikos::test {

/// Changes one place of a JSON document at random: a value dropped, swapped, repeated, emptied, made huge or tiny or of
/// another kind, an id that leads nowhere, a text that breaks lines, lists in lists.
void mutate(nlohmann::json& document, std::mt19937_64& random);

}  // namespace topikos::test
