#include "core/motion/move_chain.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;


class MotionTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void trapezoidsFollowTheReference();
    void ceilingsAreKeptAndTouched();
    void jointMoveKeepsEveryLimitAndTouchesOne();
    void lineStaysStraightAndKeepsItsSpeed();
    void lineSlowsDownWhereAJointWouldBeTooFast();
    void lineIntoTheRangeEndStopsThere();
    void lineOutOfReachStopsAtTheRim();
    void lineThroughTheWristSingularityIsStopped();
    void moveOfNoLengthTakesNoTime();
    void linesOfEveryKindOfArm_data();
    void linesOfEveryKindOfArm();
    void lineThatTurnsPastFiveAxesStops();
    void lockedAxisStandsStillOnALine();
};

namespace {

const ArmPtr& arm()
{
    static const ArmPtr a = catalogueArm("sixaxis-1400");
    return a;
}

const Pose kTool = translated({0, 0, 0.19});

LinePath pathFrom(const JointVector& q, const Vec3& shift, const Quat& turn = Quat::Identity())
{
    LinePath path;
    path.flangeFromTcp = kTool;
    path.start = forward(*arm(), q) * kTool;
    path.end = {path.start.translation + shift, path.start.rotation * turn};
    return path;
}

JointVector posture(std::initializer_list<double> degreesOf)
{
    JointVector q(Eigen::Index(degreesOf.size()));
    Eigen::Index i = 0;
    for (const double d : degreesOf)
        q[i++] = d * kDegree;
    return q;
}

}  // namespace

void MotionTest::trapezoidsFollowTheReference()
{
    int cases = 0;
    for (const Json& c : reference("profiles")["cases"]) {
        const double distance = c["distance"].get<double>(), v = c["vmax"].get<double>(), a = c["amax"].get<double>();
        const Json& wanted = c["trapezoid"];
        const Profile p = trapezoid(distance, v, a);
        QVERIFY(std::abs(p.duration - wanted["duration"].get<double>()) <= 1e-9 * wanted["duration"].get<double>());
        QVERIFY(std::abs(p.peakSpeed() - wanted["peak_velocity"].get<double>()) <= 1e-9 * v);
        for (const Json& s : wanted["samples"]) {
            const Profile::Sample at = p.at(s[0].get<double>());
            QVERIFY(std::abs(at.position - s[1].get<double>()) <= 1e-9 * (1 + distance));
            QVERIFY(std::abs(at.speed - s[2].get<double>()) <= 1e-8 * (1 + v));
        }
        ++cases;
    }
    QCOMPARE(cases, 80);
}

void MotionTest::ceilingsAreKeptAndTouched()
{
    const std::vector<SpeedCeiling> pieces{{0.3, 1.0}, {0.5, 0.4}, {0.6, 0.1}, {1.0, 0.8}};
    const Profile p = underCeilings(pieces, 2);
    bool touched = false;
    double before = 0;
    for (int i = 0; i <= 20000; ++i) {
        const double t = p.duration * i / 20000;
        const Profile::Sample s = p.at(t);
        double ceiling = INFINITY;
        for (size_t k = pieces.size(); k-- > 0;)
            if (s.position <= pieces[k].end + 1e-9) ceiling = pieces[k].speed;
        // At the border of two pieces either ceiling may be in force.
        if (std::all_of(pieces.begin(), pieces.end(),
                        [&](const SpeedCeiling& c) { return std::abs(c.end - s.position) > 1e-4; }))
            QVERIFY2(s.speed <= ceiling + 1e-9, qPrintable(QString::number(s.position)));
        QVERIFY(std::abs(s.acceleration) <= 2 + 1e-9);
        QVERIFY(s.position >= before - 1e-12);
        before = s.position;
        touched = touched || std::abs(s.speed - 0.1) < 1e-9;
    }
    QVERIFY(touched);
    QVERIFY(std::abs(p.at(p.duration).position - 1) < 1e-12);
    QVERIFY(std::abs(p.at(p.duration * (1 - 1e-9)).position - 1) < 1e-6);
}

void MotionTest::jointMoveKeepsEveryLimitAndTouchesOne()
{
    std::mt19937_64 random(23);
    for (int n = 0; n < 200; ++n) {
        const JointVector a = randomPosture(*arm(), random), b = randomPosture(*arm(), random);
        const double fraction = 0.1 + 0.9 * std::uniform_real_distribution<double>()(random);
        const Move move = planJointMove(*arm(), a, b, {fraction});
        double closest = 0;
        for (const Profile::Stretch& s : move.profile.stretches)
            for (int i = 0; i < 6; ++i) {
                const double way = std::abs(b[i] - a[i]);
                const double peak = std::max(s.speed, s.speed + s.acceleration * s.duration) * way;
                const double used = std::max(peak / (fraction * arm()->joints()[size_t(i)].speed),
                                             std::abs(s.acceleration) * way / arm()->joints()[size_t(i)].acceleration);
                QVERIFY(used <= 1 + 1e-9);
                closest = std::max(closest, used);
            }
        QVERIFY(closest >= 1 - 1e-9);  // otherwise it could be quicker
        QVERIFY((move.at(*arm(), 1) - b).norm() < 1e-12);
    }
}

void MotionTest::lineStaysStraightAndKeepsItsSpeed()
{
    const JointVector q = posture({-38.9, 14, 10, 0, 65, 0});
    const LinePath path = pathFrom(q, {0.1, 0.3, -0.12}, Quat(Eigen::AngleAxisd(0.5, Vec3::UnitZ())));
    MotionLimits limits;
    limits.lineSpeed = 0.4;
    const Move move = planLine(*arm(), q, path, limits, {});
    QVERIFY(!move.stop);
    QVERIFY(!move.slowed().by.byJoint());
    const double length = path.length();
    QVERIFY(std::abs(move.profile.duration - (length / 0.4 + 0.4 / 2)) < 1e-12);
    JointVector before = q;
    for (int i = 0; i <= 500; ++i) {
        const double f = i / 500.0;
        const JointVector now = move.at(*arm(), f);
        const Pose tcp = forward(*arm(), now) * kTool;
        QVERIFY(deviation(tcp, interpolate(path.start, path.end, f)).metres < 1e-9);
        QVERIFY(deviation(tcp, interpolate(path.start, path.end, f)).radians < 1e-9);
        QVERIFY((now - before).cwiseAbs().maxCoeff() < 0.02);
        before = now;
    }
}

void MotionTest::lineSlowsDownWhereAJointWouldBeTooFast()
{
    // Past the wrist singularity at a distance: joint 4 has to whirl.
    const JointVector q = posture({0, -20, 25, 20, 4, 0});
    const LinePath path = pathFrom(q, {0, 0, -0.25});
    MotionLimits limits;
    limits.lineSpeed = 1.0;
    const Move move = planLine(*arm(), q, path, limits, {});
    QVERIFY(!move.stop);
    QVERIFY(move.slowed().by.byJoint() && move.slowed().by.index >= 0);
    QVERIFY(move.slowed().lowest < 1 && move.slowed().seconds > 0);
    const Move fast = planLine(*arm(), q, path,
                               [] {
                                   MotionLimits l;
                                   l.lineSpeed = 0.01;
                                   return l;
                               }(),
                               {});
    QVERIFY(!fast.slowed().by.byJoint() && fast.slowed().seconds == 0);
    double highest = 0;
    constexpr double h = 1e-5;
    for (double t = h; t + h < move.profile.duration; t += 1e-3) {
        const JointVector speed =
            (move.at(*arm(), move.profile.at(t + h).position) - move.at(*arm(), move.profile.at(t - h).position))
            / (2 * h);
        for (int i = 0; i < 6; ++i)
            highest = std::max(highest, std::abs(speed[i]) / arm()->joints()[size_t(i)].speed);
    }
    QVERIFY2(highest <= 1.001, qPrintable(QString::number(highest)));
    QVERIFY2(highest > 0.5, qPrintable(QString::number(highest)));
}

void MotionTest::lineIntoTheRangeEndStopsThere()
{
    const JointVector q = posture({0, 0, 60, 0, 30, 0});
    // Towards the base joint 3 has to fold past its end.
    const Move move = planLine(*arm(), q, pathFrom(q, {-0.5, 0, 0.1}), {}, {});
    QVERIFY(move.stop);
    QCOMPARE(int(move.stop->why), int(LineStop::Why::JointRange));
    const int joint = move.stop->range.joint;
    const JointVector end = move.at(*arm(), move.stop->fraction);
    const Joint& limit = arm()->joints()[size_t(joint)];
    QVERIFY(std::min(std::abs(end[joint] - limit.upper), std::abs(end[joint] - limit.lower)) < 1e-6);
    QVERIFY(withinRange(*arm(), end));
    QVERIFY(std::abs(move.stop->remaining - (1 - move.stop->fraction) * move.line().length()) < 1e-12);
    QVERIFY(move.stop->range.excess > 0);
    QVERIFY(std::abs(move.profile.distance - move.stop->fraction) < 1e-12);
    // What comes along stays where the line stops.
    const TimingPtr timing = aloneTiming(std::make_shared<const Move>(move));
    for (const double later : {0.0, 1.0})
        QVERIFY(std::abs(timing->fractionAt(timing->duration + later) - move.stop->fraction) < 1e-12);
    QCOMPARE(timing->fractionAt(-1), 0.0);
}

void MotionTest::lineOutOfReachStopsAtTheRim()
{
    const JointVector q = posture({0, 20, 10, 0, 60, 0});
    const Move move = planLine(*arm(), q, pathFrom(q, {1.0, 0, 0}), {}, {});
    QVERIFY(move.stop);
    QCOMPARE(int(move.stop->why), int(LineStop::Why::OutOfReach));
    const JointVector end = move.at(*arm(), move.stop->fraction);
    QVERIFY(std::abs(singularityMargins(*arm(), end).elbow) < 1e-3);  // stretched there
    // How far the wrist centre is beyond the reach at the line's end, worked out from distances alone.
    const Pose flange = move.line().flangeAt(1);
    const Vec3 wrist = flange.translation - 0.093 * (flange.rotation * Vec3::UnitZ());
    const double radius = std::hypot(wrist[0], wrist[1]) - 0.163, height = wrist[2] - 0.437;
    QVERIFY(std::abs(move.stop->shortfall - (std::hypot(radius, height) - arm()->reach())) < 1e-9);
}

void MotionTest::lineThroughTheWristSingularityIsStopped()
{
    const JointVector q = posture({0, -10, 10, 0, 20, 0});
    const SingularityBounds bounds{1.5 * kDegree, 0, 0};
    const Move move = planLine(*arm(), q, pathFrom(q, {0, 0, -0.5}), {}, bounds);
    QVERIFY(move.stop);
    QCOMPARE(int(move.stop->why), int(LineStop::Why::Singularity));
    QCOMPARE(int(move.stop->kind), int(SingularityKind::Wrist));
    QVERIFY2(move.stop->distance < 0.05 * kDegree, qPrintable(QString::number(move.stop->distance / kDegree)));
    const double there =
        singularityMargins(*arm(), move.at(*arm(), move.stop->fraction)).distance(SingularityKind::Wrist);
    QVERIFY2(std::abs(there - bounds.wrist) < 1e-4, qPrintable(QString::number(there / kDegree)));
}

void MotionTest::moveOfNoLengthTakesNoTime()
{
    const JointVector q = posture({0, -20, 25, 0, 85, 0});
    QCOMPARE(planJointMove(*arm(), q, q, {}).profile.duration, 0.0);
    const Move line = planLine(*arm(), q, pathFrom(q, Vec3::Zero()), {}, {});
    QCOMPARE(line.profile.duration, 0.0);
    QVERIFY(!line.stop);
    QVERIFY((line.to - q).norm() < 1e-9);
}

namespace {

/// Six axes in no special place to each other: no closed form but the elimination.
ArmPtr skewArm()
{
    ArmDescription d = arm()->description();
    d.joints[4].parentFromJoint.translation += Vec3(0.05, 0.03, 0);
    d.joints[3].axis = Vec3(0.1, 0.2, 1).normalized();
    return Arm::make(d).value();
}

/// The arm with an axis held; five are left.
ArmPtr lockedArm(size_t axis, double value)
{
    ArmDescription d = arm()->description();
    d.joints[axis].locked = value;
    return Arm::make(d).value();
}

}  // namespace

void MotionTest::linesOfEveryKindOfArm_data()
{
    QTest::addColumn<ArmPtr>("model");
    QTest::addColumn<JointVector>("start");
    QTest::addColumn<Vec3>("shift");
    QTest::addColumn<double>("turn");  // about the base's z
    JointVector gantry(6), scara(4);
    gantry << 0.8, 0.5, 0.3, 0.4, 0.7, -0.2;
    scara << 0.4, 0.9, 0.08, -0.3;
    QTest::newRow("horizontal arm") << catalogueArm("scara-600") << scara << Vec3(0.05, -0.2, 0.05) << 0.8;
    // With the tool upright five axes can go anywhere and turn about the vertical.
    QTest::newRow("five axes, tool down")
        << catalogueArm("fiveaxis-500") << posture({20, 35, 40, 15, 0}) << Vec3(0.0, 0.12, 0.0) << 0.3;
    QTest::newRow("seven axes") << catalogueArm("redundant-820") << posture({10, 30, -15, 70, 20, 60, 0})
                                << Vec3(-0.1, 0.2, -0.05) << 0.5;
    QTest::newRow("gantry") << catalogueArm("gantry-2400") << gantry << Vec3(0.6, -0.3, -0.1) << 0.4;
    QTest::newRow("parallel axes") << catalogueArm("cobot-900") << posture({10, -70, 80, -100, -80, 0})
                                   << Vec3(0.1, 0.25, -0.1) << 0.4;
    QTest::newRow("any six") << skewArm() << posture({10, 15, 20, 30, 60, 0}) << Vec3(-0.1, 0.25, -0.15) << 0.4;
}

void MotionTest::linesOfEveryKindOfArm()
{
    QFETCH(ArmPtr, model);
    QFETCH(JointVector, start);
    QFETCH(Vec3, shift);
    QFETCH(double, turn);
    QVERIFY(withinRange(*model, start));
    LinePath path;
    path.flangeFromTcp = translated({0, 0, 0.08});
    path.start = forward(*model, start) * path.flangeFromTcp;
    if (model->as<FiveAxis>()) {
        // Bring the tool upright: the pitches add up to what points it down.
        const Vec3 z = path.start.matrix().col(2);
        start[3] += std::atan2(std::hypot(z[0], z[1]), -z[2]);
        if ((forward(*model, start).matrix().col(2) + Vec3::UnitZ()).norm() > 1e-9)
            start[3] -= 2 * std::atan2(std::hypot(z[0], z[1]), -z[2]);
        path.start = forward(*model, start) * path.flangeFromTcp;
        QVERIFY((path.start.matrix().col(2) + Vec3::UnitZ()).norm() < 1e-9);
    }
    path.end = {path.start.translation + shift, Quat(Eigen::AngleAxisd(turn, Vec3::UnitZ())) * path.start.rotation};
    MotionLimits limits;
    limits.lineSpeed = 0.3;
    const Move move = planLine(*model, start, path, limits, {});
    QVERIFY2(!move.stop, move.stop ? qPrintable(
                             QString("stops at %1 for reason %2").arg(move.stop->fraction).arg(int(move.stop->why)))
                                   : "");
    JointVector before = start;
    for (int i = 0; i <= 200; ++i) {
        const double f = i / 200.0;
        const JointVector now = move.at(*model, f);
        const PoseDeviation away =
            deviation(forward(*model, now) * path.flangeFromTcp, interpolate(path.start, path.end, f));
        QVERIFY2(away.metres < 1e-9 && away.radians < 1e-9,
                 qPrintable(QString("%1: %2 m, %3 rad").arg(f).arg(away.metres).arg(away.radians)));
        QVERIFY(withinRange(*model, now));
        QVERIFY((now - before).cwiseAbs().maxCoeff() < 0.05);
        before = now;
    }
    QVERIFY((move.to - before).norm() < 1e-9);
    // No joint is faster than it may be, and the way is not taken quicker than asked.
    constexpr double h = 1e-5;
    for (double t = h; t + h < move.profile.duration; t += 5e-3) {
        const double a = move.profile.at(t - h).position, b = move.profile.at(t + h).position;
        const JointVector speed = (move.at(*model, b) - move.at(*model, a)) / (2 * h);
        for (int i = 0; i < model->jointCount(); ++i)
            QVERIFY(std::abs(speed[i]) <= 1.01 * model->joints()[size_t(i)].speed);
        QVERIFY((b - a) / (2 * h) * path.length() <= limits.lineSpeed * (1 + 1e-6));
    }
    // Far beyond the reach it stops on the line, inside every range.
    LinePath away = path;
    away.end.translation = path.start.translation + 40 * shift;
    const Move far = planLine(*model, start, away, limits, {});
    QVERIFY(far.stop);
    QVERIFY(far.stop->fraction < 0.5);
    QVERIFY(withinRange(*model, far.to));
    const PoseDeviation off =
        deviation(forward(*model, far.to) * path.flangeFromTcp, interpolate(away.start, away.end, far.stop->fraction));
    QVERIFY(off.metres < 1e-6 && off.radians < 1e-6);
}

void MotionTest::lineThatTurnsPastFiveAxesStops()
{
    const ArmPtr model = catalogueArm("fiveaxis-500");
    const JointVector start = posture({20, 35, 40, 10, 0});
    LinePath path;
    path.start = forward(*model, start);
    path.end = path.start;
    // Tilting sideways out of the arm's plane is what five axes cannot do.
    const Vec3 sideways = Quat(Eigen::AngleAxisd(start[0], Vec3::UnitZ())) * Vec3::UnitX();
    path.end.rotation = Quat(Eigen::AngleAxisd(0.4, sideways)) * path.start.rotation;
    path.end.translation[2] += 0.02;
    const Move move = planLine(*model, start, path, {}, {});
    QVERIFY(move.stop);
    QCOMPARE(int(move.stop->why), int(LineStop::Why::OutOfReach));
    QCOMPARE(int(move.stop->reach), int(NoSolution::Orientation));
    QVERIFY(move.stop->fraction < 0.1);
    QVERIFY(move.stop->excessTurn.norm() > 0.1 && move.stop->excessTurn.norm() < 0.4 + 1e-9);
}

void MotionTest::lockedAxisStandsStillOnALine()
{
    // Joint 4 held at zero keeps the wrist in the arm's plane; upright tools can still go along any line.
    const ArmPtr model = lockedArm(3, 0);
    const JointVector start = posture({-20, 15, 10, 0, 65, 0});
    LinePath path = pathFrom(start, {0.05, 0.3, -0.1});
    QVERIFY((path.start.matrix().col(2) + Vec3::UnitZ()).norm() < 1e-9);
    const Move move = planLine(*model, start, path, {}, {});
    QVERIFY(!move.stop);
    for (int i = 0; i <= 100; ++i) {
        const JointVector q = move.at(*model, i / 100.0);
        QCOMPARE(q[3], 0.0);
        const PoseDeviation away = deviation(forward(*model, q) * kTool, interpolate(path.start, path.end, i / 100.0));
        QVERIFY(away.metres < 1e-9 && away.radians < 1e-9);
    }
    // The free arm may use the axis, so tilting is no trouble for it, and stops this one.
    path.end.rotation = Quat(Eigen::AngleAxisd(0.3, Vec3::UnitX())) * path.end.rotation;
    QVERIFY(!planLine(*arm(), start, path, {}, {}).stop);
    QVERIFY(planLine(*model, start, path, {}, {}).stop);
}

TOPIKOS_TEST(MotionTest)
#include "motion_test.moc"
