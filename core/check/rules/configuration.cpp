#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

void judgeConfiguration(const JudgedStep& step, Findings& out)
{
    const MovePlan* plan = step.outcome.plan.get();
    if (!plan || !step.outcome.move || !step.outcome.move->isLine() || step.outcome.move->stop) return;
    if (plan->otherConfiguration)
        out.push_back(step.findingAt(Rule::Configuration, Severity::Caution, ConfigurationFact{}, 1));
    else if (plan->otherPosture.joint >= 0)
        out.push_back(step.findingAt(Rule::Configuration, Severity::Caution, ConfigurationFact{plan->otherPosture}, 1));
}

FindingText textOf(const ConfigurationFact& fact, const Wording& words)
{
    if (fact.off.joint >= 0)
        return {words.subject + " arrives in another posture",
                fmt::format("Joint {} comes to stand {} from where {} was taught; a line goes on from the posture it "
                            "starts in.",
                            fact.off.joint + 1, jointAmount(words.joint(fact.off.joint), fact.off.excess),
                            words.target)};
    const Target* target = findTarget(words.cell, words.finding.target);
    const bool pose = target && target->kind == Target::Kind::Pose;
    return {words.subject + " arrives in another configuration",
            fmt::format("{} asks for {}; a line keeps the one it starts in.", words.target,
                        pose ? configurationText(target->configuration) : "its own posture")};
}

}  // namespace topikos
