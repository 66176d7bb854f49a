#include "core/robot/six_general.h"

#include "core/robot/numeric.h"
#include "core/robot/zero_axes.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <Eigen/Eigenvalues>
#include <Eigen/QR>

#include <algorithm>
#include <numbers>
#include <random>

namespace topikos {

namespace {

constexpr double kThird = kTurn / 3;

using Vec12 = Eigen::Matrix<double, 12, 1>;
using Vec14 = Eigen::Matrix<double, 14, 1>;
using Mat12 = Eigen::Matrix<double, 12, 12>;
using Mat24 = Eigen::Matrix<double, 24, 24>;
// Solvers are of any size: those of a fixed one take most of a minute more to compile.

struct Line {
    Vec3 o, h;  ///< a point on it, its unit direction
};

/// Turns the line element about an axis.
Line about(const Line& axis, double sine, double cosine, const Line& element)
{
    return {axis.o + turned(axis.h, sine, cosine, Vec3(element.o - axis.o)), turned(axis.h, sine, cosine, element.h)};
}

/// The components that rigid motions change linearly.
Vec14 components(const Line& e)
{
    Vec14 v;
    const double pp = e.o.dot(e.o), pl = e.o.dot(e.h);
    v << e.o, e.h, pp, pl, e.o.cross(e.h), pp * e.h - 2 * pl * e.o;
    return v;
}

/// Six axes in the order of elimination: E1 ... E6 = goal, lengths in units of the scale.
struct Loop {
    std::array<Line, 6> axes;
    Pose goal;  ///< of the motion E1 ... E6
};

Line moved(const Pose& pose, const Line& line) { return {pose * line.o, pose.rotation * line.h}; }

/// E1 ... E6 = G is the same as E2 ... E6 E1' = G, with axis 1' standing at G^-1 (axis 1).
Loop loopOf(const GeneralSix& f, const Pose& goal)
{
    Loop loop;
    const Pose back = inverse(goal);
    for (size_t i = 0; i < 6; ++i) {
        const size_t joint = (i + size_t(f.shift)) % 6;
        const Line axis{f.o[joint] / f.scale, f.h[joint]};
        loop.axes[i] = joint < size_t(f.shift) ? moved(back, axis) : axis;
    }
    loop.goal = goal;
    return loop;
}

/// Values of the six joints in the order of the loop that may be a solution.
using Candidate = std::array<double, 6>;

/// Joints 1 and 2 take the element `from` (as joints 3 to 5 left it) onto `onto`: E1 E2 from = onto.
void firstTwo(const Loop& loop, const Line& from, const Line& onto, double out[][2], int& count)
{
    const Line &one = loop.axes[0], &two = loop.axes[1];
    // What a turn about axis 1 does not change, as a function of joint 2: rows a cos + b sin = c.
    Eigen::Matrix<double, 4, 2> a;
    Eigen::Matrix<double, 4, 1> c;
    const Vec3 p = from.o - two.o, pAcross = p - two.h.dot(p) * two.h, lAcross = from.h - two.h.dot(from.h) * two.h;
    const Vec3 rest = two.o + two.h * two.h.dot(p) - one.o;  // E2 p - o1 = rest + R2 pAcross
    const Vec3 lRest = two.h * two.h.dot(from.h);
    const auto row = [&](int i, double k, double s, double wanted) { a(i, 0) = k, a(i, 1) = s, c[i] = wanted; };
    row(0, one.h.dot(lAcross), one.h.dot(two.h.cross(lAcross)), one.h.dot(onto.h) - one.h.dot(lRest));
    row(1, one.h.dot(pAcross), one.h.dot(two.h.cross(pAcross)), one.h.dot(onto.o - one.o) - one.h.dot(rest));
    const double square = (onto.o - one.o).squaredNorm();
    row(2, 2 * rest.dot(pAcross), 2 * rest.dot(two.h.cross(pAcross)),
        square - rest.squaredNorm() - pAcross.squaredNorm());
    // (E2 p - o1) . (E2 l)
    row(3, rest.dot(lAcross) + pAcross.dot(lRest), rest.dot(two.h.cross(lAcross)) + two.h.cross(pAcross).dot(lRest),
        (onto.o - one.o).dot(onto.h) - rest.dot(lRest) - pAcross.dot(lAcross));
    const Eigen::Matrix2d n = a.transpose() * a;
    const double trace = n.trace();
    if (trace < 1e-16) return;
    double seconds[2];
    int ways = 0;
    if (n.determinant() > 1e-14 * trace * trace) {
        const Eigen::Vector2d x = n.inverse() * (a.transpose() * c);
        seconds[ways++] = std::atan2(x[1], x[0]);
    } else {
        int strongest = 0;
        for (int i = 1; i < 4; ++i)
            if (a.row(i).squaredNorm() > a.row(strongest).squaredNorm()) strongest = i;
        const TwoTurns turns = turnsOnto(a(strongest, 0), a(strongest, 1), c[strongest], 1e-3, 0);
        for (int i = 0; i < turns.count; ++i)
            seconds[ways++] = turns.turns[i].q;
    }
    for (int i = 0; i < ways; ++i) {
        const Line seen = about(two, std::sin(seconds[i]), std::cos(seconds[i]), from);
        // Joint 1 by both the point and the direction.
        double sine = 0, cosine = 0;
        for (const auto& [v, w] :
             {std::pair<Vec3, Vec3>{seen.o - one.o, onto.o - one.o}, std::pair<Vec3, Vec3>{seen.h, onto.h}}) {
            sine += one.h.dot(v.cross(w));
            cosine += v.dot(w) - one.h.dot(v) * one.h.dot(w);
        }
        out[count][0] = std::atan2(sine, cosine);
        out[count++][1] = seconds[i];
    }
}

/// Joints 4 and 5 from null vectors of the eliminated matrix, whose entries are (t4^3, t4^2, t4, 1) x (t5^2, t5, 1), t
/// = tan(q / 2).
double halfTurn(double upperUpper, double upperLower, double lowerLower)
{
    // Least squares for the ratio, from the side that is larger.
    return upperUpper > lowerLower ? 2 * std::atan2(upperUpper, upperLower) : 2 * std::atan2(upperLower, lowerLower);
}

void outerAngles(const Vec12& v, double& q4, double& q5)
{
    double uu = 0, ul = 0, ll = 0;
    for (int i = 0; i < 9; ++i)
        uu += v[i] * v[i], ul += v[i] * v[i + 3], ll += v[i + 3] * v[i + 3];
    q4 = halfTurn(uu, ul, ll);
    uu = ul = ll = 0;
    for (int i = 0; i < 12; i += 3)
        for (int k = i; k < i + 2; ++k)
            uu += v[k] * v[k], ul += v[k] * v[k + 1], ll += v[k + 1] * v[k + 1];
    q5 = halfTurn(uu, ul, ll);
}

/// The eliminated matrix at t: second + t first + t^2 zeroth, in the loop's joint 3.
struct Pencil {
    Mat12 zeroth, first, second;  ///< coefficients of t^2, t, 1
    Mat12 at(double t) const { return second + t * (first + t * zeroth); }
};

/// Eliminates joints 1 and 2, and writes joints 3 to 5 by half-angle tangents, each joint counted from `offset`.
bool eliminate(const Loop& loop, const std::array<double, 3>& offset, Pencil& pencil)
{
    // The right-hand side: E2^-1 E1^-1 G (axis 6), by its values at three turns of each joint.
    const Line last = loop.axes[5], seen = moved(loop.goal, last);
    Eigen::Matrix<double, 14, 9> right;  // (1, cos1, sin1) x (1, cos2, sin2)
    right.setZero();
    static const std::array<std::array<double, 3>, 3> fit = [] {
        std::array<std::array<double, 3>, 3> w;  // from values at 0, 120, 240 degrees to 1, cos, sin
        for (size_t k = 0; k < 3; ++k)
            w[k] = {1.0 / 3, 2.0 / 3 * std::cos(double(k) * kThird), 2.0 / 3 * std::sin(double(k) * kThird)};
        return w;
    }();
    std::array<double, 3> sines, cosines;
    for (size_t k = 0; k < 3; ++k)
        sines[k] = std::sin(double(k) * kThird), cosines[k] = std::cos(double(k) * kThird);
    for (size_t i = 0; i < 3; ++i) {
        const Line one = about(loop.axes[0], -sines[i], cosines[i], seen);
        for (size_t k = 0; k < 3; ++k) {
            const Vec14 v = components(about(loop.axes[1], -sines[k], cosines[k], one));
            for (size_t m = 0; m < 3; ++m)
                for (size_t n = 0; n < 3; ++n)
                    right.col(Eigen::Index(3 * m + n)) += (fit[i][m] * fit[k][n]) * v;
        }
    }
    // The left-hand side, first in joint 5, then 4, then 3. Column 9 i + 3 k + m: i of joint 3, k of joint 4, m of
    // joint 5.
    Eigen::Matrix<double, 14, 27> left, values;
    for (size_t m = 0; m < 3; ++m) {
        const double a5 = double(m) * kThird + offset[2];
        const Line five = about(loop.axes[4], std::sin(a5), std::cos(a5), last);
        for (size_t k = 0; k < 3; ++k) {
            const double a4 = double(k) * kThird + offset[1];
            const Line four = about(loop.axes[3], std::sin(a4), std::cos(a4), five);
            for (size_t i = 0; i < 3; ++i) {
                const double a3 = double(i) * kThird + offset[0];
                values.col(Eigen::Index(9 * i + 3 * k + m)) =
                    components(about(loop.axes[2], std::sin(a3), std::cos(a3), four));
            }
        }
    }
    for (const int stride : {1, 3, 9}) {
        left.setZero();
        for (int c = 0; c < 27; ++c) {
            const int digit = c / stride % 3, base = c - digit * stride;
            for (int m = 0; m < 3; ++m)
                left.col(base + m * stride) += fit[size_t(digit)][size_t(m)] * values.col(c);
        }
        values = left;
    }
    left.col(0) -= right.col(0);  // the constant goes to the left

    // What is at right angles to the columns of joints 1 and 2.
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(right.rightCols<8>());
    qr.setThreshold(1e-9);
    const int rank = int(qr.rank());
    Eigen::Matrix<double, 14, 27> clear = qr.householderQ().adjoint() * left;
    Eigen::Matrix<double, Eigen::Dynamic, 27, Eigen::ColMajor, 14, 27> rows = clear.bottomRows(14 - rank);
    Eigen::Matrix<double, 6, 27> six;
    if (rows.rows() == 6) {
        six = rows;
    } else {
        // More equations than needed: six fixed mixtures of them.
        Eigen::Matrix<double, 6, Eigen::Dynamic, Eigen::ColMajor, 6, 14> mixture(6, rows.rows());
        std::mt19937_64 random(5);
        std::normal_distribution<double> normal;
        for (Eigen::Index i = 0; i < mixture.size(); ++i)
            mixture(i) = normal(random);
        six = mixture * rows;
    }
    for (int i = 0; i < 6; ++i)
        if (const double size = six.row(i).norm(); size > 0) six.row(i) /= size;

    // Half angles: (1 + t^2)(a + b cos + c sin) = (a - b) t^2 + 2 c t + (a + b), for each of the three joints.
    for (const int stride : {1, 3, 9})
        for (int c = 0; c < 27; ++c) {
            if (c / stride % 3 != 0) continue;
            const Eigen::Matrix<double, 6, 1> a = six.col(c), b = six.col(c + stride), s = six.col(c + 2 * stride);
            six.col(c) = a - b;
            six.col(c + stride) = 2 * s;
            six.col(c + 2 * stride) = a + b;
        }
    // Each equation and the same times t4: twelve rows over (t4^3, t4^2, t4, 1) x (t5^2, t5, 1).
    Mat12* const parts[] = {&pencil.zeroth, &pencil.first, &pencil.second};
    for (int power = 0; power < 3; ++power) {
        parts[power]->setZero();
        parts[power]->topLeftCorner<6, 9>() = six.middleCols<9>(9 * power);
        parts[power]->bottomRightCorner<6, 9>() = six.middleCols<9>(9 * power);
    }
    return six.allFinite();
}

/// Null vectors at a root that may be a cluster: one for a simple root, more with joints 4 and 5 told apart.
void nullVectors(const Mat12& m, int multiplicity, std::vector<std::pair<double, double>>& angles)
{
    double q4, q5;
    if (multiplicity == 1) {
        // Inverse iteration; the matrix is singular to rounding.
        const Eigen::PartialPivLU<Eigen::MatrixXd> lu(m);
        Vec12 v = Vec12::LinSpaced(1, 1.7);
        for (int k = 0; k < 2; ++k) {
            v = lu.solve(v).eval();
            v /= v.norm();
        }
        if (!v.allFinite()) return;
        outerAngles(v, q4, q5);
        angles.push_back({q4, q5});
        return;
    }
    const Eigen::JacobiSVD<Eigen::MatrixXd> svd(m, Eigen::ComputeFullV);
    const int size = std::min(multiplicity, 6);
    const Eigen::MatrixXd basis = svd.matrixV().rightCols(size);
    // On the null space, multiplying by t4 and by t5 are commuting maps; vectors of a mixture of both are those of the
    // single roots.
    Eigen::MatrixXd low5(8, size), high5(8, size);
    for (int i = 0; i < 4; ++i)
        for (int k = 0; k < 2; ++k)
            high5.row(2 * i + k) = basis.row(3 * i + k), low5.row(2 * i + k) = basis.row(3 * i + k + 1);
    const Eigen::MatrixXd by4 =
        Eigen::MatrixXd(basis.bottomRows(9)).colPivHouseholderQr().solve(Eigen::MatrixXd(basis.topRows(9)));
    const Eigen::MatrixXd by5 = low5.colPivHouseholderQr().solve(high5);
    const Eigen::EigenSolver<Eigen::MatrixXd> solver(by4 + 0.618 * by5);
    for (int i = 0; i < size; ++i) {
        const Vec12 v = basis * solver.eigenvectors().col(i).real();
        outerAngles(v, q4, q5);
        angles.push_back({q4, q5});
    }
}

std::vector<Candidate> candidates(const Loop& loop)
{
    std::vector<Candidate> out;
    // A joint near half a turn makes its tangent run away: the zeros are moved until the leading coefficient is well
    // conditioned.
    static constexpr std::array<std::array<double, 3>, 4> offsets{
        {{0.4, 1.1, -0.7}, {2.1, -0.6, 1.3}, {-1.3, 2.4, 0.5}, {-2.7, -1.9, 2.2}}};
    Pencil best;
    std::array<double, 3> offset{};
    double bestCondition = -1;
    for (const auto& o : offsets) {
        Pencil pencil;
        if (!eliminate(loop, o, pencil)) continue;
        const double condition = Eigen::PartialPivLU<Eigen::MatrixXd>(pencil.zeroth).rcond();
        if (!(condition > bestCondition)) continue;
        bestCondition = condition;
        best = pencil;
        offset = o;
        if (condition > 1e-5) break;
    }
    if (!(bestCondition > 1e-16)) return out;
    const Eigen::PartialPivLU<Eigen::MatrixXd> lu(best.zeroth);
    Mat24 companion = Mat24::Zero();
    companion.topRightCorner<12, 12>().setIdentity();
    companion.bottomLeftCorner<12, 12>() = -lu.solve(best.second);
    companion.bottomRightCorner<12, 12>() = -lu.solve(best.first);
    const Eigen::EigenSolver<Eigen::MatrixXd> solver(companion, false);
    if (solver.info() != Eigen::Success) return out;
    std::vector<double> roots;
    for (Eigen::Index i = 0; i < 24; ++i) {
        const std::complex<double> t = solver.eigenvalues()[i];
        const double size = 1 + std::norm(t);
        if (!std::isfinite(size) || std::abs(t.imag()) > 2e-2 * size)
            continue;  // nearly double roots come out as pairs beside the real line
        if (t.imag() < 0) continue;
        roots.push_back(2 * std::atan(t.real()));
        if (t.imag() > 0) roots.push_back(roots.back());
    }
    std::sort(roots.begin(), roots.end());
    const Line last = loop.axes[5], seen = moved(loop.goal, last);
    const Vec3 across = last.h.unitOrthogonal();
    for (size_t i = 0; i < roots.size();) {
        size_t end = i + 1;
        while (end < roots.size() && roots[end] - roots[end - 1] < 1e-5)
            ++end;
        double q3 = 0;
        for (size_t k = i; k < end; ++k)
            q3 += roots[k] / double(end - i);
        std::vector<std::pair<double, double>> angles;
        nullVectors(best.at(std::tan(q3 / 2)), int(end - i), angles);
        i = end;
        q3 += offset[0];
        for (const auto& [raw4, raw5] : angles) {
            const double q4 = raw4 + offset[1], q5 = raw5 + offset[2];
            const Mat3 r345 = rotationAbout(loop.axes[2].h, q3) * rotationAbout(loop.axes[3].h, q4)
                              * rotationAbout(loop.axes[4].h, q5);
            const Line five = about(loop.axes[4], std::sin(q5), std::cos(q5), last);
            const Line from =
                about(loop.axes[2], std::sin(q3), std::cos(q3), about(loop.axes[3], std::sin(q4), std::cos(q4), five));
            double ways[2][2];
            int count = 0;
            firstTwo(loop, from, seen, ways, count);
            for (int w = 0; w < count; ++w) {
                const Mat3 r6 =
                    (rotationAbout(loop.axes[0].h, ways[w][0]) * rotationAbout(loop.axes[1].h, ways[w][1]) * r345)
                        .transpose()
                    * loop.goal.matrix();
                const Vec3 left = r6 * across;
                out.push_back(
                    {ways[w][0], ways[w][1], q3, q4, q5, std::atan2(last.h.dot(across.cross(left)), across.dot(left))});
            }
        }
    }
    return out;
}

bool sameModuloTurns(const JointVector& a, const JointVector& b, double tolerance)
{
    for (Eigen::Index i = 0; i < a.size(); ++i)
        if (std::abs(wrapped(a[i] - b[i])) > tolerance) return false;
    return true;
}

/// Adds an arrived posture unless it is there.
void keep(std::vector<JointVector>& all, const Descent& end)
{
    if (!end.arrived()) return;
    JointVector q = end.joints;
    for (double& v : q)
        v = wrapped(v);
    for (const JointVector& other : all)
        if (sameModuloTurns(q, other, 1e-5)) return;
    all.push_back(q);
}

void byElimination(const Arm& arm, const GeneralSix& f, const Pose& baseFromFlange, std::vector<JointVector>& all)
{
    Pose goal = baseFromFlange * inverse(makePose(f.zeroRotation, f.zeroPosition));
    goal.translation /= f.scale;
    for (const Candidate& c : candidates(loopOf(f, goal))) {
        JointVector q(6);
        for (size_t i = 0; i < 6; ++i)
            q[Eigen::Index((i + size_t(f.shift)) % 6)] = c[i];
        keep(all, descend(arm, baseFromFlange, q, false, f.scale, 25));
    }
}

JointVector planted(std::mt19937_64& random)
{
    std::uniform_real_distribution<double> angle(-std::numbers::pi, std::numbers::pi);
    JointVector q(6);
    for (double& v : q)
        v = angle(random);
    return q;
}

}  // namespace

std::vector<JointVector> solveGeneralSix(const Arm& arm, const GeneralSix& f, const Pose& baseFromFlange)
{
    std::vector<JointVector> all;
    byElimination(arm, f, baseFromFlange, all);
    // Real roots come in pairs: an odd number says that one was lost to rounding, and another elimination order finds
    // it.
    GeneralSix other = f;
    for (int k = 1; k < 6 && all.size() % 2 == 1; ++k) {
        other.shift = (f.shift + k) % 6;
        byElimination(arm, other, baseFromFlange, all);
    }
    if (!f.complete) {
        std::mt19937_64 random(7);
        for (int k = 0; k < 200; ++k)
            keep(all, descend(arm, baseFromFlange, planted(random), false, f.scale));
    }
    std::sort(all.begin(), all.end(), [](const JointVector& a, const JointVector& b) {
        return std::lexicographical_compare(a.begin(), a.end(), b.begin(), b.end());
    });
    return all;
}

std::optional<GeneralSix> recogniseGeneralSix(const Arm& arm)
{
    if (!allRevolute(arm, 6)) return std::nullopt;
    const ZeroAxes zero(arm);
    GeneralSix f;
    for (size_t i = 0; i < 6; ++i)
        f.h[i] = zero.h[i], f.o[i] = zero.o[i];
    f.zeroRotation = zero.flange.rotation;
    f.zeroPosition = zero.flange.origin;
    f.scale = arm.reach();
    constexpr int postures = 10;
    size_t most = 0;
    int found = -1, bestShift = 0;
    for (int shift = 0; shift < 6; ++shift) {
        GeneralSix trial = f;
        trial.shift = shift;
        std::mt19937_64 random(3);
        size_t sum = 0;
        int own = 0;
        for (int k = 0; k < postures; ++k) {
            const JointVector q = planted(random);
            std::vector<JointVector> all;
            byElimination(arm, trial, forward(arm, q), all);
            sum += all.size();
            own +=
                std::any_of(all.begin(), all.end(), [&](const JointVector& s) { return sameModuloTurns(q, s, 1e-5); });
        }
        if (own > found || (own == found && sum > most)) {
            found = own;
            most = sum;
            bestShift = shift;
        }
    }
    f.shift = bestShift;
    f.complete = found == postures;
    return f;
}

}  // namespace topikos
