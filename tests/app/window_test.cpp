#include "app/instruments/travel_bars.h"
#include "app/session/recovery.h"
#include "app/session/text.h"
#include "app/strip/cycle_strip.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/cell/arms.h"
#include "core/exchange/cell_file.h"
#include "core/program/step_text.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QAction>
#include <QComboBox>
#include <QCompleter>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFile>
#include <QLabel>
#include <QListView>
#include <QListWidget>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTimer>
#include <QTreeWidget>

#include <memory>

using namespace topikos;
using namespace topikos::test;

/// Drives the real window with mouse and keys, and looks at what is then visible.
class WindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:

    void startsWithTheDemoCellChecked();
    void viewDrawsTheArm();
    void jogsFromTheKeyboard_data();
    void jogsFromTheKeyboard();
    void jogStopsAtTheRangeEndAndSaysSo();
    void jogsByDraggingABar();
    void jogsByDraggingTheHandle();
    void typedJointValueMoves();
    void typedPoseIsJudgedBeforeItMoves();
    void takesRenamesAndRetakesATarget();
    void typesAStepSeesTheFindingAndMendsIt();
    void stepsAreEditedFromTheKeyboard();
    void propertiesChangeTheStep();
    void frameMovesByItsProperties();
    void waysChooseAConfiguration();
    void selectionLightsUpEverywhere();
    void stripSelectsWhatRunsWhateverIsLookedAt();
    void clickInTheViewSelects();
    void runsScrubsAndComesBack();
    void blockedRunStopsAndSaysWhy();
    void findingsListLeadsToTheStep();
    void commandFieldFindsEverything();
    void undoAndRedoFromTheMenu();
    void savesClosesAndOpensAgain();
    void badFileLeavesTheOpenCellAlone();
    void changeOnDiskIsNoticed();
    void lostCellIsOffered();
    void recentCellsAreInTheMenu();
    void unsavedChangesAreAskedAbout();
    void nothingIsDrawnWhenNothingChanges();
    void layoutIsRemembered();
    void anotherArmKeepsTheTargets();
    void everyActionIsExplained();

private:
    QString headline() { return child<QLabel>("chip")->text(); }
    void typeStep(const char* text);
    QStringList steps();
};

void WindowTest::typeStep(const char* text)
{
    auto* line = child<QLineEdit>("typeStep");
    action("Type a step")->trigger();
    line->setFocus();
    line->clear();
    line->completer()->setCompletionMode(QCompleter::PopupCompletion);  // keep to what is typed
    QTest::keyClicks(line, text);
}

QStringList WindowTest::steps()
{
    QStringList out;
    for (const Step& s : session().routine().steps)
        out << text(stepText(session().cell(), s));
    return out;
}

void WindowTest::startsWithTheDemoCellChecked()
{
    QCOMPARE(child<QLabel>("cellName")->text(), QString("Tile glazing line"));
    QVERIFY(child<QLabel>("saveState")->text().contains("not in a file yet"));
    QCOMPARE(session().checked()->result.findings.size(), size_t(0));
    QCOMPARE(child<QListView>("routeList")->model()->rowCount(), 10);
    bool cycleShown = false;
    for (QLabel* chip : m_window->findChildren<QLabel*>("chip")) {
        if (chip->text().contains("blocked") || chip->text().contains("caution")) QVERIFY(!chip->isVisible());
        cycleShown = cycleShown || chip->text().contains(QString::number(session().trace()->duration, 'f', 2));
    }
    QVERIFY(cycleShown);
}

void WindowTest::viewDrawsTheArm()
{
    // Where the arm's base stands the picture has other colours than the empty ground in a corner.
    const QImage picture = view().grabFramebuffer();
    QVERIFY(picture.width() > 400);
    const QPointF base = view().camera().pixel(
        worldFromBase(session().cell(), session().station()).translation + Vec3(0, 0, 0.1), view().size());
    const QColor arm = picture.pixelColor((base * picture.devicePixelRatio()).toPoint());
    const QColor sky = picture.pixelColor(picture.width() - 30, 200);
    QVERIFY2(std::abs(arm.lightness() - sky.lightness()) > 40, qPrintable(arm.name() + " " + sky.name()));
    int colours = 0;
    QSet<QRgb> seen;
    for (int y = 0; y < picture.height(); y += 3)
        for (int x = 0; x < picture.width(); x += 3)
            if (!seen.contains(picture.pixel(x, y))) seen.insert(picture.pixel(x, y)), ++colours;
    QVERIFY(colours > 500);
}

void WindowTest::jogsFromTheKeyboard_data()
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

void WindowTest::jogsFromTheKeyboard()
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
    QCOMPARE(child<QLineEdit>("reading2")->text(), lengthText(read.translation[2]));
}

void WindowTest::jogStopsAtTheRangeEndAndSaysSo()
{
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_5);
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(&view(), Qt::Key_Greater);
    for (int i = 0; i < 3; ++i)
        QTest::keyClick(&view(), Qt::Key_Right);
    QCOMPARE(session().posture()[4], session().arm().joints()[4].upper);
    QVERIFY2(note().contains("Joint 5 is at its range end (124.0°)"), qPrintable(note()));
}

void WindowTest::jogsByDraggingABar()
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

void WindowTest::jogsByDraggingTheHandle()
{
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

void WindowTest::typedJointValueMoves()
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

void WindowTest::typedPoseIsJudgedBeforeItMoves()
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

void WindowTest::takesRenamesAndRetakesATarget()
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
    action("Delete selected target")->trigger();
    QVERIFY(!findTarget(session().cell(), id));
}

void WindowTest::typesAStepSeesTheFindingAndMendsIt()
{
    // A target behind the arm's reach, a line to it, the finding, and the line given another target.
    TargetId far;
    session().edit("Take",
                   [&](const Cell& c) { return takePoseTarget(c, c.arms.front().id, {}, session().posture(), "Kiln door", &far); });
    session().edit("Move", [&](const Cell& c) {
        return setTargetPose(c, far, {Vec3(1.9, 0, 1.0), findTarget(c, far)->pose.rotation});
    });
    session().select(session().routine().steps[0].id);
    typeStep("line to kiln door at 300");
    auto* verdict = child<QLabel>("stepVerdict");
    QVERIFY(verdict->isVisible());
    QVERIFY2(verdict->text().startsWith("Step 2 stops ") && verdict->text().contains("beyond the arm's reach"),
             qPrintable(verdict->text()));
    QCOMPARE(session().routine().steps.size(), size_t(10));  // nothing is inserted yet
    QTest::keyClick(child<QLineEdit>("typeStep"), Qt::Key_Return);
    QCOMPARE(steps()[1], QString("line to Kiln door at 300 mm/s"));
    fresh();
    QVERIFY(session().checked()->result.count(Severity::Blocked) >= 1);
    auto* findings = child<QListWidget>("findingsList");
    QVERIFY2(findings->item(0)->text().startsWith("Step 2 stops "), qPrintable(findings->item(0)->text()));
    bool blockedShown = false;
    for (QLabel* chip : m_window->findChildren<QLabel*>("chip"))
        blockedShown = blockedShown || (chip->isVisible() && chip->text().contains("blocked"));
    QVERIFY(blockedShown);

    // Mended in place: Enter on the row, new text, Enter.
    auto* list = child<QListView>("routeList");
    list->setFocus();
    list->setCurrentIndex(list->model()->index(1, 0));
    QTest::keyClick(list, Qt::Key_Return);
    auto* editor = child<QLineEdit>("stepEditor");
    editor->selectAll();
    QTest::keyClicks(editor, "line over tile pick 200 at 300");
    QTest::keyClick(editor, Qt::Key_Return);
    QTRY_COMPARE(steps()[1], QString("line over Tile pick 200 mm at 300 mm/s"));
    session().edit("Delete", [&](const Cell& c) { return deleteTarget(c, far); });
    fresh();
    QCOMPARE(session().checked()->result.count(Severity::Blocked), 0);
}

void WindowTest::stepsAreEditedFromTheKeyboard()
{
    auto* list = child<QListView>("routeList");
    const QStringList before = steps();
    list->setFocus();
    list->setCurrentIndex(list->model()->index(3, 0));
    action("Move step down")->trigger();
    QCOMPARE(steps()[4], QString("grip"));
    action("Move step up")->trigger();
    QCOMPARE(steps(), before);
    action("Duplicate step")->trigger();
    QCOMPARE(steps().size(), 11);
    QCOMPARE(steps()[4], QString("grip"));
    QTest::keyClick(list, Qt::Key_Delete);
    QCOMPARE(steps(), before);
    list->setCurrentIndex(list->model()->index(2, 0));
    QTest::keyClick(list, Qt::Key_Space);
    QVERIFY(session().routine().steps[2].off);
    QTest::keyClick(list, Qt::Key_Space);
    QVERIFY(!session().routine().steps[2].off);
    session().select(session().routine().steps[7].id);
    typeStep("wait 0.25");
    QTest::keyClick(child<QLineEdit>("typeStep"), Qt::Key_Return);
    QCOMPARE(steps()[8], QString("wait 0.25 s"));
    while (session().history().canUndo())
        action("Undo")->trigger();
    QCOMPARE(steps(), before);
}

void WindowTest::propertiesChangeTheStep()
{
    session().select(session().routine().steps[2].id);
    QTRY_VERIFY(m_window->findChild<QDoubleSpinBox*>("stepSpeed"));
    const auto set = [&](const char* name, const char* value) {
        auto* field = child<QDoubleSpinBox>(name);
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, value);
        QTest::keyClick(field, Qt::Key_Return);
        QCoreApplication::processEvents();
    };
    set("stepSpeed", "80");
    QCOMPARE(session().routine().steps[2].lineSpeed, 0.08);
    QTRY_VERIFY(m_window->findChild<QDoubleSpinBox*>("stepBlend"));
    set("stepBlend", "7.5");
    QCOMPARE(session().routine().steps[2].blend, 0.0075);
    auto* target = child<QComboBox>("stepTarget");
    target->setFocus();
    const int rack = target->findText("Rack place");
    QVERIFY(rack >= 0);
    QTest::keyClicks(target, "Rack");
    Q_EMIT target->activated(rack);
    QVERIFY(session().routine().steps[2].target == targetNamed("Rack place"));
}

void WindowTest::frameMovesByItsProperties()
{
    const FrameId rack = session().cell().frames.back().id;
    const Pose place = baseFromTarget(session().cell(), *findTarget(session().cell(), targetNamed("Rack place")));
    session().select(rack);
    QTRY_VERIFY(m_window->findChild<QDoubleSpinBox*>("pose0"));
    auto* x = child<QDoubleSpinBox>("pose0");
    x->setFocus();
    x->selectAll();
    QTest::keyClicks(x, "545");
    QTest::keyClick(x, Qt::Key_Return);
    QCOMPARE(findFrame(session().cell(), rack)->pose.translation[0], 0.545);
    const Pose moved = baseFromTarget(session().cell(), *findTarget(session().cell(), targetNamed("Rack place")));
    QVERIFY((moved.translation - place.translation - Vec3(0.025, 0, 0)).norm() < 1e-12);
}

void WindowTest::waysChooseAConfiguration()
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

void WindowTest::selectionLightsUpEverywhere()
{
    auto* strip = child<CycleStrip>("cycleStrip");
    auto* list = child<QListView>("routeList");
    const ArmTrace::Span& span = session().trace()->arms[0].spans[6];
    QTest::mouseClick(strip, Qt::LeftButton, {}, QPoint(int(strip->xOf((span.start + span.end) / 2)), 30));
    QVERIFY(session().selected<StepId>() == session().routine().steps[6].id);
    QCOMPARE(list->currentIndex().row(), 6);
    QVERIFY(session().inRun());
    QVERIFY(std::abs(session().time() - (span.start + span.end) / 2) < 0.02);
}

void WindowTest::stripSelectsWhatRunsWhateverIsLookedAt()
{
    const RoutineId main = session().routine().id;
    const StepId wanted = session().routine().steps[6].id;
    RoutineId other;
    QVERIFY(session().edit("Add", [&](const Cell& c) { return addRoutine(c, c.arms.front().id, "Wait", &other); }));
    QVERIFY(session().edit("Add", [&](const Cell& c) { return insertStep(c, other, 0, *parseStep(c, "wait 20 s")); }));
    session().showRoutine(other);
    QTRY_VERIFY(session().checkIsFresh() && session().checked()->result.complete);
    auto* strip = child<CycleStrip>("cycleStrip");
    const ArmTrace::Span& span = session().trace()->arms[0].spans[6];
    QTest::mouseClick(strip, Qt::LeftButton, {}, QPoint(int(strip->xOf((span.start + span.end) / 2)), 30));
    QVERIFY(session().routine().id == main);
    QVERIFY(session().selected<StepId>() == wanted);
}

void WindowTest::clickInTheViewSelects()
{
    const Part& tile = session().cell().parts[2];
    const Vec3 place = worldFromPart(session().cell(), tile).translation + Vec3(0, 0, 0.006);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, view().camera().pixel(place, view().size()).toPoint());
    QVERIFY(session().selected<PartId>() == tile.id);
    auto* tree = child<QTreeWidget>("layoutTree");
    QTRY_VERIFY(tree->isVisible() && tree->currentItem() && tree->currentItem()->text(0) == "Tile 3");
    QTest::mouseClick(&view(), Qt::LeftButton, {}, QPoint(view().width() - 5, view().height() / 2));
    QVERIFY(!session().selected<PartId>());
}

void WindowTest::runsScrubsAndComesBack()
{
    const std::string before = writeCell(session().cell());
    const JointVector posture = session().posture();
    session().setPlaySpeed(8);
    QTest::mouseClick(child<QPushButton>("runButton"), Qt::LeftButton);
    QVERIFY(session().playing());
    QTRY_VERIFY_WITH_TIMEOUT(!session().playing(), 20000);
    QCOMPARE(session().time(), session().trace()->duration);
    const auto tile = [&] { return session().shownState().parts[0].worldFromPart.translation; };
    const Vec3 inRack = tile(), onBelt = worldFromPart(session().cell(), session().cell().parts[0]).translation;
    QVERIFY((inRack - onBelt).norm() > 0.5);

    auto* strip = child<CycleStrip>("cycleStrip");
    QTest::mousePress(strip, Qt::LeftButton, {}, QPoint(int(strip->xOf(1.0)), 40));
    QTest::mouseMove(strip, QPoint(int(strip->xOf(2.5)), 40));
    QTest::mouseRelease(strip, Qt::LeftButton, {}, QPoint(int(strip->xOf(2.5)), 40));
    QVERIFY(std::abs(session().time() - 2.5) < 0.02);
    QVERIFY(
        (session().shownPosture() - postureAt(session().cell(), session().trace()->arms[0], session().time())).norm()
        < 1e-12);
    QVERIFY(session().shownState().parts[0].carried);
    QVERIFY(child<QLabel>("runTime")->text().startsWith(QString::number(session().time(), 'f', 2)));

    QTest::mouseClick(child<QPushButton>("stepButton"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!session().playing(), 20000);
    bool atAStepsEnd = false;
    for (const ArmTrace::Span& s : session().trace()->arms[0].spans)
        atAStepsEnd = atAStepsEnd || std::abs(s.end - session().time()) < 1e-9;
    QVERIFY(atAStepsEnd);

    QTest::mouseClick(child<QPushButton>("rewindButton"), Qt::LeftButton);
    QVERIFY(!session().inRun());
    QVERIFY((tile() - onBelt).norm() < 1e-12);
    QVERIFY(session().posture() == posture);
    QCOMPARE(writeCell(session().cell()), before);
    QVERIFY(session().isSaved());
}

void WindowTest::blockedRunStopsAndSaysWhy()
{
    QVERIFY(m_window->openExample("planted-mistakes"));
    fresh();
    session().setPlaySpeed(8);
    action("Run or pause")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(!session().playing(), 20000);
    QVERIFY2(note().startsWith("Step 3 stops 36 mm short"), qPrintable(note()));
    QVERIFY(session().shownStep() == session().routine().steps[2].id);
}

void WindowTest::findingsListLeadsToTheStep()
{
    QVERIFY(m_window->openExample("planted-mistakes"));
    fresh();
    action("Next finding")->trigger();
    auto* list = child<QListWidget>("findingsList");
    QVERIFY(list->isVisible());
    QCOMPARE(list->count(), 3);
    QVERIFY(session().selected<StepId>() == session().routine().steps[2].id);
    action("Next finding")->trigger();
    QVERIFY(session().selected<StepId>() == session().routine().steps[4].id);
    action("Previous finding")->trigger();
    QVERIFY(session().selected<StepId>() == session().routine().steps[2].id);
}

void WindowTest::commandFieldFindsEverything()
{
    action("Find or do")->trigger();
    auto* field = child<CommandField>("commandField");
    QTRY_VERIFY(field->hasFocus());
    QTest::keyClicks(field, "move to tile p");
    QTest::keyClick(field, Qt::Key_Return);
    QTRY_VERIFY(deviation(baseFromTarget(session().cell(), *findTarget(session().cell(), targetNamed("Tile pick"))),
                          baseFromTcp(session().cell(), session().station(), session().posture()))
                    .metres
                < 1e-9);
    action("Find or do")->trigger();
    QTest::keyClicks(field, "see from drying");
    QTest::keyClick(field, Qt::Key_Return);
    QTRY_COMPARE(frameName(session().cell(), session().readingFrame()), std::string("Drying rack"));
    QTRY_COMPARE(child<QComboBox>("readingFrame")->currentText(), QString("Drying rack"));
}

void WindowTest::undoAndRedoFromTheMenu()
{
    QVERIFY(!action("Undo")->isEnabled());
    QTest::keyClick(&view(), Qt::Key_T);
    QCOMPARE(action("Undo")->text(), QString("Undo: Take target"));
    QVERIFY(child<QLabel>("saveState")->text().contains("changed"));
    action("Undo")->trigger();
    QVERIFY(!targetNamed("Target 1"));
    QVERIFY(!child<QLabel>("saveState")->text().contains("changed"));
    action("Redo")->trigger();
    QVERIFY(targetNamed("Target 1"));
}

void WindowTest::savesClosesAndOpensAgain()
{
    QTemporaryDir dir;
    const QString path = dir.filePath("mine.topikos");
    QTest::keyClick(&view(), Qt::Key_T);
    QVERIFY(m_window->saveTo(path));
    QVERIFY(session().isSaved());
    QCOMPARE(child<QLabel>("saveState")->text(), QString("mine.topikos · saved"));
    const std::string saved = writeCell(session().cell());
    m_window->close();
    init();
    QVERIFY(!targetNamed("Target 1"));
    QVERIFY(m_window->openFile(path));
    QCOMPARE(writeCell(session().cell()), saved);
    QVERIFY(targetNamed("Target 1"));
    fresh();
    QCOMPARE(session().checked()->result.count(Severity::Blocked), 0);
}

void WindowTest::changeOnDiskIsNoticed()
{
    QTemporaryDir folder;
    const QString path = folder.filePath("cell.topikos");
    QVERIFY(m_window->saveTo(path));
    auto* words = m_window->findChild<QLabel*>("noticeWords");
    QVERIFY(!words->isVisible());
    // Saving it again is no news.
    QVERIFY(session().edit("Rename", [](const Cell& c) { return renameFrame(c, c.frames.back().id, "Mine"); }));
    QVERIFY(m_window->saveTo(path));
    Cell other = session().cell();
    other.name = "Changed elsewhere";
    QVERIFY(!saveCell(path.toStdString(), other));
    QTRY_VERIFY(words->isVisible());
    QVERIFY(words->text().contains("cell.topikos has been changed by another program"));
    QTest::mouseClick(m_window->findChild<QPushButton*>("notice0"), Qt::LeftButton);
    QCOMPARE(session().cell().name, std::string("Changed elsewhere"));
    QVERIFY(!words->isVisible());
    QFile::remove(path);
    QTRY_VERIFY(words->isVisible());
    QVERIFY(words->text().contains("no longer there"));
    QTest::mouseClick(m_window->findChild<QPushButton*>("notice0"), Qt::LeftButton);
    QVERIFY(QFile::exists(path));
}

void WindowTest::lostCellIsOffered()
{
    const QString folder = Recovery::standardFolder();
    Cell cell = session().cell();
    cell.name = "Half done";
    QVERIFY(QDir().mkpath(folder));
    QVERIFY(!saveCell((folder + "/999999999.topikos").toStdString(), cell));
    QSettings(folder + "/999999999.topikos.note", QSettings::IniFormat).setValue("name", "Half done");
    MainWindow second;
    second.show();
    QVERIFY(QTest::qWaitForWindowExposed(&second));
    auto* words = second.findChild<QLabel*>("noticeWords");
    QVERIFY(words->isVisible());
    QVERIFY(words->text().contains("“Half done” had unsaved changes"));
    QTest::mouseClick(second.findChild<QPushButton*>("notice0"), Qt::LeftButton);
    QCOMPARE(second.session().cell().name, std::string("Half done"));
    QVERIFY(!second.session().isSaved());
    QVERIFY(!QFile::exists(folder + "/999999999.topikos"));
    second.session().saved(folder + "/none");
}

void WindowTest::recentCellsAreInTheMenu()
{
    QTemporaryDir folder;
    QVERIFY(m_window->saveTo(folder.filePath("first.topikos")));
    QVERIFY(m_window->saveTo(folder.filePath("second.topikos")));
    auto* menu = m_window->findChild<QMenu*>("recentMenu");
    QVERIFY(menu->actions().size() >= 2);
    QCOMPARE(menu->actions()[0]->text(), QString("second.topikos"));
    menu->actions()[1]->trigger();
    QCOMPARE(session().path(), folder.filePath("first.topikos"));
    QCOMPARE(menu->actions()[0]->text(), QString("first.topikos"));
}

void WindowTest::badFileLeavesTheOpenCellAlone()
{
    QTemporaryDir dir;
    QFile file(dir.filePath("broken.topikos"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    const QByteArray broken = "{ \"format\": \"topikos-cell\", \"version\": 1, \"name\": ";
    file.write(broken);
    file.close();
    const std::string before = writeCell(session().cell());
    QVERIFY(!m_window->openFile(file.fileName()));
    QVERIFY2(note().contains("the file ends in the middle"), qPrintable(note()));
    QCOMPARE(writeCell(session().cell()), before);
    QVERIFY(file.open(QIODevice::ReadOnly));
    QCOMPARE(file.readAll(), broken);
}

void WindowTest::unsavedChangesAreAskedAbout()
{
    QTest::keyClick(&view(), Qt::Key_T);
    int asked = 0;
    const auto answer = [&](QMessageBox::StandardButton button) {
        QTimer::singleShot(0, this, [&asked, button] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            if (!box) return;
            ++asked;
            box->button(button)->click();
        });
    };
    answer(QMessageBox::Cancel);
    QVERIFY(!m_window->close());
    QVERIFY(m_window->isVisible());
    answer(QMessageBox::Discard);
    QVERIFY(m_window->close());
    QCOMPARE(asked, 2);
}

void WindowTest::nothingIsDrawnWhenNothingChanges()
{
    // Wait for the fine picture, then watch a while.
    int last = -1;
    QTRY_VERIFY_WITH_TIMEOUT(([&] {
                                 const bool same = last == view().frameCount();
                                 last = view().frameCount();
                                 QTest::qWait(250);
                                 return same;
                             }()),
                             20000);
    const int frames = view().frameCount();
    QTest::qWait(600);
    QCOMPARE(view().frameCount(), frames);
    session().jogJoint(0, 0.01);
    QTRY_VERIFY(view().frameCount() > frames);
}

void WindowTest::layoutIsRemembered()
{
    auto* split = m_window->findChild<QSplitter*>();
    QVERIFY(split);
    QList<QSplitter*> splitters = m_window->findChildren<QSplitter*>();
    QSplitter* columns = nullptr;
    for (QSplitter* s : splitters)
        if (s->orientation() == Qt::Horizontal) columns = s;
    columns->setSizes({380, 600, 300});
    const QList<int> sizes = columns->sizes();
    m_window->close();
    m_window = std::make_unique<MainWindow>();
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    for (QSplitter* s : m_window->findChildren<QSplitter*>())
        if (s->orientation() == Qt::Horizontal) QCOMPARE(s->sizes(), sizes);
    action("Restore layout")->trigger();
    for (QSplitter* s : m_window->findChildren<QSplitter*>())
        if (s->orientation() == Qt::Horizontal) QVERIFY(s->sizes() != sizes);
}

void WindowTest::anotherArmKeepsTheTargets()
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

void WindowTest::everyActionIsExplained()
{
    int count = 0;
    QSet<QString> keys;
    for (QAction* a : m_window->actions()) {
        QVERIFY(!a->text().isEmpty());
        QVERIFY2(!a->toolTip().isEmpty(), qPrintable(a->text()));
        const QString key = a->shortcut().toString();
        QVERIFY2(key.isEmpty() || !keys.contains(key), qPrintable(a->text() + " shares " + key));
        keys.insert(key);
        ++count;
    }
    QVERIFY(count > 40);
    for (QPushButton* b : m_window->findChildren<QPushButton*>())
        if (b->isVisible()) QVERIFY2(!b->toolTip().isEmpty(), qPrintable(b->objectName() + " " + b->text()));
}

TOPIKOS_TEST(WindowTest)
#include "window_test.moc"
