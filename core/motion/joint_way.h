#pragma once
#include "core/robot/arm.h"

#include <array>
#include <vector>

namespace topikos {

/// Postures along a path as a function of a fraction of it: a polynomial of the fifth degree between knots that agree
/// in value, first and second derivative, so that joint speeds and accelerations follow from it as well.
class JointWay {
public:
    explicit JointWay(int joints = 0) : m_joints(joints) {}

    struct Knot {
        double fraction = 0;
        JointVector posture;  ///< [rad or m]
        JointVector rate;     ///< by the fraction [rad or m]
        JointVector bend;     ///< by the fraction, twice [rad or m]
    };
    /// Behind all others.
    void append(const Knot& knot);

    bool empty() const { return m_fractions.empty(); }
    size_t size() const { return m_fractions.size(); }
    double fraction(size_t knot) const { return m_fractions[knot]; }
    Knot knot(size_t i) const;

    /// At a fraction, clamped to the knots.
    JointVector at(double fraction) const;
    JointVector rate(double fraction) const;
    JointVector bend(double fraction) const;
    /// Both derivatives at once, the same to the bit.
    struct Flow {
        JointVector rate, bend;
    };
    Flow flow(double fraction) const;

private:
    /// Where a fraction is: between two knots, `t` of the way along the piece of length `h` between them.
    struct Place {
        size_t before, behind;
        double t, h;
    };
    Place placeOf(double fraction) const;
    /// The three with which values, rates and bends at both ends count inside a piece.
    JointVector blended(const Place& place, const std::array<double, 6>& weights) const;

    int m_joints;
    std::vector<double> m_fractions;
    std::vector<double> m_values;  ///< of each knot: posture, rate, bend
};

}  // namespace topikos
