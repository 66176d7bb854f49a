#pragma once
#include "core/check/check.h"
#include "core/check/free_ways.h"

namespace topikos {

/// A pose that the freedom of a target allows, with the best way to reach it.
struct FreeWay {
    Pose frameFromTcp;
    Solution way;
    double margin = 0;  ///< see core/cell/margin.h
    double departure =
        0;              ///< from the pose as taught: turn by half a turn, lean and way by what is allowed, the largest
    std::string words;  ///< "turned by 30°"
};

/// Poses that a freedom allows, the taught one first: turns about the tool's axis by `turnStep` [rad] or a little less,
/// or by 5° where less is free; a cone in rings of 5° to 15° with eight directions each and those turns; a slide in 20
/// steps either way.
inline constexpr double kTurnStep = 15 * kDegree;
std::vector<FreeWay> posesWithin(const Freedom& freedom, const Pose& frameFromTcp, double turnStep = kTurnStep);

/// Those of them that can be reached, the one with the largest margin first; of equal ones the one that departs least.
/// Device axes stand at `axes`.
std::vector<FreeWay> freeWays(const Cell& cell, const Target& target, const AxisValues& axes);

/// The same for each configuration that a target can be reached in: the pose at which it has the largest margin. Arms
/// without a closed form are asked for the poses that depart least only, so that it takes no longer than a frame.
std::vector<FreeWay> freeWayOfEach(const Cell& cell, const Target& target, const AxisValues& axes);

/// The pose inside a target's freedom that departs least from how it was taught and that the check has nothing as
/// severe to say about, in the target's configuration; asked for up to kMostFreePoses poses.
inline constexpr size_t kMostFreePoses = 200;
FreeAnswer freeAnswer(const Cell& cell, const Target& target, Severity found, const AxisValues& axes, PlanCache& plans);

}  // namespace topikos
