#include "app/session/session.h"

#include "app/background/background.h"
#include "app/session/memory.h"
#include "app/session/text.h"
#include "core/cell/step_tree.h"

namespace topikos {

Session::Session(Cell cell, QObject* parent) : Owner(parent), m_history(std::move(cell))
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
            // A run of several cycles is as long as it was planned.
            if (m_inRun && !m_played) m_time = std::min(m_time, m_checked->result.trace.duration);
            Q_EMIT checkedChanged();
            if (m_inRun) Q_EMIT postureChanged();
        },
        Qt::QueuedConnection);
    m_checker = std::make_unique<LiveChecker>(
        [this](std::shared_ptr<const CheckedCell> checked) { Q_EMIT delivered(std::move(checked)); });
    m_checker->submit(m_history.current(), m_history.revision());
    m_work = std::make_unique<Background>(*this, "The run");
    // Nothing comes of a run that broke down.
    connect(m_work.get(), &Background::ended, this, [this] { m_making.reset(); });
}

// Runs that are being worked out are asked to end; what works on them waits.
Session::~Session() { m_stop.request_stop(); }

const Routine& Session::routine() const
{
    const auto looked = m_looked.find(m_arm);
    const Routine* routine = looked == m_looked.end() ? nullptr : findRoutine(cell(), looked->second);
    return routine && (!routine->arm || routine->arm == m_arm) ? *routine : routineOf(cell(), station());
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
    if (routine->arm) takeInHand(routine->arm);
    if (routineOf(cell(), station()).id == id) m_looked.erase(m_arm);
    else m_looked[m_arm] = id;
    dropLostSelection();
    Q_EMIT cellChanged();
}

const std::map<TargetId, const Finding*>& Session::worst() const
{
    if (m_worstOf != m_checked) {
        m_worstOf = m_checked;
        m_worst = m_checked ? worstOfTargets(m_checked->result) : std::map<TargetId, const Finding*>();
        m_judged.clear();
        if (m_checked)
            for (const TargetVerdict& verdict : m_checked->result.targets)
                m_judged.insert(verdict.target);
    }
    return m_worst;
}

bool Session::isJudged(TargetId id) const
{
    worst();
    const Target* now = findTarget(cell(), id);
    return now && m_judged.contains(id) && findTarget(*m_checked->cell, id) == now;
}

namespace {

bool sameArms(const Cell& one, const Cell& other)
{
    const auto same = [](const ArmStation& a, const ArmStation& b) { return a.id == b.id && a.model == b.model; };
    return one.arms.isShared(other.arms)
           || std::equal(one.arms.begin(), one.arms.end(), other.arms.begin(), other.arms.end(), same);
}

}  // namespace

const Trace* Session::trace() const
{
    // A run of other arms than the cell has now cannot be shown any more.
    if (!m_checked || !sameArms(playedCell(), cell())) return nullptr;
    const Trace& trace = m_played ? *m_played : m_checked->result.trace;
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
    m_also.clear();
    m_checked.reset();
    m_ghost.reset();
    m_ways.clear();
    m_readingFrame = {};
    m_pivot = {};
    m_picked.reset();
    m_overlay.reset();
    m_arm = this->cell().arms.front().id;
    m_looked.clear();
    m_postures.clear();
    m_axes.clear();
    m_stood.clear();
    m_forth.clear();
    m_halts.clear();
    m_kept.reset();
    m_sentTurns.clear();
    m_touch = {};
    m_posture = homePosture(this->cell(), station());
    Q_EMIT opened();
    changed(true);
    QTimer::singleShot(3000, this, [] { giveBackSmallBlocks(); });
    Q_EMIT keptChanged();
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

void Session::saved(const QString& path, const CellPtr& cell)
{
    m_path = path;
    m_history.markSaved(cell);
    Q_EMIT saveStateChanged();
}

void Session::report(const Error& error) { say(text(error.line()), true); }

void Session::changed(bool another)
{
    m_preview.reset();
    m_pass = 0;
    dropRun();
    const bool left = m_inRun && m_checked && !sameArms(cell(), *m_checked->cell);
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
    m_checker->submit(m_history.current(), m_history.revision(), another);
    Q_EMIT cellChanged();
    Q_EMIT saveStateChanged();
    if (left) {
        Q_EMIT runChanged();
        Q_EMIT postureChanged();
    }
}

bool Session::isThere(const Selection& thing) const
{
    const auto there = [this](const auto& id) {
        using IdType = std::decay_t<decltype(id)>;
        if constexpr (std::is_same_v<IdType, FrameId>) return findFrame(cell(), id) != nullptr;
        else if constexpr (std::is_same_v<IdType, PartId>) return findPart(cell(), id) != nullptr;
        else if constexpr (std::is_same_v<IdType, ToolId>) return findTool(cell(), id) != nullptr;
        else if constexpr (std::is_same_v<IdType, TargetId>) return findTarget(cell(), id) != nullptr;
        else if constexpr (std::is_same_v<IdType, StepId>) return findStep(routine().steps, id) != nullptr;
        else if constexpr (std::is_same_v<IdType, PatternId>) return findPattern(cell(), id) != nullptr;
        else if constexpr (std::is_same_v<IdType, ArmId>) return findArm(cell(), id) != nullptr;
        else return true;  // nothing
    };
    return std::visit(there, thing);
}

void Session::dropLostSelection()
{
    const auto lost = [this](const Selection& thing) { return !isThere(thing); };
    const bool fewer = std::erase_if(m_also, lost) > 0;
    if (lost(m_selection)) {
        m_selection = m_also.empty() ? Selection() : m_also.back();
        if (!m_also.empty()) m_also.pop_back();
        Q_EMIT selectionChanged();
    } else if (fewer) {
        Q_EMIT selectionChanged();
    }
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
    if (selection == m_selection && m_also.empty()) return;
    // What is named may be gone by now: a finding of a step that was deleted.
    m_selection = isThere(selection) ? selection : Selection();
    m_also.clear();
    m_pass = 0;
    Q_EMIT selectionChanged();
}

void Session::selectMany(const std::vector<Selection>& things)
{
    if (things.empty()) return select({});
    std::vector<Selection> also;
    for (const Selection& thing : things)
        if (thing.index() == things.back().index() && thing != things.back() && isThere(thing)) also.push_back(thing);
    // Sorted: what is drawn asks for each thing whether it is among them.
    std::sort(also.begin(), also.end());
    also.erase(std::unique(also.begin(), also.end()), also.end());
    if (things.back() == m_selection && also == m_also) return;
    m_selection = isThere(things.back()) ? things.back() : Selection();
    m_also = std::move(also);
    Q_EMIT selectionChanged();
}

void Session::toggle(const Selection& thing)
{
    std::vector<Selection> things = everySelected();
    if (std::erase(things, thing) == 0) things.push_back(thing);
    selectMany(things);
}

std::vector<Selection> Session::everySelected() const
{
    std::vector<Selection> out = m_also;
    if (m_selection != Selection()) out.push_back(m_selection);
    return out;
}

bool Session::isSelected(const Selection& thing) const
{
    return thing == m_selection || std::binary_search(m_also.begin(), m_also.end(), thing);
}

void Session::selectNew(const Selection& selection)
{
    select(selection);
    Q_EMIT nameWanted();
}

}  // namespace topikos
