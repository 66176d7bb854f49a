#include "core/check/rules/rules.h"
#include "core/spatial/units.h"

#include <fmt/format.h>

namespace topikos {

namespace {

constexpr double kSilent = 1.01;  // ratio to the limit up to which nothing is said

void judge(const JudgedStep& step, Rule rule, const Peak& peak, double Joint::*limitOf, Findings& out)
{
    if (peak.joint < 0 || peak.ratio <= kSilent) return;
    const double limit = step.arm().joints()[size_t(peak.joint)].*limitOf;
    out.push_back(
        step.findingAt(rule, Severity::Caution, JointLimitFact{peak.joint, peak.ratio * limit, limit}, peak.fraction));
}

}  // namespace

void judgeJointLimits(const JudgedStep& step, Findings& out)
{
    // A line that stops has to be changed anyway; what it asks of joints next to its stop says nothing more.
    if (!step.outcome.move || step.outcome.move->stop) return;
    judge(step, Rule::JointSpeed, step.outcome.move->speed, &Joint::speed, out);
    judge(step, Rule::JointAcceleration, step.outcome.move->acceleration, &Joint::acceleration, out);
}

FindingText textOf(const JointLimitFact& fact, const Wording& words)
{
    const bool turns = words.joint(fact.joint).kind == JointKind::Revolute;
    const bool speed = words.finding.rule == Rule::JointSpeed;
    const double unit = turns ? kDegree : kMillimetre;
    const std::string symbol = std::string(turns ? "°/s" : "mm/s") + (speed ? "" : "²");
    return {fmt::format("{} asks {:.1f} times the {} of joint {}", words.subject, fact.value / fact.limit,
                        speed ? "speed" : "acceleration", fact.joint + 1),
            fmt::format("{:.0f} {}{}, {:.0f} is its limit; a lower speed of the step needs less.", fact.value / unit,
                        symbol, words.place, fact.limit / unit)};
}

}  // namespace topikos
