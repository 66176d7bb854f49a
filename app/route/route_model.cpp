#include "app/route/route_model.h"

#include "app/session/text.h"
#include "core/cell/edit_steps.h"
#include "core/program/program_text.h"
#include "core/program/step_text.h"

#include <QGuiApplication>
#include <QMimeData>

namespace topikos {

namespace {

constexpr const char* kStepsMime = "application/x-topikos-steps";

}  // namespace

RouteModel::RouteModel(Session& session, QObject* parent) : QAbstractListModel(parent), m_session(session)
{
    m_now = rowsNow();
    connect(&session, &Session::cellChanged, this, &RouteModel::refresh);
    connect(&session, &Session::checkedChanged, this, &RouteModel::readCheck);
    readCheck();
    for (const auto signal :
         {&Session::checkedChanged, &Session::postureChanged, &Session::runChanged, &Session::passChanged})
        connect(&session, signal, this, [this] {
            if (!m_now.rows.empty()) Q_EMIT dataChanged(index(0), index(int(m_now.rows.size()) - 1));
        });
}

void RouteModel::readCheck()
{
    m_verdicts.clear();
    const CheckedCell* checked = m_session.checked();
    if (!checked) return;
    for (const Finding* f : withFollowUps(checked->result.findings)) {
        if (!f->step) continue;
        Verdict& verdict = m_verdicts[f->step];
        verdict.severity = std::max(int(f->severity), verdict.severity.value_or(0));
        verdict.words += "\n" + text(findingText(*checked->cell, *f).line());
    }
    std::map<StepId, StepId> blockOf;
    for (const Routine& routine : checked->cell->routines)
        for (const StepRow& row : rowsOf(routine.steps))
            if (row.place.block) blockOf[row.step->id] = row.place.block;
    // A step counts for the blocks around it, and for those around the calls that led to it.
    const auto add = [&](StepId step, double seconds) {
        while (step) {
            std::optional<double>& own = m_verdicts[step].seconds;
            own = own.value_or(0) + seconds;
            const auto block = blockOf.find(step);
            step = block == blockOf.end() ? StepId() : block->second;
        }
    };
    const auto addTimes = [&](const Trace& trace) {
        for (const ArmTrace& arm : trace.arms) {
            for (const ArmTrace::Span& span : arm.spans) {
                const StepOutcome& outcome = arm.outcomes[span.outcome];
                add(outcome.step, span.end - span.start);
                for (const Within* w = outcome.within.get(); w; w = w->outer.get())
                    if (w->call) add(w->step, span.end - span.start);
            }
            for (const StepOutcome& outcome : arm.outcomes) {
                if (!outcome.target) continue;
                std::vector<TargetId>& own = m_verdicts[outcome.step].targets;
                if (std::find(own.begin(), own.end(), outcome.target) == own.end()) own.push_back(outcome.target);
            }
        }
    };
    addTimes(checked->result.trace);
    for (const Trace& trace : checked->result.alone)
        addTimes(trace);
}

void RouteModel::addRows(const Steps& steps, const StepPlace& list, int depth, size_t& number, bool shown,
                         Rows& out) const
{
    StepPlace place = list;
    for (place.at = 0; place.at < steps.size(); ++place.at) {
        const Step& step = steps[place.at];
        if (shown) {
            out.rowOf[step.id] = int(out.rows.size());
            out.rows.push_back({&step, depth, number, false, place});
        }
        ++number;
        const bool open = shown && !m_folded.contains(step.id);
        addRows(step.body, {step.id, false, 0}, depth + 1, number, open, out);
        if (step.otherwise.empty()) continue;
        if (open) out.rows.push_back({&step, depth, 0, true, {step.id, true, 0}});
        addRows(step.otherwise, {step.id, true, 0}, depth + 1, number, open, out);
    }
}

RouteModel::Rows RouteModel::rowsNow() const
{
    Rows out;
    out.steps = m_session.routine().steps;
    size_t number = 0;
    addRows(out.steps, {}, 0, number, true, out);
    out.cell = m_session.history().current();
    return out;
}

const Vocabulary& RouteModel::vocabulary() const
{
    // Made for who reads it, not at every edit.
    if (!m_now.words) m_now.words = std::make_shared<const Vocabulary>(*m_now.cell);
    return *m_now.words;
}

void RouteModel::refresh()
{
    if (m_now.steps.isShared(m_session.routine().steps)) {
        // Something else was edited: what the steps say may read differently, and that is all.
        m_now.cell = m_session.history().current();
        m_now.words.reset();
        if (!m_now.rows.empty()) Q_EMIT dataChanged(index(0), index(int(m_now.rows.size()) - 1));
        return;
    }
    Rows next = rowsNow();
    const bool sameRows = std::equal(next.rows.begin(), next.rows.end(), m_now.rows.begin(), m_now.rows.end(),
                                     [](const Row& a, const Row& b) {
                                         return a.step->id == b.step->id && a.depth == b.depth && a.isElse == b.isElse;
                                     });
    if (sameRows) {
        m_now = std::move(next);
        if (!m_now.rows.empty()) Q_EMIT dataChanged(index(0), index(int(m_now.rows.size()) - 1));
        return;
    }
    beginResetModel();
    m_now = std::move(next);
    endResetModel();
}

void RouteModel::setFolded(StepId block, bool folded)
{
    if (folded == m_folded.contains(block)) return;
    beginResetModel();
    if (folded) m_folded.insert(block);
    else m_folded.erase(block);
    m_now = rowsNow();
    endResetModel();
}

int RouteModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(m_now.rows.size()); }

StepId RouteModel::idAt(int row) const
{
    return row >= 0 && row < int(m_now.rows.size()) ? m_now.rows[size_t(row)].step->id : StepId{};
}

int RouteModel::rowOf(StepId step) const
{
    const auto found = m_now.rowOf.find(step);
    return found == m_now.rowOf.end() ? -1 : found->second;
}

size_t RouteModel::numberOf(StepId step) const { return topikos::numberOf(m_now.steps, step).value_or(0); }

bool RouteModel::hasFold(int row) const
{
    if (row < 0 || row >= int(m_now.rows.size()) || m_now.rows[size_t(row)].isElse) return false;
    return isBlock(*m_now.rows[size_t(row)].step);
}

StepPlace RouteModel::placeBefore(int row) const
{
    if (row < 0) row = 0;
    if (row >= int(m_now.rows.size())) return {{}, false, m_now.steps.size()};
    const Row& own = m_now.rows[size_t(row)];
    // Before "else" is behind the last step of the body.
    if (own.isElse) return {own.step->id, false, own.step->body.size()};
    return own.place;
}

StepPlace RouteModel::placeBehind(StepId step) const
{
    const auto place = topikos::placeOf(m_now.steps, step);
    if (!place) return {{}, false, m_now.steps.size()};
    const Step& own = *findStep(m_now.steps, step);
    if (hasBody(own.kind()) && !m_folded.contains(step)) return {step, false, 0};
    return {place->block, place->otherwise, place->at + 1};
}

QVariant RouteModel::data(const QModelIndex& index, int role) const
{
    if (!index.isValid() || index.row() >= int(m_now.rows.size())) return {};
    const Cell& cell = *m_now.cell;
    const Row& row = m_now.rows[size_t(index.row())];
    const Step& step = *row.step;
    if (row.isElse) {
        switch (role) {
        case Qt::DisplayRole:
        case MainRole: return "else";
        case KindRole: return int(StepKind::If);
        case DepthRole: return row.depth;
        case ElseRole: return true;
        case NumberRole: return 0;
        case OffRole: return step.off;
        case Qt::ToolTipRole:
            return step.kind() == StepKind::If ? "Done when the condition does not hold" : "Done when the time is up";
        default: return {};
        }
    }
    const AtPlace* end = endOf(step);
    const Target* target = findTarget(cell, targetOf(step));
    const auto verdict = m_verdicts.find(step.id);
    const auto typed = [&] {
        const StepScope scope{m_session.routine(), loopsAround(m_now.steps, row.place.block)};
        const QString words = text(stepText(vocabulary(), step, &scope));
        return step.kind() == StepKind::Note ? text(step.note) : words;
    };
    switch (role) {
    case Qt::EditRole:
        return typed() + (step.note.empty() || step.kind() == StepKind::Note ? QString() : "  # " + text(step.note));
    case Qt::DisplayRole:
    case MainRole: {
        const bool plain = target && (step.kind() == StepKind::Joint || step.kind() == StepKind::Line);
        if (plain) {
            const QString stage = text(stageWords(end->stage));
            return (end->over > 0 ? "over " : stage.isEmpty() ? "to " : stage + " of ") + text(target->name);
        }
        // That it is left out is told by its line, not by its word; and what kind it is by its glyph.
        QString words = typed();
        if (step.off && step.kind() != StepKind::Note) words = words.mid(4);
        const JointMove* joint = step.as<JointMove>();
        const bool ofOneJoint = joint && std::holds_alternative<JointShift>(joint->goal);
        if (step.kind() == StepKind::Line || (joint && !ofOneJoint)) words = words.section(' ', 1);
        const bool hasPace = step.isMove() || step.kind() == StepKind::Follow;
        const qsizetype pace = hasPace ? words.indexOf(" at ") : -1;
        return pace > 0 ? words.left(pace) : words;
    }
    case MoreRole: {
        QStringList more;
        if (target && end && end->isOff() && step.kind() != StepKind::Arc)
            more << lengthText(distanceOff(*target, end->standoff()), 0);
        if (const LineMove* line = step.as<LineMove>()) more << speedText(line->speed);
        if (const ArcMove* arc = step.as<ArcMove>()) more << speedText(arc->speed);
        if (const Follow* follow = step.as<Follow>()) more << speedText(follow->speed);
        if (const JointMove* joint = step.as<JointMove>(); joint && joint->speed < 1)
            more << text(plainNumber(joint->speed * 100, 1)) + " %";
        if (const Pace* pace = paceOf(step)) {
            if (pace->turnSpeed > 0) more << text(plainNumber(degrees(pace->turnSpeed), 1)) + " °/s";
            if (pace->acceleration < 1) more << text(plainNumber(pace->acceleration * 100, 0)) + " % acc.";
            if (pace->blend > 0) more << "blend " + lengthText(pace->blend, 0);
        }
        if (end && !target)
            if (const StepOutcome* pass = m_session.passOutcome(step.id))
                if (const Target* here = findTarget(cell, pass->target)) more.prepend("→ " + text(here->name));
        if (hasBody(step.kind()) && m_folded.contains(step.id))
            more << QString("%1 steps").arg(countSteps(step.body) + countSteps(step.otherwise));
        if (!step.note.empty() && step.kind() != StepKind::Note) more << "# " + text(step.note);
        return more.join(" · ");
    }
    case KindRole: return int(step.kind());
    case OffRole: return step.off;
    case DepthRole: return row.depth;
    case FoldRole: return isBlock(step) ? QVariant(m_folded.contains(step.id)) : QVariant();
    case NumberRole: return int(row.number) + 1;
    case ElseRole: return false;
    case HaltRole: return m_session.haltsAt(step.id);
    case FrameRole:
        return target && target->kind == Target::Kind::Pose ? QVariant(text(frameName(cell, target->frame)))
                                                            : QVariant();
    case SecondsRole:
    case SeverityRole: {
        if (verdict == m_verdicts.end()) return {};
        if (role == SeverityRole) return verdict->second.severity ? QVariant(*verdict->second.severity) : QVariant();
        // Of a step that is done several times the pass that is looked at; of a block all of them.
        if (!isBlock(step) && step.kind() != StepKind::Call && step.kind() != StepKind::Follow)
            if (const StepOutcome* pass = m_session.passOutcome(step.id); pass && !pass->judgedOnly)
                return pass->duration;
        return verdict->second.seconds ? QVariant(*verdict->second.seconds) : QVariant();
    }
    case HereRole: {
        // Marks the steps whose target is where the arm stands.
        if (!end || end->isOff()) return false;
        std::vector<TargetId> goals;
        if (target) goals = {target->id};
        else if (verdict != m_verdicts.end()) goals = verdict->second.targets;
        for (const TargetId id : goals) {
            const Target* goal = findTarget(cell, id);
            if (!goal || goal->arm != m_session.station().id) continue;
            const JointVector posture = m_session.shownPosture();
            if (goal->kind == Target::Kind::Posture) {
                if ((goal->posture - posture).cwiseAbs().maxCoeff() < 1e-4) return true;
                continue;
            }
            const PoseDeviation away = deviation(m_session.shownPlace(goal->frame) * goal->pose, m_session.shownTcp());
            if (away.metres < 1e-4 && away.radians < 1e-3) return true;
        }
        return false;
    }
    case RunsRole: return m_session.runsIn(step.id);
    case Qt::ToolTipRole: {
        QString tip = typed();
        if (const int many = m_session.passesOf(step.id); many > 1 && step.kind() != StepKind::Follow)
            tip += QString("\nDone %1 times").arg(many);
        if (verdict != m_verdicts.end()) tip += verdict->second.words;
        return tip;
    }
    default: return {};
    }
}

bool RouteModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || !index.isValid() || m_now.rows[size_t(index.row())].isElse) return false;
    const Row row = m_now.rows[size_t(index.row())];
    const Step before = *row.step;
    const StepScope scope{m_session.routine(), loopsAround(m_now.steps, row.place.block)};
    QString words = value.toString().trimmed();
    if (before.kind() == StepKind::Note && !words.startsWith('#')) words.prepend("# ");
    // The text is all of the step: what is left out of it is at its default.
    Result<Step> typed = parseStep(vocabulary(), scope, words.toStdString());
    if (!typed) {
        m_session.say(text(typed.error().line()), true);
        return false;
    }
    Step next = std::move(typed).value();
    next.id = before.id;
    if (hasBody(next.kind())) next.body = before.body;
    if (hasOtherwise(next.kind()) && next.otherwise.empty()) next.otherwise = before.otherwise;
    if (next == before) return true;
    if (stepText(vocabulary(), next, &scope) == stepText(vocabulary(), before, &scope) && next.note == before.note)
        return true;
    if (!before.body.empty() && next.body.empty()) {
        m_session.say("The step holds others; take them out before it becomes something else.", true);
        return false;
    }
    const RoutineId routine = m_session.routine().id;
    return m_session.edit(QString("Change step %1").arg(row.number + 1),
                          [=](const Cell& cell) { return changeStep(cell, routine, next); });
}

Qt::ItemFlags RouteModel::flags(const QModelIndex& index) const
{
    if (!index.isValid()) return Qt::ItemIsDropEnabled;
    if (isElse(index.row())) return Qt::ItemIsEnabled;
    return Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable | Qt::ItemIsDragEnabled;
}

QMimeData* RouteModel::mimeData(const QModelIndexList& indexes) const
{
    std::vector<int> rows;
    for (const QModelIndex& index : indexes)
        rows.push_back(index.row());
    std::sort(rows.begin(), rows.end());
    QByteArrayList ids;
    std::vector<StepId> steps;
    for (const int row : rows) {
        ids << QByteArray::number(idAt(row).value);
        steps.push_back(idAt(row));
    }
    auto* data = new QMimeData;
    data->setData(kStepsMime, ids.join(' '));
    data->setText(text(stepsText(*m_now.cell, m_session.routine(), outermost(m_now.steps, steps))));
    return data;
}

bool RouteModel::dropMimeData(const QMimeData* data, Qt::DropAction, int row, int, const QModelIndex& parent)
{
    const StepPlace place = placeBefore(row >= 0 ? row : parent.isValid() ? parent.row() : int(m_now.rows.size()));
    if (data->hasFormat(kTargetsMime)) {
        dropTargets(*data, place);
        return false;
    }
    if (!data->hasFormat(kStepsMime) && data->hasText()) {
        // Text from any editor.
        const Result<std::vector<Step>> typed = parseSteps(
            *m_now.cell, m_session.routine(), loopsAround(m_now.steps, place.block), data->text().toStdString());
        if (typed) insertSteps(*typed, place, "Insert steps");
        else m_session.say("These are no steps for here: " + text(typed.error().line()), true);
        return false;
    }
    std::vector<StepId> steps = stepsOf(*data);
    std::erase_if(steps, [&](StepId id) { return !findStep(m_now.steps, id); });
    if (steps.empty()) return false;
    moveSteps(steps, place);
    return false;  // the rows are moved by the edit, not by the view
}

std::vector<StepId> RouteModel::stepsOf(const QMimeData& data)
{
    std::vector<StepId> out;
    if (!data.hasFormat(kStepsMime)) return out;
    for (const QByteArray& word : data.data(kStepsMime).split(' '))
        out.push_back({word.toUInt()});
    return out;
}

StepPlace RouteModel::placeWithout(const std::vector<StepId>& steps, StepPlace place) const
{
    const std::set<StepId> gone(steps.begin(), steps.end());
    if (const Steps* list = listOf(m_now.steps, place)) {
        const size_t end = std::min(place.at, list->size());
        for (size_t i = 0; i < end; ++i)
            place.at -= gone.contains((*list)[i].id);
    }
    return place;
}

bool RouteModel::moveSteps(const std::vector<StepId>& steps, const StepPlace& place)
{
    const RoutineId routine = m_session.routine().id;
    const std::vector<StepId> outer = outermost(m_now.steps, steps);
    const StepPlace to = placeWithout(outer, place);
    const std::vector<Selection> all(outer.begin(), outer.end());
    const bool done = m_session.edit(outer.size() == 1 ? QString("Move step %1").arg(numberOf(outer.front()) + 1)
                                                       : QString("Move %1 steps").arg(outer.size()),
                                     [&](const Cell& cell) { return topikos::moveSteps(cell, routine, outer, to); });
    m_session.selectMany(all);
    return done;
}

bool RouteModel::dropTargets(const QMimeData& data, const StepPlace& place)
{
    std::vector<Step> moves;
    for (const QByteArray& word : data.data(kTargetsMime).split(' '))
        if (const Target* target = findTarget(m_session.cell(), {word.toUInt()})) {
            // A line goes to a pose only.
            const bool line = QGuiApplication::queryKeyboardModifiers() & Qt::ShiftModifier;
            moves.push_back(line && target->kind == Target::Kind::Pose ? lineTo(target->id) : jointTo(target->id));
        }
    return insertSteps(moves, place,
                       moves.size() == 1 ? "Insert a move" : QString("Insert %1 moves").arg(moves.size()));
}

bool RouteModel::insertSteps(const std::vector<Step>& steps, const StepPlace& place, const QString& label)
{
    if (steps.empty()) return false;
    const RoutineId routine = m_session.routine().id;
    std::vector<StepId> made;
    const bool done = m_session.edit(label, [&](const Cell& cell) {
        made.clear();
        return topikos::insertSteps(cell, routine, place, steps, &made);
    });
    if (done) m_session.selectMany({made.begin(), made.end()});
    return done;
}

}  // namespace topikos
