#pragma once
#include "core/spatial/pose.h"

#include <QMatrix4x4>
#include <QPointF>
#include <QSizeF>

#include <vector>

namespace topikos {

/// Eye on a sphere around a point. World z is up.
struct Camera {
    Vec3 centre{0.35, 0, 0.7};  ///< [m]
    double yaw = -0.9;          ///< direction of the eye seen from the centre, about z [rad]
    double pitch = 0.42;        ///< above the horizon [rad]
    double distance = 4;        ///< [m]

    static constexpr double kFieldOfView = 32;  ///< vertical [degrees]

    Vec3 eye() const;
    Vec3 forward() const;
    Vec3 right() const;
    Vec3 up() const;
    QMatrix4x4 viewProjection(QSizeF size) const;

    /// Ray through a pixel of a view of the given size.
    struct Ray {
        Vec3 origin, direction;
    };
    Ray ray(QPointF pixel, QSizeF size) const;
    /// Pixel of a point, and its depth (negative behind the eye).
    QPointF pixel(const Vec3& point, QSizeF size, double* depth = nullptr) const;
    /// Metres that one pixel covers at a point.
    double metresPerPixel(const Vec3& point, QSizeF size) const;

    void orbit(double dYaw, double dPitch);
    void pan(QPointF pixels, QSizeF size);
    /// Moves nearer (factor < 1) or away, keeping what is under `pixel` there.
    void zoom(double factor, QPointF pixel, QSizeF size);
    /// Shows all points, from the present direction, with `rim` pixels left free above and below.
    void fit(const std::vector<Vec3>& points, QSizeF size, double rim);
};

}  // namespace topikos
