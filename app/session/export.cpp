#include "app/session/export.h"

#include "app/session/text.h"
#include "core/files/file.h"

namespace topikos {

Status mayWrite(const Session& session, const QString& path)
{
    std::vector<std::string> read;
    if (!session.path().isEmpty()) read.push_back(session.path().toStdString());
    return checkOutput(path.toStdString(), read, "the file");
}

bool writeExport(Session& session, const QString& path, const QString& what, const std::function<Status()>& write)
{
    Status bad = mayWrite(session, path);
    if (!bad) bad = write();
    session.say(bad ? text(bad->line()) : what + " in " + path + ".", bad.has_value());
    return !bad;
}

}  // namespace topikos
