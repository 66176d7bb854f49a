#include "core/cell/arms.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/check/check.h"
#include "core/collide/sweep.h"
#include "core/program/program_text.h"
#include "core/simulate/state.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

using namespace topikos;
using namespace topikos::test;

/// Contact and clearance along runs.
class ContactRunTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void examplesTouchNothing_data();
    void examplesTouchNothing();
    void thinSheetsAreNotJumpedOver();
    void clearanceIsSilentOneNotchBelow();
    void contactWhereAStepBeginsIsHeard();
    void smallestClearanceIsTheSmallest();
    void whatIsGrippedMayBeTouched();
    void blockBesideThePartIsHit();
    void carriedPartIsChecked();
    void twoArmsBothMoving();
    void pairsLeftOutByHandAreNotChecked();
    void armThroughItsOwnBaseIsHeard();
    void findingsSayWhereAndStopTheVerdict();
};

namespace {

const ArmStation& armIn(const Cell& cell) { return cell.arms.front(); }

Cell withBox(const Cell& cell, const Pose& place, const Vec3& size, FrameId* made = nullptr, const char* name = "Block")
{
    FrameId id;
    const Cell next = addFrame(cell, name, {}, place, &id).value();
    if (made) *made = id;
    return setFrameSolids(next, id, {{Solid::Kind::Box, {}, size, {}}}).value();
}

std::vector<Encounter> metIn(const Cell& cell, double caution = 0)
{
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    return encounters(scene, caution);
}

/// Whether a frame is one of the two.
bool isOf(const ContactScene& scene, const Encounter& e, FrameId frame)
{
    return scene.bodies()[e.a].frame == frame || scene.bodies()[e.b].frame == frame;
}

std::vector<Finding> contactsOf(const Cell& cell)
{
    std::vector<Finding> out;
    for (const Finding& f : check(cell).findings)
        if (f.as<ContactFact>()) out.push_back(f);
    return out;
}

}  // namespace

void ContactRunTest::examplesTouchNothing_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"tile-glazing-line", "glazing-line-on-a-rail", "rack-of-24"})
        QTest::newRow(name) << std::string(name);
}

void ContactRunTest::examplesTouchNothing()
{
    QFETCH(std::string, name);
    const Cell cell = example(name);
    for (const Finding& f : contactsOf(cell))
        QFAIL(findingText(cell, f).line().c_str());
}

/// Sheets of 1 mm in the way of swings at full speed: what looks at fine times see is found.
void ContactRunTest::thinSheetsAreNotJumpedOver()
{
    const bool many = qEnvironmentVariableIsSet("TOPIKOS_MANY");
    std::mt19937_64 random(91);
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    const Cell plain = withProgram(programCell(), "routine Main, run by Arm\n    joint to Home\n");
    int hits = 0, misses = 0;
    for (int n = 0; n < (many ? 2000 : 120); ++n) {
        Cell cell = plain;
        cell.parts = {};
        cell.patterns.eraseIf([](const Pattern& p) { return p.content == Pattern::Content::Parts; });
        JointVector q = homePosture(cell, armIn(cell));
        q[0] += real(-2, 2);
        q[1] += real(-0.5, 0.4);
        q[2] += real(-0.6, 0.4);
        q[4] += real(-1, 0.4);
        TargetId there;
        cell = takePostureTarget(cell, armIn(cell).id, q, "There", &there).value();
        cell = withProgram(cell, "routine Main, run by Arm\n    joint to There\n    joint to Home\n");
        const double turn = q[0] + real(-1, 1), out = real(0.4, 1.1);
        FrameId sheet;
        cell = withBox(cell,
                       {{out * std::cos(turn), out * std::sin(turn), real(0.8, 1.6)},
                        Quat(Eigen::AngleAxisd(real(-3, 3), Vec3(real(-1, 1), real(-1, 1), real(-1, 1)).normalized()))},
                       {0.4, 0.4, 0.001}, &sheet, "Sheet");
        const Trace trace = simulate(cell);
        const ContactScene scene(cell, trace);
        bool seen = false;
        const size_t own = size_t(std::find_if(scene.bodies().begin(), scene.bodies().end(),
                                               [&](const SceneBody& b) { return b.frame == sheet; })
                                  - scene.bodies().begin());
        for (double t = 0; t < trace.duration && !seen; t += 0.004)
            for (size_t i = 0; i < scene.bodies().size() && !seen; ++i)
                if (scene.bodies()[i].ofArm() && scene.moves(i))
                    seen = scene.bodies()[i].shape->touches(*scene.place(i, t), *scene.bodies()[own].shape,
                                                            *scene.place(own, t));
        bool found = false;
        for (const Encounter& e : encounters(scene, 0)) {
            if (!isOf(scene, e, sheet)) continue;
            found = true;
            QVERIFY(e.contact);
            // What is told is so.
            QVERIFY(
                scene.bodies()[e.a]
                    .shape->nearest(*scene.place(e.a, e.time), *scene.bodies()[e.b].shape, *scene.place(e.b, e.time))
                    .distance
                <= kTouch);
        }
        QVERIFY2(found || !seen, qPrintable(QString("sweep %1").arg(n)));
        hits += seen;
        misses += !found;
    }
    QVERIFY2(hits > (many ? 200 : 12) && misses > 10, qPrintable(QString("%1 %2").arg(hits).arg(misses)));
}

void ContactRunTest::clearanceIsSilentOneNotchBelow()
{
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 60°\n");
    FrameId block;
    // Outside of the swing.
    cell = withBox(cell, translated({1.15, 0.6, 1.0}), {0.1, 0.1, 0.4}, &block);
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    double least = INFINITY;
    for (const SmallestClearance& own : smallestClearances(scene))
        if (scene.bodies()[own.a].frame == block || scene.bodies()[own.b].frame == block)
            least = std::min(least, own.nearest.distance);
    QVERIFY2(least > 0.01 && least < 0.6, qPrintable(QString::number(least)));
    const auto raised = [&](double caution) {
        Thresholds t = cell.thresholds;
        t.clearance = caution;
        int count = 0;
        for (const Finding& f : contactsOf(setThresholds(cell, t).value())) {
            if (f.as<ContactFact>()->a.name != "Block" && f.as<ContactFact>()->b.name != "Block") continue;
            if (f.rule != Rule::Clearance || f.severity != Severity::Caution) return -1;
            if (std::abs(f.as<ContactFact>()->distance - least) < 2e-4) ++count;
        }
        return count;
    };
    QCOMPARE(raised(least - 2e-4), 0);
    QCOMPARE(raised(least + 2e-4), 1);
    // One notch further in, it is hit.
    const Vec3 step = Vec3(1.15, 0.6, 0).normalized() * (least + 2e-3);
    Cell nearer = setFramePose(cell, block, translated(Vec3(1.15, 0.6, 1.0) - step)).value();
    const std::vector<Finding> hit = contactsOf(nearer);
    QVERIFY(std::any_of(hit.begin(), hit.end(), [](const Finding& f) { return f.rule == Rule::Contact; }));
}

/// It is over a moment later: only the very first look can see it.
void ContactRunTest::contactWhereAStepBeginsIsHeard()
{
    const Cell plain =
        withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 60°\n    joint 1 by -60°\n");
    const Trace trace = simulate(plain);
    for (const double time : {0.0, trace.arms.front().spans[1].start}) {
        const JointVector there = stateAt(plain, trace, time).arms.front().posture;
        const Pose tcp = worldFromTcp(plain, armIn(plain), there);
        FrameId block;
        // Beside the outer face of a jaw, in it by a hair.
        const Cell cell =
            withBox(plain, tcp * translated({0.098 + 0.018 + 0.0495, 0, -0.03}), {0.1, 0.02, 0.02}, &block);
        const Trace run = simulate(cell);
        const ContactScene scene(cell, run);
        bool found = false;
        for (const Encounter& e : encounters(scene, 0))
            found = found || (isOf(scene, e, block) && e.contact && e.time < time + 1e-3 && e.until > time - 1e-3);
        QVERIFY2(found, qPrintable(QString::number(time)));
    }
}

void ContactRunTest::smallestClearanceIsTheSmallest()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    const std::vector<SmallestClearance> all = smallestClearances(scene);
    QVERIFY(all.size() > 50);
    for (size_t i = 0; i < all.size(); i += 3) {
        const SmallestClearance& own = all[i];
        double least = INFINITY;
        for (double t = 0; t <= trace.duration; t += 0.01) {
            const auto a = scene.place(own.a, t), b = scene.place(own.b, t);
            if (a && b)
                least = std::min(least,
                                 scene.bodies()[own.a].shape->nearest(*a, *scene.bodies()[own.b].shape, *b).distance);
        }
        QVERIFY2(own.nearest.distance <= least + 1e-4,
                 qPrintable(QString("%1 %2").arg(own.nearest.distance).arg(least)));
    }
}

void ContactRunTest::whatIsGrippedMayBeTouched()
{
    // The demo grips a tile that lies on a belt and sets it on a rack: all of these touch, and nothing is raised.
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    int touching = 0;
    for (const SmallestClearance& own : smallestClearances(scene))
        touching += own.nearest.distance < 1e-3 && scene.bodies()[own.b].kind == SceneBody::Kind::Part;
    QVERIFY(touching >= 3);  // jaws, belt, rack
    QVERIFY(encounters(scene, 0.002).empty());
    // Without the grip, the jaws only go down on it: that is contact.
    Cell no = cell;
    const RoutineId main = armIn(cell).main;
    no = deleteStep(no, main, routineOf(cell, armIn(cell)).steps[3].id).value();
    Tool tool = no.tools.front();
    tool.gripper.closed = 0.11;
    tool.gripper.open = 0.13;
    no = changeTool(no, tool).value();
    QVERIFY(!metIn(no).empty());
}

void ContactRunTest::blockBesideThePartIsHit()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    // Where the jaws go, beside the tile.
    const ArmTrace& arm = trace.arms.front();
    const double grip = arm.spans[3].start;
    const Pose tcp = worldFromTcp(cell, armIn(cell), stateAt(cell, trace, grip).arms.front().posture);
    FrameId block;
    const Cell with = withBox(cell, tcp * translated({0.105, 0, 0}), {0.02, 0.04, 0.02}, &block);
    const Trace again = simulate(with);
    const ContactScene scene(with, again);
    bool jaw = false;
    for (const Encounter& e : encounters(scene, 0))
        if (isOf(scene, e, block)) {
            jaw = jaw || scene.bodies()[e.a].kind == SceneBody::Kind::Jaw;
            QVERIFY(e.arm == armIn(with).id);
        }
    QVERIFY(jaw);
}

void ContactRunTest::carriedPartIsChecked()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    // Half way from the belt to the rack, just below the jaws: only the tile gets there.
    const ArmTrace& arm = trace.arms.front();
    const double time = 0.5 * (arm.spans[5].start + arm.spans[5].end);
    const Pose tcp = worldFromTcp(cell, armIn(cell), stateAt(cell, trace, time).arms.front().posture);
    FrameId bar;
    const Cell with = withBox(cell, tcp, {0.01, 0.01, 0.01}, &bar, "Pin");
    const Trace again = simulate(with);
    const ContactScene scene(with, again);
    bool part = false;
    for (const Encounter& e : encounters(scene, 0))
        if (isOf(scene, e, bar)
            && (scene.bodies()[e.a].kind == SceneBody::Kind::Part
                || scene.bodies()[e.b].kind == SceneBody::Kind::Part)) {
            part = true;
            QVERIFY(e.arm == armIn(with).id);
        }
    QVERIFY(part);
}

void ContactRunTest::twoArmsBothMoving()
{
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 60°\n");
    FrameId foot;
    cell = addFrame(cell, "Second foot", {},
                    {{1.05, 0.6, 0.55}, Quat(Eigen::AngleAxisd(std::numbers::pi, Vec3::UnitZ()))}, &foot)
               .value();
    ArmId second;
    cell = addArm(cell, "Second", armIn(cell).model, foot, &second).value();
    const std::string name = routineOf(cell, *findArm(cell, second)).name;
    const auto swing = [&](const char* by) {
        return withProgram(
            cell, fmt::format(
                      "routine Main, run by Arm\n    joint 1 by 60°\n\nroutine {}, run by Second\n    joint 1 by {}\n",
                      name, by));
    };
    const auto between = [&](const Cell& own) {
        const Trace trace = simulate(own);
        const ContactScene scene(own, trace);
        int count = 0;
        for (const Encounter& e : encounters(scene, 0)) {
            const SceneBody &a = scene.bodies()[e.a], &b = scene.bodies()[e.b];
            if (!a.ofArm() || !b.ofArm() || a.arm == b.arm) continue;
            ++count;
            if (scene.bodies()[e.a]
                    .shape->nearest(*scene.place(e.a, e.time), *scene.bodies()[e.b].shape, *scene.place(e.b, e.time))
                    .distance
                > kTouch)
                return -1;
        }
        return count;
    };
    const int towards = between(swing("20°")), away = between(swing("-90°"));
    QVERIFY2(towards > 0, qPrintable(QString("%1 %2").arg(towards).arg(away)));
    QVERIFY(away >= 0 && away < towards);
}

void ContactRunTest::pairsLeftOutByHandAreNotChecked()
{
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 60°\n");
    FrameId block;
    cell = withBox(cell, translated({0.4, 0.4, 1.1}), {0.2, 0.2, 0.6}, &block);
    const std::vector<Finding> before = contactsOf(cell);
    QVERIFY(!before.empty());
    ContactPairs pairs;
    pairs.samples = 1;
    for (const Finding& f : before) {
        const ContactFact& fact = *f.as<ContactFact>();
        pairs.pairs.push_back({*fact.a.member, *fact.b.member, false, ContactPair::Reason::ByHand, 0});
    }
    cell.contact = pairs;
    QVERIFY(contactsOf(cell).empty());
}

void ContactRunTest::armThroughItsOwnBaseIsHeard()
{
    // Folded back on itself.
    Cell cell = programCell();
    JointVector q = homePosture(cell, armIn(cell));
    const std::vector<Joint>& joints = armIn(cell).model->joints();
    q[1] = joints[1].lower * 0.6;
    q[2] = joints[2].upper - 0.02;
    q[4] = joints[4].upper * 0.9;
    cell = takePostureTarget(cell, armIn(cell).id, q, "Folded").value();
    cell = withProgram(cell, "routine Main, run by Arm\n    joint to Folded\n");
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    bool own = false;
    for (const Encounter& e : encounters(scene, 0))
        own = own || (scene.bodies()[e.a].ofArm() && scene.bodies()[e.b].ofArm());
    double least = INFINITY;
    for (const SmallestClearance& s : smallestClearances(scene))
        if (scene.bodies()[s.a].ofArm() && scene.bodies()[s.b].ofArm()) least = std::min(least, s.nearest.distance);
    QCOMPARE(own, least <= kTouch);
    QVERIFY2(own, qPrintable(QString::number(least)));
}

void ContactRunTest::findingsSayWhereAndStopTheVerdict()
{
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    wait 1 s\n    joint 1 by 60°\n");
    cell = withBox(cell, translated({0.4, 0.4, 1.1}), {0.2, 0.2, 0.6});
    const CheckResult result = check(cell);
    QVERIFY(result.contact && result.count(Severity::Blocked) > 0);
    QVERIFY(QString::fromStdString(lookedAt(result)).endsWith(", contact"));
    bool any = false;
    for (const Finding& f : result.findings) {
        const ContactFact* fact = f.as<ContactFact>();
        if (!fact) continue;
        any = true;
        QCOMPARE(f.stepIndex, size_t(1));
        QVERIFY(fact->time > 1 && fact->time < result.trace.duration);
        QVERIFY(f.fraction > 0 && f.fraction < 1);
        const QString line = QString::fromStdString(findingText(cell, f).line());
        QVERIFY2(line.contains("Block") && line.contains("touch") && line.startsWith("Step 2"), qPrintable(line));
        QCOMPARE(measureOf(cell, f).unit, Unit::Metre);
    }
    QVERIFY(any);
    CheckOptions without;
    without.contact = false;
    QCOMPARE(check(cell, without).count(Severity::Blocked), 0);
}

TOPIKOS_TEST(ContactRunTest)
#include "contact_run_test.moc"
