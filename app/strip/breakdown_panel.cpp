#include "app/strip/breakdown_panel.h"

#include "app/session/export.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "core/report/breakdown_csv.h"

#include <QHeaderView>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

namespace topikos {

namespace {

enum Column { NameColumn, BarColumn, SecondsColumn, ShareColumn, SavedColumn, LostColumn, BeforeColumn, WhyColumn };
enum Role { ShareRole = Qt::UserRole + 1, LostRole, ColorRole, StepRole, RoutineRole };

/// A bar as long as the share of the time against the largest; what is lost of it at its end in the colour of cautions.
class BarDelegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        QStyledItemDelegate::paint(p, option, index);
        const double share = index.data(ShareRole).toDouble(), lost = index.data(LostRole).toDouble();
        const QRectF room = QRectF(option.rect).adjusted(4, 5, -6, -5);
        p->fillRect(QRectF(room.left(), room.top(), room.width(), room.height()), theme().track);
        const double length = room.width() * std::clamp(share, 0.0, 1.0);
        p->fillRect(QRectF(room.left(), room.top(), length, room.height()), index.data(ColorRole).value<QColor>());
        const double gone = room.width() * std::clamp(lost, 0.0, share);
        if (gone >= 1) p->fillRect(QRectF(room.left() + length - gone, room.bottom() - 3, gone, 3), theme().caution);
    }
};

QString seconds(double value) { return QString::number(value, 'f', 3); }
/// Nothing where there is nothing to be said.
QString some(double value)
{
    if (std::abs(value) < 0.0005) return {};
    return (value < 0 ? "−" : "") + seconds(std::abs(value));
}

}  // namespace

BreakdownPanel::BreakdownPanel(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_work(session, "The breakdown of the cycle")
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 4);
    column->setSpacing(4);
    auto* row = new QHBoxLayout;
    m_by = new QComboBox(this);
    m_by->setObjectName("breakdownBy");
    m_by->setAccessibleName("What the bars are of");
    m_by->addItems({"Steps", "Routines", "Arms and devices", "Waiting"});
    m_by->setToolTip("What the bars are of");
    row->addWidget(m_by);
    m_summary = new QLabel(this);
    m_summary->setObjectName("breakdownSummary");
    m_summary->setTextInteractionFlags(Qt::TextSelectableByMouse);
    row->addWidget(m_summary, 1);
    m_keep = addButton(row, this, "keepRun", "Keep this run",
                       "Later runs are compared with it, step by step, here and in the curves",
                       [this] { m_session.keepRun(!m_session.keptRun()); });
    m_save = addButton(row, this, "saveBreakdown", "Save table…", "The steps with all their seconds, as CSV",
                       [this] { saveTable(); });
    for (QPushButton* button : {m_keep, m_save})
        button->setStyleSheet("padding: 2px 7px;");
    column->addLayout(row);
    m_table = new QTableWidget(0, 8, this);
    m_table->setObjectName("breakdownTable");
    m_table->setAccessibleName("Where the time goes");
    m_table->setItemDelegateForColumn(BarColumn, new BarDelegate(this));
    m_table->setHorizontalHeaderLabels(
        {"Step", "Share of the time", "s", "%", "Saved s", "Lost s", "Before s", "Held by"});
    const char* tips[] = {
        "What takes the time",
        "The longest is as long as there is room; the ochre part would be gone without limits of joints and low speeds",
        "Seconds, all passes together",
        "Share of the stretch that is looked at",
        "What cutting the corners before and behind it saves; less than nothing where it has to slow for a corner",
        "What limits of joints, singularities and low speeds cost it",
        "Seconds per cycle in the run that was kept",
        "What keeps it from being quicker for the longest time"};
    for (int i = 0; i < 8; ++i)
        m_table->horizontalHeaderItem(i)->setToolTip(tips[i]);
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_table->setShowGrid(false);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(22);
    m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_table->horizontalHeader()->setStretchLastSection(true);
    const int widths[] = {300, 220, 66, 52, 66, 66, 66};
    for (int i = 0; i < 7; ++i)
        m_table->setColumnWidth(i, widths[i]);
    column->addWidget(m_table, 1);
    m_empty = emptyNote(this, "The run takes no time yet. Put steps into the route; what they cost stands here.",
                        "curves#breakdown");
    column->addWidget(m_empty, 1);
    connect(m_by, &QComboBox::currentIndexChanged, this, [this] { fill(); });
    connect(m_table, &QTableWidget::itemSelectionChanged, this, [this] {
        if (m_filling || m_table->currentRow() < 0) return;
        const QTableWidgetItem* item = m_table->item(m_table->currentRow(), NameColumn);
        if (!item) return;
        const StepId step{item->data(StepRole).toUInt()};
        const RoutineId routine{item->data(RoutineRole).toUInt()};
        if (routine && findRoutine(m_session.cell(), routine)) m_session.showRoutine(routine);
        if (step && m_session.isThere(step)) m_session.select(step);
    });
    for (const auto signal : {&Session::checkedChanged, &Session::traceChanged, &Session::keptChanged})
        connect(&session, signal, this, &BreakdownPanel::refresh);
    refresh();
}

void BreakdownPanel::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    refresh();
}

void BreakdownPanel::refresh()
{
    if (!isVisible()) return;  // made when it is looked at
    const Trace* trace = m_session.trace();
    const KeptRun* kept = m_session.keptRun();
    m_keep->setText(kept ? "Let the kept run go" : "Keep this run");
    const std::shared_ptr<const void> of = trace ? m_session.traceHolder() : nullptr;
    const std::shared_ptr<const void> with = kept ? std::shared_ptr<const void>(kept->trace) : nullptr;
    if (of == m_of && with == m_with && trace) return;
    m_of = of;
    m_with = with;
    if (!trace) {
        m_made = {};
        return fill();
    }
    // Large cells take longer than the interface may wait: what each move would take without its limits is planned.
    const std::shared_ptr<const Trace> run(of, trace);
    const std::optional<KeptRun> before = kept ? std::optional(*kept) : std::nullopt;
    m_work.start(
        [cell = std::make_shared<const Cell>(m_session.playedCell()), run, before](const Background::Task&) {
            Made made{breakdownOf(*cell, *run), cell};
            if (before) compareWith(made.breakdown, breakdownOf(*before->cell, *before->trace));
            return made;
        },
        [this](Made made) {
            // Of a run that is still there: another one is worked out already when not.
            if (!m_session.trace() || m_of != m_session.traceHolder()) return;
            m_made = std::move(made);
            fill();
        });
}

void BreakdownPanel::addRow(const QString& name, double time, double lost, const QColor& color, const QStringList& rest,
                            StepId step, RoutineId routine)
{
    const int r = m_table->rowCount();
    m_table->insertRow(r);
    const double whole = m_made.breakdown.seconds();
    const double share = whole > 0 ? time / whole : 0;
    m_largest = std::max(m_largest, time);
    const auto put = [&](int c, const QString& words, bool figure) {
        auto* item = new QTableWidgetItem(words);
        item->setToolTip(words);
        if (figure) {
            item->setFont(figureFont(12));
            item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        }
        m_table->setItem(r, c, item);
        return item;
    };
    QTableWidgetItem* head = put(NameColumn, name, false);
    head->setData(StepRole, step.value);
    head->setData(RoutineRole, routine.value);
    QTableWidgetItem* bar = put(BarColumn, "", false);
    bar->setData(ShareRole, time);
    bar->setData(LostRole, lost);
    bar->setData(ColorRole, color);
    put(SecondsColumn, seconds(time), true);
    put(ShareColumn, QString::number(100 * share, 'f', 1), true);
    for (int i = 0; i < rest.size(); ++i)
        put(SavedColumn + i, rest[i], SavedColumn + i < WhyColumn);
}

void BreakdownPanel::fillSteps()
{
    const Cell& cell = *m_made.cell;
    const double cycles = std::max(1, m_made.breakdown.cycles);
    for (const StepShare& s : m_made.breakdown.steps) {
        const Routine* routine = findRoutine(cell, s.routine);
        const double lost = s.joints + s.singular + s.low;
        QStringList why;
        if (s.held > 0) why << text(heldByText(s.by));
        if (s.singular >= 0.0005) why << QString("%1 s near a singularity").arg(seconds(s.singular));
        if (s.joints >= 0.0005) why << QString("%1 s by limits of joints").arg(seconds(s.joints));
        if (s.low >= 0.0005) why << QString("%1 s by the speed asked for").arg(seconds(s.low));
        if (const Signal* signal = s.waitsFor ? findSignal(cell, s.waitsFor) : nullptr)
            why << "waits for " + text(signal->name);
        QString before;
        if (s.before) {
            const double change = s.time / cycles - *s.before;
            before = std::abs(change) < 0.0005 ? "=" : (change > 0 ? "+" : "−") + seconds(std::abs(change));
        } else if (m_with) {
            before = "new";
        }
        const QString words = QString("%1  %2").arg(s.index + 1).arg(text(stepWords(cell, s)));
        addRow(m_made.breakdown.routines.size() > 1 ? text(routine->name) + " " + words : words, s.time, lost,
               stepColor(s.kind), {some(s.saved), some(lost), before, why.join(" · ")}, s.step, s.routine);
    }
}

void BreakdownPanel::fill()
{
    m_filling = true;
    m_largest = 0;
    m_table->setRowCount(0);
    const Breakdown& b = m_made.breakdown;
    m_save->setEnabled(!b.steps.empty());
    m_keep->setEnabled(!b.steps.empty() || m_session.keptRun());
    m_table->setVisible(!b.steps.empty());
    m_empty->setVisible(b.steps.empty());
    if (b.steps.empty()) {
        m_summary->clear();
        m_filling = false;
        return;
    }
    const Cell& cell = *m_made.cell;
    QStringList words{QString("Cycle %1 s").arg(seconds(b.cycleTime > 0 ? b.cycleTime : b.seconds()))};
    if (b.partsPerHour > 0) words << QString("%1 parts per hour").arg(b.partsPerHour, 0, 'f', 0);
    if (b.from > 0) words << QString("from %1 s to %2 s, warm-up left out").arg(seconds(b.from), seconds(b.to));
    if (b.arms.size() > 1 && b.busiest) words << text(findArm(cell, b.busiest)->name) + " is the busiest arm";
    if (const KeptRun* kept = m_session.keptRun()) {
        const Cycles before = cyclesOf(*kept->trace), now{0, b.cycleTime, 0, 0};
        if (before.time > 0 && now.time > 0) {
            const double change = now.time - before.time;
            words << QString("%1%2 s against the kept run").arg(change < 0 ? "−" : "+", seconds(std::abs(change)));
        }
    }
    m_summary->setText(words.join("  ·  "));
    const int by = m_by->currentIndex();
    m_table->horizontalHeaderItem(NameColumn)->setText(QStringList{"Step", "Routine", "Arm or device", "Waits"}.at(by));
    for (const int c : {SavedColumn, LostColumn, BeforeColumn, WhyColumn})
        m_table->setColumnHidden(c, by != 0 || (c == BeforeColumn && !m_with));
    switch (by) {
    case 0: fillSteps(); break;
    case 1:
        for (const RoutineShare& r : b.routines)
            addRow((b.arms.size() > 1 ? text(findArm(cell, r.arm)->name) + ": " : QString())
                       + text(findRoutine(cell, r.routine)->name),
                   r.time, 0, theme().accent, {}, {}, r.routine);
        break;
    case 2:
        for (const ArmShare& a : b.arms) {
            const QString name = text(findArm(cell, a.arm)->name);
            addRow(name + " moves", a.moving, 0, stepColor(StepKind::Joint), {});
            addRow(name + " grips and releases", a.gripping, 0, stepColor(StepKind::Grip), {});
            if (a.axes > 0) addRow(name + " moves axes", a.axes, 0, stepColor(StepKind::MoveAxes), {});
            addRow(name + " waits for signals", a.waiting, 0, stepColor(StepKind::WaitSignal), {});
            if (a.pausing > 0) addRow(name + " pauses", a.pausing, 0, stepColor(StepKind::Wait), {});
            if (a.ended > 0.0005) addRow(name + " has ended", a.ended, 0, theme().line, {});
        }
        for (const DeviceShare& d : b.devices)
            addRow(text(findFrame(cell, d.frame)->name) + " moves", d.moving, 0, theme().accent, {});
        break;
    default:
        for (const SignalShare& s : b.signals)
            addRow(text(findArm(cell, s.arm)->name) + " for " + text(findSignal(cell, s.signal)->name), s.waited, 0,
                   stepColor(StepKind::WaitSignal), {});
        if (b.signals.empty()) addRow("No arm waits for a signal", 0, 0, theme().line, {});
        break;
    }
    for (int r = 0; r < m_table->rowCount() && m_largest > 0; ++r)
        for (const int role : {ShareRole, LostRole}) {
            QTableWidgetItem* bar = m_table->item(r, BarColumn);
            bar->setData(role, bar->data(role).toDouble() / m_largest);
        }
    m_filling = false;
}

void BreakdownPanel::saveTable()
{
    const QString path = askForOutput(this, "Save the breakdown", "breakdown.csv", {"Tables (*.csv)"});
    if (path.isEmpty()) return;
    writeExport(m_session, path, "The breakdown is",
                [&] { return saveBreakdownCsv(path.toStdString(), *m_made.cell, m_made.breakdown); });
}

}  // namespace topikos
