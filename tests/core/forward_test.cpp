#include "core/robot/forward.h"
#include "core/robot/singularity.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <fstream>

using namespace topikos;
using namespace topikos::test;

class ForwardTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void flangeAndLinksFollowTheReference_data() { arms(); }
    void flangeAndLinksFollowTheReference();
    void jacobianFollowsTheReference_data() { arms(); }
    void jacobianFollowsTheReference();
    void jacobianIsTheDerivative();
    void catalogueArmIsTheReferenceArm_data();
    void catalogueArmIsTheReferenceArm();
    void badDescriptionsAreRefused_data();
    void badDescriptionsAreRefused();

private:
    static void arms();
};

void ForwardTest::arms()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"sixaxis-1400", "parallel-960", "scara-600", "fiveaxis-500", "sevenaxis-930"})
        QTest::newRow(name) << std::string(name);
}

void ForwardTest::flangeAndLinksFollowTheReference()
{
    QFETCH(std::string, name);
    const ArmPtr arm = urdfArm(name);
    int links = 0;
    for (const Json& c : reference("fk")["robots"][name]["cases"]) {
        const JointVector q = jointsOf(c["q"]);
        QVERIFY((homogeneous(forward(*arm, q)) - matrixOf(c["flange"])).cwiseAbs().maxCoeff() < 1e-9);
        QVERIFY(withinRange(*arm, q));
        if (!c.contains("links")) continue;
        const std::vector<Pose> poses = linkPoses(*arm, q);
        for (int i = 0; i < arm->jointCount(); ++i) {
            const std::string link = "link_" + std::to_string(i + 1);
            QVERIFY((homogeneous(poses[size_t(i)]) - matrixOf(c["links"][link])).cwiseAbs().maxCoeff() < 1e-9);
            ++links;
        }
        QVERIFY((homogeneous(poses.back()) - matrixOf(c["links"]["flange"])).cwiseAbs().maxCoeff() < 1e-9);
    }
    QCOMPARE(links, 10 * arm->jointCount());
}

void ForwardTest::jacobianFollowsTheReference()
{
    QFETCH(std::string, name);
    const ArmPtr arm = urdfArm(name);
    const Json& robot = reference("jacobian")["robots"][name];
    for (const Json& c : robot["cases"]) {
        const Jacobian j = jacobian(*arm, jointsOf(c["q"]));
        for (size_t r = 0; r < 6; ++r)
            for (int k = 0; k < arm->jointCount(); ++k)
                QVERIFY(std::abs(j(Eigen::Index(r), k) - c["jacobian"][r][size_t(k)].get<double>()) < 1e-9);
        const Eigen::VectorXd plain = singularValues(j),
                              scaled = singularValues(j, robot["length_scale"].get<double>());
        for (size_t i = 0; i < c["singular_values"].size(); ++i) {
            QVERIFY(std::abs(plain[Eigen::Index(i)] - c["singular_values"][i].get<double>()) < 1e-8);
            QVERIFY(std::abs(scaled[Eigen::Index(i)] - c["singular_values_scaled"][i].get<double>()) < 1e-8);
        }
    }
}

void ForwardTest::jacobianIsTheDerivative()
{
    const ArmPtr arm = urdfArm("scara-600");  // has a sliding joint
    std::mt19937_64 random(3);
    for (int n = 0; n < 50; ++n) {
        const JointVector q = randomPosture(*arm, random);
        const Jacobian j = jacobian(*arm, q);
        for (int i = 0; i < arm->jointCount(); ++i) {
            constexpr double h = 1e-6;
            JointVector a = q, b = q;
            a[i] -= h;
            b[i] += h;
            const Vec3 slope = (forward(*arm, b).translation - forward(*arm, a).translation) / (2 * h);
            QVERIFY((slope - j.col(i).head<3>()).norm() < 1e-8);
        }
    }
}

void ForwardTest::catalogueArmIsTheReferenceArm_data()
{
    QTest::addColumn<std::string>("name");
    for (const std::string& id : catalogueIds())
        if (std::ifstream(dataPath("reference/robots/" + id + ".urdf"))) QTest::newRow(id.c_str()) << id;
}

void ForwardTest::catalogueArmIsTheReferenceArm()
{
    QFETCH(std::string, name);
    const ArmPtr shipped = catalogueArm(name), urdf = urdfArm(name);
    QVERIFY(shipped);
    std::mt19937_64 random(5);
    for (int n = 0; n < 100; ++n) {
        const JointVector q = randomPosture(*shipped, random);
        QVERIFY(deviation(forward(*shipped, q), forward(*urdf, q)).metres < 1e-12);
    }
    for (size_t i = 0; i < shipped->joints().size(); ++i) {
        QCOMPARE(shipped->joints()[i].lower, urdf->joints()[i].lower);
        QCOMPARE(shipped->joints()[i].upper, urdf->joints()[i].upper);
        QCOMPARE(shipped->joints()[i].speed, urdf->joints()[i].speed);
        QCOMPARE(shipped->joints()[i].effort, urdf->joints()[i].effort);
    }
}

void ForwardTest::badDescriptionsAreRefused_data()
{
    QTest::addColumn<int>("fault");
    QTest::addColumn<QString>("said");
    QTest::newRow("no joints") << 0 << "0 joints";
    QTest::newRow("too many joints") << 1 << "13 joints";
    QTest::newRow("axis not a unit vector") << 2 << "length 2";
    QTest::newRow("range upside down") << 3 << "Swap the two ends";
    QTest::newRow("not a number") << 4 << "not a finite number";
    QTest::newRow("no speed") << 5 << "speed";
    QTest::newRow("range without end") << 6 << "Check the unit";
}

void ForwardTest::badDescriptionsAreRefused()
{
    QFETCH(int, fault);
    QFETCH(QString, said);
    ArmDescription d = catalogueArm("sixaxis-1400")->description();
    if (fault == 0) d.joints.clear();
    if (fault == 1) d.joints.resize(13, d.joints[0]);
    if (fault == 2) d.joints[2].axis *= 2;
    if (fault == 3) std::swap(d.joints[1].lower, d.joints[1].upper);
    if (fault == 4) d.joints[4].upper = NAN;
    if (fault == 5) d.joints[4].speed = 0;
    if (fault == 6) d.joints[4].upper = 1e300;
    const auto arm = Arm::make(d);
    QVERIFY(!arm.ok());
    QVERIFY2(QString::fromStdString(arm.error().line()).contains(said), arm.error().line().c_str());
}

TOPIKOS_TEST(ForwardTest)
#include "forward_test.moc"
