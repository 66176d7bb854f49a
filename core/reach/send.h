#pragma once
#include "core/cell/cell.h"
#include "core/cell/step.h"
#include "core/robot/inverse.h"

namespace topikos {

/// A place that the tool point is to be brought to, with the tool's z axis along a way; about that axis it may turn.
struct SendQuery {
    ArmId arm{};
    Vec3 place = Vec3::Zero();          ///< in the world [m]
    Vec3 into = -Vec3::UnitZ();         ///< where the tool's z axis points, in the world
    Quat reference = Quat::Identity();  ///< in the world: along its x axis, as near as can be, lies that of turn 0
    int turns = 24;                     ///< that are tried, evenly round
    std::vector<double> offs{0};        ///< back along the tool's axis; each has to be reached [m]
    AxisValues axes{};                  ///< where device axes stand
};

/// One turn that reaches.
struct SendWay {
    double turn = 0;                    ///< about the tool's axis, from the reference [rad]
    Pose worldFromTcp;                  ///< at the first of the offs
    std::vector<JointVector> postures;  ///< at each of the offs, all of one configuration
    double margin = 0;                  ///< the smallest of them, see core/cell/margin.h
};
struct SendWays {
    std::vector<SendWay> ways;  ///< the one with the largest margin first
    Solutions lacking;          ///< where there is none: what inverse kinematics says of the turn that lacks least
};
SendWays sendWays(const Cell& cell, const SendQuery& query);

/// One way to take every one of several parts of a kind.
struct GripOfAll {
    std::string words;  ///< name of the grip point; "" for the origin
    Pose partFromTcp;
    Freedom freedom{};                  ///< of the grip point
    std::vector<JointVector> postures;  ///< at each part, at the first of the offs; empty where it is not reached
    double margin = 0;                  ///< the smallest of those that are reached
    size_t lacking = 0;                 ///< parts that are not reached
    Solutions why;                      ///< of the first of those
};
/// Of the grip points of the kind, with what their freedom allows, or at the origin with the tool along z in four
/// turns: the one that reaches the most parts, then the one with the largest margin. Each of `offs` [m] back along the
/// tool's axis has to be reached.
GripOfAll gripOfAll(const Cell& cell, ArmId arm, const std::vector<PartId>& parts, const std::vector<double>& offs,
                    const AxisValues& axes);

/// Where a part has its origin when it lies on a face: so far from it along its normal [m], part z along the normal.
double heightOver(const PartKind& kind);

/// To the approach of a pose target by joints, down by lines, slower from its near point on, grip or release, and up by
/// lines to its retract.
std::vector<Step> gripStroke(const Target& target);
std::vector<Step> releaseStroke(const Target& target);
/// The same for each place of a pattern of targets, as one block.
Step gripEach(const Pattern& targets);

}  // namespace topikos
