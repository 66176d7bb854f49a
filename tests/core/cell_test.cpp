#include "core/cell/edit_layout.h"
#include "core/cell/history.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class CellTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void randomEditsUndoToTheSameBytes();
    void refusedEditsChangeNothing_data();
    void refusedEditsChangeNothing();
    void anotherArmKeepsTheTargets_data();
    void anotherArmKeepsTheTargets();
    void lockedAxisStaysWithTheCell();
    void gestureIsOneStep();
    void cancelledGestureKeepsWhatWasUndone();
    void anotherArmKeepsPairsSetByHand();
    void newParentKeepsThePlaceInTheWorld();
    void targetMovesWithItsFrame();
    void takenTargetIsWhereTheArmStands();
    void savedStateIsRemembered();
};

void CellTest::randomEditsUndoToTheSameBytes()
{
    History history(example("tile-glazing-line"));
    std::mt19937_64 random(31);
    std::vector<std::string> states{writeCell(*history.current())};
    const auto pick = [&](size_t n) { return size_t(random() % n); };
    int applied = 0;
    for (int n = 0; n < 1000; ++n) {
        const Cell& now = *history.current();
        const Routine& routine = now.routines.front();
        Status refused;
        switch (pick(9)) {
        case 0:
            refused = history.apply("rename", [&](const Cell& c) {
                return renameFrame(c, c.frames[pick(c.frames.size())].id, "Frame " + std::to_string(n));
            });
            break;
        case 1:
            refused = history.apply("move", [&](const Cell& c) {
                return setFramePose(c, c.frames[pick(c.frames.size())].id, translated({double(pick(9)) / 7, 0.1, 0.2}));
            });
            break;
        case 2:
            refused = history.apply("parent", [&](const Cell& c) {
                return setFrameParent(c, c.frames[pick(c.frames.size())].id, c.frames[pick(c.frames.size())].id);
            });
            break;
        case 3:
            refused = history.apply("take", [&](const Cell& c) {
                return takePoseTarget(c, c.arms.front().id, c.frames[pick(c.frames.size())].id,
                                      randomPosture(*c.arms.front().model, random), freeTargetName(c, "Target"));
            });
            break;
        case 4:
            refused = history.apply(
                "delete target", [&](const Cell& c) { return deleteTarget(c, c.targets[pick(c.targets.size())].id); });
            break;
        case 5:
            refused = history.apply("insert", [&](const Cell& c) {
                Step s;
                s.action = Wait{double(pick(100)) / 7};
                return insertStep(c, routine.id, pick(routine.steps.size() + 1), s);
            });
            break;
        case 6:
            if (!routine.steps.empty())
                refused = history.apply("delete", [&](const Cell& c) {
                    return deleteStep(c, routine.id, routine.steps[pick(routine.steps.size())].id);
                });
            else continue;
            break;
        case 7:
            if (!routine.steps.empty())
                refused = history.apply("order", [&](const Cell& c) {
                    return moveStep(c, routine.id, routine.steps[pick(routine.steps.size())].id,
                                    pick(routine.steps.size()));
                });
            else continue;
            break;
        case 8:
            refused = history.apply("thresholds", [&](const Cell& c) {
                Thresholds t = c.thresholds;
                t.jointMargin = double(pick(50)) / 60;
                return setThresholds(c, t);
            });
            break;
        }
        if (refused) {
            QCOMPARE(writeCell(*history.current()), states.back());
            continue;
        }
        ++applied;
        states.push_back(writeCell(*history.current()));
    }
    QVERIFY(applied > 600);
    for (size_t i = states.size() - 1; i-- > 0;) {
        history.undo();
        QCOMPARE(writeCell(*history.current()), states[i]);
    }
    QVERIFY(!history.canUndo());
    for (size_t i = 1; i < states.size(); ++i) {
        history.redo();
        QCOMPARE(writeCell(*history.current()), states[i]);
    }
    QVERIFY(!history.canRedo());
    // What was made by edits can be read back: no edit leads to a cell that the reader refuses.
    QVERIFY(readCell(states.back(), "edited").ok());
}

void CellTest::refusedEditsChangeNothing_data()
{
    QTest::addColumn<int>("edit");
    QTest::addColumn<QString>("said");
    QTest::newRow("empty name") << 0 << "cannot be empty";
    QTest::newRow("name taken, other case") << 1 << "already a \"Home\"";
    QTest::newRow("frame below itself") << 2 << "cannot carry it";
    QTest::newRow("home deleted") << 3 << "is the home posture";
    QTest::newRow("target in use deleted") << 4 << "used by step 2";
    QTest::newRow("home as a pose") << 5 << "home must be a posture";
    QTest::newRow("speed of nothing") << 6 << "limits are 0.1 and 10000 mm/s";
    QTest::newRow("distance from a posture") << 7 << "is a posture";
    QTest::newRow("thresholds crossed") << 8 << "Blocked must be at least 0";
    QTest::newRow("offset a mile away") << 9 << "limit";
    QTest::newRow("not a number") << 10 << "not a number";
    QTest::newRow("axis locked outside its range") << 11 << "outside its range";
    QTest::newRow("axis that is not there") << 12 << "has no axis 9";
}

void CellTest::refusedEditsChangeNothing()
{
    QFETCH(int, edit);
    QFETCH(QString, said);
    History history(example("tile-glazing-line"));
    const std::string before = writeCell(*history.current());
    const Cell& c = *history.current();
    const auto target = [&](const char* name) {
        return std::find_if(c.targets.begin(), c.targets.end(), [&](const Target& t) { return t.name == name; })->id;
    };
    const auto frame = [&](const char* name) {
        return std::find_if(c.frames.begin(), c.frames.end(), [&](const Frame& f) { return f.name == name; })->id;
    };
    const RoutineId routine = c.routines.front().id;
    const Status refused = history.apply("no", [&](const Cell& cell) -> Result<Cell> {
        Step step = cell.routines.front().steps[2];
        switch (edit) {
        case 0: return renameTarget(cell, target("Tile pick"), "");
        case 1: return renameTarget(cell, target("Tile pick"), "hOME");
        case 2: return setFrameParent(cell, frame("Pedestal"), frame("Arm base"));
        case 3: return deleteTarget(cell, target("Home"));
        case 4: return deleteTarget(cell, target("Tile pick"));
        case 5: return setHome(cell, target("Tile pick"));
        case 6: step.as<LineMove>()->speed = 0; return changeStep(cell, routine, step);
        case 7: step.as<LineMove>()->goal = AtPlace{target("Home"), 0.1}; return changeStep(cell, routine, step);
        case 8: {
            Thresholds t = cell.thresholds;
            t.elbowBlocked = 1;
            return setThresholds(cell, t);
        }
        case 9: return setFramePose(cell, frame("Pedestal"), translated({1609, 0, 0}));
        case 11: return setAxisLock(cell, cell.arms.front().id, 0, 7.0);
        case 12: return setAxisLock(cell, cell.arms.front().id, 8, 0.0);
        default: return setFramePose(cell, frame("Pedestal"), translated({NAN, 0, 0}));
        }
    });
    QVERIFY(refused);
    QVERIFY2(QString::fromStdString(refused->line()).contains(said), refused->line().c_str());
    QCOMPARE(writeCell(*history.current()), before);
    QVERIFY(!history.canUndo());
}

void CellTest::anotherArmKeepsTheTargets_data()
{
    QTest::addColumn<std::string>("id");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

void CellTest::anotherArmKeepsTheTargets()
{
    // Whatever arm comes: every target keeps its place, every posture has as many values as the arm, and going back
    // gives the same places.
    QFETCH(std::string, id);
    const Cell before = example("tile-glazing-line");
    const Cell after = setArmModel(before, before.arms.front().id, catalogueArm(id)).value();
    const ArmPtr arm = catalogueArm(id);
    QCOMPARE(after.targets.size(), before.targets.size());
    for (size_t i = 0; i < after.targets.size(); ++i) {
        const Target &was = before.targets[i], &is = after.targets[i];
        if (is.kind == Target::Kind::Pose) QVERIFY(is.pose == was.pose && is.frame == was.frame);
        else QVERIFY(is.posture.size() == arm->jointCount() && withinRange(*arm, is.posture));
        if (is.kind == Target::Kind::Pose && keepsPosture(*arm) && is.posture.size() > 0) {
            // The posture kept for it holds it.
            QVERIFY(deviation(forward(*arm, is.posture), baseFromFlange(after, is)).metres < 1e-9);
        }
    }
    QVERIFY(readCell(writeCell(after), "after").ok());
    const Cell back = setArmModel(after, after.arms.front().id, before.arms.front().model).value();
    for (size_t i = 0; i < back.targets.size(); ++i)
        QVERIFY(back.targets[i].pose == before.targets[i].pose);
}

void CellTest::lockedAxisStaysWithTheCell()
{
    const Cell cell = example("tile-glazing-line");
    const Cell locked = setAxisLock(cell, cell.arms.front().id, 3, 0.5).value();
    QCOMPARE(locked.arms.front().model->freeJoints().size(), size_t(5));
    for (size_t i = 0; i < cell.targets.size(); ++i) {
        // What each target meant before is what it keeps.
        if (cell.targets[i].kind != Target::Kind::Pose) continue;
        const Solutions found = waysTo(cell, cell.targets[i]);
        const Solution* own = chosenWay(*cell.arms.front().model, cell.targets[i], found.items);
        QVERIFY(own && locked.targets[i].posture == own->joints);
    }
    const Cell read = readCell(writeCell(locked), "cell").value();
    QCOMPARE(read.arms.front().model->description().joints[3].locked, 0.5);
    QCOMPARE(writeCell(setAxisLock(locked, locked.arms.front().id, 3, std::nullopt).value()), writeCell(cell));
}

void CellTest::gestureIsOneStep()
{
    History history(example("tile-glazing-line"));
    const std::string before = writeCell(*history.current());
    const FrameId id = history.current()->frames.back().id;
    const Pose start = history.current()->frames.back().pose;
    history.beginGesture("drag");
    for (int i = 1; i <= 20; ++i)
        QVERIFY(!history.replace([&](const Cell& c) {
            return setFramePose(c, id, start * translated({0.01 * i, 0, 0}));
        }));
    history.endGesture();
    QVERIFY(std::abs(findFrame(*history.current(), id)->pose.translation[0] - start.translation[0] - 0.2) < 1e-12);
    history.undo();
    QCOMPARE(writeCell(*history.current()), before);
    QVERIFY(!history.canUndo());
    history.beginGesture("dropped");
    QVERIFY(!history.replace([&](const Cell& c) { return setFramePose(c, id, Pose{}); }));
    history.cancelGesture();
    QCOMPARE(writeCell(*history.current()), before);
    QVERIFY(!history.canUndo());
}

void CellTest::cancelledGestureKeepsWhatWasUndone()
{
    History history(example("tile-glazing-line"));
    const auto call = [](const char* name) { return [=](const Cell& c) { return renameCell(c, name); }; };
    QVERIFY(!history.apply("one", call("One")));
    QVERIFY(!history.apply("two", call("Two")));
    const size_t bytes = history.bytes();
    history.undo();
    history.beginGesture("drag");
    QVERIFY(!history.replace(call("Three")));
    QVERIFY(!history.canRedo());
    history.cancelGesture();
    QCOMPARE(history.current()->name, std::string("One"));
    QVERIFY(history.canRedo());
    history.redo();
    QCOMPARE(history.current()->name, std::string("Two"));
    QCOMPARE(history.bytes(), bytes);
    // A gesture that is kept ends what could be done again, as any edit does.
    history.undo();
    history.beginGesture("drag");
    QVERIFY(!history.replace(call("Three")));
    history.endGesture();
    QVERIFY(!history.canRedo());
}

void CellTest::anotherArmKeepsPairsSetByHand()
{
    Cell cell = example("tile-glazing-line");
    const ArmId arm = cell.arms.front().id;
    const auto link = [&](std::uint32_t i) { return ContactMember{ContactMember::Kind::Link, i, arm}; };
    const ContactMember belt{ContactMember::Kind::Frame, cell.frames.back().id.value, {}},
        rack{ContactMember::Kind::Frame, cell.frames[0].id.value, {}};
    cell.contact.samples = 100;
    cell.contact.pairs = {{link(1), belt, false, ContactPair::Reason::ByHand, 0},
                          {link(6), belt, false, ContactPair::Reason::ByHand, 0},
                          {link(2), belt, true, ContactPair::Reason::Sometimes, 3},
                          {belt, rack, false, ContactPair::Reason::Never, 0}};
    const Cell next = setArmModel(cell, arm, catalogueArm("scara-600")).value();
    QCOMPARE(next.contact.pairs.size(), size_t(2));  // link 6 is gone, and what was sampled with other links
    QVERIFY(next.contact.pairs[0] == cell.contact.pairs[0] && next.contact.pairs[1] == cell.contact.pairs[3]);
    // It starts at its own home.
    QVERIFY(sameValues(homePosture(next, next.arms.front()), armHome(*catalogueArm("scara-600"))));
    const Cell like = setArmModel(cell, arm, catalogueArm("cobot-900")).value();
    QVERIFY(sameValues(homePosture(like, like.arms.front()), armHome(*catalogueArm("cobot-900"))));
}

void CellTest::newParentKeepsThePlaceInTheWorld()
{
    Cell cell = example("tile-glazing-line");
    cell = setFramePose(cell, cell.frames[0].id,
                        {Vec3(0.3, -0.2, 0.1), Quat(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()))})
               .value();
    const FrameId rack = cell.frames.back().id;
    const Pose before = worldFromFrame(cell, rack);
    const Cell after = setFrameParent(cell, rack, cell.frames[0].id).value();
    QVERIFY(deviation(worldFromFrame(after, rack), before).metres < 1e-12);
    QVERIFY(deviation(worldFromFrame(after, rack), before).radians < 1e-9);
    QCOMPARE(findFrame(after, rack)->parent.value, cell.frames[0].id.value);
}

void CellTest::targetMovesWithItsFrame()
{
    const Cell cell = example("tile-glazing-line");
    const Target& target = cell.targets.back();
    const Pose before = baseFromTarget(cell, target);
    const Cell moved =
        setFramePose(cell, target.frame, findFrame(cell, target.frame)->pose * translated({0, 0, 0.05})).value();
    QVERIFY((baseFromTarget(moved, *findTarget(moved, target.id)).translation - before.translation - Vec3(0, 0, 0.05))
                .norm()
            < 1e-12);
}

void CellTest::takenTargetIsWhereTheArmStands()
{
    const Cell cell = example("tile-glazing-line");
    std::mt19937_64 random(41);
    for (int n = 0; n < 100; ++n) {
        const JointVector q = randomPosture(*cell.arms.front().model, random);
        TargetId id;
        const Cell taken = takePoseTarget(cell, cell.arms.front().id, cell.frames.back().id, q, "There", &id).value();
        const Target& t = *findTarget(taken, id);
        QVERIFY(deviation(baseFromTarget(taken, t), baseFromTcp(taken, taken.arms.front(), q)).metres < 1e-12);
        QVERIFY(t.configuration == configurationOf(*cell.arms.front().model, q));
        QVERIFY((worldFromFrame(cell, t.frame) * t.pose * Vec3(0, 0, -0.1)
                 - worldFromBase(cell, cell.arms.front()) * (baseFromTarget(taken, t, 0.1)).translation)
                    .norm()
                < 1e-12);
        const JointVector other = randomPosture(*cell.arms.front().model, random);
        const Cell again = retakeTarget(taken, id, other).value();
        QVERIFY(deviation(baseFromTarget(again, *findTarget(again, id)), baseFromTcp(again, again.arms.front(), other))
                    .metres
                < 1e-12);
    }
}

void CellTest::savedStateIsRemembered()
{
    History history(example("tile-glazing-line"));
    QVERIFY(history.isSaved());
    QVERIFY(!history.apply("rename", [](const Cell& c) { return renameCell(c, "Other"); }));
    QVERIFY(!history.isSaved());
    history.undo();
    QVERIFY(history.isSaved());
    history.redo();
    history.markSaved(history.current());
    QVERIFY(history.isSaved());
}

TOPIKOS_TEST(CellTest)
#include "cell_test.moc"
