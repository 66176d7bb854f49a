#pragma once
#include "core/cell/devices.h"
#include "core/program/step_text.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace topikos {

/// A number of a step: rounded for reading, but never to nothing.
inline std::string amount(double value, int decimals)
{
    const std::string text = plainNumber(value, decimals);
    return text == "0" && value != 0 ? fmt::format("{:.4g}", value) : text;
}
inline std::string millimetreText(double metres) { return amount(millimetres(metres), 3) + " mm"; }
inline std::string degreeText(double radians) { return amount(degrees(radians), 3) + "°"; }
inline std::string percentText(double fraction) { return amount(fraction * 100, 3) + " %"; }
inline std::string secondText(double s) { return amount(s, 3) + " s"; }

/// A step that is being printed, with what the kinds of steps have in common. `rest`: what follows on the line, since a
/// name is spelt so that it is read back as that name.
struct StepPrinter {
    const Vocabulary& words;
    const StepScope* scope;

    const Cell& cell() const { return words.cell; }

    /// Whether a name with what follows it is read as that place again.
    bool readsAs(const std::string& name, const std::string& rest, const Place& place) const
    {
        if (name.find_first_of("\"#(),") != std::string::npos) return false;
        // Words that stand before places.
        const std::string first = lowered(name.substr(0, name.find(' ')));
        for (const char* before : {"over", "to", "near", "approach", "retract"})
            if (first == before) return false;
        const auto read = longestPlace(words, *scope, lowered(name + rest));
        return read && read->length == name.size() && read->place == place;
    }
    std::string place(const Place& place, const std::string& rest) const
    {
        std::string name = "?";
        if (const auto* id = std::get_if<PatternId>(&place)) {
            const Pattern* pattern = findPattern(cell(), *id);
            if (!pattern) return name + rest;
            const bool inLoop = scope && std::find(scope->loops.begin(), scope->loops.end(), *id) != scope->loops.end();
            const std::vector<std::string> forms = loopWords(*pattern, inLoop && scope->loops.back() == *id);
            for (const std::string& form : forms)
                if (!inLoop || readsAs(form, rest, place)) return form + rest;
            return forms.back() + rest;
        }
        if (const auto* id = std::get_if<ParameterId>(&place)) {
            if (const Parameter* own = findParameter(cell(), *id)) name = own->name;
        } else if (const Target* target = findTarget(cell(), std::get<TargetId>(place))) {
            name = target->name;
        }
        if (scope) return (readsAs(name, rest, place) ? name : inQuotes(name)) + rest;
        return std::holds_alternative<TargetId>(place) ? spelt(words.targets, name, rest) : name + rest;
    }
    /// `to` is what stands before a place itself, and before its approach.
    std::string at(const AtPlace& at, const std::string& rest, const char* to = "to ") const
    {
        if (at.over > 0) return "over " + place(at.place, " " + millimetreText(at.over) + rest);
        return to + std::string(at.stage == Stage::Over ? "" : stageWords(at.stage) + " of ") + place(at.place, rest);
    }
    std::string shift(const Shift& shift, const std::string& rest) const
    {
        const char axis = "xyz"[shift.axis];
        const std::string how = shift.turns ? degreeText(shift.by) + " about " : millimetreText(shift.by) + " along ";
        const std::string head = fmt::format("by {}{}", how, axis);
        switch (shift.space) {
        case Shift::Space::InForce: return head + rest;
        case Shift::Space::Tool: return head + " of tool" + rest;
        case Shift::Space::World: return head + " of world" + rest;
        case Shift::Space::Frame: break;
        }
        return head + " of frame " + spelt(words.frames, frameName(cell(), shift.frame), rest);
    }
    std::string pace(const Pace& pace) const
    {
        std::string out;
        if (pace.turnSpeed > 0) out += " at " + amount(degrees(pace.turnSpeed), 3) + " °/s";
        if (pace.acceleration < 1) out += " acceleration " + percentText(pace.acceleration);
        if (pace.blend > 0) out += " blend " + millimetreText(pace.blend);
        return out;
    }
    std::string jointShift(const JointShift& shift) const
    {
        const bool slides = scope && jointKindOf(cell(), scope->routine, shift.joint) == JointKind::Prismatic;
        return fmt::format("joint {} by {}", shift.joint + 1, slides ? millimetreText(shift.by) : degreeText(shift.by));
    }
    std::string condition(const Condition& c, const std::string& rest) const
    {
        const Signal* signal = findSignal(cell(), c.signal);
        const bool digital = signal && signal->kind == Signal::Kind::Digital && c.comparison == Comparison::Equal;
        // "at most 1" behind a digital signal could be a time.
        const bool asNumber = signal && signal->kind == Signal::Kind::Digital && !digital;
        const std::string how = std::string(asNumber ? " is" : "")
                                + (c.comparison == Comparison::AtLeast  ? " at least "
                                   : c.comparison == Comparison::AtMost ? " at most "
                                                                        : " is ");
        const std::string value = !digital ? how + amount(c.value, 6) : c.value == 0 ? " off" : "";
        return spelt(words.signals, signal ? signal->name : "?", value + rest);
    }
    std::string process(ProcessId id, const std::string& rest) const
    {
        for (const Tool& tool : cell().tools)
            for (const Process& own : tool.processes)
                if (own.id == id) return spelt(words.processes, own.name, rest);
        return "?" + rest;
    }

private:
    static const Parameter* findParameter(const Cell& cell, ParameterId id)
    {
        for (const Routine& routine : cell.routines)
            for (const Parameter& own : routine.parameters)
                if (own.id == id) return &own;
        return nullptr;
    }
};

}  // namespace topikos
