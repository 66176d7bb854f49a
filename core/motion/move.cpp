#include "core/motion/move.h"

#include "core/motion/in_step.h"
#include "core/robot/branches.h"
#include "core/robot/numeric.h"
#include "core/spatial/rotation.h"

#include <algorithm>
#include <cmath>

namespace topikos {

void holdBack(const std::vector<Companion>& companions, double fractionOfSpeed, double& speed, double& acceleration)
{
    for (const Companion& c : companions) {
        if (std::abs(c.way) < 1e-12) continue;
        speed = std::min(speed, fractionOfSpeed * c.speed / std::abs(c.way));
        acceleration = std::min(acceleration, c.acceleration / std::abs(c.way));
    }
}

double weighedMargin(const Joint& joint, double margin)
{
    return joint.kind == JointKind::Revolute ? margin : 5 * kDegree / 0.01 * margin;
}

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
        const double weighed = weighedMargin(joint, m);
        if (weighed >= least) continue;
        least = weighed;
        margin = {m, 0, i};
    }
    return margin;
}

JointVector Move::at(const Arm& arm, double fraction) const
{
    if (kind == Kind::Joint) return from + fraction * (to - from);
    if (fraction <= 0 || way.size() < 2) return from;
    const JointVector guess = way.at(fraction);
    return wayIsExact ? guess : followBranch(arm, line.flangeAt(fraction), branch, guess).value_or(guess);
}

JointVector Move::rate(double fraction) const
{
    if (kind == Kind::Joint) return to - from;
    return way.size() < 2 ? JointVector(JointVector::Zero(from.size())) : way.rate(fraction);
}

JointVector Move::bend(double fraction) const
{
    if (kind == Kind::Joint || way.size() < 2) return JointVector::Zero(from.size());
    return way.bend(fraction);
}

JointVector Move::accelerationAt(double time) const
{
    const Profile::Sample s = profile.at(time);
    return rate(s.position) * s.acceleration + bend(s.position) * (s.speed * s.speed);
}

JointVector Move::speedAt(double time) const
{
    const Profile::Sample s = profile.at(time);
    return rate(s.position) * s.speed;
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

std::optional<PathCircle> circleThrough(const Vec3& start, const Vec3& via, const Vec3& end, bool whole)
{
    // The centre of the circle about a triangle (Coxeter, "Introduction to Geometry", 1.4), seen from the start.
    const Vec3 a = via - start, b = end - start, normal = a.cross(b);
    const double size = std::max({a.norm(), b.norm(), (b - a).norm()});
    if (!(normal.norm() > kOnALine * size * size)) return std::nullopt;
    const Vec3 toCentre =
        (normal.cross(a) * b.squaredNorm() + b.cross(normal) * a.squaredNorm()) / (2 * normal.squaredNorm());
    PathCircle out{start + toCentre, normal.normalized(), 2 * std::numbers::pi};
    if (whole) return out;
    const Vec3 from = -toCentre, to = b - toCentre;
    // The normal is such that the second point comes before the third.
    out.angle = std::atan2(out.axis.dot(from.cross(to)), from.dot(to));
    if (out.angle <= 0) out.angle += 2 * std::numbers::pi;
    return out;
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
        const Joint& joint = arm.joints()[size_t(i)];
        double most = limits.jointFraction * joint.speed;
        if (joint.kind == JointKind::Revolute) most = std::min(most, limits.jointTurn);
        speed = std::min(speed, most / way);
        acceleration = std::min(acceleration, limits.jointAcceleration * joint.acceleration / way);
    }
    holdBack(companions, limits.jointFraction, speed, acceleration);
    if (std::isfinite(speed)) move.profile = trapezoid(1, speed, acceleration);
    return move;
}

}  // namespace topikos
