#pragma once
#include "core/spatial/pose.h"

#include <array>
#include <cstdint>
#include <memory>
#include <vector>

namespace topikos {

/// A surface as it was read from a file.
struct Triangles {
    std::vector<Eigen::Vector3f> points;                ///< [m]
    std::vector<std::array<std::uint32_t, 3>> faces;    ///< indices into points, counter-clockwise from outside
    std::array<std::uint8_t, 3> color{206, 210, 212};   ///< red, green, blue
};

/// The same surface seen from a frame in which its own frame stands at `aFromB`.
inline Triangles placed(const Pose& aFromB, Triangles triangles)
{
    const Eigen::Matrix3f rotation = aFromB.matrix().cast<float>();
    const Eigen::Vector3f translation = aFromB.translation.cast<float>();
    for (Eigen::Vector3f& p : triangles.points) p = (rotation * p + translation).eval();
    return triangles;
}

}  // namespace topikos
