#include "core/cell/new_cell.h"

#include "core/cell/arms.h"
#include "core/cell/edit.h"
#include "core/cell/edit_support.h"
#include "core/cell/furniture.h"
#include "core/shape/mass.h"

#include <algorithm>

namespace topikos {

namespace {

constexpr Color kDark{90, 102, 109}, kPad{14, 110, 104};
constexpr double kAluminium = 2700;  // [kg/m^3]
constexpr double kOpens = 0.046;     // jaws beyond the part [m]

Solid block(const Vec3& size, const Vec3& middle, const Color& color)
{
    return {Solid::Kind::Box, translated(middle), size, color};
}

Solid rod(double diameter, double from, double to, const Color& color)
{
    return {Solid::Kind::Cylinder, translated({0, 0, 0.5 * (from + to)}), {diameter, diameter, to - from}, color};
}

}  // namespace

Tool readyGripper(Gripper::Kind kind, double widest)
{
    Tool tool;
    tool.name = kind == Gripper::Kind::Vacuum ? "Vacuum cup" : "Gripper jaws";
    tool.gripper.kind = kind;
    if (kind == Gripper::Kind::Vacuum) {
        tool.body = {rod(0.09, 0, 0.03, kDark), rod(0.03, 0.03, 0.11, kSteel), rod(0.05, 0.11, 0.14, kPad)};
        tool.flangeFromTcp = translated({0, 0, 0.14});
    } else {
        const double open = widest + kOpens, reach = 0.06 + 0.2 * widest;
        tool.gripper.closed = widest;
        tool.gripper.open = open;
        tool.gripper.pivot = reach + 0.01;
        tool.body = {rod(0.09, 0, 0.03, kDark), block({open + 0.064, 0.085, 0.05}, {0, 0, 0.055}, kSteel),
                     block({open + 0.104, 0.05, 0.018}, {0, 0, 0.089}, kDark)};
        tool.flangeFromTcp = translated({0, 0, 0.098 + reach});
        // The inner faces of the pads are together at the TCP.
        tool.jaw = {block({0.018, 0.05, reach}, {0.009, 0, -0.5 * reach + 0.003}, kDark),
                    block({0.03, 0.06, 0.03}, {0.015, 0, -reach + 0.015}, kPad)};
    }
    std::vector<Solid> all = tool.body;
    for (Solid solid : tool.jaw)
        for (const double side : {1.0, -1.0}) {
            Solid jaw = solid;
            jaw.pose.translation[0] = side * (solid.pose.translation[0] + 0.5 * tool.gripper.open);
            jaw.pose = tool.flangeFromTcp * jaw.pose;
            all.push_back(jaw);
        }
    const Inertial load = inertialOf(all, kAluminium);
    tool.mass = load.mass;
    tool.centreOfMass = load.centre;
    tool.inertia = load.inertia.diagonal();
    return tool;
}

Result<Cell> addGripper(const Cell& cell, const std::string& name, Gripper::Kind kind, double widest, ToolId* created)
{
    ToolId id;
    const Result<Cell> added = addTool(cell, name, &id);
    if (!added) return added;
    Tool tool = readyGripper(kind, widest);
    tool.id = id;
    tool.name = name;
    if (created) *created = id;
    return changeTool(*added, tool);
}

Result<Cell> newCell(const NewCell& wanted)
{
    Result<Cell> cell = renameCell({}, wanted.name);
    if (!cell) return cell;
    FrameId mount;
    Furniture pedestal = usualFurniture(Furniture::Kind::Pedestal);
    pedestal.height = wanted.baseHeight;
    if (wanted.baseHeight >= kLeastFurniture) {
        cell = addFurniture(*cell, "Pedestal", pedestal, {}, {}, &mount);
    } else {
        // Too low for a pedestal: a plate, or the bare floor.
        cell = addFrame(*cell, "Arm base", {}, translated({0, 0, wanted.baseHeight}), &mount);
        if (cell && wanted.baseHeight > 0)
            cell = setFrameSolids(
                *cell, mount,
                {block({pedestal.width, pedestal.depth, wanted.baseHeight}, {0, 0, -0.5 * wanted.baseHeight}, kSteel)});
    }
    if (!cell) return cell;
    ArmId arm;
    cell = addArm(*cell, "Arm", wanted.arm, mount, &arm);
    if (!cell) return cell;
    const ArmStation station = *findArm(*cell, arm);
    cell = renameTarget(*cell, station.home, "Home");
    if (cell) cell = renameRoutine(*cell, station.main, "Routine 1");
    if (!cell) return cell;
    Tool tool;
    if (wanted.gripper) tool = readyGripper(*wanted.gripper, wanted.widest);
    else tool.name = "Flange";
    tool.id = station.tool;
    return changeTool(*cell, tool);
}

}  // namespace topikos
