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

    /// Takes a pose target where the arm stands, in takingFrame().
    void takePose();
    /// The frame of the frame, part or pattern that was selected last, or the one that was chosen for reading after
    /// that.
    FrameId takingFrame() const;
    void takePosture();
    void retakeSelected();
    /// What the right mouse button offers for a target.
    void setMenu(const QList<QAction*>& actions);
    void renameSelected();
    void makeSelectedHome();

Q_SIGNALS:
    void takingFrameChanged();

private:
    void followSelection();
    void fill();
    void showVerdicts();
    void showSelection();
    /// How far from the selected target the tool is: what a re-take would change.
    void showAway();

    Session& m_session;
    QTreeWidget* m_tree;
    QLabel *m_empty, *m_away;
    bool m_filling = false;
    FrameId m_taking, m_reading;  ///< as last seen
    QString m_said;               ///< name of the frame for taking that was told last
};

}  // namespace topikos
