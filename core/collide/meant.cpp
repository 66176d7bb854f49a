#include "core/collide/meant.h"

#include "core/cell/step_tree.h"

#include <algorithm>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

constexpr double kResting = 1e-3;  // what is nearer when a part begins to lie or to be carried is its support [m]

}  // namespace

Meant::Meant(const ContactScene& scene) : m_scene(scene)
{
    for (const Routine& routine : scene.cell().routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            if (!step.mayTouch.empty()) m_steps[step.id.value] = &step.mayTouch;
            const Follow* follow = step.as<Follow>();
            if (const Process* process = follow ? findProcess(scene.cell(), follow->process) : nullptr)
                m_depths[step.id.value] = process->depth;
        });
    for (const ArmStation& arm : scene.cell().arms) {
        // What is not said for a step is that of all processes of the tool.
        const Tool& tool = toolInForce(scene.cell(), arm);
        double& depth = m_toolDepths[arm.id.value];
        depth = tool.processes.empty() ? kProcessDepth : 0;
        for (const Process& process : tool.processes)
            depth = std::max(depth, process.depth);
    }
}

bool Meant::holds(size_t part, size_t other, double time)
{
    const SceneBody& o = m_scene.bodies()[other];
    if (m_scene.bodies()[part].kind != Kind::Part || o.kind == Kind::Link) return false;
    if (o.kind != Kind::Frame && o.kind != Kind::Part) return holdsTool(part, o.arm, time);
    const PartEvent* now = m_scene.eventOf(part, time);
    const bool carried = now && now->kind == PartEvent::Kind::Carried;
    // It lies there, or has just been taken from there.
    if ((!carried || time <= leaves(now->arm, now->time)) && rests(part, other, now ? now->time : 0, time)) return true;
    const PartEvent* next = carried ? m_scene.armEventAfter(part, time) : nullptr;
    return next && time >= arrives(*next) && rests(part, other, next->time, time);
}

bool Meant::holdsTool(size_t part, ArmId arm, double time) const
{
    const PartEvent* now = m_scene.eventOf(part, time);
    if (now && now->kind == PartEvent::Kind::Carried) {
        if (now->arm == arm) return true;
        // Handed over: the one that had it before lets go of it in its next move.
        const PartEvent* before = m_scene.armEventBefore(part, *now);
        if (before && before->kind == PartEvent::Kind::Carried && before->arm == arm && time <= leaves(arm, now->time))
            return true;
    }
    // What belts do with the part hides no grip and no release.
    const PartEvent *last = m_scene.armEventOf(part, time), *next = m_scene.armEventAfter(part, time);
    if (last && last->arm == arm && time <= leaves(arm, last->time)) return true;
    return next && next->kind == PartEvent::Kind::Carried && next->arm == arm && time >= arrives(*next);
}

bool Meant::may(size_t moved, size_t other, double time) const
{
    if (m_steps.empty()) return false;
    const ArmId mover = m_scene.moverOf(moved, time);
    const ArmTrace* arm = mover ? findArmTrace(m_scene.trace(), mover) : nullptr;
    const ArmTrace::Span* span = arm ? spanAt(*arm, time) : nullptr;
    if (!span) return false;
    const auto own = m_steps.find(arm->outcomes[span->outcome].step.value);
    if (own == m_steps.end()) return false;
    const SceneBody& o = m_scene.bodies()[other];
    return std::any_of(own->second->begin(), own->second->end(), [&](const Touchable& thing) {
        const FrameId* frame = std::get_if<FrameId>(&thing);
        return frame ? o.kind == Kind::Frame && o.frame == *frame
                     : o.kind == Kind::Part && m_scene.bodies().kindOf(other) == std::get<PartKindId>(thing);
    });
}

Vec3 Meant::drawnBack(size_t a, size_t b, double time) const
{
    const Cell& cell = m_scene.cell();
    for (const auto& [tool, body] : {std::pair(a, b), std::pair(b, a)}) {
        const SceneBody &own = m_scene.bodies()[tool], &other = m_scene.bodies()[body];
        if (own.kind != Kind::Tool || (other.kind != Kind::Frame && other.kind != Kind::Part)) continue;
        const ArmTrace* arm = findArmTrace(m_scene.trace(), own.arm);
        const ArmTrace::Span* span = arm ? spanAt(*arm, time) : nullptr;
        const StepOutcome* outcome = span ? &arm->outcomes[span->outcome] : nullptr;
        // A process is switched while the tool stands at the target before it.
        for (size_t i = outcome ? span->outcome : 0; outcome && !outcome->target && i > 0;)
            outcome = &arm->outcomes[--i];
        const Target* target = outcome ? findTarget(cell, outcome->target) : nullptr;
        const Pattern* group = target ? findPattern(cell, target->pattern) : nullptr;
        if (!group || group->layout != Pattern::Layout::Drawn) continue;
        const bool on = group->drawing.part ? other.part == group->drawing.part
                                            : other.kind == Kind::Frame && other.frame == group->frame;
        const ArmStation& station = *findArm(cell, own.arm);
        if (on)
            return -depthOf(station.id, outcome->step)
                   * (flangeFromTcp(toolInForce(cell, station), outcome->point).rotation * Vec3(Vec3::UnitZ()));
    }
    return Vec3::Zero();
}

double Meant::depthOf(ArmId arm, StepId step) const
{
    const auto own = m_depths.find(step.value);
    return own != m_depths.end() ? own->second : m_toolDepths.at(arm.value);
}

bool Meant::rests(size_t part, size_t other, double event, double time)
{
    // Parts that were taken up, or moved on, since then are another thing.
    if (m_scene.bodies()[other].kind == Kind::Part && m_scene.eventOf(other, event) != m_scene.eventOf(other, time))
        return false;
    const auto [known, isNew] = m_near.try_emplace({part, other, event}, false);
    if (!isNew) return known->second;
    const std::optional<Pose> at = m_scene.place(part, event), place = m_scene.place(other, event);
    if (!at || !place) return false;
    const ContactBody &own = *m_scene.bodies()[part].shape, &body = *m_scene.bodies()[other].shape;
    const double apart = (*at * own.ball().centre - *place * body.ball().centre).norm();
    known->second = apart <= own.ball().radius + body.ball().radius + kResting
                    && own.nearest(*at, body, *place, kResting).distance <= kResting;
    return known->second;
}

double Meant::arrives(const PartEvent& event) const
{
    const ArmTrace* arm = findArmTrace(m_scene.trace(), event.arm);
    if (!arm) return event.time;
    double begin = event.time;
    const auto late = [](double t, const ArmTrace::Span& span) { return t < span.start; };
    for (auto span = std::upper_bound(arm->spans.begin(), arm->spans.end(), event.time, late);
         span != arm->spans.begin();) {
        --span;
        if (!arm->outcomes[span->outcome].move || span->end > event.time) continue;
        begin = span->start;
        break;
    }
    return begin;
}

double Meant::leaves(ArmId id, double time) const
{
    const ArmTrace* arm = findArmTrace(m_scene.trace(), id);
    if (!arm) return time;
    const auto early = [](const ArmTrace::Span& span, double t) { return span.start < t; };
    for (auto span = std::lower_bound(arm->spans.begin(), arm->spans.end(), time - 1e-9, early);
         span != arm->spans.end(); ++span)
        if (arm->outcomes[span->outcome].move) return span->end;
    return arm->duration;
}

}  // namespace topikos
