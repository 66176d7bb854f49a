#pragma once
#include "core/collide/cell_bodies.h"
#include "core/simulate/state.h"

namespace topikos {

/// How far any point of a body can get in a time t: `rate` t + `ramp` t^2, and both more by `rateBy` and `rampBy` for
/// each metre that it may get, since levers grow with that. Holds until a time.
struct Motion {
    double rate = 0, ramp = 0;      ///< [m/s, m/s^2]
    double rateBy = 0, rampBy = 0;  ///< [1/s, 1/s^2]
    double until = INFINITY;        ///< [s]
};

/// A stretch of a run in which nothing begins or ends.
struct Window {
    double from = 0, to = 0;  ///< [s]
    double middle() const { return 0.5 * (from + to); }
};
std::vector<Window> windowsOf(const Trace& trace);

/// The bodies of a cell in a run: where they are at a time, and how they move then. It remembers what it worked out
/// last: each thread needs a copy of its own.
class ContactScene {
public:
    ContactScene(const Cell& cell, const Trace& trace, ContactCache* cache = nullptr);

    const Cell& cell() const { return m_bodies.cell(); }
    const Trace& trace() const { return m_state.trace(); }
    const CellBodies& bodies() const { return m_bodies; }
    /// Where a body is; nothing for parts that are not there.
    std::optional<Pose> place(size_t body, double time) const;
    /// How it moves from a time on.
    Motion motion(size_t body, double time) const;
    /// How two bodies move as seen from each other: of those that one arm moves, only the joints between them count.
    Motion motionBetween(size_t a, size_t b, double time) const;
    /// Boxes that some bodies do not leave in a window, one each; empty ones for parts that are not there.
    std::vector<Eigen::AlignedBox3d> boxesIn(const Window& window, const std::vector<size_t>& bodies) const;
    /// Of a body that does not move in the run.
    const std::optional<Pose>& fixedPlace(size_t body) const { return m_fixed[body]; }
    bool moves(size_t body) const { return m_bodies.moves(body); }
    /// Whether it moves in a window.
    bool movesIn(size_t body, const Window& window) const;
    /// Whether what a part is in begins with a window.
    bool appearsIn(size_t body, const Window& window) const;
    /// The arm that moves a body at a time, if any does: its own, or the one that carries it.
    ArmId moverOf(size_t body, double time) const;
    /// The event that a part is in; nullptr before the first one and for other bodies.
    const PartEvent* eventOf(size_t body, double time) const;
    /// The event after that; nullptr when there is none.
    const PartEvent* eventAfter(size_t body, double time) const;
    /// The same of grips and releases alone, whatever belts do in between.
    const PartEvent* armEventOf(size_t body, double time) const;
    const PartEvent* armEventAfter(size_t body, double time) const;
    const PartEvent* armEventBefore(size_t body, const PartEvent& event) const;

private:
    /// How an arm moves at a time.
    struct ArmAt {
        double time = NAN;
        JointVector speed;                      ///< the highest one, for moves by a time table
        std::vector<Vec3> origins, directions;  ///< of the joints' axes, in the world
        const ArmTrace::Span* span = nullptr;   ///< in force
        bool moves = false, byTable = false;
    };
    const ArmAt& armAt(size_t arm, double time) const;
    std::optional<Pose> placeNow(size_t body, double time) const;
    Motion motionNow(size_t body, double time) const;
    void addAxes(Motion& motion, FrameId frame, const Vec3& centre, double radius, double time) const;
    void addArm(Motion& motion, size_t arm, int joints, const Vec3& centre, double radius, double time) const;
    /// Of joints from one on up to another one.
    void addJoints(Motion& motion, size_t arm, int first, int last, const Vec3& centre, double radius,
                   double time) const;
    void addJaw(Motion& motion, size_t body, double time) const;
    /// How many joints move a body that an arm moves.
    int jointsOf(size_t body, size_t arm) const;

    /// What was worked out last, for one time.
    template <class T> struct Last {
        double time = NAN;
        T value{};
    };
    ContactScene(const Cell& cell, const Trace& trace, ContactCache& known);

    CellBodies m_bodies;
    RunState m_state;
    std::vector<std::vector<const PartEvent*>> m_armEvents;  ///< grips and releases of parts
    std::vector<std::optional<Pose>> m_fixed;                ///< places of frames that do not move in the run
    std::vector<Eigen::AlignedBox3d> m_fixedBoxes;           ///< of those
    mutable std::vector<ArmAt> m_arms;
    mutable std::vector<Last<std::optional<Pose>>> m_placed;  ///< by body
    mutable std::vector<Last<Motion>> m_motions;
};

}  // namespace topikos
