#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_targets.h"
#include "core/cell/fixture.h"
#include "core/cell/history.h"
#include "core/cell/pattern.h"
#include "core/cell/settled.h"
#include "core/cell/validate.h"
#include "core/check/check.h"
#include "core/cell/margin.h"
#include "core/reach/send.h"
#include "core/spatial/rotation.h"
#include "tests/core/drawn_cell.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Targets at each part of a pattern: they follow it, whatever becomes of it; and one grip for all of its parts.
class FollowingTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void eachPartHasItsTarget_data();
    void eachPartHasItsTarget();
    void whatThePartsDoTheTargetsDo_data();
    void whatThePartsDoTheTargetsDo();
    void placesAreChangedAtTheParts();
    void placesThatAreUsedStay();
    void withoutThePartsTheyAreTheirOwn();
    void filesKeepIt();
    void filesWithWrongOnesAreRefused_data();
    void filesWithWrongOnesAreRefused();
    void copiedFixturesHaveTheirOwn();
    void theGripThatReachesMostIsTaken();
    void theBlockGripsEachPart();
};

namespace {

const Pose kInPlace{{0.01, 0.004, 0.02}, Quat(Eigen::AngleAxisd(2.9, Vec3(1, 0.1, 0).normalized()))};

struct Picks {
    Cell cell;
    PatternId parts, picks;
};
Picks picksOf(Cell cell, PatternId parts)
{
    Picks out{std::move(cell), parts, {}};
    Pattern targets;
    targets.content = Pattern::Content::Targets;
    targets.name = "Stack picks";
    targets.arm = out.cell.arms.front().id;
    targets.tool = out.cell.arms.front().tool;
    targets.inPlace = kInPlace;
    out.cell = addPattern(out.cell, following(targets, *findPattern(out.cell, parts)), &out.picks).value();
    return out;
}
Picks stack(Pattern::Layout layout = Pattern::Layout::Grid, double stagger = 0)
{
    PatternId parts;
    Cell cell = patterned(&parts);
    Pattern p = *findPattern(cell, parts);
    p.layout = layout;
    p.stagger = stagger;
    if (layout == Pattern::Layout::Ring) p.sweep = 4;
    return picksOf(*changePattern(cell, p), parts);
}

/// Each part of the pattern has one target, where it should be, and there are no others.
void verifyFollows(const Cell& cell, PatternId parts, PatternId picks, const Pose& inPlace = kInPlace)
{
    size_t members = 0, found = 0;
    for (const Part& part : cell.parts)
        members += part.pattern == parts;
    const std::vector<const Target*> targets = placesOf(cell, picks);
    for (const Target* target : targets)
        for (const Part& part : cell.parts)
            if (part.pattern == parts && part.place == target->place) {
                ++found;
                QCOMPARE(target->frame, part.frame);
                const PoseDeviation off = deviation(target->pose, part.pose * inPlace);
                QVERIFY(off.metres < 1e-12 && off.radians < 1e-9);
            }
    QVERIFY(members > 0);
    QCOMPARE(found, members);
    QCOMPARE(targets.size(), members);
    QVERIFY(!validate(cell));
}

}  // namespace

void FollowingTest::eachPartHasItsTarget_data()
{
    QTest::addColumn<int>("layout");
    QTest::addColumn<double>("stagger");
    QTest::newRow("rows") << int(Pattern::Layout::Grid) << 0.0;
    QTest::newRow("staggered rows") << int(Pattern::Layout::Grid) << 0.5;
    QTest::newRow("a ring") << int(Pattern::Layout::Ring) << 0.0;
}
void FollowingTest::eachPartHasItsTarget()
{
    QFETCH(int, layout);
    QFETCH(double, stagger);
    const Picks p = stack(Pattern::Layout(layout), stagger);
    verifyFollows(p.cell, p.parts, p.picks);
    QVERIFY(*settled(p.cell) == p.cell);
}

void FollowingTest::whatThePartsDoTheTargetsDo_data()
{
    QTest::addColumn<int>("what");
    const char* const names[] = {"another pitch", "fewer of them",    "more of them", "some left out",
                                 "moved",         "in another frame", "a ring",       "its frame moved"};
    for (int i = 0; i < int(std::size(names)); ++i)
        QTest::newRow(names[i]) << i;
}
void FollowingTest::whatThePartsDoTheTargetsDo()
{
    QFETCH(int, what);
    const Picks p = stack();
    History history(p.cell);
    Pattern parts = *findPattern(p.cell, p.parts);
    switch (what) {
    case 0: parts.pitch = {0.1, 0.3, 0.05}; break;
    case 1: parts.columns = 1; break;
    case 2: parts.rows = 4; break;
    case 3: parts.leftOut = {1, 4}; break;
    case 4:
        parts.first = parts.first * Pose{{0.0125, 0, 0}, Quat(Eigen::AngleAxisd(3 * kDegree, Vec3::UnitZ()))};
        break;
    case 5: parts.frame = frameNamed(p.cell, "Infeed belt"); break;
    case 6: parts.layout = Pattern::Layout::Ring; break;
    default: break;
    }
    const Status bad = history.apply("Change", [&](const Cell& cell) {
        return what == 7 ? setFramePose(cell, parts.frame, translated({0.5, 0.1, 0.6})) : changePattern(cell, parts);
    });
    QVERIFY2(!bad, bad ? bad->line().c_str() : "");
    verifyFollows(*history.current(), p.parts, p.picks);
    QVERIFY(what == 7 || findPattern(*history.current(), p.picks)->pitch == parts.pitch);
    history.undo();
    QVERIFY(*history.current() == p.cell);
}

void FollowingTest::placesAreChangedAtTheParts()
{
    const Picks p = stack();
    Pattern picks = *findPattern(p.cell, p.picks);
    picks.pitch *= 2;
    const Result<Cell> refused = changePattern(p.cell, picks);
    QVERIFY(!refused.ok());
    QVERIFY2(QString::fromStdString(refused.error().line()).contains("has its places where \"Stack\" has its parts"),
             refused.error().line().c_str());
    // What is the targets' own is changed at them.
    picks = *findPattern(p.cell, p.picks);
    picks.inPlace = translated({0, 0, 0.1});
    picks.order = Pattern::Order::Serpentine;
    picks.approach.far = 0.2;
    const Result<Cell> own = changePattern(p.cell, picks);
    QVERIFY(own.ok());
    verifyFollows(*settled(*own), p.parts, p.picks, picks.inPlace);
    // With places of its own the layout can be changed, and nothing follows.
    picks.follows = {};
    picks.pitch *= 2;
    const Cell alone = *changePattern(*own, picks);
    QVERIFY(*settled(alone) == alone);
}

void FollowingTest::placesThatAreUsedStay()
{
    const Picks p = stack();
    const std::string last = placesOf(p.cell, p.picks).back()->name;
    History history(mainWith(p.cell, "    joint to \"" + last + "\"\n"));
    const Cell before = *history.current();
    Pattern parts = *findPattern(before, p.parts);
    parts.columns = 1;
    parts.rows = 1;
    const Status bad = history.apply("Fewer", [&](const Cell& cell) { return changePattern(cell, parts); });
    QVERIFY(bad);
    QVERIFY2(QString::fromStdString(bad->line()).contains(QString::fromStdString(last)), bad->line().c_str());
    QVERIFY(*history.current() == before);
}

void FollowingTest::withoutThePartsTheyAreTheirOwn()
{
    const Picks p = stack();
    for (const bool keep : {false, true}) {
        const Cell after = *settled(*deletePattern(p.cell, p.parts, keep));
        const Pattern& picks = *findPattern(after, p.picks);
        QVERIFY(!picks.follows);
        const auto was = placesOf(p.cell, p.picks), is = placesOf(after, p.picks);
        QCOMPARE(is.size(), was.size());
        for (size_t i = 0; i < is.size(); ++i)
            QVERIFY(is[i]->pose == was[i]->pose);
        QVERIFY(!validate(after));
    }
}

void FollowingTest::filesKeepIt()
{
    Picks p = stack(Pattern::Layout::Ring);
    const std::string text = writeCell(p.cell);
    const Result<Cell> read = readCell(text, "x");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QVERIFY(*read == p.cell);
    QCOMPARE(writeCell(*read), text);
    const Json schema =
        Json::parse(readFile(std::string(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json", 1 << 24).value());
    QCOMPARE(schemaOffence(Json::parse(text), schema, schema, ""), std::string());
}

void FollowingTest::filesWithWrongOnesAreRefused_data()
{
    QTest::addColumn<int>("to");
    QTest::addColumn<QString>("says");
    QTest::newRow("nothing of the cell") << 99999 << "only one of parts";
    QTest::newRow("itself") << -1 << "only one of parts";
    QTest::newRow("another pattern of targets") << -2 << "only one of parts";
}
void FollowingTest::filesWithWrongOnesAreRefused()
{
    QFETCH(int, to);
    QFETCH(QString, says);
    const Picks p = stack();
    PatternId other;
    for (const Pattern& pattern : p.cell.patterns)
        if (pattern.name == "Place") other = pattern.id;
    Json document = Json::parse(writeCell(p.cell));
    for (Json& pattern : document["patterns"])
        if (pattern.contains("follows"))
            pattern["follows"] = to == -1 ? p.picks.value : to == -2 ? other.value : std::uint32_t(to);
    const Result<Cell> read = readCell(document.dump(), "x");
    QVERIFY(!read.ok());
    QVERIFY2(QString::fromStdString(read.error().line()).contains(says), read.error().line().c_str());
}

void FollowingTest::copiedFixturesHaveTheirOwn()
{
    const Picks p = stack();
    FrameId copy;
    const Cell after = *settled(*copyFixture(p.cell, frameNamed(p.cell, "Drying rack"), &copy));
    PatternId parts, picks;
    for (const Pattern& pattern : after.patterns) {
        if (pattern.frame != copy) continue;
        if (pattern.content == Pattern::Content::Parts) parts = pattern.id;
        else if (pattern.follows) picks = pattern.id;
    }
    QVERIFY(parts && picks);
    QCOMPARE(findPattern(after, picks)->follows, parts);
    verifyFollows(after, parts, picks);
    verifyFollows(after, p.parts, p.picks);
}

void FollowingTest::theGripThatReachesMostIsTaken()
{
    PatternId id;
    Cell cell = patterned(&id);
    const ArmId arm = cell.arms.front().id;
    std::vector<PartId> parts;
    for (const Part& part : cell.parts)
        if (part.pattern == id) parts.push_back(part.id);
    const std::vector<double> offs{0, 0.1};
    // A grip from above, and one that no arm gets to.
    PartKind kind = *findPartKind(cell, findPart(cell, parts.front())->kind);
    kind.grips = {{"far", translated({0, 0, 9}), {}},
                  {"above", {{0.01, 0, 0}, facing(-Vec3::UnitZ())}, {Freedom::Kind::Turn, 0, 0, 0}}};
    const Cell with = *changePartKind(cell, kind);
    const GripOfAll grip = gripOfAll(with, arm, parts, offs, {});
    QCOMPARE(grip.words, std::string("above"));
    QCOMPARE(grip.lacking, size_t(0));
    QCOMPARE(grip.freedom.kind, Freedom::Kind::Turn);
    QCOMPARE(grip.postures.size(), parts.size());
    const ArmStation& station = with.arms.front();
    for (size_t i = 0; i < parts.size(); ++i) {
        const Pose tcp = worldFromTcp(with, station, grip.postures[i]);
        const PoseDeviation off = deviation(tcp, worldFromPart(with, *findPart(with, parts[i])) * grip.partFromTcp);
        QVERIFY(off.metres < 1e-6 && off.radians < 1e-6);
        QVERIFY(marginOf(with, *station.model, grip.postures[i]) >= grip.margin - 1e-9);
    }
    // Without grip points at the origin, the tool along z.
    const GripOfAll plain = gripOfAll(cell, arm, parts, offs, {});
    QVERIFY(plain.words.empty() && plain.lacking == 0);
    QVERIFY(plain.partFromTcp.translation.norm() == 0);
    QVERIFY((plain.partFromTcp.rotation * Vec3::UnitZ() + Vec3::UnitZ()).norm() < 1e-12);
    // Parts out of reach are counted, and one says why.
    Pattern far = *findPattern(cell, id);
    far.pitch.x() = 2;
    const Cell apart = *changePattern(cell, far);
    parts.clear();
    for (const Part& part : apart.parts)
        if (part.pattern == id) parts.push_back(part.id);
    const GripOfAll some = gripOfAll(apart, arm, parts, offs, {});
    size_t lacking = 0;
    for (const JointVector& q : some.postures)
        lacking += q.size() == 0;
    QVERIFY(some.lacking > 0 && some.lacking < parts.size());
    QCOMPARE(lacking, some.lacking);
    QVERIFY(some.why.items.empty());
}

void FollowingTest::theBlockGripsEachPart()
{
    PatternId id;
    Cell cell = patterned(&id);
    Pattern parts = *findPattern(cell, id);
    parts.columns = 2, parts.rows = 2, parts.layers = 1;
    cell = *changePattern(cell, parts);
    std::vector<PartId> members;
    for (const Part& part : cell.parts)
        if (part.pattern == id) members.push_back(part.id);
    const GripOfAll grip = gripOfAll(cell, cell.arms.front().id, members, {0, 0.1}, {});
    QCOMPARE(grip.lacking, size_t(0));
    Pattern picks;
    picks.content = Pattern::Content::Targets;
    picks.name = "Stack picks";
    picks.arm = cell.arms.front().id;
    picks.tool = cell.arms.front().tool;
    picks.inPlace = grip.partFromTcp;
    picks.configuration = configurationOf(*cell.arms.front().model, grip.postures.front());
    picks.approach.far = picks.retract.far = 0.1;
    picks.approach.near = 0.01;
    PatternId made;
    cell = *addPattern(cell, following(picks, *findPattern(cell, id)), &made);
    cell = mainWith(cell, "    joint to Home\n");
    Step block = gripEach(*findPattern(cell, made));
    // Each is let go where it was, so that the next one can be gripped.
    block.body.push_back(Step{.action = Release{}});
    QCOMPARE(block.body.size(), size_t(6));
    const RoutineId main = cell.arms.front().main;
    cell = *insertSteps(cell, main, findRoutine(cell, main)->steps.size(), {block});
    const CheckResult checked = check(cell);
    for (const Finding& f : checked.findings)
        QVERIFY2(f.severity != Severity::Blocked || f.as<ContactFact>(), findingText(cell, f).line().c_str());
    std::set<PartId> gripped;
    for (size_t i = 0; i < checked.trace.partEvents.size(); ++i)
        if (checked.trace.partEvents[i].kind == PartEvent::Kind::Carried)
            gripped.insert(checked.trace.partEvents[i].part);
    QCOMPARE(gripped.size(), members.size());
}

TOPIKOS_TEST(FollowingTest)
#include "following_test.moc"
