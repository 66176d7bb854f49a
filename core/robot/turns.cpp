#include "core/robot/turns.h"

#include "core/spatial/rotation.h"

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

}  // namespace topikos
