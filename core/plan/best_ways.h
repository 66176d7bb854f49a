#pragma once
#include "core/cell/cell.h"
#include "core/motion/plan.h"

#include <functional>

namespace topikos {

/// What a chain of configurations costs.
struct ChainCost {
    int blocked = 0;   ///< steps that cannot be done
    int cautions = 0;  ///< steps that end or pass nearer to a range end or singularity than the thresholds ask
    double travel =
        0;  ///< way of all joints, added up [rad]; a metre of a sliding joint counts as one radian per reach

    bool better(const ChainCost& other) const
    {
        if (blocked != other.blocked) return blocked < other.blocked;
        if (cautions != other.cautions) return cautions < other.cautions;
        return travel < other.travel - 1e-6;
    }
};

/// The best way to reach each pose target of a routine.
struct BestWays {
    std::vector<std::pair<TargetId, Solution>> ways;  ///< targets whose way changes, in the order of the routine
    ChainCost now, best;
    bool cancelled = false;
};

/// Shortest path over all solutions of all steps: first the fewest blocked steps, then the fewest cautions, then the
/// least joint travel from home. A line keeps the configuration it starts in. A target has one way in the whole
/// routine; where the shortest path would use two for one that is come back to, each is tried for all its steps and the
/// better one kept, target by target.
///
/// `progress` is told the share done and stops the work by returning false.
BestWays bestWays(const Cell& cell, const Routine& routine, const std::function<bool(double)>& progress = {},
                  PlanCache* plans = nullptr);

}  // namespace topikos
