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
/// How far two boxes are from touching, or, negative, from parting: neither happens before one of them has moved by
/// that much against the other. Zero or less when they share a point. Method: separating axes; the axis on which the
/// gap is largest counts. [m]
double gap(const Pose& worldFromA, const Box& a, const Pose& worldFromB, const Box& b);
/// The same of a point and a box. [m]
double gap(const Pose& worldFromBox, const Box& box, const Vec3& point);

/// Ways along `direction` (unit) by which box `b` may be shifted so that it shares a point with box `a`; low > high if
/// none. Both placed in the same frame. Without `b`: its origin counts.
struct Interval {
    double low = -INFINITY, high = INFINITY;
};
Interval shiftsThatMeet(const Pose& frameFromA, const Box& a, const Pose& frameFromB, const std::optional<Box>& b,
                        const Vec3& direction);
/// How far a box reaches along a direction of the world, before and behind its own origin [m].
struct Extent {
    double low = 0, high = 0;
};
Extent extentAlong(const Pose& worldFromBox, const Box& box, const Vec3& direction);

}  // namespace topikos
