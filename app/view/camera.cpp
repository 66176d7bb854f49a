#include "app/view/camera.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

namespace {

constexpr double kHalfView = Camera::kFieldOfView / 2 * std::numbers::pi / 180;

}  // namespace

Vec3 Camera::eye() const
{
    return centre + distance * Vec3(std::cos(pitch) * std::cos(yaw), std::cos(pitch) * std::sin(yaw), std::sin(pitch));
}
Vec3 Camera::forward() const { return (centre - eye()).normalized(); }
Vec3 Camera::right() const { return Vec3(-std::sin(yaw), std::cos(yaw), 0); }
Vec3 Camera::up() const { return right().cross(forward()); }

QMatrix4x4 Camera::viewProjection(QSizeF size) const
{
    QMatrix4x4 m;
    m.perspective(float(kFieldOfView), float(size.width() / std::max(1.0, size.height())),
                  float(std::max(0.02, distance / 80)), float(distance * 6 + 20));
    const Vec3 e = eye(), u = up();
    m.lookAt(QVector3D(float(e[0]), float(e[1]), float(e[2])),
             QVector3D(float(centre[0]), float(centre[1]), float(centre[2])),
             QVector3D(float(u[0]), float(u[1]), float(u[2])));
    return m;
}

Camera::Ray Camera::ray(QPointF pixel, QSizeF size) const
{
    const double scale = std::tan(kHalfView) / (size.height() / 2);
    const Vec3 d =
        forward() + scale * (pixel.x() - size.width() / 2) * right() - scale * (pixel.y() - size.height() / 2) * up();
    return {eye(), d.normalized()};
}

QPointF Camera::pixel(const Vec3& point, QSizeF size, double* depth) const
{
    const Vec3 d = point - eye();
    const double z = d.dot(forward());
    if (depth) *depth = z;
    const double scale = size.height() / 2 / std::tan(kHalfView) / (std::abs(z) < 1e-9 ? 1e-9 : z);
    return {size.width() / 2 + scale * d.dot(right()), size.height() / 2 - scale * d.dot(up())};
}

double Camera::metresPerPixel(const Vec3& point, QSizeF size) const
{
    return std::max(1e-6, (point - eye()).dot(forward())) * std::tan(kHalfView) / (size.height() / 2);
}

void Camera::orbit(double dYaw, double dPitch)
{
    yaw = std::remainder(yaw + dYaw, 2 * std::numbers::pi);
    pitch = std::clamp(pitch + dPitch, -0.2, 1.5533);
}

void Camera::pan(QPointF pixels, QSizeF size)
{
    const double m = metresPerPixel(centre, size);
    centre += m * (-pixels.x() * right() + pixels.y() * up());
}

void Camera::zoom(double factor, QPointF pixel, QSizeF size)
{
    factor = std::clamp(distance * factor, 0.15, 40.0) / distance;
    const Ray r = ray(pixel, size);
    // The point under the pixel in the plane through the centre stays where it is.
    const double t = (centre - r.origin).dot(forward()) / r.direction.dot(forward());
    const Vec3 held = r.origin + t * r.direction;
    centre = held + factor * (centre - held);
    distance *= factor;
}

void Camera::fit(const std::vector<Vec3>& points, QSizeF size, double rim)
{
    if (points.empty()) return;
    centre.setZero();
    for (const Vec3& p : points)
        centre += p / double(points.size());
    distance = 6;
    const double usable = std::max(50.0, size.height() - 2 * rim), wide = std::max(50.0, size.width() - 40);
    // Perspective moves the rim when the eye moves, so centre and distance are improved together a few times.
    for (int round = 0; round < 12; ++round) {
        double left = INFINITY, right = -INFINITY, top = INFINITY, bottom = -INFINITY;
        for (const Vec3& p : points) {
            double depth;
            const QPointF q = pixel(p, size, &depth);
            if (depth <= 0.05) {
                distance *= 1.5;
                continue;
            }
            left = std::min(left, q.x()), right = std::max(right, q.x());
            top = std::min(top, q.y()), bottom = std::max(bottom, q.y());
        }
        pan(QPointF(size.width() / 2 - (left + right) / 2, size.height() / 2 - (top + bottom) / 2), size);
        distance = std::clamp(distance * std::max((bottom - top) / usable, (right - left) / wide), 0.15, 40.0);
    }
}

}  // namespace topikos
