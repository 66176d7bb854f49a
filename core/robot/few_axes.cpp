#include "core/robot/branches.h"
#include "core/robot/planar.h"
#include "core/robot/zero_axes.h"
#include "core/spatial/rotation.h"

#include <numbers>

namespace topikos {

namespace {

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
    if (arm.jointCount() != 4 || prismatic(arm, 0) || prismatic(arm, 1) || prismatic(arm, 2) == prismatic(arm, 3))
        return std::nullopt;
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
    const double tilt = arcTangent(h.cross(total * h).norm(), h.dot(total * h));
    if (tilt > kOrientation) {
        const Vec3 leaning = h.cross(total * h);
        out.reason = NoSolution::Orientation;
        out.shortfall = tilt;
        out.excessTurn = tilt * (leaning.norm() > 1e-12 ? leaning.normalized() : a.arm.u);
        return out;
    }
    const Vec3 tip = position + rotation * a.flangeFromTip;
    const double angle = arcTangent(h.dot(a.arm.u.cross(total * a.arm.u)), a.arm.u.dot(total * a.arm.u));
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
    if (!zero.parallel(1, 2) || !zero.parallel(1, 3) || std::abs(zero.h[0].dot(zero.h[1])) > kParallel
        || std::abs(zero.h[4].dot(zero.h[1])) > kParallel)
        return std::nullopt;
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
    a.flangeFromFoot = zero.inFlange(a.o5 + a.h5 * a.h5.dot(zero.flange.origin - a.o5));
    a.lateral = a.h2.dot(a.o5 - a.o1);
    a.zeroRotation = zero.flange.rotation;
    const Vec3 ahead = a.h2.cross(a.h1);
    a.front = ahead.dot(a.o5 - a.o1) < -1e-9 ? Vec3(-ahead) : ahead;
    return a;
}

namespace {

/// Turn from the nearest orientation that the arm can give at `position` to the one asked for: the roll axis has to lie
/// in the arm's plane.
Vec3 excessTurn(const FiveAxis& a, const Mat3& rotation, const Vec3& position)
{
    Vec3 best = Vec3::Constant(INFINITY);
    for (const int side : {0, 1}) {
        Mat3 given = rotation;
        // The plane hangs on the place of the roll axis, which moves with the orientation when the flange is beside it.
        for (int round = 0; round < 50; ++round) {
            const Vec3 d = position + given * a.flangeFromFoot - a.o1;
            const TwoTurns firsts = turnsOnto(a.h2.dot(d), -a.h2.dot(a.h1.cross(d)), a.lateral, kReachSlack, 0);
            if (firsts.count == 0) break;
            const Turn& f = firsts.turns[std::min(side, firsts.count - 1)];
            const Vec3 normal = turned(a.h1, f.sine, f.cosine, a.h2);
            const Vec3 roll = rotation * a.zeroRotation.transpose() * a.h5, inPlane = roll - normal.dot(roll) * normal;
            if (inPlane.norm() < 1e-9) break;
            const Mat3 next = turnOnto(roll, inPlane).toRotationMatrix() * rotation;
            const double change = (next - given).norm();
            given = next;
            if (change < 1e-13) break;
        }
        const AxisAngle off = axisAngleOf(Quat(Mat3(rotation * given.transpose())));
        if (off.angle > 1e-12 && off.angle < best.norm()) best = off.angle * off.axis;
    }
    return best.allFinite() ? best : Vec3::Zero();
}

}  // namespace

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
        const double pitch = arcTangent(a.h2.dot(a.h5.cross(rollSeen)), a.h5.dot(rollSeen));
        const Mat3 pitched = rotationOf(a.h2, std::sin(pitch), std::cos(pitch));
        const Mat3 left = pitched.transpose() * rotationOf(a.h1, -f.sine, f.cosine) * total;  // R5
        const double q5 = arcTangent(a.h5.dot(a.h2.cross(left * a.h2)), a.h2.dot(left * a.h2));
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
        out.excessTurn = excessTurn(a, rotation, position);
        out.shortfall = out.excessTurn.norm();
    }
    return out;
}

std::optional<Gantry> recogniseGantry(const Arm& arm)
{
    Gantry g;
    int slides = 0;
    const ZeroAxes zero(arm);
    Mat3 span;
    for (int i = 0; i < arm.jointCount(); ++i) {
        if (!prismatic(arm, size_t(i))) {
            g.turns.push_back(i);
            g.axes.push_back(zero.h[size_t(i)]);
        } else if (slides < 3) {
            span.col(slides) = zero.h[size_t(i)];
            g.slides[size_t(slides++)] = i;
        } else {
            return std::nullopt;
        }
    }
    if (slides < 3 || g.turns.empty() || g.turns.size() > 3 || std::abs(span.determinant()) < 1e-3) return std::nullopt;
    for (size_t i = 1; i < g.axes.size(); ++i)
        if (g.axes[i - 1].cross(g.axes[i]).norm() < 1e-3) return std::nullopt;
    if (g.axes.size() == 3) g.wrist = ThreeAxes::make(g.axes[0], g.axes[1], g.axes[2]);
    g.zeroRotation = zero.flange.rotation;
    return g;
}

namespace {

/// Turns about one or two axes that come nearest to the rotation: each in turn takes the best value for the other until
/// nothing changes.
std::array<double, 2> nearestTurns(const std::vector<Vec3>& axes, const Mat3& rotation, double seed)
{
    if (axes.size() == 1) return {nearestTurn(axes[0], rotation), 0};
    std::array<double, 2> best{};
    double least = INFINITY;
    for (int start = 0; start < 6; ++start) {
        std::array<double, 2> q{seed + start * std::numbers::pi / 3, 0};
        for (int round = 0; round < 200; ++round) {
            const double before = q[0];
            q[1] = nearestTurn(axes[1], rotationAbout(axes[0], q[0]).transpose() * rotation);
            q[0] = nearestTurn(axes[0], rotation * rotationAbout(axes[1], q[1]).transpose());
            if (std::abs(wrapped(q[0] - before)) < 1e-15) break;
        }
        const double off =
            axisAngleOf(
                Quat(Mat3(rotation * (rotationAbout(axes[0], q[0]) * rotationAbout(axes[1], q[1])).transpose())))
                .angle;
        if (off < least - 1e-9) {
            least = off;
            best = q;
        }
    }
    return best;
}

}  // namespace

BranchSolutions solveGantry(const Arm& whole, const Gantry& g, const Mat3& rotation, const Vec3& position,
                            const JointVector& seed)
{
    BranchSolutions out;
    const Mat3 total = rotation * g.zeroRotation.transpose();
    const auto finish = [&](std::array<double, 3> turns, bool aligned, bool turned) {
        JointVector q = JointVector::Zero(whole.jointCount());
        for (size_t i = 0; i < g.turns.size(); ++i)
            q[g.turns[i]] = wrapped(turns[i]);
        ChainFrames frames;
        chainFrames(whole, q, frames);
        Mat3 span;
        for (int i = 0; i < 3; ++i)
            span.col(i) = frames.joints[size_t(g.slides[size_t(i)])].rotation.col(2);
        if (std::abs(span.determinant()) < 1e-6) return;  // turned so that the slides lie in one plane
        const Vec3 way = span.inverse() * (position - frames.flange.origin);
        for (int i = 0; i < 3; ++i)
            q[g.slides[size_t(i)]] = way[i];
        BranchSolutions::Item& item = out.items[size_t(out.count++)];
        item = {};
        for (int i = 0; i < whole.jointCount(); ++i)
            item.q[size_t(i)] = q[i];
        item.alignedWrist = aligned;
        item.configuration.wristTurned = turned;
    };
    if (g.wrist) {
        const ThreeAxes::Both both = g.wrist->solve(total, seed[g.turns[0]]);
        for (int i = 0; i < both.count; ++i) {
            std::array<double, 3> turns{both.turns[i].q1, both.turns[i].q2, both.turns[i].q3};
            if (both.turns[i].aligned)
                shareAlignedWrist(*g.wrist, whole.joints()[size_t(g.turns[0])], whole.joints()[size_t(g.turns[2])],
                                  turns[0], turns[1], turns[2]);
            finish(turns, both.turns[i].aligned, both.turns[i].turned);
        }
        out.shortfall = both.missing;
    } else {
        const std::array<double, 2> turns = nearestTurns(g.axes, total, seed[g.turns[0]]);
        Mat3 given = rotationAbout(g.axes[0], turns[0]);
        if (g.axes.size() == 2) given = given * rotationAbout(g.axes[1], turns[1]);
        const AxisAngle off = axisAngleOf(Quat(Mat3(total * given.transpose())));
        if (off.angle <= kOrientation) {
            finish({turns[0], turns[1], 0}, false, false);
            return out;
        }
        out.shortfall = off.angle;
        out.excessTurn = off.angle * off.axis;
    }
    if (out.count == 0) out.reason = NoSolution::Orientation;
    return out;
}

}  // namespace topikos
