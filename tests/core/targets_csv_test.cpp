#include "core/files/targets_csv.h"

#include "core/cell/edit.h"
#include "core/spatial/rotation.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

using namespace topikos;
using namespace topikos::test;

/// Targets as a table, out and in.
class TargetsCsvTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void tenThousandComeBackTheSame();
    void columnsSayWhatChanges();
    void brokenRowsAreNamedAndTheRestIsKept_data();
    void brokenRowsAreNamedAndTheRestIsKept();
    void tablesThatCannotBeUsed_data();
    void tablesThatCannotBeUsed();

private:
    static const Target& named(const Cell& cell, const std::string& name)
    {
        for (const Target& target : cell.targets)
            if (target.name == name) return target;
        qFatal("there is no %s", name.c_str());
    }
};

void TargetsCsvTest::tenThousandComeBackTheSame()
{
    const Cell empty = example("tile-glazing-line");
    Cell cell = empty;
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal;
    for (int i = 0; i < 10000; ++i) {
        Target target{{cell.nextId++}, fmt::format("Spot, \"{}\"", i), cell.arms.front().id};
        if (i % 10 == 0) {
            target.kind = Target::Kind::Posture;
            target.posture = randomPosture(*cell.arms.front().model, random);
        } else {
            target.frame = i % 3 ? cell.frames[size_t(i) % cell.frames.size()].id : FrameId();
            target.tool = cell.arms.front().tool;
            target.pose = {Vec3(normal(random), normal(random), normal(random)),
                           Quat(normal(random), normal(random), normal(random), normal(random)).normalized()};
            target.configuration = {i % 2 == 0, i % 4 == 0, i % 5 == 0};
        }
        cell.targets.push_back(target);
    }
    const std::string table = targetsCsv(cell);
    const Result<TargetsRead> read = targetsFromCsv(empty, table);
    QVERIFY2(bool(read), read ? "" : read.error().line().c_str());
    QVERIFY2(read->broken.empty(), read->broken.empty() ? "" : read->broken.front().line().c_str());
    QCOMPARE(read->added, size_t(10000));
    QCOMPARE(read->changed, size_t(0));
    QVERIFY(targetsCsv(read->cell) == table);
    // Over the same cell nothing changes.
    const Result<TargetsRead> again = targetsFromCsv(cell, table);
    QVERIFY(again && again->changed == 0 && again->added == 0 && again->cell == cell);
}

void TargetsCsvTest::columnsSayWhatChanges()
{
    const Cell cell = example("tile-glazing-line");
    const Pose before = named(cell, "Tile pick").pose;
    // A semicolon parts columns, a comma the decimals; what has no column stays.
    const Result<TargetsRead> read = targetsFromCsv(cell, "Name;X [mm];wrist\ntile pick;12,5;turned\n");
    QVERIFY(read && read->broken.empty() && read->changed == 1 && read->added == 0);
    const Target& changed = named(read->cell, "Tile pick");
    QVERIFY(std::abs(changed.pose.translation.x() - 0.0125) < 1e-15);
    QVERIFY(changed.pose.translation.y() == before.translation.y() && changed.configuration.wristTurned);
    // A new one by angles.
    const Result<TargetsRead> more = targetsFromCsv(
        cell,
        "name,frame,x [mm],y [mm],z [mm],rx [deg],ry [deg],rz [deg]\nOver there,Drying rack,100,200,300,180,0,90\n");
    QVERIFY(more && more->broken.empty() && more->added == 1);
    const Target& made = named(more->cell, "Over there");
    QCOMPARE(made.frame, frameNamed(cell, "Drying rack"));
    QCOMPARE(made.tool, cell.arms.front().tool);
    const Quat wanted = rotationFrom(cell.angles, {180 * kDegree, 0, 90 * kDegree});
    QVERIFY(made.pose.rotation.angularDistance(wanted) < 1e-12);
    QVERIFY((made.pose.translation - Vec3(0.1, 0.2, 0.3)).norm() < 1e-15);
}

void TargetsCsvTest::brokenRowsAreNamedAndTheRestIsKept_data()
{
    QTest::addColumn<QString>("row");
    QTest::addColumn<QString>("why");
    QTest::newRow("no number") << "Bad,World,a,0,0,1,0,0,0"
                               << "\"a\" is not a number";
    QTest::newRow("no frame") << "Bad,Nowhere,0,0,0,1,0,0,0"
                              << "there is no frame called \"Nowhere\"";
    QTest::newRow("no place") << "Bad,World,0,,0,1,0,0,0"
                              << "\"y\" is empty";
    QTest::newRow("no turn") << "Bad,World,0,0,0,,,,"
                             << "orientation is missing";
    QTest::newRow("half a turn") << "Bad,World,0,0,0,1,,,"
                                 << "\"qx\" is empty";
    QTest::newRow("no quaternion") << "Bad,World,0,0,0,1,1,1,1"
                                   << "not of length 1";
    QTest::newRow("no name") << ",World,0,0,0,1,0,0,0"
                             << "name";
    QTest::newRow("twice") << "Good,World,0,0,0,1,0,0,0"
                           << "on line 2 already";
    QTest::newRow("too few columns") << "Bad,World,0"
                                     << "has 3 columns; the first line has 9";
    QTest::newRow("too far") << "Bad,World,0,0,1e5,1,0,0,0"
                             << "1000";
    QTest::newRow("not finite") << "Bad,World,0,0,nan,1,0,0,0"
                                << "is not a number";
    QTest::newRow("of a pattern") << "Rack 2,World,0,0,0,1,0,0,0"
                                  << "Rack";
    QTest::newRow("a return inside a number") << "Bad,World,1\r2,0,0,1,0,0,0"
                                              << "not a number";
    QTest::newRow("two signs") << "Bad,World,+-5,0,0,1,0,0,0"
                               << "not a number";
    QTest::newRow("a posture") << "Home,World,0,0,0,1,0,0,0"
                               << "is a pose";
}

void TargetsCsvTest::brokenRowsAreNamedAndTheRestIsKept()
{
    QFETCH(QString, row);
    QFETCH(QString, why);
    const Cell cell = programCell();
    const std::string table = "name,frame,x,y,z,qw,qx,qy,qz\nGood,World,1,0,0.5,1,0,0,0\n" + row.toStdString()
                              + "\nAlso good,World,1,0,0.6,1,0,0,0\n";
    const Result<TargetsRead> read = targetsFromCsv(cell, table);
    QVERIFY2(bool(read), read ? "" : read.error().line().c_str());
    QCOMPARE(read->broken.size(), size_t(1));
    const std::string line = read->broken.front().line();
    if (row == "Home,World,0,0,0,1,0,0,0") why = "is a";
    QVERIFY2(QString::fromStdString(line).contains(why), line.c_str());
    QVERIFY2(QString::fromStdString(line).contains("line 3"), line.c_str());
    QCOMPARE(read->added, size_t(2));
    QVERIFY(named(read->cell, "Also good").pose.translation.z() == 0.6);
}

void TargetsCsvTest::tablesThatCannotBeUsed_data()
{
    QTest::addColumn<QByteArray>("table");
    QTest::newRow("empty") << QByteArray();
    QTest::newRow("names alone") << QByteArray("name,x,y,z\n");
    QTest::newRow("no name") << QByteArray("x,y,z\n1,2,3\n");
    QTest::newRow("a column twice") << QByteArray("name,x [mm],X [m]\nA,1,2\n");
    QTest::newRow("a unit that is none") << QByteArray("name,x [furlong]\nA,1\n");
    QTest::newRow("an angle for a length") << QByteArray("name,x [deg]\nA,1\n");
    QTest::newRow("a length for an angle") << QByteArray("name,rz [mm]\nA,1\n");
    QTest::newRow("a unit for a word") << QByteArray("name,frame [mm]\nA,World\n");
    QTest::newRow("a quaternion without qw") << QByteArray("name,qx,qy,qz\nA,0,0,0\n");
    QTest::newRow("two of three angles") << QByteArray("name,rx,rz\nA,0,0\n");
    QTest::newRow("joints without the first") << QByteArray("name,j2,j3\nA,0,0\n");
    QTest::newRow("a time") << QByteArray("name,x [s]\nA,1\n");
    QTest::newRow("no UTF-8") << QByteArray("name,x\n\xff,1\n");
    QTest::newRow("an open quotation mark") << QByteArray("name,x\n\"A,1\n");
}

void TargetsCsvTest::tablesThatCannotBeUsed()
{
    QFETCH(QByteArray, table);
    const Result<TargetsRead> read = targetsFromCsv(example("tile-glazing-line"), table.toStdString());
    QVERIFY(!read);
    QVERIFY(!read.error().message.empty() && !read.error().remedy.empty());
}

TOPIKOS_TEST(TargetsCsvTest)
#include "targets_csv_test.moc"
