#pragma once
#include "core/motion/move.h"
#include "core/robot/arm.h"
#include "core/robot/inverse.h"
#include "core/shape/solid.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <cstdint>
#include <string>
#include <vector>

namespace topikos {

/// Identity of an object in a cell: stable under renaming, never used twice, 0 for none. One type per kind of object.
template <class Kind>
struct Id {
    std::uint32_t value = 0;
    explicit operator bool() const { return value != 0; }
    auto operator<=>(const Id&) const = default;
};
using FrameId = Id<struct FrameKind>;
using ToolId = Id<struct ToolKind>;
using PartId = Id<struct PartKind>;
using TargetId = Id<struct TargetTag>;
using RoutineId = Id<struct RoutineKind>;
using StepId = Id<struct StepTag>;

/// A place in the cell, with the fixture that stands there. The world is the frame with id 0 and is not stored.
struct Frame {
    FrameId id;
    std::string name;
    FrameId parent;
    Pose pose;  ///< parentFromFrame
    std::vector<Solid> solids;
};

/// Two jaws that move apart along x of the tool centre point.
struct Gripper {
    double open = 0.1, closed = 0.05;  ///< distance of the jaws' inner faces [m]
    double time = 0.3;                 ///< to open or close [s]
    double grasp = 0.03;               ///< a part is gripped when its origin is this near to the TCP [m]
};

struct Tool {
    ToolId id;
    std::string name;
    Pose flangeFromTcp;
    double mass = 0;                        ///< [kg]
    Vec3 centreOfMass = Vec3::Zero();       ///< in the flange [m]
    Gripper gripper;
    std::vector<Solid> body;  ///< in the flange
    std::vector<Solid> jaw;   ///< in the TCP frame with the jaws' inner faces together; the other jaw is this one turned half round z
};

struct Part {
    PartId id;
    std::string name;
    FrameId frame;
    Pose pose;  ///< frameFromPart at the start of a run
    std::vector<Solid> solids;
};

/// The arm of the cell, standing on a frame.
struct ArmStation {
    std::string name;
    ArmPtr model;
    FrameId mount;  ///< arm base = this frame
    ToolId tool;    ///< the tool in force
    TargetId home;  ///< a posture target; runs start here
};

/// Where a tool is to go. A pose in a frame with the arm's configuration, or a plain posture.
struct Target {
    enum class Kind { Pose, Posture };
    TargetId id;
    std::string name;
    Kind kind = Kind::Pose;
    FrameId frame;                ///< Pose
    ToolId tool;                  ///< Pose
    Pose pose;                    ///< Pose: frameFromTcp
    Configuration configuration;  ///< Pose
    JointVector posture;          ///< Posture [rad or m]; Pose: as taught, for arms of which a configuration does not name one posture, else empty
};

struct Step {
    enum class Kind { JointMove, Line, Grip, Release, Wait };
    StepId id;
    Kind kind = Kind::JointMove;
    TargetId target;           ///< moves
    double standoff = 0;       ///< moves: stay this far back from the target along the tool's z [m]
    double jointSpeed = 1;     ///< joint moves: fraction of the joints' speed limits, (0, 1]
    double lineSpeed = 0.25;   ///< lines: TCP speed [m/s]
    double blend = 0;          ///< moves: how far before the end the next move may set in [m]
    double seconds = 0.5;      ///< waits
    bool off = false;          ///< left out of the run

    bool isMove() const { return kind == Kind::JointMove || kind == Kind::Line; }
};

struct Routine {
    RoutineId id;
    std::string name;
    std::vector<Step> steps;
};

/// When a finding is raised.
struct Thresholds {
    double jointMargin = 5 * kDegree;  ///< caution when a turning joint comes this near to its range end [rad]
    double slideMargin = 0.010;        ///< the same for a sliding joint [m]
    double wristCaution = 12 * kDegree, wristBlocked = 1.5 * kDegree;  ///< angle between axes 4 and 6 [rad]
    double elbowCaution = 0.060, elbowBlocked = 0.008;                 ///< [m]
    double shoulderCaution = 0.080, shoulderBlocked = 0.010;           ///< [m]
    double directionCaution = 0.03, directionBlocked = 0.003;          ///< other chains: smallest singular value, lengths by the reach

    SingularityBounds cautions() const { return {wristCaution, elbowCaution, shoulderCaution, directionCaution}; }
    SingularityBounds blocks() const { return {wristBlocked, elbowBlocked, shoulderBlocked, directionBlocked}; }
    double margin(JointKind kind) const { return kind == JointKind::Revolute ? jointMargin : slideMargin; }
};

/// What lines do beside their own speed.
struct LineLimits {
    double acceleration = 2;      ///< TCP [m/s^2]
    double turnSpeed = 3;         ///< [rad/s]
    double turnAcceleration = 10; ///< [rad/s^2]
};

/// The document. A plain value; copies are cheap enough to keep one per edit.
struct Cell {
    std::string name;
    std::uint32_t nextId = 1;
    ArmStation arm;
    std::vector<Frame> frames;
    std::vector<Tool> tools;
    std::vector<Part> parts;
    std::vector<Target> targets;
    std::vector<Routine> routines;
    Thresholds thresholds;
    LineLimits lineLimits;
    AngleOrder angles = AngleOrder::FixedXyz;  ///< convention in which orientations are shown and typed
};

/// Linear look-ups; nullptr when the id is not there.
const Frame* findFrame(const Cell& cell, FrameId id);
const Tool* findTool(const Cell& cell, ToolId id);
const Part* findPart(const Cell& cell, PartId id);
const Target* findTarget(const Cell& cell, TargetId id);
const Routine* findRoutine(const Cell& cell, RoutineId id);

/// Name of a frame; "World" for id 0.
std::string frameName(const Cell& cell, FrameId id);

/// Placement of a frame in the world. The tree is free of loops (the file reader and the edits see to it).
Pose worldFromFrame(const Cell& cell, FrameId id);
Pose worldFromBase(const Cell& cell);
Pose worldFromPart(const Cell& cell, const Part& part);

/// TCP placement at a posture, in base and in any frame, with the tool in force.
Pose baseFromTcp(const Cell& cell, const JointVector& posture);
Pose frameFromTcp(const Cell& cell, FrameId frame, const JointVector& posture);

/// Where the TCP has to be, in arm base, for a pose target, `standoff` [m] back along the tool's z.
Pose baseFromTarget(const Cell& cell, const Target& target, double standoff = 0);

/// Flange placement in base for a pose target.
Pose baseFromFlange(const Cell& cell, const Target& target, double standoff = 0);

/// Whether pose targets of this arm keep the posture they were taught with: its configurations, if it has any, leave something open.
bool keepsPosture(const Arm& arm);
/// What inverse kinematics finds for a pose target, near the posture it was taught with, or near `from`.
Solutions waysTo(const Cell& cell, const Target& target, double standoff = 0, const JointVector* from = nullptr);
/// The one of `items` that a pose target means: of its configuration; for arms without configurations the nearest to the posture it was taught
/// with. nullptr if there is none.
const Solution* chosenWay(const Arm& arm, const Target& target, const std::vector<Solution>& items);

const Tool& toolInForce(const Cell& cell);
JointVector homePosture(const Cell& cell);

/// Whether `frame` is `ancestor` or hangs below it.
bool isBelow(const Cell& cell, FrameId frame, FrameId ancestor);

}  // namespace topikos
