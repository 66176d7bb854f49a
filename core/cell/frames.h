#pragma once
#include "core/cell/ids.h"
#include "core/robot/arm.h"
#include "core/shape/solid.h"
#include "core/spatial/pose.h"

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

}  // namespace topikos
