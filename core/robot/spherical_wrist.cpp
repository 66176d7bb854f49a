#include "core/robot/branches.h"

#include "core/robot/turns.h"
#include "core/robot/zero_axes.h"
#include "core/spatial/rotation.h"

#include <cmath>
#include <numbers>

namespace topikos {

std::optional<SphericalWrist> recogniseSphericalWrist(const Arm& arm)
{
    if (!allRevolute(arm, 6)) return std::nullopt;
    const ZeroAxes zero(arm);
    const auto& h = zero.h;
    const auto& o = zero.o;
    if (!zero.parallel(1, 2) || h[0].cross(h[1]).norm() < 1e-3) return std::nullopt;
    if (h[3].cross(h[4]).norm() < 1e-3 || h[4].cross(h[5]).norm() < 1e-3) return std::nullopt;
    const auto [centre, miss] = meetingPoint<3>({o[3], o[4], o[5]}, {h[3], h[4], h[5]});
    if (miss > kMeet) return std::nullopt;

    SphericalWrist s;
    s.h1 = h[0];
    s.h2 = h[1];
    s.h4 = h[3];
    s.h5 = h[4];
    s.h6 = h[5];
    s.across6 = h[5].unitOrthogonal();
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
    s.foreAngle = std::atan2(fore.dot(s.n), fore.dot(s.u));
    s.lateral = h[1].dot(centre - o[0]);
    s.flangeFromWrist = zero.inFlange(centre);
    s.zeroRotation = zero.flange.rotation;
    s.shoulderCosine = h[0].dot(h[1]);
    const double h45 = h[3].dot(h[4]), h56 = h[4].dot(h[5]);
    s.square = std::abs(h45) < 1e-12 && std::abs(h56) < 1e-12;
    s.wristCosine = h[3].dot(h[5]) - h45 * h56;
    s.wristSine = h[3].dot(h[4].cross(h[5]));
    s.wristConstant = h45 * h56;
    const Vec3 ahead = h[1].cross(h[0]).normalized();
    const double offset = ahead.dot(o[1] - o[0]);
    s.elbowSign = (std::abs(offset) > 1e-6 ? offset : ahead.dot(centre - o[0])) < -1e-9 ? -1 : 1;
    s.front = s.elbowSign * ahead;
    return s;
}

namespace {

/// Joints 4, 5 and 6 for `wrist` = R4 R5 R6, on one side of the aligned wrist.
struct WristJoints {
    double q4, q5, q6;
    bool aligned;
    bool turned;
};

WristJoints wristJoints(const SphericalWrist& arm, const Mat3& wrist, const Vec3& seen6, double s5, double c5, double seed4)
{
    const Vec3 y4 = turned(arm.h5, s5, c5, arm.h6);
    // Lengths of cross products keep their digits where the axes nearly line up, dot products do not.
    const Vec3 from = arm.h4.cross(y4), to = arm.h4.cross(seen6);
    const double fromLength = from.norm(), toLength = to.norm();
    WristJoints out;
    out.aligned = fromLength < kAligned || toLength < kAligned;
    const double scale = 1 / (fromLength * toLength);
    const double s4 = out.aligned ? std::sin(seed4) : arm.h4.dot(from.cross(to)) * scale;
    const double c4 = out.aligned ? std::cos(seed4) : from.dot(to) * scale;
    out.q4 = out.aligned ? seed4 : std::atan2(s4, c4);
    out.q5 = std::atan2(s5, c5);
    // Joint 6 takes what is left, so that the error of joint 4 near the aligned wrist is made up for.
    const Vec3 left = turned(arm.h5, -s5, c5, turned(arm.h4, -s4, c4, wrist * arm.across6));
    out.q6 = std::atan2(arm.h6.dot(arm.across6.cross(left)), arm.across6.dot(left));
    out.turned = from.dot(arm.h5) < 0;
    return out;
}

}  // namespace

BranchSolutions solveSphericalWrist(const SphericalWrist& arm, const Mat3& rotation, const Vec3& position, double seed1, double seed4,
                                       const Configuration* only)
{
    BranchSolutions out;
    const Vec3 centre = position + rotation * arm.flangeFromWrist;
    const Mat3 total = rotation * arm.zeroRotation.transpose();  // R1 R2 R3 R4 R5 R6

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
        const double phiSize = std::acos(cosPhi), sinSize = std::sqrt((1 - cosPhi) * (1 + cosPhi));
        const Mat3 rest = rotationOf(arm.h1, -f.sine, f.cosine) * total;
        const double towards = std::atan2(xn, xu), lead = std::atan2(l3 * sinSize, l2 + l3 * cosPhi);
        for (const double sign : {1.0, -1.0}) {
            const bool down = (sinSize * sign * arm.elbowSign < 0) != back;
            if (only && down != only->elbowDown) continue;
            const double theta3 = sign * phiSize - arm.foreAngle;
            const double theta2 = towards - sign * lead;
            const Mat3 wrist = rotationOf(arm.h2, -std::sin(theta2 + theta3), std::cos(theta2 + theta3)) * rest;  // R4 R5 R6

            // Wrist: h4 . R5 h6 fixes joint 5, then joints 4 and 6 each turn one vector onto another.
            const Vec3 seen6 = wrist * arm.h6;  // R4 R5 h6
            const double wa = arm.wristCosine, wb = arm.wristSine, wc = arm.h4.dot(seen6) - arm.wristConstant;
            const double wr2 = wa * wa + wb * wb, wr = std::sqrt(wr2);
            if (std::abs(wc) > wr + 1e-9) continue;  // a wrist whose axes are not at right angles cannot point everywhere
            // With right angles the sine is the length of a cross product, exact near the aligned wrist.
            const double root = arm.square ? arm.h4.cross(seen6).norm() * wr : std::sqrt(std::max(0.0, (wr - wc) * (wr + wc)));
            const auto add = [&](const WristJoints& w) {
                if (only && !w.aligned && w.turned != only->wristTurned) return;
                out.items[size_t(out.count++)] = {{f.q, wrapped(theta2), wrapped(arm.sigma3 * theta3), wrapped(w.q4), wrapped(w.q5), wrapped(w.q6)},
                                                  w.aligned, {back, down, w.turned}};
            };
            const auto side = [&](double which) {
                const double s5 = wb * wc + which * root * wa, c5 = wa * wc - which * root * wb, scale = 1 / length(s5, c5);
                return wristJoints(arm, wrist, seen6, s5 * scale, c5 * scale, seed4);
            };
            const WristJoints one = side(1);
            add(one);
            if (one.aligned && arm.square) {
                // both sides are the same posture
            } else if (arm.square) {
                // The other side: half a turn of joints 4 and 6, joint 5 mirrored at the aligned wrist.
                constexpr double pi = std::numbers::pi;
                add({one.q4 + pi, 2 * std::atan2(wb, wa) - one.q5, one.q6 + pi, false, !one.turned});
            } else {
                add(side(-1));
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
