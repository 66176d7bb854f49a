#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

void judgeAxis(const JudgedStep& step, Findings& out)
{
    if (step.outcome.problem != StepOutcome::Problem::AxisBusy) return;
    out.push_back(step.finding(Rule::Axis, Severity::Blocked, AxisFact{step.outcome.axis, step.outcome.other}));
}

FindingText textOf(const AxisFact& fact, const Wording& words)
{
    const ArmStation* other = findArm(words.cell, fact.other);
    return {fmt::format("{} cannot move {}", words.subject, frameName(words.cell, fact.axis)),
            fmt::format("\"{}\" is still moving it; let this step wait for a signal that says it is at rest.",
                        other ? other->name : "")};
}

}  // namespace topikos
