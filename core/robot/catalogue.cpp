#include "core/robot/catalogue.h"

#include "core/spatial/rotation.h"

#include <numbers>

namespace topikos {

namespace {

/// Time in which an axis of a catalogue arm comes up to its full speed [s]; its acceleration follows from it.
constexpr double kRampTime = 0.35;

Joint revolute(const char* name, Vec3 origin, Vec3 axis, double lower, double upper, double speed, double effort)
{
    return {name, JointKind::Revolute, translated(origin), axis, lower, upper, speed, speed / kRampTime, effort};
}

/// A link from its mass, its centre, and in axes turned by roll, pitch, yaw its moments (xx, yy, zz) and products (xy, xz, yz) of inertia.
Inertial link(double mass, Vec3 centre, Vec3 rollPitchYaw, Vec3 moments, Vec3 products = Vec3::Zero())
{
    Inertial own;
    own.mass = mass;
    own.inertia << moments[0], products[0], products[1], products[0], moments[1], products[2], products[1], products[2], moments[2];
    return placed({centre, rotationFrom(AngleOrder::FixedXyz, rollPitchYaw)}, own);
}

ArmDescription sixAxis1400()
{
    ArmDescription arm;
    arm.id = "sixaxis-1400";
    arm.name = "Six-axis arm 1400";
    arm.payload = 10;
    const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
    arm.joints = {
        revolute("joint_1", {0, 0, 0.241}, z, -3.001966313, 3.001966313, 3.1, 900),
        revolute("joint_2", {0.163, 0, 0.196}, y, -1.710422667, 2.478367538, 2.9, 1150),
        revolute("joint_3", {0, 0, 0.583}, y, -3.577924967, 1.361356817, 3.3, 560),
        revolute("joint_4", {0.268, 0, 0.107}, x, -3.351032164, 3.351032164, 6.1, 110),
        revolute("joint_5", {0.361, 0, 0}, y, -2.164208272, 2.164208272, 6.3, 105),
        revolute("joint_6", {0.047, 0, 0}, x, -6.195918845, 6.195918845, 8.9, 60),
    };
    arm.lastFromFlange = {Vec3(0.046, 0, 0), Quat(Eigen::AngleAxisd(std::numbers::pi / 2, y))};
    const Inertial links[] = {
        link(42, {0.083068, -0.0056, 0.086749}, {0, 0.693733756193, 0}, {0.45924235, 0.42025008, 0.419832}),
        link(28, {0.006, -0.004, 0.27401}, {0, 0, 0}, {0.91485879, 0.8371821, 0.1428}),
        link(24, {0.127962, -0.0036, 0.045275}, {0, 1.19093345024, 0}, {0.22805476, 0.20869162, 0.099144}),
        link(9.5, {0.16967, -0.003, -0.0045}, {0, 0, 0}, {0.027253125, 0.11303426, 0.12352198}),
        link(4.2, {0.02209, -0.0024, -0.0036}, {0, 1.57079632679, 0}, {0.004826339, 0.0044165555, 0.0077112}),
        link(0.9, {0.02162, -0.0018, -0.0027}, {0, 0, 0}, {0.000929475, 0.00059589525, 0.0006511845}),
    };
    for (size_t i = 0; i < 6; ++i) arm.joints[i].link = links[i];
    const Inertial flange = link(0.2, {0.0024, 0.0016, -0.00564}, {3.14159265359, 0, 0}, {8.7344e-05, 7.9928e-05, 0.0001632});
    arm.joints[5].link = joined(arm.joints[5].link, placed(arm.lastFromFlange, flange));
    return arm;
}

ArmDescription parallel900()
{
    ArmDescription arm;
    arm.id = "cobot-900";
    arm.name = "Six-axis arm 900, three parallel axes";
    arm.payload = 6;
    const Vec3 z = Vec3::UnitZ();
    arm.joints = {
        revolute("joint_1", {0, 0, 0.152}, z, -6.283185307, 6.283185307, 3.2, 190),
        revolute("joint_2", {0, 0.121, 0}, z, -6.283185307, 6.283185307, 3.2, 190),
        revolute("joint_3", {0.412, 0, -0.107}, z, -2.827433388, 2.827433388, 3.2, 110),
        revolute("joint_4", {0.381, 0, 0.104}, z, -6.283185307, 6.283185307, 3.6, 36),
        revolute("joint_5", {0, 0.05, 0}, z, -6.283185307, 6.283185307, 3.6, 36),
        revolute("joint_6", {0, 0, 0.048}, z, -6.283185307, 6.283185307, 3.6, 36),
    };
    // Every axis is its frame's z: these joints turn the frame by a quarter about x.
    const double quarter = std::numbers::pi / 2;
    arm.joints[1].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-quarter, 0, 0});
    arm.joints[4].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-quarter, 0, 0});
    arm.joints[5].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {quarter, 0, 0});
    const Inertial links[] = {
        link(4.6, {0.0042, 0.05687, 0.0028}, {-1.57079632679, 0, 0}, {0.011922226, 0.010909962, 0.0114954}),
        link(7.4, {0.192735, -0.0024, -0.053774}, {0, 0, 0}, {0.020657822, 0.11484381, 0.118428}, {0, 0.02722828, 0}),
        link(3.1, {0.17986, -0.002, 0.045986}, {0, 1.30432220347, 0}, {0.044765452, 0.040964612, 0.0039525}),
        link(1.4, {0.0027, 0.0235, 0.0018}, {0, 0, 0}, {0.0010604417, 0.00144585, 0.00097040417}),
        link(1.3, {0.0027, -0.0018, 0.02256}, {0, 0, 0}, {0.0009621885, 0.00088049325, 0.001342575}),
        link(0.4, {0.0024, -0.0016, 0.04277}, {0, 0, 0}, {0.00046219533, 0.00042295233, 0.0003264}),
    };
    for (size_t i = 0; i < 6; ++i) arm.joints[i].link = links[i];
    arm.lastFromFlange = translated({0, 0, 0.091});
    arm.joints[5].link = joined(arm.joints[5].link, placed(arm.lastFromFlange, link(0.12, {0.0021, 0.0014, -0.00564}, {3.14159265359, 0, 0}, {4.04814e-05, 3.70443e-05, 7.497e-05})));
    return arm;
}

/// Every arm of the catalogue, made once.
const std::vector<ArmPtr>& arms()
{
    static const std::vector<ArmPtr> made{Arm::make(sixAxis1400()).value(), Arm::make(parallel900()).value()};
    return made;
}

}  // namespace

std::vector<std::string> catalogueIds()
{
    std::vector<std::string> ids;
    for (const ArmPtr& arm : arms()) ids.push_back(arm->description().id);
    return ids;
}

ArmPtr catalogueArm(const std::string& id)
{
    for (const ArmPtr& arm : arms())
        if (arm->description().id == id) return arm;
    return nullptr;
}

}  // namespace topikos
