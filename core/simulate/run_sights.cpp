#include "core/simulate/run.h"

#include "core/robot/forward.h"

#include <algorithm>

// What sensors, scanners, light barriers, sinks and sources see, and when that changes.
//
// A part that rides in line past a device is foreseen exactly, as a way of the belt. Everything else is found by going
// ahead in time no further than the gap at hand allows at the highest speed possible (conservative advancement:
// Mirtich, "Impulse-based Dynamic Simulation", 1996, section 2.3).

namespace topikos {

namespace {

constexpr double kSightExact = 1e-6;    // changes are found to this [s]
constexpr double kShortestLook = 1e-4;  // near the edge of sight looks come no closer than this [s]
constexpr double kSpeedSlack = 1.02;    // speeds of joints along lines are known at knots only

/// Where a device looks, in its frame.
Box regionOf(const Device& d)
{
    if (d.kind == Device::Kind::Sensor) return {translated({d.size[0] / 2, 0, 0}), {d.size[0] / 2, 0, 0}};
    if (d.kind == Device::Kind::LightBarrier)
        return {translated({d.size[0] / 2, 0, d.size[2] / 2}), {d.size[0] / 2, 0, d.size[2] / 2}};
    return {Pose{}, 0.5 * d.size};
}

bool watches(const Device& d)
{
    using Kind = Device::Kind;
    return d.kind == Kind::Sensor || d.kind == Kind::LightBarrier || d.kind == Kind::Source || d.kind == Kind::Sink
           || (d.kind == Kind::Scanner && !d.input);
}

/// Whether the origin of a part counts, not its extent.
bool seesOrigins(const Device& d)
{
    return d.kind == Device::Kind::Sink || d.kind == Device::Kind::Scanner || d.kind == Device::Kind::Clamp;
}

/// Highest speed that each joint can have in a stretch of time [rad/s or m/s], none for an arm that stands.
JointVector fastest(const Arm& arm, const ArmTrace& trace, double from, double to)
{
    JointVector speeds = JointVector::Zero(arm.jointCount());
    const auto after = std::upper_bound(trace.spans.begin(), trace.spans.end(), to,
                                        [](double t, const ArmTrace::Span& s) { return t < s.start; });
    for (auto span = after; span != trace.spans.begin();) {
        --span;
        // Signals in between take no time.
        if (span->end < from && span->end > span->start) break;
        const Move* move = trace.outcomes[span->outcome].move.get();
        if (!move || span->end < from) continue;
        JointVector most = JointVector::Zero(arm.jointCount());
        for (const Leg& leg : trace.outcomes[span->outcome].timing->legs)
            most = most.cwiseMax(leg.move->highestRate() * leg.law->peakSpeed());
        for (int i = 0; i < arm.jointCount(); ++i)
            speeds[i] = std::max(speeds[i], kSpeedSlack * std::min(most[i], arm.joints()[size_t(i)].speed));
    }
    return speeds;
}

}  // namespace

void Run::makeBodies()
{
    for (const ArmStation& station : m_cell.arms) {
        const auto run =
            std::find_if(m_arms.begin(), m_arms.end(), [&](const ArmRun& a) { return a.station == &station; });
        ArmBody body{&station, run == m_arms.end() ? nullptr : &*run, linkBoxes(*station.model)};
        body.links.push_back(boxAround(toolInForce(m_cell, station).body));
        for (const std::optional<Box>& box : body.links)
            if (box) body.size = std::max(body.size, box->pose.translation.norm() + box->half.norm());
        m_bodies.push_back(std::move(body));
    }
}

void Run::makeSights()
{
    for (size_t i = 0; i < m_devices.size(); ++i) {
        if (!watches(*m_devices[i].device)) continue;
        m_watchers.push_back(i);
        if (m_devices[i].device->kind == Device::Kind::LightBarrier && m_bodies.empty()) makeBodies();
    }
    for (const size_t belt : m_belts)
        for (const size_t watcher : m_watchers) {
            if (m_places.axesAbove(m_devices[belt].frame) == m_places.axesAbove(m_devices[watcher].frame))
                m_inLine.insert({belt, watcher});
            else m_allInLine = false;
        }
}

bool Run::passesInLine(const DeviceRun& belt, const DeviceRun& watcher) const
{
    return m_allInLine || m_inLine.contains({size_t(&belt - m_devices.data()), size_t(&watcher - m_devices.data())});
}

/// Whether a device takes notice of a part at all.
bool Run::mayHold(const DeviceRun& device, const PartRun& part) const
{
    const bool carried = part.at.kind == PartEvent::Kind::Carried;
    if (part.gone() || (device.device->kind == Device::Kind::Sink && carried)) return false;
    return device.device->kind != Device::Kind::LightBarrier || carried;
}

double Run::gapTo(const DeviceRun& device, const PartRun& part, double time) const
{
    const Pose world = worldOf(device.frame, time), place = worldOf(part, time);
    const Box region = regionOf(*device.device);
    if (seesOrigins(*device.device) || !part.box) return gap(world, region, place.translation);
    return gap(world, region, place, *part.box);
}

double Run::gapToArms(const DeviceRun& device, double time) const
{
    const Pose world = worldOf(device.frame, time);
    const Box region = regionOf(*device.device);
    double least = INFINITY;
    for (const ArmBody& body : m_bodies) {
        const ArmStation& station = *body.station;
        ChainFrames frames;
        chainFrames(*station.model, body.run ? postureAt(m_cell, *body.run->trace, time) : homePosture(m_cell, station),
                    frames);
        const Pose base = worldOf(station.mount, time);
        for (size_t k = 0; k < body.links.size(); ++k) {
            if (!body.links[k]) continue;
            const bool tool = k + 1 == body.links.size();
            const Pose link = tool ? flangePlace(base, frames) : linkPlace(base, frames, k);
            least = std::min(least, gap(world, region, link, *body.links[k]));
        }
    }
    return least;
}

void Run::setInside(DeviceRun& device, size_t part, bool inside)
{
    if (inside) device.inside.insert(part);
    else device.inside.erase(part);
}

/// Something happened to a part: who sees it is worked out anew.
void Run::lookAgainAt(size_t i)
{
    const PartRun& part = m_parts[i];
    for (const size_t w : m_watchers) {
        DeviceRun& device = m_devices[w];
        setInside(device, i, mayHold(device, part) && gapTo(device, part, m_now) <= 0);
    }
    if (part.at.kind == PartEvent::Kind::Rides) foresee(i);
}

/// Ways of the belt at which a riding part comes into sight and leaves it.
void Run::foresee(size_t i)
{
    const PartRun& part = m_parts[i];
    DeviceRun& belt = m_devices[m_deviceOf.at(part.belt.value)];
    const Pose beltFromWorld = inverse(worldOf(belt.frame, m_now));
    const double travel = belt.belt->travel(m_now);
    for (const size_t w : m_watchers) {
        DeviceRun& device = m_devices[w];
        if (!mayHold(device, part) || !passesInLine(belt, device)) continue;
        const Pose region = beltFromWorld * worldOf(device.frame, m_now);
        const std::optional<Box> box = seesOrigins(*device.device) ? std::nullopt : part.box;
        const Interval way = shiftsThatMeet(region, regionOf(*device.device), part.at.pose, box, Vec3::UnitX());
        if (way.low > way.high || way.high < 0) continue;
        if (way.low > 0) belt.passages.push({travel + way.low, i, part.stay, Passage::Kind::Enters, w});
        setInside(device, i, way.low <= 0);
        if (std::isfinite(way.high)) belt.passages.push({travel + way.high, i, part.stay, Passage::Kind::Leaves, w});
    }
}

bool Run::look()
{
    bool any = false;
    // Those that only look say what they see.
    for (const size_t w : m_watchers) {
        DeviceRun& device = m_devices[w];
        const bool sees = device.armInside || !device.inside.empty();
        const Device::Kind kind = device.device->kind;
        if (kind == Device::Kind::Scanner) {
            const std::optional<size_t> first = sees ? std::optional(*device.inside.begin()) : std::nullopt;
            if (first == device.read) continue;
            device.read = first;
            read(device, first);
            any = true;
        } else if (kind != Device::Kind::Sink && sees != device.says) {
            device.says = sees;
            setSignal(device.device->output, sees);
            any = true;
        }
    }
    if (any) return true;
    for (const size_t w : m_watchers) {
        DeviceRun& sink = m_devices[w];
        if (sink.device->kind != Device::Kind::Sink || sink.inside.empty()) continue;
        put(*sink.inside.begin(), {0, {}, PartEvent::Kind::Gone, {}, sink.frame, {}});
        setSignal(sink.device->number, ++sink.count);
        return true;
    }
    for (const size_t w : m_watchers)
        if (m_devices[w].device->kind == Device::Kind::Source && makePart(m_devices[w])) return true;
    return false;
}

/// Highest speed in a stretch of time of a point up to `size` away from the origin of a frame.
double Run::speedOf(FrameId frame, double from, double to, double size) const
{
    const std::vector<FrameId>& axes = m_places.axesAbove(frame);
    double speed = 0, slides = 0;
    for (const FrameId id : axes) {
        const FrameAxis& axis = *m_places.frame(id).axis;
        if (axis.kind == JointKind::Prismatic) slides += axis.highest - axis.lowest;
    }
    for (const FrameId id : axes) {
        const AxisTrack& track = *m_axisRuns.at(id).track;
        double own = 0;
        for (auto span = track.spans.rbegin(); span != track.spans.rend() && span->restsFrom > from; ++span)
            if (span->start <= to) own += std::abs(span->to - span->from) * span->timing->peakRate();
        if (own == 0) continue;
        if (m_places.frame(id).axis->kind == JointKind::Revolute)
            own *= (worldOf(frame, from).translation - worldOf(id, from).translation).norm() + size + slides;
        speed += own;
    }
    return speed;
}

/// The same of a point up to `size` away from the flange or from any link of an arm.
double Run::speedOf(const ArmRun& arm, double from, double to, double size) const
{
    const Arm& model = *arm.station->model;
    const JointVector speeds = fastest(model, *arm.trace, from, to);
    double speed = speedOf(arm.station->mount, from, to, arm.lengths.front() + size);
    for (int i = 0; i < model.jointCount(); ++i)
        speed +=
            speeds[i] * (model.joints()[size_t(i)].kind == JointKind::Revolute ? arm.lengths[size_t(i)] + size : 1);
    return speed;
}

double Run::speedOf(const PartRun& part, double from, double to) const
{
    if (part.still || part.gone()) return 0;
    const PartEvent& at = part.at;
    const double size = part.size + at.pose.translation.norm();
    if (at.kind == PartEvent::Kind::Carried) {
        const auto arm =
            std::find_if(m_arms.begin(), m_arms.end(), [&](const ArmRun& a) { return a.station->id == at.arm; });
        return speedOf(*arm, from, to, size + flangeFromTcp(m_cell, *arm->station).translation.norm());
    }
    if (at.kind == PartEvent::Kind::Lies) return speedOf(at.frame, from, to, size);
    const DeviceRun& belt = m_devices[m_deviceOf.at(at.frame.value)];
    const double own = belt.belt->moves(from) ? belt.device->speed : 0;
    return own + speedOf(at.frame, from, to, size + belt.device->size[0]);
}

/// The first time up to `until` at which something comes into sight or leaves it, other than by riding past in line.
double Run::nextSight(double until)
{
    if (m_watchers.empty() || !(until > m_now)) return INFINITY;
    const bool axesMove = std::any_of(m_axisRuns.begin(), m_axisRuns.end(),
                                      [&](const auto& a) { return a.second.track->movesAt(m_now); });
    const auto armMoves = [](const ArmRun& a) { return !a.done && !a.waits; };
    if (!axesMove && m_allInLine && std::none_of(m_arms.begin(), m_arms.end(), armMoves)) return INFINITY;
    // Which parts may move against a device: where no axis moves, those in the grip of an arm, and those on belts that
    // a device is not in line with.
    std::vector<size_t> parts;
    if (axesMove || !m_allInLine) {
        for (size_t i = 0; i < m_parts.size(); ++i)
            if (!m_parts[i].gone()) parts.push_back(i);
    } else {
        for (const ArmRun& arm : m_arms)
            if (arm.carried && armMoves(arm)) parts.push_back(*arm.carried);
        std::sort(parts.begin(), parts.end());
    }
    struct Sight {
        DeviceRun* device;
        std::optional<size_t> part;  ///< or the arms
        double speed, until;
    };
    const double horizon = std::isfinite(until) ? until : m_now + 1;
    std::vector<Sight> changes;
    double first = horizon;
    const auto isInside = [&](const Sight& s) {
        return s.part ? s.device->inside.contains(*s.part) : s.device->armInside;
    };
    const auto gapAt = [&](const Sight& s, double time) {
        return s.part ? gapTo(*s.device, m_parts[*s.part], time) : gapToArms(*s.device, time);
    };
    // Goes ahead as far as nothing can change; keeps the sight if it changes before all others.
    const auto follow = [&](const Sight& s) {
        const bool inside = isInside(s);
        double time = m_now;
        size_t looks = 0;
        for (double g = gapAt(s, time); time < first;) {
            if (++looks % 4096 == 0 && m_options.stop.stop_requested()) return;
            const double before = time;
            time = std::min(first, time + std::max(kShortestLook, std::abs(g) / s.speed));
            g = gapAt(s, time);
            if ((g <= 0) == inside) continue;
            double low = before, high = time;
            while (high - low > kSightExact) {
                const double middle = 0.5 * (low + high);
                ((gapAt(s, middle) <= 0) == inside ? low : high) = middle;
            }
            if (high < first) changes.clear();
            first = std::min(first, high);
            changes.push_back({s.device, s.part, 0, high});
            return;
        }
    };
    for (const size_t w : m_watchers) {
        DeviceRun& device = m_devices[w];
        const double own = axesMove ? speedOf(device.frame, m_now, horizon, device.device->size.norm()) : 0;
        if (device.device->kind == Device::Kind::LightBarrier) {
            double speed = own;
            for (const ArmBody& body : m_bodies)
                speed =
                    std::max(speed, own
                                        + (body.run ? speedOf(*body.run, m_now, horizon, body.size)
                                                    : speedOf(body.station->mount, m_now, horizon, 10 + body.size)));
            if (speed > 0) follow({&device, std::nullopt, speed, 0});
        }
        for (const size_t i : parts) {
            const PartRun& part = m_parts[i];
            if (!mayHold(device, part)) continue;
            const bool rides = part.at.kind == PartEvent::Kind::Rides;
            if (rides && passesInLine(m_devices[m_deviceOf.at(part.belt.value)], device)) continue;
            const double speed = own + speedOf(part, m_now, horizon);
            if (speed > 0) follow({&device, i, speed, 0});
        }
    }
    for (const Sight& s : changes) {
        if (s.until > first) continue;
        if (s.part) setInside(*s.device, *s.part, !isInside(s));
        else s.device->armInside = !s.device->armInside;
    }
    if (!changes.empty()) return first;
    return std::isfinite(until) ? INFINITY : horizon;
}

}  // namespace topikos
