#include "app/instruments/properties.h"

#include "app/instruments/choices.h"
#include "app/instruments/number_field.h"
#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/edit_support.h"
#include "core/cell/furniture.h"
#include "core/shape/mass.h"
#include "core/shape/mesh.h"

#include <QColorDialog>
#include <QLineEdit>
#include <QRegularExpression>

#include <tuple>

/// Properties of what stands in the cell: frames, parts, tools, patterns and their shapes.
namespace topikos {

namespace {

/// Corners as they are typed: "0 0; 100 0; 100 50" in mm.
QString outlineText(const std::vector<Eigen::Vector2d>& outline)
{
    QStringList corners;
    for (const Eigen::Vector2d& p : outline)
        corners << QString("%1 %2").arg(millimetres(p[0])).arg(millimetres(p[1]));
    return corners.join("; ");
}

std::optional<std::vector<Eigen::Vector2d>> outlineOf(const QString& words)
{
    std::vector<Eigen::Vector2d> out;
    for (const QString& corner : words.split(';', Qt::SkipEmptyParts)) {
        const QStringList values = corner.simplified().split(' ');
        if (values.size() != 2) return std::nullopt;
        const auto x = numberOf(values[0].toStdString()), y = numberOf(values[1].toStdString());
        if (!x || !y) return std::nullopt;
        out.push_back({*x * kMillimetre, *y * kMillimetre});
    }
    return out;
}

}  // namespace

void Properties::showFrame(const Frame& frame)
{
    const FrameId id = frame.id;
    const Cell& cell = m_session.cell();
    m_title->setText(frame.device ? "Device" : frame.axis ? "Axis of a device" : "Frame");
    addName(frame.name, [=, this](const std::string& name) {
        edit("Rename frame", [=](const Cell& c) { return renameFrame(c, id, name); });
    });
    if (frame.device) addDevice(frame);
    if (const auto furniture = furnitureOf(frame.solids)) {
        m_title->setText("Frame of a " + QString(furnitureWord(furniture->kind)));
        const std::tuple<const char*, const char*, double Furniture::*> lengths[] = {
            {"Width", "furnitureWidth", &Furniture::width},
            {"Depth", "furnitureDepth", &Furniture::depth},
            {"Height", "furnitureHeight", &Furniture::height}};
        for (const auto& [label, name, length] : lengths)
            addNumber(label, name, millimetres((*furniture).*length), "mm", 100, millimetres(limits::kSize.most), 1,
                      [=, this, which = length](double v) {
                          Furniture next = *furniture;
                          next.*which = v * kMillimetre;
                          edit("Size of " + text(frame.name),
                               [=](const Cell& c) { return resizeFurniture(c, id, next); });
                      });
    }
    if (frame.axis) {
        addAxis(frame);
        addButtons({{"Go to the device", "toDevice", "The device that this axis belongs to",
                     [=, this] { m_session.select(deviceOfAxis(m_session.cell(), id)); }}});
    }
    if (frame.device || frame.axis) addHead("Place");
    const auto frames = framesOf(cell, frame.parent, id);
    if (!frame.axis)
        addChoice("Seen from", "frameParent", frames.names, frames.current, [=, this](int i) {
            edit("New parent for " + text(frame.name),
                 [=](const Cell& c) { return setFrameParent(c, id, frames.ids[size_t(i)]); });
        });
    const bool built = cell.asBuilt && frame.measured;
    if (frame.measured) addHead(built ? "As built (in force)" : "As drawn (in force)");
    addPose(placeInForce(cell, frame), [=, this](const Pose& pose) {
        edit("Move " + text(frame.name), [=](const Cell& c) { return setFramePose(c, id, pose); });
    });
    if (frame.measured) {
        const PoseDeviation off = deviation(frame.pose, *frame.measured);
        const Vec3 shift = frame.measured->translation - frame.pose.translation;
        addText("Off by", QString("%1 %2 (X %3  Y %4  Z %5), turned %6")
                              .arg(placeFigure(off.metres), lengthUnit().symbol, placeFigure(shift[0]),
                                   placeFigure(shift[1]), placeFigure(shift[2]), degreeText(off.radians, 3)));
    }
    std::vector<Button> buttons{
        {"Three points", "teachFrame",
         "Place this frame by touching its origin, its x axis and its xy plane with the TCP",
         [this] { Q_EMIT teachRequested(TeachPanel::Kind::Frame); }},
        {frame.measured ? "Measure anew" : "As built …", "teachBuilt",
         "Enter where three points of the drawing were measured; targets and parts in it follow",
         [this] { Q_EMIT teachRequested(TeachPanel::Kind::AsBuilt); }}};
    if (frame.measured)
        buttons.push_back({"Forget", "forgetBuilt", "Take the measurement away; the frame stands as drawn", [=, this] {
                               edit("Forget measurement",
                                    [=](const Cell& c) { return setFrameMeasured(c, id, std::nullopt); });
                           }});
    else
        buttons.push_back(
            {"Type as built", "typeBuilt", "Start a measurement equal to the drawn place, to be typed in", [=, this] {
                 edit("Measure " + text(frame.name),
                      [=](const Cell& c) { return setFrameMeasured(c, id, frame.pose); });
             }});
    addButtons(buttons);
    if (m_session.station().mount != id)
        addButtons({{"Put the arm here", "mountHere", "The arm in hand stands on this frame from now on",
                     [=, this] { mountArmHere(m_session); }}});
    addLook(frame.look);
    addSolids(frame.solids, [=, this](const std::vector<Solid>& solids, const QString& label) {
        edit(label, [=](const Cell& c) { return setFrameSolids(c, id, solids); });
    });
}

void Properties::addLook(const Look& look)
{
    addButtons(
        {{look.hidden ? "Show" : "Hide", "lookHide", "Hidden things are not drawn; they still count in checks",
          [this] { hideSelected(m_session); }},
         {look.locked ? "Unlock" : "Lock", "lookLock", "Locked things cannot be picked or dragged in the view",
          [this] { lockSelected(m_session); }},
         {"Alone", "lookAlone", "Show only this frame and what is in it", [this] { isolateSelected(m_session); }}});
}

void Properties::showPart(const Part& part)
{
    const PartId id = part.id;
    const Cell& cell = m_session.cell();
    const PartKind kind = *findPartKind(cell, part.kind);
    m_title->setText("Part");
    addName(part.name, [=, this](const std::string& name) {
        edit("Rename part", [=](const Cell& c) { return renamePart(c, id, name); });
    });
    if (const Pattern* pattern = findPattern(cell, part.pattern)) {
        addText("Pattern", QString("%1, place %2").arg(text(pattern->name)).arg(part.place + 1));
        addButtons({{"Go to the pattern", "toPattern", "Places of a pattern are changed all together",
                     [this, p = part.pattern] { m_session.select(p); }}});
    } else {
        const auto frames = framesOf(cell, part.frame);
        addChoice("Lies in", "partFrame", frames.names, frames.current, [=, this](int i) {
            edit("New frame for " + text(part.name),
                 [=](const Cell& c) { return setPartFrame(c, id, frames.ids[size_t(i)]); });
        });
        Choices<PartKindId> kinds;
        for (const PartKind& k : cell.partKinds)
            kinds.add(k.name, k.id, part.kind);
        addChoice("Kind", "partKind", kinds.names, kinds.current, [=, this](int i) {
            edit("New kind for " + text(part.name),
                 [=](const Cell& c) { return setPartKind(c, id, kinds.ids[size_t(i)]); });
        });
        addPose(part.pose, [=, this](const Pose& pose) {
            edit("Move " + text(part.name), [=](const Cell& c) { return setPartPose(c, id, pose); });
        });
    }
    addLook(part.look);
    const auto count =
        std::count_if(cell.parts.begin(), cell.parts.end(), [&](const Part& p) { return p.kind == kind.id; });
    addHead(count > 1 ? QString("Kind: %1 (%2 parts)").arg(text(kind.name)).arg(count)
                      : QString("Kind: %1").arg(text(kind.name)));
    const auto change = [=, this](const QString& label, auto set) {
        PartKind next = kind;
        set(next);
        edit(label, [=](const Cell& c) { return changePartKind(c, next); });
    };
    addMass(kind.mass, kind.solids, [=](const Inertial& body) {
        change("Mass of " + text(kind.name), [&](PartKind& k) { k.mass = body.mass; });
    });
    addSolids(kind.solids, [=](const std::vector<Solid>& solids, const QString& label) {
        change(label, [&](PartKind& k) { k.solids = solids; });
    });
}

void Properties::addMass(double mass, const std::vector<Solid>& solids, std::function<void(const Inertial&)> apply)
{
    addNumber(
        "Mass", "mass", mass, "kg", limits::kMass, 1, 3,
        [=](double kg) {
            Inertial body = inertialOf(solids, 1);
            const double scale = body.mass > 0 ? kg / body.mass : 0;
            body.mass = kg;
            body.inertia *= scale;
            apply(body);
        },
        true);
    addNumber(
        "Density", "density", m_density, "kg/m³", 0.1, 30000, 0,
        [=, this](double density) {
            if (!m_trying) m_density = density;
            apply(inertialOf(solids, density));
        },
        true);
    double volume = 0;
    for (const Solid& solid : solids)
        volume += bulkOf(solid).volume;
    addText("Volume", QString("%1 cm³; typing a density gives the mass").arg(volume * 1e6, 0, 'f', 1));
}

void Properties::showTool(const Tool& tool)
{
    const ToolId id = tool.id;
    m_title->setText(m_session.station().tool == id ? "Tool (in force)" : "Tool");
    addName(tool.name, [=, this](const std::string& name) {
        edit("Rename tool", [=](const Cell& c) { return renameTool(c, id, name); });
    });
    const auto change = [=, this](const QString& label, auto set) {
        Tool next = tool;
        set(next);
        edit(label, [=](const Cell& c) { return changeTool(c, next); });
    };
    addNumber("Number", "toolNumber", tool.number, "", 0, 1e6, 0,
              [=](double v) { change("Number of " + text(tool.name), [&](Tool& t) { t.number = std::uint32_t(v); }); });
    if (m_session.station().tool != id)
        addButtons({{"Put in force", "toolInForce", "The arm carries this tool from now on",
                     [this] { putToolInForce(m_session); }}});

    QStringList points{"TCP"};
    for (const ToolPoint& p : tool.points)
        points << text(p.name);
    m_point = std::min(m_point, tool.points.size());
    addChoice("Point", "toolPoint", points, int(m_point), [this](int i) {
        m_point = size_t(i);
        rebuild();
    });
    const TcpId tcp = m_point ? tool.points[m_point - 1].id : TcpId{};
    addPose(flangeFromTcp(tool, tcp), [=, this](const Pose& pose) {
        edit("Move TCP of " + text(tool.name), [=](const Cell& c) { return setToolTcp(c, id, pose, tcp); });
    });
    std::vector<Button> buttons{{"Four points", "teachTcp",
                                 "Find the TCP by bringing it to one place in four or more orientations",
                                 [this] { Q_EMIT teachRequested(TeachPanel::Kind::Tcp); }},
                                {"Add point", "addPoint", "A further TCP of this tool", [=, this] {
                                     const std::string name = freeNameIn(tool.points, "Point");
                                     m_point = tool.points.size() + 1;
                                     edit("Add a point to " + text(tool.name),
                                          [=](const Cell& c) { return addToolPoint(c, id, name, tool.flangeFromTcp); });
                                 }}};
    if (m_session.station().tool == id && m_session.station().tcp != tcp)
        buttons.push_back(
            {"Use it", "usePoint", "Poses are read and targets are taken at this point from now on", [=, this] {
                 edit("Use another point",
                      [=, arm = m_session.station().id](const Cell& c) { return setToolInForce(c, arm, id, tcp); });
             }});
    if (m_point)
        buttons.push_back({"Remove", "removePoint", "Refused while targets use it", [=, this] {
                               change("Remove a point", [&](Tool& t) {
                                   std::erase_if(t.points, [&](const ToolPoint& p) { return p.id == tcp; });
                               });
                           }});
    addButtons(buttons);

    addHead("Gripper");
    const Gripper g = tool.gripper;
    const auto grip = [=](auto set) { change("Change gripper", [&](Tool& t) { set(t.gripper); }); };
    addChoice("Kind", "gripperKind", {"parallel jaws", "angular jaws", "vacuum"}, int(g.kind),
              [=](int kind) { grip([&](Gripper& n) { n.kind = Gripper::Kind(kind); }); });
    if (g.kind != Gripper::Kind::Vacuum) {
        addNumber(
            "Open", "gripperOpen", millimetres(g.open), "mm", limits::kJaw, kMillimetre, 1,
            [=](double v) { grip([&](Gripper& n) { n.open = v * kMillimetre; }); }, true);
        addNumber(
            "Closed", "gripperClosed", millimetres(g.closed), "mm", limits::kJaw, kMillimetre, 1,
            [=](double v) { grip([&](Gripper& n) { n.closed = v * kMillimetre; }); }, true);
    }
    if (g.kind == Gripper::Kind::Angular)
        addNumber("Pivot", "gripperPivot", millimetres(g.pivot), "mm", limits::kPivot, kMillimetre, 1,
                  [=](double v) { grip([&](Gripper& n) { n.pivot = v * kMillimetre; }); });
    addNumber("Time", "gripperTime", g.time, "s", limits::kGripTime, 1, 2,
              [=](double v) { grip([&](Gripper& n) { n.time = v; }); });
    const bool box = !g.region.isZero();
    addChoice("Grips in", "gripRegion", {"a ball about the TCP", "a box about the TCP"}, box, [=](int i) {
        grip([&](Gripper& n) { n.region = i ? Vec3::Constant(2 * std::max(0.005, n.grasp)) : Vec3(Vec3::Zero()); });
    });
    if (!box)
        addNumber("Radius", "grasp", millimetres(g.grasp), "mm", limits::kJaw, kMillimetre, 1,
                  [=](double v) { grip([&](Gripper& n) { n.grasp = v * kMillimetre; }); });
    static const char* axes[] = {"X", "Y", "Z"};
    for (int i = 0; i < 3 && box; ++i)
        addNumber(axes[i], QString("region%1").arg(i), millimetres(g.region[i]), "mm", 0.1,
                  millimetres(limits::kJaw.most), 1,
                  [=](double v) { grip([&](Gripper& n) { n.region[i] = v * kMillimetre; }); });

    addHead("Load: from the flange");
    std::vector<Solid> all = tool.body;
    for (Solid solid : tool.jaw) {
        solid.pose = tool.flangeFromTcp * solid.pose;
        all.push_back(solid);
    }
    addMass(tool.mass, all, [=](const Inertial& body) {
        change("Load of " + text(tool.name), [&](Tool& t) {
            t.mass = body.mass;
            t.centreOfMass = body.centre;
            t.inertia = body.inertia.diagonal();
        });
    });
    for (int i = 0; i < 3; ++i)
        addNumber(QString("C%1").arg(axes[i]), QString("centre%1").arg(i), millimetres(tool.centreOfMass[i]), "mm",
                  -millimetres(limits::kJaw.most), millimetres(limits::kJaw.most), 1,
                  [=](double v) { change("Centre of mass", [&](Tool& t) { t.centreOfMass[i] = v * kMillimetre; }); });
    for (int i = 0; i < 3; ++i)
        addNumber(
            QString("I%1").arg(axes[i]), QString("inertia%1").arg(i), tool.inertia[i], "kg m²", limits::kInertia, 1, 5,
            [=](double v) { change("Inertia", [&](Tool& t) { t.inertia[i] = v; }); }, true);
    addSolids(tool.body, [=](const std::vector<Solid>& solids, const QString& label) {
        change(label, [&](Tool& t) { t.body = solids; });
    });
}

void Properties::showPattern(const Pattern& pattern)
{
    const Cell& cell = m_session.cell();
    const PatternId id = pattern.id;
    const bool targets = pattern.content == Pattern::Content::Targets, ring = pattern.layout == Pattern::Layout::Ring;
    m_title->setText(
        QString("Pattern of %1 %2").arg(membersOf(cell, pattern).size()).arg(targets ? "targets" : "parts"));
    addName(pattern.name, [=, this](const std::string& name) {
        edit("Rename pattern", [=](const Cell& c) { return renamePattern(c, id, name); });
    });
    const auto change = [=, this](auto set) {
        Pattern next = pattern;
        set(next);
        edit("Change " + text(pattern.name), [=](const Cell& c) { return changePattern(c, next); });
    };
    const auto frames = framesOf(cell, pattern.frame);
    addChoice("In", "patternFrame", frames.names, frames.current,
              [=](int i) { change([&](Pattern& p) { p.frame = frames.ids[size_t(i)]; }); });
    if (!targets) {
        Choices<PartKindId> kinds;
        for (const PartKind& k : cell.partKinds)
            kinds.add(k.name, k.id, pattern.kind);
        addChoice("Kind", "patternKind", kinds.names, kinds.current,
                  [=](int i) { change([&](Pattern& p) { p.kind = kinds.ids[size_t(i)]; }); });
    }
    addChoice("Layout", "patternLayout", {"rows and columns", "ring"}, ring,
              [=](int i) { change([&](Pattern& p) { p.layout = Pattern::Layout(i); }); });
    const auto count = [&](const QString& label, const QString& name, std::uint32_t Pattern::*value) {
        addNumber(label, name, pattern.*value, "", limits::kPlaces, 1, 0,
                  [=](double v) { change([&](Pattern& p) { p.*value = std::uint32_t(v); }); });
    };
    const auto pitch = [&](const QString& label, int axis) {
        addNumber(
            label, QString("patternPitch%1").arg(axis), millimetres(pattern.pitch[axis]), "mm", limits::kPitch,
            kMillimetre, 2, [=](double v) { change([&](Pattern& p) { p.pitch[axis] = v * kMillimetre; }); }, true);
    };
    count(ring ? "Places" : "Columns", "patternColumns", &Pattern::columns);
    if (!ring) count("Rows", "patternRows", &Pattern::rows);
    count("Layers", "patternLayers", &Pattern::layers);
    if (ring)
        addNumber(
            "Over", "patternSweep", degrees(pattern.sweep), "°", -360, 360, 2,
            [=](double v) { change([&](Pattern& p) { p.sweep = v * kDegree; }); }, true);
    pitch(ring ? "Radius" : "Pitch X", 0);
    if (!ring) pitch("Pitch Y", 1);
    if (pattern.layers > 1) pitch("Pitch Z", 2);
    if (!ring)
        addNumber("Stagger", "patternStagger", pattern.stagger * 100, "%", 0, 99.9, 1,
                  [=](double v) { change([&](Pattern& p) { p.stagger = v / 100; }); });
    addChoice("Order", "patternOrder", {"row by row", "serpentine", "nearest next"}, int(pattern.order),
              [=](int i) { change([&](Pattern& p) { p.order = Pattern::Order(i); }); });
    auto* left = new QLineEdit(this);
    left->setObjectName("patternLeftOut");
    QStringList numbers;
    for (const std::uint32_t place : pattern.leftOut)
        numbers << QString::number(place + 1);
    left->setText(numbers.join(", "));
    left->setPlaceholderText("none");
    left->setToolTip("Places that stay empty, counted along x, then y, then z: 3, 7");
    connect(left, &QLineEdit::editingFinished, this, [=, this, before = left->text()] {
        if (left->text() == before) return;
        std::vector<std::uint32_t> places;
        for (const QString& word : left->text().split(QRegularExpression("[,; ]+"), Qt::SkipEmptyParts)) {
            bool good = false;
            const uint number = word.toUInt(&good);
            if (!good || number < 1)
                return m_session.say(QString("\"%1\" is not a place; type numbers from 1, with commas.").arg(word),
                                     true);
            places.push_back(number - 1);
        }
        change([&](Pattern& p) { p.leftOut = places; });
    });
    addField("Left out", left, true);
    addHead(ring ? "Centre" : "First place");
    addPose(pattern.first, [=](const Pose& pose) { change([&](Pattern& p) { p.first = pose; }); });
    addButtons({{"Take apart", "dissolvePattern", "The parts or targets stay, each on its own",
                 [=, this] {
                     edit("Take " + text(pattern.name) + " apart",
                          [=](const Cell& c) { return deletePattern(c, id, true); });
                 }},
                {"Delete", "deletePattern", "With its parts or targets", [this] { deleteSelected(m_session); }}});
}

void Properties::addSolids(const std::vector<Solid>& solids,
                           std::function<void(const std::vector<Solid>&, const QString&)> apply)
{
    addHead(QString("Shapes: %1").arg(solids.size()));
    static const QStringList kinds{"box",           "cylinder",           "cone", "sphere", "outline, drawn up",
                                   "frame profile", "surface from a file"};
    m_shape = solids.empty() ? 0 : std::min(m_shape, solids.size() - 1);
    const size_t at = m_shape;
    const auto change = [=](auto set) {
        std::vector<Solid> next = solids;
        set(next[at]);
        apply(next, "Change shape");
    };
    if (!solids.empty()) {
        const Solid& s = solids[at];
        QStringList names;
        for (size_t i = 0; i < solids.size(); ++i)
            names << QString("%1  %2").arg(i + 1).arg(kinds[int(solids[i].kind)]);
        addChoice("Shape", "shapeIndex", names, int(at), [this](int i) {
            m_shape = size_t(i);
            rebuild();
        });
        if (s.kind == Solid::Kind::Mesh) {
            addText("Surface", QString("%1 triangles; %2 in the lighter copy")
                                   .arg(s.surface.drawn->faces.size())
                                   .arg(s.surface.light->faces.size()));
        } else {
            addChoice("Kind", "shapeKind", kinds.mid(0, 6), int(s.kind), [=](int kind) {
                change([&](Solid& n) {
                    n.kind = Solid::Kind(kind);
                    if (n.kind == Solid::Kind::Extrusion && n.outline.empty()) {
                        const double x = 0.5 * n.size[0], y = 0.5 * n.size[1];
                        n.outline = {{-x, -y}, {x, -y}, {x, y}, {-x, y}};
                    }
                    if (n.kind == Solid::Kind::Cylinder) n.size[1] = n.size[0];
                    if (n.kind == Solid::Kind::Sphere) n.size = Vec3::Constant(n.size[0]);
                });
            });
            static const char* labels[6][3] = {{"Size X", "Size Y", "Size Z"}, {"Diameter", nullptr, "Height"},
                                               {"Below", "Above", "Height"},   {"Diameter", nullptr, nullptr},
                                               {nullptr, nullptr, "Height"},   {"Width", "Depth", "Length"}};
            for (int i = 0; i < 3; ++i)
                if (const char* label = labels[int(s.kind)][i])
                    addNumber(
                        label, QString("shapeSize%1").arg(i), millimetres(s.size[i]), "mm",
                        s.kind == Solid::Kind::Cone && i == 1 ? 0 : millimetres(limits::kSize.least),
                        millimetres(limits::kSize.most), 3,
                        [=](double v) {
                            change([&](Solid& n) {
                                n.size[i] = v * kMillimetre;
                                if (n.kind == Solid::Kind::Cylinder && i == 0) n.size[1] = n.size[0];
                                if (n.kind == Solid::Kind::Sphere) n.size = Vec3::Constant(v * kMillimetre);
                            });
                        },
                        true);
            if (s.kind == Solid::Kind::Extrusion) {
                auto* corners = new QLineEdit(outlineText(s.outline), this);
                corners->setObjectName("shapeOutline");
                corners->setToolTip("Corners in mm: x y; x y; x y");
                connect(corners, &QLineEdit::editingFinished, this, [=, this, before = corners->text()] {
                    if (corners->text() == before) return;
                    const auto outline = outlineOf(corners->text());
                    if (!outline)
                        return m_session.say("Type the corners as pairs of numbers: 0 0; 100 0; 100 50.", true);
                    change([&](Solid& n) { n.outline = *outline; });
                });
                addField("Corners", corners, true);
            }
        }
        addPose(
            s.pose, [=](const Pose& pose) { change([&](Solid& n) { n.pose = pose; }); }, "shape");
    }
    std::vector<Button> buttons{{"Add shape", "addShape", "One more shape, a box at first",
                                 [=, this] {
                                     std::vector<Solid> next = solids;
                                     next.push_back(Solid{});
                                     m_shape = next.size() - 1;
                                     apply(next, "Add shape");
                                 }},
                                {"From file …", "shapeFile", "A surface from STL, OBJ, PLY, DAE or glTF",
                                 [this] { Q_EMIT shapeFileRequested(); }}};
    if (!solids.empty()) {
        buttons.push_back({"Colour …", "shapeColor", "Colour of this shape", [=, this] {
                               const Color& c = solids[at].color;
                               const QColor chosen =
                                   QColorDialog::getColor(QColor(c.red, c.green, c.blue), this, "Colour of the shape");
                               if (chosen.isValid())
                                   change([&](Solid& n) {
                                       n.color = {std::uint8_t(chosen.red()), std::uint8_t(chosen.green()),
                                                  std::uint8_t(chosen.blue())};
                                   });
                           }});
        buttons.push_back({"Remove", "removeShape", "Take this shape away", [=] {
                               std::vector<Solid> next = solids;
                               next.erase(next.begin() + std::ptrdiff_t(at));
                               apply(next, "Remove shape");
                           }});
    }
    addButtons(buttons);
}

}  // namespace topikos
