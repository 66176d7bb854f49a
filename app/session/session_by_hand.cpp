#include "app/session/session.h"

#include "app/session/text.h"
#include "core/cell/step_tree.h"
#include "core/cell/typed_move.h"
#include "core/robot/self_motion.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <cmath>

/// The arm moved by hand: jogged, dragged, sent to targets, and back.
namespace topikos {

namespace {

constexpr qint64 kOneMove = 600;    // [ms] between moves by hand that count as one
constexpr size_t kMostStood = 200;  // places that are remembered

struct JogStep {
    double length, angle;
};
constexpr JogStep kJogSteps[] = {{0.1e-3, 0.1 * kDegree}, {0.5e-3, 0.2 * kDegree}, {1e-3, 0.5 * kDegree},
                                 {2e-3, 1 * kDegree},     {5e-3, 2 * kDegree},     {10e-3, 5 * kDegree},
                                 {50e-3, 10 * kDegree},   {100e-3, 30 * kDegree}};

}  // namespace

void Session::stand(const JointVector& posture, const AxisValues& axes)
{
    leaveRun();
    // Moves in quick succession, by a drag or a key held down, are one.
    if (!m_movedAt.isValid() || m_movedAt.elapsed() > kOneMove) {
        m_stood.push_back({m_arm, m_posture, m_axes});
        if (m_stood.size() > kMostStood) m_stood.erase(m_stood.begin());
        m_forth.clear();
    }
    m_movedAt.start();
    m_posture = clampedToRange(arm(), posture);
    m_axes = axes;
    Q_EMIT postureChanged();
}

bool Session::standAgain(std::vector<Stood>& from, std::vector<Stood>& to, const QString& nothing)
{
    while (!from.empty()) {
        const Stood place = std::move(from.back());
        from.pop_back();
        const ArmStation* station = findArm(cell(), place.arm);
        const bool fits = station && place.posture.size() == station->model->jointCount();
        const bool same = place.arm == m_arm && sameValues(place.posture, m_posture) && place.axes == m_axes;
        if (!fits || same) continue;
        takeInHand(place.arm);
        leaveRun();
        to.push_back({m_arm, m_posture, m_axes});
        m_posture = clampedToRange(arm(), place.posture);
        // Axes may be gone by now, or have other ranges.
        m_axes.clear();
        for (const AxisValue& a : place.axes)
            if (const Frame* frame = findFrame(cell(), a.frame); frame && frame->axis)
                m_axes.push_back({a.frame, std::clamp(a.value, frame->axis->lowest, frame->axis->highest)});
        Q_EMIT postureChanged();
        return true;
    }
    say(nothing, true);
    return false;
}

bool Session::standBack()
{
    m_movedAt.invalidate();
    return standAgain(m_stood, m_forth, "The arm has not been moved by hand before that.");
}

bool Session::standForth()
{
    m_movedAt.invalidate();
    return standAgain(m_forth, m_stood, "There is no move to be done again.");
}

void Session::setPosture(const JointVector& posture) { stand(posture, shownAxes()); }

void Session::setStopsAtContact(bool on)
{
    m_stopsAtContact = on;
    say(on ? "The arm stops before it touches something." : "The arm goes through things now.", !on);
    Q_EMIT jogChanged();
}

bool Session::drive(const JointVector& posture, const AxisValues& axes)
{
    m_touch = {};
    // In a run things stand elsewhere than where the arm would be moved among.
    if (!m_stopsAtContact || inRun()) {
        stand(posture, axes);
        return true;
    }
    const JointVector to = clampedToRange(arm(), posture);
    m_touch = moveByHand(cell(), m_arm, m_posture, to, m_axes, axes, touched());
    stand(m_touch.posture, m_touch.axes);
    if (!m_touch.touches()) return true;
    say(QString("Stopped: %1 would touch %2. Go on to slide along it.")
            .arg(text(m_touch.own.name), text(m_touch.other.name)),
        true);
    return false;
}

bool Session::standIfFree(const JointVector& posture)
{
    const bool looks = m_stopsAtContact && !inRun();
    if (looks && !isFree(cell(), m_arm, clampedToRange(arm(), posture), m_axes, touched())) return driveTo(posture);
    m_touch = {};
    stand(posture, shownAxes());
    return true;
}

bool Session::downToContact()
{
    constexpr double most = 0.5;  // [m]
    leaveRun();
    const Pose tcp = shownTcp();
    const Vec3 way = tcp.rotation * Vec3::UnitZ();
    const HandStop stop = topikos::downToContact(cell(), m_arm, m_posture, way, most, m_axes, touched());
    m_movedAt.invalidate();
    stand(stop.posture, m_axes);
    const Vec3 there = inverse(shownPlace(m_readingFrame)) * shownTcp().translation;
    const auto length = [](double metres) { return placeFigure(metres, 1) + " " + lengthUnit().symbol; };
    const QString place =
        QString("The tool point is at %1 in %2.")
            .arg(offsetText(translated(there), cell().angles), text(frameName(cell(), m_readingFrame)));
    if (!stop.touches()) {
        say(QString("Nothing is touched within %1 along the tool axis, or the arm cannot go on. ").arg(length(most))
                + place,
            true);
        return false;
    }
    say(QString("%1 touches %2 after %3. ")
            .arg(text(stop.own.name), text(stop.other.name), length((shownTcp().translation - tcp.translation).norm()))
        + place);
    return true;
}

void Session::setAxis(FrameId id, double value)
{
    const Frame* frame = findFrame(cell(), id);
    if (!frame || !frame->axis) return;
    drive(shownPosture(), overlaid(shownAxes(), {{id, std::clamp(value, frame->axis->lowest, frame->axis->highest)}}));
}

namespace {

/// What keeps an arm from holding its tool point while something else moves.
QString cannotHold(const Arm& arm, const std::optional<JointVector>& posture, const Pose& flange)
{
    if (!posture) return solutionsText(arm, inverseKinematics(arm, flange));
    const RangeExcess excess = rangeExcess(arm, *posture);
    return QString("Joint %1 would be %2 past its range.")
        .arg(excess.joint + 1)
        .arg(jointText(arm.joints()[size_t(excess.joint)], excess.excess));
}

}  // namespace

bool Session::setAxisAround(FrameId id, double value)
{
    const Frame* frame = findFrame(cell(), id);
    if (!frame || !frame->axis) return false;
    const AxisValues axes = overlaid(shownAxes(), {{id, std::clamp(value, frame->axis->lowest, frame->axis->highest)}});
    const JointVector now = shownPosture();
    const Pose world = worldFromTcp(cell(), station(), now, shownAxes());
    const Pose flange =
        inverse(worldFromBase(cell(), station(), axes)) * world * inverse(flangeFromTcp(cell(), station()));
    const auto next = followBranch(arm(), flange, configurationOf(arm(), now), now);
    if (!next || rangeExcess(arm(), *next).joint >= 0) {
        say(QString("The tool cannot be held still while %1 moves. ").arg(text(frame->name))
                + cannotHold(arm(), next, flange),
            true);
        return false;
    }
    return drive(*next, axes);
}

namespace {

/// Where a joint is to go by so many jog steps.
double joggedTo(const Session& session, int joint, double steps)
{
    const bool slides = session.arm().joints()[size_t(joint)].kind == JointKind::Prismatic;
    return session.shownPosture()[joint] + steps * (slides ? session.jogLength() : session.jogAngle());
}

/// Says that a joint goes no further.
bool refuseRange(Session& session, int joint, double value)
{
    session.say(QString("Joint %1 is at its range end (%2).")
                    .arg(joint + 1)
                    .arg(jointText(session.arm().joints()[size_t(joint)], value)),
                true);
    return false;
}

}  // namespace

bool Session::jogJointAround(int joint, double steps)
{
    const JointVector now = shownPosture();
    const Joint& j = arm().joints()[size_t(joint)];
    const double wanted = joggedTo(*this, joint, steps);
    if (wanted < j.lower || wanted > j.upper) return refuseRange(*this, joint, now[joint]);
    const auto next = selfMotion(arm(), now, joint, wanted - now[joint]);
    if (!next) {
        say(QString("The tool cannot be held still while joint %1 moves: the arm has no axis to spare for it.")
                .arg(joint + 1),
            true);
        return false;
    }
    if (const RangeExcess excess = rangeExcess(arm(), *next); excess.joint >= 0) {
        say(QString("Joint %1 would be %2 past its range.")
                .arg(excess.joint + 1)
                .arg(jointText(arm().joints()[size_t(excess.joint)], excess.excess)),
            true);
        return false;
    }
    return driveTo(*next);
}

bool Session::jogJoint(int joint, double steps)
{
    const Joint& j = arm().joints()[size_t(joint)];
    if (arm().description().joints[size_t(joint)].locked) {
        say(QString("Axis %1 is locked at %2.").arg(joint + 1).arg(jointText(j, j.lower)), true);
        return false;
    }
    JointVector q = shownPosture();
    const double wanted = joggedTo(*this, joint, steps);
    q[joint] = std::clamp(wanted, j.lower, j.upper);
    if (!driveTo(q)) return false;
    return std::abs(q[joint] - wanted) <= 1e-9 || refuseRange(*this, joint, q[joint]);
}

Solutions Session::lookAhead(const Pose& baseFromTcp, std::optional<JointVector>& posture) const
{
    const JointVector now = shownPosture();
    const Pose flange = baseFromTcp * inverse(flangeFromTcp(cell(), station()));
    Solutions found = inverseKinematics(arm(), flange, &now);
    const Solution* best = like(arm(), found.items, now);
    if (!best) best = nearestTo(found.items, now);
    posture = best ? std::optional(best->joints) : std::nullopt;
    return found;
}

bool Session::moveTcp(const Pose& baseFromTcp)
{
    const JointVector now = shownPosture();
    const Pose flange = baseFromTcp * inverse(flangeFromTcp(cell(), station()));
    const auto next = followBranch(arm(), flange, configurationOf(arm(), now), now);
    if (!next) {
        say(solutionsText(arm(), inverseKinematics(arm(), flange, &now)), true);
        return false;
    }
    if (const RangeExcess excess = rangeExcess(arm(), *next); excess.joint >= 0) {
        say(QString("Joint %1 would be %2 past its range.")
                .arg(excess.joint + 1)
                .arg(jointText(arm().joints()[size_t(excess.joint)], excess.excess)),
            true);
        return false;
    }
    const HandStop before = m_touch;
    const Pose start = topikos::baseFromTcp(cell(), station(), now);
    if (driveTo(*next)) return true;
    // Who goes on in spite of a contact slides along what is touched.
    constexpr double stuck = 0.02;  // of the way that is gone
    const bool again = before.touches() && before.other.name == m_touch.other.name && m_touch.fraction < stuck;
    if (!again || m_touch.normal.norm() < 0.5) return false;
    const Pose here = topikos::baseFromTcp(cell(), station(), shownPosture());
    const Vec3 normal = shownBase().rotation.conjugate() * m_touch.normal;
    const Vec3 left = baseFromTcp.translation - here.translation;
    // A hair away from it, so that the next piece of the way is free as well.
    const Vec3 along = left - (std::min(0.0, left.dot(normal)) - 0.25 * kHandGap) * normal;
    constexpr double least = 0.05;  // of the way
    if (along.norm() < least * (baseFromTcp.translation - start.translation).norm() || along.norm() < 1e-6)
        return false;
    const auto slid =
        followBranch(arm(), Pose{here.translation + along, here.rotation} * inverse(flangeFromTcp(cell(), station())),
                     configurationOf(arm(), shownPosture()), shownPosture());
    if (!slid || rangeExcess(arm(), *slid).joint >= 0) return false;
    const HandStop touch = m_touch;
    const bool free = driveTo(*slid);
    if (free) m_touch = touch;
    say(QString("Slides along %1.").arg(text(touch.other.name)));
    return free;
}

bool Session::jogAxis(JogSpace space, int axis, double by)
{
    const JointVector now = shownPosture();
    const Pose tcp = baseFromTcp(cell(), station(), now);
    Quat axes = tcp.rotation;
    if (space == JogSpace::World) axes = shownBase().rotation.conjugate();
    if (space == JogSpace::Frame) axes = shownBase().rotation.conjugate() * shownPlace(m_readingFrame).rotation;
    if (space == JogSpace::Base) axes = Quat::Identity();
    return moveTcp(shiftedTcp(tcp, axes, axis, by));
}

Pose Session::shiftedTcp(const Pose& tcp, const Quat& axes, int axis, double by) const
{
    const Vec3 direction = axes * Vec3::Unit(axis % 3);
    Pose out = tcp;
    if (axis < 3) {
        out.translation += by * direction;
        return out;
    }
    const Quat turn(Eigen::AngleAxisd(by, direction));
    out.rotation = (turn * tcp.rotation).normalized();
    if (const auto world = pivotPlace()) {
        const Vec3 pivot = inverse(shownBase()) * *world;
        out.translation = pivot + turn * (tcp.translation - pivot);
    }
    return out;
}

bool Session::moveTyped(const QString& line)
{
    const Result<TypedMove> read = readTypedMove(line.toStdString(), arm(), lengthUnit().size, angleUnit().size);
    if (!read) {
        say(text(read.error().line()), true);
        return false;
    }
    leaveRun();
    m_movedAt.invalidate();
    if (read->joints()) {
        JointVector q = shownPosture();
        for (const TypedMove::Part& part : read->parts) {
            if (arm().description().joints[size_t(part.index)].locked) {
                say(QString("Axis %1 is locked.").arg(part.index + 1), true);
                return false;
            }
            q[part.index] = part.by ? q[part.index] + part.value : part.value;
        }
        if (const RangeExcess excess = rangeExcess(arm(), q); excess.joint >= 0) {
            say(QString("Joint %1 would be %2 past its range.")
                    .arg(excess.joint + 1)
                    .arg(jointText(arm().joints()[size_t(excess.joint)], excess.excess)),
                true);
            return false;
        }
        return driveTo(q);
    }
    // Where to go first, as seen from the reading frame; then by how much, along the axes as they are jogged along.
    const Pose base = shownBase(), frame = shownPlace(m_readingFrame);
    Pose seen = inverse(frame) * shownTcp();
    const AngleOrder order = cell().angles;
    Vec3 angles = anglesOf(order, seen.matrix());
    bool turned = false;
    for (const TypedMove::Part& part : read->parts) {
        if (part.by) continue;
        if (part.what == TypedMove::What::Along) seen.translation[part.index] = part.value;
        if (part.what != TypedMove::What::About) continue;
        if (order == AngleOrder::IntrinsicZyz) {
            say("In this order of angles two are about Z: type a turn by so much, with a sign.", true);
            return false;
        }
        angles[order == AngleOrder::IntrinsicZyx ? 2 - part.index : part.index] = part.value;
        turned = true;
    }
    if (turned) seen.rotation = rotationFrom(order, angles);
    Pose tcp = inverse(base) * frame * seen;
    Quat axes = base.rotation.conjugate();
    if (m_jogSpace == JogSpace::Tool) axes = tcp.rotation;
    if (m_jogSpace == JogSpace::Frame) axes = axes * frame.rotation;
    if (m_jogSpace == JogSpace::Base) axes = Quat::Identity();
    for (const TypedMove::Part& part : read->parts)
        if (part.by)
            tcp = shiftedTcp(tcp, axes, part.index + (part.what == TypedMove::What::About ? 3 : 0), part.value);
    return moveTcp(tcp);
}

void Session::setPivot(const Selection& thing)
{
    m_pivot = thing;
    say(pivotPlace() ? "Turns by hand go about " + pivotName() + " now." : QString("Turns by hand go about the TCP."));
    Q_EMIT jogChanged();
}

std::optional<Vec3> Session::pivotPlace() const
{
    const Cell& now = shownCell();
    if (const auto* frame = std::get_if<FrameId>(&m_pivot); frame && findFrame(now, *frame))
        return shownPlace(*frame).translation;
    if (const auto* id = std::get_if<TargetId>(&m_pivot))
        if (const Target* target = findTarget(now, *id); target && target->kind == Target::Kind::Pose)
            return (shownPlace(target->frame) * target->pose).translation;
    if (const auto* id = std::get_if<PartId>(&m_pivot))
        for (const PlacedPart& part : shownState().parts)
            if (part.part == *id) return part.worldFromPart.translation;
    return std::nullopt;
}

QString Session::pivotName() const
{
    if (!pivotPlace()) return "the TCP";
    if (const auto* frame = std::get_if<FrameId>(&m_pivot)) return text(frameName(shownCell(), *frame));
    if (const auto* id = std::get_if<TargetId>(&m_pivot)) return text(findTarget(shownCell(), *id)->name);
    return text(findPart(shownCell(), std::get<PartId>(m_pivot))->name);
}

void Session::setOverlay(std::shared_ptr<const SpotOverlay> overlay)
{
    if (overlay == m_overlay) return;
    m_overlay = std::move(overlay);
    Q_EMIT ghostChanged();
}

bool Session::goToTarget(TargetId id)
{
    const Target* target = findTarget(cell(), id);
    if (!target) return false;
    if (target->arm != station().id) {
        say(QString("%1 is a target of %2. Take that arm in hand first.")
                .arg(text(target->name), text(armOf(cell(), *target).name)),
            true);
        return false;
    }
    if (target->kind == Target::Kind::Posture) {
        if (const RangeExcess excess = rangeExcess(arm(), target->posture); excess.joint >= 0) {
            say(QString("%1: joint %2 would be %3 past its range.")
                    .arg(text(target->name))
                    .arg(excess.joint + 1)
                    .arg(jointText(arm().joints()[size_t(excess.joint)], excess.excess)),
                true);
            return false;
        }
        stand(target->posture, overlaid(shownAxes(), target->axes));
    } else {
        const Solutions found = waysTo(cell(), *target, 0, &m_posture, shownAxes());
        const Solution* s = chosenWay(arm(), *target, found.items);
        if (!s) {
            // Judged as the program uses it there may be nothing to say: then it is for where the axes stand now.
            const TargetVerdict verdict = checkTarget(cell(), *target);
            say(verdict.findings.empty() ? QString("%1 is out of reach from where rail and tables stand now: %2")
                                               .arg(text(target->name), solutionsText(arm(), found))
                                         : text(findingText(cell(), verdict.findings.front()).line()),
                true);
            return false;
        }
        stand(s->joints, overlaid(shownAxes(), target->axes));
    }
    say("At " + text(target->name));
    return true;
}

bool Session::goToSelected()
{
    if (const TargetId id = selected<TargetId>()) return goToTarget(id);
    if (const Step* step = findStep(routine().steps, selected<StepId>())) {
        if (const TargetId id = targetOf(*step)) return goToTarget(id);
        // A place that a loop or a call fills in: of the pass that is looked at.
        if (const StepOutcome* outcome = passOutcome(step->id); outcome && outcome->target)
            return goToTarget(outcome->target);
    }
    say("Select a target, or a step that goes to one.", true);
    return false;
}

void Session::setReadingFrame(FrameId frame)
{
    m_readingFrame = frame;
    Q_EMIT jogChanged();
    Q_EMIT postureChanged();
}

void Session::setJogSpace(JogSpace space)
{
    m_jogSpace = space;
    Q_EMIT jogChanged();
}

double Session::jogLength() const { return kJogSteps[m_jogStep].length; }
double Session::jogAngle() const { return kJogSteps[m_jogStep].angle; }

void Session::changeJogStep(int by)
{
    m_jogStep = std::clamp(m_jogStep + by, 0, int(std::size(kJogSteps)) - 1);
    Q_EMIT jogChanged();
}

void Session::setJogJointIndex(int joint)
{
    m_jogJoint = std::clamp(joint, 0, arm().jointCount() - 1);
    Q_EMIT jogChanged();
}

}  // namespace topikos
