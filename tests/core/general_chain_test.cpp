#include "core/robot/forward.h"
#include "core/robot/inverse.h"
#include "core/robot/six_general.h"
#include "core/robot/singularity.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

namespace {

/// A six-axis chain from points and directions at zero, all axes free to turn once round.
ArmDescription chainOf(const std::vector<std::pair<Vec3, Vec3>>& offsets)
{
    ArmDescription d;
    d.name = "chain";
    for (const auto& [offset, axis] : offsets) {
        Joint j;
        j.name = "joint";
        j.parentFromJoint = translated(offset);
        j.axis = axis;
        j.lower = -3.141592653589793;
        j.upper = 3.141592653589793;
        j.speed = j.acceleration = 1;
        d.joints.push_back(j);
    }
    d.lastFromFlange = translated({0, 0, 0.1});
    return d;
}

ArmDescription randomChain(int seed)
{
    std::mt19937_64 random{std::uint64_t(seed)};
    std::normal_distribution<double> normal;
    std::vector<std::pair<Vec3, Vec3>> offsets;
    for (int i = 0; i < 6; ++i)
        offsets.push_back({0.2 * Vec3(normal(random), normal(random), normal(random)),
                           Vec3(normal(random), normal(random), normal(random)).normalized()});
    return chainOf(offsets);
}

const Vec3 unitX = Vec3::UnitX(), unitY = Vec3::UnitY(), unitZ = Vec3::UnitZ();

}  // namespace

class GeneralChainTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void sixAxesFindEverySolution_data();
    void sixAxesFindEverySolution();
    void sevenAxesSolveEveryReachablePose_data();
    void sevenAxesSolveEveryReachablePose();
    void swivelKeepsTheWidestMargin();
    void unreachableSaysHowFar();
    void numericSolvesOtherChains_data();
    void numericSolvesOtherChains();
    void sameAnswerOnEveryRun();
    void lostDirectionHasWords();
};

void GeneralChainTest::sixAxesFindEverySolution_data()
{
    QTest::addColumn<std::function<ArmDescription()>>("make");
    QTest::addColumn<double>("found");  // least share of planted postures among the solutions
    for (int seed = 1; seed <= 4; ++seed)
        QTest::newRow(qPrintable(QString("random axes %1").arg(seed)))
            << std::function([seed] { return randomChain(seed); }) << 1.0;
    const auto row = [](const char* name, std::vector<std::pair<Vec3, Vec3>> offsets, double found) {
        QTest::newRow(name) << std::function([=] { return chainOf(offsets); }) << found;
    };
    row("offset wrist after parallel axes 2 and 3",
        {{{0, 0, .3}, unitZ},
         {{.15, 0, .2}, unitY},
         {{0, 0, .6}, unitY},
         {{.3, 0, .1}, unitX},
         {{.3, 0, 0}, unitY},
         {{.1, .05, 0}, unitX}},
        1);
    row("three parallel axes, axes 5 and 6 apart",
        {{{0, 0, .15}, unitZ},
         {{0, .12, 0}, unitY},
         {{.4, -.1, 0}, unitY},
         {{.38, .1, 0}, unitY},
         {{0, .05, -.05}, -unitZ},
         {{.04, .09, 0}, unitY}},
        0.99);
    row("common point at the shoulder",
        {{{0, 0, .3}, unitZ},
         {{0, 0, 0}, unitY},
         {{0, 0, 0}, unitX},
         {{.4, 0, .05}, unitY},
         {{.3, .04, 0}, unitY},
         {{.1, .05, 0}, unitZ}},
        0.985);
    row("right angles with offsets everywhere",
        {{{0, 0, .3}, unitZ},
         {{.15, .05, .2}, unitY},
         {{.1, .02, .6}, unitX},
         {{.3, 0, .1}, unitY},
         {{.3, .1, 0}, unitZ},
         {{.1, .05, 0}, unitX}},
        0.99);
    row("common wrist point, axes 2 and 3 crossed",
        {{{0, 0, .3}, unitZ},
         {{.15, 0, .2}, unitY},
         {{0, 0, .6}, unitX},
         {{.3, .2, .1}, unitZ},
         {{0, 0, 0}, unitY},
         {{0, 0, 0}, unitX}},
        0.99);
    row("slanted hollow wrist",
        {{{0, 0, .3}, unitZ},
         {{.15, 0, .2}, unitY},
         {{0, 0, .6}, unitY},
         {{.5, 0, .1}, unitX},
         {{.1, 0, 0}, Vec3(1, 0, 1).normalized()},
         {{.1, 0, .05}, unitX}},
        1);
}

void GeneralChainTest::sixAxesFindEverySolution()
{
    QFETCH(std::function<ArmDescription()>, make);
    QFETCH(double, found);
    const ArmPtr arm = Arm::make(make()).value();
    QCOMPARE(std::string(familyName(arm->family())), std::string("six-axis-general"));
    QVERIFY(arm->as<GeneralSix>()->complete);
    std::mt19937_64 random(41);
    int own = 0, most = 0;
    constexpr int poses = 400;
    for (int n = 0; n < poses; ++n) {
        const JointVector q = randomPosture(*arm, random);
        const Pose pose = forward(*arm, q);
        const Solutions all = inverseKinematics(*arm, pose);
        QVERIFY(!all.items.empty());
        QVERIFY(all.items.size() <= 16);
        most = std::max(most, int(all.items.size()));
        bool there = false;
        for (size_t i = 0; i < all.items.size(); ++i) {
            const PoseDeviation away = deviation(forward(*arm, all.items[i].joints), pose);
            QVERIFY(away.metres <= kInversePositionError && away.radians <= kInverseAngleError);
            for (size_t k = 0; k < i; ++k)
                QVERIFY(difference(*arm, all.items[i].joints, all.items[k].joints) > 1e-6);
            there = there || difference(*arm, all.items[i].joints, q) < 1e-5;
        }
        own += there;
    }
    QVERIFY2(own >= found * poses, qPrintable(QString("%1 of %2 planted postures found").arg(own).arg(poses)));
    QVERIFY2(most >= 8, qPrintable(QString::number(most)));
}

void GeneralChainTest::sevenAxesSolveEveryReachablePose_data()
{
    QTest::addColumn<int>("kind");
    QTest::newRow("catalogue arm") << 0;
    QTest::newRow("elbow offset to the side") << 1;
    QTest::newRow("some axes reversed") << 2;
    QTest::newRow("narrow ranges") << 3;
}

void GeneralChainTest::sevenAxesSolveEveryReachablePose()
{
    QFETCH(int, kind);
    ArmDescription d = urdfArm("sevenaxis-930")->description();
    if (kind == 1) {
        d.joints[3].parentFromJoint.translation += Vec3(0.04, 0, 0);
        d.joints[4].parentFromJoint.translation += Vec3(-0.04, 0, 0);
    }
    if (kind == 2)
        for (const size_t i : {0u, 3u, 5u}) {
            d.joints[i].axis *= -1;
        }
    if (kind == 3)
        for (const size_t i : {0u, 2u, 4u, 6u})
            d.joints[i].lower = -0.12, d.joints[i].upper = 0.07;
    const ArmPtr arm = Arm::make(d).value();
    QCOMPARE(std::string(familyName(arm->family())), std::string("seven-axis"));
    std::mt19937_64 random(43);
    for (int n = 0; n < 5000; ++n) {
        const JointVector q = randomPosture(*arm, random);
        const Pose pose = forward(*arm, q);
        const bool near = n % 2;
        const Solutions found = inverseKinematics(*arm, pose, near ? &q : nullptr);
        QVERIFY2(!found.items.empty(), qPrintable(QString("pose %1").arg(n)));
        double nearest = INFINITY;
        for (const Solution& s : found.items) {
            QVERIFY(s.joints.allFinite() && withinRange(*arm, s.joints));
            const PoseDeviation away = deviation(forward(*arm, s.joints), pose);
            QVERIFY(away.metres <= kInversePositionError && away.radians <= kInverseAngleError);
            nearest = std::min(nearest, difference(*arm, s.joints, q));
        }
        // Asked for near a posture, its own swivel comes back.
        if (near) QVERIFY2(nearest < 1e-6, qPrintable(QString("pose %1: %2").arg(n).arg(nearest)));
    }
    for (const Json& c : reference("ik")["robots"]["sevenaxis-930"]["unreachable"])
        if (kind == 0) QVERIFY(inverseKinematics(*arm, poseOf(c["pose"])).items.empty());
}

void GeneralChainTest::swivelKeepsTheWidestMargin()
{
    // No swivel of a fine scan in the same configuration has a margin much larger than the one chosen, unless that is
    // ample.
    const ArmPtr arm = catalogueArm("redundant-820");
    std::mt19937_64 random(47);
    const auto margin = [&](const JointVector& q) {
        double m = INFINITY;
        for (int i = 0; i < 7; ++i)
            m = std::min({m, q[i] - arm->joints()[size_t(i)].lower, arm->joints()[size_t(i)].upper - q[i]});
        for (const int i : {1, 5})
            m = std::min({m, std::abs(q[i]), std::abs(3.141592653589793 - std::abs(q[i]))});
        return m;
    };
    for (int n = 0; n < 60; ++n) {
        const JointVector q = randomPosture(*arm, random);
        const Pose pose = forward(*arm, q);
        const Solutions best = inverseKinematics(*arm, pose);
        for (int k = 0; k < 60; ++k) {
            JointVector seed = q;
            seed[2] += 0.1 * k;
            for (const Solution& s : inverseKinematics(*arm, pose, &seed).items) {
                const Solution* own = withConfiguration(best.items, s.configuration);
                QVERIFY(own);
                QVERIFY2(margin(s.joints) < margin(own->joints) + 0.08 || margin(own->joints) > 0.3,
                         qPrintable(QString("%1: %2 > %3").arg(n).arg(margin(s.joints)).arg(margin(own->joints))));
            }
        }
    }
}

void GeneralChainTest::unreachableSaysHowFar()
{
    Pose far;
    far.translation = {0, 0, 5};
    const Solutions seven = inverseKinematics(*catalogueArm("redundant-820"), far);
    QCOMPARE(int(seven.reason), int(NoSolution::TooFar));
    QVERIFY(seven.shortfall > 3.5 && seven.shortfall < 4.5);
    const Solutions six = inverseKinematics(*Arm::make(randomChain(1)).value(), far);
    QCOMPARE(int(six.reason), int(NoSolution::NotFound));
    QVERIFY(six.nearest && six.shortfall > 1);
    QVERIFY(std::abs(deviation(*six.nearest, far).metres - six.shortfall) < 1e-9);
}

void GeneralChainTest::numericSolvesOtherChains_data()
{
    QTest::addColumn<int>("kind");
    QTest::newRow("seven axes with an offset wrist") << 0;
    QTest::newRow("seven axes on a rail") << 1;
    QTest::newRow("five axes anyhow") << 2;
    QTest::newRow("a slide in the middle") << 3;
    QTest::newRow("two axes") << 4;
}

void GeneralChainTest::numericSolvesOtherChains()
{
    QFETCH(int, kind);
    ArmDescription d = urdfArm("sevenaxis-930")->description();
    if (kind == 0) d.joints[5].parentFromJoint.translation += Vec3(0.05, 0, 0.02);
    if (kind == 1) {
        Joint rail;
        rail.name = "rail";
        rail.kind = JointKind::Prismatic;
        rail.axis = unitX;
        rail.lower = -1;
        rail.upper = 2;
        rail.speed = rail.acceleration = 1;
        d.joints.insert(d.joints.begin(), rail);
    }
    if (kind == 2) d.joints.resize(5);
    if (kind == 3) {
        d.joints[3].kind = JointKind::Prismatic;
        d.joints[3].lower = 0;
        d.joints[3].upper = 0.3;
    }
    if (kind == 4) d.joints.resize(2);
    const ArmPtr arm = Arm::make(d).value();
    QCOMPARE(std::string(familyName(arm->family())), std::string("numeric"));
    std::mt19937_64 random(53);
    int solved = 0;
    constexpr int poses = 1000;
    for (int n = 0; n < poses; ++n) {
        const Pose pose = forward(*arm, randomPosture(*arm, random));
        const Solutions found = inverseKinematics(*arm, pose);
        for (const Solution& s : found.items) {
            QVERIFY(s.joints.allFinite() && withinRange(*arm, s.joints));
            const PoseDeviation away = deviation(forward(*arm, s.joints), pose);
            QVERIFY(away.metres <= kInversePositionError && away.radians <= kInverseAngleError);
        }
        solved += !found.items.empty();
    }
    QVERIFY2(solved >= 999, qPrintable(QString("%1 of %2").arg(solved).arg(poses)));
}

void GeneralChainTest::sameAnswerOnEveryRun()
{
    ArmDescription d = urdfArm("sevenaxis-930")->description();
    d.joints[5].parentFromJoint.translation += Vec3(0.05, 0, 0.02);
    std::mt19937_64 random(59);
    for (const ArmPtr& arm : {Arm::make(d).value(), Arm::make(randomChain(2)).value()}) {
        const Pose pose = forward(*arm, randomPosture(*arm, random));
        const Solutions a = inverseKinematics(*arm, pose),
                        b = inverseKinematics(*Arm::make(arm->description()).value(), pose);
        QCOMPARE(a.items.size(), b.items.size());
        for (size_t i = 0; i < a.items.size(); ++i)
            QVERIFY(a.items[i].joints == b.items[i].joints);
    }
}

void GeneralChainTest::lostDirectionHasWords()
{
    // Stretched along unitZ: no way further out along the tool's own unitZ.
    const ArmPtr seven = catalogueArm("redundant-820");
    const JointVector stretched = JointVector::Zero(7);
    QVERIFY(singularityMargins(*seven, stretched).direction < 1e-9);
    QCOMPARE(singularKinds(*seven, stretched), std::vector{SingularityKind::Direction});
    const std::string words = lostDirectionText(*seven, stretched, Pose{});
    QVERIFY2(words.find("tool") != std::string::npos, words.c_str());
    // A horizontal arm with its elbow straight cannot move out along its own line, here the tool's unitX.
    const ArmPtr horizontal = catalogueArm("scara-600");
    QCOMPARE(lostDirectionText(*horizontal, JointVector::Zero(4), Pose{}), std::string("move along tool X"));
    QVERIFY(singularityMargins(*horizontal, JointVector::Zero(4)).distance(SingularityKind::Elbow) < 1e-9);
    QCOMPARE(singularKinds(*horizontal, JointVector::Zero(4)), std::vector{SingularityKind::Elbow});
    // Bent by a right angle, the last axis stands its own distance from axis 2 away from the plane of axes 1 and 2.
    JointVector bent = JointVector::Zero(4);
    bent[1] = 1.5707963267948966;
    ChainFrames frames;
    chainFrames(*horizontal, bent, frames);
    const Vec3 fore = frames.joints[3].origin - frames.joints[1].origin;
    QVERIFY(
        std::abs(singularityMargins(*horizontal, bent).distance(SingularityKind::Elbow) - std::hypot(fore[0], fore[1]))
        < 1e-9);
}

TOPIKOS_TEST(GeneralChainTest)
#include "general_chain_test.moc"
