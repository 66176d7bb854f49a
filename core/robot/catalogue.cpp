#include "core/robot/catalogue.h"

#include "core/spatial/rotation.h"

#include <numbers>

namespace topikos {

namespace {

/// Time in which an axis of a catalogue arm comes up to its full speed [s]; its acceleration follows from it.
constexpr double kRampTime = 0.35;
constexpr double kQuarter = std::numbers::pi / 2;

Joint revolute(const char* name, Vec3 origin, Vec3 axis, double lower, double upper, double speed, double effort)
{
    return {name, JointKind::Revolute, translated(origin), axis, lower, upper, speed, speed / kRampTime, effort};
}

Joint prismatic(const char* name, Vec3 origin, Vec3 axis, double lower, double upper, double speed, double effort)
{
    return {name, JointKind::Prismatic, translated(origin), axis, lower, upper, speed, speed / kRampTime, effort};
}

JointVector posture(std::initializer_list<double> values)
{
    return Eigen::Map<const Eigen::VectorXd>(values.begin(), Eigen::Index(values.size()));
}

/// A link from its mass, its centre, and in axes turned by roll, pitch, yaw its moments (xx, yy, zz) and products (xy,
/// xz, yz) of inertia.
Inertial link(double mass, Vec3 centre, Vec3 rollPitchYaw, Vec3 moments, Vec3 products = Vec3::Zero())
{
    Inertial own;
    own.mass = mass;
    own.inertia << moments[0], products[0], products[1], products[0], moments[1], products[2], products[1], products[2],
        moments[2];
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
    arm.lastFromFlange = {Vec3(0.046, 0, 0), Quat(Eigen::AngleAxisd(kQuarter, y))};
    const Inertial links[] = {
        link(42, {0.083068, -0.0056, 0.086749}, {0, 0.693733756193, 0}, {0.45924235, 0.42025008, 0.419832}),
        link(28, {0.006, -0.004, 0.27401}, {0, 0, 0}, {0.91485879, 0.8371821, 0.1428}),
        link(24, {0.127962, -0.0036, 0.045275}, {0, 1.19093345024, 0}, {0.22805476, 0.20869162, 0.099144}),
        link(9.5, {0.16967, -0.003, -0.0045}, {0, 0, 0}, {0.027253125, 0.11303426, 0.12352198}),
        link(4.2, {0.02209, -0.0024, -0.0036}, {0, 1.57079632679, 0}, {0.004826339, 0.0044165555, 0.0077112}),
        link(0.9, {0.02162, -0.0018, -0.0027}, {0, 0, 0}, {0.000929475, 0.00059589525, 0.0006511845}),
    };
    for (size_t i = 0; i < 6; ++i)
        arm.joints[i].link = links[i];
    arm.home = posture({0, -0.35, 0.44, 0, 1.48, 0});
    const Inertial flange =
        link(0.2, {0.0024, 0.0016, -0.00564}, {3.14159265359, 0, 0}, {8.7344e-05, 7.9928e-05, 0.0001632});
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
    arm.joints[1].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-kQuarter, 0, 0});
    arm.joints[4].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-kQuarter, 0, 0});
    arm.joints[5].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {kQuarter, 0, 0});
    const Inertial links[] = {
        link(4.6, {0.0042, 0.05687, 0.0028}, {-1.57079632679, 0, 0}, {0.011922226, 0.010909962, 0.0114954}),
        link(7.4, {0.192735, -0.0024, -0.053774}, {0, 0, 0}, {0.020657822, 0.11484381, 0.118428}, {0, 0.02722828, 0}),
        link(3.1, {0.17986, -0.002, 0.045986}, {0, 1.30432220347, 0}, {0.044765452, 0.040964612, 0.0039525}),
        link(1.4, {0.0027, 0.0235, 0.0018}, {0, 0, 0}, {0.0010604417, 0.00144585, 0.00097040417}),
        link(1.3, {0.0027, -0.0018, 0.02256}, {0, 0, 0}, {0.0009621885, 0.00088049325, 0.001342575}),
        link(0.4, {0.0024, -0.0016, 0.04277}, {0, 0, 0}, {0.00046219533, 0.00042295233, 0.0003264}),
    };
    for (size_t i = 0; i < 6; ++i)
        arm.joints[i].link = links[i];
    arm.home = posture({0, -1.9, 1.9, -1.57, -1.57, 0});
    arm.lastFromFlange = translated({0, 0, 0.091});
    arm.joints[5].link = joined(arm.joints[5].link,
                                placed(arm.lastFromFlange, link(0.12, {0.0021, 0.0014, -0.00564}, {3.14159265359, 0, 0},
                                                                {4.04814e-05, 3.70443e-05, 7.497e-05})));
    return arm;
}

ArmDescription horizontal600()
{
    ArmDescription arm;
    arm.id = "scara-600";
    arm.name = "Four-axis horizontal arm 600";
    arm.payload = 4;
    const Vec3 z = Vec3::UnitZ();
    arm.joints = {
        revolute("joint_1", {0, 0, 0.389}, z, -2.303834613, 2.303834613, 6.6, 70),
        revolute("joint_2", {0.327, 0, 0.042}, z, -2.565634, 2.565634, 10.5, 32),
        prismatic("joint_3", {0.273, 0, -0.01}, -z, 0, 0.21, 1.1, 180),
        revolute("joint_4", {0, 0, -0.11}, z, -6.283185307, 6.283185307, 21, 6),
    };
    const Inertial links[] = {
        link(5.2, {0.154225, -0.0028, 0.015574}, {0, 1.44305534067, 0}, {0.056678518, 0.051866191, 0.0129948}),
        link(4.3, {0.128178, -0.0024, -0.008298}, {0, 0, 0}, {0.0079277014, 0.029693697, 0.03241588},
             {0, 0.00089820807, 0}),
        link(1.1, {0.0012, 0.0008, -0.0517}, {3.14159265359, 0, 0}, {0.0012923167, 0.0011825917, 0.0002244}),
        link(0.35, {0.00108, 0.00072, -0.04324}, {0, 0, 0}, {0.00029172967, 0.00026696017, 5.7834e-05}),
    };
    for (size_t i = 0; i < arm.joints.size(); ++i)
        arm.joints[i].link = links[i];
    arm.lastFromFlange = {Vec3(0, 0, -0.092), Quat(Eigen::AngleAxisd(2 * kQuarter, Vec3::UnitX()))};
    arm.joints.back().link = joined(
        arm.joints.back().link, placed(arm.lastFromFlange, link(0.08, {0.0015, 0.001, -0.00564}, {3.14159265359, 0, 0},
                                                                {1.42676e-05, 1.30562e-05, 2.55e-05})));
    arm.home = posture({0.4, 0.9, 0.05, 0});
    return arm;
}

ArmDescription fiveAxis500()
{
    ArmDescription arm;
    arm.id = "fiveaxis-500";
    arm.name = "Five-axis arm 500";
    arm.payload = 1;
    const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
    arm.joints = {
        revolute("joint_1", {0, 0, 0.073}, z, -2.879793266, 2.879793266, 2.6, 18),
        revolute("joint_2", {0.023, 0, 0.048}, y, -1.658062789, 1.919862177, 2.6, 26),
        revolute("joint_3", {0, 0, 0.219}, y, -2.705260341, 2.652900463, 2.8, 14),
        revolute("joint_4", {0.187, 0, 0}, y, -2.059488517, 2.059488517, 3.9, 6),
        revolute("joint_5", {0.041, 0, 0}, x, -5.934119457, 5.934119457, 5.2, 2.5),
    };
    const Inertial links[] = {
        link(1.2, {0.013245, -0.0018, 0.021393}, {0, 0.446842468486, 0}, {0.000944248, 0.000864076, 0.0012393}),
        link(0.9, {0.0021, -0.0014, 0.10293}, {0, 0, 0}, {0.004105062, 0.003756519, 0.000562275}),
        link(0.7, {0.08789, -0.0012, -0.0018}, {0, 1.57079632679, 0}, {0.0023291998, 0.0021314376, 0.0003213}),
        link(0.34, {0.01927, -0.001, -0.0015}, {0, 0, 0}, {0.000108375, 9.7730733e-05, 0.00010679853}),
        link(0.16, {0.02491, -0.00088, -0.00132}, {0, 1.57079632679, 0}, {6.0222133e-05, 5.5108933e-05, 3.94944e-05}),
    };
    for (size_t i = 0; i < arm.joints.size(); ++i)
        arm.joints[i].link = links[i];
    arm.lastFromFlange = {Vec3(0.053, 0, 0), Quat(Eigen::AngleAxisd(kQuarter, Vec3::UnitY()))};
    arm.joints.back().link =
        joined(arm.joints.back().link, placed(arm.lastFromFlange, link(0.05, {0.0012, 0.0008, -0.00564}, {0, 0, 0},
                                                                       {5.936e-06, 5.432e-06, 1.02e-05})));
    arm.home = posture({0, -0.45, 0.95, 1.07, 0});
    return arm;
}

ArmDescription sevenAxis820()
{
    ArmDescription arm;
    arm.id = "redundant-820";
    arm.name = "Seven-axis arm 820, redundant";
    arm.payload = 7;
    const Vec3 z = Vec3::UnitZ();
    arm.joints = {
        revolute("joint_1", {0, 0, 0.141}, z, -2.932153143, 2.932153143, 1.9, 240),
        revolute("joint_2", {0, 0, 0.177}, z, -2.059488517, 2.059488517, 1.9, 240),
        revolute("joint_3", {0, -0.205, 0}, z, -2.932153143, 2.932153143, 2.2, 150),
        revolute("joint_4", {0, 0, 0.238}, z, -2.07694181, 2.07694181, 2.2, 150),
        revolute("joint_5", {0, 0.183, 0}, z, -2.932153143, 2.932153143, 2.7, 90),
        revolute("joint_6", {0, 0, 0.194}, z, -2.042035225, 2.042035225, 3.1, 45),
        revolute("joint_7", {0, -0.051, 0}, z, -3.001966313, 3.001966313, 3.1, 45),
    };
    arm.joints[1].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-kQuarter, 0, 0});
    arm.joints[2].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {kQuarter, 0, 0});
    arm.joints[3].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {kQuarter, 0, 0});
    arm.joints[4].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-kQuarter, 0, 0});
    arm.joints[5].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {-kQuarter, 0, 0});
    arm.joints[6].parentFromJoint.rotation = rotationFrom(AngleOrder::FixedXyz, {kQuarter, 0, 0});
    const Inertial links[] = {
        link(4.2, {0.0045, -0.003, 0.08319}, {0, 0, 0}, {0.017883684, 0.016365258, 0.01204875}),
        link(4.1, {0.0042, -0.09635, -0.0028}, {0, 0, 0}, {0.020543904, 0.0102459, 0.01879961}),
        link(3.2, {0.0039, -0.0026, 0.11186}, {0, 0, 0}, {0.019594171, 0.017930515, 0.0068952}),
        link(2.9, {0.0036, 0.08601, 0.0024}, {0, 0, 0}, {0.011345365, 0.0053244, 0.01038208}),
        link(1.8, {0.0033, -0.0022, 0.09118}, {0, 0, 0}, {0.007427049, 0.0067964505, 0.00277695}),
        link(1.5, {0.003, -0.02397, -0.002}, {0, 0, 0}, {0.0013383825, 0.0019125, 0.0012247463}),
        link(0.4, {0.0027, -0.0018, 0.02726}, {0, 0, 0}, {0.00033351133, 0.00030519433, 0.0004131}),
    };
    for (size_t i = 0; i < arm.joints.size(); ++i)
        arm.joints[i].link = links[i];
    arm.lastFromFlange = translated({0, 0, 0.058});
    arm.joints.back().link =
        joined(arm.joints.back().link, placed(arm.lastFromFlange, link(0.1, {0.0024, 0.0016, -0.00564}, {0, 0, 0},
                                                                       {4.3672e-05, 3.9964e-05, 8.16e-05})));
    arm.home = posture({0, 0.45, 0, -1.45, 0, 1.24, 0});
    return arm;
}

ArmDescription gantry2400()
{
    ArmDescription arm;
    arm.id = "gantry-2400";
    arm.name = "Gantry 2400 with wrist";
    arm.payload = 15;
    const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
    arm.joints = {
        prismatic("joint_1", {0, 0, 1.75}, x, 0, 2.4, 1.6, 900),
        prismatic("joint_2", {0, 0, 0.12}, y, 0, 1.3, 1.6, 600),
        prismatic("joint_3", {0.16, 0, -0.1}, -z, 0, 0.85, 1.1, 700),
        revolute("joint_4", {0, 0, -0.28}, z, -6.2, 6.2, 4.2, 90),
        revolute("joint_5", {0, 0, -0.14}, y, -2.1, 2.1, 4.2, 70),
        revolute("joint_6", {0, 0, -0.11}, -z, -6.2, 6.2, 6.5, 35),
    };
    const Inertial links[] = {
        link(92, {0, 0.72, 0}, {0, 0, 0}, {17.2, 0.9, 17.3}),
        link(34, {0.08, 0, 0.02}, {0, 0, 0}, {0.62, 0.55, 0.48}),
        link(22, {0, 0, 0.31}, {0, 0, 0}, {1.42, 1.42, 0.08}),
        link(5.5, {0, 0, -0.07}, {0, 0, 0}, {0.021, 0.021, 0.013}),
        link(3.4, {0, 0, -0.04}, {0, 0, 0}, {0.0095, 0.0088, 0.0062}),
        link(1.1, {0, 0, -0.02}, {0, 0, 0}, {0.0014, 0.0014, 0.0012}),
    };
    for (size_t i = 0; i < arm.joints.size(); ++i)
        arm.joints[i].link = links[i];
    arm.lastFromFlange = {Vec3(0, 0, -0.06), Quat(Eigen::AngleAxisd(2 * kQuarter, x))};
    arm.home = posture({1.2, 0.65, 0.2, 0, 0, 0});
    return arm;
}

/// Every arm of the catalogue, made once.
const std::vector<ArmPtr>& arms()
{
    static const std::vector<ArmPtr> made{Arm::make(sixAxis1400()).value(),   Arm::make(parallel900()).value(),
                                          Arm::make(sevenAxis820()).value(),  Arm::make(fiveAxis500()).value(),
                                          Arm::make(horizontal600()).value(), Arm::make(gantry2400()).value()};
    return made;
}

}  // namespace

std::vector<std::string> catalogueIds()
{
    std::vector<std::string> ids;
    for (const ArmPtr& arm : arms())
        ids.push_back(arm->description().id);
    return ids;
}

ArmPtr catalogueArm(const std::string& id)
{
    for (const ArmPtr& arm : arms())
        if (arm->description().id == id) return arm;
    return nullptr;
}

}  // namespace topikos
