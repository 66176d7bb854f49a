#include "core/motion/joint_way.h"

#include <algorithm>
#include <array>

namespace topikos {

void JointWay::append(const Knot& knot)
{
    m_fractions.push_back(knot.fraction);
    for (const JointVector* part : {&knot.posture, &knot.rate, &knot.bend})
        m_values.insert(m_values.end(), part->data(), part->data() + m_joints);
}

JointWay::Knot JointWay::knot(size_t i) const
{
    const auto part = [&](size_t which) -> JointVector {
        return Eigen::Map<const Eigen::VectorXd>(m_values.data() + (3 * i + which) * size_t(m_joints), m_joints);
    };
    return {m_fractions[i], part(0), part(1), part(2)};
}

JointWay::Place JointWay::placeOf(double fraction) const
{
    const double f = std::clamp(fraction, m_fractions.front(), m_fractions.back());
    const size_t last = m_fractions.size() - 1;
    const auto after = std::upper_bound(m_fractions.begin(), m_fractions.end(), f);
    const size_t next = std::min(size_t(after - m_fractions.begin()), last);
    const size_t i = next > 0 ? next - 1 : 0;
    const double h = m_fractions[next] - m_fractions[i];
    return {i, next, h > 0 ? (f - m_fractions[i]) / h : 1, h > 0 ? h : 1};
}

JointVector JointWay::blended(const Place& place, const std::array<double, 6>& w) const
{
    JointVector out(m_joints);
    const double* a = m_values.data() + 3 * place.before * size_t(m_joints);
    const double* b = m_values.data() + 3 * place.behind * size_t(m_joints);
    const int n = m_joints;
    for (int j = 0; j < n; ++j)
        out[j] = w[0] * a[j] + w[1] * b[j] + (w[2] * a[n + j] + w[3] * b[n + j])
                 + (w[4] * a[2 * n + j] + w[5] * b[2 * n + j]);
    return out;
}

// Hermite's basis of the fifth degree on [0, 1] and its derivatives; h is the length of the piece.

namespace {

std::array<double, 6> valueWeights(double t, double h)
{
    const double t3 = t * t * t, rise = t3 * (10 + t * (-15 + 6 * t)), u = 1 - t, u3 = u * u * u;
    return {1 - rise,
            rise,
            h * t * u3 * (1 + 3 * t),
            -h * t3 * u * (1 + 3 * u),
            0.5 * h * h * t * t * u3,
            0.5 * h * h * t3 * u * u};
}

std::array<double, 6> rateWeights(double t, double h)
{
    const double t2 = t * t, rise = 30 * t2 * (1 + t * (-2 + t));
    return {-rise / h,
            rise / h,
            1 + t2 * (-18 + t * (32 - 15 * t)),
            t2 * (-12 + t * (28 - 15 * t)),
            0.5 * h * t * (2 + t * (-9 + t * (12 - 5 * t))),
            0.5 * h * t2 * (3 + t * (-8 + 5 * t))};
}

std::array<double, 6> bendWeights(double t, double h)
{
    const double rise = 60 * t * (1 + t * (-3 + 2 * t));
    return {-rise / (h * h),
            rise / (h * h),
            t * (-36 + t * (96 - 60 * t)) / h,
            t * (-24 + t * (84 - 60 * t)) / h,
            0.5 * (2 + t * (-18 + t * (36 - 20 * t))),
            0.5 * t * (6 + t * (-24 + 20 * t))};
}

}  // namespace

JointVector JointWay::at(double fraction) const
{
    const Place place = placeOf(fraction);
    return blended(place, valueWeights(place.t, place.h));
}

JointVector JointWay::rate(double fraction) const
{
    const Place place = placeOf(fraction);
    return blended(place, rateWeights(place.t, place.h));
}

JointVector JointWay::bend(double fraction) const
{
    const Place place = placeOf(fraction);
    return blended(place, bendWeights(place.t, place.h));
}

JointWay::Flow JointWay::flow(double fraction) const
{
    const Place place = placeOf(fraction);
    return {blended(place, rateWeights(place.t, place.h)), blended(place, bendWeights(place.t, place.h))};
}

}  // namespace topikos
