#include "core/robot/data_sheet.h"

#include "core/robot/forward.h"
#include "core/robot/sheet_reach.h"
#include "core/spatial/limits.h"
#include "core/spatial/units.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace topikos {

namespace {

Pose motionOf(JointKind kind, const Vec3& axis, double value)
{
    return kind == JointKind::Prismatic ? translated(value * axis)
                                        : Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(value, axis))};
}

Pose about(const Vec3& axis, double angle) { return {Vec3::Zero(), Quat(Eigen::AngleAxisd(angle, axis))}; }

Mat3 inertiaOf(const SheetAxis& axis)
{
    Mat3 m;
    m << axis.moments[0], axis.products[0], axis.products[1], axis.products[0], axis.moments[1], axis.products[2],
        axis.products[1], axis.products[2], axis.moments[2];
    return m;
}

/// What goes with the axis, without its placement.
Joint jointOf(const SheetAxis& axis)
{
    Joint joint;
    joint.name = axis.name;
    joint.kind = axis.kind;
    joint.lower = axis.lower;
    joint.upper = axis.upper;
    joint.speed = axis.speed;
    joint.acceleration = axis.acceleration;
    joint.jerk = axis.jerk;
    joint.effort = axis.effort;
    joint.link = {axis.mass, axis.centre, inertiaOf(axis)};
    return joint;
}

std::string amount(const SheetAxis& axis, double value)
{
    return axis.kind == JointKind::Revolute ? fmt::format("{:.1f}°", degrees(value))
                                            : fmt::format("{:.1f} mm", millimetres(value));
}

}  // namespace

Result<ArmDescription> describe(const DataSheet& sheet)
{
    for (const auto& [limit, value] :
         {std::pair(&limits::kMass, sheet.payload), std::pair(&limits::kArmReach, sheet.reach)})
        if (Status bad = checkLimit(*limit, value, "arm.limit")) return *bad;
    ArmDescription arm;
    arm.id = sheet.id;
    arm.name = sheet.name;
    arm.payload = sheet.payload;
    arm.home = sheet.home;
    arm.sheet = std::make_shared<const DataSheet>(sheet);
    Vec3 before = Vec3::Zero();
    Pose pending;  // classic rows: what follows the axis before
    for (size_t i = 0; i < sheet.axes.size(); ++i) {
        const SheetAxis& axis = sheet.axes[i];
        Joint joint = jointOf(axis);
        switch (sheet.placement) {
        case DataSheet::Placement::Drawing: {
            const double norm = axis.direction.norm();
            if (!(norm > 1e-9) || !std::isfinite(norm))
                return Error{"arm.joint", "its axis direction has no length",
                             fmt::format("joint {} \"{}\"", i + 1, axis.name), "Give a direction, for example 0 0 1."};
            joint.axis = (axis.reversed ? -1 : 1) / norm * axis.direction;
            // In the drawing the frame is parallel to base at the axis point: the joint's own motion at the drawn value
            // is taken back.
            joint.parentFromJoint = translated(axis.point - before) * motionOf(axis.kind, joint.axis, -axis.drawn);
            joint.link.centre -= axis.mass > 0 ? axis.point : Vec3::Zero();
            before = axis.point;
            break;
        }
        case DataSheet::Placement::DhClassic:
        case DataSheet::Placement::DhModified: {
            joint.axis = (axis.reversed ? -1 : 1) * Vec3::UnitZ();
            const Pose back = motionOf(axis.kind, joint.axis, -axis.drawn);
            const Pose along = translated({0, 0, axis.d}), turn = about(Vec3::UnitZ(), axis.theta);
            const Pose across = translated({axis.a, 0, 0}), twist = about(Vec3::UnitX(), axis.alpha);
            if (sheet.placement == DataSheet::Placement::DhModified) {
                joint.parentFromJoint = twist * across * turn * along * back;
            } else {
                // The row comes after the axis: it belongs to the link that the axis moves.
                joint.parentFromJoint = pending * back;
                pending = turn * along * across * twist;
                const Mat3 r = pending.matrix();
                joint.link = {axis.mass, axis.mass > 0 ? Vec3(pending * axis.centre) : Vec3::Zero(),
                              r * joint.link.inertia * r.transpose()};
            }
            break;
        }
        }
        arm.joints.push_back(joint);
        const Pose linkFromSheet = sheet.placement == DataSheet::Placement::Drawing     ? translated(-axis.point)
                                   : sheet.placement == DataSheet::Placement::DhClassic ? pending
                                                                                        : Pose{};
        for (const LinkMesh& mesh : sheet.meshes)
            if (mesh.link == int(i) + 1)
                arm.meshes.push_back(
                    {mesh.link, std::make_shared<const Triangles>(placed(linkFromSheet, *mesh.triangles))});
    }
    for (const LinkMesh& mesh : sheet.meshes)
        if (mesh.link == 0) arm.meshes.push_back(mesh);
    arm.lastFromFlange =
        sheet.placement == DataSheet::Placement::Drawing ? translated(-before) * sheet.flange : pending * sheet.flange;
    return arm;
}

DataSheet sheetOf(const ArmDescription& arm)
{
    if (arm.sheet) return *arm.sheet;
    DataSheet sheet;
    sheet.id = arm.id;
    sheet.name = arm.name;
    sheet.payload = arm.payload;
    sheet.home = arm.home;
    Pose at;
    for (const Joint& joint : arm.joints) {
        at = at * joint.parentFromJoint;
        const double value = joint.locked.value_or(0);
        at = at * motionOf(joint.kind, joint.axis, value);
        SheetAxis axis;
        axis.name = joint.name;
        axis.kind = joint.kind;
        axis.point = at.translation;
        axis.direction = at.rotation * joint.axis;
        axis.lower = joint.lower;
        axis.upper = joint.upper;
        axis.speed = joint.speed;
        axis.acceleration = joint.acceleration;
        axis.jerk = joint.jerk;
        axis.effort = joint.effort;
        axis.drawn = value;
        const Inertial link = placed(at, joint.link);
        axis.mass = link.mass;
        axis.centre = link.mass > 0 ? link.centre : Vec3::Zero();
        axis.moments = link.inertia.diagonal();
        axis.products = {link.inertia(0, 1), link.inertia(0, 2), link.inertia(1, 2)};
        sheet.axes.push_back(axis);
        for (const LinkMesh& mesh : arm.meshes)
            if (mesh.link == int(sheet.axes.size()))
                sheet.meshes.push_back({mesh.link, std::make_shared<const Triangles>(placed(at, *mesh.triangles))});
    }
    for (const LinkMesh& mesh : arm.meshes)
        if (mesh.link == 0) sheet.meshes.push_back(mesh);
    sheet.flange = at * arm.lastFromFlange;
    if (sheet.home.size() != Eigen::Index(sheet.axes.size())) {
        sheet.home.resize(Eigen::Index(sheet.axes.size()));
        for (size_t i = 0; i < sheet.axes.size(); ++i)
            sheet.home[Eigen::Index(i)] =
                std::clamp(0.0, sheet.axes[i].lower, std::max(sheet.axes[i].lower, sheet.axes[i].upper));
    }
    return sheet;
}

JointVector drawnPosture(const DataSheet& sheet)
{
    JointVector q(Eigen::Index(sheet.axes.size()));
    for (size_t i = 0; i < sheet.axes.size(); ++i)
        q[Eigen::Index(i)] = sheet.axes[i].drawn;
    return q;
}

namespace {

/// Numbers that seem to have the wrong sign: a place that the arm jumps to and comes back from, a coordinate that is
/// that of a neighbour but for its sign, an axis that turns the other way than the one beside it.
void warnOfSigns(const DataSheet& sheet, std::vector<SheetWarning>& all)
{
    constexpr double kLong = 0.1;     // shorter links fold as they like [m]
    constexpr double kFolded = -0.6;  // cosine of the bend from one link to the next
    static constexpr const char* kNames[] = {"x", "y", "z"};
    // Places that differ, with the axis that each is of; the flange is behind the last axis.
    struct Place {
        Vec3 at;
        size_t axis;
    };
    std::vector<Place> places{{Vec3::Zero(), sheet.axes.size() + 1}};
    const auto addPlace = [&](const Vec3& at, size_t axis) {
        if ((at - places.back().at).norm() > 1e-3) places.push_back({at, axis});
    };
    for (size_t i = 0; i < sheet.axes.size(); ++i) {
        // Where an axis slides is any place along it: the arm begins anew behind it.
        if (sheet.axes[i].kind == JointKind::Prismatic) places = {{sheet.axes[i].point, sheet.axes.size() + 1}};
        else addPlace(sheet.axes[i].point, i);
    }
    addPlace(sheet.flange.translation, sheet.axes.size());
    std::vector<char> told(sheet.axes.size() + 2, false);
    const auto warn = [&](size_t axis, std::string message, std::string remedy) {
        if (std::exchange(told[axis], char(true))) return;
        all.push_back({axis < sheet.axes.size() ? int(axis) : -1, std::move(message), std::move(remedy)});
    };
    const auto nameOf = [&](size_t axis) {
        return axis < sheet.axes.size() ? fmt::format("Axis {}", axis + 1) : std::string("The flange");
    };
    for (size_t i = 1; i < places.size(); ++i)
        for (int k = 0; k < 3; ++k) {
            const double own = places[i].at[k];
            if (std::abs(own) < kLong || places[i].axis > sheet.axes.size()) continue;
            for (const size_t other : {i - 1, i + 1})
                if (other < places.size() && std::abs(places[other].at[k] + own) < 1e-6 && own < 0)
                    warn(places[i].axis,
                         fmt::format(
                             "{}: its {} is {:.0f} mm, and that of its neighbour {:.0f} mm: the sign seems wrong.",
                             nameOf(places[i].axis), kNames[k], millimetres(own), millimetres(-own)),
                         "Check the sign in the drawing.");
        }
    for (size_t i = 1; i + 1 < places.size(); ++i) {
        const Vec3 in = places[i].at - places[i - 1].at, out = places[i + 1].at - places[i].at;
        if (in.norm() < kLong || out.norm() < kLong || in.dot(out) > kFolded * in.norm() * out.norm()) continue;
        if (places[i].axis > sheet.axes.size()) continue;
        int coordinate = 0;
        (out - in).cwiseAbs().maxCoeff(&coordinate);
        warn(places[i].axis,
             fmt::format(
                 "{}: the arm goes {:.0f} mm to it and {:.0f} mm back again, folded into itself; its {} is {:.0f} "
                 "mm.",
                 nameOf(places[i].axis), millimetres(in.norm()), millimetres(out.norm()), kNames[coordinate],
                 millimetres(places[i].at[coordinate])),
             "Check the sign of that number, unless the drawing shows the arm folded.");
    }
    for (size_t i = 1; i < sheet.axes.size(); ++i) {
        const SheetAxis &a = sheet.axes[i - 1], &b = sheet.axes[i];
        if (a.kind != JointKind::Revolute || b.kind != JointKind::Revolute) continue;
        const auto turns = [](const SheetAxis& axis) {
            return Vec3((axis.reversed ? -1 : 1) * axis.direction.normalized());
        };
        if (turns(a).dot(turns(b)) > -1 + 1e-6) continue;
        warn(i, fmt::format("Axis {} turns the other way than axis {}, which it is parallel to.", i + 1, i),
             "Move both in the preview and compare with the drawing; reverse one of them if it goes the wrong way.");
    }
}

/// The reach that comes out against that of the maker, and against the lengths that make it.
void warnOfReach(const DataSheet& sheet, const Arm& arm, std::vector<SheetWarning>& all)
{
    constexpr double kFolded = 0.5;  // of the lengths, below which an arm cannot stretch out
    const std::optional<SheetReach> reach = sheetReach(arm);
    if (!reach) {
        if (sheet.reach > 0)
            all.push_back({-1, "The reach is not compared: this is done for arms of three and more turning axes alone.",
                           "Compare it yourself, or leave it out."});
        return;
    }
    if (reach->lengths > 0.1 && reach->fromShoulder < kFolded * reach->lengths)
        all.push_back({-1,
                       fmt::format("The wrist gets {:.0f} mm away from axis 2, and the lengths between them add up to "
                                   "{:.0f} mm: the arm stays folded.",
                                   millimetres(reach->fromShoulder), millimetres(reach->lengths)),
                       "Check signs, directions and ranges of the axes."});
    if (!(sheet.reach > 0)) return;
    const auto is = [&](double own) { return std::abs(own - sheet.reach) <= kReachApart * sheet.reach; };
    if (is(reach->wrist) || is(reach->flange) || is(reach->fromShoulder)) return;
    all.push_back(
        {-1,
         fmt::format("The maker gives a reach of {:.0f} mm. These numbers come to {:.0f} mm from axis 1 to the "
                     "wrist, {:.0f} mm to the flange and {:.0f} mm from axis 2 to the wrist.",
                     millimetres(sheet.reach), millimetres(reach->wrist), millimetres(reach->flange),
                     millimetres(reach->fromShoulder)),
         "Check the lengths, their signs and the ranges, or from where the maker counts."});
}

}  // namespace

std::vector<SheetWarning> sheetWarnings(const DataSheet& sheet)
{
    std::vector<SheetWarning> all;
    const bool drawing = sheet.placement == DataSheet::Placement::Drawing;
    for (size_t i = 0; i < sheet.axes.size(); ++i) {
        const SheetAxis& axis = sheet.axes[i];
        const auto warn = [&](std::string message, std::string remedy) {
            all.push_back({int(i), std::move(message), std::move(remedy)});
        };
        const auto outside = [&](double value) { return value < axis.lower - 1e-9 || value > axis.upper + 1e-9; };
        const std::string range = fmt::format("{} to {}", amount(axis, axis.lower), amount(axis, axis.upper));
        if (drawing && std::abs(axis.direction.norm() - 1) > 1e-6)
            warn(fmt::format("Axis {}: its direction has length {:.4g}, not 1. It is brought to length 1.", i + 1,
                             axis.direction.norm()),
                 "Check its three numbers.");
        const double home = i < size_t(sheet.home.size()) ? sheet.home[Eigen::Index(i)] : 0;
        if (outside(home))
            warn(fmt::format("Axis {}: home ({}) is outside its range, {}.", i + 1, amount(axis, home), range),
                 "Move home, or correct the range.");
        if (outside(axis.drawn)) {
            if (!outside(-axis.drawn) && axis.drawn != 0)
                warn(fmt::format("Axis {}: the drawing's posture ({}) is outside its range, {}, but its opposite is "
                                 "inside: the axis seems inverted.",
                                 i + 1, amount(axis, axis.drawn), range),
                     "Reverse the axis, or correct the value in the drawing.");
            else
                warn(fmt::format("Axis {}: the drawing's posture ({}) is outside its range, {}.", i + 1,
                                 amount(axis, axis.drawn), range),
                     "Range and drawing count from different zeros: correct one of them.");
        }
    }
    // Two turning axes on one line do the work of one: mostly a row too many.
    const Result<ArmDescription> described = describe(sheet);
    const Result<ArmPtr> arm = described ? Arm::make(*described) : Result<ArmPtr>(described.error());
    if (arm) {
        ChainFrames zero;
        chainFrames(**arm, JointVector::Zero((*arm)->jointCount()), zero);
        for (size_t i = 1; i < sheet.axes.size(); ++i) {
            if (sheet.axes[i].kind != JointKind::Revolute || sheet.axes[i - 1].kind != JointKind::Revolute) continue;
            const Vec3 before = zero.joints[i - 1].rotation.col(2), own = zero.joints[i].rotation.col(2),
                       apart = zero.joints[i].origin - zero.joints[i - 1].origin;
            if (before.cross(own).norm() < 1e-6 && before.cross(apart).norm() < 1e-6)
                all.push_back({int(i), fmt::format("Axes {} and {} turn about the same line.", i, i + 1),
                               "Take one of them away, or correct its position or direction."});
        }
        warnOfReach(sheet, **arm, all);
    }
    // Places along the chain; by rows, each link's length set off along one line.
    std::vector<Vec3> places{Vec3::Zero()};
    for (const SheetAxis& axis : sheet.axes)
        places.push_back(drawing ? axis.point : Vec3(places.back() + Vec3(length(axis.a, axis.d), 0, 0)));
    places.push_back(drawing ? sheet.flange.translation
                             : Vec3(places.back() + Vec3(sheet.flange.translation.norm(), 0, 0)));
    const auto lengthWithout = [&](size_t left) {
        double sum = 0;
        const Vec3* before = nullptr;
        for (size_t i = 0; i < places.size(); ++i) {
            if (i == left) continue;
            if (before) sum += (places[i] - *before).norm();
            before = &places[i];
        }
        return sum;
    };
    const double whole = lengthWithout(places.size());
    if (!sheet.axes.empty() && whole < 1e-3)
        all.push_back({-1, "The arm has no length: every axis and the flange are at the same place.",
                       "Enter the axis positions, in millimetres."});
    // A place without which the arm would be far shorter: a number with a digit too many, or one in another unit or
    // from another origin.
    for (size_t i = 1; i < places.size() && drawing && places.size() > 3; ++i) {
        const double rest = lengthWithout(i);
        if (whole - rest < 0.5 || whole < 4 * rest) continue;
        const bool flange = i + 1 == places.size();
        all.push_back({flange ? -1 : int(i) - 1,
                       fmt::format("{} stands {:.0f} mm from the one before, while the rest of the arm is {:.0f} mm "
                                   "long: the arm comes apart there.",
                                   flange ? std::string("The flange") : fmt::format("Axis {}", i),
                                   millimetres((places[i] - places[i - 1]).norm()), millimetres(rest)),
                       "Positions count from the base, not from the axis before. Check the unit."});
    }
    if (drawing) warnOfSigns(sheet, all);
    return all;
}

}  // namespace topikos
