#pragma once
#include "app/session/session.h"

#include <QWidget>

namespace topikos {

/// One bar per joint from range end to range end, with the margin zones; drag the marker to jog. Arrow keys work on the joint in focus.
class TravelBars : public QWidget {
    Q_OBJECT
public:
    TravelBars(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    /// Pixel of joint `i`'s marker for value `q` (for tests).
    QPointF markerAt(int joint, double q) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    QRectF bar(int joint) const;
    int rowAt(double y) const;
    void dragTo(double x);
    void typeValue(int joint);

    Session& m_session;
    int m_dragged = -1;
};

/// Distance to each singularity, with the zones of the cell's thresholds.
class SingularityBars : public QWidget {
    Q_OBJECT
public:
    SingularityBars(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override;

protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    Session& m_session;
};

}  // namespace topikos
