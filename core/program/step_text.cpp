#include "core/program/step_text.h"

#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace topikos {

namespace {

/// A number of a step: rounded for reading, but never to nothing.
std::string amount(double value, int decimals)
{
    const std::string text = plainNumber(value, decimals);
    return text == "0" && value != 0 ? fmt::format("{:.4g}", value) : text;
}
std::string mm(double metres) { return amount(millimetres(metres), 3) + " mm"; }
std::string deg(double radians) { return amount(degrees(radians), 3) + "°"; }
std::string percent(double fraction) { return amount(fraction * 100, 3) + " %"; }
std::string seconds(double s) { return amount(s, 3) + " s"; }

const Parameter* findParameter(const Cell& cell, ParameterId id)
{
    for (const Routine& routine : cell.routines)
        for (const Parameter& own : routine.parameters)
            if (own.id == id) return &own;
    return nullptr;
}

/// What the place of a loop can be called inside it, the shortest first.
std::vector<std::string> loopWords(const Pattern& pattern, bool innermost)
{
    std::vector<std::string> out{pattern.name + " place", "place of " + pattern.name};
    if (innermost) out.insert(out.begin(), "place");
    return out;
}

}  // namespace

std::string stageWords(Stage stage)
{
    switch (stage) {
    case Stage::Over: break;
    case Stage::Approach: return "approach";
    case Stage::NearApproach: return "near approach";
    case Stage::Retract: return "retract";
    case Stage::NearRetract: return "near retract";
    }
    return "";
}

namespace {

/// One function per kind of step.
struct Printer {
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
        if (at.over > 0) return "over " + place(at.place, " " + mm(at.over) + rest);
        return to + std::string(at.stage == Stage::Over ? "" : stageWords(at.stage) + " of ") + place(at.place, rest);
    }
    std::string shift(const Shift& shift, const std::string& rest) const
    {
        const char axis = "xyz"[shift.axis];
        const std::string how = shift.turns ? deg(shift.by) + " about " : mm(shift.by) + " along ";
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
        if (pace.acceleration < 1) out += " acceleration " + percent(pace.acceleration);
        if (pace.blend > 0) out += " blend " + mm(pace.blend);
        return out;
    }
    std::string operator()(const JointMove& move) const
    {
        const std::string rest = (move.speed < 1 ? " at " + percent(move.speed) : "") + pace(move.pace);
        if (const auto* own = std::get_if<JointShift>(&move.goal)) return jointShift(*own) + rest;
        if (const auto* by = std::get_if<Shift>(&move.goal)) return "joint " + shift(*by, rest);
        return "joint " + at(std::get<AtPlace>(move.goal), rest);
    }
    std::string jointShift(const JointShift& shift) const
    {
        const bool slides = scope && jointKindOf(cell(), scope->routine, shift.joint) == JointKind::Prismatic;
        return fmt::format("joint {} by {}", shift.joint + 1, slides ? mm(shift.by) : deg(shift.by));
    }
    std::string operator()(const LineMove& move) const
    {
        const std::string rest = " at " + amount(millimetres(move.speed), 3) + " mm/s" + pace(move.pace);
        if (const auto* by = std::get_if<Shift>(&move.goal)) return "line " + shift(*by, rest);
        return "line " + at(std::get<AtPlace>(move.goal), rest);
    }
    std::string operator()(const ArcMove& move) const
    {
        const std::string rest = " at " + amount(millimetres(move.speed), 3) + " mm/s" + pace(move.pace);
        return move.whole ? "circle via " + at(move.via, " and ", "") + at(move.end, rest, "")
                          : "arc via " + at(move.via, " to ", "") + at(move.end, rest, "");
    }
    std::string operator()(const Grip&) const { return "grip"; }
    std::string operator()(const Release&) const { return "release"; }
    std::string operator()(const Wait& wait) const { return "wait " + seconds(wait.seconds); }
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
    std::string operator()(const SetSignal& set) const
    {
        const Signal* signal = findSignal(cell(), set.signal);
        const bool digital = signal && signal->kind == Signal::Kind::Digital;
        return "set "
               + spelt(words.signals, signal ? signal->name : "?",
                       digital ? (set.value != 0 ? " on" : " off") : " to " + amount(set.value, 6));
    }
    std::string operator()(const PulseSignal& pulse) const
    {
        const Signal* signal = findSignal(cell(), pulse.signal);
        const bool usual = pulse.seconds == PulseSignal{}.seconds;
        return "pulse "
               + spelt(words.signals, signal ? signal->name : "?", usual ? "" : " for " + seconds(pulse.seconds));
    }
    std::string operator()(const WaitSignal& wait) const
    {
        return "wait for " + condition(wait.until, wait.limit > 0 ? " at most " + seconds(wait.limit) : "");
    }
    std::string operator()(const MoveAxes& move) const
    {
        std::string rest = " to";
        const std::vector<FrameId> axes = axesOf(cell(), move.device);
        for (size_t i = 0; i < std::min(axes.size(), move.values.size()); ++i) {
            const bool turns = findFrame(cell(), axes[i])->axis->kind == JointKind::Revolute;
            rest += ' ';
            rest += turns ? deg(move.values[i]) : mm(move.values[i]);
        }
        if (move.speed < 1) rest += " at " + percent(move.speed);
        return "move " + spelt(words.frames, frameName(cell(), move.device), rest);
    }
    std::string operator()(const PlayTable& play) const
    {
        const TimeTable* table = findTimeTable(cell(), play.table);
        std::string rest;
        if (play.between == BetweenRows::Smooth) rest += " smooth";
        if (play.between == BetweenRows::Hold) rest += " held";
        if (play.times > 1) rest += fmt::format(" {} times", play.times);
        if (play.speed < 1) rest += " at " + percent(play.speed);
        return "play " + spelt(words.tables, table ? table->name : "?", rest);
    }
    std::string operator()(const Call& call) const
    {
        const Routine* routine = findRoutine(cell(), call.routine);
        std::string places;
        for (const Place& own : call.places)
            places += (places.empty() ? " (" : ", ") + place(own, "");
        if (!places.empty()) places += ")";
        return "call " + spelt(words.routines, routine ? routine->name : "?", places);
    }
    std::string operator()(const Repeat& repeat) const
    {
        switch (repeat.kind) {
        case Repeat::Kind::Times: return fmt::format("repeat {} times", repeat.times);
        case Repeat::Kind::While: return "repeat while " + condition(repeat.condition, "");
        case Repeat::Kind::Until: return "repeat until " + condition(repeat.condition, "");
        case Repeat::Kind::Endless: break;
        }
        return "repeat without end";
    }
    std::string operator()(const ForEach& each) const
    {
        const auto name = [&](PatternId id) {
            const Pattern* pattern = findPattern(cell(), id);
            return pattern ? pattern->name : std::string("?");
        };
        std::string range;
        if (each.first > 1 || each.last > 0)
            range += fmt::format(" from {} to {}", each.first, each.last > 0 ? std::to_string(each.last) : "end");
        if (each.backwards) range += " backwards";
        if (!each.with) return "for each place of " + spelt(words.patterns, name(each.pattern), range);
        return "for each " + spelt(words.patterns, name(each.pattern), " place" + range + " with ")
               + spelt(words.patterns, name(each.with), " place");
    }
    std::string operator()(const If& decision) const { return "if " + condition(decision.condition, ""); }
    std::string operator()(const Note&) const { return "#"; }
    std::string process(ProcessId id, const std::string& rest) const
    {
        for (const Tool& tool : cell().tools)
            for (const Process& own : tool.processes)
                if (own.id == id) return spelt(words.processes, own.name, rest);
        return "?" + rest;
    }
    std::string operator()(const SwitchProcess& own) const
    {
        return "process " + process(own.process, own.on ? " on" : " off");
    }
    std::string operator()(const Follow& follow) const
    {
        const Pattern* pattern = findPattern(cell(), follow.pattern);
        std::string rest = " at " + amount(millimetres(follow.speed), 3) + " mm/s" + pace(follow.pace);
        if (follow.process) rest = " with " + process(follow.process, rest);
        if (follow.over > 0) rest = " over " + mm(follow.over) + rest;
        if (follow.staged) rest = " from approach to retract" + rest;
        if (follow.backwards) rest = " backwards" + rest;
        return "follow " + spelt(words.patterns, pattern ? pattern->name : "?", rest);
    }
    std::string operator()(const UsePoint& use) const
    {
        for (const Tool& tool : cell().tools)
            for (const ToolPoint& own : tool.points)
                if (use.point && own.id == use.point) {
                    Names names;
                    names.add(own.name, 1);
                    return "use point " + (lowered(own.name) == "first" ? inQuotes(own.name) : spelt(names, own.name));
                }
        return "use point first";
    }
    std::string operator()(const ReadFrom& read) const
    {
        return "read from " + spelt(words.frames, frameName(cell(), read.frame));
    }
    std::string operator()(const Halt& halt) const
    {
        return halt.message.empty() ? "stop" : "stop " + inQuotes(halt.message);
    }
};

}  // namespace

std::optional<PlaceName> longestPlace(const Vocabulary& words, const StepScope& scope, std::string_view text)
{
    std::optional<PlaceName> best;
    const auto offer = [&](Place place, const std::string& name) {
        const bool begins = text.starts_with(lowered(name))
                            && (text.size() == name.size()
                                || std::string_view(" ,()").find(text[name.size()]) != std::string_view::npos);
        if (begins && (!best || name.size() > best->length)) best = {place, name.size()};
    };
    for (size_t i = scope.loops.size(); i-- > 0;)
        if (const Pattern* pattern = findPattern(words.cell, scope.loops[i]))
            for (const std::string& form : loopWords(*pattern, i + 1 == scope.loops.size()))
                offer(pattern->id, form);
    for (const Parameter& own : scope.routine.parameters)
        offer(own.id, own.name);
    const Names::Match* target = words.targets.longest(text);
    if (target && (!best || target->length > best->length)) best = {TargetId{target->id}, target->length};
    return best;
}

Names placeNames(const Vocabulary& words, const StepScope& scope)
{
    Names out;
    for (size_t i = scope.loops.size(); i-- > 0;)
        if (const Pattern* pattern = findPattern(words.cell, scope.loops[i]))
            for (const std::string& form : loopWords(*pattern, i + 1 == scope.loops.size()))
                out.add(form, 0);
    for (const Parameter& own : scope.routine.parameters)
        out.add(own.name, own.id.value);
    for (const Target& target : words.cell.targets)
        if (target.arm == scope.routine.arm) out.add(target.name, target.id.value);
    return out;
}

std::string stepText(const Vocabulary& words, const Step& step, const StepScope* scope)
{
    std::string text = (step.off ? "off " : "") + std::visit(Printer{words, scope}, step.action);
    for (size_t i = 0; i < step.mayTouch.size(); ++i)
        text += (i == 0 ? ", may touch " : " ")
                + spelt(words.touchables, touchableName(words.cell, step.mayTouch[i]),
                        i + 1 < step.mayTouch.size() ? "," : "");
    return text;
}

std::string stepText(const Cell& cell, const Step& step, const StepScope* scope)
{
    return stepText(Vocabulary(cell), step, scope);
}

}  // namespace topikos
