#pragma once
#include "core/robot/arm.h"

#include <string>
#include <vector>

namespace topikos {

/// Branch of an arm of a closed-form family. Arms of four or five axes use shoulder and elbow only, gantries the wrist
/// only; other chains have none. Shoulder and wrist change only by passing through the singularity of that name; the
/// elbow's word changes at its own and at the shoulder's. Of seven axes, shoulder and wrist tell the sides of axes 2
/// and 6, the elbow that of axis 4.
struct Configuration {
    bool shoulderBack =
        false;  ///< wrist centre on the other side of axis 1 than axis 2 (plane through axis 1 parallel to axis 2)
    bool elbowDown =
        false;  ///< elbow below the line from axis 2 to the wrist centre, as seen with the shoulder to the front
    bool wristTurned = false;  ///< axis 5 on the negative side

    bool operator==(const Configuration&) const = default;
    int index() const { return (shoulderBack ? 4 : 0) + (elbowDown ? 2 : 0) + (wristTurned ? 1 : 0); }
};

/// "shoulder front, elbow up, wrist plain".
std::string configurationText(const Configuration& configuration);

struct Solution {
    JointVector joints;  ///< [rad]
    Configuration configuration;
};

enum class NoSolution { None, TooFar, TooClose, JointRange, Orientation, NotFound };

/// Largest position error [m] and angle error [rad] of any solution, for arms up to 4 m. Held by InverseTest.
inline constexpr double kInversePositionError = 1e-9;
inline constexpr double kInverseAngleError = 1e-9;

/// How far joint `joint` is past its range [rad or m]; joint is -1 when none is.
struct RangeExcess {
    int joint = -1;
    double excess = 0;
};

/// What inverse kinematics found. "Nowhere to go" is an outcome, not an error.
struct Solutions {
    std::vector<Solution> items;       ///< inside every joint range, ordered by configuration index
    std::vector<Solution> outOfRange;  ///< reach the pose, but a joint range rules them out
    NoSolution reason = NoSolution::None;
    double shortfall = 0;  ///< TooFar, TooClose: how far the wrist centre is from where the arm can put it [m];
                           ///< Orientation: angle between the asked orientation and those an arm of few axes can give
                           ///< there [rad]; NotFound: how far the nearest pose found is off [m]
    Vec3 excessTurn =
        Vec3::Zero();  ///< Orientation, NotFound: turn from `nearest` to the orientation asked for, in base [rad]
    std::optional<Pose> nearest;  ///< Orientation: the pose at the same place with the nearest orientation that the arm
                                  ///< can give; NotFound: the nearest pose found
    RangeExcess range;  ///< JointRange: the smallest excess among outOfRange
};

/// All postures that put the flange at `baseFromFlange`, modulo full turns.
///
/// Each joint is given in (-pi, pi] where its range allows, otherwise by the turn nearest to zero; with `near`
/// (jointCount() entries) by the turn nearest to `near`. Where the wrist axes line up only the sum of joints 4 and 6 is
/// fixed: joint 4 keeps the value of `near` (or 0) as far as the ranges of both allow; with three parallel axes joint 6
/// takes the value nearest to its own in `near` (or 0), in steps of 2° (of 0.05° where none of these is in range), for
/// which the rest can be done. Joint 1 keeps its value when the wrist centre is on axis 1. Seven axes: see
/// seven_axis.h. Any six turning joints: all solutions, see six_general.h, without configurations. Any other chain: one
/// posture, that nearest to `near` in the sense of a downhill search from there, see numeric.h. Locked joints keep
/// their value. Method of the closed forms: reduction to rotations about one axis that bring a point to a plane, a
/// distance or another point (Paden, "Kinematics and Control of Robot Manipulators", 1986; Murray, Li, Sastry, "A
/// Mathematical Introduction to Robotic Manipulation", 1994, section 3.3).
Solutions inverseKinematics(const Arm& arm, const Pose& baseFromFlange, const JointVector* near = nullptr);

/// The same postures with every full turn that the ranges allow, at most `most`; ordered by distance from `posture`.
std::vector<Solution> allTurns(const Arm& arm, const std::vector<Solution>& items, const JointVector& posture,
                               size_t most = 4096);

/// Branch of a posture, from the signs of the three margins (see singularity.h). Zero counts as positive.
Configuration configurationOf(const Arm& arm, const JointVector& posture);

/// Largest excess of any joint past its range.
RangeExcess rangeExcess(const Arm& arm, const JointVector& posture);

/// The one of `found.items` with this configuration, nullptr if there is none.
const Solution* withConfiguration(const std::vector<Solution>& items, const Configuration& configuration);

/// The one that goes on as `posture` does: of its configuration; for arms without configurations the nearest. nullptr
/// if there is none.
const Solution* like(const Arm& arm, const std::vector<Solution>& items, const JointVector& posture);

/// The one that a goal means: of its configuration; for arms without configurations the one nearest to the posture it was
/// taught with, the first if there is none (`taught` empty). nullptr if there is none.
const Solution* chosenWay(const Arm& arm, const Configuration& configuration, const JointVector& taught,
                          const std::vector<Solution>& items);

/// The one nearest to `posture` (largest joint difference counts), nullptr if `items` is empty.
const Solution* nearestTo(const std::vector<Solution>& items, const JointVector& posture);

}  // namespace topikos
