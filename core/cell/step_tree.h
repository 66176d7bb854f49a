#pragma once
#include "core/cell/cell.h"

/// Finding one's way in the steps of a routine. Steps are counted from 0 in the order in which they are read: a block,
/// then what it holds, then what it does otherwise.
namespace topikos {

/// A place between steps: before the `at`-th of a list.
struct StepPlace {
    StepId block{};          ///< that the list is in; none: the routine itself
    bool otherwise = false;  ///< its other list
    size_t at = 0;
    bool operator==(const StepPlace&) const = default;
};

/// A step where it stands.
struct StepRow {
    const Step* step;
    StepPlace place;
    int depth = 0;   ///< how many blocks it is in
    size_t end = 0;  ///< number behind the last step that it holds
};

/// All steps, by their numbers.
std::vector<StepRow> rowsOf(const Steps& steps);
size_t countSteps(const Steps& steps);
const Step* findStep(const Steps& steps, StepId id);
std::optional<size_t> numberOf(const Steps& steps, StepId id);
std::optional<StepPlace> placeOf(const Steps& steps, StepId id);
/// A step to be changed; nullptr if it is not there.
Step* editStep(Steps& steps, StepId id);
/// The list of a place, to be changed; nullptr if its block is not there.
Steps* editList(Steps& steps, const StepPlace& place);
/// The list of a place; nullptr if its block is not there.
const Steps* listOf(const Steps& steps, const StepPlace& place);

/// Visits every step with its number.
template <class Visit> void eachStep(const Steps& steps, Visit&& visit, size_t& number)
{
    for (const Step& step : steps) {
        visit(step, number++);
        eachStep(step.body, visit, number);
        eachStep(step.otherwise, visit, number);
    }
}
template <class Visit> void eachStep(const Steps& steps, Visit&& visit)
{
    size_t number = 0;
    eachStep(steps, visit, number);
}
/// Changes steps for which `wanted` holds, at any depth; what need not change stays shared.
template <class Wanted, class Change> void changeEach(Steps& steps, const Wanted& wanted, const Change& change)
{
    const auto any = [&](const Steps& list) {
        bool found = false;
        eachStep(list, [&](const Step& step, size_t) { found = found || wanted(step); });
        return found;
    };
    for (size_t i = 0; i < steps.size(); ++i) {
        const Step& step = steps[i];
        const bool own = wanted(step), inBody = any(step.body), inOther = any(step.otherwise);
        if (!own && !inBody && !inOther) continue;
        Step& edited = steps.at(i);
        if (inBody) changeEach(edited.body, wanted, change);
        if (inOther) changeEach(edited.otherwise, wanted, change);
        if (own) change(edited);
    }
}

/// Something that steps use.
using Used = std::variant<TargetId, SignalId, RoutineId, PatternId, FrameId, ProcessId, ParameterId, TimeTableId>;
struct StepUse {
    RoutineId routine;
    StepId step;
    size_t number = 0;
    bool writes = false;  ///< a signal
};
bool uses(const Step& step, const Used& what);
/// Steps that use something, in the order of the routines.
std::vector<StepUse> stepsThatUse(const Cell& cell, const Used& what);
/// "step 3 of "Fill the rack"".
std::string wordsOf(const Cell& cell, const StepUse& use);

}  // namespace topikos
