#pragma once
#include "core/collide/world.h"

#include <map>
#include <optional>

namespace topikos {

/// Two bodies that touch: of the arm, and what it stands in.
struct StandingTouch {
    ContactSide own, other;
};

/// What arms touch when they stand somewhere, asked for many places. The cell is as at the start of a run: other arms
/// at home, jaws open. Parts are left out, since a run moves them about, and so is what some step may touch.
class StandingContacts {
public:
    StandingContacts(const Cell& cell, ContactCache& cache);
    /// The same in a cell in which frames stand elsewhere. Both cells have to live as long as this.
    StandingContacts in(const Cell& moved) const;

    /// With device axes where they are told to stand, else as at the start.
    std::optional<StandingTouch> touch(ArmId arm, const JointVector& posture, const AxisValues& axes) const;

private:
    StandingContacts() = default;
    std::map<ArmId, World> m_worlds;
};

}  // namespace topikos
