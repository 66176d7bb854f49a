#include "core/cell/devices.h"
#include "core/cell/step_tree.h"
#include "core/check/check.h"
#include "core/check/rules/rules.h"

#include <fmt/format.h>

#include <map>
#include <set>

// Advice on programs: what works here and now, and is likely not what was meant.

namespace topikos {

namespace {

constexpr double kNear = 0.010;  // length of a move that counts as its begin or end [m]
constexpr double kStraight =
    60 * kDegree;                    // a way that is further off the tool's axis, and off the vertical, is sideways
constexpr double kSamePlace = 1e-3;  // [rad or m]

Finding adviceAbout(Rule rule, AdviceFact fact)
{
    Finding f;
    f.rule = rule;
    f.severity = Severity::Advice;
    f.fact = fact;
    return f;
}

Finding adviceOnStep(Rule rule, const StepUse& at, ArmId arm, AdviceFact fact)
{
    Finding f = adviceAbout(rule, fact);
    f.arm = arm;
    f.routine = at.routine;
    f.step = at.step;
    f.stepIndex = at.number;
    return f;
}

/// Who writes a signal: devices, arms by their routines, processes.
struct SignalWriting {
    bool device = false, process = false;
    std::map<ArmId, StepUse> first;  ///< of each arm that writes it
    std::set<double> values;
};

std::map<SignalId, SignalWriting> writings(const Cell& cell)
{
    std::map<SignalId, SignalWriting> out;
    for (const Frame& f : cell.frames)
        if (f.device)
            for (const SignalId id : {f.device->output, f.device->number})
                if (id) out[id].device = true;
    for (const Tool& tool : cell.tools)
        for (const Process& p : tool.processes)
            out[p.signal].process = true;
    // Routines that every arm can call write for those that do.
    std::map<RoutineId, std::set<ArmId>> callers;
    for (const ArmStation& arm : cell.arms)
        for (const RoutineId routine : reachedRoutines(cell, arm.id))
            callers[routine].insert(arm.id);
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            if (step.off || !writesSignal(step)) return;
            SignalWriting& own = out[signalOf(step)];
            const SetSignal* set = step.as<SetSignal>();
            own.values.insert(set ? set->value : 1);
            if (!set) own.values.insert(0);
            std::set<ArmId> arms = callers[routine.id];
            if (arms.empty() && routine.arm) arms.insert(routine.arm);
            for (const ArmId arm : arms)
                own.first.try_emplace(arm, StepUse{routine.id, step.id, number, true});
        });
    return out;
}

void adviseOnTargets(const Cell& cell, Findings& out)
{
    std::set<TargetId> used;
    std::set<PatternId> usedPatterns;
    for (const ArmStation& arm : cell.arms)
        used.insert(arm.home);
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            eachPlace(step, [&](const Place& place) {
                if (const TargetId* target = std::get_if<TargetId>(&place)) used.insert(*target);
            });
            if (const ForEach* each = step.as<ForEach>()) usedPatterns.insert({each->pattern, each->with});
            if (const Follow* follow = step.as<Follow>()) usedPatterns.insert(follow->pattern);
        });
    usedPatterns.erase(PatternId{});  // of those that go through one alone
    std::set<PatternId> usedInPart;
    for (const Target& target : cell.targets)
        if (target.pattern && used.contains(target.id)) usedInPart.insert(target.pattern);
    std::set<PatternId> told;
    for (const Target& target : cell.targets) {
        if (used.contains(target.id) || usedPatterns.contains(target.pattern)) continue;
        // Places of a pattern that are named one by one: only a whole pattern is unused.
        if (target.pattern && (usedInPart.contains(target.pattern) || !told.insert(target.pattern).second)) continue;
        Finding f = adviceAbout(Rule::AdviceUnusedTarget, {});
        f.target = target.id;
        out.push_back(std::move(f));
    }
}

/// A place of a pattern is come back to while the next one is never used.
void adviseOnNeighbours(const Cell& cell, Findings& out)
{
    std::map<PatternId, std::map<std::uint32_t, TargetId>> placed;
    for (const Target& target : cell.targets)
        if (target.pattern) placed[target.pattern][target.place] = target.id;
    std::map<PatternId, std::vector<TargetId>> membersOf;  // in the order of their places
    for (const auto& [pattern, members] : placed)
        for (const auto& [place, target] : members)
            membersOf[pattern].push_back(target);
    for (const Routine& routine : cell.routines) {
        std::map<TargetId, std::vector<StepUse>> visits;
        TargetId last;
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            if (step.off || !step.isMove()) return;
            const TargetId target = targetOf(step);
            if (target && target != last) visits[target].push_back({routine.id, step.id, number});
            last = target;
        });
        for (const auto& [id, steps] : visits) {
            const Target& target = *findTarget(cell, id);
            if (!target.pattern || steps.size() < 2) continue;
            const std::vector<TargetId>& members = membersOf[target.pattern];
            const auto at = std::find(members.begin(), members.end(), id);
            const auto others = std::count_if(members.begin(), members.end(),
                                              [&, own = id](TargetId m) { return m != own && visits.contains(m); });
            if (others == 0) continue;
            for (const std::ptrdiff_t by : {1, -1}) {
                const std::ptrdiff_t next = at - members.begin() + by;
                if (next < 0 || next >= std::ptrdiff_t(members.size())) continue;
                if (visits.contains(members[size_t(next)])) continue;
                AdviceFact fact;
                fact.other = members[size_t(next)];
                Finding f = adviceOnStep(Rule::AdviceDoubledTarget, steps[1], routine.arm, fact);
                f.target = id;
                out.push_back(std::move(f));
                break;
            }
        }
    }
}

void adviseOnSignals(const Cell& cell, Findings& out)
{
    const std::map<SignalId, SignalWriting> all = writings(cell);
    for (const Signal& signal : cell.signals) {
        const auto own = all.find(signal.id);
        if (own == all.end()) continue;
        const SignalWriting& w = own->second;
        if (int(w.first.size()) + w.device + w.process < 2) continue;
        AdviceFact fact;
        fact.signal = signal.id;
        Finding f = adviceAbout(Rule::AdviceTwoWriters, fact);
        if (!w.first.empty()) {
            const auto& [arm, first] = *w.first.rbegin();
            f = adviceOnStep(Rule::AdviceTwoWriters, first, arm, fact);
        }
        out.push_back(std::move(f));
    }
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            const WaitSignal* wait = step.as<WaitSignal>();
            const Repeat* repeat = step.as<Repeat>();
            const bool until = repeat && repeat->kind == Repeat::Kind::Until;
            if (step.off || (!wait && !until) || (wait && wait->limit > 0)) return;
            const Condition& condition = wait ? wait->until : repeat->condition;
            const Signal* signal = findSignal(cell, condition.signal);
            if (!signal || condition.holds(signal->start)) return;
            const auto own = all.find(signal->id);
            if (own != all.end()) {
                if (own->second.device || own->second.process) return;
                for (const double value : own->second.values)
                    if (condition.holds(value)) return;
            }
            AdviceFact fact;
            fact.signal = signal->id;
            out.push_back(adviceOnStep(Rule::AdviceEndlessWait, {routine.id, step.id, number}, routine.arm, fact));
        });
}

void adviseOnCalls(const Cell& cell, Findings& out)
{
    std::set<RoutineId> used;
    for (const ArmStation& arm : cell.arms)
        used.insert(arm.main);
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            if (const Call* call = step.as<Call>()) used.insert(call->routine);
        });
    for (const Routine& routine : cell.routines) {
        if (used.contains(routine.id)) continue;
        Finding f = adviceAbout(Rule::AdviceUncalled, {});
        f.routine = routine.id;
        f.arm = routine.arm;
        out.push_back(std::move(f));
    }
}

Vec3 tcpAlong(const Cell& cell, const ArmStation& arm, const StepOutcome& outcome, double fraction)
{
    const JointVector posture = outcome.move->at(*arm.model, fraction);
    return worldFromTcp(cell, arm, posture, outcome.axesAlong(fraction)).translation;
}

/// Which way a target says that the tool comes to it, or leaves it, in the world; zero when it says none.
Vec3 saidWay(const Cell& cell, const StepOutcome& outcome, bool away)
{
    const Target* target = findTarget(cell, outcome.target);
    if (!target || target->kind != Target::Kind::Pose) return Vec3::Zero();
    const AxisValues axes = outcome.axesAlong(1);
    const auto at = [&](Stage stage) { return frameFromTarget(cell, *target, {0, stage}, axes).translation; };
    const Vec3 way = away ? at(Stage::Retract) - at(Stage::Over) : at(Stage::Over) - at(Stage::Approach);
    return way.norm() > 0 ? Vec3(worldFromFrame(cell, target->frame, axes).rotation * way.normalized()) : Vec3::Zero();
}

/// How far off the tool's axis, the vertical, and the way that the target says, the TCP goes at the begin or end of a
/// move; nothing when it hardly moves. `away`: against the tool's axis and upwards.
std::optional<double> angleOff(const Cell& cell, const ArmStation& arm, const StepOutcome& outcome, bool away)
{
    if (!outcome.move || outcome.blocks()) return std::nullopt;
    const double edge = away ? 0 : 1;
    const Vec3 here = tcpAlong(cell, arm, outcome, edge);
    // The fraction at which the TCP is kNear away from the edge.
    double low = 0, high = 1;
    if ((tcpAlong(cell, arm, outcome, 1 - edge) - here).norm() < kNear) return std::nullopt;
    for (int i = 0; i < 30; ++i) {
        const double middle = 0.5 * (low + high);
        ((tcpAlong(cell, arm, outcome, away ? middle : 1 - middle) - here).norm() < kNear ? low : high) = middle;
    }
    const Vec3 other = tcpAlong(cell, arm, outcome, away ? high : 1 - high);
    const Vec3 way = (away ? other - here : here - other).normalized();
    const JointVector posture = outcome.move->at(*arm.model, edge);
    const Vec3 tool = worldFromTcp(cell, arm, posture, outcome.axesAlong(edge)).rotation * Vec3::UnitZ();
    const double straight =
        std::max({(away ? -1 : 1) * way.dot(tool), (away ? 1 : -1) * way[2], way.dot(saidWay(cell, outcome, away))});
    return std::acos(std::clamp(straight, -1.0, 1.0));
}

}  // namespace

void adviseOnProgram(const Cell& cell, Findings& out)
{
    adviseOnTargets(cell, out);
    adviseOnNeighbours(cell, out);
    adviseOnSignals(cell, out);
    adviseOnCalls(cell, out);
}

void adviseOnRun(const Cell& cell, const ArmTrace& arm, Findings& out)
{
    const ArmStation& station = *findArm(cell, arm.arm);
    const Gripper& gripper = toolInForce(cell, station).gripper;
    const auto say = [&](Rule rule, size_t at, AdviceFact fact = {}) {
        const StepOutcome& outcome = arm.outcomes[at];
        const JudgedStep step{cell, *findRoutine(cell, outcome.routine), station, outcome};
        Finding f = step.finding(rule, Severity::Advice, fact);
        f.outcome = at;
        out.push_back(std::move(f));
    };
    std::map<size_t, double> openings;  // before grips
    for (const ArmTrace::Span& span : arm.spans)
        if (arm.outcomes[span.outcome].kind == StepKind::Grip) openings[span.outcome] = span.gripperFrom;
    std::optional<size_t> lastMove;
    bool holds = false, justGripped = false, first = true, gripped = true;
    for (size_t i = 0; i < arm.outcomes.size(); ++i) {
        const StepOutcome& outcome = arm.outcomes[i];
        if (outcome.judgedOnly || outcome.blocks()) continue;
        const bool moves = outcome.kind <= StepKind::Arc;
        if (outcome.kind == StepKind::Grip) {
            if (outcome.problem == StepOutcome::Problem::GripsAgain) say(Rule::AdviceGripAgain, i);
            const bool jaws = gripper.kind != Gripper::Kind::Vacuum && gripper.open != gripper.closed;
            if (!holds && jaws && openings.contains(i) && openings[i] == gripper.closed) say(Rule::AdviceNotOpened, i);
            if (lastMove && outcome.problem == StepOutcome::Problem::None) {
                const StepOutcome& move = arm.outcomes[*lastMove];
                const auto off = angleOff(cell, station, move, false);
                AdviceFact fact;
                fact.amount = off.value_or(0);
                fact.limit = kStraight;
                if (move.kind == StepKind::Joint && off) say(Rule::AdviceJointIntoGrip, *lastMove, fact);
                else if (off && *off > kStraight) say(Rule::AdviceNoApproach, i, fact);
            }
            if (outcome.problem == StepOutcome::Problem::None) holds = justGripped = true;
            gripped = outcome.problem != StepOutcome::Problem::NothingGripped
                      && outcome.problem != StepOutcome::Problem::PartHeld;
        }
        if (outcome.kind == StepKind::Release) {
            if (outcome.problem == StepOutcome::Problem::NothingHeld && !first && gripped)
                say(Rule::AdviceNothingHeld, i);
            holds = justGripped = false;
            gripped = true;  // that nothing was gripped is told at the grip
        }
        if (outcome.kind == StepKind::Grip || outcome.kind == StepKind::Release) first = false;
        if (!moves) continue;
        lastMove = i;
        if (std::exchange(justGripped, false)) {
            const auto off = angleOff(cell, station, outcome, true);
            if (off && *off > kStraight) {
                AdviceFact fact;
                fact.amount = *off;
                fact.limit = kStraight;
                say(Rule::AdviceSideways, i, fact);
            }
        }
        const Target* target = findTarget(cell, outcome.target);
        if (!target || target->kind != Target::Kind::Pose) continue;
        if (target->tool != station.tool || target->tcp != outcome.point
            || (outcome.readingFrame && target->frame != outcome.readingFrame)) {
            AdviceFact fact;
            fact.tool = target->tool;
            if (target->tool == station.tool && target->tcp == outcome.point) fact.frame = outcome.readingFrame;
            say(Rule::AdviceOtherTool, i, fact);
        }
    }
}

void adviseOnEnd(const Cell& cell, const Trace& trace, Findings& out)
{
    if (!trace.judgedAll) out.push_back(adviceAbout(Rule::AdviceNotJudged, AdviceFact{}));
    for (const ArmTrace& arm : trace.arms) {
        if (!arm.ended || !arm.rounds.empty() || arm.spans.empty()) continue;
        const JointVector end = postureAt(cell, arm, trace.duration);
        const JointVector off = (end - arm.start).cwiseAbs();
        Eigen::Index joint = 0;
        if (off.size() == 0 || off.maxCoeff(&joint) <= kSamePlace) continue;
        AdviceFact fact;
        fact.joint = int(joint);
        fact.amount = off[joint];
        Finding f = adviceAbout(Rule::AdviceOpenEnd, fact);
        f.arm = arm.arm;
        f.routine = arm.routine;
        out.push_back(std::move(f));
    }
}

FindingText textOf(const AdviceFact& fact, const Wording& words)
{
    const Cell& cell = words.cell;
    const Signal* signal = findSignal(cell, fact.signal);
    const std::string signalName = signal ? signal->name : "";
    const Target* other = findTarget(cell, fact.other);
    switch (words.finding.rule) {
    case Rule::AdviceUnusedTarget: return {words.subject + " is never used", "No step goes there."};
    case Rule::AdviceDoubledTarget:
        return {fmt::format("{} goes to {} a second time", words.subject, words.target),
                fmt::format("{}, its neighbour, is never used.", other ? other->name : "")};
    case Rule::AdviceNoApproach:
        return {words.subject + " grips without an approach",
                fmt::format("The last {} come from the side: {} off the tool's axis, and off the vertical and its "
                            "approach. Let a line come from over the place, or give the target another approach.",
                            mm(kNear), deg(fact.amount))};
    case Rule::AdviceJointIntoGrip:
        return {words.subject + " goes by joints to where the next step grips",
                "Its way is no line, so the jaws may touch the part or what is beside it. Go by joints to over the "
                "place, then by a line."};
    case Rule::AdviceNotOpened:
        return {words.subject + " comes with the gripper closed", "Let a release open it on the way."};
    case Rule::AdviceGripAgain:
        return {words.subject + " grips while it holds a part",
                "There is nothing more to take; leave it out, or release the part before."};
    case Rule::AdviceNothingHeld: return {words.subject + " releases nothing", "The gripper holds no part there."};
    case Rule::AdviceSideways:
        return {
            words.subject + " takes the part away sideways",
            fmt::format("Its first {} are {} off the tool's axis, and off the vertical and its retract: the part is "
                        "dragged over what it lies on. Lift it first, or give the target another retract.",
                        mm(kNear), deg(fact.amount))};
    case Rule::AdviceEndlessWait:
        return {words.subject + " can wait for ever",
                fmt::format("Nothing makes \"{}\" what it waits for. Wire a device to it, set it in a routine, or give "
                            "the wait a time limit.",
                            signalName)};
    case Rule::AdviceTwoWriters:
        return {fmt::format("\"{}\" is written by two", signalName),
                "What one switches on, the other may switch off. Give each a signal of its own."};
    case Rule::AdviceOtherTool: {
        if (fact.frame)
            return {fmt::format("{} goes to {}, taught in another frame", words.subject, words.target),
                    fmt::format("\"{}\" is read from there.", frameName(cell, fact.frame))};
        const Tool* tool = findTool(cell, fact.tool);
        return {fmt::format("{} goes to {}, taught with another tool or point", words.subject, words.target),
                fmt::format("It was taught with \"{}\". Take it anew, or use the point that it was taught with.",
                            tool ? tool->name : "")};
    }
    case Rule::AdviceUncalled: return {words.subject + " is never called", "No arm runs it, and no step calls it."};
    case Rule::AdviceOpenEnd:
        return {words.subject + " does not end where it began",
                fmt::format("Joint {} stands {} from where it was at the start, so the next cycle begins otherwise "
                            "than this one. End at home.",
                            fact.joint + 1, jointAmount(words.joint(fact.joint), fact.amount))};
    case Rule::AdviceNotJudged:
        return {"Not every branch was looked at",
                "The run passes more branches that it does not take than are judged, 100000 steps in all. Check the "
                "routines with long branches by themselves, or take fewer passes."};
    default: break;
    }
    return {words.subject, ""};
}

}  // namespace topikos
