#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

namespace {

constexpr double kSlow = 0.5;  // of the speed asked for, below which a line is told to be slowed

}  // namespace

void judgeJointLimits(const JudgedStep& step, Findings& out)
{
    // A line that stops has to be changed anyway; what slows it next to its stop says nothing more.
    if (!step.outcome.move || step.outcome.move->stop) return;
    const Slowed& slowed = step.outcome.move->slowed();
    if (!slowed.by.byJoint() || slowed.lowest >= kSlow) return;
    const Rule rule = slowed.by.kind == HeldBy::Kind::JointSpeed ? Rule::JointSpeed : Rule::JointAcceleration;
    out.push_back(step.findingAt(rule, Severity::Caution,
                                 JointLimitFact{slowed.by.index, slowed.lowest, kSlow, slowed.seconds},
                                 slowed.fraction));
}

FindingText textOf(const JointLimitFact& fact, const Wording& words)
{
    const bool speed = words.finding.rule == Rule::JointSpeed;
    return {
        fmt::format("{} slows to {:.0f} % of its speed", words.subject, 100 * fact.lowest),
        fmt::format("Joint {} can do no more{}: its {} is at its limit. That costs {:.2f} s; a lower speed makes it "
                    "even.",
                    fact.joint + 1, words.place, speed ? "speed" : "acceleration", fact.seconds)};
}

}  // namespace topikos
