#include "tests/app/window_fixture.h"

#include "core/cell/step_tree.h"

#include "app/session/recovery.h"
#include "app/session/text.h"
#include "core/files/cell_file.h"

#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QTreeWidget>

namespace topikos::test {

void WindowFixture::init()
{
    QSettings().clear();
    // What an interrupted run of tests left is nothing to be offered.
    QDir(Recovery::standardFolder()).removeRecursively();
    chooseUnits(0, 0);
    m_window = std::make_unique<MainWindow>();
    m_window->resize(1280, 800);
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    // Without a window manager the keys may take a second try to arrive.
    for (int tries = 0; tries < 5 && !m_window->isActiveWindow(); ++tries) {
        m_window->activateWindow();
        (void)!QTest::qWaitForWindowActive(m_window.get(), 1000);
    }
    QVERIFY(m_window->isActiveWindow());
    fresh();
    QTRY_VERIFY(view().frameCount() > 0);
}

void WindowFixture::cleanup()
{
    m_window.reset();
    QSettings().clear();
}

QAction* WindowFixture::action(const QString& words)
{
    for (QAction* a : m_window->actions())
        if (a->text() == words || a->text().startsWith(words + ":")) return a;
    qFatal("there is no action %s", qPrintable(words));
}

void WindowFixture::newCell()
{
    action("New cell")->trigger();
    click("newCellMake");
    QVERIFY(session().cell().parts.empty());
}

TargetId WindowFixture::targetNamed(const char* name)
{
    for (const Target& t : session().cell().targets)
        if (t.name == name) return t.id;
    return {};
}

FrameId WindowFixture::frameNamed(const char* name)
{
    for (const Frame& f : session().cell().frames)
        if (f.name == name) return f.id;
    return {};
}

void WindowFixture::type(const QString& field, const QString& words)
{
    QCoreApplication::processEvents();  // the properties are made anew after the present event
    QTRY_VERIFY2(m_window->findChild<QWidget*>(field), qPrintable("there is no " + field));
    auto* widget = child<QWidget>(field);
    widget->setFocus();
    QLineEdit* edit = qobject_cast<QLineEdit*>(widget);
    if (!edit) edit = widget->findChild<QLineEdit*>();
    QVERIFY(edit);
    edit->selectAll();
    QTest::keyClicks(edit, words);
    QTest::keyClick(edit, Qt::Key_Return);
    QCoreApplication::processEvents();
}

void WindowFixture::typeThere(const QString& words, Qt::Key end)
{
    QCoreApplication::processEvents();
    QVERIFY(QApplication::focusWidget());
    QTest::keyClicks(QApplication::focusWidget(), words);
    QTest::keyClick(QApplication::focusWidget(), end);
    QCoreApplication::processEvents();
}

void WindowFixture::click(const QString& button) { QTest::mouseClick(child<QPushButton>(button), Qt::LeftButton); }

void WindowFixture::choose(const QString& name, int index)
{
    QCoreApplication::processEvents();
    auto* box = child<QComboBox>(name);
    box->setCurrentIndex(index);
    Q_EMIT box->activated(index);
    QCoreApplication::processEvents();
}

void WindowFixture::choose(const QString& name, const QString& words)
{
    QCoreApplication::processEvents();
    // Long lists are made when they are opened.
    child<QComboBox>(name)->showPopup();
    child<QComboBox>(name)->hidePopup();
    const int index = child<QComboBox>(name)->findText(words);
    QVERIFY2(index >= 0, qPrintable("there is no choice " + words));
    choose(name, index);
}

void WindowFixture::pick(const QString& row)
{
    QCoreApplication::processEvents();
    auto* tree = child<QTreeWidget>("layoutTree");
    const QList<QTreeWidgetItem*> found = tree->findItems(row, Qt::MatchExactly | Qt::MatchRecursive);
    QVERIFY2(!found.isEmpty(), qPrintable("there is no row " + row));
    tree->scrollToItem(found.front());
    QTest::mouseClick(tree->viewport(), Qt::LeftButton, {}, tree->visualItemRect(found.front()).center());
    QCoreApplication::processEvents();
}

void WindowFixture::typeSteps(const QStringList& steps)
{
    action("Route face")->trigger();
    auto* line = child<QLineEdit>("typeStep");
    for (const QString& step : steps) {
        const size_t before = countSteps(session().routine().steps);
        line->setFocus();
        line->clear();
        QTest::keyClicks(line, step);
        QTest::keyClick(line, Qt::Key_Delete);  // what the completer added
        QTest::keyClick(line, Qt::Key_Return);
        QVERIFY2(countSteps(session().routine().steps) > before,
                 qPrintable(step + ": " + child<QLabel>("stepVerdict")->text()));
    }
}

QStringList WindowFixture::shownRows()
{
    QStringList out;
    for (QTreeWidgetItemIterator it(child<QTreeWidget>("layoutTree"), QTreeWidgetItemIterator::NotHidden); *it; ++it)
        out << (*it)->text(0);
    return out;
}

QString WindowFixture::loseCell(const QString& name)
{
    const QString copy = Recovery::standardFolder() + "/999999999.topikos";
    Cell cell = session().cell();
    cell.name = name.toStdString();
    const bool kept = QDir().mkpath(Recovery::standardFolder()) && !saveCell(copy.toStdString(), cell);
    if (!kept) qFatal("%s cannot be written", qPrintable(copy));
    QSettings(copy + ".note", QSettings::IniFormat).setValue("name", name);
    return copy;
}

}  // namespace topikos::test
