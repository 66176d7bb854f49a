#pragma once
#include "core/cell/rules.h"

#include <optional>
#include <string>

namespace topikos {

/// One of two bodies: a member of the table of pairs, or a part.
struct ContactSide {
    std::optional<ContactMember> member;
    PartId part;
    std::string name;
    bool standIn = false;  ///< made from the kinematics of an arm
};

}  // namespace topikos
