#include "app/route/route_panel.h"

#include "app/properties/fields.h"
#include "app/route/route_delegate.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/program/step_text.h"

#include <QCompleter>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QStringListModel>
#include <QVBoxLayout>

#include <tuple>

namespace topikos {

RoutePanel::RoutePanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    setAcceptDrops(true);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 8, 0, 0);
    column->setSpacing(4);
    auto* top = new QHBoxLayout;
    top->setContentsMargins(12, 0, 10, 2);
    m_title = new WordsField(this, false);
    connect(m_title, &QLineEdit::returnPressed, this, [this] { m_list->setFocus(); });
    m_title->setObjectName("routineName");
    m_title->setProperty("role", "title");
    m_title->setToolTip("Name of the routine; type another one");
    m_title->setAccessibleName("Name of the routine");
    m_time = new QLabel(this);
    m_time->setFont(figureFont(12));
    m_time->setProperty("class", "faint");
    top->addWidget(m_title, 1);
    m_routines = new QComboBox(this);
    m_routines->setObjectName("routineChoice");
    m_routines->setToolTip("The routine that is looked at, with its arm in hand; nothing of the cell changes");
    // Beside the name only the arrow; the list is as wide as its longest name.
    m_routines->setFixedWidth(26);
    m_routines->setAccessibleName("Routine that is looked at");
    connect(m_routines, &QComboBox::activated, this, &RoutePanel::chooseRoutine);
    top->addWidget(m_routines);
    m_makeMain = new QPushButton("Run this one", this);
    m_makeMain->setObjectName("makeMain");
    m_makeMain->setToolTip("The arm runs this routine from now on, in place of the one marked as running");
    connect(m_makeMain, &QPushButton::clicked, this, [this] {
        const Routine& routine = m_session.routine();
        m_session.edit("Run " + text(routine.name), [id = routine.id](const Cell& c) { return setMainRoutine(c, id); });
    });
    top->addWidget(m_makeMain);
    top->addWidget(m_time);
    column->addLayout(top);

    m_model = new RouteModel(session, this);
    m_list = new QListView(this);
    m_list->setObjectName("routeList");
    m_list->setAccessibleName("Steps of the routine");
    m_list->setModel(m_model);
    m_list->setItemDelegate(new RouteDelegate(this));
    m_list->setMouseTracking(true);
    m_list->setUniformItemSizes(true);
    m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_list->setDragDropMode(QAbstractItemView::DragDrop);
    m_list->setDefaultDropAction(Qt::MoveAction);
    m_list->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
    m_list->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    m_list->setContextMenuPolicy(Qt::ActionsContextMenu);
    m_list->installEventFilter(this);
    column->addWidget(m_list, 1);
    m_empty = emptyNote(this,
                        "This routine has no steps.\nMove the arm, take a target with T, drag it from Targets to "
                        "here,\nor type a step below: line to Target 1",
                        "program-grammar");
    column->addWidget(m_empty, 1);

    m_verdict = new QLabel(this);
    m_verdict->setObjectName("stepVerdict");
    m_verdict->setWordWrap(true);
    m_verdict->setContentsMargins(12, 2, 10, 0);
    m_verdict->hide();
    column->addWidget(m_verdict);
    auto* kinds = new QHBoxLayout;
    kinds->setContentsMargins(12, 3, 10, 0);
    kinds->setSpacing(3);
    const std::tuple<Step::Kind, const char*, const char*> offered[] = {
        {Step::Kind::JointMove, "Joint", "A joint move to the target selected last, after the selected step"},
        {Step::Kind::Line, "Line", "A line to the target selected last, after the selected step"},
        {Step::Kind::Grip, "Grip", "Close the gripper"},
        {Step::Kind::Release, "Release", "Open the gripper"},
        {Step::Kind::Wait, "Wait", "Wait for some time"},
        {Step::Kind::SetSignal, "Set", "Set a signal"},
        {Step::Kind::WaitSignal, "Wait for", "Wait for a signal"}};
    for (const auto& [kind, words, tip] : offered) {
        QPushButton* b = addButton(kinds, this, QString("insert%1").arg(int(kind)), words, tip,
                                   [this, kind = kind] { insertKind(kind); });
        b->setStyleSheet("padding: 2px 5px; font-size: 11px;");
        b->setFocusPolicy(Qt::TabFocus);
    }
    kinds->addStretch();
    column->addLayout(kinds);
    auto* bottom = new QHBoxLayout;
    bottom->setContentsMargins(12, 5, 10, 8);
    auto* prompt = new QLabel("Type a step", this);
    prompt->setProperty("class", "faint");
    m_type = new QLineEdit(this);
    m_type->setObjectName("typeStep");
    m_type->setAccessibleName("Type a step");
    m_type->setFont(figureFont(12));
    m_type->setPlaceholderText("line over Tile pick 80 mm");
    m_type->setToolTip(
        "joint or line, to or over TARGET, at SPEED, blend LENGTH · grip · release · wait SECONDS · wait for SIGNAL · "
        "set SIGNAL on · move DEVICE to PLACE (Ctrl+L). Enter inserts after the selected step.");
    m_type->installEventFilter(this);
    bottom->addWidget(prompt);
    bottom->addWidget(m_type, 1);
    column->addLayout(bottom);

    auto* completer = new QCompleter(this);
    auto* words = new QStringListModel(completer);
    completer->setModel(words);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setCompletionMode(QCompleter::InlineCompletion);
    m_type->setCompleter(completer);
    const auto fillWords = [this, words] {
        QStringList list{"grip", "release", "wait 0.5 s"};
        for (const Signal& s : m_session.cell().signals) {
            list << "wait for " + text(s.name);
            if (!writerOf(m_session.cell(), s.id)) list << "set " + text(s.name);
        }
        for (const FrameId device : movableDevices(m_session.cell()))
            list << "move " + text(frameName(m_session.cell(), device)) + " to ";
        for (const Target& t : m_session.cell().targets)
            for (const char* start : {"joint to ", "line to ", "joint over ", "line over "})
                list << start + text(t.name);
        words->setStringList(list);
    };
    fillWords();

    connect(m_type, &QLineEdit::textChanged, this, &RoutePanel::judgeTyped);
    connect(m_type, &QLineEdit::returnPressed, this, &RoutePanel::takeTyped);
    connect(m_list->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
        if (m_showing) return;
        std::vector<Selection> chosen;
        const QModelIndex current = m_list->currentIndex();
        QModelIndexList rows = m_list->selectionModel()->selectedIndexes();
        std::sort(rows.begin(), rows.end());
        for (const QModelIndex& row : rows)
            if (row != current) chosen.push_back(m_model->idAt(row.row()));
        // The one that was reached last is the one whose properties are shown.
        if (m_list->selectionModel()->isSelected(current)) chosen.push_back(m_model->idAt(current.row()));
        if (!chosen.empty()) m_session.selectMany(chosen);
    });
    connect(&session, &Session::cellChanged, this, [this, fillWords] {
        fillWords();
        showSelection();
        showEmpty();
    });
    connect(&session, &Session::selectionChanged, this, [this] {
        if (const TargetId id = m_session.selected<TargetId>()) m_lastTarget = id;
        showSelection();
    });
    connect(&session, &Session::runChanged, this, [this] {
        const StepId runs = m_session.shownStep();
        if (runs == m_running) return;
        m_running = runs;
        if (const int row = m_model->rowOf(runs); row >= 0) m_list->scrollTo(m_model->index(row));
    });
    connect(&session, &Session::checkedChanged, this, &RoutePanel::showEmpty);
    showEmpty();
}

void RoutePanel::showEmpty()
{
    const Cell& cell = m_session.cell();
    m_title->show(text(m_session.routine().name), [this](const QString& typed) {
        m_session.edit("Rename the routine", [&, id = m_session.routine().id](const Cell& c) {
            return renameRoutine(c, id, typed.toStdString());
        });
        return false;  // shown anew when it was taken
    });
    m_title->setToolTip("The routine " + m_title->text() + "; type another name");
    m_routines->setVisible(cell.routines.size() > 1);
    m_routines->clear();
    for (const Routine& r : cell.routines) {
        const ArmStation& arm = armOf(cell, r);
        // Where there is a choice, it is said which one runs.
        const bool runs = cell.routines.size() > cell.arms.size() && arm.main == r.id;
        m_routines->addItem((cell.arms.size() > 1 ? text(arm.name) + ": " : QString()) + text(r.name)
                                + (runs ? "  · runs" : ""),
                            r.id.value);
        if (r.id == m_session.routine().id) m_routines->setCurrentIndex(m_routines->count() - 1);
    }
    int wide = 0;
    for (int i = 0; i < m_routines->count(); ++i)
        wide = std::max(wide, fontMetrics().horizontalAdvance(m_routines->itemText(i)));
    m_routines->view()->setMinimumWidth(wide + 30);
    m_makeMain->setVisible(m_session.station().main != m_session.routine().id);
    const bool empty = m_session.routine().steps.empty();
    m_list->setVisible(!empty);
    m_empty->setVisible(empty);
    const ArmTrace* own = m_session.armTrace();
    m_time->setText(own && !empty ? QString::number(own->duration, 'f', 2) + " s" : "");
}

void RoutePanel::chooseRoutine(int index)
{
    const RoutineId id{m_routines->itemData(index).toUInt()};
    m_session.showRoutine(id);
}

void RoutePanel::showSelection()
{
    QItemSelection rows;
    for (const StepId id : m_session.allSelected<StepId>())
        if (const int row = m_model->rowOf(id); row >= 0) rows.select(m_model->index(row), m_model->index(row));
    m_showing = true;
    const QModelIndex current = m_model->index(m_model->rowOf(m_session.selected<StepId>()));
    if (current != m_list->currentIndex())
        m_list->selectionModel()->setCurrentIndex(current, QItemSelectionModel::NoUpdate);
    m_list->selectionModel()->select(rows, QItemSelectionModel::ClearAndSelect);
    m_showing = false;
}

std::vector<Step> RoutePanel::selectedSteps() const
{
    std::vector<Step> out;
    for (const Step& s : m_session.routine().steps)
        if (m_session.isSelected(s.id)) out.push_back(s);
    if (out.empty()) m_session.say("Select a step first.", true);
    return out;
}

void RoutePanel::focusTypeLine()
{
    m_type->setFocus();
    m_type->selectAll();
}

size_t RoutePanel::insertPlace() const
{
    const int row = m_model->rowOf(m_session.selected<StepId>());
    return row < 0 ? m_session.routine().steps.size() : size_t(row) + 1;
}

void RoutePanel::judgeTyped()
{
    const QString typed = m_type->text().trimmed();
    if (typed.isEmpty()) return m_verdict->hide();
    QString words;
    bool bad = true;
    const Result<Step> step = parseStep(m_session.cell(), typed.toStdString());
    if (!step) {
        words = text(step.error().message + ". " + step.error().remedy);
    } else {
        // Tried on a copy of the cell, at its place in the routine.
        const size_t place = insertPlace();
        StepId created;
        const Result<Cell> tried = insertStep(m_session.cell(), m_session.routine().id, place, *step, &created);
        if (tried) {
            const Routine& routine = *findRoutine(*tried, m_session.routine().id);
            RunOptions options;
            options.plans = &m_session.plans();
            const bool runs = armOf(*tried, routine).main == routine.id;
            const Trace trace = runs ? simulate(*tried, options) : simulate(*tried, routine, options);
            const StepOutcome& outcome = findArmTrace(trace, routine.arm)->outcomes[place];
            const std::vector<Finding> findings = stepFindings(*tried, routine, outcome);
            bad = std::any_of(findings.begin(), findings.end(),
                              [](const Finding& f) { return f.severity == Severity::Blocked; });
            if (findings.empty()) {
                words =
                    QString("Step %1 would take %2 s. Enter inserts it.")
                        .arg(place + 1)
                        .arg(QString::number(outcome.move ? outcome.move->profile.duration : outcome.duration, 'f', 2));
            } else {
                const FindingText t = findingText(*tried, findings.front());
                words = text(t.headline + ". " + t.detail);
            }
        }
    }
    m_verdict->setText(words);
    m_verdict->setStyleSheet(
        QString("color: %1; font-size: 12px;").arg((bad ? theme().blocked : theme().accent).name()));
    m_verdict->show();
}

void RoutePanel::takeTyped()
{
    const Result<Step> step = parseStep(m_session.cell(), m_type->text().trimmed().toStdString());
    if (!step) return;  // the reason is shown
    const size_t place = insertPlace();
    if (m_model->insertSteps({*step}, place, QString("Insert step %1").arg(place + 1))) m_type->clear();
}

void RoutePanel::setMenu(const QList<QAction*>& actions) { m_list->addActions(actions); }

void RoutePanel::insertKind(Step::Kind kind)
{
    const Cell& cell = m_session.cell();
    Step step;
    step.kind = kind;
    if (step.isMove()) {
        const Target* target = findTarget(cell, m_lastTarget);
        if (!target || target->arm != m_session.station().id) target = findTarget(cell, m_session.station().home);
        step.target = target->id;
    }
    if (kind == Step::Kind::SetSignal || kind == Step::Kind::WaitSignal) {
        for (const Signal& s : cell.signals)
            if (!step.signal && (kind == Step::Kind::WaitSignal || !writerOf(cell, s.id))) step.signal = s.id;
        if (!step.signal) return m_session.say("Add a signal among the signals first.", true);
    }
    const size_t place = insertPlace();
    m_model->insertSteps({step}, place, QString("Insert step %1").arg(place + 1));
}

namespace {

std::vector<StepId> idsOf(const std::vector<Step>& steps)
{
    std::vector<StepId> out;
    for (const Step& step : steps)
        out.push_back(step.id);
    return out;
}

/// "Delete step 3", or "Delete 2 steps".
QString labelOf(const QString& verb, const std::vector<Step>& steps, int row)
{
    return steps.size() == 1 ? QString("%1 step %2").arg(verb).arg(row + 1)
                             : QString("%1 %2 steps").arg(verb).arg(steps.size());
}

}  // namespace

void RoutePanel::deleteSelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const int row = m_model->rowOf(steps.front().id);
    const RoutineId routine = m_session.routine().id;
    m_session.edit(labelOf("Delete", steps, row),
                   [&](const Cell& cell) { return deleteSteps(cell, routine, idsOf(steps)); });
    if (const int rows = m_model->rowCount(); rows > 0) m_session.select(m_model->idAt(std::min(row, rows - 1)));
}

void RoutePanel::duplicateSelected()
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    m_model->insertSteps(steps, size_t(m_model->rowOf(steps.back().id)) + 1,
                         labelOf("Duplicate", steps, m_model->rowOf(steps.front().id)));
}

void RoutePanel::moveSelected(int by)
{
    const std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const std::vector<StepId> ids = idsOf(steps);
    // Among the steps that are not selected, one up or down from where the first of them stands.
    const int to = m_model->rowOf(ids.front()) + by;
    if (to >= 0 && to + int(ids.size()) <= m_model->rowCount()) m_model->moveSteps(ids, size_t(to));
}

void RoutePanel::switchSelected()
{
    std::vector<Step> steps = selectedSteps();
    if (steps.empty()) return;
    const bool off = !steps.front().off;
    for (Step& step : steps)
        step.off = off;
    const RoutineId routine = m_session.routine().id;
    m_session.edit(labelOf("Switch", steps, m_model->rowOf(steps.front().id)) + (off ? " off" : " on"),
                   [&](const Cell& cell) { return changeSteps(cell, routine, steps); });
}

void RoutePanel::editSelected()
{
    const int row = m_model->rowOf(m_session.selected<StepId>());
    if (row < 0) return m_session.say("Select a step first.", true);
    m_list->setFocus();
    m_list->edit(m_model->index(row));
}

void RoutePanel::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(kTargetsMime)) event->acceptProposedAction();
}

void RoutePanel::dropEvent(QDropEvent* event)
{
    // Beside the list, or where there is none yet: behind the last step.
    if (m_model->dropTargets(*event->mimeData(), m_session.routine().steps.size())) event->acceptProposedAction();
}

bool RoutePanel::eventFilter(QObject* object, QEvent* event)
{
    if (event->type() == QEvent::KeyPress) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (object == m_type && key->key() == Qt::Key_Escape) {
            m_type->clear();
            m_list->setFocus();
            return true;
        }
        if (object == m_list && !m_list->findChild<QLineEdit*>("stepEditor")) {
            if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) return editSelected(), true;
            if (key->key() == Qt::Key_Space) return switchSelected(), true;
        }
    }
    return QWidget::eventFilter(object, event);
}

}  // namespace topikos
