#include "core/check/contact_meant.h"

#include "core/cell/step_tree.h"

#include <algorithm>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

constexpr double kResting = 1e-3;  // what is nearer when a part begins to lie or to be carried is its support [m]

bool has(const std::vector<size_t>* list, size_t body)
{
    return list && std::find(list->begin(), list->end(), body) != list->end();
}

}  // namespace

Meant::Meant(const ContactScene& scene) : m_scene(scene), m_parts(scene.bodies().size())
{
    for (const Routine& routine : scene.cell().routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            if (!step.mayTouch.empty()) m_steps[step.id.value] = &step.mayTouch;
        });
}

void Meant::enter(const Window& window)
{
    const double middle = window.middle();
    for (size_t i = 0; i < m_parts.size(); ++i) {
        if (m_scene.bodies()[i].kind != Kind::Part) continue;
        const PartEvent *now = m_scene.eventOf(i, middle), *next = m_scene.eventAfter(i, middle);
        InPart& part = m_parts[i];
        part = {now, nullptr, nullptr, nullptr};
        const bool carried = now && now->kind == PartEvent::Kind::Carried;
        if (!carried || middle <= leaves(*now)) part.supports = &supports(i, now ? now->time : 0);
        if (now && middle <= leaves(*now)) part.leaves = now;
        if (next && middle >= arrives(*next)) {
            part.arrives = next;
            if (carried) part.next = &supports(i, next->time);
        }
    }
    m_may.clear();
    if (m_steps.empty()) return;
    for (const ArmTrace& arm : m_scene.trace().arms) {
        const ArmTrace::Span* span = spanAt(arm, middle);
        if (!span) continue;
        const auto own = m_steps.find(arm.outcomes[span->outcome].step.value);
        if (own != m_steps.end()) m_may.push_back({arm.arm, own->second});
    }
}

void Meant::describe(Digest& key) const
{
    for (size_t i = 0; i < m_parts.size(); ++i) {
        const InPart& part = m_parts[i];
        if (m_scene.bodies()[i].kind != Kind::Part || !m_scene.moves(i)) continue;
        for (const std::vector<size_t>* list : {part.supports, part.next}) {
            key.add(std::uint64_t(list ? list->size() + 1 : 0));
            for (size_t k = 0; list && k < list->size(); ++k)
                key.add(std::uint64_t((*list)[k]));
        }
        key.add(std::uint64_t(part.leaves ? part.leaves->arm.value + 1 : 0));
        key.add(std::uint64_t(part.arrives ? part.arrives->arm.value + 1 : 0) << 3
                | std::uint64_t(part.arrives ? int(part.arrives->kind) : 0));
    }
    for (const auto& [arm, what] : m_may) {
        key.add(std::uint64_t(arm.value) << 32 | what->size());
        for (const Touchable& t : *what) {
            const auto* frame = std::get_if<FrameId>(&t);
            key.add(frame ? std::uint64_t(frame->value) : std::uint64_t(std::get<PartKindId>(t).value) << 32);
        }
    }
}

bool Meant::holds(size_t part, size_t other) const
{
    const SceneBody& o = m_scene.bodies()[other];
    if (m_scene.bodies()[part].kind != Kind::Part) return false;
    const InPart& p = m_parts[part];
    const bool carried = p.now && p.now->kind == PartEvent::Kind::Carried;
    if (o.kind == Kind::Tool || o.kind == Kind::Jaw) {
        if (carried) return p.now->arm == o.arm;
        if (p.arrives && p.arrives->kind == PartEvent::Kind::Carried && p.arrives->arm == o.arm) return true;
        return p.leaves && p.leaves->arm == o.arm;
    }
    if (o.kind == Kind::Link) return false;
    return has(p.supports, other) || (carried && has(p.next, other));
}

bool Meant::may(size_t moved, size_t other) const
{
    for (const auto& [arm, what] : m_may) {
        const SceneBody& own = m_scene.bodies()[moved];
        const PartEvent* event = own.kind == Kind::Part ? m_parts[moved].now : nullptr;
        const bool ofArm =
            own.ofArm() ? own.arm == arm : event && event->kind == PartEvent::Kind::Carried && event->arm == arm;
        if (!ofArm) continue;
        const SceneBody& o = m_scene.bodies()[other];
        for (const Touchable& t : *what) {
            const auto* frame = std::get_if<FrameId>(&t);
            if (frame ? o.kind == Kind::Frame && o.frame == *frame
                      : o.kind == Kind::Part && m_scene.kindOf(other) == std::get<PartKindId>(t))
                return true;
        }
    }
    return false;
}

const std::vector<size_t>& Meant::supports(size_t part, double time)
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

double Meant::leaves(const PartEvent& event) const
{
    const ArmTrace* arm = findArmTrace(m_scene.trace(), event.arm);
    if (!arm) return event.time;
    const auto early = [](const ArmTrace::Span& span, double t) { return span.start < t; };
    for (auto span = std::lower_bound(arm->spans.begin(), arm->spans.end(), event.time - 1e-9, early);
         span != arm->spans.end(); ++span)
        if (arm->outcomes[span->outcome].move) return span->end;
    return arm->duration;
}

}  // namespace topikos
