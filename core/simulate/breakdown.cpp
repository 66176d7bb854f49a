#include "core/simulate/breakdown.h"

#include "core/cell/step_tree.h"

#include <fmt/format.h>

#include <map>

namespace topikos {

namespace {

double overlap(double aFrom, double aTo, double bFrom, double bTo)
{
    return std::max(0.0, std::min(aTo, bTo) - std::max(aFrom, bFrom));
}

/// What holds a move, and for how long, from the middle of the corner before to the middle of the one behind.
std::map<std::pair<int, int>, double> heldTimes(const Timing& timing)
{
    std::map<std::pair<int, int>, double> out;
    for (const Leg& leg : timing.legs)
        for (const Profile::Stretch& s : leg.law->stretches) {
            const double begin = leg.start + s.time;
            const double seconds = overlap(begin, begin + s.duration, 0, timing.duration);
            if (seconds > 0 && s.by.kind != HeldBy::Kind::Nothing) out[{int(s.by.kind), s.by.index}] += seconds;
        }
    return out;
}

/// What a move would take at the highest speeds and accelerations of the arm.
double atFullSpeed(const Arm& arm, const Move& move)
{
    if (const TableSegment* table = move.as<TableSegment>()) return table->duration;
    if (!move.isLine()) return planJointMove(arm, move.from, move.to, {}, move.alongside()).profile.duration;
    Move free = move;
    free.limits.lineSpeed = free.limits.turnSpeed = INFINITY;
    return fastestAlone(arm, free, 1).duration;
}

bool nearSingularity(const Cell& cell, const Move& move)
{
    return std::any_of(kSingularityKinds.begin(), kSingularityKinds.end(), [&](SingularityKind kind) {
        return move.singularity[size_t(kind)].value < cell.thresholds.cautions().of(kind);
    });
}

}  // namespace

std::string heldByText(const HeldBy& by)
{
    using Kind = HeldBy::Kind;
    switch (by.kind) {
    case Kind::Nothing: return "";
    case Kind::JointSpeed: return fmt::format("speed of joint {}", by.index + 1);
    case Kind::JointAcceleration: return fmt::format("acceleration of joint {}", by.index + 1);
    case Kind::JointJerk: return fmt::format("jerk of joint {}", by.index + 1);
    case Kind::ToolSpeed: return "speed of the tool";
    case Kind::ToolAcceleration: return "acceleration of the tool";
    case Kind::TurnSpeed: return "turning speed of the tool";
    case Kind::TurnAcceleration: return "turning acceleration of the tool";
    case Kind::AxisSpeed: return "speed of a device axis";
    case Kind::AxisAcceleration: return "acceleration of a device axis";
    }
    return "";
}

Breakdown breakdownOf(const Cell& cell, const Trace& trace)
{
    Breakdown out;
    const Cycles cycles = cyclesOf(trace);
    const bool endless =
        std::any_of(trace.arms.begin(), trace.arms.end(), [](const ArmTrace& a) { return !a.rounds.empty(); });
    out.to = trace.duration;
    out.cycles = cycles.done;
    if (endless && cycles.to > cycles.from) {
        out.from = cycles.from;
        out.to = cycles.to;
        out.cycles = std::max(1, cycles.done - (cycles.from > 0 ? 1 : 0));
    }
    out.cycleTime = cycles.time;
    out.partsPerHour = partsPerHour(trace);

    struct Known {
        double low = 0, joints = 0, singular = 0;
        std::map<std::pair<int, int>, double> held;
    };
    std::map<const Move*, Known> known;
    std::map<std::pair<ArmId, SignalId>, double> waited;
    for (const ArmTrace& trail : trace.arms) {
        const ArmStation& station = *findArm(cell, trail.arm);
        ArmShare arm{trail.arm};
        std::map<StepId, size_t> rows;
        std::map<RoutineId, double> routines;
        std::vector<std::map<std::pair<int, int>, double>> held;
        const size_t first = out.steps.size();
        for (const ArmTrace::Span& span : trail.spans) {
            const StepOutcome& outcome = trail.outcomes[span.outcome];
            const double seconds = overlap(span.start, span.end, out.from, out.to);
            const double whole = span.end - span.start;
            if (seconds <= 0 && !(whole == 0 && span.start >= out.from && span.start <= out.to)) continue;
            const auto [row, isNew] = rows.try_emplace(outcome.step, out.steps.size());
            if (isNew) {
                out.steps.push_back(
                    {trail.arm, outcome.routine, outcome.step, outcome.index, outcome.kind, 0, span.start});
                held.emplace_back();
            }
            StepShare& step = out.steps[row->second];
            const double part = whole > 0 ? seconds / whole : 1;
            ++step.passes;
            step.time += seconds;
            routines[outcome.routine] += seconds;
            switch (traitsOf(outcome.kind).time) {
            case TimeUse::Pausing: arm.pausing += seconds; break;
            case TimeUse::Moving: arm.moving += seconds; break;
            case TimeUse::Gripping: arm.gripping += seconds; break;
            case TimeUse::Axes: arm.axes += seconds; break;
            case TimeUse::Waiting:
                arm.waiting += seconds;
                if (const Step* own = findStep(findRoutine(cell, outcome.routine)->steps, outcome.step)) {
                    step.waitsFor = signalOf(*own);
                    waited[{trail.arm, step.waitsFor}] += seconds;
                }
                break;
            }
            if (!outcome.move || !outcome.timing || outcome.blocks()) continue;
            const Move& move = *outcome.move;
            auto found = known.find(&move);
            if (found == known.end()) {
                Known k;
                k.low = std::max(0.0, move.profile.duration - atFullSpeed(*station.model, move));
                (nearSingularity(cell, move) ? k.singular : k.joints) = move.slowed().seconds;
                found = known.emplace(&move, std::move(k)).first;
            }
            step.saved += part * (move.profile.duration - whole);
            step.low += part * found->second.low;
            step.joints += part * found->second.joints;
            step.singular += part * found->second.singular;
            for (const auto& [by, time] : heldTimes(*outcome.timing))
                held[row->second - first][by] += part * time;
        }
        for (size_t i = 0; i < held.size(); ++i)
            for (const auto& [by, time] : held[i])
                if (time > out.steps[first + i].held) {
                    out.steps[first + i].held = time;
                    out.steps[first + i].by = {HeldBy::Kind(by.first), std::int8_t(by.second)};
                }
        arm.ended = std::max(0.0, out.seconds() - arm.busy() - arm.waiting - arm.pausing);
        out.arms.push_back(arm);
        for (const auto& [routine, time] : routines)
            out.routines.push_back({routine, trail.arm, time});
    }
    const auto busiest = std::max_element(out.arms.begin(), out.arms.end(),
                                          [](const ArmShare& a, const ArmShare& b) { return a.busy() < b.busy(); });
    if (busiest != out.arms.end()) out.busiest = busiest->arm;
    for (const AxisTrack& track : trace.axes) {
        double moving = 0, until = -INFINITY;
        for (const AxisSpan& span : track.spans) {
            moving += overlap(std::max(span.start, until), span.end(), out.from, out.to);
            until = std::max(until, span.end());
        }
        if (moving > 0) out.devices.push_back({track.frame, moving});
    }
    for (const BeltTrack& belt : trace.belts) {
        double moving = 0;
        for (size_t i = 0; i < belt.stretches.size(); ++i) {
            const BeltStretch& s = belt.stretches[i];
            const double end = i + 1 < belt.stretches.size() ? belt.stretches[i + 1].start : trace.duration;
            if (s.speed != 0 || s.acceleration != 0) moving += overlap(s.start, end, out.from, out.to);
        }
        if (moving > 0) out.devices.push_back({belt.belt, moving});
    }
    for (const auto& [key, time] : waited)
        out.signals.push_back({key.second, key.first, time});
    std::stable_sort(out.signals.begin(), out.signals.end(),
                     [](const SignalShare& a, const SignalShare& b) { return a.waited > b.waited; });
    return out;
}

void compareWith(Breakdown& now, const Breakdown& before)
{
    std::map<std::pair<ArmId, StepId>, double> times;
    for (const StepShare& step : before.steps)
        times[{step.arm, step.step}] = before.cycles > 0 ? step.time / before.cycles : step.time;
    for (StepShare& step : now.steps) {
        const auto found = times.find({step.arm, step.step});
        if (found != times.end()) step.before = found->second;
    }
}

}  // namespace topikos
