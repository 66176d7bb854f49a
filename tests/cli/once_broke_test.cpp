#include "tests/run.h"

#include <QDir>
#include <QFile>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QXmlStreamReader>

#include <sys/resource.h>

/// Files that once made Topikos crash, hang or eat the machine: each now ends in time, in memory and in one line.
class OnceBrokeTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void endsInTimeAndInOneLine_data();
    void endsInTimeAndInOneLine();
    void surfaceEndsInTimeAndInOneLine_data();
    void surfaceEndsInTimeAndInOneLine();
    void deepTreeIsRefused();
    void manyLinksAreRead();
    void deepXmlIsRefused();
};

namespace {

constexpr rlim_t kMostSeconds = 10, kMostMemory = rlim_t(1) << 30;

void limited()
{
    const auto set = [](auto what, rlim_t most) {
        const rlimit limit{most, most};
        setrlimit(what, &limit);
    };
#ifndef TOPIKOS_SANITIZED
    set(RLIMIT_AS, kMostMemory);
    set(RLIMIT_CPU, kMostSeconds);
#endif
}

struct Ended {
    int code = -1;
    QByteArray said;
};

Ended run(const QStringList& arguments, const QString& folder)
{
    QProcess cli;
    cli.setWorkingDirectory(folder);
    cli.setChildProcessModifier(limited);
    cli.start(TOPIKOS_CLI, arguments);
    if (!cli.waitForFinished(120000) || cli.exitStatus() != QProcess::NormalExit) return {};
    return {cli.exitCode(), cli.readAllStandardError()};
}

QString brokenFile(const QString& name) { return QString(TOPIKOS_TEST_DATA) + "/once-broke/" + name; }

}  // namespace

void OnceBrokeTest::endsInTimeAndInOneLine_data()
{
    QTest::addColumn<QStringList>("arguments");
    const QString folder = brokenFile("");
    for (const QString& name : QDir(folder).entryList({"*.topikos"}, QDir::Files)) {
        const QString path = folder + name;
        QTest::newRow(qPrintable(name + ", check")) << QStringList{"check", path};
        QTest::newRow(qPrintable(name + ", check as JUnit")) << QStringList{"check", path, "--junit", "OUT.xml"};
        QTest::newRow(qPrintable(name + ", simulate")) << QStringList{"simulate", path};
        QTest::newRow(qPrintable(name + ", simulate with a table"))
            << QStringList{"simulate", path, "--trace", "OUT.csv"};
    }
    QTest::newRow("sixaxis-in-mm.urdf, info") << QStringList{"arm", "info", folder + "sixaxis-in-mm.urdf"};
}

void OnceBrokeTest::endsInTimeAndInOneLine()
{
    QFETCH(QStringList, arguments);
    const QTemporaryDir folder;
    const Ended ended = run(arguments, folder.path());
    QVERIFY2(ended.code >= 0 && ended.code <= 2, ended.said.constData());
    QVERIFY2(ended.said.count('\n') <= 1, ended.said.constData());
    QCOMPARE(ended.said.isEmpty(), ended.code != 2);
    for (const QString& made : QDir(folder.path()).entryList({"*.xml"})) {
        QXmlStreamReader xml(contentOf(folder.filePath(made)));
        while (!xml.atEnd())
            xml.readNext();
        QVERIFY2(!xml.hasError(), qPrintable(xml.errorString()));
    }
}

void OnceBrokeTest::surfaceEndsInTimeAndInOneLine_data()
{
    QTest::addColumn<QString>("name");
    for (const QString& name : QDir(brokenFile("")).entryList({"*.ply", "*.dae", "*.glb"}, QDir::Files))
        QTest::newRow(qPrintable(name)) << name;
}

void OnceBrokeTest::surfaceEndsInTimeAndInOneLine()
{
    QFETCH(QString, name);
    const QTemporaryDir folder;
    QVERIFY(QFile::copy(brokenFile(name), folder.filePath(name)));
    write(folder.filePath("arm.urdf"),
          contentOf(brokenFile("mesh-ply.urdf")).replace("ply-face-index.ply", name.toUtf8()));
    const Ended ended =
        run({"arm", "export", "arm.urdf", "arm.topikos-arm", "--package", "x=" + folder.path()}, folder.path());
    // The arm is there, with a body made for the link whose surface cannot be had, which one line says.
    QCOMPARE(ended.code, 0);
    QVERIFY2(ended.said.count('\n') == 1 && ended.said.contains(name.toUtf8()), ended.said.constData());
    QVERIFY(QFile::exists(folder.filePath("arm.topikos-arm")));
}

void OnceBrokeTest::deepTreeIsRefused()
{
    const QTemporaryDir folder;
    const QString path = folder.filePath("deep.topikos");
    QByteArray text = contentOf(QString(TOPIKOS_EXAMPLES) + "/tile-glazing-line.topikos");
    // 50,000 frames, each on the one before, the last one first.
    QByteArray frames;
    constexpr int first = 1000, count = 50000;
    for (int i = count - 1; i >= 0; --i)
        frames += QString("{\"id\":%1,\"name\":\"Deep %1\",\"parent\":%2,\"pose\":{\"xyz\":[0,0,0],\"quaternion\":[1,"
                          "0,0,0]},\"solids\":[]},\n")
                      .arg(first + i)
                      .arg(i ? first + i - 1 : 0)
                      .toUtf8();
    const int at = int(text.indexOf('[', text.indexOf("\"frames\"")));
    text.insert(at + 1, frames);
    text.replace(QRegularExpression("\"next-id\": *[0-9]+").match(QString::fromUtf8(text)).captured().toUtf8(),
                 "\"next-id\": 100000");
    write(path, text);
    const Ended ended = run({"check", path}, folder.path());
    QCOMPARE(ended.code, 2);
    QVERIFY2(ended.said.count('\n') == 1 && ended.said.contains("deeper than 100 levels"), ended.said.constData());
}

void OnceBrokeTest::manyLinksAreRead()
{
    const QTemporaryDir folder;
    QByteArray urdf = "<robot name=\"many\">\n<link name=\"l0\"/>\n";
    for (int i = 1; i <= 64000; ++i)
        urdf += QString("<link name=\"l%1\"/><joint name=\"j%1\" type=\"fixed\"><parent link=\"l0\"/><child "
                        "link=\"l%1\"/></joint>\n")
                    .arg(i)
                    .toUtf8();
    urdf += "<link name=\"tip\"/><joint name=\"turn\" type=\"revolute\"><parent link=\"l64000\"/><child "
            "link=\"tip\"/><axis xyz=\"0 0 1\"/><limit lower=\"-1\" upper=\"1\" velocity=\"1\" "
            "effort=\"1\"/></joint>\n</robot>\n";
    write(folder.filePath("many.urdf"), urdf);
    const Ended ended = run({"arm", "info", folder.filePath("many.urdf"), "--tip", "tip"}, folder.path());
    QVERIFY2(ended.code == 0 && ended.said.isEmpty(), ended.said.constData());
}

void OnceBrokeTest::deepXmlIsRefused()
{
    const QTemporaryDir folder;
    write(folder.filePath("deep.urdf"), "<robot name=\"deep\">" + QByteArray("<link>").repeated(20000));
    const Ended ended = run({"arm", "info", folder.filePath("deep.urdf")}, folder.path());
    QCOMPARE(ended.code, 2);
    QVERIFY2(ended.said.count('\n') == 1, ended.said.constData());
}

TOPIKOS_TEST(OnceBrokeTest)
#include "once_broke_test.moc"
