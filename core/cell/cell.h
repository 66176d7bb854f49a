#pragma once
#include "core/cell/frames.h"
#include "core/cell/parts.h"
#include "core/cell/patterns.h"
#include "core/cell/routines.h"
#include "core/cell/rules.h"
#include "core/cell/stations.h"
#include "core/cell/table.h"
#include "core/cell/targets.h"
#include "core/cell/tools.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <cstdint>
#include <memory>
#include <numbers>
#include <string>
#include <vector>

namespace topikos {

/// The document. A plain value; copies are cheap enough to keep one per edit.
struct Cell {
    std::string name;
    std::uint32_t nextId = 1;
    Table<ArmStation> arms;  ///< at least one
    Table<Frame> frames;
    Table<Tool> tools;
    Table<PartKind> partKinds;
    Table<Part> parts;
    Table<Pattern> patterns;
    Table<Target> targets;
    Table<Signal> signals;
    Table<TimeTable> timeTables{};
    Table<Routine> routines;  ///< at least one of each arm
    Thresholds thresholds;
    LineLimits lineLimits;
    AngleOrder angles = AngleOrder::FixedXyz;  ///< convention in which orientations are shown and typed
    ContactPairs contact;
    std::vector<Accepted> accepted{};
    bool asBuilt = true;  ///< frames stand where they were measured, if they were
    bool operator==(const Cell&) const = default;
};

/// nullptr when the id is not there.
const Frame* findFrame(const Cell& cell, FrameId id);
const Tool* findTool(const Cell& cell, ToolId id);
const Part* findPart(const Cell& cell, PartId id);
const PartKind* findPartKind(const Cell& cell, PartKindId id);
const Pattern* findPattern(const Cell& cell, PatternId id);
const Target* findTarget(const Cell& cell, TargetId id);
const Routine* findRoutine(const Cell& cell, RoutineId id);
const Signal* findSignal(const Cell& cell, SignalId id);
const TimeTable* findTimeTable(const Cell& cell, TimeTableId id);
const ArmStation* findArm(const Cell& cell, ArmId id);
const Process* findProcess(const Cell& cell, ProcessId id);

/// The arm that goes to a target, or runs a routine; of a routine that every arm can call, the first one.
const ArmStation& armOf(const Cell& cell, const Target& target);
const ArmStation& armOf(const Cell& cell, const Routine& routine);
/// The main routine of an arm: the one that runs.
const Routine& routineOf(const Cell& cell, const ArmStation& arm);

/// Name of a frame; "World" for id 0.
std::string frameName(const Cell& cell, FrameId id);

/// Placement of a frame in its parent: as measured if that is in force, else as drawn.
const Pose& placeInForce(const Cell& cell, const Frame& frame);
/// What an axis adds to the place of its frame.
Pose axisMotion(const FrameAxis& axis, double value);
/// Where an axis stands: as in `axes`, or at its start.
double axisValue(const Frame& frame, const AxisValues& axes);
/// `axes` with those of `over` in their place.
AxisValues overlaid(const AxisValues& axes, const AxisValues& over);
/// Frames that an axis device moves, nearest to the device first; empty for other frames.
std::vector<FrameId> axesOf(const Cell& cell, FrameId device);
/// The device whose axis a frame is; none for other frames.
FrameId deviceOfAxis(const Cell& cell, FrameId axis);
/// Axes that move one of the two places seen from the other one.
std::vector<FrameId> axesBetween(const Cell& cell, FrameId a, FrameId b);

/// Placement of a frame in the world. The tree is free of loops (the file reader and the edits see to it).
Pose worldFromFrame(const Cell& cell, FrameId id, const AxisValues& axes = {});
Pose worldFromBase(const Cell& cell, const ArmStation& arm, const AxisValues& axes = {});
Pose worldFromPart(const Cell& cell, const Part& part, const AxisValues& axes = {});

/// TCP placement at a posture, in base, in the world and in any frame, with the tool in force.
Pose baseFromTcp(const Cell& cell, const ArmStation& arm, const JointVector& posture);
Pose worldFromTcp(const Cell& cell, const ArmStation& arm, const JointVector& posture, const AxisValues& axes = {});
Pose frameFromTcp(const Cell& cell, const ArmStation& arm, FrameId frame, const JointVector& posture,
                  const AxisValues& axes = {});

/// How far off a target a point on the way to it or away from it is [m].
double distanceOff(const Target& target, const Standoff& standoff);
/// Where the TCP has to be, in the frame that a pose target is seen from, to stand off it. `axes` are where axes stand,
/// the target's own ones among them; they count for ways along axes of the world only.
Pose frameFromTarget(const Cell& cell, const Target& target, const Standoff& standoff, const AxisValues& axes = {});
/// Where the TCP has to be, in arm base, for a pose target. The target's own axes count before `axes`.
Pose baseFromTarget(const Cell& cell, const Target& target, const Standoff& standoff = {}, const AxisValues& axes = {});

/// Flange placement in base for a pose target.
Pose baseFromFlange(const Cell& cell, const Target& target, const Standoff& standoff = {}, const AxisValues& axes = {});

/// Whether pose targets of this arm keep the posture they were taught with: its configurations, if it has any, leave
/// something open.
bool keepsPosture(const Arm& arm);
/// What inverse kinematics finds for a pose target, near the posture it was taught with, or near `from`.
Solutions waysTo(const Cell& cell, const Target& target, const Standoff& standoff = {},
                 const JointVector* from = nullptr, const AxisValues& axes = {});
/// The one of `items` that a pose target means: of its configuration; for arms without configurations the nearest to
/// the posture it was taught with. nullptr if there is none.
const Solution* chosenWay(const Arm& arm, const Target& target, const std::vector<Solution>& items);

const Tool& toolInForce(const Cell& cell, const ArmStation& arm);
/// Flange to one of a tool's points; to the first one for ids the tool does not have.
const Pose& flangeFromTcp(const Tool& tool, TcpId tcp);
/// Flange to the point in force.
const Pose& flangeFromTcp(const Cell& cell, const ArmStation& arm);
/// Where the jaws stand with their tips `opening` [m] apart, each seen from the TCP; one place for vacuum.
std::vector<Pose> jawPlaces(const Gripper& gripper, double opening);
/// Whether a part that lies at `tcpFromPart` is gripped.
bool inGrasp(const Gripper& gripper, const Pose& tcpFromPart);
const std::vector<Solid>& partSolids(const Cell& cell, const Part& part);
JointVector homePosture(const Cell& cell, const ArmStation& arm);

/// Whether `frame` is `ancestor` or hangs below it.
bool isBelow(const Cell& cell, FrameId frame, FrameId ancestor);

}  // namespace topikos
