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

std::optional<Finding> stuckFinding(const Cell& cell, const Trace& trace)
{
    if (!trace.stuck) return std::nullopt;
    Finding f;
    f.rule = Rule::Signal;
    f.severity = Severity::Blocked;
    f.arm = trace.stuck->arm;
    f.routine = trace.stuck->routine;
    f.step = trace.stuck->step;
    if (const Routine* routine = findRoutine(cell, f.routine))
        eachStep(routine->steps, [&](const Step& step, size_t number) {
            if (step.id == f.step) f.stepIndex = number;
        });
    f.fact = SignalFact{{}, 0, *trace.stuck};
    return f;
}

namespace {

FindingText ringText(const SignalFact& fact, const Wording& words)
{
    const Cell& cell = words.cell;
    std::string names, waits;
    for (size_t i = 0; i < fact.ring.size(); ++i) {
        const SignalFact::Wait& own = fact.ring[i];
        const std::string& name = findArm(cell, own.arm)->name;
        names += (i == 0 ? "" : i + 1 == fact.ring.size() ? " and " : ", ") + name;
        const Signal* signal = findSignal(cell, own.signal);
        waits +=
            fmt::format("{}{} at step {} for \"{}\" from {}", i == 0 ? "" : ", ", name, own.index + 1,
                        signal ? signal->name : "", findArm(cell, fact.ring[(i + 1) % fact.ring.size()].arm)->name);
    }
    return {names + " wait for each other",
            waits
                + ": none of them comes to where it would set the other's signal. Let one set its signal before it "
                  "waits."};
}

FindingText stuckText(const Stuck& stuck, const Wording& words)
{
    const std::string end = stuck.step ? words.subject + " loops and never ends"
                                       : fmt::format("The run never gets past {:.3f} s", stuck.time);
    switch (stuck.why) {
    case Stuck::Why::NoTimePasses:
        if (stuck.step)
            return {end, fmt::format("From {:.3f} s on no time passes, and no pass changes anything. Let the block "
                                     "wait for something, or give it a number of passes.",
                                     stuck.time)};
        return {end, "Signals, devices and routines never come to rest there, and no time passes. Look at which "
                     "signals devices read and write."};
    case Stuck::Why::NothingChanges:
        return {end, fmt::format("Up to {:.3f} s everything has come back to where it was after an earlier pass, so "
                                 "its condition stays as it is. Let something change that, or give the block a number "
                                 "of passes.",
                                 stuck.time)};
    case Stuck::Why::TooLong:
        return {end, fmt::format("A run takes {:.0f} days at most. Look for speeds and accelerations that are too low, "
                                 "or run it up to a time.",
                                 limits::kRunLength.most / 86400)};
    case Stuck::Why::TooMuch: break;
    }
    const std::string most = fmt::format("A run has {:.0f} million events and {:.0f} MB at most",
                                         limits::kRunEvents.most / 1e6, limits::kRunMemory.most / 1e6);
    if (!stuck.step)
        return {end, most + ". Look for devices that do something many times a second, or run it up to a time."};
    const std::string deep =
        stuck.calls > 1 ? fmt::format(", {} calls deep in a chain that calls again and again", stuck.calls) : "";
    return {words.subject + " is too much for a run",
            fmt::format("{}; at {:.3f} s they are spent{}. Give the block fewer passes, or the routines fewer calls.",
                        most, stuck.time, deep)};
}

}  // namespace

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
    if (!fact.signal) return stuckText(fact.stuck, words);
    if (!fact.ring.empty()) return ringText(fact, words);
    const Signal* signal = findSignal(words.cell, fact.signal);
    return {words.subject + " waits for ever",
            fmt::format("\"{}\" does not become what it waits for within 10 min of nothing else going on.",
                        signal ? signal->name : "")};
}

}  // namespace topikos
