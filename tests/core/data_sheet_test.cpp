#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/robot/data_sheet.h"
#include "core/robot/dynamics.h"
#include "core/robot/forward.h"
#include "core/robot/inverse.h"
#include "core/robot/sheet_reach.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <QFile>

using namespace topikos;
using namespace topikos::test;

namespace {

/// The five-axis arm as its sheet would print it: positions in the upright drawing.
DataSheet fiveAxisSheet()
{
    DataSheet s;
    s.id = "five";
    s.name = "Five-axis arm from its sheet";
    const auto axis = [&](Vec3 point, Vec3 direction, double lower, double upper, double speed) {
        SheetAxis a;
        a.name = "joint_" + std::to_string(s.axes.size() + 1);
        a.point = point;
        a.direction = direction;
        a.lower = lower;
        a.upper = upper;
        a.speed = speed;
        s.axes.push_back(a);
    };
    axis({0, 0, 0.073}, Vec3::UnitZ(), -2.879793266, 2.879793266, 2.6);
    axis({0.023, 0, 0.121}, Vec3::UnitY(), -1.658062789, 1.919862177, 2.6);
    axis({0.023, 0, 0.340}, Vec3::UnitY(), -2.705260341, 2.652900463, 2.8);
    axis({0.210, 0, 0.340}, Vec3::UnitY(), -2.059488517, 2.059488517, 3.9);
    axis({0.251, 0, 0.340}, Vec3::UnitX(), -5.934119457, 5.934119457, 5.2);
    s.flange = {Vec3(0.304, 0, 0.340), Quat(Eigen::AngleAxisd(1.5707963267948966, Vec3::UnitY()))};
    s.home = JointVector::Zero(5);
    return s;
}

}  // namespace

class DataSheetTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void axisTooManyIsTold();
    void reachOfTheMakerIsCompared();
    void drawingGivesTheArm();
    void drawnPostureMovesTheZerosAndKeepsTheLinks_data();
    void drawnPostureMovesTheZerosAndKeepsTheLinks();
    void sheetOfAnArmIsThatArm_data();
    void sheetOfAnArmIsThatArm();
    void rowsOfDenavitAndHartenberg_data();
    void rowsOfDenavitAndHartenberg();
    void usualMistakesAreWarnedOf_data();
    void usualMistakesAreWarnedOf();
    void fileKeepsEveryField();
    void brokenFilesSayWhere_data();
    void brokenFilesSayWhere();
    void cellCarriesItsArm();
    void exampleInTheDocumentationLoads();
};

void DataSheetTest::drawingGivesTheArm()
{
    const ArmPtr arm = armOf(fiveAxisSheet()).value(), reference = urdfArm("fiveaxis-500");
    QCOMPARE(std::string(familyName(arm->family())), std::string("five-axis"));
    std::mt19937_64 random(1);
    for (int n = 0; n < 100; ++n) {
        const JointVector q = randomPosture(*reference, random);
        const PoseDeviation away = deviation(forward(*arm, q), forward(*reference, q));
        QVERIFY(away.metres < 1e-12 && away.radians < 1e-8);
    }
}

void DataSheetTest::drawnPostureMovesTheZerosAndKeepsTheLinks_data()
{
    QTest::addColumn<DataSheet>("sheet");
    QTest::newRow("turning joints") << fiveAxisSheet();
    QTest::newRow("with slides") << sheetOf(catalogueArm("gantry-2400")->description());
    DataSheet reversed = fiveAxisSheet();
    reversed.axes[1].reversed = reversed.axes[4].reversed = true;
    QTest::newRow("reversed axes") << reversed;
    DataSheet rows = fiveAxisSheet();
    rows.placement = DataSheet::Placement::DhModified;
    for (size_t i = 0; i < 5; ++i)
        rows.axes[i].a = 0.1 * double(i), rows.axes[i].alpha = 0.3 * double(i), rows.axes[i].d = 0.05,
        rows.axes[i].theta = 0.2;
    QTest::newRow("modified rows") << rows;
    rows.placement = DataSheet::Placement::DhClassic;
    QTest::newRow("classic rows") << rows;
}

void DataSheetTest::drawnPostureMovesTheZerosAndKeepsTheLinks()
{
    QFETCH(DataSheet, sheet);
    const ArmPtr before = armOf(sheet).value();
    DataSheet shifted = sheet;
    std::mt19937_64 random(2);
    JointVector drawn(Eigen::Index(sheet.axes.size()));
    for (size_t i = 0; i < sheet.axes.size(); ++i)
        drawn[Eigen::Index(i)] = shifted.axes[i].drawn = std::uniform_real_distribution<double>(-0.4, 0.4)(random);
    const ArmPtr after = armOf(shifted).value();
    QVERIFY((drawnPosture(shifted) - drawn).norm() == 0);
    // The same drawing, now at other joint values; and every other posture moves along by as much.
    for (int n = 0; n < 20; ++n) {
        const JointVector q = n == 0 ? JointVector(JointVector::Zero(drawn.size())) : randomPosture(*before, random);
        const std::vector<Pose> links = linkPoses(*before, q), moved = linkPoses(*after, q + drawn);
        for (size_t i = 0; i < links.size(); ++i) {
            QVERIFY(deviation(links[i], moved[i]).metres < 1e-12);
            QVERIFY(deviation(links[i], moved[i]).radians < 1e-8);
        }
    }
}

void DataSheetTest::sheetOfAnArmIsThatArm_data()
{
    QTest::addColumn<std::string>("id");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

void DataSheetTest::sheetOfAnArmIsThatArm()
{
    QFETCH(std::string, id);
    const ArmPtr arm = catalogueArm(id);
    const DataSheet sheet = sheetOf(arm->description());
    QVERIFY(sheetWarnings(sheet).empty());
    const ArmPtr again = armOf(sheet).value();
    QCOMPARE(familyName(again->family()), familyName(arm->family()));
    std::mt19937_64 random(3);
    for (int n = 0; n < 50; ++n) {
        const JointVector q = randomPosture(*arm, random), qd = randomPosture(*arm, random),
                          qdd = randomPosture(*arm, random);
        const PoseDeviation away = deviation(forward(*arm, q), forward(*again, q));
        QVERIFY(away.metres < 1e-12 && away.radians < 1e-8);
        const JointVector efforts = jointEfforts(*arm, q, qd, qdd, kStandardGravity, {});
        QVERIFY((jointEfforts(*again, q, qd, qdd, kStandardGravity, {}) - efforts).norm()
                < 1e-8 * (1 + efforts.norm()));
    }
}

void DataSheetTest::rowsOfDenavitAndHartenberg_data()
{
    QTest::addColumn<bool>("modified");
    QTest::addColumn<bool>("slides");
    QTest::newRow("classic") << false << false;
    QTest::newRow("modified") << true << false;
    QTest::newRow("classic, sliding axis") << false << true;
    QTest::newRow("modified, sliding axis") << true << true;
}

void DataSheetTest::rowsOfDenavitAndHartenberg()
{
    // Multiplied out as the textbooks write it: Rz(theta + q) Tz(d) Tx(a) Rx(alpha), or Rx(alpha) Tx(a) Rz(theta + q)
    // Tz(d).
    QFETCH(bool, modified);
    QFETCH(bool, slides);
    std::mt19937_64 random(4);
    std::uniform_real_distribution<double> number(-1, 1);
    DataSheet sheet;
    sheet.name = "rows";
    sheet.placement = modified ? DataSheet::Placement::DhModified : DataSheet::Placement::DhClassic;
    for (int i = 0; i < 6; ++i) {
        SheetAxis a;
        a.name = "axis";
        a.a = number(random);
        a.alpha = number(random);
        a.d = number(random);
        a.theta = number(random);
        if (slides && i == 2) a.kind = JointKind::Prismatic;
        sheet.axes.push_back(a);
    }
    sheet.flange = translated({0.1, 0.2, 0.3});
    const ArmPtr arm = armOf(sheet).value();
    const auto turn = [](const Vec3& axis, double angle) { return Eigen::Affine3d(Eigen::AngleAxisd(angle, axis)); };
    const auto shift = [](double x, double z) { return Eigen::Affine3d(Eigen::Translation3d(x, 0, z)); };
    for (int n = 0; n < 20; ++n) {
        const JointVector q = randomPosture(*arm, random);
        Eigen::Affine3d product = Eigen::Affine3d::Identity();
        for (int i = 0; i < 6; ++i) {
            const SheetAxis& a = sheet.axes[size_t(i)];
            const bool sliding = a.kind == JointKind::Prismatic;
            const Eigen::Affine3d screw =
                turn(Vec3::UnitZ(), a.theta + (sliding ? 0 : q[i])) * shift(0, a.d + (sliding ? q[i] : 0));
            const Eigen::Affine3d rest =
                modified ? turn(Vec3::UnitX(), a.alpha) * shift(a.a, 0) : shift(a.a, 0) * turn(Vec3::UnitX(), a.alpha);
            product = modified ? product * rest * screw : product * screw * rest;
        }
        product = product * Eigen::Translation3d(0.1, 0.2, 0.3);
        QVERIFY((homogeneous(forward(*arm, q)) - product.matrix()).norm() < 1e-12);
    }
}

void DataSheetTest::usualMistakesAreWarnedOf_data()
{
    QTest::addColumn<DataSheet>("sheet");
    QTest::addColumn<int>("axis");
    QTest::addColumn<std::string>("words");
    const DataSheet good = fiveAxisSheet();
    const auto row = [&](const char* name, int axis, const char* words, auto change) {
        DataSheet s = good;
        change(s);
        QTest::newRow(name) << s << axis << std::string(words);
    };
    row("home outside the range", 3, "home (180.0°) is outside its range",
        [](DataSheet& s) { s.home[3] = 3.141592653589793; });
    row("drawing outside the range", 2, "drawing's posture (171.9°) is outside",
        [](DataSheet& s) { s.axes[2].drawn = 3; });
    row("axis inverted", 1, "the axis seems inverted", [](DataSheet& s) { s.axes[1].drawn = -1.8; });
    row("links apart", 3, "comes apart", [](DataSheet& s) { s.axes[3].point[0] = 21; });
    row("no length", -1, "no length", [](DataSheet& s) {
        for (SheetAxis& a : s.axes)
            a.point.setZero();
        s.flange.translation.setZero();
    });
    row("direction not unit", 4, "length 2, not 1", [](DataSheet& s) { s.axes[4].direction *= 2; });
}

void DataSheetTest::usualMistakesAreWarnedOf()
{
    QFETCH(DataSheet, sheet);
    QFETCH(int, axis);
    QFETCH(std::string, words);
    QVERIFY(sheetWarnings(fiveAxisSheet()).empty());
    const std::vector<SheetWarning> warnings = sheetWarnings(sheet);
    QVERIFY(!warnings.empty());
    const auto found = std::find_if(warnings.begin(), warnings.end(), [&](const SheetWarning& w) {
        return w.axis == axis && w.message.find(words) != std::string::npos;
    });
    QVERIFY2(found != warnings.end(), warnings.front().message.c_str());
    QVERIFY(!found->remedy.empty());
}

void DataSheetTest::fileKeepsEveryField()
{
    DataSheet s = fiveAxisSheet();
    double next = 0.101;
    const auto number = [&next] { return next += 0.013; };
    const auto vector = [&] {
        const double a = number(), b = number();
        return Vec3(a, b, number());
    };
    s.placement = DataSheet::Placement::DhClassic;
    s.orientation = AngleOrder::IntrinsicZyz;
    s.payload = number();
    s.flange = {vector(), Quat(0.5, 0.5, -0.5, 0.5)};
    for (SheetAxis& a : s.axes) {
        a.kind = &a == &s.axes[2] ? JointKind::Prismatic : JointKind::Revolute;
        a.point = vector();
        a.direction = vector();
        a.a = number(), a.alpha = number(), a.d = number(), a.theta = number();
        a.reversed = true;
        a.lower = -number(), a.upper = number();
        a.speed = number(), a.acceleration = number(), a.effort = number(), a.drawn = number(), a.mass = number();
        a.centre = vector(), a.moments = vector(), a.products = vector();
    }
    for (double& v : s.home)
        v = number();
    const std::string text = writeSheet(s);
    const DataSheet read = readSheet(text, "five.topikos-arm").value();
    QCOMPARE(writeSheet(read), text);
    QCOMPARE(read.axes.size(), s.axes.size());
    for (size_t i = 0; i < s.axes.size(); ++i) {
        const SheetAxis &a = s.axes[i], &b = read.axes[i];
        QVERIFY(a.name == b.name && a.kind == b.kind && a.point == b.point && a.direction == b.direction && a.a == b.a
                && a.alpha == b.alpha && a.d == b.d && a.theta == b.theta);
        QVERIFY(a.reversed == b.reversed && a.lower == b.lower && a.upper == b.upper && a.speed == b.speed
                && a.acceleration == b.acceleration && a.effort == b.effort);
        QVERIFY(a.drawn == b.drawn && a.mass == b.mass && a.centre == b.centre && a.moments == b.moments
                && a.products == b.products);
    }
    QFile schemaFile(QString(TOPIKOS_SOURCES) + "/docs/format/arm.schema.json");
    QVERIFY(schemaFile.open(QIODevice::ReadOnly));
    const Json schema = Json::parse(schemaFile.readAll().toStdString());
    const std::string bad = schemaOffence(Json::parse(text), schema, schema, "arm");
    QVERIFY2(bad.empty(), bad.c_str());
    QVERIFY(read.home == s.home && read.payload == s.payload && read.orientation == s.orientation
            && read.placement == s.placement && read.flange == s.flange);
}

void DataSheetTest::brokenFilesSayWhere_data()
{
    QTest::addColumn<std::string>("from");
    QTest::addColumn<std::string>("to");
    QTest::addColumn<std::string>("message");
    QTest::newRow("other format") << std::string("topikos-arm") << std::string("topikos-leg")
                                  << std::string("is not an arm file");
    QTest::newRow("newer") << std::string("\"version\": 3") << std::string("\"version\": 7")
                           << std::string("written by a newer Topikos (format version 7");
    QTest::newRow("missing home value") << std::string("\"home\": [\n    0.0,\n") << std::string("\"home\": [\n")
                                        << std::string("has 4 values; the arm has 5 axes");
    QTest::newRow("word") << std::string("\"kind\":\"revolute\"") << std::string("\"kind\":\"rotary\"")
                          << std::string("axes[0].kind");
    QTest::newRow("not a number") << std::string("\"speed\":2.6") << std::string("\"speed\":\"fast\"")
                                  << std::string("axes[0].speed");
}

void DataSheetTest::brokenFilesSayWhere()
{
    QFETCH(std::string, from);
    QFETCH(std::string, to);
    QFETCH(std::string, message);
    std::string text = writeSheet(fiveAxisSheet());
    const size_t at = text.find(from);
    QVERIFY2(at != std::string::npos, text.substr(0, 400).c_str());
    text.replace(at, from.size(), to);
    const Result<DataSheet> read = readSheet(text, "five.topikos-arm");
    QVERIFY(!read);
    const std::string line = read.error().line();
    QVERIFY2(line.find(message) != std::string::npos && line.find("five.topikos-arm") != std::string::npos,
             line.c_str());
}

void DataSheetTest::cellCarriesItsArm()
{
    // A cell with an arm of its own is whole without any other file, and its locks are kept.
    Cell cell = example("tile-glazing-line");
    DataSheet sheet = sheetOf(cell.arms.front().model->description());
    sheet.id = "own-arm";
    sheet.axes[0].upper = 2.5;
    ArmDescription description = describe(sheet).value();
    description.joints[5].locked = 0.25;
    cell.arms.at(0).model = Arm::make(description).value();
    const std::string text = writeCell(cell);
    const Result<Cell> read = readCell(text, "cell");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QCOMPARE(writeCell(*read), text);
    QCOMPARE(read->arms.front().model->joints()[0].upper, 2.5);
    QCOMPARE(read->arms.front().model->freeJoints().size(), size_t(5));
    QCOMPARE(read->arms.front().model->joints()[5].lower, 0.25);
}

void DataSheetTest::exampleInTheDocumentationLoads()
{
    QFile page(QString(TOPIKOS_SOURCES) + "/docs/format/arm.md");
    QVERIFY(page.open(QIODevice::ReadOnly));
    const QByteArray text = page.readAll();
    const auto begin = text.indexOf("```json") + 8, end = text.indexOf("```", begin);
    const std::string example = text.mid(begin, end - begin).toStdString();
    const Result<DataSheet> sheet = readSheet(example, "arm.md");
    QVERIFY2(sheet.ok(), sheet.ok() ? "" : sheet.error().line().c_str());
    QCOMPARE(writeSheet(*sheet), example);  // it is in canonical form, too
    QVERIFY(sheetWarnings(*sheet).empty());
    QCOMPARE(std::string(familyName(armOf(*sheet).value()->family())), std::string("horizontal-arm"));
}

void DataSheetTest::axisTooManyIsTold()
{
    DataSheet sheet = sheetOf(catalogueArm("sixaxis-1400")->description());
    QVERIFY(sheetWarnings(sheet).empty());
    SheetAxis stray = sheet.axes.back();
    stray.name = "stray";
    stray.point += 0.1 * stray.direction;
    sheet.axes.push_back(stray);
    sheet.home = JointVector::Zero(7);
    const std::vector<SheetWarning> warnings = sheetWarnings(sheet);
    QCOMPARE(warnings.size(), size_t(1));
    QCOMPARE(warnings[0].axis, 6);
    QCOMPARE(warnings[0].message, std::string("Axes 6 and 7 turn about the same line."));
}

void DataSheetTest::reachOfTheMakerIsCompared()
{
    for (const std::string& id : catalogueIds()) {
        DataSheet sheet = sheetOf(catalogueArm(id)->description());
        QVERIFY2(sheetWarnings(sheet).empty(), id.c_str());
        const std::optional<SheetReach> reach = sheetReach(*armOf(sheet).value());
        sheet.reach = 1;
        if (!reach) {
            // Arms that slide are not compared, and that is said.
            QCOMPARE(sheetWarnings(sheet).size(), size_t(1));
            continue;
        }
        // Nothing that was seen at random is farther.
        const ArmPtr arm = armOf(sheet).value();
        std::mt19937_64 random(5);
        double flange = 0;
        ChainFrames frames;
        for (int n = 0; n < 20000; ++n) {
            chainFrames(*arm, randomPosture(*arm, random), frames);
            const Vec3 axis = frames.joints[0].rotation.col(2);
            flange = std::max(flange, (frames.flange.origin - frames.joints[0].origin).cross(axis).norm());
        }
        QVERIFY2(flange <= reach->flange + 1e-6 && flange > 0.9 * reach->flange, id.c_str());
        for (const double right : {reach->wrist, reach->flange, reach->fromShoulder}) {
            sheet.reach = right;
            QVERIFY2(sheetWarnings(sheet).empty(), id.c_str());
        }
        sheet.reach = 1.5 * reach->flange;
        QCOMPARE(sheetWarnings(sheet).size(), size_t(1));
        QVERIFY(sheetWarnings(sheet).front().message.find("The maker gives a reach of") == 0);
        QVERIFY(readSheet(writeSheet(sheet), "again").value().reach == sheet.reach);
        sheet.reach = -1;
        QVERIFY(!armOf(sheet).ok());
    }
    // A length of another sign makes another arm: with the reach of the right one that is seen.
    DataSheet sheet = sheetOf(catalogueArm("sixaxis-1400")->description());
    sheet.reach = sheetReach(*armOf(sheet).value())->flange;
    for (const size_t axis : {size_t(2), size_t(3)}) {
        DataSheet wrong = sheet;
        wrong.axes[axis].point[2] = -wrong.axes[axis].point[2];
        QVERIFY(!sheetWarnings(wrong).empty());
    }
}

TOPIKOS_TEST(DataSheetTest)
#include "data_sheet_test.moc"
