#include "app/window/main_window.h"

#include "app/arms/arms_page.h"
#include "app/instruments/best_ways_offer.h"
#include "app/layout/layout_commands.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/fields/number_field.h"
#include "app/session/text.h"
#include "app/strip/breakdown_panel.h"
#include "app/strip/curves_panel.h"
#include "app/strip/findings_list.h"
#include "app/targets/target_commands.h"
#include "app/targets/targets_panel.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/examples.h"
#include "app/window/guide.h"
#include "app/window/message_log.h"
#include "core/cell/arms.h"
#include "core/program/step_text.h"
#include "core/robot/catalogue.h"

#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenuBar>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QTableView>

/// What keys do everywhere, and the commands of the other menus.
namespace topikos {

QAction* MainWindow::action(QMenu* menu, const QString& words, const QString& tip, const QKeySequence& keys,
                            std::function<void()> run)
{
    return m_commands.add(menu, words, tip, keys.isEmpty() ? QList<QKeySequence>{} : QList<QKeySequence>{keys},
                          std::move(run));
}

namespace {

/// Where keys without Ctrl and Alt are typed: in texts, numbers, choices and tables. In the view and in lists of things
/// they do what the window says of them.
bool isTypedInto(const QWidget* widget)
{
    const auto* list = qobject_cast<const QAbstractItemView*>(widget);
    return qobject_cast<const QLineEdit*>(widget) || qobject_cast<const QAbstractSpinBox*>(widget)
           || qobject_cast<const QPlainTextEdit*>(widget) || qobject_cast<const QTextEdit*>(widget)
           || qobject_cast<const QComboBox*>(widget) || qobject_cast<const QTableView*>(widget)
           || (list && (list->editTriggers() & QAbstractItemView::AnyKeyPressed));
}

/// Whether a key types or deletes something where things are typed.
bool types(const QKeyEvent& key)
{
    if (key.modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier)) return false;
    return key.key() == Qt::Key_Delete || key.key() == Qt::Key_Backspace
           || (!key.text().isEmpty() && key.text().front().isPrint());
}

}  // namespace

bool MainWindow::eventFilter(QObject* object, QEvent* event)
{
    if (event->type() != QEvent::KeyPress && event->type() != QEvent::ShortcutOverride) return false;
    const auto* widget = qobject_cast<QWidget*>(object);
    auto* key = static_cast<QKeyEvent*>(event);
    if (!widget || widget->window() != this) return false;
    // What a field leaves alone comes to what it is in: it is typed there all the same.
    const bool typed = isTypedInto(widget) || isTypedInto(QApplication::focusWidget());
    if (event->type() == QEvent::ShortcutOverride) {
        if (!typed || !types(*key)) return false;
        event->accept();  // it is no shortcut there
        return true;
    }
    if (typed || m_pages->currentIndex() != 0 || (key->modifiers() & ~Qt::KeypadModifier)) return false;
    return m_commands.doPlain(key->key());
}

void MainWindow::deleteSelectedThing()
{
    if (m_pages->currentIndex() != 0) return;
    if (m_session->selected<StepId>()) m_route->deleteSelected();
    else deleteSelected(*m_session);
}

void MainWindow::buildActions()
{
    auto& bar = *findChild<QMenuBar*>("menuBar");
    buildFileMenu(bar);
    buildEditMenu(bar);
    buildViewMenu(bar);
    buildCellMenu(bar);
    buildTeachMenu(bar);
    buildRouteMenu(bar);
    buildCheckMenu(bar);
    buildRunMenu(bar);
    buildHelpMenu(bar);
    m_route->setMenu(m_commands.named({"edit-step-text",
                                       "type-a-step-before",
                                       "duplicate-step",
                                       "switch-step-off-or-on",
                                       "cut-steps",
                                       "copy-steps",
                                       "paste-steps",
                                       "",
                                       "put-into-repeat",
                                       "put-into-for-each-place",
                                       "put-into-if",
                                       "take-out-of-the-block",
                                       "make-a-routine-of-them",
                                       "",
                                       "where-is-it-used",
                                       "halt-before-it",
                                       "move-to-selected-target",
                                       "run-from-selected-step",
                                       "run-from-selected-step-and-here",
                                       "delete"}));
    m_targets->setMenu(m_commands.named({"move-to-selected-target", "re-take-selected-target", "rename-selected-target",
                                         "make-selected-posture-home", "delete"}));
}

void MainWindow::buildFileMenu(QMenuBar& bar)
{
    QMenu* cell = m_commands.menu(bar, "&File", Commands::When::Always);
    action(cell, "New cell", "Asks for arm, base height and gripper, and shows them", QKeySequence::New,
           [this] { startNewCell(); });
    action(cell, "Open …", "Open a cell file", QKeySequence::Open, [this] { askAndOpen(); });
    action(cell, "Lost cells", "Offers cells again that had unsaved changes when Topikos ended", {}, [this] {
        if (offerLostCells() == 0) m_session->say("No cell with unsaved changes is kept.");
    });
    m_recent = cell->addMenu("Recent cells");
    m_recent->setObjectName("recentMenu");
    fillRecent();
    QMenu* examples = cell->addMenu("Examples");
    action(examples, "Example: tile glazing line", "One tile from the belt into the drying rack", {}, [this] {
        if (mayLeave()) openExample(kDemo);
    });
    action(examples, "Example: glazing line on a rail", "Rail, belt, source, sensor, booth and a rack of 24 places", {},
           [this] {
               if (mayLeave()) openExample("glazing-line-on-a-rail");
           });
    action(examples, "Example: rack of 24", "One routine fills a rack from the belt and glazes each tile on the way",
           {}, [this] {
               if (mayLeave()) openExample("rack-of-24");
           });
    action(examples, "Example: glaze-edge wiping bench",
           "A seam around a sink and dots on its rim, by two arms at one turntable", {}, [this] {
               if (mayLeave()) openExample("glaze-edge-wiping-bench");
           });
    action(examples, "Example: planted mistakes", "Three moves that are blocked, each for another reason", {}, [this] {
        if (mayLeave()) openExample("planted-mistakes");
    });
    action(examples, "Example: one mistake of every rule", "Each of them is named in the note of its step", {}, [this] {
        if (mayLeave()) openExample("one-mistake-of-every-rule");
    });
    QMenu* arms = cell->addMenu("Arm");
    action(arms, "Arms and data sheets …", "The catalogue, and an arm from its data sheet or from URDF",
           QKeySequence("Ctrl+Shift+A"), [this] { showArms(!armsShown()); });
    arms->addSeparator();
    for (const std::string& id : catalogueIds()) {
        const ArmPtr arm = catalogueArm(id);
        const QString name = text(arm->description().name);
        action(arms, "Use " + name,
               QString("Reach %1, payload %2 kg. Targets stay and are checked anew")
                   .arg(lengthText(arm->reach(), 0))
                   .arg(arm->description().payload),
               {}, [this, arm, name] {
                   if (m_session->edit("Use " + name,
                                       [&](const Cell& c) { return setArmModel(c, m_session->station().id, arm); }))
                       m_session->say("The arm is now the " + name);
               });
    }
    cell->addSeparator();
    action(cell, "Save", "Save the cell", QKeySequence::Save, [this] { save(); });
    action(cell, "Save as …", "Save the cell under another name", QKeySequence("Ctrl+Shift+S"), [this] { saveAs(); });
    cell->addSeparator();
    action(cell, "Quit", "Close Topikos", QKeySequence("Ctrl+Q"), [this] { close(); });
}

void MainWindow::buildEditMenu(QMenuBar& bar)
{
    QMenu* edit = m_commands.menu(bar, "&Edit", Commands::When::CellSeen);
    m_undo = action(edit, "Undo", "Take back the last change", QKeySequence::Undo, [this] {
        if (armsShown()) m_arms->model().undo();
        else if (!m_route->editor()->undoTyping()) m_session->undo();
    });
    m_redo = action(edit, "Redo", "Do the undone change again", QKeySequence("Ctrl+Shift+Z"), [this] {
        if (armsShown()) m_arms->model().redo();
        else if (!m_route->editor()->redoTyping()) m_session->redo();
    });
    edit->addSeparator();
    action(edit, "Delete", "The selected step, target, frame, part, tool, pattern or arm, wherever it is selected",
           QKeySequence::Delete, [this] { deleteSelectedThing(); });
    edit->addSeparator();
    action(edit, "Edit thresholds", "Show when the checks speak up", {}, [this] { m_session->select({}); });
}

void MainWindow::buildCheckMenu(QMenuBar& bar)
{
    QMenu* check = m_commands.menu(bar, "Chec&k", Commands::When::CellSeen);
    action(check, "Show findings", "All findings with their measures", QKeySequence("Alt+4"),
           [this] { m_bottom->setCurrentWidget(m_findings); });
    action(check, "Next finding", "Select what the next finding is about", QKeySequence("F8"), [this] {
        m_bottom->setCurrentWidget(m_findings);
        m_findings->selectNext(1);
    });
    action(check, "Previous finding", "Select what the finding before is about", QKeySequence("Shift+F8"), [this] {
        m_bottom->setCurrentWidget(m_findings);
        m_findings->selectNext(-1);
    });

    action(check, "Signals", "Names, values, who writes and who reads them", QKeySequence("Alt+6"),
           [this] { m_bottom->setCurrentWidget(m_signals); });
    action(check, "Contact pairs", "Which bodies are checked for contact, and why", QKeySequence("Alt+5"),
           [this] { m_bottom->setCurrentWidget(m_contact); });

    action(check, "Find the best place", "Where an arm or a fixture stands best for all targets and moves",
           QKeySequence("Alt+9"), [this] { m_bottom->setCurrentWidget(m_place); });
    action(check, "Reach map", "Where the arm reaches: over a plane, in a box, on the bodies of a frame",
           QKeySequence("Alt+0"), [this] { m_bottom->setCurrentWidget(m_reach); });
    action(check, "Breakdown", "Where the time of the run goes, and what limits each move", QKeySequence("Alt+7"),
           [this] { m_bottom->setCurrentWidget(m_breakdown); });
    action(check, "Curves", "Joints, speeds, torques, the path and signals over the time of the run",
           QKeySequence("Alt+8"), [this] { m_bottom->setCurrentWidget(m_curves); });
    action(check, "Keep this run or let it go", "Later runs are compared with it in the breakdown and in the curves",
           {}, [this] { m_session->keepRun(!m_session->keptRun()); });
}

void MainWindow::buildRunMenu(QMenuBar& bar)
{
    QMenu* run = m_commands.menu(bar, "R&un", Commands::When::CellSeen);
    action(run, "Run or pause", "Once from the top", QKeySequence("F5"), [this] { m_run->click(); });
    action(run, "Run one step", "To the end of the next step", QKeySequence("F6"), [this] { m_step->click(); });
    action(run, "Back to the authored cell", "Ends the run; parts and arm are where they were", QKeySequence("F7"),
           [this] { m_session->leaveRun(); });
    action(run, "Run from selected step", "Starts where the selected step begins", QKeySequence("Shift+F5"), [this] {
        const StepId step = m_session->selected<StepId>();
        if (!step) return m_session->say("Select the step to start from.", true);
        if (m_session->playFrom(step)) return;
        m_session->say("The run does not get to this step.", true);
    });
    action(run, "Run from selected step and here", "Starts at the selected step with the arm where it stands now",
           QKeySequence("Ctrl+F5"), [this] {
               const StepId step = m_session->selected<StepId>();
               if (!step || !m_session->playFromHere(step))
                   m_session->say("Select a step of the routine that the arm runs.", true);
           });
    action(run, "Run over the call", "To the end of the call that the next step is in", QKeySequence("Shift+F6"),
           [this] { m_session->playStep(true); });
    for (const double f : kSpeeds)
        action(run, QString("Speed × %1").arg(f), "Speed of the run", {}, [this, f] { m_session->setPlaySpeed(f); });
}

void MainWindow::buildHelpMenu(QMenuBar& bar)
{
    QMenu* help = m_commands.menu(bar, "&Help", Commands::When::Always);
    action(help, "Find or do", "Type the name of anything", QKeySequence("Ctrl+K"), [this] { m_command->setFocus(); });
    action(help, "First cell, step by step", "Ten steps that watch what you do; leave it at any time", {},
           [this] { m_guide->start(); });
    action(help, "Manual", "Its pages, with search; no network is needed", QKeySequence("Shift+F1"),
           [this] { showManual("first-cycle"); });
    for (const auto& [words, page] :
         {std::pair("Findings and what to do", "findings"), std::pair("How steps are written", "program-grammar"),
          std::pair("Teaching targets", "teach"), std::pair("Laying out the cell", "layout")})
        action(help, QString("Manual: %1").arg(words), "A page of the manual", {},
               [this, page = page] { showManual(page); });
    action(help, "Keys", "All keys, of actions and in the view", QKeySequence("F1"), [this] { showKeys(); });
    action(help, "Messages", "What was said so far, to be read again", QKeySequence("Shift+F4"),
           [this] { m_messages->toggle(); });
    action(help, "About Topikos", "Version and licence", {}, [this] {
        QMessageBox::about(
            this, "About Topikos",
            QString("Topikos %1\nPrograms robot cells offline, and says what the arm can do.\nGPL-3.0-or-later")
                .arg(QCoreApplication::applicationVersion()));
    });
}

std::vector<CommandField::Entry> MainWindow::entries()
{
    std::vector<CommandField::Entry> entries;
    for (const Commands::Command& command : m_commands.all())
        if (QAction* a = command.action; a->isEnabled())
            entries.push_back({a->text(), a->shortcut().toString(QKeySequence::NativeText), [a] { a->trigger(); }});
    for (const Target& t : m_session->cell().targets) {
        entries.push_back({"Target " + text(t.name), "select", [this, id = t.id] { m_session->select(id); }});
        entries.push_back({"Move to " + text(t.name), "move", [this, id = t.id] { m_session->goToTarget(id); }});
    }
    for (const Frame& f : m_session->cell().frames) {
        entries.push_back({"Frame " + text(f.name), "select", [this, id = f.id] { m_session->select(id); }});
        entries.push_back(
            {"See from " + text(f.name), "reading frame", [this, id = f.id] { m_session->setReadingFrame(id); }});
    }
    const Vocabulary words(m_session->cell());
    const StepScope scope{m_session->routine()};
    eachStep(m_session->routine().steps, [&](const Step& step, size_t number) {
        entries.push_back({QString("Step %1: %2").arg(number + 1).arg(text(stepText(words, step, &scope))), "select",
                           [this, id = step.id] { m_session->select(id); }});
    });
    return entries;
}

}  // namespace topikos
