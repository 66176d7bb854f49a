#include "core/robot/dynamics.h"
#include "core/robot/forward.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <QProcess>
#include <QTemporaryDir>

using namespace topikos;
using namespace topikos::test;

class UrdfTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void linkThatHangsOnItselfIsRefused();
    void familyIsRecognisedFromTheGeometry();
    void badFilesAreRefused_data();
    void badFilesAreRefused();
    void errorsNameTheLine();
    void severalChainsAreChosenByBaseAndTip();
    void writtenFilesComeBack_data();
    void writtenFilesComeBack();
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
    QTest::newRow("not XML") << "<robot"
                             << "robot"
                             << "not a usable URDF";
    QTest::newRow("cut off") << "</robot>"
                             << ""
                             << "is not XML here";
    QTest::newRow("misspelt parent link") << "<parent link=\"link_2\"/>"
                                          << "<parent link=\"link_two\"/>"
                                          << "link_two";
    QTest::newRow("limit missing")
        << "<limit lower=\"-3.351032164\" upper=\"3.351032164\" effort=\"110\" velocity=\"6.1\"/>"
        << ""
        << "joint_4";
    QTest::newRow("range upside down") << "lower=\"-3.351032164\" upper=\"3.351032164\""
                                       << "lower=\"3.351032164\" upper=\"-3.351032164\""
                                       << "Swap";
    QTest::newRow("no speed") << "velocity=\"6.1\""
                              << "velocity=\"0\""
                              << "speed";
    QTest::newRow("floating joint") << "name=\"joint_4\" type=\"revolute\""
                                    << "name=\"joint_4\" type=\"floating\""
                                    << "floating";
}

void UrdfTest::badFilesAreRefused()
{
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, said);
    QString text =
        QString::fromStdString(readFile(dataPath("reference/robots/sixaxis-1400.urdf"), kLargestUrdfFile).value());
    QVERIFY(text.contains(from));
    text.replace(text.indexOf(from), from.size(), to);
    const auto arm = readUrdf(text.toStdString(), "arm.urdf");
    QVERIFY(!arm.ok());
    const QString line = QString::fromStdString(arm.error().line());
    QVERIFY2(line.contains(said) && line.contains("arm.urdf"), qPrintable(line));
}

void UrdfTest::errorsNameTheLine()
{
    std::string text = readFile(dataPath("reference/robots/sixaxis-1400.urdf"), kLargestUrdfFile).value();
    const size_t at = text.find("<parent link=\"link_2\"/>");
    const long line = 1 + std::count(text.begin(), text.begin() + long(at), '\n');
    text.replace(at, 24, "<parent link=\"lnik_2\"/>");
    const auto arm = readUrdf(text, "arm.urdf");
    QCOMPARE(arm.error().where, fmt::format("arm.urdf, line {}", line));
    QVERIFY(arm.error().remedy.find("Is \"link_2\" meant?") != std::string::npos);
}

void UrdfTest::severalChainsAreChosenByBaseAndTip()
{
    const auto joint = [](const char* name, const char* parent, const char* child, const char* rest) {
        return fmt::format("<joint name=\"{}\" type=\"revolute\"><origin xyz=\"0 0 0.3\"/><parent link=\"{}\"/><child "
                           "link=\"{}\"/><axis xyz=\"0 1 0\"/>"
                           "<limit lower=\"-1\" upper=\"1\" effort=\"1\" velocity=\"1\"/>{}</joint>\n",
                           name, parent, child, rest);
    };
    std::string text = "<robot name=\"two\">\n";
    for (const char* name : {"world", "left_1", "left_2", "right_1", "right_2", "finger"})
        text += fmt::format("<link name=\"{}\"/>\n", name);
    text += joint("l1", "world", "left_1", "") + joint("l2", "left_1", "left_2", "")
            + joint("r1", "world", "right_1", "") + joint("r2", "right_1", "right_2", "");
    text += joint("f", "right_2", "finger", "<mimic joint=\"r2\" multiplier=\"-1\"/>") + "</robot>";
    const auto several = readUrdf(text, "two.urdf");
    QCOMPARE(several.error().code, std::string("urdf.chain"));
    QVERIFY(several.error().message.find("\"left_2\", \"finger\"") != std::string::npos);
    const UrdfLinks links = urdfLinks(text, "two.urdf").value();
    QCOMPARE(links.root, std::string("world"));
    QCOMPARE(links.tips, (std::vector<std::string>{"left_2", "finger"}));
    QCOMPARE(readUrdf(text, "two.urdf", {"", "left_2"}).value()->jointCount(), 2);
    QCOMPARE(readUrdf(text, "two.urdf", {"right_1", "right_2"}).value()->jointCount(), 1);
    const auto follower = readUrdf(text, "two.urdf", {"", "finger"});
    QVERIFY(follower.error().message.find("follows joint \"r2\"") != std::string::npos);
    QVERIFY(readUrdf(text, "two.urdf", {"left_1", "right_2"}).error().message.find("no way from") != std::string::npos);
}

void UrdfTest::writtenFilesComeBack_data()
{
    QTest::addColumn<std::string>("id");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

void UrdfTest::writtenFilesComeBack()
{
    QFETCH(std::string, id);
    const ArmPtr arm = catalogueArm(id);
    const Exported file = writeUrdf(*arm);
    QVERIFY(file.lost.size() >= 2);
    const ArmPtr again = readUrdf(file.text, "arm.urdf").value();
    std::mt19937_64 random(5);
    for (int n = 0; n < 50; ++n) {
        const JointVector q = randomPosture(*arm, random), v = randomPosture(*arm, random);
        const PoseDeviation away = deviation(forward(*arm, q), forward(*again, q));
        QVERIFY(away.metres < 1e-12 && away.radians < 1e-8);
        QVERIFY((jointEfforts(*arm, q, v, v) - jointEfforts(*again, q, v, v)).norm()
                < 1e-8 * (1 + jointEfforts(*arm, q, v, v).norm()));
    }
    QTemporaryDir folder;
    const QString path = folder.filePath("arm.urdf");
    QVERIFY(!saveFile(path.toStdString(), file.text));
    QProcess checker;
    checker.start("check_urdf", {path});
    QVERIFY(checker.waitForFinished());
    QCOMPARE(checker.exitCode(), 0);
    QVERIFY(checker.readAllStandardOutput().contains("Successfully Parsed XML"));
    // The companion names every posture and keeps neighbours apart from contact checks.
    const std::string srdf = writeSrdf(*arm, {{"home", armHome(*arm)}});
    QCOMPARE(QString::fromStdString(srdf).count("reason=\"Adjacent\""), arm->jointCount() + 1);
    QVERIFY(srdf.find("<group_state name=\"home\" group=\"arm\">") != std::string::npos);
    // Pairs that are not checked come along, neighbours once only.
    const std::string apart = writeSrdf(*arm, {}, {{0, 3, "Never"}, {1, 2, "User"}});
    QVERIFY(apart.find("<disable_collisions link1=\"base_link\" link2=\"link_3\" reason=\"Never\"/>")
            != std::string::npos);
    QCOMPARE(QString::fromStdString(apart).count("link1=\"link_1\" link2=\"link_2\""), 1);
}

void UrdfTest::linkThatHangsOnItselfIsRefused()
{
    const auto joint = [](const char* name, const char* parent, const char* child) {
        return std::string("<joint name=\"") + name + "\" type=\"revolute\"><parent link=\"" + parent
               + "\"/><child link=\"" + child
               + "\"/><axis xyz=\"0 0 1\"/><limit lower=\"-1\" upper=\"1\" velocity=\"1\" effort=\"1\"/></joint>";
    };
    const std::string links =
        "<robot name=\"loop\"><link name=\"base\"/><link name=\"a\"/><link name=\"b\"/><link name=\"c\"/>";
    for (const std::string& joints : {joint("1", "base", "a") + joint("2", "b", "b") + joint("3", "b", "c"),
                                      joint("1", "base", "a") + joint("2", "c", "b") + joint("3", "b", "c")}) {
        const Result<ArmPtr> arm = readUrdf(links + joints + "</robot>", "loop.urdf", {"", "c"});
        QVERIFY(!arm);
        QVERIFY2(arm.error().line().find("hangs on itself") != std::string::npos, arm.error().line().c_str());
    }
}

TOPIKOS_TEST(UrdfTest)
#include "urdf_test.moc"
