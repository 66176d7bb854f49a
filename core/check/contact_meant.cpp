#include "core/check/contact_meant.h"

#include "core/cell/step_tree.h"

#include <algorithm>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

constexpr double kResting = 1e-3;  // what is nearer when a part begins to lie or to be carried is its support [m]

bool has(const std::vector<size_t>& sorted, size_t body)
{
    return std::binary_search(sorted.begin(), sorted.end(), body);
}

}  // namespace

Meant::Meant(const ContactScene& scene) : m_scene(scene), m_parts(scene.bodies().size())
{
    const std::vector<SceneBody>& bodies = scene.bodies();
    const auto add = [&](const Touchable& thing, Bodies& out) {
        const FrameId* frame = std::get_if<FrameId>(&thing);
        for (size_t i = 0; i < bodies.size(); ++i)
            if (frame ? bodies[i].kind == Kind::Frame && bodies[i].frame == *frame
                      : bodies[i].kind == Kind::Part && scene.kindOf(i) == std::get<PartKindId>(thing))
                out.push_back(i);
    };
    for (const Routine& routine : scene.cell().routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            if (step.mayTouch.empty()) return;
            Bodies& own = m_steps[step.id.value];
            for (const Touchable& thing : step.mayTouch)
                add(thing, own);
            std::sort(own.begin(), own.end());
        });
}

void Meant::enter(const Window& window)
{
    const double middle = window.middle();
    for (size_t i = 0; i < m_parts.size(); ++i) {
        if (m_scene.bodies()[i].kind == Kind::Part) m_parts[i].now = m_scene.eventOf(i, middle);
    }
    for (size_t i = 0; i < m_parts.size(); ++i) {
        if (m_scene.bodies()[i].kind != Kind::Part) continue;
        InPart& part = m_parts[i];
        part = {part.now};
        const bool carried = part.now && part.now->kind == PartEvent::Kind::Carried;
        if (carried) part.carrier = part.now->arm;
        // What belts do with the part hides no grip and no release.
        const PartEvent *last = m_scene.armEventOf(i, middle), *next = m_scene.armEventAfter(i, middle);
        const bool leaves = last && middle <= this->leaves(last->arm, last->time);
        if (leaves) part.gives = last->arm;
        // Handed over: the one that had it before lets go of it in its next move.
        const PartEvent* before = carried ? m_scene.armEventBefore(i, *part.now) : nullptr;
        if (before && before->kind == PartEvent::Kind::Carried && middle <= this->leaves(before->arm, part.now->time))
            part.gives = before->arm;
        if (!carried || leaves) addResting(part.rests, i, part.now ? part.now->time : 0);
        if (next && middle >= arrives(*next)) {
            if (next->kind == PartEvent::Kind::Carried) part.takes = next->arm;
            if (carried) addResting(part.rests, i, next->time);
        }
        std::sort(part.rests.begin(), part.rests.end());
    }
    m_may.clear();
    if (m_steps.empty()) return;
    for (const ArmTrace& arm : m_scene.trace().arms) {
        const ArmTrace::Span* span = spanAt(arm, middle);
        if (!span) continue;
        const auto own = m_steps.find(arm.outcomes[span->outcome].step.value);
        if (own != m_steps.end()) m_may.push_back({arm.arm, &own->second});
    }
}

void Meant::describe(Digest& key) const
{
    const auto addArm = [&](ArmId arm) {
        key.add(std::uint64_t(arm ? *m_scene.cell().arms.placeOf(arm) + 1 : 0));
    };
    const auto addBodies = [&](const Bodies& bodies) {
        key.add(std::uint64_t(bodies.size()));
        for (const size_t body : bodies)
            key.add(std::uint64_t(body));
    };
    for (size_t i = 0; i < m_parts.size(); ++i) {
        if (m_scene.bodies()[i].kind != Kind::Part) continue;
        const InPart& part = m_parts[i];
        for (const ArmId arm : {part.carrier, part.gives, part.takes})
            addArm(arm);
        addBodies(part.rests);
    }
    for (const auto& [arm, what] : m_may) {
        addArm(arm);
        addBodies(*what);
    }
}

bool Meant::holds(size_t part, size_t other) const
{
    const SceneBody& o = m_scene.bodies()[other];
    if (m_scene.bodies()[part].kind != Kind::Part || o.kind == Kind::Link) return false;
    const InPart& p = m_parts[part];
    if (o.kind == Kind::Tool || o.kind == Kind::Jaw) return o.arm == p.carrier || o.arm == p.gives || o.arm == p.takes;
    return has(p.rests, other);
}

bool Meant::may(size_t moved, size_t other) const
{
    const SceneBody& own = m_scene.bodies()[moved];
    const ArmId mover = own.ofArm() ? own.arm : m_parts[moved].carrier;
    return std::any_of(m_may.begin(), m_may.end(),
                       [&](const auto& of) { return of.first == mover && has(*of.second, other); });
}

void Meant::addResting(Bodies& out, size_t part, double time)
{
    for (const size_t other : supports(part, time)) {
        const bool lies = m_scene.bodies()[other].kind != Kind::Part
                          || m_scene.eventOf(other, time) == m_parts[other].now;
        if (lies) out.push_back(other);
    }
}

const Meant::Bodies& Meant::supports(size_t part, double time)
{
    const auto [known, isNew] = m_supports.try_emplace({part, time});
    if (!isNew) return known->second;
    const std::optional<Pose> at = m_scene.place(part, time);
    if (!at) return known->second;
    const ContactBody& own = *m_scene.bodies()[part].shape;
    for (size_t i = 0; i < m_scene.bodies().size(); ++i) {
        const SceneBody& body = m_scene.bodies()[i];
        if (i == part || body.ofArm()) continue;
        const std::optional<Pose> place = m_scene.place(i, time);
        if (!place) continue;
        const double apart = (*at * own.ball().centre - *place * body.shape->ball().centre).norm();
        if (apart > own.ball().radius + body.shape->ball().radius + kResting) continue;
        if (own.nearest(*at, *body.shape, *place, kResting).distance <= kResting) known->second.push_back(i);
    }
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
