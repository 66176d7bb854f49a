#pragma once
#include "core/motion/move.h"
#include "core/motion/table_move.h"
#include "core/spatial/units.h"

#include <memory>
#include <mutex>
#include <unordered_map>
#include <variant>

namespace topikos {

/// A pose that a move is to end in.
struct PoseGoal {
    Pose baseFromFlange;
    Configuration configuration;
    JointVector taught{};  ///< posture it was taught with, for arms of which a configuration names no single posture;
                           ///< else empty
};

/// A line or an arc of the tool.
struct LineInput {
    LinePath path{};
    bool noCircle = false;  ///< the places of an arc lie on a line: there is no move
    SingularityBounds bounds{}, watch{};
};
/// Everything that decides how a move goes. A joint segment is asked for as it is planned; a time table takes the place
/// of the goal.
struct MoveInput {
    ArmPtr arm;
    JointVector from;
    std::variant<JointVector, PoseGoal> goal;
    std::variant<JointSegment, LineInput, TableInput> how{};
    MotionLimits limits{};
};

/// How a move goes, or why it does not.
struct MovePlan {
    enum class Problem { None, OutOfReach, NotInConfiguration, LineStops, NoCircle, TableJumps };
    Problem problem = Problem::None;
    Solutions atGoal;          ///< moves that cannot arrive: what inverse kinematics found at the goal
    std::optional<Move> move;  ///< nothing when a joint move has nowhere to go
    JointVector arrival;       ///< posture after it; of blocked moves where they would have arrived, if that exists
    TableJump jump;            ///< TableJumps
    bool otherConfiguration = false;  ///< the line arrives in another configuration than its goal asks for
    RangeExcess otherPosture;  ///< the line arrives in another posture than taught: the joint that is off most, by how
                               ///< much [rad or m]; joint -1 when it does not
};
using MovePlanPtr = std::shared_ptr<const MovePlan>;

/// From how much on a line counts as arriving in another posture than taught.
inline constexpr double kOtherPosture = 5 * kDegree;  ///< [rad]
inline constexpr double kOtherPlace = 0.010;          ///< sliding joints [m]

/// Plans a move. The same input gives the same plan to the last bit.
MovePlan planMove(const MoveInput& input);

struct MoveChain;
struct ChainedMove;
struct ChainEntry;

/// Remembers plans by what decided them. Shared by all that ask for the same moves, from several threads.
class PlanCache {
public:
    /// Keeps the plans asked for last: at most twice so many bytes of them, and of other results as much together.
    explicit PlanCache(size_t mostBytes = size_t(64) << 20) : m_most(mostBytes) {}
    MovePlanPtr get(const MoveInput& input);
    /// What inverse kinematics finds at a pose, remembered the same way.
    std::shared_ptr<const Solutions> ways(const ArmPtr& arm, const Pose& baseFromFlange, const JointVector* near);

    /// Moves that go over into each other where no device axis moves, remembered by their plans.
    std::shared_ptr<const MoveChain> chain(const Arm& arm, const std::vector<ChainedMove>& steps,
                                           const std::optional<ChainEntry>& entry);

    struct Counts {
        std::uint64_t asked = 0, planned = 0;
        size_t bytes = 0;  ///< kept
    };
    Counts counts() const;
    /// Of a cell that is no longer looked at.
    void forget();

private:
    /// Values by what decided them. When there are enough young ones they become the old ones, and those are dropped.
    template <class Value> struct Store {
        struct Entry {
            std::shared_ptr<const void> keeps;  ///< what the key has the address of, so that it is not used again
            std::shared_ptr<const Value> value;
        };
        std::unordered_map<std::string, Entry> young{}, old{};
        size_t youngBytes = 0, oldBytes = 0;
        size_t share = 1;  ///< of the bytes: one in so many

        void clear() { *this = {.share = share}; }
    };
    template <class Value, class Make>
    std::shared_ptr<const Value> remembered(Store<Value>& store, std::string key, std::shared_ptr<const void> keeps,
                                            Make make);

    const size_t m_most;
    mutable std::mutex m_mutex;
    Store<MovePlan> m_plans;
    Store<Solutions> m_ways{.share = 2};
    Store<MoveChain> m_chains{.share = 2};
    Counts m_counts;
};

}  // namespace topikos
