#include "core/robot/branches.h"
#include "core/robot/planar.h"
#include "core/robot/zero_axes.h"
#include "core/spatial/rotation.h"

#include <numbers>

namespace topikos {

std::optional<ParallelAxes> recogniseParallelAxes(const Arm& arm)
{
    if (!allRevolute(arm, 6)) return std::nullopt;
    const ZeroAxes zero(arm);
    const auto& h = zero.h;
    const auto& o = zero.o;
    if (!zero.parallel(1, 2) || !zero.parallel(1, 3) || h[0].cross(h[1]).norm() < 1e-3) return std::nullopt;
    // Axis 5 must turn axis 6 through all directions: right angles with its neighbours.
    if (std::abs(h[4].dot(h[1])) > kParallel || std::abs(h[4].dot(h[5])) > kParallel) return std::nullopt;
    const auto [centre, miss] = meetingPoint({o[4], o[5]}, {h[4], h[5]});
    if (miss > kMeet) return std::nullopt;

    ParallelAxes p;
    p.h1 = h[0];
    p.h2 = h[1];
    p.h5 = h[4];
    p.h6 = h[5];
    p.sigma4 = zero.sign(1, 3);
    p.o1 = o[0];
    p.o4 = o[3];
    const auto planar = PlanarArm::make(h[1], zero.sign(1, 2), o[1], o[2], o[3]);
    if (!planar) return std::nullopt;
    p.arm = *planar;
    p.centre = centre;
    p.flangeFromWrist = zero.inFlange(centre);
    p.lateral = h[1].dot(centre - o[0]);
    p.zeroRotation = zero.flange.rotation;
    p.shoulderCosine = h[0].dot(h[1]);
    const Vec3 ahead = h[1].cross(h[0]).normalized();
    p.elbowSign = ahead.dot(centre - o[0]) < -1e-9 ? -1 : 1;
    p.front = p.elbowSign * ahead;
    return p;
}

namespace {

constexpr int kFreeSamples = 180;   // turns of joint 6 tried where the pose leaves it free
constexpr int kFineSamples = 7200;  // and where none of these is in range

}  // namespace

BranchSolutions solveParallelAxes(const Arm& whole, const Mat3& rotation, const Vec3& position, const JointVector& seed,
                                  const Configuration* only)
{
    const ParallelAxes& arm = *whole.as<ParallelAxes>();
    BranchSolutions out;
    const Vec3 centre = position + rotation * arm.flangeFromWrist;
    const Mat3 total = rotation * arm.zeroRotation.transpose();  // R1 R234 R5 R6

    // Joint 1 as for a spherical wrist: the meeting point of axes 5 and 6 keeps its height along axis 2.
    const Vec3 d = centre - arm.o1;
    const double along = arm.shoulderCosine * arm.h1.dot(d);
    const TwoTurns firsts =
        turnsOnto(arm.h2.dot(d) - along, -arm.h2.dot(arm.h1.cross(d)), arm.lateral - along, kReachSlack, seed[0]);
    if (firsts.count == 0) {
        out.reason = NoSolution::TooClose;
        out.shortfall = firsts.missing;
        return out;
    }
    double bestMissing = INFINITY;
    NoSolution bestReason = NoSolution::TooClose;
    // h2 . R5 h6 = wa cos q5 + wb sin q5; axis 5 is at right angles to both.
    const double wa = arm.h2.dot(arm.h6), wb = arm.h2.dot(arm.h5.cross(arm.h6));
    for (int i = 0; i < firsts.count; ++i) {
        const Turn& f = firsts.turns[i];
        const Vec3 centreSeen = turned(arm.h1, -f.sine, f.cosine, d);
        const bool back = arm.front.dot(centreSeen) < 0;
        if (only && back != only->shoulderBack) continue;
        const Mat3 rest = rotationOf(arm.h1, -f.sine, f.cosine) * total;  // R234 R5 R6
        const Vec3 seen6 = rest * arm.h6;                                 // R234 R5 h6
        const Vec3 seen2 = rest.transpose() * arm.h2;                     // R6' R5' h2
        const double wc = arm.h2.dot(seen6), root = arm.h2.cross(seen6).norm();
        for (const double side : {1.0, -1.0}) {
            double s5 = wb * wc + side * root * wa, c5 = wa * wc - side * root * wb;
            const double scale = 1 / length(s5, c5);
            s5 *= scale;
            c5 *= scale;
            const Vec3 wanted2 = turned(arm.h5, -s5, c5, arm.h2);  // R5' h2
            const Vec3 from = arm.h6.cross(seen2), to = arm.h6.cross(wanted2);
            const double fromLength = from.norm(), toLength = to.norm();
            const bool aligned = fromLength < kAligned || toLength < kAligned;
            const bool wristTurned = arm.sigma4 * arm.h2.cross(turned(arm.h5, s5, c5, arm.h6)).dot(arm.h5) < 0;
            if (only && !aligned && wristTurned != only->wristTurned) continue;
            const double q5 = arcTangent(s5, c5);

            // With joint 6 known the rest is planar. Adds both bends; false when out of reach or, if asked, out of
            // range.
            const auto finish = [&](double s6, double c6, bool inRange) {
                const Mat3 planar = rest * rotationOf(arm.h6, -s6, c6) * rotationOf(arm.h5, -s5, c5);  // R234
                const double angle =
                    arcTangent(arm.h2.dot(arm.arm.u.cross(planar * arm.arm.u)), arm.arm.u.dot(planar * arm.arm.u));
                const Vec3 x = arm.o1 + centreSeen + planar * (arm.o4 - arm.centre);
                const PlanarWay plane(arm.arm, x);
                if (plane.missing() > kReachSlack) {
                    if (plane.missing() < bestMissing) {
                        bestMissing = plane.missing();
                        bestReason = plane.tooFar() ? NoSolution::TooFar : NoSolution::TooClose;
                    }
                    return false;
                }
                const double q6 = arcTangent(s6, c6);
                const PlanarWay::Angles angles = plane.angles(1);
                bool added = false;
                for (const double bend : {1.0, -1.0}) {
                    const PlanarWay::Joints joints = plane.solve(angles, bend);
                    const Configuration configuration{back, (joints.sine * arm.elbowSign < 0) != back, wristTurned};
                    if (only && configuration.elbowDown != only->elbowDown) continue;
                    const BranchSolutions::Item item{
                        {f.q, joints.first, joints.second, wrapped(arm.sigma4 * (angle - joints.sum)), q5, q6},
                        aligned,
                        configuration};
                    if (inRange) {
                        bool fits = true;
                        for (size_t k = 0; k < 6; ++k) {
                            const Joint& joint = whole.joints()[k];
                            const double up =
                                item.q[k]
                                + 2 * std::numbers::pi
                                      * std::ceil((joint.lower - kRangeTolerance - item.q[k]) / (2 * std::numbers::pi));
                            fits = fits && up <= joint.upper + kRangeTolerance;
                        }
                        if (!fits) continue;
                    }
                    if (out.count < 8) out.items[size_t(out.count++)] = item;
                    added = true;
                    if (std::abs(joints.sine) < 1e-12) break;  // stretched or folded
                }
                return added;
            };
            if (!aligned) {
                // Both cross products are at right angles to h6; the turn from one onto the other.
                finish(arm.h6.dot(from.cross(to)) / (fromLength * toLength), from.dot(to) / (fromLength * toLength),
                       false);
                continue;
            }
            // Axis 6 lies along axes 2, 3, 4: joint 6 is free. The turn nearest to the seed that works, on either side.
            bool found = false;
            for (const int samples : {kFreeSamples, kFineSamples})
                for (int k = 0; k <= samples && !found; ++k) {
                    const double q6 = seed[5] + (k % 2 ? 1 : -1) * ((k + 1) / 2) * (2 * std::numbers::pi / samples);
                    found = finish(std::sin(q6), std::cos(q6), true);
                }
            break;  // both sides are the same wrist
        }
    }
    if (out.count == 0) {
        out.reason = bestReason;
        out.shortfall = std::isfinite(bestMissing) ? bestMissing : 0;
    }
    return out;
}

BranchSolutions solveBranches(const Arm& arm, const Mat3& rotation, const Vec3& position, const JointVector& seed,
                              const Configuration* only)
{
    if (const auto* f = arm.as<SphericalWrist>())
        return solveSphericalWrist(*f, rotation, position, seed[0], seed[3], only);
    if (arm.as<ParallelAxes>()) return solveParallelAxes(arm, rotation, position, seed, only);
    if (const auto* f = arm.as<HorizontalArm>()) return solveHorizontalArm(*f, rotation, position);
    if (const auto* f = arm.as<FiveAxis>()) return solveFiveAxis(*f, rotation, position, seed[0]);
    if (const auto* f = arm.as<Gantry>()) return solveGantry(arm, *f, rotation, position, seed);
    require(false, "the arm has closed-form inverse kinematics");
    return {};
}

}  // namespace topikos
