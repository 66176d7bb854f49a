#include "core/curves/curves.h"

#include "core/collide/clearance_along.h"
#include "core/robot/forward.h"
#include "core/robot/singularity.h"

#include <fmt/format.h>

#include <array>

namespace topikos {

namespace {

constexpr std::array<std::pair<Curve::Kind, const char*>, 14> kWords{
    {{Curve::Kind::JointPosition, "joint-position"},
     {Curve::Kind::JointSpeed, "joint-speed"},
     {Curve::Kind::JointAcceleration, "joint-acceleration"},
     {Curve::Kind::JointTorque, "joint-torque"},
     {Curve::Kind::ToolSpeed, "tcp-speed"},
     {Curve::Kind::PathError, "path-error"},
     {Curve::Kind::SingularValue, "singular-value"},
     {Curve::Kind::Condition, "condition"},
     {Curve::Kind::Wrist, "wrist-distance"},
     {Curve::Kind::Elbow, "elbow-distance"},
     {Curve::Kind::Shoulder, "shoulder-distance"},
     {Curve::Kind::Clearance, "clearance"},
     {Curve::Kind::AxisPosition, "axis-position"},
     {Curve::Kind::Signal, "signal"}}};

SingularityKind singularityOf(Curve::Kind kind)
{
    return kind == Curve::Kind::Wrist   ? SingularityKind::Wrist
           : kind == Curve::Kind::Elbow ? SingularityKind::Elbow
                                        : SingularityKind::Shoulder;
}

/// How an arm moves at a time.
struct ArmMotion {
    JointVector q, qd, qdd;
    const StepOutcome* outcome = nullptr;
    double time = 0;  ///< since the step began [s]
};

ArmMotion motionAt(const Cell& cell, const Trace& trace, const ArmStation& station, double time)
{
    ArmMotion out;
    const Arm& arm = *station.model;
    const ArmTrace* own = findArmTrace(trace, station.id);
    const ArmTrace::Span* span = own ? spanAt(*own, time) : nullptr;
    out.q = own ? postureAt(cell, *own, time) : homePosture(cell, station);
    out.qd = out.qdd = JointVector::Zero(arm.jointCount());
    if (!span || time < span->start || time > span->end) return out;
    out.outcome = &own->outcomes[span->outcome];
    out.time = time - span->start;
    if (!out.outcome->move || !out.outcome->timing) return out;
    out.qd = out.outcome->timing->speedAt(out.time);
    out.qdd = out.outcome->timing->accelerationAt(out.time);
    return out;
}

/// Least distance of a point from the way of the tool between two fractions of a line, in the frame of the line.
double distanceFrom(const LinePath& line, const Vec3& point, double from, double to)
{
    const auto away = [&](double f) { return (line.inFrame(f).translation - point).norm(); };
    double best = INFINITY, at = from;
    constexpr int looks = 16;
    for (int i = 0; i <= looks; ++i)
        if (const double f = from + (to - from) * i / looks; away(f) < best) {
            best = away(f);
            at = f;
        }
    double low = std::max(from, at - (to - from) / looks), high = std::min(to, at + (to - from) / looks);
    for (int i = 0; i < 50; ++i) {
        const double a = low + 0.382 * (high - low), b = low + 0.618 * (high - low);
        if (away(a) < away(b)) high = b;
        else low = a;
    }
    return std::min(best, away(0.5 * (low + high)));
}

double pathError(const Arm& arm, const ArmMotion& motion)
{
    const StepOutcome* outcome = motion.outcome;
    if (!outcome || !outcome->move || !outcome->timing) return NAN;
    const Leg& leg = outcome->timing->legAt(motion.time);
    if (leg.move->isLine() && !leg.move->cut()) {
        const LinePath& line = leg.move->line();
        const double at = leg.law->at(motion.time - leg.start).position;
        const Pose tcp = forward(arm, motion.q) * line.flangeFromTcp;
        return (tcp.translation - line.tcpAt(at).translation).norm();
    }
    const CornerCut* cut = leg.move->cut();
    if (!cut) return NAN;
    double best = INFINITY;
    const auto look = [&](const Move& move, double from, double to) {
        if (!move.isLine() || move.line().baseFromFrame) return;
        const Vec3 tcp = (forward(arm, motion.q) * move.line().flangeFromTcp).translation;
        best = std::min(best, distanceFrom(move.line(), tcp, from, to));
    };
    look(*cut->first, 1 - cut->before, 1);
    look(*cut->second, 0, cut->after);
    return std::isfinite(best) ? best : NAN;
}

}  // namespace

const char* curveWord(Curve::Kind kind)
{
    for (const auto& [own, word] : kWords)
        if (own == kind) return word;
    return "";
}

std::optional<Curve::Kind> curveKind(std::string_view word)
{
    for (const auto& [kind, own] : kWords)
        if (own == word) return kind;
    return std::nullopt;
}

const std::vector<Curve::Kind>& curveKinds()
{
    static const std::vector<Curve::Kind> all = [] {
        std::vector<Curve::Kind> out;
        for (const auto& [kind, word] : kWords)
            out.push_back(kind);
        return out;
    }();
    return all;
}

bool knowsMasses(const Arm& arm)
{
    return std::any_of(arm.joints().begin(), arm.joints().end(), [](const Joint& j) { return j.link.mass > 0; });
}

std::vector<Curve> curvesOf(const Cell& cell)
{
    std::vector<Curve> out;
    for (const ArmStation& station : cell.arms) {
        const Arm& arm = *station.model;
        for (const Curve::Kind kind : {Curve::Kind::JointPosition, Curve::Kind::JointSpeed,
                                       Curve::Kind::JointAcceleration, Curve::Kind::JointTorque}) {
            if (kind == Curve::Kind::JointTorque && !knowsMasses(arm)) continue;
            for (int i = 0; i < arm.jointCount(); ++i)
                out.push_back({kind, station.id, i, {}, {}});
        }
        for (const Curve::Kind kind :
             {Curve::Kind::ToolSpeed, Curve::Kind::PathError, Curve::Kind::SingularValue, Curve::Kind::Condition})
            out.push_back({kind, station.id, -1, {}, {}});
        for (const Curve::Kind kind : {Curve::Kind::Wrist, Curve::Kind::Elbow, Curve::Kind::Shoulder})
            if (hasKind(arm, singularityOf(kind))) out.push_back({kind, station.id, -1, {}, {}});
        out.push_back({Curve::Kind::Clearance, station.id, -1, {}, {}});
    }
    for (const Frame& frame : cell.frames)
        if (frame.axis) out.push_back({Curve::Kind::AxisPosition, {}, -1, frame.id, {}});
    for (const Signal& signal : cell.signals)
        out.push_back({Curve::Kind::Signal, {}, -1, {}, signal.id});
    return out;
}

std::string curveName(const Cell& cell, const Curve& curve)
{
    if (curve.kind == Curve::Kind::Signal) return findSignal(cell, curve.signal)->name;
    if (curve.kind == Curve::Kind::AxisPosition) return findFrame(cell, curve.axis)->name;
    const std::string arm = cell.arms.size() > 1 ? findArm(cell, curve.arm)->name + ": " : "";
    switch (curve.kind) {
    case Curve::Kind::JointPosition: return arm + fmt::format("joint {}", curve.joint + 1);
    case Curve::Kind::JointSpeed: return arm + fmt::format("joint {} speed", curve.joint + 1);
    case Curve::Kind::JointAcceleration: return arm + fmt::format("joint {} acceleration", curve.joint + 1);
    case Curve::Kind::JointTorque: return arm + fmt::format("joint {} torque", curve.joint + 1);
    case Curve::Kind::ToolSpeed: return arm + "TCP speed";
    case Curve::Kind::PathError: return arm + "path error";
    case Curve::Kind::SingularValue: return arm + "smallest singular value";
    case Curve::Kind::Condition: return arm + "condition number";
    case Curve::Kind::Wrist: return arm + "wrist distance";
    case Curve::Kind::Elbow: return arm + "elbow distance";
    case Curve::Kind::Shoulder: return arm + "shoulder distance";
    case Curve::Kind::Clearance: return arm + "clearance";
    default: return "";
    }
}

const char* curveUnit(const Cell& cell, const Curve& curve)
{
    const auto turns = [&] {
        return findArm(cell, curve.arm)->model->joints()[size_t(curve.joint)].kind == JointKind::Revolute;
    };
    switch (curve.kind) {
    case Curve::Kind::JointPosition: return turns() ? "rad" : "m";
    case Curve::Kind::JointSpeed: return turns() ? "rad/s" : "m/s";
    case Curve::Kind::JointAcceleration: return turns() ? "rad/s^2" : "m/s^2";
    case Curve::Kind::JointTorque: return turns() ? "N m" : "N";
    case Curve::Kind::ToolSpeed: return "m/s";
    case Curve::Kind::PathError: return "m";
    case Curve::Kind::Wrist: return "rad";
    case Curve::Kind::Elbow:
    case Curve::Kind::Shoulder:
    case Curve::Kind::Clearance: return "m";
    case Curve::Kind::AxisPosition: return findFrame(cell, curve.axis)->axis->kind == JointKind::Revolute ? "rad" : "m";
    default: return "";
    }
}

std::optional<CurveLimits> curveLimits(const Cell& cell, const Curve& curve)
{
    const auto both = [](double limit) -> std::optional<CurveLimits> {
        if (!(limit > 0)) return std::nullopt;
        return CurveLimits{-limit, limit};
    };
    if (curve.kind == Curve::Kind::AxisPosition) {
        const FrameAxis& axis = *findFrame(cell, curve.axis)->axis;
        return CurveLimits{axis.lowest, axis.highest};
    }
    if (curve.joint < 0) return std::nullopt;
    const Joint& joint = findArm(cell, curve.arm)->model->joints()[size_t(curve.joint)];
    switch (curve.kind) {
    case Curve::Kind::JointPosition: return CurveLimits{joint.lower, joint.upper};
    case Curve::Kind::JointSpeed: return both(joint.speed);
    case Curve::Kind::JointAcceleration: return both(joint.acceleration);
    case Curve::Kind::JointTorque: return both(joint.effort);
    default: return std::nullopt;
    }
}

Payload payloadAt(const Cell& cell, const std::vector<Carried>& carried, const ArmStation& arm, double time)
{
    const Tool& tool = toolInForce(cell, arm);
    Payload out{tool.mass, tool.centreOfMass};
    for (const Carried& own : carried) {
        if (own.from > time) break;
        const PartKind* kind = findPartKind(cell, own.kind);
        if (own.arm != arm.id || time >= own.until || !kind || kind->mass <= 0) continue;
        // The part's origin stands for its centre of mass.
        const Vec3 centre = (flangeFromTcp(cell, arm) * own.tcpFromPart).translation;
        out.centre = (out.mass * out.centre + kind->mass * centre) / (out.mass + kind->mass);
        out.mass += kind->mass;
    }
    return out;
}

std::vector<std::vector<double>> curveValues(const Cell& cell, const Trace& trace, const std::vector<Curve>& curves,
                                             const std::vector<double>& times, ContactCache* touched)
{
    std::optional<ClearanceAlong> clearance;
    if (std::any_of(curves.begin(), curves.end(), [](const Curve& c) { return c.kind == Curve::Kind::Clearance; }))
        clearance.emplace(cell, trace, touched);
    const std::vector<Carried> loads = carriedIn(cell, trace);
    std::vector<std::vector<double>> out(curves.size());
    for (std::vector<double>& values : out)
        values.reserve(times.size());
    for (const double time : times) {
        std::optional<AxisValues> axesNow;
        const auto axes = [&]() -> const AxisValues& {
            if (!axesNow) axesNow = axesAt(trace, time);
            return *axesNow;
        };
        for (const ArmStation& station : cell.arms) {
            const Arm& arm = *station.model;
            std::optional<ArmMotion> motion;
            std::optional<JointVector> efforts;
            std::optional<SingularityMargins> margins;
            Eigen::VectorXd singular;
            for (size_t c = 0; c < curves.size(); ++c) {
                const Curve& curve = curves[c];
                if (curve.arm != station.id) continue;
                if (!motion) motion = motionAt(cell, trace, station, time);
                double value = NAN;
                switch (curve.kind) {
                case Curve::Kind::JointPosition: value = motion->q[curve.joint]; break;
                case Curve::Kind::JointSpeed: value = motion->qd[curve.joint]; break;
                case Curve::Kind::JointAcceleration: value = motion->qdd[curve.joint]; break;
                case Curve::Kind::JointTorque:
                    if (!knowsMasses(arm)) break;
                    if (!efforts) {
                        const Vec3 gravity =
                            worldFromBase(cell, station, axes()).rotation.conjugate() * kStandardGravity;
                        efforts = jointEfforts(arm, motion->q, motion->qd, motion->qdd, gravity,
                                               payloadAt(cell, loads, station, time));
                    }
                    value = (*efforts)[curve.joint];
                    break;
                case Curve::Kind::ToolSpeed: {
                    const bool carried = std::any_of(trace.axes.begin(), trace.axes.end(),
                                                     [&](const AxisTrack& track) { return track.movesAt(time); });
                    if (carried) {
                        const double a = std::max(0.0, time - kAxisDifference), b = time + kAxisDifference;
                        const auto place = [&](double t) {
                            const ArmMotion m = motionAt(cell, trace, station, t);
                            return worldFromTcp(cell, station, m.q, axesAt(trace, t)).translation;
                        };
                        value = (place(b) - place(a)).norm() / (b - a);
                        break;
                    }
                    ChainFrames frames;
                    chainFrames(arm, motion->q, frames);
                    const Jacobian j = jacobian(frames, arm);
                    const Vec3 lever = frames.flange.rotation * flangeFromTcp(cell, station).translation;
                    const Eigen::Matrix<double, 6, 1> twist = j * motion->qd;
                    value = (twist.head<3>() + Vec3(twist.tail<3>()).cross(lever)).norm();
                    break;
                }
                case Curve::Kind::PathError: value = pathError(arm, *motion); break;
                case Curve::Kind::SingularValue:
                case Curve::Kind::Condition:
                    if (singular.size() == 0) singular = singularValues(jacobian(arm, motion->q), arm.reach());
                    value = curve.kind == Curve::Kind::SingularValue ? singular[singular.size() - 1]
                                                                     : singular[0] / singular[singular.size() - 1];
                    break;
                case Curve::Kind::Wrist:
                case Curve::Kind::Elbow:
                case Curve::Kind::Shoulder:
                    if (!margins) margins = singularityMargins(arm, motion->q);
                    value = margins->distance(singularityOf(curve.kind));
                    break;
                case Curve::Kind::Clearance:
                    if (const double near = clearance->at(station.id, time).distance; std::isfinite(near)) value = near;
                    break;
                default: break;
                }
                out[c].push_back(value);
            }
        }
        for (size_t c = 0; c < curves.size(); ++c) {
            const Curve& curve = curves[c];
            if (curve.kind == Curve::Kind::Signal) out[c].push_back(signalAt(cell, trace, curve.signal, time));
            if (curve.kind == Curve::Kind::AxisPosition)
                out[c].push_back(axisValue(*findFrame(cell, curve.axis), axes()));
        }
    }
    return out;
}

}  // namespace topikos
