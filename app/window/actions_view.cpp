#include "app/fields/number_field.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"

#include <tuple>

/// The commands of the View menu.
namespace topikos {

void MainWindow::buildViewMenu(QMenuBar& bar)
{
    QMenu* view = m_commands.menu(bar, "&View", Commands::When::Always);
    action(view, "Fit all", "Show the whole cell (F in the view)", QKeySequence("Ctrl+F"),
           [this] { m_view->fitAll(); });
    action(view, "Go near the selected thing", "Frames with all that is in them, parts, targets",
           QKeySequence("Ctrl+Shift+E"), [this] {
               if (!m_view->fitSelected())
                   m_session->say("Select something that stands in the cell to go near it.", true);
           });
    const std::tuple<const char*, const char*, Viewport::Direction> looks[] = {
        {"Look from the front", "Ctrl+1", Viewport::Direction::Front},
        {"Look from the left", "Ctrl+2", Viewport::Direction::Left},
        {"Look from above", "Ctrl+3", Viewport::Direction::Top},
        {"Look from the corner", "Ctrl+4", Viewport::Direction::Corner}};
    for (const auto& [words, keys, direction] : looks)
        action(view, words, "Standard view", QKeySequence(keys), [this, d = direction] { m_view->look(d); });
    view->addSeparator();
    action(view, "Cell face", "Frames, tool and parts", QKeySequence("Alt+1"), [this] { m_left->setCurrentIndex(0); });
    action(view, "Route face", "Steps of the routine", QKeySequence("Alt+2"), [this] { m_left->setCurrentIndex(1); });
    action(view, "Targets face", "Targets by frame", QKeySequence("Alt+3"), [this] { m_left->setCurrentIndex(2); });
    action(view, "Properties and back", "The keys go to the properties of what is selected, or back to the list",
           QKeySequence("F4"), [this] { goToProperties(); });
    action(view, "Work in the view", "Give the keys to the view", QKeySequence("Ctrl+E"),
           [this] { m_view->setFocus(); });
    action(view, "Grow the strip and back", "The strip fills the window, or goes back to its place",
           QKeySequence("Ctrl+Shift+G"), [this] { growStrip(); });
    action(view, "Restore layout", "Regions back to their first sizes", QKeySequence("Ctrl+0"),
           [this] { restoreLayout(); });
    buildTrailMenu(*view);
    buildLookMenus(*view);
    view->addSeparator();
    action(view, "Measure", "Distance, angle and parts along the axes between two picks", QKeySequence("Ctrl+Shift+M"),
           [this] { m_view->setMeasuring(!m_view->measuring()); });
    QAction* sheet = action(view, "Show the construction of the inverse",
                            "Shoulder, elbow and wrist of what is selected as a triangle, with both elbows, live", {},
                            [this] { m_view->showConstruction(!m_view->constructionShown()); });
    sheet->setCheckable(true);
    connect(view, &QMenu::aboutToShow, sheet, [this, sheet] { sheet->setChecked(m_view->constructionShown()); });
    static const char* axes[] = {"X", "Y", "Z"};
    QMenu* section = view->addMenu("Cut open");
    for (int i = 0; i < 3; ++i)
        action(section, QString("Cut open across %1").arg(axes[i]),
               "Bodies nearer than the plane are left out; Ctrl and the wheel move it", {},
               [this, i] { m_view->setSection(i); });
    action(section, "Whole again", "No cut", {}, [this] { m_view->setSection(-1); });
    action(view, "Floor plan", "From above, with the distances of the frames on the floor", QKeySequence("Ctrl+5"),
           [this] { m_view->showFloorPlan(!m_view->floorPlanShown()); });
}

void MainWindow::buildTrailMenu(QMenu& view)
{
    QMenu* trail = view.addMenu("Trail of a run");
    using Colour = TrailOptions::Colour;
    const auto setTrail = [this](auto change) {
        TrailOptions options = m_view->trail();
        change(options);
        m_view->setTrail(options);
    };
    for (const auto& [words, tip, colour] :
         {std::tuple("Trail off", "Nothing but the paths of the routine", Colour::Off),
          std::tuple("Trail plain", "Where the TCP has been in the run", Colour::Plain),
          std::tuple("Trail by speed", "The faster the darker", Colour::Speed),
          std::tuple("Trail by margin", "Where a joint is nearer to its range end than the margin asked for",
                     Colour::Margin),
          std::tuple("Trail by step", "Steps in turn", Colour::Step)})
        action(trail, words, tip, {},
               [setTrail, colour = colour] { setTrail([&](TrailOptions& o) { o.colour = colour; }); });
    trail->addSeparator();
    for (const auto& [words, last] :
         {std::pair("Trail of the whole run", 0.0), {"Trail of the last 5 s", 5.0}, {"Trail of the last 20 s", 20.0}})
        action(trail, words, "How far back the trail goes", {},
               [setTrail, last = last] { setTrail([&](TrailOptions& o) { o.last = last; }); });
    trail->addSeparator();
    for (const auto& [words, every] : {std::pair("Tool axes along the trail off", 0.0),
                                       {"Tool axes every 100 ms", 0.1},
                                       {"Tool axes every 500 ms", 0.5}})
        action(trail, words, "The axes of the tool along its trail", {},
               [setTrail, every = every] { setTrail([&](TrailOptions& o) { o.glyphEvery = every; }); });
    trail->addSeparator();
    action(trail, "Trail of the next tool point", "The TCP in force, then the other points of the tool in turn", {},
           [this, setTrail] {
               const Tool& tool = toolInForce(m_session->cell(), m_session->station());
               setTrail([&](TrailOptions& o) {
                   o.point = o.point >= tool.points.size() ? 0 : o.point + 1;
                   m_session->say("The trail is that of "
                                  + (o.point == 0 ? QString("the TCP") : text(tool.points[o.point - 1].name)) + ".");
               });
           });
}

void MainWindow::buildLookMenus(QMenu& view)
{
    action(&view, "Dark or light", "Change between the dark and the light look", QKeySequence("Ctrl+Shift+D"),
           [this] { setLook(!theme().dark, theme().contrast); });
    action(&view, "High contrast", "Black on white, or white on black, with wide frames about what has the keys", {},
           [this] { setLook(theme().dark, !theme().contrast); });
    QMenu* size = view.addMenu("Size of everything");
    for (const int percent : {100, 125, 150, 200})
        action(size, QString("Show everything at %1 %").arg(percent), "From the next start on", {},
               [this, percent] { chooseSize(percent); });

    QMenu* angles = view.addMenu("Angles");
    for (const AngleOrder order :
         {AngleOrder::FixedXyz, AngleOrder::IntrinsicZyx, AngleOrder::IntrinsicZyz, AngleOrder::IntrinsicXyz})
        action(angles, "Show angles as " + angleOrderText(order),
               "Convention in which orientations of this cell are shown and typed", {}, [this, order] {
                   if (order != m_session->cell().angles)
                       m_session->edit("Show angles as " + angleOrderText(order),
                                       [order](const Cell& c) { return setAngles(c, order); });
               });

    QMenu* units = view.addMenu("Units");
    for (int i = 0; i < int(std::size(kLengthUnits)); ++i)
        action(units, QString("Show lengths in %1").arg(kLengthUnits[i].symbol), "Unit of places, shown and typed", {},
               [this, i] { chooseUnits(i, -1), NumberField::showUnits(), Q_EMIT m_session->cellChanged(); });
    for (int i = 0; i < int(std::size(kAngleUnits)); ++i)
        action(units, QString("Show angles in %1").arg(i ? "radians" : "degrees"),
               "Unit of orientations, shown and typed", {},
               [this, i] { chooseUnits(-1, i), NumberField::showUnits(), Q_EMIT m_session->cellChanged(); });
    QMenu* grid = view.addMenu("Grid");
    for (const int step : {10, 50, 100, 250, 1000})
        action(grid, QString("Grid of %1 mm").arg(step), "Distance of the fine lines on the floor", {},
               [this, step] { m_view->setGridStep(step * kMillimetre); });
}

}  // namespace topikos
