#include "app/view/handle.h"

#include "app/theme/theme.h"

#include <cmath>
#include <numbers>

namespace topikos {

namespace {

constexpr double kArrowPixels = 82;
constexpr double kGrabPixels = 8;

double distanceToSegment(QPointF p, QPointF a, QPointF b)
{
    const QPointF d = b - a;
    const double l2 = QPointF::dotProduct(d, d);
    const double t = l2 > 0 ? std::clamp(QPointF::dotProduct(p - a, d) / l2, 0.0, 1.0) : 0;
    const QPointF r = p - (a + t * d);
    return std::hypot(r.x(), r.y());
}

/// Parameter along the line point + s * direction nearest to a ray; nothing when they are nearly parallel.
std::optional<double> alongLine(const Vec3& point, const Vec3& direction, const Camera::Ray& ray)
{
    const double b = direction.dot(ray.direction);
    const double denominator = 1 - b * b;
    if (denominator < 1e-4) return std::nullopt;
    const Vec3 w = point - ray.origin;
    return (b * ray.direction.dot(w) - direction.dot(w)) / denominator;
}

std::optional<Vec3> onPlane(const Vec3& point, const Vec3& normal, const Camera::Ray& ray)
{
    const double d = normal.dot(ray.direction);
    if (std::abs(d) < 0.02) return std::nullopt;
    const double t = normal.dot(point - ray.origin) / d;
    if (t < 0) return std::nullopt;
    return ray.origin + t * ray.direction;
}

}  // namespace

void Handle::place(const Pose& worldFromHandle, const Camera& camera, QSizeF size)
{
    m_pose = worldFromHandle;
    m_size = kArrowPixels * camera.metresPerPixel(worldFromHandle.translation, size);
}

std::vector<Vec3> Handle::arc(int axis) const
{
    std::vector<Vec3> points;
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    for (int i = 0; i <= 12; ++i) {
        const double a = (0.12 + 0.76 * i / 12.0) * std::numbers::pi / 2;
        Vec3 p = Vec3::Zero();
        p[u] = 0.62 * m_size * std::cos(a);
        p[v] = 0.62 * m_size * std::sin(a);
        points.push_back(m_pose * p);
    }
    return points;
}

void Handle::draw(std::vector<DrawLine>& lines, int hovered) const
{
    const QColor colors[] = {theme().axisX, theme().axisY, theme().axisZ};
    for (int axis = 0; axis < 3; ++axis) {
        const bool hot = hovered == axis;
        const Vec3 tip = m_pose * Vec3(m_size * Vec3::Unit(axis));
        lines.push_back({m_pose.translation, tip, colors[axis], hot ? 4.0 : 2.4});
        // A slim head of two strokes in each of two planes.
        for (int side = 1; side <= 2; ++side)
            for (const double s : {-1.0, 1.0}) {
                Vec3 back = 0.84 * m_size * Vec3::Unit(axis);
                back[(axis + side) % 3] = s * 0.055 * m_size;
                lines.push_back({m_pose * back, tip, colors[axis], hot ? 4.0 : 2.4});
            }
        const std::vector<Vec3> points = arc(axis);
        for (size_t i = 0; i + 1 < points.size(); ++i)
            lines.push_back({points[i], points[i + 1], colors[axis], hovered == axis + 3 ? 4.0 : 2.0});
    }
    const QColor centre = hovered == 6 ? theme().accent : theme().ink;
    for (int i = 0; i < 3; ++i) {
        const Vec3 d = 0.06 * m_size * Vec3::Unit(i);
        lines.push_back({m_pose * Vec3(-d), m_pose * d, centre, hovered == 6 ? 7.0 : 5.0});
    }
}

int Handle::partAt(QPointF pixel, const Camera& camera, QSizeF size) const
{
    const QPointF centre = camera.pixel(m_pose.translation, size);
    if (std::hypot(pixel.x() - centre.x(), pixel.y() - centre.y()) < kGrabPixels) return 6;
    int best = -1;
    double nearest = kGrabPixels;
    for (int axis = 0; axis < 3; ++axis) {
        const QPointF tip = camera.pixel(m_pose * Vec3(1.04 * m_size * Vec3::Unit(axis)), size);
        // An arrow that points at the eye cannot be dragged along.
        if (std::hypot(tip.x() - centre.x(), tip.y() - centre.y()) < 12) continue;
        const double d = distanceToSegment(pixel, centre + 0.2 * (tip - centre), tip);
        if (d < nearest) nearest = d, best = axis;
    }
    for (int axis = 0; axis < 3; ++axis) {
        const std::vector<Vec3> points = arc(axis);
        for (size_t i = 0; i + 1 < points.size(); ++i) {
            const double d = distanceToSegment(pixel, camera.pixel(points[i], size), camera.pixel(points[i + 1], size));
            if (d < nearest) nearest = d, best = axis + 3;
        }
    }
    return best;
}

std::optional<Handle::Drag> Handle::press(QPointF pixel, const Camera& camera, QSizeF size) const
{
    Drag drag;
    drag.part = partAt(pixel, camera, size);
    if (drag.part < 0) return std::nullopt;
    drag.start = m_pose;
    const Camera::Ray ray = camera.ray(pixel, size);
    if (drag.part < 3) {
        const Vec3 axis = m_pose.rotation * Vec3::Unit(drag.part);
        const auto s = alongLine(m_pose.translation, axis, ray);
        if (!s) return std::nullopt;
        drag.grabbed = m_pose.translation + *s * axis;
    } else {
        const Vec3 normal = drag.part == 6 ? camera.forward() : Vec3(m_pose.rotation * Vec3::Unit(drag.part - 3));
        const auto p = onPlane(m_pose.translation, normal, ray);
        if (!p) return std::nullopt;
        drag.grabbed = *p;
    }
    return drag;
}

bool Handle::move(Drag& drag, QPointF pixel, const Camera& camera, QSizeF size)
{
    const Camera::Ray ray = camera.ray(pixel, size);
    const Vec3& origin = drag.start.translation;
    if (drag.part < 3) {
        const Vec3 axis = drag.start.rotation * Vec3::Unit(drag.part);
        const auto s = alongLine(origin, axis, ray);
        if (!s) return false;
        drag.amount = *s - axis.dot(drag.grabbed - origin);
    } else if (drag.part < 6) {
        const Vec3 axis = drag.start.rotation * Vec3::Unit(drag.part - 3);
        const auto p = onPlane(origin, axis, ray);
        if (!p) return false;
        const Vec3 a = drag.grabbed - origin, b = *p - origin;
        drag.amount = std::atan2(axis.dot(a.cross(b)), a.dot(b));
    } else {
        const auto p = onPlane(drag.grabbed, camera.forward(), ray);
        if (!p) return false;
        drag.shift = *p - drag.grabbed;
    }
    return true;
}

Pose Handle::moved(const Drag& drag, const Pose& worldFromTcp)
{
    Pose out = worldFromTcp;
    if (drag.part < 3) out.translation += drag.amount * (drag.start.rotation * Vec3::Unit(drag.part));
    else if (drag.part < 6)
        out.rotation =
            (Quat(Eigen::AngleAxisd(drag.amount, drag.start.rotation * Vec3::Unit(drag.part - 3))) * out.rotation)
                .normalized();
    else out.translation += drag.shift;
    return out;
}

}  // namespace topikos
