#pragma once
#include "app/session/session.h"

#include <QString>
#include <functional>

namespace topikos {

/// Whether something may be written to a file that a person named: never over the cell that is open.
Status mayWrite(const Session& session, const QString& path);

/// Writes something of the session to a file that a person named, and says where it is or why not, see
/// mayWrite(). `what`: as in "The curves are in …". False when nothing was written.
bool writeExport(Session& session, const QString& path, const QString& what, const std::function<Status()>& write);

}  // namespace topikos
