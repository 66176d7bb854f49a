#pragma once
#include "core/robot/forward.h"

namespace topikos {

/// Where a numeric search ended.
struct Descent {
    JointVector joints;
    double metres = INFINITY;   ///< flange to the pose asked for
    double radians = INFINITY;  ///< [0, pi]
    bool arrived() const { return metres < kArrived && radians < kArrived; }
    static constexpr double kArrived = 2e-10;  ///< [m and rad]
};

/// Walks from `start` downhill to the nearest posture that holds the pose, or to a local minimum of the distance from
/// it.
///
/// Damped least squares with the damping proportional to the squared error (Sugihara, "Solvability-Unconcerned Inverse
/// Kinematics by the Levenberg-Marquardt Method", IEEE Transactions on Robotics 27, 2011). With `inRange` the joints
/// are held in their ranges: those at an end that want to go on are left out of the step. Angles weigh by `lengthScale`
/// [m].
Descent descend(const Arm& arm, const Pose& baseFromFlange, const JointVector& start, bool inRange, double lengthScale,
                int mostSteps = 60);

/// Search over starting postures drawn from a fixed sequence, `first` before all others; each restart takes the nearest
/// of 8 draws. The best end is returned, the same on every run. Prefers arriving, then the nearest pose.
Descent search(const Arm& arm, const Pose& baseFromFlange, const JointVector& first, int restarts = 250);

}  // namespace topikos
