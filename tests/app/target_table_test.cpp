#include "app/session/text.h"
#include "app/targets/target_table.h"
#include "core/cell/edit_targets.h"
#include "core/files/targets_csv.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QClipboard>
#include <QPushButton>

using namespace topikos;
using namespace topikos::test;

/// The table of targets: its model without a window's help, then typed into, copied from and pasted into by keys.
class TargetTableTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void everyTargetHasARow();
    void cellsAreTypedInto_data();
    void cellsAreTypedInto();
    void wrongValuesChangeNothing_data();
    void wrongValuesChangeNothing();
    void unitsAreThoseThatAreShown();
    void placesOfPatternsAreThePatterns();
    void theFilterKeepsWhatFits();
    void whatIsCopiedPastesBack();
    void rowsAreMatchedByTheirNames();
    void blocksGoFromTheCurrentCellOn();
    void blocksThatDoNotFitAreRefused_data();
    void blocksThatDoNotFitAreRefused();
    void brokenRowsAreNamedAndTheRestIsKept();
    void aChangedCellIsNotOverwritten();
    void keysOfTheTableAreItsOwn();
    void selectionGoesBothWays();
    void typingOutlivesACheck();

private:
    using Model = TargetTableModel;
    void open()
    {
        fresh();
        action("Targets as a table")->trigger();
        QTRY_VERIFY(table()->isVisible());
    }
    QTableView* table() { return child<QTableView>("targetTable"); }
    Model* model() { return qobject_cast<Model*>(table()->model()); }
    const Target& target(const char* name) { return *findTarget(session().cell(), targetNamed(name)); }
    QModelIndex at(const char* name, int column) { return model()->index(model()->rowOf(targetNamed(name)), column); }
    QString shown(const char* name, int column) { return at(name, column).data().toString(); }
    void paste(const QString& words)
    {
        QApplication::clipboard()->setText(words);
        table()->setFocus();
        QTest::keySequence(table(), QKeySequence::Paste);
    }
};

void TargetTableTest::everyTargetHasARow()
{
    open();
    QCOMPARE(model()->rowCount(), int(session().cell().targets.size()));
    QCOMPARE(child<QLabel>("tableCount")->text(), QString("%1 targets of Arm").arg(model()->rowCount()));
    const Target& pick = target("Tile pick");
    QCOMPARE(shown("Tile pick", Model::X), placeFigure(pick.pose.translation[0]));
    QCOMPARE(shown("Tile pick", Model::In), text(frameName(session().cell(), pick.frame)));
    QCOMPARE(shown("Tile pick", Model::Approach), QString("50.00"));
    QCOMPARE(shown("Home", Model::X), QString());
    QCOMPARE(shown("Home", Model::In), QString("a posture"));
    QCOMPARE(shown("Tile pick", Model::Verdict), QString("reached"));
    QCOMPARE(model()->headerData(Model::X, Qt::Horizontal, Qt::DisplayRole).toString(), QString("X mm"));
}

void TargetTableTest::cellsAreTypedInto_data()
{
    QTest::addColumn<int>("column");
    QTest::addColumn<QString>("typed");
    QTest::newRow("name") << int(Model::Name) << "Tile from the belt";
    QTest::newRow("frame") << int(Model::In) << "World";
    QTest::newRow("x") << int(Model::X) << "12.34";
    QTest::newRow("z, with a unit") << int(Model::Z) << "2 in";
    QTest::newRow("an angle") << int(Model::C) << "33";
    QTest::newRow("approach") << int(Model::Approach) << "80";
    QTest::newRow("retract") << int(Model::Retract) << "8 cm";
    QTest::newRow("group") << int(Model::Group) << "Belt";
    QTest::newRow("note") << int(Model::Note) << "slowly";
}
void TargetTableTest::cellsAreTypedInto()
{
    QFETCH(int, column);
    QFETCH(QString, typed);
    open();
    const Cell before = session().cell();
    const TargetId id = targetNamed("Tile pick");
    const QModelIndex cell = at("Tile pick", column);
    // By keys, as a person does.
    table()->setCurrentIndex(cell);
    table()->edit(cell);
    auto* editor = table()->findChild<QLineEdit*>();
    QTRY_VERIFY(editor);
    editor->selectAll();
    QTest::keyClicks(editor, typed);
    QTest::keyClick(editor, Qt::Key_Return);
    QTRY_VERIFY(!(session().cell() == before));
    const Target& now = *findTarget(session().cell(), id);
    const Target& was = *findTarget(before, id);
    Target wanted = was;
    switch (column) {
    case Model::Name: wanted.name = "Tile from the belt"; break;
    case Model::In: {
        // Where it is in the world it stays.
        QVERIFY(!now.frame);
        const Pose stays = worldFromFrame(before, was.frame) * was.pose;
        QVERIFY(deviation(stays, now.pose).metres < 1e-12);
        wanted.frame = {};
        wanted.pose = now.pose;
        break;
    }
    case Model::X: wanted.pose.translation[0] = 0.01234; break;
    case Model::Z: wanted.pose.translation[2] = 0.0508; break;
    case Model::C: {
        Vec3 angles = anglesOf(before.angles, was.pose.rotation.matrix());
        QVERIFY(std::abs(anglesOf(before.angles, now.pose.rotation.matrix())[2] - 33 * kDegree) < 1e-9);
        angles[2] = 33 * kDegree;
        QVERIFY(now.pose.rotation.angularDistance(rotationFrom(before.angles, angles)) < 1e-7);
        wanted.pose = now.pose;
        break;
    }
    case Model::Approach: wanted.approach.far = 0.08; break;
    case Model::Retract: wanted.retract.far = 0.08; break;
    case Model::Group: wanted.group = "Belt"; break;
    case Model::Note: wanted.note = "slowly"; break;
    default: QFAIL("no such column");
    }
    QVERIFY((now.pose.translation - wanted.pose.translation).norm() < 1e-12);
    wanted.pose = now.pose;
    QVERIFY(std::abs(now.approach.far - wanted.approach.far) < 1e-12);
    QVERIFY(std::abs(now.retract.far - wanted.retract.far) < 1e-12);
    wanted.approach = now.approach, wanted.retract = now.retract;
    QVERIFY(now == wanted);
    action("Undo")->trigger();
    QVERIFY(session().cell() == before);
}

void TargetTableTest::wrongValuesChangeNothing_data()
{
    QTest::addColumn<int>("column");
    QTest::addColumn<QString>("typed");
    QTest::addColumn<QString>("says");
    QTest::newRow("a name that is taken") << int(Model::Name) << "Rack place"
                                          << "Rack place";
    QTest::newRow("no such frame") << int(Model::In) << "Cellar"
                                   << "no frame called \"Cellar\"";
    QTest::newRow("no length") << int(Model::X) << "wide"
                               << "is not a length";
    QTest::newRow("no angle") << int(Model::A) << "around"
                              << "is not an angle";
    QTest::newRow("too far") << int(Model::Approach) << "5000"
                             << "cannot be 5000 mm";
    QTest::newRow("too long") << int(Model::Note) << QString(300, 'x') << "the length of a note";
}
void TargetTableTest::wrongValuesChangeNothing()
{
    QFETCH(int, column);
    QFETCH(QString, typed);
    QFETCH(QString, says);
    open();
    const Cell before = session().cell();
    QVERIFY(!model()->setData(at("Tile pick", column), typed, Qt::EditRole));
    QVERIFY(session().cell() == before);
    QVERIFY2(note().contains(says), qPrintable(note()));
}

void TargetTableTest::unitsAreThoseThatAreShown()
{
    open();
    chooseUnits(2, 1);
    QVERIFY(session().edit("Note", [&](const Cell& c) { return setTargetNote(c, targetNamed("Home"), "x"); }));
    QCOMPARE(model()->headerData(Model::X, Qt::Horizontal, Qt::DisplayRole).toString(), QString("X in"));
    QVERIFY(model()->setData(at("Tile pick", Model::Y), "2", Qt::EditRole));
    QVERIFY(std::abs(target("Tile pick").pose.translation[1] - 0.0508) < 1e-12);
    QVERIFY(model()->setData(at("Tile pick", Model::Approach), "3", Qt::EditRole));
    QVERIFY(std::abs(target("Tile pick").approach.far - 0.0762) < 1e-12);
    // A copied table says its units, and a pasted block has those that are shown.
    const Cell before = session().cell();
    table()->clearSelection();
    child<QPushButton>("tableCopy")->click();
    QVERIFY(QApplication::clipboard()->text().contains("x [in]"));
    table()->setCurrentIndex(at("Tile pick", Model::Z));
    paste("1");
    QVERIFY2(std::abs(target("Tile pick").pose.translation[2] - 0.0254) < 1e-12, qPrintable(note()));
    chooseUnits(0, 0);
}

void TargetTableTest::placesOfPatternsAreThePatterns()
{
    m_window->openExample("rack-of-24");
    open();
    const Target* place = nullptr;
    for (const Target& t : session().cell().targets)
        if (t.pattern) place = &t;
    QVERIFY(place);
    const TargetId id = place->id;
    const int row = model()->rowOf(id);
    for (int column = 0; column < Model::kColumns; ++column)
        QCOMPARE(bool(model()->index(row, column).flags() & Qt::ItemIsEditable), column == Model::Note);
    QVERIFY(model()->index(row, Model::X).data(Qt::ToolTipRole).toString().contains("change the pattern"));
    const Cell before = session().cell();
    QVERIFY(!model()->setData(model()->index(row, Model::X), "3", Qt::EditRole));
    QVERIFY(session().cell() == before);
    QVERIFY(model()->setData(model()->index(row, Model::Note), "bent wire", Qt::EditRole));
    QCOMPARE(findTarget(session().cell(), id)->note, std::string("bent wire"));
}

void TargetTableTest::theFilterKeepsWhatFits()
{
    open();
    auto* filter = child<QLineEdit>("tableFilter");
    filter->setFocus();
    QTest::keyClicks(filter, "rack");
    QVERIFY(model()->rowCount() > 0 && model()->rowCount() < int(session().cell().targets.size()));
    for (int row = 0; row < model()->rowCount(); ++row) {
        const Target& t = *findTarget(session().cell(), model()->targetAt(row));
        QVERIFY(text(t.name).contains("rack", Qt::CaseInsensitive)
                || text(frameName(session().cell(), t.frame)).contains("rack", Qt::CaseInsensitive));
    }
    filter->setText("nothing has these words");
    QCOMPARE(model()->rowCount(), 0);
    filter->clear();
    QCOMPARE(model()->rowCount(), int(session().cell().targets.size()));
}

void TargetTableTest::whatIsCopiedPastesBack()
{
    open();
    const Cell before = session().cell();
    table()->clearSelection();
    child<QPushButton>("tableCopy")->click();
    const QString all = QApplication::clipboard()->text();
    QCOMPARE(all.count('\n'), model()->rowCount() + 1);
    paste(all);
    // Figures are rounded as shown: nothing moves by more than that.
    for (const Target& was : before.targets) {
        const Target& now = *findTarget(session().cell(), was.id);
        QVERIFY((now.pose.translation - was.pose.translation).norm() < 1e-5);
        QVERIFY(now.pose.rotation.angularDistance(was.pose.rotation) < 1e-4);
        QVERIFY(now.configuration == was.configuration && now.frame == was.frame && now.name == was.name);
    }
    QVERIFY2(!note().contains("wrong"), qPrintable(note()));
    // Chosen rows only.
    table()->selectRow(model()->rowOf(targetNamed("Tile pick")));
    table()->setFocus();
    QTest::keySequence(table(), QKeySequence::Copy);
    QCOMPARE(QApplication::clipboard()->text().count('\n'), 2);
    QVERIFY(QApplication::clipboard()->text().contains("\nTile pick\t"));
}

void TargetTableTest::rowsAreMatchedByTheirNames()
{
    open();
    const size_t many = session().cell().targets.size();
    paste("name\tx [mm]\ty [mm]\tnote\nTile pick\t1,5\t2\tby name\nRack place\t\t7\t\n");
    QVERIFY(std::abs(target("Tile pick").pose.translation[0] - 0.0015) < 1e-12);
    QVERIFY(std::abs(target("Tile pick").pose.translation[1] - 0.002) < 1e-12);
    QCOMPARE(target("Tile pick").note, std::string("by name"));
    QVERIFY(std::abs(target("Rack place").pose.translation[1] - 0.007) < 1e-12);
    QCOMPARE(session().cell().targets.size(), many);
    QVERIFY2(note().contains("2 targets changed"), qPrintable(note()));
    action("Undo")->trigger();
    QVERIFY(std::abs(target("Tile pick").pose.translation[0] - 0.0015) > 1e-6);
    // A name that is not there is a new target.
    paste("name\tframe\tx [mm]\ty [mm]\tz [mm]\trx [deg]\try [deg]\trz [deg]\nSpare "
          "place\tWorld\t600\t0\t500\t180\t0\t0\n");
    QCOMPARE(session().cell().targets.size(), many + 1);
    QVERIFY((target("Spare place").pose.translation - Vec3(0.6, 0, 0.5)).norm() < 1e-12);
    QTRY_COMPARE(model()->rowCount(), int(many) + 1);
}

void TargetTableTest::blocksGoFromTheCurrentCellOn()
{
    open();
    const int row = model()->rowOf(targetNamed("Tile pick"));
    const bool last = row + 1 >= model()->rowCount();
    QVERIFY(!last);
    const TargetId next = model()->targetAt(row + 1);
    const Vec3 was = target("Tile pick").pose.translation,
               wasNext = findTarget(session().cell(), next)->pose.translation;
    table()->setCurrentIndex(model()->index(row, Model::Y));
    paste("11\t12,5\n21\t22.5\n\n");
    QVERIFY2((target("Tile pick").pose.translation - Vec3(was[0], 0.011, 0.0125)).norm() < 1e-12, qPrintable(note()));
    QVERIFY((findTarget(session().cell(), next)->pose.translation - Vec3(wasNext[0], 0.021, 0.0225)).norm() < 1e-12);
    // One edit for all of it.
    action("Undo")->trigger();
    QVERIFY(target("Tile pick").pose.translation == was);
    QVERIFY(findTarget(session().cell(), next)->pose.translation == wasNext);
    // A note with quotation marks and a comma, by itself.
    table()->setCurrentIndex(model()->index(row, Model::Note));
    paste("careful, \"wet\"");
    QCOMPARE(target("Tile pick").note, std::string("careful, \"wet\""));
}

void TargetTableTest::blocksThatDoNotFitAreRefused_data()
{
    QTest::addColumn<int>("fromEnd");
    QTest::addColumn<int>("column");
    QTest::addColumn<QString>("words");
    QTest::addColumn<QString>("says");
    QTest::newRow("nothing") << 0 << int(Model::X) << " \n\n"
                             << "no text to paste";
    QTest::newRow("too many rows") << 0 << int(Model::X) << "1\n2\n3\n"
                                   << "3 rows do not fit";
    QTest::newRow("too many columns") << 0 << int(Model::Note) << "a\tb\tc"
                                      << "3 columns do not fit";
}
void TargetTableTest::blocksThatDoNotFitAreRefused()
{
    QFETCH(int, fromEnd);
    QFETCH(int, column);
    QFETCH(QString, words);
    QFETCH(QString, says);
    open();
    const Cell before = session().cell();
    table()->setCurrentIndex(model()->index(model()->rowCount() - 1 - fromEnd, column));
    paste(words);
    QVERIFY2(note().contains(says), qPrintable(note()));
    QVERIFY(session().cell() == before);
}

void TargetTableTest::brokenRowsAreNamedAndTheRestIsKept()
{
    open();
    const Cell before = session().cell();
    auto* bar = child<QWidget>("tableBrokenBar");
    QVERIFY(!bar->isVisible());
    const QString words = "name\tx [mm]\nTile pick\tsideways\nRack place\t9\nHome\t3\n";
    paste(words);
    QTRY_VERIFY(bar->isVisible());
    const QString told = child<QLabel>("tableBroken")->text();
    QVERIFY2(told.contains("line 2") && told.contains("sideways") && told.contains("line 4"), qPrintable(told));
    QVERIFY(session().cell() == before);
    child<QPushButton>("tableLeave")->click();
    QVERIFY(!bar->isVisible());
    QVERIFY(session().cell() == before);
    paste(words);
    QCOMPARE(child<QPushButton>("tableRest")->text(), QString("Take the other row"));
    child<QPushButton>("tableRest")->click();
    QVERIFY(!bar->isVisible());
    QVERIFY(std::abs(target("Rack place").pose.translation[0] - 0.009) < 1e-12);
    QVERIFY(target("Tile pick") == *findTarget(before, targetNamed("Tile pick")));
    // A block without names counts its own rows.
    const int row = model()->rowOf(targetNamed("Tile pick"));
    table()->setCurrentIndex(model()->index(row, Model::X));
    paste("5\noops\n");
    QTRY_VERIFY(bar->isVisible());
    QVERIFY2(child<QLabel>("tableBroken")->text().startsWith("row 2"),
             qPrintable(child<QLabel>("tableBroken")->text()));
}

void TargetTableTest::aChangedCellIsNotOverwritten()
{
    open();
    paste("name\tx [mm]\nTile pick\tsideways\nRack place\t9\n");
    QTRY_VERIFY(child<QWidget>("tableBrokenBar")->isVisible());
    QVERIFY(session().edit("Note", [&](const Cell& c) { return setTargetNote(c, targetNamed("Home"), "later"); }));
    const Cell later = session().cell();
    child<QPushButton>("tableRest")->click();
    QVERIFY(session().cell() == later);
    QVERIFY2(note().contains("has changed"), qPrintable(note()));
}

void TargetTableTest::keysOfTheTableAreItsOwn()
{
    open();
    // In the route the same keys copy and paste steps.
    const size_t steps = session().routine().steps.size();
    session().select(session().routine().steps[0].id);
    table()->setCurrentIndex(at("Tile pick", Model::X));
    table()->setFocus();
    QTest::keySequence(table(), QKeySequence::Copy);
    QVERIFY(QApplication::clipboard()->text().startsWith("name\t"));
    QTest::keySequence(table(), QKeySequence::Paste);
    QCOMPARE(session().routine().steps.size(), steps);
    // Tab leaves the table; while a cell is typed into it goes on to the next one.
    QTest::keyClick(table(), Qt::Key_Tab);
    QVERIFY(!table()->hasFocus());
    table()->setFocus();
    table()->setCurrentIndex(at("Tile pick", Model::X));
    table()->edit(at("Tile pick", Model::X));
    QTRY_VERIFY(table()->findChild<QLineEdit*>());
    table()->findChild<QLineEdit*>()->selectAll();
    QTest::keyClicks(table()->findChild<QLineEdit*>(), "77");
    QTest::keyClick(table()->findChild<QLineEdit*>(), Qt::Key_Tab);
    QTRY_COMPARE(table()->currentIndex(), at("Tile pick", Model::Y));
    QVERIFY(std::abs(target("Tile pick").pose.translation[0] - 0.077) < 1e-12);
    QTRY_VERIFY(table()->findChild<QLineEdit*>());
    QTest::keyClick(table()->findChild<QLineEdit*>(), Qt::Key_Escape);
    // Escape leaves what was typed.
    const Cell before = session().cell();
    table()->edit(at("Tile pick", Model::X));
    auto* editor = table()->findChild<QLineEdit*>();
    QTRY_VERIFY(editor);
    QTest::keyClicks(editor, "99");
    QTest::keyClick(editor, Qt::Key_Escape);
    QVERIFY(session().cell() == before);
}

void TargetTableTest::selectionGoesBothWays()
{
    open();
    session().select(targetNamed("Rack place"));
    QTRY_COMPARE(table()->currentIndex().row(), model()->rowOf(targetNamed("Rack place")));
    table()->setFocus();
    const QRect cell = table()->visualRect(at("Tile pick", Model::X));
    QTest::mouseClick(table()->viewport(), Qt::LeftButton, {}, cell.center());
    QCOMPARE(session().selected<TargetId>(), targetNamed("Tile pick"));
    QTest::mouseClick(table()->viewport(), Qt::LeftButton, Qt::ControlModifier,
                      table()->visualRect(at("Rack place", Model::X)).center());
    QCOMPARE(session().allSelected<TargetId>().size(), size_t(2));
}

void TargetTableTest::typingOutlivesACheck()
{
    open();
    const QModelIndex cell = at("Tile pick", Model::Note);
    table()->setCurrentIndex(cell);
    table()->edit(cell);
    auto* editor = table()->findChild<QLineEdit*>();
    QTRY_VERIFY(editor);
    QTest::keyClicks(editor, "half a");
    // Another edit, and the check of it, come in meanwhile.
    QVERIFY(session().edit("Note", [&](const Cell& c) { return setTargetNote(c, targetNamed("Home"), "meanwhile"); }));
    fresh();
    QCOMPARE(table()->findChild<QLineEdit*>(), editor);
    QCOMPARE(editor->text(), QString("half a"));
    QVERIFY(editor->hasFocus());
    QTest::keyClicks(editor, " word");
    QTest::keyClick(editor, Qt::Key_Return);
    QTRY_COMPARE(text(target("Tile pick").note), QString("half a word"));
}

TOPIKOS_TEST(TargetTableTest)
#include "target_table_test.moc"
