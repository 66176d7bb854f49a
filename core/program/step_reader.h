#pragma once
#include "core/cell/devices.h"
#include "core/cell/place_index.h"
#include "core/program/line_reader.h"
#include "core/program/step_text.h"
#include "core/spatial/limits.h"

#include <cmath>

namespace topikos {

/// A line of a program that is being read, with what the kinds of steps have in common.
struct StepReader {
    const Vocabulary& words;
    const Cell& cell;
    const StepScope& scope;
    LineReader& in;
    bool behindElse = false;     ///< the step stands behind an "else" on its line
    std::string_view head = {};  ///< the word that the step begins with

    Error fail(std::string message, std::string remedy) const
    {
        return problemAt(in, std::move(message), std::move(remedy));
    }

    Status readLength(double& metres, const char* what)
    {
        double value;
        if (!in.number(value)) return fail(fmt::format("{} needs a number", what), "Type it in mm.");
        in.unit("mm");
        metres = value * kMillimetre;
        return std::nullopt;
    }
    Status readSeconds(double& seconds, const char* what)
    {
        if (!in.number(seconds)) return fail(fmt::format("{} needs a time", what), "Type it in seconds.");
        in.unit("s");
        return std::nullopt;
    }
    Status readPercent(double& fraction, const char* what)
    {
        double value;
        if (!in.number(value)) return fail(fmt::format("{} needs a number", what), "Type it in %.");
        in.unit("%");
        fraction = value / 100;
        return std::nullopt;
    }
    Status readPlace(Place& place)
    {
        LineReader trial = in;
        if (const auto text = trial.quoted()) {
            const std::string low = lowered(*text);
            for (const Parameter& own : scope.routine.parameters)
                if (lowered(own.name) == low) return in = trial, place = own.id, std::nullopt;
            if (const Names::Match* target = words.targets.exactly(low))
                return in = trial, place = TargetId{target->id}, std::nullopt;
        } else if (const auto found = longestPlace(words, scope, in.restLowered())) {
            place = found->place;
            in.advance(found->length);
            return std::nullopt;
        }
        if (const Pattern* pattern = indexedPattern()) return readIndexed(*pattern, place);
        if (scope.loops.empty() && (in.at("place") || in.restLowered().find(" place") != std::string_view::npos)
            && placeNames(words, scope).nearest(in.unknownName()).empty())
            return fail(fmt::format("there is no target called \"{}\"", in.unknownName()),
                        "\"place\" means something inside a \"for each place of\" only.");
        return unknownName(in, "target", placeNames(words, scope),
                           "Take that target first, or type the name of another one.");
    }
    /// The pattern that "[" follows the name of.
    const Pattern* indexedPattern() const
    {
        const std::string_view rest = in.restLowered();
        std::string name(rest.substr(0, rest.find('[')));
        if (name.size() == rest.size()) return nullptr;
        while (!name.empty() && name.back() == ' ')
            name.pop_back();
        const Names::Match* found = words.patterns.exactly(name);
        return found ? findPattern(cell, PatternId{found->id}) : nullptr;
    }
    /// "Rack[3]", "Rack[2,1]": a place by its number in the order of the pattern, or by column, row and layer.
    Status readIndexed(const Pattern& pattern, Place& place)
    {
        in.advance(in.restLowered().find('[') + 1);
        std::vector<std::uint32_t> numbers;
        do {
            double value = 0;
            if (!in.number(value) || value != std::floor(value) || value < 1 || value > 1e6)
                return fail("the number of a place is missing", "Type a number from 1 on, or column, row and layer.");
            numbers.push_back(std::uint32_t(value));
        } while (in.sign(','));
        if (!in.sign(']')) return fail("a bracket is missing", "Type \"]\" behind the number.");
        const Result<TargetId> target = targetAt(cell, pattern, numbers);
        if (!target) return fail(target.error().message, target.error().remedy);
        place = *target;
        return std::nullopt;
    }
    /// "approach of", "near retract of", with a place behind.
    Stage readStage()
    {
        LineReader trial = in;
        const bool near = trial.word("near");
        const bool comes = trial.word("approach of");
        if (!comes && !trial.word("retract of")) return Stage::Over;
        if (!LineReader(trial).quoted() && !longestPlace(words, scope, trial.restLowered())
            && trial.restLowered().find('[') == std::string_view::npos)
            return Stage::Over;
        in = trial;
        return comes ? near ? Stage::NearApproach : Stage::Approach : near ? Stage::NearRetract : Stage::Retract;
    }
    /// "to PLACE", "over PLACE LENGTH", "PLACE over LENGTH", "to near approach of PLACE" or a place alone.
    Status readAt(AtPlace& at)
    {
        in.word("to");
        at.over = 0;
        at.stage = readStage();
        if (at.stage != Stage::Over) return readPlace(at.place);
        const bool over = in.word("over");
        if (Status bad = readPlace(at.place)) return bad;
        return over || in.word("over") ? readLength(at.over, "\"over\"") : std::nullopt;
    }
    /// Behind "by": an amount along or about an axis.
    Status readShift(Shift& shift)
    {
        double value;
        shift = {};
        if (!in.number(value))
            return fail("\"by\" needs an amount", "Type it in mm or degrees, like \"by 50 mm along z\".");
        const bool angle = in.unit("°") || in.unit("deg");
        const bool length = !angle && in.unit("mm");
        shift.turns = in.word("about");
        if (!shift.turns && !in.word("along"))
            return fail("an axis is missing", "Type \"along x\" for a way, or \"about z\" for a turn.");
        if (shift.turns ? length : angle)
            return fail(shift.turns ? "a turn is in degrees" : "a way is in mm",
                        "Change the unit, or along and about.");
        const std::string_view axes[] = {"x", "y", "z"};
        shift.axis = 3;
        for (int i = 0; i < 3 && shift.axis == 3; ++i)
            if (in.word(axes[size_t(i)])) shift.axis = i;
        if (shift.axis == 3) return fail("an axis is missing", "Type x, y or z.");
        shift.by = value * (shift.turns ? kDegree : kMillimetre);
        if (!in.word("of")) return std::nullopt;
        if (in.word("tool")) return shift.space = Shift::Space::Tool, std::nullopt;
        if (in.word("world")) return shift.space = Shift::Space::World, std::nullopt;
        in.word("frame");
        const Names::Match* frame = in.named(words.frames);
        if (!frame) return unknownName(in, "frame", words.frames, "Type tool, world or the name of a frame.");
        shift.space = frame->id ? Shift::Space::Frame : Shift::Space::World;
        shift.frame = {frame->id};
        return std::nullopt;
    }
    Status readPace(double& speed, Pace& pace, bool path)
    {
        while (!in.done() && !in.at(",")) {
            if (in.word("at")) {
                double value;
                if (!in.number(value))
                    return fail("\"at\" needs a speed", path ? "Type it in mm/s or °/s." : "Type it in % or °/s.");
                if (in.unit("°/s") || in.unit("deg/s")) {
                    pace.turnSpeed = value * kDegree;
                } else if (path) {
                    if (in.unit("%")) return fail("a line's speed is in mm/s", "Type mm/s, or use a joint move.");
                    in.unit("mm/s");
                    speed = value * kMillimetre;
                } else {
                    if (in.unit("mm/s"))
                        return fail("a joint move's speed is in %", "Type a percentage, or use a line.");
                    in.unit("%");
                    speed = value / 100;
                }
            } else if (in.word("acceleration")) {
                if (Status bad = readPercent(pace.acceleration, "\"acceleration\"")) return bad;
            } else if (in.word("blend")) {
                if (Status bad = readLength(pace.blend, "\"blend\"")) return bad;
            } else if (in.word("stop exactly")) {
                pace.blend = 0;
            } else {
                return fail(fmt::format("\"{}\" is not understood here", in.rest()),
                            "After the target come: at SPEED, acceleration PERCENT, blend LENGTH, stop exactly.");
            }
        }
        return std::nullopt;
    }
    /// "on", "off" or a number.
    bool readValue(double& value)
    {
        if (in.word("on")) value = 1;
        else if (in.word("off")) value = 0;
        else return in.number(value);
        return true;
    }
    const Signal* readSignal(SignalId& id)
    {
        const Names::Match* match = in.named(words.signals);
        if (match) id = {match->id};
        return match ? findSignal(cell, id) : nullptr;
    }
    Error noSignal() const
    {
        return unknownName(in, "signal", words.signals,
                           "Make it among the signals first, or type the name of another one.");
    }
    static const char* wanted(const Signal& signal)
    {
        return signal.kind == Signal::Kind::Digital ? "Type on or off." : "Type a number.";
    }
    Status readCondition(Condition& condition)
    {
        const Signal* signal = readSignal(condition.signal);
        if (!signal) return noSignal();
        condition.comparison = Comparison::Equal;
        condition.value = 1;
        const bool digital = signal->kind == Signal::Kind::Digital;
        const bool is = in.word("is");
        LineReader trial = in;
        if (trial.word("at")) {
            const bool least = trial.word("least");
            double value;
            if (!least && !trial.word("most"))
                return fail("\"at\" needs \"least\" or \"most\"", "Type \"at least\" or \"at most\" and a number.");
            // "at most 30 s" is a time.
            if (digital && !least && !is) return std::nullopt;
            if (!trial.number(value)) return in = trial, fail("the value of the signal is missing", wanted(*signal));
            condition.comparison = least ? Comparison::AtLeast : Comparison::AtMost;
            condition.value = value;
            in = trial;
            return std::nullopt;
        }
        if (readValue(condition.value)) return std::nullopt;
        condition.value = 1;
        if (digital && !is) return std::nullopt;  // "wait for Tile seen"
        return fail("the value of the signal is missing", wanted(*signal));
    }
    Status readPattern(PatternId& id)
    {
        const Names::Match* match = in.named(words.patterns);
        if (!match) return unknownName(in, "pattern", words.patterns, "Type the name of a pattern of targets.");
        id = {match->id};
        return std::nullopt;
    }
    Status readProcessName(ProcessId& id)
    {
        const Names::Match* match = in.named(words.processes);
        if (!match)
            return unknownName(in, "process", words.processes,
                               "Give the tool a process first, or type the name of another one.");
        id = {match->id};
        const ArmStation* arm = findArm(cell, scope.routine.arm);
        // Tools may have processes of the same name.
        if (const Tool* tool = arm ? findTool(cell, arm->tool) : nullptr) {
            std::string name;
            for (const Tool& other : cell.tools)
                for (const Process& p : other.processes)
                    if (p.id == id) name = lowered(p.name);
            for (const Process& p : tool->processes)
                if (lowered(p.name) == name) id = p.id;
        }
        return std::nullopt;
    }
};

/// Reads a step without its note and what it may touch; `step` holds the values that are not typed.
Status readStep(StepReader& reader, Step& step);

}  // namespace topikos
