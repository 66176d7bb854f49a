#pragma once
#include "core/motion/plan.h"
#include "core/motion/time_law.h"

#include <functional>

namespace topikos {

/// A stretch of time in which a path is followed: a move, or the corner of two.
struct Leg {
    double start = 0;                    ///< [s], since the step began that it belongs to
    std::shared_ptr<const Move> move;    ///< nothing: only the fraction counts
    std::shared_ptr<const Profile> law;  ///< of its fraction
};

/// When a move is where. Its legs: the corner before, which began earlier; the move; the corner behind, which ends
/// later.
struct Timing {
    std::shared_ptr<const Move> move;  ///< nothing: only the fraction counts
    std::vector<Leg> legs;             ///< by start
    double duration = 0;               ///< from the middle of the corner before to the middle of the corner behind [s]

    double begins() const { return legs.empty() ? 0 : legs.front().start; }
    double ends() const { return legs.empty() ? 0 : legs.back().start + legs.back().law->duration; }
    const Leg& legAt(double time) const;
    /// Posture, speed and acceleration of the joints at a time since the step began.
    JointVector postureAt(const Arm& arm, double time) const;
    JointVector speedAt(double time) const;
    JointVector accelerationAt(double time) const;
    /// How much of the move is done, 0 to 1; in a corner what the corner has of it.
    double fractionAt(double time) const;
    /// Highest rate of fractionAt [1/s].
    double peakRate() const;
};
using TimingPtr = std::shared_ptr<const Timing>;

/// A move on its own, from rest to rest.
TimingPtr aloneTiming(std::shared_ptr<const Move> move);
/// Something that goes by a fraction.
TimingPtr fractionTiming(const Profile& profile);

/// A corner that is cut less than asked.
struct Corner {
    enum class Why {
        ShortMove,      ///< a move has no more to give: each corner has half of it
        NoWay,          ///< the arm cannot follow the curve that was asked for: out of reach or range, or too near to a
                        ///< singularity
        AxisElsewhere,  ///< an axis that the next move depends on is moved by somebody else
        StopIsQuicker,  ///< with the jerk that joints have a stop takes less time than a corner
        NotKept         ///< the jerk that joints have cannot be kept by a law that goes on here
    };
    double asked = 0, kept = 0;  ///< distance from the corner at which the tool leaves its path [m]
    Why why = Why::ShortMove;
};

/// A move of a chain.
struct ChainedMove {
    MovePlanPtr plan;    ///< with a move
    double blend = 0;    ///< how near to its end the tool may leave its path; not used of the last [m]
    Pose flangeFromTcp;  ///< of the point that this is measured at
};
/// Where the tool is when one move of a chain has done a fraction, and the next one, too. [m]
using TcpAt = std::function<Vec3(size_t step, const JointVector& posture, double first, double second)>;

/// The corner that a chain goes on from, when it is the continuation of another one.
struct ChainEntry {
    Leg corner;                               ///< as it is under way; its start is 0 when the new chain begins
    double fraction = 0;                      ///< of the corner that is done then
    std::shared_ptr<const LawBelow> below{};  ///< with limited jerk
};

/// Moves that go over into each other, from one stop to the next.
struct MoveChain {
    struct Step {
        TimingPtr timing;
        double start = 0;              ///< [s]
        std::optional<Corner> corner;  ///< behind it, cut less than asked
    };
    std::vector<Step> steps;

    /// Moves from one stop to the next, timed together.
    struct Part {
        size_t step;
        bool corner;  ///< the corner before it
    };
    struct Group {
        std::vector<TimedPiece> pieces;
        std::vector<Part> parts;  ///< of the pieces
        std::vector<std::shared_ptr<const Move>> moves;
        TimeLaw law;
    };
    std::vector<Group> smooth;  ///< where a jerk is limited
    bool keeps = true;          ///< all limits; with limited jerk there may be no way to go on from an entry
};
using MoveChainPtr = std::shared_ptr<const MoveChain>;

/// What another chain goes on from in the middle of the corner before a step of a chain; nothing where the arm stands
/// there, or where the law has gone too far already.
std::optional<ChainEntry> entryBefore(const MoveChain& chain, size_t step);

/// Cuts the corners between moves as far as asked and possible, and times all of it together: the fastest way that
/// keeps every limit. `tcpAt` tells where the tool is when device axes move; without one it is seen from the arm's
/// base.
MoveChain makeMoveChain(const Arm& arm, const std::vector<ChainedMove>& steps, const TcpAt& tcpAt = {},
                        const std::optional<ChainEntry>& entry = {});

}  // namespace topikos
