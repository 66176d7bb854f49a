#include "app/route/route_panel.h"

#include "app/fields/fields.h"
#include "app/route/time_table_dialog.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_support.h"
#include "core/program/new_step.h"
#include "core/program/program_text.h"

#include <QClipboard>
#include <QGuiApplication>

/// What is done with the steps that are selected.
namespace topikos {

namespace {

std::vector<StepId> idsOf(const std::vector<Step>& steps)
{
    std::vector<StepId> out;
    for (const Step& step : steps)
        out.push_back(step.id);
    return out;
}

/// Whether a text is meant as a time table: it has columns for the time and a joint.
bool isTimeTable(const std::string& words, const ArmStation& arm)
{
    const Result<TableText> table = splitTable(words);
    if (!table || !table->named) return false;
    const std::vector<TableColumn> columns = guessColumns(*table, arm);
    const auto has = [&](TableColumn::Use use) {
        return std::any_of(columns.begin(), columns.end(), [use](const TableColumn& c) { return c.use == use; });
    };
    return has(TableColumn::Use::Time) && has(TableColumn::Use::Joint);
}

/// "Delete step 3", or "Delete 2 steps".
QString labelOf(const QString& verb, const std::vector<Step>& steps, int row)
{
    return steps.size() == 1 ? QString("%1 step %2").arg(verb).arg(row + 1)
                             : QString("%1 %2 steps").arg(verb).arg(steps.size());
}

}  // namespace

void RoutePanel::typeBefore()
{
    if (!m_session.selected<StepId>()) return m_session.say("Select the step that it goes before.", true);
    m_before = true;
    m_prompt->setText("Type a step before it");
    focusTypeLine();
}

void RoutePanel::teachStep(StepKind kind, FrameId frame)
{
    // The target and its step are one edit.
    const RoutineId routine = m_session.routine().id;
    if (!m_session.routine().arm)
        return m_session.say("This routine is for every arm; its places are filled in by calls.", true);
    const StepPlace place = insertPlace();
    const ArmId arm = m_session.station().id;
    const std::string name = freeTargetName(m_session.cell(), "Target");
    std::vector<StepId> made;
    const bool done =
        m_session.edit(kind == StepKind::Line ? "Teach a line" : "Teach a joint move", [&](const Cell& cell) {
            made.clear();
            TargetId target;
            const Result<Cell> taken =
                takePoseTarget(cell, arm, frame, m_session.shownPosture(), name, &target, m_session.shownAxes());
            if (!taken) return taken;
            return insertSteps(*taken, routine, place, {kind == StepKind::Line ? lineTo(target) : jointTo(target)},
                               &made);
        });
    if (done) m_session.selectMany({made.begin(), made.end()});
}

void RoutePanel::copySelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    QGuiApplication::clipboard()->setText(text(stepsText(m_session.cell(), m_session.routine(), idsOf(steps))));
    m_session.say(steps.size() == 1 ? "The step is on the clipboard, as text."
                                    : QString("%1 steps are on the clipboard, as text.").arg(steps.size()));
}

void RoutePanel::cutSelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    copySelected();
    deleteSelected();
}

void RoutePanel::paste()
{
    const StepPlace place = insertPlace();
    const std::string words = QGuiApplication::clipboard()->text().toStdString();
    const Result<std::vector<Step>> steps =
        parseSteps(m_session.cell(), m_session.routine(), scopeAt(place).loops, words);
    if (!steps && isTimeTable(words, m_session.station())) return pasteTable();
    if (!steps) return m_session.say("The clipboard holds no steps for here: " + text(steps.error().line()), true);
    if (steps->empty()) return m_session.say("The clipboard holds no steps.", true);
    m_model->insertSteps(*steps, place,
                         steps->size() == 1 ? "Paste a step" : QString("Paste %1 steps").arg(steps->size()));
}

std::function<Result<Cell>(const Cell&, TimeTableId)> RoutePanel::withPlay(StepId* made) const
{
    return [routine = m_session.routine().id, place = insertPlace(), made](const Cell& cell, TimeTableId table) {
        std::vector<StepId> ids;
        Result<Cell> next = insertSteps(cell, routine, place, {Step{.action = PlayTable{table}}}, &ids);
        if (next) *made = ids.front();
        return next;
    };
}

void RoutePanel::bringTable()
{
    StepId made;
    if (askForTimeTable(m_session, this, {}, withPlay(&made))) m_session.select(made);
}

void RoutePanel::bringTable(const QString& path)
{
    StepId made;
    if (openTimeTable(m_session, this, path, {}, withPlay(&made))) m_session.select(made);
}

void RoutePanel::pasteTable()
{
    StepId made;
    if (bringTimeTable(m_session, this, QGuiApplication::clipboard()->text(), "Table", {}, withPlay(&made)))
        m_session.select(made);
}

void RoutePanel::wrapSelected(StepKind kind)
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const auto place = placeOf(m_session.routine().steps, steps.front().id);
    const Result<Action> action = newAction(m_session.cell(), scopeAt(*place), kind);
    if (!action) return m_session.say(text(action.error().line()), true);
    const RoutineId routine = m_session.routine().id;
    StepId made;
    if (m_session.edit(QString("Put into %1").arg(traitsOf(kind).name), [&](const Cell& cell) {
            return wrapSteps(cell, routine, idsOf(steps), Step{.action = *action}, &made);
        }))
        m_session.select(made);
}

void RoutePanel::unwrapSelected()
{
    const StepId step = m_session.selected<StepId>();
    if (!step) return m_session.say("Select a block first.", true);
    const RoutineId routine = m_session.routine().id;
    m_session.edit("Take out of its block", [&](const Cell& cell) { return unwrapStep(cell, routine, step); });
}

void RoutePanel::makeRoutineOfSelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const RoutineId routine = m_session.routine().id;
    const std::string name = freeNameIn(m_session.cell().routines, "Routine");
    RoutineId made;
    if (!m_session.edit("Make a routine of steps",
                        [&](const Cell& cell) { return makeRoutine(cell, routine, idsOf(steps), name, &made); }))
        return;
    m_session.showRoutine(made);
    m_title->setFocus();
    m_title->selectAll();
}

void RoutePanel::toggleHalt()
{
    const StepId step = m_session.selected<StepId>();
    if (!step) return m_session.say("Select the step that the run is to halt before.", true);
    m_session.toggleHalt(step);
}

void RoutePanel::foldSelected(bool folded)
{
    const StepId selected = m_session.selected<StepId>();
    const auto place = placeOf(m_session.routine().steps, selected);
    if (!place) return;
    const Step& step = *findStep(m_session.routine().steps, selected);
    // In a block that is no more: the one around it.
    const StepId block = isBlock(step) && m_model->isFolded(selected) != folded ? selected
                         : folded                                               ? place->block
                                                                                : StepId();
    if (!block) return;
    m_model->setFolded(block, folded);
    m_session.select(block);
    showSelection();
}

void RoutePanel::goToNextUse()
{
    const Cell& cell = m_session.cell();
    Used what = m_session.routine().id;
    QString name = text(m_session.routine().name);
    if (const TargetId chosen = m_session.selected<TargetId>()) {
        what = chosen;
        name = text(findTarget(cell, chosen)->name);
    } else if (const PatternId pattern = m_session.selected<PatternId>()) {
        what = pattern;
        name = text(findPattern(cell, pattern)->name);
    } else if (const Step* step = findStep(m_session.routine().steps, m_session.selected<StepId>())) {
        if (const TargetId target = targetOf(*step)) {
            what = target;
            name = text(findTarget(cell, target)->name);
        } else if (const Signal* signal = findSignal(cell, signalOf(*step))) {
            what = signal->id;
            name = text(signal->name);
        } else if (const Call* call = step->as<Call>()) {
            what = call->routine;
            name = text(findRoutine(cell, call->routine)->name);
        }
    }
    const std::vector<StepUse> all = stepsThatUse(cell, what);
    if (all.empty()) return m_session.say("No step uses " + name + ".");
    // On from the step that is selected.
    const StepId here = m_session.selected<StepId>();
    for (size_t i = 0; i < all.size(); ++i)
        if (all[i].step == here) m_use = i + 1;
    m_use %= all.size();
    const StepUse& use = all[m_use];
    m_session.showRoutine(use.routine);
    m_session.select(use.step);
    const QString place = text(topikos::wordsOf(cell, use));
    m_session.say(
        all.size() == 1
            ? QString("%1 is used once, by %2.").arg(name, place)
            : QString("%1 is used by %2 steps; use %3 is %4.").arg(name).arg(all.size()).arg(m_use + 1).arg(place));
    ++m_use;
}

void RoutePanel::insertKind(StepKind kind)
{
    const StepPlace place = insertPlace();
    const Result<Action> action = newAction(m_session.cell(), scopeAt(place), kind, m_lastTarget);
    if (!action && kind == StepKind::PlayTable && m_session.routine().arm) return bringTable();
    if (!action) return m_session.say(text(action.error().line()), true);
    m_model->insertSteps({Step{.action = *action}}, place, QString("Insert %1").arg(traitsOf(kind).name));
}

void RoutePanel::deleteSelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const int row = m_model->rowOf(steps.front().id);
    const RoutineId routine = m_session.routine().id;
    m_session.edit(labelOf("Delete", steps, int(m_model->numberOf(steps.front().id))),
                   [&](const Cell& cell) { return deleteSteps(cell, routine, idsOf(steps)); });
    if (const int rows = m_model->rowCount(); rows > 0) m_session.select(m_model->idAt(std::min(row, rows - 1)));
}

void RoutePanel::duplicateSelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    StepPlace place = *placeOf(m_session.routine().steps, steps.back().id);
    ++place.at;
    m_model->insertSteps(steps, place, labelOf("Duplicate", steps, int(m_model->numberOf(steps.front().id))));
}

void RoutePanel::moveSelected(int by)
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const std::vector<StepId> ids = idsOf(steps);
    // One place up or down in the list that it is in; at an end of it out of the block, over a block into it.
    const Steps& all = m_session.routine().steps;
    StepPlace place = *placeOf(all, by < 0 ? ids.front() : ids.back());
    const Steps& list = *listOf(all, place);
    if (by < 0 && place.at > 0) {
        const Step& before = list[place.at - 1];
        const bool into = hasBody(before.kind()) && !m_model->isFolded(before.id);
        place = into ? StepPlace{before.id, !before.otherwise.empty(),
                                 before.otherwise.empty() ? before.body.size() : before.otherwise.size()}
                     : StepPlace{place.block, place.otherwise, place.at - 1};
    } else if (by > 0 && place.at + 1 < list.size()) {
        const Step& after = list[place.at + 1];
        const bool into = hasBody(after.kind()) && !m_model->isFolded(after.id);
        place = into ? StepPlace{after.id, false, 0} : StepPlace{place.block, place.otherwise, place.at + 2};
    } else if (place.block) {
        const Step& block = *findStep(all, place.block);
        const bool fromElse = by < 0 && place.otherwise,
                   toElse = by > 0 && !place.otherwise && !block.otherwise.empty();
        if (fromElse && hasBody(block.kind())) place = {block.id, false, block.body.size()};
        else if (toElse) place = {block.id, true, 0};
        else {
            place = *placeOf(all, block.id);
            place.at += by > 0 ? 1 : 0;
        }
    } else {
        return;
    }
    m_model->moveSteps(ids, place);
}

void RoutePanel::switchSelected()
{
    std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const bool off = !steps.front().off;
    for (Step& step : steps)
        step.off = off;
    const RoutineId routine = m_session.routine().id;
    m_session.edit(labelOf("Switch", steps, int(m_model->numberOf(steps.front().id))) + (off ? " off" : " on"),
                   [&](const Cell& cell) { return changeSteps(cell, routine, steps); });
}

void RoutePanel::editSelected()
{
    const int row = m_model->rowOf(m_session.selected<StepId>());
    if (row < 0) return m_session.say("Select a step first.", true);
    m_list->setFocus();
    m_list->edit(m_model->index(row));
}

}  // namespace topikos
