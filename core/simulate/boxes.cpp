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

namespace {

/// Calls `look(axis, reach)` with every direction on which two boxes can be apart, in the frame of `a`, and the half
/// widths of both along it added up.
template <class Look> void separatingAxes(const Box& a, const Pose& aFromB, const Box& b, Look look)
{
    const Mat3 r = aFromB.matrix();
    const auto reach = [&](const Vec3& axis) {
        return a.half.dot(axis.cwiseAbs()) + b.half.dot((r.transpose() * axis).cwiseAbs());
    };
    for (int i = 0; i < 3; ++i) {
        look(Vec3(Vec3::Unit(i)), reach(Vec3::Unit(i)));
        look(Vec3(r.col(i)), reach(r.col(i)));
    }
    for (int i = 0; i < 3; ++i)
        for (int k = 0; k < 3; ++k) {
            const Vec3 across = Vec3(Vec3::Unit(i)).cross(Vec3(r.col(k)));
            const double size = across.norm();
            // Nearly parallel edges say nothing that the faces do not.
            if (size > 1e-6) look(Vec3(across / size), reach(across / size));
        }
}

}  // namespace

double gap(const Pose& worldFromA, const Box& a, const Pose& worldFromB, const Box& b)
{
    const Pose aFromB = inverse(worldFromA * a.pose) * worldFromB * b.pose;
    double largest = -INFINITY;
    separatingAxes(a, aFromB, b, [&](const Vec3& axis, double reach) {
        largest = std::max(largest, std::abs(axis.dot(aFromB.translation)) - reach);
    });
    return largest;
}

double gap(const Pose& worldFromBox, const Box& box, const Vec3& point)
{
    return ((inverse(worldFromBox * box.pose) * point).cwiseAbs() - box.half).maxCoeff();
}

Interval shiftsThatMeet(const Pose& frameFromA, const Box& a, const Pose& frameFromB, const std::optional<Box>& b,
                        const Vec3& direction)
{
    const Box other = b.value_or(Box{});
    const Pose aFromFrame = inverse(frameFromA * a.pose);
    const Pose aFromB = aFromFrame * frameFromB * other.pose;
    const Vec3 way = aFromFrame.rotation * direction;
    Interval interval;
    separatingAxes(a, aFromB, other, [&](const Vec3& axis, double reach) {
        const double speed = axis.dot(way), start = axis.dot(aFromB.translation);
        if (std::abs(speed) < 1e-12) {
            if (std::abs(start) > reach) interval = {INFINITY, -INFINITY};
            return;
        }
        const double one = (-reach - start) / speed, two = (reach - start) / speed;
        interval.low = std::max(interval.low, std::min(one, two));
        interval.high = std::min(interval.high, std::max(one, two));
    });
    return interval;
}

Extent extentAlong(const Pose& worldFromBox, const Box& box, const Vec3& direction)
{
    const Pose centre = worldFromBox * box.pose;
    const double reach = (centre.rotation.conjugate() * direction).cwiseAbs().dot(box.half);
    const double middle = (centre.translation - worldFromBox.translation).dot(direction);
    return {middle - reach, middle + reach};
}

}  // namespace topikos
