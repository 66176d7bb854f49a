#pragma once
#include "core/motion/joint_way.h"
#include "core/motion/profile.h"
#include "core/robot/singularity.h"

#include <array>

namespace topikos {

/// How one place moves as seen from another one while axes between them go from one value to another, in step with a
/// fraction from 0 to 1.
struct PlaceMotion {
    /// One axis: comes behind `before`, along or about `direction`.
    struct Piece {
        Pose before;
        JointKind kind = JointKind::Prismatic;
        Vec3 direction = Vec3::UnitX();
        double from = 0, to = 0;  ///< [m or rad]
    };
    std::vector<Piece> pieces;
    Pose after;  ///< behind the last piece

    Pose at(double fraction) const;
};

/// Something that moves together with the arm, in step.
struct Companion {
    double way = 0;  ///< [m or rad]
    double speed = 1, acceleration = 1;
};

/// The circle that a path follows in place of a straight line.
struct PathCircle {
    Vec3 centre = Vec3::Zero(), axis = Vec3::UnitZ();  ///< in the frame of the path; axis of length 1 [m]
    double angle = 0;                                  ///< from start to end, about the axis [rad]
};
/// The circle through three points, from the first past the second to the third, or once round; nothing when they lie
/// on a line (to kOnALine of their distances).
std::optional<PathCircle> circleThrough(const Vec3& start, const Vec3& via, const Vec3& end, bool whole);
inline constexpr double kOnALine = 1e-4;

/// Straight line of the tool centre point, or a part of a circle, in arm base, or in a frame that moves in it. The
/// rotation turns about one axis, in step with the way.
struct LinePath {
    Pose start;  ///< frameFromTcp
    Pose end;    ///< frameFromTcp
    Pose flangeFromTcp;
    std::optional<PlaceMotion> baseFromFrame{};  ///< nothing: the frame is the arm base
    std::vector<Companion> companions{};

    std::optional<PathCircle> circle{};

    double length() const  ///< [m]
    {
        return circle ? (start.translation - circle->centre).norm() * circle->angle
                      : (end.translation - start.translation).norm();
    }
    double angle() const { return deviation(start, end).radians; }  ///< [rad]
    Pose tcpAt(double fraction) const
    {
        Pose tcp = interpolate(start, end, fraction);
        if (circle)
            tcp.translation =
                circle->centre
                + Eigen::AngleAxisd(fraction * circle->angle, circle->axis) * (start.translation - circle->centre);
        return baseFromFrame ? baseFromFrame->at(fraction) * tcp : tcp;
    }
    Pose flangeAt(double fraction) const { return tcpAt(fraction) * inverse(flangeFromTcp); }
};

struct MotionLimits {
    double jointFraction = 1;      ///< of each joint's speed limit, in (0, 1]; joint moves only
    double lineSpeed = 0.25;       ///< of the TCP [m/s]
    double lineAcceleration = 2;   ///< of the TCP [m/s^2]
    double turnSpeed = 3;          ///< of the tool's orientation along a line [rad/s]
    double turnAcceleration = 10;  ///< [rad/s^2]
    double jointAcceleration = 1;  ///< of each joint's acceleration limit, in (0, 1]; joint moves only
    double jointTurn = INFINITY;   ///< no turning joint goes faster; joint moves only [rad/s]
};

/// Why a line ends before its end.
struct LineStop {
    enum class Why {
        OutOfReach,
        JointRange,
        Singularity,
        Jump  ///< the postures before and behind do not join, and no singularity with a bound explains it
    };
    Why why = Why::OutOfReach;
    double fraction = 0;   ///< of the line, where it stops
    double remaining = 0;  ///< way left [m]
    double turnLeft = 0;   ///< turn left [rad]
    double shortfall = 0;  ///< of the wrist centre at the end of the line [m]
    NoSolution reach =
        NoSolution::None;  ///< why the line leaves the arm's reach, here or further on; None: it does not
    /// JointRange: the joint that ends the line, and the largest excess it would need further on. Jump: the joint that
    /// would have to move most, and by how much [rad or m].
    RangeExcess range;
    SingularityKind kind = SingularityKind::Wrist;  ///< Singularity; Jump: the nearest one
    double distance = 0;             ///< Singularity: smallest distance met; Jump: there [rad, m or none]
    Vec3 excessTurn = Vec3::Zero();  ///< OutOfReach by Orientation: see Solutions [rad]
};

/// Smallest value of something along a line, and where.
struct Closest {
    double value = INFINITY;
    double fraction = 0;
    int joint = -1;  ///< for joint margins
};

/// Largest ratio of a joint's speed or acceleration to its limit. Joint -1: none comes above its limit.
struct Peak {
    double ratio = 0;
    int joint = -1;
    double fraction = 0;  ///< of the move, where
};

/// A move with its timing. Valid up to `stop`, if there is one; the profile then ends there.
struct Move {
    enum class Kind { Joint, Line };
    Kind kind = Kind::Joint;
    JointVector from, to;
    Configuration branch;  ///< of `from`, kept along a line
    Profile profile;       ///< of the fraction of the way, 0 to 1

    LinePath line;
    JointWay way;             ///< along a line, up to where it ends
    bool wayIsExact = false;  ///< the way holds the line to kWayError everywhere; else it is a guess to start from
    std::optional<LineStop> stop;
    std::array<Closest, 4> singularity;  ///< by SingularityKind
    Closest jointMargin;                 ///< distance to the nearest range end [rad]
    int slowedBy = -1;                   ///< joint that forces the line below the speed asked for; -1: none
    double lowestCeiling = 1;            ///< lowest speed allowed by a joint, as a fraction of the speed asked for
    Peak speed, acceleration;            ///< where a joint comes above its limit

    /// Posture at a fraction of the way, and its first two derivatives by that fraction.
    JointVector at(const Arm& arm, double fraction) const;
    JointVector rate(double fraction) const;
    JointVector bend(double fraction) const;
    /// Joint accelerations at a time of the move [rad/s^2 or m/s^2].
    JointVector accelerationAt(double time) const;
    JointVector speedAt(double time) const;
};

/// Largest distance [m] and angle [rad] between a line and the way by which joints follow it, tested in the middle of
/// every piece, where a polynomial between knots is off most.
inline constexpr double kWayError = 1e-9;

/// All joints start and arrive together; the slowest one sets the time. `from` and `to` in range.
/// `companions` arrive with them, at the same fraction of their speeds.
Move planJointMove(const Arm& arm, const JointVector& from, const JointVector& to, const MotionLimits& limits,
                   const std::vector<Companion>& companions = {});

/// The same of companions alone.
Profile profileInStep(const std::vector<Companion>& companions, double fractionOfSpeed);

/// Line from posture `from` (which holds the line's start pose) in the branch of `from`, slowed where a joint would
/// exceed its speed. It stops where it comes nearer to a singularity than `bounds`. Distances below `watch` are looked
/// for between the samples too.
Move planLine(const Arm& arm, const JointVector& from, const LinePath& path, const MotionLimits& limits,
              const SingularityBounds& bounds, const SingularityBounds& watch = {});

/// Posture of the same branch as `configuration`, each joint by the turn nearest to `previous`; ranges are not looked
/// at. Nothing if the pose is out of reach. At a singular pose the nearest posture counts. Arms without configurations,
/// with more than six free joints or with locks walk downhill from `previous` instead, arms with more than six free
/// joints inside their ranges where that is possible.
std::optional<JointVector> followBranch(const Arm& arm, const Pose& baseFromFlange, const Configuration& configuration,
                                        const JointVector& previous);

/// Distance from the nearest range end over all joints [rad or m], negative outside; 10 mm of a sliding joint count
/// like 5° of a turning one. Locked joints do not count.
Closest rangeMargin(const Arm& arm, const JointVector& posture);

}  // namespace topikos
