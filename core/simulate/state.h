#pragma once
#include "core/robot/forward.h"
#include "core/simulate/places.h"
#include "core/simulate/trace.h"

#include <optional>

namespace topikos {

struct ArmState {
    ArmId arm;
    JointVector posture;
    double gripperOpening = 0;  ///< [m]
};
struct PlacedPart {
    PartId part;
    PartKindId kind;
    Pose worldFromPart;
    bool carried = false;
};

/// Everything that moves, at a time.
struct CellState {
    std::vector<ArmState> arms;  ///< in the order of the cell
    AxisValues axes;
    std::vector<PlacedPart> parts;

    const ArmState& of(ArmId arm) const;
};

/// The authored cell with one arm at `posture` and device axes at `axes`, other arms at home, grippers open, parts
/// where they start.
CellState authoredState(const Cell& cell, ArmId arm, const JointVector& posture, const AxisValues& axes = {});

/// Where the bodies of an arm are, in the world.
struct ArmPlaces {
    std::vector<Pose> links;  ///< the base, then what moves with each joint
    Pose flange;
    std::vector<Pose> jaws;  ///< of the tool in force
};
ArmPlaces armPlaces(const Cell& cell, const ArmStation& arm, const ArmState& state, const AxisValues& axes);

/// Where everything is in a run, at times that are asked for in any order: the one answer for view, checks, curves and
/// files. It remembers what it worked out last: each thread needs a copy of its own. Keeps the cell and the run by
/// address.
class RunState {
public:
    RunState(const Cell& cell, const Trace& trace);

    const Cell& cell() const { return m_cell; }
    const Trace& trace() const { return m_trace; }
    const Places& places() const { return m_places; }

    double axis(const Frame& frame, double time) const;
    Pose frame(FrameId frame, double time) const;
    struct Standing {
        double time = NAN;
        JointVector posture;
        ChainFrames chain;
        Pose base;  ///< worldFromBase
    };
    /// By its number in the cell.
    const Standing& arm(size_t number, double time) const;
    double opening(size_t arm, double time) const;
    /// Of the cell, or made in the run; nothing while it is not there.
    std::optional<Pose> part(const Part& part, double time) const;

private:
    const Cell& m_cell;
    const Trace& m_trace;
    Places m_places;
    mutable std::vector<Standing> m_arms;
};

CellState stateAt(const RunState& run, double time);
CellState stateAt(const Cell& cell, const Trace& trace, double time);

}  // namespace topikos
