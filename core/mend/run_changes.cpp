#include "core/mend/run_changes.h"

#include "core/cell/devices.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/cell/pattern.h"
#include "core/cell/step_tree.h"
#include "core/check/rules/rules.h"
#include "core/simulate/state.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

namespace {

Change plain(const char* change, double rank, std::function<Result<Cell>()> make, std::string text)
{
    return {change,
            rank,
            0,
            {0},
            0,
            [make = std::move(make)](double) { return make(); },
            [text = std::move(text)](double) { return text; }};
}

/// The step of a finding, with its routine.
struct At {
    const Cell& cell;
    const Routine* routine;
    const Step* step;
    std::string words;  ///< "step 4"

    Result<Cell> with(const Step& changed) const { return changeStep(cell, routine->id, changed); }
    Result<Cell> before(Step more) const
    {
        return insertSteps(cell, routine->id, *placeOf(routine->steps, step->id), {std::move(more)});
    }
    Result<Cell> off() const
    {
        Step changed = *step;
        changed.off = true;
        return with(changed);
    }
};

/// The step is not run.
Change disabled(const At& at, double rank)
{
    return plain(
        "step-off", rank, [at] { return at.off(); }, fmt::format("Disable {}", at.words));
}

/// The signal of a wait, or of a repeat, whose condition never comes.
void ofCondition(const At& at, const Condition& condition, std::vector<Change>& out)
{
    const Signal* signal = findSignal(at.cell, condition.signal);
    if (!signal) return;
    const Signal own = *signal;
    const double value = condition.value;
    const std::string state =
        own.kind == Signal::Kind::Digital ? (value != 0 ? "on" : "off") : fmt::format("{}", value);
    out.push_back(plain(
        "set-signal", 2,
        [at, own, value] {
            return at.before(Step{.action = SetSignal{own.id, value}});
        },
        fmt::format("Set \"{}\" {} before {}", own.name, state, at.words)));
    out.push_back(plain(
        "signal-start", 3,
        [at, own, value] {
            Signal changed = own;
            changed.start = value;
            return changeSignal(at.cell, changed);
        },
        fmt::format("Let \"{}\" begin {}", own.name, state)));
}

/// Two that wait for each other: one of them sets its signal before it waits.
void ofRing(const Cell& cell, const SignalFact& fact, std::vector<Change>& out)
{
    for (size_t i = 0; i < fact.ring.size(); ++i) {
        const SignalFact::Wait& waits = fact.ring[i];
        // What the one before it in the ring waits for.
        const SignalFact::Wait& other = fact.ring[(i + fact.ring.size() - 1) % fact.ring.size()];
        const ArmStation* arm = findArm(cell, waits.arm);
        const Signal* signal = findSignal(cell, other.signal);
        if (!arm || !signal) continue;
        for (const Routine& routine : cell.routines) {
            StepId wait, set;
            double value = 1;
            eachStep(routine.steps, [&](const Step& step, size_t) {
                const WaitSignal* own = step.as<WaitSignal>();
                if (!wait && own && own->until.signal == waits.signal) wait = step.id;
                const SetSignal* sets = step.as<SetSignal>();
                if (!set && sets && sets->signal == other.signal) set = step.id, value = sets->value;
            });
            if (!wait || !set || (routine.arm && routine.arm != arm->id)) continue;
            const RoutineId id = routine.id;
            out.push_back(plain(
                "set-signal", 2 + 0.1 * double(i),
                [&cell, id, wait, signal = signal->id, value] {
                    const Routine& own = *findRoutine(cell, id);
                    return insertSteps(cell, id, *placeOf(own.steps, wait), {Step{.action = SetSignal{signal, value}}});
                },
                fmt::format("Let {} set \"{}\" before it waits in step {}", arm->name, signal->name, waits.index + 1)));
        }
    }
}

void ofGrip(const At& at, const CheckResult& checked, const Finding& finding, std::vector<Change>& out)
{
    const Cell& cell = at.cell;
    const StepOutcome* grip = outcomeOf(checked, finding);
    const GripFact& fact = *finding.as<GripFact>();
    const ArmStation& arm = armOf(cell, finding);
    const Tool& tool = toolInForce(cell, arm);
    if (!grip) return;
    if (fact.carried) {
        out.push_back(plain(
            "release", 2, [at] { return at.before(Step{.action = Release{}}); },
            fmt::format("Release the part before {}", at.words)));
        out.push_back(disabled(at, 4));
        return;
    }
    if (fact.clamp) {
        const Frame* clamp = findFrame(cell, fact.clamp);
        const Signal* input = clamp && clamp->device ? findSignal(cell, clamp->device->input) : nullptr;
        if (input)
            out.push_back({"open-clamp",
                           2,
                           0.1,
                           {0.5, 1, 2, 4},
                           0,
                           [at, signal = input->id](double seconds) {
                               return insertSteps(
                                   at.cell, at.routine->id, *placeOf(at.routine->steps, at.step->id),
                                   {Step{.action = SetSignal{signal, 0}}, Step{.action = Wait{seconds}}});
                           },
                           [at, name = input->name](double seconds) {
                               return fmt::format("Set \"{}\" off before {}, and wait {} s", name, at.words, seconds);
                           }});
        return;
    }
    // How far away the nearest part lies.
    const CellState state = stateAt(cell, checked.trace, grip->start + grip->duration);
    const auto own =
        std::find_if(state.arms.begin(), state.arms.end(), [&](const ArmState& one) { return one.arm == arm.id; });
    if (own == state.arms.end()) return;
    const Pose tcp = worldFromTcp(cell, arm, own->posture, state.axes);
    double nearest = INFINITY;
    for (const PlacedPart& part : state.parts)
        if (!part.carried) nearest = std::min(nearest, (part.worldFromPart.translation - tcp.translation).norm());
    if (tool.gripper.region.isZero() && nearest > tool.gripper.grasp && nearest <= 0.2) {
        const double wanted = std::ceil((nearest + 1e-6) / kMillimetre) * kMillimetre;
        out.push_back(plain(
            "grasp", 5,
            [&cell, id = tool.id, wanted]() -> Result<Cell> {
                Cell next = cell;
                next.tools.edit(id)->gripper.grasp = wanted;
                return next;
            },
            fmt::format("Let {} grip within {}", tool.name, mm(wanted))));
    }
    out.push_back({"wait",
                   4,
                   0.05,
                   {1, 2, 5, 10, 20},
                   0,
                   [at](double seconds) { return at.before(Step{.action = Wait{seconds}}); },
                   [at](double seconds) {
                       return fmt::format("Wait {} s before {}, until a part is there", seconds, at.words);
                   }});
    out.push_back(disabled(at, 9));
}

}  // namespace

std::vector<Change> runChangesFor(const Cell& cell, const CheckResult& checked, const Finding& finding)
{
    std::vector<Change> out;
    const Routine* routine = findRoutine(cell, finding.routine);
    const Step* step = routine ? findStep(routine->steps, finding.step) : nullptr;
    if (const BeltFact* fact = finding.as<BeltFact>()) {
        const Frame* belt = findFrame(cell, fact->belt);
        if (belt && belt->device && !belt->device->accumulates)
            out.push_back(plain(
                "accumulate", 2,
                [&cell, id = belt->id] {
                    Device device = *findFrame(cell, id)->device;
                    device.accumulates = true;
                    return changeDevice(cell, id, device);
                },
                fmt::format("Let parts queue at the end of {}", belt->name)));
        if (belt && belt->device)
            out.push_back(
                {"belt-length",
                 4,
                 1,
                 {0.2, 0.5, 1, 2, 5, 10},
                 0,
                 [&cell, id = belt->id](double more) {
                     Device device = *findFrame(cell, id)->device;
                     device.size[0] += more;
                     return changeDevice(cell, id, device);
                 },
                 [name = belt->name](double more) { return fmt::format("Make {} longer by {}", name, mm(more)); }});
        return out;
    }
    if (!step) return out;
    const At at{cell, routine, step, fmt::format("step {}", finding.stepIndex + 1)};
    if (const SignalFact* fact = finding.as<SignalFact>()) {
        if (!fact->ring.empty()) ofRing(cell, *fact, out);
        if (const WaitSignal* wait = step->as<WaitSignal>()) {
            ofCondition(at, wait->until, out);
            out.push_back({"wait-limit",
                           4,
                           0.01,
                           {10, 30, 60},
                           0,
                           [at](double seconds) {
                               Step changed = *at.step;
                               changed.as<WaitSignal>()->limit = seconds;
                               return at.with(changed);
                           },
                           [at](double seconds) {
                               return fmt::format("Give {} a time limit of {:.0f} s, and continue then", at.words,
                                                  seconds);
                           }});
            out.push_back(disabled(at, 6));
        }
        if (const Repeat* repeat = step->as<Repeat>()) {
            Condition condition = repeat->condition;
            if (repeat->kind == Repeat::Kind::While) condition.value = condition.value != 0 ? 0 : 1;
            const bool byCondition = repeat->kind == Repeat::Kind::While || repeat->kind == Repeat::Kind::Until;
            if (byCondition) ofCondition(at, condition, out);
            // Of a block without end the fewest passes first, of one that is too much the most.
            if (byCondition || repeat->kind == Repeat::Kind::Times)
                out.push_back({"repeat-times", byCondition ? 4.0 : 2.0, byCondition ? 0.01 : -1e-6,
                               byCondition ? std::vector<double>{1, 10, 100} : std::vector<double>{1000, 100, 10, 1}, 0,
                               [at](double times) {
                                   Step changed = *at.step;
                                   Repeat& own = *changed.as<Repeat>();
                                   own.kind = Repeat::Kind::Times;
                                   own.times = std::uint32_t(times);
                                   return at.with(changed);
                               },
                               [at](double times) {
                                   return fmt::format("Repeat {} {:.0f} {}", at.words, times,
                                                      times == 1 ? "time" : "times");
                               }});
            if (byCondition) out.push_back(disabled(at, 6));
        }
        if (step->kind() == StepKind::Call) out.push_back(disabled(at, 6));
    }
    if (const TimeFact* fact = finding.as<TimeFact>(); fact && step->as<WaitSignal>()) {
        out.push_back({"wait-limit",
                       2,
                       0.001,
                       {2, 5, 20, 100},
                       0,
                       [at, limit = fact->limit](double by) {
                           Step changed = *at.step;
                           changed.as<WaitSignal>()->limit = std::min(3600.0, by * limit);
                           return at.with(changed);
                       },
                       [at, limit = fact->limit](double by) {
                           return fmt::format("Wait {:.4g} s at most in {}", std::min(3600.0, by * limit), at.words);
                       }});
        ofCondition(at, step->as<WaitSignal>()->until, out);
        out.push_back(disabled(at, 6));
    }
    if (finding.as<AxisFact>()) {
        out.push_back({"wait",
                       2,
                       0.1,
                       {0.5, 1, 2, 5, 10, 20},
                       0,
                       [at](double seconds) { return at.before(Step{.action = Wait{seconds}}); },
                       [at](double seconds) {
                           return fmt::format("Wait {} s before {}, until the axis stands", seconds, at.words);
                       }});
        out.push_back(disabled(at, 8));
    }
    if (finding.as<StopFact>()) out.push_back(disabled(at, 2));
    if (finding.as<GripFact>()) ofGrip(at, checked, finding, out);
    return out;
}

std::vector<Change> neighbourChangesFor(const Cell& cell, const Finding& finding, TargetId id)
{
    std::vector<Change> out;
    const ContactFact* fact = finding.as<ContactFact>();
    const Target* target = findTarget(cell, id);
    if (!fact || !target || target->kind != Target::Kind::Pose) return out;
    const auto isTool = [](const ContactSide& side) {
        return side.member && side.member->kind == ContactMember::Kind::Tool;
    };
    if (!isTool(fact->a) && !isTool(fact->b)) return out;
    const ArmStation& arm = armOf(cell, *target);
    const Tool& tool = toolInForce(cell, arm);
    const PatternId pattern = target->pattern;
    double n = 0;
    for (const double quarter : {90.0, -90.0, 180.0}) {
        const Quat turn(Eigen::AngleAxisd(quarter * kDegree, Vec3::UnitZ()));
        if (const Pattern* own = findPattern(cell, pattern)) {
            if (own->layout == Pattern::Layout::Drawn) break;
            out.push_back(plain(
                "quarter-turn", 2.7 + 0.01 * n++,
                [&cell, pattern, turn] {
                    Pattern changed = *findPattern(cell, pattern);
                    changed.inPlace.rotation = (changed.inPlace.rotation * turn).normalized();
                    return changePattern(cell, changed);
                },
                fmt::format("Grip all of {} turned by {:.0f}°", own->name, quarter)));
        } else {
            out.push_back(plain(
                "quarter-turn", 2.7 + 0.01 * n++,
                [&cell, id, turn] {
                    Pose pose = findTarget(cell, id)->pose;
                    pose.rotation = (pose.rotation * turn).normalized();
                    return setTargetPose(cell, id, pose);
                },
                fmt::format("Turn {} by {:.0f}°", target->name, quarter)));
        }
    }
    const Gripper& gripper = tool.gripper;
    if (gripper.kind != Gripper::Kind::Vacuum && gripper.open > gripper.closed + 0.002) {
        const double most = gripper.open - gripper.closed;
        out.push_back({"opening",
                       2.9,
                       5,
                       {0.25 * most, 0.5 * most, 0.75 * most, 0.9 * most},
                       kMillimetre,
                       [&cell, tool = tool.id](double by) -> Result<Cell> {
                           Cell next = cell;
                           next.tools.edit(tool)->gripper.open -= by;
                           return next;
                       },
                       [&tool](double by) {
                           return fmt::format("Open {} to {}, not to {}", tool.name, mm(tool.gripper.open - by),
                                              mm(tool.gripper.open));
                       }});
    }
    // The pitch of what the place is one of, with the parts that lie there.
    const Pattern* own = findPattern(cell, pattern);
    const PatternId wide = own && own->follows ? own->follows : pattern;
    if (const Pattern* pitched = findPattern(cell, wide); pitched && pitched->layout == Pattern::Layout::Grid)
        for (int axis = 0; axis < 2; ++axis) {
            if ((axis == 0 ? pitched->columns : pitched->rows) < 2) continue;
            out.push_back({"pitch",
                           5.4 + 0.01 * axis,
                           10,
                           {0.005, 0.01, 0.02, 0.05, 0.1},
                           kMillimetre,
                           [&cell, wide, axis](double by) {
                               Pattern changed = *findPattern(cell, wide);
                               changed.pitch[axis] += changed.pitch[axis] < 0 ? -by : by;
                               return changePattern(cell, changed);
                           },
                           [name = pitched->name, axis](double by) {
                               return fmt::format("Widen the pitch of {} by {} along {}", name, mm(by),
                                                  axis == 0 ? "x" : "y");
                           }});
        }
    return out;
}

}  // namespace topikos
