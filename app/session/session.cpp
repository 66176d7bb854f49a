#include "app/session/session.h"

#include "app/session/text.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <cmath>

namespace topikos {

namespace {

struct JogStep {
    double length, angle;
};
constexpr JogStep kJogSteps[] = {{0.1e-3, 0.1 * kDegree}, {0.5e-3, 0.2 * kDegree}, {1e-3, 0.5 * kDegree}, {2e-3, 1 * kDegree}, {5e-3, 2 * kDegree}, {10e-3, 5 * kDegree}, {50e-3, 10 * kDegree}, {100e-3, 30 * kDegree}};

}  // namespace

Session::Session(Cell cell, QObject* parent) : QObject(parent), m_history(std::move(cell))
{
    m_posture = homePosture(this->cell());
    m_timer.setInterval(16);
    m_timer.setTimerType(Qt::PreciseTimer);
    connect(&m_timer, &QTimer::timeout, this, &Session::tick);
    connect(this, &Session::delivered, this, [this](std::shared_ptr<const CheckedCell> checked) {
        if (checked->cell != m_history.current()) return;  // stale
        m_checked = std::move(checked);
        if (!m_checked->failure.empty()) say("The check broke down: " + text(m_checked->failure) + ". The cell is unchanged; save it and report this.", true);
        if (m_inRun) m_time = std::min(m_time, m_checked->result.trace.duration);
        emit checkedChanged();
        if (m_inRun) emit postureChanged();
    }, Qt::QueuedConnection);
    m_checker = std::make_unique<LiveChecker>([this](std::shared_ptr<const CheckedCell> checked) { emit delivered(std::move(checked)); });
    m_checker->submit(m_history.current(), m_history.revision(), routine().id);
}

const Routine& Session::routine() const { return cell().routines.front(); }

const Trace* Session::trace() const { return m_checked && !m_checked->result.trace.outcomes.empty() ? &m_checked->result.trace : nullptr; }

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
    m_posture = homePosture(this->cell());
    changed();
    emit saveStateChanged();
    emit selectionChanged();
    emit postureChanged();
    emit runChanged();
}

void Session::openUnsaved(Cell cell, const QString& path)
{
    open(std::move(cell), path);
    m_history.markUnsaved();
    emit saveStateChanged();
}

void Session::saved(const QString& path)
{
    m_path = path;
    m_history.markSaved();
    emit saveStateChanged();
}

void Session::report(const Error& error) { say(text(error.line()), true); }

void Session::changed()
{
    m_preview.reset();
    dropLostSelection();
    // Another arm may have other ranges, or other joints.
    m_posture = m_posture.size() == arm().jointCount() ? clampedToRange(arm(), m_posture) : homePosture(cell());
    m_jogJoint = std::min(m_jogJoint, arm().jointCount() - 1);
    if (m_ghost && m_ghost->size() != arm().jointCount()) m_ghost.reset();
    std::erase_if(m_ways, [this](const JointVector& way) { return way.size() != arm().jointCount(); });
    if (m_readingFrame && !findFrame(cell(), m_readingFrame)) m_readingFrame = {};
    m_checker->submit(m_history.current(), m_history.revision(), routine().id);
    emit cellChanged();
    emit saveStateChanged();
}

void Session::dropLostSelection()
{
    const bool lost = (selected<FrameId>() && !findFrame(cell(), selected<FrameId>())) || (selected<PartId>() && !findPart(cell(), selected<PartId>()))
                      || (selected<ToolId>() && !findTool(cell(), selected<ToolId>())) || (selected<PatternId>() && !findPattern(cell(), selected<PatternId>())) || (selected<TargetId>() && !findTarget(cell(), selected<TargetId>()))
                      || (selected<StepId>() && std::none_of(routine().steps.begin(), routine().steps.end(), [&](const Step& s) { return s.id == selected<StepId>(); }));
    if (lost) select({});
}

void Session::preview(const Edit& edit)
{
    Result<Cell> next = edit(cell());
    if (!next) return;
    m_preview = std::make_shared<const Cell>(std::move(next).value());
    emit previewChanged();
}

void Session::endPreview()
{
    if (!m_preview) return;
    m_preview.reset();
    emit previewChanged();
}

bool Session::edit(const QString& label, const Edit& edit)
{
    try {
        if (const Status bad = m_history.apply(label.toStdString(), edit)) {
            report(*bad);
            return false;
        }
    } catch (const std::exception& broken) {
        say(QString("The edit broke down: %1. The cell is unchanged; save it and report this.").arg(broken.what()), true);
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
    emit selectionChanged();
}

void Session::setPosture(const JointVector& posture)
{
    leaveRun();
    m_posture = clampedToRange(arm(), posture);
    emit postureChanged();
}

bool Session::jogJoint(int joint, double by)
{
    const Joint& j = arm().joints()[size_t(joint)];
    if (arm().description().joints[size_t(joint)].locked) {
        say(QString("Axis %1 is locked at %2.").arg(joint + 1).arg(jointText(j, j.lower)), true);
        return false;
    }
    JointVector q = m_inRun ? shownState().posture : m_posture;
    const double wanted = q[joint] + by;
    q[joint] = std::clamp(wanted, j.lower, j.upper);
    setPosture(q);
    if (std::abs(q[joint] - wanted) > 1e-9) {
        say(QString("Joint %1 is at its range end (%2).").arg(joint + 1).arg(jointText(arm().joints()[size_t(joint)], q[joint])), true);
        return false;
    }
    return true;
}

Solutions Session::lookAhead(const Pose& baseFromTcp, std::optional<JointVector>& posture) const
{
    const JointVector now = m_inRun ? shownState().posture : m_posture;
    const Pose flange = baseFromTcp * inverse(flangeFromTcp(cell()));
    Solutions found = inverseKinematics(arm(), flange, &now);
    const Solution* best = like(arm(), found.items, now);
    if (!best) best = nearestTo(found.items, now);
    posture = best ? std::optional(best->joints) : std::nullopt;
    return found;
}

bool Session::moveTcp(const Pose& baseFromTcp)
{
    const JointVector now = m_inRun ? shownState().posture : m_posture;
    const Pose flange = baseFromTcp * inverse(flangeFromTcp(cell()));
    const auto next = followBranch(arm(), flange, configurationOf(arm(), now), now);
    if (!next) {
        say(solutionsText(arm(), inverseKinematics(arm(), flange, &now)), true);
        return false;
    }
    if (const RangeExcess excess = rangeExcess(arm(), *next); excess.joint >= 0) {
        say(QString("Joint %1 would be %2 past its range.").arg(excess.joint + 1).arg(jointText(arm().joints()[size_t(excess.joint)], excess.excess)), true);
        return false;
    }
    setPosture(*next);
    return true;
}

bool Session::jogAxis(JogSpace space, int axis, double by)
{
    const JointVector now = m_inRun ? shownState().posture : m_posture;
    const Pose tcp = baseFromTcp(cell(), now);
    Quat axes = tcp.rotation;
    if (space == JogSpace::World) axes = worldFromBase(cell()).rotation.conjugate();
    if (space == JogSpace::Frame) axes = worldFromBase(cell()).rotation.conjugate() * worldFromFrame(cell(), m_readingFrame).rotation;
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
    if (target->kind == Target::Kind::Posture) {
        if (const RangeExcess excess = rangeExcess(arm(), target->posture); excess.joint >= 0) {
            say(QString("%1: joint %2 would be %3 past its range.").arg(text(target->name)).arg(excess.joint + 1).arg(jointText(arm().joints()[size_t(excess.joint)], excess.excess)), true);
            return false;
        }
        setPosture(target->posture);
    } else {
        const Solutions found = waysTo(cell(), *target, 0, &m_posture);
        const Solution* s = chosenWay(arm(), *target, found.items);
        if (!s) {
            const TargetVerdict verdict = checkTarget(cell(), *target);
            const FindingText words = findingText(cell(), verdict.findings.front());
            say(text(words.headline + ". " + words.detail), true);
            return false;
        }
        setPosture(s->joints);
    }
    say("At " + text(target->name));
    return true;
}

void Session::setReadingFrame(FrameId frame)
{
    m_readingFrame = frame;
    emit jogChanged();
    emit postureChanged();
}

void Session::setJogSpace(JogSpace space)
{
    m_jogSpace = space;
    emit jogChanged();
}

double Session::jogLength() const { return kJogSteps[m_jogStep].length; }
double Session::jogAngle() const { return kJogSteps[m_jogStep].angle; }

void Session::changeJogStep(int by)
{
    m_jogStep = std::clamp(m_jogStep + by, 0, int(std::size(kJogSteps)) - 1);
    emit jogChanged();
}

void Session::setJogJointIndex(int joint)
{
    m_jogJoint = std::clamp(joint, 0, arm().jointCount() - 1);
    emit jogChanged();
}

void Session::setPlaySpeed(double factor)
{
    m_playSpeed = factor;
    emit runChanged();
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
    emit runChanged();
    emit postureChanged();
}

void Session::playStep()
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    double until = t->duration;
    for (const Trace::Span& span : t->spans)
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
    emit runChanged();
}

void Session::scrub(double time)
{
    const Trace* t = trace();
    if (!t) return;
    m_timer.stop();
    m_inRun = true;
    m_time = std::clamp(time, 0.0, t->duration);
    emit runChanged();
    emit postureChanged();
}

void Session::leaveRun()
{
    if (!m_inRun) return;
    m_timer.stop();
    m_inRun = false;
    m_time = 0;
    emit runChanged();
    emit postureChanged();
}

void Session::tick()
{
    m_time += double(m_clock.restart()) * 1e-3 * m_playSpeed;
    if (m_time >= m_playUntil) {
        m_time = m_playUntil;
        m_timer.stop();
        if (const Trace* t = trace(); t && t->blockedAt && m_time >= t->duration) {
            for (const Finding& f : m_checked->result.findings)
                if (f.severity == Severity::Blocked && f.step == t->outcomes[*t->blockedAt].step) {
                    const FindingText words = findingText(*m_checked->cell, f);
                    say(text(words.headline + ". " + words.detail), true);
                    break;
                }
        }
    }
    emit runChanged();
    emit postureChanged();
}

CellState Session::shownState() const
{
    if (m_inRun && m_checked) return stateAt(*m_checked->cell, m_checked->result.trace, m_time);
    return authoredState(shownCell(), m_posture);
}

StepId Session::shownStep() const
{
    const Trace* t = trace();
    if (!m_inRun || !t) return {};
    const Trace::Span* span = spanAt(*t, m_time);
    return span ? t->outcomes[span->outcome].step : StepId{};
}

void Session::setWays(std::vector<JointVector> ways)
{
    if (ways.empty() && m_ways.empty()) return;
    m_ways = std::move(ways);
    emit ghostChanged();
}

void Session::setGhost(std::optional<JointVector> ghost)
{
    m_ghost = std::move(ghost);
    emit ghostChanged();
}

}  // namespace topikos
