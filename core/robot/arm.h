#pragma once
#include "core/robot/families.h"
#include "core/spatial/digest.h"
#include "core/spatial/pose.h"
#include "core/spatial/result.h"
#include "core/spatial/triangles.h"

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
    double mass = 0;              ///< [kg]
    Vec3 centre = Vec3::Zero();   ///< centre of mass [m]
    Mat3 inertia = Mat3::Zero();  ///< about the centre of mass [kg m^2]
};
/// Two bodies as one rigid body (parallel axis theorem).
Inertial joined(const Inertial& a, const Inertial& b);
/// The same body seen from a frame in which its own frame stands at `aFromB`.
Inertial placed(const Pose& aFromB, const Inertial& inB);

/// One joint as a data sheet or a URDF file gives it. The joint frame at value q is parent * parentFromJoint *
/// motion(axis, q).
struct Joint {
    std::string name;
    JointKind kind = JointKind::Revolute;
    Pose parentFromJoint;
    Vec3 axis = Vec3::UnitZ();     ///< unit, in the joint frame
    double lower = 0;              ///< [rad or m]
    double upper = 0;              ///< [rad or m]
    double speed = 0;              ///< largest |velocity| [rad/s or m/s]
    double acceleration = 0;       ///< largest |acceleration| [rad/s^2 or m/s^2]
    double effort = 0;             ///< largest |torque| or |force| [N m or N]
    Inertial link;                 ///< of the link that moves with this joint, and of all that is fixed to it
    std::optional<double> locked;  ///< value at which the axis is held [rad or m]
    double jerk = 0;               ///< largest |jerk| [rad/s^3 or m/s^3]; 0: not limited
};

/// A surface that moves with a link: 0 the base, i with joint i; in base, or in the frame of that joint.
struct LinkMesh {
    int link = 0;
    std::shared_ptr<const Triangles> triangles;
};

struct DataSheet;

/// What an arm is, before anything is derived from it.
struct ArmDescription {
    std::string id;    ///< catalogue id or file name
    std::string name;  ///< for people
    std::vector<Joint> joints;
    Pose lastFromFlange;  ///< flange in the frame of the last joint
    JointVector
        home;  ///< posture in which the arm is shown first [rad or m]; empty: zero, or the nearest to it in range
    double payload = 0;                      ///< [kg]; 0 when unknown
    std::vector<LinkMesh> meshes;            ///< links without one get a body made from the kinematics
    std::shared_ptr<const DataSheet> sheet;  ///< what it was made from; null for arms that were not entered as one
};

/// An arm with everything that follows from its description. Immutable; shared by pointer.
class Arm {
public:
    /// Checks the description: unit axes, ordered finite ranges, positive speeds, 1 to kMaxJoints joints, locks inside
    /// the ranges.
    static Result<std::shared_ptr<const Arm>> make(ArmDescription description);

    const ArmDescription& description() const { return m_description; }
    /// The joints as they may be used: a locked one has its value as both ends of its range.
    const std::vector<Joint>& joints() const { return m_joints; }
    int jointCount() const { return int(m_joints.size()); }
    /// The same arm without its locked joints, which inverse kinematics is solved with; null when none is locked.
    const std::shared_ptr<const Arm>& unlocked() const { return m_unlocked; }
    /// Indices of the joints that are not locked.
    const std::vector<int>& freeJoints() const { return m_free; }
    /// How inverse kinematics is solved, recognised from the geometry. With locked joints: that of the rest of the
    /// chain.
    const Family& family() const { return m_family; }
    template <class F> const F* as() const { return std::get_if<F>(&m_family); }
    /// Whether it is a six-axis arm of a closed-form family: with branches, singularities by kind, and lines in every
    /// direction.
    bool hasBranches() const { return m_unlocked == nullptr && (as<SphericalWrist>() || as<ParallelAxes>()); }

    /// Whether a configuration names one posture of a pose (up to full turns, and the swivel of seven axes).
    bool hasConfigurations() const { return m_unlocked == nullptr && !as<NumericChain>() && !as<GeneralSix>(); }

    /// Distance from the first pitch axis (axis 2) to the wrist centre, or to axis 4 of parallel axes, with the arm
    /// stretched; of seven axes from shoulder to wrist; of a gantry the diagonal of its travel; for other chains the
    /// chain's length. [m]
    double reach() const { return m_reach; }
    /// What it is known by: no other one has it.
    std::uint64_t number() const { return m_number; }

    /// The chain re-expressed so that every joint turns about, or slides along, its local z.
    struct Segment {
        Mat3 rotation;     ///< previous z-frame from this z-frame at q = 0
        Vec3 translation;  ///< [m]
        bool prismatic;
        Mat3 linkInZ;   ///< z-frame from link frame (rotation only; origins coincide)
        Inertial link;  ///< in the z-frame
    };
    const std::vector<Segment>& segments() const { return m_segments; }
    const Mat3& flangeRotation() const { return m_flangeRotation; }
    const Vec3& flangeTranslation() const { return m_flangeTranslation; }

private:
    ArmDescription m_description;
    std::vector<Segment> m_segments;
    Mat3 m_flangeRotation;
    Vec3 m_flangeTranslation;
    std::vector<Joint> m_joints;
    std::shared_ptr<const Arm> m_unlocked;
    std::vector<int> m_free;
    Family m_family;
    double m_reach = 0;
    std::uint64_t m_number = freshNumber();
};

using ArmPtr = std::shared_ptr<const Arm>;

/// Word for the way inverse kinematics is solved: "spherical-wrist", "parallel-axes", "horizontal-arm", "five-axis",
/// "gantry", "seven-axis", "six-axis-general" or "numeric".
const char* familyName(const Family& family);

/// Whether every joint is in its range; `tolerance` [rad or m] lets rounding at the very limit count as inside.
inline constexpr double kRangeTolerance = 1e-9;
bool withinRange(const Arm& arm, const JointVector& posture);

/// The arm's own home posture, or the posture nearest to zero that is in range.
JointVector armHome(const Arm& arm);

/// Equal in length and every value.
bool sameValues(const JointVector& a, const JointVector& b);
/// Whether two arms are described by the same values.
bool sameDescription(const Arm& a, const Arm& b);

/// Nearest posture inside the ranges.
JointVector clampedToRange(const Arm& arm, JointVector posture);

}  // namespace topikos
