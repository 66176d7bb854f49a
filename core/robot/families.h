#pragma once
#include "core/robot/planar.h"
#include "core/robot/three_axes.h"

#include <array>
#include <variant>
#include <vector>

/// What the solvers of inverse kinematics need to know of an arm, family by family.
namespace topikos {

/// Constants of a six-axis chain whose axes 2 and 3 are parallel and whose axes 4, 5, 6 meet in one point, at the zero
/// posture, in base.
struct SphericalWrist {
    Vec3 h1, h2;                   ///< unit axis directions
    ThreeAxes wrist;               ///< axes 4, 5, 6
    double sigma3;                 ///< +1 or -1: h3 = sigma3 * h2
    Vec3 o1, o2;                   ///< points on axes 1 and 2
    Vec3 u, n;                     ///< with h2 a right-handed basis: u points from axis 2 to axis 3, n = h2 x u
    double upperLength;            ///< distance of axes 2 and 3 [m]
    double foreLength, foreAngle;  ///< wrist centre seen from axis 3 in the (u, n) plane, polar [m, rad]
    double foreSine, foreCosine;   ///< of foreAngle
    double lateral;                ///< wrist centre along h2 from o1 [m]
    Vec3 flangeFromWrist;          ///< wrist centre in flange coordinates [m]
    Mat3 lastLed;                  ///< transpose of the flange's rotation at the zero posture, times wrist.right
    std::array<Mat3, 3> turnLed;   ///< wrist.left * turn about h2 by q = [0] + cos q [1] + sin q [2]
    double shoulderCosine;         ///< h1 . h2
    Vec3 front;  ///< h1 x h2 or its opposite: the side of axis 1 on which axis 2 lies (wrist centre, if axis 2 meets
                 ///< axis 1)
    double elbowSign;  ///< +1 if front = h2 x h1
};

/// Constants of a six-axis chain whose axes 2, 3 and 4 are parallel and whose axes 5 and 6 meet, at the zero posture,
/// in base.
struct ParallelAxes {
    Vec3 h1, h2, h5, h6;    ///< unit axis directions
    double sigma4;          ///< +1 or -1: h4 = sigma4 * h2
    Vec3 o1, o4;            ///< points on axes 1 and 4
    PlanarArm arm;          ///< axes 2 and 3, with axis 4 as tip
    Vec3 centre;            ///< where axes 5 and 6 meet
    Vec3 flangeFromWrist;   ///< the same in flange coordinates [m]
    double lateral;         ///< centre along h2 from o1 [m]
    Mat3 zeroRotation;      ///< baseFromFlange rotation at the zero posture
    double shoulderCosine;  ///< h1 . h2
    Vec3 front;             ///< the side of axis 1 that counts as front: that of the centre at the zero posture
    double elbowSign;       ///< +1 if front = h2 x h1
};

/// Constants of a four-axis horizontal arm: two parallel revolute axes, and after them a stroke and a turn along the
/// same direction, in either order.
struct HorizontalArm {
    PlanarArm arm;                ///< axes 1 and 2, with the last turning axis as tip
    int stroke, turn;             ///< index of the sliding joint and of the last turning joint
    double strokeSign, turnSign;  ///< +1 or -1: along or about arm.h
    Vec3 tip;                     ///< point on the turning axis
    Vec3 flangeFromTip;           ///< the same in flange coordinates [m]
    Mat3 zeroRotation;
};

/// Constants of a five-axis arm: a yaw, three parallel pitches at right angles to it, a roll at right angles to the
/// pitches.
struct FiveAxis {
    Vec3 h1, h2, h5;      ///< unit axis directions
    double sigma4;        ///< +1 or -1: h4 = sigma4 * h2
    Vec3 o1, o4;          ///< points on axes 1 and 4
    Vec3 o5;              ///< point on the roll axis
    PlanarArm arm;        ///< axes 2 and 3, with axis 4 as tip
    Vec3 flangeFromRoll;  ///< o5 in flange coordinates [m]
    Vec3 flangeFromFoot;  ///< the point of the roll axis nearest to the flange, the same way
    double lateral;       ///< o5 along h2 from o1 [m]
    Mat3 zeroRotation;
    Vec3 front;  ///< the side of axis 1 on which the roll axis starts at the zero posture
};

/// Constants of a gantry: three sliding joints that span space, and one to three that turn, in any order. The turns
/// alone set the orientation.
struct Gantry {
    std::array<int, 3> slides;       ///< joint indices
    std::vector<int> turns;          ///< joint indices, 1 to 3
    std::vector<Vec3> axes;          ///< their directions at the zero posture
    std::optional<ThreeAxes> wrist;  ///< with three turns
    Mat3 zeroRotation;
};

/// Constants of a seven-axis chain whose axes 1, 2, 3 meet in the shoulder point and 5, 6, 7 in the wrist point, at the
/// zero posture, in base.
struct SevenAxis {
    ThreeAxes shoulder, wrist;
    Vec3 h4, o4;  ///< elbow axis
    Vec3 shoulderPoint, wristPoint;
    Vec3 flangeFromWrist;  ///< wrist point in flange coordinates [m]
    Mat3 zeroRotation;
};

/// Any other chain of six turning joints: its axes at the zero posture, in base. `shift` is the number of joints by
/// which the closed loop of axes is turned before elimination: the one with which most planted postures were found.
struct GeneralSix {
    std::array<Vec3, 6> h, o;
    Mat3 zeroRotation;
    Vec3 zeroPosition;
    double scale;  ///< length that makes coordinates of order one [m]
    int shift = 0;
    bool complete = true;  ///< whether elimination found every planted posture; if not, a numeric search is added
};

/// Every other chain.
struct NumericChain {};

using Family =
    std::variant<NumericChain, SphericalWrist, ParallelAxes, HorizontalArm, FiveAxis, Gantry, SevenAxis, GeneralSix>;

}  // namespace topikos
