#pragma once
#include "core/cell/cell.h"
#include "core/robot/inverse.h"

#include <functional>

namespace topikos {

/// A pose that the freedom of a target allows, with the best way to reach it.
struct FreeWay {
    Pose frameFromTcp;
    Solution way;
    double margin = 0;  ///< see core/check/margin.h
    double departure =
        0;              ///< from the pose as taught: turn by half a turn, lean and way by what is allowed, the largest
    std::string words;  ///< "turned by 30°"
};

/// Poses that a freedom allows, the taught one first: 24 turns about the tool's axis, or a step of 5° where less is
/// free; a cone in rings of 5° to 15° with eight directions each and 24 turns; a slide in 20 steps either way.
std::vector<FreeWay> posesWithin(const Freedom& freedom, const Pose& frameFromTcp);

/// Those of them that can be reached, the one with the largest margin first; of equal ones the one that departs least.
/// Device axes stand at `axes`.
std::vector<FreeWay> freeWays(const Cell& cell, const Target& target, const AxisValues& axes);

/// Turns about the tool's axis for the points of a drawn group that is free about it, in the order of the group.
struct FreeTurns {
    std::vector<double> turns;          ///< [rad]
    std::vector<Solution> ways;         ///< at each point
    double margin = 0;                  ///< the smallest of them
    double travel = 0;                  ///< time that the joints would need at their speed limits, added up [s]
    std::optional<size_t> unreached{};  ///< a point that no turn reaches; nothing else is of use then
    Solutions lacking;                  ///< of it
    bool parted = false;                ///< each point is reached, but no chain leads along all of them
};
/// Shortest path over 24 turns and all ways of each point: least travel of the joints, where a margin below a third
/// costs as much as going on for up to a second more. Seams stay in one configuration without a joint going round, and
/// closed ones come back to how they began. `stop` ends it early with nothing of use when it returns true.
FreeTurns freeTurns(const Cell& cell, const Pattern& pattern, const std::function<bool()>& stop = {});

/// Gives a drawn group such turns and ways, as one edit. Refused when a point is not reached, with what it lacks, or
/// when the turns are those of another group.
Result<Cell> withTurns(const Cell& cell, PatternId id, const FreeTurns& found);
Result<Cell> withFreeTurns(const Cell& cell, PatternId id);

}  // namespace topikos
