// Makes the pictures of docs/screenshots from the shipped examples, in a real window.
#include "app/draw/surface_draw.h"
#include "app/arms/arms_page.h"
#include "app/layout/layout_commands.h"
#include "app/strip/curves_panel.h"
#include "app/strip/cycle_strip.h"
#include "app/strip/place_panel.h"
#include "app/strip/reach_panel.h"
#include "app/strip/remedy_panel.h"
#include "app/theme/theme.h"
#include "app/view/surface.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/cell/arms.h"
#include "core/cell/edit.h"
#include "core/cell/edit_targets.h"
#include "core/program/step_text.h"
#include "core/robot/catalogue.h"

#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QTabWidget>
#include <QTest>
#include <QToolButton>
#include <QTreeWidget>

using namespace topikos;

namespace {

/// Waits until the check is in and the view stands still, then saves the window.
bool shoot(MainWindow& window, const QString& path)
{
    Viewport& view = window.armsShown() ? window.armsPage().view() : window.viewport();
    int last = -1, calm = 0;
    const auto settled = [&] {
        const int frames = view.frameCount();
        const bool known = window.session().checkIsFresh() && window.session().checked()->result.complete;
        calm = known && frames == last ? calm + 1 : 0;
        last = frames;
        return calm >= 8;
    };
    while (!settled())
        QTest::qWait(40);
    const bool written = window.grab().save(path);
    qInfo("%s %s", qPrintable(path), written ? "written" : "could not be written");
    return written;
}

StepId stepAt(const Session& session, size_t i) { return session.routine().steps[i].id; }

}  // namespace

int main(int argc, char** argv)
{
    topikos::chooseOpenGl();
    QApplication app(argc, argv);
    QApplication::setOrganizationName("Topikos");
    QApplication::setApplicationName("topikos-pictures");
    QSettings().clear();
    const QDir folder(argc > 1 ? argv[1] : ".");
    applyTheme(false);
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    if (!QTest::qWaitForWindowExposed(&window)) return 1;
    window.activateWindow();
    Session& session = window.session();
    auto* left = window.findChild<QTabWidget*>("leftPanel");
    auto* bottom = window.findChild<QTabWidget*>("bottomPanel");
    bool good = shoot(window, folder.filePath("start.png"));

    session.select(session.cell().targets.back().id);
    session.setReadingFrame(session.cell().targets.back().frame);
    session.goToTarget(session.cell().targets.back().id);
    good = shoot(window, folder.filePath("target.png")) && good;

    const FrameId rack = session.cell().frames.back().id;
    session.select(rack);
    left->setCurrentIndex(0);
    good = shoot(window, folder.filePath("layout.png")) && good;
    session.select(session.cell().targets.back().id);
    addPatternHere(session);
    session.edit("Pattern", [&](const Cell& c) {
        Pattern p = *findPattern(c, session.selected<PatternId>());
        p.columns = 2;
        p.rows = 4;
        p.pitch = {-0.16, 0.13, 0};
        p.order = Pattern::Order::Serpentine;
        return changePattern(c, p);
    });
    good = shoot(window, folder.filePath("pattern.png")) && good;
    while (session.history().canUndo())
        session.undo();
    session.select({});
    bottom->setCurrentIndex(4);
    window.findChild<QPushButton*>("contactFind")->click();
    while (session.cell().contact.pairs.empty())
        QTest::qWait(20);
    good = shoot(window, folder.filePath("contact.png")) && good;
    session.undo();
    // Where the rack would stand best.
    bottom->setCurrentWidget(window.findChild<QWidget*>("placeFace"));
    auto* frames = window.findChild<QComboBox*>("placeFrame");
    frames->setCurrentText("Drying rack");
    window.findChild<QPushButton*>("placeFind")->click();
    auto* places = window.findChild<PlacePanel*>();
    while (places->searching())
        QTest::qWait(20);
    good = shoot(window, folder.filePath("place.png")) && good;
    // Where the arm reaches at the height of the belt.
    bottom->setCurrentWidget(window.findChild<QWidget*>("reachFace"));
    window.findChild<QDoubleSpinBox*>("reachBox4")->setValue(760);
    window.findChild<QPushButton*>("reachMake")->click();
    auto* reach = window.findChild<ReachPanel*>();
    while (reach->working())
        QTest::qWait(20);
    good = shoot(window, folder.filePath("reach.png")) && good;
    bottom->setCurrentIndex(0);

    auto* rows = qobject_cast<QSplitter*>(bottom->parentWidget());
    const QList<int> sizes = rows->sizes();
    rows->setSizes({sizes[0] - 150, sizes[1] + 150});
    bottom->setCurrentIndex(2);
    session.select(stepAt(session, 2));
    good = shoot(window, folder.filePath("breakdown.png")) && good;
    bottom->setCurrentIndex(3);
    auto* curves = window.findChild<CurvesPanel*>();
    std::vector<Curve> chosen;
    for (const Curve& curve : curvesOf(session.cell()))
        if (curve.kind == Curve::Kind::ToolSpeed || curve.kind == Curve::Kind::JointSpeed
            || curve.kind == Curve::Kind::Wrist)
            chosen.push_back(curve);
    curves->choose(chosen);
    window.findChild<QTreeWidget*>("curvesList")->topLevelItem(1)->setExpanded(true);
    session.scrub(3.2);
    good = shoot(window, folder.filePath("curves.png")) && good;
    session.leaveRun();
    rows->setSizes(sizes);
    bottom->setCurrentIndex(0);

    window.openExample("planted-mistakes");
    while (!session.checkIsFresh())
        QTest::qWait(20);
    bottom->setCurrentIndex(1);
    rows->setSizes({sizes[0] - 90, sizes[1] + 90});
    auto* findings = window.findChild<QListWidget*>("findingsList");
    for (int i = 0; i < findings->count(); ++i)
        if (findings->item(i)->text().contains("Wrist singularity")) findings->setCurrentRow(i);
    auto* remedies = window.findChild<RemedyPanel*>();
    while (window.findChild<QListWidget*>("remediesList")->count() < 3)
        QTest::qWait(20);
    while (remedies->searching())
        QTest::qWait(20);
    good = shoot(window, folder.filePath("finding.png")) && good;
    rows->setSizes(sizes);

    session.leaveRun();
    // One routine that fills a rack: as a list in a run, with the trail of the last seconds, and as text.
    window.openExample("rack-of-24");
    while (!session.checkIsFresh())
        QTest::qWait(20);
    window.viewport().fitAll();
    left->setCurrentIndex(1);
    TrailOptions trail;
    trail.colour = TrailOptions::Colour::Speed;
    trail.last = 12;
    window.viewport().setTrail(trail);
    session.select(session.routine().steps[1].body[9].id);
    bottom->setCurrentIndex(0);
    session.scrub(104.2);
    good = shoot(window, folder.filePath("rail.png")) && good;
    window.viewport().setTrail({});
    session.leaveRun();
    const QList<int> wide = window.findChild<QSplitter*>("columns")->sizes();
    window.findChild<QSplitter*>("columns")->setSizes({wide[0] + 190, wide[1] - 190, wide[2]});
    window.findChild<QToolButton*>("programText")->setChecked(true);
    good = shoot(window, folder.filePath("program.png")) && good;
    window.findChild<QToolButton*>("programText")->setChecked(false);
    window.findChild<QSplitter*>("columns")->setSizes(wide);
    // Its targets as a table, with one that has an approach of its own.
    auto* targets = window.findChild<QTableView*>("targetTable");
    left->setCurrentIndex(2);
    bottom->setCurrentWidget(targets->parentWidget());
    rows->setSizes({sizes[0] - 150, sizes[1] + 150});
    for (const Target& t : session.cell().targets)
        if (t.name == "Tile pick") session.select(t.id);
    session.edit("Approach", [&](const Cell& c) {
        return setApproach(c, {session.selected<TargetId>()}, false, {Approach::Along::World, 2, false, 0.12, 0.02});
    });
    session.goToSelected();
    good = shoot(window, folder.filePath("targets-table.png")) && good;
    session.undo();
    rows->setSizes(sizes);
    session.scrub(2.6);
    left->setCurrentIndex(0);
    for (const Frame& f : session.cell().frames)
        if (f.name == "Infeed belt") session.select(f.id);
    bottom->setCurrentWidget(window.findChild<QWidget*>("signalsTable")->parentWidget());
    good = shoot(window, folder.filePath("signals.png")) && good;
    bottom->setCurrentIndex(0);
    session.leaveRun();

    // A line drawn over the rim of the sink, before it is kept; and how a target of it is reached.
    window.openExample("glaze-edge-wiping-bench");
    while (!session.checkIsFresh() || !session.checked()->result.complete)
        QTest::qWait(20);
    left->setCurrentIndex(2);
    const Part& sink = session.cell().parts.front();
    const Pose body = session.shownPlace(sink.frame) * sink.pose;
    session.select(sink.id);
    window.viewport().fitSelected();
    session.select({});
    window.viewport().draw().begin();
    for (const double x : {-0.15, 0.15}) {
        const QPoint pixel =
            window.viewport().camera().pixel(body * Vec3(x, -0.1765, 0), window.viewport().size()).toPoint();
        QTest::mouseClick(&window.viewport(), Qt::LeftButton, {}, pixel);
    }
    good = shoot(window, folder.filePath("draw.png")) && good;
    window.viewport().draw().finish();
    window.viewport().fitAll();
    left->setCurrentIndex(2);
    for (const Target& t : session.cell().targets)
        if (t.name == "Glaze edge 12") session.select(t.id);
    session.goToSelected();
    window.viewport().showConstruction(true);
    good = shoot(window, folder.filePath("construction.png")) && good;
    window.viewport().showConstruction(false);

    window.openExample("tile-glazing-line");
    window.showArms(true);
    ArmsPage& arms = window.armsPage();
    arms.findChild<QTableView*>("sheetTable")->setCurrentIndex(arms.model().index(1, 2));
    good = shoot(window, folder.filePath("arms.png")) && good;
    DataSheet five = sheetOf(catalogueArm("fiveaxis-500")->description());
    five.name = "Bench arm from its data sheet";
    five.axes[1].drawn = -1.75;
    five.axes[3].upper = -0.2;
    arms.model().change(five);
    arms.view().fitAll();
    arms.findChild<QTableView*>("sheetTable")->setCurrentIndex(arms.model().index(1, 2));
    good = shoot(window, folder.filePath("data-sheet.png")) && good;
    window.showArms(false);

    window.openExample("tile-glazing-line");
    for (QAction* a : window.actions())
        if (a->text() == "First cell, step by step" || a->text() == "New cell") a->trigger();
    auto* height = window.findChild<QDoubleSpinBox*>("newCellHeight");
    height->setValue(450);
    Viewport& bench = *window.findChild<QWidget*>("newCell")->findChild<Viewport*>();
    for (int last = -1, calm = 0; calm < 8; QTest::qWait(40)) {
        calm = bench.frameCount() == last ? calm + 1 : 0;
        last = bench.frameCount();
    }
    good = window.grab().save(folder.filePath("new-cell.png")) && good;
    QSettings().clear();
    return good ? 0 : 1;
}
