#include "core/check/check.h"

#include "core/cell/step_tree.h"
#include "core/check/rules/rules.h"

#include <fmt/format.h>

#include <algorithm>

namespace topikos {

int CheckResult::count(Severity severity) const
{
    return int(std::count_if(findings.begin(), findings.end(),
                             [severity](const Finding& f) { return f.severity == severity; }));
}

std::vector<const Finding*> CheckResult::ofStep(StepId step) const
{
    std::vector<const Finding*> own = withFollowUps(findings);
    std::erase_if(own, [step](const Finding* f) { return f->step != step; });
    return own;
}

std::map<TargetId, const Finding*> worstOfTargets(const CheckResult& result)
{
    std::map<TargetId, const Finding*> out;
    const auto note = [&](TargetId target, const Finding& f) {
        if (!target || f.severity == Severity::Advice) return;
        const Finding*& own = out[target];
        if (!own || f.severity > own->severity) own = &f;
    };
    for (const TargetVerdict& verdict : result.targets)
        for (const Finding& f : verdict.findings)
            note(verdict.target, f);
    for (const Finding& f : result.findings)
        note(f.target, f);
    return out;
}

std::set<RoutineId> reachedRoutines(const Cell& cell, ArmId only)
{
    std::set<RoutineId> out;
    std::vector<RoutineId> open;
    for (const ArmStation& arm : cell.arms)
        if (!only || arm.id == only) open.push_back(arm.main);
    while (!open.empty()) {
        const RoutineId id = open.back();
        open.pop_back();
        if (!out.insert(id).second) continue;
        eachStep(findRoutine(cell, id)->steps, [&](const Step& step, size_t) {
            if (const Call* call = step.as<Call>()) open.push_back(call->routine);
        });
    }
    return out;
}

const StepOutcome* outcomeOf(const CheckResult& result, const Finding& f)
{
    const auto in = [&f](const Trace& trace) -> const StepOutcome* {
        for (const ArmTrace& arm : trace.arms)
            if (arm.arm == f.arm && f.outcome < arm.outcomes.size() && arm.outcomes[f.outcome].step == f.step
                && arm.outcomes[f.outcome].within == f.within)
                return &arm.outcomes[f.outcome];
        return nullptr;
    };
    if (const StepOutcome* outcome = in(result.trace)) return outcome;
    for (const Trace& trace : result.alone)
        if (const StepOutcome* outcome = in(trace)) return outcome;
    return nullptr;
}

const Finding* whatEndsTheRun(const CheckResult& result)
{
    const std::vector<ArmTrace>& arms = result.trace.arms;
    for (const Finding* f : withFollowUps(result.findings)) {
        if (f->severity != Severity::Blocked) continue;
        const auto ends = [f](const ArmTrace& a) { return a.blockedAt && f->step == a.outcomes[*a.blockedAt].step; };
        if (std::any_of(arms.begin(), arms.end(), ends)) return f;
        if (result.trace.stuck && f->as<SignalFact>() && !f->as<SignalFact>()->signal) return f;
    }
    return nullptr;
}

std::string lookedAt(const CheckResult& result)
{
    const auto counted = [](size_t n, const char* one, const char* more) {
        return fmt::format("{} {}", n, n == 1 ? one : more);
    };
    std::string text = counted(result.trace.arms.size(), "routine that runs", "routines that run together");
    if (!result.alone.empty()) text += ", " + counted(result.alone.size(), "other by itself", "others each by itself");
    return text + ", " + counted(result.targets.size(), "target", "targets")
           + (result.contact           ? ", contact"
              : result.contactDone > 0 ? fmt::format("; contact {:.0f} %", 100 * result.contactDone)
                                       : "; contact not yet");
}

}  // namespace topikos
