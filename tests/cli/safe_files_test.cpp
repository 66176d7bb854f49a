#include "core/check/check.h"
#include "core/files/file.h"
#include "core/shape/mesh_file.h"
#include "tests/cli/run_cli.h"
#include "tests/run.h"

#include <QDir>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>

#include <csignal>
#include <sys/resource.h>
#include <unistd.h>

using namespace topikos;
using namespace topikos::test;

/// Where output may go, what is no number, and what a reader of surfaces can do.
class SafeFilesTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void outputNeverGoesOverInput_data();
    void outputNeverGoesOverInput();
    void whatIsNoNumberIsRefused_data();
    void whatIsNoNumberIsRefused();
    void fileSizeLimitIsToldAndLeavesNothing();
    void linkToNowhereIsNamed();
    void fenceAllowsNothingElse();
    void meshesStayInTheirPackage_data();
    void meshesStayInTheirPackage();
    void programsOfOldBreakages();
    void latinIsToldInOneLine();
    void manyAttributesAreRefusedAtOnce();
    void messagesAreBounded();
    void unknownColumnsAreNamed();
    void secondPassIsTheCycle();
    void manyCyclesAreToldOnTheWay();
    void cornersOfEdgesArePoints();
    void seamOnABallStaysInItsPlane();
    void placementKeepsWhatIsAsGood_data();
    void placementKeepsWhatIsAsGood();
    void gantryTellsItsWrist();
};

namespace {

QString broken(const QString& name) { return QString::fromStdString(dataPath("once-broke/")) + name; }

}  // namespace

void SafeFilesTest::outputNeverGoesOverInput_data()
{
    QTest::addColumn<QStringList>("arguments");
    QTest::newRow("trace into the cell") << QStringList{"simulate", "cell", "--trace", "cell"};
    QTest::newRow("breakdown into the cell") << QStringList{"simulate", "cell", "--breakdown-csv", "cell"};
    QTest::newRow("findings into the cell") << QStringList{"check", "cell", "--junit", "cell"};
    QTest::newRow("curves into the cell") << QStringList{"curves", "cell", "cell"};
    QTest::newRow("the run into the cell") << QStringList{"export", "cell", "cell"};
    QTest::newRow("map into the cell") << QStringList{"place", "cell", "--move", "Drying rack", "--box",
                                                      "0",     "0.1",  "--map",  "cell"};
    QTest::newRow("spots into the cell") << QStringList{"reach", "cell", "--box", "0",     "1",
                                                        "0",     "1",    "1",     "--csv", "cell"};
    QTest::newRow("by another name") << QStringList{"simulate", "cell", "--trace", "./sub/../cell"};
    QTest::newRow("by a link") << QStringList{"simulate", "cell", "--trace", "link"};
    QTest::newRow("an empty name") << QStringList{"program", "cell", "--from", "text", "-o", ""};
    QTest::newRow("an empty table") << QStringList{"simulate", "cell", "--trace", ""};
    QTest::newRow("over the table that is read") << QStringList{"targets", "cell", "--from", "table", "-o", "table"};
    QTest::newRow("over the text that is read") << QStringList{"program", "cell", "--from", "text", "-o", "text"};
    QTest::newRow("two into one") << QStringList{"simulate", "cell", "--trace", "new", "--breakdown-csv", "new"};
}

void SafeFilesTest::outputNeverGoesOverInput()
{
    QFETCH(QStringList, arguments);
    const QTemporaryDir dir;
    QDir(dir.path()).mkdir("sub");
    QVERIFY(QFile::copy(cellFile("tile-glazing-line"), dir.filePath("cell")));
    QVERIFY(QFile::link(dir.filePath("cell"), dir.filePath("link")));
    write(dir.filePath("table"), "name,x [mm]\nTile pick,1\n");
    write(dir.filePath("text"), run({"program", dir.filePath("cell")}).out);
    const QByteArray cell = contentOf(dir.filePath("cell")), table = contentOf(dir.filePath("table")),
                     text = contentOf(dir.filePath("text"));
    QProcess cli;
    cli.setWorkingDirectory(dir.path());
    cli.start(TOPIKOS_CLI, arguments);
    QVERIFY(cli.waitForFinished(60000));
    const QByteArray said = cli.readAllStandardError();
    QCOMPARE(cli.exitCode(), 2);
    QVERIFY2(said.count('\n') == 1 && said.contains("write"), said);
    QCOMPARE(contentOf(dir.filePath("cell")), cell);
    QCOMPARE(contentOf(dir.filePath("table")), table);
    QCOMPARE(contentOf(dir.filePath("text")), text);
    QVERIFY(!QFile::exists(dir.filePath("new")));
}

void SafeFilesTest::whatIsNoNumberIsRefused_data()
{
    QTest::addColumn<QStringList>("arguments");
    const QString cell = cellFile("tile-glazing-line");
    for (const QString none : {"nan", "-nan", "inf", "1e999"}) {
        QTest::newRow(qPrintable("--until " + none)) << QStringList{"simulate", cell, "--until", none};
        QTest::newRow(qPrintable("--every " + none)) << QStringList{"simulate", cell, "--every", none};
        QTest::newRow(qPrintable("--cone " + none))
            << QStringList{"reach", cell, "--box", "0", "1", "0", "1", "1", "--cone", none};
        QTest::newRow(qPrintable("--box " + none)) << QStringList{"reach", cell, "--box", "0", none, "0", "1", "1"};
        QTest::newRow(qPrintable("--at " + none))
            << QStringList{"clearance", cell, "--a", "Drying rack", "--b", "Tile 1", "--at", none};
    }
    QTest::newRow("a step that makes up no turn")
        << QStringList{"reach", cell, "--box", "0", "1", "0", "1", "1", "--free", "--turn-step", "7"};
}

void SafeFilesTest::whatIsNoNumberIsRefused()
{
    QFETCH(QStringList, arguments);
    const RunResult result = run(arguments);
    QCOMPARE(result.code, 2);
    QVERIFY2(result.err.count('\n') == 1, result.err);
}

void SafeFilesTest::fileSizeLimitIsToldAndLeavesNothing()
{
    const QTemporaryDir dir;
    QVERIFY(QFile::copy(cellFile("tile-glazing-line"), dir.filePath("cell")));
    QProcess cli;
    cli.setWorkingDirectory(dir.path());
    cli.setChildProcessModifier([] {
        const rlimit few{4096, 4096};
        setrlimit(RLIMIT_FSIZE, &few);
    });
    cli.start(TOPIKOS_CLI, {"simulate", "cell", "--trace", "out.csv"});
    QVERIFY(cli.waitForFinished(60000));
    QCOMPARE(cli.exitStatus(), QProcess::NormalExit);
    QCOMPARE(cli.exitCode(), 2);
    const QByteArray said = cli.readAllStandardError();
    QVERIFY2(said.count('\n') == 1 && said.contains("too large"), said);
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden), QStringList{"cell"});
}

void SafeFilesTest::linkToNowhereIsNamed()
{
    const QTemporaryDir dir;
    QVERIFY(QFile::link(dir.filePath("nothing"), dir.filePath("link")));
    const RunResult reads = run({"check", dir.filePath("link")});
    QVERIFY2(reads.code == 2 && reads.err.contains("link to what is not there"), reads.err);
    const RunResult writes = run({"simulate", cellFile("tile-glazing-line"), "--trace", dir.filePath("link")});
    QVERIFY2(writes.code == 2 && writes.err.contains("link to what is not there"), writes.err);
}

void SafeFilesTest::fenceAllowsNothingElse()
{
    const QTemporaryDir dir;
    const QString victim = dir.filePath("victim");
    write(victim, "as it was");
    // The same can be done to it without the fence.
    QCOMPARE(::truncate(qPrintable(victim), 9), 0);
    QProcess fenced;
    fenced.start(TOPIKOS_IMPORT, {"--fence", victim});
    QVERIFY(fenced.waitForFinished());
    const QString told = fenced.readAllStandardOutput().trimmed();
    const QStringList all = told.split(", ");
    QVERIFY2(all.size() >= 17, qPrintable(told));
    for (const QString& one : all)
        QVERIFY2(one.endsWith(": refused"), qPrintable(one));
    QCOMPARE(contentOf(victim), QByteArray("as it was"));
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden), QStringList{"victim"});
}

void SafeFilesTest::meshesStayInTheirPackage_data()
{
    QTest::addColumn<QString>("name");
    QTest::newRow("up") << "package://x/../outside.stl";
    QTest::newRow("absolute") << "package://x//%1/outside.stl";
    QTest::newRow("by a link") << "package://x/link.stl";
}

void SafeFilesTest::meshesStayInTheirPackage()
{
    QFETCH(QString, name);
    const QTemporaryDir dir;
    QDir(dir.path()).mkdir("x");
    const QByteArray triangle = "solid t\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\n"
                                "endloop\nendfacet\nendsolid t\n";
    write(dir.filePath("outside.stl"), triangle);
    write(dir.filePath("x/inside.stl"), triangle);
    QVERIFY(QFile::link(dir.filePath("outside.stl"), dir.filePath("x/link.stl")));
    const QByteArray urdf = contentOf(broken("mesh-ply.urdf"));
    const auto exported = [&](const QString& mesh) {
        write(dir.filePath("arm.urdf"), QByteArray(urdf).replace("ply-face-index.ply", mesh.toUtf8()));
        QProcess cli;
        cli.setWorkingDirectory(dir.path());
        cli.start(TOPIKOS_CLI, {"arm", "export", "arm.urdf", "out.topikos-arm", "--package", "x=" + dir.filePath("x")});
        cli.waitForFinished(60000);
        return cli.readAllStandardError();
    };
    QVERIFY(urdf.contains("ply-face-index.ply"));
    QCOMPARE(exported("package://x/inside.stl"), QByteArray());
    const QByteArray said = exported(name.contains('%') ? name.arg(dir.path()) : name);
    QVERIFY2(said.count('\n') == 1, said);
}

void SafeFilesTest::programsOfOldBreakages()
{
    const QTemporaryDir dir;
    const QString cell = cellFile("rack-of-24");
    const RunResult chain = run({"program", cell, "--from", broken("else-chain-8000.txt"), "-o", dir.filePath("a")});
    QCOMPARE(chain.code, 2);
    QVERIFY2(chain.err.count('\n') == 1 && chain.err.size() < 1200, chain.err);
    const RunResult marked = run({"program", cell, "--from", broken("program-bom.txt"), "-o", dir.filePath("b")});
    QVERIFY2(marked.code == 0, marked.err);
    // A line with very many words takes no time by the square.
    QByteArray paces = "routine Fill the rack, run by Arm\n    line to Tile pick";
    for (int i = 0; i < 200000; ++i)
        paces += " blend 1 mm";
    write(dir.filePath("paces.txt"), paces + "\n");
    QElapsedTimer clock;
    clock.start();
    const RunResult long_ = run({"program", cell, "--from", dir.filePath("paces.txt"), "-o", dir.filePath("c")});
    QVERIFY2(long_.err.count('\n') <= 1, long_.err.left(400));
    QVERIFY2(clock.elapsed() < 10000, qPrintable(QString::number(clock.elapsed())));
}

void SafeFilesTest::latinIsToldInOneLine()
{
    const QTemporaryDir dir;
    for (const QStringList& arguments : {QStringList{"arm", "info", broken("latin.urdf")},
                                         QStringList{"arm", "export", broken("latin.urdf"), dir.filePath("a.urdf")}}) {
        const RunResult result = run(arguments);
        QCOMPARE(result.code, 2);
        QVERIFY2(result.err.count('\n') == 1 && result.err.contains("latin.urdf, line 2")
                     && result.err.contains("UTF-8"),
                 result.err);
    }
}

void SafeFilesTest::manyAttributesAreRefusedAtOnce()
{
    const QTemporaryDir dir;
    QByteArray text = "<robot name=\"r\"><link name=\"a\"";
    for (int i = 0; i < 300000; ++i)
        text += " a" + QByteArray::number(i) + "=\"1\"";
    write(dir.filePath("many.urdf"), text + "/></robot>\n");
    QElapsedTimer clock;
    clock.start();
    const RunResult result = run({"arm", "info", dir.filePath("many.urdf")});
    QCOMPARE(result.code, 2);
    QVERIFY2(result.err.count('\n') == 1 && result.err.contains("attributes"), result.err);
    QVERIFY(clock.elapsed() < 5000);
}

void SafeFilesTest::messagesAreBounded()
{
    const Error error{
        "x", "there is no \"" + std::string(100000, 'x') + "\" within 0.30000000000000004 of 1" + std::string(300, '0'),
        std::string(100000, 'y'), ""};
    const std::string line = error.line();
    QVERIFY(line.size() < 2000);
    QVERIFY2(line.find("0.3 of 1e+300") != std::string::npos, line.c_str());
    QVERIFY(line.find("…") != std::string::npos);
    const Error plain{"x", "joint 3 is 12.5 mm too far", "cell.topikos", "Move it."};
    QCOMPARE(plain.line(), std::string("cell.topikos: joint 3 is 12.5 mm too far. Move it."));
}

void SafeFilesTest::unknownColumnsAreNamed()
{
    const QTemporaryDir dir;
    write(dir.filePath("t.csv"), "name,x [mm],colour,weight\nTile pick,1,red,2\nRack place,2,red,3\n");
    const RunResult result =
        run({"targets", cellFile("tile-glazing-line"), "--from", dir.filePath("t.csv"), "-o", dir.filePath("out")});
    QCOMPARE(result.code, 0);
    QVERIFY2(result.err.count('\n') == 1 && result.err.contains("\"colour\", \"weight\" are not read"), result.err);
}

void SafeFilesTest::secondPassIsTheCycle()
{
    const QString path = broken("endless-first-cycle.topikos");
    const Json one = Json::parse(run({"simulate", path, "--json"}).out.toStdString());
    const Json two = Json::parse(run({"simulate", path, "--json", "--cycles", "2"}).out.toStdString());
    QCOMPARE(one["cycle_time"].get<double>(), two["cycle_time"].get<double>());
    QCOMPARE(one["counters"]["cycles"].get<int>(), 1);
}

void SafeFilesTest::manyCyclesAreToldOnTheWay()
{
    const QString cell = cellFile("tile-glazing-line");
    const Json few = Json::parse(run({"simulate", cell, "--json", "--cycles", "100"}).out.toStdString());
    const Json many = Json::parse(run({"simulate", cell, "--json", "--cycles", "101"}).out.toStdString());
    QCOMPARE(many["counters"]["cycles"].get<int>(), 101);
    QCOMPARE(many["steps"].size() / 101, few["steps"].size() / 100);
    QVERIFY(std::abs(many["cycle_time"].get<double>() - few["cycle_time"].get<double>()) < 1e-6);
    for (size_t i = 0; i < few["steps"].size(); ++i)
        QCOMPARE(many["steps"][i].dump(), few["steps"][i].dump());
    QCOMPARE(many["findings"].dump(), few["findings"].dump());
    // What the end of a run is worked out from is the same in both ways, also where the first cycle is another one.
    for (const QString& own : {cell, broken("endless-first-cycle.topikos")}) {
        const Json kept = Json::parse(run({"simulate", own, "--json", "--cycles", "100"}).out.toStdString());
        const Json told = Json::parse(run({"simulate", own, "--json", "--cycles", "101"}).out.toStdString());
        for (const char* number : {"cycle_time", "parts_per_hour"}) {
            QCOMPARE(told.contains(number), kept.contains(number));
            if (!kept.contains(number) || kept[number].is_null()) continue;
            const double a = told[number].get<double>(), b = kept[number].get<double>();
            QVERIFY2(std::abs(a - b) <= 1e-6 + 0.02 * std::abs(b),
                     qPrintable(QString("%1 of %2: %3, %4").arg(number, own).arg(a).arg(b)));
        }
    }
    QProcess cli;
#ifndef TOPIKOS_SANITIZED
    cli.setChildProcessModifier([] {
        const rlimit most{rlim_t(400) << 20, rlim_t(400) << 20};
        setrlimit(RLIMIT_AS, &most);
    });
#endif
    cli.setStandardOutputFile(QProcess::nullDevice());
    cli.start(TOPIKOS_CLI, {"simulate", cell, "--cycles", "30000"});
    QVERIFY(cli.waitForFinished(120000));
    QVERIFY2(cli.exitStatus() == QProcess::NormalExit && cli.exitCode() == 0, cli.readAllStandardError());
}

void SafeFilesTest::cornersOfEdgesArePoints()
{
    const QTemporaryDir dir;
    const QString path = broken("edge-every-skips-corners.topikos");
    const Cell before = openCell(path.toStdString()).value();
    const Vec3 half = before.frames.front().solids.front().size / 2;
    const Vec3 centre = before.frames.front().solids.front().pose.translation;
    const Vec3 at = centre + Vec3(half[0], 0.3 * half[1], half[2]);
    const RunResult drawn = run({"draw", path, "--on", "Body", "--at", QString::number(at[0]), QString::number(at[1]),
                                 QString::number(at[2]), "--edge", "--every", "0.017", "-o", dir.filePath("out")});
    QVERIFY2(drawn.code == 0, drawn.err);
    const Cell cell = openCell(dir.filePath("out").toStdString()).value();
    const Drawing& drawing = cell.patterns.back().drawing;
    int corners = 0;  // of the face that the edge goes round
    for (const double x : {-1.0, 1.0})
        for (const double y : {-1.0, 1.0})
            for (const double z : {-1.0, 1.0})
                corners += std::any_of(drawing.points.begin(), drawing.points.end(), [&](const SurfacePoint& p) {
                    return (p.at - centre - Vec3(x * half[0], y * half[1], z * half[2])).norm() < 1e-6;
                });
    QCOMPARE(corners, 4);
}

void SafeFilesTest::seamOnABallStaysInItsPlane()
{
    const QTemporaryDir dir;
    const QString path = broken("sphere-seam-plane.topikos");
    const Cell before = openCell(path.toStdString()).value();
    const Solid& ball = before.frames.front().solids.front();
    const double radius = ball.size[0] / 2 > 0 ? ball.size[0] / 2 : ball.size[0];
    const Vec3 centre = ball.pose.translation;
    std::mt19937_64 random(2);
    std::normal_distribution<double> normal;
    double worst = 0;
    for (int n = 0; n < 6; ++n) {
        const Vec3 a = Vec3(normal(random), normal(random), normal(random)).normalized();
        const Vec3 b = (a + 0.7 * Vec3(normal(random), normal(random), normal(random)).normalized()).normalized();
        QStringList arguments{"draw", path, "--on", "Body", "--every", "0.005", "-o", dir.filePath("out")};
        for (const Vec3& way : {a, b}) {
            const Vec3 at = centre + radius * way;
            arguments += {"--at", QString::number(at[0], 'g', 12), QString::number(at[1], 'g', 12),
                          QString::number(at[2], 'g', 12)};
        }
        const RunResult drawn = run(arguments);
        QVERIFY2(drawn.code == 0, drawn.err);
        const Cell cell = openCell(dir.filePath("out").toStdString()).value();
        const auto& points = cell.patterns.back().drawing.points;
        // The plane of the two ends and the middle of the ball.
        const Vec3 across = (points.front().at - centre).cross(points.back().at - centre).normalized();
        for (const SurfacePoint& p : points)
            worst = std::max(worst, std::abs(across.dot(p.at - centre)));
    }
    QVERIFY2(worst < 1e-4, qPrintable(QString::number(worst)));
}

void SafeFilesTest::placementKeepsWhatIsAsGood_data()
{
    QTest::addColumn<QString>("name");
    QTest::addColumn<QString>("frame");
    QTest::newRow("base") << "place-base-tie"
                          << "Pedestal";
    QTest::newRow("rack") << "place-rack-far-tie"
                          << "Drying rack";
}

void SafeFilesTest::placementKeepsWhatIsAsGood()
{
    QFETCH(QString, name);
    QFETCH(QString, frame);
    const Json found = Json::parse(
        run({"place", broken(name + ".topikos"), "--move", frame, "--box", "-0.05", "0.05", "-0.05", "0.05", "--json"})
            .out.toStdString());
    const Json &now = found["now"], &best = found["best"][0];
    const auto margin = [](const Json& place) { return std::round(place["margin"].get<double>() * 1000); };
    QCOMPARE(found["better"].get<bool>(), best["offset"] != Json({0.0, 0.0, 0.0, 0.0}));
    // Where it moves it is for a margin that can be told, or at the same one for a shorter cycle.
    if (found["better"].get<bool>()) {
        QVERIFY(best["unreached"].get<int>() + best["blocked"].get<int>()
                <= now["unreached"].get<int>() + now["blocked"].get<int>());
        QVERIFY(margin(best) > margin(now) || now["blocked"].get<int>() > 0);
    }
    // What the move cannot change does not hold the criterion: places differ.
    std::set<double> margins;
    for (const Json& place : found["best"])
        margins.insert(margin(place));
    QVERIFY2(margins.size() > 1 || found["best"].size() == 1, found.dump().c_str());
}

void SafeFilesTest::gantryTellsItsWrist()
{
    const Json list = Json::parse(run({"arm", "list"}).out.toStdString());
    for (const Json& arm : list["arms"]) {
        const QString id = QString::fromStdString(arm["id"].get<std::string>());
        if (!id.contains("gantry")) continue;
        const size_t axes = arm["axes"].get<size_t>();
        std::string q = "{\"q\":[";
        for (size_t i = 0; i < axes; ++i)
            q += (i ? "," : "") + std::string("0.3");
        const RunResult told = run({"arm", "singular", id}, QByteArray::fromStdString(q + "]}\n"));
        const Json out = Json::parse(told.out.toStdString());
        QVERIFY2(out["margins"].contains("wrist_sin"), told.out);
        QVERIFY(out["margins"]["wrist_sin"].get<double>() > 0.01);
        return;
    }
    QFAIL("no gantry in the catalogue");
}

TOPIKOS_TEST(SafeFilesTest)
#include "safe_files_test.moc"
