#pragma once
#include "core/cell/ids.h"
#include "core/shape/solid.h"
#include "core/spatial/pose.h"

namespace topikos {

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

}  // namespace topikos
