#include "core/check/standing.h"

#include "core/cell/step_tree.h"

#include <algorithm>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

}  // namespace

Trace standingRun(const Cell& cell, const std::vector<std::pair<ArmId, JointVector>>& postures)
{
    Trace trace;
    trace.duration = 1;
    for (const ArmStation& arm : cell.arms) {
        ArmTrace& own = trace.arms.emplace_back();
        own.arm = arm.id;
        own.routine = arm.main;
        own.start = homePosture(cell, arm);
        for (const auto& [id, posture] : postures)
            if (id == arm.id) own.start = posture;
        own.startOpening = toolInForce(cell, arm).gripper.open;
        own.duration = 1;
        StepOutcome outcome;
        outcome.arrival = own.start;
        outcome.duration = 1;
        own.spans.push_back({0, 0, 1, own.startOpening, own.startOpening});
        own.outcomes.push_back(std::move(outcome));
    }
    return trace;
}

Cell withAxes(const Cell& cell, const AxisValues& axes)
{
    Cell out = cell;
    for (const AxisValue& a : axes)
        if (const Frame* frame = findFrame(cell, a.frame); frame && frame->axis)
            out.frames.edit(a.frame)->axis->value = a.value;
    return out;
}

StandingContacts::StandingContacts(const Cell& cell, ContactCache& cache) : m_cache(cache)
{
    std::set<FrameId> may;
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            for (const Touchable& thing : step.mayTouch)
                if (const FrameId* frame = std::get_if<FrameId>(&thing)) may.insert(*frame);
        });
    const Trace trace = standingRun(cell, {});
    const ContactScene scene(cell, trace, &cache);
    m_pairs = checkedPairs(scene, 0, &cache);
    std::erase_if(m_pairs, [&](const CheckedPair& pair) {
        const SceneBody &a = scene.bodies()[pair.a], &b = scene.bodies()[pair.b];
        return a.kind == Kind::Part || b.kind == Kind::Part || may.contains(a.frame) || may.contains(b.frame);
    });
}

std::optional<StandingTouch> StandingContacts::touch(const Cell& authored, ArmId arm, const JointVector& posture,
                                                     const AxisValues& axes) const
{
    const Cell moved = axes.empty() ? Cell() : withAxes(authored, axes);
    const Cell& cell = axes.empty() ? authored : moved;
    const Trace trace = standingRun(cell, {{arm, posture}});
    const ContactScene scene(cell, trace, &m_cache);
    const std::vector<SceneBody>& bodies = scene.bodies();
    for (const CheckedPair& pair : m_pairs) {
        const bool isA = bodies[pair.a].ofArm() && bodies[pair.a].arm == arm,
                   isB = bodies[pair.b].ofArm() && bodies[pair.b].arm == arm;
        if (!isA && !isB) continue;
        const std::optional<Pose> a = scene.place(pair.a, 0.5), b = scene.place(pair.b, 0.5);
        if (!a || !b) continue;
        if (bodies[pair.a].shape->nearest(*a, *bodies[pair.b].shape, *b, kTouch).distance > kTouch) continue;
        return StandingTouch{sideOf(scene, isA ? pair.a : pair.b), sideOf(scene, isA ? pair.b : pair.a)};
    }
    return std::nullopt;
}

}  // namespace topikos
