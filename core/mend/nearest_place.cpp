#include "core/mend/change_maker.h"

#include "core/check/rules/rules.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

/// Whether a pose target is free of what blocks it.
bool works(const Cell& cell, const Target& target, const AxisValues& axes, PlanCache* plans)
{
    const TargetVerdict verdict = checkTarget(cell, target, axes, plans);
    return std::none_of(verdict.findings.begin(), verdict.findings.end(),
                        [](const Finding& f) { return f.severity == Severity::Blocked; });
}

}  // namespace

std::vector<Vec3> waysFrom(const Cell& cell, const Target& target, const AxisValues& axes)
{
    const Pose base = worldFromBase(cell, armOf(cell, target), axes);
    const Pose tcp = worldFromFrame(cell, target.frame, axes) * target.pose;
    std::vector<Vec3> out;
    for (const double height : {0.0, 0.5}) {
        Vec3 to = base.translation + Vec3(0, 0, height * armOf(cell, target).model->reach()) - tcp.translation;
        if (to.norm() > 1e-6) out.insert(out.end(), {to.normalized(), -to.normalized()});
    }
    for (int i = 2; i >= 0; --i)
        out.insert(out.end(), {Vec3(Vec3::Unit(i)), Vec3(-Vec3::Unit(i))});
    out.push_back(tcp.rotation * -Vec3::UnitZ());
    // Each once.
    std::vector<Vec3> each;
    for (const Vec3& way : out)
        if (std::none_of(each.begin(), each.end(), [&](const Vec3& other) { return way.dot(other) > 0.9999; }))
            each.push_back(way);
    return each;
}

Target shifted(const Cell& cell, Target target, const AxisValues& axes, const Vec3& world)
{
    target.pose.translation += worldFromFrame(cell, target.frame, axes).rotation.conjugate() * world;
    return target;
}

std::string wordsOf(const Vec3& way)
{
    static const char* const names[] = {"x", "y", "z"};
    for (int i = 0; i < 3; ++i)
        if (std::abs(way[i]) > 0.999) return fmt::format("along {}{} of the world", way[i] < 0 ? "-" : "", names[i]);
    return fmt::format("along ({:.2f}, {:.2f}, {:.2f}) of the world", way[0], way[1], way[2]);
}

std::string nearestText(const Cell& cell, const NearestPlace& place)
{
    constexpr double told = 5e-5;  // [m]
    const Target* target = findTarget(cell, place.target);
    std::string out;
    for (int i = 0; i < 3; ++i)
        if (std::abs(place.by[i]) >= told)
            out += fmt::format("{}{} {:+.1f} mm", out.empty() ? "" : ", ", "xyz"[i], millimetres(place.by[i]));
    if (!out.empty())
        out += " of " + (target && target->frame ? frameName(cell, target->frame) : std::string("the world"));
    if (degrees(place.turn) >= 0.05) out += (out.empty() ? "turned by " : ", turned by ") + deg(place.turn);
    return out;
}

std::optional<NearestPlace> nearestPlace(const Cell& cell, const Target& target, const AxisValues& axes,
                                         PlanCache* plans)
{
    if (target.kind != Target::Kind::Pose) return std::nullopt;
    const Arm& arm = *armOf(cell, target).model;
    std::optional<NearestPlace> best;
    const auto offer = [&](const Target& own, double shift, double turn) {
        // A turn of a radian counts as much as a way of the length of the hand.
        constexpr double hand = 0.2;  // [m]
        if (best && shift + hand * turn >= best->shift + hand * best->turn) return;
        const Solutions ways = waysTo(cell, own, 0, nullptr, axes);
        const Solution* way = chosenWay(arm, own, ways.items);
        if (!way && !ways.items.empty()) way = &ways.items.front();
        if (way)
            best = NearestPlace{
                target.id, own.pose, shift, turn, way->joints, axes, own.pose.translation - target.pose.translation};
    };
    const auto reached = [&](Target own) {
        const Solutions ways = waysTo(cell, own, 0, nullptr, axes);
        return !ways.items.empty() || works(cell, own, axes, plans);
    };
    // Along each way the first place that is reached, then half and half again.
    for (const Vec3& way : waysFrom(cell, target, axes)) {
        constexpr double first = 0.001, most = 2;  // [m]
        double without = 0, with = first;
        while (with < most && !reached(shifted(cell, target, axes, with * way)))
            without = std::exchange(with, 1.5 * with);
        if (with >= most) continue;
        for (int n = 0; n < 14; ++n) {
            const double between = 0.5 * (without + with);
            (reached(shifted(cell, target, axes, between * way)) ? with : without) = between;
        }
        offer(shifted(cell, target, axes, with * way), with, 0);
    }
    for (int axis = 0; axis < 3; ++axis)
        for (const double sign : {1.0, -1.0})
            for (int d = 1; d <= (axis == 2 ? 180 : 60); d += d < 10 ? 1 : 5) {
                Target own = target;
                own.pose.rotation =
                    (own.pose.rotation * Quat(Eigen::AngleAxisd(sign * d * kDegree, Vec3::Unit(axis)))).normalized();
                if (!reached(own)) continue;
                offer(own, 0, d * kDegree);
                break;
            }
    return best;
}

}  // namespace topikos
