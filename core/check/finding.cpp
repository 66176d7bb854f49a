#include "core/check/finding.h"

#include "core/cell/step_check.h"
#include "core/cell/step_tree.h"
#include "core/check/rules/rules.h"
#include "core/program/step_text.h"
#include "core/spatial/limits.h"
#include "core/spatial/units.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

const char* ruleName(Rule rule)
{
    switch (rule) {
    case Rule::Reach: return "reach";
    case Rule::JointRange: return "joint-range";
    case Rule::Singularity: return "singularity";
    case Rule::Configuration: return "configuration";
    case Rule::JointSpeed: return "joint-speed";
    case Rule::JointAcceleration: return "joint-acceleration";
    case Rule::Corner: return "corner";
    case Rule::Contact: return "contact";
    case Rule::Clearance: return "clearance";
    case Rule::Grip: return "grip";
    case Rule::Signal: return "signal";
    case Rule::Axis: return "axis";
    case Rule::Belt: return "belt";
    case Rule::Stop: return "stop";
    case Rule::AdviceUnusedTarget: return "advice-unused-target";
    case Rule::AdviceDoubledTarget: return "advice-doubled-target";
    case Rule::AdviceNoApproach: return "advice-no-approach";
    case Rule::AdviceJointIntoGrip: return "advice-joint-into-grip";
    case Rule::AdviceNotOpened: return "advice-not-opened";
    case Rule::AdviceGripAgain: return "advice-grip-again";
    case Rule::AdviceNothingHeld: return "advice-nothing-held";
    case Rule::AdviceSideways: return "advice-sideways";
    case Rule::AdviceEndlessWait: return "advice-endless-wait";
    case Rule::AdviceTwoWriters: return "advice-two-writers";
    case Rule::AdviceOtherTool: return "advice-other-tool";
    case Rule::AdviceUncalled: return "advice-uncalled";
    case Rule::AdviceOpenEnd: return "advice-open-end";
    case Rule::AdviceNotJudged: return "advice-not-judged";
    }
    return "";
}

const char* severityName(Severity s)
{
    return s == Severity::Blocked ? "blocked" : s == Severity::Caution ? "caution" : "advice";
}

const char* unitName(Unit unit)
{
    switch (unit) {
    case Unit::Metre: return "m";
    case Unit::Radian: return "rad";
    case Unit::Second: return "s";
    case Unit::MetrePerSecond: return "m/s";
    case Unit::RadianPerSecond: return "rad/s";
    case Unit::MetrePerSecond2: return "m/s^2";
    case Unit::RadianPerSecond2: return "rad/s^2";
    case Unit::None: break;
    }
    return "";
}

std::string mm(double metres)
{
    const double value = millimetres(metres);
    return fmt::format("{:.{}f} mm", value, std::abs(value) < 9.95 ? 1 : 0);
}

std::string deg(double radians) { return fmt::format("{:.1f}°", degrees(radians)); }

std::string jointAmount(const Joint& joint, double value)
{
    return joint.kind == JointKind::Revolute ? deg(value) : mm(value);
}

Unit unitOf(const Joint& joint) { return joint.kind == JointKind::Revolute ? Unit::Radian : Unit::Metre; }

Finding JudgedStep::finding(Rule rule, Severity severity, Fact fact) const
{
    Finding f;
    f.rule = rule;
    f.severity = severity;
    f.arm = station.id;
    f.routine = routine.id;
    f.step = outcome.step;
    f.within = outcome.within;
    f.branch = outcome.branch;
    f.stepIndex = outcome.index;
    f.target = outcome.target;
    f.fact = std::move(fact);
    return f;
}

Finding JudgedStep::findingAt(Rule rule, Severity severity, Fact fact, double fraction) const
{
    Finding f = finding(rule, severity, std::move(fact));
    f.fraction = fraction;
    f.onLine = outcome.move->isLine();
    return f;
}

Finding JudgedStep::stopFinding(Rule rule, Fact fact) const
{
    const LineStop& stop = *outcome.move->stop;
    Finding f = findingAt(rule, Severity::Blocked, std::move(fact), stop.fraction);
    f.remaining = stop.remaining;
    f.turnLeft = stop.turnLeft;
    return f;
}

const ArmStation& armOf(const Cell& cell, const Finding& f)
{
    if (const ArmStation* arm = findArm(cell, f.arm)) return *arm;
    if (const Routine* routine = findRoutine(cell, f.routine)) return armOf(cell, *routine);
    if (const Target* target = findTarget(cell, f.target)) return armOf(cell, *target);
    return cell.arms.front();
}

namespace {

struct Measurer {
    const Cell& cell;
    const Finding& f;

    Measure operator()(const ReachFact& fact) const
    {
        return {fact.shortfall, 0, fact.reason == NoSolution::Orientation ? Unit::Radian : Unit::Metre, false};
    }
    Measure operator()(const RangeFact& fact) const
    {
        return {fact.amount, fact.limit, unitOf(armOf(cell, f).model->joints()[size_t(fact.joint)]),
                f.severity != Severity::Blocked};
    }
    Measure operator()(const SingularFact& fact) const
    {
        if (fact.jump.joint >= 0)
            return {fact.jump.excess, 0, unitOf(armOf(cell, f).model->joints()[size_t(fact.jump.joint)]), false};
        return {fact.distance, fact.limit, byKindUnit(fact.kind)};
    }
    Measure operator()(const ConfigurationFact& fact) const
    {
        if (fact.off.joint < 0) return {};
        const Joint& joint = armOf(cell, f).model->joints()[size_t(fact.off.joint)];
        const bool turns = joint.kind == JointKind::Revolute;
        return {fact.off.excess, turns ? kOtherPosture : kOtherPlace, unitOf(joint)};
    }
    Measure operator()(const JointLimitFact& fact) const { return {fact.lowest, fact.limit, Unit::None}; }
    Measure operator()(const CornerFact& fact) const { return {fact.corner.kept, fact.corner.asked, Unit::Metre}; }
    Measure operator()(const ContactFact& fact) const
    {
        if (f.severity == Severity::Blocked)
            return {fact.depth > 0 ? -fact.depth : fact.distance, 0, Unit::Metre, false};
        return {fact.distance, fact.limit, Unit::Metre};
    }
    Measure operator()(const GripFact& fact) const
    {
        return {0, fact.grasp, fact.grasp > 0 ? Unit::Metre : Unit::None};
    }
    Measure operator()(const SignalFact& fact) const
    {
        const bool tooLong = fact.stuck.why == Stuck::Why::TooLong;
        if (!fact.signal) return {fact.stuck.time, tooLong ? limits::kRunLength.most : 0, Unit::Second, tooLong};
        return {0, fact.value, Unit::None};
    }
    Measure operator()(const AxisFact&) const { return {}; }
    Measure operator()(const BeltFact& fact) const { return {fact.time, 0, Unit::Second, false}; }
    Measure operator()(const StopFact&) const { return {}; }
    Measure operator()(const ArcFact&) const { return {}; }
    Measure operator()(const PlaceFact&) const { return {}; }
    Measure operator()(const TimeFact& fact) const { return {fact.limit, fact.limit, Unit::Second}; }
    Measure operator()(const TableFact& fact) const
    {
        const bool turns = armOf(cell, f).model->joints()[size_t(fact.joint)].kind == JointKind::Revolute;
        Unit unit = turns ? Unit::Radian : Unit::Metre;
        if (fact.what == TableFact::What::TooFast) unit = turns ? Unit::RadianPerSecond : Unit::MetrePerSecond;
        if (fact.what == TableFact::What::TooHard) unit = turns ? Unit::RadianPerSecond2 : Unit::MetrePerSecond2;
        return {fact.amount, fact.limit, unit};
    }
    Measure operator()(const AdviceFact& fact) const
    {
        if (fact.joint >= 0) return {fact.amount, 0, unitOf(armOf(cell, f).model->joints()[size_t(fact.joint)]), false};
        return {fact.amount, fact.limit, fact.limit == 0 ? Unit::None : Unit::Radian, fact.limit != 0};
    }

    static Unit byKindUnit(SingularityKind kind)
    {
        return kind == SingularityKind::Direction ? Unit::None
               : kind == SingularityKind::Wrist   ? Unit::Radian
                                                  : Unit::Metre;
    }
};

}  // namespace

Measure measureOf(const Cell& cell, const Finding& finding)
{
    return std::visit(Measurer{cell, finding}, finding.fact);
}

std::string measureText(const Cell& cell, const Finding& f)
{
    const Measure m = measureOf(cell, f);
    // What is told in words, or measures nothing.
    const bool nothing = (m.measured == 0 && (!m.limited || m.limit == 0)) || f.as<SignalFact>() || f.as<GripFact>()
                         || f.as<TimeFact>() || (f.as<ContactFact>() && f.severity == Severity::Blocked);
    if (nothing) return "";
    const auto shown = [&](double value) {
        switch (m.unit) {
        case Unit::Metre: return mm(value);
        case Unit::Radian: return deg(value);
        case Unit::Second: return fmt::format("{:.2f} s", value);
        case Unit::MetrePerSecond: return fmt::format("{:.0f} mm/s", millimetres(value));
        case Unit::RadianPerSecond: return fmt::format("{:.0f} °/s", degrees(value));
        case Unit::MetrePerSecond2: return fmt::format("{:.0f} mm/s²", millimetres(value));
        case Unit::RadianPerSecond2: return fmt::format("{:.0f} °/s²", degrees(value));
        case Unit::None: break;
        }
        return fmt::format("{:.3g}", value);
    };
    if (f.as<JointLimitFact>())
        return fmt::format("Measured {:.0f} % of the speed, limit {:.0f} %.", 100 * m.measured, 100 * m.limit);
    const std::string measured = shown(m.measured), limit = shown(m.limit);
    if (!m.limited) return fmt::format("Measured {}.", measured);
    // Two that differ by less than a digit are told in more of them.
    if (measured == limit && m.measured != m.limit && (m.unit == Unit::Metre || m.unit == Unit::Radian)) {
        const double size = m.unit == Unit::Metre ? kMillimetre : kDegree;
        const char* unit = m.unit == Unit::Metre ? " mm" : "°";
        return fmt::format("Measured {:.3f}{}, limit {:.3f}{}.", m.measured / size, unit, m.limit / size, unit);
    }
    return fmt::format("Measured {}, limit {}.", measured, limit);
}

std::string blockedHeadline(const Wording& words, int otherWays)
{
    const Finding& f = words.finding;
    if (f.onLine) {
        const std::string left =
            f.remaining >= 5e-5 ? mm(f.remaining) + " short" : deg(f.turnLeft) + " of its turn short";
        return fmt::format("{} stops {}", words.subject, left);
    }
    const char* how = otherWays > 0 ? " that way" : "";
    if (f.step) return fmt::format("{} cannot reach {}{}", words.subject, words.target, how);
    return fmt::format("{} cannot be reached{}", words.subject, how);
}

std::string otherWaysText(int otherWays)
{
    if (otherWays == 0) return "";
    return fmt::format(" {} other {} in range.", otherWays, otherWays == 1 ? "way is" : "ways are");
}

namespace {

std::string freeText(const FreeAnswer& free, bool blocked)
{
    if (!free.words.empty())
        return fmt::format(" Its freedom {}: {}.", blocked ? "allows a pose that works" : "leads clear of that",
                           free.words);
    return fmt::format(" None of {} other poses that its freedom allows {}.", free.tried,
                       blocked ? "works" : "is clear of that");
}

}  // namespace

FindingText findingText(const Cell& cell, const Finding& f)
{
    const ArmStation& arm = armOf(cell, f);
    const Target* target = findTarget(cell, f.target);
    Wording words{cell, f, arm, "", target ? target->name : "", ""};
    bool follows = false;  // it goes along a group, and many places have the same
    if (f.step) {
        // A step that does not run says of which routine it is.
        const Routine* routine = findRoutine(cell, f.routine);
        const bool runs = !routine || arm.main == routine->id;
        const std::string whose = !runs                  ? routine->name + ": step"
                                  : cell.arms.size() > 1 ? arm.name + ": step"
                                                         : "Step";
        words.subject = fmt::format("{} {}", whose, f.stepIndex + 1);
        const Step* step = routine ? findStep(routine->steps, f.step) : nullptr;
        follows = step && step->as<Follow>();
        if (follows && target) words.subject += " at " + words.target;
    } else if (target) {
        words.subject = "Target " + words.target;
    }
    if (!f.step && f.routine)
        if (const Routine* routine = findRoutine(cell, f.routine)) words.subject = routine->name;
    if (f.onLine) words.place = fmt::format(" at {:.0f} % of the line", 100 * f.fraction);
    FindingText out = std::visit([&](const auto& fact) { return textOf(fact, words); }, f.fact);
    // A step that is done again and again says when.
    const Within* loop = f.within.get();
    while (loop && loop->call)
        loop = loop->outer.get();
    if (follows && f.passes > 1)
        out.detail += fmt::format(" The same at {} other {}.", f.passes - 1, f.passes == 2 ? "place" : "places");
    if (follows) loop = nullptr;
    if (f.free) out.detail += freeText(*f.free, words.blocked());
    if (f.branch && f.step) out.detail += " The run does not come here.";
    else if (loop && f.passes > 1)
        out.detail += fmt::format(" So in {} passes, first in pass {}.", f.passes, loop->pass + 1);
    else if (loop) out.detail += fmt::format(" In pass {}.", loop->pass + 1);
    return out;
}

std::pair<std::uint32_t, std::string> subjectOf(const Vocabulary& words, const Finding& f)
{
    const Cell& cell = words.cell;
    // Of a caution what was measured counts, too: it comes back when that changes.
    std::string measured;
    if (!isAdvice(f.rule)) {
        const Measure m = measureOf(cell, f);
        measured = fmt::format(" · {:.3g} {}", m.measured, unitName(m.unit));
        if (const RangeFact* range = f.as<RangeFact>()) measured += fmt::format(" joint {}", range->joint + 1);
        if (const JointLimitFact* limit = f.as<JointLimitFact>())
            measured += fmt::format(" joint {}", limit->joint + 1);
        if (const SingularFact* singular = f.as<SingularFact>())
            measured += std::string(" ") + singularityName(singular->kind);
        if (const ContactFact* contact = f.as<ContactFact>())
            measured += " " + contact->a.name + ", " + contact->b.name;
    }
    if (const Routine* routine = f.step ? findRoutine(cell, f.routine) : nullptr)
        if (const Step* step = findStep(routine->steps, f.step)) {
            const StepScope scope{*routine};
            return {step->id.value, stepText(words, *step, &scope) + measured};
        }
    const AdviceFact* fact = f.as<AdviceFact>();
    if (const Signal* signal = fact ? findSignal(cell, fact->signal) : nullptr)
        return {signal->id.value, signal->name + measured};
    if (const Target* target = findTarget(cell, f.target)) return {target->id.value, target->name + measured};
    if (const Routine* routine = findRoutine(cell, f.routine)) return {routine->id.value, routine->name + measured};
    return {0, measured};
}

Result<Cell> acceptFinding(const Cell& cell, const Finding& f, const std::string& reason)
{
    if (f.severity == Severity::Blocked)
        return Error{"edit.accept", "what blocks cannot be let stand", "",
                     "Mend it; what is meant to touch is said in the step."};
    const auto [about, reads] = subjectOf(Vocabulary(cell), f);
    const Accepted now{ruleName(f.rule), about, reads, reason};
    if (Status bad = checkAccepted(now)) return *bad;
    Cell next = cell;
    std::erase_if(next.accepted, [&](const Accepted& a) { return a.rule == now.rule && a.about == now.about; });
    if (!reason.empty()) next.accepted.push_back(now);
    return next;
}

FindingKey keyOf(const Finding& f)
{
    const ContactFact* contact = f.as<ContactFact>();
    return {f.rule, f.routine, f.step, f.step ? TargetId() : f.target,
            contact ? contact->a.name + "\n" + contact->b.name : ""};
}

std::vector<const Finding*> withFollowUps(const std::vector<Finding>& findings)
{
    std::vector<const Finding*> out;
    for (const Finding& f : findings) {
        out.push_back(&f);
        for (const Finding& follows : f.followUps)
            out.push_back(&follows);
    }
    return out;
}

}  // namespace topikos
