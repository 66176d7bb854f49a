#pragma once
#include "core/cell/frames.h"
#include "core/robot/inverse.h"

namespace topikos {

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

}  // namespace topikos
