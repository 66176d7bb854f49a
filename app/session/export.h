#pragma once
#include "app/session/session.h"

#include <QString>
#include <functional>

namespace topikos {

/// Writes something of the session to a file that a person named, and says where it is or why not. Never over the cell
/// that is open. `what`: as in "The curves are in …". False when nothing was written.
bool writeExport(Session& session, const QString& path, const QString& what, const std::function<Status()>& write);

}  // namespace topikos
