#include "core/cell/step_tree.h"
#include "core/check/rules/rules.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

namespace topikos {

void judgeSignal(const JudgedStep& step, Findings& out)
{
    const auto problem = step.outcome.problem;
    const Step* own = findStep(step.routine.steps, step.outcome.step);
    if (problem == StepOutcome::Problem::Stopped)
        out.push_back(step.finding(Rule::Stop, Severity::Caution, StopFact{own->as<Halt>()->message}));
    const WaitSignal* wait = own ? own->as<WaitSignal>() : nullptr;
    if (problem == StepOutcome::Problem::WaitsForEver)
        out.push_back(step.finding(Rule::Signal, Severity::Blocked, SignalFact{wait->until.signal, wait->until.value}));
    if (problem == StepOutcome::Problem::TimedOut)
        out.push_back(step.finding(Rule::Signal, Severity::Caution, TimeFact{wait->until.signal, wait->limit}));
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

FindingText textOf(const StopFact& fact, const Wording& words)
{
    return {words.subject + " stops the program",
            fact.message.empty() ? "The arm does nothing more."
                                 : fmt::format("\"{}\". The arm does nothing more.", fact.message)};
}

FindingText textOf(const TimeFact& fact, const Wording& words)
{
    const Signal* signal = findSignal(words.cell, fact.signal);
    return {fmt::format("{} waits {:.4g} s in vain", words.subject, fact.limit),
            fmt::format("\"{}\" does not become what it waits for in that time.", signal ? signal->name : "")};
}

FindingText textOf(const SignalFact& fact, const Wording& words)
{
    if (!fact.signal) {
        const std::string end = fmt::format("The run never gets past {:.3f} s", fact.stuck.time);
        switch (fact.stuck.why) {
        case Stuck::Why::NoTimePasses:
            return {end, "Signals, devices and routines go on without end there, and no time passes. Look at which "
                         "signals devices read and write."};
        case Stuck::Why::TooLong:
            return {end, fmt::format("A run takes {:.0f} days at most. Look for speeds and accelerations that are too "
                                     "low, or run it up to a time.",
                                     limits::kRunLength.most / 86400)};
        case Stuck::Why::TooMuch:
            return {end, fmt::format("More than {:.0f} million things happen up to there. Look for devices that do "
                                     "something many times a second, or run it up to a time.",
                                     limits::kRunEvents.most / 1e6)};
        }
    }
    const Signal* signal = findSignal(words.cell, fact.signal);
    return {words.subject + " waits for ever",
            fmt::format("\"{}\" does not become what it waits for within 10 min of nothing else going on.",
                        signal ? signal->name : "")};
}

}  // namespace topikos
