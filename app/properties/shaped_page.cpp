#include "app/properties/shaped_page.h"

#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "core/shape/mass.h"
#include "core/shape/mesh.h"

#include <QColorDialog>

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

void ShapedPage::addLook(const Look& look)
{
    addButtons(
        {{look.hidden ? "Show" : "Hide", "lookHide", "Hidden things are not drawn; they still count in checks",
          [this] { hideSelected(m_session); }},
         {look.locked ? "Unlock" : "Lock", "lookLock", "Locked things cannot be picked or dragged in the view",
          [this] { lockSelected(m_session); }},
         {"Alone", "lookAlone", "Show only this frame and what is in it", [this] { isolateSelected(m_session); }}});
}

void ShapedPage::addSolids(const std::vector<Solid>& solids,
                           std::function<void(const std::vector<Solid>&, const QString&)> apply, const QString& prefix)
{
    addHead(QString("Shapes: %1").arg(solids.size()), prefix);
    static const QStringList kinds{"box",           "cylinder",           "cone", "sphere", "outline, drawn up",
                                   "frame profile", "surface from a file"};
    size_t& shown = m_shapes[prefix];
    shown = solids.empty() ? 0 : std::min(shown, solids.size() - 1);
    const size_t at = shown;
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
        addChoice("Shape", prefix + "Index", names, int(at), [=, this](int i) {
            m_shapes[prefix] = size_t(i);
            refresh();
        });
        if (s.kind == Solid::Kind::Mesh) {
            addText("Surface", QString("%1 triangles; %2 in the lighter copy")
                                   .arg(s.surface.drawn->faces.size())
                                   .arg(s.surface.light->faces.size()));
        } else {
            addChoice("Kind", prefix + "Kind", kinds.mid(0, 6), int(s.kind), [=](int kind) {
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
                        label, prefix + QString("Size%1").arg(i), millimetres(s.size[i]), "mm",
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
                addLine("Corners", prefix + "Outline", outlineText(s.outline), "Corners in mm: x y; x y; x y",
                        [=, this](const QString& typed) {
                            const auto outline = outlineOf(typed);
                            if (outline) change([&](Solid& n) { n.outline = *outline; });
                            else m_session.say("Type the corners as pairs of numbers: 0 0; 100 0; 100 50.", true);
                            return true;
                        });
            }
        }
        addPose(
            s.pose, [=](const Pose& pose) { change([&](Solid& n) { n.pose = pose; }); }, prefix);
    }
    std::vector<Button> buttons{{"Add shape", prefix + "Add", "One more shape, a box at first", [=, this] {
                                     std::vector<Solid> next = solids;
                                     next.push_back(Solid{});
                                     m_shapes[prefix] = next.size() - 1;
                                     apply(next, "Add shape");
                                 }}};
    // A file goes into what is selected.
    if (prefix == "shape")
        buttons.push_back({"From file …", "shapeFile", "A surface from STL, OBJ, PLY, DAE or glTF",
                           [this] { Q_EMIT shapeFileRequested(); }});
    if (!solids.empty()) {
        buttons.push_back({"Colour …", prefix + "Color", "Colour of this shape", [=, this] {
                               const Color& c = solids[at].color;
                               const QColor chosen =
                                   QColorDialog::getColor(QColor(c.red, c.green, c.blue), this, "Colour of the shape");
                               if (chosen.isValid())
                                   change([&](Solid& n) {
                                       n.color = {std::uint8_t(chosen.red()), std::uint8_t(chosen.green()),
                                                  std::uint8_t(chosen.blue())};
                                   });
                           }});
        buttons.push_back({"Remove", prefix + "Remove", "Take this shape away", [=] {
                               std::vector<Solid> next = solids;
                               next.erase(next.begin() + std::ptrdiff_t(at));
                               apply(next, "Remove shape");
                           }});
    }
    addButtons(buttons);
}

void ShapedPage::addKind(const PartKind& kind, const QString& prefix)
{
    const auto change = [=, this](const QString& label, auto set) {
        PartKind next = kind;
        set(next);
        edit(label, [=](const Cell& c) { return changePartKind(c, next); });
    };
    addMass(kind.mass, kind.solids, [=](const Inertial& body) {
        change("Mass of " + text(kind.name), [&](PartKind& k) { k.mass = body.mass; });
    });
    addSolids(
        kind.solids,
        [=](const std::vector<Solid>& solids, const QString& label) {
            change(label, [&](PartKind& k) { k.solids = solids; });
        },
        prefix);
}

void ShapedPage::addMass(double mass, const std::vector<Solid>& solids, std::function<void(const Inertial&)> apply)
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
        "Density", "density", m_density, "kg/m³", limits::kDensity, 1, 0,
        [=, this](double density) {
            if (!trying()) m_density = density;
            apply(inertialOf(solids, density));
        },
        true);
    double volume = 0;
    for (const Solid& solid : solids)
        volume += bulkOf(solid).volume;
    addText("Volume", QString("%1 cm³; typing a density gives the mass").arg(volume * 1e6, 0, 'f', 1));
}

}  // namespace topikos
