#pragma once
#include "core/program/new_step.h"
#include "core/program/step_printer.h"
#include "core/program/step_reader.h"

/// Steps that hold others, call others, or say how those behind them are read. Of each kind:
/// how it is read, how it is printed, and what a new one is. For step_words.cpp alone.
namespace topikos {

inline Status read(StepReader& r, Call& call, Step&)
{
    const Names::Match* routine = r.in.named(r.words.routines);
    if (!routine) return unknownName(r.in, "routine", r.words.routines, "Type the name of a routine.");
    call.routine = {routine->id};
    call.places.clear();
    if (!r.in.sign('(')) return std::nullopt;
    while (true) {
        if (Status bad = r.readPlace(call.places.emplace_back())) return bad;
        if (r.in.sign(')')) return std::nullopt;
        if (!r.in.sign(','))
            return r.fail("a comma or a bracket is missing", "Type \",\" and another place, or \")\".");
    }
}
inline std::string print(const StepPrinter& p, const Call& call)
{
    const Routine* routine = findRoutine(p.cell(), call.routine);
    std::string places;
    for (const Place& own : call.places)
        places += (places.empty() ? " (" : ", ") + p.place(own, "");
    if (!places.empty()) places += ")";
    return "call " + spelt(p.words.routines, routine ? routine->name : "?", places);
}
inline Result<Action> fresh(const NewStep& n, const Call*)
{
    for (const Routine& routine : n.cell.routines) {
        if (routine.id == n.scope.routine.id || (routine.arm && routine.arm != n.scope.routine.arm)) continue;
        if (n.arm && n.arm->main == routine.id) continue;
        if (!routine.parameters.empty() && !n.somewhere) continue;
        return Action(Call{routine.id, std::vector<Place>(routine.parameters.size(), n.place)});
    }
    return NewStep::none("There is no other routine to call.", "Add one, or make one of selected steps.");
}

inline Status read(StepReader& r, Repeat& repeat, Step&)
{
    if (r.in.done() || r.in.word("without end")) return repeat.kind = Repeat::Kind::Endless, std::nullopt;
    const bool asks = r.in.at("while") || r.in.at("until");
    if (asks) {
        repeat.kind = r.in.word("while") ? Repeat::Kind::While : Repeat::Kind::Until;
        r.in.word("until");
        return r.readCondition(repeat.condition);
    }
    double times;
    if (!r.in.number(times) || times != std::floor(times) || !(times >= 1 && times <= limits::kRepeat.most))
        return r.fail("how often is missing", "Type a number of times, while, until or without end.");
    repeat.kind = Repeat::Kind::Times;
    repeat.times = std::uint32_t(times);
    r.in.word("times");
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const Repeat& repeat)
{
    switch (repeat.kind) {
    case Repeat::Kind::Times: return fmt::format("repeat {} times", repeat.times);
    case Repeat::Kind::While: return "repeat while " + p.condition(repeat.condition, "");
    case Repeat::Kind::Until: return "repeat until " + p.condition(repeat.condition, "");
    case Repeat::Kind::Endless: break;
    }
    return "repeat without end";
}
inline Result<Action> fresh(const NewStep&, const Repeat*) { return Action(Repeat{}); }

inline Status readRange(StepReader& r, ForEach& each)
{
    each.first = 1, each.last = 0, each.backwards = false;
    const auto whole = [&](std::uint32_t& out) -> Status {
        double value;
        if (!r.in.number(value) || value != std::floor(value) || !(value >= 1 && value <= limits::kPlaces.most))
            return r.fail("the number of a place is missing", "Type a number from 1 on.");
        out = std::uint32_t(value);
        return std::nullopt;
    };
    if (r.in.word("from")) {
        if (Status bad = whole(each.first)) return bad;
        if (!r.in.word("to"))
            return r.fail("\"to\" is missing", "Type \"to\" and the number of the last place, or \"to end\".");
        if (!r.in.word("end"))
            if (Status bad = whole(each.last)) return bad;
    }
    each.backwards = r.in.word("backwards");
    return std::nullopt;
}
inline Status read(StepReader& r, ForEach& each, Step&)
{
    if (r.head != "for each") return r.fail("\"each\" is missing", "Type \"for each place of\" and a pattern.");
    each.with = {};
    if (r.in.word("place of")) {
        if (Status bad = r.readPattern(each.pattern)) return bad;
        return readRange(r, each);
    }
    if (Status bad = r.readPattern(each.pattern)) return bad;
    if (!r.in.word("place")) return r.fail("\"place\" is missing", "Type \"place\" behind the pattern.");
    if (Status bad = readRange(r, each)) return bad;
    if (!r.in.word("with")) return std::nullopt;
    if (Status bad = r.readPattern(each.with)) return bad;
    r.in.word("place");
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const ForEach& each)
{
    const auto name = [&](PatternId id) {
        const Pattern* pattern = findPattern(p.cell(), id);
        return pattern ? pattern->name : std::string("?");
    };
    std::string range;
    if (each.first > 1 || each.last > 0)
        range += fmt::format(" from {} to {}", each.first, each.last > 0 ? std::to_string(each.last) : "end");
    if (each.backwards) range += " backwards";
    if (!each.with) return "for each place of " + spelt(p.words.patterns, name(each.pattern), range);
    return "for each " + spelt(p.words.patterns, name(each.pattern), " place" + range + " with ")
           + spelt(p.words.patterns, name(each.with), " place");
}
inline Result<Action> fresh(const NewStep& n, const ForEach*)
{
    for (const Pattern& pattern : n.cell.patterns)
        if (pattern.content == Pattern::Content::Targets && pattern.arm == n.scope.routine.arm
            && std::find(n.scope.loops.begin(), n.scope.loops.end(), pattern.id) == n.scope.loops.end())
            return Action(ForEach{pattern.id});
    return NewStep::none("There is no pattern of targets for this arm.", "Make one of a target first.");
}

inline Status read(StepReader& r, If& decision, Step&) { return r.readCondition(decision.condition); }
inline std::string print(const StepPrinter& p, const If& decision)
{
    return "if " + p.condition(decision.condition, "");
}
inline Result<Action> fresh(const NewStep& n, const If*)
{
    if (const SignalId id = n.anySignal()) return Action(If{{id}});
    return n.noSignal();
}

inline Status read(StepReader&, Note&, Step&) { return std::nullopt; }
inline std::string print(const StepPrinter&, const Note&) { return "#"; }
inline Result<Action> fresh(const NewStep&, const Note*) { return Action(Note{}); }

inline Status read(StepReader& r, UsePoint& use, Step&)
{
    if (r.head != "use point")
        return r.fail("\"point\" is missing", "Type \"use point\" and the name of a point of the tool.");
    if (r.in.word("first")) return use.point = {}, std::nullopt;
    Names points;
    if (const ArmStation* arm = findArm(r.cell, r.scope.routine.arm))
        for (const ToolPoint& p : toolInForce(r.cell, *arm).points)
            points.add(p.name, p.id.value);
    const Names::Match* match = r.in.named(points);
    if (!match)
        return unknownName(r.in, "point of the tool", points, "Type first, or the name of a point of the tool.");
    use.point = {match->id};
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const UsePoint& use)
{
    for (const Tool& tool : p.cell().tools)
        for (const ToolPoint& own : tool.points)
            if (use.point && own.id == use.point) {
                Names names;
                names.add(own.name, 1);
                return "use point " + (lowered(own.name) == "first" ? inQuotes(own.name) : spelt(names, own.name));
            }
    return "use point first";
}
inline Result<Action> fresh(const NewStep&, const UsePoint*) { return Action(UsePoint{}); }

inline Status read(StepReader& r, ReadFrom& read, Step&)
{
    if (r.head != "read from") return r.fail("\"from\" is missing", "Type \"read from\" and a frame.");
    const Names::Match* frame = r.in.named(r.words.frames);
    if (!frame) return unknownName(r.in, "frame", r.words.frames, "Type the name of a frame, or World.");
    read.frame = {frame->id};
    return std::nullopt;
}
inline std::string print(const StepPrinter& p, const ReadFrom& read)
{
    return "read from " + spelt(p.words.frames, frameName(p.cell(), read.frame));
}
inline Result<Action> fresh(const NewStep&, const ReadFrom*) { return Action(ReadFrom{}); }

inline Status read(StepReader& r, Halt& halt, Step&)
{
    halt.message.clear();
    if (r.in.done()) return std::nullopt;
    auto text = r.in.quoted();
    if (!text)
        return r.fail("the message is not in quotation marks", "Type \"stop\" and the message in quotation marks.");
    halt.message = std::move(*text);
    return std::nullopt;
}
inline std::string print(const StepPrinter&, const Halt& halt)
{
    return halt.message.empty() ? "stop" : "stop " + inQuotes(halt.message);
}
inline Result<Action> fresh(const NewStep&, const Halt*) { return Action(Halt{}); }

}  // namespace topikos
