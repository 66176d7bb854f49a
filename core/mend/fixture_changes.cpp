#include "core/mend/change_maker.h"

#include "core/cell/edit_layout.h"
#include "core/check/rules/rules.h"
#include "core/simulate/boxes.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kOnFloor = 0.005;  // bodies that reach this low stand on the floor [m]

/// The lowest point of what stands on a frame, in the world; nothing when there is no body.
std::optional<double> lowestOf(const Cell& in, FrameId id)
{
    std::optional<double> out;
    for (const Frame& frame : in.frames) {
        if (frame.solids.empty() || (frame.id != id && !isBelow(in, frame.id, id))) continue;
        if (const auto box = boxAround(frame.solids)) {
            const Pose at = worldFromFrame(in, frame.id) * box->pose;
            const double low = at.translation.z() + extentAlong(at, *box, Vec3::UnitZ()).low;
            out = std::min(out.value_or(low), low);
        }
    }
    return out;
}

/// A frame whose bodies reach the floor, which is at the height 0 of the world, moves in its plane.
bool standsOnFloor(const Cell& in, FrameId id)
{
    const std::optional<double> low = lowestOf(in, id);
    return low && *low < kOnFloor;
}

/// Refuses what would be sunk into the floor.
Result<Cell> aboveFloor(const Cell& before, Result<Cell> after, FrameId id)
{
    if (!after) return after;
    const std::optional<double> was = lowestOf(before, id), is = lowestOf(*after, id);
    if (is && *is < -1e-6 && (!was || *is < *was - 1e-6))
        return Error{"mend.floor", "it would stand in the floor", "", ""};
    return after;
}

/// Where a frame was measured it stays measured; the drawing moves along.
Result<Cell> moved(const Cell& in, const Frame& frame, const std::function<void(Pose&)>& by)
{
    Pose pose = frame.pose;
    by(pose);
    Result<Cell> next = setFramePose(in, frame.id, pose);
    if (!next || !frame.measured) return next;
    Pose measured = *frame.measured;
    by(measured);
    return setFrameMeasured(*next, frame.id, measured);
}

}  // namespace

FrameId ChangeMaker::foundation(FrameId mount) const
{
    const Frame* frame = findFrame(cell, mount);
    while (frame && frame->parent)
        frame = findFrame(cell, frame->parent);
    return frame ? frame->id : FrameId();
}

void ChangeMaker::shiftedFrame(FrameId id, const std::vector<Vec3>& ways, double rank, const char* change)
{
    const Frame* frame = findFrame(cell, id);
    if (!frame || frame->axis) return;
    const Frame own = *frame;
    const Quat turn = worldFromFrame(cell, own.parent, axes).rotation;
    const bool onFloor = standsOnFloor(cell, id);
    std::vector<double> lengths = kLengths;
    lengths.insert(lengths.end(), {1.2, 1.8, 2.7, 4});
    double n = 0;
    std::vector<Vec3> done;
    for (Vec3 way : ways) {
        if (onFloor) {
            way.z() = 0;
            if (way.norm() < 0.1) continue;
            way.normalize();
        }
        if (std::any_of(done.begin(), done.end(), [&](const Vec3& other) { return way.dot(other) > 0.9999; })) continue;
        done.push_back(way);
        const Vec3 inParent = turn.conjugate() * way;
        add({change, rank + 0.001 * n++, 10, lengths, kMillimetre,
             [this, own, inParent](double by) -> Result<Cell> {
                 return aboveFloor(cell, moved(cell, own, [&](Pose& pose) { pose.translation += by * inParent; }),
                                   own.id);
             },
             [own, way](double by) { return fmt::format("Move {} by {} {}", own.name, mm(by), wordsOf(way)); }});
    }
    if (!onFloor) return;
    for (const double sign : {1.0, -1.0})
        add({std::string(change) == "base-shift" ? "base-turn" : "fixture-turn",
             rank + 0.3 + (sign < 0 ? 0.01 : 0),
             1,
             {5 * kDegree, 10 * kDegree, 20 * kDegree, 45 * kDegree, 90 * kDegree},
             kDegree,
             [this, own, turn, sign](double angle) -> Result<Cell> {
                 const Vec3 axis = turn.conjugate() * Vec3::UnitZ();
                 const Quat by(Eigen::AngleAxisd(sign * angle, axis));
                 return moved(cell, own, [&](Pose& pose) { pose.rotation = (by * pose.rotation).normalized(); });
             },
             [own, sign](double angle) {
                 return fmt::format("Turn {} by {:.0f}° about the vertical", own.name, degrees(sign * angle));
             }});
}

}  // namespace topikos
