#include "core/check/rules/rules.h"

#include "core/spatial/units.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

void judgeTable(const JudgedStep& step, Findings& out)
{
    const StepOutcome& outcome = step.outcome;
    if (outcome.problem == StepOutcome::Problem::TableJumps) {
        const TableJump& jump = outcome.plan->jump;
        const bool slides = step.arm().joints()[size_t(jump.joint)].kind == JointKind::Prismatic;
        const auto what =
            jump.where == TableJump::Where::AtStart ? TableFact::What::JumpsAtStart : TableFact::What::JumpsAtRepeat;
        out.push_back(step.finding(Rule::JointSpeed, Severity::Blocked,
                                   TableFact{what, jump.joint, jump.by, slides ? kSameRowSlide : kSameRow}));
        return;
    }
    const TableSegment* table = outcome.move ? outcome.move->as<TableSegment>() : nullptr;
    if (!table || outcome.move->stop) return;
    const TableSegment& run = *table;
    const auto overload = [&](Rule rule, TableFact::What what, const Overload& over) {
        if (over.joint < 0) return;
        out.push_back(step.findingAt(rule, Severity::Blocked,
                                     TableFact{what, over.joint, over.amount, over.limit, run.fits}, over.fraction));
    };
    overload(Rule::JointSpeed, TableFact::What::TooFast, run.speed);
    overload(Rule::JointAcceleration, TableFact::What::TooHard, run.acceleration);
}

FindingText textOf(const TableFact& fact, const Wording& words)
{
    const Joint& joint = words.joint(fact.joint);
    const bool turns = joint.kind == JointKind::Revolute;
    const auto amount = [&](double value) {
        const char* behind = fact.what == TableFact::What::TooFast ? "/s" : "/s²";
        return turns ? fmt::format("{:.0f}°{}", degrees(value), behind)
                     : fmt::format("{:.0f} mm{}", millimetres(value), behind);
    };
    switch (fact.what) {
    case TableFact::What::JumpsAtStart:
        return {words.subject + " begins elsewhere than where the arm stands",
                fmt::format("Joint {} stands {} away from the first row of the table. Move there first.",
                            fact.joint + 1, jointAmount(joint, fact.amount))};
    case TableFact::What::JumpsAtRepeat:
        return {words.subject + " cannot go on from its last row to its first",
                fmt::format("Joint {} would have to jump by {}. Play it once, or end the table where it begins.",
                            fact.joint + 1, jointAmount(joint, fact.amount))};
    case TableFact::What::TooFast:
    case TableFact::What::TooHard: break;
    }
    // Rounded down: what it says does fit.
    const double percent = std::floor(fact.fits * 1000) / 10;
    const std::string fits = percent >= 0.1 ? fmt::format("It fits at {:.1f} % of the speed of the table.", percent)
                                            : std::string("It does not fit at any speed that a step can have.");
    return {fmt::format("{} asks joint {} for more than it can do", words.subject, fact.joint + 1),
            fmt::format("Its {} would be {}{}; {} is the limit. {}",
                        fact.what == TableFact::What::TooFast ? "speed" : "acceleration", amount(fact.amount),
                        words.place, amount(fact.limit), fits)};
}

}  // namespace topikos
