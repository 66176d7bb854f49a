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
    if (c.ratio <= 0)
        return {head, "The next move had to be planned anew, since an axis was moved to another place meanwhile."};
    const std::string who = c.joint >= 0 ? fmt::format("joint {}", c.joint + 1) : frameName(words.cell, c.axis);
    return {head,
            fmt::format("Cut {} before it, {} would need {:.1f} times what it can do.", mm(c.asked), who, c.ratio)};
}

}  // namespace topikos
