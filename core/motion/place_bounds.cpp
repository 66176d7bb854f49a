#include "core/motion/time_law.h"

#include "core/motion/in_step.h"

#include <algorithm>
#include <cmath>

// What limits a move at a place of it.

namespace topikos {

namespace {

constexpr int kFacets = 6;  // of a quarter of the circle of allowed accelerations

}  // namespace

void PlaceBounds::speed(double rate, double limit, HeldBy by)
{
    rate = std::abs(rate);
    if (!(limit < INFINITY) || rate * rate * cap <= limit * limit || !(rate > kNoWay)) return;
    cap = limit * limit / (rate * rate);
    capBy = by;
}

void PlaceBounds::acceleration(double rate, double bend, double limit, HeldBy by)
{
    if (!(limit < INFINITY) || (std::abs(rate) < kNoWay && std::abs(bend) < kNoWay)) return;
    rows.push_back({rate, bend, limit, by});
}

void PlaceBounds::acceleration(const Vec3& rate, const Vec3& bend, double limit, HeldBy by)
{
    const double along = rate.norm();
    if (!(along > kNoWay)) return acceleration(0, bend.norm(), limit, by);
    const Vec3 direction = rate / along;
    const double same = direction.dot(bend), across = (bend - same * direction).norm();
    if (across < kNoWay || across * cap < 1e-9 * limit) return acceleration(along, same, limit, by);
    // A polygon with its corners on the circle, two of them where all is along, or all across.
    const double step = 0.5 * std::numbers::pi / kFacets, inner = limit * std::cos(0.5 * step);
    for (int i = 0; i < kFacets; ++i) {
        const double angle = (i + 0.5) * step, c = std::cos(angle), s = std::sin(angle);
        acceleration(s * along, s * same + c * across, inner, by);
        acceleration(-s * along, -s * same + c * across, inner, by);
    }
}

PlaceBounds boundsAt(const Arm& arm, const Move& move, double fraction, bool joints)
{
    PlaceBounds out;
    boundsAt(arm, move, fraction, joints, out);
    return out;
}

void boundsAt(const Arm& arm, const Move& move, double fraction, bool joints, PlaceBounds& out)
{
    using Kind = HeldBy::Kind;
    out.cap = INFINITY;
    out.capBy = {};
    out.rows.clear();
    out.rows.reserve(size_t(arm.jointCount()) + 8 * kFacets);
    const MotionLimits& limits = move.limits;
    const auto by = [](Kind kind, size_t index = 0) { return HeldBy{kind, std::int8_t(index)}; };
    const auto tool = [&](const PathFlow& flow, const MotionLimits& l) {
        out.speed(flow.rate.norm(), l.lineSpeed, {Kind::ToolSpeed, -1});
        out.speed(flow.turn.norm(), l.turnSpeed, {Kind::TurnSpeed, -1});
        out.acceleration(flow.rate, flow.bend, l.lineAcceleration, {Kind::ToolAcceleration, -1});
        out.acceleration(flow.turn, flow.twist, l.turnAcceleration, {Kind::TurnAcceleration, -1});
    };
    size_t axes = 0;  // each has a number of its own
    const auto axis = [&](const Companion& c, double factor, double rate, double bend) {
        out.speed(rate, factor * c.speed, by(Kind::AxisSpeed, axes));
        out.acceleration(rate, bend, c.acceleration, by(Kind::AxisAcceleration, axes++));
    };
    const auto along = [&](const std::vector<Companion>& companions, double factor, double rate, double bend) {
        for (const Companion& c : companions)
            axis(c, factor, rate * c.way, bend * c.way);
    };
    if (const CornerSegment* corner = move.as<CornerSegment>()) {
        const CornerCut& cut = *corner->cut;
        const Move &first = *cut.first, &second = *cut.second;
        const double a = -cut.leftRate(fraction), b = cut.doneRate(fraction);
        const double aBend = -cut.leftBend(fraction), bBend = cut.doneBend(fraction);
        // The tool where one of the two is a path: its own part keeps its own limits.
        const auto part = [&](const Move& m, double at, double rate, double bend) {
            if (!m.isLine()) return;
            PathFlow flow = m.line().flowInFrame(at);
            flow.bend = rate * rate * flow.bend + bend * flow.rate;
            flow.twist = rate * rate * flow.twist + bend * flow.turn;
            flow.rate *= rate;
            flow.turn *= rate;
            tool(flow, m.limits);
        };
        part(first, 1 - cut.left(fraction), a, aBend);
        part(second, cut.done(fraction), b, bBend);
        // Axes of both count together.
        std::vector<Companion> both = second.alongside();
        for (const Companion& c : first.alongside()) {
            const auto same =
                std::find_if(both.begin(), both.end(), [&](const Companion& other) { return other.axis == c.axis; });
            const double way = same == both.end() ? 0 : same->way;
            axis(c, limits.jointFraction, a * c.way + b * way, aBend * c.way + bBend * way);
            if (same != both.end()) both.erase(same);
        }
        along(both, limits.jointFraction, b, bBend);
    } else if (move.isLine()) {
        tool(move.line().flowInFrame(fraction), limits);
        along(move.alongside(), 1, 1, 0);
    } else {
        along(move.alongside(), limits.jointFraction, 1, 0);
    }
    if (!joints) return;
    const auto [rate, bend] = move.flow(fraction);
    for (int i = 0; i < arm.jointCount(); ++i) {
        const Joint& joint = arm.joints()[size_t(i)];
        out.speed(rate[i], jointSpeedLimit(joint, limits), by(Kind::JointSpeed, size_t(i)));
        out.acceleration(rate[i], bend[i], limits.jointAcceleration * joint.acceleration,
                         by(Kind::JointAcceleration, size_t(i)));
    }
}

double largestRatio(const Arm& arm, const Move& move, const Profile& law, int looks)
{
    double worst = 0;
    PlaceBounds b;
    for (const Profile::Stretch& s : law.stretches)
        for (int i = 0; i <= looks; ++i) {
            // Just inside, since the acceleration jumps at the ends.
            const double t = s.duration * std::clamp(double(i) / looks, 1e-9, 1 - 1e-9);
            const double x = s.speedAt(t) * s.speedAt(t), a = s.acceleration + t * s.jerk;
            boundsAt(arm, move, s.positionAt(t), true, b);
            worst = std::max(worst, std::sqrt(x / b.cap));
            for (const PlaceBounds::Row& row : b.rows)
                worst = std::max(worst, std::abs(row.rate * a + row.bend * x) / row.limit);
        }
    return worst;
}

}  // namespace topikos
