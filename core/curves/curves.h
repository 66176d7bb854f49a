#pragma once
#include "core/robot/dynamics.h"
#include "core/simulate/trace.h"

namespace topikos {

class ContactCache;

/// Something of a run that can be drawn over its time.
struct Curve {
    enum class Kind {
        JointPosition,
        JointSpeed,
        JointAcceleration,
        JointTorque,
        ToolSpeed,      ///< of the TCP in the world
        PathError,      ///< distance of the TCP from the lines and arcs of the program, which corners leave
        SingularValue,  ///< smallest of the Jacobian with its linear rows divided by the reach
        Condition,      ///< largest over smallest of these
        Wrist,          ///< distances from singularities
        Elbow,
        Shoulder,
        Clearance,     ///< of what the arm moves from what it does not; what is meant to touch is left out
        AxisPosition,  ///< of a device
        Signal
    };
    Kind kind = Kind::JointPosition;
    ArmId arm{};
    int joint = -1;
    FrameId axis{};
    SignalId signal{};
    bool operator==(const Curve&) const = default;
};

/// "joint-speed", as the command line asks for all of them.
const char* curveWord(Curve::Kind kind);
std::optional<Curve::Kind> curveKind(std::string_view word);
const std::vector<Curve::Kind>& curveKinds();

/// All that a cell has. Torques only of arms with masses.
std::vector<Curve> curvesOf(const Cell& cell);
/// Whether the masses of an arm's links are known.
bool knowsMasses(const Arm& arm);
/// "joint 3 speed", "Loader: TCP speed", "Belt ready".
std::string curveName(const Cell& cell, const Curve& curve);
/// SI unit: "rad/s", "m", "" for none.
const char* curveUnit(const Cell& cell, const Curve& curve);
/// The limit that the curve is to keep, on both sides of zero or as the range of a joint; nothing: there is none.
struct CurveLimits {
    double lower, upper;
};
std::optional<CurveLimits> curveLimits(const Cell& cell, const Curve& curve);

/// Values of curves at times of a run. Exact at any time: joints, and with them all that follows from them, by the
/// derivatives of the laws of motion. Not a number where a value is not known: the path error of joint moves.
/// Speeds of a TCP while device axes move under the arm come from a difference over kAxisDifference. `touched`
/// remembers shapes and pairs for clearances.
inline constexpr double kAxisDifference = 1e-5;  // [s]
std::vector<std::vector<double>> curveValues(const Cell& cell, const Trace& trace, const std::vector<Curve>& curves,
                                             const std::vector<double>& times, ContactCache* touched = nullptr);

/// What an arm carries at a time, seen as one point mass at the flange: its tool, and the part in its grip.
Payload payloadAt(const Cell& cell, const std::vector<Carried>& carried, const ArmStation& arm, double time);

}  // namespace topikos
