#include "core/robot/arm.h"

#include "core/robot/branches.h"
#include "core/robot/data_sheet.h"
#include "core/robot/forward.h"
#include "core/robot/six_general.h"
#include "core/spatial/limits.h"
#include "core/spatial/rotation.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

Status checkJoint(const Joint& joint, size_t index)
{
    const std::string where = fmt::format("joint {} \"{}\"", index + 1, joint.name);
    const auto fail = [&](std::string message, std::string remedy) {
        return Error{"arm.joint", std::move(message), where, std::move(remedy)};
    };
    for (const double number : {joint.lower, joint.upper, joint.speed, joint.acceleration, joint.jerk, joint.effort})
        if (!std::isfinite(number))
            return fail("a value is not a finite number",
                        "Give every range, speed, acceleration, jerk and effort as a plain number.");
    if (!joint.parentFromJoint.translation.allFinite() || !joint.parentFromJoint.rotation.coeffs().allFinite()
        || !joint.axis.allFinite())
        return fail("its placement is not made of finite numbers", "Correct the origin and axis.");
    if (!limits::kChainOffset.holds(joint.parentFromJoint.translation.cwiseAbs().maxCoeff()))
        return fail(fmt::format("it stands {:.6g} m from the joint before; {:.0f} m is the limit",
                                joint.parentFromJoint.translation.norm(), limits::kChainOffset.most),
                    "Check the unit: URDF files are in metres.");
    if (!limits::kMass.holds(joint.link.mass) || !joint.link.centre.allFinite() || !joint.link.inertia.allFinite()
        || !(joint.link.centre.cwiseAbs().maxCoeff() <= limits::kChainOffset.most)
        || !(joint.link.inertia.cwiseAbs().maxCoeff() <= limits::kInertia.most))
        return fail(fmt::format("its link's mass, centre of mass or inertia is not possible; up to {:.0f} kg, {:.0f} m "
                                "and {:.0f} kg m² are",
                                limits::kMass.most, limits::kChainOffset.most, limits::kInertia.most),
                    "Correct the inertial values.");
    if (std::abs(joint.axis.norm() - 1) > 1e-6)
        return fail(fmt::format("its axis direction has length {:.6g} instead of 1", joint.axis.norm()),
                    "Give a unit vector.");
    if (!limits::kJointTravel.holds(joint.lower) || !limits::kJointTravel.holds(joint.upper))
        return fail(fmt::format("its range ({:.3g} to {:.3g}) goes beyond {:.0f}", joint.lower, joint.upper,
                                limits::kJointTravel.most),
                    "Check the unit: radians or metres.");
    if (joint.lower > joint.upper)
        return fail(fmt::format("its range ends ({:.6g}) below where it begins ({:.6g})", joint.upper, joint.lower),
                    "Swap the two ends.");
    if (joint.locked && !(*joint.locked >= joint.lower - 1e-9 && *joint.locked <= joint.upper + 1e-9))
        return fail(fmt::format("it is locked at {:.6g}, outside its range of {:.6g} to {:.6g}", *joint.locked,
                                joint.lower, joint.upper),
                    "Lock it inside its range.");
    if (joint.speed <= 0) return fail("its largest speed is not above zero", "Give a speed limit.");
    if (joint.acceleration <= 0)
        return fail("its largest acceleration is not above zero", "Give an acceleration limit.");
    for (const auto& [limit, value] :
         {std::pair(&limits::kJointSpeed, joint.speed), std::pair(&limits::kJointAcceleration, joint.acceleration),
          std::pair(&limits::kJointJerk, joint.jerk), std::pair(&limits::kJointEffort, std::abs(joint.effort))})
        if (Status bad = checkLimit(*limit, value, "arm.joint")) return fail(bad->message, bad->remedy);
    return std::nullopt;
}

double chainLength(const Arm& arm)
{
    double length = arm.flangeTranslation().norm();
    for (const Joint& joint : arm.joints())
        length += joint.parentFromJoint.translation.norm()
                  + (joint.kind == JointKind::Prismatic ? std::max(std::abs(joint.lower), std::abs(joint.upper)) : 0);
    return std::max(length, 1e-3);
}

double travelDiagonal(const Arm& arm, const Gantry& gantry)
{
    double sum = 0;
    for (const int i : gantry.slides)
        sum += std::pow(arm.joints()[size_t(i)].upper - arm.joints()[size_t(i)].lower, 2);
    return std::max(std::sqrt(sum), 1e-3);
}

/// The chain with its locked joints turned into fixed links.
ArmDescription withoutLocked(const ArmDescription& whole)
{
    ArmDescription out = whole;
    out.joints.clear();
    Pose pending;
    for (const Joint& joint : whole.joints) {
        pending = pending * joint.parentFromJoint;
        if (!joint.locked) {
            out.joints.push_back(joint);
            out.joints.back().parentFromJoint = pending;
            pending = {};
            continue;
        }
        pending = pending
                  * (joint.kind == JointKind::Prismatic
                         ? translated(*joint.locked * joint.axis)
                         : Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(*joint.locked, joint.axis))});
        if (!out.joints.empty()) out.joints.back().link = joined(out.joints.back().link, placed(pending, joint.link));
    }
    out.lastFromFlange = pending * whole.lastFromFlange;
    return out;
}

Family recogniseFamily(const Arm& arm)
{
    if (auto f = recogniseSphericalWrist(arm)) return *f;
    if (auto f = recogniseParallelAxes(arm)) return *f;
    if (auto f = recogniseHorizontalArm(arm)) return *f;
    if (auto f = recogniseFiveAxis(arm)) return *f;
    if (auto f = recogniseGantry(arm)) return *f;
    if (auto f = recogniseSevenAxis(arm)) return *f;
    if (auto f = recogniseGeneralSix(arm)) return *f;
    return NumericChain{};
}

}  // namespace

Result<ArmPtr> Arm::make(ArmDescription description)
{
    if (description.joints.empty() || description.joints.size() > size_t(kMaxJoints))
        return Error{"arm.joint-count",
                     fmt::format("an arm of {} joints cannot be used; 1 to {} are possible", description.joints.size(),
                                 kMaxJoints),
                     description.name, "Choose another base and tip."};
    for (size_t i = 0; i < description.joints.size(); ++i)
        if (Status bad = checkJoint(description.joints[i], i)) return *bad;

    auto arm = std::make_shared<Arm>();
    for (Joint& joint : description.joints)
        joint.axis.normalize();
    arm->m_joints = description.joints;
    Mat3 previousInZ = Mat3::Identity();
    for (int i = 0; i < arm->jointCount(); ++i) {
        Joint& joint = arm->m_joints[size_t(i)];
        if (joint.locked) joint.lower = joint.upper = *joint.locked;
        else arm->m_free.push_back(i);
        const Mat3 linkInZ = turnOnto(joint.axis, Vec3::UnitZ()).toRotationMatrix();
        arm->m_segments.push_back({previousInZ * joint.parentFromJoint.matrix() * linkInZ.transpose(),
                                   previousInZ * joint.parentFromJoint.translation, joint.kind == JointKind::Prismatic,
                                   linkInZ, placed({Vec3::Zero(), Quat(linkInZ)}, joint.link)});
        previousInZ = linkInZ;
    }
    arm->m_flangeRotation = previousInZ * description.lastFromFlange.matrix();
    arm->m_flangeTranslation = previousInZ * description.lastFromFlange.translation;
    arm->m_description = std::move(description);
    arm->m_reach = chainLength(*arm);
    if (arm->m_free.size() < arm->m_joints.size()) {
        if (arm->m_free.empty())
            return Error{"arm.all-locked", "every joint is locked", arm->m_description.name,
                         "Leave at least one joint free."};
        Result<ArmPtr> rest = make(withoutLocked(arm->m_description));
        if (!rest) return rest;
        arm->m_unlocked = *rest;
        arm->m_family = arm->m_unlocked->m_family;
        arm->m_reach = arm->m_unlocked->m_reach;
        return ArmPtr(arm);
    }
    arm->m_family = recogniseFamily(*arm);
    if (const auto* s = arm->as<SphericalWrist>()) arm->m_reach = s->upperLength + s->foreLength;
    else if (const auto* p = arm->as<ParallelAxes>()) arm->m_reach = p->arm.reach();
    else if (const auto* h = arm->as<HorizontalArm>()) arm->m_reach = h->arm.reach();
    else if (const auto* f = arm->as<FiveAxis>()) arm->m_reach = f->arm.reach();
    else if (const auto* v = arm->as<SevenAxis>())
        arm->m_reach = (v->o4 - v->shoulderPoint).cross(v->h4).norm() + (v->wristPoint - v->o4).cross(v->h4).norm();
    else if (const auto* g = arm->as<Gantry>()) arm->m_reach = travelDiagonal(*arm, *g);
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

const char* familyName(const Family& family)
{
    static constexpr const char* names[] = {"numeric",   "spherical-wrist", "parallel-axes", "horizontal-arm",
                                            "five-axis", "gantry",          "seven-axis",    "six-axis-general"};
    static_assert(std::variant_size_v<Family> == std::size(names));
    return names[family.index()];
}

bool withinRange(const Arm& arm, const JointVector& posture)
{
    for (int i = 0; i < arm.jointCount(); ++i)
        if (posture[i] < arm.joints()[size_t(i)].lower - kRangeTolerance
            || posture[i] > arm.joints()[size_t(i)].upper + kRangeTolerance)
            return false;
    return true;
}

JointVector armHome(const Arm& arm)
{
    const JointVector& home = arm.description().home;
    return clampedToRange(arm,
                          home.size() == arm.jointCount() ? home : JointVector(JointVector::Zero(arm.jointCount())));
}

bool sameValues(const JointVector& a, const JointVector& b) { return a.size() == b.size() && a == b; }

bool sameDescription(const Arm& first, const Arm& second)
{
    const ArmDescription &a = first.description(), &b = second.description();
    const auto sameLink = [](const Inertial& x, const Inertial& y) {
        return x.mass == y.mass && x.centre == y.centre && x.inertia == y.inertia;
    };
    const auto sameJoint = [&](const Joint& x, const Joint& y) {
        return x.name == y.name && x.kind == y.kind && x.parentFromJoint == y.parentFromJoint && x.axis == y.axis
               && x.lower == y.lower && x.upper == y.upper && x.speed == y.speed && x.acceleration == y.acceleration
               && x.jerk == y.jerk && x.effort == y.effort && sameLink(x.link, y.link) && x.locked == y.locked;
    };
    const auto sameMesh = [](const LinkMesh& x, const LinkMesh& y) {
        return x.link == y.link && (x.triangles == y.triangles || *x.triangles == *y.triangles);
    };
    const auto all = [](const auto& x, const auto& y, const auto& same) {
        return std::equal(x.begin(), x.end(), y.begin(), y.end(), same);
    };
    const auto makersReach = [](const ArmDescription& arm) { return arm.sheet ? arm.sheet->reach : 0; };
    return a.id == b.id && a.name == b.name && makersReach(a) == makersReach(b) && all(a.joints, b.joints, sameJoint)
           && a.lastFromFlange == b.lastFromFlange && sameValues(a.home, b.home) && a.payload == b.payload
           && all(a.meshes, b.meshes, sameMesh);
}

JointVector clampedToRange(const Arm& arm, JointVector posture)
{
    for (int i = 0; i < arm.jointCount(); ++i)
        posture[i] = std::clamp(posture[i], arm.joints()[size_t(i)].lower, arm.joints()[size_t(i)].upper);
    return posture;
}

}  // namespace topikos
