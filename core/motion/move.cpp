#include "core/motion/move.h"

#include "core/motion/in_step.h"
#include "core/robot/branches.h"
#include "core/robot/numeric.h"
#include "core/spatial/rotation.h"

#include <algorithm>
#include <cmath>

namespace topikos {

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

double timeAt(const Profile& law, double position)
{
    double low = 0, high = law.duration;
    for (int i = 0; i < 100 && high - low > 1e-15 * (1 + high); ++i) {
        const double middle = 0.5 * (low + high);
        (law.at(middle).position < position ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

double jointSpeedLimit(const Joint& joint, const MotionLimits& limits)
{
    const double most = limits.jointFraction * joint.speed;
    return joint.kind == JointKind::Revolute ? std::min(most, limits.jointTurn) : most;
}

bool limitsJerk(const Arm& arm)
{
    return std::any_of(arm.joints().begin(), arm.joints().end(), [](const Joint& joint) { return joint.jerk > 0; });
}

MotionLimits cornerLimits(const MotionLimits& a, const MotionLimits& b)
{
    MotionLimits out;
    out.jointFraction = std::max(a.jointFraction, b.jointFraction);
    out.lineSpeed = std::max(a.lineSpeed, b.lineSpeed);
    out.turnSpeed = std::max(a.turnSpeed, b.turnSpeed);
    out.jointTurn = std::max(a.jointTurn, b.jointTurn);
    out.lineAcceleration = std::min(a.lineAcceleration, b.lineAcceleration);
    out.turnAcceleration = std::min(a.turnAcceleration, b.turnAcceleration);
    out.jointAcceleration = std::min(a.jointAcceleration, b.jointAcceleration);
    return out;
}

Move cornerOfJoints(std::shared_ptr<const CornerCut> cut)
{
    Move move;
    move.limits = cornerLimits(cut->first->limits, cut->second->limits);
    move.smooth = cut->smooth;
    const auto posture = [&](const Move& m, double fraction) -> JointVector {
        const LineSegment* line = m.as<LineSegment>();
        if (!line || line->way.size() < 2) return m.from + fraction * (m.to - m.from);
        return line->way.at(fraction);
    };
    move.from = posture(*cut->first, 1 - cut->before);
    move.to = posture(*cut->second, cut->after);
    move.segment = CornerSegment{std::move(cut)};
    return move;
}

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

// With p(u) = (1 - u)^2 the sum of both is a parabola; with (1 - u)^3 (1 + u) its curvature begins and ends at nothing.
// Both leave with twice the fraction by u, and add up to even motion when the second move goes on like the first one.

double CornerCut::left(double u) const
{
    const double v = 1 - u;
    return before * v * v * (smooth ? v * (1 + u) : 1);
}
double CornerCut::leftRate(double u) const
{
    const double v = 1 - u;
    return before * (smooth ? -v * v * (2 + 4 * u) : -2 * v);
}
double CornerCut::leftBend(double u) const { return before * (smooth ? 12 * u * (1 - u) : 2); }
double CornerCut::done(double u) const { return before > 0 ? left(1 - u) * after / before : 0; }
double CornerCut::doneRate(double u) const { return before > 0 ? -leftRate(1 - u) * after / before : 0; }
double CornerCut::doneBend(double u) const { return before > 0 ? leftBend(1 - u) * after / before : 0; }

double LinePath::length() const
{
    if (const CornerCut* c = cut())
        return c->before * c->first->line().length() + c->after * c->second->line().length();
    if (const PathCircle* own = circle()) return (start.translation - own->centre).norm() * own->angle;
    return (end.translation - start.translation).norm();
}

double LinePath::angle() const
{
    if (const CornerCut* c = cut()) return c->before * c->first->line().angle() + c->after * c->second->line().angle();
    return deviation(start, end).radians;
}

Pose LinePath::inFrame(double fraction) const
{
    if (const CornerCut* c = cut()) {
        const LinePath &a = c->first->line(), &b = c->second->line();
        const Pose first = a.inFrame(1 - c->left(fraction)), second = b.inFrame(c->done(fraction));
        Pose out{first.translation + second.translation - b.start.translation,
                 second.rotation * b.start.rotation.conjugate() * first.rotation};
        out.rotation.normalize();
        return out;
    }
    Pose tcp = interpolate(start, end, fraction);
    if (const PathCircle* own = circle())
        tcp.translation =
            own->centre + Eigen::AngleAxisd(fraction * own->angle, own->axis) * (start.translation - own->centre);
    return tcp;
}

PathFlow LinePath::flowInFrame(double fraction) const
{
    PathFlow flow;
    if (cut()) {
        const CornerCut& c = *cut();
        const PathFlow a = c.first->line().flowInFrame(1 - c.left(fraction));
        const PathFlow b = c.second->line().flowInFrame(c.done(fraction));
        const double ra = -c.leftRate(fraction), ba = -c.leftBend(fraction);
        const double rb = c.doneRate(fraction), bb = c.doneBend(fraction);
        flow.rate = ra * a.rate + rb * b.rate;
        flow.bend = ra * ra * a.bend + ba * a.rate + rb * rb * b.bend + bb * b.rate;
        // The turn of the first comes before that of the second.
        const Quat turned =
            c.second->line().inFrame(c.done(fraction)).rotation * c.second->line().start.rotation.conjugate();
        const Vec3 first = turned * Vec3(ra * a.turn), second = rb * b.turn;
        flow.turn = first + second;
        flow.twist =
            turned * Vec3(ra * ra * a.twist + ba * a.turn) + second.cross(first) + rb * rb * b.twist + bb * b.turn;
        return flow;
    }
    const AxisAngle turn = axisAngleOf(end.rotation * start.rotation.conjugate());
    flow.turn = turn.axis * turn.angle;
    flow.rate = end.translation - start.translation;
    if (const PathCircle* own = circle()) {
        const Vec3 spin = own->axis * own->angle;
        flow.rate = spin.cross(inFrame(fraction).translation - own->centre);
        flow.bend = spin.cross(flow.rate);
    }
    return flow;
}

namespace {

/// How much of its pass is done.
double inPass(const TableSegment& table, double fraction)
{
    const double done = std::clamp(fraction, 0.0, 1.0) * table.passes;
    return done - std::min(std::floor(done), double(table.passes - 1));
}

/// One function per kind of segment and question.
struct PostureAt {
    const Arm& arm;
    const Move& move;
    double fraction;

    JointVector operator()(const JointSegment&) const { return move.from + fraction * (move.to - move.from); }
    JointVector operator()(const LineSegment& line) const
    {
        if (fraction <= 0 || line.way.size() < 2) return move.from;
        const JointVector guess = line.way.at(fraction);
        if (line.wayIsExact) return guess;
        return followBranch(arm, line.path.flangeAt(fraction), line.branch, guess).value_or(guess);
    }
    JointVector operator()(const CornerSegment& corner) const
    {
        const CornerCut& c = *corner.cut;
        return c.first->at(arm, 1 - c.left(fraction)) + c.second->at(arm, c.done(fraction)) - c.second->from;
    }
    JointVector operator()(const TableSegment& table) const { return table.way.at(inPass(table, fraction)); }
};
struct RateAt {
    const Move& move;
    double fraction;

    JointVector operator()(const JointSegment&) const { return move.to - move.from; }
    JointVector operator()(const LineSegment& line) const
    {
        return line.way.size() < 2 ? JointVector(JointVector::Zero(move.from.size())) : line.way.rate(fraction);
    }
    JointVector operator()(const CornerSegment& corner) const
    {
        const CornerCut& c = *corner.cut;
        return -c.leftRate(fraction) * c.first->rate(1 - c.left(fraction))
               + c.doneRate(fraction) * c.second->rate(c.done(fraction));
    }
    JointVector operator()(const TableSegment& table) const
    {
        return table.passes * table.way.rate(inPass(table, fraction));
    }
};
struct BendAt {
    const Move& move;
    double fraction;

    JointVector operator()(const JointSegment&) const { return JointVector::Zero(move.from.size()); }
    JointVector operator()(const LineSegment& line) const
    {
        return line.way.size() < 2 ? JointVector(JointVector::Zero(move.from.size())) : line.way.bend(fraction);
    }
    JointVector operator()(const CornerSegment& corner) const
    {
        const CornerCut& c = *corner.cut;
        const double a = c.leftRate(fraction), b = c.doneRate(fraction);
        const double left = 1 - c.left(fraction), done = c.done(fraction);
        return a * a * c.first->bend(left) - c.leftBend(fraction) * c.first->rate(left) + b * b * c.second->bend(done)
               + c.doneBend(fraction) * c.second->rate(done);
    }
    JointVector operator()(const TableSegment& table) const
    {
        return double(table.passes) * table.passes * table.way.bend(inPass(table, fraction));
    }
};
struct FlowAt {
    const Move& move;
    double fraction;

    JointWay::Flow operator()(const LineSegment& line) const
    {
        if (line.way.size() >= 2) return line.way.flow(fraction);
        const JointVector none = JointVector::Zero(move.from.size());
        return {none, none};
    }
    JointWay::Flow operator()(const CornerSegment& corner) const
    {
        const CornerCut& c = *corner.cut;
        const double a = c.leftRate(fraction), b = c.doneRate(fraction);
        const JointWay::Flow first = c.first->flow(1 - c.left(fraction)), second = c.second->flow(c.done(fraction));
        return {-a * first.rate + b * second.rate, a * a * first.bend - c.leftBend(fraction) * first.rate
                                                       + b * b * second.bend + c.doneBend(fraction) * second.rate};
    }
    template <class Other> JointWay::Flow operator()(const Other& other) const
    {
        return {RateAt{move, fraction}(other), BendAt{move, fraction}(other)};
    }
};
struct HighestRate {
    const Move& move;

    JointVector operator()(const JointSegment&) const { return (move.to - move.from).cwiseAbs(); }
    JointVector operator()(const LineSegment& line) const
    {
        JointVector most = JointVector::Zero(move.from.size());
        for (size_t k = 0; k < line.way.size(); ++k)
            most = most.cwiseMax(line.way.knot(k).rate.cwiseAbs());
        return most;
    }
    JointVector operator()(const CornerSegment& corner) const
    {
        const CornerCut& c = *corner.cut;
        return 2 * c.before * c.first->highestRate() + 2 * c.after * c.second->highestRate();
    }
    JointVector operator()(const TableSegment& table) const { return table.highestRate; }
};

}  // namespace

JointVector Move::at(const Arm& arm, double fraction) const
{
    return std::visit(PostureAt{arm, *this, fraction}, segment);
}
JointVector Move::rate(double fraction) const { return std::visit(RateAt{*this, fraction}, segment); }
JointVector Move::bend(double fraction) const { return std::visit(BendAt{*this, fraction}, segment); }
JointWay::Flow Move::flow(double fraction) const { return std::visit(FlowAt{*this, fraction}, segment); }
JointVector Move::highestRate() const { return std::visit(HighestRate{*this}, segment); }

const CornerCut* Move::cut() const
{
    if (const CornerSegment* corner = as<CornerSegment>()) return corner->cut.get();
    return isLine() ? line().cut() : nullptr;
}

const JointWay* Move::way() const
{
    if (const LineSegment* own = as<LineSegment>()) return &own->way;
    if (const TableSegment* own = as<TableSegment>()) return &own->way;
    return nullptr;
}

const Slowed& Move::slowed() const
{
    static const Slowed nowhere;
    const LineSegment* own = as<LineSegment>();
    return own ? own->slowed : nowhere;
}

const std::vector<Companion>& Move::alongside() const
{
    static const std::vector<Companion> none;
    if (const JointSegment* own = as<JointSegment>()) return own->companions;
    return isLine() ? line().companions : none;
}

Profile profileInStep(const std::vector<Companion>& companions, double fractionOfSpeed)
{
    double speed = INFINITY, acceleration = INFINITY;
    for (const Companion& c : companions) {
        const double way = std::abs(c.way);
        if (way < kNoWay) continue;
        speed = std::min(speed, fractionOfSpeed * c.speed / way);
        acceleration = std::min(acceleration, c.acceleration / way);
    }
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
    move.from = from;
    move.to = to;
    move.jointMargin = rangeMargin(arm, to);
    move.jointMargin.fraction = 1;
    move.limits = limits;
    move.smooth = limitsJerk(arm);
    move.segment = JointSegment{companions};
    double speed = INFINITY, acceleration = INFINITY, jerk = INFINITY;
    HeldBy speedBy{}, accelerationBy{}, jerkBy{};
    const auto lower = [](double& value, double limit, HeldBy& by, HeldBy::Kind kind, size_t index) {
        if (!(limit < value)) return;
        value = limit;
        by = {kind, std::int8_t(index)};
    };
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double way = std::abs(to[i] - from[i]);
        if (way < kNoWay) continue;
        const Joint& joint = arm.joints()[size_t(i)];
        lower(speed, jointSpeedLimit(joint, limits) / way, speedBy, HeldBy::Kind::JointSpeed, size_t(i));
        lower(acceleration, limits.jointAcceleration * joint.acceleration / way, accelerationBy,
              HeldBy::Kind::JointAcceleration, size_t(i));
        if (joint.jerk > 0) lower(jerk, joint.jerk / way, jerkBy, HeldBy::Kind::JointJerk, size_t(i));
    }
    for (size_t k = 0; k < companions.size(); ++k) {
        const Companion& c = companions[k];
        const double way = std::abs(c.way);
        if (way < kNoWay) continue;
        lower(speed, limits.jointFraction * c.speed / way, speedBy, HeldBy::Kind::AxisSpeed, k);
        lower(acceleration, c.acceleration / way, accelerationBy, HeldBy::Kind::AxisAcceleration, k);
    }
    if (!std::isfinite(speed)) return move;
    move.profile = sCurve(1, speed, acceleration, jerk);
    for (Profile::Stretch& s : move.profile.stretches)
        s.by = s.jerk != 0 ? jerkBy : s.acceleration != 0 ? accelerationBy : speedBy;
    return move;
}

}  // namespace topikos
