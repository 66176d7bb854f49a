#pragma once
#include "core/robot/arm.h"

namespace topikos {

/// Ids of the arms that ship with Topikos, in the order they are listed.
std::vector<std::string> catalogueIds();

/// The catalogue arm with this id, nullptr if there is none.
ArmPtr catalogueArm(const std::string& id);

}  // namespace topikos
