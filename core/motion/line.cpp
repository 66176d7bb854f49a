#include "core/motion/line_walk.h"
#include "core/motion/time_law.h"
#include "core/robot/branches.h"
#include "core/spatial/rotation.h"

#include <Eigen/LU>
#include <Eigen/QR>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr int kSamplesPerPiece = 3;        // samples from knot to knot of the way
constexpr double kAside = 0.02;            // from both ends of a piece, and no more than they are apart [rad or m]
constexpr int kPieceHalvings = 16;         // of such a piece
constexpr double kSmallestPiece = 1e-9;    // of the line
constexpr double kFarGuess = 5 * kDegree;  // by which a polynomial may be off a straight guess between knots
constexpr double kKinkError = 1e-6;        // [m and rad] where a joint comes to its range end, over a millionth of
                                           // the line

using Twist = Eigen::Matrix<double, 6, 1>;
using Sample = LineWalk::Sample;

/// First and second derivative of the flange pose by the fraction of a line, at the flange origin, in base.
struct Flow {
    Twist rate, bend;
};

Flow flowOf(const LinePath& path, double fraction, const Vec3& flange, const Vec3& tcp)
{
    Flow flow;
    if (!path.baseFromFrame) {
        const PathFlow own = path.flowInFrame(fraction);
        const Vec3 arm = flange - tcp;
        flow.rate << own.rate + own.turn.cross(arm), own.turn;
        flow.bend << own.bend + own.twist.cross(arm) + own.turn.cross(own.turn.cross(arm)), own.twist;
        return flow;
    }
    // The frame moves as well: by central differences.
    constexpr double h = 1e-4;
    const Pose before = path.flangeAt(fraction - h), here = path.flangeAt(fraction),
               after = path.flangeAt(fraction + h);
    const auto turned = [](const Pose& from, const Pose& to) -> Vec3 {
        const AxisAngle turn = axisAngleOf(to.rotation * from.rotation.conjugate());
        return turn.axis * turn.angle;
    };
    const Vec3 first = turned(before, here) / h, second = turned(here, after) / h;
    flow.rate << (after.translation - before.translation) / (2 * h), 0.5 * (first + second);
    flow.bend << (after.translation - 2 * here.translation + before.translation) / (h * h), (second - first) / h;
    return flow;
}

/// Acceleration of the flange (linear at its origin, then angular) while joints move at constant `rate`.
/// Method: forward recursion of velocities and accelerations (Craig, "Introduction to Robotics", chapter 6).
Twist accelerationAtConstantRate(const Arm& arm, const ChainFrames& frames, const JointVector& rate)
{
    Vec3 omega = Vec3::Zero(), alpha = Vec3::Zero(), acceleration = Vec3::Zero(), place = frames.joints[0].origin;
    const auto carry = [&](const Vec3& to) {
        const Vec3 r = to - place;
        acceleration += alpha.cross(r) + omega.cross(omega.cross(r));
        place = to;
    };
    for (int i = 0; i < arm.jointCount(); ++i) {
        carry(frames.joints[size_t(i)].origin);
        const Vec3 along = frames.joints[size_t(i)].rotation.col(2) * rate[i];
        if (arm.segments()[size_t(i)].prismatic) {
            acceleration += 2 * omega.cross(along);
        } else {
            alpha += omega.cross(along);
            omega += along;
        }
    }
    carry(frames.flange.origin);
    Twist out;
    out << acceleration, alpha;
    return out;
}

/// Joint rates and bends that follow a line at a posture on it. `habit`, if given, is what they were near there: of the
/// many that follow the line with more than six free joints the nearest to it.
JointWay::Knot knotAt(const Arm& arm, const LinePath& path, double fraction, const JointVector& posture,
                      const JointWay::Knot* habit)
{
    JointWay::Knot knot{fraction, posture, JointVector::Zero(arm.jointCount()), JointVector::Zero(arm.jointCount())};
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    const Vec3& flange = frames.flange.origin;
    const Flow flow = flowOf(path, fraction, flange, flange + frames.flange.rotation * path.flangeFromTcp.translation);
    const Jacobian whole = jacobian(frames, arm);
    const std::vector<int>& free = arm.freeJoints();
    const auto spread = [&](const auto& values, JointVector& out) {
        for (size_t i = 0; i < free.size(); ++i)
            out[free[i]] = values[Eigen::Index(i)];
    };
    if (free.size() == 6) {
        Eigen::Matrix<double, 6, 6> j;
        for (int i = 0; i < 6; ++i)
            j.col(i) = whole.col(free[size_t(i)]);
        const Eigen::PartialPivLU<Eigen::Matrix<double, 6, 6>> solver(j);
        spread(Twist(solver.solve(flow.rate)), knot.rate);
        spread(Twist(solver.solve(flow.bend - accelerationAtConstantRate(arm, frames, knot.rate))), knot.bend);
        return knot;
    }
    const Eigen::Index count = Eigen::Index(free.size());
    Eigen::MatrixXd j(6, count);
    for (Eigen::Index i = 0; i < count; ++i)
        j.col(i) = whole.col(free[size_t(i)]);
    const Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> solver(j);
    const auto nearest = [&](const JointVector* wanted, const Twist& asked) -> Eigen::VectorXd {
        Eigen::VectorXd start = Eigen::VectorXd::Zero(count);
        for (Eigen::Index i = 0; wanted && i < count; ++i)
            start[i] = (*wanted)[free[size_t(i)]];
        return start + solver.solve(asked - j * start);
    };
    spread(nearest(habit ? &habit->rate : nullptr, flow.rate), knot.rate);
    spread(nearest(habit ? &habit->bend : nullptr, flow.bend - accelerationAtConstantRate(arm, frames, knot.rate)),
           knot.bend);
    return knot;
}

/// Makes the way by which the joints follow a line, up to `end`.
class WayMaker {
public:
    WayMaker(const Arm& arm, Move& move, const LineWalk& walk, double end) :
        m_arm(arm), m_line(*move.as<LineSegment>()), m_walk(walk), m_end(end), m_redundant(arm.freeJoints().size() > 6)
    {
    }

    void make()
    {
        m_line.way = JointWay(m_arm.jointCount());
        m_line.wayIsExact = true;
        std::vector<Sample> samples;
        for (const Sample& s : m_walk.samples())
            if (s.fraction <= m_end || samples.empty()) samples.push_back(s);
        if (samples.back().fraction < m_end) {
            const auto last = m_walk.at(m_end, samples.back().posture);
            samples.push_back({m_end, last.value_or(samples.back().posture)});
        }
        JointWay::Knot knot = makeKnot(samples, 0);
        m_line.way.append(knot);
        const size_t step = m_redundant ? 1 : kSamplesPerPiece;
        for (size_t i = 0; i + 1 < samples.size();) {
            const size_t next = std::min(i + step, samples.size() - 1);
            const JointWay::Knot after = makeKnot(samples, next);
            appendPiece(knot, after, 0);
            knot = after;
            i = next;
        }
    }

private:
    JointWay::Knot makeKnot(const std::vector<Sample>& samples, size_t i) const
    {
        if (!m_redundant || samples.size() < 3)
            return knotAt(m_arm, m_line.path, samples[i].fraction, samples[i].posture, nullptr);
        // What the neighbours say of the free motion.
        const size_t k = std::clamp<size_t>(i, 1, samples.size() - 2);
        const double h0 = samples[k].fraction - samples[k - 1].fraction;
        const double h1 = samples[k + 1].fraction - samples[k].fraction;
        const JointVector d0 = (samples[k].posture - samples[k - 1].posture) / h0;
        const JointVector d1 = (samples[k + 1].posture - samples[k].posture) / h1;
        JointWay::Knot habit;
        habit.bend = 2 * (d1 - d0) / (h0 + h1);
        habit.rate = (h1 * d0 + h0 * d1) / (h0 + h1) + (samples[i].fraction - samples[k].fraction) * habit.bend;
        return knotAt(m_arm, m_line.path, samples[i].fraction, samples[i].posture, &habit);
    }

    /// Appends `b` behind `a`, with knots between as long as the line is missed in the middle.
    void appendPiece(const JointWay::Knot& a, const JointWay::Knot& b, int halvings)
    {
        JointWay piece(m_arm.jointCount());
        piece.append(a);
        piece.append(b);
        const double middle = 0.5 * (a.fraction + b.fraction);
        const JointVector curved = piece.at(middle);
        const PoseDeviation off = deviation(forward(m_arm, curved), m_line.path.flangeAt(middle));
        if (off.metres > m_wayError || off.radians > m_turnError) {
            // Near a singularity the polynomial may be wild before the knots are close enough.
            const JointVector straight = 0.5 * (a.posture + b.posture);
            const bool wild = !((curved - straight).cwiseAbs().maxCoeff() < kFarGuess);
            const JointVector& guess = wild ? straight : curved;
            const bool halves =
                halvings < kPieceHalvings && b.fraction - a.fraction > kSmallestPiece && m_line.wayIsExact;
            auto q = halves ? m_walk.at(middle, guess) : std::nullopt;
            // Near its straight elbow an arm with a spare axis could be found on the other side of it.
            if (m_redundant && q
                && (*q - straight).cwiseAbs().maxCoeff() > (b.posture - a.posture).cwiseAbs().maxCoeff() + kAside)
                q = m_walk.at(middle, straight);
            if (q) {
                const JointWay::Knot habit{middle, guess, piece.rate(middle), piece.bend(middle)};
                const JointWay::Knot knot = knotAt(m_arm, m_line.path, middle, *q, m_redundant ? &habit : nullptr);
                appendPiece(a, knot, halvings + 1);
                appendPiece(knot, b, halvings + 1);
                return;
            }
            if (!(off.metres < kKinkError && off.radians < kKinkError)) m_line.wayIsExact = false;
        }
        m_line.way.append(b);
    }

    const Arm& m_arm;
    LineSegment& m_line;
    const LineWalk& m_walk;
    double m_end;
    bool m_redundant;
    /// Arms of few axes follow an orientation only to what their inverse kinematics lets pass.
    double m_turnError = m_arm.freeJoints().size() < 6 ? 3 * kOrientation : kWayError;
    double m_wayError = m_arm.freeJoints().size() < 6 ? 20 * kWayError : kWayError;
};

/// Times a line: as fast as tool, companions and joints allow.
void timeLine(const Arm& arm, Move& move)
{
    const double end = move.stop ? move.stop->fraction : 1;
    const PlaceBounds tool = boundsAt(arm, move, 0, false);
    if (end <= 0 || !std::isfinite(tool.cap)) return;
    move.profile = fastestAlone(arm, move, end);
    const bool slowed = std::any_of(move.profile.stretches.begin(), move.profile.stretches.end(),
                                    [](const Profile::Stretch& s) { return s.by.byJoint(); });
    if (!slowed) return;
    // What it would be without its joints.
    double acceleration = INFINITY;
    for (const PlaceBounds::Row& row : tool.rows)
        if (row.bend == 0) acceleration = std::min(acceleration, row.limit / std::abs(row.rate));
    if (!std::isfinite(acceleration)) acceleration = move.limits.lineAcceleration / move.line().length();
    Slowed& slow = move.as<LineSegment>()->slowed;
    slow.seconds = std::max(0.0, move.profile.duration - trapezoid(end, std::sqrt(tool.cap), acceleration).duration);
    for (const Profile::Stretch& s : move.profile.stretches) {
        if (!s.by.byJoint()) continue;
        const double middle = 0.5 * s.duration, at = s.positionAt(middle);
        const double free = std::sqrt(std::min(tool.cap, 2 * acceleration * std::min(at, end - at)));
        const double ratio = s.speedAt(middle) / free;
        if (ratio >= slow.lowest) continue;
        slow.by = s.by;
        slow.lowest = ratio;
        slow.fraction = at;
    }
}

}  // namespace

Move followPath(const Arm& arm, const JointVector& from, const LinePath& path, const MotionLimits& limits,
                const SingularityBounds& bounds, const SingularityBounds& watch)
{
    Move move;
    move.from = from;
    move.limits = limits;
    move.smooth = limitsJerk(arm);
    move.segment = LineSegment{.path = path, .branch = configurationOf(arm, from), .bounds = bounds};
    const LineWalk walk(arm, move, bounds, watch);
    WayMaker(arm, move, walk, move.stop ? move.stop->fraction : 1).make();
    move.to = move.stop ? move.at(arm, move.stop->fraction) : walk.samples().back().posture;
    return move;
}

Move planLine(const Arm& arm, const JointVector& from, const LinePath& path, const MotionLimits& limits,
              const SingularityBounds& bounds, const SingularityBounds& watch)
{
    Move move = followPath(arm, from, path, limits, bounds, watch);
    timeLine(arm, move);
    return move;
}

}  // namespace topikos
