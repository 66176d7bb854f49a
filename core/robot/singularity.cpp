#include "core/robot/singularity.h"

#include <Eigen/SVD>

#include <cmath>

namespace topikos {

namespace {

/// Point whose place the shoulder decides: the wrist centre, or where axes 5 and 6 meet.
Vec3 wristCentreOf(const Arm& arm, const ChainFrames& frames)
{
    const Vec3& inFlange = arm.sphericalWrist() ? arm.sphericalWrist()->flangeFromWrist : arm.parallelAxes()->flangeFromWrist;
    return frames.flange.origin + frames.flange.rotation * inFlange;
}

/// Point that stretches away from the elbow: the wrist centre, or a point of axis 4.
Vec3 elbowPointOf(const Arm& arm, const ChainFrames& frames) { return arm.sphericalWrist() ? wristCentreOf(arm, frames) : frames.joints[3].origin; }

double elbowSignOf(const Arm& arm) { return arm.sphericalWrist() ? arm.sphericalWrist()->elbowSign : arm.parallelAxes()->elbowSign; }

Vec3 axisOf(const ChainFrames& frames, size_t i) { return frames.joints[i].rotation.col(2); }

/// Normal of the plane of axes 2 and 3, on the side that counts as positive: elbow up with the shoulder to the front.
Vec3 elbowNormal(const Arm& arm, const ChainFrames& frames)
{
    const Vec3 h2 = axisOf(frames, 1);
    return elbowSignOf(arm) * h2.cross(frames.joints[2].origin - frames.joints[1].origin).normalized();
}

Vec3 shoulderNormal(const Arm& arm, const ChainFrames& frames)
{
    return elbowSignOf(arm) * axisOf(frames, 1).cross(axisOf(frames, 0)).normalized();
}

}  // namespace

const char* singularityName(SingularityKind kind)
{
    switch (kind) {
    case SingularityKind::Wrist: return "wrist";
    case SingularityKind::Elbow: return "elbow";
    case SingularityKind::Shoulder: return "shoulder";
    }
    return "";
}

double SingularityMargins::distance(SingularityKind kind) const
{
    return kind == SingularityKind::Wrist ? std::asin(std::min(1.0, std::abs(wrist))) : std::abs(of(kind));
}

SingularityMargins singularityMargins(const Arm& arm, const ChainFrames& frames)
{
    if (!arm.hasBranches()) return {};
    const Vec3 centre = wristCentreOf(arm, frames);
    const Vec3 across = axisOf(frames, 3).cross(axisOf(frames, 5));
    SingularityMargins m;
    m.wrist = std::copysign(across.norm(), across.dot(axisOf(frames, 4)));
    m.elbow = elbowNormal(arm, frames).dot(elbowPointOf(arm, frames) - frames.joints[1].origin);
    m.shoulder = shoulderNormal(arm, frames).dot(centre - frames.joints[0].origin);
    return m;
}

SingularityMargins singularityMargins(const Arm& arm, const JointVector& posture)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    return singularityMargins(arm, frames);
}

Eigen::VectorXd singularValues(const Jacobian& jacobian, double lengthScale)
{
    Eigen::MatrixXd j = jacobian;
    if (lengthScale > 0) j.topRows<3>() /= lengthScale;
    return Eigen::JacobiSVD<Eigen::MatrixXd>(j).singularValues();
}

Eigen::Matrix<double, 6, 1> lostDirection(const Jacobian& jacobian)
{
    const Eigen::JacobiSVD<Eigen::MatrixXd> svd(Eigen::MatrixXd(jacobian), Eigen::ComputeFullU);
    return svd.matrixU().col(5);
}

std::vector<SingularityKind> singularKinds(const Arm& arm, const JointVector& posture, double bound)
{
    std::vector<SingularityKind> kinds;
    if (!arm.hasBranches()) return kinds;
    const SingularityMargins m = singularityMargins(arm, posture);
    for (const SingularityKind kind : kSingularityKinds)
        if (std::abs(m.of(kind)) < (kind == SingularityKind::Wrist ? bound : bound * arm.reach())) kinds.push_back(kind);
    return kinds;
}

SingularityGeometry singularityGeometry(const Arm& arm, const JointVector& posture, SingularityKind kind)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    const Vec3 centre = wristCentreOf(arm, frames);
    switch (kind) {
    case SingularityKind::Wrist: return {centre, axisOf(frames, 3), centre};
    case SingularityKind::Elbow: return {frames.joints[1].origin, elbowNormal(arm, frames), elbowPointOf(arm, frames)};
    case SingularityKind::Shoulder: return {frames.joints[0].origin, shoulderNormal(arm, frames), centre};
    }
    return {centre, Vec3::UnitZ(), centre};
}

}  // namespace topikos
