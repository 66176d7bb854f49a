#pragma once
#include "core/robot/forward.h"
#include "core/robot/inverse.h"

namespace topikos {

/// Wrist, elbow and shoulder for six-axis arms with a spherical wrist or three parallel axes; the elbow for horizontal
/// arms; the wrist for gantries whose slides come before three turns; a lost direction for every other chain.
enum class SingularityKind { Wrist, Elbow, Shoulder, Direction };
inline constexpr std::array kSingularityKinds{SingularityKind::Wrist, SingularityKind::Elbow, SingularityKind::Shoulder,
                                              SingularityKind::Direction};
const char* singularityName(SingularityKind kind);  ///< "wrist", "elbow", "shoulder", "direction"
/// Whether an arm has singularities of this kind.
bool hasKind(const Arm& arm, SingularityKind kind);
/// What happens there, in words: "axes 4 and 6 line up"; empty for lost directions.
std::string singularityCause(const Arm& arm, SingularityKind kind);

/// The one of four values that belongs to a kind.
inline double byKind(SingularityKind kind, double wrist, double elbow, double shoulder, double direction)
{
    switch (kind) {
    case SingularityKind::Wrist: return wrist;
    case SingularityKind::Elbow: return elbow;
    case SingularityKind::Shoulder: return shoulder;
    case SingularityKind::Direction: break;
    }
    return direction;
}

/// Signed distances from the singularities that the arm has; the sign tells the branch, zero is singular. Infinite for
/// kinds that it does not have.
struct SingularityMargins {
    /// Sine of the angle between axes 4 and 6; of gantries between the first and the last turning axis.
    double wrist = INFINITY;
    /// Distance of the wrist centre (parallel axes: of axis 4) from the plane that holds axes 2 and 3; of horizontal
    /// arms that of the last turning axis from the plane that holds axes 1 and 2 [m].
    double elbow = INFINITY;
    /// Distance of the wrist centre (parallel axes: of the point where axes 5 and 6 meet) from the plane through axis 1
    /// parallel to axis 2 [m].
    double shoulder = INFINITY;
    /// Smallest singular value of the Jacobian with its linear rows divided by the reach, locked joints left out.
    double direction = INFINITY;

    double of(SingularityKind kind) const { return byKind(kind, wrist, elbow, shoulder, direction); }
    /// Distance for people and thresholds: the wrist as an angle [rad, 0 to pi/2], elbow and shoulder in metres, the
    /// direction without unit.
    double distance(SingularityKind kind) const;
};
SingularityMargins singularityMargins(const Arm& arm, const ChainFrames& frames);
SingularityMargins singularityMargins(const Arm& arm, const JointVector& posture);

/// Singular values of the Jacobian, largest first. With lengthScale > 0 its linear rows are divided by it [m] first.
Eigen::VectorXd singularValues(const Jacobian& jacobian, double lengthScale = 0);

/// The direction in which the TCP can move least, in the words of the tool: "move along tool Y", "turn about tool X",
/// or both joined by "and". Directions that the chain can never give (fewer than six free joints) do not count.
std::string lostDirectionText(const Arm& arm, const JointVector& posture, const Pose& flangeFromTcp);

/// Unit twist (linear, then angular, in base) in which the flange moves least: the left singular vector of the smallest
/// of six singular values. Arms of fewer than six axes always have one that they cannot move along at all.
Eigen::Matrix<double, 6, 1> lostDirection(const Jacobian& jacobian);

/// Kinds whose margin is below the bound: wrist sine and direction below `bound`, elbow and shoulder below `bound`
/// times the reach.
std::vector<SingularityKind> singularKinds(const Arm& arm, const JointVector& posture, double bound = 1e-6);

/// What explains a singularity in the view, in base: for the wrist the common line, for elbow and shoulder a plane and
/// the wrist centre, for a lost direction the line through the flange along or about which it cannot move.
struct SingularityGeometry {
    Vec3 point;        ///< on the line or plane [m]
    Vec3 direction;    ///< of the line, or normal of the plane; unit
    Vec3 wristCentre;  ///< [m]
};
SingularityGeometry singularityGeometry(const Arm& arm, const JointVector& posture, SingularityKind kind);

/// Distances from each singularity below which a line cannot be followed [rad for the wrist, m for elbow and shoulder,
/// none for a direction].
struct SingularityBounds {
    double wrist = 0, elbow = 0, shoulder = 0, direction = 0;
    double of(SingularityKind kind) const { return byKind(kind, wrist, elbow, shoulder, direction); }
};

}  // namespace topikos
