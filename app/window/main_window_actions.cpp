#include "app/draw/surface_draw.h"
#include "app/session/held_jog.h"
#include "app/targets/targets_files.h"
#include "app/window/main_window.h"

#include "app/arms/arms_page.h"
#include "app/instruments/best_ways_offer.h"
#include "app/instruments/teach_panel.h"
#include "app/layout/layout_commands.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/properties/number_field.h"
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
#include "core/cell/devices.h"
#include "core/cell/arms.h"
#include "core/cell/edit_steps.h"
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

/// Every action of the window: its words, keys, and what it does.
namespace topikos {

QAction* MainWindow::action(QMenu* menu, const QString& words, const QString& tip, const QKeySequence& keys,
                            std::function<void()> run)
{
    auto* a = new QAction(words, this);
    a->setToolTip(tip);
    a->setStatusTip(tip);
    if (!keys.isEmpty()) a->setShortcut(keys);
    connect(a, &QAction::triggered, this, [run = std::move(run)] { run(); });
    menu->addAction(a);
    menu->setToolTipsVisible(true);
    addAction(a);
    m_actions.push_back(a);
    return a;
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
    for (const auto& [plain, action] : m_plainKeys)
        if (plain == key->key()) {
            action->trigger();
            return true;
        }
    return false;
}

void MainWindow::deleteSelectedThing()
{
    if (m_pages->currentIndex() != 0) return;
    if (m_session->selected<StepId>()) m_route->deleteSelected();
    else deleteSelected(*m_session);
}

void MainWindow::buildActions()
{
    auto* bar = findChild<QMenuBar*>("menuBar");
    QMenu* cell = bar->addMenu("&File");
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

    QMenu* edit = bar->addMenu("&Edit");
    m_undo = action(edit, "Undo", "Take back the last change", QKeySequence::Undo, [this] {
        if (armsShown()) m_arms->model().undo();
        else if (!m_route->editor()->undoTyping()) m_session->undo();
    });
    m_redo = action(edit, "Redo", "Do the undone change again", QKeySequence("Ctrl+Shift+Z"), [this] {
        if (armsShown()) m_arms->model().redo();
        else if (!m_route->editor()->redoTyping()) m_session->redo();
    });
    edit->addSeparator();
    QAction* remove =
        action(edit, "Delete", "The selected step, target, frame, part, tool, pattern or arm, wherever it is selected",
               QKeySequence::Delete, [this] { deleteSelectedThing(); });
    edit->addSeparator();
    action(edit, "Edit thresholds", "Show when the checks speak up", {}, [this] { m_session->select({}); });

    QMenu* view = bar->addMenu("&View");
    action(view, "Fit all", "Show the whole cell (F in the view)", QKeySequence("Ctrl+F"),
           [this] { m_view->fitAll(); });
    action(view, "Go near the selected thing", "Frames with all that is in them, parts, targets",
           QKeySequence("Ctrl+Shift+E"), [this] {
               if (!m_view->fitSelected())
                   m_session->say("Select something that stands in the cell to go near it.", true);
           });
    const std::tuple<const char*, const char*, Viewport::Direction> looks[] = {
        {"Look from the front", "Ctrl+1", Viewport::Direction::Front},
        {"Look from the left", "Ctrl+2", Viewport::Direction::Left},
        {"Look from above", "Ctrl+3", Viewport::Direction::Top},
        {"Look from the corner", "Ctrl+4", Viewport::Direction::Corner}};
    for (const auto& [words, keys, direction] : looks)
        action(view, words, "Standard view", QKeySequence(keys), [this, d = direction] { m_view->look(d); });
    view->addSeparator();
    action(view, "Cell face", "Frames, tool and parts", QKeySequence("Alt+1"), [this] { m_left->setCurrentIndex(0); });
    action(view, "Route face", "Steps of the routine", QKeySequence("Alt+2"), [this] { m_left->setCurrentIndex(1); });
    action(view, "Targets face", "Targets by frame", QKeySequence("Alt+3"), [this] { m_left->setCurrentIndex(2); });
    action(view, "Properties and back", "The keys go to the properties of what is selected, or back to the list",
           QKeySequence("F4"), [this] { goToProperties(); });
    action(view, "Work in the view", "Give the keys to the view", QKeySequence("Ctrl+E"),
           [this] { m_view->setFocus(); });
    action(view, "Grow the strip and back", "The strip fills the window, or goes back to its place",
           QKeySequence("Ctrl+Shift+G"), [this] { growStrip(); });
    action(view, "Restore layout", "Regions back to their first sizes", QKeySequence("Ctrl+0"),
           [this] { restoreLayout(); });
    QMenu* trail = view->addMenu("Trail of a run");
    using Colour = TrailOptions::Colour;
    const auto setTrail = [this](auto change) {
        TrailOptions options = m_view->trail();
        change(options);
        m_view->setTrail(options);
    };
    for (const auto& [words, tip, colour] :
         {std::tuple("Trail off", "Nothing but the paths of the routine", Colour::Off),
          std::tuple("Trail plain", "Where the TCP has been in the run", Colour::Plain),
          std::tuple("Trail by speed", "The faster the darker", Colour::Speed),
          std::tuple("Trail by margin", "Where a joint is nearer to its range end than the margin asked for",
                     Colour::Margin),
          std::tuple("Trail by step", "Steps in turn", Colour::Step)})
        action(trail, words, tip, {},
               [setTrail, colour = colour] { setTrail([&](TrailOptions& o) { o.colour = colour; }); });
    trail->addSeparator();
    for (const auto& [words, last] :
         {std::pair("Trail of the whole run", 0.0), {"Trail of the last 5 s", 5.0}, {"Trail of the last 20 s", 20.0}})
        action(trail, words, "How far back the trail goes", {},
               [setTrail, last = last] { setTrail([&](TrailOptions& o) { o.last = last; }); });
    trail->addSeparator();
    for (const auto& [words, every] : {std::pair("Tool axes along the trail off", 0.0),
                                       {"Tool axes every 100 ms", 0.1},
                                       {"Tool axes every 500 ms", 0.5}})
        action(trail, words, "The axes of the tool along its trail", {},
               [setTrail, every = every] { setTrail([&](TrailOptions& o) { o.glyphEvery = every; }); });
    trail->addSeparator();
    action(trail, "Trail of the next tool point", "The TCP in force, then the other points of the tool in turn", {},
           [this, setTrail] {
               const Tool& tool = toolInForce(m_session->cell(), m_session->station());
               setTrail([&](TrailOptions& o) {
                   o.point = o.point >= tool.points.size() ? 0 : o.point + 1;
                   m_session->say("The trail is that of "
                                  + (o.point == 0 ? QString("the TCP") : text(tool.points[o.point - 1].name)) + ".");
               });
           });
    action(view, "Dark or light", "Change between the dark and the light look", QKeySequence("Ctrl+Shift+D"),
           [this] { setLook(!theme().dark, theme().contrast); });
    action(view, "High contrast", "Black on white, or white on black, with wide frames about what has the keys", {},
           [this] { setLook(theme().dark, !theme().contrast); });
    QMenu* size = view->addMenu("Size of everything");
    for (const int percent : {100, 125, 150, 200})
        action(size, QString("Show everything at %1 %").arg(percent), "From the next start on", {},
               [this, percent] { chooseSize(percent); });

    QMenu* angles = view->addMenu("Angles");
    for (const AngleOrder order :
         {AngleOrder::FixedXyz, AngleOrder::IntrinsicZyx, AngleOrder::IntrinsicZyz, AngleOrder::IntrinsicXyz})
        action(angles, "Show angles as " + angleOrderText(order),
               "Convention in which orientations of this cell are shown and typed", {}, [this, order] {
                   if (order != m_session->cell().angles)
                       m_session->edit("Show angles as " + angleOrderText(order),
                                       [order](const Cell& c) { return setAngles(c, order); });
               });

    QMenu* units = view->addMenu("Units");
    for (int i = 0; i < int(std::size(kLengthUnits)); ++i)
        action(units, QString("Show lengths in %1").arg(kLengthUnits[i].symbol), "Unit of places, shown and typed", {},
               [this, i] { chooseUnits(i, -1), NumberField::showUnits(), Q_EMIT m_session->cellChanged(); });
    for (int i = 0; i < int(std::size(kAngleUnits)); ++i)
        action(units, QString("Show angles in %1").arg(i ? "radians" : "degrees"),
               "Unit of orientations, shown and typed", {},
               [this, i] { chooseUnits(-1, i), NumberField::showUnits(), Q_EMIT m_session->cellChanged(); });
    QMenu* grid = view->addMenu("Grid");
    for (const int step : {10, 50, 100, 250, 1000})
        action(grid, QString("Grid of %1 mm").arg(step), "Distance of the fine lines on the floor", {},
               [this, step] { m_view->setGridStep(step * kMillimetre); });
    view->addSeparator();
    action(view, "Measure", "Distance, angle and parts along the axes between two picks", QKeySequence("Ctrl+Shift+M"),
           [this] { m_view->setMeasuring(!m_view->measuring()); });
    QAction* sheet = action(view, "Show the construction of the inverse",
                            "Shoulder, elbow and wrist of what is selected as a triangle, with both elbows, live", {},
                            [this] { m_view->showConstruction(!m_view->constructionShown()); });
    sheet->setCheckable(true);
    connect(view, &QMenu::aboutToShow, sheet, [this, sheet] { sheet->setChecked(m_view->constructionShown()); });
    static const char* axes[] = {"X", "Y", "Z"};
    QMenu* section = view->addMenu("Cut open");
    for (int i = 0; i < 3; ++i)
        action(section, QString("Cut open across %1").arg(axes[i]),
               "Bodies nearer than the plane are left out; Ctrl and the wheel move it", {},
               [this, i] { m_view->setSection(i); });
    action(section, "Whole again", "No cut", {}, [this] { m_view->setSection(-1); });
    action(view, "Floor plan", "From above, with the distances of the frames on the floor", QKeySequence("Ctrl+5"),
           [this] { m_view->showFloorPlan(!m_view->floorPlanShown()); });

    QMenu* layout = bar->addMenu("&Cell");
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

    QMenu* teach = bar->addMenu("&Teach");
    QAction* take = action(teach, "Take target here",
                           "A pose target where the arm stands, in the frame that the foot of the view names",
                           QKeySequence("T"), [this] { m_targets->takePose(); });
    action(teach, "Take target and joint move", "A target where the arm stands, and a joint move to it in the routine",
           QKeySequence("Shift+T"), [this] { m_route->teachStep(StepKind::Joint, m_targets->takingFrame()); });
    QAction* teachLine =
        action(teach, "Take target and line", "A target where the arm stands, and a line to it in the routine",
               QKeySequence("L"), [this] { m_route->teachStep(StepKind::Line, m_targets->takingFrame()); });
    action(teach, "Bring in a time table", "Times and joint values from a CSV file, and a step that plays them", {},
           [this] { m_route->bringTable(); });
    action(teach, "Paste a time table", "The same from the clipboard, as a spreadsheet puts it there", {},
           [this] { m_route->pasteTable(); });
    action(teach, "Take posture here", "One value per joint, as the arm stands", QKeySequence("Ctrl+Shift+T"),
           [this] { m_targets->takePosture(); });
    QAction* retake = action(teach, "Re-take selected target", "The selected target goes to where the arm stands",
                             QKeySequence("Ctrl+T"), [this] { m_targets->retakeSelected(); });
    action(teach, "Targets as a table", "To compare, to type into, and to paste rows of a spreadsheet", {}, [this] {
        m_bottom->setCurrentWidget(m_table);
        m_table->setFocus();
    });
    QAction* rename = action(teach, "Rename selected target", "Type a new name", QKeySequence("Ctrl+R"),
                             [this] { m_targets->renameSelected(); });
    QAction* home =
        action(teach, "Make selected posture home", "Runs start there", {}, [this] { m_targets->makeSelectedHome(); });
    QAction* move =
        action(teach, "Move to selected target", "Send the arm to the selected target, or to that of the selected step",
               QKeySequence("M"), [this] { m_session->goToSelected(); });
    move->setShortcuts({QKeySequence("M"), QKeySequence("Ctrl+M")});
    m_plainKeys = {{Qt::Key_Delete, remove}, {Qt::Key_T, take}, {Qt::Key_L, teachLine}, {Qt::Key_M, move}};
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
    action(teach, "Turn about the selected thing",
           "Turns by buttons, keys and typed moves go about the selected frame, part or target; with nothing selected "
           "about the TCP again",
           {}, [this] { m_session->setPivot(m_session->selection()); });
    action(teach, "Type a move", "By so much, or to a place: Z +25, j4 -10, x 350 y 0", QKeySequence("Ctrl+J"), [this] {
        auto* line = findChild<QLineEdit*>("moveLine");
        line->setFocus();
        line->selectAll();
    });
    action(teach, "Lock or free the jogged axis",
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
    teach->addSeparator();
    static const char* spaces[] = {"Jog joints", "Jog in the world", "Jog in the tool", "Jog in the frame"};
    for (int i = 0; i < 4; ++i)
        action(teach, spaces[i], "Axes that the jog keys and handles follow", {},
               [this, i] { m_session->setJogSpace(JogSpace(i)); });
    action(teach, "Jog in the base", "Axes that the jog keys and handles follow", {},
           [this] { m_session->setJogSpace(JogSpace::Base); });
    action(teach, "Jog while held, or by steps", "H in the view; + and - change the speed", {},
           [this] { m_view->held().setOn(!m_view->held().on()); });
    const auto around = [this](double sign) { m_session->jogJointAround(m_session->jogJointIndex(), sign); };
    action(teach, "Joint + around the tool",
           "Moves the joint chosen for jogging, of an arm with one to spare, with the tool held still",
           QKeySequence("Ctrl+Alt+Right"), [around] { around(1); });
    action(teach, "Joint - around the tool", "The same the other way", QKeySequence("Ctrl+Alt+Left"),
           [around] { around(-1); });
    action(teach, "Smaller jog steps", "< in the view", {}, [this] { m_session->changeJogStep(-1); });
    action(teach, "Larger jog steps", "> in the view", {}, [this] { m_session->changeJogStep(1); });

    QMenu* route = bar->addMenu("&Route");
    action(route, "Type a step", "Goes in after the selected step", QKeySequence("Ctrl+L"), [this] {
        m_left->setCurrentIndex(1);
        m_route->focusTypeLine();
    });
    QAction* editText = action(route, "Edit step text", "The selected step as a line of text (Enter)", {},
                               [this] { m_route->editSelected(); });
    QAction* duplicate = action(route, "Duplicate step", "A copy after the selected step", QKeySequence("Ctrl+D"),
                                [this] { m_route->duplicateSelected(); });
    action(route, "Move step up", "", QKeySequence("Alt+PgUp"), [this] { m_route->moveSelected(-1); });
    action(route, "Move step down", "", QKeySequence("Alt+PgDown"), [this] { m_route->moveSelected(1); });
    QAction* before =
        action(route, "Type a step before", "Goes in before the selected step", QKeySequence("Ctrl+Shift+I"), [this] {
            m_left->setCurrentIndex(1);
            m_route->typeBefore();
        });
    QAction* cut = action(route, "Cut steps", "To the clipboard, as text", {}, [this] { m_route->cutSelected(); });
    QAction* copy = action(route, "Copy steps", "To the clipboard, as text that any editor takes", {},
                           [this] { m_route->copySelected(); });
    QAction* paste =
        action(route, "Paste steps", "Steps from text, after the selected step", {}, [this] { m_route->paste(); });
    route->addSeparator();
    QAction* inRepeat = action(route, "Put into repeat", "The selected steps are done again and again",
                               QKeySequence("Ctrl+Shift+R"), [this] { m_route->wrapSelected(StepKind::Repeat); });
    QAction* inEach =
        action(route, "Put into for each place", "The selected steps are done for each place of a pattern",
               QKeySequence("Ctrl+Shift+K"), [this] { m_route->wrapSelected(StepKind::ForEach); });
    QAction* inIf = action(route, "Put into if", "The selected steps are done when a signal says so", {},
                           [this] { m_route->wrapSelected(StepKind::If); });
    QAction* unwrap = action(route, "Take out of the block", "What the selected block holds takes its place", {},
                             [this] { m_route->unwrapSelected(); });
    QAction* extract =
        action(route, "Make a routine of them", "The selected steps become a routine that is called in their place",
               QKeySequence("Ctrl+Shift+X"), [this] { m_route->makeRoutineOfSelected(); });
    action(route, "Fold block", "Left in the route", {}, [this] { m_route->foldSelected(true); });
    action(route, "Unfold block", "Right in the route", {}, [this] { m_route->foldSelected(false); });
    QAction* used = action(route, "Where is it used", "The next step that uses the target, signal or routine at hand",
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
    QAction* halt =
        action(route, "Halt before it", "The run halts where the selected step begins; again takes the mark away",
               QKeySequence("F9"), [this] { m_route->toggleHalt(); });
    route->addSeparator();
    QAction* switchOff =
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

    QMenu* check = bar->addMenu("Chec&k");
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

    QMenu* run = bar->addMenu("R&un");
    action(run, "Run or pause", "Once from the top", QKeySequence("F5"), [this] { m_run->click(); });
    action(run, "Run one step", "To the end of the next step", QKeySequence("F6"), [this] { m_step->click(); });
    action(run, "Back to the authored cell", "Ends the run; parts and arm are where they were", QKeySequence("F7"),
           [this] { m_session->leaveRun(); });
    QAction* runFrom = action(run, "Run from selected step", "Starts where the selected step begins",
                              QKeySequence("Shift+F5"), [this] {
                                  const StepId step = m_session->selected<StepId>();
                                  if (!step) return m_session->say("Select the step to start from.", true);
                                  if (m_session->playFrom(step)) return;
                                  m_session->say("The run does not get to this step.", true);
                              });
    QAction* fromHere =
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

    QMenu* help = bar->addMenu("&Help");
    for (QAction* a : m_actions) {
        // It was put into its menu first.
        const auto* owner = qobject_cast<QWidget*>(a->associatedObjects().front());
        for (const QMenu* menu : {layout, teach, route, check, run})
            if (owner == menu || menu->isAncestorOf(owner)) m_cellActions.push_back(a);
    }
    const auto gap = [this] {
        auto* line = new QAction(this);
        line->setSeparator(true);
        return line;
    };
    m_route->setMenu({editText, before, duplicate, switchOff, cut,  copy, paste, gap(),   inRepeat, inEach,
                      inIf,     unwrap, extract,   gap(),     used, halt, move,  runFrom, fromHere, remove});
    m_targets->setMenu({move, retake, rename, home, remove});
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

std::vector<CommandField::Entry> MainWindow::commands()
{
    std::vector<CommandField::Entry> entries;
    for (QAction* a : m_actions)
        if (a->isEnabled())
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
