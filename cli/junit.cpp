#include "cli/junit.h"

#include "core/cell/step_tree.h"
#include "core/program/step_text.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <map>
#include <set>

namespace topikos::cli {

std::string junitText(const Cell& cell, const CheckResult& result)
{
    std::string cases;
    size_t count = 0, failures = 0;
    std::map<StepId, std::string> ofSteps;
    for (const Finding* f : withFollowUps(result.findings))
        if (f->step && f->severity == Severity::Blocked) {
            const FindingText text = findingText(cell, *f);
            ofSteps[f->step] +=
                fmt::format("<failure message=\"{}\">{}</failure>", xmlText(text.headline), xmlText(text.detail));
        }
    const auto add = [&](const std::string& group, const std::string& name, const std::string& failure) {
        ++count;
        failures += failure.empty() ? 0 : 1;
        cases += fmt::format("  <testcase classname=\"{}\" name=\"{}\">{}</testcase>\n", xmlText(group), xmlText(name),
                             failure);
    };
    std::set<StepId> told;
    const Vocabulary words(cell);
    const auto addSteps = [&](const Trace& trace) {
        // A step that is done several times is one case.
        for (const ArmTrace& arm : trace.arms)
            for (const StepOutcome& outcome : arm.outcomes) {
                if (!told.insert(outcome.step).second) continue;
                const Routine& routine = *findRoutine(cell, outcome.routine);
                const StepScope scope{routine};
                add(routine.name,
                    fmt::format("step {}: {}", outcome.index + 1,
                                stepText(words, *findStep(routine.steps, outcome.step), &scope)),
                    ofSteps[outcome.step]);
            }
    };
    addSteps(result.trace);
    for (const Trace& trace : result.alone)
        addSteps(trace);
    for (const TargetVerdict& verdict : result.targets) {
        std::string failure;
        for (const Finding& f : verdict.findings)
            if (f.severity == Severity::Blocked)
                failure += fmt::format("<failure message=\"{}\"/>", xmlText(findingText(cell, f).detail));
        add("targets", findTarget(cell, verdict.target)->name, failure);
    }
    return fmt::format("<testsuite name=\"{}\" tests=\"{}\" "
                       "failures=\"{}\">\n{}</testsuite>\n",
                       xmlText(cell.name), count, failures, cases);
}

}  // namespace topikos::cli
