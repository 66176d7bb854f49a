#pragma once
#include "core/cell/cell.h"
#include "core/spatial/result.h"

#include <functional>

namespace topikos {

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
/// closed ones come back to how they began; between the points of a seam the line is looked at three times, and a way
/// that is not reached there is left out. `stop` ends it early with nothing of use when it returns true.
FreeTurns freeTurns(const Cell& cell, const Pattern& pattern, const std::function<bool()>& stop = {});

/// Gives a drawn group such turns and ways, as one edit. Refused when a point is not reached, with what it lacks, or
/// when the turns are those of another group.
Result<Cell> withTurns(const Cell& cell, PatternId id, const FreeTurns& found);
Result<Cell> withFreeTurns(const Cell& cell, PatternId id);

}  // namespace topikos
