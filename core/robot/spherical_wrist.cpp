#include "core/robot/branches.h"

#include "core/robot/turns.h"
#include "core/robot/zero_axes.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

void shareAlignedWrist(const ThreeAxes& wrist, const Joint& j4, const Joint& j6, double& q4, double q5, double& q6)
{
    const Vec3 y4 = rotationAbout(wrist.b, q5) * wrist.c;
    const double sign = wrist.a.dot(y4) > 0 ? 1 : -1;
    const double sum = q6 + sign * q4;
    double best = q4, bestDistance = INFINITY;
    for (int turn = -3; turn <= 3; ++turn) {
        // q6 = sum + turn - sign q4 in its range, q4 in its own
        const double s = sum + turn * kTurn;
        const double low = std::max(j4.lower, sign > 0 ? s - j6.upper : j6.lower - s);
        const double high = std::min(j4.upper, sign > 0 ? s - j6.lower : j6.upper - s);
        if (low > high) continue;
        const double shared = std::clamp(q4, low, high);
        if (std::abs(shared - q4) < bestDistance) {
            best = shared;
            bestDistance = std::abs(shared - q4);
        }
    }
    q6 = wrapped(sum - sign * best);
    q4 = best;
}

std::optional<SphericalWrist> recogniseSphericalWrist(const Arm& arm)
{
    if (!allRevolute(arm, 6)) return std::nullopt;
    const ZeroAxes zero(arm);
    const auto& h = zero.h;
    const auto& o = zero.o;
    if (!zero.parallel(1, 2) || h[0].cross(h[1]).norm() < 1e-3) return std::nullopt;
    const auto wrist = ThreeAxes::make(h[3], h[4], h[5]);
    if (!wrist) return std::nullopt;
    const auto [centre, miss] = meetingPoint({o[3], o[4], o[5]}, {h[3], h[4], h[5]});
    if (miss > kMeet) return std::nullopt;

    SphericalWrist s;
    s.h1 = h[0];
    s.h2 = h[1];
    s.wrist = *wrist;
    s.sigma3 = zero.sign(1, 2);
    s.o1 = o[0];
    s.o2 = o[1];
    const auto across = [&](const Vec3& v) { return Vec3(v - h[1].dot(v) * h[1]); };
    const Vec3 upper = across(o[2] - o[1]), fore = across(centre - o[2]);
    s.upperLength = upper.norm();
    s.foreLength = fore.norm();
    if (s.upperLength < 1e-6 || s.foreLength < 1e-6) return std::nullopt;
    s.u = upper / s.upperLength;
    s.n = h[1].cross(s.u);
    s.foreAngle = arcTangent(fore.dot(s.n), fore.dot(s.u));
    s.foreSine = fore.dot(s.n) / s.foreLength;
    s.foreCosine = fore.dot(s.u) / s.foreLength;
    s.lateral = h[1].dot(centre - o[0]);
    s.flangeFromWrist = zero.inFlange(centre);
    s.lastLed = zero.flange.rotation.transpose() * s.wrist.right;
    const Mat3 along2 = s.h2 * s.h2.transpose();
    Mat3 cross2;
    cross2 << 0, -s.h2.z(), s.h2.y(), s.h2.z(), 0, -s.h2.x(), -s.h2.y(), s.h2.x(), 0;
    s.turnLed = {s.wrist.left * along2, s.wrist.left * (Mat3::Identity() - along2), s.wrist.left * cross2};
    s.shoulderCosine = h[0].dot(h[1]);
    const Vec3 ahead = h[1].cross(h[0]).normalized();
    const double offset = ahead.dot(o[1] - o[0]);
    s.elbowSign = (std::abs(offset) > 1e-6 ? offset : ahead.dot(centre - o[0])) < -1e-9 ? -1 : 1;
    s.front = s.elbowSign * ahead;
    return s;
}

BranchSolutions solveSphericalWrist(const SphericalWrist& arm, const Mat3& rotation, const Vec3& position, double seed1,
                                    double seed4, const Configuration* only)
{
    BranchSolutions out;
    const Vec3 centre = position + rotation * arm.flangeFromWrist;
    const Mat3 totalLed = rotation * arm.lastLed;  // R1 R2 R3 R4 R5 R6 as the wrist wants it at the right

    // Joint 1 brings the wrist centre to its fixed height along axis 2: a cos q1 + b sin q1 = c.
    const Vec3 d = centre - arm.o1;
    const double along = arm.shoulderCosine * arm.h1.dot(d);
    const double a = arm.h2.dot(d) - along, b = -arm.h2.dot(arm.h1.cross(d)), c = arm.lateral - along;
    const TwoTurns firsts = turnsOnto(a, b, c, kReachSlack, seed1);
    if (firsts.count == 0) {
        out.reason = NoSolution::TooClose;
        out.shortfall = firsts.missing;
        return out;
    }

    double bestShortfall = INFINITY;
    NoSolution bestReason = NoSolution::None;
    const double l2 = arm.upperLength, l3 = arm.foreLength;
    for (int i = 0; i < firsts.count; ++i) {
        const Turn& f = firsts.turns[i];
        const Vec3 x = arm.o1 + turned(arm.h1, -f.sine, f.cosine, d) - arm.o2;
        const double xu = arm.u.dot(x), xn = arm.n.dot(x);
        const double distance = length(xu, xn);
        if (distance > l2 + l3 + kReachSlack || distance < std::abs(l2 - l3) - kReachSlack) {
            const double missing = distance > l2 + l3 ? distance - l2 - l3 : std::abs(l2 - l3) - distance;
            if (missing < bestShortfall) {
                bestShortfall = missing;
                bestReason = distance > l2 + l3 ? NoSolution::TooFar : NoSolution::TooClose;
            }
            continue;
        }
        const bool back = arm.front.dot(turned(arm.h1, -f.sine, f.cosine, d)) < 0;
        if (only && back != only->shoulderBack) continue;
        // Joint 3 sets the distance of the wrist centre from axis 2; phi is the angle between upper arm and forearm.
        const double cosPhi = std::clamp((distance * distance - l2 * l2 - l3 * l3) / (2 * l2 * l3), -1.0, 1.0);
        const double sinSize = std::sqrt((1 - cosPhi) * (1 + cosPhi));
        const auto [phiSize, towards, lead] =
            arcTangents<3>({sinSize, xn, l3 * sinSize}, {cosPhi, xu, l2 + l3 * cosPhi});
        const Mat3 rest = rotationOf(arm.h1, -f.sine, f.cosine).lazyProduct(totalLed);
        // Sine and cosine of joints 2 and 3 together follow from those of the angles they are made of: towards - lead +
        // phi - foreAngle.
        const double inverse = 1 / (distance * distance), foreSine = l3 * sinSize, foreCosine = l2 + l3 * cosPhi;
        for (const double sign : {1.0, -1.0}) {
            const bool down = (sinSize * sign * arm.elbowSign < 0) != back;
            if (only && down != only->elbowDown) continue;
            const double theta3 = sign * phiSize - arm.foreAngle;
            const double theta2 = towards - sign * lead;
            double sine, cosine;
            if (distance > 1e-6) {
                const double s2 = (xn * foreCosine - sign * xu * foreSine) * inverse,
                             c2 = (xu * foreCosine + sign * xn * foreSine) * inverse;
                const double s3 = sign * sinSize * arm.foreCosine - cosPhi * arm.foreSine,
                             c3 = cosPhi * arm.foreCosine + sign * sinSize * arm.foreSine;
                sine = s2 * c3 + c2 * s3;
                cosine = c2 * c3 - s2 * s3;
                const double scale = 1 / length(sine, cosine);
                sine *= scale;
                cosine *= scale;
            } else {
                sine = std::sin(theta2 + theta3);
                cosine = std::cos(theta2 + theta3);
            }
            // R4 R5 R6 as the wrist wants it
            const Mat3 turn = arm.turnLed[0] + cosine * arm.turnLed[1] - sine * arm.turnLed[2];
            const ThreeAxes::Both wrists = arm.wrist.solveLed(turn.lazyProduct(rest), seed4);
            for (int k = 0; k < wrists.count; ++k) {
                const ThreeAxes::Turns& w = wrists.turns[k];
                if (only && !w.aligned && w.turned != only->wristTurned) continue;
                out.items[size_t(out.count++)] = {
                    {f.q, wrapped(theta2), wrapped(arm.sigma3 * theta3), wrapped(w.q1), wrapped(w.q2), wrapped(w.q3)},
                    w.aligned,
                    {back, down, w.turned}};
            }
            if (sinSize < 1e-12) break;  // stretched or folded: both elbows are the same posture
        }
    }
    if (out.count == 0) {
        out.reason = bestReason == NoSolution::None ? NoSolution::TooClose : bestReason;
        out.shortfall = std::isfinite(bestShortfall) ? bestShortfall : 0;
    }
    return out;
}

}  // namespace topikos
