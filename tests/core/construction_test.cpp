#include "core/robot/construction.h"
#include "core/robot/inverse.h"
#include "core/robot/self_motion.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <numbers>

using namespace topikos;
using namespace topikos::test;

/// The triangle of shoulder, elbow and wrist that the inverse of an arm is built on.
class ConstructionTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void triangleHolds_data();
    void triangleHolds();
    void otherElbowIsThatOfAnotherWay_data();
    void otherElbowIsThatOfAnotherWay();
    void linksStayAsLongAsTheyAre_data();
    void linksStayAsLongAsTheyAre();
    void armsThatSlideHaveNone();
    void spareAxesMoveAroundTheTool();

private:
    static void arms()
    {
        QTest::addColumn<QString>("arm");
        for (const char* id : {"sixaxis-1400", "cobot-900", "redundant-820", "scara-600", "fiveaxis-500"})
            QTest::newRow(id) << QString(id);
    }
};

void ConstructionTest::triangleHolds_data() { arms(); }
void ConstructionTest::triangleHolds()
{
    QFETCH(QString, arm);
    const ArmPtr model = catalogueArm(arm.toStdString());
    std::mt19937_64 random(1);
    for (int i = 0; i < 200; ++i) {
        const JointVector q = randomPosture(*model, random);
        const auto c = constructionAt(*model, q);
        QVERIFY(c.has_value());
        QVERIFY(std::abs(c->atShoulder + c->atElbow + c->atWrist - std::numbers::pi) < 1e-6);
        // The angles are those between the sides, and all of it lies in the plane.
        const Vec3 a = c->shoulder - c->elbow, b = c->wrist - c->elbow;
        QVERIFY(std::abs(std::cos(c->atElbow) - a.normalized().dot(b.normalized())) < 1e-9);
        QVERIFY(std::abs(a.dot(c->normal)) < 1e-9 && std::abs(b.dot(c->normal)) < 1e-9);
        QVERIFY(std::abs((c->otherElbow - c->shoulder).norm() - c->upper) < 1e-9);
        QVERIFY(std::abs((c->otherElbow - c->wrist).norm() - c->fore) < 1e-9);
    }
}

void ConstructionTest::otherElbowIsThatOfAnotherWay_data()
{
    QTest::addColumn<QString>("arm");
    for (const char* id : {"sixaxis-1400", "scara-600"})
        QTest::newRow(id) << QString(id);
}
void ConstructionTest::otherElbowIsThatOfAnotherWay()
{
    QFETCH(QString, arm);
    const ArmPtr model = catalogueArm(arm.toStdString());
    std::mt19937_64 random(2);
    int found = 0;
    for (int i = 0; i < 300; ++i) {
        const JointVector q = randomPosture(*model, random);
        const auto own = constructionAt(*model, q);
        for (const Solution& way : inverseKinematics(*model, forward(*model, q)).items) {
            const auto other = constructionAt(*model, way.joints);
            // Another way of the same shoulder has its elbow here or there.
            if ((other->shoulder - own->shoulder).norm() > 1e-6) continue;
            QVERIFY((other->wrist - own->wrist).norm() < 1e-6);
            const double here = (other->elbow - own->elbow).norm(), there = (other->elbow - own->otherElbow).norm();
            QVERIFY2(std::min(here, there) < 1e-5, qPrintable(QString("%1 %2").arg(here).arg(there)));
            found += there < 1e-5 && here > 1e-3;
        }
    }
    QVERIFY2(found > 50, qPrintable(QString::number(found)));
}

void ConstructionTest::linksStayAsLongAsTheyAre_data() { arms(); }
void ConstructionTest::linksStayAsLongAsTheyAre()
{
    QFETCH(QString, arm);
    const ArmPtr model = catalogueArm(arm.toStdString());
    std::mt19937_64 random(3);
    std::optional<Construction> first;
    for (int i = 0; i < 100; ++i) {
        const auto c = constructionAt(*model, randomPosture(*model, random));
        if (!first) first = c;
        QVERIFY(std::abs(c->upper - first->upper) < 1e-9);
        QVERIFY(std::abs(c->fore - first->fore) < 1e-9);
    }
}

void ConstructionTest::armsThatSlideHaveNone()
{
    const ArmPtr gantry = catalogueArm("gantry-2400");
    std::mt19937_64 random(4);
    QVERIFY(!constructionAt(*gantry, randomPosture(*gantry, random)).has_value());
}

void ConstructionTest::spareAxesMoveAroundTheTool()
{
    const ArmPtr seven = catalogueArm("redundant-820"), six = catalogueArm("sixaxis-1400");
    std::mt19937_64 random(6);
    int done = 0;
    for (int i = 0; i < 100; ++i) {
        const JointVector q = randomPosture(*seven, random);
        const int joint = i % 7;
        const auto moved = selfMotion(*seven, q, joint, 0.1);
        if (!moved) continue;
        ++done;
        QVERIFY(std::abs((*moved)[joint] - q[joint] - 0.1) < 1e-6);
        const PoseDeviation away = deviation(forward(*seven, *moved), forward(*seven, q));
        QVERIFY(away.metres < 2e-9 && away.radians < 2e-9);
    }
    // The elbow joint says how far the wrist is from the shoulder: nothing turns it with the flange held.
    QVERIFY2(done > 50 && done < 100, qPrintable(QString::number(done)));
    for (int i = 0; i < 100; ++i) {
        const JointVector q = randomPosture(*six, random);
        QVERIFY(!selfMotion(*six, q, i % 6, 0.1).has_value());
    }
}

TOPIKOS_TEST(ConstructionTest)
#include "construction_test.moc"
