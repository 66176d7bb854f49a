#pragma once
#include "core/simulate/belts.h"
#include "core/simulate/boxes.h"
#include "core/program/cursor.h"
#include "core/simulate/places.h"

#include <deque>
#include <map>
#include <memory>
#include <queue>
#include <set>
#include <unordered_set>

namespace topikos {

/// Goes through a run event by event, and writes the trace.
///
/// Everything is kept and gone through in the order of ids, so that the order of the file has no say. At one instant:
/// arms and devices go on until none has anything to do without time passing; then sensors, barriers and scanners look,
/// and what they say is acted upon; then sinks take, one part at a time; then sources make.
class Run {
public:
    Run(const Cell& cell, const std::vector<const Routine*>& routines, const RunOptions& options, Trace& trace);
    /// Those that the arms run.
    static std::vector<const Routine*> mainRoutines(const Cell& cell);
    /// Goes on to a time; false when the run has come to its end before.
    bool go(double until);
    /// A signal is written from outside, at a time that the run has gone on to.
    void write(SignalId id, double value, double time);
    /// Nothing more comes.
    void close();
    /// The trace has been shortened: what is gone for good makes room.
    void forgot();

private:
    struct ArmRun {
        const ArmStation* station;
        const Routine* routine;
        ArmTrace* trace;
        JointVector posture;
        double opening;
        Cursor cursor;
        int pass = 0;
        double ready = 0;  ///< when the next step may begin; infinite while it waits for a signal
        bool done = false, waits = false, limited = false;  ///< limited: the wait has a time limit
        bool heard = false;                                 ///< what it waits for has been so since it waits
        std::optional<StepOutcome> ahead{};                 ///< the wait it stands in
        Operation waiting{};                                ///< that wait
        /// Moves that go over into each other, planned and timed together; the first ones are done.
        struct Moves {
            std::vector<StepOutcome> outcomes;
            MoveChainPtr chain{};  ///< nothing for one move
            double lastBlend = 0;  ///< of the last of them [m]
            size_t next = 0;       ///< that is to be begun
            size_t horizon = 0;    ///< from here on they are planned again, since more lies behind them
        } moves{};
        TcpId point{};                    ///< in force
        bool grips = false;               ///< a grip ends when it is ready
        std::optional<size_t> carried{};  ///< part
        FrameId place{};                  ///< frame of the target it stands at
        std::vector<double> lengths{};    ///< most that the flange can be away from each joint [m]
        /// How everything stood at an earlier pass of a block that goes by a condition (Brent's way to find a circle).
        struct Watch {
            Digest then;
            double time = 0;  ///< [s]
            size_t passes = 0, next = 1;
        };
        std::unordered_map<std::uint32_t, Watch> watches{};  ///< by block
    };
    struct PartRun {
        Part part;
        std::optional<Box> box;
        double size;                  ///< most that a point of it is away from its origin [m]
        PartEvent at;                 ///< where it is now
        bool waits = false;           ///< on a belt, for what is in front of it
        FrameId belt{};               ///< that it is on, if any
        FrameId clamp{};              ///< that holds it
        std::uint32_t stay = 0;       ///< counts its events; what was foreseen for an earlier one is void
        std::optional<Pose> still{};  ///< where it is in the world, if nothing can move it but an arm
        double onBelt = 0;            ///< on a belt: x at travel 0 of the belt while it rides, x while it waits [m]
        Extent along{}, across{};     ///< on a belt: reach along its x from the origin, and place along its y [m]
        bool gone() const { return at.kind == PartEvent::Kind::Gone; }
    };
    /// Something that will happen to a part when its belt has gone so far.
    struct Passage {
        double travel = 0;  ///< [m]
        size_t part = 0;
        std::uint32_t stay = 0;
        enum class Kind { Enters, Leaves, Stops } kind = Kind::Stops;
        size_t device = 0;  ///< Enters, Leaves
        bool operator>(const Passage& o) const
        {
            return std::tie(travel, kind, part, device) > std::tie(o.travel, o.kind, o.part, o.device);
        }
    };
    struct DeviceRun {
        FrameId frame;
        const Device* device;
        double due = INFINITY;         ///< source: next part; clamp: closed or open; axes: at rest; belt: at rest
        std::uint32_t count = 0;       ///< parts made or taken
        bool asked = false;            ///< source: a part is wanted
        FrameId axis{};                ///< clamp
        std::set<size_t> inside{};     ///< parts that it sees
        bool armInside = false;        ///< light barrier
        bool says = false;             ///< what it wrote last about what it sees
        std::optional<size_t> read{};  ///< scanner: the part read last
        std::unique_ptr<BeltRun> belt{};
        std::multimap<double, size_t> riding{}, waiting{};  ///< belt: parts by `onBelt`
        double longest = 0;                                 ///< belt: most that a part reaches before its origin [m]
        std::priority_queue<Passage, std::vector<Passage>, std::greater<>> passages{};
    };
    struct AxisRun {
        AxisTrack* track;
        FrameId device;
        const ArmRun* mover = nullptr;
    };

    /// What a light barrier sees of an arm.
    struct ArmBody {
        const ArmStation* station;
        const ArmRun* run;                      ///< null: it stands at home
        std::vector<std::optional<Box>> links;  ///< boxes around links, the tool last
        double size = 0;                        ///< most that a point of them is away from the origin of its link [m]
    };

    // Arms (run.cpp).
    bool armsGoOn();
    void proceed(ArmRun& arm);
    /// Begins what is to be done; false when the arm cannot go on now.
    bool begin(ArmRun& arm, const Operation& operation);
    bool act(ArmRun& arm, const Operation& operation, StepOutcome& outcome);
    void beginMove(ArmRun& arm, const Operation& operation, StepOutcome& outcome);
    void switchAhead(const Operation& after, double end);
    static std::optional<Operation> lookAhead(Cursor& cursor);
    StepOutcome begun(const ArmRun& arm, const Operation& operation) const;
    StepOutcome planned(const ArmRun& arm, const Operation& operation) const;
    /// From another posture, with axes elsewhere.
    StepOutcome planned(const ArmRun& arm, const Operation& operation, const JointVector& from,
                        const AxisValues& axes) const;
    bool axesFree(const ArmRun& arm, StepOutcome& outcome) const;
    void finish(ArmRun& arm, StepOutcome outcome, double openingBefore);
    void grip(ArmRun& arm, StepOutcome& outcome);
    void release(ArmRun& arm);
    bool met(const Condition& condition) const { return condition.holds(signal(condition.signal)); }
    Cursor::Next advance(ArmRun& arm);
    bool timesOut();

    // Runs without end (run_endless.cpp).
    /// Another pass of a block begins; false when the run is given up.
    bool passes(ArmRun& arm);
    /// The same of the whole routine, which goes on without end only when no time passes.
    bool passesAgain(ArmRun& arm);
    /// Whether everything stands as it did at an earlier pass.
    bool repeats(ArmRun::Watch& watch);
    /// All that decides how the run goes on, at times from now.
    Digest state() const;
    /// Counts what has happened and what is kept of it; false when that is too much.
    bool keep(size_t events, size_t bytes);
    void giveUp(Stuck::Why why, const ArmRun* arm = nullptr, const Step* block = nullptr);

    // How moves go over into each other (run_corners.cpp).
    void planOn(ArmRun& arm, const Operation& operation, StepOutcome& outcome);
    bool planMoves(ArmRun& arm, StepOutcome first, const Operation& operation, const std::optional<ChainEntry>& entry);
    bool isMovedByOthers(const ArmRun& arm, const Operation& operation, const std::vector<AxisTravel>& travels) const;
    void findOthersAxes();

    // What is judged without being run (run_judge.cpp).
    void judgeRest(ArmRun& arm);
    /// A list of a step that `cursor` has come to.
    void judgeList(const ArmRun& arm, const Cursor& cursor, const Step& step, const Steps& list);
    void judgeAlong(ArmRun& arm, Cursor& cursor, bool isBranch);

    /// Axes go with a move that begins at `origin`, or that is `foreseen` to do so: then devices are told when they
    /// begin to move, in the corner before it.
    void travel(const ArmRun* mover, const std::vector<AxisTravel>& travels, const TimingPtr& timing, double origin,
                bool foreseen = false);
    /// They stand at the end of them when they have been gone.
    void arrive(const std::vector<AxisTravel>& travels) { m_axes = arrived(m_axes, travels); }
    void endWaits();
    void endInTime(double end);

    // Devices (run_devices.cpp).
    void makeDevices();
    void startDevices();
    bool devicesGoOn();
    void setSignal(SignalId id, double value);
    void writeSignal(SignalId id, double value);
    void setLater(double time, SignalId id, double value);
    bool writesGoOn();
    void react(DeviceRun& device, double value);
    void pass(DeviceRun& device);
    void setDue(DeviceRun& device, double time);
    bool makePart(DeviceRun& source);
    void read(DeviceRun& scanner, std::optional<size_t> part);

    // What sensors see (run_sights.cpp).
    void makeSights();
    void makeBodies();
    /// Sensors say what they see, sinks take a part, sources make one; false when nothing changes.
    bool look();
    double gapTo(const DeviceRun& device, const PartRun& part, double time) const;
    double gapToArms(const DeviceRun& device, double time) const;
    bool mayHold(const DeviceRun& device, const PartRun& part) const;
    void lookAgainAt(size_t part);
    void setInside(DeviceRun& device, size_t part, bool inside);
    void foresee(size_t part);
    double nextSight(double until);
    bool passesInLine(const DeviceRun& belt, const DeviceRun& watcher) const;
    double speedOf(FrameId frame, double from, double to, double size) const;
    double speedOf(const ArmRun& arm, double from, double to, double size) const;
    double speedOf(const PartRun& part, double from, double to) const;

    // Parts (run_parts.cpp).
    void put(size_t part, PartEvent event);
    Pose worldOf(const PartRun& part, double time) const;
    Pose worldOf(FrameId frame, double time) const;
    Pose worldOfTcp(const ArmStation& arm, double time) const;
    void board(size_t part);
    void boardWhatIsUnder(size_t part);
    bool mount(size_t part, DeviceRun& belt, double above);
    void leaveBelt(size_t part);
    void stop(DeviceRun& belt, size_t part);
    void settle(DeviceRun& belt, double behind);
    double placeOn(const DeviceRun& belt, const PartRun& part) const;
    double freeWay(const DeviceRun& belt, const PartRun& part) const;
    void foreseeStop(DeviceRun& belt, size_t part);
    bool beltsGoOn();
    double nextPassage(DeviceRun& belt);

    double signal(SignalId id) const;
    /// Counts what is done at one instant; false when that has no end.
    bool spend();

    const Cell& m_cell;
    const RunOptions& m_options;
    Trace& m_trace;
    Places m_places;
    ProgramIndex m_index;
    std::multimap<double, std::pair<SignalId, double>> m_writes;  ///< of signals, that are to come
    std::unordered_set<Digest, Digest::Hash> m_judged;            ///< lists that were not gone into, each case of them
    size_t m_judgedSteps = 0;
    bool m_hasLeads = false;  ///< some process is switched ahead of its time
    bool m_begun = false, m_enough = false;
    std::uint32_t m_made = 0;    ///< parts by sources
    std::vector<size_t> m_free;  ///< parts that are gone for good
    double m_waitedSince = 0;
    double m_now = 0;
    size_t m_spent = 0, m_budget = 0;  ///< at this instant
    size_t m_events = 0, m_bytes = 0;  ///< of the whole run, and what it keeps
    bool m_progress = false;           ///< some arm went on at this instant
    std::vector<ArmRun> m_arms;        ///< by id, as all others
    std::vector<PartRun> m_parts;
    std::vector<DeviceRun> m_devices;
    std::unordered_map<std::uint32_t, size_t> m_deviceOf;                ///< by frame
    std::unordered_map<std::uint32_t, std::vector<size_t>> m_readersOf;  ///< devices, by signal
    std::unordered_map<std::uint32_t, double> m_signals;
    std::deque<std::pair<size_t, double>> m_reactions;  ///< devices and the values they are to react to
    bool m_reacting = false;
    std::set<std::pair<double, size_t>> m_due;  ///< devices by `due`
    std::vector<size_t> m_belts, m_watchers;    ///< devices
    std::vector<ArmBody> m_bodies;              ///< if there is a light barrier
    std::map<FrameId, AxisRun> m_axisRuns;
    std::map<ArmId, std::set<FrameId>> m_othersAxes;  ///< that signals or other arms than this one move
    AxisValues m_axes;                                ///< where axes stand when what is under way has ended
    std::set<std::pair<size_t, size_t>> m_inLine;     ///< belts and watchers that never move against each other
    bool m_allInLine = true;
};

}  // namespace topikos
