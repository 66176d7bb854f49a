#include "app/instruments/best_ways_offer.h"
#include "app/layout/layout_commands.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/session/text.h"
#include "app/window/main_window.h"
#include "core/cell/edit_steps.h"

/// The commands of the Route menu.
namespace topikos {

void MainWindow::buildRouteMenu(QMenuBar& bar)
{
    QMenu* route = m_commands.menu(bar, "&Route", Commands::When::CellSeen);
    action(route, "Type a step", "Goes in after the selected step", QKeySequence("Ctrl+L"), [this] {
        m_left->setCurrentIndex(1);
        m_route->focusTypeLine();
    });
    action(route, "Edit step text", "The selected step as a line of text (Enter)", {},
           [this] { m_route->editSelected(); });
    action(route, "Duplicate step", "A copy after the selected step", QKeySequence("Ctrl+D"),
           [this] { m_route->duplicateSelected(); });
    action(route, "Move step up", "", QKeySequence("Alt+PgUp"), [this] { m_route->moveSelected(-1); });
    action(route, "Move step down", "", QKeySequence("Alt+PgDown"), [this] { m_route->moveSelected(1); });
    action(route, "Type a step before", "Goes in before the selected step", QKeySequence("Ctrl+Shift+I"), [this] {
        m_left->setCurrentIndex(1);
        m_route->typeBefore();
    });
    action(route, "Cut steps", "To the clipboard, as text", {}, [this] { m_route->cutSelected(); });
    action(route, "Copy steps", "To the clipboard, as text that any editor takes", {},
           [this] { m_route->copySelected(); });
    action(route, "Paste steps", "Steps from text, after the selected step", {}, [this] { m_route->paste(); });
    route->addSeparator();
    action(route, "Put into repeat", "The selected steps are done again and again", QKeySequence("Ctrl+Shift+R"),
           [this] { m_route->wrapSelected(StepKind::Repeat); });
    action(route, "Put into for each place", "The selected steps are done for each place of a pattern",
           QKeySequence("Ctrl+Shift+K"), [this] { m_route->wrapSelected(StepKind::ForEach); });
    action(route, "Put into if", "The selected steps are done when a signal says so", {},
           [this] { m_route->wrapSelected(StepKind::If); });
    action(route, "Take out of the block", "What the selected block holds takes its place", {},
           [this] { m_route->unwrapSelected(); });
    action(route, "Make a routine of them", "The selected steps become a routine that is called in their place",
           QKeySequence("Ctrl+Shift+X"), [this] { m_route->makeRoutineOfSelected(); });
    action(route, "Fold block", "Left in the route", {}, [this] { m_route->foldSelected(true); });
    action(route, "Unfold block", "Right in the route", {}, [this] { m_route->foldSelected(false); });
    action(route, "Where is it used", "The next step that uses the target, signal or routine at hand",
           QKeySequence("Ctrl+U"), [this] {
               m_left->setCurrentIndex(1);
               m_route->goToNextUse();
           });
    action(route, "Program as text", "All routines as text, or the steps as a list again", QKeySequence("Ctrl+Shift+L"),
           [this] {
               m_left->setCurrentIndex(1);
               m_route->showText(!m_route->editor()->isVisible());
               if (m_route->editor()->isVisible()) m_route->editor()->field()->setFocus();
           });
    action(route, "Halt before it", "The run halts where the selected step begins; again takes the mark away",
           QKeySequence("F9"), [this] { m_route->toggleHalt(); });
    route->addSeparator();
    action(route, "Switch step off or on", "Space in the route", {}, [this] { m_route->switchSelected(); });

    action(route, "Add routine", "A new one for the arm in hand, beside the one that runs", {},
           [this] { addRoutineForArm(*m_session); });
    action(route, "Routine for every arm or for this one",
           "For every arm it goes only to places that its calls fill in", {}, [this] {
               const Routine& routine = m_session->routine();
               const ArmId arm = routine.arm ? ArmId() : m_session->station().id;
               if (m_session->edit("Change whose the routine is",
                                   [&, id = routine.id](const Cell& c) { return setRoutineArm(c, id, arm); }))
                   m_session->say(arm ? "The routine is that of " + text(m_session->station().name) + " now."
                                      : QString("Every arm can call the routine now."));
           });
    action(route, "Delete routine", "Refused while a step calls it, or when it is the only one that the arm can run",
           {}, [this] {
               const RoutineId id = m_session->routine().id;
               m_session->edit("Delete " + text(m_session->routine().name),
                               [id](const Cell& c) { return deleteRoutine(c, id); });
           });
    action(route, "Find the best ways", "The chain of ways with the fewest cautions and the least joint travel",
           QKeySequence("Ctrl+B"), [this] { m_bestWays->search(); });
}

}  // namespace topikos
