#pragma once
#include "app/session/session.h"

#include <QLabel>
#include <QTreeWidget>

#include <unordered_map>

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

protected:
    bool eventFilter(QObject* object, QEvent* event) override;

private:
    void followSelection();
    void fill();
    /// Shows what changed in rows that stay where they are; false when rows come, go or change places.
    bool refreshRows(const Cell& now);
    void fillRow(QTreeWidgetItem* item, const Target& target) const;
    void showVerdicts();
    /// What the newest check says of a target.
    QString verdictWords(TargetId id) const;
    void showSelection();
    /// How far from the selected target the tool is: what a re-take would change.
    void showAway();

    Session& m_session;
    QTreeWidget* m_tree;
    QLabel *m_empty, *m_away;
    bool m_filling = false;
    /// All that the rows depend on, beside the cell.
    struct FilledFor {
        ArmId arm;
        TargetId home;
        bool dark = false, contrast = false;
        bool operator==(const FilledFor&) const = default;
    };
    CellPtr m_filled;  ///< that the rows are of
    FilledFor m_filledFor;
    std::unordered_map<std::uint32_t, QTreeWidgetItem*> m_items;  ///< by target
    FrameId m_taking, m_reading;                                  ///< as last seen
    QString m_said;                                               ///< name of the frame for taking that was told last
};

}  // namespace topikos
