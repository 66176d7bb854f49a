#include "app/layout/mesh_import.h"

#include "app/background/beside.h"
#include "app/session/text.h"
#include "core/cell/edit_support.h"
#include "core/shape/mesh_file.h"
#include "core/shape/reduce.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>

namespace topikos {

namespace {

constexpr DisplayUnit kFileUnits[] = {{"mm", 1e-3, 1}, {"cm", 1e-2, 2}, {"m", 1, 4}, {"in", 0.0254, 3}};

Eigen::AlignedBox3f boxOf(const Triangles& triangles)
{
    Eigen::AlignedBox3f box;
    for (const Eigen::Vector3f& p : triangles.points)
        box.extend(p);
    return box;
}

}  // namespace

Result<ReadSurface> readSurface(const QString& path, const std::function<bool()>& keepOn)
{
    Result<Triangles> triangles = readMeshFile(path.toStdString(), Vec3::Ones(), keepOn);
    if (!triangles) return triangles.error();
    ReadSurface out;
    out.triangles = std::move(triangles).value();
    out.path = path;
    out.turned = repairNormals(out.triangles);
    const float size = boxOf(out.triangles).sizes().maxCoeff();
    const QString ending = QFileInfo(path).suffix().toLower();
    const bool transmission = ending == "gltf" || ending == "glb";
    // glTF is in metres by its standard; others are taken for millimetres unless that would be tiny.
    out.unit = transmission || ending == "dae" ? 1 : size > 10 ? 1e-3 : 1;
    out.yUp = transmission || ending == "dae";
    return out;
}

Solid solidOf(const ReadSurface& read, double unit, bool yUp)
{
    const auto settled = [&](Triangles triangles) {
        for (Eigen::Vector3f& p : triangles.points) {
            if (yUp) p = Eigen::Vector3f(p[0], -p[2], p[1]);
            p *= float(unit);
        }
        return std::make_shared<const Triangles>(std::move(triangles));
    };
    Solid solid;
    solid.kind = Solid::Kind::Mesh;
    solid.surface.drawn = settled(read.triangles);
    solid.surface.light = read.light ? settled(*read.light) : solid.surface.drawn;
    const auto& color = read.triangles.color;
    solid.color = {color[0], color[1], color[2]};
    return solid;
}

SurfaceDialog::SurfaceDialog(const ReadSurface& read, const Session& session, QWidget* parent) :
    QDialog(parent), m_read(read)
{
    setWindowTitle("Surface from " + QFileInfo(read.path).fileName());
    setObjectName("surfaceDialog");
    auto* form = new QFormLayout(this);
    form->addRow("Triangles",
                 new QLabel(QLocale::c().toString(qlonglong(read.triangles.faces.size()))
                                + (read.turned ? QString(" · %1 turned to face outwards").arg(read.turned) : QString()),
                            this));
    m_unit = new QComboBox(this);
    m_unit->setObjectName("surfaceUnit");
    for (const DisplayUnit& unit : kFileUnits) {
        m_unit->addItem(unit.symbol, unit.size);
        if (unit.size == read.unit) m_unit->setCurrentIndex(m_unit->count() - 1);
    }
    form->addRow("One unit of the file is", m_unit);
    m_up = new QComboBox(this);
    m_up->setObjectName("surfaceUp");
    m_up->addItems({"Z points up", "Y points up"});
    m_up->setCurrentIndex(read.yUp);
    form->addRow("In the file", m_up);
    m_goal = new QComboBox(this);
    m_goal->setObjectName("surfaceGoal");
    const auto offer = [this](const QString& words, const SurfaceGoal& goal) {
        m_goal->addItem(words);
        m_goals.push_back(goal);
    };
    const Cell& cell = session.cell();
    if (const Part* part = findPart(cell, session.selected<PartId>()))
        offer("the kind of " + text(part->name) + ", as one more shape", part->id);
    if (const Frame* frame = findFrame(cell, session.selected<FrameId>()))
        offer(text(frame->name) + ", as one more shape", frame->id);
    const ToolId chosen = session.selected<ToolId>();
    if (chosen) offer(text(findTool(cell, chosen)->name) + ", as one more shape", chosen);
    offer("a new part", NewPart());
    offer("a new fixture, a frame of its own", NewFixture());
    for (const Tool& tool : cell.tools)
        if (tool.id != chosen) offer("the tool " + text(tool.name) + ", from its flange", tool.id);
    const ArmStation& arm = session.station();
    for (int i = 0; i <= arm.model->jointCount(); ++i)
        offer(i == 0 ? "the base of the arm" : QString("link %1 of the arm").arg(i), ArmLink{arm.id, i});
    m_goal->setToolTip("Surfaces of links are drawn as seen from the base of the arm, in the posture of its drawing");
    form->addRow("Goes to", m_goal);
    m_size = new QLabel(this);
    m_size->setObjectName("surfaceSize");
    form->addRow("Size in the cell", m_size);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    buttons->button(QDialogButtonBox::Ok)->setText("Bring in");
    for (QAbstractButton* b : buttons->buttons())
        b->setIcon({});
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
    for (QComboBox* box : {m_unit, m_up})
        connect(box, &QComboBox::currentIndexChanged, this, &SurfaceDialog::showSize);
    showSize();
}

double SurfaceDialog::unit() const { return m_unit->currentData().toDouble(); }
bool SurfaceDialog::yUp() const { return m_up->currentIndex() == 1; }

SurfaceGoal SurfaceDialog::goal() const { return m_goals[size_t(m_goal->currentIndex())]; }

void SurfaceDialog::showSize()
{
    Vec3 size = unit() * boxOf(m_read.triangles).sizes().cast<double>();
    if (yUp()) std::swap(size[1], size[2]);
    const bool odd = size.maxCoeff() > 20 || size.maxCoeff() < 0.002;
    m_size->setText(QString("%1 × %2 × %3 %4%5")
                        .arg(placeFigure(size[0], 1), placeFigure(size[1], 1), placeFigure(size[2], 1),
                             lengthUnit().symbol, odd ? " · is the unit right?" : ""));
}

namespace {

struct PutThere {
    const Cell& cell;
    const Solid& solid;
    const std::string& name;
    Selection& made;  ///< what is new

    std::vector<Solid> grown(std::vector<Solid> solids) const
    {
        solids.push_back(solid);
        return solids;
    }
    Result<Cell> operator()(NewPart) const
    {
        PartId created;
        const Result<Cell> next = addPart(cell, freeNameIn(cell.parts, name), {}, {}, &created);
        if (!next) return next;
        made = created;
        PartKind kind = *findPartKind(*next, findPart(*next, created)->kind);
        kind.solids = {solid};
        return changePartKind(*next, kind);
    }
    Result<Cell> operator()(NewFixture) const
    {
        FrameId created;
        const Result<Cell> next = addFrame(cell, freeNameIn(cell.frames, name), {}, {}, &created);
        if (!next) return next;
        made = created;
        return setFrameSolids(*next, created, {solid});
    }
    Result<Cell> operator()(PartId id) const
    {
        PartKind kind = *findPartKind(cell, findPart(cell, id)->kind);
        kind.solids = grown(kind.solids);
        return changePartKind(cell, kind);
    }
    Result<Cell> operator()(FrameId id) const { return setFrameSolids(cell, id, grown(findFrame(cell, id)->solids)); }
    /// A tool's shape drops onto the flange by its own origin.
    Result<Cell> operator()(ToolId id) const
    {
        Tool tool = *findTool(cell, id);
        tool.body = grown(tool.body);
        return changeTool(cell, tool);
    }
    Result<Cell> operator()(ArmLink at) const { return addLinkSurface(cell, at.arm, {at.link, solid.surface.drawn}); }
};

}  // namespace

void bringSurface(Session& session, const QString& path, QWidget* parent)
{
    const auto read = doBeside(session, parent, "Reading " + QFileInfo(path).fileName() + " …",
                               [path](const std::function<bool()>& keepOn) {
                                   Result<ReadSurface> found = readSurface(path, keepOn);
                                   if (!found || found->triangles.faces.size() <= kLightTriangles) return found;
                                   ReadSurface surface = std::move(found).value();
                                   surface.light = reduced(surface.triangles, kLightTriangles);
                                   return Result<ReadSurface>(std::move(surface));
                               });
    if (!read) return;
    if (!*read) return session.say(text(read->error().line()), true);
    SurfaceDialog dialog(**read, session, parent);
    if (dialog.exec() != QDialog::Accepted) return;
    const Solid solid = solidOf(**read, dialog.unit(), dialog.yUp());
    const SurfaceGoal goal = dialog.goal();
    const QString stem = QFileInfo(path).completeBaseName().simplified();
    const std::string name = stem.isEmpty() ? "Surface" : shortened(stem.toStdString(), 50);
    Selection made;
    const bool done = session.edit("Bring in " + stem, [&](const Cell& cell) {
        return std::visit(PutThere{cell, solid, name, made}, goal);
    });
    if (done && made != Selection()) session.select(made);
}

}  // namespace topikos
