#include "core/motion/line_walk.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kSampleLength = 4e-3;        // [m]
constexpr double kSampleAngle = 1 * kDegree;  // [rad]
constexpr double kSmoothStep = 20 * kDegree;  // of a joint between neighbouring samples; above it they come closer
constexpr double kSmallestStep = 1e-7;        // of the line, below which a step that is still too large is a jump

int sampleCount(const LinePath& path)
{
    double wanted = std::max(path.length() / kSampleLength, path.angle() / kSampleAngle);
    if (path.circle()) wanted = std::max(wanted, path.circle()->angle / kSampleAngle);
    if (path.baseFromFrame)
        for (const PlaceMotion::Piece& p : path.baseFromFrame->pieces)
            wanted += std::abs(p.to - p.from) / (p.kind == JointKind::Revolute ? kSampleAngle : kSampleLength);
    return int(std::clamp(std::ceil(wanted), 16.0, 4000.0));
}

bool closer(const Arm& arm, const Closest& a, const Closest& b)
{
    if (b.joint < 0) return true;
    const auto weighed = [&](const Closest& c) { return weighedMargin(arm.joints()[size_t(c.joint)], c.value); };
    return weighed(a) < weighed(b);
}

/// Last fraction in [low, high] for which `holds` is true, given that it holds at `low` and not at `high`.
template <class Predicate> double lastHolding(double low, double high, Predicate holds)
{
    for (int i = 0; i < 50 && high - low > 1e-15; ++i) {
        const double middle = 0.5 * (low + high);
        (holds(middle) ? low : high) = middle;
    }
    return low;
}

}  // namespace

LineWalk::LineWalk(const Arm& arm, Move& move, const SingularityBounds& bounds, const SingularityBounds& watch) :
    m_arm(arm), m_move(move), m_bounds(bounds), m_watch(watch), m_samples{{0, move.from}}
{
    walk();
    std::vector<SingularityMargins> margins;
    margins.reserve(m_samples.size());
    for (const Sample& s : m_samples)
        margins.push_back(singularityMargins(m_arm, s.posture));
    for (const SingularityKind kind : kSingularityKinds)
        if (hasKind(m_arm, kind)) judgeSingularity(margins, kind);
    const double end = m_move.stop ? m_move.stop->fraction : 1;
    for (const Sample& s : m_samples) {
        if (s.fraction > end) break;
        Closest margin = rangeMargin(m_arm, s.posture);
        margin.fraction = s.fraction;
        if (s.fraction > 0 && margin.joint >= 0 && closer(m_arm, margin, m_move.jointMargin))
            m_move.jointMargin = margin;
    }
}

std::optional<JointVector> LineWalk::at(double fraction, const JointVector& previous) const
{
    return followBranch(m_arm, m_move.line().flangeAt(fraction), m_move.as<LineSegment>()->branch, previous);
}

double LineWalk::singularDistance(double fraction, const JointVector& near, SingularityKind kind) const
{
    const auto q = at(fraction, near);
    return q ? singularityMargins(m_arm, *q).distance(kind) : 0;
}

void LineWalk::stopAt(LineStop stop)
{
    if (m_move.stop && m_move.stop->fraction <= stop.fraction) return;
    stop.remaining = (1 - stop.fraction) * m_move.line().length();
    stop.turnLeft = (1 - stop.fraction) * m_move.line().angle();
    if (m_move.stop && m_move.stop->reach != NoSolution::None && stop.reach == NoSolution::None) {
        // What lies beyond is worth knowing, too.
        stop.reach = m_move.stop->reach;
        stop.shortfall = m_move.stop->shortfall;
    }
    m_move.stop = stop;
}

void LineWalk::walk()
{
    const double whole = 1.0 / sampleCount(m_move.line());
    double step = whole;
    while (m_samples.back().fraction < 1) {
        const Sample& before = m_samples.back();
        // A step that would leave less than a hundredth of itself goes to the end.
        const double fraction = before.fraction + 1.01 * step >= 1 ? 1 : before.fraction + step;
        const auto q = at(fraction, before.posture);
        if (!q) {
            if (outOfReach(before, fraction, step)) return;
            step /= 2;
            continue;
        }
        const Eigen::ArrayXd difference = (*q - before.posture).array().abs();
        Eigen::Index joint = 0;
        if (difference.maxCoeff(&joint) > kSmoothStep) {
            if (step > kSmallestStep) {
                step /= 2;
                continue;
            }
            jump(before, *q, int(joint));
            return;
        }
        judgeRange(before, fraction, *q);
        m_samples.push_back({fraction, *q});
        step = std::min(whole, 2 * step);
    }
}

bool LineWalk::outOfReach(const Sample& before, double fraction, double step)
{
    LineStop stop;
    stop.why = LineStop::Why::OutOfReach;
    JointVector last = before.posture;
    stop.fraction = lastHolding(before.fraction, fraction, [&](double f) {
        const auto q = at(f, last);
        if (q) last = *q;
        return q.has_value();
    });
    // Where the postures on the way there do not join, something comes before the end of the reach.
    Eigen::Index joint = 0;
    if ((last - before.posture).cwiseAbs().maxCoeff(&joint) > kSmoothStep) {
        if (step > kSmallestStep) return false;
        jump(before, last, int(joint));
        return true;
    }
    const Solutions atEnd = inverseKinematics(m_arm, m_move.line().flangeAt(1));
    const Solutions here = atEnd.shortfall > 0 ? atEnd : inverseKinematics(m_arm, m_move.line().flangeAt(fraction));
    stop.shortfall = here.shortfall;
    stop.reach = here.reason;
    stop.excessTurn = here.excessTurn;
    // The last posture in reach is where a singularity is nearest.
    if (stop.fraction > before.fraction) {
        judgeRange(before, stop.fraction, last);
        m_samples.push_back({stop.fraction, last});
    }
    stopAt(stop);
    return true;
}

void LineWalk::jump(const Sample& before, const JointVector& after, int joint)
{
    LineStop stop;
    stop.why = LineStop::Why::Jump;
    stop.fraction = before.fraction;
    stop.range = {joint, std::abs(after[joint] - before.posture[joint])};
    double least = INFINITY;
    for (const JointVector* side : {&before.posture, &after}) {
        const SingularityMargins m = singularityMargins(m_arm, *side);
        for (const SingularityKind kind : kSingularityKinds) {
            if (!hasKind(m_arm, kind)) continue;
            const bool length = kind == SingularityKind::Elbow || kind == SingularityKind::Shoulder;
            const double relative = m.distance(kind) / (length ? m_arm.reach() : 1);
            if (relative >= least) continue;
            least = relative;
            stop.kind = kind;
            stop.distance = m.distance(kind);
        }
    }
    if (stop.distance < m_bounds.of(stop.kind)) stop.why = LineStop::Why::Singularity;
    stopAt(stop);
}

void LineWalk::judgeRange(const Sample& before, double fraction, const JointVector& q)
{
    if (!m_move.stop) {
        const RangeExcess excess = rangeExcess(m_arm, q);
        if (excess.joint < 0) return;
        LineStop stop;
        stop.why = LineStop::Why::JointRange;
        stop.fraction = lastHolding(before.fraction, fraction, [&](double f) {
            const auto there = at(f, before.posture);
            return there && withinRange(m_arm, *there);
        });
        stop.range = excess;
        stopAt(stop);
    } else if (m_move.stop->why == LineStop::Why::JointRange) {
        const int i = m_move.stop->range.joint;
        const Joint& joint = m_arm.joints()[size_t(i)];
        double& excess = m_move.stop->range.excess;
        excess = std::max({excess, joint.lower - q[i], q[i] - joint.upper});
    }
}

void LineWalk::judgeSingularity(const std::vector<SingularityMargins>& margins, SingularityKind kind)
{
    const size_t last = m_samples.size() - 1;
    std::vector<double> distances(last + 1);
    for (size_t i = 0; i <= last; ++i)
        distances[i] = margins[i].distance(kind);
    const double bound = m_bounds.of(kind);
    const double room = kind == SingularityKind::Wrist       ? 5 * kDegree
                        : kind == SingularityKind::Direction ? 0.002
                                                             : 0.02;
    const double interest = 1.5 * std::max(bound, m_watch.of(kind)) + room;
    Closest& closest = m_move.singularity[size_t(kind)];
    for (size_t i = 0; i <= last; ++i) {
        const bool valley =
            (i == 0 || distances[i] <= distances[i - 1]) && (i == last || distances[i] <= distances[i + 1]);
        if (!valley) continue;
        Closest lowest{distances[i], m_samples[i].fraction, -1};
        if (lowest.value <= interest) lowest = bottom(i, kind, lowest);
        if (lowest.value < closest.value) closest = lowest;
        if (lowest.value >= bound) continue;
        size_t before = i;
        while (before > 0 && (distances[before] < bound || m_samples[before].fraction > lowest.fraction))
            --before;
        LineStop stop;
        stop.why = LineStop::Why::Singularity;
        stop.kind = kind;
        stop.distance = lowest.value;
        if (distances[before] >= bound) {
            const JointVector& near = m_samples[before].posture;
            stop.fraction = lastHolding(m_samples[before].fraction, lowest.fraction,
                                        [&](double f) { return singularDistance(f, near, kind) >= bound; });
        }
        stopAt(stop);
    }
}

Closest LineWalk::bottom(size_t i, SingularityKind kind, Closest lowest) const
{
    const JointVector& near = m_samples[i].posture;
    double a = m_samples[i > 0 ? i - 1 : 0].fraction, b = m_samples[std::min(i + 1, m_samples.size() - 1)].fraction;
    constexpr double golden = 0.6180339887498949;
    double c = b - golden * (b - a), d = a + golden * (b - a);
    double atC = singularDistance(c, near, kind), atD = singularDistance(d, near, kind);
    for (int k = 0; k < 40; ++k) {
        if (atC < lowest.value) lowest = {atC, c, -1};
        if (atD < lowest.value) lowest = {atD, d, -1};
        if (atC < atD) {
            b = d;
            d = c;
            atD = atC;
            c = b - golden * (b - a);
            atC = singularDistance(c, near, kind);
        } else {
            a = c;
            c = d;
            atC = atD;
            d = a + golden * (b - a);
            atD = singularDistance(d, near, kind);
        }
    }
    return lowest;
}

}  // namespace topikos
