#pragma once
#include "core/robot/turns.h"
#include "core/spatial/rotation.h"

#include <numbers>
#include <optional>

namespace topikos {

/// A rotation as turns about three given axes, one after the other: R = Ra(q1) Rb(q2) Rc(q3). Neighbouring axes are not
/// parallel.
struct ThreeAxes {
    Vec3 a, b, c;         ///< unit directions
    Vec3 acrossC;         ///< unit, at a right angle to c
    bool square;          ///< both pairs of neighbours at right angles
    double cosine, sine;  ///< a . Rb(q) c = cosine cos q + sine sin q + constant
    double constant;
    double amplitude;  ///< hypot(cosine, sine)
    double mirror;     ///< q2 and mirror - q2 are the two sides
    Mat3 left, right;  ///< at right angles left * R * right turns about z, y and z; else identity

    static std::optional<ThreeAxes> make(const Vec3& a, const Vec3& b, const Vec3& c)
    {
        if (a.cross(b).norm() < 1e-3 || b.cross(c).norm() < 1e-3) return std::nullopt;
        const double ab = a.dot(b), bc = b.dot(c);
        const double cosine = a.dot(c) - ab * bc, sine = a.dot(b.cross(c));
        const bool square = std::abs(ab) < 1e-12 && std::abs(bc) < 1e-12;
        Mat3 left = Mat3::Identity(), right = Mat3::Identity();
        if (square) left << b.cross(a).transpose(), b.transpose(), a.transpose();
        if (square) right << b.cross(c), b, c;
        return ThreeAxes{a,      b,    c,       c.unitOrthogonal(),   square,
                         cosine, sine, ab * bc, length(cosine, sine), 2 * arcTangent(sine, cosine),
                         left,   right};
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
        return square ? solveSquare(left * rotation * right, seed) : solveAny(rotation, seed);
    }
    /// The same for left * rotation * right, where the caller has it at less cost.
    Both solveLed(const Mat3& led, double seed) const { return square ? solveSquare(led, seed) : solveAny(led, seed); }

private:
    Both solveAny(const Mat3& rotation, double seed) const
    {
        Both out;
        const Vec3 seen = rotation * c;  // Ra Rb c
        const double w = a.dot(seen) - constant;
        if (std::abs(w) > amplitude + 1e-9) {
            const double asked = std::acos(std::clamp(a.dot(seen), -1.0, 1.0));
            out.missing = std::abs(asked - std::acos(std::clamp(constant + std::copysign(amplitude, w), -1.0, 1.0)));
            return out;
        }
        const double root = std::sqrt(std::max(0.0, (amplitude - w) * (amplitude + w)));
        const auto side = [&](double which) {
            const double s = sine * w + which * root * cosine, k = cosine * w - which * root * sine,
                         scale = 1 / length(s, k);
            return side3(rotation, seen, s * scale, k * scale, seed);
        };
        out.turns[out.count++] = side(1);
        out.turns[out.count++] = side(-1);
        return out;
    }

    /// r = Rz(q1) Ry(q2') Rz(q3). The sine is the length of two entries, exact near the aligned axes; the last turn
    /// takes what the first leaves, so that the error of the first there is made up for.
    Both solveSquare(const Mat3& r, double seed) const
    {
        constexpr double pi = std::numbers::pi;
        Both out;
        const double across = length(r(0, 2), r(1, 2));
        Turns& one = out.turns[0];
        one.aligned = across < kAligned;
        const double s1 = one.aligned ? std::sin(seed) : r(1, 2) / across,
                     c1 = one.aligned ? std::cos(seed) : r(0, 2) / across;
        const auto [first, bend, last] = arcTangents<3>({r(1, 2), across, c1 * r(1, 0) - s1 * r(0, 0)},
                                                        {r(0, 2), r(2, 2), c1 * r(1, 1) - s1 * r(0, 1)});
        one.q1 = one.aligned ? seed : first;
        one.q2 = wrapped(bend + 0.5 * mirror);
        one.q3 = last;
        one.turned = false;
        out.count = 1;
        if (one.aligned) return out;  // both sides are the same posture
        out.turns[1] = {wrapped(one.q1 + pi), wrapped(0.5 * mirror - bend), wrapped(one.q3 + pi), false, true};
        out.count = 2;
        return out;
    }

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
        out.q1 = out.aligned ? seed : arcTangent(s1, c1);
        out.q2 = arcTangent(s2, c2);
        // The last axis takes what is left, so that the error of the first near the aligned place is made up for.
        const Vec3 rest = topikos::turned(b, -s2, c2, topikos::turned(a, -s1, c1, rotation * acrossC));
        out.q3 = arcTangent(c.dot(acrossC.cross(rest)), acrossC.dot(rest));
        out.turned = from.dot(b) < 0;
        return out;
    }
};

}  // namespace topikos
