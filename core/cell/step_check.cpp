#include "core/cell/step_check.h"

#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <cmath>
#include <map>

namespace topikos {

namespace {

Status checkPlace(const Cell& cell, const StepScope& scope, const AtPlace& at, const char* code)
{
    const Place& place = at.place;
    if (Status bad = checkLimit(limits::kStandoff, at.over, "edit.step-standoff")) return bad;
    if (at.stage != Stage::Over && at.over != 0)
        return fail("edit.step-standoff", "an approach or retract has its distance from its target",
                    "Leave the distance out.");
    if (const auto* pattern = std::get_if<PatternId>(&place)) {
        if (std::find(scope.loops.begin(), scope.loops.end(), *pattern) != scope.loops.end()) return std::nullopt;
        const Pattern* own = findPattern(cell, *pattern);
        return fail(code,
                    own ? fmt::format("the step is not in a \"for each\" of \"{}\"", own->name) : "the pattern is gone",
                    "Put it into one, or name a target.");
    }
    if (const auto* parameter = std::get_if<ParameterId>(&place)) {
        for (const Parameter& own : scope.routine.parameters)
            if (own.id == *parameter) return std::nullopt;
        return fail(code, "the routine has no place of that name", "Name a target, or a place of the routine.");
    }
    const Target* target = findTarget(cell, std::get<TargetId>(place));
    if (!target) return fail(code, "the move has no target", "Name a target of this cell.");
    if (!scope.routine.arm)
        return fail("edit.step-arm",
                    fmt::format("\"{}\" is a target of \"{}\", and \"{}\" can be called by every arm", target->name,
                                armOf(cell, *target).name, scope.routine.name),
                    "Give the routine a place of its own that calls fill in, or give it an arm.");
    if (target->arm != scope.routine.arm)
        return fail("edit.step-arm",
                    fmt::format("\"{}\" is a target of \"{}\", not of \"{}\"", target->name, armOf(cell, *target).name,
                                armOf(cell, scope.routine).name),
                    "Take a target with the arm that runs this routine.");
    if (at.isOff() && target->kind == Target::Kind::Posture)
        return fail("edit.step-standoff-posture",
                    fmt::format("\"{}\" is a posture, so there is no distance to keep from it", target->name),
                    "Leave the distance out.");
    return std::nullopt;
}

Status checkPace(const Pace& pace)
{
    if (Status bad = checkLimit(limits::kStepAcceleration, pace.acceleration, "edit.step-acceleration")) return bad;
    if (pace.turnSpeed != 0)
        if (Status bad = checkLimit(limits::kStepTurnSpeed, pace.turnSpeed, "edit.step-speed")) return bad;
    return checkLimit(limits::kBlend, pace.blend, "edit.step-blend");
}

/// One function per kind of step.
struct ActionCheck {
    const Cell& cell;
    const StepScope& scope;
    const Writers* writers;

    Status operator()(const AtPlace& at) const { return checkPlace(cell, scope, at, "edit.step-target"); }
    Status operator()(const Shift& shift) const
    {
        if (shift.axis < 0 || shift.axis > 2) return fail("edit.step-axis", "there is no such axis", "Name x, y or z.");
        if (shift.space == Shift::Space::Frame && shift.frame && !findFrame(cell, shift.frame))
            return fail("edit.step-frame", "the frame is not in the cell", "Name a frame of this cell.");
        return shift.turns ? checkLimit(limits::kShiftTurn, shift.by, "edit.step-shift")
                           : checkLimit(limits::kShift, shift.by, "edit.step-shift");
    }
    Status operator()(const JointShift& shift) const
    {
        int most = int(limits::kJointNumber.most);
        for (const ArmStation& arm : cell.arms)
            if (!scope.routine.arm || scope.routine.arm == arm.id) most = std::min(most, arm.model->jointCount());
        if (shift.joint < 0 || shift.joint >= most)
            return fail(
                "edit.step-joint",
                fmt::format("there is no joint {}{}", shift.joint + 1, scope.routine.arm ? "" : " that every arm has"),
                fmt::format("Name one from 1 to {}.", most));
        const auto kind = jointKindOf(cell, scope.routine, shift.joint);
        if (!kind)
            return fail("edit.step-joint",
                        fmt::format("joint {} slides with one arm and turns with another", shift.joint + 1),
                        "Put the step into a routine of one arm.");
        return checkLimit(*kind == JointKind::Prismatic ? limits::kJointSlide : limits::kJointTurn, shift.by,
                          "edit.step-shift");
    }
    Status operator()(const JointMove& move) const
    {
        if (Status bad = checkLimit(limits::kStepJointSpeed, move.speed, "edit.step-speed")) return bad;
        if (Status bad = checkPace(move.pace)) return bad;
        return std::visit(*this, move.goal);
    }
    Status operator()(const LineMove& move) const
    {
        if (Status bad = checkLimit(limits::kStepLineSpeed, move.speed, "edit.step-speed")) return bad;
        if (Status bad = checkPace(move.pace)) return bad;
        if (std::holds_alternative<JointShift>(move.goal))
            return fail("edit.step-joint", "a line does not go by one joint", "Use a joint move.");
        return std::visit(*this, move.goal);
    }
    Status operator()(const ArcMove& move) const
    {
        if (Status bad = checkLimit(limits::kStepLineSpeed, move.speed, "edit.step-speed")) return bad;
        if (Status bad = checkPace(move.pace)) return bad;
        if (Status bad = (*this)(move.via)) return bad;
        if (Status bad = (*this)(move.end)) return bad;
        if (move.via == move.end)
            return fail("edit.step-arc", "the two places of an arc are the same", "Name two that differ.");
        return std::nullopt;
    }
    Status operator()(const Grip&) const { return std::nullopt; }
    Status operator()(const Release&) const { return std::nullopt; }
    Status operator()(const Wait& wait) const { return checkLimit(limits::kWait, wait.seconds, "edit.step-wait"); }
    Status ask(const Condition& condition) const
    {
        const Signal* signal = findSignal(cell, condition.signal);
        if (!signal) return fail("edit.step-signal", "the step has no signal", "Name a signal of this cell.");
        return checkSignalValue(*signal, condition.value);
    }
    Status write(SignalId id, double value) const
    {
        const Signal* signal = findSignal(cell, id);
        if (!signal) return fail("edit.step-signal", "the step has no signal", "Name a signal of this cell.");
        if (Status bad = checkSignalValue(*signal, value)) return bad;
        FrameId writer;
        if (!writers) writer = writerOf(cell, id);
        else if (const auto known = writers->find(id.value); known != writers->end()) writer = known->second.front();
        if (!writer) return std::nullopt;
        return fail("edit.step-signal-written",
                    fmt::format("\"{}\" is written by \"{}\"", signal->name, frameName(cell, writer)),
                    "Set another signal; this one can be waited for.");
    }
    Status operator()(const SetSignal& set) const { return write(set.signal, set.value); }
    Status operator()(const PulseSignal& pulse) const
    {
        if (Status bad = write(pulse.signal, 1)) return bad;
        if (findSignal(cell, pulse.signal)->kind != Signal::Kind::Digital)
            return fail("edit.step-pulse",
                        fmt::format("\"{}\" is not a digital signal", findSignal(cell, pulse.signal)->name),
                        "Set it to a value instead.");
        return checkLimit(limits::kPulse, pulse.seconds, "edit.step-pulse");
    }
    Status operator()(const WaitSignal& wait) const
    {
        if (Status bad = ask(wait.until)) return bad;
        return wait.limit == 0 ? std::nullopt : checkLimit(limits::kWaitLimit, wait.limit, "edit.step-wait");
    }
    Status operator()(const MoveAxes& move) const
    {
        if (Status bad = checkLimit(limits::kStepJointSpeed, move.speed, "edit.step-speed")) return bad;
        const std::vector<FrameId> axes = axesOf(cell, move.device);
        if (axes.empty() || findFrame(cell, move.device)->device->kind == Device::Kind::Clamp)
            return fail("edit.step-device", "the step has no device with axes",
                        "Name a rail, turntable or positioner of this cell.");
        if (axes.size() != move.values.size())
            return fail("edit.step-axes",
                        fmt::format("\"{}\" has {} {}, not {}", frameName(cell, move.device), axes.size(),
                                    axes.size() == 1 ? "axis" : "axes", move.values.size()),
                        "Give one value for each.");
        for (size_t i = 0; i < axes.size(); ++i)
            if (Status bad = checkAxisValue(*findFrame(cell, axes[i]), move.values[i])) return bad;
        return std::nullopt;
    }
    Status operator()(const PlayTable& play) const
    {
        const TimeTable* table = findTimeTable(cell, play.table);
        if (!table) return fail("edit.step-table", "the step has no time table", "Name a time table of this cell.");
        if (table->arm != scope.routine.arm)
            return fail("edit.step-arm",
                        fmt::format("\"{}\" is a time table of \"{}\", and \"{}\" {}", table->name,
                                    findArm(cell, table->arm)->name, scope.routine.name,
                                    scope.routine.arm ? "is not run by it" : "can be called by every arm"),
                        "Play it in a routine of that arm.");
        if (Status bad = checkLimit(limits::kRepeat, play.times, "edit.step-repeat")) return bad;
        return checkLimit(limits::kStepJointSpeed, play.speed, "edit.step-speed");
    }
    Status operator()(const Call& call) const
    {
        const Routine* routine = findRoutine(cell, call.routine);
        if (!routine) return fail("edit.step-call", "the call has no routine", "Name a routine of this cell.");
        if (routine->arm && routine->arm != scope.routine.arm)
            return fail("edit.step-call-arm",
                        scope.routine.arm ? fmt::format("\"{}\" is run by \"{}\", not by \"{}\"", routine->name,
                                                        armOf(cell, *routine).name, armOf(cell, scope.routine).name)
                                          : fmt::format("\"{}\" is run by \"{}\" only, and \"{}\" by every arm",
                                                        routine->name, armOf(cell, *routine).name, scope.routine.name),
                        "Call one of the same arm, or one that every arm can call.");
        if (routine->parameters.size() != call.places.size())
            return fail("edit.step-call-places",
                        fmt::format("\"{}\" takes {} {}, not {}", routine->name, routine->parameters.size(),
                                    routine->parameters.size() == 1 ? "place" : "places", call.places.size()),
                        "Give one for each of its names.");
        for (const Place& place : call.places)
            if (Status bad = checkPlace(cell, scope, AtPlace{place}, "edit.step-call-places")) return bad;
        return std::nullopt;
    }
    Status operator()(const Repeat& repeat) const
    {
        if (repeat.kind == Repeat::Kind::Times) return checkLimit(limits::kRepeat, repeat.times, "edit.step-repeat");
        return repeat.kind == Repeat::Kind::Endless ? std::nullopt : ask(repeat.condition);
    }
    Status pattern(PatternId id) const
    {
        const Pattern* pattern = findPattern(cell, id);
        if (!pattern) return fail("edit.step-pattern", "the step has no pattern", "Name a pattern of this cell.");
        if (pattern->content != Pattern::Content::Targets)
            return fail("edit.step-pattern", fmt::format("\"{}\" is a pattern of parts", pattern->name),
                        "Name a pattern of targets.");
        if (pattern->arm == scope.routine.arm) return std::nullopt;
        return fail(
            "edit.step-pattern",
            fmt::format("the targets of \"{}\" are for another arm than \"{}\"", pattern->name, scope.routine.name),
            "Name a pattern of the arm that runs this routine.");
    }
    Status operator()(const ForEach& each) const
    {
        if (Status bad = pattern(each.pattern)) return bad;
        if (each.with)
            if (Status bad = pattern(each.with)) return bad;
        if (each.with == each.pattern)
            return fail("edit.step-pattern", "the two patterns side by side are the same", "Name another one.");
        for (const PatternId own : {each.pattern, each.with})
            if (own && std::find(scope.loops.begin(), scope.loops.end(), own) != scope.loops.end())
                return fail(
                    "edit.step-pattern",
                    fmt::format("the step is in a \"for each\" of \"{}\" already", findPattern(cell, own)->name),
                    "Name another pattern, or take it out of that block.");
        if (Status bad = checkLimit(limits::kPlaces, each.first, "edit.step-range")) return bad;
        if (each.last == 0) return std::nullopt;
        if (Status bad = checkLimit(limits::kPlaces, each.last, "edit.step-range")) return bad;
        if (each.last >= each.first) return std::nullopt;
        return fail("edit.step-range", fmt::format("places {} to {} are none", each.first, each.last),
                    "Give the lower number first; \"backwards\" turns the order round.");
    }
    Status operator()(const If& decision) const { return ask(decision.condition); }
    Status operator()(const Note&) const { return std::nullopt; }
    Status operator()(const SwitchProcess& process) const { return carries(process.process); }
    Status operator()(const Follow& follow) const
    {
        if (Status bad = pattern(follow.pattern)) return bad;
        if (Status bad = checkLimit(limits::kStepLineSpeed, follow.speed, "edit.step-speed")) return bad;
        if (Status bad = checkLimit(limits::kStandoff, follow.over, "edit.step-standoff")) return bad;
        if (follow.staged && follow.over != 0)
            return fail("edit.step-standoff", "an approach or retract has its distance from its target",
                        "Leave the distance out.");
        if (Status bad = checkPace(follow.pace)) return bad;
        return follow.process ? carries(follow.process) : std::nullopt;
    }
    /// The tool of the arm has a process.
    Status carries(ProcessId process) const
    {
        const ArmStation* arm = findArm(cell, scope.routine.arm);
        for (const Tool& tool : cell.tools)
            for (const Process& own : tool.processes) {
                if (own.id != process) continue;
                if (!arm || arm->tool == tool.id) return std::nullopt;
                return fail("edit.step-process",
                            fmt::format("\"{}\" is a process of \"{}\", which \"{}\" does not carry", own.name,
                                        tool.name, arm->name),
                            "Name a process of its own tool.");
            }
        return fail("edit.step-process", "the step has no process", "Name a process of the tool.");
    }
    Status operator()(const UsePoint& use) const
    {
        const ArmStation* arm = findArm(cell, scope.routine.arm);
        if (!arm)
            return fail("edit.step-point", "a routine that every arm can call does not know its tool",
                        "Choose the point in the routine that calls it.");
        if (hasPoint(toolInForce(cell, *arm), use.point)) return std::nullopt;
        return fail("edit.step-point", "the tool has no such point", "Name a point of the tool that the arm carries.");
    }
    Status operator()(const ReadFrom& read) const
    {
        if (!read.frame || findFrame(cell, read.frame)) return std::nullopt;
        return fail("edit.step-frame", "the frame is not in the cell", "Name a frame of this cell.");
    }
    Status operator()(const Halt& halt) const { return checkStepText(halt.message); }
};

}  // namespace

Status checkSignalValue(const Signal& signal, double value)
{
    const auto cannot = [&](const char* needs, const char* remedy) {
        return Error{"edit.signal-value", fmt::format("\"{}\" cannot be {:.6g}: {}", signal.name, value, needs), "",
                     remedy};
    };
    if (Status bad = checkLimit(limits::kSignalValue, value, "edit.signal-value")) return bad;
    if (signal.kind == Signal::Kind::Digital && value != 0 && value != 1)
        return cannot("it is on (1) or off (0)", "Give 1 or 0.");
    if (signal.kind == Signal::Kind::Number && value != std::round(value))
        return cannot("it holds whole numbers", "Give a whole number.");
    return std::nullopt;
}

Status checkAxisValue(const Frame& frame, double value)
{
    const FrameAxis& axis = *frame.axis;
    if (value >= axis.lowest && value <= axis.highest) return std::nullopt;
    const bool turns = axis.kind == JointKind::Revolute;
    const double unit = turns ? kDegree : kMillimetre;
    const char* symbol = turns ? "°" : " mm";
    return Error{"edit.axis-range",
                 fmt::format("\"{}\" cannot go to {:.6g}{}; {:.6g} to {:.6g}{} is its range", frame.name, value / unit,
                             symbol, axis.lowest / unit, axis.highest / unit, symbol),
                 "", "Give a value in that range, or change the range of the axis."};
}

Status checkProcess(const Cell& cell, const Tool& tool, const Process& process, const Writers* writers)
{
    if (Status bad = checkName(process.name)) return bad;
    for (const Process& other : tool.processes)
        if (other.id != process.id && lowered(other.name) == lowered(process.name)) return nameTaken(other.name);
    if (Status bad = checkLimit(limits::kLead, process.lead, "edit.process-lead")) return bad;
    if (Status bad = checkLimit(limits::kProcessDepth, process.depth, "edit.process-depth")) return bad;
    const Signal* signal = findSignal(cell, process.signal);
    if (!signal || signal->kind != Signal::Kind::Digital)
        return fail("edit.process-signal", fmt::format("\"{}\" has no digital signal that switches it", process.name),
                    "Name one.");
    const Routine none{};
    return checkStep(cell, {none}, Step{.action = SetSignal{process.signal, 0}}, writers);
}

std::string touchableName(const Cell& cell, const Touchable& touchable)
{
    if (const auto* frame = std::get_if<FrameId>(&touchable)) return frameName(cell, *frame);
    const PartKind* kind = findPartKind(cell, std::get<PartKindId>(touchable));
    return "any " + (kind ? kind->name : "?");
}

Status checkStepText(const std::string& text)
{
    if (Status bad = checkLimit(limits::kStepText, double(text.size()), "edit.step-text")) return bad;
    for (const char c : text)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f)
            return fail("edit.step-text", "a text of a step is one line",
                        "Take line breaks and control characters out.");
    if (!isUtf8(text)) return fail("edit.step-text", "the text is not UTF-8", "Type it again.");
    if (!text.empty() && (text.front() == ' ' || text.back() == ' '))
        return fail("edit.step-text", "a text of a step does not begin or end with a blank", "Take it away.");
    return std::nullopt;
}

Status checkAccepted(const Accepted& accepted)
{
    constexpr size_t kLongest = 1000;  // [bytes]
    if (Status bad = checkStepText(accepted.reason)) return bad;
    for (const std::string* text : {&accepted.rule, &accepted.reads})
        if (!isUtf8(*text) || text->size() > kLongest)
            return fail("edit.accept", "what the advice is about is too long, or no UTF-8", "Accept it anew.");
    return std::nullopt;
}

Status checkStep(const Cell& cell, const StepScope& scope, const Step& step, const Writers* writers)
{
    if (Status bad = checkStepText(step.note)) return bad;
    if (!step.mayTouch.empty()) {
        if (!hasMayTouch(step.kind()))
            return fail("edit.may-touch", "in a step of this kind nothing is touched", "Say it of the move instead.");
        if (Status bad = checkLimit(limits::kMayTouch, double(step.mayTouch.size()), "edit.may-touch")) return bad;
        for (const Touchable& t : step.mayTouch) {
            const auto* frame = std::get_if<FrameId>(&t);
            if (frame ? !findFrame(cell, *frame) : !findPartKind(cell, std::get<PartKindId>(t)))
                return fail("edit.may-touch", "what it may touch is not in the cell", "Choose another thing.");
            if (std::count(step.mayTouch.begin(), step.mayTouch.end(), t) > 1)
                return fail("edit.may-touch", "it names what it may touch twice", "Take one of them out.");
        }
    }
    if (!step.body.empty() && !hasBody(step.kind()))
        return fail("edit.step-body", "a step of this kind holds no others", "Take them out first.");
    if (!step.otherwise.empty()) {
        if (!hasOtherwise(step.kind()))
            return fail("edit.step-body", "a step of this kind has no \"else\"", "Take what it holds there out first.");
        if (const WaitSignal* wait = step.as<WaitSignal>(); wait && wait->limit == 0)
            return fail("edit.step-body", "a wait without a limit has no \"else\"", "Give it a limit first.");
    }
    return std::visit(ActionCheck{cell, scope, writers}, step.action);
}

Status checkSteps(const Cell& cell, StepScope scope, const Steps& steps, const Writers* writers, int depth,
                  size_t first)
{
    if (!steps.empty())
        if (Status bad = checkLimit(limits::kStepDepth, depth, "edit.step-depth")) return bad;
    for (const Step& step : steps) {
        if (Status bad = checkStep(cell, scope, step, writers)) {
            if (bad->where.empty()) bad->where = fmt::format("step {}", first + 1);
            return bad;
        }
        ++first;
        if (!step.body.empty()) {
            StepScope inner = scope;
            inner.enter(step);
            if (Status bad = checkSteps(cell, inner, step.body, writers, depth + 1, first)) return bad;
            first += countSteps(step.body);
        }
        if (!step.otherwise.empty()) {
            if (Status bad = checkSteps(cell, scope, step.otherwise, writers, depth + 1, first)) return bad;
            first += countSteps(step.otherwise);
        }
    }
    return std::nullopt;
}

Status checkRoutine(const Cell& cell, const Routine& routine, const Writers* writers)
{
    if (Status bad = checkLimit(limits::kParameters, double(routine.parameters.size()), "edit.routine-places"))
        return bad;
    for (size_t i = 0; i < routine.parameters.size(); ++i) {
        const std::string& name = routine.parameters[i].name;
        if (Status bad = checkName(name)) return bad;
        if (name.find_first_of("(),\"#") != std::string::npos)
            return fail("edit.routine-places", fmt::format("\"{}\" has a bracket, comma, quotation mark or #", name),
                        "Leave them out of the names of a routine's places.");
        for (size_t k = 0; k < i; ++k)
            if (lowered(routine.parameters[k].name) == lowered(name)) return nameTaken(name);
        if (const Target* target = findNamed(cell.targets, name))
            return fail(
                "edit.routine-places",
                fmt::format("\"{}\" is the name of a target, and of a place of \"{}\"", target->name, routine.name),
                "Give one of them another name.");
    }
    return checkSteps(cell, {routine}, routine.steps, writers);
}

}  // namespace topikos
