#include "core/robot/arm.h"

#include "core/robot/forward.h"
#include "core/robot/branches.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

constexpr double kLargestRange = 1000;  // [rad or m]

Status checkJoint(const Joint& joint, size_t index)
{
    const std::string where = fmt::format("joint {} \"{}\"", index + 1, joint.name);
    const auto fail = [&](std::string message, std::string remedy) { return Error{"arm.joint", std::move(message), where, std::move(remedy)}; };
    for (const double number : {joint.lower, joint.upper, joint.speed, joint.acceleration, joint.effort})
        if (!std::isfinite(number)) return fail("a value is not a finite number", "Give every range, speed, acceleration and effort as a plain number.");
    if (!joint.parentFromJoint.translation.allFinite() || !joint.parentFromJoint.rotation.coeffs().allFinite() || !joint.axis.allFinite())
        return fail("its placement is not made of finite numbers", "Correct the origin and axis.");
    if (!(joint.link.mass >= 0 && joint.link.mass < 1e6) || !joint.link.centre.allFinite() || !joint.link.inertia.allFinite())
        return fail("its link's mass, centre of mass or inertia is not a usable number", "Correct the inertial values.");
    if (std::abs(joint.axis.norm() - 1) > 1e-6)
        return fail(fmt::format("its axis direction has length {:.6g} instead of 1", joint.axis.norm()), "Give a unit vector.");
    if (std::abs(joint.lower) > kLargestRange || std::abs(joint.upper) > kLargestRange)
        return fail(fmt::format("its range ({:.3g} to {:.3g}) goes beyond {:.0f}", joint.lower, joint.upper, kLargestRange), "Check the unit: radians or metres.");
    if (joint.lower > joint.upper)
        return fail(fmt::format("its range ends ({:.6g}) below where it begins ({:.6g})", joint.upper, joint.lower), "Swap the two ends.");
    if (joint.speed <= 0) return fail("its largest speed is not above zero", "Give a speed limit.");
    if (joint.acceleration <= 0) return fail("its largest acceleration is not above zero", "Give an acceleration limit.");
    return std::nullopt;
}

}  // namespace

Result<ArmPtr> Arm::make(ArmDescription description)
{
    if (description.joints.empty() || description.joints.size() > size_t(kMaxJoints))
        return Error{"arm.joint-count", fmt::format("an arm of {} joints cannot be used; 1 to {} are possible", description.joints.size(), kMaxJoints),
                     description.name, "Choose another base and tip."};
    for (size_t i = 0; i < description.joints.size(); ++i)
        if (Status bad = checkJoint(description.joints[i], i)) return *bad;

    auto arm = std::make_shared<Arm>();
    Mat3 previousInZ = Mat3::Identity();
    for (Joint& joint : description.joints) {
        joint.axis.normalize();
        const Mat3 linkInZ = Quat::FromTwoVectors(joint.axis, Vec3::UnitZ()).toRotationMatrix();
        arm->m_segments.push_back({previousInZ * joint.parentFromJoint.matrix() * linkInZ.transpose(), previousInZ * joint.parentFromJoint.translation,
                                   joint.kind == JointKind::Prismatic, linkInZ, placed({Vec3::Zero(), Quat(linkInZ)}, joint.link)});
        previousInZ = linkInZ;
    }
    arm->m_flangeRotation = previousInZ * description.lastFromFlange.matrix();
    arm->m_flangeTranslation = previousInZ * description.lastFromFlange.translation;
    arm->m_description = std::move(description);

    double chain = arm->m_flangeTranslation.norm();
    for (const Joint& joint : arm->joints()) chain += joint.parentFromJoint.translation.norm();
    if ((arm->m_spherical = recogniseSphericalWrist(*arm))) {
        arm->m_family = IkFamily::SphericalWrist;
        arm->m_reach = arm->m_spherical->upperLength + arm->m_spherical->foreLength;
    } else if ((arm->m_parallel = recogniseParallelAxes(*arm))) {
        arm->m_family = IkFamily::ParallelAxes;
        arm->m_reach = arm->m_parallel->arm.reach();
    } else if ((arm->m_horizontal = recogniseHorizontalArm(*arm))) {
        arm->m_family = IkFamily::HorizontalArm;
        arm->m_reach = arm->m_horizontal->arm.reach();
    } else if ((arm->m_five = recogniseFiveAxis(*arm))) {
        arm->m_family = IkFamily::FiveAxis;
        arm->m_reach = arm->m_five->arm.reach();
    } else {
        arm->m_reach = chain;
    }
    return ArmPtr(arm);
}

Inertial joined(const Inertial& a, const Inertial& b)
{
    Inertial out;
    out.mass = a.mass + b.mass;
    if (out.mass <= 0) return out;
    out.centre = (a.mass * a.centre + b.mass * b.centre) / out.mass;
    for (const Inertial* part : {&a, &b}) {
        const Vec3 d = part->centre - out.centre;
        out.inertia += part->inertia + part->mass * (d.squaredNorm() * Mat3::Identity() - d * d.transpose());
    }
    return out;
}

Inertial placed(const Pose& aFromB, const Inertial& inB)
{
    const Mat3 r = aFromB.matrix();
    return {inB.mass, aFromB * inB.centre, r * inB.inertia * r.transpose()};
}

const char* familyName(IkFamily family)
{
    switch (family) {
    case IkFamily::SphericalWrist: return "spherical-wrist";
    case IkFamily::ParallelAxes: return "parallel-axes";
    case IkFamily::HorizontalArm: return "horizontal-arm";
    case IkFamily::FiveAxis: return "five-axis";
    case IkFamily::Unsupported: break;
    }
    return "unsupported";
}

bool withinRange(const Arm& arm, const JointVector& posture)
{
    for (int i = 0; i < arm.jointCount(); ++i)
        if (posture[i] < arm.joints()[size_t(i)].lower - kRangeTolerance || posture[i] > arm.joints()[size_t(i)].upper + kRangeTolerance) return false;
    return true;
}

JointVector clampedToRange(const Arm& arm, JointVector posture)
{
    for (int i = 0; i < arm.jointCount(); ++i)
        posture[i] = std::clamp(posture[i], arm.joints()[size_t(i)].lower, arm.joints()[size_t(i)].upper);
    return posture;
}

}  // namespace topikos
