#include "core/cell/edit_layout.h"
#include "core/cell/history.h"
#include "core/cell/pattern.h"
#include "core/cell/settled.h"
#include "core/cell/validate.h"
#include "core/files/cell_file.h"
#include "core/shape/mesh_file.h"
#include "core/spatial/limits.h"
#include "tests/core/random_edit.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <fstream>
#include <limits>
#include <set>

using namespace topikos;
using namespace topikos::test;

/// One table of limits, and what is made of it.
class LimitsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void whatIsJudgedAfterAnEditIsThatOfTheWholeCell();
    void documentHoldsEveryLimit();
    void schemasFollowTheTable_data();
    void schemasFollowTheTable();
    void messageNamesValueAndLimits();
    void nothingButNumbersInsideHolds();
    void editsThatCouldNotBeOpenedAgainAreRefused_data();
    void editsThatCouldNotBeOpenedAgainAreRefused();
    void armsAreHeldToTheSame();
    void readerRefusesWhatEditsRefuse_data();
    void readerRefusesWhatEditsRefuse();
};

using Do = std::function<Result<Cell>(Cell)>;
using Damage = std::function<void(Json&)>;
Q_DECLARE_METATYPE(Do)
Q_DECLARE_METATYPE(Damage)

namespace {

std::string amount(double value, const Limit& limit)
{
    const double shown = value / limit.inUnit;
    return fmt::format("{:.10g}", std::abs(shown - std::round(shown)) < 1e-6 ? std::round(shown) : shown);
}

std::string rowOf(const Limit& l)
{
    return fmt::format("| `{}` | {} | {} | {} | {} | {} |", l.key, l.what, amount(l.least, l), amount(l.most, l),
                       *l.unit ? l.unit : "–", l.why);
}

}  // namespace

void LimitsTest::documentHoldsEveryLimit()
{
    const std::string text = readFile(std::string(TOPIKOS_SOURCES) + "/docs/format/limits.md", 1 << 20).value();
    std::string missing;
    std::set<std::string> keys;
    for (const Limit* l : allLimits()) {
        if (text.find(rowOf(*l) + "\n") == text.npos) missing += rowOf(*l) + "\n";
        QVERIFY2(keys.insert(l->key).second, l->key);
        QVERIFY2(l->least < l->most && std::string(l->why).size() > 5, l->key);
    }
    QVERIFY2(missing.empty(), missing.c_str());
    const size_t rows = size_t(QString::fromStdString(text).count("\n| `"));
    QCOMPARE(rows, allLimits().size());
    // Sizes of files stand in the text.
    for (const size_t megabytes : {kLargestCellFile >> 20, kLargestArmFile >> 20, kLargestUrdfFile >> 20,
                                   kLargestMeshFile >> 20, kMostTriangles / 1000000})
        QVERIFY2(text.find(fmt::format(" {} ", megabytes)) != text.npos, qPrintable(QString::number(megabytes)));
}

void LimitsTest::schemasFollowTheTable_data()
{
    QTest::addColumn<QString>("name");
    QTest::newRow("cell") << "cell";
    QTest::newRow("arm") << "arm";
}

void LimitsTest::schemasFollowTheTable()
{
    QFETCH(QString, name);
    const std::string path = std::string(TOPIKOS_SOURCES) + "/docs/format/" + name.toStdString() + ".schema.json";
    const Json schema = Json::parse(readFile(path, 1 << 20).value());
    // Numbers without a limit of their own: parts of unit vectors, angles, and what an arm checks as a whole.
    const std::set<std::string> free{"quaternion", "direction",      "alpha",   "theta",    "drawn", "outline",
                                     "points",     "centre-of-mass", "moments", "products", "size",  "normal"};
    int limited = 0;
    const std::function<void(const Json&, const std::string&, const std::string&)> look =
        [&](const Json& part, const std::string& key, const std::string& place) {
            if (!part.is_structured()) return;
            if (part.is_object() && part.contains("$comment")) {
                const std::string word = part["$comment"].get<std::string>().substr(7);
                const auto& all = allLimits();
                const auto limit = std::find_if(all.begin(), all.end(), [&](const Limit* l) { return l->key == word; });
                QVERIFY2(limit != all.end(), place.c_str());
                QVERIFY2(part["minimum"] == (*limit)->least && part["maximum"] == (*limit)->most, place.c_str());
                ++limited;
            } else if (part.is_object() && part.value("type", Json()) == "number") {
                QVERIFY2(free.contains(key), place.c_str());
            }
            for (const auto& [inner, value] : part.items())
                look(value, inner == "items" || part.is_array() || inner == "properties" ? key : inner,
                     place + "/" + inner);
        };
    look(schema, "", "");
    QVERIFY(limited > (name == "cell" ? 50 : 10));
}

void LimitsTest::messageNamesValueAndLimits()
{
    const Status bad = checkLimit(limits::kBlend, 2, "code");
    QVERIFY(bad);
    QCOMPARE(bad->message, std::string("a blend cannot be 2000 mm; its limits are 0 and 1000 mm"));
    QVERIFY(!checkLimit(limits::kBlend, 1, "code"));
    QCOMPARE(checkLimit(limits::kJaw, -1, "code", "a width")->message,
             std::string("a width cannot be -1000 mm; its limits are 0 and 10000 mm"));
}

void LimitsTest::nothingButNumbersInsideHolds()
{
    for (const Limit* l : allLimits()) {
        QVERIFY(l->holds(l->least) && l->holds(l->most));
        QVERIFY(!l->holds(std::nextafter(l->least, -INFINITY)) && !l->holds(std::nextafter(l->most, INFINITY)));
        QVERIFY(!l->holds(std::numeric_limits<double>::quiet_NaN()));
        QCOMPARE(l->clamped(INFINITY), l->most);
    }
}

void LimitsTest::editsThatCouldNotBeOpenedAgainAreRefused_data()
{
    QTest::addColumn<Do>("act");
    QTest::addColumn<QString>("said");
    QTest::newRow("new parent across 1,800 m") << Do([](Cell cell) -> Result<Cell> {
        FrameId west, east;
        cell = addFrame(cell, "West", {}, translated({-900, 0, 0}), &west).value();
        cell = addFrame(cell, "East", {}, translated({900, 0, 0}), &east).value();
        return setFrameParent(cell, east, west);
    }) << "1800 m";
    QTest::newRow("pattern that runs off") << Do([](Cell cell) -> Result<Cell> {
        Pattern p = cell.patterns.front();
        p.first.translation[0] = 999;
        p.pitch = Vec3(5, 5, 5);
        return changePattern(cell, p);
    }) << "1000 m";
    QTest::newRow("101 levels of frames") << Do([](Cell cell) -> Result<Cell> {
        Result<Cell> next = cell;
        FrameId parent;
        for (int i = 0; i < 101 && next; ++i)
            next = addFrame(Cell(*next), "Level " + std::to_string(i), parent, {}, &parent);
        return next;
    }) << "100 levels";
    QTest::newRow("ids at their end") << Do([](Cell cell) -> Result<Cell> {
        cell.nextId = 4000000000;
        return addFrame(cell, "One more", {}, {});
    }) << "4000000000 is the limit";
    QTest::newRow("a name that is no UTF-8")
        << Do([](Cell cell) { return renameCell(cell, "tile \xff line"); }) << "UTF-8";
    QTest::newRow("a name with an escape")
        << Do([](Cell cell) { return renameCell(cell, "tile \x1b[2J line"); }) << "control characters";
    QTest::newRow("a name that writes backwards")
        << Do([](Cell cell) { return renameCell(cell, "tile \xe2\x80\xae line"); }) << "control characters";
    QTest::newRow("a speed of next to nothing") << Do([](Cell cell) -> Result<Cell> {
        Step step = cell.routines.front().steps.front();
        step.action = LineMove{AtPlace{cell.targets[1].id}, 1e-300};
        return changeStep(cell, cell.routines.front().id, step);
    }) << "limits are 0.1 and 10000 mm/s";
}

void LimitsTest::editsThatCouldNotBeOpenedAgainAreRefused()
{
    QFETCH(Do, act);
    QFETCH(QString, said);
    const Cell cell = patterned();
    History history(cell);
    const Status refused = history.apply("edit", act);
    QVERIFY(refused);
    const QString line = QString::fromStdString(refused->line());
    QVERIFY2(line.contains(said) && !line.contains('\n'), qPrintable(line));
    QVERIFY(*history.current() == cell);
}

void LimitsTest::armsAreHeldToTheSame()
{
    const std::string text = readFile(dataPath("once-broke/sixaxis-in-mm.urdf"), kLargestUrdfFile).value();
    const Result<ArmPtr> arm = readUrdf(text, "sixaxis-in-mm.urdf");
    QVERIFY(!arm);
    QVERIFY2(arm.error().line().find("URDF files are in metres") != std::string::npos, arm.error().line().c_str());
    // What an arm may be fits the file, however its links add up.
    ArmDescription longest = catalogueArm("sixaxis-1400")->description();
    for (Joint& joint : longest.joints)
        joint.parentFromJoint.translation = Vec3::Constant(limits::kChainOffset.most);
    longest.id = "longest";
    Cell cell = example("tile-glazing-line");
    cell.arms.at(0).model = Arm::make(longest).value();
    const Result<Cell> again = readCell(writeCell(cell), "longest");
    QVERIFY2(again.ok(), again.ok() ? "" : again.error().line().c_str());
}

void LimitsTest::readerRefusesWhatEditsRefuse_data()
{
    QTest::addColumn<Damage>("damage");
    QTest::addColumn<QString>("said");
    const auto named = [](const char* name) { return Damage([=](Json& c) { c["frames"][1]["name"] = name; }); };
    QTest::newRow("name with a line break") << named("Arm\nbase") << "frames[1].name";
    QTest::newRow("name with an outer space") << named("Arm base ") << "frames[1].name";
    QTest::newRow("name that is taken") << named("world") << "is taken";
    QTest::newRow("place of a pattern twice") << Damage([](Json& c) {
        Json& parts = c["parts"];
        std::vector<size_t> members;
        for (size_t i = 0; i < parts.size(); ++i)
            if (parts[i].contains("pattern")) members.push_back(i);
        parts[members[1]]["place"] = parts[members[0]].value("place", 0);
    }) << "is taken twice";
    QTest::newRow("place that the pattern has not")
        << Damage([](Json& c) { c["targets"].back()["place"] = 4000; }) << "none with the number 4000";
    QTest::newRow("tool point that is not there")
        << Damage([](Json& c) { c["targets"].back()["point"] = 1; }) << "has no point 1";
    for (const int version : {1, 2, 3})
        QTest::newRow(qPrintable(QString("later fields in version %1").arg(version)))
            << Damage([=](Json& c) { c["version"] = version; })
            << QString("the file says that it is version %1").arg(version);
}

void LimitsTest::readerRefusesWhatEditsRefuse()
{
    QFETCH(Damage, damage);
    QFETCH(QString, said);
    Json document = Json::parse(writeCell(patterned()));
    damage(document);
    const Result<Cell> cell = readCell(document.dump(), "cell");
    QVERIFY(!cell);
    const QString line = QString::fromStdString(cell.error().line());
    QVERIFY2(line.contains(said) && !line.contains('\n'), qPrintable(line));
}

void LimitsTest::whatIsJudgedAfterAnEditIsThatOfTheWholeCell()
{
    std::mt19937_64 random(91);
    int right = 0, wrong = 0;
    const auto alike = [&](const Cell& next, const Cell& before) {
        const Status whole = validate(next), quick = validate(next, before);
        ++(whole ? wrong : right);
        return whole.has_value() == quick.has_value() && (!whole || whole->line() == quick->line());
    };
    Cell cell = patterned();
    for (int n = 0; n < 1500; ++n) {
        const Result<Cell> edited = randomEdit(cell, random, true);
        const Result<Cell> next = edited ? settled(*edited) : edited;
        if (!next) continue;
        QVERIFY2(alike(*next, cell), std::to_string(n).c_str());
        if (!validate(*next)) cell = *next;
    }
    QVERIFY2(right > 500, std::to_string(right).c_str());
    // Values that nothing else depends on, some of them impossible.
    const double values[] = {0, 0.1, -2, 1e5, NAN, INFINITY};
    const auto value = [&] { return values[random() % std::size(values)]; };
    wrong = right = 0;
    for (int n = 0; n < 600; ++n) {
        Cell next = cell;
        switch (random() % 4) {
        case 0: next.frames.edit(next.frames[random() % next.frames.size()].id)->pose.translation.x() = value(); break;
        case 1: next.parts.edit(next.parts[random() % next.parts.size()].id)->pose.translation.y() = value(); break;
        case 2:
            next.targets.edit(next.targets[random() % next.targets.size()].id)->pose.translation.z() = value();
            break;
        default: {
            Target& target = *next.targets.edit(next.targets[random() % next.targets.size()].id);
            if (target.posture.size() > 0) target.posture[0] = value();
            target.axes = {{next.frames.front().id, value()}};
        }
        }
        QVERIFY2(alike(next, cell), std::to_string(n).c_str());
    }
    QVERIFY(right > 100 && wrong > 100);
}

TOPIKOS_TEST(LimitsTest)
#include "limits_test.moc"
