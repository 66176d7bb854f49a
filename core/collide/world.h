#pragma once
#include "core/collide/cache.h"
#include "core/collide/side.h"
#include "core/simulate/state.h"

#include <cstdint>
#include <limits>
#include <set>

namespace topikos {

/// What a world is made of besides the state.
struct WorldOptions {
    std::vector<FrameId> axes{};    ///< of devices, that go with the joints as further coordinates
    std::vector<PartId> carried{};  ///< by the arm, as they stand at its tool in the state
    bool parts = true;              ///< those that lie about count, too
    std::set<FrameId> leftOut{};    ///< frames that are not looked at
    bool others = false;            ///< what the axes move counts against what is not of the arm, too
};

/// The cell in one state, for questions about one arm in it: is it free in a posture, what is nearest, is the way
/// between two postures free. What is asked is a row of **coordinates**: the joints of the arm, then the device axes
/// that were named, [rad or m]. Everything else stands as in the state. No run is made, and nothing is kept between two
/// questions, so many threads may ask one world. The cell has to live as long as the world.
///
/// What is looked at is what a check of a run looks at (checked_pairs.h); what the arm carries is meant to touch its
/// tool, and nothing else is meant to touch.
class World {
public:
    World(const Cell& cell, const CellState& state, ArmId arm, ContactCache& cache, WorldOptions options = {});
    ~World();
    World(World&&) noexcept;

    /// The same bodies and pairs in a cell in which frames stand elsewhere.
    World in(const Cell& moved) const;

    using Coordinates = Eigen::VectorXd;
    Eigen::Index size() const;
    /// Those of the state.
    const Coordinates& start() const;
    /// A posture, with axes where they are told to stand and else as in the state.
    Coordinates at(const JointVector& posture, const AxisValues& axes = {}) const;
    JointVector posture(const Coordinates& at) const;
    AxisValues axes(const Coordinates& at) const;

    /// Two bodies near each other, by the numbers that side() takes.
    struct Near {
        size_t own = none, other = none;                    ///< own: of the arm, or what it carries
        double distance = INFINITY;                         ///< [m]
        Vec3 onOwn = Vec3::Zero(), onOther = Vec3::Zero();  ///< points that are that far apart, in the world
        explicit operator bool() const { return own != none; }
    };
    static constexpr size_t none = std::numeric_limits<size_t>::max();
    ContactSide side(size_t body) const;

    /// The first pair that is found to touch; none: it is free.
    Near touch(const Coordinates& at) const;
    bool free(const Coordinates& at) const { return !touch(at); }
    /// The two that are nearest to each other, of those that are nearer than `upTo`; of the arm and what is around it,
    /// or of the arm itself.
    Near nearest(const Coordinates& at, bool itself = false, double upTo = INFINITY) const;

    /// What becomes of a straight way between two rows of coordinates, all in step.
    struct Edge {
        bool free = true;
        double until = 1;  ///< the fraction of the way that is proved to be free
        Near met{};        ///< at the end of that
        int looks = 0;     ///< rows of coordinates at which bodies were placed
    };
    /// Proved, not sampled: a pair is left when what both can move over a piece of the way is less than what is between
    /// them in its middle; pieces are halved until then, down to movements of kFinestEdge. What comes so near is met.
    /// It ends `gap` [m] before that. What touches where the way begins may be left, but not further entered.
    ///
    /// How far a point gets on a piece: coordinates are changed one after the other, the outermost first, each about
    /// its axis as it stands in the middle. A turn by d moves a point at the distance r by no more than d r; what the
    /// next one finds is no farther away than by what was moved so far.
    Edge edge(const Coordinates& from, const Coordinates& to, double gap = 0) const;
    static constexpr double kFinestEdge = 5e-5;  ///< [m]

private:
    struct Body;
    struct Pair;
    struct Parts;
    struct Placed;
    class Way;
    explicit World(std::unique_ptr<Parts> parts);
    void place(const Coordinates& at, Placed& out) const;
    /// How far the two of a pair can come nearer when no coordinate changes by more than `by`.
    double reach(const Pair& pair, const Placed& placed, const Coordinates& by) const;
    /// The distance of a pair, when it is less than `upTo` or 0.
    Near near(const Pair& pair, const Placed& placed, double upTo) const;

    std::unique_ptr<Parts> m;
};

}  // namespace topikos
