#include "core/simulate/run.h"

#include <algorithm>

// What becomes of parts, and how they go on belts.

namespace topikos {

namespace {

constexpr double kBeltHeight = 0.5;  // parts of a belt's frame this far above or below it do not ride on it [m]
constexpr double kSetDown = 0.02;    // parts released this near to a belt ride on it, whatever frame they are in [m]
constexpr double kOnTheSpot = 1e-9;  // [m]
constexpr double kFreeAgain = 1e-6;  // way from which a part that waited goes on [m]

bool apart(const Extent& a, const Extent& b) { return a.low >= b.high || a.high <= b.low; }

}  // namespace

Pose Run::worldOf(FrameId frame, double time) const
{
    return m_places.world(frame,
                          [&](const Frame& f) { return m_axisRuns.at(f.id).track->at(time).value_or(f.axis->value); });
}

Pose Run::worldOfTcp(const ArmStation& arm, double time) const
{
    const ArmTrace* trace = findArmTrace(m_trace, arm.id);
    const JointVector posture = trace ? postureAt(m_cell, *trace, time) : homePosture(m_cell, arm);
    return worldOf(arm.mount, time) * baseFromTcp(m_cell, arm, posture);
}

Pose Run::worldOf(const PartRun& part, double time) const
{
    if (part.still) return *part.still;
    const PartEvent& at = part.at;
    switch (at.kind) {
    case PartEvent::Kind::Carried: return worldOfTcp(*findArm(m_cell, at.arm), time) * at.pose;
    case PartEvent::Kind::Rides: {
        const BeltRun& belt = *m_devices[m_deviceOf.at(at.frame.value)].belt;
        const double way = belt.travel(time) - belt.travel(at.time);
        return worldOf(at.frame, time) * translated({way, 0, 0}) * at.pose;
    }
    default: return worldOf(at.frame, time) * at.pose;
    }
}

void Run::put(size_t i, PartEvent event)
{
    PartRun& part = m_parts[i];
    event.time = m_now;
    event.part = part.part.id;
    part.at = event;
    ++part.stay;
    part.still.reset();
    if (event.kind == PartEvent::Kind::Lies && m_places.axesAbove(event.frame).empty())
        part.still = worldOf(event.frame, m_now) * event.pose;
    m_trace.partEvents.push_back(event);
    keep(0, sizeof event);
    const bool onBelt = event.kind == PartEvent::Kind::Rides || event.kind == PartEvent::Kind::Lies;
    if (part.belt && !(onBelt && event.frame == part.belt)) leaveBelt(i);
    lookAgainAt(i);
}

void Run::leaveBelt(size_t i)
{
    PartRun& part = m_parts[i];
    DeviceRun& belt = m_devices[m_deviceOf.at(std::exchange(part.belt, FrameId()).value)];
    auto& list = part.waits ? belt.waiting : belt.riding;
    const auto [first, last] = list.equal_range(part.onBelt);
    list.erase(std::find_if(first, last, [i](const auto& entry) { return entry.second == i; }));
    if (std::exchange(part.waits, false)) settle(belt, part.onBelt);
}

bool Run::mount(size_t i, DeviceRun& belt, double above)
{
    PartRun& part = m_parts[i];
    const Pose place = inverse(worldOf(belt.frame, m_now)) * worldOf(part, m_now);
    const Vec3& p = place.translation;
    const auto reach = [&](int axis) { return part.box ? extentAlong(place, *part.box, Vec3::Unit(axis)) : Extent{}; };
    const Vec3& size = belt.device->size;
    if (p[0] < -1e-9 || p[0] > size[0] || std::abs(p[1]) > 0.5 * size[1] || std::abs(p[2] + reach(2).low) > above)
        return false;
    const Extent side = reach(1);
    part.belt = belt.frame;
    part.waits = false;
    part.along = reach(0);
    part.across = {p[1] + side.low, p[1] + side.high};
    part.onBelt = p[0] - belt.belt->travel(m_now);
    belt.longest = std::max(belt.longest, -part.along.low);
    belt.riding.insert({part.onBelt, i});
    // Set down on it at this instant: by that arm.
    const bool released = part.at.kind == PartEvent::Kind::Lies && part.at.time == m_now;
    put(i, {0, {}, PartEvent::Kind::Rides, released ? part.at.arm : ArmId(), belt.frame, place});
    foreseeStop(belt, i);
    return true;
}

void Run::board(size_t part)
{
    for (FrameId id = m_parts[part].at.frame; id; id = m_places.frame(id).parent) {
        const Frame& frame = m_places.frame(id);
        if (!frame.device || frame.device->kind != Device::Kind::Belt) continue;
        mount(part, m_devices[m_deviceOf.at(id.value)], kBeltHeight);
        return;
    }
}

void Run::boardWhatIsUnder(size_t part)
{
    for (const size_t belt : m_belts)
        if (mount(part, m_devices[belt], kSetDown)) return;
}

double Run::placeOn(const DeviceRun& belt, const PartRun& part) const
{
    return part.waits ? part.onBelt : part.onBelt + belt.belt->travel(m_now);
}

/// Way from where a part is on a belt to the belt's end, or to what waits in front of it.
double Run::freeWay(const DeviceRun& belt, const PartRun& part) const
{
    const double x = placeOn(belt, part), length = belt.device->size[0];
    if (!belt.device->accumulates) return length - x;
    double limit = std::max(length, x);
    for (auto ahead = belt.waiting.upper_bound(x); ahead != belt.waiting.end(); ++ahead) {
        const PartRun& other = m_parts[ahead->second];
        if (ahead->first - belt.longest > limit) break;
        if (&other == &part || apart(other.across, part.across)) continue;
        limit = std::min(limit, ahead->first + other.along.low);
    }
    return limit - x - part.along.high;
}

void Run::foreseeStop(DeviceRun& belt, size_t i)
{
    const double travel = belt.belt->travel(m_now) + std::max(0.0, freeWay(belt, m_parts[i]));
    belt.passages.push({travel, i, m_parts[i].stay, Passage::Kind::Stops, 0});
}

/// Parts that have come to a stop, or run off the end; and those that come past a sensor.
bool Run::beltsGoOn()
{
    bool any = false;
    for (const size_t b : m_belts) {
        DeviceRun& belt = m_devices[b];
        const double travel = belt.belt->travel(m_now) + kOnTheSpot;
        while (!belt.passages.empty() && belt.passages.top().travel <= travel) {
            const Passage passage = belt.passages.top();
            belt.passages.pop();
            const PartRun& part = m_parts[passage.part];
            if (passage.stay != part.stay) continue;
            any = true;
            if (passage.kind != Passage::Kind::Stops) {
                setInside(m_devices[passage.device], passage.part, passage.kind == Passage::Kind::Enters);
            } else if (freeWay(belt, part) > 2 * kOnTheSpot) {
                foreseeStop(belt, passage.part);
            } else {
                stop(belt, passage.part);
            }
            if (!spend()) return any;
        }
    }
    return any;
}

void Run::stop(DeviceRun& belt, size_t i)
{
    PartRun& part = m_parts[i];
    const double x = placeOn(belt, part);
    PartEvent event = part.at;
    event.arm = {};
    event.pose = inverse(worldOf(part.belt, m_now)) * worldOf(part, m_now);
    event.kind = belt.device->accumulates ? PartEvent::Kind::Lies : PartEvent::Kind::Gone;
    if (event.kind == PartEvent::Kind::Gone) {
        put(i, event);
        return;
    }
    const auto [first, last] = belt.riding.equal_range(part.onBelt);
    belt.riding.erase(std::find_if(first, last, [i](const auto& entry) { return entry.second == i; }));
    part.waits = true;
    part.onBelt = x;
    belt.waiting.insert({x, i});
    put(i, event);
    // Those behind it come to a stop at it, or at one that does: when they cover its whole width, none can pass.
    Extent open = part.across;
    const double offset = x - belt.belt->travel(m_now);
    for (auto behind = belt.riding.lower_bound(offset); behind != belt.riding.begin();) {
        --behind;
        const PartRun& other = m_parts[behind->second];
        if (apart(other.across, part.across)) continue;
        foreseeStop(belt, behind->second);
        if (other.across.low <= open.low) open.low = std::max(open.low, other.across.high);
        if (other.across.high >= open.high) open.high = std::min(open.high, other.across.low);
        if (open.low >= open.high) break;
    }
}

/// Parts that waited behind a place on a belt go on, if they can now.
void Run::settle(DeviceRun& belt, double behind)
{
    for (auto it = belt.waiting.lower_bound(behind); it != belt.waiting.begin();) {
        --it;
        const size_t i = it->second;
        PartRun& part = m_parts[i];
        if (freeWay(belt, part) <= kFreeAgain) continue;
        it = belt.waiting.erase(it);
        part.waits = false;
        part.onBelt -= belt.belt->travel(m_now);
        belt.riding.insert({part.onBelt, i});
        PartEvent event = part.at;
        event.arm = {};
        event.kind = PartEvent::Kind::Rides;
        put(i, event);
        foreseeStop(belt, i);
    }
}

double Run::nextPassage(DeviceRun& belt)
{
    while (!belt.passages.empty() && belt.passages.top().stay != m_parts[belt.passages.top().part].stay)
        belt.passages.pop();
    return belt.passages.empty() ? INFINITY : belt.belt->timeOf(m_now, belt.passages.top().travel);
}

}  // namespace topikos
