#include "app/window/main_window.h"

#include "app/arms/arms_page.h"
#include "app/instruments/best_ways_offer.h"
#include "app/instruments/jog_pad.h"
#include "app/properties/fields.h"
#include "app/properties/properties.h"
#include "app/instruments/teach_panel.h"
#include "app/instruments/travel_bars.h"
#include "app/instruments/ways_cards.h"
#include "app/layout/layout_panel.h"
#include "app/route/route_panel.h"
#include "app/session/recovery.h"
#include "app/session/text.h"
#include "app/strip/contact_matrix.h"
#include "app/strip/signals_table.h"
#include "app/strip/cycle_strip.h"
#include "app/strip/findings_list.h"
#include "app/targets/targets_panel.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/examples.h"
#include "app/window/guide.h"
#include "app/window/manual_page.h"
#include "app/window/notice_bar.h"
#include "app/window/wheel_guard.h"
#include "core/exchange/cell_file.h"
#include "core/program/step_text.h"
#include "core/robot/catalogue.h"

#include <QApplication>
#include <QCloseEvent>
#include <QCryptographicHash>
#include <QDesktopServices>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QScrollArea>
#include <QScrollBar>
#include <QTabBar>
#include <QSettings>
#include <QStyle>
#include <QTimer>
#include <QUrl>
#include <QVBoxLayout>

#include <array>

namespace topikos {

namespace {

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
    qApp->installEventFilter(new WheelGuard(this));
    qApp->installEventFilter(this);
    QDesktopServices::setUrlHandler("manual", this, "openManual");
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
        else if (m_session->selected<FrameId>() || m_session->selected<PartId>() || m_session->selected<ToolId>()
                 || m_session->selected<PatternId>())
            m_left->setCurrentIndex(0);
    });
    resize(1280, 800);
    QSettings settings;
    restoreGeometry(settings.value("window/geometry").toByteArray());
    restoreLayout();
    if (settings.contains("window/columns")) {
        m_columns->restoreState(settings.value("window/columns").toByteArray());
        m_rows->restoreState(settings.value("window/rows").toByteArray());
        m_ownSizes = true;
    }
    refreshHead();
    refreshActions();
    m_recovery = new Recovery(*m_session, Recovery::standardFolder(), this);
    connect(&m_watcher, &QFileSystemWatcher::fileChanged, this, &MainWindow::fileChangedOutside);
    offerLostCells();
    m_view->setFocus();
}

MainWindow::~MainWindow()
{
    QDesktopServices::unsetUrlHandler("manual");
    // While this still is the window that its parts tell about their end.
    delete centralWidget();
    delete menuWidget();
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
    m_name = new WordsField(head);
    m_name->setObjectName("cellName");
    m_name->setToolTip("Name of the cell; type another one");
    m_name->setAccessibleName("Name of the cell");
    m_name->setProperty("role", "title");
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
    for (QLabel* chip : {m_blocked, m_cautions, m_cycleTime})
        row->addWidget(chip);
    const auto button = [&](const char* name, const QString& words, const char* tip, auto run) {
        QPushButton* b = addButton(row, head, name, words, tip, run);
        b->setFocusPolicy(Qt::TabFocus);
        return b;
    };
    m_rewind = button("rewindButton", "", "Back to the authored cell: parts and arm are where they were (F7)",
                      [this] { m_session->leaveRun(); });
    m_rewind->setIcon(glyphIcon("rewind"));
    m_rewind->setAccessibleName("Back to the authored cell");
    m_step = button("stepButton", "Step", "Run to the end of the next step (F6)", [this] { m_session->playStep(); });
    m_run = button("runButton", "Run cycle", "Run the cycle once from the top, or pause it (F5)",
                   [this] { m_session->playing() ? m_session->pause() : m_session->play(); });
    m_run->setMinimumWidth(92);
    m_speed = button("speedButton", "× 1", "Speed of the run", [] {});
    m_speed->setMinimumWidth(64);
    m_speed->setAccessibleName("Speed of the run");
    auto* speeds = new QMenu(m_speed);
    speeds->setObjectName("speedMenu");
    for (const double f : kSpeeds)
        speeds->addAction(QString("× %1").arg(f), this, [this, f] { m_session->setPlaySpeed(f); })->setData(f);
    connect(speeds, &QMenu::aboutToShow, this, [this, speeds] {
        for (QAction* a : speeds->actions()) {
            a->setCheckable(true);
            a->setChecked(a->data().toDouble() == m_session->playSpeed());
        }
    });
    m_speed->setMenu(speeds);
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
    m_guide = new Guide(*m_session, top);
    column->addWidget(m_guide);
    setMenuWidget(top);
}

void MainWindow::buildSide()
{
    m_side = new QSplitter(Qt::Vertical, this);
    m_side->setObjectName("side");
    m_side->setChildrenCollapsible(false);
    m_side->setHandleWidth(1);
    m_side->setMinimumWidth(240);
    m_side->addWidget(m_left);
    auto* scroll = new QScrollArea(m_side);
    scroll->setObjectName("properties");
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setMinimumHeight(96);
    auto* inner = new QWidget(scroll);
    inner->setObjectName("propertiesInner");
    auto* column = new QVBoxLayout(inner);
    column->setContentsMargins(12, 7, 12, 7);
    column->setSpacing(6);
    m_teach = new TeachPanel(*m_session, inner);
    column->addWidget(m_teach);
    m_properties = new Properties(*m_session, inner);
    column->addWidget(m_properties);
    column->addStretch();
    scroll->setWidget(inner);
    m_side->addWidget(scroll);
    m_side->setStretchFactor(0, 1);
    connect(m_properties, &Properties::teachRequested, m_teach, &TeachPanel::start);
    connect(m_properties, &Properties::shapeFileRequested, this, &MainWindow::askForShape);
    // Another selection is shown from its top, and so is teaching by points.
    const auto up = [scroll] { QTimer::singleShot(0, scroll, [scroll] { scroll->verticalScrollBar()->setValue(0); }); };
    connect(m_properties, &Properties::selectionShown, scroll, up);
    connect(m_teach, &TeachPanel::started, scroll, up);
    // Each face keeps its own division of the column.
    connect(m_left, &QTabWidget::currentChanged, this, [this](int face) {
        m_sideSizes[m_face] = m_side->sizes();
        m_face = face;
        if (const auto own = m_sideSizes.find(face); own != m_sideSizes.end()) m_side->setSizes(own->second);
    });
    m_face = m_left->currentIndex();
}

void MainWindow::goToProperties()
{
    QWidget* now = QApplication::focusWidget();
    if (now && m_properties->isAncestorOf(now)) {
        if (m_cameFrom) m_cameFrom->setFocus();
        else m_left->currentWidget()->setFocus();
        return;
    }
    m_cameFrom = now;
    for (QWidget* field : m_properties->findChildren<QWidget*>())
        if (field->isVisible() && (field->focusPolicy() & Qt::TabFocus) && !field->objectName().isEmpty()) {
            field->setFocus(Qt::TabFocusReason);
            return;
        }
}

void MainWindow::buildRegions()
{
    buildHead();
    m_left = new QTabWidget(this);
    m_left->setObjectName("leftPanel");
    m_left->setDocumentMode(true);
    // Targets are dragged over the head of the route into it.
    m_left->tabBar()->setAcceptDrops(true);
    m_left->tabBar()->setChangeCurrentOnDrag(true);
    m_layout = new LayoutPanel(*m_session);
    m_route = new RoutePanel(*m_session);
    m_targets = new TargetsPanel(*m_session);
    m_left->addTab(m_layout, "Cell");
    m_left->addTab(m_route, "Route");
    m_left->addTab(m_targets, "Targets");
    m_left->setCurrentIndex(1);
    buildSide();

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
    connect(m_view, &Viewport::contextRequested, m_layout, &LayoutPanel::showMenu);
    connect(m_view, &Viewport::filesDropped, this, &MainWindow::filesDropped);
    // What T would do is said before it is pressed.
    const auto sayTaking = [this] {
        m_view->setHints(QString("<b>T</b> take a target in %1&nbsp;&nbsp;· &nbsp;<b>M</b> move to the selected one"
                                 "&nbsp;&nbsp;· &nbsp;<b>Arrows, Page keys</b> jog, <b>Shift</b> turns&nbsp;&nbsp;· "
                                 "&nbsp;<b>&lt;&nbsp;&gt;</b>&nbsp;step")
                             .arg(text(frameName(m_session->cell(), m_targets->takingFrame())).toHtmlEscaped()));
    };
    connect(m_targets, &TargetsPanel::takingFrameChanged, this, sayTaking);
    sayTaking();

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
    // What grows and shrinks comes last, so that nothing moves under the pointer.
    column->addWidget(new JogPad(*m_session, inner));
    column->addSpacing(6);
    column->addWidget(new WaysCards(*m_session, inner));
    m_bestWays = new BestWaysOffer(*m_session, inner);
    column->addWidget(m_bestWays);
    column->addStretch();
    scroll->setWidget(inner);

    m_columns = new QSplitter(Qt::Horizontal, this);
    m_columns->setChildrenCollapsible(false);
    m_columns->setHandleWidth(1);
    m_columns->addWidget(m_side);
    m_columns->addWidget(rim);
    m_columns->addWidget(scroll);
    m_columns->setStretchFactor(1, 1);

    m_bottom = new QTabWidget(this);
    m_bottom->setObjectName("bottomPanel");
    m_bottom->setDocumentMode(true);
    m_cycle = new CycleStrip(*m_session);
    m_findings = new FindingsList(*m_session);
    auto* lanes = new QScrollArea;
    lanes->setWidgetResizable(true);
    lanes->setFrameShape(QFrame::NoFrame);
    lanes->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    lanes->setMinimumHeight(104);
    lanes->setWidget(m_cycle);
    m_bottom->addTab(lanes, "Cycle");
    m_bottom->addTab(m_findings, "Findings");
    m_bottom->addTab(new ContactMatrix(*m_session), "Contact");
    m_bottom->addTab(new SignalsTable(*m_session), "Signals");
    m_time = new QLabel(this);
    m_time->setObjectName("runTime");
    m_time->setFont(figureFont(12));
    m_time->setContentsMargins(0, 7, 16, 7);
    m_time->setMinimumWidth(150);
    m_time->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    m_bottom->setCornerWidget(m_time);

    // A double click on the faces fills the window with them, and another one goes back.
    m_bottom->tabBar()->setToolTip("Double-click to fill the window, and again to go back");
    connect(m_bottom, &QTabWidget::tabBarDoubleClicked, this, [this] { growStrip(); });
    m_rows = new QSplitter(Qt::Vertical, this);
    m_rows->setChildrenCollapsible(false);
    m_rows->setHandleWidth(1);
    m_rows->addWidget(m_columns);
    m_rows->addWidget(m_bottom);
    m_rows->setStretchFactor(0, 1);
    m_pages = new QStackedWidget(this);
    m_pages->addWidget(m_rows);
    setCentralWidget(m_pages);
    for (QSplitter* splitter : {m_columns, m_rows, m_side})
        connect(splitter, &QSplitter::splitterMoved, this, [this] { m_ownSizes = true; });
}

void MainWindow::refreshHead()
{
    const Cell& cell = m_session->cell();
    m_name->show(text(cell.name), [this](const QString& typed) {
        m_session->edit("Rename the cell", [&](const Cell& c) { return renameCell(c, typed.toStdString()); });
        return false;  // shown anew when it was taken
    });
    m_name->setFixedWidth(m_name->fontMetrics().horizontalAdvance(m_name->text()) + 20);
    const QString file = m_session->path().isEmpty() ? "not in a file yet" : QFileInfo(m_session->path()).fileName();
    m_saveState->setText(file
                         + (m_session->isSaved() ? (m_session->path().isEmpty() ? "" : " · saved") : " · changed"));
    m_saveState->setToolTip(m_session->path());
    setWindowTitle(text(cell.name) + (m_session->isSaved() ? "" : " *") + " – Topikos");
    const CheckedCell* checked = m_session->checked();
    const int blocked = checked ? checked->result.count(Severity::Blocked) : 0,
              cautions = checked ? checked->result.count(Severity::Caution) : 0;
    m_blocked->setVisible(blocked > 0);
    m_blocked->setText(QString("%1 blocked").arg(blocked));
    m_cautions->setVisible(cautions > 0);
    m_cautions->setText(QString("%1 caution").arg(cautions));
    m_bottom->setTabText(1, blocked + cautions ? QString("Findings %1").arg(blocked + cautions) : "Findings");
    const Trace* trace = m_session->trace();
    if (!trace) m_cycleTime->setText(checked ? "No cycle yet" : "Checking …");
    else if (trace->blocked()) m_cycleTime->setText(QString("Stops at <b>%1 s</b>").arg(trace->duration, 0, 'f', 2));
    else
        m_cycleTime->setText(
            QString("Cycle <b>%1 s</b>%2")
                .arg(trace->duration, 0, 'f', 2)
                .arg(partsPerHour(*trace) > 0 ? QString(" · %1 / h").arg(partsPerHour(*trace), 0, 'f', 0) : ""));
    m_time->setText(trace ? QString("%1 / %2 s")
                                .arg(m_session->inRun() ? m_session->time() : 0, 0, 'f', 2)
                                .arg(trace->duration, 0, 'f', 2)
                          : "");
    m_run->setText(m_session->playing() ? "Pause"
                   : m_session->inRun() && trace && m_session->time() > 0 && m_session->time() < trace->duration
                       ? "Go on"
                       : "Run cycle");
    const bool runnable = trace && trace->duration > 0;
    m_run->setEnabled(runnable);
    m_step->setEnabled(runnable);
    m_rewind->setEnabled(m_session->inRun());
    m_speed->setText(QString("× %1").arg(m_session->playSpeed()));
}

void MainWindow::refreshActions()
{
    const History& h = m_session->history();
    for (const auto& [key, action] : m_plainKeys)
        action->setEnabled(m_pages->currentIndex() == 0);
    if (armsShown()) {
        for (QAction* a : {m_undo, m_redo})
            a->setEnabled(true);
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

bool MainWindow::armsShown() const { return m_arms && m_pages->currentWidget() == m_arms; }

void MainWindow::openManual(const QUrl& place) { showManual(place.path(), place.fragment(QUrl::FullyDecoded)); }

void MainWindow::showManual(const QString& page, const QString& section)
{
    if (!m_manual) {
        m_manual = new ManualPage(this);
        m_pages->addWidget(m_manual);
        connect(m_manual, &ManualPage::leaveRequested, this, [this] { showArms(false); });
    }
    m_pages->setCurrentWidget(m_manual);
    m_manual->showPage(page, section);
    m_manual->setFocus();
    refreshActions();
}

void MainWindow::showArms(bool shown)
{
    if (shown) {
        armsPage().show(m_session->station().model->description());
        m_pages->setCurrentWidget(m_arms);
        m_arms->setFocus();
    } else {
        m_pages->setCurrentIndex(0);
        m_view->setFocus();
    }
    refreshActions();
}

void MainWindow::growStrip()
{
    if (m_columns->isHidden()) {
        m_columns->show();
        m_rows->setSizes(m_rowSizes);
    } else {
        m_rowSizes = m_rows->sizes();
        m_columns->hide();
    }
}

void MainWindow::resizeEvent(QResizeEvent* event)
{
    QMainWindow::resizeEvent(event);
    if (m_ownSizes || m_columns->isHidden()) return;
    // Once the regions have their new room.
    QMetaObject::invokeMethod(this, &MainWindow::restoreLayout, Qt::QueuedConnection);
}

void MainWindow::restoreLayout()
{
    m_ownSizes = false;
    m_columns->show();
    const int left = std::clamp(width() * 32 / 100, 300, 480);
    m_columns->setSizes({left, std::max(320, width() - left - 256), 256});
    // A low window gives the strip less.
    const int strip = std::clamp(height() * 185 / 1000, 110, 240), high = std::max(300, height() - 68 - strip);
    m_sideSizes = {};
    m_rows->setSizes({high, strip});
    const int properties = std::min(210, high * 34 / 100);
    m_side->setSizes({high - properties, properties});
}

void MainWindow::setLook(bool dark, bool contrast)
{
    applyTheme(dark, contrast);
    QSettings().setValue("look/dark", dark);
    QSettings().setValue("look/contrast", contrast);
    m_rewind->setIcon(glyphIcon("rewind"));
    Q_EMIT m_session->cellChanged();  // pictures and icons are made anew
}

void MainWindow::chooseSize(int percent)
{
    QSettings().setValue("look/size", percent);
    m_session->say(QString("Everything is shown at %1 % from the next start on.").arg(percent));
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (!mayLeave()) return event->ignore();
    if (m_arms && m_arms->model().isChanged()) {
        const auto answer = QMessageBox::question(this, "Data sheet not kept",
                                                  QString("The data sheet “%1” is neither saved nor used in the cell.")
                                                      .arg(text(m_arms->model().sheet().name)),
                                                  QMessageBox::Discard | QMessageBox::Cancel);
        if (answer != QMessageBox::Discard) {
            showArms(true);
            return event->ignore();
        }
    }
    QSettings settings;
    settings.setValue("window/geometry", saveGeometry());
    if (m_columns->isHidden()) growStrip();
    settings.remove("window/columns");
    if (m_ownSizes) {
        settings.setValue("window/columns", m_columns->saveState());
        settings.setValue("window/rows", m_rows->saveState());
    }
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
