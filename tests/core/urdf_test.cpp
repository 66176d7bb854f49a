#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class UrdfTest : public QObject {
    Q_OBJECT
private slots:
    void familyIsRecognisedFromTheGeometry();
    void badFilesAreRefused_data();
    void badFilesAreRefused();
};

void UrdfTest::familyIsRecognisedFromTheGeometry()
{
    const ArmPtr arm = urdfArm("sixaxis-1400");
    QCOMPARE(std::string(familyName(arm->family())), std::string("spherical-wrist"));
    QVERIFY(std::abs(arm->reach() - (0.583 + std::hypot(0.268 + 0.361, 0.107))) < 1e-12);
    QCOMPARE(arm->joints()[2].name, std::string("joint_3"));
}

void UrdfTest::badFilesAreRefused_data()
{
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("said");
    QTest::newRow("not XML") << "<robot" << "robot" << "not a usable URDF";
    QTest::newRow("misspelt parent link") << "<parent link=\"link_2\"/>" << "<parent link=\"link_two\"/>" << "link_two";
    QTest::newRow("limit missing") << "<limit lower=\"-3.351032164\" upper=\"3.351032164\" effort=\"110\" velocity=\"6.1\"/>" << "" << "joint_4";
    QTest::newRow("range upside down") << "lower=\"-3.351032164\" upper=\"3.351032164\"" << "lower=\"3.351032164\" upper=\"-3.351032164\"" << "Swap";
    QTest::newRow("no speed") << "velocity=\"6.1\"" << "velocity=\"0\"" << "speed";
    QTest::newRow("floating joint") << "name=\"joint_4\" type=\"revolute\"" << "name=\"joint_4\" type=\"floating\"" << "floating";
}

void UrdfTest::badFilesAreRefused()
{
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, said);
    QString text = QString::fromStdString(readFile(dataPath("reference/robots/sixaxis-1400.urdf"), kLargestUrdfFile).value());
    QVERIFY(text.contains(from));
    text.replace(text.indexOf(from), from.size(), to);
    const auto arm = readUrdf(text.toStdString(), "arm.urdf");
    QVERIFY(!arm.ok());
    const QString line = QString::fromStdString(arm.error().line());
    QVERIFY2(line.contains(said) && line.contains("arm.urdf"), qPrintable(line));
}

TOPIKOS_TEST(UrdfTest)
#include "urdf_test.moc"
