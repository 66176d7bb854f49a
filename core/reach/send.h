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
    double margin = 0;                  ///< the smallest of them, see core/check/margin.h
};
struct SendWays {
    std::vector<SendWay> ways;  ///< the one with the largest margin first
    Solutions lacking;          ///< where there is none: what inverse kinematics says of the turn that lacks least
};
SendWays sendWays(const Cell& cell, const SendQuery& query);

/// Where a part has its origin when it lies on a face: so far from it along its normal [m], part z along the normal.
double heightOver(const PartKind& kind);

/// Above by joints, down by a line, grip or release, up by a line.
std::vector<Step> gripStroke(TargetId target, double over);
std::vector<Step> releaseStroke(TargetId target, double over);

}  // namespace topikos
