#include "core/collide/digest.h"

#include <algorithm>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

/// A timing by the moves that it is made of and by what its laws are. Moves are remembered from run to run; corners,
/// laws and timings are made anew.
void addTiming(Digest& key, const Timing& timing)
{
    for (const Leg& leg : timing.legs) {
        key.add(leg.start);
        if (leg.move) {
            const CornerCut* cut = leg.move->cut();
            key.add(std::uint64_t(cut ? 1 : 0) << 2 | std::uint64_t(leg.move->segment.index()));
            if (!cut) {
                key.add(leg.move->number);
                if (leg.law.get() == &leg.move->profile) continue;
            } else {
                key.add(cut->first->number);
                key.add(cut->second->number);
                key.add(cut->before);
                key.add(cut->after);
                key.add(std::uint64_t(cut->smooth));
            }
        }
        for (const Profile::Stretch& s : leg.law->stretches)
            for (const double v : {s.duration, s.position, s.speed, s.acceleration, s.jerk})
                key.add(v);
    }
}

}  // namespace

SceneDigest::SceneDigest(const ContactScene& scene) : m_scene(scene)
{
    const Cell& cell = scene.cell();
    for (const Frame& frame : cell.frames) {
        Digest& key = m_frames[frame.id];
        key.add(worldFromFrame(cell, frame.id));
        for (const FrameId id : scene.bodies().places().axesAbove(frame.id)) {
            const FrameAxis& axis = *findFrame(cell, id)->axis;
            key.add(worldFromFrame(cell, id));
            key.add(std::uint64_t(axis.kind));
            for (const double v : {axis.direction[0], axis.direction[1], axis.direction[2], axis.value, axis.speed})
                key.add(v);
        }
    }
    for (size_t i = 0; i < scene.bodies().size(); ++i) {
        const SceneBody& body = scene.bodies()[i];
        Digest& key = m_still.emplace_back();
        key.add(body.shapeNumber);
        key.add(std::uint64_t(body.kind) << 32 | body.number);
        key.add(std::uint64_t(body.ofArm() ? *cell.arms.placeOf(body.arm) + 1 : 0));
        if (const std::optional<Pose>& fixed = scene.fixedPlace(i)) {
            key.add(*fixed);
            continue;
        }
        if (body.kind != Kind::Jaw) continue;
        const Tool& tool = toolInForce(cell, *findArm(cell, body.arm));
        key.add(tool.flangeFromTcp);
        key.add(std::uint64_t(tool.gripper.kind));
        key.add(tool.gripper.pivot);
    }
    m_tracks.resize(scene.trace().axes.size());
    m_arms.resize(cell.arms.size());
}

void SceneDigest::enter(const Window& window)
{
    m_window = window;
    std::fill(m_tracks.begin(), m_tracks.end(), std::nullopt);
    std::fill(m_arms.begin(), m_arms.end(), std::nullopt);
}

Digest SceneDigest::ofBody(size_t i)
{
    const Cell& cell = m_scene.cell();
    const SceneBody& body = m_scene.bodies()[i];
    Digest key = m_still[i];
    if (!m_scene.moves(i)) return key;
    key.add(m_window.to - m_window.from);
    if (body.ofArm()) {
        key.add(ofArm(*cell.arms.placeOf(body.arm)));
        const ArmTrace* own = findArmTrace(m_scene.trace(), body.arm);
        if (body.kind != Kind::Jaw || !own) return key;
        key.add(openingAt(*own, m_window.from));
        key.add(openingAt(*own, m_window.to));
    } else if (body.kind == Kind::Frame) {
        addFrame(key, body.frame);
    } else {
        key.add(ofPart(i));
    }
    return key;
}

const Digest& SceneDigest::ofTrack(size_t index)
{
    std::optional<Digest>& known = m_tracks[index];
    if (known) return *known;
    const AxisTrack& track = m_scene.trace().axes[index];
    Digest key;
    key.add(track.at(m_window.from).value_or(NAN));
    const auto late = [](double t, const AxisSpan& span) { return t <= span.start; };
    for (auto span = std::upper_bound(track.spans.begin(), track.spans.end(), m_window.to, late);
         span != track.spans.begin();) {
        --span;
        if (span->end() > m_window.from) {
            addTiming(key, *span->timing);
            key.add(m_window.from - span->origin);
            key.add(span->from);
            key.add(span->to);
        }
        if (span->restsFrom <= m_window.from) break;
    }
    return known.emplace(key);
}

const Digest& SceneDigest::ofArm(size_t arm)
{
    std::optional<Digest>& known = m_arms[arm];
    if (known) return *known;
    const ArmStation& station = m_scene.cell().arms[arm];
    const ArmTrace* own = findArmTrace(m_scene.trace(), station.id);
    const double middle = m_window.middle();
    Digest key;
    key.add(station.model->number());
    addFrame(key, station.mount);
    const ArmTrace::Span* span =
        own && !own->spans.empty() && middle < own->spans.back().end ? spanAt(*own, middle) : nullptr;
    if (span && middle >= span->end) span = nullptr;
    const StepOutcome* outcome = span ? &own->outcomes[span->outcome] : nullptr;
    if (outcome && outcome->move && outcome->timing) {
        addTiming(key, *outcome->timing);
        key.add(m_window.from - span->start);
    } else {
        for (const double q : own ? postureAt(m_scene.cell(), *own, middle) : homePosture(m_scene.cell(), station))
            key.add(q);
    }
    return known.emplace(key);
}

Digest SceneDigest::ofPart(size_t body)
{
    const Cell& cell = m_scene.cell();
    const Trace& trace = m_scene.trace();
    const PartEvent* event = m_scene.eventOf(body, m_window.middle());
    Digest key;
    key.add(std::uint64_t(event ? int(event->kind) + 1 : 0));
    if (!event) {
        const Part& part = m_scene.bodies().part(body);
        const bool made = part.id.value >= cell.nextId;
        key.add(std::uint64_t(made));
        if (made) return key;
        addFrame(key, part.frame);
        key.add(part.pose);
        return key;
    }
    if (event->kind == PartEvent::Kind::Gone) return key;
    key.add(event->pose);
    if (event->kind == PartEvent::Kind::Carried) {
        const size_t arm = *cell.arms.placeOf(event->arm);
        key.add(ofArm(arm));
        key.add(flangeFromTcp(cell, cell.arms[arm]));
        return key;
    }
    addFrame(key, event->frame);
    if (event->kind != PartEvent::Kind::Rides) return key;
    const BeltState from = beltAt(trace, event->frame, m_window.from), to = beltAt(trace, event->frame, m_window.to);
    key.add(from.travel - beltAt(trace, event->frame, event->time).travel);
    for (const double v : {from.speed, to.speed, to.travel - from.travel, findFrame(cell, event->frame)->device->speed})
        key.add(v);
    return key;
}

void SceneDigest::addFrame(Digest& key, FrameId frame)
{
    if (!frame) return;
    key.add(m_frames.at(frame));
    for (const FrameId id : m_scene.bodies().places().axesAbove(frame))
        for (size_t i = 0; i < m_tracks.size(); ++i)
            if (m_scene.trace().axes[i].frame == id) key.add(ofTrack(i));
}

}  // namespace topikos
