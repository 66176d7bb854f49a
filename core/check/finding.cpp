#include "core/check/finding.h"

#include "core/spatial/units.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

std::string mm(double metres)
{
    const double value = millimetres(metres);
    return fmt::format("{:.{}f} mm", value, std::abs(value) < 9.95 ? 1 : 0);
}
std::string deg(double radians) { return fmt::format("{:.1f}°", degrees(radians)); }

/// "3.1°" or "12 mm", by the kind of the joint.
std::string jointAmount(const Joint& joint, double value)
{
    return joint.kind == JointKind::Revolute ? deg(value) : mm(value);
}

std::string rangeText(const Joint& joint)
{
    return joint.kind == JointKind::Revolute
               ? fmt::format("{:.1f} to {:.1f}°", degrees(joint.lower), degrees(joint.upper))
               : fmt::format("{:.0f} to {:.0f} mm", millimetres(joint.lower), millimetres(joint.upper));
}

const char* singularityCause(SingularityKind kind)
{
    switch (kind) {
    case SingularityKind::Wrist: return "axes 4 and 6 line up";
    case SingularityKind::Elbow: return "the arm is stretched or folded";
    case SingularityKind::Shoulder: return "the wrist passes over axis 1";
    case SingularityKind::Direction: break;
    }
    return "";
}

/// The asked turn that the arm cannot give, about the tool's own axis that it is mostly about.
std::string excessText(const Cell& cell, const Finding& f)
{
    const Target* target = findTarget(cell, f.target);
    if (!target || target->kind != Target::Kind::Pose || f.excessTurn.norm() < 1e-9)
        return fmt::format("The arm cannot turn the tool that way: {} off.", deg(f.measured));
    const Vec3 inTool = baseFromTarget(cell, *target).rotation.conjugate() * f.excessTurn;
    Eigen::Index axis = 0;
    inTool.cwiseAbs().maxCoeff(&axis);
    return fmt::format(
        "The arm cannot give {} of its turn, mostly about tool {}; the nearest orientation lacks just that.",
        deg(f.excessTurn.norm()), "XYZ"[axis]);
}

std::string reachDetail(const Cell& cell, const Finding& f)
{
    switch (f.reach) {
    case NoSolution::TooFar:
        return fmt::format("The wrist would have to be {} beyond the arm's reach.", mm(f.measured));
    case NoSolution::TooClose:
        return fmt::format("The wrist would have to be {} closer to the arm than it can fold.", mm(f.measured));
    case NoSolution::Orientation: return excessText(cell, f);
    case NoSolution::NotFound:
        return fmt::format("No posture was found; the nearest pose is {} and {} away.", mm(f.measured),
                           deg(f.excessTurn.norm()));
    default: return "The pose cannot be reached.";
    }
}

std::string amount(const Finding& f, double value)
{
    return f.unit == Unit::Radian ? deg(value) : f.unit == Unit::Metre ? mm(value) : fmt::format("{:.4f}", value);
}

/// The arm that a finding is about.
const ArmStation& armOf(const Cell& cell, const Finding& f)
{
    if (const Routine* routine = findRoutine(cell, f.routine)) return armOf(cell, *routine);
    if (const Target* target = findTarget(cell, f.target)) return armOf(cell, *target);
    return armInHand(cell);
}

/// "cannot move along tool Y".
std::string lostText(const Cell& cell, const Finding& f)
{
    const ArmStation& arm = armOf(cell, f);
    if (f.posture.size() != arm.model->jointCount()) return "loses a direction";
    return "cannot " + lostDirectionText(*arm.model, f.posture, flangeFromTcp(cell, arm));
}

}  // namespace

const char* ruleName(Rule rule)
{
    switch (rule) {
    case Rule::Reach: return "reach";
    case Rule::JointRange: return "joint-range";
    case Rule::Singularity: return "singularity";
    case Rule::Configuration: return "configuration";
    case Rule::Grip: return "grip";
    case Rule::Signal: return "signal";
    case Rule::Belt: return "belt";
    }
    return "";
}

const char* severityName(Severity s) { return s == Severity::Blocked ? "blocked" : "caution"; }

FindingText findingText(const Cell& cell, const Finding& f)
{
    const Target* target = findTarget(cell, f.target);
    const std::string targetName = target ? target->name : "";
    const std::string whose = f.step && cell.arms.size() > 1 ? armOf(cell, f).name + ": step" : "Step";
    const std::string subject =
        f.step ? fmt::format("{} {}", whose, f.stepIndex + 1) : fmt::format("Target {}", targetName);
    const std::string short_ =
        f.remaining >= 5e-5 ? mm(f.remaining) + " short" : deg(f.turnLeft) + " of its turn short";
    const std::string place = f.onLine ? fmt::format(" at {:.0f} % of the line", 100 * f.fraction) : "";

    FindingText text;
    if (f.severity == Severity::Blocked && f.onLine) text.headline = fmt::format("{} stops {}", subject, short_);
    else if (f.severity == Severity::Blocked && f.otherWays > 0)
        text.headline = f.step ? fmt::format("{} cannot reach {} that way", subject, targetName)
                               : fmt::format("{} cannot be reached that way", subject);
    else if (f.severity == Severity::Blocked)
        text.headline = f.step ? fmt::format("{} cannot reach {}", subject, targetName)
                               : fmt::format("{} cannot be reached", subject);

    switch (f.rule) {
    case Rule::Reach: text.detail = reachDetail(cell, f); break;
    case Rule::JointRange: {
        const Joint& joint = armOf(cell, f).model->joints()[size_t(f.joint)];
        if (f.severity == Severity::Blocked) {
            text.detail = fmt::format("Joint {} is {} past its range ({}).", f.joint + 1,
                                      jointAmount(joint, f.measured), rangeText(joint));
        } else {
            text.headline = fmt::format("{} comes within {} of a range end", subject,
                                        jointAmount(joint, std::max(0.0, f.measured)));
            text.detail = fmt::format("Joint {} ({}){}; the margin asked for is {}.", f.joint + 1, rangeText(joint),
                                      place, jointAmount(joint, f.limit));
        }
        break;
    }
    case Rule::Singularity:
        if (f.kind == SingularityKind::Direction) {
            if (f.severity != Severity::Blocked) text.headline = fmt::format("{} comes near a singularity", subject);
            text.detail =
                fmt::format("The arm nearly {}{}: smallest singular value {}, {} {}.", lostText(cell, f), place,
                            amount(f, f.measured), f.severity == Severity::Blocked ? "needed are" : "caution starts at",
                            amount(f, f.limit));
        } else if (f.severity == Severity::Blocked) {
            text.detail = fmt::format("{} singularity: {}, {} left where {} is needed.",
                                      f.kind == SingularityKind::Wrist   ? "Wrist"
                                      : f.kind == SingularityKind::Elbow ? "Elbow"
                                                                         : "Shoulder",
                                      singularityCause(f.kind), amount(f, f.measured), amount(f, f.limit));
        } else {
            text.headline = fmt::format("{} comes within {} of the {} singularity", subject, amount(f, f.measured),
                                        singularityName(f.kind));
            std::string cause = singularityCause(f.kind);
            cause[0] = char(std::toupper(cause[0]));
            text.detail = fmt::format("{} there{}; caution starts at {}.", cause, place, amount(f, f.limit));
        }
        break;
    case Rule::Configuration:
        if (f.onLine) {
            text.headline = fmt::format("{} arrives in another configuration", subject);
            text.detail =
                fmt::format("{} asks for {}; a line keeps the one it starts in.", targetName,
                            target && target->kind == Target::Kind::Pose ? configurationText(target->configuration)
                                                                         : "its own posture");
        } else {
            text.detail =
                fmt::format("The arm cannot do it with {}.", target ? configurationText(target->configuration) : "");
        }
        break;
    case Rule::Signal: {
        const Signal* signal = findSignal(cell, f.signal);
        text.headline = fmt::format("{} waits for ever", subject);
        text.detail = fmt::format("\"{}\" does not become what it waits for within 10 min of nothing else going on.",
                                  signal ? signal->name : "");
        break;
    }
    case Rule::Belt:
        text.headline = fmt::format("A part runs off the end of {}", frameName(cell, f.device));
        text.detail = fmt::format(
            "At {:.2f} s. Let it stop in time, let parts wait at the belt's end, or put a sink there.", f.measured);
        break;
    case Rule::Grip:
        if (f.device) {
            text.headline = fmt::format("{} cannot take the part", subject);
            text.detail = fmt::format("{} holds it; open the clamp first.", frameName(cell, f.device));
            break;
        }
        text.headline = fmt::format("{} grips nothing", subject);
        text.detail = fmt::format("No part has its origin within {} of the TCP.", mm(f.limit));
        break;
    }
    if (!f.onLine && f.otherWays > 0)
        text.detail += fmt::format(" {} other {} in range.", f.otherWays, f.otherWays == 1 ? "way is" : "ways are");
    return text;
}

}  // namespace topikos
