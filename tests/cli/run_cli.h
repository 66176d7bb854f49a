#pragma once
#include "tests/core/support.h"

#include <QProcess>

namespace topikos::test {

/// What a call of the command line came to.
struct RunResult {
    int code = -1;
    QByteArray out, err;
    QList<QByteArray> lines() const { return out.trimmed().split('\n'); }
};

inline RunResult run(const QStringList& arguments, const QByteArray& input = {})
{
    QProcess p;
    p.start(TOPIKOS_CLI, arguments);
    p.write(input);
    p.closeWriteChannel();
    if (!p.waitForFinished(120000)) return {};
    return {p.exitStatus() == QProcess::NormalExit ? p.exitCode() : -1, p.readAllStandardOutput(),
            p.readAllStandardError()};
}

inline QString cellFile(const char* name) { return QString::fromStdString(examplePath(name)); }

}  // namespace topikos::test
