#pragma once
#include "core/cell/cell.h"
#include "core/motion/move_chain.h"
#include "core/simulate/moves.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <stop_token>
#include <unordered_map>
#include <vector>

namespace topikos {

/// A step of a routine as a run comes to it.
struct StepInRun {
    StepId step;
    RoutineId routine;
    size_t index = 0;  ///< number of the step in its routine, from 0
    int pass = 0;      ///< of the main routine, from 0
    WithinPtr within;  ///< calls and passes around it
    StepKind kind = StepKind::Wait;
    TargetId target;          ///< moves: where they end
    TcpId point;              ///< in force
    FrameId readingFrame;     ///< in force
    bool judgedOnly = false;  ///< not run: a branch that was not taken, or behind what ended the run
    bool branch = false;      ///< not run: a branch that was not taken
};
/// What kept a step from being done as it is meant.
struct StepProblem {
    enum class Problem {
        None,
        TargetOutOfReach,
        TargetNotInConfiguration,
        LineStops,
        NothingGripped,
        PartHeld,       ///< by a clamp
        StillCarrying,  ///< the part gripped before; what is in the grasp now stays where it is
        WaitsForEver,
        AxisBusy,     ///< another arm is moving an axis that the step moves
        NoCircle,     ///< the places of an arc lie on a line
        TableJumps,   ///< a joint would have to jump to where a time table begins
        TimedOut,     ///< a wait whose time was up; what stands for that is done
        Stopped,      ///< a stop: the program of the arm ends
        NothingHeld,  ///< a release of nothing
        GripsAgain,   ///< a grip of nothing while a part is held
        NoPlace       ///< a move to a place that nothing fills in, or to a distance from a posture
    };
    Problem problem = Problem::None;
    FrameId clamp;  ///< PartHeld: by this one
    PartId part;    ///< StillCarrying: this one
    FrameId axis;   ///< AxisBusy: this one,
    ArmId other;    ///< moved by this arm

    /// Whether the routine ends in this step.
    bool blocks() const
    {
        return problem == Problem::TargetOutOfReach || problem == Problem::TargetNotInConfiguration
               || problem == Problem::LineStops || problem == Problem::WaitsForEver || problem == Problem::AxisBusy
               || problem == Problem::NoCircle || problem == Problem::TableJumps || problem == Problem::NoPlace;
    }
};
/// What became of one step of a routine.
struct StepOutcome : StepInRun, StepProblem {
    MovePlanPtr plan;                  ///< moves
    std::shared_ptr<const Move> move;  ///< moves that could be planned; part of the plan
    TimingPtr timing;                  ///< moves that are run, and moves of device axes
    std::optional<Corner> corner;      ///< moves with a blend that is cut short
    std::vector<AxisTravel> travels;   ///< of device axes, in step with the move, or alone
    AxisValues axes;                   ///< where device axes stand after the step that do not stand at their start
    JointVector arrival;               ///< posture after the step [rad or m]
    double start = 0, duration = 0;    ///< in the run [s]; steps after a block have no time

    /// Where device axes stand when a fraction of the step is done.
    AxisValues axesAlong(double fraction) const;
};

/// What one arm does in a run.
struct ArmTrace {
    /// A stretch of time in which the arm does one step. Where a corner is cut, the span changes in its middle.
    struct Span {
        size_t outcome;                 ///< index into outcomes
        double start, end;              ///< [s]
        double gripperFrom, gripperTo;  ///< distance of the jaws at the ends [m]
    };
    ArmId arm;
    RoutineId routine;
    std::vector<StepOutcome> outcomes;  ///< one per step and pass, in the order of time; blocks have none
    std::vector<Span> spans;            ///< up to the block, if there is one
    JointVector start;                  ///< home
    double startOpening = 0;            ///< [m]
    double duration = 0;                ///< [s]; up to the block, if there is one
    std::optional<size_t> blockedAt;    ///< index into outcomes
    bool ended = false;                 ///< it went through to its end
    std::vector<double> passes;         ///< when passes of the routine began, beside the first [s]
    std::vector<double> rounds;         ///< when passes of an endless repeat began, beside the first [s]
};

/// A stretch of time in which an axis of a device moves. Stretches may overlap: what is left of one adds to the next.
struct AxisSpan {
    double start = 0;         ///< [s]
    double from = 0, to = 0;  ///< [m or rad]
    TimingPtr timing;         ///< of the fraction of the way
    double origin = 0;        ///< when that counts from: of a step with a corner before it later than the start [s]
    double restsFrom = 0;     ///< end of this and all earlier stretches [s]

    double end() const { return origin + timing->ends(); }
};
struct AxisTrack {
    FrameId frame;
    std::vector<AxisSpan> spans;  ///< by start

    /// Where it stands; nothing before it moves for the first time.
    std::optional<double> at(double time) const;
    bool movesAt(double time) const;
};

/// From `start` on the belt has gone `travel` and goes on at constant acceleration, until its next stretch.
struct BeltStretch {
    double start = 0;                                ///< [s]
    double travel = 0, speed = 0, acceleration = 0;  ///< at the start [m, m/s, m/s^2]
};
/// How far a belt has gone, and how fast it goes.
struct BeltState {
    double travel = 0, speed = 0;  ///< [m, m/s]
};
struct BeltTrack {
    FrameId belt;
    std::vector<BeltStretch> stretches;  ///< by start

    BeltState at(double time) const;
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
    ArmId arm;  ///< Carried, and Lies or Rides after a release: the arm that did it
    FrameId frame;
    Pose pose;
};
/// An arm sets a part down.
inline bool isRelease(const PartEvent& event) { return event.arm && event.kind == PartEvent::Kind::Lies; }

struct SignalEvent {
    double time = 0;  ///< [s]
    SignalId signal;
    double value = 0;  ///< from then on
};

/// Events of all subjects in the order of time, each subject's own found without looking at the others.
template <class Event, class SubjectId, SubjectId Event::*subject> class Timeline {
public:
    void push_back(const Event& event)
    {
        m_of[(event.*subject).value].push_back(std::uint32_t(m_events.size()));
        m_events.push_back(event);
    }
    bool empty() const { return m_events.empty(); }
    size_t size() const { return m_events.size(); }
    auto begin() const { return m_events.begin(); }
    auto end() const { return m_events.end(); }
    const Event& operator[](size_t i) const { return m_events[i]; }
    const Event& back() const { return m_events.back(); }

    /// Places of a subject's own events.
    const std::vector<std::uint32_t>& of(SubjectId id) const
    {
        static const std::vector<std::uint32_t> none;
        const auto found = m_of.find(id.value);
        return found == m_of.end() ? none : found->second;
    }
    /// The last event of a subject at or before a time; nullptr if there is none.
    const Event* last(SubjectId id, double time) const
    {
        const std::vector<std::uint32_t>& own = of(id);
        const auto after = std::upper_bound(own.begin(), own.end(), time,
                                            [this](double t, std::uint32_t i) { return t < m_events[i].time; });
        return after == own.begin() ? nullptr : &m_events[*(after - 1)];
    }

private:
    std::vector<Event> m_events;
    std::unordered_map<std::uint32_t, std::vector<std::uint32_t>> m_of;
};

/// Why a run was given up, and when.
struct Stuck {
    enum class Why {
        NoTimePasses,    ///< devices and routines go on without end at that time
        NothingChanges,  ///< a block is passed again and again, and nothing is different after a pass
        TooLong,         ///< it would take more than limits::kRunLength
        TooMuch          ///< it has more than limits::kRunEvents events, or takes more than limits::kRunMemory
    };
    Why why = Why::NoTimePasses;
    double time = 0;      ///< [s]
    ArmId arm{};          ///< whose program goes on without end, if it is one; with
    RoutineId routine{};  ///< the block that repeats, or the call or block of the main routine that it is in
    StepId step{};
    int calls = 0;  ///< how deep the calls are there
};

/// What happens in a run. Exact at any time, except for when sensors see what does not ride past them on a belt: that
/// is found to 1 µs.
struct Trace {
    std::vector<ArmTrace> arms;    ///< by id
    std::vector<AxisTrack> axes;   ///< that moved, by id
    std::vector<BeltTrack> belts;  ///< that ran, by id
    Timeline<PartEvent, PartId, &PartEvent::part> partEvents;
    Timeline<SignalEvent, SignalId, &SignalEvent::signal> signalEvents;
    std::vector<Part> made;  ///< by sources; their ids are above those of the cell
    double duration = 0;     ///< of the longest arm [s]
    bool stopped = false;    ///< it was told to stop; what comes later is missing
    std::optional<Stuck> stuck;
    bool judgedAll = true;  ///< false: there were too many branches that were not taken

    bool blocked() const;
};

/// Where an arm begins instead of at the top of its routine.
struct RunStart {
    ArmId arm;
    StepId step;                           ///< of its main routine
    std::optional<JointVector> posture{};  ///< instead of home
};

struct RunOptions {
    int cycles = 1;  ///< how often each arm goes through its routine, one pass after the other
    int rounds = 1;  ///< passes of endless repeats
    std::vector<RunStart> starts{};
    StepId upTo{};               ///< the run is broken off when this step has been done, or judged
    double until = INFINITY;     ///< the run ends there at the latest [s]
    PlanCache* plans = nullptr;  ///< remembers moves between runs
    std::stop_token stop{};
    bool outside = false;  ///< signals may be written from outside (Runner::write): who waits is never given up
};

/// Runs the main routine of each arm, all of them together, from home. The cell is not changed.
Trace simulate(const Cell& cell, const RunOptions& options = {});
/// Runs one routine; other arms stand at home.
Trace simulate(const Cell& cell, const Routine& routine, const RunOptions& options = {});

const ArmTrace* findArmTrace(const Trace& trace, ArmId arm);
/// Of an axis that moves in the run; nullptr for others.
const AxisTrack* findAxisTrack(const Trace& trace, FrameId frame);

/// Span in force at a time, nullptr when the trace has none.
const ArmTrace::Span* spanAt(const ArmTrace& trace, double time);
/// The same; nullptr, too, when it has ended and none has begun since.
const ArmTrace::Span* spanUnderWay(const ArmTrace& trace, double time);
/// Posture at a time [s], clamped to the run.
JointVector postureAt(const Cell& cell, const ArmTrace& trace, double time);
/// Opening of the jaws at a time [m].
double openingAt(const ArmTrace& trace, double time);
/// Where device axes stand at a time.
AxisValues axesAt(const Trace& trace, double time);
BeltState beltAt(const Trace& trace, FrameId belt, double time);

/// A stretch of a run in which an arm carries a part.
struct Carried {
    ArmId arm;
    PartId part;
    PartKindId kind;
    double from = 0, until = 0;  ///< [s]; until: infinite while it is carried still at the end of the run
    Pose tcpFromPart;
};
/// All of them, by the time they begin.
std::vector<Carried> carriedIn(const Cell& cell, const Trace& trace);
double signalAt(const Cell& cell, const Trace& trace, SignalId signal, double time);

/// How often a run went through what it repeats: the passes of its main routines, or of endless repeats in them.
struct Cycles {
    int done = 0;     ///< whole ones, of the arm that has the fewest
    double time = 0;  ///< of one: the longest arm's, the first one of an endless repeat left out if there are more
    double from = 0, to = 0;  ///< the stretch that it is taken from [s]
};
Cycles cyclesOf(const Trace& trace);

/// Parts that arms set down per hour of going on like this run without pause; 0 when it is blocked or moves no part.
double partsPerHour(const Trace& trace);
/// The same by the times of its releases, of a trace that has forgotten them [s].
double partsPerHour(const Trace& trace, const std::vector<double>& releases);

}  // namespace topikos
