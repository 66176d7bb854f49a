#include "core/cell/edit_steps.h"

#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/cell/step_check.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <map>
#include <set>

namespace topikos {

namespace {

template <class Change> Result<Cell> changedRoutine(const Cell& cell, RoutineId id, Change change)
{
    Cell next = cell;
    Routine* routine = next.routines.edit(id);
    if (!routine) return missing("routine");
    if (Status bad = change(next, *routine)) return *bad;
    const SignalWriters writers = signalWriters(next);
    if (Status bad = checkRoutine(next, *routine, &writers)) {
        bad->where.clear();  // the step is the one that is at hand
        return *bad;
    }
    bool calls = false;
    eachStep(routine->steps, [&](const Step& step, size_t) { calls = calls || step.kind() == StepKind::Call; });
    if (calls)
        if (Status bad = checkCalls(next)) return *bad;
    return next;
}

void giveIds(Step& step, Cell& cell)
{
    step.id = {cell.nextId++};
    for (Steps* list : {&step.body, &step.otherwise}) {
        std::vector<Step> inner(list->begin(), list->end());
        for (Step& own : inner)
            giveIds(own, cell);
        *list = Steps(std::move(inner));
    }
}

void eraseSteps(Steps& steps, const std::set<StepId>& gone)
{
    steps.eraseIf([&](const Step& s) { return gone.contains(s.id); });
    const auto holds = [&](const Steps& list) {
        bool found = false;
        eachStep(list, [&](const Step& s, size_t) { found = found || gone.contains(s.id); });
        return found;
    };
    for (size_t i = 0; i < steps.size(); ++i) {
        const bool body = holds(steps[i].body), otherwise = holds(steps[i].otherwise);
        if (body) eraseSteps(steps.at(i).body, gone);
        if (otherwise) eraseSteps(steps.at(i).otherwise, gone);
    }
}

/// The place of steps that stand side by side, in their order; nothing when they do not.
std::optional<StepPlace> sideBySide(const Steps& steps, const std::vector<StepId>& ids)
{
    std::optional<StepPlace> first;
    for (size_t i = 0; i < ids.size(); ++i) {
        const auto place = placeOf(steps, ids[i]);
        if (!place) return std::nullopt;
        if (i == 0) first = place;
        if (!(*place == StepPlace{first->block, first->otherwise, first->at + i})) return std::nullopt;
    }
    return first;
}

Error notSideBySide()
{
    return {"edit.steps-apart", "the steps do not stand side by side", "", "Select steps that follow each other."};
}

}  // namespace

std::vector<StepId> outermost(const Steps& steps, const std::vector<StepId>& ids)
{
    const std::set<StepId> wanted(ids.begin(), ids.end());
    std::vector<StepId> out;
    size_t until = 0;
    const std::vector<StepRow> rows = rowsOf(steps);
    for (size_t i = 0; i < rows.size(); ++i) {
        if (i < until || !wanted.contains(rows[i].step->id)) continue;
        out.push_back(rows[i].step->id);
        until = rows[i].end;
    }
    return out;
}

Result<Cell> insertSteps(const Cell& cell, RoutineId id, const StepPlace& at, std::vector<Step> steps,
                         std::vector<StepId>* created)
{
    return changedRoutine(cell, id, [&](Cell& next, Routine& routine) -> Status {
        Steps* list = editList(routine.steps, at);
        if (!list || at.at > list->size()) return missing("place in the routine");
        for (size_t i = 0; i < steps.size(); ++i) {
            giveIds(steps[i], next);
            if (created) created->push_back(steps[i].id);
            list->insert(at.at + i, std::move(steps[i]));
        }
        return std::nullopt;
    });
}

Result<Cell> insertSteps(const Cell& cell, RoutineId id, size_t at, std::vector<Step> steps,
                         std::vector<StepId>* created)
{
    return insertSteps(cell, id, StepPlace{{}, false, at}, std::move(steps), created);
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
            if (!findStep(routine.steps, step)) return missing("step");
        eraseSteps(routine.steps, {steps.begin(), steps.end()});
        return std::nullopt;
    });
}

Result<Cell> deleteStep(const Cell& cell, RoutineId id, StepId step) { return deleteSteps(cell, id, {step}); }

Result<Cell> moveSteps(const Cell& cell, RoutineId id, const std::vector<StepId>& steps, const StepPlace& to)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        for (const StepId step : steps)
            if (!findStep(routine.steps, step)) return missing("step");
        // In the order given, without what is inside another one.
        const std::vector<StepId> outermosts = outermost(routine.steps, steps);
        const std::set<StepId> outer(outermosts.begin(), outermosts.end());
        std::vector<Step> moved;
        std::set<StepId> gone;
        for (const StepId step : steps)
            if (outer.contains(step) && gone.insert(step).second) moved.push_back(*findStep(routine.steps, step));
        if (to.block)
            for (const Step& step : moved)
                if (step.id == to.block || findStep(step.body, to.block) || findStep(step.otherwise, to.block))
                    return Error{"edit.step-into-itself", "a step cannot be moved into itself", "",
                                 "Choose another place."};
        eraseSteps(routine.steps, gone);
        Steps* list = editList(routine.steps, to);
        if (!list || to.at > list->size()) return missing("place in the routine");
        for (size_t i = 0; i < moved.size(); ++i)
            list->insert(to.at + i, moved[i]);
        return std::nullopt;
    });
}

Result<Cell> moveSteps(const Cell& cell, RoutineId id, const std::vector<StepId>& steps, size_t to)
{
    return moveSteps(cell, id, steps, StepPlace{{}, false, to});
}

Result<Cell> moveStep(const Cell& cell, RoutineId id, StepId step, size_t to)
{
    return moveSteps(cell, id, {step}, to);
}

Result<Cell> changeSteps(const Cell& cell, RoutineId id, const std::vector<Step>& steps)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        for (const Step& step : steps) {
            Step* own = editStep(routine.steps, step.id);
            if (!own) return missing("step");
            *own = step;
        }
        return std::nullopt;
    });
}

Result<Cell> changeStep(const Cell& cell, RoutineId id, const Step& step) { return changeSteps(cell, id, {step}); }

Result<Cell> wrapSteps(const Cell& cell, RoutineId id, const std::vector<StepId>& steps, Step block, StepId* created)
{
    return changedRoutine(cell, id, [&](Cell& next, Routine& routine) -> Status {
        const std::vector<StepId> outer = outermost(routine.steps, steps);
        const auto place = sideBySide(routine.steps, outer);
        if (!place) return notSideBySide();
        std::vector<Step> body;
        for (const StepId step : outer)
            body.push_back(*findStep(routine.steps, step));
        eraseSteps(routine.steps, {outer.begin(), outer.end()});
        block.id = {next.nextId++};
        block.body = Steps(std::move(body));
        block.otherwise = {};
        if (created) *created = block.id;
        editList(routine.steps, *place)->insert(place->at, std::move(block));
        return std::nullopt;
    });
}

Result<Cell> unwrapStep(const Cell& cell, RoutineId id, StepId block)
{
    return changedRoutine(cell, id, [&](Cell&, Routine& routine) -> Status {
        const auto place = placeOf(routine.steps, block);
        if (!place) return missing("step");
        const Step whole = *findStep(routine.steps, block);
        if (!hasBody(whole.kind()))
            return Error{"edit.step-body", "the step holds no others", "", "Select a repeat, a for each or an if."};
        Steps& list = *editList(routine.steps, *place);
        list.erase(block);
        size_t at = place->at;
        for (const Steps* inner : {&whole.body, &whole.otherwise})
            for (const Step& step : *inner)
                list.insert(at++, step);
        return std::nullopt;
    });
}

Result<Cell> makeRoutine(const Cell& cell, RoutineId id, const std::vector<StepId>& steps, const std::string& name,
                         RoutineId* created)
{
    if (Status bad = checkNewName(cell.routines, name)) return *bad;
    Cell next = cell;
    const RoutineId made{next.nextId++};
    Routine fresh{made, name, {}, {}};
    Call call{made, {}};
    {
        const Routine* routine = findRoutine(cell, id);
        if (!routine) return missing("routine");
        fresh.arm = routine->arm;
        const std::vector<StepId> outer = outermost(routine->steps, steps);
        const auto place = sideBySide(routine->steps, outer);
        if (!place) return notSideBySide();
        std::vector<Step> body;
        for (const StepId step : outer)
            body.push_back(*findStep(routine->steps, step));
        fresh.steps = Steps(std::move(body));
        // What comes from outside becomes a place of the new routine.
        const std::vector<PatternId> loops = loopsAround(routine->steps, place->block);
        const auto fromOutside = [&](const Place& named) {
            if (std::holds_alternative<ParameterId>(named)) return true;
            const PatternId* pattern = std::get_if<PatternId>(&named);
            return pattern && std::find(loops.begin(), loops.end(), *pattern) != loops.end();
        };
        const auto nameOf = [&](const Place& named) -> std::string {
            if (const ParameterId* own = std::get_if<ParameterId>(&named))
                for (const Parameter& p : routine->parameters)
                    if (p.id == *own) return p.name;
            return loops.size() == 1 ? "place" : findPattern(cell, std::get<PatternId>(named))->name + " place";
        };
        std::vector<std::pair<Place, ParameterId>> given;
        const auto change = [&](Step& step) {
            eachPlace(step, [&](Place& named) {
                if (!fromOutside(named)) return;
                for (const auto& [outside, own] : given)
                    if (outside == named) {
                        named = own;
                        return;
                    }
                std::string stem = shortened(nameOf(named), kLongestStem);
                std::erase_if(stem, [](char c) { return std::string("(),\"#").find(c) != std::string::npos; });
                std::string free = stem.empty() ? "place" : stem;
                for (int i = 2; findNamed(cell.targets, free) || findNamed(fresh.parameters, free); ++i)
                    free = fmt::format("{} {}", stem, i);
                const ParameterId own{next.nextId++};
                fresh.parameters.push_back({own, free});
                call.places.push_back(named);
                given.push_back({named, own});
                named = own;
            });
        };
        changeEach(
            fresh.steps,
            [&](const Step& step) {
                bool any = false;
                eachPlace(step, [&](const Place& named) { any = any || fromOutside(named); });
                return any;
            },
            change);
        Routine* own = next.routines.edit(id);
        eraseSteps(own->steps, {outer.begin(), outer.end()});
        editList(own->steps, *place)->insert(place->at, Step{.id = {next.nextId++}, .action = call});
    }
    next.routines.push_back(fresh);
    if (created) *created = made;
    // The steps keep their ids: they moved.
    for (const RoutineId changed : {id, made})
        if (Status bad = checkRoutine(next, *findRoutine(next, changed))) return *bad;
    if (Status bad = checkCalls(next)) return *bad;
    return next;
}

Result<Cell> setParameters(const Cell& cell, RoutineId id, std::vector<Parameter> parameters)
{
    Cell next = cell;
    Routine* routine = next.routines.edit(id);
    if (!routine) return missing("routine");
    const std::vector<Parameter> before = routine->parameters;
    for (const ArmStation& arm : cell.arms)
        if (arm.main == id && parameters.size() > before.size())
            return Error{
                "edit.routine-places",
                fmt::format("\"{}\" is what \"{}\" runs, and no call fills in its places", routine->name, arm.name), "",
                "Let the arm run a routine of its own that calls it."};
    for (const Parameter& old : before) {
        if (std::any_of(parameters.begin(), parameters.end(), [&](const Parameter& p) { return p.id == old.id; }))
            continue;
        for (const StepUse& use : stepsThatUse(cell, old.id))
            return Error{"edit.routine-places", fmt::format("\"{}\" is used by {}", old.name, wordsOf(cell, use)), "",
                         "Give that step another place first."};
    }
    for (Parameter& p : parameters)
        if (!p.id) p.id = {next.nextId++};
    routine->parameters = parameters;
    for (size_t r = 0; r < next.routines.size(); ++r) {
        const ArmId arm = next.routines[r].arm;
        bool calls = false;
        eachStep(next.routines[r].steps, [&](const Step& s, size_t) { calls = calls || uses(s, id); });
        if (!calls) continue;
        if (!arm && parameters.size() > before.size())
            return Error{
                "edit.routine-places",
                fmt::format("\"{}\" calls it and has no arm whose home could be filled in", next.routines[r].name), "",
                "Take that call out first, and put it back with its places."};
        changeEach(
            next.routines.at(r).steps, [&](const Step& s) { return uses(s, id); },
            [&](Step& step) {
                Call& call = *step.as<Call>();
                std::vector<Place> places;
                for (const Parameter& p : parameters) {
                    const auto old =
                        std::find_if(before.begin(), before.end(), [&](const Parameter& o) { return o.id == p.id; });
                    places.push_back(old == before.end() ? Place(findArm(cell, arm)->home)
                                                         : call.places[size_t(old - before.begin())]);
                }
                call.places = places;
            });
    }
    if (Status bad = checkRoutine(next, *findRoutine(next, id))) return *bad;
    return next;
}

Result<Cell> setRoutineArm(const Cell& cell, RoutineId id, ArmId arm)
{
    if (arm && !findArm(cell, arm)) return missing("arm");
    for (const ArmStation& station : cell.arms)
        if (station.main == id && station.id != arm)
            return Error{"edit.main-routine", fmt::format("\"{}\" runs it", station.name), "",
                         "Let the arm run another routine first."};
    Cell next = cell;
    Routine* routine = next.routines.edit(id);
    if (!routine) return missing("routine");
    routine->arm = arm;
    for (const Routine& r : next.routines)
        if (Status bad = checkRoutine(next, r)) return within(*bad, "\"" + r.name + "\"");
    return next;
}

Result<Cell> setProcess(const Cell& cell, ToolId id, Process process, ProcessId* created)
{
    Cell next = cell;
    Tool* tool = next.tools.edit(id);
    if (!tool) return missing("tool");
    if (Status bad = checkProcess(cell, *tool, process)) return *bad;
    if (!process.id) process.id = {next.nextId++};
    if (created) *created = process.id;
    const auto own = std::find_if(tool->processes.begin(), tool->processes.end(),
                                  [&](const Process& p) { return p.id == process.id; });
    if (own == tool->processes.end()) tool->processes.push_back(std::move(process));
    else *own = std::move(process);
    return next;
}

Result<Cell> deleteProcess(const Cell& cell, ProcessId id)
{
    for (const StepUse& use : stepsThatUse(cell, id))
        return Error{"edit.process-used", fmt::format("the process is used by {}", wordsOf(cell, use)), "",
                     "Take that step out first."};
    Cell next = cell;
    for (size_t i = 0; i < next.tools.size(); ++i)
        if (std::any_of(next.tools[i].processes.begin(), next.tools[i].processes.end(),
                        [id](const Process& p) { return p.id == id; }))
            std::erase_if(next.tools.at(i).processes, [id](const Process& p) { return p.id == id; });
    return next;
}

}  // namespace topikos
