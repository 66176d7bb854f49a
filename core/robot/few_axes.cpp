#include "core/robot/branches.h"
#include "core/robot/planar.h"
#include "core/robot/zero_axes.h"

namespace topikos {

namespace {

constexpr double kOrientation = 1e-7;  // [rad] an asked orientation may be off what few axes can give

bool prismatic(const Arm& arm, size_t i) { return arm.joints()[i].kind == JointKind::Prismatic; }

void unreachable(BranchSolutions& out, const PlanarWay& way)
{
    if (out.count > 0 || (out.reason != NoSolution::None && out.shortfall <= way.missing())) return;
    out.reason = way.tooFar() ? NoSolution::TooFar : NoSolution::TooClose;
    out.shortfall = way.missing();
}

}  // namespace

std::optional<HorizontalArm> recogniseHorizontalArm(const Arm& arm)
{
    if (arm.jointCount() != 4 || prismatic(arm, 0) || prismatic(arm, 1) || prismatic(arm, 2) == prismatic(arm, 3)) return std::nullopt;
    const ZeroAxes zero(arm);
    for (size_t i = 1; i < 4; ++i)
        if (!zero.parallel(0, i)) return std::nullopt;
    HorizontalArm a;
    a.stroke = prismatic(arm, 2) ? 2 : 3;
    a.turn = 5 - a.stroke;
    a.strokeSign = zero.sign(0, size_t(a.stroke));
    a.turnSign = zero.sign(0, size_t(a.turn));
    a.tip = zero.o[size_t(a.turn)];
    const auto planar = PlanarArm::make(zero.h[0], zero.sign(0, 1), zero.o[0], zero.o[1], a.tip);
    if (!planar) return std::nullopt;
    a.arm = *planar;
    a.flangeFromTip = zero.inFlange(a.tip);
    a.zeroRotation = zero.flange.rotation;
    return a;
}

BranchSolutions solveHorizontalArm(const HorizontalArm& a, const Mat3& rotation, const Vec3& position)
{
    BranchSolutions out;
    const Mat3 total = rotation * a.zeroRotation.transpose();  // a turn about arm.h, if the arm can do it
    const Vec3& h = a.arm.h;
    const double tilt = std::atan2(h.cross(total * h).norm(), h.dot(total * h));
    if (tilt > kOrientation) {
        out.reason = NoSolution::Orientation;
        out.shortfall = tilt;
        return out;
    }
    const Vec3 tip = position + rotation * a.flangeFromTip;
    const double angle = std::atan2(h.dot(a.arm.u.cross(total * a.arm.u)), a.arm.u.dot(total * a.arm.u));
    const PlanarWay way(a.arm, tip);
    if (way.missing() > kReachSlack) {
        unreachable(out, way);
        return out;
    }
    for (const double bend : {1.0, -1.0}) {
        const PlanarWay::Joints joints = way.solve(bend);
        BranchSolutions::Item& item = out.items[size_t(out.count++)];
        item = {};
        item.q[0] = joints.first;
        item.q[1] = joints.second;
        item.q[size_t(a.stroke)] = a.strokeSign * h.dot(tip - a.tip);
        item.q[size_t(a.turn)] = wrapped(a.turnSign * (angle - joints.sum));
        item.configuration.elbowDown = joints.sine < 0;
        if (std::abs(joints.sine) < 1e-12) break;
    }
    return out;
}

std::optional<FiveAxis> recogniseFiveAxis(const Arm& arm)
{
    if (!allRevolute(arm, 5)) return std::nullopt;
    const ZeroAxes zero(arm);
    if (!zero.parallel(1, 2) || !zero.parallel(1, 3) || std::abs(zero.h[0].dot(zero.h[1])) > kParallel || std::abs(zero.h[4].dot(zero.h[1])) > kParallel) return std::nullopt;
    FiveAxis a;
    a.h1 = zero.h[0];
    a.h2 = zero.h[1];
    a.h5 = zero.h[4];
    a.sigma4 = zero.sign(1, 3);
    a.o1 = zero.o[0];
    a.o4 = zero.o[3];
    a.o5 = zero.o[4];
    const auto planar = PlanarArm::make(a.h2, zero.sign(1, 2), zero.o[1], zero.o[2], a.o4);
    if (!planar) return std::nullopt;
    a.arm = *planar;
    a.flangeFromRoll = zero.inFlange(a.o5);
    a.lateral = a.h2.dot(a.o5 - a.o1);
    a.zeroRotation = zero.flange.rotation;
    const Vec3 ahead = a.h2.cross(a.h1);
    a.front = ahead.dot(a.o5 - a.o1) < -1e-9 ? Vec3(-ahead) : ahead;
    return a;
}

BranchSolutions solveFiveAxis(const FiveAxis& a, const Mat3& rotation, const Vec3& position, double seed1)
{
    BranchSolutions out;
    const Mat3 total = rotation * a.zeroRotation.transpose();  // R1 R234 R5
    const Vec3 roll = total * a.h5;                            // R1 R234 h5
    const Vec3 d = position + rotation * a.flangeFromRoll - a.o1;
    // Joint 1 keeps the roll axis's point at its place along axis 2.
    TwoTurns firsts = turnsOnto(a.h2.dot(d), -a.h2.dot(a.h1.cross(d)), a.lateral, kReachSlack, seed1);
    if (firsts.free) {
        // The point is over axis 1: the roll axis's own direction decides.
        const TwoTurns byRoll = turnsOnto(a.h2.dot(roll), -a.h2.dot(a.h1.cross(roll)), 0, 1e-9, seed1);
        if (byRoll.count > 0) firsts = byRoll;
    }
    if (firsts.count == 0) {
        out.reason = NoSolution::TooClose;
        out.shortfall = firsts.missing;
        return out;
    }
    double leastTilt = INFINITY;
    for (int i = 0; i < firsts.count; ++i) {
        const Turn& f = firsts.turns[i];
        const Vec3 rollSeen = turned(a.h1, -f.sine, f.cosine, roll);
        const double tilt = std::abs(std::asin(std::clamp(a.h2.dot(rollSeen), -1.0, 1.0)));  // out of the arm's plane
        leastTilt = std::min(leastTilt, tilt);
        if (tilt > kOrientation) continue;
        const Vec3 pointSeen = turned(a.h1, -f.sine, f.cosine, d);
        const bool back = a.front.dot(pointSeen) < 0;
        const double pitch = std::atan2(a.h2.dot(a.h5.cross(rollSeen)), a.h5.dot(rollSeen));
        const Mat3 pitched = rotationOf(a.h2, std::sin(pitch), std::cos(pitch));
        const Mat3 left = pitched.transpose() * rotationOf(a.h1, -f.sine, f.cosine) * total;  // R5
        const double q5 = std::atan2(a.h5.dot(a.h2.cross(left * a.h2)), a.h2.dot(left * a.h2));
        const PlanarWay way(a.arm, a.o1 + pointSeen + pitched * (a.o4 - a.o5));
        if (way.missing() > kReachSlack) {
            unreachable(out, way);
            continue;
        }
        for (const double bend : {1.0, -1.0}) {
            const PlanarWay::Joints joints = way.solve(bend);
            BranchSolutions::Item& item = out.items[size_t(out.count++)];
            item = {};
            item.q = {wrapped(f.q), joints.first, joints.second, wrapped(a.sigma4 * (pitch - joints.sum)), q5, 0};
            item.configuration = {back, (joints.sine < 0) != back, false};
            if (std::abs(joints.sine) < 1e-12) break;
        }
    }
    if (out.count == 0 && out.reason == NoSolution::None) {
        out.reason = NoSolution::Orientation;
        out.shortfall = leastTilt;
    }
    return out;
}

}  // namespace topikos
