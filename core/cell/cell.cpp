#include "core/cell/cell.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace topikos {

bool ArmStation::operator==(const ArmStation& o) const
{
    return id == o.id && name == o.name && (model == o.model || sameDescription(*model, *o.model)) && mount == o.mount
           && tool == o.tool && home == o.home && tcp == o.tcp && main == o.main && padding == o.padding;
}

bool TimeTable::operator==(const TimeTable& o) const
{
    return id == o.id && name == o.name && arm == o.arm && (rows == o.rows || *rows == *o.rows);
}

bool Target::operator==(const Target& o) const
{
    return id == o.id && name == o.name && arm == o.arm && kind == o.kind && frame == o.frame && tool == o.tool
           && pose == o.pose && configuration == o.configuration && sameValues(posture, o.posture) && tcp == o.tcp
           && pattern == o.pattern && place == o.place && axes == o.axes && group == o.group && note == o.note
           && freedom == o.freedom && tie == o.tie && approach == o.approach && retract == o.retract;
}

const Frame* findFrame(const Cell& cell, FrameId id) { return cell.frames.find(id); }
const Process* findProcess(const Cell& cell, ProcessId id)
{
    for (const Tool& tool : cell.tools)
        for (const Process& process : tool.processes)
            if (process.id == id) return &process;
    return nullptr;
}
const Tool* findTool(const Cell& cell, ToolId id) { return cell.tools.find(id); }
const PartKind* findPartKind(const Cell& cell, PartKindId id) { return cell.partKinds.find(id); }
const Pattern* findPattern(const Cell& cell, PatternId id) { return cell.patterns.find(id); }
const Part* findPart(const Cell& cell, PartId id) { return cell.parts.find(id); }
const Target* findTarget(const Cell& cell, TargetId id) { return cell.targets.find(id); }
const Routine* findRoutine(const Cell& cell, RoutineId id) { return cell.routines.find(id); }
const Signal* findSignal(const Cell& cell, SignalId id) { return cell.signals.find(id); }
const TimeTable* findTimeTable(const Cell& cell, TimeTableId id) { return cell.timeTables.find(id); }
const ArmStation* findArm(const Cell& cell, ArmId id) { return cell.arms.find(id); }

namespace {

const ArmStation& knownArm(const Cell& cell, ArmId id)
{
    const ArmStation* arm = findArm(cell, id);
    require(arm, "the arm is in the cell");
    return *arm;
}

}  // namespace

const ArmStation& armOf(const Cell& cell, const Target& target) { return knownArm(cell, target.arm); }
const ArmStation& armOf(const Cell& cell, const Routine& routine)
{
    return routine.arm ? knownArm(cell, routine.arm) : cell.arms.front();
}

const Routine& routineOf(const Cell& cell, const ArmStation& arm)
{
    const Routine* main = findRoutine(cell, arm.main);
    require(main && main->arm == arm.id, "the arm has a main routine");
    return *main;
}

std::string frameName(const Cell& cell, FrameId id)
{
    const Frame* frame = findFrame(cell, id);
    return frame ? frame->name : "World";
}

Pose axisMotion(const FrameAxis& axis, double value)
{
    if (axis.kind == JointKind::Prismatic) return translated(value * axis.direction);
    return {Vec3::Zero(), Quat(Eigen::AngleAxisd(value, axis.direction))};
}

double axisValue(const Frame& frame, const AxisValues& axes)
{
    for (const AxisValue& a : axes)
        if (a.frame == frame.id) return a.value;
    return frame.axis ? frame.axis->value : 0;
}

AxisValues overlaid(const AxisValues& axes, const AxisValues& over)
{
    AxisValues out = over;
    for (const AxisValue& a : axes)
        if (std::none_of(over.begin(), over.end(), [&](const AxisValue& o) { return o.frame == a.frame; }))
            out.push_back(a);
    return out;
}

std::vector<FrameId> axesOf(const Cell& cell, FrameId device)
{
    std::vector<FrameId> out;
    for (const Frame& frame : cell.frames)
        if (frame.axis && deviceOfAxis(cell, frame.id) == device) out.push_back(frame.id);
    // Side by side they go by their ids, so that the order of the file has no say.
    const auto depth = [&](FrameId id) {
        int levels = 0;
        for (; id; id = findFrame(cell, id)->parent)
            ++levels;
        return levels;
    };
    std::sort(out.begin(), out.end(),
              [&](FrameId a, FrameId b) { return std::pair(depth(a), a) < std::pair(depth(b), b); });
    return out;
}

FrameId deviceOfAxis(const Cell& cell, FrameId axis)
{
    const Frame* frame = findFrame(cell, axis);
    if (!frame || !frame->axis) return {};
    for (frame = findFrame(cell, frame->parent); frame; frame = findFrame(cell, frame->parent))
        if (frame->device) return frame->id;
    return {};
}

std::vector<FrameId> axesBetween(const Cell& cell, FrameId a, FrameId b)
{
    std::vector<FrameId> out;
    for (const auto& [from, other] : {std::pair(a, b), std::pair(b, a)})
        for (FrameId id = from; id && !isBelow(cell, other, id); id = findFrame(cell, id)->parent)
            if (findFrame(cell, id)->axis) out.push_back(id);
    return out;
}

Pose worldFromFrame(const Cell& cell, FrameId id, const AxisValues& axes)
{
    const Frame* frame = findFrame(cell, id);
    if (!frame) return Pose{};
    const Pose place = worldFromFrame(cell, frame->parent, axes) * placeInForce(cell, *frame);
    return frame->axis ? place * axisMotion(*frame->axis, axisValue(*frame, axes)) : place;
}

const Pose& placeInForce(const Cell& cell, const Frame& frame)
{
    return cell.asBuilt && frame.measured ? *frame.measured : frame.pose;
}

Pose worldFromBase(const Cell& cell, const ArmStation& arm, const AxisValues& axes)
{
    return worldFromFrame(cell, arm.mount, axes);
}

Pose worldFromPart(const Cell& cell, const Part& part, const AxisValues& axes)
{
    return worldFromFrame(cell, part.frame, axes) * part.pose;
}

bool keepsPosture(const Arm& arm) { return !arm.hasConfigurations() || arm.freeJoints().size() > 6; }

Solutions waysTo(const Cell& cell, const Target& target, const Standoff& standoff, const JointVector* from,
                 const AxisValues& axes)
{
    const Arm& arm = *armOf(cell, target).model;
    const bool taught = keepsPosture(arm) && target.posture.size() == arm.jointCount();
    return inverseKinematics(arm, baseFromFlange(cell, target, standoff, axes), taught ? &target.posture : from);
}

const Solution* chosenWay(const Arm& arm, const Target& target, const std::vector<Solution>& items)
{
    return chosenWay(arm, target.configuration, target.posture, items);
}

const Tool& toolInForce(const Cell& cell, const ArmStation& arm)
{
    const Tool* tool = findTool(cell, arm.tool);
    require(tool, "the arm's tool is in the cell");
    return *tool;
}

const Pose& flangeFromTcp(const Tool& tool, TcpId tcp)
{
    for (const ToolPoint& point : tool.points)
        if (point.id == tcp) return point.flangeFromTcp;
    return tool.flangeFromTcp;
}

const Pose& flangeFromTcp(const Cell& cell, const ArmStation& arm)
{
    return flangeFromTcp(toolInForce(cell, arm), arm.tcp);
}

std::vector<Pose> jawPlaces(const Gripper& gripper, double opening)
{
    if (gripper.kind == Gripper::Kind::Vacuum) return {Pose{}};
    Pose side = translated({opening / 2, 0, 0});
    if (gripper.kind == Gripper::Kind::Angular) {
        // About the pivot, so that the tips are that far apart.
        const double angle = std::asin(std::clamp(opening / 2 / gripper.pivot, -1.0, 1.0));
        side = translated({0, 0, -gripper.pivot}) * Pose{Vec3::Zero(), Quat(Eigen::AngleAxisd(angle, Vec3::UnitY()))}
               * translated({0, 0, gripper.pivot});
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

JointVector homePosture(const Cell& cell, const ArmStation& arm)
{
    const Target* home = findTarget(cell, arm.home);
    require(home && home->kind == Target::Kind::Posture, "home is a posture of the cell");
    return home->posture;
}

Pose baseFromTcp(const Cell& cell, const ArmStation& arm, const JointVector& posture)
{
    return forward(*arm.model, posture) * flangeFromTcp(cell, arm);
}

Pose worldFromTcp(const Cell& cell, const ArmStation& arm, const JointVector& posture, const AxisValues& axes)
{
    return worldFromBase(cell, arm, axes) * baseFromTcp(cell, arm, posture);
}

Pose frameFromTcp(const Cell& cell, const ArmStation& arm, FrameId frame, const JointVector& posture,
                  const AxisValues& axes)
{
    return inverse(worldFromFrame(cell, frame, axes)) * worldFromTcp(cell, arm, posture, axes);
}

double distanceOff(const Target& target, const Standoff& standoff)
{
    switch (standoff.stage) {
    case Stage::Over: break;
    case Stage::Approach: return target.approach.far;
    case Stage::NearApproach: return target.approach.near;
    case Stage::Retract: return target.retract.far;
    case Stage::NearRetract: return target.retract.near;
    }
    return standoff.over;
}

Pose frameFromTarget(const Cell& cell, const Target& target, const Standoff& standoff, const AxisValues& axes)
{
    const bool comes = standoff.stage == Stage::Approach || standoff.stage == Stage::NearApproach;
    const Approach way = standoff.stage == Stage::Over ? Approach() : comes ? target.approach : target.retract;
    const Vec3 off = (way.negative ? -1 : 1) * distanceOff(target, standoff) * Vec3::Unit(way.axis);
    switch (way.along) {
    case Approach::Along::Tool: break;
    case Approach::Along::Frame: return translated(off) * target.pose;
    case Approach::Along::World:
        return translated(worldFromFrame(cell, target.frame, axes).rotation.conjugate() * off) * target.pose;
    }
    return target.pose * translated(off);
}

Pose baseFromTarget(const Cell& cell, const Target& target, const Standoff& standoff, const AxisValues& axes)
{
    require(target.kind == Target::Kind::Pose, "the target is a pose");
    const AxisValues there = overlaid(axes, target.axes);
    return inverse(worldFromBase(cell, armOf(cell, target), there)) * worldFromFrame(cell, target.frame, there)
           * frameFromTarget(cell, target, standoff, there);
}

Pose baseFromFlange(const Cell& cell, const Target& target, const Standoff& standoff, const AxisValues& axes)
{
    const Tool* tool = findTool(cell, target.tool);
    require(tool, "the target's tool is in the cell");
    return baseFromTarget(cell, target, standoff, axes) * inverse(flangeFromTcp(*tool, target.tcp));
}

bool isBelow(const Cell& cell, FrameId frame, FrameId ancestor)
{
    for (FrameId id = frame; id; id = findFrame(cell, id)->parent)
        if (id == ancestor) return true;
    return !ancestor;
}

}  // namespace topikos
