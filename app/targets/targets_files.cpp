#include "app/targets/targets_files.h"

#include "app/session/export.h"
#include "app/session/text.h"
#include "core/files/file.h"
#include "core/files/table_text.h"
#include "core/files/targets_csv.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>

namespace topikos {

void saveTargets(Session& session, QWidget* parent, QString path)
{
    if (path.isEmpty()) path = askForOutput(parent, "Save the targets", "targets.csv", {"Tables (*.csv)"});
    if (path.isEmpty()) return;
    writeExport(session, path, "The targets are", [&] { return saveTargetsCsv(path.toStdString(), session.cell()); });
}

QString takenText(const TargetsRead& read)
{
    QString words = QString("%1 targets changed, %2 added.").arg(read.changed).arg(read.added);
    if (!read.unread.empty()) words += " The " + text(read.unreadText()) + ".";
    return words;
}

void bringInTargets(Session& session, QWidget* parent, QString path)
{
    if (path.isEmpty())
        path = QFileDialog::getOpenFileName(parent, "Bring in targets", QSettings().value("files/tables").toString(),
                                            "Tables (*.csv *.txt)");
    if (path.isEmpty()) return;
    QSettings().setValue("files/tables", QFileInfo(path).path());
    const Result<std::string> table = readFile(path.toStdString(), kMostTableBytes);
    if (!table) return session.say(text(table.error().line()), true);
    const Result<TargetsRead> read = targetsFromCsv(session.cell(), *table);
    if (!read) return session.say(text(read.error().line()), true);
    if (!read->broken.empty()) {
        constexpr size_t most = 8;  // that fit
        QStringList lines;
        for (size_t i = 0; i < std::min(most, read->broken.size()); ++i)
            lines << text(read->broken[i].line());
        if (read->broken.size() > most) lines << QString("and %1 more").arg(read->broken.size() - most);
        QMessageBox wrong(QMessageBox::Question, "Rows that are wrong", lines.join("\n"), QMessageBox::Cancel, parent);
        wrong.setObjectName("brokenRows");
        wrong.setTextFormat(Qt::PlainText);
        QPushButton* rest = wrong.addButton("Take the others", QMessageBox::AcceptRole);
        rest->setEnabled(read->changed + read->added > 0);
        wrong.exec();
        if (wrong.clickedButton() != rest) return session.say("Nothing was taken.");
    }
    if (read->changed + read->added == 0) return session.say("The table says what the targets are already.");
    if (session.edit("Bring in targets", [&](const Cell&) { return Result<Cell>(read->cell); }))
        session.say(takenText(*read), !read->unread.empty());
}

}  // namespace topikos
