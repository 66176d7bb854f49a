#include "app/arms/arms_page.h"

#include "app/layout/mesh_import.h"
#include "app/background/beside.h"
#include "app/session/export.h"
#include "app/session/text.h"
#include "app/view/viewport.h"
#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/shape/mesh_file.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QSettings>

/// Where the page of arms meets files and the cell.
namespace topikos {

QString ArmsPage::idFrom(const QString& name)
{
    QString id;
    for (const QChar c : name.toLower())
        id += c.isLetterOrNumber() ? QString(c) : id.isEmpty() || id.endsWith('-') ? QString() : QString("-");
    while (id.endsWith('-'))
        id.chop(1);
    if (id.isEmpty()) id = "arm";
    return catalogueArm(id.toStdString()) ? id + "-own" : id;
}

bool ArmsPage::openFile(const QString& path)
{
    const Result<std::string> content = readFile(path.toStdString(), kLargestUrdfFile);
    if (!content) {
        say(text(content.error().line()), true);
        return false;
    }
    m_chain->hide();
    const std::string name = QFileInfo(path).fileName().toStdString();
    const size_t first = content->find_first_not_of(" \t\r\n");
    if (first != std::string::npos && (*content)[first] == '{') {
        const Result<DataSheet> sheet = readSheet(*content, name);
        if (!sheet) {
            say(text(sheet.error().line()), true);
            return false;
        }
        m_model->change(*sheet);
    } else {
        const Result<UrdfLinks> links = urdfLinks(*content, name);
        if (!links) {
            say(text(links.error().line()), true);
            return false;
        }
        m_urdf = text(*content);
        m_urdfPath = path;
        m_base->clear();
        m_tip->clear();
        for (const std::string& link : links->all)
            m_base->addItem(text(link));
        for (const std::string& link : links->all)
            m_tip->addItem(text(link));
        m_base->setCurrentText(text(links->root));
        const bool flange = std::find(links->all.begin(), links->all.end(), "flange") != links->all.end();
        m_tip->setCurrentText(flange ? "flange" : text(links->tips.front()));
        m_chain->setVisible(links->tips.size() > 1);
        const Result<ArmPtr> arm = armOfUrdf({links->root, m_tip->currentText().toStdString()});
        if (!arm) {
            say(text(arm.error().line()), true);
            return false;
        }
        m_model->change(sheetOf((*arm)->description()));
    }
    m_model->markKept();
    m_bench->setPosture(armHome(m_bench->arm()));
    m_view->fitAll();
    if (m_missed.empty()) say("Opened " + QFileInfo(path).fileName());
    else
        say(text(m_missed.front())
                + (m_missed.size() > 1 ? QString(" And %1 more like it.").arg(m_missed.size() - 1) : ""),
            true);
    m_missed.clear();
    return true;
}

Result<ArmPtr> ArmsPage::armOfUrdf(const UrdfChain& chain)
{
    QSettings settings;
    PackageFolders folders;
    const std::string source = m_urdf.toStdString();
    for (const std::string& package : packagesOf(source)) {
        const QString key = "packages/" + text(package);
        QString folder = settings.value(key).toString();
        if (folder.isEmpty() || !QFileInfo(folder).isDir()) {
            folder = QFileDialog::getExistingDirectory(this, "Folder of the package " + text(package),
                                                       QFileInfo(m_urdfPath).path());
            if (folder.isEmpty()) continue;  // its links get bodies made from the kinematics
            settings.setValue(key, folder);
        }
        folders[package] = folder.toStdString();
    }
    m_missed.clear();
    return readUrdf(source, QFileInfo(m_urdfPath).fileName().toStdString(), chain,
                    meshesBeside(m_urdfPath.toStdString(), folders), &m_missed);
}

void ArmsPage::chooseChain()
{
    const Result<ArmPtr> arm = armOfUrdf({m_base->currentText().toStdString(), m_tip->currentText().toStdString()});
    if (!arm) return say(text(arm.error().line()), true);
    m_model->change(sheetOf((*arm)->description()));
    m_view->fitAll();
}

bool ArmsPage::addSurface(int link, const QString& path)
{
    const auto read = doBeside(m_session, this, "Reading " + QFileInfo(path).fileName() + " …",
                               [path](const std::function<bool()>& keepOn) { return readSurface(path, keepOn); });
    if (!read) return false;
    if (!*read) {
        say(text(read->error().line()), true);
        return false;
    }
    const ReadSurface& surface = **read;
    const bool inMillimetres = surface.unit < 1;
    const Solid solid = solidOf(surface, surface.unit, false);
    Eigen::AlignedBox3d box;
    for (const Eigen::Vector3f& p : solid.surface.drawn->points)
        box.extend(Vec3(p.cast<double>()));
    const Vec3 size = box.sizes();
    changeWhole([&](DataSheet& sheet) {
        std::erase_if(sheet.meshes, [link](const LinkMesh& m) { return m.link == link; });
        sheet.meshes.push_back({link, solid.surface.drawn});
    });
    say(QString("Link %1 is drawn from %2: %3 x %4 x %5 %6, taken as %7.")
            .arg(link)
            .arg(QFileInfo(path).fileName(), placeFigure(size[0], 2), placeFigure(size[1], 2), placeFigure(size[2], 2),
                 lengthUnit().symbol, inMillimetres ? "millimetres" : "metres"));
    return true;
}

bool ArmsPage::saveTo(const QString& path)
{
    if (!m_arm) {
        say("The sheet does not give an arm yet: " + text(m_arm.error().line()), true);
        return false;
    }
    DataSheet sheet = m_model->sheet();
    Result<Exported> file = exportArm(**m_arm, {{"home", armHome(**m_arm)}}, path.toStdString());
    if (file && path.endsWith(".topikos-arm")) {
        sheet.id = QFileInfo(path).completeBaseName().toStdString();
        file = Exported{writeSheet(sheet), {}, {}};
    }
    if (!file) {
        say(text(file.error().line()), true);
        return false;
    }
    Status bad = mayWrite(m_session, path);
    if (!bad) bad = saveExported(path.toStdString(), *file);
    if (bad) {
        say(text(bad->line()), true);
        return false;
    }
    if (path.endsWith(".topikos-arm")) m_model->markKept();
    QString words = "Saved " + QFileInfo(path).fileName();
    for (const std::string& lost : file->lost)
        words += ". " + text(lost).chopped(1);
    say(words);
    return true;
}

void ArmsPage::useInCell()
{
    if (!m_arm) return;
    ArmPtr arm = *m_arm;
    const ArmPtr known = catalogueArm(m_model->sheet().id);
    DataSheet sheet = m_model->sheet();
    if (known && writeSheet(sheetOf(known->description())) == writeSheet(sheet)) {
        arm = known;
    } else {
        if (known || sheet.id.empty() || sheet.id.find('/') != std::string::npos)
            sheet.id = idFrom(text(sheet.name)).toStdString();
        const Result<ArmPtr> own = armOf(sheet);
        if (!own) return say(text(own.error().line()), true);
        arm = *own;
    }
    const QString name = text(arm->description().name);
    if (!m_session.edit("Use " + name,
                        [&](const Cell& cell) { return setArmModel(cell, m_session.station().id, arm); }))
        return;
    m_model->markKept();
    m_session.say("The arm is now the " + name);
    Q_EMIT leaveRequested();
}

}  // namespace topikos
