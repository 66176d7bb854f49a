#pragma once
#include "app/targets/target_table_model.h"

#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>

namespace topikos {

struct TargetsRead;

/// All targets of the arm in hand as a table: to compare, to type into, to copy to a spreadsheet and to paste from it.
class TargetTable : public QWidget {
    Q_OBJECT
public:
    explicit TargetTable(Session& session, QWidget* parent = nullptr);
    ~TargetTable() override;

    void copy();
    void paste();

private:
    void showSelection();
    void selectRows();
    void showCount();
    /// Rows that are wrong, with the choice to take the others.
    void showBroken(const QStringList& lines);
    void take(const TargetsRead& read);

    Session& m_session;
    TargetTableModel* m_model;
    QTableView* m_view;
    QLineEdit* m_filter;
    QLabel *m_count, *m_broken;
    QFrame* m_brokenBar;
    QPushButton* m_rest;
    std::unique_ptr<TargetsRead> m_read;  ///< that is asked about
    CellPtr m_readFor;
    bool m_selecting = false;
};

}  // namespace topikos
