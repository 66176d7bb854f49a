#include "app/view/viewport.h"

#include "app/draw/draw_bar.h"
#include "app/draw/ready_surface.h"
#include "app/draw/surface_draw.h"
#include "app/session/held_jog.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/view/reading_strip.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QOpenGLContext>
#include <QOpenGLVersionFunctionsFactory>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>
#include <utility>
#include <numbers>

#include <QSettings>

namespace topikos {

namespace {

constexpr double kSlowFrame = 38, kQuickFrame = 22;  // [ms] what shows them takes a share of the 60 ms, too
constexpr double kLeastScale = 0.5;                  // of the pixels along each side
constexpr int kNoteStays = 12000;                    // [ms]
constexpr int kNoteHolds = 150;                      // [ms] during which what is done still belongs to the message
constexpr int kAlertHolds = 2500;                    // [ms] what went wrong stays at least so long

constexpr double kGripRadius = 6;  // [pixel]

constexpr int kStillAfter = 110;  // [ms]

}  // namespace

/// Labels and call-outs over the picture, drawn without OpenGL.
class Overlay : public QWidget {
public:
    explicit Overlay(Viewport* view) : QWidget(view), m_view(view)
    {
        setAttribute(Qt::WA_TransparentForMouseEvents);
        setFocusPolicy(Qt::NoFocus);
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        m_view->paintOverlay(painter);
    }

private:
    Viewport* m_view;
};

Viewport::Viewport(Session& session, QWidget* parent) : GlCanvas(parent), m_session(session), m_scene(session)
{
    setObjectName("viewport");
    setAccessibleName("View: arrows and Page keys jog the arm, T takes a target");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(320, 240);
    m_overlay = new Overlay(this);
    m_strip = new ReadingStrip(session, this);
    m_held = new HeldJog(session, this);
    m_construction = QSettings().value("view/construction", false).toBool();
    connect(m_held, &HeldJog::changed, this, &Viewport::changed);
    m_draw = new SurfaceDraw(session, this);
    m_drawBar = new DrawBar(*m_draw, this);
    connect(m_draw, &SurfaceDraw::changed, this, [this] {
        setCursor(m_draw->active() ? Qt::CrossCursor : Qt::ArrowCursor);
        if (m_draw->active()) showNote(m_draw->words(), false), m_noteTimer.stop();
        else if (m_note->property("drawn").toBool()) showNote({}, false);
        m_note->setProperty("drawn", m_draw->active());
        placeOverlays();
        changed();
    });
    m_note = new QLabel(this);
    m_note->setObjectName("viewNote");
    m_note->setWordWrap(true);
    m_note->setMargin(7);
    m_note->setTextInteractionFlags(Qt::NoTextInteraction);
    m_stillTimer.setSingleShot(true);
    m_stillTimer.setInterval(kStillAfter);
    connect(&m_stillTimer, &QTimer::timeout, this, [this] {
        m_fine = true;
        redraw();
    });
    for (const auto signal : {&Session::cellChanged, &Session::selectionChanged, &Session::postureChanged,
                              &Session::checkedChanged, &Session::jogChanged, &Session::ghostChanged})
        connect(&session, signal, this, &Viewport::changed);
    connect(&session, &Session::said, this, &Viewport::showNote);
    connect(&session, &Session::opened, this, [this] {
        setMeasuring(false);
        m_moving.reset();
        m_drag.reset();
    });
    // A message leaves with the next thing that is done, or after a while.
    m_noteTimer.setSingleShot(true);
    m_noteTimer.setInterval(kNoteStays);
    connect(&m_noteTimer, &QTimer::timeout, this, [this] { showNote({}, false); });
    for (const auto done : {&Session::postureChanged, &Session::selectionChanged, &Session::cellChanged})
        connect(&session, done, this, [this] {
            const int holds = m_note->property("alert").toBool() ? kAlertHolds : kNoteHolds;
            if (m_noteTimer.isActive() && m_noteAge.elapsed() > holds) showNote({}, false);
        });
    connect(m_strip, &ReadingStrip::resized, this, &Viewport::placeOverlays);
    connect(&session, &Session::previewChanged, this, &Viewport::changed);
    TrailOptions trail;
    trail.colour = TrailOptions::Colour(std::clamp(QSettings().value("view/trail", 0).toInt(), 0, 4));
    trail.last = std::max(0.0, QSettings().value("view/trailLast", 0).toDouble());
    m_scene.setTrail(trail);
    m_gridStep = std::clamp(QSettings().value("view/grid", 0.1).toDouble(), 0.01, 1.0);
    setAcceptDrops(true);
}

void Viewport::setHints(const QString& hints)
{
    m_hints = hints;
    if (!m_noteTimer.isActive()) showNote({}, false);
}

Viewport::~Viewport() { putAway(); }

void Viewport::putAway()
{
    if (!makeCurrent()) return;
    m_scene.releaseGpu();
    m_renderer.reset();
    doneCurrent();
}

void Viewport::changed()
{
    m_fine = false;
    m_stillTimer.start();
    redraw();
    // A layer over the whole view costs time in every frame, so it is there only when it has something to show.
    m_overlay->setVisible(!std::holds_alternative<std::monostate>(m_session.selection()) || m_measuring || m_floorPlan
                          || m_construction || m_held->moving());
    m_overlay->update();
}

bool Viewport::initializeGL()
{
    const bool none = !context() || !context()->isValid();
    m_gl = none ? nullptr : QOpenGLVersionFunctionsFactory::get<QOpenGLFunctions_3_3_Core>(context());
    if (!m_gl || !m_gl->initializeOpenGLFunctions()) {
        m_gl = nullptr;
        const auto version = none ? std::pair(0, 0) : context()->format().version();
        refuse(QString("The view needs OpenGL 3.3; this display offers %1. Install newer Mesa drivers (package "
                       "libgl1-mesa-dri) and start again. All else can be used meanwhile.")
                   .arg(none ? QString("none") : QString("%1.%2").arg(version.first).arg(version.second)));
        return false;
    }
    m_renderer = std::make_unique<Renderer>(*m_gl);
    return true;
}

void Viewport::refuse(const QString& words)
{
    ++m_frames;  // it is all there is to be seen
    m_refusal = new QLabel(words, this);
    m_refusal->setObjectName("viewRefusal");
    m_refusal->setWordWrap(true);
    m_refusal->setAlignment(Qt::AlignCenter);
    m_refusal->setMargin(40);
    m_refusal->setAutoFillBackground(true);
    m_refusal->setGeometry(rect());
    m_refusal->lower();
    m_refusal->show();
}

void Viewport::resizeEvent(QResizeEvent* event)
{
    GlCanvas::resizeEvent(event);
    if (!m_fitted || frameCount() < 2) fitAll();
    placeOverlays();
    changed();
}

void Viewport::placeOverlays()
{
    m_overlay->setGeometry(rect());
    if (m_refusal) m_refusal->setGeometry(rect());
    m_strip->fit(width() - 24);
    const QSize bar = m_drawBar->sizeHint();
    m_drawBar->setGeometry(12, m_strip->isHidden() ? 12 : m_strip->geometry().bottom() + 8,
                           std::min(bar.width(), width() - 24), bar.height());
    // One line where it fits, several where it does not.
    m_note->setWordWrap(false);
    if (m_note->sizeHint().width() > width() - 24) m_note->setWordWrap(true);
    const int wide = std::min(m_note->sizeHint().width(), width() - 24);
    const int high = m_note->wordWrap() ? m_note->heightForWidth(width() - 24) : m_note->sizeHint().height();
    m_note->setGeometry(12, height() - high - 12, m_note->wordWrap() ? width() - 24 : wide, high);
}

void Viewport::showNote(const QString& text, bool alert)
{
    if (text.isEmpty()) m_noteTimer.stop();
    else m_noteTimer.start();
    m_noteAge.start();
    m_note->setText(text.isEmpty() ? m_hints : text.toHtmlEscaped());
    m_note->setProperty("plain", text);
    m_note->setProperty("alert", alert);
    m_note->style()->unpolish(m_note);
    m_note->style()->polish(m_note);
    placeOverlays();
}

bool Viewport::handleShown() const { return !m_session.inRun(); }

Pose Viewport::handlePose() const
{
    if (const auto thing = movable()) return thing->worldFromParent * (m_moving ? m_movedTo : thing->pose);
    Pose pose = m_session.shownTcp();
    if (m_session.jogSpace() == JogSpace::World) pose.rotation.setIdentity();
    if (m_session.jogSpace() == JogSpace::Frame)
        pose.rotation = m_session.shownPlace(m_session.readingFrame()).rotation;
    if (m_session.jogSpace() == JogSpace::Base) pose.rotation = m_session.shownBase().rotation;
    return pose;
}

void Viewport::fitAll()
{
    // The strip and the note cover the upper and lower rim.
    m_camera.fit(m_scene.corners(), size(), std::max(56, m_strip->isHidden() ? 0 : m_strip->height() + 20));
    m_fitted = true;
    changed();
}

bool Viewport::fitSelected()
{
    std::vector<Vec3> corners = m_scene.corners(m_session.selection());
    if (corners.empty()) return false;
    // Something small is shown with some room around it.
    Eigen::AlignedBox3d box;
    for (const Vec3& corner : corners)
        box.extend(corner);
    const Vec3 room = Vec3::Constant(std::max(0.05, 0.25 * box.sizes().maxCoeff()));
    const std::vector<Vec3> shown{box.min() - room, box.max() + room};
    // From the present direction if that shows it; else from the nearest one that does.
    corners.push_back(box.center());
    const Camera now = m_camera;
    int best = -1;
    Camera chosen = now;
    for (int turn = 0; turn < 24; ++turn) {
        Camera camera = now;
        camera.yaw += (turn % 2 ? 1 : -1) * ((turn + 1) / 2) * (std::numbers::pi / 12);
        if (turn > 0) camera.pitch = std::max(camera.pitch, 0.35);
        camera.fit(shown, size(), 56);
        const int seen = m_scene.seen(camera.eye(), corners, m_session.selection());
        if (seen <= best) continue;
        best = seen;
        chosen = camera;
        if (2 * seen > int(corners.size())) break;
    }
    m_camera = chosen;
    changed();
    return true;
}

void Viewport::look(Direction direction)
{
    constexpr double pi = std::numbers::pi;
    switch (direction) {
    case Direction::Front: m_camera.yaw = 0, m_camera.pitch = 0.06; break;
    case Direction::Left: m_camera.yaw = -pi / 2, m_camera.pitch = 0.06; break;
    case Direction::Top: m_camera.yaw = -pi / 2, m_camera.pitch = 1.5533; break;
    case Direction::Corner: m_camera.yaw = Camera().yaw, m_camera.pitch = Camera().pitch; break;
    }
    fitAll();
}

void Viewport::paintGL()
{
    ++m_frames;
    QElapsedTimer clock;
    clock.start();
    DrawList list = m_scene.build(*m_gl, !m_fine);
    list.gridStep = m_gridStep;
    if (m_sectionAxis >= 0) {
        // Cut away is what is nearer to the eye.
        const double side = m_camera.eye()[m_sectionAxis] > m_sectionPlace ? -1 : 1;
        Eigen::Vector4d plane = Eigen::Vector4d::Zero();
        plane[m_sectionAxis] = side;
        plane[3] = -side * m_sectionPlace;
        list.section = plane;
    }
    for (size_t i = 0; i + 1 < m_measured.size(); i += 2)
        list.linesOnTop.push_back({m_measured[i].place, m_measured[i + 1].place, theme().accent, 2.5});
    if (handleShown()) {
        m_handle.place(handlePose(), m_camera, size());
        m_handle.draw(list.linesOnTop, m_drag ? m_drag->part : m_hovered);
    } else {
        addTriad(list.linesOnTop, m_session.shownTcp(), 0.08, 2);
    }
    m_renderer->draw(list, m_camera, pixels(), target(), m_fine, m_scale);
    if (m_fine) return;
    // While something moves, frames are to come in time: where they do not, they are drawn with fewer pixels.
    m_gl->glFinish();
    const double took = double(clock.nsecsElapsed()) * 1e-6;
    if (took > kSlowFrame) m_scale = std::max(kLeastScale, m_scale * std::max(0.7, std::sqrt(kSlowFrame / took)));
    else if (took < kQuickFrame) m_scale = std::min(1.0, m_scale * 1.1);
}

void Viewport::paintOverlay(QPainter& painter)
{
    painter.setRenderHint(QPainter::Antialiasing);
    const auto label = [&](const Vec3& place, const QString& words) { paintTag(painter, place, words); };
    const Cell& cell = m_session.shownCell();
    if (m_floorPlan) paintFloorPlan(painter);
    if (m_measuring) paintMeasure(painter);
    if (m_construction) paintConstruction(painter);
    if (m_held->moving()) paintSpeed(painter);
    for (const PitchGrip& grip : pitchGrips()) {
        painter.setPen(QPen(theme().panel, 1.5));
        painter.setBrush(theme().accent);
        painter.drawEllipse(m_camera.pixel(grip.world.translation, size()), kGripRadius, kGripRadius);
    }
    if (const Pattern* pattern = findPattern(cell, m_session.selected<PatternId>())) {
        const Vec3 at = pattern->layout == Pattern::Layout::Drawn ? pattern->drawing.points.front().at : Vec3::Zero();
        label(m_session.shownPlace(pattern->frame) * pattern->first * at, text(pattern->name));
    }
    if (const Target* t = findTarget(cell, m_session.selected<TargetId>()); t && t->kind == Target::Kind::Pose)
        label((m_session.shownPlace(t->frame) * t->pose).translation, text(t->name));
    if (const Frame* f = findFrame(cell, m_session.selected<FrameId>()))
        label(m_session.shownPlace(f->id).translation, text(f->name));
    if (const Part* p = findPart(cell, m_session.selected<PartId>()))
        for (const PlacedPart& placed : m_session.shownState().parts)
            if (placed.part == p->id) label(placed.worldFromPart.translation, text(p->name));

    if (const auto callout = m_scene.callout()) {
        const QPointF p = m_camera.pixel(callout->place, size());
        const QColor color = callout->severity == Severity::Blocked ? theme().blocked : theme().caution;
        const QString head = text(callout->text.headline), detail = text(callout->text.detail);
        const QFont headFont = textFont(13, QFont::DemiBold), detailFont = textFont(12);
        const double w =
            std::clamp(QFontMetricsF(headFont).horizontalAdvance(head) + 40, 220.0, std::min(460.0, width() - 40.0));
        const auto high = [&](const QFont& font, double wide, const QString& words) {
            return QFontMetricsF(font).boundingRect(QRectF(0, 0, wide, 400), Qt::TextWordWrap, words).height();
        };
        const double headHigh = high(headFont, w - 34, head), detailHigh = high(detailFont, w - 20, detail);
        const QSizeF needs(w, 8 + headHigh + 4 + detailHigh + 8);
        // Beside the place on the side with more room, and clear of it, so that what it is about stays visible.
        constexpr double clear = 56;
        const bool right = p.x() < width() * 0.5, below = p.y() < height() * 0.5;
        QRectF box(QPointF(right ? p.x() + clear : p.x() - clear - w,
                           below ? p.y() + clear / 2 : p.y() - clear / 2 - needs.height()),
                   needs);
        box.moveLeft(std::clamp(box.left(), 12.0, std::max(12.0, width() - w - 12.0)));
        if (box.left() < p.x() + clear && box.right() > p.x() - clear)
            box.moveTop(below ? p.y() + clear : p.y() - clear - needs.height());
        box.moveTop(std::clamp(box.top(), 60.0, std::max(60.0, height() - box.height() - 60.0)));
        painter.setPen(QPen(color, 1.5));
        painter.drawLine(
            p, QPointF(std::clamp(p.x(), box.left(), box.right()), std::clamp(p.y(), box.top(), box.bottom())));
        painter.setBrush(theme().raised);
        painter.drawRoundedRect(box, 6, 6);
        drawSeverity(painter, QRectF(box.left() + 10, box.top() + 11, 11, 11), callout->severity);
        painter.setPen(color);
        painter.setFont(headFont);
        painter.drawText(QRectF(box.left() + 27, box.top() + 8, w - 34, headHigh + 2), Qt::TextWordWrap, head);
        painter.setPen(theme().ink);
        painter.setFont(detailFont);
        painter.drawText(QRectF(box.left() + 10, box.top() + 12 + headHigh, w - 20, detailHigh + 4), Qt::TextWordWrap,
                         detail);
    }
}

void Viewport::mousePressEvent(QMouseEvent* event)
{
    setFocus(Qt::MouseFocusReason);
    m_pressed = m_last = event->position();
    if (event->button() == Qt::LeftButton && !m_measuring)
        for (const PitchGrip& grip : pitchGrips()) {
            if (QLineF(m_camera.pixel(grip.world.translation, size()), event->position()).length() > kGripRadius + 3)
                continue;
            Handle::Drag drag;
            drag.part = grip.axis;
            drag.start = grip.world;
            drag.grabbed = grip.world.translation;
            m_drag = drag;
            m_moving = grip.movable;
            m_movedTo = m_moving->pose;
            return;
        }
    if (event->button() == Qt::LeftButton && !m_measuring && m_draw->active()) {
        m_mouse = Mouse::Pressed;
        return;
    }
    if (event->button() == Qt::LeftButton && !m_measuring && grabPoint(event->position())) return;
    if (event->button() == Qt::LeftButton && handleShown() && !m_measuring) {
        m_handle.place(handlePose(), m_camera, size());
        if (auto drag = m_handle.press(event->position(), m_camera, size())) {
            m_drag = drag;
            m_moving = movable();
            if (m_moving) m_movedTo = m_moving->pose;
            // A group goes along its body as soon as that is ready.
            if (const Pattern* group = drawnGroup(m_session); group && m_moving)
                withSurface(m_session, bodyOf(m_session.cell(), *group), text(group->name), [](const auto&) {});
            m_dragTcp = m_session.shownTcp();
            m_dragFrom = {m_session.shownPosture(), m_session.shownAxes()};
            return;
        }
        if (grabTarget(event->position())) return;
    }
    const bool pan = event->button() == Qt::MiddleButton || (event->modifiers() & Qt::ShiftModifier);
    m_mouse = pan ? Mouse::Pan : event->button() == Qt::RightButton ? Mouse::Orbit : Mouse::Pressed;
}

void Viewport::mouseMoveEvent(QMouseEvent* event)
{
    const QPointF now = event->position(), way = now - m_last;
    if (m_pointDrag) return dragPoint(now);
    if (m_drag) {
        m_last = now;
        if (!Handle::move(*m_drag, now, m_camera, size())) return;
        if (m_moving) return dragMovable(now, event->modifiers() & Qt::ShiftModifier);
        if (m_session.moveTcp(inverse(m_session.shownBase()) * Handle::moved(*m_drag, m_dragTcp))) {
            static const char* names[] = {"X", "Y", "Z"};
            if (m_drag->part < 3)
                showNote(QString("%1 %2").arg(names[m_drag->part], lengthText(m_drag->amount)), false);
            else if (m_drag->part < 6)
                showNote(QString("about %1 %2").arg(names[m_drag->part - 3], degreeText(m_drag->amount)), false);
            else showNote(lengthText(m_drag->shift.norm()), false);
        }
        return;
    }
    if (m_mouse == Mouse::Pressed && (now - m_pressed).manhattanLength() > 4) {
        m_mouse = Mouse::Orbit;
        if (m_draw->active()) {
            // On a body the line is drawn; beside it the view turns.
            const Camera::Ray ray = m_camera.ray(m_pressed, size());
            const Selection hit = m_scene.pick(ray.origin, ray.direction);
            const bool body = std::holds_alternative<FrameId>(hit) || std::holds_alternative<PartId>(hit);
            if (body && m_draw->settings().mode != DrawSettings::Mode::Edge) {
                m_mouse = Mouse::Draw;
                if (m_draw->pointCount() == 0) m_draw->click(hit, ray.origin, ray.direction);
            }
        }
    }
    if (m_mouse == Mouse::Draw) {
        const Camera::Ray ray = m_camera.ray(now, size());
        m_draw->drag(ray.origin, ray.direction);
        m_last = now;
        return;
    }
    if (m_mouse == Mouse::Orbit) {
        m_camera.orbit(-0.008 * way.x(), 0.008 * way.y());
        changed();
    } else if (m_mouse == Mouse::Pan) {
        m_camera.pan(way, size());
        changed();
    } else if (m_mouse == Mouse::None && m_measuring) {
        m_underMouse = m_scene.snapAt(now, m_camera, size(), {});
        m_overlay->update();
    } else if (m_mouse == Mouse::None && handleShown()) {
        const int hovered = m_handle.partAt(now, m_camera, size());
        if (hovered != m_hovered) {
            m_hovered = hovered;
            setCursor(hovered >= 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
            changed();
        }
    }
    if (m_mouse == Mouse::None && m_session.overlay()) pointAtOverlay(now);
    m_last = now;
}

/// The point of the overlay under the pointer, if any is near.
int Viewport::overlayPointAt(const QPointF& pixel) const
{
    constexpr double near = 12;  // [pixels]
    const std::shared_ptr<const SpotOverlay>& overlay = m_session.overlay();
    if (!overlay) return -1;
    const Pose world = m_session.shownPlace(overlay->frame);
    int best = -1;
    double nearest = near;
    for (size_t i = 0; i < overlay->points.size(); ++i) {
        const QPointF away = m_camera.pixel(world * overlay->points[i], size()) - pixel;
        if (const double distance = std::hypot(away.x(), away.y()); distance < nearest) {
            nearest = distance;
            best = int(i);
        }
    }
    return best;
}

/// Keeps what was clicked on, so that the arm can be sent there.
void Viewport::pickPlace(const QPointF& pixel, const Selection& hit)
{
    const auto snap = m_scene.snapAt(pixel, m_camera, size(), {});
    // A part is gone to as a whole.
    if (!snap || !std::holds_alternative<FrameId>(hit)) return m_session.setPicked(std::nullopt);
    PickedPlace place{snap->place, snap->direction, Quat::Identity(), hit, {}};
    place.reference = m_session.shownPlace(std::get<FrameId>(hit)).rotation;
    static const char* const kinds[] = {"face", "edge", "corner", "hole rim", "origin"};
    place.words = QString("%1 of %2").arg(kinds[int(snap->kind)], text(snap->of));
    const bool straight = snap->kind == Scene::Snap::Kind::Face || snap->kind == Scene::Snap::Kind::Circle;
    if (!straight || place.up.norm() < 0.5) place.up = place.reference * Vec3::UnitZ();
    // Out of the body, towards the eye.
    if (place.up.dot(m_camera.ray(pixel, size()).direction) > 0) place.up = -place.up;
    m_session.setPicked(place);
}

void Viewport::pointAtOverlay(const QPointF& pixel)
{
    if (const int point = overlayPointAt(pixel); point != m_overlayPoint) {
        m_overlayPoint = point;
        Q_EMIT m_session.overlayPointed(point);
    }
}

void Viewport::mouseDoubleClickEvent(QMouseEvent* event)
{
    const int point = event->button() == Qt::LeftButton ? overlayPointAt(event->position()) : -1;
    if (point < 0) return GlCanvas::mouseDoubleClickEvent(event);
    Q_EMIT m_session.overlayTaken(point);
}

void Viewport::mouseReleaseEvent(QMouseEvent* event)
{
    if (m_mouse == Mouse::Draw) m_draw->endDrag();
    if (m_pointDrag) return dropPoint();
    if (m_mouse == Mouse::Pressed && event->button() == Qt::LeftButton) {
        if (m_draw->active()) {
            const Camera::Ray ray = m_camera.ray(event->position(), size());
            m_mouse = Mouse::None;
            return m_draw->click(m_scene.pick(ray.origin, ray.direction), ray.origin, ray.direction);
        }
        if (m_measuring) {
            pickMeasure(event->position());
            m_mouse = Mouse::None;
            return;
        }
        const Camera::Ray ray = m_camera.ray(event->position(), size());
        const Selection hit = m_scene.pick(ray.origin, ray.direction);
        if (!(event->modifiers() & Qt::ControlModifier)) {
            m_session.select(hit);
            pickPlace(event->position(), hit);
        } else if (hit != Selection()) m_session.toggle(hit);
    }
    if (event->button() == Qt::RightButton && (event->position() - m_pressed).manhattanLength() <= 4) {
        const Camera::Ray ray = m_camera.ray(event->position(), size());
        // A thing that is selected together with others stays so.
        if (const Selection hit = m_scene.pick(ray.origin, ray.direction);
            hit != Selection() && !m_session.isSelected(hit))
            m_session.select(hit);
        Q_EMIT contextRequested(event->globalPosition().toPoint());
    }
    if (m_moving) dropMovable();
    m_drag.reset();
    m_mouse = Mouse::None;
    changed();
}

void Viewport::wheelEvent(QWheelEvent* event)
{
    if (m_sectionAxis >= 0 && (event->modifiers() & Qt::ControlModifier)) {
        setSection(m_sectionAxis, m_sectionPlace
                                      + (event->angleDelta().y() > 0 ? 1 : -1) * 12
                                            * m_camera.metresPerPixel(m_camera.centre, size()));
        event->accept();
        return;
    }
    m_camera.zoom(std::exp(-0.0012 * event->angleDelta().y()), event->position(), size());
    changed();
    event->accept();
}

void Viewport::leaveEvent(QEvent*)
{
    if (std::exchange(m_overlayPoint, -1) >= 0) Q_EMIT m_session.overlayPointed(-1);
    if (m_hovered >= 0) {
        m_hovered = -1;
        changed();
    }
}

}  // namespace topikos
