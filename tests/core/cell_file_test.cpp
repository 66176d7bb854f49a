#include "core/exchange/cell_file.h"
#include "core/cell/edit_layout.h"
#include "core/robot/data_sheet.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <QDir>
#include <QFile>
#include <QTemporaryDir>

#include <csignal>
#include <sys/wait.h>
#include <unistd.h>

using namespace topikos;
using namespace topikos::test;

class CellFileTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void writingWhatWasReadGivesTheSameBytes_data();
    void writingWhatWasReadGivesTheSameBytes();
    void everyFieldSurvives();
    void damagedFilesAreRefusedWithAPlace_data();
    void damagedFilesAreRefusedWithAPlace();
    void everyTruncationIsRefused();
    void randomDamageNeverCrashes();
    void deepNestingIsRefusedAtOnce();
    void killedSavesLeaveAWholeFile();
    void saveKeepsPermissionsAndFollowsLinks();
    void saveThatCannotBeWrittenSaysSo();
    void olderFixturesStayReadable();
    void exampleInTheDocumentationLoads();
    void filesFollowTheSchema_data();
    void filesFollowTheSchema();
    void fieldsThatMayBeLeftOutFollowTheSchema();
};

void CellFileTest::writingWhatWasReadGivesTheSameBytes_data()
{
    QTest::addColumn<std::string>("name");
    QTest::newRow("demo cell") << std::string("tile-glazing-line");
    QTest::newRow("planted mistakes") << std::string("planted-mistakes");
}

void CellFileTest::writingWhatWasReadGivesTheSameBytes()
{
    QFETCH(std::string, name);
    const std::string text = readFile(examplePath(name), kLargestCellFile).value();
    const std::string once = writeCell(readCell(text, name).value());
    QCOMPARE(once, text);  // examples are kept in canonical form
    QCOMPARE(writeCell(readCell(once, name).value()), once);
}

void CellFileTest::everyFieldSurvives()
{
    // Every number in the file becomes a different one, every flag and word the other one; all must come back.
    Cell cell = example("tile-glazing-line");
    double next = 0.0123;
    const auto number = [&] { return next += 0.00017; };
    const auto pose = [&] {
        return Pose{Vec3(number(), number(), number()),
                    Quat(Eigen::AngleAxisd(number(), Vec3(1, number(), 2).normalized()))};
    };
    cell.name = "Each field";
    cell.angles = AngleOrder::IntrinsicZyz;
    cell.lineLimits = {number(), number(), number()};
    cell.thresholds = {number(), 0.023, 0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3, 0.2};
    for (Frame& f : cell.frames.edits()) {
        f.pose = pose();
        for (Solid& s : f.solids)
            s = {Solid::Kind::Cylinder, pose(), Vec3(number(), number(), number()), {1, 2, 3}};
    }
    for (Tool& t : cell.tools.edits()) {
        t.flangeFromTcp = pose();
        t.mass = number();
        t.centreOfMass = Vec3(number(), number(), number());
        t.gripper = {0.3, 0.2, number(), number()};
    }
    for (Part& p : cell.parts.edits())
        p.pose = pose();
    for (Target& t : cell.targets.edits()) {
        t.pose = pose();
        t.configuration = {true, true, true};
        for (double& q : t.posture)
            q = number();
    }
    for (Step& s : cell.routines.at(0).steps.edits()) {
        s.off = true;
        s.blend = number();
        s.jointSpeed = number();
        s.lineSpeed = number();
        s.seconds = number();
        s.standoff =
            findTarget(cell, s.target) && findTarget(cell, s.target)->kind == Target::Kind::Pose ? number() : 0;
    }
    const std::string text = writeCell(cell);
    const Cell back = readCell(text, "each").value();
    QCOMPARE(writeCell(back), text);
    QCOMPARE(back.lineLimits.turnAcceleration, cell.lineLimits.turnAcceleration);
    QCOMPARE(back.thresholds.shoulderBlocked, 0.4);
    QCOMPARE(back.thresholds.wristBlocked, 0.8);
    QCOMPARE(back.thresholds.slideMargin, 0.023);
    QCOMPARE(int(back.angles), int(AngleOrder::IntrinsicZyz));
    QCOMPARE(back.thresholds.directionBlocked, 0.2);
    QCOMPARE(back.tools[0].gripper.grasp, cell.tools[0].gripper.grasp);
    QCOMPARE(back.tools[0].mass, cell.tools[0].mass);
    QVERIFY(back.targets[1].configuration == (Configuration{true, true, true}));
    QVERIFY(back.targets[1].pose == cell.targets[1].pose);
    QVERIFY(back.frames[2].solids[0].size == cell.frames[2].solids[0].size);
    QVERIFY(back.frames[2].solids[0].kind == Solid::Kind::Cylinder);
    QCOMPARE(back.routines[0].steps[1].blend, cell.routines[0].steps[1].blend);
    QVERIFY(back.routines[0].steps[1].off);
}

void CellFileTest::damagedFilesAreRefusedWithAPlace_data()
{
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("said");
    QTest::newRow("missing frame") << "\"frame\":4"
                                   << "\"frame\":99"
                                   << "targets[2].frame: frame 99";
    QTest::newRow("not a number") << "\"mass\":2.4"
                                  << "\"mass\":NaN"
                                  << "not JSON here";
    QTest::newRow("number too large") << "\"mass\":2.4"
                                      << "\"mass\":1e999"
                                      << "too large";
    QTest::newRow("text for a number") << "\"mass\":2.4"
                                       << "\"mass\":\"heavy\""
                                       << "tools[0].mass: must be a number";
    QTest::newRow("loop in the frame tree") << "\"parent\":0"
                                            << "\"parent\":2"
                                            << "hangs below itself";
    QTest::newRow("parent not there") << "\"parent\":1"
                                      << "\"parent\":77"
                                      << "frames[1].parent: frame 77";
    QTest::newRow("newer version") << "\"version\": 4"
                                   << "\"version\": 7"
                                   << "newer Topikos (format version 7; this one reads up to 4)";
    QTest::newRow("no version") << "\"version\": 4"
                                << "\"version\": \"one\""
                                << "no version number";
    QTest::newRow("another format") << "topikos-cell"
                                    << "something-else"
                                    << "is not a cell file";
    QTest::newRow("unknown field") << "\"mass\":2.4"
                                   << "\"mass\":2.4,\"wieght\":3"
                                   << "field \"wieght\"";
    QTest::newRow("field missing") << "\"mass\":2.4,"
                                   << ""
                                   << "tools[0].mass: is missing";
    QTest::newRow("unknown word") << "\"kind\":\"grip\""
                                  << "\"kind\":\"grab\""
                                  << "must be one of joint, line, grip, release, wait";
    QTest::newRow("arm not in the catalogue") << "sixaxis-1400"
                                              << "sixaxis-9000"
                                              << "not in the catalogue";
    QTest::newRow("id twice") << "{\"id\":2,"
                              << "{\"id\":1,"
                              << "which another object has already";
    QTest::newRow("id beyond the counter") << "{\"id\":2,"
                                           << "{\"id\":4000,"
                                           << "ids go from 1";
    QTest::newRow("counter near its end") << "\"next-id\": "
                                          << "\"next-id\": 42949672"
                                          << "next-id";
    QTest::newRow("name twice") << "Arm base"
                                << "Pedestal"
                                << "is there twice";
    QTest::newRow("quaternion of length 2") << "[0.0,0.0,1.0,0.0]"
                                            << "[0.0,0.0,2.0,0.0]"
                                            << "must have length 1";
    QTest::newRow("colour misspelt") << "#6f7b82"
                                     << "#6f7b8"
                                     << "must be a colour";
    QTest::newRow("solid of no size") << "\"size\":[0.62,0.62,0.03]"
                                      << "\"size\":[0.62,0,0.03]"
                                      << "above 0 and up to";
    QTest::newRow("speed out of range") << "\"speed\":0.15"
                                        << "\"speed\":-1"
                                        << "0.1 to 10000 mm/s";
    QTest::newRow("posture too short") << "\"posture\":[0.0,"
                                       << "\"posture\":["
                                       << "the arm has 6 joints";
    QTest::newRow("threshold crossed") << "\"elbow-blocked\":0.008"
                                       << "\"elbow-blocked\":8"
                                       << "thresholds";
    QTest::newRow("list instead of document") << "{\n  \"format\""
                                              << "[{\n  \"format\""
                                              << "line";
}

void CellFileTest::damagedFilesAreRefusedWithAPlace()
{
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, said);
    QString text = QString::fromStdString(readFile(examplePath("tile-glazing-line"), kLargestCellFile).value());
    const auto at = text.indexOf(from);
    QVERIFY2(at >= 0, "the row does not fit the example any more");
    text.replace(at, from.size(), to);
    const Result<Cell> cell = readCell(text.toStdString(), "cell.topikos");
    QVERIFY(!cell.ok());
    const QString line = QString::fromStdString(cell.error().line());
    QVERIFY2(line.contains(said), qPrintable(line));
    QVERIFY2(line.startsWith("cell.topikos"), qPrintable(line));
    QVERIFY2(!line.contains('\n'), qPrintable(line));
}

void CellFileTest::everyTruncationIsRefused()
{
    const std::string text = readFile(examplePath("tile-glazing-line"), kLargestCellFile).value();
    for (size_t length = 0; length + 2 < text.size(); length += 97)
        QVERIFY(!readCell(text.substr(0, length), "cut").ok());
    const Result<Cell> half = readCell(text.substr(0, text.size() / 2), "cut");
    QVERIFY2(QString::fromStdString(half.error().line()).contains("ends in the middle"), half.error().line().c_str());
}

void CellFileTest::randomDamageNeverCrashes()
{
    const std::string text = readFile(examplePath("planted-mistakes"), kLargestCellFile).value();
    std::mt19937_64 random(53);
    int refused = 0;
    for (int n = 0; n < 3000; ++n) {
        std::string damaged = text;
        for (int k = 0; k < 1 + int(random() % 4); ++k) {
            const size_t at = random() % damaged.size();
            switch (random() % 3) {
            case 0: damaged[at] = char(random() % 256); break;
            case 1: damaged.erase(at, random() % 40); break;
            default: damaged.insert(at, damaged.substr(random() % damaged.size(), random() % 40)); break;
            }
        }
        const Result<Cell> cell = readCell(damaged, "damaged");
        if (!cell) ++refused;
        else QVERIFY(readCell(writeCell(*cell), "again").ok());
    }
    QVERIFY(refused > 2000);
}

void CellFileTest::deepNestingIsRefusedAtOnce()
{
    for (const char* open : {"[", "{\"a\":"}) {
        std::string text;
        for (int i = 0; i < 1000000; ++i)
            text += open;
        const Result<Cell> cell = readCell(text, "deep");
        QVERIFY(!cell.ok());
        QCOMPARE(cell.error().code, std::string("cell.nesting"));
    }
}

void CellFileTest::killedSavesLeaveAWholeFile()
{
    QTemporaryDir dir;
    const std::string path = dir.filePath("cell.topikos").toStdString();
    Cell cell = example("tile-glazing-line");
    // Large enough that a save takes a while.
    for (int i = 0; i < 3000; ++i) {
        Part p = cell.parts[0];
        p.id = {cell.nextId++};
        p.name = "Tile number " + std::to_string(i);
        cell.parts.push_back(p);
    }
    cell.name = "Old";
    const std::string before = writeCell(cell);
    cell.name = "New";
    const std::string after = writeCell(cell);
    QVERIFY(!saveFile(path, before));
    std::mt19937_64 random(59);
    int olds = 0, news = 0;
    for (int n = 0; n < 100; ++n) {
        const pid_t child = fork();
        if (child == 0) {
            for (int i = 0;; ++i)
                if (saveFile(path, i % 2 ? before : after)) _exit(3);
        }
        usleep(useconds_t(200 + random() % 9000));
        kill(child, SIGKILL);
        int status = 0;
        waitpid(child, &status, 0);
        QVERIFY(WIFSIGNALED(status));
        const std::string now = readFile(path, kLargestCellFile).value();
        QVERIFY2(now == before || now == after, qPrintable(QString("kill %1 left %2 bytes").arg(n).arg(now.size())));
        (now == before ? olds : news) += 1;
    }
    QVERIFY2(olds > 0 && news > 0, qPrintable(QString("%1 old, %2 new").arg(olds).arg(news)));
}

void CellFileTest::saveKeepsPermissionsAndFollowsLinks()
{
    QTemporaryDir dir;
    const QString real = dir.filePath("real.topikos"), link = dir.filePath("link.topikos");
    const Cell cell = example("tile-glazing-line");
    QVERIFY(!saveCell(real.toStdString(), cell));
    QFile::setPermissions(real, QFile::ReadOwner | QFile::WriteOwner | QFile::ReadGroup);
    const auto permissions = QFile::permissions(real);
    QVERIFY(QFile::link(real, link));
    QVERIFY(!saveCell(link.toStdString(), cell));
    QVERIFY(QFileInfo(link).isSymLink());
    QCOMPARE(QFile::permissions(real), permissions);
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files).size(), 2);  // nothing temporary is left
}

void CellFileTest::saveThatCannotBeWrittenSaysSo()
{
    const Status refused = saveCell("/nowhere/at/all/cell.topikos", example("tile-glazing-line"));
    QVERIFY(refused);
    QVERIFY(QString::fromStdString(refused->line()).contains("/nowhere/at/all/cell.topikos: cannot be written"));
    QVERIFY(!openCell("/nowhere.topikos").ok());
    QVERIFY(!openCell("/tmp").ok());
}

void CellFileTest::olderFixturesStayReadable()
{
    const QDir versions(QString::fromStdString(dataPath("cells")));
    int files = 0;
    for (const QString& v : versions.entryList(QDir::Dirs | QDir::NoDotAndDotDot))
        for (const QFileInfo& file : QDir(versions.filePath(v)).entryInfoList({"*.topikos"}, QDir::Files)) {
            const Result<Cell> cell = openCell(file.filePath().toStdString());
            QVERIFY2(cell.ok(), cell.ok() ? "" : cell.error().line().c_str());
            ++files;
        }
    QVERIFY(files >= 1);
}

void CellFileTest::exampleInTheDocumentationLoads()
{
    QFile page(QString(TOPIKOS_SOURCES) + "/docs/format/cell.md");
    QVERIFY(page.open(QIODevice::ReadOnly));
    const QByteArray text = page.readAll();
    const auto begin = text.indexOf("```json") + 8, end = text.indexOf("```", begin);
    const std::string example = text.mid(begin, end - begin).toStdString();
    const Result<Cell> cell = readCell(example, "cell.md");
    QVERIFY2(cell.ok(), cell.ok() ? "" : cell.error().line().c_str());
    QCOMPARE(writeCell(*cell), example);  // it is in canonical form, too
}

void CellFileTest::filesFollowTheSchema_data() { writingWhatWasReadGivesTheSameBytes_data(); }

void CellFileTest::filesFollowTheSchema()
{
    QFETCH(std::string, name);
    QFile file(QString(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json");
    QVERIFY(file.open(QIODevice::ReadOnly));
    const Json schema = Json::parse(file.readAll().toStdString());
    Json cell = Json::parse(readFile(examplePath(name), kLargestCellFile).value());
    const std::string bad = schemaOffence(cell, schema, schema, "cell");
    QVERIFY2(bad.empty(), bad.c_str());
    // The schema refuses what the reader refuses.
    cell["tools"][0]["wieght"] = 3;
    QVERIFY(!schemaOffence(cell, schema, schema, "cell").empty());
    cell["tools"][0].erase("wieght");
    cell["targets"][1].erase("frame");
    QVERIFY(!schemaOffence(cell, schema, schema, "cell").empty());
}

void CellFileTest::fieldsThatMayBeLeftOutFollowTheSchema()
{
    // A cell with an arm of its own, a locked axis, taught postures, another convention of angles.
    Cell cell = example("tile-glazing-line");
    cell = setArmModel(cell, cell.arms.front().id, catalogueArm("redundant-820")).value();
    cell = takePoseTarget(cell, cell.arms.front().id, {}, homePosture(cell, cell.arms.front()), "Taught").value();
    ArmDescription description = describe(sheetOf(cell.arms.front().model->description())).value();
    description.meshes.push_back(
        {0, std::make_shared<const Triangles>(Triangles{{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{0, 1, 2}}, {1, 2, 3}})});
    description.sheet = nullptr;
    description.id = "own";
    description.joints[1].locked = 0.5;
    cell.arms.at(0).model = Arm::make(description).value();
    cell.angles = AngleOrder::IntrinsicXyz;
    cell.thresholds.slideMargin = 0.02;
    cell.thresholds.directionCaution = 0.2;
    const std::string text = writeCell(cell);
    for (const char* key : {"\"sheet\"", "\"meshes\"", "\"locks\"", "\"taught\"", "\"angles\"", "\"slide-margin\"",
                            "\"direction-caution\""})
        QVERIFY2(text.find(key) != std::string::npos, key);
    QFile file(QString(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json");
    QVERIFY(file.open(QIODevice::ReadOnly));
    const Json schema = Json::parse(file.readAll().toStdString());
    const std::string bad = schemaOffence(Json::parse(text), schema, schema, "cell");
    QVERIFY2(bad.empty(), bad.c_str());
    QCOMPARE(writeCell(readCell(text, "cell").value()), text);
}

TOPIKOS_TEST(CellFileTest)
#include "cell_file_test.moc"
