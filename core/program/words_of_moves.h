#pragma once
#include "core/program/new_step.h"
#include "core/program/step_printer.h"
#include "core/program/step_reader.h"

/// Steps that move the arm or a device. Of each kind:
/// how it is read, how it is printed, and what a new one is. For step_words.cpp alone.
namespace topikos {

inline Status read(StepReader& r, JointMove& move, Step&)
{
    LineReader trial = r.in;
    double number;
    if (trial.number(number) && trial.word("by")) {
        r.in = trial;
        JointShift shift{number >= 1 && number <= 1000 ? int(number) - 1 : -1, 0};
        if (!r.in.number(number))
            return r.fail("\"by\" needs an amount", "Type it in degrees, or in mm for a sliding joint.");
        const bool length = r.in.unit("mm");
        if (!length) r.in.unit("°") || r.in.unit("deg");
        if (const auto kind = jointKindOf(r.cell, r.scope.routine, shift.joint)) {
            const bool slides = *kind == JointKind::Prismatic;
            if (slides != length)
                return r.fail(fmt::format("joint {} {}", shift.joint + 1, slides ? "slides" : "turns"),
                              slides ? "Type the amount in mm." : "Type the amount in degrees.");
        }
        shift.by = number * (length ? kMillimetre : kDegree);
        move.goal = shift;
    } else if (r.in.word("by")) {
        if (Status bad = r.readShift(move.goal.emplace<Shift>())) return bad;
    } else if (Status bad = r.readAt(move.goal.emplace<AtPlace>())) {
        return bad;
    }
    return r.readPace(move.speed, move.pace, false);
}
inline std::string print(const StepPrinter& p, const JointMove& move)
{
    const std::string rest = (move.speed < 1 ? " at " + percentText(move.speed) : "") + p.pace(move.pace);
    if (const auto* own = std::get_if<JointShift>(&move.goal)) return p.jointShift(*own) + rest;
    if (const auto* by = std::get_if<Shift>(&move.goal)) return "joint " + p.shift(*by, rest);
    return "joint " + p.at(std::get<AtPlace>(move.goal), rest);
}
inline Result<Action> fresh(const NewStep& n, const JointMove*)
{
    if (!n.somewhere) return n.noPlace();
    return Action(JointMove{AtPlace{n.place}});
}

inline Status read(StepReader& r, LineMove& move, Step&)
{
    if (r.in.word("by")) {
        if (Status bad = r.readShift(move.goal.emplace<Shift>())) return bad;
    } else if (Status bad = r.readAt(move.goal.emplace<AtPlace>())) {
        return bad;
    }
    return r.readPace(move.speed, move.pace, true);
}
inline std::string print(const StepPrinter& p, const LineMove& move)
{
    const std::string rest = " at " + amount(millimetres(move.speed), 3) + " mm/s" + p.pace(move.pace);
    if (const auto* by = std::get_if<Shift>(&move.goal)) return "line " + p.shift(*by, rest);
    return "line " + p.at(std::get<AtPlace>(move.goal), rest);
}
inline Result<Action> fresh(const NewStep& n, const LineMove*)
{
    if (!n.somewhere) return n.noPlace();
    return Action(LineMove{AtPlace{n.place}});
}

inline Status read(StepReader& r, ArcMove& move, Step&)
{
    const bool whole = r.head == "circle";
    move.whole = whole;
    if (!r.in.word("via")) return r.fail("\"via\" is missing", "Type \"via\" and a place on the way.");
    if (Status bad = r.readAt(move.via)) return bad;
    if (whole ? !r.in.word("and") : !r.in.at("to") && !r.in.at("over"))
        return r.fail(whole ? "\"and\" is missing" : "\"to\" is missing",
                      whole ? "Type \"and\" and another place on the circle."
                            : "Type \"to\" and the place where the arc ends.");
    if (Status bad = r.readAt(move.end)) return bad;
    return r.readPace(move.speed, move.pace, true);
}
inline std::string print(const StepPrinter& p, const ArcMove& move)
{
    const std::string rest = " at " + amount(millimetres(move.speed), 3) + " mm/s" + p.pace(move.pace);
    return move.whole ? "circle via " + p.at(move.via, " and ", "") + p.at(move.end, rest, "")
                      : "arc via " + p.at(move.via, " to ", "") + p.at(move.end, rest, "");
}
inline Result<Action> fresh(const NewStep& n, const ArcMove*)
{
    for (const Target& via : n.cell.targets)
        if (n.arm && via.arm == n.arm->id && Place(via.id) != n.place) return Action(ArcMove{{via.id}, {n.place}});
    return NewStep::none("An arc needs two targets.", "Take another one first.");
}

inline Status read(StepReader& r, MoveAxes& move, Step&)
{
    Names devices;
    for (const FrameId id : movableDevices(r.cell))
        devices.add(frameName(r.cell, id), id.value);
    const Names::Match* device = r.in.named(r.words.frames);
    if (!device) return unknownName(r.in, "device", devices, "Type the name of a rail, turntable or positioner.");
    move.device = {device->id};
    move.values.clear();
    r.in.word("to");
    for (const FrameId axis : axesOf(r.cell, move.device)) {
        const bool turns = findFrame(r.cell, axis)->axis->kind == JointKind::Revolute;
        double value;
        if (!r.in.number(value))
            return r.fail(fmt::format("where \"{}\" goes is missing", frameName(r.cell, axis)),
                          turns ? "Type it in degrees." : "Type it in mm.");
        if (turns) r.in.unit("°") || r.in.unit("deg");
        else r.in.unit("mm");
        move.values.push_back(value * (turns ? kDegree : kMillimetre));
    }
    return r.in.word("at") ? r.readPercent(move.speed, "\"at\"") : std::nullopt;
}
inline std::string print(const StepPrinter& p, const MoveAxes& move)
{
    std::string rest = " to";
    const std::vector<FrameId> axes = axesOf(p.cell(), move.device);
    for (size_t i = 0; i < std::min(axes.size(), move.values.size()); ++i) {
        const bool turns = findFrame(p.cell(), axes[i])->axis->kind == JointKind::Revolute;
        rest += ' ';
        rest += turns ? degreeText(move.values[i]) : millimetreText(move.values[i]);
    }
    if (move.speed < 1) rest += " at " + percentText(move.speed);
    return "move " + spelt(p.words.frames, frameName(p.cell(), move.device), rest);
}
inline Result<Action> fresh(const NewStep& n, const MoveAxes*)
{
    const std::vector<FrameId> devices = movableDevices(n.cell);
    if (devices.empty())
        return NewStep::none("There is no device with axes.", "Add a rail, turntable or positioner in the layout.");
    return Action(movesOf(n.cell, devices.front()));
}

inline Status read(StepReader& r, PlayTable& play, Step&)
{
    const Names::Match* table = r.in.named(r.words.tables);
    if (!table)
        return unknownName(r.in, "time table", r.words.tables,
                           r.words.tables.empty() ? "Bring one into the cell first, from a CSV file."
                                                  : "Type the name of a time table.");
    play = PlayTable{{table->id}};
    if (r.in.word("smooth")) play.between = BetweenRows::Smooth;
    else if (r.in.word("held")) play.between = BetweenRows::Hold;
    else r.in.word("linear");
    LineReader trial = r.in;
    double times;
    if (trial.number(times)) {
        if (times != std::floor(times) || !limits::kRepeat.holds(times))
            return r.fail("how often it is played is not a whole number from 1 to a million", "Type how often.");
        r.in = trial;
        if (!r.in.word("times") && !r.in.word("time"))
            return r.fail("\"times\" is missing", "Type it behind the number.");
        play.times = std::uint32_t(times);
    }
    return r.in.word("at") ? r.readPercent(play.speed, "\"at\"") : std::nullopt;
}
inline std::string print(const StepPrinter& p, const PlayTable& play)
{
    const TimeTable* table = findTimeTable(p.cell(), play.table);
    std::string rest;
    if (play.between == BetweenRows::Smooth) rest += " smooth";
    if (play.between == BetweenRows::Hold) rest += " held";
    if (play.times > 1) rest += fmt::format(" {} times", play.times);
    if (play.speed < 1) rest += " at " + percentText(play.speed);
    return "play " + spelt(p.words.tables, table ? table->name : "?", rest);
}
inline Result<Action> fresh(const NewStep& n, const PlayTable*)
{
    for (const TimeTable& table : n.cell.timeTables)
        if (table.arm == n.scope.routine.arm) return Action(PlayTable{table.id});
    return NewStep::none("There is no time table for this arm yet.", "Bring one in from a CSV file first.");
}

inline Status read(StepReader& r, Follow& follow, Step&)
{
    if (Status bad = r.readPattern(follow.pattern)) return bad;
    follow.over = 0;
    follow.staged = false;
    follow.process = {};
    follow.backwards = r.in.word("backwards");
    if (r.in.word("from approach to retract")) follow.staged = true;
    else if (r.in.word("over"))
        if (Status bad = r.readLength(follow.over, "\"over\"")) return bad;
    if (r.in.word("with"))
        if (Status bad = r.readProcessName(follow.process)) return bad;
    return r.readPace(follow.speed, follow.pace, true);
}
inline std::string print(const StepPrinter& p, const Follow& follow)
{
    const Pattern* pattern = findPattern(p.cell(), follow.pattern);
    std::string rest = " at " + amount(millimetres(follow.speed), 3) + " mm/s" + p.pace(follow.pace);
    if (follow.process) rest = " with " + p.process(follow.process, rest);
    if (follow.over > 0) rest = " over " + millimetreText(follow.over) + rest;
    if (follow.staged) rest = " from approach to retract" + rest;
    if (follow.backwards) rest = " backwards" + rest;
    return "follow " + spelt(p.words.patterns, pattern ? pattern->name : "?", rest);
}
inline Result<Action> fresh(const NewStep& n, const Follow*)
{
    const Pattern* best = nullptr;
    for (const Pattern& pattern : n.cell.patterns)
        if (pattern.content == Pattern::Content::Targets && pattern.arm == n.scope.routine.arm
            && (!best || (pattern.layout == Pattern::Layout::Drawn && best->layout != Pattern::Layout::Drawn)))
            best = &pattern;
    if (!best) return NewStep::none("There is no group of targets for this arm.", "Draw one on a body first.");
    Follow follow{best->id};
    follow.over = 0.05;
    if (const Tool* tool = n.arm ? findTool(n.cell, n.arm->tool) : nullptr; tool && !tool->processes.empty())
        follow.process = tool->processes.front().id;
    return Action(follow);
}

}  // namespace topikos
