#pragma once
#include "app/session/session.h"

#include <QWidget>

#include <set>

namespace topikos {

/// The run over time: lanes for each arm, its gripper and what it carries, for devices that act, and for signals that
/// change. Press anywhere to scrub; a block of the arm in hand selects its step; a name with a wedge folds the lanes of
/// its group.
class CycleStrip : public QWidget {
    Q_OBJECT
public:
    CycleStrip(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {600, 112}; }
    /// Pixel of a time [s] on the time axis.
    double xOf(double time) const;
    /// Names of the lanes that are seen, from the top.
    QStringList laneNames() const;
    /// Folds the lanes below a head, or shows them again. Heads: the name of an arm, "Devices", "Signals".
    void fold(const QString& group, bool folded);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Block {
        double from, to;  ///< [s]
        QColor color;
        QString words;
        StepId step{};      ///< of the arm in hand
        bool pale = false;  ///< words in ink
        QString tip{};
    };
    struct Lane {
        QString name;
        std::vector<Block> blocks;
        QString group{};    ///< that it is part of
        bool head = false;  ///< of its group; stays when that is folded
    };
    void refresh();
    /// Which lanes are seen, and how high they are.
    void arrange();
    void addLanes(std::vector<Lane> lanes, const QString& group);
    const Lane* laneUnder(double y) const;
    /// Whether it is the head of lanes that can be folded.
    bool foldable(const Lane& lane) const;
    void addArm(const Cell& cell, const Trace& trace, const ArmTrace& arm);
    void addDevices(const Cell& cell, const Trace& trace);
    void addSignals(const Cell& cell, const Trace& trace);
    double timeAt(double x) const;
    double wholeDuration() const;  ///< of the run [s]
    double shownDuration() const;  ///< of what is seen of it [s]
    double shownBegin() const;     ///< [s]
    const Block* blockUnder(QPointF place) const;

    Session& m_session;
    std::vector<Lane> m_lanes;
    std::vector<size_t> m_seen;  ///< places in m_lanes
    std::set<QString> m_folded;
    std::set<RoutineId> m_running;  ///< routines that the arms run
    int m_lane = 26, m_block = 18;  ///< heights [pixel]
    bool m_scrubbing = false;
    mutable double m_begin = 0;  ///< of what is seen of a long run [s]
};

}  // namespace topikos
