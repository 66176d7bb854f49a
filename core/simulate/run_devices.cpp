#include "core/simulate/run.h"

#include "core/cell/devices.h"
#include "core/robot/forward.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

// What devices do in a run, and what becomes of parts on them.

namespace topikos {

namespace {

constexpr double kSightStep = 0.01;   // sensors are asked this often [s]
constexpr double kSightExact = 1e-6;  // and what they saw is then found to this [s]
constexpr double kBeltHeight = 0.5;   // parts of a belt's frame this far above or below it do not ride on it [m]
constexpr double kSetDown = 0.02;  // parts released this near to a belt ride on it, whatever frame the target is in [m]

/// Where a device looks, in its frame.
Box regionOf(const Device& d)
{
    if (d.kind == Device::Kind::Sensor) return {translated({d.size[0] / 2, 0, 0}), {d.size[0] / 2, 0, 0}};
    if (d.kind == Device::Kind::LightBarrier)
        return {translated({d.size[0] / 2, 0, d.size[2] / 2}), {d.size[0] / 2, 0, d.size[2] / 2}};
    return {Pose{}, 0.5 * d.size};
}

bool inside(const Vec3& point, const Pose& world, const Box& box)
{
    return ((inverse(world * box.pose) * point).cwiseAbs() - box.half).maxCoeff() <= 0;
}

bool watches(const Device& d)
{
    using Kind = Device::Kind;
    return d.kind == Kind::Sensor || d.kind == Kind::LightBarrier || d.kind == Kind::Source || d.kind == Kind::Sink
           || (d.kind == Kind::Scanner && !d.input);
}

}  // namespace

void Run::setSignal(SignalId id, double value)
{
    for (size_t i = 0; i < m_signals.size(); ++i) {
        if (m_cell.signals[i].id != id || m_signals[i] == value) continue;
        m_signals[i] = value;
        m_trace.signalEvents.push_back({m_now, id, value});
        for (DeviceRun& device : m_devices)
            if (device.device->input == id) react(device, value);
    }
}

void Run::react(DeviceRun& device, double value)
{
    const Device& d = *device.device;
    switch (d.kind) {
    case Device::Kind::Belt:
        if (!d.indexing) device.belt->run(m_now, value != 0);
        else if (value != 0) device.belt->index(m_now);
        if (device.belt->moves(m_now)) setSignal(d.output, 1);
        break;
    case Device::Kind::Source:
        if (value != 0) device.asked = true;
        makePart(device);
        break;
    case Device::Kind::Scanner:
        if (value != 0) read(device, seenBy(device, m_now));
        break;
    case Device::Kind::Clamp: {
        if (!device.axis) break;
        const FrameAxis& axis = *findFrame(m_cell, device.axis)->axis;
        const std::vector<AxisTravel> travels =
            travelsTo(m_cell, {{device.axis, value != 0 ? axis.highest : axis.lowest}}, m_axes);
        const Profile profile = profileInStep(companionsOf(m_cell, travels), 1);
        travel(travels, profile);
        device.timer = m_now + profile.duration;
        if (value != 0) break;
        setSignal(d.output, 0);
        for (PartRun& part : m_parts)
            if (part.clamp == device.frame) part.clamp = {};
        break;
    }
    default: break;
    }
}

void Run::pass(DeviceRun& device)
{
    const Device& d = *device.device;
    if (device.belt) {
        device.belt->pass(m_now);
        if (!device.belt->moves(m_now)) setSignal(d.output, 0);
        return;
    }
    device.timer = INFINITY;
    if (d.kind == Device::Kind::Source) {
        device.asked = true;
        device.timer = m_now + d.interval;
        makePart(device);
    } else if (d.kind == Device::Kind::Clamp) {
        if (signal(d.input) == 0) return;
        const Pose world = worldFromFrame(m_cell, device.frame, axesAt(m_trace, m_now));
        for (PartRun& part : m_parts)
            if (!part.gone() && inside(worldOf(part, m_now).translation, world, regionOf(d))) part.clamp = device.frame;
        setSignal(d.output, 1);
    } else {
        setSignal(d.output, 1);
    }
}

void Run::makePart(DeviceRun& source)
{
    const Device& d = *source.device;
    if (!source.asked || source.seen || !d.makes || source.count >= d.most) return;
    source.asked = false;
    const PartKind& kind = *findPartKind(m_cell, d.makes);
    Part part;
    part.id = {m_cell.nextId + std::uint32_t(m_trace.made.size())};
    part.name = fmt::format("{} of {} {}", kind.name, frameName(m_cell, source.frame), ++source.count);
    part.kind = d.makes;
    part.frame = source.frame;
    m_trace.made.push_back(part);
    m_parts.push_back({part, boxAround(kind.solids), {}});
    put(m_parts.back(), {0, {}, PartEvent::Kind::Lies, {}, source.frame, {}});
    board(m_parts.back());
    setSignal(d.number, source.count);
}

void Run::read(DeviceRun& scanner, size_t part)
{
    double code = 0;
    if (part > 0)
        for (size_t i = 0; i < m_cell.partKinds.size(); ++i)
            if (m_cell.partKinds[i].id == m_parts[part - 1].part.kind) code = double(i + 1);
    setSignal(scanner.device->number, code);
    setSignal(scanner.device->output, part > 0);
}

void Run::look()
{
    for (size_t i = 0; i < m_devices.size(); ++i) {
        DeviceRun& device = m_devices[i];
        if (!watches(*device.device)) continue;
        const size_t seen = seenBy(device, m_now);
        if (seen == device.seen) continue;
        device.seen = seen;
        switch (device.device->kind) {
        case Device::Kind::Sink:
            put(m_parts[seen - 1], {0, {}, PartEvent::Kind::Gone, {}, device.frame, {}});
            device.seen = 0;
            setSignal(device.device->number, ++device.count);
            --i;  // there may be more in it
            break;
        case Device::Kind::Scanner: read(device, seen); break;
        case Device::Kind::Source:
            setSignal(device.device->output, seen > 0);
            makePart(device);
            break;
        default: setSignal(device.device->output, seen > 0); break;
        }
    }
    for (DeviceRun& device : m_devices)
        if (device.device->kind == Device::Kind::Source) {
            const size_t before = m_parts.size();
            makePart(device);
            if (m_parts.size() > before) {
                device.seen = seenBy(device, m_now);
                setSignal(device.device->output, device.seen > 0);
            }
        }
}

size_t Run::seenBy(const DeviceRun& device, double time) const
{
    const Device& d = *device.device;
    const AxisValues axes = axesAt(m_trace, time);
    const Pose world = worldFromFrame(m_cell, device.frame, axes);
    const Box region = regionOf(d);
    if (d.kind == Device::Kind::LightBarrier && armInside(world, region, time)) return 1;
    for (size_t i = 0; i < m_parts.size(); ++i) {
        const PartRun& part = m_parts[i];
        const bool carried = part.at.kind == PartEvent::Kind::Carried;
        if (part.gone() || (d.kind == Device::Kind::Sink && carried)
            || (d.kind == Device::Kind::LightBarrier && !carried))
            continue;
        const Pose place = worldOf(part, time);
        if (d.kind == Device::Kind::Sink || d.kind == Device::Kind::Scanner) {
            if (inside(place.translation, world, region)) return i + 1;
        } else if (part.box ? overlap(world, region, place, *part.box) : inside(place.translation, world, region)) {
            return d.kind == Device::Kind::Source ? i + 1 : 1;
        }
    }
    return 0;
}

bool Run::armInside(const Pose& world, const Box& box, double time) const
{
    for (size_t i = 0; i < m_cell.arms.size(); ++i) {
        const ArmStation& arm = m_cell.arms[i];
        const ArmTrace* trace = findArmTrace(m_trace, arm.id);
        ChainFrames frames;
        chainFrames(*arm.model, trace ? postureAt(m_cell, *trace, time) : homePosture(m_cell, arm), frames);
        const Pose base = worldFromBase(m_cell, arm, axesAt(m_trace, time));
        for (size_t k = 0; k < m_links[i].size(); ++k) {
            if (!m_links[i][k]) continue;
            const AxisFrame& at = k + 1 == m_links[i].size() ? frames.flange : frames.joints[k == 0 ? 0 : k - 1];
            const Pose link = k == 0 ? base : base * makePose(at.rotation, at.origin);
            if (overlap(world, box, link, *m_links[i][k])) return true;
        }
    }
    return false;
}

bool Run::anythingMoves() const
{
    return std::any_of(m_arms.begin(), m_arms.end(), [](const ArmRun& a) { return !a.done && !a.waits; })
           || std::any_of(m_devices.begin(), m_devices.end(), [&](const DeviceRun& d) {
                  if (d.belt)
                      return d.belt->moves(m_now) && std::any_of(m_parts.begin(), m_parts.end(), [&](const PartRun& p) {
                                 return p.belt == d.frame && !p.waits;
                             });
                  return d.device->kind != Device::Kind::Source && std::isfinite(d.timer);
              });
}

double Run::nextSight(double until) const
{
    if (!anythingMoves()
        || std::none_of(m_devices.begin(), m_devices.end(), [](const DeviceRun& d) { return watches(*d.device); }))
        return INFINITY;
    const auto changed = [&](double time) {
        return std::any_of(m_devices.begin(), m_devices.end(), [&](const DeviceRun& d) {
            return watches(*d.device) && (seenBy(d, time) > 0) != (d.seen > 0);
        });
    };
    for (double before = m_now; before < until;) {
        const double time = std::min(until, before + kSightStep);
        if (changed(time)) {
            double low = before, high = time;
            while (high - low > kSightExact) {
                const double middle = 0.5 * (low + high);
                (changed(middle) ? high : low) = middle;
            }
            return high;
        }
        before = time;
    }
    return INFINITY;
}

void Run::put(PartRun& part, PartEvent event)
{
    event.time = m_now;
    event.part = part.part.id;
    part.at = event;
    m_trace.partEvents.push_back(event);
    const bool stays = part.belt && event.frame == part.belt
                       && (event.kind == PartEvent::Kind::Rides || event.kind == PartEvent::Kind::Lies);
    if (!part.belt || stays) return;
    const FrameId left = std::exchange(part.belt, FrameId());
    part.waits = false;
    for (DeviceRun& device : m_devices)
        if (device.frame == left) settle(device);
}

Pose Run::worldOf(const PartRun& part, double time) const
{
    const AxisValues axes = axesAt(m_trace, time);
    switch (part.at.kind) {
    case PartEvent::Kind::Carried:
        return worldFromTcp(m_cell, *findArm(m_cell, part.at.arm),
                            postureAt(m_cell, *findArmTrace(m_trace, part.at.arm), time), axes)
               * part.at.pose;
    case PartEvent::Kind::Rides:
        return worldFromFrame(m_cell, part.belt, axes)
               * translated(
                   {beltAt(m_trace, part.belt, time).travel - beltAt(m_trace, part.belt, part.at.time).travel, 0, 0})
               * part.at.pose;
    default: return worldFromFrame(m_cell, part.at.frame, axes) * part.at.pose;
    }
}

bool Run::mount(PartRun& part, const Frame& belt, double above)
{
    const Pose place = inverse(worldFromFrame(m_cell, belt.id, axesAt(m_trace, m_now))) * worldOf(part, m_now);
    const Vec3& p = place.translation;
    const double height = p[2] + (part.box ? extentAlong(place, *part.box, Vec3::UnitZ()).low : 0);
    if (p[0] < -1e-9 || p[0] > belt.device->size[0] || std::abs(p[1]) > 0.5 * belt.device->size[1]
        || std::abs(height) > above)
        return false;
    part.belt = belt.id;
    part.waits = false;
    put(part, {0, {}, PartEvent::Kind::Rides, {}, belt.id, place});
    return true;
}

void Run::board(PartRun& part)
{
    for (const Frame* f = findFrame(m_cell, part.at.frame); f; f = findFrame(m_cell, f->parent))
        if (f->device && f->device->kind == Device::Kind::Belt) {
            mount(part, *f, kBeltHeight);
            return;
        }
}

void Run::boardWhatIsUnder(PartRun& part)
{
    for (const DeviceRun& device : m_devices)
        if (device.belt && mount(part, *findFrame(m_cell, device.frame), kSetDown)) return;
}

void Run::settle(DeviceRun& belt)
{
    for (PartRun& part : m_parts)
        if (part.belt == belt.frame && part.waits && freeWay(belt, part) > 1e-6) {
            part.waits = false;
            PartEvent event = part.at;
            event.kind = PartEvent::Kind::Rides;
            put(part, event);
            settle(belt);  // those behind it are free as well
            return;
        }
}

double Run::freeWay(const DeviceRun& belt, const PartRun& part) const
{
    const Pose world = worldFromFrame(m_cell, belt.frame, axesAt(m_trace, m_now)), beltFromWorld = inverse(world);
    const auto placeOf = [&](const PartRun& p) { return beltFromWorld * worldOf(p, m_now); };
    const auto reach = [&](const PartRun& p, const Pose& place, int axis) {
        return p.box ? extentAlong(place, *p.box, Vec3::Unit(axis)) : Extent{};
    };
    const Pose own = placeOf(part);
    if (!belt.device->accumulates) return belt.device->size[0] - own.translation[0];
    const Extent x = reach(part, own, 0), y = reach(part, own, 1);
    double limit = std::max(belt.device->size[0], own.translation[0]);
    for (const PartRun& other : m_parts) {
        if (other.belt != belt.frame || !other.waits || &other == &part) continue;
        const Pose place = placeOf(other);
        if (place.translation[0] <= own.translation[0]) continue;
        const Extent side = reach(other, place, 1);
        if (place.translation[1] + side.low >= own.translation[1] + y.high
            || place.translation[1] + side.high <= own.translation[1] + y.low)
            continue;
        limit = std::min(limit, place.translation[0] + reach(other, place, 0).low);
    }
    return limit - own.translation[0] - x.high;
}

double Run::nextStop() const
{
    double next = INFINITY;
    for (const DeviceRun& device : m_devices) {
        if (!device.belt) continue;
        for (const PartRun& part : m_parts)
            if (part.at.kind == PartEvent::Kind::Rides && part.belt == device.frame)
                next = std::min(next, device.belt->timeOf(m_now, std::max(0.0, freeWay(device, part))));
    }
    return next;
}

}  // namespace topikos
