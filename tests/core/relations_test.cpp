#include "core/cell/drawing.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_targets.h"
#include "core/cell/fixture.h"
#include "core/cell/history.h"
#include "core/cell/pattern.h"
#include "core/cell/settled.h"
#include "core/cell/validate.h"
#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "core/files/targets_csv.h"
#include "core/spatial/rotation.h"
#include "core/surface/draw.h"
#include "tests/core/drawn_cell.h"
#include "tests/run.h"

#include <numbers>

using namespace topikos;
using namespace topikos::test;

/// What targets go with: frames, parts, other targets; groups that are drawn on bodies and kinds.
class RelationsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void theToolStandsAsLeadAndTiltSay();
    void shiftedFixturesTakeAllAlong();
    void movedPartsTakeTheirGroupsAlong();
    void groupsOfAKindAreOnEveryPart();
    void aPartThatIsWorkedOnStays();
    void tiedTargetsGoWithWhatTheyAreTiedTo();
    void tiesMakeNoLoops();
    void mirroredAndCopiedTargetsKeepTheirRelation();
    void copiedFixturesHaveTheirOwnGroups();
    void tablesOfTargetsKeepTies();
    void filesKeepAllOfIt();
    void filesWithWrongDrawingsAreRefused_data();
    void filesWithWrongDrawingsAreRefused();
};

void RelationsTest::theToolStandsAsLeadAndTiltSay()
{
    Drawing d;
    for (int i = 0; i < 4; ++i)
        d.points.push_back({std::uint32_t(i), Vec3(0.02 * i, 0, 0), Vec3::UnitZ(), 0});
    const auto stands = [&](Vec3 axis) { return Vec3(bodyFromTcp(d, 1).rotation * axis); };
    QVERIFY((stands(Vec3::UnitZ()) - Vec3(0, 0, -1)).norm() < 1e-12);
    QVERIFY((stands(Vec3::UnitX()) - Vec3(1, 0, 0)).norm() < 1e-12);
    // Leaning into the way its back goes ahead; tilted, to the left.
    d.lead = 0.3;
    QVERIFY((stands(-Vec3::UnitZ()) - Vec3(std::sin(0.3), 0, std::cos(0.3))).norm() < 1e-12);
    d.lead = 0;
    d.tilt = 0.2;
    QVERIFY((stands(-Vec3::UnitZ()) - Vec3(0, std::sin(0.2), std::cos(0.2))).norm() < 1e-12);
    d.tilt = 0;
    d.offset = 0.004;
    QVERIFY((bodyFromTcp(d, 1).translation - Vec3(0.02, 0, 0.004)).norm() < 1e-12);
    d.turn = 0.5;
    QVERIFY((stands(Vec3::UnitX()) - Vec3(std::cos(0.5), -std::sin(0.5), 0)).norm() < 1e-12);
    d.turns = Drawing::Turn::Free;
    d.points[1].turn = -0.5;
    QVERIFY((stands(Vec3::UnitX()) - Vec3(1, 0, 0)).norm() < 1e-12);
    d.turns = Drawing::Turn::Fixed;
    d.turn = 0;
    d.points[2].at = Vec3(0.02, 0.02, 0);  // the way turns the corner, the tool does not
    QVERIFY((stands(Vec3::UnitX()) - Vec3(1, 0, 0)).norm() < 1e-12);
    d.turns = Drawing::Turn::Along;
    QVERIFY((wayAt(d, 1) - Vec3(1, 1, 0).normalized()).norm() < 1e-12);
}

void RelationsTest::shiftedFixturesTakeAllAlong()
{
    std::mt19937_64 random(19);
    std::uniform_real_distribution<double> any(-1, 1);
    for (int pass = 0; pass < 20; ++pass) {
        const Drawn d = drawnOnBench(pass % 2);
        Cell before = d.cell;
        // A target that is tied to a place of another target in the fixture.
        TargetId tied;
        before = *copyTarget(before, placesOf(before, d.seam).front()->id, &tied);
        TargetId other;
        before = *copyTarget(before, placesOf(before, d.seam).back()->id, &other);
        before = *tieTarget(before, tied, {}, other);
        History history(before);
        // 12.5 mm one way and 3° about an axis.
        const Vec3 way = Vec3(any(random), any(random), any(random)).normalized() * 0.0125;
        const Quat turn(Eigen::AngleAxisd(3 * kDegree, Vec3(any(random), any(random), any(random)).normalized()));
        const Pose old = worldFromFrame(before, d.bench);
        const Pose moved = old * Pose{way, turn};
        QVERIFY(!history.apply("Move", [&](const Cell& c) { return setFramePose(c, d.bench, moved); }));
        const Cell& after = *history.current();
        int dependents = 0;
        for (const Target& target : before.targets) {
            const Pose was = worldOf(before, target), is = worldOf(after, *findTarget(after, target.id));
            if (target.kind == Target::Kind::Posture) continue;
            const bool below = target.frame == d.bench;
            dependents += below;
            const Pose expected = below ? moved * inverse(old) * was : was;
            QVERIFY(deviation(is, expected).metres < 1e-12);
            QVERIFY(deviation(is, expected).radians < 1e-9);
        }
        QCOMPARE(dependents, 9 + 2);
        // What a check says is said of where they are now.
        const TargetVerdict verdict = checkTarget(after, *placesOf(after, d.seam).front(), {});
        const Solutions there = waysTo(after, *placesOf(after, d.seam).front());
        QCOMPARE(verdict.ways.items.size(), there.items.size());
    }
}

void RelationsTest::movedPartsTakeTheirGroupsAlong()
{
    const Drawn d = drawnOnBench(true);
    History history(d.cell);
    const PartId part = findPattern(d.cell, d.seam)->drawing.part;
    const Pose pose = findPart(d.cell, part)->pose
                      * Pose{{0.0125, -0.004, 0.002}, Quat(Eigen::AngleAxisd(3 * kDegree, Vec3::UnitZ()))};
    QVERIFY(!history.apply("Move", [&](const Cell& c) { return setPartPose(c, part, pose); }));
    const std::vector<const Target*> was = placesOf(d.cell, d.seam), is = placesOf(*history.current(), d.seam);
    QCOMPARE(was.size(), is.size());
    const Pose moved = pose * inverse(findPart(d.cell, part)->pose);
    for (size_t i = 0; i < was.size(); ++i) {
        QCOMPARE(was[i]->id, is[i]->id);
        QVERIFY(deviation(is[i]->pose, moved * was[i]->pose).metres < 1e-12);
        QVERIFY(deviation(is[i]->pose, moved * was[i]->pose).radians < 1e-9);
    }
    // Into another frame, where it stays in the world.
    QVERIFY(!history.apply("Frame", [&](const Cell& c) { return setPartFrame(c, part, {}); }));
    const std::vector<const Target*> world = placesOf(*history.current(), d.seam);
    for (const Target* target : world)
        QVERIFY(!target->frame);
    QVERIFY(deviation(worldOf(*history.current(), *world[2]), worldOf(d.cell, *was[2])).metres < 0.02);
    history.undo();
    history.undo();
    QVERIFY(*history.current() == d.cell);
}

void RelationsTest::groupsOfAKindAreOnEveryPart()
{
    const Drawn d = drawnOnBench(true);
    History history(d.cell);
    const PartId first = findPattern(d.cell, d.seam)->drawing.part;
    PartId second;
    QVERIFY(!history.apply("Copy", [&](const Cell& c) { return copyPart(c, first, &second); }));
    QCOMPARE(history.current()->patterns.size(), d.cell.patterns.size());
    QVERIFY(!history.apply("Every", [&](const Cell& c) {
        Pattern next = *findPattern(c, d.seam);
        next.drawing.family = d.seam.value;
        return changePattern(c, next);
    }));
    const auto groupOn = [&](PartId part) -> const Pattern* {
        for (const Pattern& p : history.current()->patterns)
            if (p.layout == Pattern::Layout::Drawn && p.drawing.part == part) return &p;
        return nullptr;
    };
    QVERIFY(groupOn(second));
    QCOMPARE(groupOn(second)->drawing.points.size(), groupOn(first)->drawing.points.size());
    // A change of one is one of all, and a further part has it too.
    const PatternId other = groupOn(second)->id;
    QVERIFY(!history.apply("Lead", [&](const Cell& c) {
        Pattern next = *findPattern(c, other);
        next.drawing.lead = 0.2;
        next.drawing.points.pop_back();
        return changePattern(c, next);
    }));
    QCOMPARE(groupOn(first)->drawing.lead, 0.2);
    QCOMPARE(placesOf(*history.current(), d.seam).size(), size_t(8));
    PartId third;
    QVERIFY(!history.apply("Copy", [&](const Cell& c) { return copyPart(c, second, &third); }));
    QVERIFY(groupOn(third));
    QCOMPARE(groupOn(third)->drawing.points.size(), size_t(8));
    const Part& part = *findPart(*history.current(), third);
    const Target& place = *placesOf(*history.current(), groupOn(third)->id).front();
    QVERIFY(deviation(worldOf(*history.current(), place),
                      worldFromPart(*history.current(), part) * bodyFromTcp(groupOn(third)->drawing, 0))
                .metres
            < 1e-12);
    // The part goes, and its group with it.
    QVERIFY(!history.apply("Delete", [&](const Cell& c) { return deletePart(c, third); }));
    QVERIFY(!groupOn(third));
    QVERIFY(!validate(*history.current()));
}

void RelationsTest::aPartThatIsWorkedOnStays()
{
    const Drawn d = drawnOnBench(true);
    const Cell with = mainWith(d.cell, "    follow Rim at 50 mm/s\n");
    History history(with);
    const PartId part = findPattern(with, d.seam)->drawing.part;
    const Status refused = history.apply("Delete", [&](const Cell& c) { return deletePart(c, part); });
    QVERIFY(refused.has_value());
    QCOMPARE(refused->code, std::string("edit.pattern-used"));
    QVERIFY(*history.current() == with);
}

void RelationsTest::tiedTargetsGoWithWhatTheyAreTiedTo()
{
    const Drawn d = drawnOnBench(true);
    const PartId part = findPattern(d.cell, d.seam)->drawing.part;
    TargetId a, b;
    Cell cell = *copyTarget(d.cell, placesOf(d.cell, d.seam)[1]->id, &a);
    cell = *copyTarget(cell, placesOf(cell, d.seam)[4]->id, &b);
    const Pose wasA = worldOf(cell, *findTarget(cell, a)), wasB = worldOf(cell, *findTarget(cell, b));
    cell = *tieTarget(cell, a, part, {});
    cell = *tieTarget(cell, b, {}, a);
    // Tying moves nothing.
    QVERIFY(deviation(worldOf(cell, *findTarget(cell, a)), wasA).metres < 1e-12);
    QVERIFY(deviation(worldOf(cell, *findTarget(cell, b)), wasB).metres < 1e-12);
    History history(cell);
    const Pose moved =
        findPart(cell, part)->pose * Pose{{0.01, 0.02, 0.03}, Quat(Eigen::AngleAxisd(0.4, Vec3::UnitY()))};
    QVERIFY(!history.apply("Move", [&](const Cell& c) { return setPartPose(c, part, moved); }));
    const Pose by = worldFromPart(*history.current(), *findPart(*history.current(), part))
                    * inverse(worldFromPart(cell, *findPart(cell, part)));
    for (const auto& [id, was] : {std::pair(a, wasA), {b, wasB}}) {
        const Pose is = worldOf(*history.current(), *findTarget(*history.current(), id));
        QVERIFY(deviation(is, by * was).metres < 1e-12);
        QVERIFY(deviation(is, by * was).radians < 1e-9);
    }
    // A tied target that is moved by itself keeps its new place beside the part.
    QVERIFY(!history.apply("Own", [&](const Cell& c) {
        return setTargetPose(c, a, findTarget(c, a)->pose * translated({0, 0, -0.01}));
    }));
    const Pose own = findTarget(*history.current(), a)->pose;
    QVERIFY(*settled(*history.current()) == *history.current());
    QVERIFY(findTarget(*history.current(), a)->pose == own);
    // What it is tied to goes: it stays where it is, tied to nothing.
    const Pose last = worldOf(*history.current(), *findTarget(*history.current(), b));
    QVERIFY(!history.apply("Delete", [&](const Cell& c) { return deleteTarget(c, a); }));
    QVERIFY(!findTarget(*history.current(), b)->tie.has_value());
    QVERIFY(deviation(worldOf(*history.current(), *findTarget(*history.current(), b)), last).metres < 1e-12);
}

void RelationsTest::tiesMakeNoLoops()
{
    const Drawn d = drawnOnBench();
    TargetId a, b;
    Cell cell = *copyTarget(d.cell, placesOf(d.cell, d.seam)[1]->id, &a);
    cell = *copyTarget(cell, placesOf(cell, d.seam)[4]->id, &b);
    cell = *tieTarget(cell, a, {}, b);
    QCOMPARE(tieTarget(cell, b, {}, a).error().code, std::string("edit.tie-loop"));
    QCOMPARE(tieTarget(cell, a, {}, a).error().code, std::string("edit.tie-loop"));
    QVERIFY(!tieTarget(cell, placesOf(cell, d.seam)[0]->id, {}, a).ok());
    QVERIFY(!findTarget(*tieTarget(cell, a, {}, {}), a)->tie.has_value());
    // What edits refuse, files cannot have either.
    Cell loop = cell;
    loop.targets.edit(b)->tie = Tie{{}, a, {}};
    QVERIFY(validate(loop).has_value());
    QVERIFY(!readCell(writeCell(loop), "loop").ok());
    Cell own = cell;
    own.targets.edit(a)->tie = Tie{{}, a, {}};
    QVERIFY(validate(own).has_value());
    Cell member = cell;
    member.targets.edit(placesOf(cell, d.seam)[0]->id)->tie = Tie{{}, b, {}};
    QVERIFY(validate(member).has_value());
    QVERIFY(!validate(cell));
}

void RelationsTest::mirroredAndCopiedTargetsKeepTheirRelation()
{
    const Drawn d = drawnOnBench();
    TargetId a, b;
    Cell cell = *copyTarget(d.cell, placesOf(d.cell, d.seam)[1]->id, &a);
    cell = *copyTarget(cell, placesOf(cell, d.seam)[4]->id, &b);
    cell = *tieTarget(cell, b, {}, a);
    const Cell twice = *mirrorTargets(*mirrorTargets(cell, {a, b}, 1, {0, 0.1, 0}), {a, b}, 1, {0, 0.1, 0});
    for (const TargetId id : {a, b})
        QVERIFY(deviation(findTarget(twice, id)->pose, findTarget(cell, id)->pose).metres < 1e-12);
    const Cell once = *mirrorTargets(cell, {a}, 1, {0, 0.1, 0});
    QVERIFY(std::abs(findTarget(once, a)->pose.translation[1] - (0.2 - findTarget(cell, a)->pose.translation[1]))
            < 1e-12);
    QVERIFY(std::abs(findTarget(once, a)->pose.matrix().determinant() - 1) < 1e-9);
    // Shifted by 12.5 mm and 3°, both together and each of them.
    TargetShift shift;
    shift.along = {0.0125, 0, 0};
    shift.turn = 3 * kDegree;
    const Cell shiftedBoth = *shiftTargets(cell, {a, b}, shift);
    for (const TargetId id : {a, b}) {
        const Pose expected =
            Pose{shift.along, Quat(Eigen::AngleAxisd(shift.turn, Vec3::UnitZ()))} * findTarget(cell, id)->pose;
        QVERIFY(deviation(findTarget(shiftedBoth, id)->pose, expected).metres < 1e-12);
    }
    QVERIFY(*settled(shiftedBoth) == shiftedBoth);
    FrameId other;
    cell = *addFrame(cell, "Second bench", {}, translated({1, 1, 1}), &other);
    std::vector<TargetId> made;
    const Cell copied = *copyTargetsTo(cell, {a, b}, other, &made);
    QCOMPARE(made.size(), size_t(2));
    for (size_t i = 0; i < 2; ++i) {
        QVERIFY(findTarget(copied, made[i])->pose == findTarget(cell, i ? b : a)->pose);
        QCOMPARE(findTarget(copied, made[i])->frame, other);
    }
    QCOMPARE(findTarget(copied, made[1])->tie->target, made[0]);
    QVERIFY(!validate(copied));
}

void RelationsTest::copiedFixturesHaveTheirOwnGroups()
{
    Drawn d = drawnOnBench(true);
    TargetId tied;
    Cell cell = *copyTarget(d.cell, placesOf(d.cell, d.seam)[1]->id, &tied);
    const PartId part = findPattern(cell, d.seam)->drawing.part;
    cell = *tieTarget(cell, tied, part, {});
    const size_t groups = cell.patterns.size();
    for (const bool sameCell : {true, false}) {
        FrameId copy;
        const Cell before = sameCell ? cell : programCell(2, 1);
        Result<Cell> made = sameCell ? copyFixture(cell, d.bench, &copy)
                                     : bringFixture(before, before.arms.front().id, cell, d.bench, &copy);
        QVERIFY2(made.ok(), made.ok() ? "" : qPrintable(QString::fromStdString(made.error().line())));
        const Cell after = *settled(*made);
        QVERIFY(!validate(after));
        const Pattern* group = nullptr;
        for (const Pattern& p : after.patterns)
            if (p.layout == Pattern::Layout::Drawn && p.frame == copy) group = &p;
        QVERIFY(group);
        if (sameCell) QCOMPARE(after.patterns.size(), groups + 1);
        // On the copied part, whose places go with the copy.
        const Part* own = findPart(after, group->drawing.part);
        QVERIFY(own && own->frame == copy);
        const Pose by = worldFromFrame(after, copy) * inverse(worldFromFrame(cell, d.bench));
        const std::vector<const Target*> was = placesOf(cell, d.seam), is = placesOf(after, group->id);
        QCOMPARE(is.size(), was.size());
        for (size_t i = 0; i < was.size(); ++i)
            QVERIFY(deviation(worldOf(after, *is[i]), by * worldOf(cell, *was[i])).metres < 1e-9);
        int ties = 0;
        for (const Target& target : after.targets) {
            if (target.frame != copy || !target.tie) continue;
            QCOMPARE(target.tie->part, own->id);
            ++ties;
        }
        QCOMPARE(ties, 1);
    }
}

void RelationsTest::tablesOfTargetsKeepTies()
{
    Drawn d = drawnOnBench(true);
    TargetId tied;
    Cell cell = *copyTarget(d.cell, placesOf(d.cell, d.seam)[1]->id, &tied);
    cell = *tieTarget(cell, tied, findPattern(cell, d.seam)->drawing.part, {});
    const std::string name = findTarget(cell, tied)->name;
    const Pose before = findTarget(cell, tied)->pose;
    const Result<TargetsRead> read = targetsFromCsv(cell, "name,x [mm]\n\"" + name + "\",12.5\n");
    QVERIFY(read.ok());
    const Cell after = *settled(read->cell);
    const Target& own = *findTarget(after, tied);
    QVERIFY(own.tie.has_value());
    QVERIFY(std::abs(own.pose.translation.x() - 0.0125) < 1e-12);
    QVERIFY(std::abs(own.tie->pose.translation.x() - findTarget(cell, tied)->tie->pose.translation.x()
                     - (0.0125 - before.translation.x()))
            < 1e-12);
}

void RelationsTest::filesKeepAllOfIt()
{
    Drawn d = drawnOnBench(true);
    Cell cell = d.cell;
    Pattern group = *findPattern(cell, d.seam);
    Drawing& g = group.drawing;
    g.seam = false, g.closed = true, g.lead = 0.1, g.tilt = -0.2, g.turn = 0.3, g.offset = 0.004, g.radius = 0.01;
    g.turns = Drawing::Turn::Free;
    g.points[2].turn = 0.7;
    g.family = d.seam.value;
    group.leftOut = {3};
    cell = *changePattern(cell, group);
    TargetId a;
    cell = *copyTarget(cell, placesOf(cell, d.seam)[1]->id, &a);
    cell = *tieTarget(cell, a, g.part, {});
    cell = *setFreedom(cell, {a}, {Freedom::Kind::Slide, 0, 0.02, 1});
    cell = *setTargetGroup(cell, {a}, "Rim work");
    cell = *setTargetNote(cell, a, "as measured in spring");
    PartKind kind = *findPartKind(cell, findPart(cell, g.part)->kind);
    kind.grips = {{"Middle", translated({0, 0, 0.005}), {Freedom::Kind::Cone, 0.2, 0, 0}}, {"Edge", {}, {}}};
    cell = *changePartKind(cell, kind);
    cell = mainWith(cell, "    follow Rim backwards over 30 mm with Spray at 40 mm/s blend 2 mm\n");
    cell = *settled(cell);
    const std::string text = writeCell(cell);
    const Result<Cell> read = readCell(text, "x");
    QVERIFY2(read.ok(), read.ok() ? "" : qPrintable(QString::fromStdString(read.error().line())));
    QVERIFY(*read == cell);
    QCOMPARE(writeCell(*read), text);
}

void RelationsTest::filesWithWrongDrawingsAreRefused_data()
{
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("says");
    QTest::newRow("a normal that is none") << "\"normal\":[0.0,0.0,1.0]"
                                           << "\"normal\":[0.0,0.0,3.0]"
                                           << "length 1";
    QTest::newRow("a number twice") << "\"number\":1,"
                                    << "\"number\":0,"
                                    << "number 0";
    QTest::newRow("an older version") << "\"version\": 9"
                                      << "\"version\": 6"
                                      << "came with version 7";
    QTest::newRow("a lead that lies down") << "\"lead\":0.0,\"tilt\""
                                           << "\"lead\":2.0,\"tilt\""
                                           << "the lead cannot be";
}
void RelationsTest::filesWithWrongDrawingsAreRefused()
{
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, says);
    QString text = QString::fromStdString(writeCell(drawnOnBench().cell));
    const auto at = text.indexOf(from);
    QVERIFY2(at >= 0, qPrintable(text.mid(text.indexOf("drawing"), 600)));
    text.replace(at, from.size(), to);
    const Result<Cell> read = readCell(text.toStdString(), "x");
    QVERIFY(!read.ok());
    QVERIFY2(QString::fromStdString(read.error().line()).contains(says),
             qPrintable(QString::fromStdString(read.error().line())));
}

TOPIKOS_TEST(RelationsTest)
#include "relations_test.moc"
