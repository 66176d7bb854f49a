#include "core/cell/step_check.h"

#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace topikos {

Status checkCalls(const Cell& cell)
{
    enum class State { New, Open, Done };
    std::map<RoutineId, State> states;
    std::vector<const Routine*> chain;
    std::map<RoutineId, size_t> heights;  // how deep its calls go
    std::string loop;
    bool tooDeep = false;
    const auto visit = [&](auto&& self, const Routine& routine) -> bool {
        State& state = states[routine.id];
        if (state == State::Done) return true;
        if (chain.size() > size_t(limits::kCallDepth.most)) return tooDeep = true, false;
        chain.push_back(&routine);
        if (state == State::Open) {
            auto at = std::find(chain.begin(), chain.end(), &routine);
            for (; at != chain.end(); ++at)
                loop += (loop.empty() ? "\"" : " calls \"") + (*at)->name + "\"";
            return false;
        }
        state = State::Open;
        std::vector<RoutineId> called;
        eachStep(routine.steps, [&](const Step& step, size_t) {
            const Call* call = step.as<Call>();
            if (call && std::find(called.begin(), called.end(), call->routine) == called.end())
                called.push_back(call->routine);
        });
        size_t height = 0;
        for (const RoutineId id : called)
            if (const Routine* next = findRoutine(cell, id)) {
                if (!self(self, *next)) return false;
                height = std::max(height, heights[id] + 1);
            }
        states[routine.id] = State::Done;
        heights[routine.id] = height;
        chain.pop_back();
        if (height > size_t(limits::kCallDepth.most)) return tooDeep = true, false;
        return true;
    };
    for (const Routine& routine : cell.routines) {
        if (visit(visit, routine)) continue;
        return tooDeep
                   ? fail("edit.call-depth", fmt::format("calls are nested deeper than {}", limits::kCallDepth.most),
                          "Call fewer routines one in the other.")
                   : fail("edit.recursion", fmt::format("a routine would come to call itself: {}", loop),
                          "Use a repeat instead.");
    }
    return std::nullopt;
}

void StepScope::enter(const Step& step)
{
    if (const ForEach* each = step.as<ForEach>())
        for (const PatternId pattern : {each->with, each->pattern})
            if (pattern) loops.push_back(pattern);
}

std::optional<JointKind> jointKindOf(const Cell& cell, const Routine& routine, int joint)
{
    std::optional<JointKind> kind;
    for (const ArmStation& arm : cell.arms) {
        if (routine.arm && routine.arm != arm.id) continue;
        if (joint < 0 || joint >= arm.model->jointCount()) return std::nullopt;
        const JointKind own = arm.model->joints()[size_t(joint)].kind;
        if (kind.value_or(own) != own) return std::nullopt;
        kind = own;
    }
    return kind;
}

std::vector<PatternId> loopsAround(const Steps& steps, StepId block)
{
    std::vector<PatternId> out;
    while (block) {
        const Step* step = findStep(steps, block);
        if (!step) break;
        if (const ForEach* each = step->as<ForEach>())
            for (const PatternId pattern : {each->pattern, each->with})
                if (pattern) out.insert(out.begin(), pattern);
        block = placeOf(steps, block)->block;
    }
    return out;
}

}  // namespace topikos
