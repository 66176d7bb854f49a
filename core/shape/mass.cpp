#include "core/shape/mass.h"

#include "core/shape/mesh.h"

#include <numbers>

namespace topikos {

namespace {

/// From volume, first and second moments (integrals of 1, r and r r^T).
Bulk fromMoments(double volume, const Vec3& first, const Mat3& second)
{
    Bulk out;
    out.volume = volume;
    if (std::abs(volume) < 1e-18) return out;
    out.unit.mass = volume;
    out.unit.centre = first / volume;
    const Mat3 central = second - volume * out.unit.centre * out.unit.centre.transpose();
    out.unit.inertia = central.trace() * Mat3::Identity() - central;
    return out;
}

Bulk placed(const Pose& place, const Bulk& bulk) { return {bulk.volume, topikos::placed(place, bulk.unit)}; }

/// A body of round sections about z whose radius goes linearly, or as a sphere's, from bottom to top: three Gauss
/// points are exact for both.
template <class Radius> Bulk turned(double low, double high, Radius squaredRadius)
{
    constexpr double pi = std::numbers::pi;
    const double middle = 0.5 * (low + high), half = 0.5 * (high - low);
    const double nodes[] = {-std::sqrt(0.6), 0, std::sqrt(0.6)}, weights[] = {5.0 / 9, 8.0 / 9, 5.0 / 9};
    double volume = 0, first = 0, along = 0, across = 0;
    for (int i = 0; i < 3; ++i) {
        const double z = middle + half * nodes[i], w = half * weights[i], r2 = squaredRadius(z);
        volume += w * pi * r2;
        first += w * pi * r2 * z;
        along += w * pi * r2 * z * z;
        across += w * pi / 4 * r2 * r2;
    }
    return fromMoments(volume, {0, 0, first}, Vec3(across, across, along).asDiagonal());
}

}  // namespace

Bulk bulkOf(const Triangles& surface)
{
    double volume = 0;
    Vec3 first = Vec3::Zero();
    Mat3 second = Mat3::Zero();
    if (surface.points.empty()) return {};
    const Vec3 origin = surface.points.front().cast<double>();  // near the surface, so that little is lost to rounding
    for (const auto& face : surface.faces) {
        const Vec3 a = surface.points[face[0]].cast<double>() - origin,
                   b = surface.points[face[1]].cast<double>() - origin,
                   c = surface.points[face[2]].cast<double>() - origin;
        const double v = a.dot(b.cross(c)) / 6;
        volume += v;
        first += v / 4 * (a + b + c);
        const Vec3 sum = a + b + c;
        second += v / 20 * (a * a.transpose() + b * b.transpose() + c * c.transpose() + sum * sum.transpose());
    }
    return placed(translated(origin), fromMoments(volume, first, second));
}

Bulk bulkOf(const Solid& solid)
{
    const double h = 0.5 * solid.size[2];
    switch (solid.kind) {
    case Solid::Kind::Box: {
        const double volume = solid.size.prod();
        return placed(solid.pose,
                      fromMoments(volume, Vec3::Zero(), (volume / 12 * solid.size.cwiseAbs2()).asDiagonal()));
    }
    case Solid::Kind::Cylinder:
        return placed(solid.pose, turned(-h, h, [&](double) { return 0.25 * solid.size[0] * solid.size[0]; }));
    case Solid::Kind::Cone:
        return placed(solid.pose, turned(-h, h, [&](double z) {
                          const double r = 0.5 * (solid.size[0] + (solid.size[1] - solid.size[0]) * (z + h) / (2 * h));
                          return r * r;
                      }));
    case Solid::Kind::Sphere: {
        const double r = 0.5 * solid.size[0];
        return placed(solid.pose, turned(-r, r, [&](double z) { return r * r - z * z; }));
    }
    case Solid::Kind::Extrusion:
    case Solid::Kind::Profile: return bulkOf(trianglesOf(solidMesh(solid)));
    case Solid::Kind::Mesh: return placed(solid.pose, bulkOf(*solid.surface.drawn));
    }
    return {};
}

Inertial inertialOf(const std::vector<Solid>& solids, double density)
{
    Inertial all;
    for (const Solid& solid : solids) {
        Inertial one = bulkOf(solid).unit;
        one.mass *= density;
        one.inertia *= density;
        all = joined(all, one);
    }
    return all;
}

}  // namespace topikos
