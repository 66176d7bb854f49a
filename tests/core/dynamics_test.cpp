#include "core/robot/dynamics.h"
#include "core/robot/forward.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <fstream>

using namespace topikos;
using namespace topikos::test;

class DynamicsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void effortsFollowTheReference_data();
    void effortsFollowTheReference();
    void catalogueArmWeighsWhatItsUrdfWeighs_data();
    void catalogueArmWeighsWhatItsUrdfWeighs();
    void gravityIsTheSlopeOfTheHeight();
    void powerIsTheChangeOfEnergy();
    void joinedBodiesKeepTheirMoments();
};

void DynamicsTest::effortsFollowTheReference_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"sixaxis-1400", "parallel-960", "scara-600", "fiveaxis-500", "sevenaxis-930"})
        QTest::newRow(name) << std::string(name);
}

void DynamicsTest::effortsFollowTheReference()
{
    QFETCH(std::string, name);
    const ArmPtr arm = urdfArm(name);
    int cases = 0;
    for (const Json& c : reference("dynamics")["robots"][name]["cases"]) {
        const JointVector q = jointsOf(c["q"]), wanted = jointsOf(c["tau"]), still = jointsOf(c["gravity_tau"]);
        const Vec3 gravity = jointsOf(c["gravity"]);
        Payload payload;
        if (!c["payload"].is_null())
            payload = {c["payload"]["mass"].get<double>(), Vec3(jointsOf(c["payload"]["com"]))};
        const double tolerance = 1e-8 * (1 + wanted.cwiseAbs().maxCoeff());
        QVERIFY((jointEfforts(*arm, q, jointsOf(c["qd"]), jointsOf(c["qdd"]), gravity, payload) - wanted)
                    .cwiseAbs()
                    .maxCoeff()
                < tolerance);
        QVERIFY((gravityEfforts(*arm, q, gravity, payload) - still).cwiseAbs().maxCoeff()
                < 1e-8 * (1 + still.cwiseAbs().maxCoeff()));
        ++cases;
    }
    QCOMPARE(cases, 40);
}

void DynamicsTest::catalogueArmWeighsWhatItsUrdfWeighs_data()
{
    QTest::addColumn<std::string>("name");
    for (const std::string& id : catalogueIds())
        if (std::ifstream(dataPath("reference/robots/" + id + ".urdf"))) QTest::newRow(id.c_str()) << id;
}

void DynamicsTest::catalogueArmWeighsWhatItsUrdfWeighs()
{
    QFETCH(std::string, name);
    const ArmPtr shipped = catalogueArm(name), urdf = urdfArm(name);
    std::mt19937_64 random(71);
    for (int n = 0; n < 50; ++n) {
        const JointVector q = randomPosture(*shipped, random), v = randomPosture(*shipped, random),
                          a = randomPosture(*shipped, random);
        QVERIFY((jointEfforts(*shipped, q, v, a) - jointEfforts(*urdf, q, v, a)).cwiseAbs().maxCoeff() < 1e-8);
    }
}

namespace {

/// Potential energy of the moving links [J].
double height(const Arm& arm, const JointVector& q)
{
    double energy = 0;
    const std::vector<Pose> links = linkPoses(arm, q);
    for (int i = 0; i < arm.jointCount(); ++i)
        energy +=
            arm.joints()[size_t(i)].link.mass * 9.80665 * (links[size_t(i)] * arm.joints()[size_t(i)].link.centre)[2];
    return energy;
}

}  // namespace

void DynamicsTest::gravityIsTheSlopeOfTheHeight()
{
    const ArmPtr arm = urdfArm("scara-600");
    std::mt19937_64 random(73);
    for (int n = 0; n < 20; ++n) {
        const JointVector q = randomPosture(*arm, random), efforts = gravityEfforts(*arm, q);
        for (int i = 0; i < arm->jointCount(); ++i) {
            JointVector a = q, b = q;
            a[i] -= 1e-5;
            b[i] += 1e-5;
            QVERIFY(std::abs((height(*arm, b) - height(*arm, a)) / 2e-5 - efforts[i]) < 1e-5);
        }
    }
}

void DynamicsTest::powerIsTheChangeOfEnergy()
{
    // Kinetic energy from the mass matrix, whose columns are efforts for unit accelerations at rest without gravity.
    const ArmPtr arm = catalogueArm("sixaxis-1400");
    const auto kinetic = [&](const JointVector& q, const JointVector& v) {
        return 0.5 * v.dot(JointVector(jointEfforts(*arm, q, JointVector::Zero(6), v, Vec3::Zero())));
    };
    std::mt19937_64 random(79);
    for (int n = 0; n < 20; ++n) {
        const JointVector q = randomPosture(*arm, random), v = randomPosture(*arm, random),
                          a = randomPosture(*arm, random);
        constexpr double h = 1e-5;
        const auto at = [&](double t) {
            return kinetic(q + t * v + 0.5 * t * t * a, v + t * a) + height(*arm, q + t * v + 0.5 * t * t * a);
        };
        const double power = (at(h) - at(-h)) / (2 * h);
        const double wanted = jointEfforts(*arm, q, v, a).dot(v);
        QVERIFY2(std::abs(power - wanted) < 1e-4 * (1 + std::abs(wanted)),
                 qPrintable(QString("%1 W, efforts give %2 W").arg(power).arg(wanted)));
    }
}

void DynamicsTest::joinedBodiesKeepTheirMoments()
{
    Inertial a, b;
    a.mass = 2;
    a.centre = {0.1, 0, 0};
    b.mass = 2;
    b.centre = {-0.1, 0, 0};
    const Inertial both = joined(a, b);
    QCOMPARE(both.mass, 4.0);
    QVERIFY(both.centre.norm() < 1e-15);
    QVERIFY((both.inertia.diagonal() - Vec3(0, 0.04, 0.04)).norm() < 1e-15);
    QCOMPARE(joined({}, {}).mass, 0.0);
}

TOPIKOS_TEST(DynamicsTest)
#include "dynamics_test.moc"
