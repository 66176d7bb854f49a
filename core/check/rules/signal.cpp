#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

void judgeSignal(const JudgedStep& step, Findings& out)
{
    if (step.outcome.problem != StepOutcome::Problem::WaitsForEver) return;
    const Step& own = step.routine.steps[step.outcome.index];
    out.push_back(step.finding(Rule::Signal, Severity::Blocked, SignalFact{own.signal, own.value, 0}));
}

void judgeProgress(const Trace& trace, Findings& out)
{
    if (!trace.stuck) return;
    Finding f;
    f.rule = Rule::Signal;
    f.severity = Severity::Blocked;
    f.fact = SignalFact{{}, 0, *trace.stuck};
    out.push_back(std::move(f));
}

FindingText textOf(const SignalFact& fact, const Wording& words)
{
    if (!fact.signal)
        return {fmt::format("The run never gets past {:.3f} s", fact.time),
                "Signals, devices and routines go on without end there, and no time passes. Look at which signals "
                "devices read and write."};
    const Signal* signal = findSignal(words.cell, fact.signal);
    return {words.subject + " waits for ever",
            fmt::format("\"{}\" does not become what it waits for within 10 min of nothing else going on.",
                        signal ? signal->name : "")};
}

}  // namespace topikos
