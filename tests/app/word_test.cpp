#include "app/arms/arms_page.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/session/export.h"
#include "app/targets/target_table_model.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_targets.h"
#include "core/files/cell_file.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QComboBox>
#include <QFileDialog>
#include <QMessageBox>
#include <QSignalSpy>
#include <QTableView>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTextBlock>
#include <QTextLayout>
#include <QPushButton>
#include <QSettings>
#include <QTimer>

using namespace topikos;
using namespace topikos::test;

/// What the window promises: keys type where one types, nothing is lost, nothing of another cell is shown.
class WordTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void keysTypeInTextsAndTables();
    void keysTeachInTheView();
    void stepsMoveByKeysThatNoTextNeeds();
    void endingsComeBeforeTheQuestion_data();
    void endingsComeBeforeTheQuestion();
    void fileOfTheSameNameIsAskedFor();
    void savedIsWhatWasWritten();
    void undoTakesBackWhatIsBeingTyped();
    void editsElsewhereGoIntoTextWithErrors();
    void redoSurvivesTypingThatIsTakenBack();
    void openingLeavesNothingOfTheCellBefore();
    void cellsNeverShareARevision();
    void lateCheckLeavesAPlannedRunAsLongAsItIs();
    void reachedIsSaidOfWhatWasChecked();
    void whatIsGoneIsNotSelected();
    void anotherLookReachesTheText();

private:
    ProgramEditor* editor() { return m_window->findChild<ProgramEditor*>(); }
    ProgramField* field() { return editor()->field(); }
    void showText()
    {
        action("Program as text")->trigger();
        QCoreApplication::processEvents();
        QVERIFY(field()->isVisible());
        QTRY_VERIFY(field()->hasFocus());
        QTRY_VERIFY2(field()->toPlainText().contains("grip"), qPrintable(field()->toPlainText()));
    }
    void endOfLine(const QString& line)
    {
        QTextCursor at = field()->document()->find(line);
        QVERIFY2(!at.isNull(), qPrintable(line));
        at.movePosition(QTextCursor::EndOfBlock);
        field()->setTextCursor(at);
    }
};

void WordTest::keysTypeInTextsAndTables()
{
    session().open(openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value(), "");
    fresh();
    // Every field and table that can be seen on any face.
    QStringList seen;
    const Cell before = session().cell();
    const JointVector posture = session().posture();
    session().select(session().routine().steps[2].id);
    for (const char* face : {"Cell face", "Route face", "Targets face", "Show findings", "Signals", "Contact pairs",
                             "Breakdown", "Targets as a table"}) {
        action(face)->trigger();
        QTest::qWait(0);
        for (QWidget* widget : m_window->findChildren<QWidget*>()) {
            const bool typed = qobject_cast<QLineEdit*>(widget) || qobject_cast<QComboBox*>(widget)
                               || qobject_cast<QTableView*>(widget);
            if (!typed || !widget->isVisible() || !widget->isEnabled() || widget->focusPolicy() == Qt::NoFocus)
                continue;
            if (!widget->objectName().isEmpty() && seen.contains(widget->objectName())) continue;
            const Selection selected = session().selection();
            for (const int key : {Qt::Key_T, Qt::Key_L, Qt::Key_M, Qt::Key_Delete, Qt::Key_3, Qt::Key_Less}) {
                widget->setFocus();
                if (!widget->hasFocus()) break;
                seen << widget->objectName();
                QTest::keyClick(widget, Qt::Key(key));
                const QString what = QString("%1 on %2 of %3").arg(key).arg(widget->objectName(), face);
                QVERIFY2(session().cell().targets.size() == before.targets.size(), qPrintable(what));
                QVERIFY2(session().routine().steps.size() == routineOf(before, before.arms.front()).steps.size(),
                         qPrintable(what));
                QVERIFY2(session().cell().signals.size() == before.signals.size(), qPrintable(what));
                QVERIFY2(session().posture() == posture, qPrintable(what));
                QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : widget, Qt::Key_Escape);
            }
            session().select(selected);
            if (auto* line = qobject_cast<QLineEdit*>(widget); line && !line->isReadOnly() && line->isModified())
                line->undo();
        }
    }
    seen.removeDuplicates();
    QVERIFY2(seen.contains("signalsTable") && seen.contains("targetTable"), qPrintable(seen.join(' ')));
}

void WordTest::keysTeachInTheView()
{
    fresh();
    const size_t targets = session().cell().targets.size();
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_T);
    QCOMPARE(session().cell().targets.size(), targets + 1);
    // In a list of things, too.
    action("Route face")->trigger();
    auto* list = child<QListView>("routeList");
    list->setFocus();
    QTest::keyClick(list, Qt::Key_T);
    QCOMPARE(session().cell().targets.size(), targets + 2);
}

void WordTest::stepsMoveByKeysThatNoTextNeeds()
{
    fresh();
    action("Route face")->trigger();
    const StepId third = session().routine().steps[2].id;
    session().select(third);
    child<QListView>("routeList")->setFocus();
    QTest::keyClick(child<QListView>("routeList"), Qt::Key_PageUp, Qt::AltModifier);
    QVERIFY(session().routine().steps[1].id == third);
    QTest::keyClick(child<QListView>("routeList"), Qt::Key_PageDown, Qt::AltModifier);
    QVERIFY(session().routine().steps[2].id == third);
    // What texts need is theirs.
    for (const QAction* own : m_window->actions())
        for (const QKeySequence& keys : own->shortcuts())
            QVERIFY2(keys != QKeySequence("Alt+Down") && keys != QKeySequence("Alt+Up")
                         && keys != QKeySequence("Ctrl+Backspace") && keys != QKeySequence("Ctrl+Delete"),
                     qPrintable(own->text()));
}

void WordTest::endingsComeBeforeTheQuestion_data()
{
    QTest::addColumn<QString>("typed");
    QTest::addColumn<QString>("chosen");
    QTest::addColumn<QString>("path");
    QTest::newRow("none") << "cell"
                          << "Tables (*.csv)"
                          << "cell.csv";
    QTest::newRow("own") << "cell.csv"
                         << "Tables (*.csv)"
                         << "cell.csv";
    QTest::newRow("capitals") << "cell.CSV"
                              << "Tables (*.csv)"
                              << "cell.CSV";
    QTest::newRow("that of another filter") << "cell.svg"
                                            << "Tables (*.csv)"
                                            << "cell.svg";
    QTest::newRow("point in the name") << "cell.v2"
                                       << "Tables (*.csv)"
                                       << "cell.v2.csv";
    QTest::newRow("first of several") << "cell"
                                      << "Pictures (*.svg *.png)"
                                      << "cell.svg";
    QTest::newRow("with a hyphen") << "arm"
                                   << "Arm (*.topikos-arm)"
                                   << "arm.topikos-arm";
}
void WordTest::endingsComeBeforeTheQuestion()
{
    QFETCH(QString, typed);
    QFETCH(QString, chosen);
    QFETCH(QString, path);
    QCOMPARE(withEnding(typed, {"Tables (*.csv)", "Pictures (*.svg *.png)"}, chosen), path);
}

void WordTest::fileOfTheSameNameIsAskedFor()
{
    QTemporaryDir folder;
    QFile there(folder.filePath("taken.topikos"));
    QVERIFY(there.open(QIODevice::WriteOnly) && there.write("mine") == 4);
    there.close();
    // Typed without its ending: it is asked all the same, and not written over.
    answer<QFileDialog>("outputDialog", [&](QFileDialog* dialog) {
        dialog->findChild<QLineEdit*>()->setText(folder.filePath("taken"));
        answer<QMessageBox>("overwriteQuestion", [&](QMessageBox* question) {
            QVERIFY(question->text().contains("taken.topikos"));
            answer<QFileDialog>("outputDialog", [](QFileDialog* again) { again->reject(); });
            QTest::keyClick(question, Qt::Key_Escape);
        });
        QTest::keyClick(dialog->findChild<QLineEdit*>(), Qt::Key_Return);
    });
    QCOMPARE(askForOutput(m_window.get(), "Save the cell", folder.filePath("x.topikos"), {"Topikos cells (*.topikos)"}),
             QString());
    QVERIFY(there.open(QIODevice::ReadOnly));
    QCOMPARE(there.readAll(), QByteArray("mine"));
}

void WordTest::savedIsWhatWasWritten()
{
    const CellPtr written = session().history().current();
    QVERIFY(session().edit("Rename", [](const Cell& cell) {
        Cell next = cell;
        next.name += " too";
        return Result<Cell>(next);
    }));
    // The writing of the cell before ends only now.
    session().saved("somewhere.topikos", written);
    QVERIFY(!session().isSaved());
    session().undo();
    QVERIFY(session().isSaved());
}

void WordTest::undoTakesBackWhatIsBeingTyped()
{
    fresh();
    showText();
    const CellPtr before = session().history().current();
    const QString text = field()->toPlainText();
    endOfLine("grip");
    QTest::keyClicks(field(), "  # now");
    QVERIFY(field()->toPlainText() != text);
    QTest::keyClick(field(), Qt::Key_Z, Qt::ControlModifier);
    QTRY_COMPARE(field()->toPlainText(), text);
    QVERIFY(session().history().current() == before);
    QTRY_VERIFY(!editor()->reading());
    QVERIFY(*session().history().current() == *before);
}

void WordTest::editsElsewhereGoIntoTextWithErrors()
{
    fresh();
    showText();
    QSignalSpy settled(editor(), &ProgramEditor::settled);
    endOfLine("grip");
    QTest::keyClick(field(), Qt::Key_Return);
    QTest::keyClicks(field(), "wait for ever and");
    QVERIFY(settled.wait(5000));
    QVERIFY(!editor()->errors().empty());
    // Meanwhile a step is put at the end from elsewhere.
    const RoutineId routine = session().routine().id;
    const size_t steps = session().routine().steps.size();
    QVERIFY(session().edit(
        "Insert", [&](const Cell& cell) { return insertStep(cell, routine, steps, Step{.action = Wait{7.5}}); }));
    QVERIFY(field()->toPlainText().contains("wait 7.5 s") && field()->toPlainText().contains("wait for ever and"));
    // The error is mended: both are in the cell.
    endOfLine("wait for ever and");
    for (int i = 0; i < 17; ++i)
        QTest::keyClick(field(), Qt::Key_Backspace);
    QTest::keyClicks(field(), "wait 0.3 s");
    QTRY_VERIFY_WITH_TIMEOUT(session().routine().steps.size() == steps + 2, 5000);
    QVERIFY(editor()->errors().empty());
    QCOMPARE(session().routine().steps.back().as<Wait>()->seconds, 7.5);
}

void WordTest::redoSurvivesTypingThatIsTakenBack()
{
    fresh();
    QVERIFY(session().edit("Rename", [](const Cell& cell) {
        Cell next = cell;
        next.name += " too";
        return Result<Cell>(next);
    }));
    session().undo();
    QVERIFY(session().history().canRedo());
    showText();
    endOfLine("grip");
    QTest::keyClicks(field(), "x");
    QTest::keyClick(field(), Qt::Key_Backspace);
    QSignalSpy settled(editor(), &ProgramEditor::settled);
    QVERIFY(settled.wait(5000));
    QVERIFY(session().history().canRedo());
}

void WordTest::openingLeavesNothingOfTheCellBefore()
{
    fresh();
    session().keepRun(true);
    QVERIFY(session().keptRun());
    session().toggleHalt(session().routine().steps[1].id);
    QVERIFY(session().haltsAt(session().routine().steps[1].id));
    view().setMeasuring(true);
    session().setGhost(session().posture());
    Cell other = session().cell();
    other.name = "Another";
    session().open(other, "");
    QVERIFY(!session().keptRun() && !session().ghost());
    QVERIFY(!session().haltsAt(session().routine().steps[1].id));
    QVERIFY(!view().measuring());
}

void WordTest::cellsNeverShareARevision()
{
    fresh();
    std::set<std::uint64_t> seen{session().history().revision()};
    for (int n = 0; n < 5; ++n) {
        session().open(session().cell(), "");
        QVERIFY(seen.insert(session().history().revision()).second);
        // The check of the cell before is none of this one.
        QVERIFY(!session().checkIsFresh());
        session().edit("Rename", [](const Cell& cell) {
            Cell next = cell;
            next.name += "x";
            return Result<Cell>(next);
        });
        QVERIFY(seen.insert(session().history().revision()).second);
    }
}

void WordTest::lateCheckLeavesAPlannedRunAsLongAsItIs()
{
    fresh();
    const double once = session().trace()->duration;
    session().setRunPlan({Session::RunPlan::Kind::Times, 3});
    session().play();
    QTRY_VERIFY_WITH_TIMEOUT(session().trace() && session().trace()->duration > 2 * once, 10000);
    session().pause();
    session().scrub(2.5 * once);
    Q_EMIT session().delivered(session().checkedPointer());
    QCOMPARE(session().time(), 2.5 * once);
}

void WordTest::reachedIsSaidOfWhatWasChecked()
{
    fresh();
    action("Targets as a table")->trigger();
    const auto* model = child<QTableView>("targetTable")->model();
    const auto verdictOf = [&](const QString& name) {
        for (int r = 0; r < model->rowCount(); ++r)
            if (model->index(r, 0).data().toString() == name)
                return model->index(r, TargetTableModel::Verdict).data().toString();
        return QString();
    };
    QCOMPARE(verdictOf("Tile pick"), QString("reached"));
    // Out of reach: nothing is known of it before it is checked.
    const TargetId id = targetNamed("Tile pick");
    QVERIFY(session().edit("Move", [&](const Cell& cell) {
        Pose pose = findTarget(cell, id)->pose;
        pose.translation.z() += 1.5;
        return setTargetPose(cell, id, pose);
    }));
    QCOMPARE(verdictOf("Tile pick"), QString("being checked"));
    QCOMPARE(verdictOf("Rack place"), QString("reached"));
    fresh();
    QVERIFY(verdictOf("Tile pick") != "being checked" && verdictOf("Tile pick") != "reached");
}

void WordTest::whatIsGoneIsNotSelected()
{
    fresh();
    const StepId step = session().routine().steps[2].id;
    const RoutineId routine = session().routine().id;
    QVERIFY(session().edit("Delete", [&](const Cell& cell) { return deleteSteps(cell, routine, {step}); }));
    session().select(step);
    QVERIFY(session().selection() == Selection());
    session().select(TargetId{4711});
    QVERIFY(session().selection() == Selection());
    const TargetId there = targetNamed("Tile pick");
    session().selectMany({TargetId{4711}, there});
    QVERIFY(session().allSelected<TargetId>() == std::vector<TargetId>{there});
}

void WordTest::anotherLookReachesTheText()
{
    fresh();
    showText();
    const auto colourOf = [&] {
        const QTextBlock line = field()->document()->find("grip").block();
        return line.layout()->formats().isEmpty() ? QColor()
                                                  : line.layout()->formats().front().format.foreground().color();
    };
    const QColor light = colourOf();
    QVERIFY(light.isValid());
    action("Dark or light")->trigger();
    QTRY_VERIFY(colourOf() != light);
    action("Dark or light")->trigger();
    QTRY_COMPARE(colourOf(), light);
}

TOPIKOS_TEST(WordTest)
#include "word_test.moc"
