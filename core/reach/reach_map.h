#pragma once
#include "core/check/free_ways.h"
#include "core/robot/singularity.h"

#include <functional>
#include <stop_token>
#include <utility>

namespace topikos {

/// Where an arm is asked to bring its tool point, and how it may hold the tool there.
struct ReachQuery {
    enum class Over { Box, Surface };
    ArmId arm{};
    FrameId frame{};  ///< Box: from which lowest and highest are seen; Surface: whose bodies they are
    Over over = Over::Box;
    Vec3 lowest = Vec3::Zero(), highest = Vec3::Zero();  ///< Box; a plane where one side has no length [m]
    double spacing = 0.05;                               ///< of spots [m]
    Quat frameFromTcp = Quat(0, 1, 0, 0);                ///< Box: orientation; over a surface the tool points into it
    Freedom freedom{};            ///< of the pose asked for: the best that it allows counts, see posesWithin()
    double turnStep = kTurnStep;  ///< of free turns [rad]
    AxisValues axes{};            ///< where device axes stand
    std::stop_token stop{};
};

inline constexpr size_t kMostSpots = 250000;    ///< more are refused
inline constexpr double kFinestSpacing = 1e-3;  ///< [m]

/// What became of one spot.
struct ReachSpot {
    Pose frameFromTcp{};     ///< asked for; of a free turn the one that was chosen
    int ways = 0;            ///< postures in range, full turns not counted
    double margin = 0;       ///< of the best way, see marginOf() [0 to 1]
    JointVector best{};      ///< posture of that way; empty where there is none
    SingularityKind kind{};  ///< of the singularity nearest to it, by the share of its caution
    double distance = 0;     ///< from that [rad, m or none]
    double cautions = 0;     ///< the same as so many times its caution, to compare kinds
    NoSolution reason{};     ///< why there is none
    double shortfall = 0;    ///< see Solutions
    RangeExcess range{};     ///< the joint that is past its range
    bool reached() const { return ways > 0; }
};

struct ReachMap {
    std::array<int, 3> counts{};     ///< of a box, along x, y and z of the frame; 0 of a surface
    std::vector<ReachSpot> spots{};  ///< of a box x fastest, then y, then z
    bool complete = false;
    size_t reached() const;
};

/// "too-far", "joint-range", …: as the command line writes it; "" for none.
const char* noSolutionName(NoSolution reason);

/// What is wrong with a query: nothing is asked for, or too much.
Status checkReachQuery(const Cell& cell, const ReachQuery& query);

/// Judges every spot by inverse kinematics, as a typed pose is judged: joint ranges, no contact. Refused where
/// checkReachQuery() says so. With `partial` every eighth spot along each side comes first, then every fourth, and so
/// on: it is told after each round, spots that are still to come taking after a neighbour. Not complete when stopped.
Result<ReachMap> reachMap(const Cell& cell, const ReachQuery& query,
                          const std::function<void(const ReachMap&)>& partial = {});

/// The edge of what is reached, as pieces of line in the frame of the query [m]: between neighbouring spots of a plane,
/// or of each layer of a box, of which one is reached and the other is not; over a surface across the middle between
/// such spots that are less than 1.5 spacings apart and face the same way.
std::vector<std::pair<Vec3, Vec3>> reachEdge(const ReachMap& map, const ReachQuery& query);

}  // namespace topikos
