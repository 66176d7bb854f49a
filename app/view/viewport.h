#pragma once
#include "app/view/gl_canvas.h"
#include "app/view/handle.h"
#include "app/view/scene.h"

#include <QElapsedTimer>
#include <QLabel>
#include <QTimer>

namespace topikos {

class DrawBar;
class HeldJog;
class Overlay;
class ReadingStrip;
class SurfaceDraw;

/// The view of the cell: draws on change only, picks, orbits, drags the TCP, jogs from keys.
class Viewport : public GlCanvas {
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
    /// Moves near to what is selected; false when it has no body or place.
    bool fitSelected();
    /// What the keys do here, for the list of keys.
    static const std::vector<std::pair<QString, QString>>& keys();
    /// What stands at the foot of the view while there is nothing to say.
    void setHints(const QString& hints);
    /// Measuring: two clicks give the distance; starts or ends it.
    void setMeasuring(bool on);
    bool measuring() const { return m_measuring; }
    /// Drawing process targets on bodies.
    SurfaceDraw& draw() const { return *m_draw; }
    /// Jogging while a key is held.
    HeldJog& held() const { return *m_held; }
    /// The construction of the inverse of what is selected, or of the arm as it stands; remembered.
    void showConstruction(bool on);
    bool constructionShown() const { return m_construction; }
    /// What its sheet says; empty when it is not shown, or there is none.
    QStringList constructionText() const;
    /// Where a point of the selected drawn group stands on screen.
    QPointF pointPixel(size_t point) const;
    /// What the two picks say: distance, its parts along the axes of the reading frame, and the angle between faces,
    /// edges or axes; empty before.
    QString measureText() const;
    /// Cuts bodies open across world x, y or z (0-2) at a place [m]; -1: whole again.
    void setSection(int axis, double at);
    void setSection(int axis);  ///< through the middle of what is seen
    int sectionAxis() const { return m_sectionAxis; }
    double sectionPlace() const { return m_sectionPlace; }
    /// From above, with the distances of every frame on the floor from the world's axes.
    void showFloorPlan(bool on);
    bool floorPlanShown() const { return m_floorPlan; }
    /// What is drawn of the way that the tool has gone in a run; remembered.
    void setTrail(const TrailOptions& options);
    const TrailOptions& trail() const { return m_scene.trailOptions(); }
    /// Distance of the fine grid lines [m].
    void setGridStep(double step);
    /// Where the handle of what can be dragged stands now, on screen.
    QPointF handlePixel() const { return m_camera.pixel(handlePose().translation, size()); }
    /// Whole frames drawn so far.
    int frameCount() const { return m_frames; }

Q_SIGNALS:
    void filesDropped(const QStringList& paths);
    void contextRequested(QPoint globalPosition);

protected:
    bool initializeGL() override;
    void paintGL() override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    void changed();
    /// What is on the graphics side goes, in its context.
    void putAway();
    void paintOverlay(QPainter& painter);
    void placeOverlays();
    void showNote(const QString& text, bool alert);
    bool handleShown() const;
    Pose handlePose() const;
    /// The selected thing as it can be moved by the handle; nothing when that moves the TCP.
    struct Movable {
        QString name;
        Pose worldFromParent;
        Pose pose;  ///< in the parent
        std::function<Result<Cell>(const Cell&, const Pose&)> place;
    };
    std::optional<Movable> movable() const;
    /// The ends of the rows, columns and layers of the selected pattern: dragging one changes the pitch, or the radius
    /// of a ring.
    struct PitchGrip {
        int axis;
        Pose world;  ///< with the axes of the pattern
        Movable movable;
    };
    std::vector<PitchGrip> pitchGrips() const;
    /// Says in place of the picture why there is none.
    void refuse(const QString& words);
    void dragMovable(QPointF pixel, bool freely);
    std::pair<QString, bool> verdictOfPreview() const;
    void dropMovable();
    void pickMeasure(QPointF pixel);
    void paintMeasure(QPainter& painter);
    void paintFloorPlan(QPainter& painter);
    void paintConstruction(QPainter& painter);
    void paintSpeed(QPainter& painter);
    /// Of what is selected: the way that its target is gone to, else as the arm stands. With the place of the base.
    std::optional<std::pair<Pose, JointVector>> constructed() const;
    void paintTag(QPainter& painter, const Vec3& place, const QString& text) const;
    bool jogByKey(QKeyEvent* event);
    int overlayPointAt(const QPointF& pixel) const;
    void pointAtOverlay(const QPointF& pixel);
    void pickPlace(const QPointF& pixel, const Selection& hit);
    /// What can be dragged beside the handle: a point of the selected drawn group over its body, or the selected
    /// target. True when the press took one.
    bool grabPoint(const QPointF& pixel);
    bool grabTarget(const QPointF& pixel);
    void dragPoint(const QPointF& pixel);
    void dropPoint();
    bool drawKey(const QKeyEvent* event);
    QString usesText() const;

    Session& m_session;
    Scene m_scene;
    Camera m_camera;
    Handle m_handle;
    QOpenGLFunctions_3_3_Core* m_gl = nullptr;  ///< belongs to the context
    std::unique_ptr<Renderer> m_renderer;
    Overlay* m_overlay;
    ReadingStrip* m_strip;
    SurfaceDraw* m_draw;
    HeldJog* m_held;
    int m_heldKey = 0;
    bool m_construction = false;
    DrawBar* m_drawBar;
    /// A point of a drawn group that is dragged over its body.
    struct PointDrag;
    std::shared_ptr<PointDrag> m_pointDrag;
    QLabel* m_note;
    QString m_hints;
    QTimer m_stillTimer;  ///< runs out when the picture has stood still: draw it finely
    QTimer m_noteTimer;
    QElapsedTimer m_noteAge;
    bool m_fine = false;
    bool m_fitted = false;
    int m_frames = 0;
    int m_hovered = -1;
    int m_overlayPoint = -1;  ///< pointed at
    QLabel* m_refusal = nullptr;
    double m_scale = 1;  ///< of the pixels that are drawn while something moves
    std::optional<Handle::Drag> m_drag;
    Pose m_dragTcp;
    std::pair<JointVector, AxisValues> m_dragFrom;  ///< where the arm stood when the drag began
    std::optional<Movable> m_moving;
    Pose m_movedTo;  ///< in the parent
    bool m_measuring = false;
    std::vector<Scene::Snap> m_measured;
    std::optional<Scene::Snap> m_underMouse;
    int m_sectionAxis = -1;
    double m_sectionPlace = 0;  ///< [m]
    bool m_floorPlan = false;
    double m_gridStep;  ///< [m]
    enum class Mouse { None, Pressed, Orbit, Pan, Draw } m_mouse = Mouse::None;
    QPointF m_pressed, m_last;
};

}  // namespace topikos
