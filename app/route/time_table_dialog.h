#pragma once
#include "app/session/session.h"
#include "core/files/time_table_csv.h"

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

namespace topikos {

/// What the columns of a text are, before they become a time table: each column with its name, what it is, its unit and
/// its first values, and below what comes of it.
class TimeTableDialog : public QDialog {
    Q_OBJECT
public:
    /// `name` is offered for a new table; empty: rows of one that is there are replaced.
    TimeTableDialog(const Cell& cell, const ArmStation& arm, TableText table, const QString& name, QWidget* parent);

    QString name() const { return m_name->text().trimmed(); }
    /// The rows; there when the dialog was accepted.
    const TimeRows& rows() const { return m_rows; }

private:
    void addColumn(int column);
    void fillUnits(int column);
    void judge();

    const Cell& m_cell;
    const ArmStation& m_arm;
    const TableText m_table;
    std::vector<TableColumn> m_columns;
    TimeRows m_rows;
    QLineEdit* m_name;
    QTableWidget* m_list;
    QLabel* m_verdict;
    QPushButton* m_ok;
};

/// "250 rows, 4.980 s, joints 1, 2 and 3"
QString rowsText(const TimeRows& rows);

/// Lets a text become a time table of the arm in hand. Without a table to replace it is a new one, called `name` or
/// like it, and `then` goes on with the cell that has it, in the same edit. False when nothing was done.
bool bringTimeTable(Session& session, QWidget* parent, const QString& words, const QString& name, TimeTableId replaced,
                    const std::function<Result<Cell>(const Cell&, TimeTableId)>& then = {});
/// The same from a file that is asked for.
bool askForTimeTable(Session& session, QWidget* parent, TimeTableId replaced,
                     const std::function<Result<Cell>(const Cell&, TimeTableId)>& then = {});
/// From a file.
bool openTimeTable(Session& session, QWidget* parent, const QString& path, TimeTableId replaced,
                   const std::function<Result<Cell>(const Cell&, TimeTableId)>& then = {});

}  // namespace topikos
