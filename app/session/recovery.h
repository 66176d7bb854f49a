#pragma once
#include "app/session/session.h"

#include <QDateTime>
#include <QLockFile>
#include <QThreadPool>

namespace topikos {

/// A cell that was open with unsaved changes when its process ended without leaving properly.
struct LostCell {
    QString copy;  ///< file with the cell as it was
    QString name;  ///< of the cell
    QString path;  ///< file it belonged to; empty if it had none
    QDateTime when;
};

/// Keeps a copy of the open cell while it has unsaved changes: two seconds after the last edit, beside the interface
/// thread. The copy goes when the cell is saved or left properly.
class Recovery : public QObject {
    Q_OBJECT
public:
    /// Copies go to `folder`, one per window, each with a lock beside it.
    Recovery(Session& session, const QString& folder, QObject* parent = nullptr);
    ~Recovery() override;

    /// Copies of windows that are gone, newest first.
    static QList<LostCell> lost(const QString& folder);
    static void forget(const LostCell& cell);
    static QString standardFolder();

    /// Writes the copy now and waits for it (tests and shutdown).
    void writeNow();
    /// The cell is left properly: no copy is needed.
    void drop();

private:
    void write();

    Session& m_session;
    QString m_file;
    QLockFile m_lock;  ///< held as long as the window is there
    QTimer m_timer;
    QThreadPool m_writer;  ///< one thread of its own: waiting for a copy must not wait for other work
};

}  // namespace topikos
