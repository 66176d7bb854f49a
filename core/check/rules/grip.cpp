#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

void judgeGrip(const JudgedStep& step, Findings& out)
{
    const StepOutcome& outcome = step.outcome;
    const Gripper& gripper = toolInForce(step.cell, step.station).gripper;
    GripFact fact;
    switch (outcome.problem) {
    case StepOutcome::Problem::NothingGripped:
        fact.grasp = gripper.region.isZero() ? gripper.grasp : 0.5 * gripper.region.maxCoeff();
        break;
    case StepOutcome::Problem::PartHeld: fact.clamp = outcome.clamp; break;
    case StepOutcome::Problem::StillCarrying: fact.carried = outcome.part; break;
    default: return;
    }
    fact.cycle = outcome.pass;
    out.push_back(step.finding(Rule::Grip, Severity::Caution, fact));
}

FindingText textOf(const GripFact& fact, const Wording& words)
{
    if (fact.clamp)
        return {words.subject + " cannot take the part",
                frameName(words.cell, fact.clamp) + " holds it; open the clamp first."};
    if (fact.carried) {
        const Part* part = findPart(words.cell, fact.carried);
        return {words.subject + " grips while it still carries a part",
                fmt::format("{} is in the gripper; release it first. What is in the grasp now stays where it is.",
                            part ? "\"" + part->name + "\"" : "A part made by a source")};
    }
    const std::string since = fact.cycle > 0 ? fmt::format(" from cycle {} on", fact.cycle + 1) : "";
    return {words.subject + " grips nothing" + since,
            fmt::format("No part has its origin within {} of the TCP.{}", mm(fact.grasp),
                        fact.cycle > 0 ? " What was there in the cycles before has been taken." : "")};
}

}  // namespace topikos
