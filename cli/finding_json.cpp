#include "cli/finding_json.h"

#include "core/spatial/units.h"

#include <nlohmann/json.hpp>

namespace topikos::cli {

using Json = nlohmann::ordered_json;

Json findingJson(const Cell& cell, const Finding& f)
{
    const Measure measure = measureOf(cell, f);
    Json out{{"rule", ruleName(f.rule)},
             {"severity", severityName(f.severity)},
             {"routine", f.routine ? Json(findRoutine(cell, f.routine)->name) : Json()},
             {"step", f.step ? Json(f.stepIndex + 1) : Json()},
             {"message", findingText(cell, f).line()},
             {"measured", measure.measured},
             {"limit", measure.limited ? Json(measure.limit) : Json()},
             {"unit", unitName(measure.unit)}};
    for (const Finding& follows : f.followUps)
        out["follow_ups"].push_back(findingJson(cell, follows));
    return out;
}

}  // namespace topikos::cli
