#pragma once
#include "core/simulate/belts.h"
#include "core/simulate/boxes.h"

#include <memory>

namespace topikos {

/// Goes through a run event by event, and writes the trace.
class Run {
public:
    Run(const Cell& cell, const std::vector<const Routine*>& routines, Trace& trace);
    void go();

private:
    struct ArmRun {
        const ArmStation* station;
        const Routine* routine;
        ArmTrace* trace;
        JointVector posture;
        double opening;
        size_t next = 0;   ///< step
        double ready = 0;  ///< when the next step may begin; infinite while it waits for a signal
        bool done = false, waits = false;
        std::optional<StepOutcome> ahead{};  ///< the next move, planned to know its blend
        bool grips = false;                  ///< a grip ends when it is ready
        std::optional<size_t> carried{};     ///< part
        FrameId place{};                     ///< frame of the target it stands at
    };
    struct PartRun {
        Part part;
        std::optional<Box> box;
        PartEvent at;        ///< where it is now
        bool waits = false;  ///< on a belt, for what is in front of it
        FrameId belt{};      ///< that it is on, if any
        FrameId clamp{};     ///< that holds it
        bool gone() const { return at.kind == PartEvent::Kind::Gone; }
    };
    struct DeviceRun {
        FrameId frame;
        const Device* device;
        size_t seen = 0;          ///< part in its box, counted from 1, or 1 for a beam that is broken
        double timer = INFINITY;  ///< source: next part; clamp: closed or open; axes: at rest
        std::uint32_t count = 0;  ///< parts made or taken
        bool asked = false;       ///< source: a part is wanted
        FrameId axis{};           ///< clamp
        std::unique_ptr<BeltRun> belt{};
    };

    // Arms.
    void proceed(ArmRun& arm);
    /// Begins a step; false when it takes no time at all.
    bool begin(ArmRun& arm, const Step& step, StepOutcome outcome);
    StepOutcome planned(const ArmRun& arm, const Step& step, size_t index) const;
    void judgeRest(ArmRun& arm);
    void finish(ArmRun& arm, StepOutcome outcome, double openingBefore);
    void grip(ArmRun& arm, StepOutcome& outcome);
    void release(ArmRun& arm);
    bool met(const Step& step) const;
    double overlapTime(const ArmRun& arm, const StepOutcome& first, const StepOutcome& second, double blend) const;
    void travel(const std::vector<AxisTravel>& travels, const Profile& profile);

    // Devices.
    void setSignal(SignalId id, double value);
    void react(DeviceRun& device, double value);
    void pass(DeviceRun& device);
    void makePart(DeviceRun& source);
    void read(DeviceRun& scanner, size_t part);
    void look();
    size_t seenBy(const DeviceRun& device, double time) const;
    bool armInside(const Pose& world, const Box& box, double time) const;
    double nextSight(double until) const;
    bool anythingMoves() const;

    // Parts.
    void put(PartRun& part, PartEvent event);
    Pose worldOf(const PartRun& part, double time) const;
    /// Puts a part that lies in the frame of a belt, or below it, on the belt.
    void board(PartRun& part);
    /// A part that was set down on any belt.
    void boardWhatIsUnder(PartRun& part);
    bool mount(PartRun& part, const Frame& belt, double above);
    void settle(DeviceRun& belt);
    double freeWay(const DeviceRun& belt, const PartRun& part) const;
    double nextStop() const;

    double signal(SignalId id) const;

    const Cell& m_cell;
    Trace& m_trace;
    double m_now = 0;
    std::vector<ArmRun> m_arms;
    std::vector<PartRun> m_parts;
    std::vector<DeviceRun> m_devices;
    std::vector<double> m_signals;  ///< in the order of the cell
    AxisValues m_axes;              ///< where axes stand when what is under way has ended
    std::vector<std::vector<std::optional<Box>>>
        m_links;  ///< of each arm of the cell, the tool last; for light barriers
};

}  // namespace topikos
