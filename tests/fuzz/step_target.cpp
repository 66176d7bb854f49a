#include "core/files/cell_file.h"
#include "core/program/step_text.h"
#include "tests/fuzz/target.h"

using namespace topikos;

namespace {

/// A cell whose names can be mistaken for words of a step, and for each other.
const Cell& hardNames()
{
    static const Cell cell = [] {
        Cell c = openCell(TOPIKOS_EXAMPLES "/glazing-line-on-a-rail.topikos").value();
        const char* names[] = {"over",  "to", "Rack",    "Rack at", "at 20 %",
                               "12 mm", "\"", "a \"b\"", "off",     "Rack at 3", "near", "approach of Rack"};
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
    const Cell& cell = hardNames();
    const StepScope scope{cell.routines.front()};
    const Result<Step> step = parseStep(cell, scope, bytes);
    if (!step) return fuzz::requireLine(step.error().line());
    if (step->kind() == StepKind::Note) return;
    const std::string text = stepText(cell, *step, &scope);
    const Result<Step> again = parseStep(cell, scope, text);
    fuzz::require(again.ok(), "a step's text is read again");
    fuzz::require(again->kind() == step->kind() && targetOf(*again) == targetOf(*step)
                      && signalOf(*again) == signalOf(*step),
                  "as the same step");
    fuzz::require(stepText(cell, *again, &scope) == text, "the text is stable");
}
