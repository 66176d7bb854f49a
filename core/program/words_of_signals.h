#pragma once
#include "core/program/new_step.h"
#include "core/program/step_printer.h"
#include "core/program/step_reader.h"

/// Steps that grip, wait, and write or wait for signals. Of each kind:
/// how it is read, how it is printed, and what a new one is. For step_words.cpp alone.
namespace topikos {

inline Status read(StepReader&, Grip&, Step&) { return std::nullopt; }
inline std::string print(const StepPrinter&, const Grip&) { return "grip"; }
inline Result<Action> fresh(const NewStep&, const Grip*) { return Action(Grip{}); }

inline Status read(StepReader&, Release&, Step&) { return std::nullopt; }
inline std::string print(const StepPrinter&, const Release&) { return "release"; }
inline Result<Action> fresh(const NewStep&, const Release*) { return Action(Release{}); }

inline Status read(StepReader& r, Wait& wait, Step&) { return r.readSeconds(wait.seconds, "\"wait\""); }
inline std::string print(const StepPrinter&, const Wait& wait) { return "wait " + secondText(wait.seconds); }
inline Result<Action> fresh(const NewStep&, const Wait*) { return Action(Wait{}); }

inline Status read(StepReader& r, SetSignal& set, Step&)
{
    const Signal* signal = r.readSignal(set.signal);
    if (!signal) return r.noSignal();
    r.in.word("to");
    if (!r.readValue(set.value)) return r.fail("the value of the signal is missing", r.wanted(*signal));
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const SetSignal& set)
{
    const Signal* signal = findSignal(p.cell(), set.signal);
    const bool digital = signal && signal->kind == Signal::Kind::Digital;
    return "set "
           + spelt(p.words.signals, signal ? signal->name : "?",
                   digital ? (set.value != 0 ? " on" : " off") : " to " + amount(set.value, 6));
}
inline Result<Action> fresh(const NewStep& n, const SetSignal*)
{
    if (const SignalId id = n.writableSignal()) return Action(SetSignal{id});
    return n.noSignal();
}

inline Status read(StepReader& r, PulseSignal& pulse, Step&)
{
    if (!r.readSignal(pulse.signal)) return r.noSignal();
    pulse.seconds = PulseSignal{}.seconds;
    return r.in.word("for") ? r.readSeconds(pulse.seconds, "\"for\"") : std::nullopt;
}
inline std::string print(const StepPrinter& p, const PulseSignal& pulse)
{
    const Signal* signal = findSignal(p.cell(), pulse.signal);
    const bool usual = pulse.seconds == PulseSignal{}.seconds;
    return "pulse "
           + spelt(p.words.signals, signal ? signal->name : "?", usual ? "" : " for " + secondText(pulse.seconds));
}
inline Result<Action> fresh(const NewStep& n, const PulseSignal*)
{
    if (const SignalId id = n.pulsedSignal()) return Action(PulseSignal{id});
    return n.noSignal();
}

inline Status read(StepReader& r, WaitSignal& wait, Step& step)
{
    if (Status bad = r.readCondition(wait.until)) return bad;
    wait.limit = 0;
    if (r.in.word("at most"))
        if (Status bad = r.readSeconds(wait.limit, "\"at most\"")) return bad;
    if (!r.in.sign(',')) return std::nullopt;
    if (r.behindElse && r.in.at("else"))
        return r.fail("there is an \"else\" on the line already",
                      "Write the step that has one of its own on a line below an \"else\".");
    if (!r.in.word("else"))
        return r.fail("\"else\" is missing", "Type \", else\" and the step that is done when the time is up.");
    if (wait.limit == 0)
        return r.fail("there is no time limit, so no \"else\"", "Type \"at most\" and a time before it.");
    Step other;
    StepReader behind{r.words, r.cell, r.scope, r.in, true};
    if (Status bad = readStep(behind, other)) return bad;
    step.otherwise = Steps{other};
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const WaitSignal& wait)
{
    return "wait for " + p.condition(wait.until, wait.limit > 0 ? " at most " + secondText(wait.limit) : "");
}
inline Result<Action> fresh(const NewStep& n, const WaitSignal*)
{
    if (const SignalId id = n.anySignal()) return Action(WaitSignal{{id}});
    return n.noSignal();
}

inline Status read(StepReader& r, SwitchProcess& process, Step&)
{
    if (Status bad = r.readProcessName(process.process)) return bad;
    process.on = true;
    if (r.in.word("off")) process.on = false;
    else if (!r.in.word("on")) return r.fail("\"on\" or \"off\" is missing", "Type on or off.");
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const SwitchProcess& own)
{
    return "process " + p.process(own.process, own.on ? " on" : " off");
}
inline Result<Action> fresh(const NewStep& n, const SwitchProcess*)
{
    for (const Tool& tool : n.cell.tools)
        if (!tool.processes.empty() && (!n.arm || n.arm->tool == tool.id))
            return Action(SwitchProcess{tool.processes.front().id, true});
    return NewStep::none("The tool has no process.", "Give it one, in the properties of the tool.");
}

}  // namespace topikos
