#include "app/route/route_panel.h"
#include "app/route/time_table_dialog.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTimer>

using namespace topikos;
using namespace topikos::test;

/// Time tables in the real window: pasted, their columns chosen, played, mended.
class TableWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void pastedFromASpreadsheet();
    void columnsAreChosenByHand();
    void escapeLeavesEverythingAsItWas();
    void moveToItsStartMendsAJump();
    void valuesAreEditedInPlace();
    void insertedWhenThereIsNoneAsksForAFile();

private:
    /// Does something that opens the dialog, and answers it.
    void answering(const std::function<void()>& open, const std::function<void(TimeTableDialog*)>& answer)
    {
        bool seen = false;
        QTimer timer;
        connect(&timer, &QTimer::timeout, this, [&] {
            auto* dialog = m_window->findChild<TimeTableDialog*>();
            if (!dialog || !dialog->isVisible() || seen) return;
            seen = true;
            answer(dialog);
        });
        timer.start(10);
        open();
        QVERIFY(seen);
    }
    /// Joint 1 there and back from home, straight from a spreadsheet.
    QString table(double from) const
    {
        return QString("time [s]\tjoint_1 [°]\tremark\n0\t%1\tout\n1\t%2\t\n2\t%1\tback\n").arg(from).arg(from + 15);
    }
    double home() { return degrees(homePosture(session().cell(), session().station())[0]); }
    void paste(const QString& words, const std::function<void(TimeTableDialog*)>& answer)
    {
        QApplication::clipboard()->setText(words);
        answering([&] { action("Paste a time table")->trigger(); }, answer);
    }
    const Step& last() { return session().routine().steps[session().routine().steps.size() - 1]; }
};

void TableWindowTest::pastedFromASpreadsheet()
{
    QApplication::clipboard()->setText(table(home()));
    const size_t steps = session().routine().steps.size();
    // With the keys in the route, paste knows what it is.
    answering([&] { m_window->findChild<RoutePanel*>()->paste(); },
              [&](TimeTableDialog* dialog) {
                  QCOMPARE(dialog->findChild<QComboBox*>("timeTableUse0")->currentText(), QString("time"));
                  QCOMPARE(dialog->findChild<QComboBox*>("timeTableUse1")->currentText(), QString("joint_1"));
                  QCOMPARE(dialog->findChild<QComboBox*>("timeTableUnit1")->currentText(), QString("°"));
                  QCOMPARE(dialog->findChild<QComboBox*>("timeTableUse2")->currentText(), QString("not used"));
                  QVERIFY(!dialog->findChild<QComboBox*>("timeTableUnit2")->isEnabled());
                  QCOMPARE(dialog->findChild<QLabel*>("timeTableVerdict")->text(), QString("3 rows, 2.000 s, joint 1"));
                  QTest::keyClick(dialog, Qt::Key_Return);
              });
    QCOMPARE(session().cell().timeTables.size(), size_t(1));
    QCOMPARE(session().routine().steps.size(), steps + 1);
    QCOMPARE(last().kind(), StepKind::PlayTable);
    QCOMPARE(session().selected<StepId>(), last().id);
    QTRY_VERIFY(m_window->findChild<QLineEdit*>("tableName"));
    QCOMPARE(child<QLineEdit>("tableName")->text(), QString("Table"));
    // One step of the history.
    session().undo();
    QCOMPARE(session().cell().timeTables.size(), size_t(0));
    QCOMPARE(session().routine().steps.size(), steps);
}

void TableWindowTest::columnsAreChosenByHand()
{
    paste("when\twhat\n0\t0\n500\t10\n", [&](TimeTableDialog* dialog) {
        auto* ok = dialog->findChild<QPushButton*>("timeTableOk");
        auto* verdict = dialog->findChild<QLabel*>("timeTableVerdict");
        QVERIFY(!ok->isEnabled());
        QVERIFY2(verdict->text().contains("no column is the time"), qPrintable(verdict->text()));
        dialog->findChild<QComboBox*>("timeTableUse0")->setCurrentText("time");
        QVERIFY(!ok->isEnabled());
        dialog->findChild<QComboBox*>("timeTableUse1")->setCurrentText("joint_2");
        QVERIFY(ok->isEnabled());
        QVERIFY(verdict->text().contains("do not name their unit"));
        auto* unit = dialog->findChild<QComboBox*>("timeTableUnit0");
        unit->setFocus();
        QTest::keyClick(unit, Qt::Key_Down);
        QCOMPARE(unit->currentText(), QString("ms"));
        QVERIFY2(verdict->text().startsWith("2 rows, 0.500 s, joint 2"), qPrintable(verdict->text()));
        auto* name = dialog->findChild<QLineEdit*>("timeTableName");
        name->setText("");
        QVERIFY(!ok->isEnabled());
        name->setText("Wipe");
        QTest::mouseClick(ok, Qt::LeftButton);
    });
    const TimeTable& made = session().cell().timeTables.front();
    QCOMPARE(made.name, std::string("Wipe"));
    QCOMPARE(made.rows->joints, std::vector<int>{1});
    QVERIFY(std::abs(made.rows->at(1, 0) - 10 * kDegree) < 1e-12);
}

void TableWindowTest::escapeLeavesEverythingAsItWas()
{
    const CellPtr before = session().history().current();
    paste(table(0), [](TimeTableDialog* dialog) { QTest::keyClick(dialog, Qt::Key_Escape); });
    QCOMPARE(session().history().current(), before);
    // Words that are no table are told so, without a dialog.
    QApplication::clipboard()->setText("nothing of the kind");
    action("Paste a time table")->trigger();
    QVERIFY(note().contains("No time table"));
    QCOMPARE(session().history().current(), before);
}

void TableWindowTest::moveToItsStartMendsAJump()
{
    paste(table(home() + 20), [](TimeTableDialog* dialog) { dialog->accept(); });
    fresh();
    const StepId play = last().id;
    const auto blocked = [&] {
        const auto found = session().checked()->result.ofStep(play);
        return std::any_of(found.begin(), found.end(),
                           [](const Finding* f) { return f->severity == Severity::Blocked; });
    };
    QVERIFY(blocked());
    session().select(play);
    click("tableStart");
    fresh();
    QVERIFY(!blocked());
    const Steps& steps = session().routine().steps;
    QCOMPARE(steps[steps.size() - 2].kind(), StepKind::Joint);
    QVERIFY(targetNamed("Table start"));
}

void TableWindowTest::valuesAreEditedInPlace()
{
    paste(table(home()), [](TimeTableDialog* dialog) { dialog->accept(); });
    fresh();
    const double before = session().trace()->duration;
    const StepId play = last().id;
    session().select(play);
    type("stepTimes", "3");
    type("stepSpeed", "50");
    choose("stepBetween", "smooth");
    const PlayTable& step = *last().as<PlayTable>();
    QCOMPARE(step.times, 3u);
    QCOMPARE(step.speed, 0.5);
    QCOMPARE(step.between, BetweenRows::Smooth);
    fresh();
    QVERIFY(std::abs(session().trace()->duration - before - 10) < 1e-6);
    type("tableName", "Wipe edge");
    QCOMPARE(session().cell().timeTables.front().name, std::string("Wipe edge"));
    QCOMPARE(session().selected<StepId>(), play);
    // The list says it as the text does.
    QVERIFY(child<QLabel>("pageTitle")->text().startsWith("Step"));
}

void TableWindowTest::insertedWhenThereIsNoneAsksForAFile()
{
    QTemporaryDir folder;
    QFile file(folder.filePath("There and back.csv"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(table(home()).toUtf8());
    file.close();
    answering([&] { m_window->findChild<RoutePanel*>()->bringTable(file.fileName()); },
              [](TimeTableDialog* dialog) { dialog->accept(); });
    QCOMPARE(session().cell().timeTables.front().name, std::string("There and back"));
    // A second one plays the table that is there, and the list of kinds can make one.
    typeSteps({"play There and back smooth"});
    QCOMPARE(session().cell().timeTables.size(), size_t(1));
    QCOMPARE(last().as<PlayTable>()->between, BetweenRows::Smooth);
    const QString missing = folder.filePath("missing.csv");
    m_window->findChild<RoutePanel*>()->bringTable(missing);
    QVERIFY(note().contains("missing.csv"));
}

TOPIKOS_TEST(TableWindowTest)
#include "table_window_test.moc"
