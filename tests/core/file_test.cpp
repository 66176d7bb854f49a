#include "core/cell/edit_support.h"
#include "core/files/cell_file.h"
#include "core/report/trace_csv.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <QDir>
#include <QFile>
#include <QTemporaryDir>

#include <fcntl.h>
#include <signal.h>
#include <sys/file.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

using namespace topikos;
using namespace topikos::test;

/// What becomes of files on disk, whatever happens while they are saved.
class FileTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void killedSavesLeaveAWholeFile();
    void saveKeepsPermissionsAndFollowsLinks();
    void saveThatCannotBeWrittenSaysSo();
    void placesThatAreNoFiles_data();
    void placesThatAreNoFiles();
    void longestNameIsSaved();
    void otherNamesKeepTheOldContent();
    void fullDiskLeavesTheOldFile();
    void cellThatWouldNotComeBackIsNotSaved();
    void saveByAnotherIsLeftAlone();
    void longTablesAreRefused();
};

void FileTest::killedSavesLeaveAWholeFile()
{
    QTemporaryDir dir;
    const std::string path = dir.filePath("cell.topikos").toStdString();
    Cell cell = example("tile-glazing-line");
    // Large enough that a save takes a while.
    for (int i = 0; i < 3000; ++i) {
        Part p = cell.parts[0];
        p.id = {cell.nextId++};
        p.name = "Tile number " + std::to_string(i);
        cell.parts.push_back(p);
    }
    cell.name = "Old";
    const std::string before = writeCell(cell);
    cell.name = "New";
    const std::string after = writeCell(cell);
    QVERIFY(!saveFile(path, before));
    std::mt19937_64 random(59);
    int olds = 0, news = 0;
    for (int n = 0; n < 500; ++n) {
        const pid_t child = fork();
        if (child == 0) {
            for (int i = 0;; ++i)
                if (saveFile(path, i % 2 ? before : after)) _exit(3);
        }
        usleep(useconds_t(200 + random() % 9000));
        kill(child, SIGKILL);
        int status = 0;
        waitpid(child, &status, 0);
        QVERIFY(WIFSIGNALED(status));
        const std::string now = readFile(path, kLargestCellFile).value();
        QVERIFY2(now == before || now == after, qPrintable(QString("kill %1 left %2 bytes").arg(n).arg(now.size())));
        (now == before ? olds : news) += 1;
    }
    // What they left beside it goes with the next save.
    QVERIFY(!saveFile(path, after));
    QCOMPARE(QDir(dir.path()).entryList(QDir::AllEntries | QDir::Hidden | QDir::NoDotAndDotDot).size(), 1);
    QVERIFY2(olds > 0 && news > 0, qPrintable(QString("%1 old, %2 new").arg(olds).arg(news)));
}

void FileTest::saveKeepsPermissionsAndFollowsLinks()
{
    QTemporaryDir dir;
    const QString real = dir.filePath("real.topikos"), link = dir.filePath("link.topikos");
    const Cell cell = example("tile-glazing-line");
    QVERIFY(!saveCell(real.toStdString(), cell));
    QFile::setPermissions(real, QFile::ReadOwner | QFile::WriteOwner | QFile::ReadGroup);
    const auto permissions = QFile::permissions(real);
    QVERIFY(QFile::link(real, link));
    QVERIFY(!saveCell(link.toStdString(), cell));
    QVERIFY(QFileInfo(link).isSymLink());
    QCOMPARE(QFile::permissions(real), permissions);
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden).size(), 2);  // nothing temporary is left
}

void FileTest::saveThatCannotBeWrittenSaysSo()
{
    const Status refused = saveCell("/nowhere/at/all/cell.topikos", example("tile-glazing-line"));
    QVERIFY(refused);
    QVERIFY(QString::fromStdString(refused->line()).contains("/nowhere/at/all/cell.topikos: cannot be written"));
    QVERIFY(!openCell("/nowhere.topikos").ok());
    QVERIFY(!openCell("/tmp").ok());
}

void FileTest::placesThatAreNoFiles_data()
{
    QTest::addColumn<QString>("name");
    QTest::addColumn<QString>("said");
    QTest::newRow("pipe") << "pipe"
                          << "is not a file";
    QTest::newRow("folder") << "folder"
                            << "is not a file";
    QTest::newRow("device") << "/dev/full"
                            << "is not a file";
    QTest::newRow("links in a circle") << "circle"
                                       << "circle";
    QTest::newRow("write-protected") << "protected"
                                     << "is write-protected";
    QTest::newRow("name too long") << QString(256, 'x') << "shorter name";
    QTest::newRow("below a file") << "protected/cell.topikos"
                                  << "folder is not there";
}

void FileTest::placesThatAreNoFiles()
{
    QFETCH(QString, name);
    QFETCH(QString, said);
    const QTemporaryDir dir;
    QVERIFY(mkfifo(dir.filePath("pipe").toLocal8Bit().constData(), 0600) == 0);
    QVERIFY(QDir(dir.path()).mkdir("folder"));
    QVERIFY(QFile::link(dir.filePath("circle"), dir.filePath("circle")));
    QVERIFY(!saveFile(dir.filePath("protected").toStdString(), "old"));
    QVERIFY(chmod(dir.filePath("protected").toLocal8Bit().constData(), 0444) == 0);
    const std::string path = (name.startsWith('/') ? name : dir.filePath(name)).toStdString();
    const Status refused = saveFile(path, "new");
    QVERIFY(refused);
    const QString line = QString::fromStdString(refused->line());
    QVERIFY2(line.contains(said) && !line.contains("Free some space"), qPrintable(line));
    QCOMPARE(readFile(dir.filePath("protected").toStdString(), 10).value(), std::string("old"));
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden), QStringList{"protected"});
}

void FileTest::longestNameIsSaved()
{
    const QTemporaryDir dir;
    const std::string path = dir.filePath(QString(255, 'x')).toStdString();
    QVERIFY(!saveFile(path, "one"));
    QVERIFY(!saveFile(path, "two"));
    QCOMPARE(readFile(path, 10).value(), std::string("two"));
}

void FileTest::otherNamesKeepTheOldContent()
{
    const QTemporaryDir dir;
    const std::string path = dir.filePath("cell").toStdString(), other = dir.filePath("copy").toStdString();
    QVERIFY(!saveFile(path, "old"));
    QVERIFY(::link(path.c_str(), other.c_str()) == 0);
    if (geteuid() == 0) QVERIFY(::chown(path.c_str(), 1234, 2345) == 0);
    QVERIFY(!saveFile(path, "new"));
    QCOMPARE(readFile(path, 10).value(), std::string("new"));
    QCOMPARE(readFile(other, 10).value(), std::string("old"));
    struct stat info;
    QVERIFY(::stat(path.c_str(), &info) == 0);
    if (geteuid() == 0) QVERIFY(info.st_uid == 1234 && info.st_gid == 2345);
}

void FileTest::fullDiskLeavesTheOldFile()
{
    const QTemporaryDir dir;
    const std::string path = dir.filePath("cell").toStdString();
    QVERIFY(!saveFile(path, "old"));
    // A limit on the size of files stands for a disk that is full.
    const pid_t child = fork();
    if (child == 0) {
        signal(SIGXFSZ, SIG_IGN);
        const rlimit limit{1000, 1000};
        setrlimit(RLIMIT_FSIZE, &limit);
        const Status bad = saveFile(path, std::string(5000, 'x'));
        _exit(bad && bad->code == "file.write" && bad->remedy.starts_with("Free some space") ? 0 : 1);
    }
    int status = 0;
    waitpid(child, &status, 0);
    QVERIFY(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    QCOMPARE(readFile(path, 10).value(), std::string("old"));
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden), QStringList{"cell"});
}

void FileTest::cellThatWouldNotComeBackIsNotSaved()
{
    const QTemporaryDir dir;
    const std::string path = dir.filePath("cell.topikos").toStdString();
    Cell cell = example("tile-glazing-line");
    QVERIFY(!saveCell(path, cell));
    const std::string before = readFile(path, kLargestCellFile).value();
    cell.frames.at(0).pose.translation[0] = 1e6;
    const Status refused = saveCell(path, cell);
    QVERIFY(refused);
    QCOMPARE(refused->code, std::string("cell.unreadable"));
    QCOMPARE(readFile(path, kLargestCellFile).value(), before);
}

void FileTest::saveByAnotherIsLeftAlone()
{
    // A file that is being written has a lock on it; one that a killed save left has none.
    const QTemporaryDir dir;
    const QString busy = dir.filePath(".topikos-saving-aaaaaa"), left = dir.filePath(".topikos-saving-bbbbbb");
    for (const QString& name : {busy, left})
        std::ofstream(name.toStdString()) << "half";
    const int lock = ::open(busy.toLocal8Bit().constData(), O_RDONLY | O_CLOEXEC);
    QVERIFY(lock >= 0 && ::flock(lock, LOCK_EX | LOCK_NB) == 0);
    QVERIFY(!saveFile(dir.filePath("cell").toStdString(), "new"));
    QVERIFY(QFile::exists(busy) && !QFile::exists(left));
    ::close(lock);
    QVERIFY(!saveFile(dir.filePath("cell").toStdString(), "new"));
    QVERIFY(!QFile::exists(busy));
}

void FileTest::longTablesAreRefused()
{
    const QTemporaryDir dir;
    const std::string path = dir.filePath("run.csv").toStdString();
    const Cell cell = example("tile-glazing-line");
    Trace trace = simulate(cell);
    QVERIFY(!saveTraceCsv(path, cell, trace));
    QCOMPARE(readFile(path, kLargestCellFile).value(), traceCsv(cell, trace).value());
    trace.duration = 1e300;
    const Status refused = saveTraceCsv(path, cell, trace);
    QVERIFY(refused);
    QCOMPARE(refused->code, std::string("table.rows"));
}

TOPIKOS_TEST(FileTest)
#include "file_test.moc"
