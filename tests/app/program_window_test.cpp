#include "app/route/program_editor.h"
#include "app/route/route_model.h"
#include "app/session/text.h"
#include "core/cell/edit_steps.h"
#include "core/cell/time_tables.h"
#include "core/files/cell_file.h"
#include "core/program/program_text.h"
#include "core/program/step_text.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QClipboard>
#include <QLineEdit>
#include <QListView>
#include <QListWidget>
#include <QMessageBox>
#include <QMenu>
#include <QPushButton>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTimer>
#include <QToolButton>

using namespace topikos;
using namespace topikos::test;

/// Programs that call, repeat and decide, in the real window: as a list, and as text.
class ProgramWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void typedTextIsTakenAtAPause();
    void wrongTextIsKeptWithItsErrors();
    void textIsTakenBeforeItIsSaved();
    void textCompletesNames();
    void blocksFoldByKeyAndMouse();
    void stepsGoInAndOutOfBlocksByKeys();
    void clipboardHoldsText();
    void wrapAndMakeRoutineByKeys();
    void renamingChangesEveryUse();
    void passesAreLookedAtInTurn();
    void hereIsMarkedInLoops();
    void usesAreGoneThrough();
    void targetAndStepInOneStroke();
    void runsSeveralTimesAndWithoutEnd();
    void runHaltsAtAMark();
    void stepOverACall();
    void adviceIsLetStand();
    void everyKindHasItsPage();

private:
    QListView* list() { return child<QListView>("routeList"); }
    ProgramEditor* editor() { return m_window->findChild<ProgramEditor*>(); }
    ProgramField* field() { return child<ProgramField>("programField"); }
    QStringList rows()
    {
        QStringList out;
        for (int i = 0; i < list()->model()->rowCount(); ++i)
            out << QString(2 * list()->model()->index(i, 0).data(RouteModel::DepthRole).toInt(), ' ')
                       + list()->model()->index(i, 0).data(RouteModel::MainRole).toString();
        return out;
    }
    QVariant at(int row, int role) { return list()->model()->index(row, 0).data(role); }
    void program(const char* words)
    {
        const ProgramReading reading = readProgram(session().cell(), words);
        QVERIFY2(reading.cell, reading.errors.empty() ? "" : reading.errors.front().text().c_str());
        QVERIFY(session().edit("Program", [&](const Cell&) -> Result<Cell> { return *reading.cell; }));
        action("Route face")->trigger();
        fresh();
        QCoreApplication::processEvents();
    }
    void openRack()
    {
        QVERIFY(m_window->openExample("rack-of-24"));
        action("Route face")->trigger();
        fresh();
        QCoreApplication::processEvents();
    }
    void selectRow(int row)
    {
        list()->scrollTo(list()->model()->index(row, 0));
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, {},
                          list()->visualRect(list()->model()->index(row, 0)).center());
        QCoreApplication::processEvents();
    }
    void showText()
    {
        action("Program as text")->trigger();
        QCoreApplication::processEvents();
        QVERIFY(field()->isVisible());
        QTRY_VERIFY(field()->hasFocus());
    }
    void goTo(const QString& words)
    {
        QTextCursor cursor = field()->document()->find(words);
        QVERIFY2(!cursor.isNull(), qPrintable(words));
        cursor.movePosition(QTextCursor::EndOfBlock);
        field()->setTextCursor(cursor);
    }
    void waitRead() { QTRY_VERIFY_WITH_TIMEOUT(!editor()->reading(), 5000); }
};

void ProgramWindowTest::typedTextIsTakenAtAPause()
{
    openRack();
    showText();
    const size_t before = countSteps(session().routine().steps);
    QSignalSpy edits(&session(), &Session::cellChanged);
    const StepId grip = session().routine().steps[1].body[3].id;
    goTo("        grip");
    QSignalSpy settled(editor(), &ProgramEditor::settled);
    QTest::keyClick(field(), Qt::Key_Return);
    QTest::keyClicks(field(), "wait 0.25 s");
    QVERIFY(settled.wait(5000));
    QCOMPARE(countSteps(session().routine().steps), before + 1);
    QCOMPARE(edits.count(), 1);  // one edit for all that was typed
    QVERIFY(session().routine().steps[1].body[3].id == grip);
    QCOMPARE(session().routine().steps[1].body[4].as<Wait>()->seconds, 0.25);
    // The step at the cursor is the one that is selected.
    QVERIFY(session().selected<StepId>() == session().routine().steps[1].body[4].id);
    action("Undo")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(countSteps(session().routine().steps), before);
    QVERIFY(!field()->toPlainText().contains("wait 0.25 s"));
}

void ProgramWindowTest::wrongTextIsKeptWithItsErrors()
{
    openRack();
    showText();
    const CellPtr before = session().history().current();
    goTo("        grip");
    QSignalSpy settled(editor(), &ProgramEditor::settled);
    QTest::keyClicks(field(), "per");
    QVERIFY(settled.wait(5000));
    QVERIFY(session().history().current() == before);
    QCOMPARE(editor()->errors().size(), size_t(1));
    QVERIFY(child<QLabel>("programState")->text().contains("Line 7"));
    QVERIFY(field()->marks().at(6).error);
    // An edit elsewhere loses nothing of it.
    QVERIFY(session().edit("Rename", [](const Cell& c) { return renameCell(c, "Another rack"); }));
    QCoreApplication::processEvents();
    QVERIFY(field()->toPlainText().contains("gripper"));
    QVERIFY(child<QPushButton>("programDiscard")->isVisible());
    click("programDiscard");
    QVERIFY(!field()->toPlainText().contains("gripper"));
    QVERIFY(editor()->errors().empty());
    // Mended by typing on, the program is taken.
    goTo("        grip");
    QTest::keyClicks(field(), "x");
    QVERIFY(settled.wait(5000));
    QVERIFY(!editor()->errors().empty());
    QTest::keyClick(field(), Qt::Key_Backspace);
    QVERIFY(settled.wait(5000));
    QVERIFY(editor()->errors().empty());
}

void ProgramWindowTest::textIsTakenBeforeItIsSaved()
{
    openRack();
    showText();
    QTemporaryDir folder;
    const QString path = folder.filePath("rack.topikos");
    goTo("        grip");
    QTest::keyClick(field(), Qt::Key_Return);
    QTest::keyClicks(field(), "wait 0.25 s");
    QVERIFY(m_window->saveTo(path));  // at once, without the pause
    QVERIFY(programText(openCell(path.toStdString()).value()).find("wait 0.25 s") != std::string::npos);
    // What is wrong is not in the file, and is told; it is asked about before the cell is left.
    QTest::keyClicks(field(), "x");
    QVERIFY(m_window->saveTo(path));
    QVERIFY(note().contains("without the text of the program"));
    QVERIFY(field()->toPlainText().contains("wait 0.25 sx"));
    bool asked = false;
    QTimer::singleShot(0, this, [&] {
        for (QWidget* box : QApplication::topLevelWidgets())
            if (box->objectName() == "wrongTextBox") {
                asked = true;
                static_cast<QMessageBox*>(box)->button(QMessageBox::Discard)->click();
            }
    });
    action("Example: tile glazing line")->trigger();
    QVERIFY(asked);
    fresh();
    QVERIFY(editor()->errors().empty());
    QTRY_VERIFY(field()->toPlainText().contains("routine Set one tile"));
}

void ProgramWindowTest::textCompletesNames()
{
    openRack();
    showText();
    goTo("    joint to Home");
    QTest::keyClick(field(), Qt::Key_Return);
    QTest::keyClicks(field(), "joint to Boo");
    QTest::keyClick(field(), Qt::Key_Space, Qt::ControlModifier);
    QTest::keyClick(field(), Qt::Key_Return);  // takes what is offered
    QVERIFY2(field()->textCursor().block().text().startsWith("    joint to Booth "),
             qPrintable(field()->textCursor().block().text()));
}

void ProgramWindowTest::blocksFoldByKeyAndMouse()
{
    openRack();
    QCOMPARE(list()->model()->rowCount(), 19);  // the stop behind the wait is a row below "else", too
    const int all = list()->model()->rowCount();
    selectRow(2);
    QVERIFY(at(2, RouteModel::DepthRole).toInt() == 1);
    list()->setFocus();
    QTest::keyClick(list(), Qt::Key_Left);  // folds the block around it
    QCOMPARE(list()->model()->rowCount(), 3);
    QVERIFY(at(1, RouteModel::MoreRole).toString().contains("steps"));
    QVERIFY(at(1, RouteModel::SecondsRole).toDouble() > 200);
    QVERIFY(session().selected<StepId>() == session().routine().steps[1].id);
    QTest::keyClick(list(), Qt::Key_Right);
    QCOMPARE(list()->model()->rowCount(), all);
    // The wedge before the glyph does the same.
    const QRect row = list()->visualRect(list()->model()->index(1, 0));
    QTest::mouseClick(list()->viewport(), Qt::LeftButton, {}, QPoint(row.left() + 24 + 22 - 1, row.center().y()));
    QCOMPARE(list()->model()->rowCount(), 3);
    // Numbers stay those of the program.
    QCOMPARE(at(2, RouteModel::NumberRole).toInt(), int(countSteps(session().routine().steps)));
}

void ProgramWindowTest::stepsGoInAndOutOfBlocksByKeys()
{
    program("routine Set one tile, run by Arm\n    wait 1 s\n    repeat 2 times\n        wait 2 s\n    wait 3 s\n");
    selectRow(0);
    const auto down = [&] { action("Move step down")->trigger(), QCoreApplication::processEvents(); };
    const auto up = [&] { action("Move step up")->trigger(), QCoreApplication::processEvents(); };
    down();
    QCOMPARE(rows(), QStringList({"repeat 2 times", "  wait 1 s", "  wait 2 s", "wait 3 s"}));
    down();
    QCOMPARE(rows(), QStringList({"repeat 2 times", "  wait 2 s", "  wait 1 s", "wait 3 s"}));
    down();
    QCOMPARE(rows(), QStringList({"repeat 2 times", "  wait 2 s", "wait 1 s", "wait 3 s"}));
    down();
    QCOMPARE(rows(), QStringList({"repeat 2 times", "  wait 2 s", "wait 3 s", "wait 1 s"}));
    down();
    QCOMPARE(rows().back(), QString("wait 1 s"));
    for (int i = 0; i < 4; ++i)
        up();
    QCOMPARE(rows(), QStringList({"wait 1 s", "repeat 2 times", "  wait 2 s", "wait 3 s"}));
    // A step typed behind an open block goes into it; typed before, it goes before it.
    selectRow(1);
    action("Type a step before")->trigger();
    typeThere("wait 4 s", Qt::Key_Return);
    QCOMPARE(rows(), QStringList({"wait 1 s", "wait 4 s", "repeat 2 times", "  wait 2 s", "wait 3 s"}));
}

void ProgramWindowTest::clipboardHoldsText()
{
    openRack();
    selectRow(3);
    action("Copy steps")->trigger();
    QVERIFY2(
        QGuiApplication::clipboard()->text().startsWith("wait for Tile there at most 30 s, else stop \"No tile came\""),
        qPrintable(QGuiApplication::clipboard()->text()));
    const QStringList before = rows();
    action("Cut steps")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(rows().size(), before.size() - 3);
    action("Undo")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(rows(), before);
    // From any editor, with blocks; into another place.
    QGuiApplication::clipboard()->setText("repeat 3 times\n    wait 0.5 s\n    if Tile there\n        grip\n");
    selectRow(0);
    action("Paste steps")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(rows().mid(1, 4), QStringList({"repeat 3 times", "  wait 0.5 s", "  if Tile there", "    grip"}));
    QGuiApplication::clipboard()->setText("line to Nowhere");
    action("Paste steps")->trigger();
    QVERIFY(note().contains("Nowhere"));
}

void ProgramWindowTest::wrapAndMakeRoutineByKeys()
{
    program("routine Set one tile, run by Arm\n    joint to Home\n    wait 1 s\n    wait 2 s\n    joint to Home\n");
    selectRow(1);
    QTest::keyClick(list(), Qt::Key_Down, Qt::ShiftModifier);
    action("Put into repeat")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(rows(), QStringList({"to Home", "repeat 2 times", "  wait 1 s", "  wait 2 s", "to Home"}));
    QVERIFY(session().selected<StepId>() == session().routine().steps[1].id);
    type("stepTimes", "7");
    QCOMPARE(session().routine().steps[1].as<Repeat>()->times, 7u);
    action("Take out of the block")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(rows(), QStringList({"to Home", "wait 1 s", "wait 2 s", "to Home"}));
    selectRow(1);
    QTest::keyClick(list(), Qt::Key_Down, Qt::ShiftModifier);
    action("Make a routine of them")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(rows(), QStringList({"wait 1 s", "wait 2 s"}));
    typeThere("Rest a while", Qt::Key_Return);  // its name is ready to be typed
    QCOMPARE(text(session().routine().name), QString("Rest a while"));
    session().showRoutine(session().station().main);
    QCoreApplication::processEvents();
    QCOMPARE(rows(), QStringList({"to Home", "call Rest a while", "to Home"}));
}

void ProgramWindowTest::renamingChangesEveryUse()
{
    openRack();
    const TargetId pick = targetNamed("Tile pick");
    QVERIFY(session().edit("Rename", [&](const Cell& c) { return renameTarget(c, pick, "Tile on the belt"); }));
    QCoreApplication::processEvents();
    const std::string words = programText(session().cell());
    QVERIFY(words.find("Tile pick") == std::string::npos);
    QVERIFY(words.find("joint over Tile on the belt 120 mm blend 20 mm") != std::string::npos);
    showText();
    QVERIFY(field()->toPlainText().contains("line to Tile on the belt at 150 mm/s"));
}

void ProgramWindowTest::passesAreLookedAtInTurn()
{
    openRack();
    int row = 0;
    while (!at(row, RouteModel::MainRole).toString().startsWith("over place"))
        ++row;
    selectRow(row);
    QVERIFY2(at(row, RouteModel::MoreRole).toString().contains("→ Rack 1"),
             qPrintable(at(row, RouteModel::MoreRole).toString()));
    QCOMPARE(session().passesOf(session().selected<StepId>()), 24);
    type("stepPass", "3");
    QCOMPARE(session().pass(), 2);
    const QString third = at(row, RouteModel::MoreRole).toString();
    QVERIFY2(third.contains("→ Rack 3"), qPrintable(third));
    // In a run the pass that the run is in.
    const StepOutcome* outcome = session().passOutcome(session().selected<StepId>());
    QVERIFY(outcome && outcome->target == targetNamed("Rack 3"));
    session().scrub(0.75 * session().trace()->duration);
    QVERIFY(!at(row, RouteModel::MoreRole).toString().contains("→ Rack 3"));
    session().leaveRun();
    // The arm goes to the place of the pass.
    type("stepPass", "5");
    list()->setFocus();
    action("Move to selected target")->trigger();
    QCOMPARE(note(), QString("At Rack 5"));
}

void ProgramWindowTest::hereIsMarkedInLoops()
{
    openRack();
    int row = 0;
    while (!at(row, RouteModel::MainRole).toString().startsWith("to place"))
        ++row;
    QVERIFY(!at(row, RouteModel::HereRole).toBool());
    QVERIFY(session().goToTarget(targetNamed("Rack 17")));
    QVERIFY(at(row, RouteModel::HereRole).toBool());
    QVERIFY(session().goToTarget(targetNamed("Booth in")));
    QVERIFY(!at(row, RouteModel::HereRole).toBool());
}

void ProgramWindowTest::usesAreGoneThrough()
{
    openRack();
    session().select(targetNamed("Tile pick"));
    QStringList seen;
    for (int i = 0; i < 3; ++i) {
        session().select(targetNamed("Tile pick"));
        action("Where is it used")->trigger();
        QVERIFY(note().contains("by 3 steps"));
        seen << note();
    }
    QCOMPARE(QSet<QString>(seen.begin(), seen.end()).size(), 3);
    session().select(targetNamed("Rack 3"));
    action("Where is it used")->trigger();
    QVERIFY(note().contains("No step uses Rack 3"));
}

void ProgramWindowTest::targetAndStepInOneStroke()
{
    action("Route face")->trigger();
    selectRow(0);
    const size_t targets = session().cell().targets.size(), steps = session().routine().steps.size();
    QSignalSpy edits(&session(), &Session::cellChanged);
    view().setFocus();
    QTRY_VERIFY(view().hasFocus());
    QTest::keyClick(&view(), Qt::Key_L);
    QCOMPARE(session().cell().targets.size(), targets + 1);
    QCOMPARE(session().routine().steps.size(), steps + 1);
    QCOMPARE(edits.count(), 1);
    const Step& made = session().routine().steps[1];
    QVERIFY(made.kind() == StepKind::Line && targetOf(made) == session().cell().targets.back().id);
    QVERIFY(session().selected<StepId>() == made.id);
    QTest::keyClick(&view(), Qt::Key_T, Qt::ShiftModifier);
    QVERIFY(session().routine().steps[2].kind() == StepKind::Joint);
}

void ProgramWindowTest::runsSeveralTimesAndWithoutEnd()
{
    fresh();
    const double once = session().trace()->duration;
    for (QAction* a : child<QMenu>("planMenu")->actions())
        if (a->text() == "5 times") a->trigger();
    QCOMPARE(child<QPushButton>("planButton")->text(), QString("5 times"));
    action("Run or pause")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(session().playing(), 5000);
    QVERIFY(session().trace()->duration > 4 * once);
    session().leaveRun();
    QCOMPARE(session().trace()->duration, once);
    for (QAction* a : child<QMenu>("planMenu")->actions())
        if (a->text() == "without end") a->trigger();
    action("Run or pause")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(session().playing(), 5000);
    const double first = session().trace()->duration;
    session().pause();
    session().scrub(first - 1);
    session().play();
    QTRY_VERIFY_WITH_TIMEOUT(session().trace()->duration > first, 5000);  // it goes on before its end
    // An edit ends such a run.
    QVERIFY(session().edit("Rename", [](const Cell& c) { return renameCell(c, "Other"); }));
    QVERIFY(!session().inRun());
    for (QAction* a : child<QMenu>("planMenu")->actions())
        if (a->text() == "once") a->trigger();
}

void ProgramWindowTest::runHaltsAtAMark()
{
    fresh();
    action("Route face")->trigger();
    selectRow(3);
    list()->setFocus();
    action("Halt before it")->trigger();
    QVERIFY(at(3, RouteModel::HaltRole).toBool());
    session().setPlaySpeed(8);
    action("Run or pause")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(session().inRun() && !session().playing(), 10000);
    const ArmTrace& arm = session().trace()->arms[0];
    const ArmTrace::Span* span = spanAt(arm, session().time());
    QVERIFY(arm.outcomes[span->outcome].step == session().routine().steps[3].id
            && std::abs(span->start - session().time()) < 1e-9);
    // Goes on from there, and not again before the next pass.
    action("Run or pause")->trigger();
    QVERIFY(session().playing());
    QTRY_VERIFY_WITH_TIMEOUT(!session().playing(), 10000);
    QCOMPARE(session().time(), session().trace()->duration);
    action("Halt before it")->trigger();
    QVERIFY(!at(3, RouteModel::HaltRole).toBool());
    session().setPlaySpeed(1);
}

void ProgramWindowTest::stepOverACall()
{
    program("routine Set one tile, run by Arm\n    wait 0.1 s\n    call Rest\n    wait 0.3 s\n\nroutine Rest\n    wait "
            "0.5 s\n    wait 0.7 s\n");
    session().setPlaySpeed(8);
    action("Run one step")->trigger();
    QTRY_VERIFY(!session().playing());
    QCOMPARE(session().time(), 0.1);
    action("Run over the call")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(!session().playing(), 5000);
    QVERIFY(std::abs(session().time() - 1.3) < 1e-9);
    session().scrub(0.1);
    action("Run one step")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(!session().playing(), 5000);
    QVERIFY(std::abs(session().time() - 0.6) < 1e-9);
    // The call is marked while what it does runs.
    QVERIFY(at(1, RouteModel::RunsRole).toBool() && !at(0, RouteModel::RunsRole).toBool());
    session().setPlaySpeed(1);
}

void ProgramWindowTest::adviceIsLetStand()
{
    program("routine Set one tile, run by Arm\n    joint to Home\n    joint over Tile pick 60 mm\n    joint over Rack "
            "place 60 mm\n");
    auto* findings = child<QListWidget>("findingsList");
    action("Show findings")->trigger();
    QTRY_COMPARE(findings->count(), 1);
    QVERIFY(findings->item(0)->text().contains("does not end where it began"));
    QTest::mouseClick(findings->viewport(), Qt::LeftButton, {}, findings->visualItemRect(findings->item(0)).center());
    auto* reason = child<QLineEdit>("adviceReason");
    QVERIFY(reason->isVisible());
    click("adviceAccept");
    QVERIFY(note().contains("Type why"));
    reason->setFocus();
    QTest::keyClicks(reason, "the next program goes home");
    QTest::keyClick(reason, Qt::Key_Return);
    fresh();
    QTRY_VERIFY(findings->count() == 1 && findings->item(0)->text().startsWith("stands: the next program goes home"));
    QCOMPARE(session().checked()->result.count(Severity::Advice), 0);
    findings->setCurrentRow(-1);
    findings->setCurrentRow(0);
    QCOMPARE(child<QPushButton>("adviceAccept")->text(), QString("Raise again"));
    click("adviceAccept");
    fresh();
    QTRY_COMPARE(session().checked()->result.count(Severity::Advice), 1);
}

void ProgramWindowTest::everyKindHasItsPage()
{
    openRack();
    QVERIFY(session().edit("A table", [this](const Cell& cell) {
        return addTimeTable(cell, session().station().id, "Wipe", TimeRows{{0}, {0, 1}, {0, 0.1}});
    }));
    // Each kind is put in from the buttons or the menu behind them, and its page changes it without a refusal.
    selectRow(0);
    for (int kind = 0; kind < kStepKinds; ++kind) {
        const size_t before = countSteps(session().routine().steps);
        if (auto* b = m_window->findChild<QPushButton*>(QString("insert%1").arg(kind)))
            QTest::mouseClick(b, Qt::LeftButton);
        else m_window->findChild<QAction*>(QString("insert%1").arg(kind))->trigger();
        QCoreApplication::processEvents();
        if (StepKind(kind) == StepKind::Call) {
            QVERIFY(note().contains("no other routine"));
            continue;
        }
        QVERIFY2(countSteps(session().routine().steps) == before + 1,
                 qPrintable(QString("%1: %2").arg(kind).arg(note())));
        const Step* made = findStep(session().routine().steps, session().selected<StepId>());
        QVERIFY(made && int(made->kind()) == kind);
        QCOMPARE(child<QComboBox>("stepKind")->currentIndex(), kind);
        type("stepNote", "seen");
        QCOMPARE(findStep(session().routine().steps, session().selected<StepId>())->note, std::string("seen"));
        // The next one goes before it, out of blocks.
        selectRow(0);
    }
}

TOPIKOS_TEST(ProgramWindowTest)
#include "program_window_test.moc"
