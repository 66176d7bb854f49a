#include "app/layout/mesh_import.h"
#include "app/session/text.h"
#include "core/shape/mesh.h"
#include "core/shape/mesh_file.h"
#include "core/shape/reduce.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"
#include "tests/wave.h"

#include <QComboBox>
#include <QDropEvent>
#include <QFileInfo>
#include <QFile>
#include <QMimeData>
#include <QTemporaryDir>
#include <QTimer>
#include <QUrl>

using namespace topikos;
using namespace topikos::test;

namespace {

/// A box of 20 x 30 x 40 in a file, with one face turned inside out.
QString boxFile(const QTemporaryDir& folder)
{
    Solid box;
    box.size = {20, 30, 40};
    Triangles surface = trianglesOf(solidMesh(box));
    std::swap(surface.faces[0][0], surface.faces[0][1]);
    const QString path = folder.filePath("bracket.stl");
    QFile file(path);
    if (!file.open(QIODevice::WriteOnly)) qFatal("no room");
    const std::string content = stlOf(surface);
    file.write(content.data(), qint64(content.size()));
    return path;
}

}  // namespace

/// Surfaces brought in, and the view that shows, measures and cuts them.
class SurfaceWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void searchFindsInTheLayout();
    void viewGoesNearAThing();
    void hiddenAndLockedThings();
    void twoPicksMeasure();
    void cutOpenAndFloorPlan();
    void droppedSurfaceBecomesAPart();
    void surfaceGoesWhereItIsAskedTo_data();
    void surfaceGoesWhereItIsAskedTo();
    void brokenSurfaceIsRefused();
    void largeCellOpensWithItsSurfaces();
};

void SurfaceWindowTest::searchFindsInTheLayout()
{
    action("Cell face")->trigger();
    const QStringList all = shownRows();
    auto* search = child<QLineEdit>("layoutSearch");
    QTest::keyClicks(search, "rack");
    QVERIFY(shownRows().contains("Drying rack"));
    QVERIFY(!shownRows().contains("Infeed belt"));
    QVERIFY(shownRows().contains("World"));  // the way to it stays
    search->clear();
    QCOMPARE(shownRows(), all);
}

void SurfaceWindowTest::viewGoesNearAThing()
{
    session().select({});
    action("Go near the selected thing")->trigger();
    QVERIFY2(note().contains("Select something"), qPrintable(note()));
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    const double before = view().camera().distance;
    action("Go near the selected thing")->trigger();
    QVERIFY(view().camera().distance < before);
    const Vec3 at = worldFromFrame(session().cell(), rack).translation;
    QVERIFY((view().camera().centre - at).norm() < 1);
    // Its properties have come up, too.
    QTRY_VERIFY(m_window->findChild<QLineEdit*>("propertyName"));
    QTRY_VERIFY(!child<QLineEdit>("propertyName")->visibleRegion().isEmpty());
}

void SurfaceWindowTest::hiddenAndLockedThings()
{
    action("Look from the corner")->trigger();
    const FrameId rack = frameNamed("Drying rack");
    const Vec3 on = worldFromFrame(session().cell(), rack) * Vec3(0.05, 0.05, 0);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(on));
    QCOMPARE(session().selected<FrameId>(), rack);
    action("Lock or unlock")->trigger();
    session().select({});
    QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(on));
    QVERIFY(session().selected<FrameId>() != rack);
    session().select(rack);
    action("Lock or unlock")->trigger();
    action("Hide or show")->trigger();
    session().select({});
    QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(on));
    QVERIFY(session().selected<FrameId>() != rack);
    session().select(frameNamed("Infeed belt"));
    action("Show alone")->trigger();
    QVERIFY(findFrame(session().cell(), rack)->look.hidden);
    QVERIFY(!findFrame(session().cell(), frameNamed("Infeed belt"))->look.hidden);
    action("Show everything")->trigger();
    for (const Frame& f : session().cell().frames)
        QVERIFY(!f.look.hidden);
}

void SurfaceWindowTest::twoPicksMeasure()
{
    m_window->resize(1390, 990);
    QCoreApplication::processEvents();
    action("Look from the corner")->trigger();
    // Near enough to tell the board's corners from those of the legs below them.
    session().select(frameNamed("Drying rack"));
    action("Go near the selected thing")->trigger();
    session().select({});
    action("Measure")->trigger();
    QVERIFY(view().measuring());
    // Along an edge of the rack, from the corner nearest to the eye.
    const FrameId rack = frameNamed("Drying rack");
    const Pose world = worldFromFrame(session().cell(), rack);
    // Edges of the upper board, whose upper side is seen: its corners are nothing's but its own.
    const Solid& board = findFrame(session().cell(), rack)->solids.front();
    QCOMPARE(int(board.kind), int(Solid::Kind::Box));
    const Vec3 half = 0.5 * board.size;
    const auto corner = [&](double x, double y) {
        return world * (board.pose * Vec3(x * half[0], y * half[1], half[2]));
    };
    const Vec3 first = corner(1, -1), second = corner(1, 1);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(first));
    QVERIFY2(note().contains("corner of Drying rack"), qPrintable(note()));
    QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(second));
    const QString wanted =
        QString("%1 mm · along the axes of World: X 0.00  Y %1  Z 0.00 mm").arg(placeFigure((second - first).norm()));
    QCOMPARE(view().measureText(), wanted);
    QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY(!view().measuring());
    QVERIFY(view().measureText().isEmpty());
}

void SurfaceWindowTest::cutOpenAndFloorPlan()
{
    const int frames = view().frameCount();
    action("Cut open across Y")->trigger();
    QCOMPARE(view().sectionAxis(), 1);
    QTRY_VERIFY(view().frameCount() > frames);
    const QImage cut = view().picture();
    const double at = view().sectionPlace();
    QWheelEvent wheel({100, 100}, view().mapToGlobal(QPointF(100, 100)), {}, {0, 120}, {}, Qt::ControlModifier,
                      Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(&view(), &wheel);
    QVERIFY(view().sectionPlace() > at);
    action("Whole again")->trigger();
    QCOMPARE(view().sectionAxis(), -1);
    QVERIFY(view().picture() != cut);
    action("Floor plan")->trigger();
    QVERIFY(view().floorPlanShown());
    QVERIFY(view().camera().pitch > 1.5);
}

void SurfaceWindowTest::droppedSurfaceBecomesAPart()
{
    const QTemporaryDir folder;
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(boxFile(folder))});
    session().select({});
    QString size, triangles;
    QTimer answer;
    connect(&answer, &QTimer::timeout, this, [&] {
        auto* dialog = m_window->findChild<SurfaceDialog*>();
        if (!dialog || !dialog->isVisible()) return;
        answer.stop();
        size = dialog->findChild<QLabel*>("surfaceSize")->text();
        auto* up = dialog->findChild<QComboBox*>("surfaceUp");
        up->setCurrentIndex(1);
        triangles = dialog->findChild<QLabel*>("surfaceSize")->text();
        dialog->accept();
    });
    answer.start(20);
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, {});
    QCoreApplication::sendEvent(&view(), &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, {});
    QCoreApplication::sendEvent(&view(), &drop);
    QTRY_VERIFY_WITH_TIMEOUT(session().selected<PartId>(), 10000);
    QCOMPARE(size, QString("20.0 × 30.0 × 40.0 mm"));
    QCOMPARE(triangles, QString("20.0 × 40.0 × 30.0 mm"));
    const Part& part = *findPart(session().cell(), session().selected<PartId>());
    QCOMPARE(part.name, std::string("bracket"));
    const Solid& solid = partSolids(session().cell(), part).front();
    QCOMPARE(int(solid.kind), int(Solid::Kind::Mesh));
    Eigen::AlignedBox3f box;
    for (const Eigen::Vector3f& p : solid.surface.drawn->points)
        box.extend(p);
    QVERIFY((box.sizes() - Eigen::Vector3f(0.02f, 0.04f, 0.03f)).norm() < 1e-6f);
    // One more into the tool: it drops onto the flange by its own origin.
    session().undo();
    QVERIFY(std::none_of(session().cell().parts.begin(), session().cell().parts.end(),
                         [](const Part& p) { return p.name == "bracket"; }));
}

void SurfaceWindowTest::surfaceGoesWhereItIsAskedTo_data()
{
    QTest::addColumn<QString>("goal");
    QTest::newRow("selected frame") << "Drying rack, as one more shape";
    QTest::newRow("part") << "a new part";
    QTest::newRow("fixture") << "a new fixture, a frame of its own";
    QTest::newRow("tool") << "the tool Gripper jaws, from its flange";
    QTest::newRow("link") << "link 2 of the arm";
}

void SurfaceWindowTest::surfaceGoesWhereItIsAskedTo()
{
    QFETCH(QString, goal);
    const QTemporaryDir folder;
    const QString path = boxFile(folder);
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    const Cell before = session().cell();
    QTimer answer;
    QString offered;
    connect(&answer, &QTimer::timeout, this, [&] {
        auto* dialog = m_window->findChild<SurfaceDialog*>();
        if (!dialog || !dialog->isVisible()) return;
        answer.stop();
        auto* goals = dialog->findChild<QComboBox*>("surfaceGoal");
        offered = goals->itemText(0);
        goals->setCurrentIndex(goals->findText(goal));
        dialog->accept();
    });
    answer.start(20);
    Q_EMIT view().filesDropped({path});
    QTRY_VERIFY_WITH_TIMEOUT(session().history().canUndo(), 10000);
    // What is selected is offered first.
    QCOMPARE(offered, QString("Drying rack, as one more shape"));
    const Cell& now = session().cell();
    const auto grown = [](const auto& a, const auto& b) { return int(a.size()) - int(b.size()); };
    const QString row = QTest::currentDataTag();
    QCOMPARE(grown(findFrame(now, rack)->solids, findFrame(before, rack)->solids), int(row == "selected frame"));
    QCOMPARE(grown(now.parts, before.parts), int(row == "part"));
    QCOMPARE(grown(now.frames, before.frames), int(row == "fixture"));
    QCOMPARE(grown(now.tools.front().body, before.tools.front().body), int(row == "tool"));
    QCOMPARE(grown(now.arms.front().model->description().meshes, before.arms.front().model->description().meshes),
             int(row == "link"));
    action("Undo")->trigger();
    QVERIFY(session().cell() == before);
}

void SurfaceWindowTest::brokenSurfaceIsRefused()
{
    const QTemporaryDir folder;
    const QString path = boxFile(folder);
    QFile file(path);
    QVERIFY(file.open(QIODevice::ReadWrite));
    file.resize(file.size() - 60);
    file.close();
    Q_EMIT view().filesDropped({path});
    QTRY_VERIFY_WITH_TIMEOUT(note().contains("room for"), 10000);
    QVERIFY(!session().history().canUndo());
}

void SurfaceWindowTest::largeCellOpensWithItsSurfaces()
{
    // A surface of 320,000 triangles: into the cell, drawn lighter while moving, saved, opened.
    const ReadSurface read = waveSurface(400);
    const Triangles& wave = read.triangles;
    const Solid solid = solidOf(read, 1, false);
    QVERIFY(solid.surface.light->faces.size() < 10000 && solid.surface.light->faces.size() > 1000);
    const FrameId rack = frameNamed("Drying rack");
    QVERIFY(session().edit("Wave", [&](const Cell& c) { return setFrameSolids(c, rack, {solid}); }));
    const QTemporaryDir folder;
    const QString path = folder.filePath("large.topikos");
    QVERIFY(m_window->saveTo(path));
    QVERIFY(QFileInfo(path).size() > 6000000);
    newCell();
    QVERIFY(m_window->openFile(path));
    const Solid& back = findFrame(session().cell(), frameNamed("Drying rack"))->solids.front();
    QVERIFY(back.surface.drawn->points == wave.points && back.surface.drawn->faces == wave.faces);
    QVERIFY(back.surface.light->faces == solid.surface.light->faces);
    const int frames = view().frameCount();
    QTRY_VERIFY_WITH_TIMEOUT(view().frameCount() > frames, 20000);
    // Opened and watched: nobody is told that the file changed.
    QVERIFY(!child<QWidget>("noticeBar")->isVisible());
}

TOPIKOS_TEST(SurfaceWindowTest)
#include "surface_window_test.moc"
