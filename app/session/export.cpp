#include "app/session/export.h"

#include "app/session/text.h"
#include "core/files/file.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>
#include <QRegularExpression>

namespace topikos {

namespace {

/// "csv", "svg" of "Tables (*.csv *.svg)"; nothing for all files.
QStringList endingsOf(const QString& filter)
{
    static const QRegularExpression pattern("\\*\\.([\\w-]+)");
    QStringList out;
    for (auto found = pattern.globalMatch(filter); found.hasNext();)
        out << found.next().captured(1);
    return out;
}

}  // namespace

QString withEnding(const QString& path, const QStringList& filters, const QString& chosen)
{
    for (const QString& filter : filters)
        for (const QString& ending : endingsOf(filter))
            if (path.endsWith('.' + ending, Qt::CaseInsensitive)) return path;
    const QStringList own = endingsOf(chosen);
    return own.isEmpty() ? path : path + '.' + own.front();
}

QString askForOutput(QWidget* parent, const QString& title, const QString& start, const QStringList& filters)
{
    QString path = start;
    while (true) {
        QFileDialog dialog(parent, title, QFileInfo(path).path(), filters.join(";;"));
        dialog.setObjectName("outputDialog");
        dialog.setAcceptMode(QFileDialog::AcceptSave);
        dialog.setOption(QFileDialog::DontConfirmOverwrite);
        dialog.selectFile(QFileInfo(path).fileName());
        if (dialog.exec() != QDialog::Accepted || dialog.selectedFiles().isEmpty()) return {};
        path = withEnding(dialog.selectedFiles().front(), filters, dialog.selectedNameFilter());
        if (!QFileInfo::exists(path)) return path;
        QMessageBox question(QMessageBox::Question, title,
                             QString("%1 is there already. Write over it?").arg(QFileInfo(path).fileName()),
                             QMessageBox::NoButton, parent);
        question.setObjectName("overwriteQuestion");
        question.setTextFormat(Qt::PlainText);
        const QPushButton* over = question.addButton("Write over it", QMessageBox::AcceptRole);
        question.setDefaultButton(question.addButton("Another name", QMessageBox::RejectRole));
        question.exec();
        if (question.clickedButton() == over) return path;
    }
}

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
