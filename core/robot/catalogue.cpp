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

/// A link from its mass, its centre, and its principal moments in axes turned by roll, pitch, yaw.
Inertial link(double mass, Vec3 centre, Vec3 rollPitchYaw, Vec3 moments)
{
    Inertial own;
    own.mass = mass;
    own.inertia = moments.asDiagonal();
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

}  // namespace

std::vector<std::string> catalogueIds() { return {"sixaxis-1400"}; }

ArmPtr catalogueArm(const std::string& id)
{
    static const ArmPtr sixAxis = Arm::make(sixAxis1400()).value();
    return id == sixAxis->description().id ? sixAxis : nullptr;
}

}  // namespace topikos
