#pragma once
#include "app/session/session.h"

#include <QString>
#include <QStringList>
#include <functional>

namespace topikos {

/// Asks for the name of a file that something is written to; empty when the person gives up. `filters`: as in "Tables
/// (*.csv)". A name without one of their endings gets that of the chosen one first, and then it is asked whether a file
/// of that name may be written over.
QString askForOutput(QWidget* parent, const QString& title, const QString& start, const QStringList& filters);
/// A name with one of the endings that filters have; that of the chosen filter when it has none of them.
QString withEnding(const QString& path, const QStringList& filters, const QString& chosen);

/// Whether something may be written to a file that a person named: never over the cell that is open.
Status mayWrite(const Session& session, const QString& path);

/// Writes something of the session to a file that a person named, and says where it is or why not, see
/// mayWrite(). `what`: as in "The curves are in …". False when nothing was written.
bool writeExport(Session& session, const QString& path, const QString& what, const std::function<Status()>& write);

}  // namespace topikos
