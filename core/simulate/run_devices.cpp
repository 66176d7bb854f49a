#include "core/simulate/run.h"

#include "core/cell/devices.h"

#include <fmt/format.h>

#include <algorithm>

// What devices do in a run.

namespace topikos {

void Run::makeDevices()
{
    for (const Frame& frame : m_cell.frames)
        if (frame.device) m_devices.push_back({frame.id, &*frame.device});
    std::sort(m_devices.begin(), m_devices.end(),
              [](const DeviceRun& a, const DeviceRun& b) { return a.frame < b.frame; });
    size_t belts = 0;
    for (const DeviceRun& device : m_devices)
        belts += device.device->kind == Device::Kind::Belt;
    m_trace.belts.reserve(belts);  // belts keep a reference to their track
    for (size_t i = 0; i < m_devices.size(); ++i) {
        DeviceRun& device = m_devices[i];
        m_deviceOf[device.frame.value] = i;
        if (device.device->input) m_readersOf[device.device->input.value].push_back(i);
        if (device.device->kind == Device::Kind::Belt) {
            m_trace.belts.push_back({device.frame, {}});
            device.belt = std::make_unique<BeltRun>(*device.device, m_trace.belts.back());
            m_belts.push_back(i);
        }
    }
    // A clamp moves the first of its axes.
    for (const auto& [frame, axis] : m_axisRuns) {
        DeviceRun& device = m_devices[m_deviceOf.at(axis.device.value)];
        if (device.device->kind != Device::Kind::Clamp) continue;
        if (!device.axis || m_places.axesAbove(frame).size() < m_places.axesAbove(device.axis).size())
            device.axis = frame;
    }
}

void Run::startDevices()
{
    std::set<FrameId> withAxes;
    for (const auto& [frame, axis] : m_axisRuns)
        withAxes.insert(axis.device);
    for (DeviceRun& device : m_devices) {
        const Device& d = *device.device;
        const bool on = d.input && signal(d.input) != 0;
        if (device.belt && !d.indexing && (on || !d.input)) device.belt->run(0, true);
        if (d.kind == Device::Kind::Source && !d.input) {
            device.asked = true;
            setDue(device, d.interval);
        }
        if (d.kind == Device::Kind::Clamp && on) react(device, 1);
        if (!wiresOf(d.kind).output) continue;
        if (device.belt) setSignal(d.output, device.belt->moves(0));
        else setSignal(d.output, withAxes.contains(device.frame) && d.kind != Device::Kind::Clamp);
    }
}

void Run::setDue(DeviceRun& device, double time)
{
    const size_t i = size_t(&device - m_devices.data());
    if (std::isfinite(device.due)) m_due.erase({device.due, i});
    device.due = time;
    if (std::isfinite(time)) m_due.insert({time, i});
}

bool Run::devicesGoOn()
{
    bool any = false;
    while (!m_due.empty() && m_due.begin()->first <= m_now) {
        pass(m_devices[m_due.begin()->second]);
        any = true;
        if (!spend()) break;
    }
    return any;
}

double Run::signal(SignalId id) const
{
    const auto found = m_signals.find(id.value);
    return found == m_signals.end() ? 0 : found->second;
}

void Run::setSignal(SignalId id, double value)
{
    const auto own = m_signals.find(id.value);
    if (own == m_signals.end() || own->second == value) return;
    own->second = value;
    m_trace.signalEvents.push_back({m_now, id, value});
    keep(0, sizeof(SignalEvent));
    // Who waits hears each value, also one that another takes the place of at the same instant.
    for (ArmRun& arm : m_arms)
        if (arm.waits && arm.waiting.step->as<WaitSignal>()->until.signal == id)
            arm.heard = arm.heard || met(arm.waiting.step->as<WaitSignal>()->until);
    if (const auto readers = m_readersOf.find(id.value); readers != m_readersOf.end())
        for (const size_t device : readers->second)
            m_reactions.push_back({device, value});
    if (m_reacting) return;
    // What follows from what follows waits for its turn, so that chains of any length go through.
    m_reacting = true;
    while (!m_reactions.empty() && spend()) {
        const auto [device, seen] = m_reactions.front();
        m_reactions.pop_front();
        react(m_devices[device], seen);
    }
    m_reacting = false;
}

/// What a program writes holds: the end of an earlier pulse does not come over it.
void Run::writeSignal(SignalId id, double value)
{
    std::erase_if(m_writes, [id](const auto& write) { return write.second.first == id; });
    setSignal(id, value);
}

/// A later write of a signal takes the place of one that is to come.
void Run::setLater(double time, SignalId id, double value)
{
    std::erase_if(m_writes, [id](const auto& write) { return write.second.first == id; });
    m_writes.insert({time, {id, value}});
}

bool Run::writesGoOn()
{
    bool any = false;
    while (!m_writes.empty() && m_writes.begin()->first <= m_now) {
        const auto [id, value] = m_writes.begin()->second;
        m_writes.erase(m_writes.begin());
        setSignal(id, value);
        any = true;
        if (!spend()) break;
    }
    return any;
}

void Run::react(DeviceRun& device, double value)
{
    const Device& d = *device.device;
    switch (d.kind) {
    case Device::Kind::Belt:
        if (!d.indexing) device.belt->run(m_now, value != 0);
        else if (value != 0) device.belt->index(m_now);
        setDue(device, device.belt->restsAt());
        if (device.belt->moves(m_now)) setSignal(d.output, 1);
        break;
    case Device::Kind::Source:
        if (value != 0) device.asked = true;
        break;
    case Device::Kind::Scanner: {
        if (value == 0) break;
        std::optional<size_t> seen;
        for (size_t i = 0; i < m_parts.size() && !seen; ++i)
            if (mayHold(device, m_parts[i]) && gapTo(device, m_parts[i], m_now) <= 0) seen = i;
        read(device, seen);
        break;
    }
    case Device::Kind::Clamp: {
        if (!device.axis) break;
        const FrameAxis& axis = *m_places.frame(device.axis).axis;
        const double goal = value != 0 ? axis.highest : axis.lowest;
        const std::vector<AxisTravel> travels = travelsTo(m_cell, {{device.axis, goal}}, m_axes);
        const Profile profile = profileInStep(companionsOf(m_cell, travels), 1);
        travel(nullptr, travels, fractionTiming(profile), m_now);
        arrive(travels);
        setDue(device, m_now + profile.duration);
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
        setDue(device, device.belt->restsAt());
        if (!device.belt->moves(m_now)) setSignal(d.output, 0);
        return;
    }
    setDue(device, INFINITY);
    if (d.kind == Device::Kind::Source) {
        device.asked = true;
        setDue(device, m_now + d.interval);
    } else if (d.kind == Device::Kind::Clamp) {
        if (signal(d.input) == 0) return;
        for (PartRun& part : m_parts)
            if (!part.gone() && gapTo(device, part, m_now) <= 0) part.clamp = device.frame;
        setSignal(d.output, 1);
    } else {
        setSignal(d.output, 1);
    }
}

bool Run::makePart(DeviceRun& source)
{
    const Device& d = *source.device;
    if (!source.asked || !source.inside.empty() || !d.makes || source.count >= d.most) return false;
    source.asked = false;
    const PartKind& kind = *findPartKind(m_cell, d.makes);
    Part part;
    part.id = {m_cell.nextId + m_made++};
    part.name = fmt::format("{} of {} {}", kind.name, frameName(m_cell, source.frame), ++source.count);
    part.kind = d.makes;
    part.frame = source.frame;
    m_trace.made.push_back(part);
    PartRun made{part, boxAround(kind.solids), 0, {}};
    if (made.box) made.size = made.box->pose.translation.norm() + made.box->half.norm();
    size_t place = m_parts.size();
    if (m_free.empty()) {
        m_parts.push_back(std::move(made));
    } else {
        place = m_free.back();
        m_free.pop_back();
        made.stay = m_parts[place].stay + 1;  // what was foreseen for the one before is void
        m_parts[place] = std::move(made);
    }
    put(place, {0, {}, PartEvent::Kind::Lies, {}, source.frame, {}});
    board(place);
    setSignal(d.number, source.count);
    return true;
}

void Run::read(DeviceRun& scanner, std::optional<size_t> part)
{
    // The number of a kind: its place in the order in which kinds came into the cell.
    double code = 0;
    if (part) {
        const PartKindId kind = m_parts[*part].part.kind;
        for (const PartKind& k : m_cell.partKinds)
            if (k.id <= kind) ++code;
    }
    setSignal(scanner.device->number, code);
    setSignal(scanner.device->output, part.has_value());
}

}  // namespace topikos
