#pragma once
#include "core/motion/in_step.h"

namespace topikos {

/// Follows one branch along a line, from posture to posture, and finds where that ends: sets the stop of the move, the
/// nearest singularities and the least joint margin.
class LineWalk {
public:
    struct Sample {
        double fraction;
        JointVector posture;
    };
    /// `move` has its line, its start and its branch; the bounds outlive the walk.
    LineWalk(const Arm& arm, Move& move, const SingularityBounds& bounds, const SingularityBounds& watch);

    /// Postures along the line, as far as it was followed.
    const std::vector<Sample>& samples() const { return m_samples; }
    /// Posture at `fraction`, near `previous`; nothing out of reach.
    std::optional<JointVector> at(double fraction, const JointVector& previous) const;

private:
    double singularDistance(double fraction, const JointVector& near, SingularityKind kind) const;
    void stopAt(LineStop stop);
    void walk();
    /// Stops at the end of the reach; false: a smaller step is needed to see what comes before it.
    bool outOfReach(const Sample& before, double fraction, double step);
    void jump(const Sample& before, const JointVector& after, int joint);
    void judgeRange(const Sample& before, double fraction, const JointVector& q);
    /// Finds how close the line comes to a singularity, between its samples too, and stops it where the bound is
    /// passed.
    void judgeSingularity(const std::vector<SingularityMargins>& margins, SingularityKind kind);
    /// Lowest distance between the neighbours of sample `i`, by golden section.
    Closest bottom(size_t i, SingularityKind kind, Closest lowest) const;

    const Arm& m_arm;
    Move& m_move;
    const SingularityBounds &m_bounds, &m_watch;
    std::vector<Sample> m_samples;
};

}  // namespace topikos
