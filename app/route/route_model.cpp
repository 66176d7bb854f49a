#include "app/route/route_model.h"

#include "app/session/text.h"
#include "core/cell/edit_steps.h"
#include "core/program/step_text.h"

#include <QGuiApplication>
#include <QMimeData>

namespace topikos {

RouteModel::RouteModel(Session& session, QObject* parent) : QAbstractListModel(parent), m_session(session)
{
    m_steps = session.routine().steps;
    connect(&session, &Session::cellChanged, this, &RouteModel::refresh);
    connect(&session, &Session::checkedChanged, this, &RouteModel::readCheck);
    readCheck();
    for (const auto signal : {&Session::checkedChanged, &Session::postureChanged, &Session::runChanged})
        connect(&session, signal, this, [this] {
            if (!m_steps.empty()) Q_EMIT dataChanged(index(0), index(int(m_steps.size()) - 1));
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
    const auto addTimes = [this](const Trace& trace) {
        for (const ArmTrace& arm : trace.arms)
            for (const ArmTrace::Span& span : arm.spans)
                m_verdicts[arm.outcomes[span.outcome].step].seconds = span.end - span.start;
    };
    addTimes(checked->result.trace);
    for (const Trace& trace : checked->result.alone)
        addTimes(trace);
}

void RouteModel::refresh()
{
    const Table<Step>& now = m_session.routine().steps;
    const bool sameRows = std::equal(now.begin(), now.end(), m_steps.begin(), m_steps.end(),
                                     [](const Step& a, const Step& b) { return a.id == b.id; });
    if (sameRows) {
        m_steps = now;
        if (!m_steps.empty()) Q_EMIT dataChanged(index(0), index(int(m_steps.size()) - 1));
    } else {
        beginResetModel();
        m_steps = now;
        endResetModel();
    }
}

int RouteModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(m_steps.size()); }

StepId RouteModel::idAt(int row) const
{
    return row >= 0 && row < int(m_steps.size()) ? m_steps[size_t(row)].id : StepId{};
}

int RouteModel::rowOf(StepId step) const
{
    const auto place = m_steps.placeOf(step);
    return place ? int(*place) : -1;
}

QVariant RouteModel::data(const QModelIndex& index, int role) const
{
    if (!index.isValid() || index.row() >= int(m_steps.size())) return {};
    const Cell& cell = m_session.cell();
    const Step& step = m_steps[size_t(index.row())];
    const Target* target = step.isMove() ? findTarget(cell, step.target) : nullptr;
    switch (role) {
    case Qt::EditRole: return text(stepText(cell, step));
    case Qt::DisplayRole:
    case MainRole:
        if (target) return (step.standoff > 0 ? "over " : "to ") + text(target->name);
        // That it is left out is told by its line, not by its word.
        return text(stepText(cell, step)).mid(step.off ? 4 : 0);
    case MoreRole: {
        if (!target) return QString();
        QStringList more;
        if (step.standoff > 0) more << lengthText(step.standoff, 0) + " mm";
        if (step.kind == Step::Kind::Line) more << lengthText(step.lineSpeed, 0) + " mm/s";
        else if (step.jointSpeed < 1) more << text(plainNumber(step.jointSpeed * 100, 1)) + " %";
        if (step.blend > 0) more << "blend " + lengthText(step.blend, 0) + " mm";
        return more.join(" · ");
    }
    case KindRole: return int(step.kind);
    case OffRole: return step.off;
    case FrameRole:
        return target && target->kind == Target::Kind::Pose ? QVariant(text(frameName(cell, target->frame)))
                                                            : QVariant();
    case SecondsRole:
    case SeverityRole: {
        const auto verdict = m_verdicts.find(step.id);
        if (verdict == m_verdicts.end()) return {};
        if (role == SeverityRole) return verdict->second.severity ? QVariant(*verdict->second.severity) : QVariant();
        return verdict->second.seconds ? QVariant(*verdict->second.seconds) : QVariant();
    }
    case HereRole: {
        // Marks the steps whose target is where the arm stands.
        if (!target || step.standoff > 0) return false;
        if (target->arm != m_session.station().id) return false;
        const JointVector posture = m_session.shownPosture();
        if (target->kind == Target::Kind::Posture) return (target->posture - posture).cwiseAbs().maxCoeff() < 1e-4;
        const PoseDeviation away = deviation(m_session.shownPlace(target->frame) * target->pose, m_session.shownTcp());
        return away.metres < 1e-4 && away.radians < 1e-3;
    }
    case RunsRole: return m_session.shownStep() == step.id;
    case Qt::ToolTipRole: {
        QString tip = text(stepText(cell, step));
        if (const auto verdict = m_verdicts.find(step.id); verdict != m_verdicts.end()) tip += verdict->second.words;
        return tip;
    }
    default: return {};
    }
}

bool RouteModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || !index.isValid()) return false;
    const Step before = m_steps[size_t(index.row())];
    // The text is all of the step: what is left out of it is at its default.
    const Result<Step> typed = parseStep(m_session.cell(), value.toString().toStdString());
    if (!typed) {
        m_session.say(text(typed.error().line()), true);
        return false;
    }
    if (stepText(m_session.cell(), *typed) == stepText(m_session.cell(), before)) return true;
    Step next = *typed;
    next.id = before.id;
    const RoutineId routine = m_session.routine().id;
    return m_session.edit(QString("Change step %1").arg(index.row() + 1),
                          [=](const Cell& cell) { return changeStep(cell, routine, next); });
}

Qt::ItemFlags RouteModel::flags(const QModelIndex& index) const
{
    if (!index.isValid()) return Qt::ItemIsDropEnabled;
    return Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable | Qt::ItemIsDragEnabled;
}

QMimeData* RouteModel::mimeData(const QModelIndexList& indexes) const
{
    std::vector<int> rows;
    for (const QModelIndex& index : indexes)
        rows.push_back(index.row());
    std::sort(rows.begin(), rows.end());
    QByteArrayList ids;
    for (const int row : rows)
        ids << QByteArray::number(idAt(row).value);
    auto* data = new QMimeData;
    data->setData("application/x-topikos-steps", ids.join(' '));
    return data;
}

bool RouteModel::dropMimeData(const QMimeData* data, Qt::DropAction, int row, int, const QModelIndex& parent)
{
    const int place = row >= 0 ? row : parent.isValid() ? parent.row() : int(m_steps.size());
    if (data->hasFormat(kTargetsMime)) {
        dropTargets(*data, size_t(place));
        return false;
    }
    std::vector<StepId> steps;
    for (const QByteArray& word : data->data("application/x-topikos-steps").split(' '))
        if (const StepId id{word.toUInt()}; rowOf(id) >= 0) steps.push_back(id);
    if (steps.empty()) return false;
    // Behind those that stay where they are.
    int to = 0;
    for (int r = 0; r < place; ++r)
        to += std::find(steps.begin(), steps.end(), idAt(r)) == steps.end();
    moveSteps(steps, size_t(to));
    return false;  // the rows are moved by the edit, not by the view
}

bool RouteModel::moveSteps(const std::vector<StepId>& steps, size_t to)
{
    const RoutineId routine = m_session.routine().id;
    const std::vector<Selection> all(steps.begin(), steps.end());
    const bool done = m_session.edit(steps.size() == 1 ? QString("Move step %1").arg(rowOf(steps.front()) + 1)
                                                       : QString("Move %1 steps").arg(steps.size()),
                                     [&](const Cell& cell) { return topikos::moveSteps(cell, routine, steps, to); });
    m_session.selectMany(all);
    return done;
}

bool RouteModel::dropTargets(const QMimeData& data, size_t row)
{
    std::vector<Step> moves;
    for (const QByteArray& word : data.data(kTargetsMime).split(' '))
        if (const Target* target = findTarget(m_session.cell(), {word.toUInt()})) {
            Step step;
            step.target = target->id;
            // A line goes to a pose only.
            const bool line = QGuiApplication::queryKeyboardModifiers() & Qt::ShiftModifier;
            step.kind = line && target->kind == Target::Kind::Pose ? Step::Kind::Line : Step::Kind::JointMove;
            moves.push_back(step);
        }
    return insertSteps(moves, row, moves.size() == 1 ? "Insert a move" : QString("Insert %1 moves").arg(moves.size()));
}

bool RouteModel::insertSteps(const std::vector<Step>& steps, size_t row, const QString& label)
{
    if (steps.empty()) return false;
    const RoutineId routine = m_session.routine().id;
    std::vector<StepId> made;
    const bool done = m_session.edit(label, [&](const Cell& cell) {
        made.clear();
        return topikos::insertSteps(cell, routine, row, steps, &made);
    });
    if (done) m_session.selectMany({made.begin(), made.end()});
    return done;
}

}  // namespace topikos
