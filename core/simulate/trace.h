#pragma once
#include "core/cell/cell.h"

#include <optional>
#include <vector>

namespace topikos {

/// How far a device axis goes in a step.
struct AxisTravel {
    FrameId frame;
    double from = 0, to = 0;  ///< [m or rad]
};

/// What became of one step of a routine.
struct StepOutcome {
    enum class Problem {
        None,
        TargetOutOfReach,
        TargetNotInConfiguration,
        LineStops,
        NothingGripped,
        PartHeld,
        WaitsForEver
    };
    StepId step;
    size_t index = 0;  ///< in the routine, from 0
    Step::Kind kind = Step::Kind::Wait;
    TargetId target;
    bool off = false;
    Problem problem = Problem::None;
    bool otherConfiguration = false;  ///< the line arrives in another configuration than its target asks for
    Solutions atTarget;               ///< joint moves that cannot arrive: what inverse kinematics found
    std::optional<Move> move;         ///< moves that could be planned
    std::vector<AxisTravel> travels;  ///< of device axes, in step with the move, or alone
    AxisValues axes;                  ///< where device axes stand after the step that do not stand at their start
    FrameId clamp;                    ///< PartHeld: by this one
    JointVector arrival;              ///< posture after the step [rad or m]
    double start = 0, duration = 0;   ///< in the run [s]; steps after a block have no time

    /// Where device axes stand when a fraction of the step is done.
    AxisValues axesAlong(double fraction) const;
    /// Whether the routine ends in this step.
    bool blocks() const
    {
        return problem == Problem::TargetOutOfReach || problem == Problem::TargetNotInConfiguration
               || problem == Problem::LineStops || problem == Problem::WaitsForEver;
    }
};

/// What one arm does in a run.
struct ArmTrace {
    /// A stretch of time in which the arm follows one move, or stands. Moves with a blend overlap with the next span.
    struct Span {
        size_t outcome;                 ///< index into outcomes
        double start, end;              ///< [s]
        double gripperFrom, gripperTo;  ///< distance of the jaws at the ends [m]
    };
    ArmId arm;
    RoutineId routine;
    std::vector<StepOutcome> outcomes;  ///< one per step of the routine, switched-off steps included
    std::vector<Span> spans;            ///< up to the block, if there is one
    JointVector start;                  ///< home
    double startOpening = 0;            ///< [m]
    double duration = 0;                ///< [s]; up to the block, if there is one
    std::optional<size_t> blockedAt;    ///< index into outcomes
};

/// A stretch of time in which an axis of a device moves.
struct AxisSpan {
    FrameId frame;
    double start = 0;         ///< [s]
    double from = 0, to = 0;  ///< [m or rad]
    Profile profile;          ///< of the fraction of the way
};

/// From `start` on the belt has gone `travel` and goes on at constant acceleration, until its next stretch.
struct BeltStretch {
    FrameId belt;
    double start = 0;                                ///< [s]
    double travel = 0, speed = 0, acceleration = 0;  ///< at the start [m, m/s, m/s^2]
};

/// What becomes of a part from `time` on.
struct PartEvent {
    enum class Kind {
        Carried,  ///< by the TCP of `arm`; pose = tcpFromPart
        Lies,     ///< in `frame`; pose = frameFromPart
        Rides,    ///< on the belt `frame`; pose = beltFromPart at `time`
        Gone      ///< taken by the sink `frame`, or run off the belt `frame`
    };
    double time = 0;  ///< [s]; end of a grip, beginning of a release
    PartId part;
    Kind kind = Kind::Lies;
    ArmId arm;  ///< Carried, and Lies after a release: the arm that did it
    FrameId frame;
    Pose pose;
};

struct SignalEvent {
    double time = 0;  ///< [s]
    SignalId signal;
    double value = 0;  ///< from then on
};

/// One cycle of all arms. Exact at any time, except for when sensors see something: nothing else is sampled until
/// somebody asks.
struct Trace {
    std::vector<ArmTrace> arms;         ///< in the order they were asked for
    std::vector<PartEvent> partEvents;  ///< by time, as are the others
    std::vector<AxisSpan> axisSpans;
    std::vector<BeltStretch> beltStretches;
    std::vector<SignalEvent> signalEvents;
    std::vector<Part> made;  ///< by sources; their ids are above those of the cell
    double duration = 0;     ///< of the longest arm [s]

    bool blocked() const;
};

/// Runs the routine that each arm runs, all of them once and together, from home. The cell is not changed.
Trace simulate(const Cell& cell);
/// Runs one routine; other arms stand at home.
Trace simulate(const Cell& cell, const Routine& routine);

const ArmTrace* findArmTrace(const Trace& trace, ArmId arm);

/// Span in force at a time, nullptr when the trace has none.
const ArmTrace::Span* spanAt(const ArmTrace& trace, double time);
/// Posture at a time [s], clamped to the run.
JointVector postureAt(const Cell& cell, const ArmTrace& trace, double time);
/// Opening of the jaws at a time [m].
double openingAt(const ArmTrace& trace, double time);
/// Where device axes stand at a time.
AxisValues axesAt(const Trace& trace, double time);
/// How far a belt has gone, and how fast it goes.
struct BeltState {
    double travel = 0, speed = 0;  ///< [m, m/s]
};
BeltState beltAt(const Trace& trace, FrameId belt, double time);
double signalAt(const Cell& cell, const Trace& trace, SignalId signal, double time);

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
CellState stateAt(const Cell& cell, const Trace& trace, double time);

/// The authored cell with the arm in hand at `posture` and device axes at `axes`, other arms at home, grippers open,
/// parts where they start.
CellState authoredState(const Cell& cell, const JointVector& posture, const AxisValues& axes = {});

/// A line to a pose target from where the arm stands, with the axes that come along. Posture targets: to the pose they
/// give the TCP.
LinePath lineTo(const Cell& cell, const Target& target, double standoff, const JointVector& from,
                const AxisValues& axes);
/// What comes along to a target: axes of it that stand elsewhere.
std::vector<AxisTravel> travelsTo(const Cell& cell, const AxisValues& target, const AxisValues& axes);
std::vector<Companion> companionsOf(const Cell& cell, const std::vector<AxisTravel>& travels);
/// Axes after the travels.
AxisValues arrived(AxisValues axes, const std::vector<AxisTravel>& travels);

/// Parts that arms set down per hour of repeating the run without pause; 0 when it is blocked or moves no part.
double partsPerHour(const Trace& trace);

}  // namespace topikos
