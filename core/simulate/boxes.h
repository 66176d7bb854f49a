#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// A box along the axes of its own frame.
struct Box {
    Pose pose;           ///< of its centre
    Vec3 half{0, 0, 0};  ///< half of its edge lengths; 0 for a plane or a line [m]
};

/// The box around shapes, in the frame they are in; nothing for no shapes.
std::optional<Box> boxAround(const std::vector<Solid>& solids);
/// The boxes around the links of an arm, each in its link's frame (0 the base, i moves with joint i).
std::vector<std::optional<Box>> linkBoxes(const Arm& arm);
/// Whether two boxes share a point. Method: separating axes.
bool overlap(const Pose& worldFromA, const Box& a, const Pose& worldFromB, const Box& b);
/// How far a box reaches along a direction of the world, before and behind its own origin [m].
struct Extent {
    double low = 0, high = 0;
};
Extent extentAlong(const Pose& worldFromBox, const Box& box, const Vec3& direction);

}  // namespace topikos
