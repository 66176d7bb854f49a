#pragma once
#include "core/spatial/pose.h"

#include <cstdint>

namespace topikos {

struct Color {
    std::uint8_t red = 200, green = 200, blue = 200;
    bool operator==(const Color&) const = default;
};

/// A simple solid centred on its own origin.
struct Solid {
    enum class Kind { Box, Cylinder };
    Kind kind = Kind::Box;
    Pose pose;                        ///< in the frame, part or tool it belongs to
    Vec3 size = Vec3::Constant(0.1);  ///< Box: edge lengths. Cylinder about z: diameter, diameter, height [m]
    Color color;
};

}  // namespace topikos
