#include "core/reach/send.h"

#include "core/check/margin.h"
#include "core/robot/inverse.h"
#include "core/simulate/boxes.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

namespace {

/// How much a solution lacks, to compare those that fail.
double lackOf(const Solutions& found) { return found.range.joint >= 0 ? found.range.excess : 10 + found.shortfall; }

constexpr double kStrokeSpeed = 0.15;  // down to a part and up with it [m/s]

std::vector<Step> stroke(TargetId target, double over, Action what)
{
    return {jointTo(target, over), lineTo(target, 0, kStrokeSpeed), Step{.action = std::move(what)},
            lineTo(target, over)};
}

}  // namespace

SendWays sendWays(const Cell& cell, const SendQuery& query)
{
    const ArmStation& station = *findArm(cell, query.arm);
    const Arm& arm = *station.model;
    const Pose baseFromWorld = inverse(worldFromBase(cell, station, query.axes));
    const Pose pointFromFlange = inverse(flangeFromTcp(cell, station));
    const Quat facingIt = facing(query.into, query.reference);
    SendWays out;
    double least = INFINITY;
    for (int i = 0; i < std::max(1, query.turns); ++i) {
        const double angle = 2 * std::numbers::pi * i / std::max(1, query.turns);
        const Quat rotation = (facingIt * Quat(Eigen::AngleAxisd(angle, Vec3::UnitZ()))).normalized();
        std::vector<Solutions> found;
        for (const double off : query.offs) {
            const Pose tcp{query.place - off * (rotation * Vec3::UnitZ()), rotation};
            found.push_back(inverseKinematics(arm, baseFromWorld * tcp * pointFromFlange));
            if (found.back().items.empty() && lackOf(found.back()) < least) {
                least = lackOf(found.back());
                out.lacking = found.back();
            }
        }
        // The best configuration in which all of them are reached.
        SendWay best;
        best.margin = -1;
        for (const Solution& first : found.front().items) {
            SendWay way{angle, {query.place - query.offs.front() * (rotation * Vec3::UnitZ()), rotation}, {}, 1};
            for (const Solutions& at : found) {
                const Solution* same = like(arm, at.items, first.joints);
                if (!same) break;
                way.postures.push_back(same->joints);
                way.margin = std::min(way.margin, marginOf(cell, arm, same->joints));
            }
            if (way.postures.size() == found.size() && way.margin > best.margin) best = std::move(way);
        }
        if (best.margin >= 0) out.ways.push_back(std::move(best));
    }
    std::stable_sort(out.ways.begin(), out.ways.end(),
                     [](const SendWay& a, const SendWay& b) { return a.margin > b.margin; });
    return out;
}

double heightOver(const PartKind& kind)
{
    const std::optional<Box> box = boxAround(kind.solids);
    return box ? std::max(0.0, -extentAlong(Pose{}, *box, Vec3::UnitZ()).low) : 0;
}

std::vector<Step> gripStroke(TargetId target, double over) { return stroke(target, over, Grip{}); }
std::vector<Step> releaseStroke(TargetId target, double over) { return stroke(target, over, Release{}); }

}  // namespace topikos
