#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/check/check.h"
#include "core/collide/by_hand.h"
#include "core/collide/pairs.h"
#include "core/collide/sweep.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

using namespace topikos;
using namespace topikos::test;

/// What contact checks remember, share among threads and leave out; and the arm moved by hand.
class ContactKeptTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void workersChangeNothing_data();
    void workersChangeNothing();
    void editsAreJudgedAnew();
    void editCostsWhatItTouches();
    void movedFixtureCostsItsPairs();
    void sameAgainCostsNothing();
    void mayTouchHoldsForItsStep();
    void pairsHaveTheirOwnCaution();
    void standInsArePadded();
    void depthOfBoxes();
    void contactHasAStretchAndADepth();
    void armByHandStopsAndComesOut();
    void downToContactTellsTheHeight();

private:
    /// Checks that remember moves and contact from one to the next.
    struct Remembering {
        ContactCache cache;
        PlanCache plans;
        CheckResult operator()(const Cell& cell)
        {
            CheckOptions options;
            options.plans = &plans;
            options.touched = &cache;
            return check(cell, options);
        }
    };
    /// All that is told of contact, to the last bit.
    static std::string told(const std::vector<Encounter>& all)
    {
        std::string out;
        for (const Encounter& e : all)
            out += fmt::format("{} {} {} {} {:a} {:a} {:a} {:a} {:a} {}\n", e.a, e.b, e.arm.value, e.outcome, e.time,
                               e.from, e.until, e.nearest.distance, e.depth, e.contact);
        return out;
    }
    static Cell withBlock(const Cell& cell, const Pose& place, const Vec3& size, FrameId* made = nullptr)
    {
        FrameId id;
        const Cell next = addFrame(cell, "Block", {}, place, &id).value();
        if (made) *made = id;
        return setFrameSolids(next, id, {{Solid::Kind::Box, {}, size, {}}}).value();
    }
    static std::vector<Finding> contacts(const Cell& cell)
    {
        std::vector<Finding> out;
        const CheckResult result = check(cell);
        for (const Finding* f : withFollowUps(result.findings))
            if (f->as<ContactFact>()) out.push_back(*f);
        return out;
    }
    /// A swing of joint 1 through a block.
    static Cell swing(FrameId* block)
    {
        const Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 30°\n    wait 1 s\n"
                                                     "    joint 1 by 30°\n    joint 1 by -60°\n");
        JointVector there = homePosture(cell, cell.arms.front());
        there[0] += 0.7;
        const Vec3 tcp = worldFromTcp(cell, cell.arms.front(), there).translation;
        return withBlock(cell, translated(tcp), {0.06, 0.06, 0.3}, block);
    }
};

void ContactKeptTest::workersChangeNothing_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"tile-glazing-line", "glazing-line-on-a-rail", "rack-of-24"})
        QTest::newRow(name) << std::string(name);
}

void ContactKeptTest::workersChangeNothing()
{
    QFETCH(std::string, name);
    const Cell cell = example(name);
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    constexpr double wide = 0.03;  // so that there is something to tell [m]
    const std::string alone = told(encounters(scene, wide));
    QVERIFY(std::count(alone.begin(), alone.end(), '\n') > 5);
    for (const int workers : {2, 3}) {
        SweepOptions options;
        options.workers = workers;
        QCOMPARE(told(encounters(scene, wide, options)), alone);
    }
}

/// After edits of every kind, what is remembered tells the same as a check from nothing.
void ContactKeptTest::editsAreJudgedAnew()
{
    ContactCache cache;
    PlanCache plans;
    std::mt19937_64 random(8);
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    FrameId block;
    Cell cell = withBlock(example("tile-glazing-line"), translated({0.7, 0.5, 1.3}), {0.1, 0.1, 0.1}, &block);
    int findings = 0;
    for (int n = 0; n < 24; ++n) {
        switch (n % 6) {
        case 0:
            cell = setFramePose(cell, block, translated({real(0.3, 1), real(-0.7, 0.9), real(0.8, 1.5)})).value();
            break;
        case 1: {
            const Target& target = cell.targets[random() % cell.targets.size()];
            if (target.kind != Target::Kind::Pose || target.pattern) break;
            Pose pose = target.pose;
            pose.translation += Vec3(real(-0.05, 0.05), real(-0.05, 0.05), real(0, 0.05));
            cell = setTargetPose(cell, target.id, pose).value();
            break;
        }
        case 2: {
            Tool tool = cell.tools.front();
            tool.gripper.open = real(0.17, 0.19);
            cell = changeTool(cell, tool).value();
            break;
        }
        case 3: {
            PartKind kind = cell.partKinds.front();
            kind.solids.front().size = kind.solids.front().size * real(0.98, 1.02);
            cell = changePartKind(cell, kind).value();
            break;
        }
        case 4: cell.arms.edit(cell.arms.front().id)->padding = real(0, 0.02); break;
        case 5: {
            const Routine& routine = routineOf(cell, cell.arms.front());
            Step step = routine.steps[random() % routine.steps.size()];
            if (LineMove* line = step.as<LineMove>()) line->speed = real(0.05, 0.5);
            cell = changeStep(cell, routine.id, step).value();
        }
        }
        CheckOptions kept;
        kept.plans = &plans;
        kept.touched = &cache;
        kept.workers = 2;
        const CheckResult with = check(cell, kept), without = check(cell);
        const auto all = withFollowUps(with.findings), anew = withFollowUps(without.findings);
        QCOMPARE(all.size(), anew.size());
        for (size_t i = 0; i < all.size(); ++i) {
            QCOMPARE(findingText(cell, *all[i]).line(), findingText(cell, *anew[i]).line());
            const ContactFact *a = all[i]->as<ContactFact>(), *b = anew[i]->as<ContactFact>();
            QCOMPARE(!a, !b);
            if (!a) continue;
            ++findings;
            QVERIFY(std::abs(a->time - b->time) < 1e-7 && std::abs(a->distance - b->distance) < 1e-7);
        }
    }
    QVERIFY2(findings > 10, qPrintable(QString::number(findings)));
}

void ContactKeptTest::editCostsWhatItTouches()
{
    std::string text = "routine Main, run by Arm\n";
    for (int i = 0; i < 40; ++i)
        text += fmt::format("    joint 1 by {}°\n", i % 2 ? -30 - i * 0.1 : 30 + i * 0.1);
    Cell cell = withProgram(programCell(), text);
    Remembering remembering;
    remembering(cell);
    const auto missed = [&] { return remembering.cache.counts().asked - remembering.cache.counts().found; };
    const auto first = missed();
    QVERIFY2(first >= 40, qPrintable(QString::number(first)));
    remembering(cell);
    QCOMPARE(missed(), first);
    // A step in the middle that takes longer: those behind it come later, and are known all the same.
    Step step = routineOf(cell, cell.arms.front()).steps[20];
    step.as<JointMove>()->speed = 0.31;
    cell = changeStep(cell, routineOf(cell, cell.arms.front()).id, step).value();
    remembering(cell);
    QVERIFY2(missed() - first <= 10, qPrintable(QString::number(missed() - first)));
}

void ContactKeptTest::movedFixtureCostsItsPairs()
{
    FrameId block;
    Cell cell = withBlock(example("glazing-line-on-a-rail"), translated({0.98, -0.3, 1.62}), {0.1, 0.1, 0.1}, &block);
    Remembering remembering;
    remembering(cell);
    const ContactCache::Counts first = remembering.cache.counts();
    const auto worked = first.pairsAsked - first.pairsFound;
    QVERIFY(worked > 100);
    cell = setFramePose(cell, block, translated({0.98, -0.3, 1.615})).value();
    remembering(cell);
    const ContactCache::Counts second = remembering.cache.counts();
    const auto anew = second.pairsAsked - second.pairsFound - worked;
    QVERIFY2(anew > 0 && anew < worked / 8, qPrintable(QString("%1 of %2").arg(anew).arg(worked)));
}

void ContactKeptTest::sameAgainCostsNothing()
{
    const auto workedFor = [](int times) {
        std::string text = "routine Main, run by Arm\n";
        for (int i = 0; i < times; ++i)
            text += "    joint to Home\n    joint over Tile pick 120 mm blend 20 mm\n    line to Tile pick\n"
                    "    line over Tile pick 120 mm\n    joint over Rack place 120 mm\n";
        ContactCache cache;
        CheckOptions options;
        options.touched = &cache;
        check(withProgram(example("tile-glazing-line"), text), options);
        return cache.counts().pairsAsked - cache.counts().pairsFound;
    };
    const auto twice = workedFor(2);
    QVERIFY(twice > 20);
    QCOMPARE(workedFor(12), twice);
}

void ContactKeptTest::mayTouchHoldsForItsStep()
{
    FrameId block;
    const Cell cell = swing(&block);
    const std::vector<Finding> before = contacts(cell);
    std::set<size_t> hit;
    for (const Finding& f : before)
        if (f.rule == Rule::Contact) hit.insert(f.stepIndex);
    QVERIFY(hit.size() == 2);
    const Routine& routine = routineOf(cell, cell.arms.front());
    Step step = routine.steps[*hit.begin()];
    step.mayTouch = {block};
    const Cell may = changeStep(cell, routine.id, step).value();
    std::set<size_t> left;
    for (const Finding& f : contacts(may))
        if (f.rule == Rule::Contact) left.insert(f.stepIndex);
    hit.erase(hit.begin());
    QVERIFY(left == hit);
    // Another thing that may be touched is no help.
    step.mayTouch = {cell.partKinds.front().id};
    QCOMPARE(contacts(changeStep(cell, routine.id, step).value()).size(), before.size());
    // It goes with the frame, and through file and text.
    QVERIFY(!deleteFrame(may, block));
    QVERIFY(readCell(writeCell(may), "again").value() == may);
    const Step typed = typedStep(may, "wait 1 s, may touch Block, any Tile").value();
    QCOMPARE(typed.mayTouch.size(), size_t(2));
    QVERIFY(typed.mayTouch[0] == Touchable(block) && typed.mayTouch[1] == Touchable(cell.partKinds.front().id));
    QVERIFY(!typedStep(may, "wait 1 s, may touch Nothing"));
    QVERIFY(!typedStep(may, "call Main, may touch Block"));
    QVERIFY(!typedStep(may, "wait 1 s, may touch Block, Block"));
}

void ContactKeptTest::pairsHaveTheirOwnCaution()
{
    FrameId block;
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 60°\n");
    cell = withBlock(cell, translated({1.15, 0.6, 1.0}), {0.1, 0.1, 0.4}, &block);
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    double least = INFINITY;
    ContactMember own;
    for (const SmallestClearance& c : smallestClearances(scene))
        for (const auto& [a, b] : {std::pair(c.a, c.b), std::pair(c.b, c.a)})
            if (scene.bodies()[b].frame == block && c.nearest.distance < least) {
                least = c.nearest.distance;
                own = *scene.bodies()[a].member();
            }
    QVERIFY(least > 0.01 && least < 1);
    QVERIFY(contacts(cell).empty());
    const ContactMember other{ContactMember::Kind::Frame, block.value, {}};
    QVERIFY(!setPairCaution(cell, own, other, 0.1));
    cell.contact = *sampleContactPairs(cell, {50, 1});
    const auto with = [&](std::optional<double> caution) { return setPairCaution(cell, own, other, caution).value(); };
    QVERIFY(contacts(with(least - 3e-4)).empty());
    const std::vector<Finding> raised = contacts(with(least + 3e-4));
    QVERIFY(!raised.empty());
    for (const Finding& f : raised) {
        QCOMPARE(f.rule, Rule::Clearance);
        QVERIFY(std::abs(f.as<ContactFact>()->limit - (least + 3e-4)) < 1e-12);
    }
    QVERIFY(!setPairCaution(cell, own, other, 5.0) && !setPairCaution(cell, own, other, -0.1));
    const Cell kept = with(0.07);
    QVERIFY(readCell(writeCell(kept), "again").value() == kept);
    // Pairs found anew keep it.
    const ContactPairs again = *sampleContactPairs(kept, {60, 2});
    QVERIFY(
        std::any_of(again.pairs.begin(), again.pairs.end(), [](const ContactPair& p) { return p.caution == 0.07; }));
}

void ContactKeptTest::standInsArePadded()
{
    FrameId block;
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint 1 by 60°\n");
    cell = withBlock(cell, translated({1.15, 0.6, 1.0}), {0.1, 0.1, 0.4}, &block);
    const auto least = [&](double padding) {
        cell.arms.edit(cell.arms.front().id)->padding = padding;
        const Trace trace = simulate(cell);
        const ContactScene scene(cell, trace);
        double out = INFINITY;
        for (const SmallestClearance& c : smallestClearances(scene))
            for (const auto& [a, b] : {std::pair(c.a, c.b), std::pair(c.b, c.a)})
                if (scene.bodies()[b].frame == block && scene.bodies()[a].kind == SceneBody::Kind::Link)
                    out = std::min(out, c.nearest.distance);
        return out;
    };
    const double plain = least(0);
    QVERIFY(plain > 0.03);
    QVERIFY(std::abs(least(0.02) - (plain - 0.02)) < 3e-4);
    cell.arms.edit(cell.arms.front().id)->padding = 0.02;
    QVERIFY(readCell(writeCell(cell), "again").value() == cell);
    cell.arms.edit(cell.arms.front().id)->padding = 0.7;
    QVERIFY(!readCell(writeCell(cell), "again"));
}

/// Of boxes the shortest way out is along one of fifteen axes (separating axes of two boxes).
void ContactKeptTest::depthOfBoxes()
{
    std::mt19937_64 random(4);
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    int deep = 0;
    for (int n = 0; n < 300; ++n) {
        const Vec3 x(real(0.05, 0.4), real(0.05, 0.4), real(0.05, 0.4)),
            y(real(0.05, 0.4), real(0.05, 0.4), real(0.05, 0.4));
        const Pose place{
            {real(-0.2, 0.2), real(-0.2, 0.2), real(-0.2, 0.2)},
            Quat(Eigen::AngleAxisd(real(-3, 3), Vec3(real(-1, 1), real(-1, 1), real(-1, 1)).normalized()))};
        const Mat3 turn = place.matrix();
        double exact = INFINITY;
        const auto along = [&](const Vec3& axis) {
            if (axis.norm() < 1e-6) return;
            const Vec3 d = axis.normalized();
            double reach = -std::abs(place.translation.dot(d));
            for (int i = 0; i < 3; ++i)
                reach += 0.5 * x[i] * std::abs(d[i]) + 0.5 * y[i] * std::abs(turn.col(i).dot(d));
            exact = std::min(exact, reach);
        };
        for (int i = 0; i < 3; ++i) {
            along(Vec3::Unit(i));
            along(turn.col(i));
            for (int k = 0; k < 3; ++k)
                along(Vec3::Unit(i).cross(turn.col(k)));
        }
        const ContactBody a = ContactBody::of({{Solid::Kind::Box, {}, x, {}}}),
                          b = ContactBody::of({{Solid::Kind::Box, {}, y, {}}});
        const double found = a.depth({}, b, place);
        deep += exact > 0.01;
        QVERIFY2(std::abs(found - std::max(0.0, exact)) < 1e-5, qPrintable(QString("%1 %2").arg(found).arg(exact)));
    }
    QVERIFY(deep > 100);
}

void ContactKeptTest::contactHasAStretchAndADepth()
{
    FrameId block;
    const Cell cell = swing(&block);
    const Trace trace = simulate(cell);
    const ContactScene scene(cell, trace);
    int told = 0;
    for (const Encounter& e : encounters(scene, 0)) {
        const auto at = [&](double time) {
            return scene.bodies()[e.a].shape->nearest(*scene.place(e.a, time), *scene.bodies()[e.b].shape,
                                                      *scene.place(e.b, time));
        };
        QVERIFY(e.contact && e.until >= e.time && e.depth >= 0);
        if (e.until - e.time < 0.05 || e.depth == 0) continue;
        ++told;
        QVERIFY(at(0.5 * (e.time + e.until)).distance <= kTouch || e.depth > 0);
        double deepest = 0;
        for (double t = e.time; t <= e.until; t += 0.002)
            deepest = std::max(deepest, scene.bodies()[e.a].shape->depth(
                                            *scene.place(e.a, t), *scene.bodies()[e.b].shape, *scene.place(e.b, t)));
        QVERIFY2(e.depth <= deepest + 0.006 && e.depth >= deepest - 0.006,
                 qPrintable(QString("%1 %2").arg(e.depth).arg(deepest)));
    }
    QVERIFY(told >= 1);
}

void ContactKeptTest::armByHandStopsAndComesOut()
{
    FrameId block;
    const Cell cell = swing(&block);
    const ArmStation& arm = cell.arms.front();
    ContactCache cache;
    const JointVector home = homePosture(cell, arm);
    JointVector to = home;
    to[0] += 1.4;
    const HandStop stop = moveByHand(cell, arm.id, home, to, {}, {}, cache);
    QVERIFY(stop.touches() && stop.fraction > 0.02);
    QCOMPARE(stop.other.name, std::string("Block"));
    QVERIFY(std::abs(stop.normal.norm() - 1) < 1e-9);
    // It stands just before the touch: a little further on there is one, and all before is free.
    JointVector on = stop.posture;
    on[0] += 0.002;
    QVERIFY(moveByHand(cell, arm.id, stop.posture, on, {}, {}, cache).touches());
    QVERIFY(!moveByHand(cell, arm.id, home, stop.posture, {}, {}, cache).touches());
    QVERIFY(!moveByHand(cell, arm.id, stop.posture, home, {}, {}, cache).touches());
    // Out of a contact, but not further in.
    JointVector in = stop.posture, deeper = stop.posture;
    in[0] += 0.01;
    deeper[0] += 0.03;
    QVERIFY(moveByHand(cell, arm.id, in, deeper, {}, {}, cache).touches());
    QVERIFY(!moveByHand(cell, arm.id, in, home, {}, {}, cache).touches());
    QVERIFY(!moveByHand(cell, arm.id, home, home, {}, {}, cache).touches());
}

void ContactKeptTest::downToContactTellsTheHeight()
{
    // A ball of known size as the tool, over a table of known height.
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint to Home\n");
    cell.parts = {};
    cell.patterns.eraseIf([](const Pattern& p) { return p.content == Pattern::Content::Parts; });
    Tool tool = cell.tools.front();
    tool.jaw = {};
    tool.body = {{Solid::Kind::Sphere, tool.flangeFromTcp, {0.04, 0.04, 0.04}, {}}};
    cell = changeTool(cell, tool).value();
    const ArmStation& arm = cell.arms.front();
    const JointVector home = homePosture(cell, arm);
    const Vec3 from = worldFromTcp(cell, arm, home).translation;
    const double top = from.z() - 0.173;
    cell = withBlock(cell, translated({from.x(), from.y(), top - 0.05}), {0.2, 0.2, 0.1});
    ContactCache cache;
    const HandStop stop = downToContact(cell, cell.arms.front().id, home, -Vec3::UnitZ(), 0.3, {}, cache);
    QVERIFY(stop.touches());
    QCOMPARE(stop.other.name, std::string("Block"));
    const Vec3 there = worldFromTcp(cell, cell.arms.front(), stop.posture).translation;
    const double radius = 0.5 * 0.04;
    QVERIFY2(std::abs(there.z() - (top + radius)) < 5e-5, qPrintable(QString::number(there.z() - top - radius)));
    QVERIFY((there - from).head<2>().norm() < 2e-5);
    // Nothing below: it goes as far as it was told.
    const HandStop none = downToContact(cell, cell.arms.front().id, home, Vec3::UnitZ(), 0.05, {}, cache);
    QVERIFY(!none.touches());
    QVERIFY(std::abs(worldFromTcp(cell, cell.arms.front(), none.posture).translation.z() - from.z() - 0.05) < 1e-6);
}

TOPIKOS_TEST(ContactKeptTest)
#include "contact_kept_test.moc"
