#include "app/draw/surface_draw.h"
#include "app/instruments/teach_panel.h"
#include "app/layout/layout_commands.h"
#include "app/route/route_panel.h"
#include "app/session/held_jog.h"
#include "app/session/text.h"
#include "app/targets/target_commands.h"
#include "app/targets/targets_files.h"
#include "app/targets/targets_panel.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/cell/arms.h"
#include "core/cell/devices.h"

/// The commands of the menus Cell and Teach.
namespace topikos {

void MainWindow::buildCellMenu(QMenuBar& bar)
{
    QMenu* layout = m_commands.menu(bar, "&Cell", Commands::When::CellSeen);
    const auto command = [&](const char* words, const char* tip, const QKeySequence& keys, void (*run)(Session&)) {
        action(layout, words, tip, keys, [this, run] { run(*m_session); });
    };
    command("Add frame", "Below the selected frame", QKeySequence("Ctrl+Shift+F"), addFrameHere);
    command("Add part", "In the selected frame", QKeySequence("Ctrl+Shift+P"), addPartHere);
    command("Add pattern", "Repeats the selected part or target", {}, addPatternHere);
    command("Add tool", "For the arm", {}, addToolHere);
    for (const auto& [words, kind] : {std::pair("Add jaw gripper", Gripper::Kind::Parallel),
                                      std::pair("Add vacuum gripper", Gripper::Kind::Vacuum)})
        action(layout, words, "For the arm in hand, which carries it from then on", {},
               [this, kind = kind] { addGripperHere(*m_session, kind); });
    QMenu* devices = layout->addMenu("Add device");
    for (int k = 0; k <= int(Device::Kind::LightBarrier); ++k)
        action(devices, QString("Add %1").arg(deviceWord(Device::Kind(k))), "In the selected frame", {},
               [this, k] { addDeviceHere(*m_session, Device::Kind(k)); });
    QMenu* things = layout->addMenu("Add what stands on the floor");
    for (const Furniture::Kind kind : kFurnitureKinds)
        action(things, QString("Add %1").arg(furnitureWord(kind)), "By width, depth and height, in the selected frame",
               {}, [this, kind] { addFurnitureHere(*m_session, kind); });
    command("Add arm", "Another arm, on the selected frame or beside the others", {}, addArmHere);
    command("Take next arm in hand", "The arm that is jogged and taught", QKeySequence("Ctrl+Shift+J"),
            takeNextArmInHand);
    command("Put the arm on the selected frame", "It stands there from now on", {}, mountArmHere);
    action(layout, "Bring in a surface …",
           "A shape from STL, OBJ, PLY, DAE or glTF for what is selected, or as a new part", QKeySequence("Ctrl+I"),
           [this] { askForShape(); });
    action(layout, "Bring in from another cell …", "Frames with all that is in them, tools, or the arm", {},
           [this] { bringFromCell(); });
    layout->addSeparator();
    command("Copy selected thing", "Fixtures with their frames, parts and targets; parts; targets",
            QKeySequence("Ctrl+Shift+C"), copySelected);
    layout->addSeparator();
    action(layout, "Place frame by three points", "Touch its origin, x axis and xy plane with the TCP", {},
           [this] { m_teach->start(TeachPanel::Kind::Frame); });
    action(layout, "Measure frame as built", "Three drawn points and where they were found", {},
           [this] { m_teach->start(TeachPanel::Kind::AsBuilt); });
    action(layout, "Find TCP by four points", "One place touched in four orientations", {},
           [this] { m_teach->start(TeachPanel::Kind::Tcp); });
    command("Stand as drawn or as built", "Switches all measured corrections", {}, switchAsBuilt);
    command("Put selected tool in force", "The arm carries it from now on", {}, putToolInForce);
    layout->addSeparator();
    command("Hide or show", "The selected frame or part", QKeySequence("Ctrl+Shift+H"), hideSelected);
    command("Lock or unlock", "The selected frame or part", {}, lockSelected);
    command("Show alone", "The selected frame and what is in it", {}, isolateSelected);
    command("Show everything", "Nothing hidden", {}, showEverything);
}

void MainWindow::buildTeachMenu(QMenuBar& bar)
{
    QMenu* teach = m_commands.menu(bar, "&Teach", Commands::When::CellSeen);
    action(teach, "Take target here",
           "A pose target where the arm stands, in the frame that the foot of the view names", QKeySequence("T"),
           [this] { m_targets->takePose(); });
    action(teach, "Take target and joint move", "A target where the arm stands, and a joint move to it in the routine",
           QKeySequence("Shift+T"), [this] { m_route->teachStep(StepKind::Joint, m_targets->takingFrame()); });
    action(teach, "Take target and line", "A target where the arm stands, and a line to it in the routine",
           QKeySequence("L"), [this] { m_route->teachStep(StepKind::Line, m_targets->takingFrame()); });
    action(teach, "Bring in a time table", "Times and joint values from a CSV file, and a step that plays them", {},
           [this] { m_route->bringTable(); });
    action(teach, "Paste a time table", "The same from the clipboard, as a spreadsheet puts it there", {},
           [this] { m_route->pasteTable(); });
    action(teach, "Take posture here", "One value per joint, as the arm stands", QKeySequence("Ctrl+Shift+T"),
           [this] { m_targets->takePosture(); });
    action(teach, "Re-take selected target", "The selected target goes to where the arm stands", QKeySequence("Ctrl+T"),
           [this] { m_targets->retakeSelected(); });
    action(teach, "Targets as a table", "To compare, to type into, and to paste rows of a spreadsheet", {}, [this] {
        m_bottom->setCurrentWidget(m_table);
        m_table->setFocus();
    });
    action(teach, "Rename selected target", "Type a new name", QKeySequence("Ctrl+R"),
           [this] { m_targets->renameSelected(); });
    action(teach, "Make selected posture home", "Runs start there", {}, [this] { m_targets->makeSelectedHome(); });
    m_commands.add(teach, "Move to selected target",
                   "Send the arm to the selected target, or to that of the selected step",
                   {QKeySequence("M"), QKeySequence("Ctrl+M")}, [this] { m_session->goToSelected(); });
    action(teach, "Move home", "Send the arm to its home posture", QKeySequence("Ctrl+H"),
           [this] { m_session->goToTarget(m_session->station().home); });
    action(teach, "Back to where the arm stood", "Takes back the last move by hand; the cell stays as it is",
           QKeySequence("Alt+Left"), [this] { m_session->standBack(); });
    action(teach, "Forth to where the arm stood", "Does that move again", QKeySequence("Alt+Right"),
           [this] { m_session->standForth(); });
    QAction* stops =
        action(teach, "Stop at contact", "The arm stops before it touches something when it is moved by hand", {},
               [this] { m_session->setStopsAtContact(!m_session->stopsAtContact()); });
    stops->setCheckable(true);
    stops->setChecked(m_session->stopsAtContact());
    connect(m_session, &Session::jogChanged, stops, [=, this] { stops->setChecked(m_session->stopsAtContact()); });
    action(teach, "Down to contact",
           "The tool goes along its axis to what it touches first, at most 500 mm, and tells the height",
           QKeySequence("Ctrl+Shift+Down"), [this] { m_session->downToContact(); });
    action(teach, "Draw on a surface",
           "Process targets on a body: points, lines over it, or along its edges; Enter keeps them",
           QKeySequence("Ctrl+G"), [this] {
               m_view->setMeasuring(false);
               m_view->draw().begin();
               m_view->setFocus();
           });
    action(teach, "Follow the selected group", "A step at the end of the routine that goes along it", {}, [this] {
        if (const Pattern* group = drawnGroup(*m_session)) addFollow(*m_session, group->id);
        else m_session->say("Select a drawn group first.", true);
    });
    for (int axis = 0; axis < 3; ++axis)
        action(teach, QString("Mirror selected targets across %1").arg("XYZ"[axis]),
               "At the plane through the origin of their frame", {},
               [this, axis] { mirrorSelected(*m_session, axis); });
    action(teach, "Copy selected targets to a frame", "Each where it is in its own frame; names follow", {},
           [this] { copySelectedTo(*m_session, this); });
    action(teach, "Bring home", "The arm in hand goes home, if the way there is free of contact",
           QKeySequence("Ctrl+Shift+Home"), [this] { bringHome(*m_session); });
    action(teach, "Bring in targets", "From a table: changes those that are there, adds the others", {},
           [this] { bringInTargets(*m_session, this); });
    action(teach, "Save targets as a table", "All that are in no pattern, for a spreadsheet", {},
           [this] { saveTargets(*m_session, this); });
    buildHandCommands(*teach);
}

void MainWindow::buildHandCommands(QMenu& teach)
{
    action(&teach, "Turn about the selected thing",
           "Turns by buttons, keys and typed moves go about the selected frame, part or target; with nothing selected "
           "about the TCP again",
           {}, [this] { m_session->setPivot(m_session->selection()); });
    action(&teach, "Type a move", "By so much, or to a place: Z +25, j4 -10, x 350 y 0", QKeySequence("Ctrl+J"),
           [this] {
               auto* line = findChild<QLineEdit*>("moveLine");
               line->setFocus();
               line->selectAll();
           });
    action(&teach, "Lock or free the jogged axis",
           "Holds the axis chosen for jogging where it is; ways to reach leave it out", {}, [this] {
               const int joint = m_session->jogJointIndex();
               const bool locked = m_session->arm().description().joints[size_t(joint)].locked.has_value();
               const double value = m_session->posture()[joint];
               if (m_session->edit(QString(locked ? "Free axis %1" : "Lock axis %1").arg(joint + 1),
                                   [=, arm = m_session->station().id](const Cell& c) {
                                       return setAxisLock(c, arm, joint, locked ? std::nullopt : std::optional(value));
                                   }))
                   m_session->say(locked ? QString("Axis %1 is free").arg(joint + 1)
                                         : QString("Axis %1 is locked at %2")
                                               .arg(joint + 1)
                                               .arg(jointText(m_session->arm().joints()[size_t(joint)], value)));
           });
    teach.addSeparator();
    static const char* spaces[] = {"Jog joints", "Jog in the world", "Jog in the tool", "Jog in the frame"};
    for (int i = 0; i < 4; ++i)
        action(&teach, spaces[i], "Axes that the jog keys and handles follow", {},
               [this, i] { m_session->setJogSpace(JogSpace(i)); });
    action(&teach, "Jog in the base", "Axes that the jog keys and handles follow", {},
           [this] { m_session->setJogSpace(JogSpace::Base); });
    action(&teach, "Jog while held, or by steps", "H in the view; + and - change the speed", {},
           [this] { m_view->held().setOn(!m_view->held().on()); });
    const auto around = [this](double sign) { m_session->jogJointAround(m_session->jogJointIndex(), sign); };
    action(&teach, "Joint + around the tool",
           "Moves the joint chosen for jogging, of an arm with one to spare, with the tool held still",
           QKeySequence("Ctrl+Alt+Right"), [around] { around(1); });
    action(&teach, "Joint - around the tool", "The same the other way", QKeySequence("Ctrl+Alt+Left"),
           [around] { around(-1); });
    action(&teach, "Smaller jog steps", "< in the view", {}, [this] { m_session->changeJogStep(-1); });
    action(&teach, "Larger jog steps", "> in the view", {}, [this] { m_session->changeJogStep(1); });
}

}  // namespace topikos
