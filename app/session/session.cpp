#include "app/session/session.h"

#include "app/session/text.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <cmath>

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

Session::Session(Cell cell, QObject* parent) : QObject(parent), m_history(std::move(cell))
{
    m_arm = this->cell().arms.front().id;
    m_posture = homePosture(this->cell(), station());
    m_timer.setInterval(16);
    m_timer.setTimerType(Qt::PreciseTimer);
    connect(&m_timer, &QTimer::timeout, this, &Session::tick);
    connect(
        this, &Session::delivered, this,
        [this](std::shared_ptr<const CheckedCell> checked) {
            if (checked->cell != m_history.current()) return;  // stale
            m_checked = std::move(checked);
            if (!m_checked->failure.empty())
                say("The check broke down: " + text(m_checked->failure)
                        + ". The cell is unchanged; save it and report this.",
                    true);
            if (m_inRun) m_time = std::min(m_time, m_checked->result.trace.duration);
            Q_EMIT checkedChanged();
            if (m_inRun) Q_EMIT postureChanged();
        },
        Qt::QueuedConnection);
    m_checker = std::make_unique<LiveChecker>(
        [this](std::shared_ptr<const CheckedCell> checked) { Q_EMIT delivered(std::move(checked)); });
    m_checker->submit(m_history.current(), m_history.revision());
}

const Routine& Session::routine() const
{
    const auto looked = m_looked.find(m_arm);
    const Routine* routine = looked == m_looked.end() ? nullptr : findRoutine(cell(), looked->second);
    return routine && routine->arm == m_arm ? *routine : routineOf(cell(), station());
}

void Session::switchArm(ArmId arm)
{
    m_postures[m_arm] = m_posture;
    m_arm = arm;
    const auto before = m_postures.find(m_arm);
    m_posture = before != m_postures.end() ? before->second : homePosture(cell(), station());
    m_jogJoint = std::min(m_jogJoint, this->arm().jointCount() - 1);
    m_ghost.reset();
    m_ways.clear();
}

void Session::takeInHand(ArmId arm)
{
    if (!findArm(cell(), arm) || arm == m_arm) return;
    switchArm(arm);
    dropLostSelection();
    Q_EMIT cellChanged();
    Q_EMIT postureChanged();
    Q_EMIT jogChanged();
    Q_EMIT ghostChanged();
}

void Session::showRoutine(RoutineId id)
{
    const Routine* routine = findRoutine(cell(), id);
    if (!routine || &this->routine() == routine) return;
    takeInHand(routine->arm);
    if (routineOf(cell(), station()).id == id) m_looked.erase(m_arm);
    else m_looked[m_arm] = id;
    dropLostSelection();
    Q_EMIT cellChanged();
}

const Trace* Session::trace() const
{
    if (!m_checked) return nullptr;
    const Trace& trace = m_checked->result.trace;
    return std::any_of(trace.arms.begin(), trace.arms.end(), [](const ArmTrace& a) { return !a.outcomes.empty(); })
               ? &trace
               : nullptr;
}

const ArmTrace* Session::armTrace() const
{
    if (!m_checked) return nullptr;
    const auto own = [this](const Trace& trace) {
        const ArmTrace* found = findArmTrace(trace, m_arm);
        return found && found->routine == routine().id ? found : nullptr;
    };
    if (const ArmTrace* found = own(m_checked->result.trace)) return found;
    for (const Trace& alone : m_checked->result.alone)
        if (const ArmTrace* found = own(alone)) return found;
    return nullptr;
}

void Session::open(Cell cell, const QString& path)
{
    m_timer.stop();
    m_inRun = false;
    m_time = 0;
    m_history = History(std::move(cell));
    m_path = path;
    m_selection = {};
    m_checked.reset();
    m_ghost.reset();
    m_ways.clear();
    m_readingFrame = {};
    m_arm = this->cell().arms.front().id;
    m_looked.clear();
    m_postures.clear();
    m_axes.clear();
    m_stood.clear();
    m_forth.clear();
    m_posture = homePosture(this->cell(), station());
    changed();
    Q_EMIT saveStateChanged();
    Q_EMIT selectionChanged();
    Q_EMIT postureChanged();
    Q_EMIT runChanged();
}

void Session::openUnsaved(Cell cell, const QString& path)
{
    open(std::move(cell), path);
    m_history.markUnsaved();
    Q_EMIT saveStateChanged();
}

void Session::saved(const QString& path)
{
    m_path = path;
    m_history.markSaved();
    Q_EMIT saveStateChanged();
}

void Session::report(const Error& error) { say(text(error.line()), true); }

void Session::changed()
{
    m_preview.reset();
    // A run of other arms than the cell has now cannot be shown any more.
    const auto same = [](const ArmStation& a, const ArmStation& b) { return a.id == b.id && a.model == b.model; };
    const bool left = m_inRun && m_checked
                      && !std::equal(cell().arms.begin(), cell().arms.end(), m_checked->cell->arms.begin(),
                                     m_checked->cell->arms.end(), same);
    if (left) {
        m_timer.stop();
        m_inRun = false;
        m_time = 0;
    }
    // Another arm may have other ranges, or other joints.
    const auto fitted = [this](const ArmStation& arm, const JointVector& posture) {
        return posture.size() == arm.model->jointCount() ? clampedToRange(*arm.model, posture)
                                                         : homePosture(cell(), arm);
    };
    const bool lost = !findArm(cell(), m_arm);
    if (lost) switchArm(cell().arms.front().id);
    std::erase_if(m_postures, [this](const auto& other) { return !findArm(cell(), other.first); });
    for (auto& [id, posture] : m_postures)
        posture = fitted(*findArm(cell(), id), posture);
    m_posture = fitted(station(), m_posture);
    std::erase_if(m_axes, [this](const AxisValue& a) {
        return !findFrame(cell(), a.frame) || !findFrame(cell(), a.frame)->axis;
    });
    for (AxisValue& a : m_axes) {
        const FrameAxis& axis = *findFrame(cell(), a.frame)->axis;
        a.value = std::clamp(a.value, axis.lowest, axis.highest);
    }
    m_jogJoint = std::min(m_jogJoint, arm().jointCount() - 1);
    if (m_ghost && m_ghost->size() != arm().jointCount()) m_ghost.reset();
    std::erase_if(m_ways, [this](const JointVector& way) { return way.size() != arm().jointCount(); });
    if (m_readingFrame && !findFrame(cell(), m_readingFrame)) m_readingFrame = {};
    dropLostSelection();
    m_checker->submit(m_history.current(), m_history.revision());
    Q_EMIT cellChanged();
    Q_EMIT saveStateChanged();
    if (left) {
        Q_EMIT runChanged();
        Q_EMIT postureChanged();
    }
}

void Session::dropLostSelection()
{
    const bool lost =
        (selected<FrameId>() && !findFrame(cell(), selected<FrameId>()))
        || (selected<PartId>() && !findPart(cell(), selected<PartId>()))
        || (selected<ArmId>() && !findArm(cell(), selected<ArmId>()))
        || (selected<ToolId>() && !findTool(cell(), selected<ToolId>()))
        || (selected<PatternId>() && !findPattern(cell(), selected<PatternId>()))
        || (selected<TargetId>() && !findTarget(cell(), selected<TargetId>()))
        || (selected<StepId>() && std::none_of(routine().steps.begin(), routine().steps.end(), [&](const Step& s) {
                return s.id == selected<StepId>();
            }));
    if (lost) select({});
}

void Session::preview(const Edit& edit)
{
    try {
        Result<Cell> next = edit(cell());
        if (!next) return;
        m_preview = std::make_shared<const Cell>(std::move(next).value());
    } catch (const std::exception& broken) {
        say(QString("What is typed cannot be shown: %1.").arg(broken.what()), true);
        return;
    }
    Q_EMIT previewChanged();
}

void Session::endPreview()
{
    if (!m_preview) return;
    m_preview.reset();
    Q_EMIT previewChanged();
}

bool Session::edit(const QString& label, const Edit& edit)
{
    try {
        if (const Status bad = m_history.apply(label.toStdString(), edit)) {
            report(*bad);
            return false;
        }
    } catch (const std::exception& broken) {
        say(QString("The edit broke down: %1. The cell is unchanged; save it and report this.").arg(broken.what()),
            true);
        return false;
    }
    changed();
    return true;
}

void Session::undo()
{
    if (!m_history.canUndo()) return;
    say("Undone: " + text(m_history.undoLabel()));
    m_history.undo();
    changed();
}

void Session::redo()
{
    if (!m_history.canRedo()) return;
    say("Redone: " + text(m_history.redoLabel()));
    m_history.redo();
    changed();
}

void Session::select(const Selection& selection)
{
    if (selection == m_selection) return;
    m_selection = selection;
    Q_EMIT selectionChanged();
}

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

void Session::setAxis(FrameId id, double value)
{
    const Frame* frame = findFrame(cell(), id);
    if (!frame || !frame->axis) return;
    stand(shownPosture(), overlaid(shownAxes(), {{id, std::clamp(value, frame->axis->lowest, frame->axis->highest)}}));
}

bool Session::jogJoint(int joint, double steps)
{
    const bool slides = arm().joints()[size_t(joint)].kind == JointKind::Prismatic;
    const double by = steps * (slides ? jogLength() : jogAngle());
    const Joint& j = arm().joints()[size_t(joint)];
    if (arm().description().joints[size_t(joint)].locked) {
        say(QString("Axis %1 is locked at %2.").arg(joint + 1).arg(jointText(j, j.lower)), true);
        return false;
    }
    JointVector q = shownPosture();
    const double wanted = q[joint] + by;
    q[joint] = std::clamp(wanted, j.lower, j.upper);
    setPosture(q);
    if (std::abs(q[joint] - wanted) > 1e-9) {
        say(QString("Joint %1 is at its range end (%2).")
                .arg(joint + 1)
                .arg(jointText(arm().joints()[size_t(joint)], q[joint])),
            true);
        return false;
    }
    return true;
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
    setPosture(*next);
    return true;
}

bool Session::jogAxis(JogSpace space, int axis, double by)
{
    const JointVector now = shownPosture();
    const Pose tcp = baseFromTcp(cell(), station(), now);
    Quat axes = tcp.rotation;
    if (space == JogSpace::World) axes = shownBase().rotation.conjugate();
    if (space == JogSpace::Frame) axes = shownBase().rotation.conjugate() * shownPlace(m_readingFrame).rotation;
    const Vec3 direction = axes * Vec3::Unit(axis % 3);
    Pose wanted = tcp;
    if (axis < 3) wanted.translation += by * direction;
    else wanted.rotation = (Quat(Eigen::AngleAxisd(by, direction)) * tcp.rotation).normalized();
    return moveTcp(wanted);
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

void Session::selectNew(const Selection& selection)
{
    select(selection);
    Q_EMIT nameWanted();
}

bool Session::goToSelected()
{
    if (const TargetId id = selected<TargetId>()) return goToTarget(id);
    if (const Step* step = routine().steps.find(selected<StepId>()); step && step->isMove())
        return goToTarget(step->target);
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

void Session::setPlaySpeed(double factor)
{
    m_playSpeed = factor;
    Q_EMIT runChanged();
}

void Session::play()
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    m_inRun = true;
    m_playUntil = t->duration;
    m_clock.start();
    m_timer.start();
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::playStep()
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    double until = t->duration;
    if (const ArmTrace* own = findArmTrace(*t, m_arm))
        for (const ArmTrace::Span& span : own->spans)
            if (span.end > m_time + 1e-6) {
                until = span.end;
                break;
            }
    play();
    m_playUntil = until;
}

void Session::pause()
{
    m_timer.stop();
    Q_EMIT runChanged();
}

void Session::scrub(double time)
{
    const Trace* t = trace();
    if (!t) return;
    m_timer.stop();
    m_inRun = true;
    m_time = std::clamp(time, 0.0, t->duration);
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::leaveRun()
{
    if (!m_inRun) return;
    m_timer.stop();
    m_inRun = false;
    m_time = 0;
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::tick()
{
    m_time += double(m_clock.restart()) * 1e-3 * m_playSpeed;
    if (m_time >= m_playUntil) {
        m_time = m_playUntil;
        m_timer.stop();
        const Trace* t = trace();
        const Finding* end = t && m_time >= t->duration ? whatEndsTheRun(m_checked->result) : nullptr;
        if (end) say(text(findingText(*m_checked->cell, *end).line()), true);
    }
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

CellState Session::shownState() const
{
    if (m_inRun && m_checked) return stateAt(*m_checked->cell, m_checked->result.trace, m_time);
    CellState state = authoredState(shownCell(), m_arm, m_posture, m_axes);
    for (ArmState& arm : state.arms)
        if (const auto own = m_postures.find(arm.arm); own != m_postures.end() && arm.arm != m_arm)
            arm.posture = own->second;
    return state;
}

JointVector Session::shownPosture() const
{
    if (m_inRun && m_checked)
        if (const ArmTrace* own = findArmTrace(m_checked->result.trace, m_arm))
            return postureAt(*m_checked->cell, *own, m_time);
    return m_posture;
}

AxisValues Session::shownAxes() const
{
    return m_inRun && m_checked ? axesAt(m_checked->result.trace, m_time) : m_axes;
}

StepId Session::shownStep() const
{
    // What runs is shown, whatever routine is looked at.
    const ArmTrace* t = m_inRun && m_checked ? findArmTrace(m_checked->result.trace, m_arm) : nullptr;
    if (!t) return {};
    const ArmTrace::Span* span = spanAt(*t, m_time);
    return span ? t->outcomes[span->outcome].step : StepId{};
}

void Session::setWays(std::vector<JointVector> ways, AxisValues axes)
{
    if (ways.empty() && m_ways.empty()) return;
    m_ways = std::move(ways);
    m_waysAxes = std::move(axes);
    Q_EMIT ghostChanged();
}

void Session::setGhost(std::optional<JointVector> ghost, AxisValues axes)
{
    m_ghost = std::move(ghost);
    m_ghostAxes = std::move(axes);
    Q_EMIT ghostChanged();
}

}  // namespace topikos
