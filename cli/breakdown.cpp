#include "cli/breakdown.h"

#include "core/report/breakdown_csv.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace topikos::cli {

using Json = nlohmann::ordered_json;

Json breakdownJson(const Cell& cell, const Breakdown& b)
{
    Json out{{"from", b.from},
             {"to", b.to},
             {"cycles", b.cycles},
             {"cycle_time", b.cycleTime},
             {"parts_per_hour", b.partsPerHour},
             {"busiest", b.busiest ? Json(findArm(cell, b.busiest)->name) : Json()}};
    Json& arms = out["arms"] = Json::array();
    for (const ArmShare& a : b.arms)
        arms.push_back({{"arm", findArm(cell, a.arm)->name},
                        {"moving", a.moving},
                        {"gripping", a.gripping},
                        {"axes", a.axes},
                        {"waiting", a.waiting},
                        {"pausing", a.pausing},
                        {"ended", a.ended}});
    Json& routines = out["routines"] = Json::array();
    for (const RoutineShare& r : b.routines)
        routines.push_back({{"routine", findRoutine(cell, r.routine)->name},
                            {"arm", findArm(cell, r.arm)->name},
                            {"seconds", r.time}});
    Json& devices = out["devices"] = Json::array();
    for (const DeviceShare& d : b.devices)
        devices.push_back({{"device", findFrame(cell, d.frame)->name}, {"moving", d.moving}});
    Json& waiting = out["waiting"] = Json::array();
    for (const SignalShare& s : b.signals)
        waiting.push_back(
            {{"signal", findSignal(cell, s.signal)->name}, {"arm", findArm(cell, s.arm)->name}, {"seconds", s.waited}});
    Json& steps = out["steps"] = Json::array();
    for (const StepShare& s : b.steps)
        steps.push_back({{"arm", findArm(cell, s.arm)->name},
                         {"routine", findRoutine(cell, s.routine)->name},
                         {"step", s.index + 1},
                         {"passes", s.passes},
                         {"seconds", s.time},
                         {"saved_by_corners", s.saved},
                         {"lost_to_joints", s.joints},
                         {"lost_near_singularities", s.singular},
                         {"lost_to_low_speed", s.low},
                         {"held_by", heldByText(s.by)}});
    return out;
}

std::string breakdownText(const Cell& cell, const Breakdown& b)
{
    const auto share = [&](double seconds) { return b.seconds() > 0 ? 100 * seconds / b.seconds() : 0; };
    std::string out =
        fmt::format("\nFrom {:.3f} s to {:.3f} s, {} cycle{}\n\n", b.from, b.to, b.cycles, b.cycles == 1 ? "" : "s");
    out += fmt::format("{:>9}  {:>5}  {:>7}  {:>7}  {:>7}  step\n", "seconds", "%", "saved s", "joint s", "low s");
    for (const StepShare& s : b.steps)
        out += fmt::format("{:>9.3f}  {:>5.1f}  {:>7.3f}  {:>7.3f}  {:>7.3f}  {} {}: {}{}\n", s.time, share(s.time),
                           s.saved, s.joints + s.singular, s.low, findRoutine(cell, s.routine)->name, s.index + 1,
                           stepWords(cell, s), s.held > 0 ? "  [" + heldByText(s.by) + "]" : "");
    out += "\n";
    for (const ArmShare& a : b.arms)
        out += fmt::format("{}: moves {:.3f} s, grips {:.3f} s, moves axes {:.3f} s, waits {:.3f} s, pauses {:.3f} s, "
                           "has ended {:.3f} s{}\n",
                           findArm(cell, a.arm)->name, a.moving, a.gripping, a.axes, a.waiting, a.pausing, a.ended,
                           b.arms.size() > 1 && a.arm == b.busiest ? "  (the busiest)" : "");
    for (const SignalShare& s : b.signals)
        out += fmt::format("{} waits {:.3f} s for {}\n", findArm(cell, s.arm)->name, s.waited,
                           findSignal(cell, s.signal)->name);
    for (const DeviceShare& d : b.devices)
        out += fmt::format("{} moves {:.3f} s\n", findFrame(cell, d.frame)->name, d.moving);
    return out;
}

}  // namespace topikos::cli
