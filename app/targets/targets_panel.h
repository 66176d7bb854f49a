#pragma once
#include "app/session/session.h"

#include <QLabel>
#include <QTreeWidget>

namespace topikos {

/// Targets grouped by the frame they live in, with verdict and configuration.
class TargetsPanel : public QWidget {
    Q_OBJECT
public:
    TargetsPanel(Session& session, QWidget* parent = nullptr);

    void takePose();
    void takePosture();
    void retakeSelected();
    /// What the right mouse button offers for a target.
    void setMenu(const QList<QAction*>& actions);
    void renameSelected();
    void makeSelectedHome();

private:
    void fill();
    void showVerdicts();
    void showSelection();

    Session& m_session;
    QTreeWidget* m_tree;
    QLabel* m_empty;
    bool m_filling = false;
};

}  // namespace topikos
