#include "core/collide/by_hand.h"

#include "core/collide/checked_pairs.h"
#include "core/collide/world.h"
#include "core/motion/move.h"

#include <algorithm>

namespace topikos {

namespace {

/// A way of an arm in a world, as a stop by hand.
HandStop stopIn(const World& world, const World::Coordinates& from, const World::Coordinates& to, double gap)
{
    const World::Edge edge = world.edge(from, to, gap);
    HandStop out;
    const World::Coordinates at = edge.free ? to : World::Coordinates(from + edge.until * (to - from));
    out.posture = world.posture(at);
    out.axes = world.axes(at);
    if (edge.free) return out;
    out.fraction = std::min(edge.until, 1 - 1e-9);
    const Vec3 way = edge.met.onOwn - edge.met.onOther;
    if (way.norm() > 1e-12) out.normal = way.normalized();
    out.own = world.side(edge.met.own);
    out.other = world.side(edge.met.other);
    return out;
}

}  // namespace

HandStop moveByHand(const Cell& cell, ArmId arm, const JointVector& from, const JointVector& to,
                    const AxisValues& axesFrom, const AxisValues& axesTo, ContactCache& cache, double gap)
{
    WorldOptions options;
    options.others = true;
    for (const Frame& frame : cell.frames)
        if (frame.axis && axisValue(frame, axesFrom) != axisValue(frame, axesTo)) options.axes.push_back(frame.id);
    if (options.axes.empty() && sameValues(from, to)) {
        HandStop out;
        out.posture = to;
        out.axes = axesTo;
        return out;
    }
    const World world(cell, authoredState(cell, arm, from, axesFrom), arm, cache, options);
    HandStop out = stopIn(world, world.start(), world.at(to, axesTo), gap);
    if (!out.touches()) out.axes = axesTo;
    return out;
}

bool isFree(const Cell& cell, ArmId arm, const JointVector& posture, const AxisValues& axes, ContactCache& cache)
{
    WorldOptions options;
    options.others = true;
    options.parts = false;  // one goes to them to grip them
    const World world(cell, authoredState(cell, arm, posture, axes), arm, cache, options);
    return world.free(world.start());
}

HandStop downToContact(const Cell& cell, ArmId id, const JointVector& from, const Vec3& direction, double most,
                       const AxisValues& axes, ContactCache& cache)
{
    constexpr double piece = 0.01;  // [m]
    const ArmStation& arm = *findArm(cell, id);
    const Pose flangeFromPoint = flangeFromTcp(cell, arm), base = worldFromBase(cell, arm, axes);
    const Vec3 way = base.rotation.conjugate() * direction.normalized();
    HandStop out;
    out.posture = from;
    out.axes = axes;
    const World world(cell, authoredState(cell, id, from, axes), id, cache, {});
    const Configuration configuration = configurationOf(*arm.model, from);
    for (double gone = 0; gone < most;) {
        const double by = std::min(piece, most - gone);
        Pose next = baseFromTcp(cell, arm, out.posture);
        next.translation += by * way;
        const auto posture = followBranch(*arm.model, next * inverse(flangeFromPoint), configuration, out.posture);
        if (!posture || rangeExcess(*arm.model, *posture).joint >= 0) return out;
        HandStop stop = stopIn(world, world.at(out.posture), world.at(*posture), kTouch);
        out.posture = stop.posture;
        stop.axes = axes;
        if (stop.touches()) {
            stop.fraction = std::min((gone + by * stop.fraction) / most, 1 - 1e-9);
            return stop;
        }
        gone += by;
    }
    return out;
}

}  // namespace topikos
