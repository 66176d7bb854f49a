#include "core/spatial/rotation.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class RotationTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void anglesFollowTheReference_data();
    void anglesFollowTheReference();
    void quaternionAndAxisFollowTheReference();
    void posesChainAndInvert();
    void interpolationGoesStraightAndTurnsEvenly();
};

void RotationTest::anglesFollowTheReference_data()
{
    QTest::addColumn<int>("order");
    QTest::addColumn<std::string>("key");
    QTest::addColumn<std::string>("lock");
    QTest::newRow("roll pitch yaw") << int(AngleOrder::FixedXyz) << std::string("rpy_fixed_xyz")
                                    << std::string("lock_rpy");
    QTest::newRow("zyx") << int(AngleOrder::IntrinsicZyx) << std::string("euler_zyx") << std::string("lock_zyx");
    QTest::newRow("zyz") << int(AngleOrder::IntrinsicZyz) << std::string("euler_zyz") << std::string("lock_zyz");
    QTest::newRow("xyz") << int(AngleOrder::IntrinsicXyz) << std::string("euler_xyz") << std::string("lock_xyz");
}

namespace {

Mat3 matrix3(const Json& rows)
{
    Mat3 m;
    for (size_t r = 0; r < 3; ++r)
        for (size_t c = 0; c < 3; ++c)
            m(Eigen::Index(r), Eigen::Index(c)) = rows[r][c].get<double>();
    return m;
}

Vec3 vec3(const Json& v) { return {v[0].get<double>(), v[1].get<double>(), v[2].get<double>()}; }

}  // namespace

void RotationTest::anglesFollowTheReference()
{
    QFETCH(int, order);
    QFETCH(std::string, key);
    QFETCH(std::string, lock);
    int cases = 0, compared = 0;
    for (const Json& c : reference("rotations")["cases"]) {
        const Mat3 wanted = matrix3(c["matrix"]);
        const Vec3 given = vec3(c[key]);
        const Vec3 found = anglesOf(AngleOrder(order), wanted);
        QVERIFY((rotationFrom(AngleOrder(order), given).toRotationMatrix() - wanted).cwiseAbs().maxCoeff() < 1e-9);
        QVERIFY((rotationFrom(AngleOrder(order), found).toRotationMatrix() - wanted).cwiseAbs().maxCoeff() < 1e-9);
        bool flagged = false;
        for (const auto& f : c["flags"])
            flagged = flagged || f.get<bool>();
        const double off = order == int(AngleOrder::IntrinsicZyz) ? std::sin(found[1]) : std::cos(found[1]);
        if (c["flags"][lock].get<bool>() && std::abs(off) < 1e-12)
            QCOMPARE(order == int(AngleOrder::FixedXyz) ? found[0] : found[2], 0.0);
        if (!flagged && (!c.contains("note") || c["note"] == "random")) {
            for (int i = 0; i < 3; ++i)
                QVERIFY(std::abs(wrapped(found[i] - given[i])) < 1e-9);
            ++compared;
        }
        ++cases;
    }
    QCOMPARE(cases, 60);
    QVERIFY(compared > 20);
}

void RotationTest::quaternionAndAxisFollowTheReference()
{
    for (const Json& c : reference("rotations")["cases"]) {
        const Mat3 wanted = matrix3(c["matrix"]);
        const Json& q = c["quaternion_wxyz"];
        const Quat given(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>());
        QVERIFY((given.toRotationMatrix() - wanted).cwiseAbs().maxCoeff() < 1e-9);
        const Quat found = canonical(Quat(wanted));
        QVERIFY(std::min((found.coeffs() - given.coeffs()).norm(), (found.coeffs() + given.coeffs()).norm()) < 1e-9);
        const AxisAngle a = axisAngleOf(Quat(wanted));
        QVERIFY(a.angle >= 0 && a.angle <= 3.1415926535897936);
        QVERIFY(std::abs(a.axis.norm() - 1) < 1e-12);
        QVERIFY((rotationAbout(a.axis, a.angle) - wanted).cwiseAbs().maxCoeff() < 1e-9);
        QVERIFY((rotationAbout(vec3(c["axis"]), c["angle"].get<double>()) - wanted).cwiseAbs().maxCoeff() < 1e-9);
    }
}

void RotationTest::posesChainAndInvert()
{
    std::mt19937_64 random(7);
    std::normal_distribution<double> n;
    for (int i = 0; i < 200; ++i) {
        const auto any = [&] {
            return Pose{Vec3(n(random), n(random), n(random)),
                        Quat(n(random), n(random), n(random), n(random)).normalized()};
        };
        const Pose a = any(), b = any();
        const Vec3 p(n(random), n(random), n(random));
        QVERIFY(((a * b) * p - a * (b * p)).norm() < 1e-12);
        QVERIFY(deviation(a * inverse(a), Pose{}).metres < 1e-12);
        QVERIFY(deviation(a * inverse(a), Pose{}).radians < 1e-9);
        QVERIFY((homogeneous(a * b) - homogeneous(a) * homogeneous(b)).norm() < 1e-12);
    }
}

void RotationTest::interpolationGoesStraightAndTurnsEvenly()
{
    const Pose a{Vec3(0, 0, 0), Quat::Identity()};
    const Pose b{Vec3(1, 2, -1), Quat(Eigen::AngleAxisd(1.2, Vec3(1, 1, 0).normalized()))};
    for (const double s : {0.0, 0.25, 0.5, 1.0}) {
        const Pose p = interpolate(a, b, s);
        QVERIFY((p.translation - s * b.translation).norm() < 1e-15);
        QVERIFY(std::abs(deviation(a, p).radians - 1.2 * s) < 1e-12);
    }
}

TOPIKOS_TEST(RotationTest)
#include "rotation_test.moc"
