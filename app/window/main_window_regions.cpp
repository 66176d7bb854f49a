#include "app/window/main_window.h"

#include "app/instruments/best_ways_offer.h"
#include "app/instruments/jog_pad.h"
#include "app/instruments/teach_panel.h"
#include "app/instruments/nearest_contact.h"
#include "app/instruments/send_pad.h"
#include "app/instruments/travel_bars.h"
#include "app/instruments/ways_cards.h"
#include "app/layout/layout_panel.h"
#include "app/fields/fields.h"
#include "app/properties/properties.h"
#include "app/route/route_panel.h"
#include "app/session/text.h"
#include "app/fields/number_field.h"
#include "app/strip/breakdown_panel.h"
#include "app/strip/contact_matrix.h"
#include "app/strip/curves_panel.h"
#include "app/strip/cycle_strip.h"
#include "app/strip/findings_list.h"
#include "app/strip/place_panel.h"
#include "app/strip/reach_panel.h"
#include "app/strip/signals_table.h"
#include "app/targets/target_table.h"
#include "app/targets/targets_panel.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/examples.h"
#include "app/window/guide.h"
#include "app/window/home_lamp.h"
#include "app/window/notice_bar.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QMenu>
#include <QMenuBar>
#include <QWidgetAction>
#include <QScrollArea>
#include <QScrollBar>
#include <QStyle>
#include <QTabBar>
#include <QTimer>
#include <QVBoxLayout>

/// The regions of the window, as they are put together at the start.
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

/// A column that scrolls where it is too long; what it holds goes into the layout of its widget.
QVBoxLayout* scrolled(QScrollArea* scroll, const QString& name, int spacing)
{
    scroll->setObjectName(name);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inner = new QWidget(scroll);
    inner->setObjectName(name + "Inner");
    auto* column = new QVBoxLayout(inner);
    column->setContentsMargins(12, 7, 12, 7);
    column->setSpacing(spacing);
    scroll->setWidget(inner);
    return column;
}

}  // namespace

void MainWindow::buildHead()
{
    auto* head = new QWidget(this);
    head->setObjectName("head");
    head->setAttribute(Qt::WA_StyledBackground);
    head->setFixedHeight(44);
    auto* row = new QHBoxLayout(head);
    row->setContentsMargins(12, 6, 12, 6);
    row->setSpacing(7);
    m_name = new WordsField(head, false);
    connect(m_name, &QLineEdit::returnPressed, this, [this] { m_view->setFocus(); });
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
    row->addWidget(new HomeLamp(*m_session, head));
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
    m_plan =
        button("planButton", "once", "How far a run goes: once, several times, without end, or up to a time", [] {});
    m_plan->setMinimumWidth(64);
    m_plan->setAccessibleName("How far a run goes");
    auto* plans = new QMenu(m_plan);
    plans->setObjectName("planMenu");
    using Plan = Session::RunPlan;
    for (const auto& [words, plan] : {std::pair("once", Plan{Plan::Kind::Once}),
                                      {"2 times", Plan{Plan::Kind::Times, 2}},
                                      {"5 times", Plan{Plan::Kind::Times, 5}},
                                      {"20 times", Plan{Plan::Kind::Times, 20}},
                                      {"without end", Plan{Plan::Kind::Endless}},
                                      {"10 minutes", Plan{Plan::Kind::Until, 0, 600}},
                                      {"1 hour", Plan{Plan::Kind::Until, 0, 3600}}}) {
        QAction* a = plans->addAction(words, this, [this, plan = plan] { m_session->setRunPlan(plan); });
        a->setObjectName(QString("plan %1").arg(words));
    }
    // Any other number of passes is typed.
    auto* typed = new QWidgetAction(plans);
    auto* times = new NumberField(nullptr);
    times->setDecimals(0);
    times->setObjectName("planTimes");
    times->setAccessibleName("Times that a run goes through the cycle");
    times->setRange(1, 100000);
    times->setValue(50);
    times->setSuffix(" times");
    connect(times, &NumberField::editingFinished, plans, [this, times, plans] {
        if (!times->hasFocus()) return;
        m_session->setRunPlan({Plan::Kind::Times, int(times->value())});
        plans->close();
    });
    typed->setDefaultWidget(times);
    plans->addAction(typed);
    m_plan->setMenu(plans);
    m_command = new CommandField([this] { return entries(); }, head);
    m_command->setMinimumWidth(96);  // the chips before it come first
    m_command->setMaximumWidth(176);
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
    scroll->setMinimumHeight(96);
    QVBoxLayout* column = scrolled(scroll, "properties", 6);
    QWidget* inner = scroll->widget();
    m_teach = new TeachPanel(*m_session, inner);
    column->addWidget(m_teach);
    m_properties = new Properties(*m_session, inner);
    column->addWidget(m_properties);
    column->addStretch();
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

QWidget* MainWindow::buildView()
{
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
        m_view->setHints(QString("<b>T</b> target in %1&nbsp;· <b>M</b> move to the selected&nbsp;· "
                                 "<b>Arrows, Page keys</b> jog, <b>Shift</b> turns&nbsp;· "
                                 "<b>&lt;&nbsp;&gt;</b>&nbsp;step")
                             .arg(text(frameName(m_session->cell(), m_targets->takingFrame())).toHtmlEscaped()));
    };
    connect(m_targets, &TargetsPanel::takingFrameChanged, this, sayTaking);
    sayTaking();
    return rim;
}

QWidget* MainWindow::buildInstruments()
{
    auto* scroll = new QScrollArea(this);
    scroll->setMinimumWidth(250);
    QVBoxLayout* column = scrolled(scroll, "instruments", 3);
    QWidget* inner = scroll->widget();
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
    column->addWidget(new NearestContact(*m_session, inner));
    column->addSpacing(6);
    // What grows and shrinks comes last, so that nothing moves under the pointer.
    column->addWidget(new JogPad(*m_session, m_view->held(), inner));
    column->addSpacing(6);
    column->addWidget(new SendPad(*m_session, inner));
    column->addSpacing(6);
    column->addWidget(new WaysCards(*m_session, inner));
    m_bestWays = new BestWaysOffer(*m_session, inner);
    column->addWidget(m_bestWays);
    column->addStretch();
    return scroll;
}

void MainWindow::buildStrip()
{
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
    m_breakdown = new BreakdownPanel(*m_session);
    m_bottom->addTab(m_breakdown, "Breakdown");
    m_curves = new CurvesPanel(*m_session);
    m_bottom->addTab(m_curves, "Curves");
    m_contact = new ContactMatrix(*m_session);
    m_bottom->addTab(m_contact, "Contact");
    auto* places = new QScrollArea;
    places->setObjectName("placeFace");
    places->setFrameShape(QFrame::NoFrame);
    places->setWidgetResizable(true);
    places->setMinimumHeight(60);
    places->setWidget(new PlacePanel(*m_session));
    m_place = places;
    m_bottom->addTab(m_place, "Best place");
    auto* reach = new QScrollArea;
    reach->setObjectName("reachFace");
    reach->setFrameShape(QFrame::NoFrame);
    reach->setWidgetResizable(true);
    reach->setMinimumHeight(60);
    reach->setWidget(new ReachPanel(*m_session));
    m_reach = reach;
    m_bottom->addTab(m_reach, "Reach");
    m_table = new TargetTable(*m_session);
    m_bottom->addTab(m_table, "Table");
    m_signals = new SignalsTable(*m_session);
    m_bottom->addTab(m_signals, "Signals");
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

    QWidget* rim = buildView();
    QWidget* instruments = buildInstruments();
    m_columns = new QSplitter(Qt::Horizontal, this);
    m_columns->setObjectName("columns");
    m_columns->setChildrenCollapsible(false);
    m_columns->setHandleWidth(1);
    m_columns->addWidget(m_side);
    m_columns->addWidget(rim);
    m_columns->addWidget(instruments);
    m_columns->setStretchFactor(1, 1);

    buildStrip();
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

}  // namespace topikos
