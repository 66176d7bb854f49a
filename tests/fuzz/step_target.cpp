#include "core/exchange/cell_file.h"
#include "core/program/step_text.h"
#include "tests/fuzz/target.h"

using namespace topikos;

namespace {

/// A cell whose names can be mistaken for words of a step, and for each other.
const Cell& hardNames()
{
    static const Cell cell = [] {
        Cell c = openCell(TOPIKOS_EXAMPLES "/glazing-line-on-a-rail.topikos").value();
        const char* names[] = {"over", "to", "Rack", "Rack at", "at 20 %", "12 mm", "\"", "a \"b\"", "off", "Rack at 3"};
        for (size_t i = 0; i < std::min(std::size(names), c.targets.size()); ++i)
            c.targets.at(i).name = names[i];
        for (size_t i = 0; i < c.signals.size(); ++i)
            c.signals.at(i).name = std::string("Gripper") + (i ? " on" + std::string(i - 1, '1') : "");
        return c;
    }();
    return cell;
}

}  // namespace

TOPIKOS_FUZZ_TARGET(step)
{
    const Result<Step> step = parseStep(hardNames(), bytes);
    if (!step) return fuzz::requireLine(step.error().line());
    const std::string text = stepText(hardNames(), *step);
    const Result<Step> again = parseStep(hardNames(), text);
    fuzz::require(again.ok(), "a step's text is read again");
    fuzz::require(again->kind == step->kind && again->target == step->target && again->signal == step->signal
                      && again->device == step->device && (again->standoff > 0) == (step->standoff > 0)
                      && (again->blend > 0) == (step->blend > 0) && (again->value != 0) == (step->value != 0),
                  "as the same step");
    fuzz::require(stepText(hardNames(), *again) == text, "the text is stable");
}
