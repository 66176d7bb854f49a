#include "core/cell/cell.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

template <class Object, class IdType>
const Object* find(const std::vector<Object>& objects, IdType id)
{
    const auto it = std::find_if(objects.begin(), objects.end(), [id](const Object& o) { return o.id == id; });
    return it == objects.end() ? nullptr : &*it;
}

}  // namespace

const Frame* findFrame(const Cell& cell, FrameId id) { return find(cell.frames, id); }
const Tool* findTool(const Cell& cell, ToolId id) { return find(cell.tools, id); }
const PartKind* findPartKind(const Cell& cell, PartKindId id) { return find(cell.partKinds, id); }
const Pattern* findPattern(const Cell& cell, PatternId id) { return find(cell.patterns, id); }
const Part* findPart(const Cell& cell, PartId id) { return find(cell.parts, id); }
const Target* findTarget(const Cell& cell, TargetId id) { return find(cell.targets, id); }
const Routine* findRoutine(const Cell& cell, RoutineId id) { return find(cell.routines, id); }

std::string frameName(const Cell& cell, FrameId id)
{
    const Frame* frame = findFrame(cell, id);
    return frame ? frame->name : "World";
}

Pose worldFromFrame(const Cell& cell, FrameId id)
{
    const Frame* frame = findFrame(cell, id);
    return frame ? worldFromFrame(cell, frame->parent) * placeInForce(cell, *frame) : Pose{};
}

const Pose& placeInForce(const Cell& cell, const Frame& frame) { return cell.asBuilt && frame.measured ? *frame.measured : frame.pose; }

Pose worldFromBase(const Cell& cell) { return worldFromFrame(cell, cell.arm.mount); }

Pose worldFromPart(const Cell& cell, const Part& part) { return worldFromFrame(cell, part.frame) * part.pose; }

bool keepsPosture(const Arm& arm) { return !arm.hasConfigurations() || arm.freeJoints().size() > 6; }

Solutions waysTo(const Cell& cell, const Target& target, double standoff, const JointVector* from)
{
    const Arm& arm = *cell.arm.model;
    const bool taught = keepsPosture(arm) && target.posture.size() == arm.jointCount();
    return inverseKinematics(arm, baseFromFlange(cell, target, standoff), taught ? &target.posture : from);
}

const Solution* chosenWay(const Arm& arm, const Target& target, const std::vector<Solution>& items)
{
    if (arm.hasConfigurations()) return withConfiguration(items, target.configuration);
    if (target.posture.size() != arm.jointCount()) return items.empty() ? nullptr : &items.front();
    return nearestTo(items, target.posture);
}

const Tool& toolInForce(const Cell& cell)
{
    const Tool* tool = findTool(cell, cell.arm.tool);
    require(tool, "the arm's tool is in the cell");
    return *tool;
}

const Pose& flangeFromTcp(const Tool& tool, TcpId tcp)
{
    const ToolPoint* point = find(tool.points, tcp);
    return point ? point->flangeFromTcp : tool.flangeFromTcp;
}

const Pose& flangeFromTcp(const Cell& cell) { return flangeFromTcp(toolInForce(cell), cell.arm.tcp); }

std::vector<Pose> jawPlaces(const Gripper& gripper, double opening)
{
    if (gripper.kind == Gripper::Kind::Vacuum) return {Pose{}};
    Pose side = translated({opening / 2, 0, 0});
    if (gripper.kind == Gripper::Kind::Angular) {
        // About the pivot, so that the tips are that far apart.
        const double angle = std::asin(std::clamp(opening / 2 / gripper.pivot, -1.0, 1.0));
        side = translated({0, 0, -gripper.pivot}) * Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(angle, Vec3::UnitY()))} * translated({0, 0, gripper.pivot});
    }
    const Pose halfTurn{Vec3::Zero(), Quat(0, 0, 0, 1)};
    return {side, halfTurn * side};
}

bool inGrasp(const Gripper& gripper, const Pose& tcpFromPart)
{
    if (gripper.region.isZero()) return tcpFromPart.translation.norm() <= gripper.grasp;
    return (tcpFromPart.translation.cwiseAbs() - 0.5 * gripper.region).maxCoeff() <= 0;
}

const std::vector<Solid>& partSolids(const Cell& cell, const Part& part)
{
    const PartKind* kind = findPartKind(cell, part.kind);
    require(kind, "the part's kind is in the cell");
    return kind->solids;
}

JointVector homePosture(const Cell& cell)
{
    const Target* home = findTarget(cell, cell.arm.home);
    require(home && home->kind == Target::Kind::Posture, "home is a posture of the cell");
    return home->posture;
}

Pose baseFromTcp(const Cell& cell, const JointVector& posture) { return forward(*cell.arm.model, posture) * flangeFromTcp(cell); }

Pose frameFromTcp(const Cell& cell, FrameId frame, const JointVector& posture)
{
    return inverse(worldFromFrame(cell, frame)) * worldFromBase(cell) * baseFromTcp(cell, posture);
}

Pose baseFromTarget(const Cell& cell, const Target& target, double standoff)
{
    require(target.kind == Target::Kind::Pose, "the target is a pose");
    return inverse(worldFromBase(cell)) * worldFromFrame(cell, target.frame) * target.pose * translated({0, 0, -standoff});
}

Pose baseFromFlange(const Cell& cell, const Target& target, double standoff)
{
    const Tool* tool = findTool(cell, target.tool);
    require(tool, "the target's tool is in the cell");
    return baseFromTarget(cell, target, standoff) * inverse(flangeFromTcp(*tool, target.tcp));
}

bool isBelow(const Cell& cell, FrameId frame, FrameId ancestor)
{
    for (FrameId id = frame; id; id = findFrame(cell, id)->parent)
        if (id == ancestor) return true;
    return !ancestor;
}

}  // namespace topikos
