#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

Finding unreachable(const Solutions& found)
{
    Finding f;
    f.severity = Severity::Blocked;
    const int otherWays = int(found.items.size());
    if (found.range.joint >= 0) {
        f.rule = Rule::JointRange;
        f.fact = RangeFact{found.range.joint, found.range.excess, 0, otherWays};
        return f;
    }
    f.rule = otherWays > 0 ? Rule::Configuration : Rule::Reach;
    f.fact = ReachFact{found.reason, found.shortfall, found.excessTurn, otherWays};
    return f;
}

void judgeReach(const JudgedStep& step, Findings& out)
{
    const StepOutcome& outcome = step.outcome;
    if (outcome.problem == StepOutcome::Problem::TargetOutOfReach
        || outcome.problem == StepOutcome::Problem::TargetNotInConfiguration) {
        Finding f = unreachable(outcome.plan->atGoal);
        if (ReachFact* fact = std::get_if<ReachFact>(&f.fact)) fact->axes = outcome.axesAlong(1);
        out.push_back(step.finding(f.rule, f.severity, f.fact));
    }
    if (outcome.problem == StepOutcome::Problem::NoCircle)
        out.push_back(step.finding(Rule::Reach, Severity::Blocked, ArcFact{}));
    if (outcome.problem == StepOutcome::Problem::NoPlace)
        out.push_back(step.finding(Rule::Reach, Severity::Blocked, PlaceFact{}));
    if (outcome.problem == StepOutcome::Problem::LineStops) {
        const LineStop& stop = *outcome.move->stop;
        if (stop.why == LineStop::Why::OutOfReach)
            out.push_back(step.stopFinding(
                Rule::Reach, ReachFact{stop.reach, stop.shortfall, stop.excessTurn, 0, outcome.axesAlong(1)}));
    }
}

namespace {

/// The asked turn that the arm cannot give, about the tool's own axis that it is mostly about.
std::string excessText(const ReachFact& fact, const Wording& words)
{
    const Target* target = findTarget(words.cell, words.finding.target);
    if (!target || target->kind != Target::Kind::Pose || fact.excessTurn.norm() < 1e-9)
        return fmt::format("The arm cannot turn the tool that way: {} off.", deg(fact.shortfall));
    const Vec3 inTool = baseFromTarget(words.cell, *target, {}, fact.axes).rotation.conjugate() * fact.excessTurn;
    Eigen::Index axis = 0;
    inTool.cwiseAbs().maxCoeff(&axis);
    return fmt::format(
        "The arm cannot give {} of its turn, mostly about tool {}; the nearest orientation lacks just that.",
        deg(fact.excessTurn.norm()), "XYZ"[axis]);
}

std::string detailOf(const ReachFact& fact, const Wording& words)
{
    if (words.finding.rule == Rule::Configuration) {
        const Target* target = findTarget(words.cell, words.finding.target);
        return fmt::format("The arm cannot do it with {}.", target ? configurationText(target->configuration) : "");
    }
    switch (fact.reason) {
    case NoSolution::TooFar:
        return fmt::format("The wrist would have to be {} beyond the arm's reach.", mm(fact.shortfall));
    case NoSolution::TooClose:
        return fmt::format("The wrist would have to be {} closer to the arm than it can fold.", mm(fact.shortfall));
    case NoSolution::Orientation: return excessText(fact, words);
    case NoSolution::NotFound:
        return fmt::format("No posture was found; the nearest pose is {} and {} away.", mm(fact.shortfall),
                           deg(fact.excessTurn.norm()));
    default: return "The pose cannot be reached.";
    }
}

}  // namespace

FindingText textOf(const ArcFact&, const Wording& words)
{
    return {words.subject + " has no circle to go on", "The place where it begins and the two that it names lie on a "
                                                       "line, or on each other. Move one of them, or use a line."};
}

FindingText textOf(const ReachFact& fact, const Wording& words)
{
    return {blockedHeadline(words, fact.otherWays), detailOf(fact, words) + otherWaysText(fact.otherWays)};
}

FindingText textOf(const PlaceFact&, const Wording& words)
{
    if (!words.target.empty())
        return {fmt::format("{} goes to a distance from {}", words.subject, words.target),
                "That is a posture, and has no direction to keep a distance in. Give the call a pose, or the step no "
                "distance."};
    return {words.subject + " goes to a place that nothing fills in",
            "Its routine has places that a call fills in, and no call does. Let the arm run a routine that calls it."};
}

}  // namespace topikos
