#include "app/session/recovery.h"
#include "app/session/session.h"
#include "app/session/text.h"
#include "core/cell/arms.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "tests/run.h"

#include <QDir>
#include <QTemporaryDir>

#include <QSignalSpy>

#include <memory>

using namespace topikos;

/// What the widgets ask of the session, without widgets.
class SessionTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void init();
    void cleanup() { m_session.reset(); }
    void onlyTheNewestCheckCounts();
    void refusedEditIsToldAndLeavesTheCell();
    void brokenEditLeavesTheCell();
    void joggingDuringARunEndsItWhereTheArmIs();
    void moveOutOfReachIsRefusedWithTheDistance();
    void moveKeepsTheConfiguration();
    void lookAheadPrefersThePresentWay();
    void jogFollowsTheAxesOfTheFrame();
    void jogStepsStayInTheirRange();
    void unreachableTargetSaysWhy();
    void selectionOfADeletedThingIsDropped();
    void scrubStaysInsideTheRun();
    void editDuringARunShowsTheNewRun();
    void openingAnotherCellStartsAnew();
    void unsavedChangesOutliveTheProcess();
    void savingNeedsNoCopy();
    void lookingIsNoEdit();
    void movesByHandAreTakenBack();
    void longRunIsGivenUp_data();
    void longRunIsGivenUp();
    void sessionEndsWhileARunIsWorkedOut();

private:
    void checked() { QTRY_VERIFY_WITH_TIMEOUT(m_session->checkIsFresh(), 20000); }
    QString lastSaid(const QSignalSpy& spy) { return spy.isEmpty() ? QString() : spy.back()[0].toString(); }
    std::unique_ptr<Session> m_session;
};

void SessionTest::init()
{
    m_session = std::make_unique<Session>(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
    checked();
}

void SessionTest::onlyTheNewestCheckCounts()
{
    const TargetId pick = m_session->cell().targets[1].id;
    const Pose pose = m_session->cell().targets[1].pose;
    QSignalSpy changes(m_session.get(), &Session::checkedChanged);
    for (int i = 1; i <= 30; ++i)
        QVERIFY(m_session->edit("Move", [&](const Cell& c) {
            return setTargetPose(c, pick, pose * translated({0, 0, -0.001 * i}));
        }));
    QVERIFY(!m_session->checkIsFresh());
    checked();
    QVERIFY(m_session->checked()->cell == m_session->history().current());
    QTRY_VERIFY(m_session->checked()->result.complete);
    QVERIFY(changes.count() <= 2);  // the stale ones were dropped; the newest one came before contact, and whole
}

void SessionTest::refusedEditIsToldAndLeavesTheCell()
{
    QSignalSpy said(m_session.get(), &Session::said);
    const std::string before = writeCell(m_session->cell());
    QVERIFY(!m_session->edit("No", [&](const Cell& c) { return deleteTarget(c, c.targets[1].id); }));
    QVERIFY2(lastSaid(said).contains("used by step 2"), qPrintable(lastSaid(said)));
    QVERIFY(said.back()[1].toBool());
    QCOMPARE(writeCell(m_session->cell()), before);
    QVERIFY(m_session->checkIsFresh());
}

void SessionTest::brokenEditLeavesTheCell()
{
    QSignalSpy said(m_session.get(), &Session::said);
    const std::string before = writeCell(m_session->cell());
    QVERIFY(!m_session->edit("Broken", [](const Cell&) -> Result<Cell> {
        require(false, "this edit works");
        return Cell{};
    }));
    QVERIFY2(lastSaid(said).contains("this edit works") && lastSaid(said).contains("The cell is unchanged"),
             qPrintable(lastSaid(said)));
    QCOMPARE(writeCell(m_session->cell()), before);
    QVERIFY(!m_session->history().canUndo());
}

void SessionTest::joggingDuringARunEndsItWhereTheArmIs()
{
    m_session->scrub(1.3);
    const JointVector inRun = m_session->shownPosture();
    QVERIFY((inRun - m_session->posture()).norm() > 0.1);
    QVERIFY(m_session->jogJoint(0, 1));
    QVERIFY(!m_session->inRun());
    QVERIFY(std::abs(m_session->posture()[0] - inRun[0] - m_session->jogAngle()) < 1e-12);
    QVERIFY((m_session->posture().tail<5>() - inRun.tail<5>()).norm() < 1e-12);
}

void SessionTest::moveOutOfReachIsRefusedWithTheDistance()
{
    QSignalSpy said(m_session.get(), &Session::said);
    const JointVector before = m_session->posture();
    Pose far = baseFromTcp(m_session->cell(), m_session->cell().arms.front(), before);
    far.translation[0] += 3;
    QVERIFY(!m_session->moveTcp(far));
    QVERIFY(m_session->posture() == before);
    const Solutions found =
        inverseKinematics(m_session->arm(), far * inverse(flangeFromTcp(m_session->cell(), m_session->station())));
    QCOMPARE(lastSaid(said), QString("Out of reach: %1 too far for the wrist.").arg(lengthText(found.shortfall)));
}

void SessionTest::moveKeepsTheConfiguration()
{
    const Configuration before = configurationOf(m_session->arm(), m_session->posture());
    for (int i = 0; i < 40; ++i)
        QVERIFY(m_session->jogAxis(JogSpace::World, 2, -0.01));
    QVERIFY(configurationOf(m_session->arm(), m_session->posture()) == before);
}

void SessionTest::lookAheadPrefersThePresentWay()
{
    std::optional<JointVector> posture;
    const Pose here = baseFromTcp(m_session->cell(), m_session->cell().arms.front(), m_session->posture());
    const Solutions found = m_session->lookAhead(here, posture);
    QVERIFY(found.items.size() > 1);
    QVERIFY(posture && (*posture - m_session->posture()).norm() < 1e-9);
}

void SessionTest::jogFollowsTheAxesOfTheFrame()
{
    const FrameId rack = m_session->cell().frames.back().id;
    QVERIFY(m_session->edit("Turn", [&](const Cell& c) {
        return setFramePose(c, rack, {Vec3(0.5, 0.5, 0.6), Quat(Eigen::AngleAxisd(0.6, Vec3::UnitZ()))});
    }));
    m_session->setReadingFrame(rack);
    const Vec3 before =
        frameFromTcp(m_session->cell(), m_session->cell().arms.front(), rack, m_session->posture()).translation;
    QVERIFY(m_session->jogAxis(JogSpace::Frame, 0, 0.02));
    const Vec3 moved =
        frameFromTcp(m_session->cell(), m_session->cell().arms.front(), rack, m_session->posture()).translation
        - before;
    QVERIFY((moved - Vec3(0.02, 0, 0)).norm() < 1e-9);
}

void SessionTest::jogStepsStayInTheirRange()
{
    for (int i = 0; i < 50; ++i)
        m_session->changeJogStep(-1);
    QCOMPARE(m_session->jogLength(), 0.1e-3);
    for (int i = 0; i < 50; ++i)
        m_session->changeJogStep(1);
    QCOMPARE(m_session->jogLength(), 0.1);
    m_session->setJogJointIndex(99);
    QCOMPARE(m_session->jogJointIndex(), 5);
}

void SessionTest::unreachableTargetSaysWhy()
{
    const TargetId pick = m_session->cell().targets[1].id;
    QVERIFY(m_session->edit("Away", [&](const Cell& c) {
        return setTargetPose(c, pick, {Vec3(2, 0, 0), Quat(0, 0, 1, 0)});
    }));
    QSignalSpy said(m_session.get(), &Session::said);
    const JointVector before = m_session->posture();
    QVERIFY(!m_session->goToTarget(pick));
    QVERIFY2(lastSaid(said).startsWith("Target Tile pick cannot be reached. The wrist would have to be "),
             qPrintable(lastSaid(said)));
    QVERIFY(m_session->posture() == before);
}

void SessionTest::selectionOfADeletedThingIsDropped()
{
    TargetId id;
    QVERIFY(m_session->edit("Take", [&](const Cell& c) {
        return takePoseTarget(c, c.arms.front().id, {}, m_session->posture(), "Here", &id);
    }));
    m_session->select(id);
    QSignalSpy selection(m_session.get(), &Session::selectionChanged);
    m_session->undo();
    QCOMPARE(selection.count(), 1);
    QVERIFY(!m_session->selected<TargetId>());
}

void SessionTest::scrubStaysInsideTheRun()
{
    m_session->scrub(-5);
    QCOMPARE(m_session->time(), 0.0);
    m_session->scrub(1e9);
    QCOMPARE(m_session->time(), m_session->trace()->duration);
    QVERIFY((m_session->shownPosture() - homePosture(m_session->cell(), m_session->cell().arms.front())).norm() < 1e-9);
    m_session->leaveRun();
    QCOMPARE(m_session->time(), 0.0);
}

void SessionTest::editDuringARunShowsTheNewRun()
{
    m_session->scrub(1e9);
    const double before = m_session->time();
    Step slower = m_session->routine().steps[2];
    slower.as<LineMove>()->speed = 0.05;
    const RoutineId routine = m_session->routine().id;
    QVERIFY(m_session->edit("Slower", [&](const Cell& c) { return changeStep(c, routine, slower); }));
    checked();
    QVERIFY(m_session->trace()->duration > before + 1);
    QVERIFY(m_session->inRun());
    m_session->undo();
    checked();
    QVERIFY(m_session->time() <= m_session->trace()->duration);
}

void SessionTest::openingAnotherCellStartsAnew()
{
    QVERIFY(m_session->edit("Rename", [](const Cell& c) { return renameCell(c, "Other"); }));
    m_session->scrub(1);
    m_session->select(m_session->cell().targets[1].id);
    m_session->open(openCell(TOPIKOS_EXAMPLES "/planted-mistakes.topikos").value(), "/somewhere/planted.topikos");
    QVERIFY(!m_session->inRun() && !m_session->history().canUndo() && m_session->isSaved());
    QVERIFY(m_session->selection() == Selection());
    QCOMPARE(m_session->path(), QString("/somewhere/planted.topikos"));
    checked();
    QCOMPARE(m_session->checked()->result.count(Severity::Blocked), 3);
}

void SessionTest::unsavedChangesOutliveTheProcess()
{
    QTemporaryDir folder;
    Session session(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
    Recovery recovery(session, folder.path());
    QVERIFY(session.edit("Rename", [](const Cell& c) { return renameFrame(c, c.frames.back().id, "Another name"); }));
    recovery.writeNow();
    QVERIFY(Recovery::lost(folder.path()).isEmpty());  // this window is there
    // As a window that is gone would have left it: nobody has its lock.
    const QString own = folder.filePath(QDir(folder.path()).entryList({"*.topikos"}).value(0));
    QVERIFY(QFile::rename(own, folder.filePath("gone.topikos")));
    QVERIFY(QFile::rename(own + ".note", folder.filePath("gone.topikos.note")));
    const QList<LostCell> lost = Recovery::lost(folder.path());
    QCOMPARE(lost.size(), 1);
    QCOMPARE(lost[0].name.toStdString(), session.cell().name);
    QVERIFY(lost[0].path.isEmpty());
    QVERIFY(std::abs(lost[0].when.secsTo(QDateTime::currentDateTime())) < 60);
    QCOMPARE(writeCell(openCell(lost[0].copy.toStdString()).value()), writeCell(session.cell()));
    Session again(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
    again.openUnsaved(openCell(lost[0].copy.toStdString()).value(), "/somewhere/cell.topikos");
    QVERIFY(!again.isSaved());
    QCOMPARE(again.path(), QString("/somewhere/cell.topikos"));
    Recovery::forget(lost[0]);
    QVERIFY(Recovery::lost(folder.path()).isEmpty());
    QVERIFY(!QFile::exists(lost[0].copy + ".note"));
}

void SessionTest::savingNeedsNoCopy()
{
    QTemporaryDir folder;
    Session session(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
    Recovery recovery(session, folder.path());
    const auto copies = [&] { return QDir(folder.path()).entryList({"*.topikos", "*.note"}); };
    recovery.writeNow();
    QVERIFY(copies().isEmpty());  // nothing has changed
    QVERIFY(session.edit("Rename", [](const Cell& c) { return renameFrame(c, c.frames.back().id, "Another name"); }));
    recovery.writeNow();
    QVERIFY(!copies().isEmpty());
    session.saved(folder.filePath("saved.topikos"), session.history().current());
    QVERIFY(copies().isEmpty());
    session.undo();  // changed again, against the file
    recovery.writeNow();
    QVERIFY(!copies().isEmpty());
    recovery.drop();
    QVERIFY(copies().isEmpty());
}

void SessionTest::lookingIsNoEdit()
{
    // A second arm and a second routine come in by edits; taking one in hand and looking at the other changes nothing.
    ArmId second;
    RoutineId other;
    const ArmId first = m_session->station().id;
    QVERIFY(m_session->edit(
        "Add", [&](const Cell& c) { return addArm(c, "Loader", catalogueArm("cobot-900"), {}, &second); }));
    QVERIFY(m_session->edit("Add", [&](const Cell& c) { return addRoutine(c, first, "Service", &other); }));
    checked();
    m_session->saved("cell.topikos", m_session->history().current());
    const Cell before = m_session->cell();
    const auto revision = m_session->history().revision();
    m_session->takeInHand(second);
    QVERIFY(m_session->station().id == second);
    QCOMPARE(m_session->posture().size(), m_session->arm().jointCount());
    m_session->showRoutine(other);
    QVERIFY(m_session->station().id == first && m_session->routine().id == other);
    QVERIFY(m_session->cell() == before);
    QCOMPARE(m_session->history().revision(), revision);
    QVERIFY(m_session->isSaved() && m_session->checkIsFresh());
    // What runs is still the main routine, and what is looked at goes with its arm when that is taken up again.
    QVERIFY(m_session->trace() && findArmTrace(*m_session->trace(), first)->routine != other);
    m_session->takeInHand(second);
    m_session->takeInHand(first);
    QVERIFY(m_session->routine().id == other);
    // Deleted, it is not looked at any more.
    QVERIFY(m_session->edit("Delete", [&](const Cell& c) { return deleteRoutine(c, other); }));
    QVERIFY(m_session->routine().id == m_session->station().main);
}

void SessionTest::movesByHandAreTakenBack()
{
    const JointVector home = m_session->posture();
    QVERIFY(!m_session->standBack());
    // Quick steps one after the other are one move.
    for (int i = 0; i < 5; ++i)
        QVERIFY(m_session->jogJoint(0, 1));
    const JointVector turned = m_session->posture();
    QVERIFY(std::abs(turned[0] - home[0] - 5 * m_session->jogAngle()) < 1e-9);
    QVERIFY(m_session->standBack());
    QVERIFY(sameValues(m_session->posture(), home));
    QVERIFY(m_session->standForth());
    QVERIFY(sameValues(m_session->posture(), turned));
    QVERIFY(!m_session->standForth());
    // A move of its own each: back through both, and the cell knows nothing of it.
    QVERIFY(m_session->goToTarget(m_session->station().home));
    QVERIFY(m_session->standBack());
    QVERIFY(sameValues(m_session->posture(), turned));
    QVERIFY(m_session->standBack());
    QVERIFY(sameValues(m_session->posture(), home));
    QVERIFY(!m_session->history().canUndo());
    // A move that comes after going back ends what could be done again.
    QVERIFY(m_session->jogJoint(1, 1));
    QVERIFY(!m_session->standForth());
}

void SessionTest::longRunIsGivenUp_data()
{
    QTest::addColumn<int>("how");
    QTest::newRow("left") << 0;
    QTest::newRow("edited") << 1;
    QTest::newRow("another plan") << 2;
}

void SessionTest::longRunIsGivenUp()
{
    QFETCH(int, how);
    Session::RunPlan plan;
    plan.kind = Session::RunPlan::Kind::Times;
    plan.times = 1000000;
    m_session->setRunPlan(plan);
    m_session->play();
    QSignalSpy said(m_session.get(), &Session::said);
    m_session->play();
    QVERIFY2(lastSaid(said).contains("F7"), qPrintable(lastSaid(said)));
    plan.times = 2;
    switch (how) {
    case 0: m_session->leaveRun(); break;
    case 1: QVERIFY(m_session->edit("Name", [](const Cell& c) { return renameCell(c, "Another line"); })); break;
    case 2: m_session->setRunPlan(plan); break;
    }
    checked();
    m_session->setRunPlan(plan);
    m_session->play();
    QTRY_VERIFY_WITH_TIMEOUT(m_session->inRun(), 20000);
    const double once = m_session->checked()->result.trace.duration;
    QVERIFY(m_session->trace()->duration > 1.9 * once && m_session->trace()->duration < 2.1 * once);
}

void SessionTest::sessionEndsWhileARunIsWorkedOut()
{
    Session::RunPlan plan;
    plan.kind = Session::RunPlan::Kind::Times;
    plan.times = 1000000;
    m_session->setRunPlan(plan);
    m_session->play();
    QElapsedTimer clock;
    clock.start();
    m_session.reset();
    QVERIFY(clock.elapsed() < 5000);
}

TOPIKOS_TEST(SessionTest)
#include "session_test.moc"
