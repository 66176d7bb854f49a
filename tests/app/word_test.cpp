#include "app/arms/arms_page.h"
#include "app/background/background.h"
#include "app/draw/ready_surface.h"
#include "app/instruments/travel_bars.h"
#include "app/properties/number_field.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/session/export.h"
#include "app/session/recovery.h"
#include "app/session/text.h"
#include "app/targets/target_table_model.h"
#include "app/window/message_log.h"
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
#include <QSurfaceFormat>
#include <QTextBrowser>
#include <QTimer>

#include <atomic>
#include <stdexcept>
#include <thread>

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
    void workThatBreaksDownIsTold();
    void workOfTheCellBeforeIsNotHeard();
    void largeBodiesAreMadeReadyBeside();
    void typedPoseStopsAtContact();
    void escapeEndsADragWhereItBegan();
    void fieldsShowTheChosenUnit();
    void messagesCanBeReadAgain();
    void messagesAreSeenWhereTheViewIsHidden();
    void keysAreListedFromTheActions();
    void enteredDataSheetIsAskedAbout();
    void lostCellThatIsPutOffIsOfferedAgain();
    void olderOpenGlIsToldInTheWindow();

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
    /// Answers the next dialog of a name, once it is there.
    template <class Dialog> void answer(const QString& name, std::function<void(Dialog*)> how)
    {
        auto* timer = new QTimer(this);
        connect(timer, &QTimer::timeout, this, [=] {
            for (QWidget* top : QApplication::topLevelWidgets())
                if (auto* dialog = qobject_cast<Dialog*>(top);
                    dialog && top->objectName() == name && top->isVisible()) {
                    timer->deleteLater();
                    timer->stop();
                    how(dialog);
                    return;
                }
        });
        timer->start(10);
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

void WordTest::workThatBreaksDownIsTold()
{
    Background work(session(), "The search", nullptr);
    QSignalSpy ended(&work, &Background::ended);
    bool done = false;
    work.start([](const Background::Task&) -> int { throw std::runtime_error("out of order"); },
               [&](int) { done = true; });
    QVERIFY(work.isWorking());
    QTRY_COMPARE(ended.size(), 1);
    QVERIFY(!done && !work.isWorking());
    QVERIFY2(note().startsWith("The search broke down: out of order."), qPrintable(note()));
    // The next piece of work is none the worse for it.
    work.start([](const Background::Task&) { return 7; }, [&](int made) { done = made == 7; });
    QTRY_VERIFY(done);
    QVERIFY(!work.isWorking());
    QCOMPARE(ended.size(), 1);
}

void WordTest::workOfTheCellBeforeIsNotHeard()
{
    Background work(session(), "The search", nullptr);
    QSignalSpy ended(&work, &Background::ended);
    QStringList heard;
    std::atomic<bool> asked{false};
    work.start(
        [&](const Background::Task& task) {
            while (task.goesOn())
                std::this_thread::yield();
            task.tell([&] { heard << "told"; });
            asked = true;
            return 1;
        },
        [&](int) { heard << "done"; });
    session().open(openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value(), "");
    QCOMPARE(ended.size(), 1);
    QTRY_VERIFY(asked);
    QCoreApplication::processEvents();
    QVERIFY2(heard.isEmpty(), qPrintable(heard.join(", ")));
}

void WordTest::largeBodiesAreMadeReadyBeside()
{
    fresh();
    // A plate of 80,000 faces, and a line on it that is to be spaced anew.
    auto plate = std::make_shared<Triangles>();
    constexpr std::uint32_t side = 201;
    for (std::uint32_t i = 0; i < side * side; ++i)
        plate->points.push_back({float(i % side) * 0.002f, float(i / side) * 0.002f, 0.02f});
    for (std::uint32_t i = 0; i + side + 1 < side * side; ++i)
        if (i % side + 1 < side) {
            plate->faces.push_back({i, i + 1, i + side});
            plate->faces.push_back({i + 1, i + side + 1, i + side});
        }
    Solid solid;
    solid.kind = Solid::Kind::Mesh;
    solid.surface = {plate, plate};
    const FrameId rack = frameNamed("Drying rack");
    QVERIFY(session().edit("Bring in", [&](const Cell& cell) { return setFrameSolids(cell, rack, {solid}); }));
    QVERIFY(!readySurface({solid}));
    int used = 0;
    bool inLoop = false;
    for (int again = 0; again < 2; ++again)
        withSurface(session(), {solid}, "Plate", [&](const std::shared_ptr<const BodySurface>& made) {
            used += made && !made->empty();
            inLoop = true;
        });
    // It came back at once, and said so; what was asked for last is done when it is ready.
    QVERIFY(!inLoop);
    QVERIFY2(note().contains("The surface of Plate is being made ready"), qPrintable(note()));
    QTRY_COMPARE_WITH_TIMEOUT(used, 1, 20000);
    QVERIFY(readySurface({solid}));
}

void WordTest::typedPoseStopsAtContact()
{
    fresh();
    session().setStopsAtContact(false);
    QVERIFY(session().goToTarget(targetNamed("Rack place")));
    QVERIFY(session().moveTyped("z 1000"));
    session().setStopsAtContact(true);
    const JointVector start = session().posture();
    QVERIFY2(session().downToContact(), qPrintable(note()));
    const double touched = session().shownTcp().translation.z();
    session().stand(start, {});
    QVERIFY(session().stopsAtContact());
    auto* z = child<QLineEdit>("reading2");
    z->setFocus();
    z->selectAll();
    QTest::keyClicks(z, QString::number(1000 * (touched - 0.03), 'f', 1));
    QTest::keyClick(z, Qt::Key_Return);
    const double stopped = session().shownTcp().translation.z();
    QVERIFY2(stopped > touched - 1e-4, qPrintable(QString("%1, touches at %2").arg(stopped).arg(touched)));
    QVERIFY2(note().startsWith("Stopped: "), qPrintable(note()));
}

void WordTest::escapeEndsADragWhereItBegan()
{
    session().setStopsAtContact(false);
    const JointVector start = session().posture();
    auto* bars = child<TravelBars>("travelBars");
    const QPoint from = bars->markerAt(0, start[0]).toPoint(), to = bars->markerAt(0, 0.6).toPoint();
    QTest::mousePress(bars, Qt::LeftButton, {}, from);
    QTest::mouseMove(bars, to);
    QVERIFY(std::abs(session().posture()[0] - start[0]) > 0.1);
    QTest::keyClick(bars, Qt::Key_Escape);
    QVERIFY(session().posture() == start);
    QTest::mouseMove(bars, (from + to) / 2);
    QTest::mouseRelease(bars, Qt::LeftButton, {}, to);
    QVERIFY(session().posture() == start);
    // The same of the handle at the tool.
    const Pose tcp = session().shownTcp();
    const double metres = view().camera().metresPerPixel(tcp.translation, view().size());
    const QPoint arrow = pixelOf(tcp.translation + Vec3(0, 0, 55 * metres));
    QTest::mouseMove(&view(), arrow);
    QTest::mousePress(&view(), Qt::LeftButton, {}, arrow);
    QTest::mouseMove(&view(), arrow - QPoint(0, 20));
    QTest::mouseMove(&view(), arrow - QPoint(0, 40));
    QVERIFY((session().shownTcp().translation - tcp.translation).norm() > 0.01);
    QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY(session().posture() == start);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, arrow - QPoint(0, 40));
    QVERIFY(session().posture() == start);
}

void WordTest::fieldsShowTheChosenUnit()
{
    fresh();
    chooseUnits(2, 1);  // inches and radians
    NumberField::showUnits();
    Q_EMIT session().cellChanged();
    session().select(session().routine().steps[2].id);  // a line at 150 mm/s
    QTRY_VERIFY(m_window->findChild<NumberField*>("stepSpeed"));
    auto* speed = child<NumberField>("stepSpeed");
    QCOMPARE(speed->text(), QString("5.906 in/s"));
    speed->setFocus();
    speed->selectAll();
    QTest::keyClicks(speed, "4");
    QTest::keyClick(speed, Qt::Key_Return);
    const auto ofStep = [&] { return session().routine().steps[2].as<LineMove>()->speed; };
    QVERIFY(std::abs(ofStep() - 4 * 0.0254) < 1e-9);
    speed->setFocus();
    speed->selectAll();
    QTest::keyClicks(speed, "0,1 m/s");
    QTest::keyClick(speed, Qt::Key_Return);
    QVERIFY(std::abs(ofStep() - 0.1) < 1e-9);
    // A joint in radians, typed at its bar.
    session().setStopsAtContact(false);
    auto* bars = child<TravelBars>("travelBars");
    bars->setFocus();
    session().setJogJointIndex(0);
    QTest::keyClick(bars, Qt::Key_F2);
    typeThere("0.5", Qt::Key_Return);
    QVERIFY(std::abs(session().posture()[0] - 0.5) < 1e-9);
    QCOMPARE(jointText(session().arm().joints()[0], 0.5), QString("0.500 rad"));
    chooseUnits(0, 0);
    NumberField::showUnits();
    QCOMPARE(speed->text(), QString("100.0 mm/s"));
}

void WordTest::messagesCanBeReadAgain()
{
    session().say("The first one.");
    session().say("The second one.", true);
    action("Messages")->trigger();
    auto* list = child<QListWidget>("messageList");
    QVERIFY(list->isVisible() && list->hasFocus());
    QVERIFY(list->item(0)->text().endsWith("The second one."));
    QVERIFY(list->item(1)->text().endsWith("The first one."));
    QTest::keyClick(list, Qt::Key_Escape);
    QVERIFY(!list->isVisible());
}

void WordTest::messagesAreSeenWhereTheViewIsHidden()
{
    auto* line = child<QLabel>("messageLine");
    session().say("In the view.");
    QVERIFY(!line->isVisible());
    action("Manual")->trigger();
    session().say("Over the manual.");
    QVERIFY(line->isVisible());
    QCOMPARE(line->text(), QString("Over the manual."));
    QVERIFY(MessageLog::readingTime(QString(200, 'x')) > MessageLog::readingTime("Short."));
}

void WordTest::keysAreListedFromTheActions()
{
    QString words;
    answer<QDialog>("keysDialog", [&](QDialog* dialog) {
        words = dialog->findChild<QTextBrowser*>("keysText")->toPlainText();
        dialog->reject();
    });
    action("Keys")->trigger();
    int many = 0;
    for (const QAction* own : m_window->findChildren<QAction*>())
        for (const QKeySequence& key : own->shortcuts()) {
            if (own->text().isEmpty() || !m_window->actions().contains(own)) continue;
            ++many;
            QVERIFY2(words.contains(key.toString(QKeySequence::NativeText)), qPrintable(own->text()));
            QVERIFY2(words.contains(own->text().remove('&')), qPrintable(own->text()));
        }
    QVERIFY(many > 20);
    QVERIFY(words.contains("jog along X and Y"));
}

void WordTest::enteredDataSheetIsAskedAbout()
{
    m_window->showArms(true);
    ArmsPage& page = m_window->armsPage();
    DataSheet sheet = page.model().sheet();
    sheet.name = "Half entered";
    page.model().change(sheet);
    auto* gallery = page.findChild<QListWidget*>("armGallery");
    int asked = 0;
    const auto click = [&](QMessageBox::StandardButton button) {
        answer<QMessageBox>("sheetBox", [&asked, button](QMessageBox* box) {
            ++asked;
            box->button(button)->click();
        });
        Q_EMIT gallery->itemActivated(gallery->item(1));
    };
    click(QMessageBox::Cancel);
    QCOMPARE(asked, 1);
    QCOMPARE(page.model().sheet().name, std::string("Half entered"));
    click(QMessageBox::Discard);
    QCOMPARE(asked, 2);
    QVERIFY(page.model().sheet().name != "Half entered");
}

void WordTest::lostCellThatIsPutOffIsOfferedAgain()
{
    const QString folder = Recovery::standardFolder();
    Cell cell = session().cell();
    cell.name = "Half done";
    QVERIFY(QDir().mkpath(folder));
    QVERIFY(!saveCell((folder + "/999999998.topikos").toStdString(), cell));
    QSettings(folder + "/999999998.topikos.note", QSettings::IniFormat).setValue("name", "Half done");
    action("Lost cells")->trigger();
    auto* open = child<QPushButton>("notice0");
    QVERIFY(open->isVisible());
    // The open cell has changes; who stays with it is offered the lost one again.
    QTest::keyClick(&view(), Qt::Key_T);
    answer<QMessageBox>("unsavedBox", [](QMessageBox* box) { box->button(QMessageBox::Cancel)->click(); });
    QTest::mouseClick(open, Qt::LeftButton);
    QVERIFY(open->isVisible());
    QCOMPARE(open->text(), QString("Open it as it was"));
    answer<QMessageBox>("unsavedBox", [](QMessageBox* box) { box->button(QMessageBox::Discard)->click(); });
    QTest::mouseClick(open, Qt::LeftButton);
    QCOMPARE(session().cell().name, std::string("Half done"));
    action("Lost cells")->trigger();
    QVERIFY2(note().startsWith("No cell with unsaved"), qPrintable(note()));
    session().saved(folder + "/none", session().history().current());
}

void WordTest::olderOpenGlIsToldInTheWindow()
{
    // What is not the desktop's OpenGL 3.3 counts as older, whatever its number.
    const QSurfaceFormat usual = QSurfaceFormat::defaultFormat();
    QSurfaceFormat small = usual;
    small.setRenderableType(QSurfaceFormat::OpenGLES);
    small.setVersion(2, 0);
    QSurfaceFormat::setDefaultFormat(small);
    {
        MainWindow second;
        second.show();
        QVERIFY(QTest::qWaitForWindowExposed(&second));
        QTRY_VERIFY(second.findChild<QLabel*>("viewRefusal"));
        const QString words = second.findChild<QLabel*>("viewRefusal")->text();
        QVERIFY2(words.contains("The view needs OpenGL 3.3"), qPrintable(words));
        // All else goes on.
        QVERIFY(second.session().edit("Rename", [](const Cell& cell) { return renameCell(cell, "Without a view"); }));
        QTest::mouseClick(&second.viewport(), Qt::LeftButton);
        second.session().saved("none", second.session().history().current());
    }
    QSurfaceFormat::setDefaultFormat(usual);
}

TOPIKOS_TEST(WordTest)
#include "word_test.moc"
