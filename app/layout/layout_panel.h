#pragma once
#include "app/session/session.h"

#include <QTreeWidget>

namespace topikos {

/// The frame tree as nested rows with their offsets inline; arm, tool and parts stand where they are attached.
class LayoutPanel : public QWidget {
    Q_OBJECT
public:
    LayoutPanel(Session& session, QWidget* parent = nullptr);

private:
    void fill();
    void showSelection();

    Session& m_session;
    QTreeWidget* m_tree;
    bool m_filling = false;
};

}  // namespace topikos
