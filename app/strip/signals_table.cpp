#include "app/strip/signals_table.h"

#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"
#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/program/step_text.h"
#include "core/spatial/number_text.h"

#include <QComboBox>
#include <QHeaderView>
#include <QVBoxLayout>

namespace topikos {

namespace {

enum SignalColumn { NameColumn, KindColumn, StartColumn, NowColumn, WriterColumn, ReaderColumn };
const QStringList kKinds{"digital", "analogue", "number"};

QString valueText(const Signal& signal, double value)
{
    return signal.kind == Signal::Kind::Digital ? (value != 0 ? "on" : "off") : text(plainNumber(value, 6));
}

}  // namespace

SignalsTable::SignalsTable(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 4);
    column->setSpacing(4);
    auto* row = new QHBoxLayout;
    auto* plus = new QLabel("Add", this);
    plus->setProperty("class", "faint");
    row->addWidget(plus);
    const char* tips[] = {"A signal that is on or off", "A signal with a value",
                          "A signal that counts in whole numbers"};
    for (int k = 0; k < 3; ++k)
        addButton(row, this, QString("addSignal%1").arg(k), kKinds[k], tips[k], [this, k] {
            add(Signal::Kind(k));
        })->setStyleSheet("padding: 2px 7px;");
    row->addStretch();
    addButton(row, this, "deleteSignal", "Delete", "Takes the chosen signal away; refused while something uses it",
              [this] {
                  const SignalId id = signalAt(m_table->currentRow());
                  if (!id) return m_session.say("Choose a signal in the table first.", true);
                  m_session.edit("Delete signal", [id](const Cell& cell) { return topikos::deleteSignal(cell, id); });
              })
        ->setStyleSheet("padding: 2px 7px;");
    column->addLayout(row);
    m_table = new QTableWidget(0, 6, this);
    m_table->setObjectName("signalsTable");
    m_table->setItemDelegate(new TypedDelegate(this));
    m_table->setAccessibleName("Signals");
    m_table->setHorizontalHeaderLabels({"Signal", "Kind", "Start", "Now", "Written by", "Read by"});
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(24);
    m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_table->horizontalHeader()->setStretchLastSection(true);
    const int widths[] = {170, 96, 60, 60, 200};
    for (int i = 0; i < 5; ++i)
        m_table->setColumnWidth(i, widths[i]);
    column->addWidget(m_table, 1);
    m_empty = emptyNote(this,
                        "No signals yet. Devices and steps tell each other by signals: add one here, or let a device "
                        "make its own in its properties.",
                        "devices#signals");
    column->addWidget(m_empty, 1);
    connect(m_table, &QTableWidget::cellChanged, this, [this](int r, int c) {
        const Signal* signal = findSignal(m_session.cell(), signalAt(r));
        if (m_filling || !signal) return;
        Signal next = *signal;
        const QString words = m_table->item(r, c)->text().trimmed();
        if (c == NameColumn) next.name = words.toStdString();
        if (c == StartColumn) {
            const std::optional<double> value = words == "on"    ? 1.0
                                                : words == "off" ? 0.0
                                                                 : numberOf(words.toStdString());
            next.start = value.value_or(0);
            if (!value) {
                m_session.say(QString("\"%1\" is no value; type %2.")
                                  .arg(words, signal->kind == Signal::Kind::Digital ? "on or off" : "a number"),
                              true);
                return fill();
            }
        }
        if (next == *signal || m_session.edit("Change " + text(signal->name), [&](const Cell& cell) {
                return changeSignal(cell, next);
            }))
            return;
        fill();
    });
    connect(&session, &Session::cellChanged, this, &SignalsTable::fill, Qt::QueuedConnection);
    for (const auto signal : {&Session::checkedChanged, &Session::runChanged})
        connect(&session, signal, this, &SignalsTable::showValues);
}

void SignalsTable::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    fill();
}

SignalId SignalsTable::signalAt(int row) const
{
    const QTableWidgetItem* item = row >= 0 ? m_table->item(row, NameColumn) : nullptr;
    return item ? SignalId{item->data(Qt::UserRole).toUInt()} : SignalId{};
}

void SignalsTable::add(Signal::Kind kind)
{
    const std::string name = freeNameIn(m_session.cell().signals, "Signal");
    if (!m_session.edit("Add " + text(name), [&](const Cell& cell) { return topikos::addSignal(cell, name, kind); }))
        return;
    fill();
    const int row = m_table->rowCount() - 1;
    m_table->setCurrentCell(row, NameColumn);
    m_table->editItem(m_table->item(row, NameColumn));
}

void SignalsTable::fill()
{
    if (!isVisible()) return;  // made when it is looked at
    m_filling = true;
    const int current = m_table->currentRow();
    const Cell& cell = m_session.cell();
    m_table->setRowCount(int(cell.signals.size()));
    for (int r = 0; r < m_table->rowCount(); ++r) {
        const Signal& signal = cell.signals[size_t(r)];
        QStringList writers, readers;
        for (const SignalUse& use : usesOf(cell, signal.id))
            (use.writes ? writers : readers) << text(use.words);
        const auto put = [&](int column, const QString& words, bool editable) {
            auto* item = new QTableWidgetItem(words);
            item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable
                           | (editable ? Qt::ItemIsEditable : Qt::NoItemFlags));
            item->setToolTip(words);
            m_table->setItem(r, column, item);
            return item;
        };
        put(NameColumn, text(signal.name), true)->setData(Qt::UserRole, signal.id.value);
        put(StartColumn, valueText(signal, signal.start), true);
        put(NowColumn, "", false)->setFont(figureFont(12));
        // What nobody here writes comes from outside, and keeps its start value in a run.
        put(WriterColumn, writers.isEmpty() ? "nobody here: keeps its start value" : writers.join(" · "), false)
            ->setForeground(writers.isEmpty() ? theme().faint : theme().ink);
        put(ReaderColumn, readers.isEmpty() ? "nobody" : readers.join(" · "), false)
            ->setForeground(readers.isEmpty() ? theme().faint : theme().ink);
        auto* kind = new QComboBox(m_table);
        kind->setObjectName(QString("signalKind%1").arg(r));
        kind->setAccessibleName("Kind of the signal");
        kind->addItems(kKinds);
        kind->setCurrentIndex(int(signal.kind));
        kind->setStyleSheet("border: none; padding: 0 4px;");
        connect(kind, &QComboBox::activated, this, [this, id = signal.id](int now) {
            Signal next = *findSignal(m_session.cell(), id);
            next.kind = Signal::Kind(now);
            if (next.kind != Signal::Kind::Analogue)
                next.start = next.kind == Signal::Kind::Digital ? (next.start != 0) : std::round(next.start);
            // The box under which this runs is made anew by the edit.
            QMetaObject::invokeMethod(
                this,
                [this, next] {
                    if (!m_session.edit("Change kind of " + text(next.name),
                                        [&](const Cell& c) { return changeSignal(c, next); }))
                        fill();
                },
                Qt::QueuedConnection);
        });
        m_table->setCellWidget(r, KindColumn, kind);
    }
    m_table->setCurrentCell(std::min(current, m_table->rowCount() - 1), 0);
    m_table->setVisible(m_table->rowCount() > 0);
    m_empty->setVisible(m_table->rowCount() == 0);
    m_filling = false;
    showValues();
}

void SignalsTable::showValues()
{
    if (!isVisible()) return;
    m_filling = true;
    const Trace* trace = m_session.trace();
    for (int r = 0; r < m_table->rowCount(); ++r) {
        const Signal* signal = findSignal(m_session.cell(), signalAt(r));
        if (!signal) continue;
        const bool known = m_session.inRun() && trace && findSignal(*m_session.checked()->cell, signal->id);
        m_table->item(r, NowColumn)
            ->setText(valueText(
                *signal, known ? topikos::signalAt(*m_session.checked()->cell, *trace, signal->id, m_session.time())
                               : signal->start));
    }
    m_filling = false;
}

}  // namespace topikos
