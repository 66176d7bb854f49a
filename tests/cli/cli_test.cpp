#include "core/robot/forward.h"
#include "tests/cli/run_cli.h"
#include "tests/run.h"

#include <QDirIterator>
#include <QFile>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>

using namespace topikos;
using namespace topikos::test;

class CliTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void armListAndInfo();
    void forwardAndJacobianFollowTheReference_data();
    void forwardAndJacobianFollowTheReference();
    void inverseFollowsTheReference_data();
    void inverseFollowsTheReference();
    void singularFollowsTheReference_data();
    void sevenAxesReachTheReference();
    void turnsAndLocksOnRequest();
    void lostDirectionIsLost();
    void singularFollowsTheReference();
    void torqueFollowsTheReference_data() { forwardAndJacobianFollowTheReference_data(); }
    void torqueFollowsTheReference();
    void badLinesAreAnsweredAndTheRestGoesOn();
    void usageErrors_data();
    void usageErrors();
    void checkReportsAndSetsTheExitCode();
    void severalCellsHaveATotal();
    void remediesAreToldAndApplied();
    void bestPlaceIsToldAndApplied();
    void simulateReportsTheCycle();
    void breakdownSaysWhereTheTimeGoes();
    void curvesAreTablesAndPictures();
    void devicesRunFromTheCommandLine();
    void formatIsStable();
    void answerThatCannotBeWrittenSaysSo();
    void rowsOfTheTableAreChosen();
    void runsComeBackAsTimeTables();
    void coreAndCliHoldNoQt();
};

namespace {

QString urdf(const std::string& name) { return QString::fromStdString(dataPath("reference/robots/" + name + ".urdf")); }

}  // namespace

void CliTest::armListAndInfo()
{
    const RunResult list = run({"arm", "list"});
    QCOMPARE(list.code, 0);
    const Json arms = Json::parse(list.out.toStdString())["arms"];
    QCOMPARE(arms[0]["id"].get<std::string>(), std::string("sixaxis-1400"));
    QCOMPARE(arms[0]["axes"].get<int>(), 6);
    QCOMPARE(arms[0]["payload"].get<double>(), 10.0);
    for (const QString& arm : {QString("sixaxis-1400"), urdf("sixaxis-1400")}) {
        const Json info = Json::parse(run({"arm", "info", arm}).out.toStdString());
        QCOMPARE(info["family"].get<std::string>(), std::string("spherical-wrist"));
        QCOMPARE(info["axes"].size(), size_t(6));
        QCOMPARE(info["axes"][2]["upper"].get<double>(), 1.361356817);
    }
}

void CliTest::forwardAndJacobianFollowTheReference_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"sixaxis-1400", "parallel-960", "scara-600", "fiveaxis-500", "sevenaxis-930"})
        QTest::newRow(name) << std::string(name);
}

void CliTest::forwardAndJacobianFollowTheReference()
{
    QFETCH(std::string, name);
    const auto ask = [&](const char* file, const char* command) {
        std::string input;
        for (const Json& c : reference(file)["robots"][name]["cases"])
            input += Json{{"q", c["q"]}}.dump() + "\n";
        const RunResult r = run({"arm", command, urdf(name), "--json"}, QByteArray::fromStdString(input));
        return r.code == 0 ? r.lines() : QList<QByteArray>();
    };
    const QList<QByteArray> poses = ask("fk", "fk"), jacobians = ask("jacobian", "jacobian");
    const Json& fk = reference("fk")["robots"][name]["cases"];
    const Json& jac = reference("jacobian")["robots"][name]["cases"];
    QCOMPARE(size_t(poses.size()), fk.size());
    QCOMPARE(size_t(jacobians.size()), jac.size());
    for (size_t i = 0; i < fk.size(); ++i)
        QVERIFY((matrixOf(Json::parse(poses[int(i)].toStdString())["pose"]) - matrixOf(fk[i]["flange"]))
                    .cwiseAbs()
                    .maxCoeff()
                < 1e-9);
    for (size_t i = 0; i < jac.size(); ++i) {
        const Json answer = Json::parse(jacobians[int(i)].toStdString());
        for (size_t r = 0; r < 6; ++r)
            for (size_t c = 0; c < jac[i]["jacobian"][r].size(); ++c)
                QVERIFY(std::abs(answer["jacobian"][r][c].get<double>() - jac[i]["jacobian"][r][c].get<double>())
                        < 1e-9);
        QCOMPARE(answer["singular_values"].size(), jac[i]["singular_values"].size());
        for (size_t k = 0; k < answer["singular_values"].size(); ++k)
            QVERIFY(std::abs(answer["singular_values"][k].get<double>() - jac[i]["singular_values"][k].get<double>())
                    < 1e-8);
    }
}

void CliTest::inverseFollowsTheReference_data()
{
    QTest::addColumn<std::string>("name");
    QTest::newRow("spherical wrist") << std::string("sixaxis-1400");
    QTest::newRow("three parallel axes") << std::string("parallel-960");
    QTest::newRow("four-axis horizontal arm") << std::string("scara-600");
    QTest::newRow("five axes") << std::string("fiveaxis-500");
}

void CliTest::inverseFollowsTheReference()
{
    QFETCH(std::string, name);
    const Json& robot = reference("ik")["robots"][name];
    std::string input;
    for (const char* part : {"reachable", "unreachable"})
        for (const Json& c : robot[part])
            input += Json{{"pose", c["pose"]}}.dump() + "\n";
    const RunResult r = run({"arm", "ik", urdf(name)}, QByteArray::fromStdString(input));
    QCOMPARE(r.code, 0);
    QVERIFY(r.err.isEmpty());
    const QList<QByteArray> lines = r.lines();
    const int reachable = int(robot["reachable"].size());
    QCOMPARE(lines.size(), reachable + 30);
    for (int i = 0; i < reachable + 30; ++i) {
        const Json answer = Json::parse(lines[i].toStdString());
        if (i < reachable) {
            const Json& wanted = robot["reachable"][size_t(i)]["solutions"];
            QCOMPARE(answer["solutions"].size(), wanted.size());
            QCOMPARE(answer["configurations"].size(), wanted.size());
            QVERIFY(answer["reason"].is_null());
            for (const Json& w : wanted) {
                double nearest = INFINITY;
                for (const Json& s : answer["solutions"])
                    nearest = std::min(nearest, (jointsOf(s) - jointsOf(w)).cwiseAbs().maxCoeff());
                QVERIFY(nearest < 1e-5);
            }
        } else {
            QVERIFY(answer["solutions"].empty());
            QVERIFY(answer["reason"].is_string());
        }
    }
}

void CliTest::sevenAxesReachTheReference()
{
    const Json& robot = reference("ik")["robots"]["sevenaxis-930"];
    std::string input;
    for (const char* part : {"reachable", "unreachable"})
        for (const Json& c : robot[part])
            input += Json{{"pose", c["pose"]}}.dump() + "\n";
    const RunResult r = run({"arm", "ik", urdf("sevenaxis-930")}, QByteArray::fromStdString(input));
    QCOMPARE(r.code, 0);
    const QList<QByteArray> lines = r.lines();
    QCOMPARE(lines.size(), 90);
    const ArmPtr arm = urdfArm("sevenaxis-930");
    for (int i = 0; i < 90; ++i) {
        const Json answer = Json::parse(lines[i].toStdString());
        QCOMPARE(answer["solutions"].empty(), i >= 60);
        for (const Json& s : answer["solutions"]) {
            const PoseDeviation away =
                deviation(forward(*arm, jointsOf(s)), poseOf(robot["reachable"][size_t(i)]["pose"]));
            QVERIFY(away.metres < 1e-6 && away.radians < 1e-6 && withinRange(*arm, jointsOf(s)));
        }
    }
}

void CliTest::turnsAndLocksOnRequest()
{
    // An arm whose axes turn further than once round.
    JointVector posture(6);
    posture << 0.4, -1.2, 1.1, 0.3, 0.9, -0.5;
    const Eigen::Matrix4d there = homogeneous(forward(*catalogueArm("cobot-900"), posture));
    Json rows;
    for (int i = 0; i < 4; ++i)
        rows.push_back(std::vector<double>{there(i, 0), there(i, 1), there(i, 2), there(i, 3)});
    const QByteArray pose = "\"pose\":" + QByteArray::fromStdString(rows.dump());
    const RunResult r = run({"arm", "ik", "cobot-900"}, "{" + pose + "}\n{" + pose + ",\"turns\":\"all\"}\n{" + pose
                                                            + ",\"locked\":[null,null,null,null,null,9]}\n");
    QCOMPARE(r.code, 2);
    const QList<QByteArray> lines = r.lines();
    const size_t plain = Json::parse(lines[0].toStdString())["solutions"].size(),
                 all = Json::parse(lines[1].toStdString())["solutions"].size();
    QVERIFY(plain > 0);
    QVERIFY(all >= 16 * plain);
    QVERIFY(lines[2].contains("outside its range"));
    // With joint 3 held at 0 the seven-axis arm has a spherical wrist and every branch is listed.
    const ArmPtr arm = urdfArm("sevenaxis-930");
    JointVector q(7);
    q << 0.3, 0.6, 0, -1.1, 0.4, 0.9, -0.2;
    Json line{{"pose", Json::array()}, {"locked", {nullptr, nullptr, 0, nullptr, nullptr, nullptr, nullptr}}};
    const Eigen::Matrix4d m = homogeneous(forward(*arm, q));
    for (int i = 0; i < 4; ++i)
        line["pose"].push_back({m(i, 0), m(i, 1), m(i, 2), m(i, 3)});
    const Json held = Json::parse(
        run({"arm", "ik", urdf("sevenaxis-930")}, QByteArray::fromStdString(line.dump() + "\n")).out.toStdString());
    QVERIFY(held["solutions"].size() >= 4);
    for (const Json& s : held["solutions"])
        QCOMPARE(s[2].get<double>(), 0.0);
}

void CliTest::lostDirectionIsLost()
{
    // Of an arm of four axes the flange cannot tilt: the direction it loses is a turn about a horizontal axis.
    const RunResult r = run({"arm", "singular", urdf("scara-600")}, "{\"q\":[0.3,0.7,0.1,0.2]}\n");
    QCOMPARE(r.code, 0);
    const Json answer = Json::parse(r.out.toStdString());
    QVERIFY(answer["margins"].empty());
    const JointVector lost = jointsOf(answer["lost_direction"]);
    QCOMPARE(int(lost.size()), 6);
    QVERIFY(std::abs(lost.norm() - 1) < 1e-12);
    const ArmPtr arm = urdfArm("scara-600");
    JointVector q(4);
    q << 0.3, 0.7, 0.1, 0.2;
    QVERIFY((jacobian(*arm, q).transpose() * lost.head<6>()).norm() < 1e-9);
}

void CliTest::singularFollowsTheReference_data()
{
    QTest::addColumn<std::string>("name");
    QTest::newRow("spherical wrist") << std::string("sixaxis-1400");
    QTest::newRow("three parallel axes") << std::string("parallel-960");
}

void CliTest::singularFollowsTheReference()
{
    QFETCH(std::string, name);
    const Json& robot = reference("singular")["robots"][name];
    std::string input;
    for (const Json& c : robot["cases"])
        input += Json{{"q", c["q"]}}.dump() + "\n";
    const QList<QByteArray> lines = run({"arm", "singular", urdf(name)}, QByteArray::fromStdString(input)).lines();
    QCOMPARE(size_t(lines.size()), robot["cases"].size());
    for (size_t i = 0; i < robot["cases"].size(); ++i) {
        const Json& c = robot["cases"][i];
        const Json answer = Json::parse(lines[int(i)].toStdString());
        QVERIFY(std::abs(answer["min_singular_value"].get<double>() - c["sigma_min"].get<double>()) < 1e-9);
        for (const char* m : {"wrist_sin", "elbow_m", "shoulder_m"})
            QVERIFY(std::abs(answer["margins"][m].get<double>() - c["margins"][m].get<double>()) < 1e-9);
        if (c["class"] == "regular") QVERIFY(answer["kinds"].empty());
        else QVERIFY(answer["kinds"] == Json::array({c["class"]}));
    }
}

void CliTest::torqueFollowsTheReference()
{
    QFETCH(std::string, name);
    const Json& cases = reference("dynamics")["robots"][name]["cases"];
    std::string input;
    for (const Json& c : cases) {
        Json line{{"q", c["q"]}, {"qd", c["qd"]}, {"qdd", c["qdd"]}, {"gravity", c["gravity"]}};
        if (!c["payload"].is_null()) line["payload"] = c["payload"];
        input += line.dump() + "\n";
    }
    const RunResult r = run({"arm", "torque", urdf(name)}, QByteArray::fromStdString(input));
    QCOMPARE(r.code, 0);
    const QList<QByteArray> lines = r.lines();
    QCOMPARE(size_t(lines.size()), cases.size());
    for (size_t i = 0; i < cases.size(); ++i) {
        const Json answer = Json::parse(lines[int(i)].toStdString());
        const JointVector wanted = jointsOf(cases[i]["tau"]);
        QVERIFY((jointsOf(answer["torque"]) - wanted).cwiseAbs().maxCoeff()
                < 1e-8 * (1 + wanted.cwiseAbs().maxCoeff()));
        QVERIFY((jointsOf(answer["gravity"]) - jointsOf(cases[i]["gravity_tau"])).cwiseAbs().maxCoeff() < 1e-6);
    }
}

void CliTest::badLinesAreAnsweredAndTheRestGoesOn()
{
    const QByteArray input =
        "{\"q\":[0,0,0,0,0,0]}\nnot json\n{\"q\":[0,0]}\n{\"q\":[0,0,0,0,0,\"x\"]}\n[1]\n{\"q\":[0,0,0,0,0,0]}\n";
    const RunResult r = run({"arm", "fk", "sixaxis-1400"}, input);
    QCOMPARE(r.code, 2);
    const QList<QByteArray> lines = r.lines();
    QCOMPARE(lines.size(), 6);
    QVERIFY(lines[0].contains("pose") && lines[5] == lines[0]);
    QCOMPARE(lines[1], QByteArray("{\"error\":\"the line is not JSON\"}"));
    QCOMPARE(lines[2], QByteArray("{\"error\":\"\\\"q\\\" must be a list of 6 numbers\"}"));
    QVERIFY(lines[3].contains("not a number"));
    QVERIFY(lines[4].contains("not a JSON object"));
    const RunResult skewed =
        run({"arm", "ik", "sixaxis-1400"}, "{\"pose\":[[1,0,0,1],[0,1,0,0],[0,0,2,1],[0,0,0,1]]}\n");
    QCOMPARE(skewed.code, 2);
    QVERIFY(skewed.out.contains("not orthonormal"));
}

void CliTest::usageErrors_data()
{
    QTest::addColumn<QStringList>("arguments");
    QTest::addColumn<QString>("said");
    QTest::newRow("no command") << QStringList{} << "One of the commands";
    QTest::newRow("no question about the arm") << QStringList{"arm"} << "One of the questions";
    QTest::newRow("unknown command") << QStringList{"paint"} << "paint";
    QTest::newRow("unknown arm") << QStringList{"arm", "info", "nosuch"} << "there is no catalogue arm \"nosuch\"";
    QTest::newRow("file not there") << QStringList{"check", "/no/such.topikos"} << "/no/such.topikos: cannot be opened";
    QTest::newRow("a folder") << QStringList{"check", "/tmp"} << "is not a file";
    QTest::newRow("cycles of nothing") << QStringList{"simulate", "x", "--cycles", "0"} << "cycles";
    QTest::newRow("trace into nowhere") << QStringList{"simulate", cellFile("tile-glazing-line"), "--trace",
                                                       "/no/where.csv"}
                                        << "/no/where.csv: cannot be written";
}

void CliTest::usageErrors()
{
    QFETCH(QStringList, arguments);
    QFETCH(QString, said);
    const RunResult r = run(arguments);
    QCOMPARE(r.code, 2);
    QVERIFY2(QString(r.err).contains(said), r.err.constData());
    QCOMPARE(r.err.trimmed().count('\n'), 0);
    QVERIFY(r.err.startsWith("topikos-cli: "));
    QVERIFY(r.out.isEmpty());
}

void CliTest::checkReportsAndSetsTheExitCode()
{
    const RunResult clean = run({"check", cellFile("tile-glazing-line")});
    QCOMPARE(clean.code, 0);
    QCOMPARE(clean.out,
             QByteArray("Tile glazing line: 0 blocked, 0 caution, 0 advice\nLooked at: 1 routine that runs, 3 targets, "
                        "contact\n"));
    QTemporaryDir dir;
    const RunResult bad = run({"check", cellFile("planted-mistakes"), "--json", "--junit", dir.filePath("r.xml")});
    QCOMPARE(bad.code, 1);
    const Json answer = Json::parse(bad.out.toStdString());
    QCOMPARE(answer["blocked"].get<int>(), 3);
    const Json& f = answer["findings"][0];
    for (const char* key : {"rule", "severity", "routine", "step", "message", "measured", "limit", "unit"})
        QVERIFY2(f.contains(key), key);
    QCOMPARE(f["rule"].get<std::string>(), std::string("joint-range"));
    QCOMPARE(f["step"].get<int>(), 3);
    QCOMPARE(f["unit"].get<std::string>(), std::string("rad"));
    QFile junit(dir.filePath("r.xml"));
    QVERIFY(junit.open(QIODevice::ReadOnly));
    const QByteArray xml = junit.readAll();
    QVERIFY(xml.contains(
        "tests=\"14\" failures=\"5\""));  // three steps, and the two targets that cannot be reached by themselves
    QCOMPARE(xml.count("<testcase"), 14);
}

void CliTest::severalCellsHaveATotal()
{
    QTemporaryDir dir;
    const RunResult both = run({"check", cellFile("tile-glazing-line"), cellFile("planted-mistakes"), "--json",
                                "--junit", dir.filePath("r.xml")});
    QCOMPARE(both.code, 1);
    const Json answer = Json::parse(both.out.toStdString());
    QCOMPARE(answer["cells"].size(), size_t(2));
    QCOMPARE(answer["blocked"].get<int>(), 3);
    QCOMPARE(answer["cells"][0]["blocked"].get<int>(), 0);
    QFile junit(dir.filePath("r.xml"));
    QVERIFY(junit.open(QIODevice::ReadOnly));
    const QByteArray xml = junit.readAll();
    QCOMPARE(xml.count("<testsuite "), 2);
    QVERIFY(xml.count("<testsuites>") == 1 && xml.count("<?xml") == 1);
    // A file that cannot be read is told, the rest goes on.
    const RunResult bad = run({"check", dir.filePath("none.topikos"), cellFile("tile-glazing-line")});
    QCOMPARE(bad.code, 2);
    QVERIFY(bad.out.contains("Tile glazing line: 0 blocked") && bad.out.contains("2 cells: 0 blocked"));
}

void CliTest::remediesAreToldAndApplied()
{
    const RunResult told = run({"check", cellFile("planted-mistakes"), "--remedies", "--json"});
    QCOMPARE(told.code, 1);
    const Json answer = Json::parse(told.out.toStdString());
    QTemporaryDir dir;
    int number = 0;
    for (const Json& finding : answer["findings"]) {
        ++number;
        QVERIFY(!finding["remedies"].empty());
        for (const char* key : {"text", "change", "blocked", "cautions", "cycle_time"})
            QVERIFY2(finding["remedies"][0].contains(key), key);
        // Applied, it comes to what it said.
        const QString out = dir.filePath("mended.topikos");
        const RunResult mended =
            run({"mend", cellFile("planted-mistakes"), "--finding", QString::number(number), "-o", out});
        QVERIFY2(mended.code < 2, mended.err.constData());
        const Json after = Json::parse(run({"check", out, "--json"}).out.toStdString());
        QCOMPARE(after["blocked"].get<int>(), finding["remedies"][0]["blocked"].get<int>());
        QCOMPARE(after["cautions"].get<int>(), finding["remedies"][0]["cautions"].get<int>());
    }
    QCOMPARE(number, 3);
    QVERIFY(answer["findings"][2].contains("nearest"));
    for (const QStringList& wrong : {QStringList{"--finding", "9"}, QStringList{"--remedy", "90"}}) {
        const RunResult refused =
            run(QStringList{"mend", cellFile("planted-mistakes"), "-o", dir.filePath("x.topikos")} + wrong);
        QCOMPARE(refused.code, 2);
        QVERIFY(!QFile::exists(dir.filePath("x.topikos")));
    }
}

void CliTest::bestPlaceIsToldAndApplied()
{
    QTemporaryDir dir;
    const QStringList ask{"place",  cellFile("tile-glazing-line"),
                          "--move", "drying rack",
                          "--box",  "-0.2",
                          "0.2",    "-0.2",
                          "0.2",    "--json",
                          "--map",  dir.filePath("map.csv"),
                          "-o",     dir.filePath("best.topikos")};
    const RunResult told = run(ask);
    QCOMPARE(told.code, 0);
    const Json answer = Json::parse(told.out.toStdString());
    QVERIFY(!answer["best"].empty());
    QVERIFY(answer["best"][0]["margin"].get<double>() >= answer["now"]["margin"].get<double>());
    QCOMPARE(run(ask).out, told.out);
    QCOMPARE(run({"check", dir.filePath("best.topikos")}).code, 0);
    QFile map(dir.filePath("map.csv"));
    QVERIFY(map.open(QIODevice::ReadOnly));
    QCOMPARE(map.readAll().count('\n'), 1 + 31 * 31);
    QCOMPARE(run({"place", cellFile("tile-glazing-line"), "--move", "nothing", "--box", "-0.2", "0.2"}).code, 2);
    QCOMPARE(run({"place", cellFile("tile-glazing-line"), "--move", "Drying rack", "--box", "0.2", "-0.2"}).code, 2);
    QCOMPARE(run({"place", cellFile("tile-glazing-line"), "--move", "Drying rack", "--box", "1", "2", "3"}).code, 2);
}

void CliTest::breakdownSaysWhereTheTimeGoes()
{
    QTemporaryDir dir;
    const RunResult r = run({"simulate", cellFile("rack-of-24"), "--json", "--cycles", "2", "--breakdown",
                             "--breakdown-csv", dir.filePath("b.csv")});
    QCOMPARE(r.code, 0);
    const Json b = Json::parse(r.out.toStdString())["breakdown"];
    double steps = 0;
    for (const Json& step : b["steps"])
        steps += step["seconds"].get<double>();
    const Json& arm = b["arms"][0];
    double parts = 0;
    for (const char* what : {"moving", "gripping", "axes", "waiting", "pausing"})
        parts += arm[what].get<double>();
    QVERIFY(steps > 1 && std::abs(steps - parts) < 1e-6);
    QVERIFY(std::abs(parts + arm["ended"].get<double>() - (b["to"].get<double>() - b["from"].get<double>())) < 1e-6);
    QFile csv(dir.filePath("b.csv"));
    QVERIFY(csv.open(QIODevice::ReadOnly));
    QCOMPARE(csv.readAll().trimmed().split('\n').size(), qsizetype(b["steps"].size()) + 1);
    const RunResult words = run({"simulate", cellFile("tile-glazing-line"), "--breakdown"});
    QVERIFY2(words.out.contains("saved s") && words.out.contains("acceleration of joint"), words.out);
}

void CliTest::curvesAreTablesAndPictures()
{
    QTemporaryDir dir;
    const QString table = dir.filePath("c.csv");
    const RunResult r =
        run({"curves", cellFile("tile-glazing-line"), table, "--what", "joint-torque,tcp-speed", "--every", "0.01"});
    QVERIFY2(r.code == 0 && r.out.contains("7 curves"), r.err);
    QFile csv(table);
    QVERIFY(csv.open(QIODevice::ReadOnly));
    QVERIFY(csv.readLine().startsWith("time_s,joint 1 torque [Nm],"));
    for (const char* name : {"c.svg", "c.png"}) {
        QCOMPARE(run({"curves", cellFile("tile-glazing-line"), dir.filePath(name)}).code, 0);
        QVERIFY(QFileInfo(dir.filePath(name)).size() > 5000);
    }
    const RunResult unknown = run({"curves", cellFile("tile-glazing-line"), table, "--what", "speed"});
    QVERIFY(unknown.code == 2 && unknown.err.contains("joint-speed") && unknown.err.count('\n') == 1);
    const RunResult ending = run({"curves", cellFile("tile-glazing-line"), dir.filePath("c.pdf")});
    QVERIFY(ending.code == 2 && ending.err.contains(".svg"));
}

void CliTest::devicesRunFromTheCommandLine()
{
    QTemporaryDir dir;
    QCOMPARE(run({"check", cellFile("glazing-line-on-a-rail")}).code, 0);
    const RunResult r =
        run({"simulate", cellFile("glazing-line-on-a-rail"), "--json", "--trace", dir.filePath("rail.csv")});
    QCOMPARE(r.code, 0);
    const Json out = Json::parse(r.out.toStdString());
    QCOMPARE(out["steps"].size(), size_t(15));
    QCOMPARE(out["counters"]["released"].get<int>(), 1);
    QFile csv(dir.filePath("rail.csv"));
    QVERIFY(csv.open(QIODevice::ReadOnly));
    const QStringList lines = QString::fromUtf8(csv.readAll()).split('\n', Qt::SkipEmptyParts);
    const QStringList names = lines[0].split(','), last = lines.back().split(',');
    QVERIFY(std::abs(last[names.indexOf("Carriage_m")].toDouble() - 0.25) < 1e-9);
    QCOMPARE(last[names.indexOf("Tiles pressed")].toDouble(), 1.0);
    QCOMPARE(last[names.indexOf("Tile there")].toDouble(), 1.0);  // the next one has come
    QVERIFY(std::abs(last[0].toDouble() - out["cycle_time"].get<double>()) < 1e-6);
}

void CliTest::simulateReportsTheCycle()
{
    QTemporaryDir dir;
    const RunResult r =
        run({"simulate", cellFile("tile-glazing-line"), "--json", "--cycles", "5", "--trace", dir.filePath("t.csv")});
    QCOMPARE(r.code, 0);
    const Json answer = Json::parse(r.out.toStdString());
    // All five are run: the only tile at hand is set down in the first, and the others find none.
    QCOMPARE(answer["steps"].size(), size_t(50));
    QCOMPARE(answer["steps"][49]["cycle"].get<int>(), 5);
    QCOMPARE(answer["counters"]["cycles"].get<int>(), 5);
    QCOMPARE(answer["counters"]["released"].get<int>(), 1);
    const double end = answer["steps"][49]["start"].get<double>() + answer["steps"][49]["duration"].get<double>();
    QVERIFY(std::abs(5 * answer["cycle_time"].get<double>() - end) < 1e-9);
    QVERIFY(std::abs(answer["parts_per_hour"].get<double>() * end - 3600) < 1e-6);
    // Up to a time, as often as it takes: the third pass is under way then.
    const RunResult until = run({"simulate", cellFile("tile-glazing-line"), "--json", "--until", "12"});
    QCOMPARE(Json::parse(until.out.toStdString())["counters"]["cycles"].get<int>(), 2);
    QFile csv(dir.filePath("t.csv"));
    QVERIFY(csv.open(QIODevice::ReadOnly));
    QVERIFY(csv.readLine().startsWith("time_s,joint_1_rad"));
    const RunResult blocked = run({"simulate", cellFile("planted-mistakes"), "--json"});
    QCOMPARE(blocked.code, 1);
    QVERIFY(Json::parse(blocked.out.toStdString())["cycle_time"].is_null());
    QVERIFY(blocked.out.contains("stops 36 mm short"));
}

void CliTest::formatIsStable()
{
    QTemporaryDir dir;
    const QString path = dir.filePath("c.topikos");
    QFile source(cellFile("tile-glazing-line"));
    QVERIFY(source.open(QIODevice::ReadOnly));
    const QByteArray canonical = source.readAll();
    QByteArray loose = QByteArray::fromStdString(nlohmann::ordered_json::parse(canonical.toStdString()).dump(4));
    QVERIFY(loose != canonical);
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(loose);
    file.close();
    for (int n = 0; n < 2; ++n) {
        QCOMPARE(run({"format", path}).code, 0);
        QVERIFY(file.open(QIODevice::ReadOnly));
        QCOMPARE(file.readAll(), canonical);
        file.close();
    }
}

void CliTest::answerThatCannotBeWrittenSaysSo()
{
    QProcess p;
    p.setStandardOutputFile("/dev/full");
    p.start(TOPIKOS_CLI, {"check", cellFile("tile-glazing-line")});
    QVERIFY(p.waitForFinished(60000));
    QCOMPARE(p.exitCode(), 2);
    const QByteArray said = p.readAllStandardError();
    QVERIFY2(said.count('\n') == 1 && said.contains("cannot be written to standard output"), said.constData());
}

void CliTest::rowsOfTheTableAreChosen()
{
    const QTemporaryDir folder;
    const QString path = folder.filePath("run.csv");
    const auto rows = [&](const char* every) {
        const RunResult r = run({"simulate", cellFile("tile-glazing-line"), "--trace", path, "--every", every});
        QFile file(path);
        return r.code == 0 && file.open(QIODevice::ReadOnly) ? int(file.readAll().count('\n')) : -r.code;
    };
    const int coarse = rows("0.1"), fine = rows("0.01");
    QVERIFY2(coarse > 40 && fine > 9 * coarse && fine < 10 * coarse,
             qPrintable(QString("%1 %2").arg(coarse).arg(fine)));
    QCOMPARE(rows("0"), -2);
}

void CliTest::runsComeBackAsTimeTables()
{
    const QTemporaryDir folder;
    const QString cell = folder.filePath("with.topikos"), csv = folder.filePath("Whole cycle.csv");
    const QString demo = QString::fromStdString(examplePath("tile-glazing-line"));
    QCOMPARE(run({"simulate", demo, "--trace", csv}).code, 0);
    QCOMPARE(run({"table", demo, csv, "-o", cell, "--into", "Nowhere"}).code, 2);
    const RunResult made = run({"table", demo, csv, "-o", cell, "--into", "Set one tile"});
    QCOMPARE(made.code, 0);
    QVERIFY2(made.err.contains("joint_1 in rad") && made.err.contains("not used: gripper_m"), made.err);
    const RunResult text = run({"program", cell});
    QVERIFY2(text.out.contains("play Whole cycle"), text.out);
    // The cycle twice over: the demo ends where it begins.
    const auto time = [&](const QString& file) {
        return Json::parse(run({"simulate", file, "--json"}).out.toStdString())["cycle_time"].get<double>();
    };
    QVERIFY(std::abs(time(cell) - 2 * time(demo)) < 1e-5);
    QFile broken(folder.filePath("broken.csv"));
    QVERIFY(broken.open(QIODevice::WriteOnly));
    broken.write("time,joint_1\n0,0\n1,x\n");
    broken.close();
    const RunResult refused = run({"table", demo, broken.fileName(), "-o", cell});
    QCOMPARE(refused.code, 2);
    QVERIFY2(refused.err.contains("broken.csv") && refused.err.contains("line 3"), refused.err);
}

void CliTest::coreAndCliHoldNoQt()
{
    int files = 0;
    for (const char* folder : {"core", "cli"}) {
        QDirIterator it(QString(TOPIKOS_SOURCES) + "/" + folder, {"*.h", "*.cpp"}, QDir::Files,
                        QDirIterator::Subdirectories);
        while (it.hasNext()) {
            QFile file(it.next());
            QVERIFY(file.open(QIODevice::ReadOnly));
            QVERIFY2(!QString(file.readAll()).contains(QRegularExpression("#include\\s*[<\"]Q")),
                     qPrintable(file.fileName()));
            ++files;
        }
    }
    QVERIFY(files > 40);
}

TOPIKOS_TEST(CliTest)
#include "cli_test.moc"
