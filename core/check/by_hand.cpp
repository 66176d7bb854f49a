#include "core/check/by_hand.h"

#include "core/check/contact_sweep.h"
#include "core/check/standing.h"
#include "core/motion/in_step.h"
#include "core/motion/move_chain.h"
#include "core/simulate/moves.h"

#include <algorithm>

namespace topikos {

namespace {

/// A run that is the move alone: joints and device axes in step.
Trace traceOf(const Cell& cell, ArmId id, const JointVector& from, const JointVector& to, const AxisValues& axesFrom,
              const AxisValues& axesTo)
{
    std::vector<AxisTravel> travels;
    for (const Frame& frame : cell.frames)
        if (frame.axis && axisValue(frame, axesFrom) != axisValue(frame, axesTo))
            travels.push_back({frame.id, axisValue(frame, axesFrom), axisValue(frame, axesTo)});
    const std::vector<Companion> companions = companionsOf(cell, travels);
    Trace trace;
    TimingPtr timing = companions.empty() ? nullptr : fractionTiming(profileInStep(companions, 1));
    for (const ArmStation& arm : cell.arms) {
        ArmTrace& own = trace.arms.emplace_back();
        own.arm = arm.id;
        own.routine = arm.main;
        own.start = arm.id == id ? from : homePosture(cell, arm);
        own.startOpening = toolInForce(cell, arm).gripper.open;
        if (arm.id != id || sameValues(from, to)) continue;
        StepOutcome outcome;
        outcome.move = std::make_shared<const Move>(planJointMove(*arm.model, from, to, {}, companions));
        outcome.timing = timing = aloneTiming(outcome.move);
        outcome.arrival = to;
        outcome.duration = timing->duration;
        own.spans.push_back({0, 0, outcome.duration, own.startOpening, own.startOpening});
        own.outcomes.push_back(std::move(outcome));
    }
    trace.duration = timing ? timing->duration : 0;
    for (const AxisTravel& travel : travels)
        trace.axes.push_back({travel.frame, {{0, travel.from, travel.to, timing, 0, trace.duration}}});
    std::sort(trace.axes.begin(), trace.axes.end(),
              [](const AxisTrack& a, const AxisTrack& b) { return a.frame < b.frame; });
    for (ArmTrace& arm : trace.arms)
        arm.duration = trace.duration;
    return trace;
}

}  // namespace

HandStop moveByHand(const Cell& authored, ArmId arm, const JointVector& from, const JointVector& to,
                    const AxisValues& axesFrom, const AxisValues& axesTo, ContactCache& cache, double gap)
{
    HandStop out;
    out.posture = to;
    out.axes = axesTo;
    const Cell cell = withAxes(authored, axesFrom);
    const Trace trace = traceOf(cell, arm, from, to, axesFrom, axesTo);
    if (trace.duration <= 0) return out;
    const ContactScene scene(cell, trace, &cache);
    SweepOptions options;
    options.cache = &cache;
    const Encounter* first = nullptr;
    const std::vector<Encounter> all = encounters(scene, 0, options);
    const auto between = [&](const Encounter& e, double time) {
        return scene.bodies()[e.a].shape->nearest(*scene.place(e.a, time), *scene.bodies()[e.b].shape,
                                                  *scene.place(e.b, time));
    };
    const auto depth = [&](const Encounter& e, double time) {
        return scene.bodies()[e.a].shape->depth(*scene.place(e.a, time), *scene.bodies()[e.b].shape,
                                                *scene.place(e.b, time));
    };
    for (const Encounter& e : all) {
        if (!e.contact) continue;
        // What touches from the beginning may be left, and must not get deeper.
        if (between(e, 0).distance <= kTouch && depth(e, trace.duration) <= depth(e, 0) + 1e-6) continue;
        if (!first || e.time < first->time) first = &e;
    }
    if (!first) return out;
    // The last time before it at which they are apart.
    double free = std::max(0.0, first->time), touch = first->time;
    for (double back = 1e-4; free > 0; back *= 2) {
        free = std::max(0.0, first->time - back);
        if (between(*first, free).distance > gap) break;
        touch = free;
    }
    for (int n = 0; n < 40 && touch - free > 1e-7; ++n) {
        const double middle = 0.5 * (free + touch);
        (between(*first, middle).distance > gap ? free : touch) = middle;
    }
    const ArmTrace* own = findArmTrace(trace, arm);
    out.posture = own->spans.empty() ? from : postureAt(cell, *own, free);
    out.axes = overlaid(axesFrom, axesAt(trace, free));
    out.fraction = std::min(free / trace.duration, 1 - 1e-9);
    const bool isA = scene.moverOf(first->a, free) == arm;
    const Nearest left = between(*first, free);
    const Vec3 way = isA ? Vec3(left.onA - left.onB) : Vec3(left.onB - left.onA);
    if (way.norm() > 1e-12) out.normal = way.normalized();
    out.own = sideOf(scene, isA ? first->a : first->b);
    out.other = sideOf(scene, isA ? first->b : first->a);
    return out;
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
    const Configuration configuration = configurationOf(*arm.model, from);
    for (double gone = 0; gone < most;) {
        const double by = std::min(piece, most - gone);
        Pose next = baseFromTcp(cell, arm, out.posture);
        next.translation += by * way;
        const auto posture = followBranch(*arm.model, next * inverse(flangeFromPoint), configuration, out.posture);
        if (!posture || rangeExcess(*arm.model, *posture).joint >= 0) return out;
        HandStop stop = moveByHand(cell, id, out.posture, *posture, axes, axes, cache, kTouch);
        out.posture = stop.posture;
        if (stop.touches()) {
            stop.fraction = std::min((gone + by * stop.fraction) / most, 1 - 1e-9);
            return stop;
        }
        gone += by;
    }
    return out;
}

}  // namespace topikos
