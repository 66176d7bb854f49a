#include "core/cell/edit_steps.h"

#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <cmath>
#include <set>

namespace topikos {

namespace {

template <class Change> Result<Cell> changedRoutine(const Cell& cell, RoutineId id, Change change)
{
    Cell next = cell;
    Routine* routine = next.routines.edit(id);
    if (!routine) return missing("routine");
    if (Status bad = change(next, *routine)) return *bad;
    return next;
}

}  // namespace

Status checkSignalValue(const Signal& signal, double value)
{
    const auto fail = [&](const char* needs, const char* remedy) {
        return Error{"edit.signal-value", fmt::format("\"{}\" cannot be {:.6g}: {}", signal.name, value, needs), "",
                     remedy};
    };
    if (Status bad = checkLimit(limits::kSignalValue, value, "edit.signal-value")) return bad;
    if (signal.kind == Signal::Kind::Digital && value != 0 && value != 1)
        return fail("it is on (1) or off (0)", "Give 1 or 0.");
    if (signal.kind == Signal::Kind::Number && value != std::round(value))
        return fail("it holds whole numbers", "Give a whole number.");
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

Status checkStep(const Cell& cell, const Step& step,
                 const std::unordered_map<std::uint32_t, std::vector<FrameId>>* writers)
{
    const auto fail = [](const char* code, std::string message, const char* remedy) {
        return Error{code, std::move(message), "", remedy};
    };
    if (step.isMove() && !findTarget(cell, step.target))
        return fail("edit.step-target", "the move has no target", "Name a target of this cell.");
    if (Status bad = checkLimit(limits::kStepJointSpeed, step.jointSpeed, "edit.step-speed")) return bad;
    if (Status bad = checkLimit(limits::kStepLineSpeed, step.lineSpeed, "edit.step-speed")) return bad;
    if (Status bad = checkLimit(limits::kBlend, step.blend, "edit.step-blend")) return bad;
    if (Status bad = checkLimit(limits::kStandoff, step.standoff, "edit.step-standoff")) return bad;
    if (step.kind == Step::Kind::SetSignal || step.kind == Step::Kind::WaitSignal) {
        const Signal* signal = findSignal(cell, step.signal);
        if (!signal) return fail("edit.step-signal", "the step has no signal", "Name a signal of this cell.");
        if (Status bad = checkSignalValue(*signal, step.value)) return bad;
        const auto writerOfSignal = [&] {
            if (!writers) return writerOf(cell, signal->id);
            const auto known = writers->find(signal->id.value);
            return known == writers->end() ? FrameId() : known->second.front();
        };
        if (const FrameId writer = step.kind == Step::Kind::SetSignal ? writerOfSignal() : FrameId())
            return fail("edit.step-signal-written",
                        fmt::format("\"{}\" is written by \"{}\"", signal->name, frameName(cell, writer)),
                        "Set another signal; this one can be waited for.");
    }
    if (step.kind == Step::Kind::MoveAxes) {
        const std::vector<FrameId> axes = axesOf(cell, step.device);
        if (axes.empty() || findFrame(cell, step.device)->device->kind == Device::Kind::Clamp)
            return fail("edit.step-device", "the step has no device with axes",
                        "Name a rail, turntable or positioner of this cell.");
        if (axes.size() != step.axes.size())
            return fail("edit.step-axes",
                        fmt::format("\"{}\" has {} {}, not {}", frameName(cell, step.device), axes.size(),
                                    axes.size() == 1 ? "axis" : "axes", step.axes.size()),
                        "Give one value for each.");
        for (size_t i = 0; i < axes.size(); ++i)
            if (Status bad = checkAxisValue(*findFrame(cell, axes[i]), step.axes[i])) return bad;
    }
    if (Status bad = checkLimit(limits::kWait, step.seconds, "edit.step-wait")) return bad;
    if (step.isMove() && step.standoff > 0 && findTarget(cell, step.target)->kind == Target::Kind::Posture)
        return fail("edit.step-standoff-posture",
                    fmt::format("\"{}\" is a posture, so there is no distance to keep from it",
                                findTarget(cell, step.target)->name),
                    "Leave the distance out.");
    return std::nullopt;
}

Status checkOwnTarget(const Cell& cell, const Routine& routine, const Step& step)
{
    if (!step.isMove() || findTarget(cell, step.target)->arm == routine.arm) return std::nullopt;
    const Target& target = *findTarget(cell, step.target);
    return Error{"edit.step-arm",
                 fmt::format("\"{}\" is a target of \"{}\", not of \"{}\"", target.name, armOf(cell, target).name,
                             armOf(cell, routine).name),
                 "", "Take a target with the arm that runs this routine."};
}

Result<Cell> insertSteps(const Cell& cell, RoutineId id, size_t at, std::vector<Step> steps,
                         std::vector<StepId>* created)
{
    for (const Step& step : steps)
        if (Status bad = checkStep(cell, step)) return *bad;
    return changedRoutine(cell, id, [&](Cell& next, Routine& routine) -> Status {
        if (at > routine.steps.size()) return missing("place in the routine");
        for (size_t i = 0; i < steps.size(); ++i) {
            if (Status bad = checkOwnTarget(cell, routine, steps[i])) return bad;
            steps[i].id = {next.nextId++};
            if (created) created->push_back(steps[i].id);
            routine.steps.insert(at + i, steps[i]);
        }
        return std::nullopt;
    });
}

Result<Cell> insertStep(const Cell& cell, RoutineId id, size_t at, Step step, StepId* created)
{
    std::vector<StepId> made;
    Result<Cell> next = insertSteps(cell, id, at, {std::move(step)}, &made);
    if (next && created) *created = made.front();
    return next;
}

Result<Cell> deleteSteps(const Cell& cell, RoutineId id, const std::vector<StepId>& steps)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        for (const StepId step : steps)
            if (!routine.steps.find(step)) return missing("step");
        const std::set<StepId> gone(steps.begin(), steps.end());
        routine.steps.eraseIf([&](const Step& s) { return gone.contains(s.id); });
        return std::nullopt;
    });
}

Result<Cell> deleteStep(const Cell& cell, RoutineId id, StepId step) { return deleteSteps(cell, id, {step}); }

Result<Cell> moveSteps(const Cell& cell, RoutineId id, const std::vector<StepId>& steps, size_t to)
{
    std::vector<Step> moved;
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        for (const StepId step : steps) {
            const Step* own = routine.steps.find(step);
            if (!own) return missing("step");
            moved.push_back(*own);
        }
        const std::set<StepId> gone(steps.begin(), steps.end());
        if (gone.size() != steps.size() || to + steps.size() > routine.steps.size())
            return missing("place in the routine");
        routine.steps.eraseIf([&](const Step& s) { return gone.contains(s.id); });
        for (size_t i = 0; i < moved.size(); ++i)
            routine.steps.insert(to + i, moved[i]);
        return std::nullopt;
    });
}

Result<Cell> changeSteps(const Cell& cell, RoutineId id, const std::vector<Step>& steps)
{
    for (const Step& step : steps)
        if (Status bad = checkStep(cell, step)) return *bad;
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        for (const Step& step : steps) {
            Step* own = routine.steps.edit(step.id);
            if (!own) return missing("step");
            if (Status bad = checkOwnTarget(cell, routine, step)) return bad;
            *own = step;
        }
        return std::nullopt;
    });
}

Result<Cell> moveStep(const Cell& cell, RoutineId id, StepId step, size_t to)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        const auto from = routine.steps.placeOf(step);
        if (!from) return missing("step");
        if (to >= routine.steps.size()) return missing("place in the routine");
        routine.steps.move(*from, to);
        return std::nullopt;
    });
}

Result<Cell> changeStep(const Cell& cell, RoutineId id, const Step& step) { return changeSteps(cell, id, {step}); }

}  // namespace topikos
