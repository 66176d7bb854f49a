#pragma once
#include "core/robot/turns.h"
#include "core/spatial/rotation.h"

#include <algorithm>
#include <optional>

namespace topikos {

/// Two parallel revolute axes (an upper arm and a forearm) seen along them, at the zero posture, in base.
struct PlanarArm {
    Vec3 h;                        ///< unit direction of the first axis
    double sigma;                  ///< +1 or -1: the second axis is sigma * h
    Vec3 origin;                   ///< point on the first axis
    Vec3 u, n;                     ///< with h a right-handed basis: u points from the first axis to the second
    double upperLength;            ///< distance of the axes [m]
    double foreLength, foreAngle;  ///< the tip seen from the second axis in the (u, n) plane, polar [m, rad]

    /// Nothing if the axes or the tip are less than 1e-6 m apart.
    static std::optional<PlanarArm> make(const Vec3& h, double sigma, const Vec3& origin, const Vec3& second,
                                         const Vec3& tip)
    {
        const auto across = [&](const Vec3& v) { return Vec3(v - h.dot(v) * h); };
        const Vec3 upper = across(second - origin), fore = across(tip - second);
        PlanarArm p{h, sigma, origin, {}, {}, upper.norm(), fore.norm(), 0};
        if (p.upperLength < 1e-6 || p.foreLength < 1e-6) return std::nullopt;
        p.u = upper / p.upperLength;
        p.n = h.cross(p.u);
        p.foreAngle = arcTangent(fore.dot(p.n), fore.dot(p.u));
        return p;
    }
    double reach() const { return upperLength + foreLength; }
};

/// The way of a planar arm to bring its tip over `x`.
struct PlanarWay {
    const PlanarArm& arm;
    double xu, xn, distance;

    PlanarWay(const PlanarArm& a, const Vec3& x) :
        arm(a), xu(a.u.dot(x - a.origin)), xn(a.n.dot(x - a.origin)), distance(length(xu, xn))
    {
    }

    /// How far the tip is from where it can get [m].
    double missing() const
    {
        return std::max({0.0, distance - arm.reach(), std::abs(arm.upperLength - arm.foreLength) - distance});
    }
    bool tooFar() const { return distance > arm.reach(); }

    /// Both joints, and the turn of both together about h. `bend` is +1 or -1: the side to which the forearm bends;
    /// `sine` of the bend tells how far.
    struct Joints {
        double first, second, sum, sine;
    };
    Joints solve(double bend) const { return solve(angles(bend), 1); }

    /// What a bend is made of.
    struct Angles {
        double turn, towards, lead, sine;
    };
    Angles angles(double bend) const
    {
        const double l2 = arm.upperLength, l3 = arm.foreLength;
        const double cosine = std::clamp((distance * distance - l2 * l2 - l3 * l3) / (2 * l2 * l3), -1.0, 1.0);
        const double sine = bend * std::sqrt((1 - cosine) * (1 + cosine));
        const auto [turn, towards, lead] = arcTangents<3>({sine, xn, l3 * sine}, {cosine, xu, l2 + l3 * cosine});
        return {turn, towards, lead, sine};
    }
    /// With `side` -1 the bend to the other side.
    Joints solve(const Angles& a, double side) const
    {
        const double theta3 = side * a.turn - arm.foreAngle, theta2 = a.towards - side * a.lead;
        return {wrapped(theta2), wrapped(arm.sigma * theta3), theta2 + theta3, side * a.sine};
    }
};

}  // namespace topikos
