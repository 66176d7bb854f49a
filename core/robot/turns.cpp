#include "core/robot/turns.h"

#include "core/spatial/result.h"
#include "core/spatial/rotation.h"

#include <Eigen/Cholesky>

#include <algorithm>
#include <numbers>

namespace topikos {

TwoTurns turnsOnto(double a, double b, double c, double slack, double seed)
{
    TwoTurns out;
    const double r2 = a * a + b * b, r = std::sqrt(r2);
    if (r < slack && std::abs(c) < slack) {
        out.free = true;
        for (const double q : {seed, wrapped(seed + std::numbers::pi)})
            out.turns[out.count++] = {q, std::sin(q), std::cos(q)};
        return out;
    }
    if (std::abs(c) > r + slack) {
        out.missing = std::abs(c) - r;
        return out;
    }
    const double root = std::sqrt(std::max(0.0, (r - c) * (r + c)));
    for (const double sign : {1.0, -1.0}) {
        const double sine = b * c + sign * root * a, cosine = a * c - sign * root * b, scale = 1 / length(sine, cosine);
        out.turns[out.count++] = {arcTangent(sine, cosine), sine * scale, cosine * scale};
        if (root < 1e-15 * r) break;  // both are the same
    }
    return out;
}

std::pair<Vec3, double> meetingPoint(std::initializer_list<Vec3> o, std::initializer_list<Vec3> h)
{
    require(o.size() == h.size(), "each line has a point and a direction");
    Mat3 a = Mat3::Zero();
    Vec3 b = Vec3::Zero();
    for (size_t i = 0; i < o.size(); ++i) {
        const Mat3 across = Mat3::Identity() - h.begin()[i] * h.begin()[i].transpose();
        a += across;
        b += across * o.begin()[i];
    }
    const Vec3 x = a.ldlt().solve(b);
    double worst = 0;
    for (size_t i = 0; i < o.size(); ++i)
        worst = std::max(worst, (x - o.begin()[i]).cross(h.begin()[i]).norm());
    return {x, worst};
}

}  // namespace topikos
