#include "core/check/free_ways.h"

#include "core/cell/margin.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

namespace {

constexpr double kPi = std::numbers::pi;
constexpr int kSlides = 20, kDirections = 8;
constexpr size_t kPosesOfSlowArms = 24;
constexpr double kFine = 5 * kDegree;

Pose turned(const Pose& pose, double about, const Vec3& axis = Vec3::UnitZ())
{
    return {pose.translation, (pose.rotation * Quat(Eigen::AngleAxisd(about, axis))).normalized()};
}

std::string signedDegrees(double angle) { return fmt::format("{:+.0f}°", degrees(angle)); }

void addTurns(std::vector<FreeWay>& out, const Pose& pose, double step, double lean, const std::string& words)
{
    const int turns = int(std::ceil(2 * kPi / step - 1e-9));
    for (int i = 0; i < turns; ++i) {
        const double angle = 2 * kPi * (i <= turns / 2 ? i : i - turns) / turns;
        std::string own = words;
        if (i > 0) own += (own.empty() ? "turned by " : ", turned by ") + signedDegrees(angle);
        out.push_back({turned(pose, angle), {}, 0, std::max(lean, std::abs(angle) / kPi), own});
    }
}

}  // namespace

std::vector<FreeWay> posesWithin(const Freedom& f, const Pose& pose, double turnStep)
{
    std::vector<FreeWay> out;
    switch (f.kind) {
    case Freedom::Kind::Fixed: out.push_back({pose, {}, 0, 0, {}}); break;
    case Freedom::Kind::Turn: addTurns(out, pose, turnStep, 0, {}); break;
    case Freedom::Kind::Within: {
        out.push_back({pose, {}, 0, 0, {}});
        const int steps = std::clamp(int(std::ceil(f.angle / kFine)), 1, 36);
        for (int i = 1; f.angle > 0 && i <= steps; ++i)
            for (const double sign : {1.0, -1.0}) {
                const double angle = sign * f.angle * i / steps;
                out.push_back({turned(pose, angle), {}, 0, double(i) / steps, "turned by " + signedDegrees(angle)});
            }
        break;
    }
    case Freedom::Kind::Cone: {
        addTurns(out, pose, turnStep, 0, {});
        const int rings = std::clamp(int(std::ceil(f.angle / (3 * kFine))), 1, 12);
        for (int r = 1; f.angle > 0 && r <= rings; ++r)
            for (int d = 0; d < kDirections; ++d) {
                const double lean = f.angle * r / rings, direction = 2 * kPi * d / kDirections;
                const Vec3 axis(std::cos(direction), std::sin(direction), 0);
                addTurns(out, turned(pose, lean, axis), turnStep, double(r) / rings,
                         fmt::format("leaning by {:.0f}°", degrees(lean)));
            }
        break;
    }
    case Freedom::Kind::Slide:
        out.push_back({pose, {}, 0, 0, {}});
        for (int i = 1; f.length > 0 && i <= kSlides; ++i)
            for (const double sign : {1.0, -1.0}) {
                const double by = sign * f.length * i / kSlides;
                out.push_back({pose * translated(by * Vec3::Unit(f.axis)),
                               {},
                               0,
                               double(i) / kSlides,
                               fmt::format("moved by {:+.1f} mm along {}", by * 1000, "XYZ"[f.axis])});
            }
        break;
    }
    return out;
}

std::vector<FreeWay> freeWays(const Cell& cell, const Target& target, const AxisValues& axes)
{
    std::vector<FreeWay> out;
    if (target.kind != Target::Kind::Pose) return out;
    const Arm& arm = *armOf(cell, target).model;
    Target own = target;
    for (FreeWay& one : posesWithin(target.freedom, target.pose)) {
        own.pose = one.frameFromTcp;
        double best = -1;
        for (const Solution& way : waysTo(cell, own, 0, nullptr, axes).items) {
            const double margin = marginOf(cell, arm, way.joints);
            if (margin > best) best = margin, one.way = way;
        }
        one.margin = best;
        if (best >= 0) out.push_back(std::move(one));
    }
    std::stable_sort(out.begin(), out.end(), [](const FreeWay& a, const FreeWay& b) {
        return std::abs(a.margin - b.margin) > 1e-9 ? a.margin > b.margin : a.departure < b.departure;
    });
    return out;
}

namespace {

/// What a freedom allows, what departs least first.
std::vector<FreeWay> byDeparture(const Target& target)
{
    std::vector<FreeWay> out = posesWithin(target.freedom, target.pose);
    std::stable_sort(out.begin(), out.end(),
                     [](const FreeWay& a, const FreeWay& b) { return a.departure < b.departure - 1e-9; });
    return out;
}

}  // namespace

std::vector<FreeWay> freeWayOfEach(const Cell& cell, const Target& target, const AxisValues& axes)
{
    std::vector<FreeWay> out;
    if (target.kind != Target::Kind::Pose) return out;
    const Arm& arm = *armOf(cell, target).model;
    std::vector<FreeWay> poses = byDeparture(target);
    if (!arm.hasConfigurations() && poses.size() > kPosesOfSlowArms) poses.resize(kPosesOfSlowArms);
    Target own = target;
    for (const FreeWay& one : poses) {
        own.pose = one.frameFromTcp;
        for (const Solution& way : waysTo(cell, own, {}, nullptr, axes).items) {
            const double margin = marginOf(cell, arm, way.joints);
            const auto same = std::find_if(out.begin(), out.end(),
                                           [&](const FreeWay& f) { return f.way.configuration == way.configuration; });
            if (same != out.end() && same->margin >= margin - 1e-9) continue;
            FreeWay& best = same != out.end() ? *same : out.emplace_back();
            best = one;
            best.way = way;
            best.margin = margin;
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const FreeWay& a, const FreeWay& b) { return a.margin > b.margin; });
    return out;
}

FreeAnswer freeAnswer(const Cell& cell, const Target& target, Severity found, const AxisValues& axes, PlanCache& plans)
{
    FreeAnswer out;
    Target own = target;
    own.freedom = {};
    for (const FreeWay& one : byDeparture(target)) {
        if (one.departure == 0) continue;
        if (out.tried == kMostFreePoses) break;
        ++out.tried;
        own.pose = one.frameFromTcp;
        const TargetVerdict verdict = checkTarget(cell, own, axes, &plans);
        if (std::any_of(verdict.findings.begin(), verdict.findings.end(),
                        [found](const Finding& f) { return f.severity >= found; }))
            continue;
        out.words = one.words;
        break;
    }
    return out;
}

}  // namespace topikos
