#include "core/robot/catalogue.h"

#include <numbers>

namespace topikos {

namespace {

/// Time in which an axis of a catalogue arm comes up to its full speed [s]; its acceleration follows from it.
constexpr double kRampTime = 0.35;

Joint revolute(const char* name, Vec3 origin, Vec3 axis, double lower, double upper, double speed, double effort)
{
    return {name, JointKind::Revolute, translated(origin), axis, lower, upper, speed, speed / kRampTime, effort};
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
