#pragma once
#include "core/robot/turns.h"
#include "core/spatial/rotation.h"

#include <numbers>
#include <optional>

namespace topikos {

/// A rotation as turns about three given axes, one after the other: R = Ra(q1) Rb(q2) Rc(q3). Neighbouring axes are not parallel.
struct ThreeAxes {
    Vec3 a, b, c;         ///< unit directions
    Vec3 acrossC;         ///< unit, at a right angle to c
    bool square;          ///< both pairs of neighbours at right angles
    double cosine, sine;  ///< a . Rb(q) c = cosine cos q + sine sin q + constant
    double constant;
    double amplitude;     ///< hypot(cosine, sine)
    double mirror;        ///< q2 and mirror - q2 are the two sides

    static std::optional<ThreeAxes> make(const Vec3& a, const Vec3& b, const Vec3& c)
    {
        if (a.cross(b).norm() < 1e-3 || b.cross(c).norm() < 1e-3) return std::nullopt;
        const double ab = a.dot(b), bc = b.dot(c);
        const double cosine = a.dot(c) - ab * bc, sine = a.dot(b.cross(c));
        return ThreeAxes{a, b, c, c.unitOrthogonal(), std::abs(ab) < 1e-12 && std::abs(bc) < 1e-12, cosine, sine, ab * bc, length(cosine, sine),
                         2 * std::atan2(sine, cosine)};
    }

    struct Turns {
        double q1, q2, q3;
        bool aligned;  ///< axes a and c line up: only their common turn is fixed, and q1 is the seed
        bool turned;   ///< the second axis on its negative side: (a x Rb c) . b < 0
    };
    struct Both {
        Turns turns[2];
        int count = 0;
        double missing = 0;  ///< how far the pointing of axis c is from what the axes can give [rad]
    };

    Both solve(const Mat3& rotation, double seed) const
    {
        Both out;
        const Vec3 seen = rotation * c;  // Ra Rb c
        const double w = a.dot(seen) - constant;
        if (std::abs(w) > amplitude + 1e-9) {
            const double asked = std::acos(std::clamp(a.dot(seen), -1.0, 1.0));
            out.missing = std::abs(asked - std::acos(std::clamp(constant + std::copysign(amplitude, w), -1.0, 1.0)));
            return out;
        }
        // With right angles the sine is the length of a cross product, exact near the aligned axes.
        const double root = square ? a.cross(seen).norm() * amplitude : std::sqrt(std::max(0.0, (amplitude - w) * (amplitude + w)));
        const auto side = [&](double which) {
            const double s = sine * w + which * root * cosine, k = cosine * w - which * root * sine, scale = 1 / length(s, k);
            return side3(rotation, seen, s * scale, k * scale, seed);
        };
        out.turns[out.count++] = side(1);
        const Turns one = out.turns[0];
        if (square) {
            if (one.aligned) return out;  // both sides are the same posture
            // The other side: half a turn of the outer axes, the middle one mirrored at the aligned place.
            constexpr double pi = std::numbers::pi;
            out.turns[out.count++] = {wrapped(one.q1 + pi), wrapped(mirror - one.q2), wrapped(one.q3 + pi), false, !one.turned};
        } else {
            out.turns[out.count++] = side(-1);
        }
        return out;
    }

private:
    Turns side3(const Mat3& rotation, const Vec3& seen, double s2, double c2, double seed) const
    {
        const Vec3 after = turned(b, s2, c2, c);
        // Lengths of cross products keep their digits where the axes nearly line up, dot products do not.
        const Vec3 from = a.cross(after), to = a.cross(seen);
        const double fromLength = from.norm(), toLength = to.norm();
        Turns out;
        out.aligned = fromLength < kAligned || toLength < kAligned;
        const double scale = 1 / (fromLength * toLength);
        const double s1 = out.aligned ? std::sin(seed) : a.dot(from.cross(to)) * scale;
        const double c1 = out.aligned ? std::cos(seed) : from.dot(to) * scale;
        out.q1 = out.aligned ? seed : std::atan2(s1, c1);
        out.q2 = std::atan2(s2, c2);
        // The last axis takes what is left, so that the error of the first near the aligned place is made up for.
        const Vec3 left = topikos::turned(b, -s2, c2, topikos::turned(a, -s1, c1, rotation * acrossC));
        out.q3 = std::atan2(c.dot(acrossC.cross(left)), acrossC.dot(left));
        out.turned = from.dot(b) < 0;
        return out;
    }
};

}  // namespace topikos
