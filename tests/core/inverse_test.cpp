#include "core/robot/forward.h"
#include "core/robot/inverse.h"
#include "core/robot/singularity.h"
#include "core/spatial/rotation.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class InverseTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void solutionSetsFollowTheReference_data() { families(true); }
    void solutionSetsFollowTheReference();
    void unreachablePosesSayWhy_data() { families(true); }
    void unreachablePosesSayWhy();
    void ownPostureIsAmongTheSolutions_data();
    void ownPostureIsAmongTheSolutions();
    void specialPostures_data();
    void specialPostures();
    void nearChoosesTheTurn();
    void configurationIsThatOfThePosture();
    void singularPosturesFollowTheReference_data() { families(false); }
    void singularPosturesFollowTheReference();
    void alignedParallelWristFindsAWay();
    void fewAxesSayWhatTheyCannotGive_data();
    void fewAxesSayWhatTheyCannotGive();
    void lockedAxesKeepTheirValue();
    void everyTurnOnRequest();
    void cornersOfTheRangesAreReached_data();
    void cornersOfTheRangesAreReached();

private:
    static ArmPtr variant(int kind);
    static void families(bool fewAxes);
};

void InverseTest::families(bool fewAxes)
{
    QTest::addColumn<std::string>("name");
    QTest::newRow("spherical wrist") << std::string("sixaxis-1400");
    QTest::newRow("three parallel axes") << std::string("parallel-960");
    if (!fewAxes) return;
    QTest::newRow("four-axis horizontal arm") << std::string("scara-600");
    QTest::newRow("five axes") << std::string("fiveaxis-500");
}

void InverseTest::solutionSetsFollowTheReference()
{
    QFETCH(std::string, name);
    const ArmPtr arm = urdfArm(name);
    QCOMPARE(std::string(familyName(arm->family())), name == "sixaxis-1400"   ? "spherical-wrist"
                                                     : name == "parallel-960" ? "parallel-axes"
                                                     : name == "scara-600"    ? "horizontal-arm"
                                                                              : "five-axis");
    int cases = 0;
    for (const Json& c : reference("ik")["robots"][name]["reachable"]) {
        const Pose pose = poseOf(c["pose"]);
        const Solutions found = inverseKinematics(*arm, pose);
        QCOMPARE(found.items.size(), c["solutions"].size());
        QCOMPARE(int(found.items.size() + found.outOfRange.size()), c["geometric_solutions"].get<int>());
        for (const Json& wanted : c["solutions"]) {
            double nearest = INFINITY;
            for (const Solution& s : found.items)
                nearest = std::min(nearest, (s.joints - jointsOf(wanted)).cwiseAbs().maxCoeff());
            QVERIFY(nearest < 1e-5);
        }
        for (const Solution& s : found.items)
            QVERIFY(deviation(forward(*arm, s.joints), pose).metres <= kInversePositionError);
        ++cases;
    }
    QCOMPARE(cases, arm->jointCount() == 6 ? 60 : 40);
}

void InverseTest::unreachablePosesSayWhy()
{
    QFETCH(std::string, name);
    const ArmPtr arm = urdfArm(name);
    int cases = 0;
    for (const Json& c : reference("ik")["robots"][name]["unreachable"]) {
        const Solutions found = inverseKinematics(*arm, poseOf(c["pose"]));
        QVERIFY(found.items.empty());
        QVERIFY(found.reason != NoSolution::None);
        if (c["reason"] == "too_far") {
            if (name == "sixaxis-1400") QCOMPARE(int(found.reason), int(NoSolution::TooFar));
            QVERIFY(found.reason != NoSolution::JointRange);
            QVERIFY(found.shortfall > 0);
        }
        if (c["reason"] == "wrong_dof") {
            QCOMPARE(int(found.reason), int(NoSolution::Orientation));
            QVERIFY(found.shortfall > 1e-3);
        }
        if (c["reason"] == "joint_limits") {
            QCOMPARE(int(found.reason), int(NoSolution::JointRange));
            QVERIFY(found.range.joint >= 0 && found.range.excess >= 0.02);
        }
        ++cases;
    }
    QCOMPARE(cases, 30);
}

ArmPtr InverseTest::variant(int kind)
{
    ArmDescription d = urdfArm(kind < 10    ? "sixaxis-1400"
                               : kind < 20  ? "parallel-960"
                               : kind == 20 ? "scara-600"
                                            : "fiveaxis-500")
                           ->description();
    if (kind >= 30) d = catalogueArm("gantry-2400")->description();
    std::mt19937_64 random{std::uint64_t(kind)};
    const auto flip = [&](size_t i) { d.joints[i].axis = -d.joints[i].axis; };
    switch (kind) {
    case 1:  // offsets mirrored
        d.joints[1].parentFromJoint.translation[0] *= -1;
        d.joints[3].parentFromJoint.translation[2] *= -1;
        break;
    case 2:  // axes turned round
        for (const size_t i : {0u, 2u, 3u, 5u})
            flip(i);
        break;
    case 3:  // no offsets at all
        d.joints[1].parentFromJoint.translation[0] = 0;
        d.joints[3].parentFromJoint.translation[2] = 0;
        break;
    case 4:  // a lateral offset at shoulder and elbow
        d.joints[1].parentFromJoint.translation[1] = 0.12;
        d.joints[2].parentFromJoint.translation[1] = -0.07;
        break;
    case 11:  // parallel axes with mirrored offsets
        d.joints[1].parentFromJoint.translation[1] *= -1;
        d.joints[4].parentFromJoint.translation[1] *= -1;
        break;
    case 12:  // parallel axes, some of them reversed
        for (const size_t i : {0u, 2u, 3u, 5u})
            flip(i);
        break;
    case 22:  // five axes with a lateral offset and reversed axes
        d.joints[1].parentFromJoint.translation[1] = 0.03;
        for (const size_t i : {0u, 2u, 3u, 4u})
            flip(i);
        break;
    case 31:  // slides and turns mixed, one slide after a turn
        std::swap(d.joints[2], d.joints[3]);
        break;
    case 13:
    case 5: {  // every link frame turned anyhow, the arm stays the same
        Quat before = Quat::Identity();
        for (Joint& j : d.joints) {
            std::normal_distribution<double> n;
            const Quat turn = Quat(n(random), n(random), n(random), n(random)).normalized();
            j.parentFromJoint = {before.conjugate() * j.parentFromJoint.translation,
                                 (before.conjugate() * j.parentFromJoint.rotation * turn).normalized()};
            j.axis = turn.conjugate() * j.axis;
            before = turn;
        }
        d.lastFromFlange = {before.conjugate() * d.lastFromFlange.translation,
                            before.conjugate() * d.lastFromFlange.rotation};
        break;
    }
    case 6:  // axis 1 leans towards axis 2
        d.joints[0].parentFromJoint.rotation = Quat(Eigen::AngleAxisd(0.4, Vec3::UnitX()));
        d.joints[1].parentFromJoint.rotation = Quat(Eigen::AngleAxisd(-0.4, Vec3::UnitX()));
        break;
    default: break;
    }
    return Arm::make(d).value();
}

void InverseTest::ownPostureIsAmongTheSolutions_data()
{
    QTest::addColumn<int>("kind");
    QTest::newRow("catalogue arm") << 0;
    QTest::newRow("mirrored offsets") << 1;
    QTest::newRow("reversed axes") << 2;
    QTest::newRow("no offsets") << 3;
    QTest::newRow("lateral offsets") << 4;
    QTest::newRow("turned link frames") << 5;
    QTest::newRow("leaning first axis") << 6;
    QTest::newRow("four-axis horizontal arm") << 20;
    QTest::newRow("five axes") << 21;
    QTest::newRow("five axes, lateral offset, reversed axes") << 22;
    QTest::newRow("gantry with wrist") << 30;
    QTest::newRow("slides and turns mixed") << 31;
    QTest::newRow("parallel axes") << 10;
    QTest::newRow("parallel axes, mirrored offsets") << 11;
    QTest::newRow("parallel axes, reversed") << 12;
    QTest::newRow("parallel axes, turned link frames") << 13;
}

void InverseTest::ownPostureIsAmongTheSolutions()
{
    QFETCH(int, kind);
    const ArmPtr arm = variant(kind);
    QCOMPARE(std::string(familyName(arm->family())), std::string(kind < 10    ? "spherical-wrist"
                                                                 : kind < 20  ? "parallel-axes"
                                                                 : kind == 20 ? "horizontal-arm"
                                                                 : kind < 30  ? "five-axis"
                                                                              : "gantry"));
    std::mt19937_64 random(11);
    for (int n = 0; n < 20000; ++n) {
        const JointVector q = randomPosture(*arm, random);
        const Pose pose = forward(*arm, q);
        const Solutions found = inverseKinematics(*arm, pose);
        double nearest = INFINITY;
        for (const Solution& s : found.items) {
            QVERIFY(s.joints.allFinite() && withinRange(*arm, s.joints));
            const PoseDeviation away = deviation(forward(*arm, s.joints), pose);
            QVERIFY2(away.metres <= kInversePositionError && away.radians <= kInverseAngleError,
                     qPrintable(QString("posture %1: %2 m %3 rad").arg(n).arg(away.metres).arg(away.radians)));
            nearest = std::min(nearest, difference(*arm, s.joints, q));
        }
        QVERIFY2(nearest < 1e-6, qPrintable(QString("posture %1 is missed by %2").arg(n).arg(nearest)));
    }
}

void InverseTest::specialPostures_data()
{
    QTest::addColumn<std::vector<double>>("degreesOf");
    QTest::newRow("all zero, wrist axes in line") << std::vector<double>{0, 0, 0, 0, 0, 0};
    QTest::newRow("wrist in line, other joints anyhow") << std::vector<double>{30, -20, 40, 50, 0, -70};
    QTest::newRow("wrist in line at the range end of joint 4") << std::vector<double>{30, -20, 40, 192, 0, 300};
    QTest::newRow("wrist nearly in line") << std::vector<double>{30, -20, 40, 50, 1e-5, -70};
    QTest::newRow("arm stretched") << std::vector<double>{10, 20, -80.3534, 30, 40, 50};
    QTest::newRow("every joint at its lower end") << std::vector<double>{};
    QTest::newRow("every joint at its upper end") << std::vector<double>{1};
}

void InverseTest::specialPostures()
{
    QFETCH(std::vector<double>, degreesOf);
    const ArmPtr arm = catalogueArm("sixaxis-1400");
    JointVector q(6);
    for (int i = 0; i < 6; ++i) {
        const Joint& j = arm->joints()[size_t(i)];
        q[i] = degreesOf.empty() ? j.lower : degreesOf.size() == 1 ? j.upper : degreesOf[size_t(i)] * kDegree;
    }
    const Pose pose = forward(*arm, q);
    const Solutions found = inverseKinematics(*arm, pose, &q);
    double nearest = INFINITY;
    for (const Solution& s : found.items) {
        QVERIFY(s.joints.allFinite() && withinRange(*arm, s.joints));
        QVERIFY(deviation(forward(*arm, s.joints), pose).metres <= kInversePositionError);
        QVERIFY2(deviation(forward(*arm, s.joints), pose).radians <= kInverseAngleError,
                 qPrintable(QString::number(deviation(forward(*arm, s.joints), pose).radians)));
        nearest = std::min(nearest, (s.joints - q).cwiseAbs().maxCoeff());
    }
    QVERIFY2(nearest < 1e-5, qPrintable(QString::number(nearest)));
}

void InverseTest::nearChoosesTheTurn()
{
    const ArmPtr arm = catalogueArm("sixaxis-1400");
    JointVector q(6);
    q << 0.2, -0.3, 0.4, 0.5, 0.6, 5.5;
    const Solutions plain = inverseKinematics(*arm, forward(*arm, q));
    const Solutions near = inverseKinematics(*arm, forward(*arm, q), &q);
    QVERIFY((nearestTo(near.items, q)->joints - q).cwiseAbs().maxCoeff() < 1e-9);
    for (const Solution& s : plain.items)
        QVERIFY(std::abs(s.joints[5]) <= 3.1415926535897936);
}

void InverseTest::configurationIsThatOfThePosture()
{
    std::mt19937_64 random(17);
    for (int n = 0; n < 4000; ++n) {
        const ArmPtr arm = variant(n % 2 ? 0 : 10);
        const JointVector q = randomPosture(*arm, random);
        const Solutions found = inverseKinematics(*arm, forward(*arm, q));
        for (const Solution& s : found.items)
            QVERIFY(s.configuration == configurationOf(*arm, s.joints));
        QVERIFY(withConfiguration(found.items, configurationOf(*arm, q)));
    }
    // Arm in front with the forearm above the line from shoulder to wrist.
    JointVector home(6);
    home << 0, -0.35, 0.44, 0, 1.48, 0;
    QCOMPARE(configurationText(configurationOf(*catalogueArm("sixaxis-1400"), home)),
             std::string("shoulder front, elbow up, wrist plain"));
}

void InverseTest::singularPosturesFollowTheReference()
{
    QFETCH(std::string, name);
    const ArmPtr arm = urdfArm(name);
    const Json& robot = reference("singular")["robots"][name];
    int counts[4] = {};
    for (const Json& c : robot["cases"]) {
        const JointVector q = jointsOf(c["q"]);
        const SingularityMargins m = singularityMargins(*arm, q);
        QVERIFY(std::abs(std::abs(m.wrist) - c["margins"]["wrist_sin"].get<double>()) < 1e-9);
        QVERIFY(std::abs(std::abs(m.elbow) - c["margins"]["elbow_m"].get<double>()) < 1e-9);
        QVERIFY(std::abs(std::abs(m.shoulder) - c["margins"]["shoulder_m"].get<double>()) < 1e-9);
        const Eigen::VectorXd scaled = singularValues(jacobian(*arm, q), robot["length_scale"].get<double>());
        QVERIFY(std::abs(scaled[5] - c["sigma_min_scaled"].get<double>()) < 1e-9);
        QVERIFY(std::abs(scaled[4] - c["sigma_second_scaled"].get<double>()) < 1e-9);
        QVERIFY(std::abs(singularValues(jacobian(*arm, q))[5] - c["sigma_min"].get<double>()) < 1e-9);
        const std::vector<SingularityKind> kinds = singularKinds(*arm, q);
        if (c["class"] == "regular") {
            QVERIFY(kinds.empty());
            ++counts[3];
        } else {
            QCOMPARE(kinds.size(), size_t(1));
            QCOMPARE(std::string(singularityName(kinds[0])), c["class"].get<std::string>());
            ++counts[int(kinds[0])];
        }
    }
    QVERIFY(counts[0] == 20 && counts[1] == 20 && counts[2] == 20 && counts[3] == 40);
}

void InverseTest::alignedParallelWristFindsAWay()
{
    // Axis 6 along axes 2, 3 and 4: joint 6 is free, and its own value is among the ways when asked for.
    const ArmPtr arm = urdfArm("parallel-960");
    std::mt19937_64 random(83);
    for (int n = 0; n < 300; ++n) {
        JointVector q = randomPosture(*arm, random);
        q[4] = n % 2 ? 0 : 3.141592653589793;
        const Pose pose = forward(*arm, q);
        for (const bool seeded : {true, false}) {
            const Solutions found = inverseKinematics(*arm, pose, seeded ? &q : nullptr);
            QVERIFY(!found.items.empty());
            double nearest = INFINITY;
            for (const Solution& s : found.items) {
                QVERIFY(withinRange(*arm, s.joints));
                QVERIFY(deviation(forward(*arm, s.joints), pose).metres <= kInversePositionError);
                QVERIFY(deviation(forward(*arm, s.joints), pose).radians <= kInverseAngleError);
                nearest = std::min(nearest, difference(*arm, s.joints, q));
            }
            if (seeded) QVERIFY2(nearest < 1e-5, qPrintable(QString("%1: %2").arg(n).arg(nearest)));
        }
    }
}

void InverseTest::fewAxesSayWhatTheyCannotGive_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"scara-600", "fiveaxis-500"})
        QTest::newRow(name) << std::string(name);
}

void InverseTest::fewAxesSayWhatTheyCannotGive()
{
    // The asked orientation is the nearest possible one with the reported turn on top, and no turn that leaves a
    // possible one is smaller.
    QFETCH(std::string, name);
    const ArmPtr arm = catalogueArm(name);
    std::mt19937_64 random(29);
    std::normal_distribution<double> normal;
    int told = 0;
    for (int n = 0; n < 500; ++n) {
        const Pose possible = forward(*arm, randomPosture(*arm, random));
        const Vec3 axis = Vec3(normal(random), normal(random), normal(random)).normalized();
        const Pose asked{possible.translation, Quat(Eigen::AngleAxisd(0.3, axis)) * possible.rotation};
        const Solutions found = inverseKinematics(*arm, asked);
        if (found.reason != NoSolution::Orientation) continue;
        QVERIFY(found.nearest);
        QVERIFY(found.excessTurn.norm() <= 0.3 + 1e-9);
        QVERIFY(std::abs(deviation(asked, *found.nearest).radians - found.excessTurn.norm()) < 1e-9);
        const Solutions there = inverseKinematics(*arm, *found.nearest);
        QVERIFY(there.reason != NoSolution::Orientation);
        ++told;
    }
    QVERIFY2(told > 300, qPrintable(QString::number(told)));
}

void InverseTest::lockedAxesKeepTheirValue()
{
    ArmDescription d = catalogueArm("redundant-820")->description();
    d.joints[2].locked = 0;
    const ArmPtr arm = Arm::make(d).value();
    QCOMPARE(std::string(familyName(arm->family())), std::string("spherical-wrist"));
    QCOMPARE(arm->freeJoints().size(), size_t(6));
    std::mt19937_64 random(31);
    for (int n = 0; n < 500; ++n) {
        JointVector q = randomPosture(*arm, random);
        QCOMPARE(q[2], 0.0);
        const Pose pose = forward(*arm, q);
        const Solutions found = inverseKinematics(*arm, pose);
        double nearest = INFINITY;
        for (const Solution& s : found.items) {
            QCOMPARE(s.joints[2], 0.0);
            QVERIFY(deviation(forward(*arm, s.joints), pose).metres < 1e-9);
            nearest = std::min(nearest, difference(*arm, s.joints, q));
        }
        QVERIFY(nearest < 1e-6);
    }
    d.joints[2].locked = 5;
    QCOMPARE(Arm::make(d).error().code, std::string("arm.joint"));
}

void InverseTest::cornersOfTheRangesAreReached_data()
{
    QTest::addColumn<std::string>("id");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

void InverseTest::cornersOfTheRangesAreReached()
{
    // Every joint at one of its ends: some of these are singular as well.
    QFETCH(std::string, id);
    const ArmPtr arm = catalogueArm(id);
    for (int corner = 0; corner < 1 << arm->jointCount(); ++corner) {
        JointVector q(arm->jointCount());
        for (int i = 0; i < q.size(); ++i)
            q[i] = (corner >> i) & 1 ? arm->joints()[size_t(i)].upper : arm->joints()[size_t(i)].lower;
        const Pose pose = forward(*arm, q);
        const Solutions found = inverseKinematics(*arm, pose);
        QVERIFY2(!found.items.empty(), qPrintable(QString("corner %1").arg(corner)));
        for (const Solution& s : found.items) {
            QVERIFY(withinRange(*arm, s.joints));
            QVERIFY(deviation(forward(*arm, s.joints), pose).metres <= kInversePositionError
                    && deviation(forward(*arm, s.joints), pose).radians <= kInverseAngleError);
        }
    }
}

void InverseTest::everyTurnOnRequest()
{
    const ArmPtr arm = catalogueArm("cobot-900");
    JointVector q(6);
    q << 0.4, -1.2, 1.1, 0.3, 0.9, -0.5;
    const Solutions found = inverseKinematics(*arm, forward(*arm, q), &q);
    const std::vector<Solution> all = allTurns(*arm, {*nearestTo(found.items, q)}, q);
    QCOMPARE(all.size(), size_t(32));  // five axes of two turns each, joint 3 of less than one
    QVERIFY((all.front().joints - q).cwiseAbs().maxCoeff() < 1e-9);
    for (size_t i = 0; i < all.size(); ++i) {
        QVERIFY(withinRange(*arm, all[i].joints));
        QVERIFY(difference(*arm, all[i].joints, q) < 1e-9);
        for (size_t k = 0; k < i; ++k)
            QVERIFY((all[i].joints - all[k].joints).cwiseAbs().maxCoeff() > 1);
    }
}

TOPIKOS_TEST(InverseTest)
#include "inverse_test.moc"
