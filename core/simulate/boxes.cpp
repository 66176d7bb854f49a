#include "core/simulate/boxes.h"

#include "core/shape/arm_bodies.h"
#include "core/shape/mesh.h"

namespace topikos {

namespace {

std::optional<Box> around(const Eigen::AlignedBox3d& bounds)
{
    if (bounds.isEmpty()) return std::nullopt;
    return Box{translated(bounds.center()), 0.5 * bounds.sizes()};
}

}  // namespace

std::optional<Box> boxAround(const std::vector<Solid>& solids)
{
    Eigen::AlignedBox3d bounds;
    for (const Solid& s : solids) {
        if (s.kind == Solid::Kind::Box) {
            for (int i = 0; i < 8; ++i)
                bounds.extend(s.pose
                              * Vec3(0.5 * s.size.cwiseProduct(Vec3(i & 1 ? 1 : -1, i & 2 ? 1 : -1, i & 4 ? 1 : -1))));
            continue;
        }
        for (const MeshVertex& v : solidMesh(s, true).vertices)
            bounds.extend(v.position.cast<double>());
    }
    return around(bounds);
}

std::vector<std::optional<Box>> linkBoxes(const Arm& arm)
{
    std::vector<std::optional<Box>> out;
    for (const Mesh& mesh : armBodies(arm)) {
        Eigen::AlignedBox3d bounds;
        for (const MeshVertex& v : mesh.vertices)
            bounds.extend(v.position.cast<double>());
        out.push_back(around(bounds));
    }
    return out;
}

bool overlap(const Pose& worldFromA, const Box& a, const Pose& worldFromB, const Box& b)
{
    const Pose aFromB = inverse(worldFromA * a.pose) * worldFromB * b.pose;
    const Mat3 r = aFromB.matrix();
    const Mat3 size = r.cwiseAbs();
    const Vec3& t = aFromB.translation;
    constexpr double slack = 1e-9;  // for axes that are nearly parallel
    for (int i = 0; i < 3; ++i) {
        if (std::abs(t[i]) > a.half[i] + size.row(i).dot(b.half)) return false;
        if (std::abs(r.col(i).dot(t)) > b.half[i] + size.col(i).dot(a.half)) return false;
    }
    for (int i = 0; i < 3; ++i)
        for (int k = 0; k < 3; ++k) {
            const int i1 = (i + 1) % 3, i2 = (i + 2) % 3, k1 = (k + 1) % 3, k2 = (k + 2) % 3;
            const double distance = std::abs(t[i2] * r(i1, k) - t[i1] * r(i2, k));
            const double reach = a.half[i1] * size(i2, k) + a.half[i2] * size(i1, k) + b.half[k1] * size(i, k2)
                                 + b.half[k2] * size(i, k1);
            if (distance > reach + slack) return false;
        }
    return true;
}

Extent extentAlong(const Pose& worldFromBox, const Box& box, const Vec3& direction)
{
    const Pose centre = worldFromBox * box.pose;
    const double reach = (centre.rotation.conjugate() * direction).cwiseAbs().dot(box.half);
    const double middle = (centre.translation - worldFromBox.translation).dot(direction);
    return {middle - reach, middle + reach};
}

}  // namespace topikos
