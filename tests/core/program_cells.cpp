#include "tests/core/program_cells.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/cell/step_check.h"
#include "core/cell/time_tables.h"
#include "core/cell/pattern.h"
#include "core/cell/validate.h"
#include "core/program/program_text.h"

#include <fmt/format.h>

namespace topikos::test {

TimeRows wobble(const JointVector& around, double seconds, double by)
{
    TimeRows rows{{0, 2}, {}, {}};
    constexpr int pieces = 40;
    for (int i = 0; i <= pieces; ++i) {
        const double turn = 2 * std::numbers::pi * i / pieces;
        rows.times.push_back(seconds * i / pieces);
        rows.values.push_back(around[0] + by * (1 - std::cos(turn)) / 2);
        rows.values.push_back(around[2] - by * (1 - std::cos(turn)) / 4);
    }
    return rows;
}

Cell programCell(std::uint32_t columns, std::uint32_t rows)
{
    Cell cell = example("tile-glazing-line");
    // The rack as a pattern whose first place is the target of the demo.
    const Target place = cell.targets.back();
    Pattern rack = patternOf(place);
    rack.name = "Rack";
    rack.columns = columns;
    rack.rows = rows;
    rack.pitch = {0.02, 0.02, 0};
    cell = addPattern(cell, rack).value();
    rack.name = "Tray";
    rack.first = rack.first * translated({0.005, 0.005, 0});
    cell = addPattern(cell, rack).value();
    SignalId spray;
    cell = addSignal(cell, "Go", Signal::Kind::Digital).value();
    cell = addSignal(cell, "Full", Signal::Kind::Digital).value();
    cell = addSignal(cell, "Level", Signal::Kind::Analogue).value();
    cell = addSignal(cell, "Valve", Signal::Kind::Digital, &spray).value();
    cell = addDevice(cell, Device::Kind::Turntable, "Table", {}, translated({3, 3, 0})).value();
    cell = setProcess(cell, cell.arms.front().tool, {{}, "Spray", spray, 0}).value();
    cell = addTimeTable(cell, cell.arms.front().id, "Wobble", wobble(homePosture(cell, cell.arms.front()))).value();
    const RoutineId main = cell.arms.front().main;
    cell.routines.edit(main)->steps.clear();
    return renameRoutine(cell, main, "Main").value();
}

Cell withProgram(const Cell& cell, const std::string& text)
{
    const ProgramReading reading = readProgram(cell, text);
    for (const TextError& error : reading.errors)
        qFatal("%s", error.text().c_str());
    return *reading.cell;
}

Cell mainWith(const Cell& cell, const std::string& body)
{
    std::string text = "routine Main, run by Arm\n";
    for (size_t at = 0; at < body.size();) {
        const size_t end = std::min(body.find('\n', at), body.size());
        text += "    " + body.substr(at, end - at) + "\n";
        at = end + 1;
    }
    return withProgram(cell, text);
}

Cell randomProgram(const Cell& cell, std::mt19937_64& random, size_t steps)
{
    const auto pick = [&](size_t n) { return size_t(random() % n); };
    const auto real = [&](double low, double high) {
        return std::round(1000 * (low + (high - low) * double(random() >> 11) * 0x1p-53)) / 1000;
    };
    const ArmId arm = cell.arms.front().id;
    Cell out = cell;
    std::vector<RoutineId> all{out.arms.front().main};
    for (size_t i = pick(4); i > 0; --i) {
        RoutineId made;
        out = addRoutine(out, pick(2) ? arm : ArmId(), fmt::format("Part {}", out.routines.size()), &made).value();
        std::vector<Parameter> places;
        for (size_t k = pick(3); k > 0; --k)
            places.push_back({{}, fmt::format("{} {}", k % 2 ? "pick" : "there", out.routines.size())});
        if (const Result<Cell> named = setParameters(out, made, places)) out = *named;
        all.push_back(made);
    }
    const std::vector<SignalId> digital{out.signals[0].id, out.signals[1].id};
    for (size_t n = 0; n < steps; ++n) {
        const Routine& routine = *findRoutine(out, all[pick(all.size())]);
        const std::vector<StepRow> rows = rowsOf(routine.steps);
        StepPlace place{{}, false, pick(routine.steps.size() + 1)};
        if (!rows.empty() && pick(3)) {
            const StepRow& near = rows[pick(rows.size())];
            place = near.place;
            if (hasBody(near.step->kind()) && near.depth < 6 && pick(3)) place = {near.step->id, false, 0};
            else if (near.step->kind() == StepKind::If && near.depth < 6) place = {near.step->id, true, 0};
            else if (const WaitSignal* wait = near.step->as<WaitSignal>(); wait && wait->limit > 0 && near.depth < 6)
                place = {near.step->id, true, 0};
        }
        const std::vector<PatternId> loops = loopsAround(routine.steps, place.block);
        const auto somewhere = [&]() -> Place {
            if (!loops.empty() && pick(2)) return loops[pick(loops.size())];
            if (!routine.parameters.empty() && pick(2)) return routine.parameters[pick(routine.parameters.size())].id;
            return out.targets[pick(out.targets.size())].id;
        };
        const auto at = [&] {
            const auto stage = Stage(pick(8) < 4 ? 0 : pick(5));
            return AtPlace{somewhere(), stage == Stage::Over && pick(2) ? real(0.001, 0.9) : 0, stage};
        };
        const auto pace = [&] {
            return Pace{pick(3) ? 1 : real(0.1, 0.9), pick(3) ? 0 : real(1, 90) * kDegree,
                        pick(2) ? 0 : real(0.001, 0.1)};
        };
        const auto condition = [&]() -> Condition {
            if (pick(3)) return {digital[pick(2)], Comparison::Equal, double(pick(2))};
            return {out.signals[2].id, Comparison(pick(3)), real(-5, 5)};
        };
        const auto goal = [&]() -> Goal {
            if (pick(3)) return at();
            const bool turns = pick(2);
            return Shift{
                Shift::Space(pick(4)), {}, int(pick(3)), turns, turns ? real(1, 170) * kDegree : real(-0.5, 0.5)};
        };
        Step step;
        step.off = pick(8) == 0;
        if (pick(6) == 0) step.note = fmt::format("because of {}", pick(100));
        switch (pick(22)) {
        case 0: step.action = JointMove{goal(), pick(2) ? 1 : real(0.01, 1), pace()}; break;
        case 1: step.action = LineMove{goal(), real(0.01, 2), pace()}; break;
        case 2: step.action = ArcMove{at(), at(), pick(2) == 0, real(0.01, 2), pace()}; break;
        case 3: step.action = JointMove{JointShift{int(pick(6)), real(-30, 30) * kDegree}, 1, pace()}; break;
        case 4: step.action = Grip{}; break;
        case 5: step.action = Release{}; break;
        case 6: step.action = Wait{real(0, 20)}; break;
        case 7: step.action = SetSignal{digital[pick(2)], double(pick(2))}; break;
        case 8: step.action = PulseSignal{digital[pick(2)], pick(2) ? 0.2 : real(0.01, 5)}; break;
        case 9: step.action = WaitSignal{condition(), pick(2) ? real(0.1, 60) : 0}; break;
        case 10: {
            const Routine& called = *findRoutine(out, all[pick(all.size())]);
            Call call{called.id, {}};
            for (size_t k = 0; k < called.parameters.size(); ++k)
                call.places.push_back(somewhere());
            step.action = call;
            break;
        }
        case 11: step.action = Repeat{Repeat::Kind(pick(4)), std::uint32_t(1 + pick(5)), condition()}; break;
        case 12: {
            ForEach each{out.patterns[0].id, pick(2) ? out.patterns[1].id : PatternId(), 1, 0, pick(2) == 0};
            if (pick(2))
                each.first = 1 + std::uint32_t(pick(3)), each.last = pick(2) ? 0 : each.first + std::uint32_t(pick(3));
            step.action = each;
            break;
        }
        case 13: step.action = If{condition()}; break;
        case 14:
            step.action = Note{};
            step.note = pick(3) ? fmt::format("remark {}", pick(100)) : "";
            break;
        case 15: step.action = SwitchProcess{out.tools[0].processes[0].id, pick(2) == 0}; break;
        case 16: step.action = UsePoint{}; break;
        case 17: step.action = ReadFrom{pick(2) ? FrameId() : out.frames[pick(out.frames.size())].id}; break;
        case 18: {
            const FrameId table = movableDevices(out).front();
            step.action = MoveAxes{table, {real(-1, 1)}, pick(2) ? 1 : real(0.1, 0.9)};
            break;
        }
        case 19:
            step.action = PlayTable{out.timeTables.front().id, BetweenRows(pick(3)), std::uint32_t(1 + pick(4)),
                                    pick(2) ? 1 : real(0.1, 0.9)};
            break;
        case 20: {
            Follow follow{out.patterns[pick(2)].id, real(0.01, 0.5), pick(2) ? 0 : real(0.001, 0.5)};
            if (pick(2)) follow.process = out.tools[0].processes[0].id;
            follow.backwards = pick(2) == 0;
            follow.pace = pace();
            step.action = follow;
            break;
        }
        default: step.action = Halt{pick(2) ? "" : fmt::format("no \"tile\" {}", pick(100))}; break;
        }
        if (hasMayTouch(step.kind()) && pick(6) == 0) {
            step.mayTouch.push_back(out.frames[pick(out.frames.size())].id);
            if (pick(2)) step.mayTouch.push_back(out.partKinds[pick(out.partKinds.size())].id);
        }
        // Repeats that ask nothing have nothing to ask; a frame is named only where one is meant.
        if (Repeat* repeat = step.as<Repeat>()) {
            const bool asks = repeat->kind == Repeat::Kind::While || repeat->kind == Repeat::Kind::Until;
            if (!asks) repeat->condition = {};
            if (repeat->kind != Repeat::Kind::Times) repeat->times = Repeat{}.times;
        }
        const auto frame = [&](Goal& g) {
            if (Shift* shift = std::get_if<Shift>(&g); shift && shift->space == Shift::Space::Frame)
                shift->frame = out.frames[pick(out.frames.size())].id;
        };
        if (JointMove* joint = step.as<JointMove>()) frame(joint->goal);
        if (LineMove* line = step.as<LineMove>()) frame(line->goal);
        // What cannot stand there is left out.
        if (Result<Cell> more = insertSteps(out, routine.id, place, {step})) out = std::move(more).value();
    }
    return out;
}

std::string mutatedText(std::string text, std::mt19937_64& random)
{
    static const char* const kWords[] = {"routine ",
                                         "joint ",
                                         "to ",
                                         "over ",
                                         "approach of ",
                                         "near ",
                                         "retract of ",
                                         "\n",
                                         "    ",
                                         "else",
                                         "if ",
                                         "repeat ",
                                         "for each place of ",
                                         "\"",
                                         "#",
                                         "(",
                                         ")",
                                         ",",
                                         "at ",
                                         "1e308",
                                         "-1",
                                         "\xff",
                                         "\t",
                                         "mm",
                                         "°",
                                         "off ",
                                         "with ",
                                         "place",
                                         "\0"};
    const auto pick = [&](size_t n) { return n ? size_t(random() % n) : 0; };
    const size_t at = pick(text.size() + 1);
    const size_t length = std::min(text.size() - at, pick(30));
    switch (pick(6)) {
    case 0:
        if (at < text.size()) text[at] = char(random());
        break;
    case 1: text.insert(at, kWords[pick(std::size(kWords))]); break;
    case 2: text.erase(at, length); break;
    case 3: text.insert(pick(text.size() + 1), text.substr(at, length)); break;
    case 4: text.insert(at, 1, char(random() % 128)); break;
    default: {
        // A line swapped with another one.
        const size_t a = text.find('\n', at), b = text.find('\n', pick(text.size() + 1));
        if (a == std::string::npos || b == std::string::npos || a == b) break;
        const size_t from = std::min(a, b), to = std::max(a, b);
        const std::string line = text.substr(from, text.find('\n', from + 1) - from);
        text.insert(to, line);
    }
    }
    return text;
}

}  // namespace topikos::test
