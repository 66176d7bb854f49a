#pragma once
#include "app/session/session.h"

#include <QWidget>

namespace topikos {

/// The run over time: lanes for each arm, its gripper and what it carries, for devices that act, and for signals that
/// change. Press anywhere to scrub; a block of the arm in hand selects its step.
class CycleStrip : public QWidget {
    Q_OBJECT
public:
    CycleStrip(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {600, 112}; }
    /// Pixel of a time [s] on the time axis.
    double xOf(double time) const;
    /// Names of the lanes, from the top.
    QStringList laneNames() const;

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
    };
    void refresh();
    void addArm(const Cell& cell, const Trace& trace, const ArmTrace& arm);
    void addDevices(const Cell& cell, const Trace& trace);
    void addSignals(const Cell& cell, const Trace& trace);
    double timeAt(double x) const;
    double shownDuration() const;
    const Block* blockUnder(QPointF place) const;

    Session& m_session;
    std::vector<Lane> m_lanes;
    int m_lane = 26, m_block = 18;  ///< heights [pixel]
    bool m_scrubbing = false;
};

}  // namespace topikos
