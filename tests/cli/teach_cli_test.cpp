#include "core/cell/drawing.h"
#include "core/check/check.h"
#include "core/reach/reach_map.h"
#include "tests/cli/run_cli.h"
#include "tests/run.h"

#include <QFile>
#include <QTemporaryDir>

using namespace topikos;
using namespace topikos::test;

/// Drawing, reach and tables of targets from the command line.
class TeachCliTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void groupsAreDrawn();
    void drawingSaysWhatIsWrong_data();
    void drawingSaysWhatIsWrong();
    void reachIsTold();
    void turnsGoByTheStep();
    void targetsGoOutAndIn();
};

namespace {

Cell opened(const QString& path)
{
    Result<Cell> cell = openCell(path.toStdString());
    if (!cell) qFatal("%s", cell.error().line().c_str());
    return std::move(cell).value();
}

}  // namespace

void TeachCliTest::groupsAreDrawn()
{
    QTemporaryDir dir;
    const QString bench = cellFile("glaze-edge-wiping-bench"), out = dir.filePath("out.topikos");
    const QStringList places{"--at", "0.2", "0", "0", "--at", "0.1", "0.1", "0"};
    const RunResult seam =
        run(QStringList{"draw", bench, "--on", "Sink 1", "--every", "0.01", "--name", "Wall", "-o", out} + places);
    QVERIFY2(seam.code == 0, seam.err);
    const Cell cell = opened(out);
    const Pattern& wall = cell.patterns.back();
    QCOMPARE(wall.name, std::string("Wall"));
    QVERIFY(wall.drawing.seam && !wall.drawing.closed);
    QCOMPARE(seam.out, QByteArray(QString("Wall: %1 points, %2 mm long\n")
                                      .arg(wall.drawing.points.size())
                                      .arg(1000 * lengthOf(wall.drawing), 0, 'f', 1)
                                      .toUtf8()));
    // The points lie as far apart as asked for, up to what is left over.
    for (size_t i = 2; i < wall.drawing.points.size(); ++i) {
        const double apart = (wall.drawing.points[i - 1].at - wall.drawing.points[i - 2].at).norm();
        QVERIFY2(apart > 0.0095 && apart < 0.0101, qPrintable(QString::number(1000 * apart)));
    }
    // Spots with a free turn are where the arm reaches them.
    const RunResult spots =
        run(QStringList{"draw", bench, "--on", "Sink 1", "--spots", "--points", "--x", "free", "-o", out} + places);
    QVERIFY2(spots.code == 0, spots.err);
    const Cell free = opened(out);
    const Pattern& group = free.patterns.back();
    QVERIFY(!group.drawing.seam && group.drawing.turns == Drawing::Turn::Free);
    QCOMPARE(group.drawing.points.size(), size_t(2));
    QCOMPARE(spots.out.left(6), QByteArray("Spots:"));
    for (const Target& target : free.targets)
        if (target.pattern == group.id) {
            QCOMPARE(target.freedom.kind, Freedom::Kind::Turn);
            const TargetVerdict verdict = checkTarget(free, target, target.axes);
            QVERIFY(verdict.findings.empty() || verdict.findings.front().severity != Severity::Blocked);
        }
}

void TeachCliTest::drawingSaysWhatIsWrong_data()
{
    QTest::addColumn<QString>("arguments");
    QTest::addColumn<QString>("says");
    QTest::newRow("no such body") << "--on Nothing --at 0 0 0"
                                  << "there is no frame or part called \"Nothing\"";
    QTest::newRow("the world") << "--on World --at 0 0 0"
                               << "no frame or part";
    QTest::newRow("two numbers") << "--on Plinth --at 0 0"
                                 << "--at";
    QTest::newRow("far away") << "--on Plinth --at 0 0 1e9"
                              << "farther away than 1000 m";
    QTest::newRow("no number") << "--on Plinth --at 0 0 nan"
                               << "is not a number";
    QTest::newRow("no spacing") << "--on Plinth --at 0 0 0 --every 0"
                                << "the distance of drawn points cannot be 0 mm";
    QTest::newRow("a chord too fine") << "--on Plinth --at 0 0 0 --chord 1e-9"
                                      << "the chord error of drawn points";
    QTest::newRow("a lead that lies down") << "--on Plinth --at 0 0 0 --lead 95"
                                           << "the lead cannot be 95";
    QTest::newRow("no such arm") << "--on Plinth --at 0 0 0 --arm Nobody"
                                 << "there is no arm called \"Nobody\"";
    QTest::newRow("another x") << "--on Plinth --at 0 0 0 --x sideways"
                               << "sideways";
    QTest::newRow("a name that is taken") << "--on Plinth --at 0 0 0 --name Rim_dots"
                                          << "Rim dots";
}
void TeachCliTest::drawingSaysWhatIsWrong()
{
    QFETCH(QString, arguments);
    QFETCH(QString, says);
    QTemporaryDir dir;
    const QString cell = dir.filePath("cell.topikos");
    QVERIFY(QFile::copy(cellFile("glaze-edge-wiping-bench"), cell));
    QStringList all{"draw", cell};
    for (const QString& word : arguments.split(' '))
        all << QString(word).replace('_', ' ');
    const RunResult result = run(all);
    QCOMPARE(result.code, 2);
    QVERIFY2(result.err.contains(says.toUtf8()), result.err);
    QVERIFY(opened(cell) == opened(cellFile("glaze-edge-wiping-bench")));
}

void TeachCliTest::reachIsTold()
{
    const Cell cell = example("tile-glazing-line");
    const RunResult result = run({"reach", cellFile("tile-glazing-line"), "--plane", "0.2", "1.4", "-0.6", "0.6", "0.5",
                                  "--spacing", "0.2", "--json"});
    QCOMPARE(result.code, 0);
    ReachQuery query;
    query.arm = cell.arms.front().id;
    query.spacing = 0.2;
    query.lowest = {0.2, -0.6, 0.5};
    query.highest = {1.4, 0.6, 0.5};
    const ReachMap map = *reachMap(cell, query);
    const Json told = Json::parse(result.out.toStdString());
    QCOMPARE(told["reached"].get<size_t>(), map.reached());
    QVERIFY(map.reached() > 0 && map.reached() < map.spots.size());
    QCOMPARE(told["spots"].size(), map.spots.size());
    for (size_t i = 0; i < map.spots.size(); ++i) {
        QCOMPARE(told["spots"][i]["ways"].get<int>(), map.spots[i].ways);
        if (map.spots[i].reached())
            QVERIFY(std::abs(told["spots"][i]["margin"].get<double>() - map.spots[i].margin) < 1e-12);
    }
}

void TeachCliTest::turnsGoByTheStep()
{
    // The turns that were chosen, from the tool down with its x axis along that of the world.
    const auto turns = [](const char* step) {
        const RunResult result = run({"reach", cellFile("tile-glazing-line"), "--plane", "-1.4", "1.4", "-1.4", "1.4",
                                      "0.5", "--spacing", "0.2", "--free", "--turn-step", step, "--json"});
        std::vector<std::pair<double, double>> out;  // turn and margin
        if (result.code != 0) return out;
        const Json told = Json::parse(result.out.toStdString());
        for (const Json& spot : told["spots"]) {
            const Json& q = spot["quaternion"];
            const Quat turn = Quat(0, 1, 0, 0).conjugate() * Quat(q[0], q[1], q[2], q[3]);
            out.emplace_back(degrees(2 * std::atan2(turn.z(), turn.w())), spot.value("margin", -1.0));
        }
        return out;
    };
    const auto coarse = turns("40"), fine = turns("5");
    QVERIFY(!coarse.empty() && coarse.size() == fine.size());
    size_t between = 0;
    for (size_t i = 0; i < coarse.size(); ++i) {
        QVERIFY(std::abs(std::remainder(coarse[i].first, 40)) < 1e-6);
        QVERIFY(std::abs(std::remainder(fine[i].first, 5)) < 1e-6);
        between += std::abs(std::remainder(fine[i].first, 40)) > 1;
        // Each of the coarse turns is one of the fine ones.
        QVERIFY(fine[i].second >= coarse[i].second - 1e-12);
    }
    QVERIFY(between > 0);
    const RunResult wrong = run(
        {"reach", cellFile("tile-glazing-line"), "--plane", "0", "1", "0", "1", "0.5", "--free", "--turn-step", "0"});
    QCOMPARE(wrong.code, 2);
    QVERIFY2(wrong.err.contains("the step between free turns cannot be 0"), wrong.err);
}

void TeachCliTest::targetsGoOutAndIn()
{
    QTemporaryDir dir;
    const QString cell = dir.filePath("cell.topikos"), table = dir.filePath("targets.csv");
    QVERIFY(QFile::copy(cellFile("tile-glazing-line"), cell));
    const RunResult out = run({"targets", cell});
    QCOMPARE(out.code, 0);
    write(table, out.out);
    const RunResult same = run({"targets", cell, "--from", table});
    QCOMPARE(same.code, 0);
    QCOMPARE(same.out, QByteArray("0 changed, 0 added\n"));
    QCOMPARE(run({"targets", cell}).out, out.out);
    // A row that is wrong is named; nothing is taken, or the rest on request.
    write(table, "name,x [mm],approach [mm],note\nTile pick,sideways,,\nRack place,,80,from above\n");
    const Cell before = opened(cell);
    const RunResult refused = run({"targets", cell, "--from", table});
    QCOMPARE(refused.code, 2);
    QVERIFY2(refused.err.contains("line 2") && refused.err.contains("sideways"), refused.err);
    QVERIFY(opened(cell) == before);
    const RunResult rest = run({"targets", cell, "--from", table, "--keep-rest"});
    QCOMPARE(rest.out, QByteArray("1 changed, 0 added\n"));
    const Cell after = opened(cell);
    for (const Target& target : after.targets)
        if (target.name == "Rack place") {
            QVERIFY(std::abs(target.approach.far - 0.08) < 1e-12);
            QCOMPARE(target.note, std::string("from above"));
        }
}

TOPIKOS_TEST(TeachCliTest)
#include "teach_cli_test.moc"
