#include "core/check/check.h"

#include "core/cell/step_tree.h"
#include "core/check/free_ways.h"
#include "core/check/rules/rules.h"
#include "core/program/vocabulary.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>
#include <unordered_map>

namespace topikos {

std::vector<Finding> stepFindings(const Cell& cell, ArmId arm, const StepOutcome& outcome)
{
    std::vector<Finding> found;
    const JudgedStep step{cell, *findRoutine(cell, outcome.routine), *findArm(cell, arm), outcome};
    judgeReach(step, found);
    judgeRange(step, found);
    judgeSingularity(step, found);
    judgeJointLimits(step, found);
    judgeConfiguration(step, found);
    judgeCorner(step, found);
    judgeGrip(step, found);
    judgeSignal(step, found);
    judgeAxis(step, found);
    judgeTable(step, found);
    std::stable_sort(found.begin(), found.end(),
                     [](const Finding& a, const Finding& b) { return a.severity > b.severity; });
    return found;
}

TargetVerdict checkTarget(const Cell& cell, const Target& target, const AxisValues& axes, PlanCache* plans)
{
    TargetVerdict verdict;
    verdict.target = target.id;
    verdict.axes = axes;
    const ArmPtr& model = armOf(cell, target).model;
    const Arm& arm = *model;
    JointVector posture;
    if (target.kind == Target::Kind::Posture) {
        posture = target.posture;
        const RangeExcess excess = rangeExcess(arm, posture);
        if (excess.joint >= 0) {
            Solutions found;
            found.reason = NoSolution::JointRange;
            found.range = excess;
            verdict.findings.push_back(unreachable(found));
        }
    } else {
        PlanCache own;
        const bool taught = keepsPosture(arm) && target.posture.size() == arm.jointCount();
        verdict.ways = *(plans ? *plans : own)
                            .ways(model, baseFromFlange(cell, target, 0, axes), taught ? &target.posture : nullptr);
        if (const Solution* s = chosenWay(arm, target, verdict.ways.items)) {
            posture = s->joints;
        } else {
            if (const Solution* outside = chosenWay(arm, target, verdict.ways.outOfRange))
                verdict.ways.range = rangeExcess(arm, outside->joints);
            verdict.findings.push_back(unreachable(verdict.ways));
        }
    }
    if (verdict.findings.empty()) {
        if (target.kind == Target::Kind::Pose) singularCautions(cell, arm, posture, verdict.findings);
        if (auto caution = rangeCaution(cell, arm, rangeMargin(arm, posture)))
            verdict.findings.push_back(std::move(*caution));
    }
    if (!verdict.findings.empty() && target.freedom.kind != Freedom::Kind::Fixed) {
        const auto worstOf = [](const Finding& a, const Finding& b) { return a.severity < b.severity; };
        const Severity found = std::max_element(verdict.findings.begin(), verdict.findings.end(), worstOf)->severity;
        PlanCache own;
        verdict.findings.front().free = freeAnswer(cell, target, found, axes, plans ? *plans : own);
    }
    for (Finding& f : verdict.findings) {
        f.target = target.id;
        if (ReachFact* fact = std::get_if<ReachFact>(&f.fact)) fact->axes = axes;
    }
    return verdict;
}

namespace {

/// Where axes stand when steps go to a target, each case once.
using Uses = std::unordered_map<std::uint32_t, std::vector<AxisValues>>;
constexpr size_t kMostUses = 64;  // places of the axes that one target is judged with

void addUses(const Trace& trace, Uses& uses)
{
    for (const ArmTrace& arm : trace.arms)
        for (const StepOutcome& outcome : arm.outcomes) {
            if (!outcome.target) continue;
            std::vector<AxisValues>& own = uses[outcome.target.value];
            if (own.size() < kMostUses && std::find(own.begin(), own.end(), outcome.axes) == own.end())
                own.push_back(outcome.axes);
        }
}

Severity worst(const std::vector<Finding>& findings)
{
    Severity severity = Severity::Advice;
    for (const Finding& f : findings)
        severity = std::max(severity, f.severity);
    return severity;
}

/// The verdict where the program uses the target; the worst of several.
TargetVerdict judgedWhereUsed(const Cell& cell, const Target& target, const Uses& uses, PlanCache& plans)
{
    const auto own = uses.find(target.id.value);
    if (own == uses.end()) return checkTarget(cell, target, {}, &plans);
    std::optional<TargetVerdict> verdict;
    for (const AxisValues& axes : own->second) {
        TargetVerdict next = checkTarget(cell, target, axes, &plans);
        const bool isWorse = verdict && !next.findings.empty()
                             && (verdict->findings.empty() || worst(next.findings) > worst(verdict->findings));
        if (!verdict || isWorse) verdict = std::move(next);
    }
    verdict->used = true;
    return std::move(*verdict);
}

/// Whether a finding about a target says no more than one about a step that goes there.
bool saidBy(const Finding& ofStep, const Finding& ofTarget)
{
    if (ofStep.rule != ofTarget.rule || ofStep.severity < ofTarget.severity) return false;
    if (const auto* range = ofTarget.as<RangeFact>())
        return ofStep.as<RangeFact>() && ofStep.as<RangeFact>()->joint == range->joint;
    if (const auto* singular = ofTarget.as<SingularFact>())
        return ofStep.as<SingularFact>() && ofStep.as<SingularFact>()->kind == singular->kind;
    return true;
}

/// Findings about steps and about targets put together: what targets say is left out where a step says it, and what is
/// blocked because a target cannot be reached goes below the first finding that says so.
std::vector<Finding> joined(std::vector<Finding> ofSteps, const std::vector<TargetVerdict>& targets)
{
    std::unordered_map<std::uint32_t, std::vector<size_t>> byTarget;
    for (size_t i = 0; i < ofSteps.size(); ++i)
        if (ofSteps[i].target) byTarget[ofSteps[i].target.value].push_back(i);
    std::vector<bool> moved(ofSteps.size(), false);
    std::vector<Finding> ofTargets;
    for (const TargetVerdict& verdict : targets) {
        const std::vector<size_t>& steps = byTarget[verdict.target.value];
        std::vector<Finding> left;
        for (const Finding& f : verdict.findings) {
            const auto says = std::find_if(steps.begin(), steps.end(), [&](size_t i) { return saidBy(ofSteps[i], f); });
            if (says == steps.end()) left.push_back(f);
            else if (f.free) ofSteps[*says].free = f.free;
        }
        if (worst(verdict.findings) < Severity::Blocked) {
            ofTargets.insert(ofTargets.end(), left.begin(), left.end());
            continue;
        }
        Finding* first = nullptr;
        for (const size_t i : steps) {
            if (ofSteps[i].severity < Severity::Blocked || ofSteps[i].as<ContactFact>()) continue;
            if (!first) {
                first = &ofSteps[i];
                continue;
            }
            first->followUps.push_back(ofSteps[i]);
            moved[i] = true;
        }
        std::vector<Finding>& place = first ? first->followUps : ofTargets;
        place.insert(place.end(), left.begin(), left.end());
    }
    // A step that has to be changed anyway: what it touches goes below.
    std::map<std::pair<RoutineId, StepId>, size_t> blocked;
    for (size_t i = 0; i < ofSteps.size(); ++i) {
        const Finding& f = ofSteps[i];
        if (!moved[i] && f.step && f.severity == Severity::Blocked && !f.as<ContactFact>())
            blocked.try_emplace({f.routine, f.step}, i);
    }
    for (size_t i = 0; i < ofSteps.size(); ++i) {
        const auto own = blocked.find({ofSteps[i].routine, ofSteps[i].step});
        if (!ofSteps[i].as<ContactFact>() || own == blocked.end()) continue;
        ofSteps[own->second].followUps.push_back(ofSteps[i]);
        moved[i] = true;
    }
    std::vector<Finding> out;
    for (size_t i = 0; i < ofSteps.size(); ++i)
        if (!moved[i]) out.push_back(std::move(ofSteps[i]));
    out.insert(out.end(), ofTargets.begin(), ofTargets.end());
    return out;
}

/// Findings of the same rule about the same step and target are one; of steps that follow a group, whatever the place.
class StepFindings {
public:
    explicit StepFindings(const Cell& cell) : m_cell(cell)
    {
        for (const Routine& routine : cell.routines)
            eachStep(routine.steps, [&](const Step& step, size_t) {
                if (step.as<Follow>()) m_follows.insert(step.id);
            });
    }

    void add(const Trace& trace)
    {
        for (const ArmTrace& arm : trace.arms) {
            for (size_t i = 0; i < arm.outcomes.size(); ++i)
                for (Finding& f : stepFindings(m_cell, arm.arm, arm.outcomes[i])) {
                    f.outcome = i;
                    // Along a group it is the place that tells where.
                    if (m_follows.contains(f.step)) f.target = arm.outcomes[i].target;
                    add(std::move(f));
                }
            std::vector<Finding> advice;
            adviseOnRun(m_cell, arm, advice);
            for (Finding& f : advice)
                add(std::move(f));
        }
    }
    std::vector<Finding> take() { return std::move(m_findings); }
    void add(Finding finding)
    {
        const ContactFact* contact = finding.as<ContactFact>();
        const auto key = std::tuple(
            finding.rule, finding.step, m_follows.contains(finding.step) ? TargetId() : finding.target, finding.arm,
            finding.fact.index(), contact ? contact->a.name + '\n' + contact->b.name : std::string());
        const auto [known, isNew] = m_known.try_emplace(key, m_findings.size());
        if (isNew) {
            m_findings.push_back(std::move(finding));
            return;
        }
        Finding& own = m_findings[known->second];
        const int passes = own.passes + 1;
        // The worst one speaks for all; what runs before what is judged only.
        const bool worse = finding.severity > own.severity
                           || (finding.severity == own.severity && finding.onLine && finding.remaining > own.remaining);
        if (worse) own = std::move(finding);
        own.passes = passes;
    }

private:
    const Cell& m_cell;
    std::set<StepId> m_follows;
    std::vector<Finding> m_findings;
    std::map<std::tuple<Rule, StepId, TargetId, ArmId, size_t, std::string>, size_t> m_known;
};

/// Takes out what somebody lets stand.
void sortOutAccepted(const Cell& cell, CheckResult& result)
{
    result.accepted.clear();
    if (cell.accepted.empty()) return;
    const Vocabulary words(cell);
    std::erase_if(result.findings, [&](Finding& f) {
        if (f.severity == Severity::Blocked) return false;
        const auto [about, reads] = subjectOf(words, f);
        for (const Accepted& a : cell.accepted) {
            if (a.rule != ruleName(f.rule) || a.about != about || a.reads != reads) continue;
            f.accepted = a.reason;
            result.accepted.push_back(f);
            return true;
        }
        return false;
    });
}

/// Arms that wait for each other for ever are one finding that names them all.
void joinRings(const Cell& cell, std::vector<Finding>& findings)
{
    struct Waiting {
        size_t finding;
        ArmId arm;
        SignalId signal;
    };
    std::vector<Waiting> waiting;
    for (size_t i = 0; i < findings.size(); ++i)
        if (const SignalFact* fact = findings[i].as<SignalFact>(); fact && fact->signal && findings[i].arm)
            waiting.push_back({i, findings[i].arm, fact->signal});
    if (waiting.size() < 2) return;
    // Who of them sets what another one waits for.
    std::vector<std::optional<size_t>> next(waiting.size());
    for (size_t k = 0; k < waiting.size(); ++k)
        for (size_t other = 0; other < waiting.size() && !next[k]; ++other) {
            if (other == k) continue;
            for (const RoutineId id : reachedRoutines(cell, waiting[other].arm))
                eachStep(findRoutine(cell, id)->steps, [&](const Step& step, size_t) {
                    if (!step.off && writesSignal(step) && signalOf(step) == waiting[k].signal) next[k] = other;
                });
        }
    std::vector<bool> gone(findings.size(), false);
    for (size_t first = 0; first < waiting.size(); ++first) {
        if (gone[waiting[first].finding]) continue;
        std::vector<size_t> ring{first};
        for (auto at = next[first]; at && *at != first && ring.size() <= waiting.size(); at = next[*at])
            ring.push_back(*at);
        if (ring.size() < 2 || next[ring.back()] != first) continue;
        SignalFact& fact = std::get<SignalFact>(findings[waiting[first].finding].fact);
        if (!fact.ring.empty()) continue;
        for (const size_t k : ring) {
            fact.ring.push_back({waiting[k].arm, findings[waiting[k].finding].stepIndex, waiting[k].signal});
            if (k != first) gone[waiting[k].finding] = true;
        }
    }
    size_t at = 0;
    std::erase_if(findings, [&](const Finding&) { return gone[at++]; });
}

/// Puts the findings together from the traces that are there.
void judge(const Cell& cell, CheckResult& result, const std::vector<Finding>& contact, PlanCache& plans,
           const std::stop_token& stop)
{
    StepFindings ofSteps(cell);
    Uses uses;
    ofSteps.add(result.trace);
    addUses(result.trace, uses);
    for (const Trace& trace : result.alone) {
        ofSteps.add(trace);
        addUses(trace, uses);
    }
    for (const Finding& f : contact)
        ofSteps.add(f);
    result.targets.clear();
    for (const Target& target : cell.targets) {
        if (stop.stop_requested()) return;
        result.targets.push_back(judgedWhereUsed(cell, target, uses, plans));
    }
    result.findings = joined(ofSteps.take(), result.targets);
    joinRings(cell, result.findings);
    if (auto stuck = stuckFinding(cell, result.trace)) result.findings.push_back(std::move(*stuck));
    judgeBelts(cell, result.trace, result.findings);
    adviseOnEnd(cell, result.trace, result.findings);
    adviseOnProgram(cell, result.findings);
    sortOutAccepted(cell, result);
}

}  // namespace

namespace {

/// Contact in all traces; what is known without it is told before, and in between how far it is.
std::vector<Finding> contactOf(const Cell& cell, CheckResult& result, const CheckOptions& options,
                               const std::function<void()>& tell)
{
    std::vector<Finding> out;
    if (!options.contact) return out;
    tell();
    const double traces = double(1 + result.alone.size());
    double before = 0;
    const auto progress = [&](double done) {
        result.contactDone = (before + done) / traces;
        tell();
    };
    judgeContact(cell, result.trace, options, progress, out);
    for (const Trace& trace : result.alone) {
        ++before;
        judgeContact(cell, trace, options, progress, out);
    }
    result.contact = true;
    result.contactDone = 1;
    return out;
}

}  // namespace

CheckResult check(const Cell& cell, const CheckOptions& options)
{
    PlanCache own;
    PlanCache& plans = options.plans ? *options.plans : own;
    RunOptions run;
    run.plans = &plans;
    run.stop = options.stop;
    run.rounds = kCheckedRounds;
    CheckResult result;
    result.trace = simulate(cell, run);
    const std::set<RoutineId> reached = reachedRoutines(cell);
    std::vector<const Routine*> others;
    for (const Routine& routine : cell.routines)
        if (!reached.contains(routine.id) && routine.parameters.empty() && !routine.steps.empty())
            others.push_back(&routine);
    const auto tell = [&] {
        if (!options.partial || options.stop.stop_requested()) return;
        judge(cell, result, {}, plans, options.stop);
        if (!options.stop.stop_requested()) options.partial(result);
    };
    if (!others.empty()) tell();
    for (const Routine* routine : others) {
        if (options.stop.stop_requested()) return result;
        result.alone.push_back(simulate(cell, *routine, run));
    }
    const std::vector<Finding> contact = contactOf(cell, result, options, tell);
    judge(cell, result, contact, plans, options.stop);
    result.complete = !options.stop.stop_requested();
    return result;
}

CheckResult check(const Cell& cell, const Routine& routine, const CheckOptions& options)
{
    PlanCache own;
    RunOptions run;
    run.plans = options.plans ? options.plans : &own;
    run.stop = options.stop;
    run.rounds = kCheckedRounds;
    CheckResult result;
    result.trace = simulate(cell, routine, run);
    judge(cell, result, contactOf(cell, result, options, [] {}), *run.plans, options.stop);
    result.complete = !options.stop.stop_requested();
    return result;
}

std::vector<Finding> laterCycleFindings(const Cell& cell, const Trace& trace)
{
    using Problem = StepOutcome::Problem;
    std::vector<Finding> out;
    for (const ArmTrace& arm : trace.arms) {
        std::set<StepId> told;
        for (size_t i = 0; i < arm.outcomes.size(); ++i) {
            const StepOutcome& outcome = arm.outcomes[i];
            const bool fails = outcome.problem == Problem::NothingGripped || outcome.problem == Problem::PartHeld;
            if (!fails || outcome.judgedOnly || !told.insert(outcome.step).second) continue;
            if (outcome.pass == 0) continue;  // told by a check
            for (Finding& f : stepFindings(cell, arm.arm, outcome)) {
                if (f.rule != Rule::Grip) continue;
                f.outcome = i;
                out.push_back(std::move(f));
            }
        }
    }
    return out;
}

}  // namespace topikos
