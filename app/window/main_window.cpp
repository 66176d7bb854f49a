#include "app/window/main_window.h"

#include "app/arms/arms_page.h"
#include "app/instruments/best_ways_offer.h"
#include "app/instruments/teach_panel.h"
#include "app/layout/layout_panel.h"
#include "app/fields/fields.h"
#include "app/properties/properties.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/session/recovery.h"
#include "app/session/text.h"
#include "app/strip/findings_list.h"
#include "app/targets/targets_panel.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/examples.h"
#include "app/window/guide.h"
#include "app/window/manual_page.h"
#include "app/window/message_log.h"
#include "app/window/notice_bar.h"
#include "app/window/wheel_guard.h"
#include "core/files/cell_file.h"
#include "core/program/step_text.h"
#include "core/robot/catalogue.h"

#include <QApplication>
#include <QCloseEvent>
#include <QCryptographicHash>
#include <QDesktopServices>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QSettings>
#include <QTimer>
#include <QUrl>

namespace topikos {

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent)
{
    qApp->installEventFilter(new WheelGuard(this));
    qApp->installEventFilter(this);
    QDesktopServices::setUrlHandler("manual", this, "openManual");
    setObjectName("mainWindow");
    m_session = new Session(readExample(kDemo).value(), this);
    buildRegions();
    m_messages = new MessageLog(*m_session, m_view, m_pages);
    buildActions();
    connect(m_session, &Session::cellChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::saveStateChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::checkedChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::runChanged, this, &MainWindow::refreshHead);
    connect(m_session, &Session::cellChanged, this, &MainWindow::refreshActions);
    connect(m_route->editor()->field(), &QPlainTextEdit::textChanged, this, &MainWindow::refreshActions);
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

void MainWindow::goToProperties()
{
    QWidget* now = QApplication::focusWidget();
    if (now && m_properties->isAncestorOf(now)) {
        if (m_cameFrom) m_cameFrom->setFocus();
        else m_left->currentWidget()->setFocus();
        return;
    }
    m_cameFrom = now;
    m_properties->focusFirst();
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
    m_bottom->setTabText(m_bottom->indexOf(m_findings),
                         blocked + cautions ? QString("Findings %1").arg(blocked + cautions) : "Findings");
    const Trace* trace = m_session->trace();
    const Cycles cycles = trace ? cyclesOf(*trace) : Cycles{};
    const double cycle = cycles.done > 0 ? cycles.time : trace ? trace->duration : 0;
    if (!trace) m_cycleTime->setText(checked ? "No cycle yet" : "Checking …");
    else if (trace->blocked()) m_cycleTime->setText(QString("Stops at <b>%1 s</b>").arg(trace->duration, 0, 'f', 2));
    else
        m_cycleTime->setText(
            QString("Cycle <b>%1 s</b>%2")
                .arg(cycle, 0, 'f', 2)
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
    const Session::RunPlan& plan = m_session->runPlan();
    using Kind = Session::RunPlan::Kind;
    m_plan->setText(plan.kind == Kind::Once      ? QString("once")
                    : plan.kind == Kind::Times   ? QString("%1 times").arg(plan.times)
                    : plan.kind == Kind::Endless ? QString("without end")
                                                 : QString("%1 min").arg(plan.until / 60));
}

void MainWindow::refreshActions()
{
    const History& h = m_session->history();
    // What cannot be seen is not changed.
    const bool seen = m_pages->currentIndex() == 0;
    m_commands.setCellSeen(seen);
    if (armsShown()) {
        for (QAction* a : {m_undo, m_redo})
            a->setEnabled(true);
        m_undo->setText("Undo in the sheet");
        m_redo->setText("Redo in the sheet");
        return;
    }
    m_undo->setEnabled(seen && (h.canUndo() || m_route->editor()->isOpen()));
    m_undo->setText(h.canUndo() ? "Undo: " + text(h.undoLabel()) : "Undo");
    m_redo->setEnabled(seen && h.canRedo());
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
    const int left = std::clamp(width() * 33 / 100, 300, 480);
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
    if (m_arms && !m_arms->mayDropSheet()) {
        showArms(true);
        return event->ignore();
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
