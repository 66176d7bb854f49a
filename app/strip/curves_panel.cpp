#include "app/strip/curves_panel.h"

#include "app/session/export.h"
#include "app/session/text.h"
#include "app/strip/custom_plot.h"
#include "app/theme/button.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "core/report/curves_file.h"

#include <QScrollArea>
#include <QSettings>
#include <QSplitter>
#include <QVBoxLayout>

namespace topikos {

namespace {

constexpr int kFewestPoints = 400, kMostPoints = 4000;
constexpr double kSmallestStretch = 0.01;  // that can be zoomed to [s]

/// Told apart by lightness, too.
QColor curveColor(size_t i)
{
    static const QColor light[] = {{13, 117, 120}, {191, 97, 31}, {107, 64, 133}, {160, 130, 30},
                                   {51, 89, 166},  {140, 38, 51}, {89, 140, 64},  {95, 95, 100}};
    const QColor color = light[i % std::size(light)];
    return theme().dark ? color.lighter(165) : color;
}

/// A curve in the settings.
QString keyOf(const Curve& curve)
{
    return QString("%1/%2/%3/%4/%5")
        .arg(curveWord(curve.kind))
        .arg(curve.arm.value)
        .arg(curve.joint)
        .arg(curve.axis.value)
        .arg(curve.signal.value);
}

QString kindTitle(Curve::Kind kind)
{
    switch (kind) {
    case Curve::Kind::JointPosition: return "Joint positions";
    case Curve::Kind::JointSpeed: return "Joint speeds";
    case Curve::Kind::JointAcceleration: return "Joint accelerations";
    case Curve::Kind::JointTorque: return "Joint torques";
    case Curve::Kind::AxisPosition: return "Device axes";
    case Curve::Kind::Signal: return "Signals";
    default: return {};
    }
}

}  // namespace

CurvesPanel::CurvesPanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 4, 8, 4);
    row->setSpacing(6);
    auto* side = new QVBoxLayout;
    side->setSpacing(4);
    m_list = new QTreeWidget(this);
    m_list->setObjectName("curvesList");
    m_list->setAccessibleName("Curves: Space draws one or takes it away");
    m_list->setHeaderHidden(true);
    m_list->setFixedWidth(210);
    m_list->setIndentation(14);
    m_list->setIconSize({10, 10});
    side->addWidget(m_list, 1);
    auto* below = new QHBoxLayout;
    m_share = new QCheckBox("% of limit", this);
    m_share->setObjectName("curvesShare");
    m_share->setToolTip("Curves with a limit as a share of it");
    below->addWidget(m_share);
    below->addStretch();
    addButton(below, this, "saveCurves", "Save…", "The curves as a table (.csv) or as a picture (.svg, .png)", [this] {
        saveCurves();
    })->setStyleSheet("padding: 2px 7px;");
    side->addLayout(below);
    row->addLayout(side);
    m_plot = new QCustomPlot(this);
    m_plot->setObjectName("curvesPlot");
    m_plot->setFocusPolicy(Qt::StrongFocus);
    m_plot->setAccessibleName("Curves: Left and Right go through the time, plus and minus zoom, 0 shows all");
    m_plot->setToolTip(
        "Press to go to a time · wheel zooms · drag with the right button moves · double-click shows all");
    m_plot->setNoAntialiasingOnDrag(true);
    m_plot->setNotAntialiasedElements(QCP::aeAll);
    m_plot->plotLayout()->clear();
    m_plot->addLayer("cursor", m_plot->layer("overlay"), QCustomPlot::limBelow);
    m_plot->layer("cursor")->setMode(QCPLayer::lmBuffered);
    m_plot->installEventFilter(this);
    // Many panels are gone through by the bar at the side, so that they do not take the view's room.
    m_scroll = new QScrollArea(this);
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_scroll->setWidget(m_plot);
    row->addWidget(m_scroll, 1);
    m_empty = emptyNote(this, "Choose curves on the left: they are drawn one below the other, on the time of the run.",
                        "curves");
    row->addWidget(m_empty, 1);
    m_later.setSingleShot(true);
    connect(&m_later, &QTimer::timeout, this, &CurvesPanel::sample);
    connect(m_list, &QTreeWidget::itemChanged, this, [this] {
        if (m_filling) return;
        QStringList kept;
        for (const Curve& curve : chosen())
            kept << keyOf(curve);
        QSettings().setValue("curves/chosen", kept);
        rebuild();
    });
    connect(m_share, &QCheckBox::toggled, this, [this] { rebuild(); });
    connect(&session, &Session::runChanged, this, &CurvesPanel::moveCursor);
    for (const auto signal : {&Session::checkedChanged, &Session::traceChanged, &Session::keptChanged})
        connect(&session, signal, this, [this] {
            if (!isVisible()) return;
            fillList();
            rebuild();
        });
}

CurvesPanel::~CurvesPanel() = default;

double CurvesPanel::duration() const
{
    const Trace* trace = m_session.trace();
    return trace ? trace->duration : 0;
}

std::vector<Curve> CurvesPanel::chosen() const
{
    std::vector<Curve> out;
    for (QTreeWidgetItemIterator it(m_list, QTreeWidgetItemIterator::NoChildren); *it; ++it)
        if ((*it)->checkState(0) == Qt::Checked) out.push_back((*it)->data(0, Qt::UserRole).value<Curve>());
    return out;
}

void CurvesPanel::choose(const std::vector<Curve>& curves)
{
    m_filling = true;
    for (QTreeWidgetItemIterator it(m_list, QTreeWidgetItemIterator::NoChildren); *it; ++it) {
        const Curve own = (*it)->data(0, Qt::UserRole).value<Curve>();
        (*it)->setCheckState(0, std::find(curves.begin(), curves.end(), own) != curves.end() ? Qt::Checked
                                                                                             : Qt::Unchecked);
    }
    m_filling = false;
    rebuild();
}

void CurvesPanel::fillList()
{
    const Cell& cell = m_session.trace() ? m_session.playedCell() : m_session.cell();
    const std::vector<Curve> all = curvesOf(cell);
    // As long as it would be the same, it stays, and with it where the keys are.
    QStringList listed;
    for (const Curve& curve : all)
        listed << keyOf(curve) + " " + text(curveName(cell, curve));
    if (listed == m_listed) return;
    m_listed = listed;
    std::vector<Curve> before = chosen();
    const QStringList kept = QSettings().value("curves/chosen", QStringList{"tcp-speed"}).toStringList();
    const bool first = m_list->topLevelItemCount() == 0;
    QStringList open;
    for (int i = 0; i < m_list->topLevelItemCount(); ++i)
        if (m_list->topLevelItem(i)->isExpanded()) open << m_list->topLevelItem(i)->text(0);
    m_filling = true;
    m_list->clear();
    std::map<QString, QTreeWidgetItem*> groups;
    for (const Curve& curve : all) {
        QString title = kindTitle(curve.kind);
        if (!title.isEmpty() && curve.arm && cell.arms.size() > 1)
            title = text(findArm(cell, curve.arm)->name) + ": " + title.toLower();
        QTreeWidgetItem* item = nullptr;
        if (title.isEmpty()) {
            item = new QTreeWidgetItem(m_list);
        } else {
            QTreeWidgetItem*& group = groups[title];
            if (!group) {
                group = new QTreeWidgetItem(m_list, {title});
                group->setFlags(group->flags() | Qt::ItemIsAutoTristate | Qt::ItemIsUserCheckable);
                group->setExpanded(open.contains(title));
            }
            item = new QTreeWidgetItem(group);
        }
        QString name = text(curveName(cell, curve));
        item->setText(0, name.isEmpty() ? name : name.replace(0, 1, name[0].toUpper()));
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
        item->setData(0, Qt::UserRole, QVariant::fromValue(curve));
        const QString key = keyOf(curve);
        const bool on = first ? kept.contains(key) || kept.contains(curveWord(curve.kind))
                              : std::find(before.begin(), before.end(), curve) != before.end();
        item->setCheckState(0, on ? Qt::Checked : Qt::Unchecked);
    }
    m_filling = false;
}

void CurvesPanel::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    fillList();
    rebuild();
}

void CurvesPanel::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    m_later.start(0);
}

double CurvesPanel::shownFactor(const Cell& cell, const Curve& curve) const
{
    const auto limit = curveLimits(cell, curve);
    if (m_share->isChecked() && limit) return 100 / std::max(std::abs(limit->lower), std::abs(limit->upper));
    return shownUnit(curveUnit(cell, curve)).factor;
}

void CurvesPanel::changeEvent(QEvent* event)
{
    QWidget::changeEvent(event);
    // Another look has other colours.
    if (event->type() == QEvent::StyleChange && m_plot && isVisible()) rebuild();
}

void CurvesPanel::rebuild()
{
    if (!isVisible()) return;
    const std::vector<Curve> curves = m_session.trace() ? chosen() : std::vector<Curve>{};
    m_panels.clear();  // first: the plot tells the event filter of each part that goes
    m_plot->clearGraphs();
    m_plot->clearItems();
    m_plot->plotLayout()->clear();
    delete std::exchange(m_margins, nullptr);
    m_empty->setVisible(curves.empty() || duration() <= 0);
    m_scroll->setVisible(!m_empty->isVisible());
    if (m_empty->isVisible()) return showColors();
    // Who has zoomed in stays there over an edit, as far as the run is as long.
    if (m_to <= m_from || m_to > duration() || (m_from == 0 && m_to == m_whole)) {
        m_from = 0;
        m_to = duration();
    }
    m_whole = duration();
    const Cell& cell = m_session.playedCell();
    const Theme& t = theme();
    m_plot->setBackground(t.panel);
    m_margins = new QCPMarginGroup(m_plot);
    const auto panels = panelsOf(cell, curves);
    for (size_t i = 0; i < panels.size(); ++i) {
        Panel panel;
        panel.curves = panels[i];
        panel.rect = new QCPAxisRect(m_plot, true);
        m_plot->plotLayout()->addElement(int(i), 0, panel.rect);
        panel.rect->setMarginGroup(QCP::msLeft | QCP::msRight, m_margins);
        panel.rect->setMinimumMargins(QMargins(46, 17, 8, i + 1 == panels.size() ? 32 : 2));
        panel.rect->setBackground(QBrush(t.raised));
        QCPAxis *x = panel.rect->axis(QCPAxis::atBottom), *y = panel.rect->axis(QCPAxis::atLeft);
        for (QCPAxis* axis : {x, y}) {
            axis->setLayer("axes");
            axis->grid()->setLayer("grid");
            axis->setBasePen(QPen(t.line, 1));
            axis->setTickPen(QPen(t.line, 1));
            axis->setSubTickPen(Qt::NoPen);
            axis->setTickLabelColor(t.faint);
            axis->setTickLabelFont(figureFont(10));
            axis->setLabelColor(t.faint);
            axis->setLabelFont(textFont(10));
            axis->grid()->setPen(QPen(t.track, 1));
            axis->grid()->setZeroLinePen(QPen(t.line, 1));
        }
        x->setTickLabels(i + 1 == panels.size());
        if (i + 1 == panels.size()) x->setLabel("time [s]");
        y->ticker()->setTickCount(3);
        for (size_t k = 0; k < panel.curves.size(); ++k) {
            if (m_session.keptRun()) {
                QCPGraph* graph = m_plot->addGraph(x, y);
                graph->setPen(QPen(t.faint, 1));
                panel.before.push_back(graph);
            }
        }
        for (size_t k = 0; k < panel.curves.size(); ++k) {
            QCPGraph* graph = m_plot->addGraph(x, y);
            graph->setPen(QPen(curveColor(k), 1));
            if (panel.curves[k].kind == Curve::Kind::Signal) graph->setLineStyle(QCPGraph::lsStepLeft);
            panel.graphs.push_back(graph);
            // Where it must not come to.
            const auto limits = curveLimits(cell, panel.curves[k]);
            if (!limits) continue;
            for (const double limit : {limits->lower, limits->upper}) {
                auto* line = new QCPItemStraightLine(m_plot);
                line->setPen(QPen(curveColor(k), 1, Qt::DashLine));
                line->setClipAxisRect(panel.rect);
                const double shown = limit * shownFactor(cell, panel.curves[k]);
                for (const auto& [point, time] : {std::pair(line->point1, 0.0), std::pair(line->point2, 1.0)}) {
                    point->setAxisRect(panel.rect);
                    point->setAxes(x, y);
                    point->setCoords(time, shown);
                }
            }
        }
        panel.cursor = new QCPItemStraightLine(m_plot);
        panel.cursor->setLayer("cursor");
        panel.cursor->setPen(QPen(t.ink, 1));
        panel.cursor->setClipAxisRect(panel.rect);
        for (QCPItemPosition* point : {panel.cursor->point1, panel.cursor->point2}) {
            point->setAxisRect(panel.rect);
            point->setAxes(x, y);
            point->setTypeX(QCPItemPosition::ptPlotCoords);
            point->setTypeY(QCPItemPosition::ptAxisRectRatio);
        }
        panel.words = new QCPItemText(m_plot);
        panel.words->setLayer("cursor");
        panel.words->setClipToAxisRect(false);
        panel.words->setFont(figureFont(11));
        panel.words->setColor(t.ink);
        panel.words->setPadding(QMargins(0, 0, 0, 0));
        panel.words->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
        panel.words->position->setAxisRect(panel.rect);
        panel.words->position->setType(QCPItemPosition::ptAxisRectRatio);
        panel.words->position->setCoords(0, -0.01);
        m_panels.push_back(panel);
    }
    showColors();
    // Each panel gets the same height; little room shows fewer of them, so the strip can be grown.
    m_plot->setMinimumHeight(int(m_panels.size()) * 44 + 16);
    sample();
}

/// Each curve has its colour in the list.
void CurvesPanel::showColors()
{
    m_filling = true;
    for (QTreeWidgetItemIterator it(m_list, QTreeWidgetItemIterator::NoChildren); *it; ++it) {
        const Curve own = (*it)->data(0, Qt::UserRole).value<Curve>();
        QIcon icon;
        for (const Panel& panel : m_panels) {
            const auto found = std::find(panel.curves.begin(), panel.curves.end(), own);
            if (found == panel.curves.end()) continue;
            QPixmap square(10, 10);
            square.fill(curveColor(size_t(found - panel.curves.begin())));
            icon = QIcon(square);
        }
        (*it)->setIcon(0, icon);
    }
    m_filling = false;
}

void CurvesPanel::showStretch(double from, double to)
{
    const double whole = duration();
    const double length = std::clamp(to - from, std::min(kSmallestStretch, whole), whole);
    m_from = std::clamp(from, 0.0, whole - length);
    m_to = m_from + length;
    sample();
}

void CurvesPanel::sample()
{
    const Trace* trace = m_session.trace();
    if (!trace || m_panels.empty() || !isVisible()) return;
    const Cell& cell = m_session.playedCell();
    const int points = std::clamp(2 * m_plot->width(), kFewestPoints, kMostPoints);
    std::vector<double> times(static_cast<size_t>(points) + 1);
    for (size_t i = 0; i < times.size(); ++i)
        times[i] = m_from + (m_to - m_from) * double(i) / points;
    const QVector<double> keys(times.begin(), times.end());
    std::vector<Curve> all;
    for (const Panel& panel : m_panels)
        all.insert(all.end(), panel.curves.begin(), panel.curves.end());
    const auto values = curveValues(cell, *trace, all, times, &m_session.touched());
    const KeptRun* kept = m_session.keptRun();
    const std::vector<Curve> known = kept ? curvesOf(*kept->cell) : std::vector<Curve>{};
    size_t at = 0;
    for (Panel& panel : m_panels) {
        double low = INFINITY, high = -INFINITY;
        const auto put = [&](QCPGraph* graph, const std::vector<double>& own, double factor) {
            QVector<double> shown(own.begin(), own.end());
            for (double& v : shown) {
                v *= factor;
                if (std::isnan(v)) continue;
                low = std::min(low, v);
                high = std::max(high, v);
            }
            graph->setData(keys, shown, true);
        };
        for (size_t k = 0; k < panel.curves.size(); ++k, ++at) {
            const double factor = shownFactor(cell, panel.curves[k]);
            put(panel.graphs[k], values[at], factor);
            if (k < panel.before.size() && std::find(known.begin(), known.end(), panel.curves[k]) != known.end())
                put(panel.before[k],
                    curveValues(*kept->cell, *kept->trace, {panel.curves[k]}, times, &m_session.touched())[0], factor);
        }
        if (!(low <= high)) low = 0, high = 1;
        const double room = std::max(0.08 * (high - low), 1e-6 * (1 + std::abs(high)));
        panel.rect->axis(QCPAxis::atLeft)->setRange(low - room, high + room);
        panel.rect->axis(QCPAxis::atBottom)->setRange(m_from, m_to);
    }
    moveCursor();
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

QStringList CurvesPanel::readOut() const
{
    QStringList out;
    const Trace* trace = m_session.trace();
    if (!trace) return out;
    const Cell& cell = m_session.playedCell();
    for (const Panel& panel : m_panels) {
        const auto values = curveValues(cell, *trace, panel.curves, {m_session.time()}, &m_session.touched());
        QStringList words;
        for (size_t k = 0; k < panel.curves.size(); ++k) {
            const Curve& curve = panel.curves[k];
            const bool share = m_share->isChecked() && curveLimits(cell, curve);
            const QString unit = share ? " %" : text(shownUnit(curveUnit(cell, curve)).symbol);
            QString figure = QString::number(values[k][0] * shownFactor(cell, curve), 'f',
                                             curve.kind == Curve::Kind::SingularValue ? 4 : 1);
            if (std::isnan(values[k][0])) figure = "–";
            else if (figure.toDouble() == 0) figure.remove('-');
            const QString name = panel.curves.size() > 1 && curve.joint >= 0 ? QString("J%1").arg(curve.joint + 1)
                                                                             : text(curveName(cell, curve));
            words << name + " " + figure
                         + (panel.curves.size() > 1 && curve.joint >= 0 ? "" : (unit == "°" ? "" : " ") + unit);
        }
        const bool joints = panel.curves.size() > 1 && panel.curves[0].joint >= 0;
        const bool share = m_share->isChecked() && curveLimits(cell, panel.curves[0]);
        const QString head = joints ? (share ? "% of limit" : text(panelTitle(cell, panel.curves))) + "  " : QString();
        out << head + words.join("  ");
    }
    return out;
}

void CurvesPanel::moveCursor()
{
    if (m_panels.empty() || !isVisible()) return;
    const double time = m_session.time();
    const QStringList words = readOut();
    for (size_t i = 0; i < m_panels.size(); ++i) {
        Panel& panel = m_panels[i];
        panel.cursor->setVisible(m_session.inRun());
        panel.cursor->point1->setCoords(time, 0);
        panel.cursor->point2->setCoords(time, 1);
        panel.words->setText(int(i) < words.size() ? words[int(i)] : QString());
    }
    // A run that goes on takes what is seen along.
    if (m_session.playing() && (time > m_to || time < m_from)) {
        showStretch(time, time + (m_to - m_from));
        return;
    }
    m_plot->layer("cursor")->replot();
}

void CurvesPanel::scrubTo(double x)
{
    if (m_panels.empty()) return;
    m_session.scrub(std::clamp(m_panels[0].rect->axis(QCPAxis::atBottom)->pixelToCoord(x), 0.0, duration()));
}

bool CurvesPanel::eventFilter(QObject* watched, QEvent* event)
{
    if (watched != m_plot || m_panels.empty()) return QWidget::eventFilter(watched, event);
    QCPAxis* x = m_panels[0].rect->axis(QCPAxis::atBottom);
    switch (event->type()) {
    case QEvent::MouseButtonPress: {
        const auto* mouse = static_cast<QMouseEvent*>(event);
        m_plot->setFocus();
        if (mouse->button() == Qt::LeftButton) {
            m_scrubs = true;
            scrubTo(mouse->position().x());
        } else {
            m_grabbed = x->pixelToCoord(mouse->position().x());
        }
        return true;
    }
    case QEvent::MouseMove: {
        const auto* mouse = static_cast<QMouseEvent*>(event);
        if (m_scrubs) scrubTo(mouse->position().x());
        else if (mouse->buttons() & Qt::RightButton) {
            const double by = m_grabbed - x->pixelToCoord(mouse->position().x());
            showStretch(m_from + by, m_to + by);
        }
        return true;
    }
    case QEvent::MouseButtonRelease: m_scrubs = false; return true;
    case QEvent::MouseButtonDblClick: showStretch(0, duration()); return true;
    case QEvent::Wheel: {
        const auto* wheel = static_cast<QWheelEvent*>(event);
        const double at = x->pixelToCoord(wheel->position().x());
        const double factor = std::pow(0.85, wheel->angleDelta().y() / 120.0);
        showStretch(at - (at - m_from) * factor, at + (m_to - at) * factor);
        return true;
    }
    case QEvent::KeyPress: {
        const auto* key = static_cast<QKeyEvent*>(event);
        const double by = (m_to - m_from) / 100, middle = m_session.inRun() ? m_session.time() : 0.5 * (m_from + m_to);
        switch (key->key()) {
        case Qt::Key_Left: m_session.scrub(std::max(0.0, m_session.time() - by)); return true;
        case Qt::Key_Right: m_session.scrub(std::min(duration(), m_session.time() + by)); return true;
        case Qt::Key_Plus:
        case Qt::Key_Equal: showStretch(middle - (middle - m_from) / 1.5, middle + (m_to - middle) / 1.5); return true;
        case Qt::Key_Minus: showStretch(middle - (middle - m_from) * 1.5, middle + (m_to - middle) * 1.5); return true;
        case Qt::Key_0: showStretch(0, duration()); return true;
        default: return false;
        }
    }
    default: return QWidget::eventFilter(watched, event);
    }
}

void CurvesPanel::saveCurves()
{
    const Trace* trace = m_session.trace();
    const std::vector<Curve> curves = chosen();
    if (!trace || curves.empty()) return m_session.say("Choose curves on the left first.", true);
    const QString path =
        askForOutput(this, "Save the curves", "curves.csv", {"Tables (*.csv)", "Pictures (*.svg *.png)"});
    if (path.isEmpty()) return;
    const KeptRun* kept = m_session.keptRun();
    const bool picture = path.endsWith(".svg") || path.endsWith(".png");
    writeExport(m_session, path, "The curves are", [&] {
        return picture ? saveCurvesPicture(path.toStdString(), m_session.playedCell(), *trace, curves, m_from, m_to,
                                           {kept ? kept->cell.get() : nullptr, kept ? kept->trace.get() : nullptr})
                       : saveCurvesCsv(path.toStdString(), m_session.playedCell(), *trace, curves, 0.004);
    });
}

}  // namespace topikos
