#include "core/motion/table_move.h"

#include "core/motion/in_step.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

double sameFor(const Joint& joint) { return joint.kind == JointKind::Revolute ? kSameRow : kSameRowSlide; }

/// Values of one joint at the rows, and what follows from them.
struct Column {
    int joint;
    std::vector<double> values, slopes;  ///< slopes: of the spline [1/s]
};

/// Slopes of the cubic spline through points that is level at both ends: continuous second derivatives (de Boor, "A
/// Practical Guide to Splines", chapter IV), a tridiagonal system.
std::vector<double> splineSlopes(const std::vector<double>& times, const std::vector<double>& values)
{
    const size_t n = times.size();
    std::vector<double> slopes(n, 0), upper(n, 0);
    for (size_t i = 1; i + 1 < n; ++i) {
        const double before = times[i] - times[i - 1], after = times[i + 1] - times[i];
        const double right =
            3 * (after * (values[i] - values[i - 1]) / before + before * (values[i + 1] - values[i]) / after);
        const double pivot = 2 * (before + after) - after * upper[i - 1];
        upper[i] = before / pivot;
        slopes[i] = (right - after * slopes[i - 1]) / pivot;
    }
    for (size_t i = n - 1; i-- > 1;)
        slopes[i] -= upper[i] * slopes[i + 1];
    return slopes;
}

/// A joint from one row to the next: c0 + c1 t + c2 t^2 + c3 t^3 for t from 0 to h.
struct Piece {
    double h, c0, c1 = 0, c2 = 0, c3 = 0, end;

    Piece(const TimeRows& rows, const Column& column, size_t i, BetweenRows between) :
        h(rows.times[i + 1] - rows.times[i]), c0(column.values[i]), end(column.values[i + 1])
    {
        const double chord = (end - c0) / h;
        if (between == BetweenRows::Linear) c1 = chord;
        if (between != BetweenRows::Smooth) return;
        c1 = column.slopes[i];
        const double last = column.slopes[i + 1];
        c2 = (3 * chord - 2 * c1 - last) / h;
        c3 = (c1 + last - 2 * chord) / (h * h);
    }
    double at(double t) const { return t == h ? end : c0 + t * (c1 + t * (c2 + t * c3)); }
    double rate(double t) const { return c1 + t * (2 * c2 + t * 3 * c3); }
    double bend(double t) const { return 2 * c2 + 6 * c3 * t; }
    /// Its beginning, where the value turns round, and its end.
    std::vector<double> turnings() const
    {
        std::vector<double> out{0};
        const double a = 3 * c3, b = 2 * c2, under = b * b - 4 * a * c1;
        if (under > 0) {
            const double q = -0.5 * (b + std::copysign(std::sqrt(under), b));
            for (const double t : {a != 0 ? q / a : 0, q != 0 ? c1 / q : 0})
                if (t > 0 && t < h) out.push_back(t);
            std::sort(out.begin(), out.end());
        }
        out.push_back(h);
        return out;
    }
};

/// The way of one pass by fractions of its time.
class PassMaker {
public:
    PassMaker(const Arm& arm, const JointVector& from, const TableInput& table) :
        m_arm(arm), m_from(from), m_rows(*table.rows), m_between(table.between), m_span(m_rows.duration())
    {
        for (size_t k = 0; k < m_rows.joints.size(); ++k) {
            Column column{m_rows.joints[k], {}, {}};
            for (size_t i = 0; i < m_rows.size(); ++i)
                column.values.push_back(m_rows.at(i, k));
            column.values.front() = from[column.joint];
            if (table.passes > 1) column.values.back() = column.values.front();
            if (m_between == BetweenRows::Smooth) column.slopes = splineSlopes(m_rows.times, column.values);
            m_columns.push_back(std::move(column));
        }
    }

    JointWay way() const
    {
        JointWay out(m_arm.jointCount());
        const JointVector zero = JointVector::Zero(m_arm.jointCount());
        const size_t rows = m_rows.size();
        JointWay::Knot knot{0, m_from, zero, zero};
        for (size_t i = 0; i + 1 < rows; ++i) {
            // A knot at either end of each piece: what jumps from one to the next is the table's.
            for (const bool end : {false, true}) {
                knot.fraction = m_rows.times[i + size_t(end)] / m_span;
                for (const Column& c : m_columns) {
                    const Piece piece(m_rows, c, i, m_between);
                    const double t = end ? piece.h : 0;
                    knot.posture[c.joint] = m_between == BetweenRows::Hold ? piece.c0 : piece.at(t);
                    knot.rate[c.joint] = m_span * piece.rate(t);
                    knot.bend[c.joint] = m_span * m_span * piece.bend(t);
                }
                out.append(knot);
            }
        }
        if (m_between == BetweenRows::Hold) {
            for (const Column& c : m_columns)
                knot.posture[c.joint] = c.values.back();
            out.append(knot);
        }
        return out;
    }

    /// Nearest range end, and where the first joint leaves its range.
    void judgeRange(Closest& margin, std::optional<LineStop>& stop) const
    {
        margin = rangeMargin(m_arm, m_from);
        double least = margin.joint < 0 ? INFINITY : weighedMargin(m_arm.joints()[size_t(margin.joint)], margin.value);
        for (const Column& c : m_columns) {
            const Joint& joint = m_arm.joints()[size_t(c.joint)];
            const auto left = [&](double value) { return std::min(value - joint.lower, joint.upper - value); };
            double leaves = INFINITY, excess = 0;
            for (size_t i = 0; i + 1 < m_rows.size(); ++i) {
                const Piece piece{m_rows, c, i, m_between};
                double before = 0;
                for (const double t : piece.turnings()) {
                    const double value = piece.at(t), own = left(value), weighed = weighedMargin(joint, own);
                    if (weighed < least) {
                        least = weighed;
                        margin = {own, (m_rows.times[i] + t) / m_span, c.joint};
                    }
                    if (own < -kRangeSlack) {
                        excess = std::max(excess, -own);
                        // From inside to outside the value goes one way only.
                        double in = before, out = t;
                        for (int n = 0; n < 60 && leaves == INFINITY; ++n) {
                            const double middle = 0.5 * (in + out);
                            (left(piece.at(middle)) < 0 ? out : in) = middle;
                        }
                        leaves = std::min(leaves, m_rows.times[i] + in);
                    }
                    before = t;
                }
            }
            if (leaves == INFINITY) continue;
            if (!stop) stop.emplace().why = LineStop::Why::JointRange, stop->fraction = 1;
            stop->fraction = std::min(stop->fraction, leaves / m_span);
            if (excess > stop->range.excess) stop->range = {c.joint, excess};
        }
    }

    /// Highest shares of the limits, with the times of the table slowed by `speed`.
    void judgeLimits(const MotionLimits& limits, TableSegment& run) const
    {
        double speedShare = 0, accelerationShare = 0;
        const double pace = limits.jointFraction;
        run.highestRate = JointVector::Zero(m_from.size());
        for (const Column& c : m_columns) {
            const Joint& joint = m_arm.joints()[size_t(c.joint)];
            const auto speed = [&](double rate, double time) {
                const double value = std::abs(rate) * pace, share = value / joint.speed;
                double& highest = run.highestRate[c.joint];
                highest = std::max(highest, std::abs(rate) * m_span * run.passes);
                if (share <= speedShare) return;
                speedShare = share;
                run.speed = {c.joint, value, joint.speed, time / m_span};
            };
            const auto acceleration = [&](double bend, double time) {
                const double value = std::abs(bend) * pace * pace, share = value / joint.acceleration;
                if (share <= accelerationShare) return;
                accelerationShare = share;
                run.acceleration = {c.joint, value, joint.acceleration, time / m_span};
            };
            const size_t pieces = m_rows.size() - 1;
            if (m_between == BetweenRows::Smooth) {
                for (size_t i = 0; i < pieces; ++i) {
                    const Piece piece(m_rows, c, i, m_between);
                    speed(piece.c1, m_rows.times[i]);
                    const double vertex = piece.c3 != 0 ? -piece.c2 / (3 * piece.c3) : -1;
                    if (vertex > 0 && vertex < piece.h) speed(piece.rate(vertex), m_rows.times[i] + vertex);
                    acceleration(piece.bend(0), m_rows.times[i]);
                    acceleration(piece.bend(piece.h), m_rows.times[i + 1]);
                }
                continue;
            }
            double before = 0, lengthBefore = 0;
            for (size_t i = 0; i <= pieces; ++i) {
                // Held rows: the way to row i in the time up to the next one.
                const bool held = m_between == BetweenRows::Hold;
                const size_t from = held ? std::min(i, pieces - 1) : i;
                const double h = i < pieces || held ? m_rows.times[from + 1] - m_rows.times[from] : 0;
                const double way = held ? (i > 0 ? c.values[i] - c.values[i - 1] : 0)
                                        : (i < pieces ? c.values[i + 1] - c.values[i] : 0);
                const double rate = h > 0 ? way / h : 0;
                speed(rate, m_rows.times[i]);
                acceleration((rate - before) / (0.5 * (h + lengthBefore)), m_rows.times[i]);
                before = rate;
                lengthBefore = h;
            }
        }
        run.fits = std::min(1.0, std::min(1 / speedShare, std::sqrt(1 / accelerationShare)) * pace);
        if (speedShare <= 1 + kAboveTable) run.speed.joint = -1;
        if (accelerationShare <= 1 + kAboveTable) run.acceleration.joint = -1;
    }

    JointVector end() const
    {
        JointVector out = m_from;
        for (const Column& c : m_columns)
            out[c.joint] = c.values.back();
        return out;
    }

private:
    static constexpr double kRangeSlack = 1e-9;  // a value right at the end of its range, rounded
    static constexpr double kAboveTable = 1e-3;  // as for laws that are made here

    const Arm& m_arm;
    const JointVector& m_from;
    const TimeRows& m_rows;
    const BetweenRows m_between;
    const double m_span;
    std::vector<Column> m_columns;
};

}  // namespace

TableJump jumpOf(const Arm& arm, const JointVector& from, const TableInput& table)
{
    const TimeRows& rows = *table.rows;
    TableJump out;
    double most = 1;
    const auto look = [&](TableJump::Where where, size_t column, double by) {
        const int joint = rows.joints[column];
        const double weighed = std::abs(by) / sameFor(arm.joints()[size_t(joint)]);
        if (weighed <= most) return;
        most = weighed;
        out = {where, joint, std::abs(by)};
    };
    for (size_t k = 0; k < rows.joints.size(); ++k)
        look(TableJump::Where::AtStart, k, rows.at(0, k) - from[rows.joints[k]]);
    if (out.where != TableJump::Where::Nowhere || table.passes < 2) return out;
    for (size_t k = 0; k < rows.joints.size(); ++k)
        look(TableJump::Where::AtRepeat, k, rows.at(rows.size() - 1, k) - rows.at(0, k));
    return out;
}

Move planTableMove(const Arm& arm, const JointVector& from, const TableInput& table, const MotionLimits& limits)
{
    const PassMaker pass(arm, from, table);
    Move move;
    move.from = from;
    move.to = pass.end();
    move.limits = limits;
    move.smooth = limitsJerk(arm);
    TableSegment& run = move.segment.emplace<TableSegment>();
    run.way = pass.way();
    run.passes = table.passes;
    run.duration = table.rows->duration() * table.passes;
    pass.judgeLimits(limits, run);
    pass.judgeRange(move.jointMargin, move.stop);
    for (double* fraction : {&move.jointMargin.fraction, &run.speed.fraction, &run.acceleration.fraction})
        *fraction /= table.passes;
    double end = 1;
    if (move.stop) end = move.stop->fraction /= table.passes;
    const double rate = limits.jointFraction / run.duration;
    if (end > 0) move.profile.append(end / rate, rate, 0);
    return move;
}

}  // namespace topikos
