#pragma once
#include "core/cell/frames.h"
#include "core/cell/targets.h"

namespace topikos {

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

}  // namespace topikos
