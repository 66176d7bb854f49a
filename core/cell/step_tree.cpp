#include "core/cell/step_tree.h"

#include <fmt/format.h>

namespace topikos {

namespace {

void addRows(const Steps& steps, StepPlace place, int depth, std::vector<StepRow>& out)
{
    for (place.at = 0; place.at < steps.size(); ++place.at) {
        const Step& step = steps[place.at];
        const size_t own = out.size();
        out.push_back({&step, place, depth, 0});
        addRows(step.body, {step.id, false, 0}, depth + 1, out);
        addRows(step.otherwise, {step.id, true, 0}, depth + 1, out);
        out[own].end = out.size();
    }
}

}  // namespace

std::vector<StepRow> rowsOf(const Steps& steps)
{
    std::vector<StepRow> out;
    out.reserve(steps.size());
    addRows(steps, {}, 0, out);
    return out;
}

size_t countSteps(const Steps& steps)
{
    size_t count = steps.size();
    for (const Step& step : steps)
        count += countSteps(step.body) + countSteps(step.otherwise);
    return count;
}

const Step* findStep(const Steps& steps, StepId id)
{
    if (const Step* own = steps.find(id)) return own;
    for (const Step& step : steps)
        for (const Steps* list : {&step.body, &step.otherwise})
            if (const Step* inner = list->empty() ? nullptr : findStep(*list, id)) return inner;
    return nullptr;
}

std::optional<size_t> numberOf(const Steps& steps, StepId id)
{
    std::optional<size_t> found;
    eachStep(steps, [&](const Step& step, size_t number) {
        if (step.id == id) found = number;
    });
    return found;
}

std::optional<StepPlace> placeOf(const Steps& steps, StepId id)
{
    if (const auto at = steps.placeOf(id)) return StepPlace{{}, false, *at};
    for (const Step& step : steps)
        for (const bool otherwise : {false, true}) {
            const Steps& list = otherwise ? step.otherwise : step.body;
            if (list.empty()) continue;
            auto inner = placeOf(list, id);
            if (inner && !inner->block) inner->block = step.id, inner->otherwise = otherwise;
            if (inner) return inner;
        }
    return std::nullopt;
}

Step* editStep(Steps& steps, StepId id)
{
    if (Step* own = steps.edit(id)) return own;
    for (size_t i = 0; i < steps.size(); ++i)
        for (const bool otherwise : {false, true}) {
            const Steps& list = otherwise ? steps[i].otherwise : steps[i].body;
            if (list.empty() || !findStep(list, id)) continue;
            Step& block = steps.at(i);
            return editStep(otherwise ? block.otherwise : block.body, id);
        }
    return nullptr;
}

Steps* editList(Steps& steps, const StepPlace& place)
{
    if (!place.block) return &steps;
    Step* block = editStep(steps, place.block);
    return block ? &(place.otherwise ? block->otherwise : block->body) : nullptr;
}

const Steps* listOf(const Steps& steps, const StepPlace& place)
{
    if (!place.block) return &steps;
    const Step* block = findStep(steps, place.block);
    return block ? &(place.otherwise ? block->otherwise : block->body) : nullptr;
}

bool uses(const Step& step, const Used& what)
{
    if (const auto* id = std::get_if<SignalId>(&what)) return signalOf(step) == *id;
    if (const auto* id = std::get_if<RoutineId>(&what)) return step.as<Call>() && step.as<Call>()->routine == *id;
    if (const auto* id = std::get_if<TimeTableId>(&what))
        return step.as<PlayTable>() && step.as<PlayTable>()->table == *id;
    if (const auto* id = std::get_if<ProcessId>(&what))
        return (step.as<SwitchProcess>() && step.as<SwitchProcess>()->process == *id)
               || (step.as<Follow>() && step.as<Follow>()->process == *id);
    if (const auto* id = std::get_if<FrameId>(&what)) {
        if (const MoveAxes* move = step.as<MoveAxes>()) return move->device == *id;
        if (const ReadFrom* read = step.as<ReadFrom>()) return read->frame == *id;
        if (std::find(step.mayTouch.begin(), step.mayTouch.end(), Touchable(*id)) != step.mayTouch.end()) return true;
        const JointMove* joint = step.as<JointMove>();
        const LineMove* line = step.as<LineMove>();
        const Goal* goal = joint ? &joint->goal : line ? &line->goal : nullptr;
        const Shift* shift = goal ? std::get_if<Shift>(goal) : nullptr;
        return shift && shift->space == Shift::Space::Frame && shift->frame == *id;
    }
    if (const auto* id = std::get_if<PatternId>(&what)) {
        if (const ForEach* each = step.as<ForEach>(); each && (each->pattern == *id || each->with == *id)) return true;
        if (const Follow* follow = step.as<Follow>(); follow && follow->pattern == *id) return true;
    }
    bool found = false;
    eachPlace(step, [&](const Place& place) {
        if (const auto* id = std::get_if<TargetId>(&what)) found = found || place == Place(*id);
        if (const auto* id = std::get_if<PatternId>(&what)) found = found || place == Place(*id);
        if (const auto* id = std::get_if<ParameterId>(&what)) found = found || place == Place(*id);
    });
    return found;
}

std::vector<StepUse> stepsThatUse(const Cell& cell, const Used& what)
{
    std::vector<StepUse> out;
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            if (uses(step, what)) out.push_back({routine.id, step.id, number, writesSignal(step)});
        });
    return out;
}

std::string wordsOf(const Cell& cell, const StepUse& use)
{
    return fmt::format("step {} of \"{}\"", use.number + 1, findRoutine(cell, use.routine)->name);
}

}  // namespace topikos
