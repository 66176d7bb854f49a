#pragma once
#include "core/cell/frames.h"
#include "core/cell/targets.h"

namespace topikos {

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

}  // namespace topikos
