#pragma once
#include "core/spatial/pose.h"

#include <array>
#include <cmath>
#include <initializer_list>
#include <utility>

/// Small pieces that closed-form solvers share.
namespace topikos {

inline constexpr double kMeet = 1e-7;        // [m] how well axes must meet
inline constexpr double kParallel = 1e-9;    // sine of the angle between "parallel" axes
inline constexpr double kReachSlack = 1e-9;  // [m] rounding allowed at the edge of reach
inline constexpr double kAligned = 1e-10;    // sine below which wrist axes count as lined up

/// Lengths here are far from overflow, and std::hypot takes ten times as long.
inline double length(double a, double b) { return std::sqrt(a * a + b * b); }

/// Two numbers on which the same is done at once: the same operations as on one, so the same bits.
using Two = double __attribute__((vector_size(16)));

/// atan2(y, x) to 1e-15, three times as fast as the library's: arc tangent of a ratio of at most tan(3 pi / 8) by the
/// rational approximation of Moshier, "Methods and Programs for Mathematical Functions", 1989. Zero for (0, 0). `V` is
/// double or Two.
template <class V> V arcTangentOf(V y, V x)
{
    constexpr double half = 1.57079632679489661923, quarter = 0.78539816339744830962, rest = 6.123233995736765886e-17;
    const V zero{}, one = zero + 1.0;
    const V ax = x < zero ? -x : x, ay = y < zero ? -y : y;
    const auto flat = ay <= 0.66 * ax, steep = ay > 2.41421356237309504880 * ax;
    const V over = flat ? ay : (steep ? -ax : ay - ax), under = flat ? ax : (steep ? ay : ay + ax);
    const V t = over / (under > zero ? under : one), z = t * t;
    const V base = flat ? zero : (steep ? zero + half : zero + quarter),
            more = flat ? zero : (steep ? zero + rest : zero + 0.5 * rest);
    const V p = (((-8.750608600031904122785e-1 * z - 1.615753718733365076637e1) * z - 7.500855792314704667340e1) * z
                 - 1.228866684490136173410e2)
                    * z
                - 6.485021904942025371773e1;
    const V q = ((((z + 2.485846490142306297962e1) * z + 1.650270098316988542046e2) * z + 4.328810604912902668951e2) * z
                 + 4.853903996359136964868e2)
                    * z
                + 1.945506571482613964425e2;
    const V size = base + ((t * z * p / q + t) + more), angle = x < zero ? 2 * half - size : size;
    return y < zero ? -angle : angle;
}
inline double arcTangent(double y, double x) { return arcTangentOf(y, x); }

/// Several of them at once.
template <std::size_t N>
std::array<double, N> arcTangents(const std::array<double, N>& y, const std::array<double, N>& x)
{
    std::array<double, N> out;
    for (std::size_t i = 0; i < N; i += 2) {
        const std::size_t k = i + 1 < N ? i + 1 : i;
        const Two angles = arcTangentOf(Two{y[i], y[k]}, Two{x[i], x[k]});
        out[i] = angles[0];
        out[k] = angles[k - i];
    }
    return out;
}

inline constexpr double kLargestTurn = 1000;  // [rad]
template <class V> struct SineCosineOf {
    V sine, cosine;
};
using SineCosine = SineCosineOf<double>;
/// Both to 2e-16 for angles up to kLargestTurn, faster than the library's and the same on every machine. Method:
/// reduction to the nearest quarter turn in two parts, then the polynomials of fdlibm (Sun Microsystems, 1993). `V` is
/// double or Two.
template <class V> SineCosineOf<V> sineCosine(V angle)
{
    constexpr double perQuarter = 0.63661977236758134308, quarter = 1.57079632673412561417,
                     quarterRest = 6.07710050650619224932e-11, round = 6755399441055744.0;
    const V zero{};
    const V turns = angle * perQuarter + round - round;
    const V r = (angle - turns * quarter) - turns * quarterRest, z = r * r;
    const V sine =
        r
        + r * z
              * (-1.66666666666666324348e-01
                 + z
                       * (8.33333333332248946124e-03
                          + z
                                * (-1.98412698298579493134e-04
                                   + z
                                         * (2.75573137070700676789e-06
                                            + z * (-2.50507602534068634195e-08 + z * 1.58969099521155010221e-10)))));
    const V cosine =
        1 - 0.5 * z
        + z * z
              * (4.16666666666666019037e-02
                 + z
                       * (-1.38888888888741095749e-03
                          + z
                                * (2.48015872894767294178e-05
                                   + z
                                         * (-2.75573143513906633035e-07
                                            + z * (2.08757232129817482790e-09 + z * -1.13596475577881948265e-11)))));
    // Quarter turns left over, -2 to 2, swap the two and turn signs.
    const V left = turns - 4 * (turns * 0.25 + round - round);
    const auto odd = left * left == zero + 1.0;
    const V s = odd ? cosine : sine, c = odd ? sine : cosine;
    return {left * left - left == zero ? s : -s, left * left + left == zero ? c : -c};
}

/// Rotation of v about unit axis h by the angle whose sine and cosine are given.
inline Vec3 turned(const Vec3& h, double sine, double cosine, const Vec3& v)
{
    return cosine * v + sine * h.cross(v) + ((1 - cosine) * h.dot(v)) * h;
}

/// Rotation matrix about unit h with the given sine and cosine (Rodrigues).
inline Mat3 rotationOf(const Vec3& h, double s, double c)
{
    const double d = 1 - c;
    Mat3 r;
    r << c + h[0] * h[0] * d, h[0] * h[1] * d - h[2] * s, h[0] * h[2] * d + h[1] * s,  //
        h[1] * h[0] * d + h[2] * s, c + h[1] * h[1] * d, h[1] * h[2] * d - h[0] * s,   //
        h[2] * h[0] * d - h[1] * s, h[2] * h[1] * d + h[0] * s, c + h[2] * h[2] * d;
    return r;
}

/// Angle of the turn about unit h that comes nearest to the rotation m.
inline double nearestTurn(const Vec3& h, const Mat3& m)
{
    const Vec3 v(m(2, 1) - m(1, 2), m(0, 2) - m(2, 0), m(1, 0) - m(0, 1));
    return std::atan2(h.dot(v), m.trace() - h.dot(m * h));
}

/// A turn that solves a cos q + b sin q = c.
struct Turn {
    double q, sine, cosine;
};

/// Both turns that solve a cos q + b sin q = c; none if |c| exceeds hypot(a, b) by more than `slack`, `missing` then
/// says by how much. `free` is set when every turn does.
struct TwoTurns {
    Turn turns[2];
    int count = 0;
    bool free = false;
    double missing = 0;
};
TwoTurns turnsOnto(double a, double b, double c, double slack, double seed);

/// Point nearest to lines through o with unit directions h, as many of these, and its largest distance from them [m].
std::pair<Vec3, double> meetingPoint(std::initializer_list<Vec3> o, std::initializer_list<Vec3> h);

}  // namespace topikos
