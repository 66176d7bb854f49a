#include "app/route/route_panel.h"

#include "app/fields/fields.h"
#include "app/route/program_editor.h"
#include "app/route/route_delegate.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/program/new_step.h"
#include "core/program/program_text.h"
#include "core/program/step_text.h"
#include "core/spatial/text.h"

#include <QClipboard>
#include <QCompleter>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QMouseEvent>
#include <QStringListModel>
#include <QVBoxLayout>

#include <tuple>
#include <utility>

namespace topikos {

namespace {

QString headOf(const Routine& routine)
{
    QStringList places;
    for (const Parameter& p : routine.parameters)
        places << text(p.name);
    return text(routine.name) + (places.isEmpty() ? QString() : " (" + places.join(", ") + ")");
}

}  // namespace

RoutePanel::RoutePanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    setAcceptDrops(true);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 8, 0, 0);
    column->setSpacing(4);
    buildHead(*column);
    buildList(*column);
    m_verdict = new QLabel(this);
    m_verdict->setObjectName("stepVerdict");
    m_verdict->setWordWrap(true);
    m_verdict->setContentsMargins(12, 2, 10, 0);
    m_verdict->hide();
    column->addWidget(m_verdict);
    buildKinds(*column);
    buildTypeLine(*column);
    m_editor = new ProgramEditor(session, this);
    m_editor->hide();
    column->insertWidget(1, m_editor, 1);
    follow();
    showEmpty();
}

void RoutePanel::buildHead(QVBoxLayout& column)
{
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
    m_textButton = new QToolButton(this);
    m_textButton->setObjectName("programText");
    m_textButton->setText("Text");
    m_textButton->setCheckable(true);
    m_textButton->setToolTip(
        "All routines as text, to be read, typed and compared; again: the steps as a list (Ctrl+Shift+L)");
    m_textButton->setAccessibleName("Program as text");
    connect(m_textButton, &QToolButton::toggled, this, &RoutePanel::showText);
    top->addWidget(m_textButton);
    column.addLayout(top);
}

void RoutePanel::buildList(QVBoxLayout& column)
{
    m_model = new RouteModel(m_session, this);
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
    m_list->viewport()->installEventFilter(this);
    column.addWidget(m_list, 1);
    m_empty = emptyNote(this,
                        "This routine has no steps.\nMove the arm, take a target with T, drag it from Targets to "
                        "here,\nor type a step below: line to Target 1",
                        "program-grammar");
    column.addWidget(m_empty, 1);
}

void RoutePanel::buildKinds(QVBoxLayout& column)
{
    m_kinds = new QWidget(this);
    auto* kinds = new QHBoxLayout(m_kinds);
    kinds->setContentsMargins(12, 3, 10, 0);
    kinds->setSpacing(3);
    const std::tuple<StepKind, const char*, const char*> offered[] = {
        {StepKind::Joint, "Joint", "A joint move to the target selected last, after the selected step"},
        {StepKind::Line, "Line", "A line to the target selected last, after the selected step"},
        {StepKind::Grip, "Grip", "Close the gripper"},
        {StepKind::Release, "Release", "Open the gripper"},
        {StepKind::Wait, "Wait", "Wait for some time"},
        {StepKind::WaitSignal, "Wait for", "Wait for a signal"}};
    for (const auto& [kind, words, tip] : offered) {
        QPushButton* b = addButton(kinds, this, QString("insert%1").arg(int(kind)), words, tip,
                                   [this, kind = kind] { insertKind(kind); });
        b->setStyleSheet("padding: 2px 5px; font-size: 11px;");
        b->setFocusPolicy(Qt::TabFocus);
    }
    auto* more = new QPushButton("More", this);
    more->setObjectName("insertMore");
    more->setToolTip("The other kinds of steps: calls, repeats, decisions, arcs, signals, processes, notes");
    more->setStyleSheet("padding: 2px 5px; font-size: 11px;");
    more->setFocusPolicy(Qt::TabFocus);
    auto* menu = new QMenu(more);
    menu->setObjectName("insertMenu");
    for (int i = 0; i < kStepKinds; ++i) {
        const auto kind = StepKind(i);
        if (std::any_of(std::begin(offered), std::end(offered), [&](const auto& o) { return std::get<0>(o) == kind; }))
            continue;
        QAction* a =
            menu->addAction(glyphIcon(stepGlyph(kind)), traitsOf(kind).name, this, [this, kind] { insertKind(kind); });
        a->setObjectName(QString("insert%1").arg(i));
    }
    more->setMenu(menu);
    kinds->addWidget(more);
    kinds->addStretch();
    column.addWidget(m_kinds);
}

void RoutePanel::buildTypeLine(QVBoxLayout& column)
{
    auto* bottom = new QHBoxLayout;
    bottom->setContentsMargins(12, 5, 10, 8);
    m_prompt = new QLabel("Type a step", this);
    m_prompt->setProperty("class", "faint");
    m_type = new QLineEdit(this);
    m_type->setObjectName("typeStep");
    m_type->setAccessibleName("Type a step");
    m_type->setFont(figureFont(12));
    m_type->setPlaceholderText("line over Tile pick 80 mm");
    m_type->setToolTip(
        "joint or line, to or over TARGET, at SPEED, blend LENGTH · grip · release · wait SECONDS · wait for SIGNAL · "
        "set SIGNAL on · move DEVICE to PLACE · play TABLE · call ROUTINE (PLACE) · repeat N times · for each place of "
        "PATTERN · "
        "if SIGNAL · # note (Ctrl+L). Enter inserts after the selected step.");
    m_type->installEventFilter(this);
    bottom->addWidget(m_prompt);
    bottom->addWidget(m_type, 1);
    column.addLayout(bottom);
    auto* completer = new QCompleter(this);
    m_words = new QStringListModel(completer);
    completer->setModel(m_words);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setCompletionMode(QCompleter::InlineCompletion);
    m_type->setCompleter(completer);
}

void RoutePanel::fillWords()
{
    // For who types, not at every edit.
    if (std::exchange(m_wordsFresh, true)) return;
    const Cell& cell = m_session.cell();
    QStringList list{"grip", "release", "wait 0.5 s", "repeat without end", "repeat 3 times", "stop"};
    for (const Signal& s : cell.signals) {
        for (const char* start : {"wait for ", "if ", "repeat until ", "repeat while "})
            list << start + text(s.name);
        if (!writerOf(cell, s.id)) list << "set " + text(s.name) << "pulse " + text(s.name);
    }
    for (const FrameId device : movableDevices(cell))
        list << "move " + text(frameName(cell, device)) + " to ";
    for (const Routine& r : cell.routines)
        if (r.id != m_session.routine().id) list << "call " + text(r.name) + (r.parameters.empty() ? "" : " (");
    for (const Pattern& p : cell.patterns)
        if (p.content == Pattern::Content::Targets) list << "for each place of " + text(p.name);
    QStringList places;
    for (const Parameter& p : m_session.routine().parameters)
        places << text(p.name);
    for (const Target& t : cell.targets)
        places << text(t.name);
    for (const QString& place : places)
        for (const char* start : {"joint to ", "line to ", "joint over ", "line over "})
            list << start + place;
    m_words->setStringList(list);
}

void RoutePanel::follow()
{
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
    connect(&m_session, &Session::cellChanged, this, [this] {
        m_wordsFresh = false;
        showSelection();
        showEmpty();
    });
    connect(&m_session, &Session::selectionChanged, this, [this] {
        if (const TargetId id = m_session.selected<TargetId>()) m_lastTarget = id;
        showSelection();
    });
    connect(&m_session, &Session::runChanged, this, [this] {
        const StepId runs = m_session.shownStep();
        if (runs == m_running) return;
        m_running = runs;
        if (const int row = m_model->rowOf(runs); row >= 0) m_list->scrollTo(m_model->index(row));
    });
    connect(&m_session, &Session::checkedChanged, this, &RoutePanel::showEmpty);
    connect(m_editor->field(), &ProgramField::left, this, [this] {
        showText(false);
        m_list->setFocus();
    });
}

void RoutePanel::showEmpty()
{
    const Cell& cell = m_session.cell();
    m_title->show(headOf(m_session.routine()), [this](const QString& typed) {
        renameTo(typed);
        return false;  // shown anew when it was taken
    });
    m_title->setToolTip(
        "The routine " + m_title->text()
        + "; type another name, and in brackets names for places that calls fill in: Set one tile (pick, there)");
    m_routines->setVisible(cell.routines.size() > 1);
    m_routines->clear();
    for (const Routine& r : cell.routines) {
        // Where there is a choice, it is said which one runs.
        const ArmStation* arm = findArm(cell, r.arm);
        const bool runs = arm && cell.routines.size() > cell.arms.size() && arm->main == r.id;
        const QString whose = !arm ? QString("every arm: ") : cell.arms.size() > 1 ? text(arm->name) + ": " : QString();
        m_routines->addItem(whose + text(r.name) + (runs ? "  · runs" : ""), r.id.value);
        if (r.id == m_session.routine().id) m_routines->setCurrentIndex(m_routines->count() - 1);
    }
    int wide = 0;
    for (int i = 0; i < m_routines->count(); ++i)
        wide = std::max(wide, fontMetrics().horizontalAdvance(m_routines->itemText(i)));
    m_routines->view()->setMinimumWidth(wide + 30);
    const Routine& looked = m_session.routine();
    m_makeMain->setVisible(m_session.station().main != looked.id && looked.arm && looked.parameters.empty());
    const bool empty = m_session.routine().steps.empty();
    const bool asText = m_textButton->isChecked();
    m_list->setVisible(!empty && !asText);
    m_empty->setVisible(empty && !asText);
    const ArmTrace* own = m_session.armTrace();
    m_time->setText(own && !empty ? QString::number(own->duration, 'f', 2) + " s" : "");
}

/// "Set one tile (pick, there)": the name, and those of the places in their order.
void RoutePanel::renameTo(const QString& typed)
{
    const Routine& routine = m_session.routine();
    const qsizetype open = typed.endsWith(')') && !routine.name.ends_with(')') ? typed.indexOf('(') : -1;
    const std::string name = (open < 0 ? typed : typed.left(open)).trimmed().toStdString();
    std::vector<Parameter> places;
    if (open >= 0)
        for (const QString& word : typed.mid(open + 1).chopped(1).split(',')) {
            if (word.trimmed().isEmpty()) continue;
            const size_t i = places.size();
            places.push_back({i < routine.parameters.size() ? routine.parameters[i].id : ParameterId(),
                              word.trimmed().toStdString()});
        }
    m_session.edit("Rename the routine", [&, id = routine.id](const Cell& c) -> Result<Cell> {
        Result<Cell> named = renameRoutine(c, id, name);
        if (!named || places == findRoutine(c, id)->parameters) return named;
        return setParameters(*named, id, places);
    });
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
    const Steps& steps = m_session.routine().steps;
    std::vector<StepId> ids;
    for (const StepRow& row : rowsOf(steps))
        if (m_session.isSelected(row.step->id)) ids.push_back(row.step->id);
    std::vector<Step> out;
    for (const StepId id : outermost(steps, ids))
        out.push_back(*findStep(steps, id));
    if (out.empty()) m_session.say("Select a step first.", true);
    return out;
}

StepScope RoutePanel::scopeAt(const StepPlace& place) const
{
    return {m_session.routine(), loopsAround(m_session.routine().steps, place.block)};
}

void RoutePanel::focusTypeLine()
{
    m_type->setFocus();
    m_type->selectAll();
}

StepPlace RoutePanel::insertPlace() const
{
    if (m_before) return placeBefore();
    return m_model->placeBehind(m_session.selected<StepId>());
}

StepPlace RoutePanel::placeBefore() const
{
    const auto place = placeOf(m_session.routine().steps, m_session.selected<StepId>());
    return place ? *place : StepPlace{};
}

void RoutePanel::showText(bool asText)
{
    m_textButton->setChecked(asText);
    m_editor->setVisible(asText);
    m_kinds->setVisible(!asText);
    m_type->setVisible(!asText);
    m_prompt->setVisible(!asText);
    if (asText) m_verdict->hide();
    showEmpty();
    if (asText) m_editor->showNow();
}

void RoutePanel::setMenu(const QList<QAction*>& actions) { m_list->addActions(actions); }

void RoutePanel::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(kTargetsMime)) event->acceptProposedAction();
}

void RoutePanel::dropEvent(QDropEvent* event)
{
    // Beside the list, or where there is none yet: behind the last step.
    if (m_model->dropTargets(*event->mimeData(), {{}, false, m_session.routine().steps.size()}))
        event->acceptProposedAction();
}

bool RoutePanel::eventFilter(QObject* object, QEvent* event)
{
    if (object == m_type && (event->type() == QEvent::FocusIn || event->type() == QEvent::KeyPress)) fillWords();
    if (event->type() == QEvent::KeyPress) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (object == m_type && key->key() == Qt::Key_Escape) {
            m_type->clear();
            m_before = false;
            m_prompt->setText("Type a step");
            m_list->setFocus();
            return true;
        }
        if (object == m_list && !m_list->findChild<QLineEdit*>("stepEditor")) {
            if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) return editSelected(), true;
            if (key->key() == Qt::Key_Space) return switchSelected(), true;
            if (key->key() == Qt::Key_Left || key->key() == Qt::Key_Right)
                return foldSelected(key->key() == Qt::Key_Left), true;
            if (key->key() == Qt::Key_Insert)
                return key->modifiers() & Qt::ShiftModifier ? typeBefore() : focusTypeLine(), true;
            if (key->matches(QKeySequence::Copy)) return copySelected(), true;
            if (key->matches(QKeySequence::Cut)) return cutSelected(), true;
            if (key->matches(QKeySequence::Paste)) return paste(), true;
        }
    }
    // What is dragged says what it would come to before it is dropped.
    if (object == m_list->viewport() && event->type() == QEvent::DragMove) {
        auto* drag = static_cast<QDragMoveEvent*>(event);
        judgeDrag(*drag->mimeData(), drag->position().toPoint());
    }
    if (object == m_list->viewport() && (event->type() == QEvent::DragLeave || event->type() == QEvent::Drop)) {
        m_dragged.reset();
        m_verdict->hide();
    }
    // A press on the wedge folds the block.
    if (object == m_list->viewport() && event->type() == QEvent::MouseButtonPress) {
        auto* press = static_cast<QMouseEvent*>(event);
        const QModelIndex index = m_list->indexAt(press->position().toPoint());
        const int left = RouteDelegate::wedgeLeft(index.data(RouteModel::DepthRole).toInt());
        const double x = press->position().x();
        if (m_model->hasFold(index.row()) && x >= left && x < left + 12) {
            const StepId block = m_model->idAt(index.row());
            m_model->setFolded(block, !m_model->isFolded(block));
            m_session.select(block);
            showSelection();
            return true;
        }
    }
    return QWidget::eventFilter(object, event);
}

}  // namespace topikos
