#include "core/mend/remedy.h"

#include "core/cell/step_tree.h"
#include "core/collide/cache.h"
#include "core/mend/changes.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace topikos {

namespace {

/// Steps that the run came to.
std::set<StepId> stepsRun(const CheckResult& checked)
{
    std::set<StepId> out;
    const auto add = [&](const Trace& trace) {
        for (const ArmTrace& arm : trace.arms)
            for (const StepOutcome& outcome : arm.outcomes)
                if (!outcome.judgedOnly) out.insert(outcome.step);
    };
    add(checked.trace);
    for (const Trace& trace : checked.alone)
        add(trace);
    return out;
}

/// Ways, orders and tool points are each a kind of their own.
std::string kindOf(const Change& change)
{
    const bool choice = change.change == "configuration" || change.change == "order" || change.change == "tool-point";
    return choice ? change.change + change.text(0) : change.change;
}

/// Whether a finding is one that only a run can tell: what stood behind a block was not run, and comes to light with
/// it.
bool comesToLightInRuns(const Finding& f)
{
    return f.as<ContactFact>() || f.as<SignalFact>() || f.as<TimeFact>() || f.as<AxisFact>() || f.as<GripFact>()
           || f.as<StopFact>();
}

/// What a change has to keep to.
class Judge {
public:
    Judge(const CheckResult& before, const Finding& finding) : m_finding(finding), m_run(stepsRun(before))
    {
        for (const Finding* f : withFollowUps(before.findings))
            if (f->severity == Severity::Blocked) m_blocked.insert(keyOf(*f));
        m_cautions = before.count(Severity::Caution);
    }
    /// Whether the finding is gone, and nothing is blocked that was not.
    bool helps(const CheckResult& after) const
    {
        for (const Finding* f : withFollowUps(after.findings)) {
            if (isSubject(*f)) return false;
            if (f->severity != Severity::Blocked || m_blocked.contains(keyOf(*f))) continue;
            if (!f->step || m_run.contains(f->step) || !comesToLightInRuns(*f)) return false;
        }
        // A caution must not be bought with another one.
        return m_finding.severity == Severity::Blocked || after.count(Severity::Caution) < m_cautions;
    }

private:
    /// Whether it says that what the finding is about is still so, or is blocked for another reason.
    bool isSubject(const Finding& f) const
    {
        if (m_finding.severity != Severity::Blocked) return keyOf(f) == keyOf(m_finding);
        if (f.severity != Severity::Blocked) return false;
        if (m_finding.step) return f.step == m_finding.step && f.routine == m_finding.routine;
        if (m_finding.target) return !f.step && f.target == m_finding.target;
        return keyOf(f) == keyOf(m_finding);
    }
    const Finding& m_finding;
    const std::set<StepId> m_run;
    std::set<FindingKey> m_blocked;
    int m_cautions = 0;
};

/// The posture that a change comes to: at the end of the step, or at the target.
void giveGhost(Remedy& remedy, const Cell& mended, const CheckResult& after, const Finding& finding)
{
    for (const ArmTrace& arm : after.trace.arms)
        for (const StepOutcome& outcome : arm.outcomes) {
            const bool own = finding.step ? outcome.step == finding.step : outcome.target == finding.target;
            if (!own || outcome.arrival.size() == 0) continue;
            remedy.arm = arm.arm;
            remedy.posture = outcome.arrival;
            remedy.axes = outcome.axes;
            return;
        }
    for (const TargetVerdict& verdict : after.targets) {
        const Target* target = findTarget(mended, verdict.target);
        if (finding.target != verdict.target || !target) continue;
        const Solution* way = chosenWay(*armOf(mended, *target).model, *target, verdict.ways.items);
        remedy.arm = target->arm;
        remedy.posture = target->kind == Target::Kind::Posture ? target->posture : way ? way->joints : JointVector();
        remedy.axes = verdict.axes;
    }
}

}  // namespace

Remedies remediesFor(const Cell& cell, const CheckResult& checked, const Finding& finding, const RemedyOptions& options)
{
    Remedies out;
    if (isAdvice(finding.rule)) return out;
    PlanCache ownPlans;
    ContactCache ownTouched;
    CheckOptions how;
    how.plans = options.plans ? options.plans : &ownPlans;
    how.touched = options.touched ? options.touched : &ownTouched;
    how.workers = options.workers;
    how.stop = options.stop;
    if (const Target* target = findTarget(cell, finding.target);
        target && target->kind == Target::Kind::Pose && finding.as<ReachFact>()) {
        out.nearest = nearestPlace(cell, *target, axesFor(checked, finding), how.plans);
        if (out.nearest && options.nearest) options.nearest(*out.nearest);
    }
    const Judge judge(checked, finding);
    /// The whole cell with a change, if that helps.
    const auto tried = [&](const Change& change, double amount) -> std::optional<Remedy> {
        const Result<Cell> made = applied(cell, [&](const Cell&) { return change.make(amount); });
        if (!made) return std::nullopt;
        const Cell& next = *made;
        if (change.target) {
            const Target* target = findTarget(next, change.target);
            if (!target) return std::nullopt;
            for (const Finding& f : checkTarget(next, *target, axesFor(checked, finding), how.plans).findings)
                if (f.severity == Severity::Blocked) return std::nullopt;
        }
        // First without contact, which costs the most.
        CheckOptions quick = how;
        quick.contact = false;
        ++out.tried;
        CheckResult after = check(next, quick);
        if (!after.complete || !judge.helps(after)) return std::nullopt;
        after = check(next, how);
        if (!after.complete || !judge.helps(after)) return std::nullopt;
        Remedy remedy;
        remedy.text = change.text(amount);
        remedy.change = change.change;
        remedy.kind = kindOf(change);
        remedy.blocked = after.count(Severity::Blocked);
        remedy.cautions = after.count(Severity::Caution);
        remedy.cycleTime = cyclesOf(after.trace).time;
        remedy.runs = !after.trace.blocked() && !after.trace.stuck;
        if (!remedy.runs) remedy.cycleTime = after.trace.duration;
        remedy.rank = change.rank + change.perAmount * std::abs(amount);
        remedy.patch = patchBetween(cell, next);
        giveGhost(remedy, next, after, finding);
        return remedy;
    };
    std::vector<Change> changes = changesFor(cell, checked, finding, how.plans, options.stop);
    std::stable_sort(changes.begin(), changes.end(), [](const Change& a, const Change& b) { return a.rank < b.rank; });
    // One offer of each kind, the one that changes least.
    std::map<std::string, size_t> kinds;
    for (const Change& change : changes) {
        if (options.stop.stop_requested() || out.tried >= options.mostTried) break;
        const auto known = kinds.find(kindOf(change));
        if (known == kinds.end() && out.offers.size() >= options.most) continue;
        const double bar = known == kinds.end() ? INFINITY : out.offers[known->second].rank;
        const auto rankAt = [&](double amount) { return change.rank + change.perAmount * std::abs(amount); };
        double without = 0;
        for (const double amount : change.amounts) {
            // Half of it may still be less than what is there.
            if (options.stop.stop_requested() || out.tried >= options.mostTried) break;
            if (rankAt(0.5 * (without + amount)) >= bar) break;
            std::optional<Remedy> best = tried(change, amount);
            if (!best) {
                without = amount;
                continue;
            }
            constexpr int halvings = 4;
            double with = amount;
            for (int n = 0; change.unit > 0 && n < halvings && !options.stop.stop_requested(); ++n) {
                const double between = change.unit * std::round(0.5 * (without + with) / change.unit);
                if (between == without || between == with) break;
                std::optional<Remedy> less = tried(change, between);
                (less ? with : without) = between;
                if (less) best = std::move(less);
            }
            if (best->rank >= bar) break;
            if (options.found) options.found(*best);
            if (known != kinds.end()) {
                out.offers[known->second] = std::move(*best);
            } else {
                kinds[kindOf(change)] = out.offers.size();
                out.offers.push_back(std::move(*best));
            }
            break;
        }
    }
    // Those that leave something blocked come after those that do not.
    std::stable_sort(out.offers.begin(), out.offers.end(), [](const Remedy& a, const Remedy& b) {
        return std::pair(a.blocked > 0, a.rank) < std::pair(b.blocked > 0, b.rank);
    });
    return out;
}

}  // namespace topikos
