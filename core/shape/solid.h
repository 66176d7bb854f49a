#pragma once
#include "core/spatial/pose.h"
#include "core/spatial/result.h"
#include "core/spatial/triangles.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace topikos {

struct Color {
    std::uint8_t red = 200, green = 200, blue = 200;
    bool operator==(const Color&) const = default;
};

/// A surface from a file, with a lighter copy that stands for it in contact checks and while the view moves.
struct Surface {
    std::shared_ptr<const Triangles> drawn, light;  ///< both there, possibly the same
    bool operator==(const Surface& other) const
    {
        const auto same = [](const auto& a, const auto& b) { return a == b || (a && b && *a == *b); };
        return same(drawn, other.drawn) && same(light, other.light);
    }
};

/// A solid centred on its own origin; surfaces from files keep theirs.
struct Solid {
    enum class Kind { Box, Cylinder, Cone, Sphere, Extrusion, Profile, Mesh };
    Kind kind = Kind::Box;
    Pose pose;  ///< in the frame, part or tool it belongs to
    /// [m] Box: edge lengths. Cylinder about z: diameter, diameter, height. Cone about z: diameter below, diameter
    /// above (may be 0), height. Sphere: diameter in each. Extrusion: ignored, ignored, height. Profile along z: width,
    /// width, length. Mesh: ignored.
    Vec3 size = Vec3::Constant(0.1);
    Color color;
    std::vector<Eigen::Vector2d>
        outline{};      ///< Extrusion: corners in the xy plane, counter-clockwise or not, free of crossings [m]
    Surface surface{};  ///< Mesh
    bool operator==(const Solid&) const = default;
};

/// What is wrong with a solid's values, or nothing: sizes above 0 and up to 100 m, outlines of 3 to 500 corners that do
/// not cross themselves.
Status checkSolid(const Solid& solid);

}  // namespace topikos
