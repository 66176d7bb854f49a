#include "core/files/step_fields.h"

#include "core/spatial/limits.h"

#include <fmt/format.h>

namespace topikos {

namespace {

void flatten(const Steps& steps, std::uint32_t depth, bool otherwise, std::vector<StoredStep>& out)
{
    for (const Step& step : steps) {
        out.push_back({step, depth, otherwise});
        out.back().step.body = out.back().step.otherwise = {};
        flatten(step.body, depth + 1, false, out);
        flatten(step.otherwise, depth + 1, true, out);
    }
}

}  // namespace

std::vector<StoredStep> flattened(const Steps& steps)
{
    std::vector<StoredStep> out;
    flatten(steps, 0, false, out);
    return out;
}

Status grown(const std::vector<StoredStep>& stored, Steps& steps)
{
    const auto bad = [](size_t at, const char* why) {
        return Error{"cell.step-depth", fmt::format("step {} {}", at + 1, why), "", ""};
    };
    // From the last to the first, so that what a step holds is there when it comes.
    struct Open {
        std::vector<Step> body, otherwise;
    };
    std::vector<Open> open(1);
    for (size_t i = stored.size(); i-- > 0;) {
        const StoredStep& own = stored[i];
        if (double(own.depth) > limits::kStepDepth.most) return bad(i, "is in too many blocks");
        const std::uint32_t before = i > 0 ? stored[i - 1].depth : 0;
        if (own.depth > (i > 0 ? before + 1 : 0)) return bad(i, "is in a block that is not there");
        if (own.otherwise && own.depth == 0) return bad(i, "is in the \"else\" of nothing");
        if (open.size() < own.depth + 2) open.resize(own.depth + 2);
        Step step = own.step;
        // Below it stands what came after it, one deeper.
        Open& inner = open[own.depth + 1];
        step.body = Steps(std::vector<Step>(std::make_move_iterator(inner.body.rbegin()),
                                            std::make_move_iterator(inner.body.rend())));
        step.otherwise = Steps(std::vector<Step>(std::make_move_iterator(inner.otherwise.rbegin()),
                                                 std::make_move_iterator(inner.otherwise.rend())));
        inner = {};
        Open& list = open[own.depth];
        if (own.otherwise && !list.body.empty()) return bad(i, "is in an \"else\" that its block goes on behind");
        (own.otherwise ? list.otherwise : list.body).push_back(std::move(step));
    }
    std::vector<Step>& top = open[0].body;
    steps = Steps(std::vector<Step>(std::make_move_iterator(top.rbegin()), std::make_move_iterator(top.rend())));
    return std::nullopt;
}

}  // namespace topikos
