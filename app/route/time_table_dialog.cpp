#include "app/route/time_table_dialog.h"

#include "app/background/beside.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/edit_support.h"
#include "core/cell/time_tables.h"
#include "core/files/file.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHeaderView>
#include <QSettings>
#include <QVBoxLayout>

namespace topikos {

namespace {

enum { NameColumn, UseColumn, UnitColumn, ValuesColumn };

std::vector<TableUnit> unitsFor(const TableColumn& column, const ArmStation& arm)
{
    if (column.use == TableColumn::Use::None) return {};
    if (column.use == TableColumn::Use::Time) return {TableUnit::Second, TableUnit::Millisecond};
    if (arm.model->joints()[size_t(column.joint)].kind == JointKind::Revolute)
        return {TableUnit::Degree, TableUnit::Radian};
    return {TableUnit::Millimetre, TableUnit::Metre};
}

}  // namespace

QString rowsText(const TimeRows& rows)
{
    QStringList joints;
    for (const int joint : rows.joints)
        joints << QString::number(joint + 1);
    return QString("%1 rows, %2 s, joint%3 %4")
        .arg(rows.size())
        .arg(rows.duration(), 0, 'f', 3)
        .arg(joints.size() == 1 ? "" : "s", joints.join(", "));
}

TimeTableDialog::TimeTableDialog(const Cell& cell, const ArmStation& arm, TableText table, const QString& name,
                                 QWidget* parent) :
    QDialog(parent),
    m_cell(cell), m_arm(arm), m_table(std::move(table)), m_columns(guessColumns(m_table, arm))
{
    setObjectName("timeTableDialog");
    setWindowTitle("Time table for " + text(arm.name));
    auto* column = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    m_name = new QLineEdit(name, this);
    m_name->setObjectName("timeTableName");
    form->addRow("Name", m_name);
    column->addLayout(form);
    if (name.isEmpty()) form->setRowVisible(m_name, false);
    m_list = new QTableWidget(int(m_columns.size()), 4, this);
    m_list->setObjectName("timeTableColumns");
    m_list->setHorizontalHeaderLabels({"Column", "Is", "In", "First values"});
    m_list->verticalHeader()->hide();
    m_list->horizontalHeader()->setStretchLastSection(true);
    m_list->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_list->setSelectionMode(QAbstractItemView::NoSelection);
    m_list->setTabKeyNavigation(false);
    for (int i = 0; i < int(m_columns.size()); ++i)
        addColumn(i);
    m_list->resizeColumnToContents(NameColumn);
    m_list->setColumnWidth(NameColumn, std::clamp(m_list->columnWidth(NameColumn), 90, 180));
    m_list->setColumnWidth(UseColumn, 150);
    m_list->setColumnWidth(UnitColumn, 70);
    column->addWidget(m_list, 1);
    m_verdict = new QLabel(this);
    m_verdict->setObjectName("timeTableVerdict");
    m_verdict->setWordWrap(true);
    column->addWidget(m_verdict);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    m_ok = buttons->button(QDialogButtonBox::Ok);
    m_ok->setObjectName("timeTableOk");
    m_ok->setText(name.isEmpty() ? "Replace rows" : "Bring in");
    for (QAbstractButton* b : buttons->buttons())
        b->setIcon({});
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    connect(m_name, &QLineEdit::textChanged, this, &TimeTableDialog::judge);
    resize(640, 420);
    judge();
}

void TimeTableDialog::addColumn(int column)
{
    const auto cellOf = [](const QString& words) {
        auto* item = new QTableWidgetItem(words);
        item->setToolTip(words);
        return item;
    };
    m_list->setItem(column, NameColumn, cellOf(text(m_table.names[size_t(column)])));
    QStringList first;
    for (size_t i = 0; i < std::min<size_t>(4, m_table.rows.size()); ++i)
        first << text(m_table.rows[i][size_t(column)]).trimmed();
    m_list->setItem(column, ValuesColumn, cellOf(first.join("   ")));
    auto* use = new QComboBox(m_list);
    use->setObjectName(QString("timeTableUse%1").arg(column));
    use->addItems({"not used", "time"});
    for (const Joint& joint : m_arm.model->joints())
        use->addItem(text(joint.name));
    const TableColumn& own = m_columns[size_t(column)];
    use->setCurrentIndex(own.use == TableColumn::Use::None ? 0 : own.use == TableColumn::Use::Time ? 1 : own.joint + 2);
    m_list->setCellWidget(column, UseColumn, use);
    connect(use, &QComboBox::currentIndexChanged, this, [this, column](int index) {
        TableColumn& changed = m_columns[size_t(column)];
        changed = {};
        if (index > 0) changed.use = index == 1 ? TableColumn::Use::Time : TableColumn::Use::Joint;
        changed.joint = index - 2;
        if (const auto units = unitsFor(changed, m_arm); !units.empty()) changed.unit = units.front();
        fillUnits(column);
        judge();
    });
    auto* unit = new QComboBox(m_list);
    unit->setObjectName(QString("timeTableUnit%1").arg(column));
    m_list->setCellWidget(column, UnitColumn, unit);
    connect(unit, &QComboBox::activated, this, [this, column](int index) {
        TableColumn& changed = m_columns[size_t(column)];
        changed.unit = unitsFor(changed, m_arm)[size_t(index)];
        changed.said = true;
        judge();
    });
    fillUnits(column);
}

void TimeTableDialog::fillUnits(int column)
{
    auto* unit = static_cast<QComboBox*>(m_list->cellWidget(column, UnitColumn));
    const TableColumn& own = m_columns[size_t(column)];
    unit->clear();
    const std::vector<TableUnit> units = unitsFor(own, m_arm);
    for (const TableUnit each : units)
        unit->addItem(text(tableUnitName(each)));
    unit->setCurrentIndex(int(std::find(units.begin(), units.end(), own.unit) - units.begin()));
    unit->setEnabled(!units.empty());
}

void TimeTableDialog::judge()
{
    const Result<TimeRows> rows = timeRowsOf(m_table, m_columns, m_arm);
    Status bad;
    if (!rows) bad = rows.error();
    else if (m_name->isVisibleTo(this)) bad = checkNewName(m_cell.timeTables, name().toStdString());
    m_ok->setEnabled(!bad);
    m_verdict->setStyleSheet(QString("color: %1").arg((bad ? theme().blocked : theme().ink).name()));
    if (bad) {
        m_verdict->setText(text(bad->line()));
        return;
    }
    m_rows = *rows;
    const bool guessed = std::any_of(m_columns.begin(), m_columns.end(),
                                     [](const TableColumn& c) { return c.use != TableColumn::Use::None && !c.said; });
    m_verdict->setText(rowsText(m_rows)
                       + (guessed ? ". Some columns do not name their unit: look whether it is right." : ""));
}

bool bringTimeTable(Session& session, QWidget* parent, const QString& words, const QString& name, TimeTableId replaced,
                    const std::function<Result<Cell>(const Cell&, TimeTableId)>& then)
{
    auto table = doBeside(session, parent, "Reading the table …",
                          [own = words.toStdString()](const std::function<bool()>&) { return splitTable(own); });
    if (!table) return false;
    if (!*table) {
        session.say("No time table: " + text(table->error().line()), true);
        return false;
    }
    const Cell& cell = session.cell();
    const TimeTable* former = findTimeTable(cell, replaced);
    const ArmStation arm = former ? *findArm(cell, former->arm) : session.station();
    const QString offered = former ? QString() : text(freeNameIn(cell.timeTables, name.trimmed().toStdString()));
    TimeTableDialog dialog(cell, arm, std::move(*table).value(), offered, parent);
    if (dialog.exec() != QDialog::Accepted) return false;
    if (former)
        return session.edit("Replace the rows of " + text(former->name),
                            [&](const Cell& now) { return setTimeRows(now, replaced, dialog.rows()); });
    return session.edit("Bring in " + dialog.name(), [&](const Cell& now) {
        TimeTableId made;
        Result<Cell> next = addTimeTable(now, arm.id, dialog.name().toStdString(), dialog.rows(), &made);
        return next && then ? then(*next, made) : next;
    });
}

bool openTimeTable(Session& session, QWidget* parent, const QString& path, TimeTableId replaced,
                   const std::function<Result<Cell>(const Cell&, TimeTableId)>& then)
{
    auto words =
        doBeside(session, parent, "Reading " + QFileInfo(path).fileName() + " …",
                 [path](const std::function<bool()>&) { return readFile(path.toStdString(), kMostTableBytes); });
    if (!words) return false;
    if (!*words) {
        session.say(text(words->error().line()), true);
        return false;
    }
    return bringTimeTable(session, parent, text(words->value()), QFileInfo(path).completeBaseName(), replaced, then);
}

bool askForTimeTable(Session& session, QWidget* parent, TimeTableId replaced,
                     const std::function<Result<Cell>(const Cell&, TimeTableId)>& then)
{
    const QString path =
        QFileDialog::getOpenFileName(parent, "Bring in a time table", QSettings().value("files/tables").toString(),
                                     "Tables (*.csv *.tsv *.txt);;All files (*)");
    if (path.isEmpty()) return false;
    QSettings().setValue("files/tables", QFileInfo(path).path());
    return openTimeTable(session, parent, path, replaced, then);
}

}  // namespace topikos
