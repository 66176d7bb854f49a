#include "core/robot/construction.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kAlong = 1e-6;  // sine of the angle between axes that count as parallel
constexpr double kNear = 1e-6;   // axes nearer than this meet [m]

/// Where two axes meet, or the point of the first one that is nearest to the second.
std::optional<Vec3> meeting(const Vec3& p, const Vec3& u, const Vec3& q, const Vec3& v)
{
    const Vec3 across = u.cross(v);
    if (across.norm() < kAlong) return std::nullopt;
    const double s = (q - p).cross(v).dot(across) / across.squaredNorm();
    const double t = (q - p).cross(u).dot(across) / across.squaredNorm();
    const Vec3 a = p + s * u, b = q + t * v;
    return (a - b).norm() < kNear ? std::optional(a) : std::nullopt;
}

double angleOf(double beside, double other, double opposite)
{
    if (!(beside > 0) || !(other > 0)) return 0;
    const double c = (beside * beside + other * other - opposite * opposite) / (2 * beside * other);
    return std::acos(std::clamp(c, -1.0, 1.0));
}

}  // namespace

std::optional<Construction> constructionAt(const Arm& arm, const JointVector& posture)
{
    const int joints = arm.jointCount();
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    const auto axis = [&](int i) { return Vec3(frames.joints[size_t(i)].rotation.col(2)); };
    const auto origin = [&](int i) { return frames.joints[size_t(i)].origin; };
    const auto turns = [&](int i) { return arm.joints()[size_t(i)].kind == JointKind::Revolute; };
    // Where the last three axes meet.
    const auto centre = [&](int first) -> std::optional<Vec3> {
        if (first < 0 || first + 2 >= joints || !turns(first) || !turns(first + 1) || !turns(first + 2))
            return std::nullopt;
        const auto a = meeting(origin(first), axis(first), origin(first + 1), axis(first + 1));
        const auto b = meeting(origin(first + 1), axis(first + 1), origin(first + 2), axis(first + 2));
        return a && b && (*a - *b).norm() < kNear ? a : std::nullopt;
    };
    Construction out{};
    int elbow = -1;
    for (int i = 0; i + 1 < joints && elbow < 0; ++i)
        if (turns(i) && turns(i + 1) && axis(i).cross(axis(i + 1)).norm() < kAlong) {
            // Two axes that are one give no triangle.
            const Vec3 apart = origin(i + 1) - origin(i);
            if ((apart - apart.dot(axis(i)) * axis(i)).norm() > kNear) elbow = i + 1;
        }
    if (elbow > 0) {
        out.shoulderJoint = elbow - 1;
        out.elbowJoint = elbow;
        out.normal = axis(elbow);
        if (const auto wrist = centre(joints - 3); wrist && joints - 3 > elbow) out.wrist = *wrist;
        else if (elbow + 1 < joints) out.wrist = origin(elbow + 1);
        else out.wrist = frames.flange.origin;
        const auto inPlane = [&](const Vec3& p) { return Vec3(p + (out.wrist - p).dot(out.normal) * out.normal); };
        out.shoulder = inPlane(origin(elbow - 1));
        out.elbow = inPlane(origin(elbow));
    } else if (joints == 7) {
        // Shoulder and wrist are points where three axes meet; the elbow can go round the line between them.
        const auto shoulder = centre(0), wrist = centre(4);
        if (!shoulder || !wrist) return std::nullopt;
        out.shoulderJoint = 1;
        out.elbowJoint = 3;
        out.shoulder = *shoulder;
        out.wrist = *wrist;
        out.normal = axis(3);
        out.elbow = origin(3) + (out.wrist - origin(3)).dot(out.normal) * out.normal;
    } else {
        return std::nullopt;
    }
    out.upper = (out.elbow - out.shoulder).norm();
    out.fore = (out.wrist - out.elbow).norm();
    out.reach = (out.wrist - out.shoulder).norm();
    if (!(out.upper > kNear) || !(out.fore > kNear)) return std::nullopt;
    out.atElbow = angleOf(out.upper, out.fore, out.reach);
    out.atShoulder = angleOf(out.upper, out.reach, out.fore);
    out.atWrist = angleOf(out.fore, out.reach, out.upper);
    if (out.reach > kNear) {
        const Vec3 line = (out.wrist - out.shoulder) / out.reach, to = out.elbow - out.shoulder;
        out.otherElbow = out.shoulder + 2 * to.dot(line) * line - to;
    } else {
        out.otherElbow = out.elbow;
    }
    return out;
}

}  // namespace topikos
