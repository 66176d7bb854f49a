#pragma once
#include "core/cell/ids.h"
#include "core/cell/step.h"
#include "core/cell/table.h"
#include "core/robot/arm.h"
#include "core/robot/inverse.h"
#include "core/robot/singularity.h"
#include "core/shape/solid.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <cstdint>
#include <memory>
#include <numbers>
#include <string>
#include <vector>

namespace topikos {

/// How something in the layout is treated on screen; none of it changes what is computed.
struct Look {
    bool hidden = false;
    bool locked = false;  ///< cannot be dragged or picked in the view
    bool operator==(const Look&) const = default;
};

/// How a frame of a device moves: along or about one of its own axes, from where it is placed.
struct FrameAxis {
    JointKind kind = JointKind::Prismatic;
    Vec3 direction = Vec3::UnitX();  ///< in the frame, of length 1
    double lowest = 0, highest = 1;  ///< [m or rad]
    double speed = 0.5;              ///< [m/s or rad/s]
    double acceleration = 1;         ///< [m/s^2 or rad/s^2]
    double value = 0;                ///< at the start of a run [m or rad]
    bool operator==(const FrameAxis&) const = default;
};

/// Where an axis stands.
struct AxisValue {
    FrameId frame;     ///< that moves
    double value = 0;  ///< [m or rad]
    bool operator==(const AxisValue&) const = default;
};
/// Where axes stand that differ from their start; axes that are not named stand there.
using AxisValues = std::vector<AxisValue>;

/// Equipment that acts in a run. It stands in a frame, whose name it has; its axes are frames below that one.
struct Device {
    enum class Kind { Rail, Turntable, Positioner, Belt, Source, Sink, Sensor, Scanner, Clamp, LightBarrier };
    Kind kind = Kind::Rail;
    /// Belt: length along x, width along y, thickness of no meaning. Source, sink, scanner, clamp: edge lengths of the
    /// box about the origin in which it works. Sensor: the beam goes from the origin along x. Light barrier: a curtain
    /// along x and z from the origin. [m]
    Vec3 size{0.2, 0.2, 0.2};
    double speed = 0.2;       ///< Belt [m/s]
    double acceleration = 1;  ///< Belt [m/s^2]
    bool indexing = false;    ///< Belt: goes on by one pitch with each rising edge of the input; else it runs while the
                              ///< input is on, or always
    double pitch = 0.2;       ///< Belt, indexing [m]
    bool accumulates = true;  ///< Belt: parts wait at its end while it goes on under them; else they run off it
    PartKindId makes{};       ///< Source
    double interval = 5;      ///< Source without an input: time between parts [s]
    std::uint32_t most = 20;  ///< Source: parts in a run
    SignalId input{}, output{}, number{};  ///< what they are: see wiresOf()
    bool operator==(const Device&) const = default;
};

/// A place in the cell, with the fixture that stands there. The world is the frame with id 0 and is not stored.
struct Frame {
    FrameId id;
    std::string name;
    FrameId parent;
    Pose pose;  ///< parentFromFrame as drawn
    std::vector<Solid> solids;
    std::optional<Pose> measured{};  ///< parentFromFrame as built; in force while Cell::asBuilt
    Look look{};
    std::optional<FrameAxis> axis{};  ///< it moves, as part of the nearest device above it
    std::optional<Device> device{};   ///< that stands here
    bool operator==(const Frame&) const = default;
};

/// Jaws that move apart along x of the tool centre point, or a suction cup.
struct Gripper {
    enum class Kind { Parallel, Angular, Vacuum };
    double open = 0.1, closed = 0.05;  ///< distance of the jaws' inner faces at the TCP [m]; of no meaning for vacuum
    double time = 0.3;                 ///< to open or close [s]
    double grasp = 0.03;               ///< a part is gripped when its origin is this near to the TCP [m]
    Kind kind = Kind::Parallel;
    double pivot = 0.1;  ///< Angular: distance of the jaws' pivots behind the TCP, along -z [m]
    Vec3 region =
        Vec3::Zero();  ///< edge lengths of a box about the TCP, along its axes, in place of `grasp`; zero: none [m]
    bool operator==(const Gripper&) const = default;
};

/// A further tool centre point.
struct ToolPoint {
    TcpId id;
    std::string name;
    Pose flangeFromTcp;
    bool operator==(const ToolPoint&) const = default;
};

/// How deep the tip of a tool at work may be in the body that it works on, unless its process says so [m].
inline constexpr double kProcessDepth = 5e-4;

/// Something that a tool does while it goes: spraying, wiping.
struct Process {
    ProcessId id;
    std::string name;
    SignalId signal{};  ///< that switches it; digital
    double lead = 0;  ///< it is switched so long before the arm comes to the step, if the move before takes so long [s]
    double depth = kProcessDepth;  ///< of the tip in the body that it works on, along the tool's axis [m]
    bool operator==(const Process&) const = default;
};

struct Tool {
    ToolId id;
    std::string name;
    Pose flangeFromTcp;
    double mass = 0;                   ///< [kg]
    Vec3 centreOfMass = Vec3::Zero();  ///< in the flange [m]
    Gripper gripper;
    std::vector<Solid> body;  ///< in the flange
    std::vector<Solid>
        jaw;  ///< in the TCP frame with the jaws' inner faces together; the other jaw is this one turned half round z
    std::uint32_t number = 0;     ///< under which the controller knows the tool; 0: none
    Vec3 inertia = Vec3::Zero();  ///< moments about axes through the centre of mass, parallel to the flange [kg m^2]
    std::vector<ToolPoint> points{};  ///< beside flangeFromTcp, which has the id 0
    std::vector<Process> processes{};
    bool operator==(const Tool&) const = default;
};

/// How far the way a target is reached may depart from how it was taught without anybody minding.
struct Freedom {
    enum class Kind {
        Fixed,
        Turn,   ///< about the tool's axis, all round
        Cone,   ///< the tool's axis leans by up to `angle`, and turns about it are free too
        Slide,  ///< along an axis of the target, by up to `length` either way
        Within  ///< a turn about the tool's axis of up to `angle` either way
    };
    Kind kind = Kind::Fixed;
    double angle = 0;   ///< [rad]
    double length = 0;  ///< [m]
    int axis = 0;       ///< Slide: 0 to 2: x, y, z of the target
    bool operator==(const Freedom&) const = default;
};

/// How the tool comes to a target, or leaves it: on a straight way along an axis, which begins (or ends) `far` off the
/// target and has a second point `near` off it.
struct Approach {
    enum class Along { Tool, Frame, World };  ///< Frame: that the target is seen from
    Along along = Along::Tool;
    int axis = 2;          ///< 0 to 2: x, y, z
    bool negative = true;  ///< against the axis
    double far = 0.05;     ///< [m]
    double near = 0;       ///< at most `far`; 0: at the target [m]
    bool operator==(const Approach&) const = default;
};

/// A place where parts of a kind can be taken.
struct GripPoint {
    std::string name;
    Pose pose;  ///< partFromTcp
    Freedom freedom{};
    bool operator==(const GripPoint&) const = default;
};

/// What several parts have in common.
struct PartKind {
    PartKindId id;
    std::string name;
    double mass = 0;  ///< [kg]; 0 when unknown
    std::vector<Solid> solids;
    std::vector<GripPoint> grips{};  ///< the first one that reaches best is taken
    bool operator==(const PartKind&) const = default;
};

struct Part {
    PartId id;
    std::string name;
    PartKindId kind;
    FrameId frame;
    Pose pose;  ///< frameFromPart at the start of a run
    Look look{};
    PatternId pattern{};      ///< it belongs to, if any
    std::uint32_t place = 0;  ///< in the pattern
    bool operator==(const Part&) const = default;
};

/// A point of a group that is drawn on a body.
struct SurfacePoint {
    std::uint32_t number = 0;     ///< that it is known by; it stays when others come, go or change places
    Vec3 at = Vec3::Zero();       ///< in the body [m]
    Vec3 normal = Vec3::UnitZ();  ///< in the body: out of the surface, of length 1
    double turn = 0;              ///< Drawing::Turn::Free: as chosen [rad]
    bool operator==(const SurfacePoint&) const = default;
};

/// A group of process targets on the surface of a body, in order. How the tool stands at each of them follows from the
/// point, the normal and the way on to the next one: see bodyFromTcp().
struct Drawing {
    enum class Turn {
        Along,  ///< the tool's x axis points along the way
        Fixed,  ///< the tool's x axis lies as near as can be to that of the body
        Free    ///< as along, and further by the turn of each point
    };
    std::vector<SurfacePoint> points;
    bool seam = true;     ///< gone along from point to point; else spots
    bool closed = false;  ///< a seam that leads back to its first point
    double lead = 0;      ///< the tool leans by so much into the way [rad]
    double tilt = 0;      ///< the tool leans by so much to the left of the way, seen from outside [rad]
    double turn = 0;      ///< about the tool's axis [rad]
    double offset = 0;    ///< of the tool point from the surface, outwards [m]
    Turn turns = Turn::Along;
    double radius = 0;         ///< that normals are smoothed over [m]
    PartId part{};             ///< it is drawn on this part; none: on the body of the pattern's frame
    std::uint32_t family = 0;  ///< groups of a family show the same points, one on each part of the kind; 0: none
    bool operator==(const Drawing&) const = default;
};

/// Places that repeat in a frame, each with a part or a target. One edit changes all of them.
struct Pattern {
    enum class Content { Parts, Targets };
    enum class Layout { Grid, Ring, Drawn };
    enum class Order { Rows, Serpentine, Nearest };
    PatternId id;
    std::string name;
    Content content = Content::Parts;
    FrameId frame;
    Pose first;  ///< in the frame; all places have its orientation, on a ring turned with it. Ring: the centre. Drawn:
                 ///< the body
    Layout layout = Layout::Grid;
    Order order = Order::Rows;
    std::uint32_t columns = 2, rows = 2,
                  layers = 1;             ///< along x, y, z of `first`. Ring: columns places, layers above each other
    Vec3 pitch{0.1, 0.1, 0.1};            ///< distance of neighbours [m]. Ring: radius, ignored, layers
    double stagger = 0;                   ///< shift of every second row along x, as a fraction of the pitch, [0, 1)
    double sweep = 2 * std::numbers::pi;  ///< Ring: angle from the first place round to the end [rad]; full turns leave
                                          ///< no doubled place
    std::vector<std::uint32_t> leftOut{};  ///< places, counted along x, then y, then z, from 0
    PartKindId kind{};                     ///< Parts
    ArmId arm{};                           ///< Targets
    ToolId tool{};                         ///< Targets
    Configuration configuration{};         ///< Targets: of new ones
    AxisValues axes{};                     ///< Targets: see Target
    Approach approach{}, retract{};        ///< Targets: of all places
    PatternId follows{};  ///< Targets: its places are where this pattern of parts has its own; none: they are its own
    Pose inPlace{};       ///< Targets: of each target, seen from its place
    Drawing drawing{};    ///< Drawn
    bool operator==(const Pattern&) const = default;
};

/// An arm of the cell, standing on a frame.
struct ArmStation {
    ArmId id;
    std::string name;
    ArmPtr model;
    FrameId mount;       ///< arm base = this frame
    ToolId tool;         ///< the tool in force
    TargetId home;       ///< a posture target; runs start here
    TcpId tcp{};         ///< the point of the tool in force
    RoutineId main{};    ///< the routine of the arm that runs
    double padding = 0;  ///< that bodies made from the data sheet get on all sides for contact [m]
    /// Models count as equal when their descriptions are.
    bool operator==(const ArmStation& other) const;
};

/// What a pose target goes with beside its frame: a part, where it lies at the start of a run, or another pose target.
struct Tie {
    PartId part{};
    TargetId target{};
    Pose pose;  ///< of the target in that of the part or the other target
    bool operator==(const Tie&) const = default;
};

/// Where a tool is to go. A pose in a frame with the arm's configuration, or a plain posture.
struct Target {
    enum class Kind { Pose, Posture };
    TargetId id;
    std::string name;
    ArmId arm;  ///< that goes there
    Kind kind = Kind::Pose;
    FrameId frame;                ///< Pose
    ToolId tool;                  ///< Pose
    Pose pose;                    ///< Pose: frameFromTcp
    Configuration configuration;  ///< Pose
    JointVector posture;  ///< Posture [rad or m]; Pose: as taught, for arms of which a configuration does not name one
                          ///< posture, else empty
    TcpId tcp{};          ///< Pose: point of the tool
    PatternId pattern{};  ///< Pose: it belongs to, if any
    std::uint32_t place = 0;  ///< in the pattern
    AxisValues axes{};        ///< device axes that are brought there with the arm; others stay where they are
    std::string group{};      ///< under which it is listed; none: ""
    std::string note{};
    Freedom freedom{};               ///< Pose
    std::optional<Tie> tie{};        ///< Pose: what it goes with; `frame` and `pose` follow, see settled()
    Approach approach{}, retract{};  ///< Pose
    bool operator==(const Target& other) const;
};

/// A named value that devices and routines write and read. Who does follows from them.
struct Signal {
    enum class Kind { Digital, Analogue, Number };
    SignalId id;
    std::string name;
    Kind kind = Kind::Digital;
    double start = 0;  ///< at the start of a run; digital: 0 or 1, number: whole
    bool operator==(const Signal&) const = default;
};

/// A name of a routine's own for a place that each call fills in.
struct Parameter {
    ParameterId id;
    std::string name;
    bool operator==(const Parameter&) const = default;
};

struct Routine {
    RoutineId id;
    std::string name;
    Steps steps;
    ArmId arm{};  ///< that runs it; none: every arm can call it
    std::vector<Parameter> parameters{};
    bool operator==(const Routine&) const = default;
};

/// A motion of an arm from elsewhere, by rows of times and joint values.
struct TimeTable {
    TimeTableId id;
    std::string name;
    ArmId arm{};
    std::shared_ptr<const TimeRows> rows{};  ///< always there
    bool operator==(const TimeTable& other) const;
};

/// When a finding is raised.
struct Thresholds {
    double jointMargin = 5 * kDegree;  ///< caution when a turning joint comes this near to its range end [rad]
    double slideMargin = 0.010;        ///< the same for a sliding joint [m]
    double wristCaution = 12 * kDegree, wristBlocked = 1.5 * kDegree;  ///< angle between axes 4 and 6 [rad]
    double elbowCaution = 0.060, elbowBlocked = 0.008;                 ///< [m]
    double shoulderCaution = 0.080, shoulderBlocked = 0.010;           ///< [m]
    double directionCaution = 0.03,
           directionBlocked = 0.003;  ///< other chains: smallest singular value, lengths by the reach

    double clearance = 0.002;  ///< caution when two bodies come nearer to each other than this [m]

    SingularityBounds cautions() const { return {wristCaution, elbowCaution, shoulderCaution, directionCaution}; }
    SingularityBounds blocks() const { return {wristBlocked, elbowBlocked, shoulderBlocked, directionBlocked}; }
    double margin(JointKind kind) const { return kind == JointKind::Revolute ? jointMargin : slideMargin; }
    bool operator==(const Thresholds&) const = default;
};

/// What lines do beside their own speed.
struct LineLimits {
    double acceleration = 2;       ///< TCP [m/s^2]
    double turnSpeed = 3;          ///< [rad/s]
    double turnAcceleration = 10;  ///< [rad/s^2]
    bool operator==(const LineLimits&) const = default;
};

/// A body that contact is asked of: a link of an arm (0 the base, i moves with joint i), its tool in force, or a frame
/// with its shapes.
struct ContactMember {
    enum class Kind { Link, Tool, Frame };
    Kind kind = Kind::Link;
    std::uint32_t id = 0;  ///< number of the link, or id of the frame; 0 for the tool
    ArmId arm{};           ///< of links and tools
    auto operator<=>(const ContactMember&) const = default;
};

/// Whether two bodies are checked for contact, and why.
struct ContactPair {
    enum class Reason { Sometimes, Adjacent, Always, Never, ByHand };
    ContactMember a, b;  ///< in the order of contactMembers()
    bool checked = true;
    Reason reason = Reason::Sometimes;
    std::uint32_t touched = 0;        ///< of the samples
    std::optional<double> caution{};  ///< clearance asked for, in place of the cell's [m]
    bool operator==(const ContactPair&) const = default;
};
struct ContactPairs {
    std::uint32_t samples = 0;  ///< 0: not sampled
    std::uint32_t seed = 0;
    std::vector<ContactPair> pairs;
    bool operator==(const ContactPairs&) const = default;
};

/// A caution or advice that somebody has looked at and lets stand. It holds as long as its subject reads as it did
/// then.
struct Accepted {
    std::string rule;         ///< "advice-unused", "joint-range", …
    std::uint32_t about = 0;  ///< id of the step, target, routine, signal or arm
    std::string reads;        ///< step text or name at that time, and of a caution what was measured
    std::string reason;
    bool operator==(const Accepted&) const = default;
};

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
