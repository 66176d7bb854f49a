#include "app/view/viewport.h"

#include "app/draw/ready_surface.h"
#include "app/draw/surface_draw.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/view/reading_strip.h"
#include "core/cell/step_tree.h"
#include "core/collide/standing.h"

#include <QDragEnterEvent>
#include <QMetaMethod>
#include <QMimeData>
#include <QPainter>
#include <QSettings>
#include <QUrl>

#include <cmath>

/// What the view can do beside showing and jogging: move things by their handle, measure, cut open, draw the floor
/// plan.
namespace topikos {

namespace {

QString withUnit(double metres) { return placeFigure(metres) + " " + lengthUnit().symbol; }
QString turnWithUnit(double radians) { return turnFigure(radians, 1) + (angleUnit().size == 1 ? " rad" : "°"); }

QString kindText(Scene::Snap::Kind kind)
{
    static const char* words[] = {"face of", "edge of", "corner of", "circle of", "frame"};
    return words[int(kind)];
}

double toStep(double value, double step) { return std::round(value / step) * step; }

}  // namespace

std::optional<Viewport::Movable> Viewport::movable() const
{
    const Cell& cell = m_session.cell();
    if (m_session.inRun()) return std::nullopt;
    if (const Frame* frame = findFrame(cell, m_session.selected<FrameId>())) {
        if (frame->look.locked) return std::nullopt;
        const FrameId id = frame->id;
        // The place of an axis is where it stands; its motion comes on top.
        const Pose motion = frame->axis ? axisMotion(*frame->axis, axisValue(*frame, m_session.shownAxes())) : Pose{};
        return Movable{
            text(frame->name), m_session.shownPlace(frame->parent), placeInForce(cell, *frame) * motion,
            [id, motion](const Cell& c, const Pose& pose) { return setFramePose(c, id, pose * inverse(motion)); }};
    }
    if (const Part* part = findPart(cell, m_session.selected<PartId>())) {
        if (part->look.locked || part->pattern) return std::nullopt;
        const PartId id = part->id;
        return Movable{text(part->name), m_session.shownPlace(part->frame), part->pose,
                       [id](const Cell& c, const Pose& pose) { return setPartPose(c, id, pose); }};
    }
    if (const Pattern* pattern = findPattern(cell, m_session.selected<PatternId>())) {
        const Pattern own = *pattern;
        if (own.follows) return std::nullopt;
        if (own.layout == Pattern::Layout::Drawn) {
            // All points go along the body; the handle stands at the first one.
            const Pose at{own.drawing.points.front().at, Quat::Identity()};
            return Movable{text(own.name), m_session.shownPlace(own.frame) * own.first, at,
                           [own, at](const Cell& c, const Pose& pose) -> Result<Cell> {
                               const std::shared_ptr<const BodySurface> surface = readySurface(bodyOf(c, own));
                               if (!surface) return c;
                               Pattern next = own;
                               next.drawing = shifted(*surface, own.drawing, pose.translation - at.translation);
                               return changePattern(c, next);
                           }};
        }
        return Movable{text(own.name), m_session.shownPlace(own.frame), own.first,
                       [own](const Cell& c, const Pose& pose) {
                           Pattern next = own;
                           next.first = pose;
                           return changePattern(c, next);
                       }};
    }
    return std::nullopt;
}

std::vector<Viewport::PitchGrip> Viewport::pitchGrips() const
{
    std::vector<PitchGrip> out;
    const Pattern* pattern = findPattern(m_session.shownCell(), m_session.selected<PatternId>());
    if (!pattern || pattern->layout == Pattern::Layout::Drawn || pattern->follows || m_session.inRun()) return out;
    const Pattern own = *pattern;
    const Pose first = m_session.shownPlace(own.frame) * own.first;
    const bool ring = own.layout == Pattern::Layout::Ring;
    const std::uint32_t counts[] = {ring ? 2 : own.columns, ring ? 1 : own.rows, own.layers};
    static const char* words[] = {"columns", "rows", "layers"};
    for (int axis = 0; axis < 3; ++axis) {
        if (counts[axis] < 2) continue;
        const double gaps = counts[axis] - 1;
        const Pose end = translated(gaps * own.pitch[axis] * Vec3::Unit(axis));
        out.push_back(
            {axis,
             first * end,
             {text(own.name) + (ring && axis == 0 ? ", radius" : QString(", last of the %1").arg(words[axis])), first,
              end, [id = own.id, axis, gaps](const Cell& c, const Pose& pose) -> Result<Cell> {
                  const Pattern* now = findPattern(c, id);
                  if (!now) return c;
                  Pattern next = *now;
                  next.pitch[axis] = pose.translation[axis] / gaps;
                  return changePattern(c, next);
              }}});
    }
    return out;
}

void Viewport::dragMovable(QPointF pixel, bool freely)
{
    Handle::Drag drag = *m_drag;
    QString words;
    const Pose start = m_moving->worldFromParent * m_moving->pose;
    static const char* names[] = {"X", "Y", "Z"};
    Pose world;
    if (drag.part < 6) {
        const double step = drag.part < 3 ? m_session.jogLength() : m_session.jogAngle();
        if (!freely) drag.amount = toStep(drag.amount, step);
        world = Handle::moved(drag, start);
        words = drag.part < 3 ? QString("%1 %2").arg(names[drag.part], withUnit(drag.amount))
                              : QString("about %1 %2").arg(names[drag.part - 3], turnWithUnit(drag.amount));
        words += freely ? " · free"
                        : QString(" · in steps of %1, Shift moves freely")
                              .arg(drag.part < 3 ? withUnit(step) : turnWithUnit(step));
    } else {
        world = Handle::moved(drag, start);
        m_underMouse = freely ? std::nullopt : m_scene.snapAt(pixel, m_camera, size(), m_session.selection());
        if (m_underMouse) {
            world.translation = m_underMouse->place;
            words =
                QString("at the %1 %2 · Shift moves freely").arg(kindText(m_underMouse->kind), text(m_underMouse->of));
        } else {
            words = QString("%1 from where it was").arg(withUnit((world.translation - start.translation).norm()));
        }
    }
    m_movedTo = inverse(m_moving->worldFromParent) * world;
    m_session.preview([this](const Cell& cell) { return m_moving->place(cell, m_movedTo); });
    const auto [verdict, bad] = verdictOfPreview();
    showNote(m_moving->name + ": " + offsetText(m_movedTo, m_session.cell().angles) + " · " + words
                 + (verdict.isEmpty() ? QString() : " · " + verdict) + usesText(),
             bad);
}

/// The steps that go to the selected target, for what is said while it is moved.
QString Viewport::usesText() const
{
    const TargetId id = m_session.selected<TargetId>();
    if (!id) return {};
    const std::vector<StepUse> uses = stepsThatUse(m_session.cell(), id);
    if (uses.empty()) return " · no step goes there";
    QStringList numbers;
    constexpr size_t most = 5;
    for (size_t i = 0; i < std::min(uses.size(), most); ++i)
        numbers << QString::number(uses[i].number + 1);
    return QString(" · changes %1 %2%3")
        .arg(uses.size() == 1 ? "step" : "steps", numbers.join(", "), uses.size() > most ? " …" : "");
}

struct Viewport::PointDrag {
    PatternId group;
    size_t point = 0;
    DrawnBody body;
    std::optional<SurfaceSpot> to{};  ///< where it was dragged

    Result<Cell> make(const Cell& cell) const
    {
        const Pattern* own = findPattern(cell, group);
        if (!own || !to) return cell;
        Pattern next = *own;
        next.drawing = withPointAt(*body.surface, own->drawing, point, *to);
        return changePattern(cell, next);
    }
};

QPointF Viewport::pointPixel(size_t point) const
{
    const Pattern* group = drawnGroup(m_session);
    if (!group || point >= group->drawing.points.size()) return {-1, -1};
    return m_camera.pixel(m_session.shownPlace(group->frame) * group->first * group->drawing.points[point].at, size());
}

bool Viewport::grabPoint(const QPointF& pixel)
{
    constexpr double near = 9;  // [pixels]
    const Pattern* group = drawnGroup(m_session);
    if (!group || m_session.inRun()) return false;
    size_t best = group->drawing.points.size();
    double nearest = near;
    for (size_t i = 0; i < group->drawing.points.size(); ++i)
        if (const double away = QLineF(pointPixel(i), pixel).length(); away < nearest) best = i, nearest = away;
    if (best == group->drawing.points.size()) return false;
    const Selection on = group->drawing.part ? Selection(group->drawing.part) : Selection(group->frame);
    // A press on a body that is not ready makes it so; the next one takes the point along.
    const auto pressed = std::make_shared<bool>(true);
    const bool there = SurfaceDraw::withBody(m_session, on, [this, pressed, id = group->id, best](DrawnBody body) {
        if (*pressed) m_pointDrag = std::make_shared<PointDrag>(PointDrag{id, best, std::move(body)});
    });
    *pressed = false;
    return there;
}

void Viewport::dragPoint(const QPointF& pixel)
{
    const Camera::Ray ray = m_camera.ray(pixel, size());
    const Pose back = inverse(m_pointDrag->body.world);
    const auto spot = m_pointDrag->body.surface->hit(back * ray.origin, back.rotation * ray.direction);
    if (!spot) return showNote(QString("Beside %1; the point stays on it.").arg(m_pointDrag->body.name), false);
    m_pointDrag->to = *spot;
    m_session.preview([this](const Cell& cell) { return m_pointDrag->make(cell); });
    const auto [verdict, bad] = verdictOfPreview();
    showNote(QString("Point %1 on %2").arg(m_pointDrag->point + 1).arg(m_pointDrag->body.name)
                 + (verdict.isEmpty() ? QString() : " · " + verdict),
             bad);
}

void Viewport::dropPoint()
{
    const std::shared_ptr<PointDrag> drag = std::exchange(m_pointDrag, nullptr);
    m_session.endPreview();
    m_mouse = Mouse::None;
    const Pattern* group = findPattern(m_session.cell(), drag->group);
    if (!group || drag->point >= group->drawing.points.size()) return;
    if (drag->to) {
        m_session.edit(QString("Move point %1 of %2").arg(drag->point + 1).arg(text(group->name)),
                       [&](const Cell& cell) { return drag->make(cell); });
        return showNote({}, false);
    }
    // A click alone selects the target of the point.
    const std::uint32_t number = group->drawing.points[drag->point].number;
    for (const Target& target : m_session.cell().targets)
        if (target.pattern == drag->group && target.place == number) return m_session.select(target.id);
}

bool Viewport::grabTarget(const QPointF& pixel)
{
    constexpr double near = 9;  // [pixels]
    const Target* target = findTarget(m_session.cell(), m_session.selected<TargetId>());
    if (!target || target->kind != Target::Kind::Pose || target->pattern) return false;
    const Pose parent = m_session.shownPlace(target->frame);
    const Pose world = parent * target->pose;
    if (QLineF(m_camera.pixel(world.translation, size()), pixel).length() > near) return false;
    Handle::Drag drag;
    drag.part = 6;  // in the plane of the screen
    drag.start = world;
    drag.grabbed = world.translation;
    m_drag = drag;
    m_moving = Movable{text(target->name), parent, target->pose,
                       [id = target->id](const Cell& c, const Pose& pose) { return setTargetPose(c, id, pose); }};
    m_movedTo = m_moving->pose;
    return true;
}

bool Viewport::drawKey(const QKeyEvent* event)
{
    if (m_pointDrag && event->key() == Qt::Key_Escape) {
        m_pointDrag.reset();
        m_session.endPreview();
        showNote({}, false);
        return true;
    }
    if (!m_draw->active()) return false;
    switch (event->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter: m_draw->finish(); return true;
    case Qt::Key_Backspace: m_draw->takeBack(); return true;
    case Qt::Key_Escape: m_draw->cancel(); return true;
    default: return false;
    }
}

/// What would become of the targets if the drag ended here, the selected one first: asked one by one, without moves;
/// where all can be reached, what the arm would stand in.
std::pair<QString, bool> Viewport::verdictOfPreview() const
{
    constexpr size_t most = 300, mostOfContact = 40;  // more would hold up the drag
    const Cell& cell = m_session.shownCell();
    const CheckedCell* checked = m_session.checked();
    if (!checked || cell.targets.size() > most) return {};
    const auto isBlocked = [](const TargetVerdict& verdict) {
        return std::any_of(verdict.findings.begin(), verdict.findings.end(),
                           [](const Finding& f) { return f.severity == Severity::Blocked; });
    };
    struct Stands {
        const Target* target;
        JointVector posture;
        const AxisValues* axes;
    };
    std::vector<Stands> stand;
    int looked = 0, blocked = 0, before = 0;
    QString first;
    for (const TargetVerdict& known : checked->result.targets) {
        const Target* target = findTarget(cell, known.target);
        if (!target || target->kind != Target::Kind::Pose || !known.used) continue;
        const bool selected = m_session.selection() == Selection(target->id);
        ++looked;
        before += isBlocked(known);
        const TargetVerdict now = checkTarget(cell, *target, known.axes);
        if (isBlocked(now)) {
            ++blocked;
            if (first.isEmpty() || selected) first = text(findingText(cell, now.findings.front()).line());
        } else if (const Solution* way = chosenWay(*armOf(cell, *target).model, *target, now.ways.items)) {
            stand.insert(selected ? stand.begin() : stand.end(), {target, way->joints, &known.axes});
        }
    }
    if (looked == 0) return {};
    if (blocked > 0)
        return {QString("%1 of %2 targets out of reach. %3").arg(blocked).arg(looked).arg(first), blocked > before};
    const QString reached =
        looked == 1 ? QString("its target can be reached") : QString("all %1 targets can be reached").arg(looked);
    stand.resize(std::min(stand.size(), mostOfContact));
    const StandingContacts standing(cell, m_session.touched());
    for (const auto& [target, posture, axes] : stand)
        if (const auto touch = standing.touch(armOf(cell, *target).id, posture, *axes))
            return {QString("%1, but at %2 %3 and %4 would touch")
                        .arg(reached, text(target->name), text(touch->own.name), text(touch->other.name)),
                    true};
    return {reached, false};
}

void Viewport::dropMovable()
{
    const Movable moved = *m_moving;
    m_moving.reset();
    m_underMouse.reset();
    m_session.endPreview();
    if (!(m_movedTo == moved.pose))
        m_session.edit("Move " + moved.name, [&](const Cell& cell) { return moved.place(cell, m_movedTo); });
    showNote({}, false);
}

void Viewport::setMeasuring(bool on)
{
    m_measuring = on;
    m_measured.clear();
    m_underMouse.reset();
    setMouseTracking(true);
    setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
    showNote(on ? "Measure: click two places. Corners, edges, circles and frames catch the pointer; Esc ends."
                : QString(),
             false);
    changed();
}

void Viewport::pickMeasure(QPointF pixel)
{
    const auto snap = m_scene.snapAt(pixel, m_camera, size(), {});
    if (!snap) return showNote("There is nothing to measure from here; click on a body or a frame.", true);
    if (m_measured.size() >= 2) m_measured.clear();
    m_measured.push_back(*snap);
    showNote(m_measured.size() == 2
                 ? measureText()
                 : QString("From the %1 %2; click the second place.").arg(kindText(snap->kind), text(snap->of)),
             false);
    changed();
}

QString Viewport::measureText() const
{
    if (m_measured.size() < 2) return {};
    const Scene::Snap &a = m_measured[0], &b = m_measured[1];
    const Quat axes = m_session.shownPlace(m_session.readingFrame()).rotation;
    const Vec3 way = axes.conjugate() * (b.place - a.place);
    QString words = QString("%1 · along the axes of %2: X %3  Y %4  Z %5")
                        .arg(withUnit(way.norm()), text(frameName(m_session.cell(), m_session.readingFrame())),
                             placeFigure(way[0]), placeFigure(way[1]), withUnit(way[2]));
    if (a.direction.norm() > 0.5 && b.direction.norm() > 0.5) {
        const double c = std::abs(a.direction.normalized().dot(b.direction.normalized()));
        words += QString(" · angle between %1 %2")
                     .arg(a.kind == Scene::Snap::Kind::Face && b.kind == Scene::Snap::Kind::Face ? "the faces"
                                                                                                 : "the directions",
                          turnWithUnit(std::acos(std::min(1.0, c))));
    }
    return words;
}

void Viewport::paintTag(QPainter& painter, const Vec3& place, const QString& words) const
{
    double depth;
    const QPointF p = m_camera.pixel(place, size(), &depth);
    if (depth < 0) return;
    painter.setFont(textFont(12, QFont::DemiBold));
    QRectF box =
        QFontMetricsF(painter.font()).boundingRect(words).adjusted(-6, -3, 6, 3).translated(p + QPointF(14, -12));
    box.moveLeft(std::clamp(box.left(), 4.0, std::max(4.0, width() - box.width() - 4.0)));
    painter.setPen(QPen(theme().line, 1));
    painter.setBrush(theme().raised);
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(theme().ink);
    painter.drawText(box, Qt::AlignCenter, words);
}

void Viewport::paintMeasure(QPainter& painter)
{
    const auto mark = [&](const Scene::Snap& snap) {
        const QPointF p = m_camera.pixel(snap.place, size());
        painter.setPen(QPen(theme().accent, 2));
        painter.setBrush(Qt::NoBrush);
        switch (snap.kind) {
        case Scene::Snap::Kind::Circle: painter.drawEllipse(p, 6, 6); break;
        case Scene::Snap::Kind::Corner: painter.drawRect(QRectF(p - QPointF(5, 5), QSizeF(10, 10))); break;
        default:
            painter.drawLine(p - QPointF(6, 0), p + QPointF(6, 0)),
                painter.drawLine(p - QPointF(0, 6), p + QPointF(0, 6));
        }
    };
    for (const Scene::Snap& snap : m_measured)
        mark(snap);
    if (m_underMouse) mark(*m_underMouse);
    if (m_measured.size() == 2)
        paintTag(painter, 0.5 * (m_measured[0].place + m_measured[1].place),
                 withUnit((m_measured[1].place - m_measured[0].place).norm()));
}

void Viewport::setSection(int axis)
{
    if (axis < 0) return setSection(-1, 0);
    Eigen::AlignedBox3d box;
    for (const Vec3& corner : m_scene.corners())
        box.extend(corner);
    setSection(axis, box.isEmpty() ? 0 : box.center()[axis]);
}

void Viewport::setSection(int axis, double at)
{
    m_sectionAxis = axis;
    m_sectionPlace = at;
    static const char* names[] = {"X", "Y", "Z"};
    showNote(axis < 0 ? QString() : QString("Cut at %1 %2 · Ctrl and the wheel move it").arg(names[axis], withUnit(at)),
             false);
    changed();
}

void Viewport::showFloorPlan(bool on)
{
    m_floorPlan = on;
    if (on) look(Direction::Top);
    changed();
}

void Viewport::paintFloorPlan(QPainter& painter)
{
    const Cell& cell = m_session.shownCell();
    painter.setFont(figureFont(11));
    for (const Frame& frame : cell.frames) {
        if (frame.parent || frame.look.hidden) continue;
        const Vec3 at = m_session.shownPlace(frame.id).translation;
        const Vec3 foot(at[0], at[1], 0);
        for (int axis = 0; axis < 2; ++axis) {
            // A leader from the world's axis to the frame's foot, with the distance at its middle.
            Vec3 from = foot;
            from[axis] = 0;
            const QPointF a = m_camera.pixel(from, size()), b = m_camera.pixel(foot, size());
            if (std::hypot(a.x() - b.x(), a.y() - b.y()) < 24) continue;
            painter.setPen(QPen(theme().ink, 1, Qt::DashLine));
            painter.drawLine(a, b);
            const QString words = placeFigure(foot[axis], 1) + " " + lengthUnit().symbol;
            const QRectF box = QFontMetricsF(painter.font()).boundingRect(words).adjusted(-3, -1, 3, 1);
            const QRectF middle = box.translated((a + b) / 2 - box.center());
            painter.fillRect(middle, theme().raised);
            painter.setPen(theme().ink);
            painter.drawText(middle, Qt::AlignCenter, words);
        }
        paintTag(painter, foot, text(frame.name));
        painter.setFont(figureFont(11));
    }
}

void Viewport::setGridStep(double step)
{
    m_gridStep = step;
    QSettings().setValue("view/grid", step);
    changed();
}

void Viewport::dragEnterEvent(QDragEnterEvent* event)
{
    // Where nobody takes files, none are taken.
    if (event->mimeData()->hasUrls() && isSignalConnected(QMetaMethod::fromSignal(&Viewport::filesDropped)))
        event->acceptProposedAction();
}

void Viewport::dropEvent(QDropEvent* event)
{
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    if (paths.isEmpty()) return;
    event->acceptProposedAction();
    Q_EMIT filesDropped(paths);
}

void Viewport::setTrail(const TrailOptions& options)
{
    m_scene.setTrail(options);
    QSettings().setValue("view/trail", int(options.colour));
    QSettings().setValue("view/trailLast", options.last);
    redraw();
}

}  // namespace topikos
