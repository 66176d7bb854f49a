#include "app/route/route_panel.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/program/step_text.h"

#include <QMimeData>

/// The verdict on what is typed or dragged, before it is taken or dropped.
namespace topikos {

namespace {

/// The run of a cell that a routine is in: of what the arms run, or of the routine by itself when they do not come to
/// it.
Trace runWith(const Cell& cell, const Routine& routine, const RunOptions& options)
{
    const bool alone = routine.parameters.empty() && !reachedRoutines(cell).contains(routine.id);
    return alone ? simulate(cell, routine, options) : simulate(cell, options);
}

/// What is wrong and what helps, without the place.
QString wordsOf(Error error)
{
    error.where.clear();
    return text(error.line());
}

}  // namespace

void RoutePanel::judgeTyped()
{
    const QString typed = m_type->text().trimmed();
    if (typed.isEmpty()) return m_verdict->hide();
    QString words;
    bool bad = true;
    const StepPlace place = insertPlace();
    const Result<Step> step = parseStep(m_session.cell(), scopeAt(place), typed.toStdString());
    if (!step) {
        words = wordsOf(step.error());
    } else {
        // Tried on a copy of the cell, at its place in the routine.
        std::vector<StepId> created;
        const Result<Cell> tried = insertSteps(m_session.cell(), m_session.routine().id, place, {*step}, &created);
        if (!tried) {
            words = wordsOf(tried.error());
        } else {
            const Routine& routine = *findRoutine(*tried, m_session.routine().id);
            RunOptions options;
            options.plans = &m_session.plans();
            options.upTo = created.front();
            const Trace trace = runWith(*tried, routine, options);
            const StepOutcome* outcome = nullptr;
            ArmId arm;
            for (const ArmTrace& own : trace.arms)
                for (const StepOutcome& o : own.outcomes)
                    if (!outcome && o.step == created.front()) outcome = &o, arm = own.arm;
            const size_t number = numberOf(routine.steps, created.front()).value_or(0) + 1;
            const std::vector<Finding> findings =
                outcome ? stepFindings(*tried, arm, *outcome) : std::vector<Finding>();
            bad = std::any_of(findings.begin(), findings.end(),
                              [](const Finding& f) { return f.severity == Severity::Blocked; });
            if (!findings.empty()) {
                const FindingText t = findingText(*tried, findings.front());
                words = text(t.headline + ". " + t.detail);
            } else if (outcome) {
                words = QString("Step %1 would take %2 s. Enter inserts it.")
                            .arg(number)
                            .arg(QString::number(outcome->move ? outcome->move->profile.duration : outcome->duration,
                                                 'f', 2));
            } else {
                words = QString("Step %1. Enter inserts it.").arg(number);
            }
        }
    }
    showVerdict(words, bad);
}

void RoutePanel::judgeDrag(const QMimeData& mime, QPoint at)
{
    const Steps& steps = m_session.routine().steps;
    std::vector<StepId> dragged = RouteModel::stepsOf(mime);
    std::erase_if(dragged, [&](StepId id) { return !findStep(steps, id); });
    if (dragged.empty()) return;
    const QModelIndex index = m_list->indexAt(at);
    const bool lower = index.isValid() && at.y() > m_list->visualRect(index).center().y();
    const StepPlace place = m_model->placeBefore(index.isValid() ? index.row() + lower : m_model->rowCount());
    if (m_dragged == place) return;
    m_dragged = place;
    const RoutineId id = m_session.routine().id;
    const Result<Cell> tried = topikos::moveSteps(m_session.cell(), id, dragged, m_model->placeWithout(dragged, place));
    QString words;
    bool bad = true;
    if (!tried) {
        words = wordsOf(tried.error());
    } else {
        RunOptions options;
        options.plans = &m_session.plans();
        options.rounds = kCheckedRounds;
        const Trace trace = runWith(*tried, *findRoutine(*tried, id), options);
        int blocked = 0;
        for (const ArmTrace& arm : trace.arms)
            for (const StepOutcome& outcome : arm.outcomes)
                blocked += outcome.blocks();
        bad = blocked > 0;
        words = blocked > 0 ? QString("Dropped here, %1 %2.")
                                  .arg(blocked)
                                  .arg(blocked == 1 ? "step is blocked" : "steps are blocked")
                            : QString("Dropped here, the cycle takes %1 s.").arg(cyclesOf(trace).time, 0, 'f', 2);
    }
    showVerdict(words, bad);
}

void RoutePanel::showVerdict(const QString& words, bool bad)
{
    m_verdict->setText(words);
    m_verdict->setStyleSheet(
        QString("color: %1; font-size: 12px;").arg((bad ? theme().blocked : theme().accent).name()));
    m_verdict->show();
}

void RoutePanel::takeTyped()
{
    const StepPlace place = insertPlace();
    const Result<Step> step = parseStep(m_session.cell(), scopeAt(place), m_type->text().trimmed().toStdString());
    if (!step) return;  // the reason is shown
    if (!m_model->insertSteps({*step}, place, "Insert a step")) return;
    m_type->clear();
    m_before = false;
    m_prompt->setText("Type a step");
}

}  // namespace topikos
