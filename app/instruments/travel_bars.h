#pragma once
#include "app/session/session.h"

#include <QWidget>

namespace topikos {

/// One bar per joint from range end to range end, with the margin zones, and one per device axis below them; drag the
/// marker to jog. Arrow keys work on the joint in focus.
class TravelBars : public QWidget {
    Q_OBJECT
public:
    TravelBars(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    /// Pixel of the marker of joint `i`, or of device axis `i` less the number of joints, for value `q` (for tests).
    QPointF markerAt(int joint, double q) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    /// A joint of the arm, or a device axis seen as one.
    struct Row {
        Joint joint;
        double value;
        FrameId axis{};  ///< device axes
    };
    Row row(int index) const;
    int rows() const { return m_session.arm().jointCount() + int(m_axes.size()); }
    void refresh();
    void set(int index, double value);
    QRectF bar(int index) const;
    int rowAt(double y) const;
    void dragTo(double x);
    void typeValue(int index);

    Session& m_session;
    std::vector<FrameId> m_axes;
    int m_dragged = -1;
    std::pair<JointVector, AxisValues> m_before;  ///< where the arm stood when the drag began
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
