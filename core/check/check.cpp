#include "core/check/check.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

Unit unitOf(const Joint& joint) { return joint.kind == JointKind::Revolute ? Unit::Radian : Unit::Metre; }

Finding rangeFinding(const Arm& arm, const RangeExcess& excess)
{
    Finding f;
    f.rule = Rule::JointRange;
    f.severity = Severity::Blocked;
    f.joint = excess.joint;
    f.measured = excess.excess;
    f.unit = unitOf(arm.joints()[size_t(excess.joint)]);
    return f;
}

Finding reachFinding(const Arm& arm, const Solutions& found)
{
    Finding f;
    f.severity = Severity::Blocked;
    if (found.reason == NoSolution::JointRange || found.range.joint >= 0) {
        f = rangeFinding(arm, found.range);
    } else {
        f.rule = Rule::Reach;
        f.reach = found.reason;
        f.measured = found.shortfall;
        f.unit = found.reason == NoSolution::Orientation ? Unit::Radian : Unit::Metre;
        f.excessTurn = found.excessTurn;
    }
    f.otherWays = int(found.items.size());
    if (f.otherWays > 0 && f.rule != Rule::JointRange) f.rule = Rule::Configuration;
    return f;
}

Finding singularityFinding(SingularityKind kind, double distance, double fraction, const Thresholds& thresholds,
                           const JointVector& posture)
{
    Finding f;
    f.rule = Rule::Singularity;
    f.kind = kind;
    f.severity = Severity::Caution;
    f.measured = distance;
    f.limit = thresholds.cautions().of(kind);
    f.unit = kind == SingularityKind::Direction ? Unit::None
             : kind == SingularityKind::Wrist   ? Unit::Radian
                                                : Unit::Metre;
    f.fraction = fraction;
    f.posture = posture;
    return f;
}

Finding marginFinding(const Arm& arm, const Closest& margin, const Thresholds& thresholds)
{
    Finding f;
    f.rule = Rule::JointRange;
    f.severity = Severity::Caution;
    f.joint = margin.joint;
    f.measured = margin.value;
    f.limit = thresholds.margin(arm.joints()[size_t(margin.joint)].kind);
    f.unit = unitOf(arm.joints()[size_t(margin.joint)]);
    f.fraction = margin.fraction;
    return f;
}

Finding stopFinding(const Arm& arm, const Move& move, const Thresholds& thresholds)
{
    const LineStop& stop = *move.stop;
    Finding f;
    f.severity = Severity::Blocked;
    switch (stop.why) {
    case LineStop::Why::OutOfReach:
        f.rule = Rule::Reach;
        f.reach = stop.reach;
        f.measured = stop.shortfall;
        f.unit = stop.reach == NoSolution::Orientation ? Unit::Radian : Unit::Metre;
        f.excessTurn = stop.excessTurn;
        break;
    case LineStop::Why::JointRange: f = rangeFinding(arm, stop.range); break;
    case LineStop::Why::Singularity:
        f = singularityFinding(stop.kind, stop.distance, 0, thresholds, move.to);
        f.severity = Severity::Blocked;
        f.limit = thresholds.blocks().of(stop.kind);
        break;
    }
    f.onLine = true;
    f.fraction = stop.fraction;
    f.remaining = stop.remaining;
    f.turnLeft = stop.turnLeft;
    return f;
}

bool tooClose(const Arm& arm, const Closest& margin, const Thresholds& thresholds)
{
    return margin.joint >= 0 && margin.value < thresholds.margin(arm.joints()[size_t(margin.joint)].kind);
}

}  // namespace

int CheckResult::count(Severity severity) const
{
    return int(std::count_if(findings.begin(), findings.end(),
                             [severity](const Finding& f) { return f.severity == severity; }));
}

std::vector<Finding> stepFindings(const Cell& cell, const Routine& routine, const StepOutcome& outcome)
{
    std::vector<Finding> found;
    const ArmStation& station = armOf(cell, routine);
    const Arm& arm = *station.model;
    if (outcome.off) return found;
    switch (outcome.problem) {
    case StepOutcome::Problem::TargetOutOfReach:
    case StepOutcome::Problem::TargetNotInConfiguration: found.push_back(reachFinding(arm, outcome.atTarget)); break;
    case StepOutcome::Problem::LineStops: found.push_back(stopFinding(arm, *outcome.move, cell.thresholds)); break;
    case StepOutcome::Problem::NothingGripped: {
        Finding f;
        f.rule = Rule::Grip;
        const Gripper& gripper = toolInForce(cell, station).gripper;
        f.limit = gripper.region.isZero() ? gripper.grasp : 0.5 * gripper.region.maxCoeff();
        f.unit = Unit::Metre;
        found.push_back(f);
        break;
    }
    case StepOutcome::Problem::PartHeld: {
        Finding f;
        f.rule = Rule::Grip;
        f.device = outcome.clamp;
        found.push_back(f);
        break;
    }
    case StepOutcome::Problem::WaitsForEver: {
        Finding f;
        f.rule = Rule::Signal;
        f.severity = Severity::Blocked;
        f.signal = routine.steps[outcome.index].signal;
        f.limit = routine.steps[outcome.index].value;
        found.push_back(f);
        break;
    }
    case StepOutcome::Problem::None: break;
    }
    if (outcome.move) {
        const Move& move = *outcome.move;
        if (move.kind == Move::Kind::Line)
            for (const SingularityKind kind : kSingularityKinds) {
                const Closest& closest = move.singularity[size_t(kind)];
                const bool reported = std::any_of(found.begin(), found.end(), [&](const Finding& f) {
                    return f.rule == Rule::Singularity && f.kind == kind;
                });
                if (!reported && closest.value < cell.thresholds.cautions().of(kind)
                    && !(move.stop && closest.fraction > move.stop->fraction)) {
                    found.push_back(singularityFinding(
                        kind, closest.value, closest.fraction, cell.thresholds,
                        kind == SingularityKind::Direction ? move.at(arm, closest.fraction) : JointVector()));
                    found.back().onLine = true;
                }
            }
        const bool rangeReported =
            std::any_of(found.begin(), found.end(), [](const Finding& f) { return f.rule == Rule::JointRange; });
        if (!rangeReported && tooClose(arm, move.jointMargin, cell.thresholds)) {
            found.push_back(marginFinding(arm, move.jointMargin, cell.thresholds));
            found.back().onLine = move.kind == Move::Kind::Line;
        }
        if (outcome.otherConfiguration) {
            Finding f;
            f.rule = Rule::Configuration;
            f.onLine = true;
            found.push_back(f);
        }
    }
    for (Finding& f : found) {
        f.routine = routine.id;
        f.step = outcome.step;
        f.stepIndex = outcome.index;
        f.target = outcome.target;
    }
    return found;
}

TargetVerdict checkTarget(const Cell& cell, const Target& target)
{
    TargetVerdict verdict;
    verdict.target = target.id;
    const Arm& arm = *armOf(cell, target).model;
    JointVector posture;
    if (target.kind == Target::Kind::Posture) {
        posture = target.posture;
        const RangeExcess excess = rangeExcess(arm, posture);
        if (excess.joint >= 0) {
            Solutions found;
            found.reason = NoSolution::JointRange;
            found.range = excess;
            verdict.findings.push_back(reachFinding(arm, found));
        }
    } else {
        verdict.ways = waysTo(cell, target);
        if (const Solution* s = chosenWay(arm, target, verdict.ways.items)) {
            posture = s->joints;
        } else {
            if (const Solution* out = chosenWay(arm, target, verdict.ways.outOfRange))
                verdict.ways.range = rangeExcess(arm, out->joints);
            verdict.findings.push_back(reachFinding(arm, verdict.ways));
        }
    }
    if (verdict.findings.empty()) {
        if (target.kind == Target::Kind::Pose) {
            const SingularityMargins margins = singularityMargins(arm, posture);
            for (const SingularityKind kind : kSingularityKinds)
                if (hasKind(arm, kind) && margins.distance(kind) < cell.thresholds.cautions().of(kind))
                    verdict.findings.push_back(
                        singularityFinding(kind, margins.distance(kind), 1, cell.thresholds, posture));
        }
        const Closest margin = rangeMargin(arm, posture);
        if (tooClose(arm, margin, cell.thresholds))
            verdict.findings.push_back(marginFinding(arm, margin, cell.thresholds));
    }
    for (Finding& f : verdict.findings)
        f.target = target.id;
    return verdict;
}

namespace {

CheckResult judged(const Cell& cell, Trace&& trace)
{
    CheckResult result;
    result.trace = std::move(trace);
    for (const ArmTrace& arm : result.trace.arms)
        for (const StepOutcome& outcome : arm.outcomes)
            for (Finding& f : stepFindings(cell, *findRoutine(cell, arm.routine), outcome))
                result.findings.push_back(f);
    const size_t ofSteps = result.findings.size();
    for (const Target& target : cell.targets) {
        result.targets.push_back(checkTarget(cell, target));
        for (const Finding& f : result.targets.back().findings) {
            // A step that goes there has said the same already.
            const auto last = result.findings.begin() + std::ptrdiff_t(ofSteps);
            const bool said = std::any_of(result.findings.begin(), last, [&](const Finding& s) {
                return s.target == f.target && s.rule == f.rule && s.joint == f.joint
                       && (f.rule != Rule::Singularity || s.kind == f.kind);
            });
            if (!said) result.findings.push_back(f);
        }
    }
    for (const PartEvent& e : result.trace.partEvents) {
        const Frame* frame = findFrame(cell, e.frame);
        if (e.kind != PartEvent::Kind::Gone || frame->device->kind != Device::Kind::Belt) continue;
        Finding f;
        f.rule = Rule::Belt;
        f.device = e.frame;
        f.part = e.part;
        f.measured = e.time;
        result.findings.push_back(f);
    }
    return result;
}

}  // namespace

CheckResult check(const Cell& cell) { return judged(cell, simulate(cell)); }
CheckResult check(const Cell& cell, const Routine& routine) { return judged(cell, simulate(cell, routine)); }

}  // namespace topikos
