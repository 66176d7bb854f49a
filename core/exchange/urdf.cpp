#include "core/exchange/urdf.h"

#include "core/exchange/cell_file.h"
#include "core/robot/catalogue.h"

#include <console_bridge/console.h>
#include <fmt/format.h>
#include <urdf_parser/urdf_parser.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace topikos {

namespace {

constexpr double kRampTime = 0.35;  // [s]

/// Keeps what the URDF parser complains about, instead of printing it.
class Complaints : public console_bridge::OutputHandler {
public:
    Complaints() : m_before(console_bridge::getOutputHandler()) { console_bridge::useOutputHandler(this); }
    ~Complaints() override { console_bridge::useOutputHandler(m_before); }
    void log(const std::string& text, console_bridge::LogLevel level, const char*, int) override
    {
        if (level >= console_bridge::CONSOLE_BRIDGE_LOG_ERROR && first.empty()) first = text;
    }
    std::string first;

private:
    console_bridge::OutputHandler* m_before;
};

Pose poseOf(const urdf::Pose& p)
{
    return {Vec3(p.position.x, p.position.y, p.position.z), Quat(p.rotation.w, p.rotation.x, p.rotation.y, p.rotation.z).normalized()};
}

/// Mass distribution of a link in its own frame.
Inertial inertialOf(const urdf::Link& link)
{
    if (!link.inertial) return {};
    const urdf::Inertial& in = *link.inertial;
    Inertial out;
    out.mass = in.mass;
    out.inertia << in.ixx, in.ixy, in.ixz, in.ixy, in.iyy, in.iyz, in.ixz, in.iyz, in.izz;
    return placed(poseOf(in.origin), out);
}

}  // namespace

Result<ArmPtr> readUrdf(const std::string& text, const std::string& name)
{
    const auto fail = [&](std::string message, std::string remedy) { return Error{"urdf", std::move(message), name, std::move(remedy)}; };
    Complaints complaints;
    urdf::ModelInterfaceSharedPtr model;
    try {
        model = urdf::parseURDF(text);
    } catch (const std::exception& e) {
        return fail(fmt::format("is not a usable URDF file ({})", e.what()), "Correct the file.");
    }
    if (!model) return fail(fmt::format("is not a usable URDF file ({})", complaints.first.empty() ? "no robot in it" : complaints.first), "Correct the file.");

    // The way from the tip up to the root. The parser has refused loops and missing links already.
    urdf::LinkConstSharedPtr tip = model->getLink("flange");
    if (!tip) {
        tip = model->getRoot();
        while (tip && !tip->child_links.empty()) {
            if (tip->child_links.size() > 1)
                return fail(fmt::format("link \"{}\" has {} children and there is no link \"flange\" to end the chain at", tip->name, tip->child_links.size()),
                            "Name the last link of the arm \"flange\".");
            tip = tip->child_links.front();
        }
    }
    std::vector<urdf::JointConstSharedPtr> way;
    for (urdf::LinkConstSharedPtr link = tip; link && link->parent_joint; link = link->getParent()) way.push_back(link->parent_joint);
    std::reverse(way.begin(), way.end());

    ArmDescription arm;
    arm.id = name;
    arm.name = model->getName();
    Pose pending;  // fixed joints since the last moving one
    for (const urdf::JointConstSharedPtr& j : way) {
        pending = pending * poseOf(j->parent_to_joint_origin_transform);
        const Inertial link = inertialOf(*model->getLink(j->child_link_name));
        if (j->type == urdf::Joint::FIXED) {
            // What is fixed to a link moves with it; what is fixed to the base does not move.
            if (!arm.joints.empty()) arm.joints.back().link = joined(arm.joints.back().link, placed(pending, link));
            continue;
        }
        const bool revolute = j->type == urdf::Joint::REVOLUTE || j->type == urdf::Joint::CONTINUOUS;
        if (!revolute && j->type != urdf::Joint::PRISMATIC) return fail(fmt::format("joint \"{}\" is of a type no arm has (floating or planar)", j->name), "Use revolute or prismatic joints.");
        if (j->mimic) return fail(fmt::format("joint \"{}\" follows another joint, which is not supported yet", j->name), "Remove the mimic element.");
        if (!j->limits) return fail(fmt::format("joint \"{}\" has no limit element", j->name), "Give it lower, upper, effort and velocity.");
        Joint joint;
        joint.name = j->name;
        joint.kind = revolute ? JointKind::Revolute : JointKind::Prismatic;
        joint.parentFromJoint = pending;
        joint.axis = Vec3(j->axis.x, j->axis.y, j->axis.z);
        const bool endless = j->type == urdf::Joint::CONTINUOUS;
        joint.lower = endless ? -4 * std::acos(-1.0) : j->limits->lower;
        joint.upper = endless ? 4 * std::acos(-1.0) : j->limits->upper;
        joint.speed = j->limits->velocity;
        joint.acceleration = joint.speed / kRampTime;
        joint.effort = j->limits->effort;
        joint.link = link;
        if (joint.axis.norm() > 1e-9) joint.axis.normalize();
        arm.joints.push_back(joint);
        pending = {};
    }
    arm.lastFromFlange = pending;
    Result<ArmPtr> made = Arm::make(std::move(arm));
    if (!made) return Error{made.error().code, made.error().message, name + ", " + made.error().where, made.error().remedy};
    return made;
}

Result<ArmPtr> findArm(const std::string& idOrPath)
{
    if (ArmPtr arm = catalogueArm(idOrPath)) return arm;
    Result<std::string> text = readFile(idOrPath, kLargestUrdfFile);
    if (text) return readUrdf(*text, idOrPath);
    if (idOrPath.find('/') == std::string::npos && idOrPath.find('.') == std::string::npos)
        return Error{"arm.unknown", fmt::format("there is no catalogue arm \"{}\"", idOrPath), "", "Use one of `topikos-cli arm list`, or the path of a URDF file."};
    return text.error();
}

}  // namespace topikos
