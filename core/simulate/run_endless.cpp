#include "core/simulate/run.h"

#include "core/spatial/limits.h"

// How runs that have no end, or keep too much, are found and given up.

namespace topikos {

bool Run::keep(size_t events, size_t bytes)
{
    if (m_trace.stuck) return false;
    m_events += events;
    m_bytes += bytes;
    if (double(m_events) <= limits::kRunEvents.most && double(m_bytes) <= limits::kRunMemory.most) return true;
    // Named after the arm whose program has done the most.
    const ArmRun* busiest = nullptr;
    for (const ArmRun& arm : m_arms)
        if (!arm.done && (!busiest || arm.trace->outcomes.size() > busiest->trace->outcomes.size())) busiest = &arm;
    giveUp(Stuck::Why::TooMuch, busiest);
    return false;
}

void Run::giveUp(Stuck::Why why, const ArmRun* arm, const Step* block)
{
    if (m_trace.stuck) return;
    Stuck stuck{why, m_now};
    if (arm) {
        const Operation here = arm->cursor.whereItIs();
        const Within* within = here.within.get();
        stuck.calls = callDepth(within);
        // The block or call of the main routine that all of it is in.
        while (within && within->outer)
            within = within->outer.get();
        stuck.step = block ? block->id : within ? within->step : StepId();
        stuck.routine = block ? here.routine->id : arm->routine->id;
        if (stuck.step) stuck.arm = arm->station->id;
    }
    m_trace.stuck = stuck;
}

bool Run::repeats(ArmRun::Watch& watch)
{
    ++watch.passes;
    // Of many passes some are looked at: what goes in a circle does so in steps of any length.
    constexpr size_t kAllLooked = 64, kLooked = 16;
    if (watch.passes > kAllLooked && watch.passes % kLooked != 0) return false;
    const Digest now = state();
    if (watch.passes > 1 && now == watch.then) return true;
    if (watch.passes >= watch.next) {
        watch.then = now;
        watch.next = 2 * watch.passes;
        watch.time = m_now;
    }
    return false;
}

bool Run::passes(ArmRun& arm)
{
    if (!keep(1 + size_t(arm.cursor.entered()), sizeof(Within))) return false;
    const Step* block = arm.cursor.passOfBlock();
    const Repeat* repeat = block ? block->as<Repeat>() : nullptr;
    if (!repeat || repeat->kind == Repeat::Kind::Times || repeat->kind == Repeat::Kind::Endless) return true;
    ArmRun::Watch& watch = arm.watches[block->id.value];
    if (!repeats(watch)) return true;
    giveUp(watch.time == m_now ? Stuck::Why::NoTimePasses : Stuck::Why::NothingChanges, &arm, block);
    return false;
}

bool Run::passesAgain(ArmRun& arm)
{
    if (!keep(1, sizeof(double))) return false;
    ArmRun::Watch& watch = arm.watches[0];  // no block has that id
    if (!repeats(watch) || watch.time != m_now) return true;
    giveUp(Stuck::Why::NoTimePasses, &arm);
    return false;
}

Digest Run::state() const
{
    Digest key;
    const auto later = [&](double time) { key.add(time - m_now); };
    const auto number = [&](size_t n) { key.add(std::uint64_t(n)); };
    for (const ArmRun& arm : m_arms) {
        arm.cursor.describe(key);
        number(size_t(arm.done) | size_t(arm.waits) << 1 | size_t(arm.limited) << 2 | size_t(arm.grips) << 3);
        number(arm.carried ? *arm.carried + 1 : 0);
        key.add(std::uint64_t(arm.point.value) << 32 | arm.place.value);
        if (!arm.done) later(arm.ready);
        key.add(arm.opening);
        for (const double q : arm.posture)
            key.add(q);
        number(arm.moves.outcomes.size() - arm.moves.next);
        for (size_t k = arm.moves.next; k < arm.moves.outcomes.size(); ++k)
            key.add(arm.moves.outcomes[k].duration);
    }
    for (const auto& [id, value] : m_signals) {
        number(id);
        key.add(value);
    }
    for (const auto& [time, write] : m_writes) {
        later(time);
        number(write.first.value);
        key.add(write.second);
    }
    for (const PartRun& part : m_parts) {
        if (part.gone()) continue;
        number(size_t(part.at.kind) << 1 | size_t(part.waits));
        key.add(std::uint64_t(part.at.arm.value) << 32 | part.at.frame.value);
        key.add(std::uint64_t(part.belt.value) << 32 | part.clamp.value);
        key.add(part.at.pose);
        if (!part.belt) continue;
        const BeltRun& belt = *m_devices[m_deviceOf.at(part.belt.value)].belt;
        key.add(part.waits ? part.onBelt : part.onBelt + belt.travel(m_now));
    }
    for (const DeviceRun& device : m_devices) {
        later(device.due);
        // What has been counted, where it says when there is an end of it, or is told.
        if (device.device->kind == Device::Kind::Source) number(device.count);
        number(size_t(device.asked) | size_t(device.armInside) << 1 | size_t(device.says) << 2);
        number(device.read ? *device.read + 1 : 0);
        number(device.inside.size());
        if (!device.belt) continue;
        number(device.belt->moves(m_now));
        later(device.belt->restsAt());
    }
    for (const auto& [frame, axis] : m_axisRuns) {
        key.add(axis.track->at(m_now).value_or(NAN));
        number(axis.track->movesAt(m_now));
        if (axis.track->movesAt(m_now)) later(axis.track->spans.back().end());
    }
    for (const AxisValue& axis : m_axes) {
        number(axis.frame.value);
        key.add(axis.value);
    }
    number(m_reactions.size());
    return key;
}

}  // namespace topikos
