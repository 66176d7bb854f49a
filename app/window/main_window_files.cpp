#include "app/window/main_window.h"

#include "app/layout/mesh_import.h"
#include "app/route/program_editor.h"
#include "app/route/route_panel.h"
#include "app/background/beside.h"
#include "app/session/recovery.h"
#include "app/session/export.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/examples.h"
#include "app/window/new_cell_page.h"
#include "app/window/notice_bar.h"
#include "core/cell/edit_support.h"
#include "core/cell/fixture.h"
#include "core/files/cell_file.h"

#include <QCryptographicHash>
#include <QDialogButtonBox>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QListWidget>
#include <QMenu>
#include <QMessageBox>
#include <QSettings>
#include <QVBoxLayout>

/// Cells and their files: opening, saving, what is lost, what changed on disk.
namespace topikos {

Result<Cell> readExample(const QString& name)
{
    QFile file(":/examples/" + name + ".topikos");
    if (!file.open(QIODevice::ReadOnly))
        return Error{"example.missing", "there is no such example", name.toStdString(), ""};
    return readCell(file.readAll().toStdString(), name.toStdString());
}

void MainWindow::showProblem(const QString& words) { m_session->say(words, true); }

std::optional<Cell> MainWindow::readBeside(const QString& path, QByteArray* digest)
{
    const QString name = QFileInfo(path).fileName();
    auto read = doBeside(*m_session, this, "Reading " + name + " …", [path](const std::function<bool()>&) {
        // First as the command line does, which refuses pipes and devices.
        Result<Cell> cell = openCell(path.toStdString());
        QCryptographicHash hash(QCryptographicHash::Sha1);
        QFile file(path);
        const bool known = cell && file.open(QIODevice::ReadOnly) && hash.addData(&file);
        return std::pair(std::move(cell), known ? hash.result() : QByteArray());
    });
    if (!read) {
        m_session->say("Not opened: " + name + " was not read to its end.");
        return std::nullopt;
    }
    if (!read->first) {
        showProblem(text(read->first.error().line()));
        return std::nullopt;
    }
    if (digest) *digest = read->second;
    return std::move(read->first).value();
}

bool MainWindow::openFile(const QString& path)
{
    QByteArray digest;
    std::optional<Cell> cell = readBeside(path, &digest);
    if (!cell) return false;
    m_session->open(std::move(*cell), path);
    watchFile(digest);
    remember(path);
    m_view->fitAll();
    m_session->say("Opened " + QFileInfo(path).fileName());
    return true;
}

bool MainWindow::openExample(const QString& name)
{
    Result<Cell> cell = readExample(name);
    if (!cell) {
        showProblem(text(cell.error().line()));
        return false;
    }
    m_session->open(std::move(cell).value(), {});
    watchFile();
    m_view->fitAll();
    return true;
}

void MainWindow::startNewCell()
{
    if (!m_newCell) {
        m_newCell = new NewCellPage(this);
        m_pages->addWidget(m_newCell);
        const auto leave = [this] {
            // With its picture, which takes memory.
            m_pages->removeWidget(m_newCell);
            m_newCell->setParent(nullptr);
            m_newCell->deleteLater();
            m_newCell = nullptr;
            showArms(false);
        };
        connect(m_newCell, &NewCellPage::leaveRequested, this, leave);
        connect(m_newCell, &NewCellPage::made, this, [this, leave](const Cell& cell) {
            if (!mayLeave()) return;
            m_session->open(cell, {});
            watchFile();
            leave();
            m_view->fitAll();
        });
    }
    m_pages->setCurrentWidget(m_newCell);
    m_newCell->start();
    refreshActions();
}

void MainWindow::askForShape()
{
    const QString path =
        QFileDialog::getOpenFileName(this, "Bring in a surface", QSettings().value("files/surfaces").toString(),
                                     "Surfaces (*.stl *.obj *.ply *.dae *.gltf *.glb);;All files (*)");
    if (path.isEmpty()) return;
    QSettings().setValue("files/surfaces", QFileInfo(path).path());
    bringSurface(*m_session, path, this);
}

void MainWindow::bringFromCell()
{
    const QString path = QFileDialog::getOpenFileName(this, "Bring in from another cell",
                                                      QFileInfo(m_session->path()).path(), "Topikos cells (*.topikos)");
    if (!path.isEmpty()) bringFromCell(path);
}

void MainWindow::bringFromCell(const QString& path)
{
    const std::optional<Cell> from = readBeside(path);
    if (!from) return;
    QDialog dialog(this);
    dialog.setObjectName("bringDialog");
    dialog.setWindowTitle("Bring in from " + text(from->name));
    auto* column = new QVBoxLayout(&dialog);
    column->addWidget(new QLabel("Frames bring everything below them: shapes, parts, patterns and targets.", &dialog));
    auto* list = new QListWidget(&dialog);
    list->setObjectName("bringList");
    enum { FrameRow, ToolRow, ArmRow };
    const auto add = [&](int kind, std::uint32_t id, const QString& words, const char* glyph) {
        auto* item = new QListWidgetItem(glyphIcon(glyph), words, list);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        item->setCheckState(Qt::Unchecked);
        item->setData(Qt::UserRole, kind);
        item->setData(Qt::UserRole + 1, id);
    };
    for (const ArmStation& a : from->arms)
        add(ArmRow, a.id.value, "Arm in hand becomes: " + text(a.model->description().name), "arm");
    for (const Frame& f : from->frames)
        if (!f.axis
            && std::none_of(from->arms.begin(), from->arms.end(), [&](const ArmStation& a) { return a.mount == f.id; }))
            add(FrameRow, f.id.value, "Frame: " + text(f.name), "frame");
    for (const Tool& t : from->tools)
        add(ToolRow, t.id.value, "Tool: " + text(t.name), "tool");
    column->addWidget(list);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, &dialog);
    buttons->button(QDialogButtonBox::Ok)->setText("Bring in");
    for (QAbstractButton* b : buttons->buttons())
        b->setIcon({});
    connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    column->addWidget(buttons);
    if (dialog.exec() != QDialog::Accepted) return;
    m_session->edit("Bring in from " + text(from->name), [&](const Cell& cell) {
        Result<Cell> next = cell;
        for (int i = 0; i < list->count() && next; ++i) {
            const QListWidgetItem* item = list->item(i);
            if (item->checkState() != Qt::Checked) continue;
            const std::uint32_t id = item->data(Qt::UserRole + 1).toUInt();
            switch (item->data(Qt::UserRole).toInt()) {
            case FrameRow: next = bringFixture(*next, m_session->station().id, *from, {id}); break;
            case ToolRow: next = bringTool(*next, *from, {id}); break;
            default: next = setArmModel(*next, m_session->station().id, findArm(*from, {id})->model);
            }
        }
        return next;
    });
}

void MainWindow::filesDropped(const QStringList& paths)
{
    if (paths.size() == 1 && paths.front().endsWith(".topikos")) {
        if (mayLeave()) openFile(paths.front());
        return;
    }
    for (const QString& path : paths)
        bringSurface(*m_session, path, this);
}

int MainWindow::offerLostCells()
{
    const QList<LostCell> all = Recovery::lost(Recovery::standardFolder());
    for (const LostCell& lost : all) {
        const QString words = QString("“%1” had unsaved changes when Topikos ended on %2.")
                                  .arg(lost.name, lost.when.toString("d MMM, hh:mm"));
        m_notices->offer("lost " + lost.copy, words,
                         {{"Open it as it was",
                           [this, lost] {
                               // Put off: it is kept, and offered again.
                               if (!mayLeave()) return void(offerLostCells());
                               Result<Cell> cell = openCell(lost.copy.toStdString());
                               if (!cell) {
                                   showProblem(text(cell.error().line()));
                                   return void(offerLostCells());
                               }
                               m_session->openUnsaved(std::move(cell).value(), lost.path);
                               Recovery::forget(lost);
                               watchFile();
                               m_view->fitAll();
                               m_session->say("This is the cell as it was. Save it to keep it.");
                           }},
                          {"Forget it", [lost] { Recovery::forget(lost); }}});
    }
    return int(all.size());
}

void MainWindow::watchFile(const QByteArray& known)
{
    if (!m_watcher.files().isEmpty()) m_watcher.removePaths(m_watcher.files());
    m_notices->withdraw("disk");
    m_onDisk = known;
    QFile file(m_session->path());
    if (m_session->path().isEmpty() || !file.open(QIODevice::ReadOnly)) return;
    if (known.isEmpty()) m_onDisk = QCryptographicHash::hash(file.readAll(), QCryptographicHash::Sha1);
    m_watcher.addPath(m_session->path());
}

void MainWindow::fileChangedOutside()
{
    const QString path = m_session->path();
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly))
        return m_notices->offer("disk", QString("%1 is no longer there.").arg(QFileInfo(path).fileName()),
                                {{"Save it again", [this] { save(); }}});
    // A file that is replaced leaves the watcher's list.
    if (!m_watcher.files().contains(path)) m_watcher.addPath(path);
    if (QCryptographicHash::hash(file.readAll(), QCryptographicHash::Sha1) == m_onDisk)
        return m_notices->withdraw("disk");
    m_notices->offer("disk", QString("%1 has been changed by another program.").arg(QFileInfo(path).fileName()),
                     {{"Load it",
                       [this, path] {
                           if (mayLeave()) openFile(path);
                       }},
                      {"Keep mine", [this] { m_session->say("Saving will replace the other version."); }}});
}

void MainWindow::remember(const QString& path)
{
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    const QString whole = QFileInfo(path).absoluteFilePath();
    recent.removeAll(whole);
    recent.prepend(whole);
    settings.setValue("recent", recent.mid(0, 8));
    fillRecent();
}

void MainWindow::fillRecent()
{
    m_recent->clear();
    for (const QString& path : QSettings().value("recent").toStringList()) {
        QAction* a = m_recent->addAction(QFileInfo(path).fileName(), this, [this, path] {
            if (mayLeave()) openFile(path);
        });
        a->setToolTip(path);
    }
    m_recent->setToolTipsVisible(true);
    m_recent->setEnabled(!m_recent->isEmpty());
}

void MainWindow::askAndOpen()
{
    if (!mayLeave()) return;
    const QString path = QFileDialog::getOpenFileName(this, "Open a cell", QFileInfo(m_session->path()).path(),
                                                      "Topikos cells (*.topikos)");
    if (!path.isEmpty()) openFile(path);
}

bool MainWindow::saveTo(const QString& path)
{
    const bool whole = m_route->editor()->flush();
    const CellPtr cell = m_session->history().current();
    const std::optional<Status> bad = doBeside(
        *m_session, this, "Saving " + QFileInfo(path).fileName() + " …",
        [path, cell](const std::function<bool()>&) { return saveCell(path.toStdString(), *cell); }, false);
    if (!bad || *bad) {
        showProblem(bad ? text((*bad)->line()) : "Saving broke down; the file on disk is unchanged.");
        return false;
    }
    m_session->saved(path, cell);
    watchFile();
    remember(path);
    m_session->say("Saved " + QFileInfo(path).fileName());
    if (!whole) m_session->say("Saved, without the text of the program that has errors; mend or discard it.", true);
    return true;
}

bool MainWindow::save() { return m_session->path().isEmpty() ? saveAs() : saveTo(m_session->path()); }

bool MainWindow::saveAs()
{
    QString start = m_session->path();
    if (start.isEmpty()) start = text(m_session->cell().name).toLower().replace(' ', '-') + ".topikos";
    const QString path = askForOutput(this, "Save the cell", start, {"Topikos cells (*.topikos)"});
    return !path.isEmpty() && saveTo(path);
}

bool MainWindow::mayLeave()
{
    if (!m_route->editor()->flush()) {
        QMessageBox wrong(QMessageBox::Question, "Program text with errors",
                          "The text of the program has errors, so what was typed last is not in the cell.",
                          QMessageBox::Discard | QMessageBox::Cancel, this);
        wrong.setObjectName("wrongTextBox");
        if (wrong.exec() != QMessageBox::Discard) return false;
        m_route->editor()->discard();
    }
    if (m_session->isSaved()) return true;
    QMessageBox box(QMessageBox::Question, "Unsaved changes",
                    QString("“%1” has changes that are not saved.").arg(text(m_session->cell().name)),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    box.setObjectName("unsavedBox");
    switch (box.exec()) {
    case QMessageBox::Save: return save();
    case QMessageBox::Discard: return true;
    default: return false;
    }
}

}  // namespace topikos
