#pragma once
#include "core/robot/planar.h"
#include "core/spatial/pose.h"
#include "core/spatial/result.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace topikos {

/// Most joints an arm may have; postures live on the stack.
inline constexpr int kMaxJoints = 12;

/// One value per joint [rad; m for a sliding joint].
using JointVector = Eigen::Matrix<double, Eigen::Dynamic, 1, Eigen::ColMajor, kMaxJoints, 1>;
using Jacobian = Eigen::Matrix<double, 6, Eigen::Dynamic, Eigen::ColMajor, 6, kMaxJoints>;

enum class JointKind { Revolute, Prismatic };

/// Mass distribution of what moves with a joint, in the joint's frame. All zero when unknown.
struct Inertial {
    double mass = 0;                    ///< [kg]
    Vec3 centre = Vec3::Zero();         ///< centre of mass [m]
    Mat3 inertia = Mat3::Zero();        ///< about the centre of mass [kg m^2]
};
/// Two bodies as one rigid body (parallel axis theorem).
Inertial joined(const Inertial& a, const Inertial& b);
/// The same body seen from a frame in which its own frame stands at `aFromB`.
Inertial placed(const Pose& aFromB, const Inertial& inB);

/// One joint as a data sheet or a URDF file gives it. The joint frame at value q is parent * parentFromJoint * motion(axis, q).
struct Joint {
    std::string name;
    JointKind kind = JointKind::Revolute;
    Pose parentFromJoint;
    Vec3 axis = Vec3::UnitZ();  ///< unit, in the joint frame
    double lower = 0;           ///< [rad or m]
    double upper = 0;           ///< [rad or m]
    double speed = 0;           ///< largest |velocity| [rad/s or m/s]
    double acceleration = 0;    ///< largest |acceleration| [rad/s^2 or m/s^2]
    double effort = 0;          ///< largest |torque| or |force| [N m or N]
    Inertial link;              ///< of the link that moves with this joint, and of all that is fixed to it
};

/// What an arm is, before anything is derived from it.
struct ArmDescription {
    std::string id;    ///< catalogue id or file name
    std::string name;  ///< for people
    std::vector<Joint> joints;
    Pose lastFromFlange;  ///< flange in the frame of the last joint
    double payload = 0;   ///< [kg]; 0 when unknown
};

enum class IkFamily { SphericalWrist, ParallelAxes, HorizontalArm, FiveAxis, Unsupported };

/// Constants of a six-axis chain whose axes 2 and 3 are parallel and whose axes 4, 5, 6 meet in one point, at the zero posture, in base.
struct SphericalWrist {
    Vec3 h1, h2, h4, h5, h6;        ///< unit axis directions
    Vec3 across6;                   ///< unit, at a right angle to h6
    double sigma3;                  ///< +1 or -1: h3 = sigma3 * h2
    Vec3 o1, o2;                    ///< points on axes 1 and 2
    Vec3 u, n;                      ///< with h2 a right-handed basis: u points from axis 2 to axis 3, n = h2 x u
    double upperLength;             ///< distance of axes 2 and 3 [m]
    double foreLength, foreAngle;   ///< wrist centre seen from axis 3 in the (u, n) plane, polar [m, rad]
    double lateral;                 ///< wrist centre along h2 from o1 [m]
    Vec3 flangeFromWrist;           ///< wrist centre in flange coordinates [m]
    Mat3 zeroRotation;              ///< baseFromFlange rotation at the zero posture
    double shoulderCosine;          ///< h1 . h2
    Vec3 front;                     ///< h1 x h2 or its opposite: the side of axis 1 on which axis 2 lies (wrist centre, if axis 2 meets axis 1)
    double elbowSign;               ///< +1 if front = h2 x h1
    bool square;                    ///< axes 4, 5 and 5, 6 at right angles
    double wristCosine, wristSine;  ///< h4 . R5(q5) h6 = wristCosine cos q5 + wristSine sin q5 + wristConstant
    double wristConstant;
};

/// Constants of a six-axis chain whose axes 2, 3 and 4 are parallel and whose axes 5 and 6 meet, at the zero posture, in base.
struct ParallelAxes {
    Vec3 h1, h2, h5, h6;            ///< unit axis directions
    double sigma4;                  ///< +1 or -1: h4 = sigma4 * h2
    Vec3 o1, o4;                    ///< points on axes 1 and 4
    PlanarArm arm;                  ///< axes 2 and 3, with axis 4 as tip
    Vec3 centre;                    ///< where axes 5 and 6 meet
    Vec3 flangeFromWrist;           ///< the same in flange coordinates [m]
    double lateral;                 ///< centre along h2 from o1 [m]
    Mat3 zeroRotation;              ///< baseFromFlange rotation at the zero posture
    double shoulderCosine;          ///< h1 . h2
    Vec3 front;                     ///< the side of axis 1 that counts as front: that of the centre at the zero posture
    double elbowSign;               ///< +1 if front = h2 x h1
};

/// Constants of a four-axis horizontal arm: two parallel revolute axes, and after them a stroke and a turn along the same direction, in either order.
struct HorizontalArm {
    PlanarArm arm;               ///< axes 1 and 2, with the last turning axis as tip
    int stroke, turn;            ///< index of the sliding joint and of the last turning joint
    double strokeSign, turnSign; ///< +1 or -1: along or about arm.h
    Vec3 tip;                    ///< point on the turning axis
    Vec3 flangeFromTip;          ///< the same in flange coordinates [m]
    Mat3 zeroRotation;
};

/// Constants of a five-axis arm: a yaw, three parallel pitches at right angles to it, a roll at right angles to the pitches.
struct FiveAxis {
    Vec3 h1, h2, h5;             ///< unit axis directions
    double sigma4;               ///< +1 or -1: h4 = sigma4 * h2
    Vec3 o1, o4;                 ///< points on axes 1 and 4
    Vec3 o5;                     ///< point on the roll axis
    PlanarArm arm;               ///< axes 2 and 3, with axis 4 as tip
    Vec3 flangeFromRoll;         ///< o5 in flange coordinates [m]
    double lateral;              ///< o5 along h2 from o1 [m]
    Mat3 zeroRotation;
    Vec3 front;                  ///< the side of axis 1 on which the roll axis starts at the zero posture
};

/// An arm with everything that follows from its description. Immutable; shared by pointer.
class Arm {
public:
    /// Checks the description: unit axes, ordered finite ranges, positive speeds, 1 to kMaxJoints joints.
    static Result<std::shared_ptr<const Arm>> make(ArmDescription description);

    const ArmDescription& description() const { return m_description; }
    const std::vector<Joint>& joints() const { return m_description.joints; }
    int jointCount() const { return int(m_description.joints.size()); }
    IkFamily family() const { return m_family; }
    const std::optional<SphericalWrist>& sphericalWrist() const { return m_spherical; }
    const std::optional<ParallelAxes>& parallelAxes() const { return m_parallel; }
    const std::optional<HorizontalArm>& horizontalArm() const { return m_horizontal; }
    const std::optional<FiveAxis>& fiveAxis() const { return m_five; }
    /// Whether it is a six-axis arm of a closed-form family: with branches, singularities by kind, and lines in every direction.
    bool hasBranches() const { return m_spherical || m_parallel; }

    /// Distance from the first pitch axis (axis 2) to the wrist centre, or to axis 4 of parallel axes, with the arm stretched [m]; for other chains
    /// the chain's length.
    double reach() const { return m_reach; }

    /// The chain re-expressed so that every joint turns about, or slides along, its local z.
    struct Segment {
        Mat3 rotation;     ///< previous z-frame from this z-frame at q = 0
        Vec3 translation;  ///< [m]
        bool prismatic;
        Mat3 linkInZ;      ///< z-frame from link frame (rotation only; origins coincide)
        Inertial link;     ///< in the z-frame
    };
    const std::vector<Segment>& segments() const { return m_segments; }
    const Mat3& flangeRotation() const { return m_flangeRotation; }
    const Vec3& flangeTranslation() const { return m_flangeTranslation; }

private:
    ArmDescription m_description;
    std::vector<Segment> m_segments;
    Mat3 m_flangeRotation;
    Vec3 m_flangeTranslation;
    std::optional<SphericalWrist> m_spherical;
    std::optional<ParallelAxes> m_parallel;
    std::optional<HorizontalArm> m_horizontal;
    std::optional<FiveAxis> m_five;
    IkFamily m_family = IkFamily::Unsupported;
    double m_reach = 0;
};

using ArmPtr = std::shared_ptr<const Arm>;

/// Word for the way inverse kinematics is solved: "spherical-wrist", "parallel-axes", "horizontal-arm", "five-axis" or "unsupported".
const char* familyName(IkFamily family);

/// Whether every joint is in its range; `tolerance` [rad or m] lets rounding at the very limit count as inside.
inline constexpr double kRangeTolerance = 1e-9;
bool withinRange(const Arm& arm, const JointVector& posture);

/// Nearest posture inside the ranges.
JointVector clampedToRange(const Arm& arm, JointVector posture);

}  // namespace topikos
