#include "core/motion/move.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class MotionTest : public QObject {
    Q_OBJECT
private slots:
    void trapezoidsFollowTheReference();
    void ceilingsAreKeptAndTouched();
    void jointMoveKeepsEveryLimitAndTouchesOne();
    void lineStaysStraightAndKeepsItsSpeed();
    void lineSlowsDownWhereAJointWouldBeTooFast();
    void lineIntoTheRangeEndStopsThere();
    void lineOutOfReachStopsAtTheRim();
    void lineThroughTheWristSingularityIsStopped();
    void moveOfNoLengthTakesNoTime();
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
    for (const double d : degreesOf) q[i++] = d * kDegree;
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
        if (std::all_of(pieces.begin(), pieces.end(), [&](const SpeedCeiling& c) { return std::abs(c.end - s.position) > 1e-4; })) QVERIFY2(s.speed <= ceiling + 1e-9, qPrintable(QString::number(s.position)));
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
                const double used = std::max(peak / (fraction * arm()->joints()[size_t(i)].speed), std::abs(s.acceleration) * way / arm()->joints()[size_t(i)].acceleration);
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
    QCOMPARE(move.slowedBy, -1);
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
    QVERIFY(move.slowedBy >= 0);
    QVERIFY(move.lowestCeiling < 1);
    const Move fast = planLine(*arm(), q, path, [] { MotionLimits l; l.lineSpeed = 0.01; return l; }(), {});
    QCOMPARE(fast.slowedBy, -1);
    double highest = 0;
    constexpr double h = 1e-5;
    for (double t = h; t + h < move.profile.duration; t += 1e-3) {
        const JointVector speed = (move.at(*arm(), move.profile.at(t + h).position) - move.at(*arm(), move.profile.at(t - h).position)) / (2 * h);
        for (int i = 0; i < 6; ++i) highest = std::max(highest, std::abs(speed[i]) / arm()->joints()[size_t(i)].speed);
    }
    QVERIFY2(highest <= 1.01, qPrintable(QString::number(highest)));  // between samples the ceiling is a chord
    QVERIFY2(highest > 0.9, qPrintable(QString::number(highest)));
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
    QVERIFY(std::abs(move.stop->remaining - (1 - move.stop->fraction) * move.line.length()) < 1e-12);
    QVERIFY(move.stop->range.excess > 0);
    QVERIFY(std::abs(move.profile.distance - move.stop->fraction) < 1e-12);
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
    const Pose flange = move.line.flangeAt(1);
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
    const double there = singularityMargins(*arm(), move.at(*arm(), move.stop->fraction)).distance(SingularityKind::Wrist);
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

TOPIKOS_TEST(MotionTest)
#include "motion_test.moc"
