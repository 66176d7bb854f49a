#include "app/session/recovery.h"

#include "app/session/text.h"
#include "core/files/cell_file.h"

#include <QDir>
#include <QSettings>
#include <QStandardPaths>
#include <QUuid>

namespace topikos {

namespace {

constexpr int kDelay = 2000;  // [ms] after an edit

QString noteOf(const QString& copy) { return copy + ".note"; }
QString lockOf(const QString& copy) { return copy + ".lock"; }

}  // namespace

Recovery::Recovery(Session& session, const QString& folder, QObject* parent) :
    QObject(parent), m_session(session),
    m_file(QDir(folder).filePath(QUuid::createUuid().toString(QUuid::WithoutBraces) + ".topikos")),
    m_lock(lockOf(m_file))
{
    QDir().mkpath(folder);
    m_lock.setStaleLockTime(0);
    m_lock.tryLock();
    m_writer.setMaxThreadCount(1);
    m_timer.setSingleShot(true);
    m_timer.setInterval(kDelay);
    connect(&m_timer, &QTimer::timeout, this, &Recovery::write);
    connect(&session, &Session::saveStateChanged, this, [this] {
        if (m_session.isSaved()) drop();
        else if (!m_timer.isActive()) m_timer.start();  // who never pauses has copies, too
    });
}

Recovery::~Recovery() { drop(); }  // only a process that is killed leaves its copy

QString Recovery::standardFolder()
{
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/recovery";
}

void Recovery::write()
{
    QSettings note(noteOf(m_file), QSettings::IniFormat);
    note.setValue("name", text(m_session.cell().name));
    note.setValue("path", m_session.path());
    note.setValue("when", QDateTime::currentDateTime());
    note.sync();
    // A copy that cannot be written costs nothing but itself; the person's own file is never touched here.
    m_writer.start([file = m_file.toStdString(), cell = m_session.history().current()] {
        (void)saveFile(file, writeCell(*cell));
    });
}

void Recovery::writeNow()
{
    m_timer.stop();
    if (!m_session.isSaved()) write();
    m_writer.waitForDone();
}

void Recovery::drop()
{
    m_timer.stop();
    m_writer.waitForDone();
    QFile::remove(m_file);
    QFile::remove(noteOf(m_file));
}

QList<LostCell> Recovery::lost(const QString& folder)
{
    QList<LostCell> all;
    for (const QFileInfo& file : QDir(folder).entryInfoList({"*.topikos"}, QDir::Files, QDir::Time)) {
        QLockFile lock(lockOf(file.filePath()));
        lock.setStaleLockTime(0);
        if (!lock.tryLock()) continue;  // still open in a window
        const QSettings note(noteOf(file.filePath()), QSettings::IniFormat);
        all.push_back({file.filePath(), note.value("name", "A cell").toString(), note.value("path").toString(),
                       note.value("when", file.lastModified()).toDateTime()});
    }
    return all;
}

void Recovery::forget(const LostCell& cell)
{
    QFile::remove(cell.copy);
    QFile::remove(noteOf(cell.copy));
}

}  // namespace topikos
