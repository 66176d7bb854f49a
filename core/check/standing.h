#pragma once
#include "core/check/checked_pairs.h"

#include <set>

namespace topikos {

/// A run in which all arms stand for a second, jaws open, in their postures; those not named at home.
Trace standingRun(const Cell& cell, const std::vector<std::pair<ArmId, JointVector>>& postures);
/// The cell with device axes where they are said to stand.
Cell withAxes(const Cell& cell, const AxisValues& axes);

/// Two bodies that touch: of the arm, and what it stands in.
struct StandingTouch {
    ContactSide own, other;
};

/// What arms touch when they stand somewhere, asked for many places. The cell is as at the start of a run: other arms
/// at home, jaws open. Parts are left out, since a run moves them about, and so is what some step may touch.
class StandingContacts {
public:
    StandingContacts(const Cell& cell, ContactCache& cache);

    /// Asked in the same cell, or in one whose frames stand elsewhere.
    std::optional<StandingTouch> touch(const Cell& cell, ArmId arm, const JointVector& posture,
                                       const AxisValues& axes) const;

private:
    ContactCache& m_cache;
    std::vector<CheckedPair> m_pairs;
};

}  // namespace topikos
