#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

namespace {

SingularFact factOf(SingularityKind kind, double distance, double limit, const JointVector& posture)
{
    return {kind, distance, limit, kind == SingularityKind::Direction ? posture : JointVector(), {}, 0, {}};
}

std::string amount(SingularityKind kind, double value)
{
    if (kind == SingularityKind::Direction) return fmt::format("{:.4f}", value);
    return kind == SingularityKind::Wrist ? deg(value) : mm(value);
}

std::string capital(std::string text)
{
    if (!text.empty()) text[0] = char(std::toupper(static_cast<unsigned char>(text[0])));
    return text;
}

/// "cannot move along tool Y".
std::string lostText(const SingularFact& fact, const Wording& words)
{
    const Arm& arm = *words.arm.model;
    if (fact.posture.size() != arm.jointCount()) return "loses a direction";
    return "cannot " + lostDirectionText(arm, fact.posture, flangeFromTcp(words.cell, words.arm));
}

/// What comes after the singularity, where the line would go on out of reach.
std::string beyondText(const SingularFact& fact)
{
    if (fact.beyond == NoSolution::TooFar)
        return fmt::format(" At its end the wrist would be {} beyond the arm's reach.", mm(fact.shortfall));
    if (fact.beyond == NoSolution::TooClose)
        return fmt::format(" At its end the wrist would be {} closer to the arm than it can fold.", mm(fact.shortfall));
    return "";
}

}  // namespace

void judgeSingularity(const JudgedStep& step, Findings& out)
{
    if (!step.outcome.move || !step.outcome.move->isLine()) return;
    const Move& move = *step.outcome.move;
    const Arm& arm = step.arm();
    std::optional<SingularityKind> stops;
    if (move.stop && move.stop->why == LineStop::Why::Singularity) {
        const LineStop& stop = *move.stop;
        stops = stop.kind;
        const double limit = step.cell.thresholds.blocks().of(stop.kind);
        SingularFact fact = factOf(stop.kind, stop.distance, limit, move.to);
        fact.beyond = stop.reach;
        fact.shortfall = stop.shortfall;
        out.push_back(step.stopFinding(Rule::Singularity, fact));
    }
    if (move.stop && move.stop->why == LineStop::Why::Jump) {
        SingularFact fact{move.stop->kind, move.stop->distance, 0, move.to, {}, 0, move.stop->range};
        out.push_back(step.stopFinding(Rule::Singularity, fact));
    }
    for (const SingularityKind kind : kSingularityKinds) {
        const Closest& closest = move.singularity[size_t(kind)];
        const double limit = step.cell.thresholds.cautions().of(kind);
        if (stops == kind || closest.value >= limit || (move.stop && closest.fraction > move.stop->fraction)) continue;
        out.push_back(step.findingAt(Rule::Singularity, Severity::Caution,
                                     factOf(kind, closest.value, limit, move.at(arm, closest.fraction)),
                                     closest.fraction));
    }
}

void singularCautions(const Cell& cell, const Arm& arm, const JointVector& posture, Findings& out)
{
    const SingularityMargins margins = singularityMargins(arm, posture);
    for (const SingularityKind kind : kSingularityKinds) {
        const double limit = cell.thresholds.cautions().of(kind);
        if (!hasKind(arm, kind) || margins.distance(kind) >= limit) continue;
        Finding f;
        f.rule = Rule::Singularity;
        f.fact = factOf(kind, margins.distance(kind), limit, posture);
        out.push_back(std::move(f));
    }
}

FindingText textOf(const SingularFact& fact, const Wording& words)
{
    const std::string name = singularityName(fact.kind), cause = singularityCause(*words.arm.model, fact.kind);
    if (fact.jump.joint >= 0) {
        const std::string near =
            fact.kind == SingularityKind::Direction
                ? fmt::format("smallest singular value {}", amount(fact.kind, fact.distance))
                : fmt::format("{} from the {} singularity", amount(fact.kind, fact.distance), name);
        return {blockedHeadline(words, 0),
                fmt::format("Joint {} would have to turn by {} at one place ({}).", fact.jump.joint + 1,
                            jointAmount(words.joint(fact.jump.joint), fact.jump.excess), near)};
    }
    const std::string measured = amount(fact.kind, fact.distance), limit = amount(fact.kind, fact.limit);
    if (fact.kind == SingularityKind::Direction) {
        return {words.blocked() ? blockedHeadline(words, 0) : words.subject + " comes near a singularity",
                fmt::format("The arm nearly {}{}: smallest singular value {}, {} {}.", lostText(fact, words),
                            words.place, measured, words.blocked() ? "needed are" : "caution starts at", limit)};
    }
    if (words.blocked())
        return {blockedHeadline(words, 0), fmt::format("{} singularity: {}, {} left where {} is needed.{}",
                                                       capital(name), cause, measured, limit, beyondText(fact))};
    return {fmt::format("{} comes within {} of the {} singularity", words.subject, measured, name),
            fmt::format("{} there{}; caution starts at {}.", capital(cause), words.place, limit)};
}

}  // namespace topikos
