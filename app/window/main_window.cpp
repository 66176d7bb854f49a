#include "app/window/main_window.h"

#include "app/arms/arms_page.h"
#include "app/instruments/best_ways_offer.h"
#include "app/instruments/jog_pad.h"
#include "app/instruments/properties.h"
#include "app/instruments/travel_bars.h"
#include "app/instruments/ways_cards.h"
#include "app/layout/layout_panel.h"
#include "app/route/route_panel.h"
#include "app/session/recovery.h"
#include "app/session/text.h"
#include "app/strip/cycle_strip.h"
#include "app/strip/findings_list.h"
#include "app/targets/targets_panel.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/notice_bar.h"
#include "core/exchange/cell_file.h"
#include "core/exchange/step_text.h"
#include "core/robot/catalogue.h"

#include <QApplication>
#include <QCloseEvent>
#include <QCryptographicHash>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QScrollArea>
#include <QSettings>
#include <QStyle>
#include <QTimer>
#include <QVBoxLayout>

#include <array>

namespace topikos {

namespace {

constexpr std::array kSpeeds{0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0};
const char* kDemo = "tile-glazing-line";

Result<Cell> readExample(const QString& name)
{
    QFile file(":/examples/" + name + ".topikos");
    if (!file.open(QIODevice::ReadOnly)) return Error{"example.missing", "there is no such example", name.toStdString(), ""};
    return readCell(file.readAll().toStdString(), name.toStdString());
}

/// A label that carries a severity shape.
class Chip : public QLabel {
public:
    Chip(std::optional<Severity> severity, QWidget* parent) : QLabel(parent), m_severity(severity)
    {
        setObjectName("chip");
        if (severity) setContentsMargins(16, 0, 0, 0);
    }

protected:
    void paintEvent(QPaintEvent* event) override
    {
        QLabel::paintEvent(event);
        if (!m_severity) return;
        QPainter p(this);
        drawSeverity(p, QRectF(9, height() / 2.0 - 6, 12, 12), *m_severity);
    }

private:
    std::optional<Severity> m_severity;
};

}  // namespace

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent)
{
    setObjectName("mainWindow");
    m_session = new Session(readExample(kDemo).value(), this);
    buildRegions();
    buildActions();
    connect(m_session, &Session::cellChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::saveStateChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::checkedChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::runChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::cellChanged, this, &MainWindow::refreshActions);
    connect(m_session, &Session::selectionChanged, this, [this] {
        if (m_session->selected<TargetId>()) m_left->setCurrentIndex(2);
        else if (m_session->selected<StepId>()) m_left->setCurrentIndex(1);
        else if (m_session->selected<FrameId>() || m_session->selected<PartId>() || m_session->selected<ToolId>()) m_left->setCurrentIndex(0);
    });
    resize(1280, 800);
    QSettings settings;
    restoreGeometry(settings.value("window/geometry").toByteArray());
    restoreLayout();
    if (settings.contains("window/columns")) m_columns->restoreState(settings.value("window/columns").toByteArray());
    if (settings.contains("window/rows")) m_rows->restoreState(settings.value("window/rows").toByteArray());
    refreshHead();
    refreshActions();
    m_recovery = new Recovery(*m_session, Recovery::standardFolder(), this);
    connect(&m_watcher, &QFileSystemWatcher::fileChanged, this, &MainWindow::fileChangedOutside);
    offerLostCells();
    m_view->setFocus();
}

void MainWindow::buildHead()
{
    auto* head = new QWidget(this);
    head->setObjectName("head");
    head->setAttribute(Qt::WA_StyledBackground);
    head->setFixedHeight(44);
    auto* row = new QHBoxLayout(head);
    row->setContentsMargins(12, 6, 12, 6);
    row->setSpacing(7);
    m_name = new QLabel(head);
    m_name->setObjectName("cellName");
    m_saveState = new QLabel(head);
    m_saveState->setObjectName("saveState");
    row->addWidget(m_name);
    row->addWidget(m_saveState);
    row->addStretch();
    m_blocked = new Chip(Severity::Blocked, head);
    m_blocked->setProperty("role", "blocked");
    m_cautions = new Chip(Severity::Caution, head);
    m_cycleTime = new Chip(std::nullopt, head);
    m_cycleTime->setToolTip("Time of one cycle, and parts set down per hour without pause");
    for (QLabel* chip : {m_blocked, m_cautions, m_cycleTime}) row->addWidget(chip);
    const auto button = [&](const char* name, const QString& words, const char* tip, auto run) {
        auto* b = new QPushButton(words, head);
        b->setObjectName(name);
        b->setToolTip(tip);
        b->setFocusPolicy(Qt::TabFocus);
        connect(b, &QPushButton::clicked, this, run);
        row->addWidget(b);
        return b;
    };
    m_rewind = button("rewindButton", "", "Back to the authored cell: parts and arm are where they were (F7)", [this] { m_session->leaveRun(); });
    m_rewind->setIcon(glyphIcon("rewind"));
    m_step = button("stepButton", "Step", "Run to the end of the next step (F6)", [this] { m_session->playStep(); });
    m_run = button("runButton", "Run cycle", "Run the cycle once from the top, or pause it (F5)", [this] { m_session->playing() ? m_session->pause() : m_session->play(); });
    m_run->setMinimumWidth(92);
    m_speed = button("speedButton", "× 1", "Speed of the run; click for the next one", [this] {
        const auto it = std::find(kSpeeds.begin(), kSpeeds.end(), m_session->playSpeed());
        m_session->setPlaySpeed(it == kSpeeds.end() || it + 1 == kSpeeds.end() ? kSpeeds.front() : *(it + 1));
    });
    m_command = new CommandField([this] { return commands(); }, head);
    m_command->setFixedWidth(176);
    row->addWidget(m_command);
    setMenuWidget(nullptr);
    auto* top = new QWidget(this);
    auto* column = new QVBoxLayout(top);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* bar = new QMenuBar(top);
    bar->setObjectName("menuBar");
    column->addWidget(bar);
    column->addWidget(head);
    m_notices = new NoticeBar(top);
    column->addWidget(m_notices);
    setMenuWidget(top);
}

void MainWindow::buildRegions()
{
    buildHead();
    m_left = new QTabWidget(this);
    m_left->setObjectName("leftPanel");
    m_left->setDocumentMode(true);
    m_layout = new LayoutPanel(*m_session);
    m_route = new RoutePanel(*m_session);
    m_targets = new TargetsPanel(*m_session);
    m_left->addTab(m_layout, "Layout");
    m_left->addTab(m_route, "Route");
    m_left->addTab(m_targets, "Targets");
    m_left->setCurrentIndex(1);
    m_left->setMinimumWidth(240);

    // A rim around the view tells when the keys go there.
    auto* rim = new QFrame(this);
    rim->setObjectName("viewRim");
    auto* inside = new QVBoxLayout(rim);
    inside->setContentsMargins(2, 2, 2, 2);
    m_view = new Viewport(*m_session, rim);
    inside->addWidget(m_view);
    connect(qApp, &QApplication::focusChanged, rim, [this, rim](QWidget*, QWidget* now) {
        rim->setProperty("lit", now == m_view);
        rim->style()->unpolish(rim);
        rim->style()->polish(rim);
    });
    connect(m_view, &Viewport::takeRequested, m_targets, &TargetsPanel::takePose);

    auto* scroll = new QScrollArea(this);
    scroll->setObjectName("instruments");
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setMinimumWidth(250);
    auto* inner = new QWidget(scroll);
    inner->setObjectName("instrumentsInner");
    auto* column = new QVBoxLayout(inner);
    column->setContentsMargins(12, 7, 12, 7);
    column->setSpacing(3);
    const auto title = [&](const char* words, const char* hint) {
        auto* row = new QHBoxLayout;
        auto* head = new QLabel(words, inner);
        head->setFont(textFont(12, QFont::DemiBold));
        auto* aside = new QLabel(hint, inner);
        aside->setProperty("class", "faint");
        aside->setStyleSheet("font-size: 11px;");
        row->addWidget(head);
        row->addStretch();
        row->addWidget(aside);
        column->addLayout(row);
    };
    title("Joint travel", "drag to jog");
    column->addWidget(new TravelBars(*m_session, inner));
    column->addSpacing(6);
    title("Distance to singularity", "");
    column->addWidget(new SingularityBars(*m_session, inner));
    column->addSpacing(6);
    column->addWidget(new WaysCards(*m_session, inner));
    auto* offer = new BestWaysOffer(*m_session, inner);
    column->addWidget(offer);
    m_bestWays = offer;
    column->addSpacing(6);
    column->addWidget(new JogPad(*m_session, inner));
    column->addSpacing(6);
    column->addWidget(new Properties(*m_session, inner));
    column->addStretch();
    scroll->setWidget(inner);

    m_columns = new QSplitter(Qt::Horizontal, this);
    m_columns->setChildrenCollapsible(false);
    m_columns->setHandleWidth(1);
    m_columns->addWidget(m_left);
    m_columns->addWidget(rim);
    m_columns->addWidget(scroll);
    m_columns->setStretchFactor(1, 1);

    m_bottom = new QTabWidget(this);
    m_bottom->setObjectName("bottomPanel");
    m_bottom->setDocumentMode(true);
    m_cycle = new CycleStrip(*m_session);
    m_findings = new FindingsList(*m_session);
    m_bottom->addTab(m_cycle, "Cycle");
    m_bottom->addTab(m_findings, "Findings");
    m_time = new QLabel(this);
    m_time->setObjectName("runTime");
    m_time->setFont(figureFont(12));
    m_time->setContentsMargins(0, 7, 16, 7);
    m_time->setMinimumWidth(150);
    m_time->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    m_bottom->setCornerWidget(m_time);

    m_rows = new QSplitter(Qt::Vertical, this);
    m_rows->setChildrenCollapsible(false);
    m_rows->setHandleWidth(1);
    m_rows->addWidget(m_columns);
    m_rows->addWidget(m_bottom);
    m_rows->setStretchFactor(0, 1);
    m_pages = new QStackedWidget(this);
    m_pages->addWidget(m_rows);
    setCentralWidget(m_pages);
}

QAction* MainWindow::action(QMenu* menu, const QString& words, const QString& tip, const QKeySequence& keys, std::function<void()> run)
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

void MainWindow::buildActions()
{
    auto* bar = findChild<QMenuBar*>("menuBar");
    QMenu* cell = bar->addMenu("&Cell");
    action(cell, "New cell", "An arm with a gripper on the floor, nothing else", QKeySequence::New, [this] { newCell(); });
    action(cell, "Open …", "Open a cell file", QKeySequence::Open, [this] { askAndOpen(); });
    m_recent = cell->addMenu("Recent cells");
    m_recent->setObjectName("recentMenu");
    fillRecent();
    QMenu* examples = cell->addMenu("Examples");
    action(examples, "Example: tile glazing line", "One tile from the belt into the drying rack", {}, [this] { if (mayLeave()) openExample(kDemo); });
    action(examples, "Example: planted mistakes", "One mistake of each rule, to see how findings look", {}, [this] { if (mayLeave()) openExample("planted-mistakes"); });
    QMenu* arms = cell->addMenu("Arm");
    action(arms, "Arms and data sheets …", "The catalogue, and an arm from its data sheet or from URDF", QKeySequence("Ctrl+Shift+A"), [this] { showArms(!armsShown()); });
    arms->addSeparator();
    for (const std::string& id : catalogueIds()) {
        const ArmPtr arm = catalogueArm(id);
        const QString name = text(arm->description().name);
        action(arms, "Use " + name, QString("Reach %1 mm, payload %2 kg. Targets stay and are checked anew").arg(lengthText(arm->reach(), 0)).arg(arm->description().payload), {}, [this, arm, name] {
            if (m_session->edit("Use " + name, [&](const Cell& c) { return setArmModel(c, arm); })) m_session->say("The arm is now the " + name);
        });
    }
    cell->addSeparator();
    action(cell, "Save", "Save the cell", QKeySequence::Save, [this] { save(); });
    action(cell, "Save as …", "Save the cell under another name", QKeySequence("Ctrl+Shift+S"), [this] { saveAs(); });
    cell->addSeparator();
    action(cell, "Quit", "Close Topikos", QKeySequence("Ctrl+Q"), [this] { close(); });

    QMenu* edit = bar->addMenu("&Edit");
    m_undo = action(edit, "Undo", "Take back the last change", QKeySequence::Undo, [this] { armsShown() ? m_arms->model().undo() : m_session->undo(); });
    m_redo = action(edit, "Redo", "Do the undone change again", QKeySequence("Ctrl+Shift+Z"), [this] { armsShown() ? m_arms->model().redo() : m_session->redo(); });
    edit->addSeparator();
    action(edit, "Edit thresholds", "Show when the checks speak up", {}, [this] { m_session->select({}); });

    QMenu* view = bar->addMenu("&View");
    action(view, "Fit all", "Show the whole cell (F in the view)", QKeySequence("Ctrl+F"), [this] { m_view->fitAll(); });
    const std::tuple<const char*, const char*, Viewport::Direction> looks[] = {{"Look from the front", "Ctrl+1", Viewport::Direction::Front},
        {"Look from the left", "Ctrl+2", Viewport::Direction::Left}, {"Look from above", "Ctrl+3", Viewport::Direction::Top}, {"Look from the corner", "Ctrl+4", Viewport::Direction::Corner}};
    for (const auto& [words, keys, direction] : looks) action(view, words, "Standard view", QKeySequence(keys), [this, d = direction] { m_view->look(d); });
    view->addSeparator();
    action(view, "Layout face", "Frames, tool and parts", QKeySequence("Alt+1"), [this] { m_left->setCurrentIndex(0); });
    action(view, "Route face", "Steps of the routine", QKeySequence("Alt+2"), [this] { m_left->setCurrentIndex(1); });
    action(view, "Targets face", "Targets by frame", QKeySequence("Alt+3"), [this] { m_left->setCurrentIndex(2); });
    action(view, "Work in the view", "Give the keys to the view", QKeySequence("Ctrl+E"), [this] { m_view->setFocus(); });
    action(view, "Restore layout", "Regions back to their first sizes", QKeySequence("Ctrl+0"), [this] { restoreLayout(); });
    action(view, "Dark or light", "Change between the dark and the light look", QKeySequence("Ctrl+Shift+D"), [this] { setDark(!theme().dark); });

    QMenu* angles = view->addMenu("Angles");
    for (const AngleOrder order : {AngleOrder::FixedXyz, AngleOrder::IntrinsicZyx, AngleOrder::IntrinsicZyz, AngleOrder::IntrinsicXyz})
        action(angles, "Show angles as " + angleOrderText(order), "Convention in which orientations of this cell are shown and typed", {}, [this, order] {
            if (order != m_session->cell().angles) m_session->edit("Show angles as " + angleOrderText(order), [order](const Cell& c) { return setAngles(c, order); });
        });

    QMenu* teach = bar->addMenu("&Teach");
    action(teach, "Take target here", "A pose target where the arm stands, in the frame it is seen from (T in the view)", {}, [this] { m_targets->takePose(); });
    action(teach, "Take posture here", "One value per joint, as the arm stands", QKeySequence("Ctrl+Shift+T"), [this] { m_targets->takePosture(); });
    action(teach, "Re-take selected target", "The selected target goes to where the arm stands", QKeySequence("Ctrl+T"), [this] { m_targets->retakeSelected(); });
    action(teach, "Rename selected target", "Type a new name", QKeySequence("Ctrl+R"), [this] { m_targets->renameSelected(); });
    action(teach, "Delete selected target", "Refused while a step uses it", {}, [this] { m_targets->deleteSelected(); });
    action(teach, "Make selected posture home", "Runs start there", {}, [this] { m_targets->makeSelectedHome(); });
    action(teach, "Move to selected target", "Send the arm there (M in the view)", QKeySequence("Ctrl+M"), [this] {
        if (const TargetId id = m_session->selected<TargetId>()) m_session->goToTarget(id);
        else m_session->say("Select a target to move to.", true);
    });
    action(teach, "Move home", "Send the arm to its home posture", QKeySequence("Ctrl+H"), [this] { m_session->goToTarget(m_session->cell().arm.home); });
    action(teach, "Lock or free the jogged axis", "Holds the axis chosen for jogging where it is; ways to reach leave it out", {}, [this] {
        const int joint = m_session->jogJointIndex();
        const bool locked = m_session->arm().description().joints[size_t(joint)].locked.has_value();
        const double value = m_session->posture()[joint];
        if (m_session->edit(QString(locked ? "Free axis %1" : "Lock axis %1").arg(joint + 1), [=](const Cell& c) { return setAxisLock(c, joint, locked ? std::nullopt : std::optional(value)); }))
            m_session->say(locked ? QString("Axis %1 is free").arg(joint + 1) : QString("Axis %1 is locked at %2").arg(joint + 1).arg(jointText(m_session->arm().joints()[size_t(joint)], value)));
    });
    teach->addSeparator();
    static const char* spaces[] = {"Jog joints", "Jog in the world", "Jog in the tool", "Jog in the frame"};
    for (int i = 0; i < 4; ++i) action(teach, spaces[i], "Axes that the jog keys and handles follow", {}, [this, i] { m_session->setJogSpace(JogSpace(i)); });
    action(teach, "Smaller jog steps", "< in the view", {}, [this] { m_session->changeJogStep(-1); });
    action(teach, "Larger jog steps", "> in the view", {}, [this] { m_session->changeJogStep(1); });

    QMenu* route = bar->addMenu("&Route");
    action(route, "Type a step", "Goes in after the selected step", QKeySequence("Ctrl+L"), [this] {
        m_left->setCurrentIndex(1);
        m_route->focusTypeLine();
    });
    action(route, "Edit step text", "The selected step as a line of text (Enter)", {}, [this] { m_route->editSelected(); });
    action(route, "Delete step", "Delete in the route", {}, [this] { m_route->deleteSelected(); });
    action(route, "Duplicate step", "A copy after the selected step", QKeySequence("Ctrl+D"), [this] { m_route->duplicateSelected(); });
    action(route, "Move step up", "", QKeySequence("Alt+Up"), [this] { m_route->moveSelected(-1); });
    action(route, "Move step down", "", QKeySequence("Alt+Down"), [this] { m_route->moveSelected(1); });
    action(route, "Switch step off or on", "Space in the route", {}, [this] { m_route->switchSelected(); });

    action(route, "Find the best ways", "The chain of ways with the fewest cautions and the least joint travel", QKeySequence("Ctrl+B"), [this] { m_bestWays->search(); });

    QMenu* check = bar->addMenu("Chec&k");
    action(check, "Show findings", "All findings with their measures", QKeySequence("Alt+4"), [this] { m_bottom->setCurrentIndex(1); });
    action(check, "Next finding", "Select what the next finding is about", QKeySequence("F8"), [this] {
        m_bottom->setCurrentIndex(1);
        m_findings->selectNext(1);
    });
    action(check, "Previous finding", "Select what the finding before is about", QKeySequence("Shift+F8"), [this] {
        m_bottom->setCurrentIndex(1);
        m_findings->selectNext(-1);
    });

    QMenu* run = bar->addMenu("R&un");
    action(run, "Run or pause", "Once from the top", QKeySequence("F5"), [this] { m_run->click(); });
    action(run, "Run one step", "To the end of the next step", QKeySequence("F6"), [this] { m_step->click(); });
    action(run, "Back to the authored cell", "Ends the run; parts and arm are where they were", QKeySequence("F7"), [this] { m_session->leaveRun(); });
    action(run, "Run from selected step", "Starts where the selected step begins", QKeySequence("Shift+F5"), [this] {
        const Trace* trace = m_session->trace();
        const StepId step = m_session->selected<StepId>();
        if (!trace || !step) return m_session->say("Select the step to start from.", true);
        for (const Trace::Span& span : trace->spans)
            if (trace->outcomes[span.outcome].step == step) {
                m_session->scrub(span.start);
                m_session->play();
                return;
            }
        m_session->say("The run does not get to this step.", true);
    });
    for (const double f : kSpeeds) action(run, QString("Speed × %1").arg(f), "Speed of the run", {}, [this, f] { m_session->setPlaySpeed(f); });

    QMenu* help = bar->addMenu("&Help");
    action(help, "Find or do", "Type the name of anything", QKeySequence("Ctrl+K"), [this] { m_command->setFocus(); });
    action(help, "Keys", "What the keys do in the view", QKeySequence("F1"), [this] {
        QMessageBox::information(this, "Keys in the view",
            "Arrows: along X and Y · Page Up, Page Down: along Z · with Shift: turn about them\n"
            "J, W, O, R: jog joints, in the world, in the tool, in the frame\n"
            "1 to 6: choose a joint; then Left and Right turn it\n"
            "< and >: smaller and larger steps\n"
            "T: take a target · M: move to the selected one · F: fit all · Esc: let go\n\n"
            "Mouse: drag to orbit, Shift or middle button to pan, wheel to zoom, click to select; drag the arrows at the tool to move it.");
    });
    action(help, "About Topikos", "Version and licence", {}, [this] {
        QMessageBox::about(this, "About Topikos", QString("Topikos %1\nPrograms robot cells offline, and says what the arm can do.\nGPL-3.0-or-later").arg(QCoreApplication::applicationVersion()));
    });
}

std::vector<CommandField::Entry> MainWindow::commands()
{
    std::vector<CommandField::Entry> entries;
    for (QAction* a : m_actions)
        if (a->isEnabled()) entries.push_back({a->text(), a->shortcut().toString(QKeySequence::NativeText), [a] { a->trigger(); }});
    for (const Target& t : m_session->cell().targets) {
        entries.push_back({"Target " + text(t.name), "select", [this, id = t.id] { m_session->select(id); }});
        entries.push_back({"Move to " + text(t.name), "move", [this, id = t.id] { m_session->goToTarget(id); }});
    }
    for (const Frame& f : m_session->cell().frames) {
        entries.push_back({"Frame " + text(f.name), "select", [this, id = f.id] { m_session->select(id); }});
        entries.push_back({"See from " + text(f.name), "reading frame", [this, id = f.id] { m_session->setReadingFrame(id); }});
    }
    const std::vector<Step>& steps = m_session->routine().steps;
    for (size_t i = 0; i < steps.size(); ++i)
        entries.push_back({QString("Step %1: %2").arg(i + 1).arg(text(stepText(m_session->cell(), steps[i]))), "select", [this, id = steps[i].id] { m_session->select(id); }});
    return entries;
}

void MainWindow::refreshHead()
{
    const Cell& cell = m_session->cell();
    m_name->setText(text(cell.name));
    const QString file = m_session->path().isEmpty() ? "not in a file yet" : QFileInfo(m_session->path()).fileName();
    m_saveState->setText(file + (m_session->isSaved() ? (m_session->path().isEmpty() ? "" : " · saved") : " · changed"));
    m_saveState->setToolTip(m_session->path());
    setWindowTitle(text(cell.name) + (m_session->isSaved() ? "" : " *") + " – Topikos");
    const CheckedCell* checked = m_session->checked();
    const int blocked = checked ? checked->result.count(Severity::Blocked) : 0, cautions = checked ? checked->result.count(Severity::Caution) : 0;
    m_blocked->setVisible(blocked > 0);
    m_blocked->setText(QString("%1 blocked").arg(blocked));
    m_cautions->setVisible(cautions > 0);
    m_cautions->setText(QString("%1 caution").arg(cautions));
    m_bottom->setTabText(1, blocked + cautions ? QString("Findings %1").arg(blocked + cautions) : "Findings");
    const Trace* trace = m_session->trace();
    if (!trace) m_cycleTime->setText(checked ? "No cycle yet" : "Checking …");
    else if (trace->blockedAt) m_cycleTime->setText(QString("Stops at <b>%1 s</b>").arg(trace->duration, 0, 'f', 2));
    else m_cycleTime->setText(QString("Cycle <b>%1 s</b>%2").arg(trace->duration, 0, 'f', 2).arg(partsPerHour(*trace) > 0 ? QString(" · %1 / h").arg(partsPerHour(*trace), 0, 'f', 0) : ""));
    m_time->setText(trace ? QString("%1 / %2 s").arg(m_session->inRun() ? m_session->time() : 0, 0, 'f', 2).arg(trace->duration, 0, 'f', 2) : "");
    m_run->setText(m_session->playing() ? "Pause" : m_session->inRun() && trace && m_session->time() > 0 && m_session->time() < trace->duration ? "Go on" : "Run cycle");
    const bool runnable = trace && trace->duration > 0;
    m_run->setEnabled(runnable);
    m_step->setEnabled(runnable);
    m_rewind->setEnabled(m_session->inRun());
    m_speed->setText(QString("× %1").arg(m_session->playSpeed()));
}

void MainWindow::refreshActions()
{
    const History& h = m_session->history();
    if (armsShown()) {
        for (QAction* a : {m_undo, m_redo}) a->setEnabled(true);
        m_undo->setText("Undo in the sheet");
        m_redo->setText("Redo in the sheet");
        return;
    }
    m_undo->setEnabled(h.canUndo());
    m_undo->setText(h.canUndo() ? "Undo: " + text(h.undoLabel()) : "Undo");
    m_redo->setEnabled(h.canRedo());
    m_redo->setText(h.canRedo() ? "Redo: " + text(h.redoLabel()) : "Redo");
}

ArmsPage& MainWindow::armsPage()
{
    if (!m_arms) {
        m_arms = new ArmsPage(*m_session, this);
        m_pages->addWidget(m_arms);
        connect(m_arms, &ArmsPage::leaveRequested, this, [this] { showArms(false); });
    }
    return *m_arms;
}

void MainWindow::showArms(bool shown)
{
    if (shown) {
        armsPage().show(m_session->cell().arm.model->description());
        m_pages->setCurrentWidget(m_arms);
        m_arms->setFocus();
    } else {
        m_pages->setCurrentIndex(0);
        m_view->setFocus();
    }
    refreshActions();
}

void MainWindow::restoreLayout()
{
    m_columns->setSizes({316, std::max(320, width() - 316 - 256), 256});
    m_rows->setSizes({std::max(300, height() - 68 - 148), 148});
}

void MainWindow::setDark(bool dark)
{
    applyTheme(dark);
    QSettings().setValue("look/dark", dark);
    m_rewind->setIcon(glyphIcon("rewind"));
    emit m_session->cellChanged();  // pictures and icons are made anew
}

void MainWindow::showProblem(const QString& words)
{
    m_session->say(words, true);
}

bool MainWindow::openFile(const QString& path)
{
    Result<Cell> cell = openCell(path.toStdString());
    if (!cell) {
        showProblem(text(cell.error().line()));
        return false;
    }
    m_session->open(std::move(cell).value(), path);
    watchFile();
    remember(path);
    m_view->fitAll();
    m_session->say("Opened " + QFileInfo(path).fileName());
    return true;
}

bool MainWindow::openExample(const QString& name)
{
    Result<Cell> cell = readExample(name);
    if (!cell) {
        showProblem(text(cell.error().line()));
        return false;
    }
    m_session->open(std::move(cell).value(), {});
    watchFile();
    m_view->fitAll();
    return true;
}

void MainWindow::newCell()
{
    if (!mayLeave()) return;
    const Result<Cell> example = readExample(kDemo);
    Cell cell = *example;
    // What every cell has: the arm on its base frame, its tool, home, and a routine to fill.
    cell.name = "New cell";
    cell.parts.clear();
    const FrameId mount = cell.arm.mount;
    std::erase_if(cell.frames, [mount](const Frame& f) { return f.id != mount; });
    cell.frames.front().parent = {};
    cell.frames.front().pose = {};
    const TargetId home = cell.arm.home;
    std::erase_if(cell.targets, [home](const Target& t) { return t.id != home; });
    cell.routines.front().steps.clear();
    cell.routines.front().name = "Routine 1";
    m_session->open(std::move(cell), {});
    watchFile();
    m_view->fitAll();
}

void MainWindow::offerLostCells()
{
    for (const LostCell& lost : Recovery::lost(Recovery::standardFolder())) {
        const QString words = QString("“%1” had unsaved changes when Topikos ended on %2.").arg(lost.name, lost.when.toString("d MMM, hh:mm"));
        m_notices->offer("lost " + lost.copy, words, {{"Open it as it was", [this, lost] {
            if (!mayLeave()) return m_notices->offer("lost " + lost.copy, QString("“%1” is still kept.").arg(lost.name), {{"Forget it", [lost] { Recovery::forget(lost); }}});
            Result<Cell> cell = openCell(lost.copy.toStdString());
            if (!cell) return showProblem(text(cell.error().line()));
            m_session->openUnsaved(std::move(cell).value(), lost.path);
            Recovery::forget(lost);
            watchFile();
            m_view->fitAll();
            m_session->say("This is the cell as it was. Save it to keep it.");
        }}, {"Forget it", [lost] { Recovery::forget(lost); }}});
    }
}

void MainWindow::watchFile()
{
    if (!m_watcher.files().isEmpty()) m_watcher.removePaths(m_watcher.files());
    m_notices->withdraw("disk");
    m_onDisk.clear();
    QFile file(m_session->path());
    if (m_session->path().isEmpty() || !file.open(QIODevice::ReadOnly)) return;
    m_onDisk = QCryptographicHash::hash(file.readAll(), QCryptographicHash::Sha1);
    m_watcher.addPath(m_session->path());
}

void MainWindow::fileChangedOutside()
{
    const QString path = m_session->path();
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) return m_notices->offer("disk", QString("%1 is no longer there.").arg(QFileInfo(path).fileName()), {{"Save it again", [this] { save(); }}});
    // A file that is replaced leaves the watcher's list.
    if (!m_watcher.files().contains(path)) m_watcher.addPath(path);
    if (QCryptographicHash::hash(file.readAll(), QCryptographicHash::Sha1) == m_onDisk) return m_notices->withdraw("disk");
    m_notices->offer("disk", QString("%1 has been changed by another program.").arg(QFileInfo(path).fileName()),
                     {{"Load it", [this, path] { if (mayLeave()) openFile(path); }}, {"Keep mine", [this] { m_session->say("Saving will replace the other version."); }}});
}

void MainWindow::remember(const QString& path)
{
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    const QString whole = QFileInfo(path).absoluteFilePath();
    recent.removeAll(whole);
    recent.prepend(whole);
    settings.setValue("recent", recent.mid(0, 8));
    fillRecent();
}

void MainWindow::fillRecent()
{
    m_recent->clear();
    for (const QString& path : QSettings().value("recent").toStringList()) {
        QAction* a = m_recent->addAction(QFileInfo(path).fileName(), this, [this, path] { if (mayLeave()) openFile(path); });
        a->setToolTip(path);
    }
    m_recent->setToolTipsVisible(true);
    m_recent->setEnabled(!m_recent->isEmpty());
}

void MainWindow::askAndOpen()
{
    if (!mayLeave()) return;
    const QString path = QFileDialog::getOpenFileName(this, "Open a cell", QFileInfo(m_session->path()).path(), "Topikos cells (*.topikos)");
    if (!path.isEmpty()) openFile(path);
}

bool MainWindow::saveTo(const QString& path)
{
    if (const Status bad = saveCell(path.toStdString(), m_session->cell())) {
        showProblem(text(bad->line()));
        return false;
    }
    m_session->saved(path);
    watchFile();
    remember(path);
    m_session->say("Saved " + QFileInfo(path).fileName());
    return true;
}

bool MainWindow::save() { return m_session->path().isEmpty() ? saveAs() : saveTo(m_session->path()); }

bool MainWindow::saveAs()
{
    QString start = m_session->path();
    if (start.isEmpty()) start = text(m_session->cell().name).toLower().replace(' ', '-') + ".topikos";
    QString path = QFileDialog::getSaveFileName(this, "Save the cell", start, "Topikos cells (*.topikos)");
    if (path.isEmpty()) return false;
    if (!path.endsWith(".topikos")) path += ".topikos";
    return saveTo(path);
}

bool MainWindow::mayLeave()
{
    if (m_session->isSaved()) return true;
    QMessageBox box(QMessageBox::Question, "Unsaved changes", QString("“%1” has changes that are not saved.").arg(text(m_session->cell().name)),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    box.setObjectName("unsavedBox");
    switch (box.exec()) {
    case QMessageBox::Save: return save();
    case QMessageBox::Discard: return true;
    default: return false;
    }
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (!mayLeave()) return event->ignore();
    QSettings settings;
    settings.setValue("window/geometry", saveGeometry());
    settings.setValue("window/columns", m_columns->saveState());
    settings.setValue("window/rows", m_rows->saveState());
    m_recovery->drop();
    event->accept();
}

void MainWindow::pictureWhenSettled(const QString& path, std::function<void(bool)> done)
{
    auto* timer = new QTimer(this);
    timer->setInterval(50);
    connect(timer, &QTimer::timeout, this, [this, timer, path, done = std::move(done), last = -1, calm = 0]() mutable {
        const int frames = m_view->frameCount();
        calm = m_session->checkIsFresh() && frames > 0 && frames == last ? calm + 1 : 0;
        last = frames;
        if (calm < 6) return;
        timer->deleteLater();
        done(grab().save(path));
    });
    timer->start();
}

}  // namespace topikos
