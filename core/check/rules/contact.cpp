#include "core/check/rules/rules.h"
#include "core/collide/sweep.h"

#include <fmt/format.h>

namespace topikos {

void judgeContact(const Cell& cell, const Trace& trace, const CheckOptions& options,
                  const std::function<void(double)>& progress, Findings& out)
{
    const ContactScene scene(cell, trace, options.touched);
    SweepOptions sweep{options.touched, options.workers, options.stop, progress};
    for (const Encounter& e : encounters(scene, cell.thresholds.clearance, sweep)) {
        ContactFact fact{
            scene.bodies().side(e.a), scene.bodies().side(e.b), e.time, e.nearest.distance, e.caution, e.depth, e.from, e.until};
        fact.onA = e.nearest.onA;
        fact.onB = e.nearest.onB;
        const Rule rule = e.contact ? Rule::Contact : Rule::Clearance;
        const Severity severity = e.contact ? Severity::Blocked : Severity::Caution;
        const ArmTrace* arm = e.arm ? findArmTrace(trace, e.arm) : nullptr;
        if (!arm) {
            Finding f;
            f.rule = rule;
            f.severity = severity;
            f.fact = fact;
            out.push_back(std::move(f));
            continue;
        }
        const StepOutcome& outcome = arm->outcomes[e.outcome];
        if (const StepOutcome& last = arm->outcomes[e.lastOutcome]; last.step != outcome.step) {
            fact.last = last.step;
            fact.lastRoutine = last.routine;
            fact.lastIndex = last.index;
        }
        const JudgedStep step{cell, *findRoutine(cell, outcome.routine), *findArm(cell, e.arm), outcome};
        Finding f = outcome.move && outcome.timing
                        ? step.findingAt(rule, severity, fact, outcome.timing->fractionAt(e.time - outcome.start))
                        : step.finding(rule, severity, fact);
        f.outcome = e.outcome;
        out.push_back(std::move(f));
    }
}

FindingText textOf(const ContactFact& fact, const Wording& words)
{
    const std::string who = words.finding.step ? words.subject + ": " : "";
    const std::string behind = fmt::format("At {:.2f} s{}", fact.time, words.place);
    const std::string standIn =
        fact.a.standIn || fact.b.standIn
            ? " The body of the arm is a stand-in made from its data sheet: add the maker's surfaces."
            : "";
    if (words.blocked()) {
        const std::string deep = fact.depth >= 5e-5 ? fmt::format(", up to {} deep", mm(fact.depth)) : "";
        std::string stretch = fact.until - fact.time >= 0.005 ? fmt::format(" until {:.2f} s", fact.until) : "";
        if (fact.last) {
            const Routine* routine = findRoutine(words.cell, fact.lastRoutine);
            stretch += fact.lastRoutine == words.finding.routine || !routine
                           ? fmt::format(" in step {}", fact.lastIndex + 1)
                           : fmt::format(" in step {} of {}", fact.lastIndex + 1, routine->name);
        }
        return {fmt::format("{}{} and {} touch", who, fact.a.name, fact.b.name),
                behind + " they begin to touch" + (stretch.empty() ? "" : "," + stretch) + deep + "." + standIn};
    }
    return {fmt::format("{}{} and {} come within {}", who, fact.a.name, fact.b.name, mm(fact.distance)),
            fmt::format("{}; {} are asked for.{}", behind, mm(fact.limit), standIn)};
}

}  // namespace topikos
