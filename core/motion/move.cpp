#include "core/motion/move.h"

#include "core/robot/branches.h"
#include "core/robot/numeric.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <Eigen/LU>
#include <Eigen/QR>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kSampleLength = 4e-3;         // [m]
constexpr double kSampleAngle = 1 * kDegree;   // [rad]
constexpr double kLargestJump = 60 * kDegree;  // between neighbouring samples, after which the branch counts as lost

int sampleCount(const LinePath& path)
{
    double wanted = std::max(path.length() / kSampleLength, path.angle() / kSampleAngle);
    if (path.baseFromFrame)
        for (const PlaceMotion::Piece& p : path.baseFromFrame->pieces)
            wanted += std::abs(p.to - p.from) / (p.kind == JointKind::Revolute ? kSampleAngle : kSampleLength);
    return int(std::clamp(std::ceil(wanted), 16.0, 4000.0));
}

/// A margin in radians; 10 mm of a sliding joint count like 5 degrees.
double weigh(const Joint& joint, double margin)
{
    return joint.kind == JointKind::Revolute ? margin : 5 * kDegree / 0.01 * margin;
}

bool closer(const Arm& arm, const Closest& a, const Closest& b)
{
    return b.joint < 0 || weigh(arm.joints()[size_t(a.joint)], a.value) < weigh(arm.joints()[size_t(b.joint)], b.value);
}

/// Last fraction in [low, high] for which `holds` is true, given that it holds at `low` and not at `high`.
template <class Predicate> double lastHolding(double low, double high, Predicate holds)
{
    for (int i = 0; i < 40; ++i) {
        const double middle = 0.5 * (low + high);
        (holds(middle) ? low : high) = middle;
    }
    return low;
}

/// Follows one branch along a line.
class LineWalk {
public:
    LineWalk(const Arm& arm, const Configuration& branch, const LinePath& path) :
        m_arm(arm), m_path(path), m_branch(branch)
    {
    }

    /// Posture at `fraction`, near `previous`.
    std::optional<JointVector> at(double fraction, const JointVector& previous) const
    {
        return followBranch(m_arm, m_path.flangeAt(fraction), m_branch, previous);
    }

    double singularDistance(double fraction, const JointVector& near, SingularityKind kind) const
    {
        const auto q = at(fraction, near);
        return q ? singularityMargins(m_arm, *q).distance(kind) : 0;
    }

private:
    const Arm& m_arm;
    const LinePath& m_path;
    Configuration m_branch;
};

void stopAt(Move& move, LineStop stop)
{
    if (move.stop && move.stop->fraction <= stop.fraction) return;
    stop.remaining = (1 - stop.fraction) * move.line.length();
    stop.turnLeft = (1 - stop.fraction) * move.line.angle();
    move.stop = stop;
}

/// Finds how close the line comes to a singularity, between its samples too, and stops it where the bound is passed.
void judgeSingularity(const LineWalk& walk, const std::vector<SingularityMargins>& margins, Move& move,
                      SingularityKind kind, const SingularityBounds& bounds, const SingularityBounds& watch)
{
    const int last = int(move.samples.size()) - 1;
    const double step = 1.0 / double(std::max(1, sampleCount(move.line)));
    std::vector<double> distances(size_t(last + 1));
    for (int i = 0; i <= last; ++i)
        distances[size_t(i)] = margins[size_t(i)].distance(kind);

    Closest& closest = move.singularity[size_t(kind)];
    const double interest = 1.5 * std::max(bounds.of(kind), watch.of(kind))
                            + (kind == SingularityKind::Wrist       ? 5 * kDegree
                               : kind == SingularityKind::Direction ? 0.002
                                                                    : 0.02);
    for (int i = 0; i <= last; ++i) {
        const bool valley = (i == 0 || distances[size_t(i)] <= distances[size_t(i - 1)])
                            && (i == last || distances[size_t(i)] <= distances[size_t(i + 1)]);
        if (!valley) continue;
        if (distances[size_t(i)] > interest) {
            if (distances[size_t(i)] < closest.value) closest = {distances[size_t(i)], step * i, -1};
            continue;
        }
        // Golden section between the neighbours of a lowest sample.
        double a = step * std::max(0, i - 1), b = step * std::min(last, i + 1);
        const JointVector& near = move.samples[size_t(i)];
        double bestFraction = step * i, best = distances[size_t(i)];
        constexpr double golden = 0.6180339887498949;
        for (int k = 0; k < 24; ++k) {
            const double c = b - golden * (b - a), d = a + golden * (b - a);
            const double fc = walk.singularDistance(c, near, kind), fd = walk.singularDistance(d, near, kind);
            if (fc < best) best = fc, bestFraction = c;
            if (fd < best) best = fd, bestFraction = d;
            (fc < fd ? b : a) = fc < fd ? d : c;
        }
        if (best < closest.value) closest = {best, bestFraction, -1};
        if (best < bounds.of(kind)) {
            int before = std::min(i, int(bestFraction / step));
            while (before > 0 && distances[size_t(before)] < bounds.of(kind))
                --before;
            LineStop stop;
            stop.why = LineStop::Why::Singularity;
            stop.kind = kind;
            stop.distance = best;
            stop.fraction = distances[size_t(before)] < bounds.of(kind)
                                ? 0
                                : lastHolding(step * before, bestFraction, [&](double f) {
                                      return walk.singularDistance(f, near, kind) >= bounds.of(kind);
                                  });
            stopAt(move, stop);
        }
    }
}

/// Lowers speed and acceleration [1/s, 1/s^2] to what companions can follow.
void holdBack(const std::vector<Companion>& companions, double fractionOfSpeed, double& speed, double& acceleration)
{
    for (const Companion& c : companions) {
        if (std::abs(c.way) < 1e-12) continue;
        speed = std::min(speed, fractionOfSpeed * c.speed / std::abs(c.way));
        acceleration = std::min(acceleration, c.acceleration / std::abs(c.way));
    }
}

/// Lowest path speed [1/s] at which joint speeds stay within limits, at a posture on the line; sets the joint that
/// decides.
double speedCeiling(const Arm& arm, const Move& move, const JointVector& posture, double fraction, int& joint)
{
    // Velocity per unit of fraction, expressed at the flange origin.
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    Eigen::Matrix<double, 6, 1> twist;
    if (move.line.baseFromFrame) {
        // The frame moves as well: by central difference, inside the line.
        constexpr double h = 1e-5;
        const double a = std::clamp(fraction - h, 0.0, 1.0), b = std::clamp(fraction + h, 0.0, 1.0);
        const Pose before = move.line.flangeAt(a), after = move.line.flangeAt(b);
        const AxisAngle turn = axisAngleOf(after.rotation * before.rotation.conjugate());
        twist << (after.translation - before.translation) / (b - a), turn.axis * turn.angle / (b - a);
    } else {
        const AxisAngle turn = axisAngleOf(move.line.end.rotation * move.line.start.rotation.conjugate());
        const Vec3 angular = turn.axis * turn.angle;
        const Vec3 tcp = frames.flange.origin + frames.flange.rotation * move.line.flangeFromTcp.translation;
        twist << (move.line.end.translation - move.line.start.translation) + angular.cross(frames.flange.origin - tcp),
            angular;
    }
    const Jacobian whole = jacobian(frames, arm);
    JointVector rate = JointVector::Zero(arm.jointCount());
    if (arm.freeJoints().size() == 6) {
        Eigen::Matrix<double, 6, 6> j;
        for (int i = 0; i < 6; ++i)
            j.col(i) = whole.col(arm.freeJoints()[size_t(i)]);
        const Eigen::Matrix<double, 6, 1> free = j.partialPivLu().solve(twist);
        for (int i = 0; i < 6; ++i)
            rate[arm.freeJoints()[size_t(i)]] = free[i];
    } else {
        Eigen::MatrixXd j(6, Eigen::Index(arm.freeJoints().size()));
        for (Eigen::Index i = 0; i < j.cols(); ++i)
            j.col(i) = whole.col(arm.freeJoints()[size_t(i)]);
        const Eigen::VectorXd free = j.completeOrthogonalDecomposition().solve(twist);
        for (Eigen::Index i = 0; i < j.cols(); ++i)
            rate[arm.freeJoints()[size_t(i)]] = free[i];
    }
    double lowest = INFINITY;
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double size = std::abs(rate[i]);
        const double ceiling = size > 0 ? arm.joints()[size_t(i)].speed / size : INFINITY;
        if (!(ceiling >= lowest)) {
            lowest = std::isfinite(ceiling) || ceiling > 0 ? ceiling : 0;
            joint = i;
        }
    }
    return lowest;
}

/// Whether the steps around sample `i` take some joint to more than half its speed; only then is the exact ceiling
/// worth its price.
bool nearLimit(const Arm& arm, const Move& move, size_t i, int samples, double speed)
{
    for (const size_t end : {i, i + 1}) {
        if (end == 0 || end >= move.samples.size()) continue;
        for (int j = 0; j < arm.jointCount(); ++j)
            if (std::abs(move.samples[end][j] - move.samples[end - 1][j]) * samples * speed
                > 0.5 * arm.joints()[size_t(j)].speed)
                return true;
    }
    return false;
}

void timeLine(const Arm& arm, Move& move, const MotionLimits& limits)
{
    const double end = move.stop ? move.stop->fraction : 1;
    const double length = move.line.length(), angle = move.line.angle();
    double speed = std::min(length > 1e-12 ? limits.lineSpeed / length : INFINITY,
                            angle > 1e-12 ? limits.turnSpeed / angle : INFINITY);
    double acceleration = std::min(length > 1e-12 ? limits.lineAcceleration / length : INFINITY,
                                   angle > 1e-12 ? limits.turnAcceleration / angle : INFINITY);
    holdBack(move.line.companions, 1, speed, acceleration);
    if (end <= 0 || !std::isfinite(speed)) return;

    const int n = sampleCount(move.line);
    std::vector<SpeedCeiling> pieces;
    double previous = INFINITY;
    for (size_t i = 0; i < move.samples.size(); ++i) {
        int joint = -1;
        const double here = nearLimit(arm, move, i, n, speed)
                                ? std::max(1e-4 * speed, speedCeiling(arm, move, move.samples[i], double(i) / n, joint))
                                : INFINITY;
        if (here < speed && here / speed < move.lowestCeiling) {
            move.lowestCeiling = here / speed;
            move.slowedBy = joint;
        }
        if (i > 0) {
            pieces.push_back({std::min(end, double(i) / n), std::min({speed, previous, here})});
            if (double(i) / n >= end) break;
        }
        previous = here;
    }
    if (pieces.empty() || pieces.back().end < end) pieces.push_back({end, std::min(speed, previous)});
    move.profile = move.slowedBy < 0 ? trapezoid(end, speed, acceleration) : underCeilings(pieces, acceleration);
}

}  // namespace

namespace {

/// Downhill from `previous`.
std::optional<JointVector> followDownhill(const Arm& arm, const Pose& baseFromFlange, const JointVector& previous)
{
    constexpr int steps = 30;
    const Descent inside =
        arm.jointCount() > 6 ? descend(arm, baseFromFlange, previous, true, arm.reach(), steps) : Descent{};
    if (inside.arrived()) return inside.joints;
    const Descent free = descend(arm, baseFromFlange, previous, false, arm.reach(), steps);
    if (free.arrived()) return free.joints;
    return std::nullopt;
}

}  // namespace

std::optional<JointVector> followBranch(const Arm& arm, const Pose& baseFromFlange, const Configuration& configuration,
                                        const JointVector& previous)
{
    if (arm.unlocked()) {
        const std::vector<int>& free = arm.freeJoints();
        JointVector part(Eigen::Index(free.size())), whole = previous;
        for (size_t i = 0; i < free.size(); ++i)
            part[Eigen::Index(i)] = previous[free[i]];
        const auto next = followDownhill(*arm.unlocked(), baseFromFlange, part);
        if (!next) return std::nullopt;
        for (size_t i = 0; i < free.size(); ++i)
            whole[free[i]] = (*next)[Eigen::Index(i)];
        return whole;
    }
    if (!arm.hasConfigurations() || arm.as<SevenAxis>()) return followDownhill(arm, baseFromFlange, previous);
    const Mat3 rotation = baseFromFlange.matrix();
    const auto solve = [&](const Configuration* only) {
        return solveBranches(arm, rotation, baseFromFlange.translation, previous, only);
    };
    BranchSolutions raw = solve(&configuration);
    if (raw.count == 0) raw = solve(nullptr);  // out of reach, or so near a singularity that the signs are rounding
    std::optional<JointVector> best;
    double bestDistance = INFINITY;
    bool bestMatches = false;
    for (int i = 0; i < raw.count; ++i) {
        const auto& item = raw.items[size_t(i)];
        const bool matches = item.configuration == configuration;
        if (bestMatches && !matches) continue;
        JointVector q(arm.jointCount());
        for (int j = 0; j < arm.jointCount(); ++j)
            q[j] = arm.joints()[size_t(j)].kind == JointKind::Revolute
                       ? previous[j] + wrapped(item.q[size_t(j)] - previous[j])
                       : item.q[size_t(j)];
        const double distance = (q - previous).cwiseAbs().maxCoeff();
        if (matches != bestMatches || distance < bestDistance) {
            best = q;
            bestDistance = distance;
            bestMatches = matches;
        }
    }
    return best;
}

Closest rangeMargin(const Arm& arm, const JointVector& posture)
{
    Closest margin;
    double least = INFINITY;
    for (const int i : arm.freeJoints()) {
        const Joint& joint = arm.joints()[size_t(i)];
        const double m = std::min(posture[i] - joint.lower, joint.upper - posture[i]);
        const double weighed = weigh(joint, m);
        if (weighed >= least) continue;
        least = weighed;
        margin = {m, 0, i};
    }
    return margin;
}

JointVector Move::at(const Arm& arm, double fraction) const
{
    if (kind == Kind::Joint) return from + fraction * (to - from);
    if (fraction <= 0 || samples.size() < 2) return from;
    const double place = fraction * sampleCount(line);
    const size_t i = std::min(size_t(place), samples.size() - 2);
    const JointVector guess = samples[i] + std::clamp(place - double(i), 0.0, 1.0) * (samples[i + 1] - samples[i]);
    return followBranch(arm, line.flangeAt(fraction), branch, guess).value_or(guess);
}

Profile profileInStep(const std::vector<Companion>& companions, double fractionOfSpeed)
{
    double speed = INFINITY, acceleration = INFINITY;
    holdBack(companions, fractionOfSpeed, speed, acceleration);
    return std::isfinite(speed) ? trapezoid(1, speed, acceleration) : Profile{};
}

Pose PlaceMotion::at(double fraction) const
{
    Pose out;
    for (const Piece& p : pieces) {
        const double value = p.from + fraction * (p.to - p.from);
        out = out * p.before
              * (p.kind == JointKind::Prismatic ? translated(value * p.direction)
                                                : Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(value, p.direction))});
    }
    return out * after;
}

Move planJointMove(const Arm& arm, const JointVector& from, const JointVector& to, const MotionLimits& limits,
                   const std::vector<Companion>& companions)
{
    Move move;
    move.kind = Move::Kind::Joint;
    move.from = from;
    move.to = to;
    move.jointMargin = rangeMargin(arm, to);
    move.jointMargin.fraction = 1;
    double speed = INFINITY, acceleration = INFINITY;
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double way = std::abs(to[i] - from[i]);
        if (way < 1e-12) continue;
        speed = std::min(speed, limits.jointFraction * arm.joints()[size_t(i)].speed / way);
        acceleration = std::min(acceleration, arm.joints()[size_t(i)].acceleration / way);
    }
    holdBack(companions, limits.jointFraction, speed, acceleration);
    if (std::isfinite(speed)) move.profile = trapezoid(1, speed, acceleration);
    return move;
}

Move planLine(const Arm& arm, const JointVector& from, const LinePath& path, const MotionLimits& limits,
              const SingularityBounds& bounds, const SingularityBounds& watch)
{
    Move move;
    move.kind = Move::Kind::Line;
    move.from = from;
    move.line = path;
    move.samples.push_back(from);
    move.branch = configurationOf(arm, from);
    const LineWalk walk(arm, move.branch, path);
    const int n = sampleCount(path);
    for (int i = 1; i <= n; ++i) {
        const double fraction = double(i) / n, before = double(i - 1) / n;
        const JointVector previous = move.samples.back();
        const auto q = walk.at(fraction, previous);
        if (!q) {
            LineStop stop;
            stop.why = LineStop::Why::OutOfReach;
            stop.fraction = lastHolding(before, fraction, [&](double f) { return walk.at(f, previous).has_value(); });
            const Solutions atEnd = inverseKinematics(arm, path.flangeAt(1));
            const Solutions here = atEnd.shortfall > 0 ? atEnd : inverseKinematics(arm, path.flangeAt(fraction));
            stop.shortfall = here.shortfall;
            stop.reach = here.reason;
            stop.excessTurn = here.excessTurn;
            stopAt(move, stop);
            break;
        }
        if ((*q - previous).cwiseAbs().maxCoeff() > kLargestJump) {
            LineStop stop;
            stop.why = LineStop::Why::Singularity;
            stop.fraction = before;
            double least = INFINITY;
            const SingularityMargins m = singularityMargins(arm, previous);
            for (const SingularityKind kind : kSingularityKinds) {
                if (!hasKind(arm, kind)) continue;
                const double relative =
                    std::abs(m.of(kind))
                    / (kind == SingularityKind::Elbow || kind == SingularityKind::Shoulder ? arm.reach() : 1);
                if (relative < least) {
                    least = relative;
                    stop.kind = kind;
                    stop.distance = m.distance(kind);
                }
            }
            stopAt(move, stop);
        }
        if (const RangeExcess excess = rangeExcess(arm, *q); excess.joint >= 0 && !move.stop) {
            LineStop stop;
            stop.why = LineStop::Why::JointRange;
            stop.fraction = lastHolding(before, fraction, [&](double f) {
                const auto at = walk.at(f, previous);
                return at && withinRange(arm, *at);
            });
            stop.range = excess;
            stopAt(move, stop);
        } else if (move.stop && move.stop->why == LineStop::Why::JointRange) {
            const Joint& joint = arm.joints()[size_t(move.stop->range.joint)];
            const double value = (*q)[move.stop->range.joint];
            move.stop->range.excess = std::max({move.stop->range.excess, joint.lower - value, value - joint.upper});
        }
        if (!move.stop) {
            Closest margin = rangeMargin(arm, *q);
            margin.fraction = fraction;
            if (closer(arm, margin, move.jointMargin)) move.jointMargin = margin;
        }
        move.samples.push_back(*q);
    }
    std::vector<SingularityMargins> margins;
    margins.reserve(move.samples.size());
    for (const JointVector& q : move.samples)
        margins.push_back(singularityMargins(arm, q));
    for (const SingularityKind kind : kSingularityKinds)
        if (hasKind(arm, kind)) judgeSingularity(walk, margins, move, kind, bounds, watch);
    move.to = move.stop ? move.at(arm, move.stop->fraction) : move.samples.back();
    timeLine(arm, move, limits);
    return move;
}

}  // namespace topikos
