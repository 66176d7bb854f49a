#include "core/check/rules/rules.h"
#include "core/spatial/units.h"

#include <fmt/format.h>

namespace topikos {

namespace {

std::string rangeText(const Joint& joint)
{
    return joint.kind == JointKind::Revolute
               ? fmt::format("{:.1f} to {:.1f}°", degrees(joint.lower), degrees(joint.upper))
               : fmt::format("{:.0f} to {:.0f} mm", millimetres(joint.lower), millimetres(joint.upper));
}

}  // namespace

std::optional<Finding> rangeCaution(const Cell& cell, const Arm& arm, const Closest& margin)
{
    if (margin.joint < 0) return std::nullopt;
    const double limit = cell.thresholds.margin(arm.joints()[size_t(margin.joint)].kind);
    if (margin.value >= limit) return std::nullopt;
    Finding f;
    f.rule = Rule::JointRange;
    f.fact = RangeFact{margin.joint, margin.value, limit, 0};
    return f;
}

void judgeRange(const JudgedStep& step, Findings& out)
{
    if (!step.outcome.move) return;
    const Move& move = *step.outcome.move;
    if (move.stop && move.stop->why == LineStop::Why::JointRange) {
        out.push_back(step.stopFinding(Rule::JointRange, RangeFact{move.stop->range.joint, move.stop->range.excess}));
        return;
    }
    if (const auto f = rangeCaution(step.cell, step.arm(), move.jointMargin))
        out.push_back(step.findingAt(f->rule, f->severity, f->fact, move.jointMargin.fraction));
}

FindingText textOf(const RangeFact& fact, const Wording& words)
{
    const Joint& joint = words.joint(fact.joint);
    if (words.blocked())
        return {blockedHeadline(words, fact.otherWays),
                fmt::format("Joint {} is {} past its range ({}).", fact.joint + 1, jointAmount(joint, fact.amount),
                            rangeText(joint))
                    + otherWaysText(fact.otherWays)};
    return {
        fmt::format("{} comes within {} of a range end", words.subject, jointAmount(joint, std::max(0.0, fact.amount))),
        fmt::format("Joint {} ({}){}; the margin asked for is {}.", fact.joint + 1, rangeText(joint), words.place,
                    jointAmount(joint, fact.limit))};
}

}  // namespace topikos
