#include "core/robot/singularity.h"

#include <Eigen/Eigenvalues>
#include <Eigen/SVD>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

/// Point whose place the shoulder decides: the wrist centre, or where axes 5 and 6 meet.
Vec3 wristCentreOf(const Arm& arm, const ChainFrames& frames)
{
    const Vec3& inFlange =
        arm.as<SphericalWrist>() ? arm.as<SphericalWrist>()->flangeFromWrist : arm.as<ParallelAxes>()->flangeFromWrist;
    return frames.flange.origin + frames.flange.rotation * inFlange;
}

/// Point that stretches away from the elbow: the wrist centre, or a point of axis 4.
Vec3 elbowPointOf(const Arm& arm, const ChainFrames& frames)
{
    return arm.as<SphericalWrist>() ? wristCentreOf(arm, frames) : frames.joints[3].origin;
}

double elbowSignOf(const Arm& arm)
{
    return arm.as<SphericalWrist>() ? arm.as<SphericalWrist>()->elbowSign : arm.as<ParallelAxes>()->elbowSign;
}

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
    case SingularityKind::Direction: return "direction";
    }
    return "";
}

namespace {

/// A gantry whose wrist alone can line up: the slides come first and keep their directions.
const Gantry* gantryWithWrist(const Arm& arm)
{
    const Gantry* gantry = arm.unlocked() ? nullptr : arm.as<Gantry>();
    if (!gantry || gantry->turns.size() != 3) return nullptr;
    const int lastSlide = *std::max_element(gantry->slides.begin(), gantry->slides.end());
    return lastSlide < gantry->turns.front() ? gantry : nullptr;
}

const HorizontalArm* horizontal(const Arm& arm) { return arm.unlocked() ? nullptr : arm.as<HorizontalArm>(); }

/// Normal of the plane that holds axes 1 and 2 of a horizontal arm.
Vec3 planeOfLinks(const ChainFrames& frames)
{
    return axisOf(frames, 0).cross(frames.joints[1].origin - frames.joints[0].origin).normalized();
}

}  // namespace

bool hasKind(const Arm& arm, SingularityKind kind)
{
    if (arm.hasBranches()) return kind != SingularityKind::Direction;
    if (horizontal(arm)) return kind == SingularityKind::Elbow;
    if (gantryWithWrist(arm)) return kind == SingularityKind::Wrist;
    return kind == SingularityKind::Direction;
}

std::string singularityCause(const Arm& arm, SingularityKind kind)
{
    switch (kind) {
    case SingularityKind::Wrist: {
        const Gantry* gantry = gantryWithWrist(arm);
        const int first = gantry ? gantry->turns.front() : 3, last = gantry ? gantry->turns.back() : 5;
        return "axes " + std::to_string(first + 1) + " and " + std::to_string(last + 1) + " line up";
    }
    case SingularityKind::Elbow: return "the arm is stretched or folded";
    case SingularityKind::Shoulder: return "the wrist passes over axis 1";
    case SingularityKind::Direction: break;
    }
    return "";
}

namespace {

/// Jacobian of a point fixed in the flange, linear rows divided by the reach, columns of free joints only.
Eigen::MatrixXd scaledJacobian(const Arm& arm, const ChainFrames& frames, const Vec3& fromFlange)
{
    const Jacobian whole = jacobian(frames, arm);
    Eigen::MatrixXd j(6, Eigen::Index(arm.freeJoints().size()));
    for (size_t i = 0; i < arm.freeJoints().size(); ++i) {
        j.col(Eigen::Index(i)) = whole.col(arm.freeJoints()[i]);
        const Vec3 angular = j.col(Eigen::Index(i)).tail<3>();
        j.col(Eigen::Index(i)).head<3>() += angular.cross(fromFlange);
    }
    j.topRows<3>() /= arm.reach();
    return j;
}

}  // namespace

double SingularityMargins::distance(SingularityKind kind) const
{
    const double margin = std::abs(of(kind));
    return kind == SingularityKind::Wrist && std::isfinite(margin) ? std::asin(std::min(1.0, margin)) : margin;
}

SingularityMargins singularityMargins(const Arm& arm, const ChainFrames& frames)
{
    if (const HorizontalArm* h = horizontal(arm)) {
        SingularityMargins m;
        const Vec3& tip = frames.joints[size_t(h->turn)].origin;
        m.elbow = planeOfLinks(frames).dot(tip - frames.joints[1].origin);
        return m;
    }
    if (const Gantry* g = gantryWithWrist(arm)) {
        SingularityMargins m;
        const Vec3 across = axisOf(frames, g->turns[0]).cross(axisOf(frames, g->turns[2]));
        m.wrist = std::copysign(across.norm(), across.dot(axisOf(frames, g->turns[1])));
        return m;
    }
    if (!arm.hasBranches()) {
        const Eigen::MatrixXd j = scaledJacobian(arm, frames, Vec3::Zero());
        // The square of the smaller side is symmetric and small; its least eigenvalue is the square of the value
        // wanted.
        const Eigen::MatrixXd square =
            j.cols() < 6 ? Eigen::MatrixXd(j.transpose() * j) : Eigen::MatrixXd(j * j.transpose());
        const double least =
            Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(square, Eigen::EigenvaluesOnly).eigenvalues()[0];
        SingularityMargins m;
        m.direction = std::sqrt(std::max(0.0, least));
        return m;
    }
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

namespace {

/// The twist (linear by the reach, then angular, in base) that a point fixed in the flange can give least, of those
/// that the chain can give at all.
Eigen::Matrix<double, 6, 1> leastTwist(const Arm& arm, const JointVector& posture, const Vec3& inFlange)
{
    const auto decompose = [&](const JointVector& q) {
        ChainFrames frames;
        chainFrames(arm, q, frames);
        return Eigen::JacobiSVD<Eigen::MatrixXd>(scaledJacobian(arm, frames, frames.flange.rotation * inFlange),
                                                 Eigen::ComputeFullU | Eigen::ComputeFullV);
    };
    auto svd = decompose(posture);
    const Eigen::Index last = std::min<Eigen::Index>(6, svd.cols()) - 1;
    if (svd.cols() < 6 && svd.singularValues()[last] < 1e-3) {
        // Right at the singularity nothing tells the lost direction from those never given; a step along the joint
        // motion without effect does.
        JointVector beside = posture;
        for (Eigen::Index i = 0; i < svd.cols(); ++i)
            beside[arm.freeJoints()[size_t(i)]] += 0.02 * svd.matrixV()(i, last);
        svd = decompose(beside);
    }
    return svd.matrixU().col(last);
}

}  // namespace

std::string lostDirectionText(const Arm& arm, const JointVector& posture, const Pose& flangeFromTcp)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    const Mat3 toolFromBase = (frames.flange.rotation * flangeFromTcp.matrix()).transpose();
    Eigen::Matrix<double, 6, 1> lost = leastTwist(arm, posture, flangeFromTcp.translation);
    lost.head<3>() = toolFromBase * lost.head<3>();
    lost.tail<3>() = toolFromBase * lost.tail<3>();
    std::string text;
    static const char* const words[] = {"move along tool X", "move along tool Y", "move along tool Z",
                                        "turn about tool X", "turn about tool Y", "turn about tool Z"};
    std::array<int, 6> order{0, 1, 2, 3, 4, 5};
    std::sort(order.begin(), order.end(), [&](int a, int b) { return std::abs(lost[a]) > std::abs(lost[b]); });
    for (int k = 0; k < 2; ++k)
        if (k == 0 || std::abs(lost[order[1]]) > 0.4) text += (k ? " and " : "") + std::string(words[order[size_t(k)]]);
    return text;
}

std::vector<SingularityKind> singularKinds(const Arm& arm, const JointVector& posture, double bound)
{
    std::vector<SingularityKind> kinds;
    const SingularityMargins m = singularityMargins(arm, posture);
    for (const SingularityKind kind : kSingularityKinds)
        if (hasKind(arm, kind)
            && std::abs(m.of(kind)) < (kind == SingularityKind::Elbow || kind == SingularityKind::Shoulder
                                           ? bound * arm.reach()
                                           : bound))
            kinds.push_back(kind);
    return kinds;
}

SingularityGeometry singularityGeometry(const Arm& arm, const JointVector& posture, SingularityKind kind)
{
    ChainFrames frames;
    chainFrames(arm, posture, frames);
    if (const HorizontalArm* h = horizontal(arm); h && kind == SingularityKind::Elbow)
        return {frames.joints[0].origin, planeOfLinks(frames), frames.joints[size_t(h->turn)].origin};
    if (const Gantry* g = gantryWithWrist(arm); g && kind == SingularityKind::Wrist) {
        const Vec3& middle = frames.joints[size_t(g->turns[1])].origin;
        return {middle, axisOf(frames, g->turns[0]), middle};
    }
    if (kind == SingularityKind::Direction || !arm.hasBranches()) {
        const Eigen::Matrix<double, 6, 1> lost = leastTwist(arm, posture, Vec3::Zero());
        const Vec3 linear = lost.head<3>(), angular = lost.tail<3>();
        return {frames.flange.origin, (linear.norm() > angular.norm() ? linear : angular).normalized(),
                frames.flange.origin};
    }
    const Vec3 centre = wristCentreOf(arm, frames);
    switch (kind) {
    case SingularityKind::Direction: break;
    case SingularityKind::Wrist: return {centre, axisOf(frames, 3), centre};
    case SingularityKind::Elbow: return {frames.joints[1].origin, elbowNormal(arm, frames), elbowPointOf(arm, frames)};
    case SingularityKind::Shoulder: return {frames.joints[0].origin, shoulderNormal(arm, frames), centre};
    }
    return {centre, Vec3::UnitZ(), centre};
}

}  // namespace topikos
