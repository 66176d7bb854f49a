#include "app/session/text.h"
#include "app/strip/cycle_strip.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/cell/arms.h"
#include "core/files/cell_file.h"
#include "core/program/step_text.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QAction>
#include <QComboBox>
#include <QCompleter>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QListView>
#include <QListWidget>
#include <QPushButton>
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
    void typesAStepSeesTheFindingAndMendsIt();
    void stepsAreEditedFromTheKeyboard();
    void propertiesChangeTheStep();
    void frameMovesByItsProperties();
    void selectionLightsUpEverywhere();
    void stripSelectsWhatRunsWhateverIsLookedAt();
    void clickInTheViewSelects();
    void runsScrubsAndComesBack();
    void blockedRunStopsAndSaysWhy();
    void findingsListLeadsToTheStep();
    void commandFieldFindsEverything();
    void undoAndRedoFromTheMenu();
    void nothingIsDrawnWhenNothingChanges();
    void layoutIsRemembered();
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
    QCOMPARE(child<QLineEdit>("cellName")->text(), QString("Tile glazing line"));
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
    const QImage picture = view().picture();
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

void WindowTest::typesAStepSeesTheFindingAndMendsIt()
{
    // A target behind the arm's reach, a line to it, the finding, and the line given another target.
    TargetId far;
    session().edit("Take", [&](const Cell& c) {
        return takePoseTarget(c, c.arms.front().id, {}, session().posture(), "Kiln door", &far);
    });
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
    QCOMPARE(session().routine().steps[2].as<LineMove>()->speed, 0.08);
    QTRY_VERIFY(m_window->findChild<QDoubleSpinBox*>("stepBlend"));
    set("stepBlend", "7.5");
    QCOMPARE(paceOf(session().routine().steps[2])->blend, 0.0075);
    auto* target = child<QComboBox>("stepTarget");
    target->setFocus();
    const int rack = target->findText("Rack place");
    QVERIFY(rack >= 0);
    QTest::keyClicks(target, "Rack");
    Q_EMIT target->activated(rack);
    QVERIFY(targetOf(session().routine().steps[2]) == targetNamed("Rack place"));
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
    QVERIFY(session().edit("Add", [&](const Cell& c) {
        return insertStep(c, other, 0, *parseStep(c, {*findRoutine(c, other)}, "wait 20 s"));
    }));
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
    // Three, and two contacts that follow from the first.
    QCOMPARE(list->count(), 5);
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
    session().jogJoint(0, 1);
    QTRY_VERIFY(view().frameCount() > frames);
}

void WindowTest::layoutIsRemembered()
{
    auto* split = m_window->findChild<QSplitter*>();
    QVERIFY(split);
    QList<QSplitter*> splitters = m_window->findChildren<QSplitter*>();
    QSplitter* columns = nullptr;
    for (QSplitter* s : splitters)
        if (s->orientation() == Qt::Horizontal && s->count() == 3) columns = s;
    // Dragged by its handle, as a person does.
    QSplitterHandle* handle = columns->handle(1);
    const QPoint grip = handle->rect().center();
    QTest::mousePress(handle, Qt::LeftButton, {}, grip);
    QTest::mouseMove(handle, grip - QPoint(40, 0));
    QTest::mouseRelease(handle, Qt::LeftButton, {}, grip - QPoint(40, 0));
    const QList<int> sizes = columns->sizes();
    m_window->close();
    m_window = std::make_unique<MainWindow>();
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    for (QSplitter* s : m_window->findChildren<QSplitter*>())
        if (s->orientation() == Qt::Horizontal && s->count() == 3) QCOMPARE(s->sizes(), sizes);
    action("Restore layout")->trigger();
    for (QSplitter* s : m_window->findChildren<QSplitter*>())
        if (s->orientation() == Qt::Horizontal && s->count() == 3) QVERIFY(s->sizes() != sizes);
    // What nobody has dragged goes with the window.
    const int before = child<QWidget>("side")->width();
    m_window->resize(1100, 760);
    QTRY_VERIFY(child<QWidget>("side")->width() < before);
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
