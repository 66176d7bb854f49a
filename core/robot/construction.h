#pragma once
#include "core/robot/forward.h"

#include <optional>

namespace topikos {

/// How the inverse of an arm is built: the triangle of shoulder, elbow and wrist in the plane in which two
/// neighbouring parallel axes, or the elbow of an arm with a spare axis, move the wrist.
struct Construction {
    Vec3 shoulder, elbow, wrist;  ///< in base [m]
    Vec3 otherElbow;              ///< mirrored at the line from shoulder to wrist: the other way to the same wrist
    Vec3 normal;                  ///< of the plane, unit
    double upper, fore, reach;    ///< lengths: shoulder to elbow, elbow to wrist, shoulder to wrist [m]
    double atShoulder, atElbow, atWrist;  ///< angles of the triangle, by the law of cosines [rad, 0 to pi]
    int shoulderJoint, elbowJoint;        ///< whose axes they are on, from 0
};

/// Nothing for arms without such a triangle, as those that slide. Shoulder and elbow are where the plane through the
/// wrist cuts their axes; the wrist is the point that the joints behind the elbow leave where it is: where the last
/// three axes meet, or where the axis behind the elbow is.
std::optional<Construction> constructionAt(const Arm& arm, const JointVector& posture);

}  // namespace topikos
