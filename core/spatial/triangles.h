#pragma once
#include "core/spatial/pose.h"

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <unordered_map>
#include <vector>

namespace topikos {

/// A surface as it was read from a file.
struct Triangles {
    std::vector<Eigen::Vector3f> points;               ///< [m]
    std::vector<std::array<std::uint32_t, 3>> faces;   ///< indices into points, counter-clockwise from outside
    std::array<std::uint8_t, 3> color{206, 210, 212};  ///< red, green, blue
    bool operator==(const Triangles&) const = default;
};

/// For each point the number of its place: points at the same place, however often a file repeats them, have the same.
/// Numbers count up from 0.
inline std::vector<std::uint32_t> placeNumbers(const std::vector<Eigen::Vector3f>& points,
                                               std::uint32_t* count = nullptr)
{
    struct Hash {
        std::size_t operator()(const std::array<float, 3>& p) const
        {
            std::size_t h = 0;
            for (const float c : p)
                h = (h ^ std::hash<float>()(c)) * 0x9e3779b97f4a7c15u;
            return h ^ (h >> 29);
        }
    };
    std::unordered_map<std::array<float, 3>, std::uint32_t, Hash> places;
    places.reserve(points.size());
    std::vector<std::uint32_t> out;
    out.reserve(points.size());
    for (const Eigen::Vector3f& p : points)
        out.push_back(places.try_emplace({p[0], p[1], p[2]}, std::uint32_t(places.size())).first->second);
    if (count) *count = std::uint32_t(places.size());
    return out;
}

/// The same surface seen from a frame in which its own frame stands at `aFromB`.
inline Triangles placed(const Pose& aFromB, Triangles triangles)
{
    const Eigen::Matrix3f rotation = aFromB.matrix().cast<float>();
    const Eigen::Vector3f translation = aFromB.translation.cast<float>();
    for (Eigen::Vector3f& p : triangles.points)
        p = (rotation * p + translation).eval();
    return triangles;
}

}  // namespace topikos
