#include "core/cell/edit_layout.h"
#include "core/files/cell_file.h"
#include "core/robot/data_sheet.h"
#include "core/simulate/trace.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <map>

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
    // Every number becomes a different one, every flag and word another one; the value that comes back is the same.
    Cell cell = example("glazing-line-on-a-rail");
    double next = 0.0123;
    const auto number = [&] { return next += 0.00017; };
    const auto pose = [&] {
        return Pose{Vec3(number(), number(), number()),
                    Quat(Eigen::AngleAxisd(number(), Vec3(1, number(), 2).normalized())).normalized()};
    };
    cell.name = "Each field";
    cell.angles = AngleOrder::IntrinsicZyz;
    cell.asBuilt = false;
    cell.lineLimits = {number(), number(), number()};
    cell.thresholds = {number(), 0.023, 0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3, 0.2};
    const TcpId tip{cell.nextId++};
    for (ArmStation& arm : cell.arms.edits()) {
        cell.tools.edit(arm.tool)->points = {{tip, "Tip", pose()}};
        arm.tcp = tip;
    }
    for (Frame& f : cell.frames.edits()) {
        f.pose = pose();
        f.measured = pose();
        f.look = {true, true};
        for (Solid& s : f.solids)
            s = {Solid::Kind::Cylinder, pose(), Vec3(number(), number(), number()), {1, 2, 3}};
        if (f.axis) {
            const JointKind other = f.axis->kind == JointKind::Revolute ? JointKind::Prismatic : JointKind::Revolute;
            f.axis = FrameAxis{other, Vec3(0, 0.6, 0.8), -7, 7, number(), number(), number()};
        }
        if (f.device && f.device->kind == Device::Kind::Belt) {
            f.device->size = Vec3(number(), number(), number());
            f.device->speed = number();
            f.device->acceleration = number();
            f.device->pitch = number();
            f.device->indexing = !f.device->indexing;
            f.device->accumulates = !f.device->accumulates;
        }
        if (f.device && f.device->kind == Device::Kind::Source) f.device->interval = number(), f.device->most = 7;
    }
    for (Tool& t : cell.tools.edits()) {
        t.flangeFromTcp = pose();
        t.mass = number();
        t.centreOfMass = Vec3(number(), number(), number());
        t.number = 5;
        t.inertia = Vec3(0.02, 0.021, 0.022);
        t.gripper = {0.3, 0.2, number(), number(), Gripper::Kind::Angular, number(), Vec3(0.1, 0.2, 0.3)};
        for (Solid& s : t.body)
            s.pose = pose();
    }
    for (PartKind& k : cell.partKinds.edits())
        k.mass = number();
    for (Part& p : cell.parts.edits()) {
        p.pose = pose();
        p.look = {true, true};
    }
    for (Pattern& p : cell.patterns.edits()) {
        p.first = pose();
        p.order = Pattern::Order::Nearest;
        p.pitch = Vec3(number(), number(), number());
        p.stagger = number();
        p.sweep = number();
        p.leftOut = {1, 3};
    }
    for (Target& t : cell.targets.edits()) {
        for (double& q : t.posture)
            q = number();
        for (AxisValue& a : t.axes)
            a.value = number();
        if (t.kind != Target::Kind::Pose) continue;
        t.pose = pose();
        t.configuration = {true, true, true};
        t.tcp = tip;
    }
    for (Signal& s : cell.signals.edits())
        s.start = 1;
    for (Routine& r : cell.routines.edits())
        for (Step& s : r.steps.edits()) {
            s.off = true;
            s.note = "note " + std::to_string(s.id.value);
            if (Pace* pace = paceOf(s)) *pace = {number(), number(), number()};
            const bool isPose = targetOf(s) && findTarget(cell, targetOf(s))->kind == Target::Kind::Pose;
            const auto at = [&](Goal& goal) { std::get<AtPlace>(goal).over = isPose ? number() : 0; };
            if (JointMove* m = s.as<JointMove>()) m->speed = number(), at(m->goal);
            if (LineMove* m = s.as<LineMove>()) m->speed = number(), at(m->goal);
            if (Wait* w = s.as<Wait>()) w->seconds = number();
            if (MoveAxes* m = s.as<MoveAxes>()) {
                m->speed = number();
                for (double& a : m->values)
                    a = number();
            }
        }
    const std::string text = writeCell(cell);
    const Result<Cell> back = readCell(text, "each");
    QVERIFY2(back.ok(), back.ok() ? "" : back.error().line().c_str());
    QCOMPARE(writeCell(*back), text);
    // By their values, list by list, so that a field that is neither written nor read shows.
    QVERIFY(back->arms == cell.arms);
    QVERIFY(back->frames == cell.frames);
    QVERIFY(back->tools == cell.tools);
    QVERIFY(back->partKinds == cell.partKinds);
    QVERIFY(back->parts == cell.parts);
    QVERIFY(back->patterns == cell.patterns);
    QVERIFY(back->targets == cell.targets);
    QVERIFY(back->signals == cell.signals);
    QVERIFY(back->routines == cell.routines);
    QVERIFY(*back == cell);
    QVERIFY(!(*back == example("glazing-line-on-a-rail")));
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
    QTest::newRow("newer version") << "\"version\": 9"
                                   << "\"version\": 10"
                                   << "newer Topikos (format version 10; this one reads up to 9)";
    QTest::newRow("no version") << "\"version\": 9"
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
                                  << "must be one of joint, line, arc, grip, release, wait";
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
                                << "is taken";
    QTest::newRow("quaternion of length 2") << "[0.0,0.0,1.0,0.0]"
                                            << "[0.0,0.0,2.0,0.0]"
                                            << "must have length 1";
    QTest::newRow("colour misspelt") << "#6f7b82"
                                     << "#6f7b8"
                                     << "must be a colour";
    QTest::newRow("solid of no size") << "\"size\":[0.62,0.62,0.03]"
                                      << "\"size\":[0.62,0,0.03]"
                                      << "limits are 0.001 and";
    QTest::newRow("speed out of range") << "\"speed\":0.15"
                                        << "\"speed\":-1"
                                        << "limits are 0.1 and 10000 mm/s";
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
    // A cell with patterns, devices and signals; what is still read can be checked and written.
    const std::string text = readFile(examplePath("glazing-line-on-a-rail"), kLargestCellFile).value();
    std::mt19937_64 random(53);
    int refused = 0, checked = 0;
    for (int n = 0; n < 2000; ++n) {
        std::string damaged = text;
        for (int k = 0; k < 1 + int(random() % 4); ++k) {
            const size_t at = random() % damaged.size();
            const size_t digit = damaged.find_first_of("0123456789", at);
            switch (random() % 8) {
            case 0: damaged[at] = char(random() % 256); break;
            case 1: damaged.erase(at, random() % 40); break;
            case 2: damaged.insert(at, damaged.substr(random() % damaged.size(), random() % 40)); break;
            default:
                if (digit != std::string::npos) damaged[digit] = char('0' + random() % 10);
            }
        }
        const Result<Cell> cell = readCell(damaged, "damaged");
        if (!cell) {
            ++refused;
            QVERIFY(cell.error().line().find('\n') == std::string::npos);
            continue;
        }
        QVERIFY(readCell(writeCell(*cell), "again").ok());
        RunOptions options;
        options.until = 100;
        QVERIFY(simulate(*cell, options).duration <= 100);
        ++checked;
    }
    QVERIFY2(refused > 500 && checked > 100, qPrintable(QString("%1 refused, %2 run").arg(refused).arg(checked)));
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

void CellFileTest::olderFixturesStayReadable()
{
    // With the cycle time that the laws of motion of 0.9 have for them, whatever version they were written in.
    const std::map<QString, double> cycles{{"v1/tile-glazing-line", 5.440727776665822},
                                           {"v2/tile-glazing-line", 5.440727776665822},
                                           {"v3/tile-glazing-line", 5.440727776665822},
                                           {"v3/planted-mistakes", 3.2671812910190026},
                                           {"v3/glazing-line-on-a-rail", 10.451385189755243},
                                           {"v4/tile-glazing-line", 5.440727776665822},
                                           {"v4/planted-mistakes", 3.2671812910190026},
                                           {"v4/glazing-line-on-a-rail", 10.451385189755243},
                                           {"v5/tile-glazing-line", 5.440727776665822},
                                           {"v5/planted-mistakes", 3.2671812910190026},
                                           {"v5/glazing-line-on-a-rail", 10.451385189755243},
                                           {"v6/tile-glazing-line", 5.440727776665822},
                                           {"v6/planted-mistakes", 3.2671812910190026},
                                           {"v6/glazing-line-on-a-rail", 10.451385189755243},
                                           {"v6/rack-of-24", 241.9590237944858},
                                           {"v7/tile-glazing-line", 5.440727776665822},
                                           {"v7/planted-mistakes", 3.2671812910190026},
                                           {"v7/glazing-line-on-a-rail", 10.451385189755243},
                                           {"v7/rack-of-24", 241.9590237944858},
                                           {"v7/glaze-edge-wiping-bench", 36.295730514547635},
                                           {"v8/tile-glazing-line", 5.440727776665822},
                                           {"v8/planted-mistakes", 3.2671812910190026},
                                           {"v8/glazing-line-on-a-rail", 10.451385189755243},
                                           {"v8/rack-of-24", 241.9590237944858},
                                           {"v8/one-mistake-of-every-rule", 22.897318889557795},
                                           {"v8/glaze-edge-wiping-bench", 36.295730514547635}};
    for (const auto& [name, cycle] : cycles) {
        const Result<Cell> cell = openCell(dataPath("cells/" + name.toStdString() + ".topikos"));
        QVERIFY2(cell.ok(), cell.ok() ? "" : cell.error().line().c_str());
        const double now = simulate(*cell).duration;
        QVERIFY2(std::abs(now - cycle) < 1e-9, qPrintable(QString("%1: %2 s").arg(name).arg(now, 0, 'g', 17)));
        // Written anew it is of the newest version, and means the same.
        const Result<Cell> again = readCell(writeCell(*cell), "again");
        QVERIFY(again.ok() && *again == *cell);
    }
    const QDir versions(QString::fromStdString(dataPath("cells")));
    size_t files = 0;
    for (const QString& v : versions.entryList(QDir::Dirs | QDir::NoDotAndDotDot))
        files += size_t(QDir(versions.filePath(v)).entryList({"*.topikos"}, QDir::Files).size());
    QCOMPARE(files, cycles.size());
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
