#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

void judgeCorner(const JudgedStep& step, Findings& out)
{
    if (!step.outcome.corner) return;
    Finding f = step.finding(Rule::Corner, Severity::Advice, CornerFact{*step.outcome.corner});
    out.push_back(std::move(f));
}

FindingText textOf(const CornerFact& fact, const Wording& words)
{
    const Corner& c = fact.corner;
    const std::string head =
        c.kept > 0 ? fmt::format("{} cuts its corner by {} instead of {}", words.subject, mm(c.kept), mm(c.asked))
                   : fmt::format("{} stops at its corner", words.subject);
    switch (c.why) {
    case Corner::Why::ShortMove:
        return {head,
                "A corner takes no more than half of a move that has another one at its other end; one of the two "
                "moves is too short for what was asked."};
    case Corner::Why::NoWay:
        return {head, "The arm cannot follow the curve that was asked for: it leaves the ranges of the joints or the "
                      "reach, comes too near to a singularity, or swings too far from the corner."};
    case Corner::Why::AxisElsewhere:
        return {head, "The next move depends on an axis that a signal or another arm moves, so it is planned when the "
                      "arm stands."};
    case Corner::Why::StopIsQuicker:
        return {head, "With the jerk that the joints are allowed a stop takes less time here than a corner. A smaller "
                      "blend, or lower speeds on both sides, may be quicker."};
    case Corner::Why::NotKept:
        return {head,
                "A row of moves with limited jerk this long is timed in parts, and no law goes on here that keeps "
                "the jerk. A larger blend, or a lower speed around here, may help."};
    }
    return {head, ""};
}

}  // namespace topikos
