#include "app/session/recovery.h"
#include "app/session/text.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/files/cell_file.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QDir>
#include <QFile>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QTemporaryDir>
#include <QTimer>

using namespace topikos;
using namespace topikos::test;

/// Cells saved, opened, lost and found again in the real window.
class FilesWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void savesClosesAndOpensAgain();
    void badFileLeavesTheOpenCellAlone();
    void changeOnDiskIsNoticed();
    void lostCellIsOffered();
    void recentCellsAreInTheMenu();
    void unsavedChangesAreAskedAbout();
};

void FilesWindowTest::savesClosesAndOpensAgain()
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

void FilesWindowTest::badFileLeavesTheOpenCellAlone()
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

void FilesWindowTest::changeOnDiskIsNoticed()
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

void FilesWindowTest::lostCellIsOffered()
{
    const QString copy = loseCell("Half done");
    MainWindow second;
    second.show();
    QVERIFY(QTest::qWaitForWindowExposed(&second));
    auto* words = second.findChild<QLabel*>("noticeWords");
    QVERIFY(words->isVisible());
    QVERIFY(words->text().contains("“Half done” had unsaved changes"));
    QTest::mouseClick(second.findChild<QPushButton*>("notice0"), Qt::LeftButton);
    QCOMPARE(second.session().cell().name, std::string("Half done"));
    QVERIFY(!second.session().isSaved());
    QVERIFY(!QFile::exists(copy));
    second.session().saved(copy + " none", second.session().history().current());
}

void FilesWindowTest::recentCellsAreInTheMenu()
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

void FilesWindowTest::unsavedChangesAreAskedAbout()
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

TOPIKOS_TEST(FilesWindowTest)
#include "files_window_test.moc"
