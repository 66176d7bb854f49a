#include "core/program/follow.h"

#include <algorithm>

namespace topikos {

Steps followSteps(const Pattern& pattern, std::vector<TargetId> places, const Step& step)
{
    const Follow& follow = *step.as<Follow>();
    const bool closed = pattern.layout == Pattern::Layout::Drawn && pattern.drawing.seam && pattern.drawing.closed;
    if (closed && places.size() > 2) places.push_back(places.front());
    if (follow.backwards) std::reverse(places.begin(), places.end());
    std::vector<Step> out;
    const auto add = [&](Action action) {
        out.push_back(Step{.id = step.id, .mayTouch = step.mayTouch, .action = std::move(action)});
    };
    Pace exactly = follow.pace;
    exactly.blend = 0;
    for (size_t i = 0; i < places.size(); ++i) {
        const bool first = i == 0, last = i + 1 == places.size();
        if (first && (follow.over > 0 || follow.staged))
            add(JointMove{AtPlace{places[i], follow.over, follow.staged ? Stage::Approach : Stage::Over}, 1, {}});
        const bool passed = !first && !last;
        add(LineMove{AtPlace{places[i]}, follow.speed, passed ? follow.pace : exactly});
        if (first && follow.process) add(SwitchProcess{follow.process, true});
        if (!last) continue;
        if (follow.process) add(SwitchProcess{follow.process, false});
        if (follow.over > 0 || follow.staged)
            add(LineMove{
                AtPlace{places[i], follow.over, follow.staged ? Stage::Retract : Stage::Over}, LineMove{}.speed, {}});
    }
    return Steps(std::move(out));
}

}  // namespace topikos
