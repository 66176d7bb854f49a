#pragma once
#include "core/motion/joint_way.h"
#include "core/motion/profile.h"
#include "core/robot/singularity.h"

#include <array>
#include <memory>
#include <variant>

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
    std::uint32_t axis = 0;  ///< tells one from another, in all moves of a run
};

struct StraightLine {};
/// The circle that a path follows in place of a straight line.
struct PathCircle {
    Vec3 centre = Vec3::Zero(), axis = Vec3::UnitZ();  ///< in the frame of the path; axis of length 1 [m]
    double angle = 0;                                  ///< from start to end, about the axis [rad]
};
/// The circle through three points, from the first past the second to the third, or once round; nothing when they lie
/// on a line (to kOnALine of their distances).
std::optional<PathCircle> circleThrough(const Vec3& start, const Vec3& via, const Vec3& end, bool whole);
inline constexpr double kOnALine = 1e-4;

struct Move;

/// A corner between two moves, cut: the end of the one and the beginning of the other added up, each with a law of its
/// own of a common parameter u from 0 to 1, so that both go on from the moves in the direction that these have there.
struct CornerCut {
    std::shared_ptr<const Move> first, second;
    double before = 0, after = 0;  ///< fractions of the two that the corner takes the place of
    bool smooth = false;           ///< curvature without jumps at the ends, for limited jerk; else a parabola

    /// Fraction that is left of the first move, which falls from `before` to 0, and its first two derivatives by u.
    double left(double u) const;
    double leftRate(double u) const;
    double leftBend(double u) const;
    /// Fraction that is done of the second move, which rises from 0 to `after`.
    double done(double u) const;
    double doneRate(double u) const;
    double doneBend(double u) const;
};

/// First and second derivative by the fraction of a path of the place and of the orientation of a TCP.
struct PathFlow {
    Vec3 rate = Vec3::Zero(), bend = Vec3::Zero();   ///< [m]
    Vec3 turn = Vec3::Zero(), twist = Vec3::Zero();  ///< of the rotation vector [rad]
};

/// Straight line of the tool centre point, or a part of a circle, in arm base, or in a frame that moves in it. The
/// rotation turns about one axis, in step with the way.
struct LinePath {
    Pose start;  ///< frameFromTcp
    Pose end;    ///< frameFromTcp
    Pose flangeFromTcp;
    std::optional<PlaceMotion> baseFromFrame{};  ///< nothing: the frame is the arm base
    std::vector<Companion> companions{};
    /// A cut is of two paths, and nothing else moves then.
    std::variant<StraightLine, PathCircle, std::shared_ptr<const CornerCut>> shape{};

    const PathCircle* circle() const { return std::get_if<PathCircle>(&shape); }
    const CornerCut* cut() const
    {
        const auto* own = std::get_if<std::shared_ptr<const CornerCut>>(&shape);
        return own ? own->get() : nullptr;
    }

    double length() const;  ///< [m]
    double angle() const;   ///< [rad]
    /// In the frame of the path, and there its derivatives.
    Pose inFrame(double fraction) const;
    PathFlow flowInFrame(double fraction) const;

    Pose tcpAt(double fraction) const
    {
        return baseFromFrame ? baseFromFrame->at(fraction) * inFrame(fraction) : inFrame(fraction);
    }
    Pose flangeAt(double fraction) const { return tcpAt(fraction) * inverse(flangeFromTcp); }
};

struct MotionLimits {
    double jointFraction = 1;      ///< of each joint's speed limit, in (0, 1]
    double lineSpeed = 0.25;       ///< of the TCP; lines and arcs, as the next three [m/s]
    double lineAcceleration = 2;   ///< of the TCP [m/s^2]
    double turnSpeed = 3;          ///< of the tool's orientation along a line [rad/s]
    double turnAcceleration = 10;  ///< [rad/s^2]
    double jointAcceleration = 1;  ///< of each joint's acceleration limit, in (0, 1]
    double jointTurn = INFINITY;   ///< no turning joint goes faster [rad/s]
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

/// What a move loses to limits of joints, beside those that were asked for: of the tool and of device axes.
struct Slowed {
    HeldBy by{};          ///< where it is slowest; Nothing: nowhere
    double lowest = 1;    ///< lowest speed that is possible there, as a fraction of the speed asked for
    double fraction = 0;  ///< of the way, where
    double seconds = 0;   ///< it takes longer by so much [s]
};

/// Where a joint goes faster, or changes its speed faster, than it can.
struct Overload {
    int joint = -1;       ///< none: nowhere
    double amount = 0;    ///< highest speed or acceleration [rad/s or m/s, by s once more]
    double limit = 0;     ///< that the joint has
    double fraction = 0;  ///< of the way, where
};

// What a move goes along: one of these.

/// Straight in the space of the joints.
struct JointSegment {
    std::vector<Companion> companions{};
};
/// A path of the tool.
struct LineSegment {
    LinePath path;
    Configuration branch;      ///< of where it begins, kept all along
    SingularityBounds bounds;  ///< where it stops
    JointWay way{};            ///< along the path, up to where it ends
    bool wayIsExact = false;   ///< the way holds the path to kWayError everywhere; else it is a guess to start from
    Slowed slowed{};
};
/// Of two moves in the space of the joints.
struct CornerSegment {
    std::shared_ptr<const CornerCut> cut;
};
/// By a time table.
struct TableSegment {
    JointWay way;  ///< of one pass
    std::uint32_t passes = 1;
    double duration = 0;  ///< of all passes at the times of the table [s]
    Overload speed, acceleration;
    JointVector highestRate;  ///< of each joint, by the fraction of all passes [rad or m]
    double fits = 1;          ///< the speed, as a fraction of that of the table, at which neither is overloaded
};
using Segment = std::variant<JointSegment, LineSegment, CornerSegment, TableSegment>;

/// A move with its timing. Valid up to `stop`, if there is one; the profile then ends there.
struct Move {
    JointVector from, to;
    Segment segment;
    Profile profile;           ///< of the fraction of the way, 0 to 1, from rest to rest
    MotionLimits limits;       ///< that it was planned with
    bool smooth = false;       ///< some jerk is limited
    std::uint64_t number = 0;  ///< of plans: what it is known by, no other one has it
    std::optional<LineStop> stop;
    std::array<Closest, 4> singularity;  ///< by SingularityKind
    Closest jointMargin;                 ///< distance to the nearest range end [rad]

    template <class S> const S* as() const { return std::get_if<S>(&segment); }
    template <class S> S* as() { return std::get_if<S>(&segment); }
    bool isLine() const { return as<LineSegment>() != nullptr; }
    /// Of a line.
    const LinePath& line() const { return std::get<LineSegment>(segment).path; }
    /// Of a corner, of either kind; nullptr for others.
    const CornerCut* cut() const;
    /// The way of the joints where it is not straight, of one pass for a time table; nullptr for others.
    const JointWay* way() const;
    /// Nothing for what is no line.
    const Slowed& slowed() const;
    const std::vector<Companion>& alongside() const;

    /// Posture at a fraction of the way, and its first two derivatives by that fraction.
    JointVector at(const Arm& arm, double fraction) const;
    JointVector rate(double fraction) const;
    JointVector bend(double fraction) const;
    /// Both derivatives at once, the same to the bit.
    JointWay::Flow flow(double fraction) const;
    /// Largest of each joint's first derivative anywhere [rad or m].
    JointVector highestRate() const;
};

/// Largest distance [m] and angle [rad] between a line and the way by which joints follow it, tested in the middle of
/// every piece, where a polynomial between knots is off most.
inline constexpr double kWayError = 1e-9;

/// All joints start and arrive together; the slowest one sets the time. `from` and `to` in range.
/// `companions` arrive with them, at the same fraction of their speeds. Where joints have a largest jerk, it is kept.
Move planJointMove(const Arm& arm, const JointVector& from, const JointVector& to, const MotionLimits& limits,
                   const std::vector<Companion>& companions = {});

/// The same of companions alone.
Profile profileInStep(const std::vector<Companion>& companions, double fractionOfSpeed);

/// Line from posture `from` (which holds the line's start pose) in the branch of `from`, slowed where a joint would
/// exceed its speed or acceleration. It stops where it comes nearer to a singularity than `bounds`. Distances below
/// `watch` are looked for between the samples too.
Move planLine(const Arm& arm, const JointVector& from, const LinePath& path, const MotionLimits& limits,
              const SingularityBounds& bounds, const SingularityBounds& watch = {});

/// The same without its profile.
Move followPath(const Arm& arm, const JointVector& from, const LinePath& path, const MotionLimits& limits,
                const SingularityBounds& bounds, const SingularityBounds& watch);

/// The corner of two moves without a path of their own for it: in joint space, and with what comes along. Both are
/// moves of the arm, the second one from where the first one ends.
Move cornerOfJoints(std::shared_ptr<const CornerCut> cut);
/// Limits for the corner of two moves: the higher speeds and the lower accelerations of both.
MotionLimits cornerLimits(const MotionLimits& first, const MotionLimits& second);

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
