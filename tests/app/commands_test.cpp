#include "app/window/command_field.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QCompleter>
#include <QMenu>

#include <set>

using namespace topikos;
using namespace topikos::test;

/// What can be done is told once, and menus, keys, the list of keys and the field that finds it go by that.
class CommandsTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void eachHasItsOwnNameAndKeys();
    void fieldFindsWhatCanBeDone();
    void pageInPlaceOfTheCellHoldsBackWhatActsOnIt();
    void plainKeysComeFromTheKeys();

private:
    const std::vector<Commands::Command>& all() { return m_window->commands().all(); }
};

void CommandsTest::eachHasItsOwnNameAndKeys()
{
    QVERIFY(all().size() > 150);
    std::set<QString> ids, words, keys;
    for (const Commands::Command& c : all()) {
        QVERIFY2(!c.id.isEmpty() && ids.insert(c.id).second, qPrintable(c.id));
        QVERIFY2(words.insert(c.action->text()).second, qPrintable(c.action->text()));
        for (const QKeySequence& k : c.action->shortcuts())
            QVERIFY2(keys.insert(k.toString()).second, qPrintable(c.id + " shares " + k.toString()));
        // It stands in a menu.
        QVERIFY2(qobject_cast<QMenu*>(c.action->associatedObjects().front()), qPrintable(c.id));
    }
    QVERIFY(ids.contains("take-target-here") && ids.contains("move-to-selected-target"));
}

void CommandsTest::fieldFindsWhatCanBeDone()
{
    auto* field = child<CommandField>("commandField");
    field->setFocus();
    QTRY_VERIFY(field->hasFocus());
    std::set<QString> offered;
    const QAbstractItemModel* model = field->completer()->model();
    for (int row = 0; row < model->rowCount(); ++row)
        offered.insert(model->index(row, 0).data().toString());
    for (const Commands::Command& c : all()) {
        const QString keys = c.action->shortcut().toString(QKeySequence::NativeText);
        const QString line = keys.isEmpty() ? c.action->text() : c.action->text() + "    " + keys;
        QVERIFY2(offered.contains(line) == c.action->isEnabled(), qPrintable(line));
    }
}

void CommandsTest::pageInPlaceOfTheCellHoldsBackWhatActsOnIt()
{
    m_window->showArms(true);
    int held = 0, free = 0;
    for (const Commands::Command& c : all()) {
        if (c.id == "undo" || c.id == "redo") continue;  // of the sheet
        QVERIFY2(c.action->isEnabled() == (c.when == Commands::When::Always), qPrintable(c.id));
        ++(c.when == Commands::When::Always ? free : held);
    }
    QVERIFY(held > 80 && free > 30);
    m_window->showArms(false);
    for (const Commands::Command& c : all())
        if (c.id != "undo" && c.id != "redo") QVERIFY2(c.action->isEnabled(), qPrintable(c.id));
}

void CommandsTest::plainKeysComeFromTheKeys()
{
    std::set<int> plain;
    for (const Commands::Command& c : all()) {
        if (c.plainKey == 0) continue;
        QVERIFY2(c.action->shortcuts().contains(QKeySequence(c.plainKey)), qPrintable(c.id));
        QVERIFY2(c.when == Commands::When::CellSeen, qPrintable(c.id));
        plain.insert(c.plainKey);
    }
    QVERIFY((plain == std::set<int>{Qt::Key_Delete, Qt::Key_T, Qt::Key_L, Qt::Key_M}));
}

TOPIKOS_TEST(CommandsTest)
#include "commands_test.moc"
