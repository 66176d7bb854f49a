#pragma once
#include "core/cell/cell.h"

#include <optional>
#include <vector>

namespace topikos {

/// What became of one step of a routine.
struct StepOutcome {
    enum class Problem { None, TargetOutOfReach, TargetNotInConfiguration, LineStops, NothingGripped };
    StepId step;
    size_t index = 0;              ///< in the routine, from 0
    Step::Kind kind = Step::Kind::Wait;
    TargetId target;
    bool off = false;
    Problem problem = Problem::None;
    bool otherConfiguration = false;  ///< the line arrives in another configuration than its target asks for
    Solutions atTarget;               ///< joint moves that cannot arrive: what inverse kinematics found
    std::optional<Move> move;         ///< moves that could be planned
    JointVector arrival;              ///< posture after the step [rad or m]
    double start = 0, duration = 0;   ///< in the run [s]; steps after a block have no time

    /// Whether the run ends in this step.
    bool blocks() const
    {
        return problem == Problem::TargetOutOfReach || problem == Problem::TargetNotInConfiguration || problem == Problem::LineStops;
    }
};

/// One cycle. Exact at any time: nothing is sampled until somebody asks.
struct Trace {
    /// A stretch of time in which the arm follows one move, or stands. Moves with a blend overlap with the next span.
    struct Span {
        size_t outcome;       ///< index into outcomes
        double start, end;    ///< [s]
        double gripperFrom, gripperTo;  ///< distance of the jaws at the ends [m]
    };
    /// From `time` on the part is carried by the TCP (pose = tcpFromPart) or lies in the cell (pose = worldFromPart).
    struct PartEvent {
        size_t outcome;   ///< of the grip or release, index into outcomes
        double time = 0;  ///< [s]; end of a grip, beginning of a release
        PartId part = {};
        bool carried = false;
        Pose pose = {};
    };
    std::vector<StepOutcome> outcomes;  ///< one per step of the routine, switched-off steps included
    std::vector<Span> spans;            ///< up to the block, if there is one
    std::vector<PartEvent> partEvents;
    JointVector start;         ///< home
    double startOpening = 0;   ///< [m]
    double duration = 0;       ///< [s]; up to the block, if there is one
    std::optional<size_t> blockedAt;  ///< index into outcomes
};

/// Runs `routine` once from home. The cell is not changed.
Trace simulate(const Cell& cell, const Routine& routine);

/// Posture at a time [s], clamped to the run.
JointVector postureAt(const Cell& cell, const Trace& trace, double time);

struct PlacedPart {
    PartId part;
    Pose worldFromPart;
    bool carried;
};

/// Everything that moves, at a time.
struct CellState {
    JointVector posture;
    double gripperOpening = 0;  ///< [m]
    std::vector<PlacedPart> parts;
};
CellState stateAt(const Cell& cell, const Trace& trace, double time);

/// The authored cell with the arm at `posture`, gripper open, parts where they start.
CellState authoredState(const Cell& cell, const JointVector& posture);

/// Span in force at a time, nullptr when the trace has none.
const Trace::Span* spanAt(const Trace& trace, double time);

/// Parts the routine sets down per hour of repeating it without pause; 0 when it is blocked or moves no part.
double partsPerHour(const Trace& trace);

}  // namespace topikos
