#pragma once
#include "app/session/session.h"

#include <QLineEdit>
#include <QTreeWidget>

#include <set>

namespace topikos {

/// The frame tree as nested rows with their offsets inline; arm, tool and parts stand where they are attached.
class LayoutPanel : public QWidget {
    Q_OBJECT
public:
    LayoutPanel(Session& session, QWidget* parent = nullptr);

    /// What can be done with the selected thing, at the pointer.
    void showMenu(const QPoint& globalPosition);

private:
    void fill();
    void filter();
    void showSelection();

    Session& m_session;
    QTreeWidget* m_tree;
    QLineEdit* m_search;
    std::set<std::uint32_t> m_patterns;  ///< that have been shown; new ones begin folded
    bool m_filling = false;
    CellPtr m_filled;     ///< that the rows are of
    QString m_filledFor;  ///< units, arm and look that they are shown for
};

}  // namespace topikos
