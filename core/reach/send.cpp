#include "core/reach/send.h"

#include "core/check/free_ways.h"
#include "core/cell/margin.h"
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

Step to(const Place& place, Stage stage, bool line)
{
    const AtPlace at{place, 0, stage};
    const bool slow = stage == Stage::Over || stage == Stage::NearRetract;
    return line ? Step{.action = LineMove{at, slow ? kStrokeSpeed : LineMove{}.speed}} : Step{.action = JointMove{at}};
}

std::vector<Step> stroke(const Place& place, const Approach& approach, const Approach& retract, Action what)
{
    std::vector<Step> out{to(place, Stage::Approach, false)};
    if (approach.near > 0) out.push_back(to(place, Stage::NearApproach, true));
    out.push_back(to(place, Stage::Over, true));
    out.push_back(Step{.action = std::move(what)});
    if (retract.near > 0) out.push_back(to(place, Stage::NearRetract, true));
    out.push_back(to(place, Stage::Retract, true));
    return out;
}

/// Places of the tool in a part that come into question.
std::vector<GripOfAll> gripsOf(const PartKind& kind)
{
    std::vector<GripOfAll> out;
    for (const GripPoint& grip : kind.grips)
        for (const FreeWay& free : posesWithin(grip.freedom, grip.pose))
            out.push_back({grip.name, free.frameFromTcp, grip.freedom});
    constexpr int turns = 4;
    for (int i = 0; kind.grips.empty() && i < turns; ++i) {
        const Quat turn(Eigen::AngleAxisd(2 * std::numbers::pi * i / turns, Vec3::UnitZ()));
        out.push_back({"", {Vec3::Zero(), (facing(-Vec3::UnitZ()) * turn).normalized()}});
    }
    return out;
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

GripOfAll gripOfAll(const Cell& cell, ArmId arm, const std::vector<PartId>& parts, const std::vector<double>& offs,
                    const AxisValues& axes)
{
    std::optional<GripOfAll> best;
    for (GripOfAll& one : gripsOf(*findPartKind(cell, findPart(cell, parts.front())->kind))) {
        one.margin = 1;
        for (const PartId id : parts) {
            const Pose tcp = worldFromPart(cell, *findPart(cell, id), axes) * one.partFromTcp;
            SendQuery query{arm, tcp.translation, tcp.rotation * Vec3::UnitZ(), tcp.rotation, 1, offs, axes};
            const SendWays found = sendWays(cell, query);
            if (found.ways.empty() && one.lacking++ == 0) one.why = found.lacking;
            one.postures.push_back(found.ways.empty() ? JointVector() : found.ways.front().postures.front());
            if (!found.ways.empty()) one.margin = std::min(one.margin, found.ways.front().margin);
            if (best && one.lacking > best->lacking) break;
        }
        if (!best || one.lacking < best->lacking || (one.lacking == best->lacking && one.margin > best->margin))
            best = std::move(one);
    }
    return std::move(*best);
}

std::vector<Step> gripStroke(const Target& target)
{
    return stroke(target.id, target.approach, target.retract, Grip{});
}
std::vector<Step> releaseStroke(const Target& target)
{
    return stroke(target.id, target.approach, target.retract, Release{});
}
Step gripEach(const Pattern& targets)
{
    Step block{.action = ForEach{targets.id}};
    block.body = Steps(stroke(targets.id, targets.approach, targets.retract, Grip{}));
    return block;
}

}  // namespace topikos
