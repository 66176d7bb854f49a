#include "core/program/new_step.h"

#include "core/cell/devices.h"

#include <algorithm>

namespace topikos {

namespace {

Error none(const char* message, const char* remedy) { return {"step.none", message, "", remedy}; }

}  // namespace

const char* stepKindName(StepKind kind)
{
    switch (kind) {
    case StepKind::Joint: return "joint move";
    case StepKind::Line: return "line";
    case StepKind::Arc: return "arc or circle";
    case StepKind::Grip: return "grip";
    case StepKind::Release: return "release";
    case StepKind::Wait: return "wait";
    case StepKind::SetSignal: return "set signal";
    case StepKind::PulseSignal: return "pulse signal";
    case StepKind::WaitSignal: return "wait for signal";
    case StepKind::MoveAxes: return "move device";
    case StepKind::PlayTable: return "play time table";
    case StepKind::Call: return "call a routine";
    case StepKind::Repeat: return "repeat";
    case StepKind::ForEach: return "for each place";
    case StepKind::If: return "if";
    case StepKind::Note: return "note";
    case StepKind::SwitchProcess: return "process on or off";
    case StepKind::UsePoint: return "use tool point";
    case StepKind::ReadFrom: return "read from frame";
    case StepKind::Halt: return "stop with a message";
    case StepKind::Follow: return "follow a group";
    }
    return "";
}

MoveAxes movesOf(const Cell& cell, FrameId device)
{
    MoveAxes move;
    move.device = device;
    for (const FrameId axis : axesOf(cell, device))
        move.values.push_back(findFrame(cell, axis)->axis->value);
    return move;
}

Result<Action> newAction(const Cell& cell, const StepScope& scope, StepKind kind, TargetId wanted)
{
    const ArmStation* arm = findArm(cell, scope.routine.arm);
    // A routine that every arm can call goes to its own places.
    const Target* target = findTarget(cell, wanted);
    Place place = scope.routine.parameters.empty() ? Place() : Place(scope.routine.parameters.front().id);
    if (arm) place = target && target->arm == arm->id ? target->id : arm->home;
    const bool somewhere = arm || !scope.routine.parameters.empty();
    const Error noPlace =
        none("This routine has no place to go to.", "Give it a name for a place first, in its properties.");
    const auto signalThat = [&](auto fits) -> SignalId {
        const auto found = std::find_if(cell.signals.begin(), cell.signals.end(), fits);
        return found == cell.signals.end() ? SignalId() : found->id;
    };
    const auto any = [](const Signal&) { return true; };
    const auto writable = [&](const Signal& s) { return !writerOf(cell, s.id); };
    const auto pulsed = [&](const Signal& s) { return !writerOf(cell, s.id) && s.kind == Signal::Kind::Digital; };
    const Error noSignal = none("There is no signal for this step yet.", "Add one among the signals first.");
    switch (kind) {
    case StepKind::Joint:
        if (!somewhere) return noPlace;
        return Action(JointMove{AtPlace{place}});
    case StepKind::Line:
        if (!somewhere) return noPlace;
        return Action(LineMove{AtPlace{place}});
    case StepKind::Arc: {
        for (const Target& via : cell.targets)
            if (arm && via.arm == arm->id && Place(via.id) != place) return Action(ArcMove{{via.id}, {place}});
        return none("An arc needs two targets.", "Take another one first.");
    }
    case StepKind::Grip: return Action(Grip{});
    case StepKind::Release: return Action(Release{});
    case StepKind::Wait: return Action(Wait{});
    case StepKind::SetSignal:
        if (const SignalId id = signalThat(writable)) return Action(SetSignal{id});
        return noSignal;
    case StepKind::PulseSignal:
        if (const SignalId id = signalThat(pulsed)) return Action(PulseSignal{id});
        return noSignal;
    case StepKind::WaitSignal:
        if (const SignalId id = signalThat(any)) return Action(WaitSignal{{id}});
        return noSignal;
    case StepKind::MoveAxes: {
        const std::vector<FrameId> devices = movableDevices(cell);
        if (devices.empty())
            return none("There is no device with axes.", "Add a rail, turntable or positioner in the layout.");
        return Action(movesOf(cell, devices.front()));
    }
    case StepKind::PlayTable:
        for (const TimeTable& table : cell.timeTables)
            if (table.arm == scope.routine.arm) return Action(PlayTable{table.id});
        return none("There is no time table for this arm yet.", "Bring one in from a CSV file first.");
    case StepKind::Call:
        for (const Routine& routine : cell.routines) {
            if (routine.id == scope.routine.id || (routine.arm && routine.arm != scope.routine.arm)) continue;
            if (arm && arm->main == routine.id) continue;
            if (!routine.parameters.empty() && !somewhere) continue;
            return Action(Call{routine.id, std::vector<Place>(routine.parameters.size(), place)});
        }
        return none("There is no other routine to call.", "Add one, or make one of selected steps.");
    case StepKind::Repeat: return Action(Repeat{});
    case StepKind::Follow: {
        const Pattern* best = nullptr;
        for (const Pattern& pattern : cell.patterns)
            if (pattern.content == Pattern::Content::Targets && pattern.arm == scope.routine.arm
                && (!best || (pattern.layout == Pattern::Layout::Drawn && best->layout != Pattern::Layout::Drawn)))
                best = &pattern;
        if (!best) return none("There is no group of targets for this arm.", "Draw one on a body first.");
        Follow follow{best->id};
        follow.over = 0.05;
        if (const Tool* tool = arm ? findTool(cell, arm->tool) : nullptr; tool && !tool->processes.empty())
            follow.process = tool->processes.front().id;
        return Action(follow);
    }
    case StepKind::ForEach:
        for (const Pattern& pattern : cell.patterns)
            if (pattern.content == Pattern::Content::Targets && pattern.arm == scope.routine.arm
                && std::find(scope.loops.begin(), scope.loops.end(), pattern.id) == scope.loops.end())
                return Action(ForEach{pattern.id});
        return none("There is no pattern of targets for this arm.", "Make one of a target first.");
    case StepKind::If:
        if (const SignalId id = signalThat(any)) return Action(If{{id}});
        return noSignal;
    case StepKind::Note: return Action(Note{});
    case StepKind::SwitchProcess:
        for (const Tool& tool : cell.tools)
            if (!tool.processes.empty() && (!arm || arm->tool == tool.id))
                return Action(SwitchProcess{tool.processes.front().id, true});
        return none("The tool has no process.", "Give it one, in the properties of the tool.");
    case StepKind::UsePoint: return Action(UsePoint{});
    case StepKind::ReadFrom: return Action(ReadFrom{});
    case StepKind::Halt: return Action(Halt{});
    }
    return Action(Note{});
}

}  // namespace topikos
