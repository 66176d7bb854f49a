#pragma once
#include "core/cell/cell.h"
#include "core/spatial/digest.h"

#include <array>
#include <functional>
#include <memory>
#include <unordered_map>

namespace topikos {

/// The pass of a block or the call that something is done in, and those around it.
struct Within {
    std::shared_ptr<const Within> outer;
    StepId step;   ///< call, repeat or for each
    int pass = 0;  ///< from 0
    bool call = false;
};
using WithinPtr = std::shared_ptr<const Within>;
/// How many calls are around it.
int callDepth(const Within* within);
/// The pass of a block around it; nothing when it is not in that block.
std::optional<int> passOf(const Within* within, StepId block);

/// What is looked up again and again while routines are gone through.
class ProgramIndex {
public:
    explicit ProgramIndex(const Cell& cell);

    const Cell& cell;
    /// Number of a step in its routine, from 0.
    size_t numberOf(StepId step) const { return m_numbers.at(step.value); }
    /// Targets of a pattern that a "for each" goes through, in its order.
    const std::vector<TargetId>& placesOf(PatternId pattern) const;

    /// What a step that follows a group comes to.
    const Steps& stepsOf(const Step& follow) const;

private:
    std::unordered_map<std::uint32_t, std::uint32_t> m_numbers;
    std::unordered_map<std::uint32_t, Steps> m_followed;
    std::unordered_map<std::uint32_t, std::vector<TargetId>> m_places;  ///< of patterns that some step goes through
};

/// Something to be done: a step that is no block, with what its places mean here.
struct Operation {
    const Step* step = nullptr;
    const Routine* routine = nullptr;
    WithinPtr within;
    const Target *end = nullptr, *via = nullptr;  ///< of moves; nullptr where there is none
    TcpId point;                                  ///< in force
    FrameId readingFrame;                         ///< in force
};

/// Goes through a routine, with its calls, loops and decisions. A copy looks ahead.
class Cursor {
public:
    /// `point` is in force at the begin. Of endless repeats `rounds` passes are done, then the routine ends.
    Cursor(const ProgramIndex& index, const Routine& routine, TcpId point, int rounds);

    /// What a condition comes to: of an if, or of a repeat that has done so many passes. Nothing: not known.
    using Decide = std::function<std::optional<bool>(const Step& step, int passes)>;
    /// Told of a list of a decision that is not gone into.
    using Untaken = std::function<void(const Step& step, const Steps& list)>;

    enum class Next {
        Step,     ///< operation() is to be done
        Pass,     ///< another pass begins, or a good many calls have; ask again
        Unknown,  ///< a condition is not known; the cursor is of no use any more
        End
    };
    Next next(const Decide& decide, const Untaken& untaken = {});
    const Operation& operation() const { return m_operation; }
    /// False of a move to a place that nothing fills in, as of a routine with places that is gone through by itself,
    /// and of one to a distance from a posture.
    bool hasPlace() const { return m_placed; }
    /// The routine, and the calls and passes, that it is in.
    Operation whereItIs() const;
    /// How many blocks and calls the last next() went into.
    int entered() const { return m_entered; }
    /// The block of which next() has begun another pass; nullptr when it has not.
    const Step* passOfBlock() const { return m_passOf; }
    /// Where it is, with all that decides how it goes on, but how often blocks that go by a condition were passed.
    void describe(Digest& key) const;
    /// What places, points and frames mean where it is.
    void describeMeaning(Digest& key) const;

    /// Goes into a list of a step that was given by operation(): what is done when the time of a wait is up.
    void enter(const Step& step, const Steps& list);
    /// From here on goes through one list of a step, and ends behind it.
    void enterOnly(const Step& step, const Steps& list);
    /// Begins at a step of the routine, in the first pass of the blocks around it. False when it is not there.
    bool startAt(StepId step);
    /// From here on each repeat is gone through once.
    void shortenLoops() { m_short = true; }
    /// Whether it ended in an endless repeat, of which enough passes were done.
    bool endedInARepeat() const { return m_ended; }
    /// Passes of endless repeats that have begun beside the first.
    int rounds() const { return m_roundsDone; }

private:
    struct Level {
        const Steps* list;
        size_t next = 0;
        const Step* owner = nullptr;  ///< block or call; none: the routine itself
        int pass = 0;
        WithinPtr within;                                                    ///< of what is in the list
        std::shared_ptr<const std::vector<std::array<TargetId, 2>>> places;  ///< for each
    };
    struct Frame {
        const Routine* routine;
        std::vector<TargetId> given;
        TcpId point;
        FrameId readingFrame;
        size_t levels = 0;  ///< those below belong to callers
    };
    bool again(Level& level, const Decide& decide, bool& known);
    bool begin(const Step& step, const Decide& decide, const Untaken& untaken, bool& known);
    void push(const Step& owner, const Steps& list, bool pass, bool call = false);
    TargetId resolved(const Place& place) const;
    void prepare(const Step& step);

    const ProgramIndex* m_index;
    std::vector<Level> m_levels;
    std::vector<Frame> m_frames;
    Operation m_operation;
    size_t m_base = 0;  ///< levels that are not gone back to
    int m_rounds, m_roundsDone = 0, m_entered = 0;
    const Step* m_passOf = nullptr;
    bool m_short = false, m_ended = false, m_placed = true;
};

}  // namespace topikos
