#include "app/instruments/nearest_contact.h"
#include "app/instruments/travel_bars.h"
#include "app/session/held_jog.h"
#include "app/session/text.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/cell/devices.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>

using namespace topikos;
using namespace topikos::test;

/// The arm moved by hand, and targets taken, in the real window.
class JogWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void heldKeysJogWithRamps();
    void heldJogEndsAtARangeEnd();
    void jointsMoveAroundTheTool();
    void railsMoveAroundTheTool();
    void constructionFollowsTheArm();
    void jogsFromTheKeyboard_data();
    void jogsFromTheKeyboard();
    void jogStopsAtTheRangeEndAndSaysSo();
    void jogsByDraggingABar();
    void jogsByDraggingTheHandle();
    void typedJointValueMoves();
    void typedPoseIsJudgedBeforeItMoves();
    void takesRenamesAndRetakesATarget();
    void waysChooseAConfiguration();
    void anotherArmKeepsTheTargets();
    void typedLineMoves();
    void typedLineThatCannotBeGoneMovesNothing();
    void turnsGoAboutTheChosenPoint();
    void nearestContactFollowsArmAndRun();
};

void JogWindowTest::jogsFromTheKeyboard_data()
{
    QTest::addColumn<int>("mode");
    QTest::addColumn<int>("key");
    QTest::addColumn<bool>("shift");
    QTest::addColumn<int>("axis");
    QTest::addColumn<double>("sign");
    QTest::newRow("world x") << int(Qt::Key_W) << int(Qt::Key_Right) << false << 0 << 1.0;
    QTest::newRow("world y back") << int(Qt::Key_W) << int(Qt::Key_Down) << false << 1 << -1.0;
    QTest::newRow("world z") << int(Qt::Key_W) << int(Qt::Key_PageUp) << false << 2 << 1.0;
    QTest::newRow("about world z") << int(Qt::Key_W) << int(Qt::Key_PageUp) << true << 5 << 1.0;
    QTest::newRow("tool z") << int(Qt::Key_O) << int(Qt::Key_PageUp) << false << 2 << 1.0;
    QTest::newRow("about tool x") << int(Qt::Key_O) << int(Qt::Key_Left) << true << 3 << -1.0;
    QTest::newRow("frame y") << int(Qt::Key_R) << int(Qt::Key_Up) << false << 1 << 1.0;
}

void JogWindowTest::jogsFromTheKeyboard()
{
    QFETCH(int, mode);
    QFETCH(int, key);
    QFETCH(bool, shift);
    QFETCH(int, axis);
    QFETCH(double, sign);
    session().setReadingFrame(session().cell().frames.back().id);
    view().setFocus();
    const Pose before = worldFromBase(session().cell(), session().station())
                        * baseFromTcp(session().cell(), session().station(), session().posture());
    QTest::keyClick(&view(), Qt::Key(mode));
    QTest::keyClick(&view(), Qt::Key(key), shift ? Qt::ShiftModifier : Qt::NoModifier);
    const Pose after = worldFromBase(session().cell(), session().station())
                       * baseFromTcp(session().cell(), session().station(), session().posture());
    const Quat axes = mode == Qt::Key_O   ? before.rotation
                      : mode == Qt::Key_R ? worldFromFrame(session().cell(), session().readingFrame()).rotation
                                          : Quat::Identity();
    const Vec3 direction = axes * Vec3::Unit(axis % 3);
    if (axis < 3) {
        QVERIFY((after.translation - before.translation - sign * 0.002 * direction).norm() < 1e-9);
        QVERIFY(deviation(after, before).radians < 1e-9);
    } else {
        QVERIFY((after.translation - before.translation).norm() < 1e-9);
        const Quat wanted = Quat(Eigen::AngleAxisd(sign * kDegree, direction)) * before.rotation;
        QVERIFY(wanted.angularDistance(after.rotation) < 1e-9);
    }
    const Pose read =
        frameFromTcp(session().cell(), session().station(), session().readingFrame(), session().posture());
    QCOMPARE(child<QLineEdit>("reading2")->text(), placeFigure(read.translation[2], 1));
}

void JogWindowTest::jogStopsAtTheRangeEndAndSaysSo()
{
    // Before the range ends the gripper would touch the arm.
    action("Stop at contact")->trigger();
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_5);
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(&view(), Qt::Key_Greater);
    for (int i = 0; i < 3; ++i)
        QTest::keyClick(&view(), Qt::Key_Right);
    QCOMPARE(session().posture()[4], session().arm().joints()[4].upper);
    QVERIFY2(note().contains("Joint 5 is at its range end (124.0°)"), qPrintable(note()));
}

void JogWindowTest::jogsByDraggingABar()
{
    auto* bars = child<TravelBars>("travelBars");
    const QPoint from = bars->markerAt(0, session().posture()[0]).toPoint(), to = bars->markerAt(0, 0.6).toPoint();
    QTest::mousePress(bars, Qt::LeftButton, {}, from);
    QTest::mouseMove(bars, (from + to) / 2);
    QTest::mouseMove(bars, to);
    QTest::mouseRelease(bars, Qt::LeftButton, {}, to);
    const double pixel = (session().arm().joints()[0].upper - session().arm().joints()[0].lower) / 100;
    QVERIFY2(std::abs(session().posture()[0] - 0.6) < pixel, qPrintable(QString::number(session().posture()[0])));
    for (int i = 1; i < 6; ++i)
        QCOMPARE(session().posture()[i], homePosture(session().cell(), session().station())[i]);
}

void JogWindowTest::jogsByDraggingTheHandle()
{
    session().setStopsAtContact(false);
    const Pose before = worldFromBase(session().cell(), session().station())
                        * baseFromTcp(session().cell(), session().station(), session().posture());
    const double metres = view().camera().metresPerPixel(before.translation, view().size());
    // The arrow along z points up the screen and is about 80 pixels long.
    const QPoint from = view().camera().pixel(before.translation + Vec3(0, 0, 55 * metres), view().size()).toPoint();
    const QPoint to = view().camera().pixel(before.translation + Vec3(0, 0, 115 * metres), view().size()).toPoint();
    QTest::mouseMove(&view(), from);
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    for (int i = 1; i <= 6; ++i)
        QTest::mouseMove(&view(), from + (to - from) * i / 6);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, to);
    const Pose after = worldFromBase(session().cell(), session().station())
                       * baseFromTcp(session().cell(), session().station(), session().posture());
    const Vec3 moved = after.translation - before.translation;
    QVERIFY2(std::abs(moved[2] - 60 * metres) < 5 * metres,
             qPrintable(QString("%1 instead of %2").arg(moved[2]).arg(60 * metres)));
    QVERIFY(moved.head<2>().norm() < 1e-9);
    QVERIFY(deviation(after, before).radians < 1e-9);
}

void JogWindowTest::typedJointValueMoves()
{
    auto* bars = child<TravelBars>("travelBars");
    const QPoint value(bars->width() - 20, int(bars->markerAt(1, 0).y()));
    QTest::mouseDClick(bars, Qt::LeftButton, {}, value);
    auto* edit = child<QLineEdit>("jointValue");
    QTest::keyClicks(edit, "12,5");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(std::abs(session().posture()[1] - 12.5 * kDegree) < 1e-12);
    QTRY_VERIFY(!m_window->findChild<QLineEdit*>("jointValue"));
    QTest::mouseDClick(bars, Qt::LeftButton, {}, value);
    QTest::keyClicks(child<QLineEdit>("jointValue"), "500");
    QTest::keyClick(child<QLineEdit>("jointValue"), Qt::Key_Return);
    QVERIFY(std::abs(session().posture()[1] - 12.5 * kDegree) < 1e-12);
    QVERIFY2(note().contains("Joint 2 goes from -98.0° to 142.0°"), qPrintable(note()));
}

void JogWindowTest::typedPoseIsJudgedBeforeItMoves()
{
    auto* z = child<QLineEdit>("reading2");
    auto* verdict = child<QLabel>("readingVerdict");
    const JointVector before = session().posture();
    z->setFocus();
    QTRY_VERIFY(!z->selectedText().isEmpty());
    QTest::keyClicks(z, "900");
    QVERIFY(verdict->isVisible());
    QVERIFY2(verdict->text().contains("Reachable"), qPrintable(verdict->text()));
    QVERIFY(session().ghost());
    QVERIFY(session().posture() == before);
    z->selectAll();
    QTest::keyClicks(z, "9000");
    QVERIFY2(verdict->text().startsWith("Out of reach: "), qPrintable(verdict->text()));
    QVERIFY(!session().ghost());
    QTest::keyClick(z, Qt::Key_Return);
    QVERIFY(session().posture() == before);
    z->selectAll();
    QTest::keyClicks(z, "9x");
    QCOMPARE(verdict->text(), QString("Type a number."));
    z->selectAll();
    QTest::keyClicks(z, "900");
    QTest::keyClick(z, Qt::Key_Return);
    const Pose now = worldFromBase(session().cell(), session().station())
                     * baseFromTcp(session().cell(), session().station(), session().posture());
    QVERIFY(std::abs(now.translation[2] - 0.9) < 1e-9);
    QVERIFY(!verdict->isVisible());
    QVERIFY(!session().ghost());
}

void JogWindowTest::takesRenamesAndRetakesATarget()
{
    view().setFocus();
    session().setReadingFrame(session().cell().frames.back().id);
    QTest::keyClick(&view(), Qt::Key_PageDown);
    QTest::keyClick(&view(), Qt::Key_T);
    const TargetId id = targetNamed("Target 1");
    QVERIFY(id);
    const Target taken = *findTarget(session().cell(), id);
    QCOMPARE(taken.frame.value, session().readingFrame().value);
    QVERIFY(deviation(baseFromTarget(session().cell(), taken),
                      baseFromTcp(session().cell(), session().station(), session().posture()))
                .metres
            < 1e-9);
    QVERIFY(session().selected<TargetId>() == id);

    auto* tree = child<QTreeWidget>("targetsTree");
    QTRY_VERIFY(tree->isVisible() && tree->currentItem() && tree->currentItem()->text(0) == "Target 1");
    action("Rename selected target")->trigger();
    auto* editor = tree->findChild<QLineEdit*>();
    QVERIFY(editor);
    editor->selectAll();
    QTest::keyClicks(editor, "Over the rack");
    QTest::keyClick(editor, Qt::Key_Return);
    QTRY_COMPARE(findTarget(session().cell(), id)->name, std::string("Over the rack"));

    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_Right);
    action("Re-take selected target")->trigger();
    QVERIFY((findTarget(session().cell(), id)->pose.translation - taken.pose.translation).norm() > 0.001);
    QTRY_COMPARE(findTarget(session().cell(), id)->name, std::string("Over the rack"));

    session().goToTarget(session().station().home);
    QTest::keyClick(&view(), Qt::Key_M);
    QVERIFY(deviation(baseFromTarget(session().cell(), *findTarget(session().cell(), id)),
                      baseFromTcp(session().cell(), session().station(), session().posture()))
                .metres
            < 1e-9);
    action("Delete")->trigger();
    QVERIFY(!findTarget(session().cell(), id));
}

void JogWindowTest::waysChooseAConfiguration()
{
    const TargetId pick = targetNamed("Tile pick");
    session().select(pick);
    const Solutions ways =
        inverseKinematics(session().arm(), baseFromFlange(session().cell(), *findTarget(session().cell(), pick)));
    QVERIFY(ways.items.size() >= 2);
    auto* card = child<QPushButton>("way1");
    QTRY_VERIFY(card->isVisible());
    QEnterEvent enter(QPointF(5, 5), QPointF(5, 5), QPointF(5, 5));
    QCoreApplication::sendEvent(card, &enter);
    QVERIFY(session().ghost());
    QVERIFY((*session().ghost() - ways.items[1].joints).norm() < 1e-9);
    QTest::mouseClick(card, Qt::LeftButton);
    QVERIFY(findTarget(session().cell(), pick)->configuration == ways.items[1].configuration);
    session().undo();
    QVERIFY(findTarget(session().cell(), pick)->configuration == ways.items[0].configuration);
    // Every way stands in the view as a ghost, until that is switched off or nothing is selected.
    QCOMPARE(session().ways().size(), ways.items.size());
    child<QToolButton>("wayGhosts")->click();
    QVERIFY(session().ways().empty());
    child<QToolButton>("wayGhosts")->click();
    QCOMPARE(session().ways().size(), ways.items.size());
    session().select({});
    QVERIFY(session().ways().empty());
}

void JogWindowTest::anotherArmKeepsTheTargets()
{
    const std::string before = writeCell(session().cell());
    action("Use Six-axis arm 900, three parallel axes")->trigger();
    QCOMPARE(session().arm().description().id, std::string("cobot-900"));
    QCOMPARE(session().cell().targets.size(), size_t(3));
    QVERIFY(withinRange(session().arm(), session().posture()));
    fresh();
    QVERIFY(session().checked()->result.count(Severity::Blocked) > 0);  // belt and rack are too far for it
    QTRY_VERIFY(view().frameCount() > 1);
    action("Undo")->trigger();
    QCOMPARE(writeCell(session().cell()), before);
    fresh();
    QCOMPARE(session().checked()->result.count(Severity::Blocked), 0);
}

void JogWindowTest::typedLineMoves()
{
    auto* line = child<QLineEdit>("moveLine");
    const auto enter = [&](const QString& words) {
        action("Type a move")->trigger();
        QVERIFY(line->hasFocus());
        QTest::keyClicks(line, words);
        QTest::keyClick(line, Qt::Key_Return);
    };
    const Pose start = session().shownTcp();
    const JointVector stood = session().posture();
    enter("Z +25");
    QVERIFY((session().shownTcp().translation - start.translation - Vec3(0, 0, 0.025)).norm() < 1e-9);
    // The line stays, so that Enter goes on.
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY((session().shownTcp().translation - start.translation - Vec3(0, 0, 0.05)).norm() < 1e-9);
    enter("x 550 y = -40");
    QVERIFY((session().shownTcp().translation - Vec3(0.55, -0.04, start.translation.z() + 0.05)).norm() < 1e-9);
    QVERIFY(deviation(session().shownTcp(), start).radians < 1e-9);
    // To: as the pose is read; by: along the axes that are jogged along.
    const FrameId rack = frameNamed("Drying rack");
    session().setReadingFrame(rack);
    const Pose seen = inverse(session().shownPlace(rack)) * session().shownTcp();
    enter("z 450");
    QVERIFY(std::abs((inverse(session().shownPlace(rack)) * session().shownTcp()).translation.z() - 0.45) < 1e-9);
    QVERIFY(
        std::abs((inverse(session().shownPlace(rack)) * session().shownTcp()).translation.x() - seen.translation.x())
        < 1e-9);
    click("jogTool");
    const Pose before = session().shownTcp();
    enter("z +10 rz -15");
    const Vec3 along = before.rotation * Vec3::UnitZ();
    QVERIFY((session().shownTcp().translation - before.translation - 0.01 * along).norm() < 1e-9);
    const Quat turned = before.rotation * Quat(Eigen::AngleAxisd(-15 * kDegree, Vec3::UnitZ()));
    QVERIFY(turned.angularDistance(session().shownTcp().rotation) < 1e-9);
    enter("j1 +10 j4 = 20");
    QVERIFY(std::abs(session().posture()[3] - 20 * kDegree) < 1e-12);
    // The base's axes turn with a base that does.
    click("jogBase");
    QCOMPARE(int(session().jogSpace()), int(JogSpace::Base));
    // Back, move by move.
    for (int i = 0; i < 6; ++i)
        QVERIFY(session().standBack());
    QVERIFY(sameValues(session().posture(), stood));
}

void JogWindowTest::typedLineThatCannotBeGoneMovesNothing()
{
    const JointVector stood = session().posture();
    const auto refused = [&](const QString& words, const QString& why) {
        QVERIFY(!session().moveTyped(words));
        QVERIFY2(note().contains(why), qPrintable(note()));
        QVERIFY(sameValues(session().posture(), stood));
    };
    refused("x 3000", "too far for the wrist");
    refused("j2 +500", "Joint 2 would be");
    refused("z +", "column 3");
    refused("j7 +1", "no joint 7");
}

void JogWindowTest::turnsGoAboutTheChosenPoint()
{
    const FrameId belt = frameNamed("Infeed belt");
    session().select(belt);
    action("Turn about the selected thing")->trigger();
    QCOMPARE(child<QLabel>("jogPivot")->text(), QString("about Infeed belt"));
    const Vec3 pivot = session().shownPlace(belt).translation;
    const Pose before = session().shownTcp();
    click("jogWorld");
    QVERIFY(session().jogAxis(JogSpace::World, 5, 3 * kDegree));
    const Pose after = session().shownTcp();
    const Quat turn(Eigen::AngleAxisd(3 * kDegree, Vec3::UnitZ()));
    QVERIFY((after.translation - pivot - turn * (before.translation - pivot)).norm() < 1e-9);
    QVERIFY((turn * before.rotation).angularDistance(after.rotation) < 1e-9);
    session().select({});
    action("Turn about the selected thing")->trigger();
    QCOMPARE(child<QLabel>("jogPivot")->text(), QString());
    QVERIFY(session().jogAxis(JogSpace::World, 5, 3 * kDegree));
    QVERIFY((session().shownTcp().translation - after.translation).norm() < 1e-9);
}

void JogWindowTest::nearestContactFollowsArmAndRun()
{
    fresh();
    auto* nearest = m_window->findChild<NearestContact*>();
    QVERIFY(nearest->isVisible());
    // A plate 60 mm below the jaws.
    const Vec3 tcp = session().shownTcp().translation;
    QVERIFY(session().edit("Plate", [&](const Cell& c) {
        FrameId id;
        const Cell next = addFrame(c, "Plate", {}, translated(tcp - Vec3(0, 0, 0.07)), &id).value();
        return setFrameSolids(next, id, {{Solid::Kind::Box, {}, {0.6, 0.6, 0.014}, {}}});
    }));
    const NearestContact::Shown first = nearest->shown();
    QCOMPARE(first.between, QString("Gripper jaws – Plate"));
    QVERIFY(first.distance > 0.05 && first.distance < 0.063);
    QVERIFY(session().moveTyped("z -20"));
    QVERIFY(std::abs(nearest->shown().distance - (first.distance - 0.02)) < 1e-9);
    action("Undo")->trigger();
    fresh();
    // In the run it is that of the run at its time.
    session().scrub(1.2);
    ClearanceAlong along(session().playedCell(), *session().trace());
    QCOMPARE(nearest->shown().distance, along.at(session().station().id, 1.2).distance);
    session().scrub(2.2);
    QCOMPARE(nearest->shown().distance, along.at(session().station().id, 2.2).distance);
}

void JogWindowTest::heldKeysJogWithRamps()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    view().setFocus();
    HeldJog& held = view().held();
    QVERIFY(!held.on());
    QTest::keyClick(&view(), Qt::Key_H);
    QVERIFY(held.on());
    QTest::keyClick(&view(), Qt::Key_Plus);
    const double speed = held.lengthSpeed();
    QTest::keyClick(&view(), Qt::Key_Minus);
    QVERIFY(held.lengthSpeed() < speed);
    const Vec3 start = session().shownTcp().translation;
    QTest::keyPress(&view(), Qt::Key_PageUp);
    QVERIFY(held.moving());
    // By its own clock, so that the test does not depend on that of the machine.
    double before = start.z(), last = 0;
    for (int i = 0; i < 10; ++i) {
        held.advance(0.02);
        const double now = session().shownTcp().translation.z(), piece = now - before;
        QVERIFY(piece > last - 1e-9);  // it comes up to speed
        QVERIFY(piece <= held.lengthSpeed() * 0.02 + 1e-9);
        last = piece;
        before = now;
    }
    held.advance(0.2);
    QCOMPARE(held.ramp(), 1.0);
    before = session().shownTcp().translation.z();
    held.advance(0.02);
    QVERIFY(std::abs(session().shownTcp().translation.z() - before - held.lengthSpeed() * 0.02) < 1e-9);
    // Let go it comes to rest, a little further on.
    before = session().shownTcp().translation.z();
    QTest::keyRelease(&view(), Qt::Key_PageUp);
    held.advance(0.2);
    const double further = session().shownTcp().translation.z() - before;
    QVERIFY(further > 0 && further < 0.2 * held.lengthSpeed());
    held.advance(0.02);
    QVERIFY(!held.moving());
    // All of it is one move by hand.
    QVERIFY(session().standBack());
    QVERIFY((session().shownTcp().translation - start).norm() < 1e-9);
    // A button does the same, and steps do not.
    QTest::mousePress(child<QPushButton>("jogPlus0"), Qt::LeftButton);
    QVERIFY(held.moving());
    held.advance(0.1);
    QTest::mouseRelease(child<QPushButton>("jogPlus0"), Qt::LeftButton);
    held.advance(0.2);
    held.advance(0.02);
    QVERIFY(!held.moving());
    QVERIFY(session().shownTcp().translation.x() > start.x());
    QTest::keyClick(&view(), Qt::Key_H);
    QVERIFY(!held.on());
}

void JogWindowTest::heldJogEndsAtARangeEnd()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    view().setFocus();
    HeldJog& held = view().held();
    held.setOn(true);
    session().setJogSpace(JogSpace::Joint);
    session().setJogJointIndex(3);
    for (int i = 0; i < 10; ++i)
        held.changeSpeed(1);
    QTest::keyPress(&view(), Qt::Key_Right);
    for (int i = 0; i < 400 && held.moving(); ++i)
        held.advance(0.05);
    QVERIFY(!held.moving());
    QVERIFY2(note().contains("range end") || note().contains("would touch"), qPrintable(note()));
    QTest::keyRelease(&view(), Qt::Key_Right);
    held.setOn(false);
}

void JogWindowTest::jointsMoveAroundTheTool()
{
    newCell();
    QVERIFY(session().edit("Seven axes", [this](const Cell& c) {
        return setArmModel(c, session().station().id, catalogueArm("redundant-820"));
    }));
    JointVector q = session().posture();
    q << 0.3, 0.5, 0.2, -1.2, 0.1, 0.9, 0.2;
    session().setPosture(q);
    const Pose tool = session().shownTcp();
    const JointVector before = session().posture();
    session().setJogJointIndex(0);
    for (int i = 0; i < 5; ++i)
        QVERIFY2(session().jogJointAround(0, 1), qPrintable(note()));
    QVERIFY(std::abs(session().posture()[0] - before[0]) > 2 * session().jogAngle());
    QVERIFY(deviation(session().shownTcp(), tool).metres < 1e-6);
    QVERIFY(deviation(session().shownTcp(), tool).radians < 1e-6);
    // Six axes have none to spare: nothing moves, and it is said.
    m_window->openExample("tile-glazing-line");
    const JointVector six = session().posture();
    QVERIFY(!session().jogJointAround(0, 1));
    QVERIFY(sameValues(session().posture(), six));
    QVERIFY2(note().contains("no axis to spare"), qPrintable(note()));
}

void JogWindowTest::railsMoveAroundTheTool()
{
    m_window->openExample("glazing-line-on-a-rail");
    fresh();
    FrameId rail;
    for (const FrameId device : movableDevices(session().cell()))
        if (findFrame(session().cell(), device)->device->kind == Device::Kind::Rail)
            rail = axesOf(session().cell(), device).front();
    QVERIFY(rail);
    session().setStopsAtContact(false);
    const Pose tool = session().shownTcp();
    const double from = axisValue(*findFrame(session().cell(), rail), session().shownAxes());
    const double to = from + (from < 0.5 ? 0.08 : -0.08);
    QVERIFY2(session().setAxisAround(rail, to), qPrintable(note()));
    QVERIFY(std::abs(axisValue(*findFrame(session().cell(), rail), session().shownAxes()) - to) < 1e-9);
    QVERIFY(deviation(session().shownTcp(), tool).metres < 1e-6);
    // So far that the arm cannot follow: nothing moves.
    const JointVector stood = session().posture();
    const FrameAxis& axis = *findFrame(session().cell(), rail)->axis;
    const double far = to > 0.5 * (axis.lowest + axis.highest) ? axis.lowest : axis.highest;
    if (!session().setAxisAround(rail, far)) {
        QVERIFY(sameValues(session().posture(), stood));
        QVERIFY2(note().contains("cannot be held still"), qPrintable(note()));
    }
}

void JogWindowTest::constructionFollowsTheArm()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    QVERIFY(view().constructionText().isEmpty());
    action("Show the construction of the inverse")->trigger();
    const QStringList before = view().constructionText();
    QCOMPARE(before.size(), 7);
    QVERIFY2(before[0].contains("How the wrist is reached"), qPrintable(before[0]));
    QVERIFY(session().moveTyped("z -60"));
    const QStringList after = view().constructionText();
    QCOMPARE(after[1], before[1]);  // links are as long as they are
    QVERIFY(after[3] != before[3]);
    // Of the selected target, whatever the arm does.
    for (const Target& target : session().cell().targets)
        if (target.kind == Target::Kind::Pose) session().select(target.id);
    QVERIFY2(view().constructionText()[0].contains("is reached"), qPrintable(view().constructionText()[0]));
    const QStringList target = view().constructionText();
    QVERIFY(session().moveTyped("z +20"));
    QCOMPARE(view().constructionText(), target);
    action("Show the construction of the inverse")->trigger();
    QVERIFY(view().constructionText().isEmpty());
}

TOPIKOS_TEST(JogWindowTest)
#include "jog_window_test.moc"
