#pragma once
#include "app/view/handle.h"
#include "app/view/scene.h"

#include <QLabel>
#include <QOpenGLWidget>
#include <QTimer>

namespace topikos {

class Overlay;
class ReadingStrip;

/// The view of the cell: draws on change only, picks, orbits, drags the TCP, jogs from keys.
class Viewport : public QOpenGLWidget {
    Q_OBJECT
public:
    friend class Overlay;
    enum class Direction { Front, Left, Top, Corner };

    explicit Viewport(Session& session, QWidget* parent = nullptr);
    ~Viewport() override;

    const Camera& camera() const { return m_camera; }
    ReadingStrip& readingStrip() const { return *m_strip; }
    void look(Direction direction);
    void fitAll();
    /// What stands at the foot of the view while there is nothing to say.
    void setHints(const QString& hints);
    /// Whole frames drawn so far.
    int frameCount() const { return m_frames; }

signals:
    void takeRequested();  ///< the key that takes a target was pressed

protected:
    void initializeGL() override;
    void paintGL() override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;

private:
    void changed();
    void paintOverlay(QPainter& painter);
    void placeOverlays();
    void showNote(const QString& text, bool alert);
    bool handleShown() const;
    Pose handlePose() const;
    bool jogByKey(QKeyEvent* event);

    Session& m_session;
    Scene m_scene;
    Camera m_camera;
    Handle m_handle;
    QOpenGLFunctions_3_3_Core* m_gl = nullptr;  ///< belongs to the context
    std::unique_ptr<Renderer> m_renderer;
    Overlay* m_overlay;
    ReadingStrip* m_strip;
    QLabel* m_note;
    QString m_hints;
    QTimer m_stillTimer;  ///< runs out when the picture has stood still: draw it finely
    bool m_fine = false;
    bool m_fitted = false;
    int m_frames = 0;
    int m_hovered = -1;
    std::optional<Handle::Drag> m_drag;
    Pose m_dragTcp;
    enum class Mouse { None, Pressed, Orbit, Pan } m_mouse = Mouse::None;
    QPointF m_pressed, m_last;
};

}  // namespace topikos
