#include "app/targets/target_table.h"

#include "app/session/text.h"
#include "app/targets/targets_files.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"
#include "core/files/targets_csv.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHeaderView>
#include <QKeyEvent>
#include <QVBoxLayout>

#include <algorithm>
#include <cstdio>

namespace topikos {

namespace {

/// Copies and pastes itself while it has the keys, whatever else these keys do in the window.
class TableView : public QTableView {
public:
    TableView(TargetTable& table) : QTableView(&table), m_table(table) {}

protected:
    bool event(QEvent* event) override
    {
        if (event->type() == QEvent::ShortcutOverride) {
            const auto* key = static_cast<QKeyEvent*>(event);
            if (key->matches(QKeySequence::Copy) || key->matches(QKeySequence::Paste)) {
                event->accept();
                return true;
            }
        }
        return QTableView::event(event);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        if (event->matches(QKeySequence::Copy)) return m_table.copy();
        if (event->matches(QKeySequence::Paste)) return m_table.paste();
        QTableView::keyPressEvent(event);
    }

private:
    TargetTable& m_table;
};

}  // namespace

TargetTable::TargetTable(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 4);
    column->setSpacing(4);
    auto* row = new QHBoxLayout;
    m_filter = new QLineEdit(this);
    m_filter->setObjectName("tableFilter");
    m_filter->setAccessibleName("Show targets with these words only");
    m_filter->setPlaceholderText("Only with …");
    m_filter->setToolTip("Shows the targets whose name, frame, group or note has these words");
    m_filter->setClearButtonEnabled(true);
    m_filter->setMaximumWidth(180);
    row->addWidget(m_filter);
    m_count = new QLabel(this);
    m_count->setObjectName("tableCount");
    m_count->setProperty("class", "faint");
    row->addWidget(m_count);
    row->addStretch();
    const auto button = [&](const char* name, const char* words, const char* tip, auto run) {
        addButton(row, this, name, words, tip, run)->setStyleSheet("padding: 2px 7px;");
    };
    button("tableCopy", "Copy", "The chosen rows, with the names of the columns, for a spreadsheet (Ctrl+C)",
           [this] { copy(); });
    button("tablePaste", "Paste",
           "Rows from a spreadsheet, from the current cell on, or by the names of their columns (Ctrl+V)",
           [this] { paste(); });
    button("tableRead", "Bring in…", "Targets from a CSV file", [this] { bringInTargets(m_session, this); });
    button("tableSave", "Save…", "All targets as a CSV file", [this] { saveTargets(m_session, this); });
    column->addLayout(row);

    m_brokenBar = new QFrame(this);
    m_brokenBar->setObjectName("tableBrokenBar");
    auto* bar = new QHBoxLayout(m_brokenBar);
    bar->setContentsMargins(0, 0, 0, 0);
    m_broken = new QLabel(m_brokenBar);
    m_broken->setObjectName("tableBroken");
    m_broken->setTextFormat(Qt::PlainText);
    m_broken->setWordWrap(true);
    bar->addWidget(m_broken, 1);
    m_rest = addButton(bar, m_brokenBar, "tableRest", "Take the others", "The rows that are right", [this] {
        if (m_read && m_session.history().current() == m_readFor) take(*m_read);
        else m_session.say("The cell has changed since; paste the rows again.", true);
        showBroken({});
    });
    addButton(bar, m_brokenBar, "tableLeave", "Leave it", "Nothing is taken", [this] {
        showBroken({});
        m_session.say("Nothing was taken.");
    });
    column->addWidget(m_brokenBar);

    m_model = new TargetTableModel(session, this);
    m_view = new TableView(*this);
    m_view->setObjectName("targetTable");
    m_view->setAccessibleName("Targets as a table");
    m_view->setModel(m_model);
    m_view->setItemDelegate(new TypedDelegate(this));
    m_view->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_view->setTabKeyNavigation(false);  // Tab goes on from the table; while a cell is typed into, to the next cell
    m_view->setWordWrap(false);
    m_view->setAlternatingRowColors(true);
    m_view->verticalHeader()->setDefaultSectionSize(21);
    m_view->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    m_view->horizontalHeader()->setStretchLastSection(true);
    m_view->horizontalHeader()->setHighlightSections(false);
    constexpr int widths[] = {108, 104, 72, 72, 72, 62, 62, 62, 98, 94, 86, 72, 96, 140};
    for (int i = 0; i < TargetTableModel::kColumns; ++i)
        m_view->setColumnWidth(i, widths[i]);
    column->addWidget(m_view, 1);
    connect(m_filter, &QLineEdit::textChanged, m_model, &TargetTableModel::filter);
    connect(m_view->selectionModel(), &QItemSelectionModel::selectionChanged, this, &TargetTable::selectRows);
    connect(m_view, &QTableView::doubleClicked, this, [this](const QModelIndex& index) {
        if (!(m_model->flags(index) & Qt::ItemIsEditable)) m_session.goToTarget(m_model->targetAt(index.row()));
    });
    connect(&session, &Session::selectionChanged, this, &TargetTable::showSelection);
    connect(m_model, &QAbstractItemModel::modelReset, this, [this] {
        showCount();
        showSelection();
    });
    showBroken({});
    showCount();
    showSelection();
}

TargetTable::~TargetTable() = default;

void TargetTable::showCount()
{
    const int n = m_model->rowCount();
    m_count->setText(n == 1 ? QString("1 target of %1").arg(text(m_session.station().name))
                            : QString("%1 targets of %2").arg(n).arg(text(m_session.station().name)));
}

void TargetTable::showSelection()
{
    if (m_selecting) return;
    const int row = m_model->rowOf(m_session.selected<TargetId>());
    if (row < 0 || m_view->currentIndex().row() == row) return;
    m_selecting = true;
    const QModelIndex at = m_model->index(row, std::max(0, m_view->currentIndex().column()));
    m_view->selectionModel()->setCurrentIndex(at, QItemSelectionModel::ClearAndSelect);
    m_selecting = false;
}

void TargetTable::selectRows()
{
    if (m_selecting || !m_view->hasFocus()) return;
    std::vector<Selection> chosen;
    std::vector<int> rows;
    for (const QModelIndex& index : m_view->selectionModel()->selectedIndexes())
        rows.push_back(index.row());
    std::sort(rows.begin(), rows.end());
    rows.erase(std::unique(rows.begin(), rows.end()), rows.end());
    const int current = m_view->currentIndex().row();
    // The one that was reached last is the one whose properties are shown.
    for (const int row : rows)
        if (row != current) chosen.push_back(m_model->targetAt(row));
    if (std::binary_search(rows.begin(), rows.end(), current)) chosen.push_back(m_model->targetAt(current));
    if (chosen.empty()) return;
    m_selecting = true;
    m_session.selectMany(chosen);
    m_selecting = false;
}

void TargetTable::copy()
{
    std::vector<int> rows;
    for (const QModelIndex& index : m_view->selectionModel()->selectedIndexes())
        rows.push_back(index.row());
    std::sort(rows.begin(), rows.end());
    rows.erase(std::unique(rows.begin(), rows.end()), rows.end());
    if (rows.empty())
        for (int row = 0; row < m_model->rowCount(); ++row)
            rows.push_back(row);
    if (rows.empty()) return m_session.say("There are no targets to copy.", true);
    QGuiApplication::clipboard()->setText(m_model->tableOf(rows));
    m_session.say(QString("Copied %1 %2.").arg(rows.size()).arg(rows.size() == 1 ? "row" : "rows"));
}

void TargetTable::paste()
{
    const QModelIndex at = m_view->currentIndex();
    const Result<TargetTableModel::Pasted> pasted =
        m_model->pasted(QGuiApplication::clipboard()->text(), std::max(0, at.row()), std::max(0, at.column()));
    if (!pasted) return m_session.say(text(pasted.error().line()), true);
    Result<TargetsRead> read = targetsFromCsv(m_session.cell(), pasted->table);
    if (!read) return m_session.say(text(read.error().line()), true);
    if (read->broken.empty()) {
        showBroken({});
        return take(*read);
    }
    QStringList lines;
    for (Error broken : read->broken) {
        // The line of names that was put before it does not count.
        if (size_t line = 0; !pasted->named && std::sscanf(broken.where.c_str(), "line %zu", &line) == 1)
            broken.where = "row " + std::to_string(line - 1);
        lines << text(broken.line());
    }
    m_readFor = m_session.history().current();
    m_read = std::make_unique<TargetsRead>(std::move(*read));
    showBroken(lines);
}

void TargetTable::showBroken(const QStringList& lines)
{
    constexpr qsizetype most = 3;  // that fit
    m_brokenBar->setVisible(!lines.isEmpty());
    if (lines.isEmpty()) {
        m_read.reset();
        return;
    }
    QString words = lines.mid(0, most).join('\n');
    if (lines.size() > most) words += QString("\nand %1 more").arg(lines.size() - most);
    m_broken->setText(words);
    m_broken->setToolTip(lines.mid(0, 40).join('\n'));
    const size_t right = m_read->changed + m_read->added;
    m_rest->setEnabled(right > 0);
    m_rest->setText(right == 1  ? QString("Take the other row")
                    : right > 1 ? QString("Take the other %1 rows").arg(right)
                                : QString("Take the others"));
}

void TargetTable::take(const TargetsRead& read)
{
    if (read.changed + read.added == 0) return m_session.say("The rows say what the targets are already.");
    const Cell next = read.cell;
    const QString words = takenText(read);
    const bool isWarning = !read.unread.empty();
    if (m_session.edit("Paste targets", [&](const Cell&) { return Result<Cell>(next); }))
        m_session.say(words, isWarning);
}

}  // namespace topikos
