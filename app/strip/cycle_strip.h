#pragma once
#include "app/session/session.h"

#include <QWidget>

namespace topikos {

/// The run over time: a lane for the arm, the gripper and the carried part. Press anywhere to scrub; a block selects its step.
class CycleStrip : public QWidget {
    Q_OBJECT
public:
    CycleStrip(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {600, 112}; }
    /// Pixel of a time [s] on the time axis.
    double xOf(double time) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    double timeAt(double x) const;
    double shownDuration() const;
    const Trace::Span* spanUnder(QPointF place) const;

    Session& m_session;
    bool m_scrubbing = false;
};

}  // namespace topikos
