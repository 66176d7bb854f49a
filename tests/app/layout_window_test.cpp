#include "app/fields/number_field.h"
#include "app/session/text.h"
#include "core/robot/forward.h"
#include "core/shape/mesh.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QDoubleSpinBox>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTimer>
#include <QTreeWidget>

using namespace topikos;
using namespace topikos::test;

/// The cell put together and corrected in the window, by mouse and keyboard.
class LayoutWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void rackIsBuiltFromAnEmptyCell();
    void numbersTakeSumsAndUnits_data();
    void numbersTakeSumsAndUnits();
    void typedPlaceIsShownBeforeItIsTaken();
    void handleMovesAFrameInSteps();
    void frameSnapsToACorner();
    void escapeTakesADragBack();
    void threePointsPlaceAFrame();
    void measuredPointsCorrectAFrame();
    void fourPosturesFindTheTcp();
    void depthOfAProcessIsTyped();
    void pitchIsDragged();
    void toolsChangeInForce();
    void rightClickFindsTheThing();
    void rackComesFromAnotherCell();
    void pairsAreFoundAndSwitched();

private:
    void drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers keys = {});
    /// Types the values of a row of the teach table.
    void fillRow(int row, const Vec3& metres);
};

void LayoutWindowTest::drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers keys)
{
    QTest::mousePress(&view(), Qt::LeftButton, keys, from);
    for (int i = 1; i <= 8; ++i) {
        const QPointF at = from + (to - from) * (i / 8.0);
        QMouseEvent move(QEvent::MouseMove, at, view().mapToGlobal(at), Qt::LeftButton, Qt::LeftButton, keys);
        QCoreApplication::sendEvent(&view(), &move);
    }
    QTest::mouseRelease(&view(), Qt::LeftButton, keys, to);
    QCoreApplication::processEvents();
}

void LayoutWindowTest::fillRow(int row, const Vec3& metres)
{
    auto* table = child<QTableWidget>("teachTable");
    for (int i = 0; i < 3; ++i)
        table->setItem(row, i, new QTableWidgetItem(QString::number(metres[i] * 1000, 'f', 9)));
}

void LayoutWindowTest::rackIsBuiltFromAnEmptyCell()
{
    newCell();
    const std::string before = session().cell().name;
    action("Cell face")->trigger();
    // A rack of profiles with a board.
    click("addFrame");
    type("propertyName", "Rack");
    const FrameId rack = frameNamed("Rack");
    QVERIFY(rack);
    type("pose0", "900");
    type("pose1", "-200-50");
    type("pose2", "0.4 m");
    QVERIFY((findFrame(session().cell(), rack)->pose.translation - Vec3(0.9, -0.25, 0.4)).norm() < 1e-12);
    click("shapeAdd");
    QCoreApplication::processEvents();
    type("shapeSize0", "400");
    type("shapeSize1", "600");
    type("shapeSize2", "10");
    type("shape2", "-5");
    QCoreApplication::processEvents();
    click("shapeAdd");
    choose("shapeKind", 5);
    type("shapeSize0", "40");
    type("shapeSize1", "40");
    type("shapeSize2", "400");
    type("shape0", "-180");
    const Frame& frame = *findFrame(session().cell(), rack);
    QCOMPARE(frame.solids.size(), size_t(2));
    QVERIFY((frame.solids[0].size - Vec3(0.4, 0.6, 0.01)).norm() < 1e-12);
    QCOMPARE(int(frame.solids[1].kind), int(Solid::Kind::Profile));
    QVERIFY(std::abs(frame.solids[1].pose.translation[0] + 0.18) < 1e-12);
    // A tile, and 4 x 6 of it.
    click("addPart");
    type("propertyName", "Tile");
    type("shapeSize0", "80");
    type("shapeSize1", "80");
    type("shapeSize2", "12");
    type("pose0", "-150");
    type("pose1", "-250");
    type("pose2", "6");
    const PartId tile = session().selected<PartId>();
    QVERIFY(tile);
    QCOMPARE(findPart(session().cell(), tile)->frame, rack);
    click("addPattern");
    type("patternColumns", "4");
    type("patternRows", "6");
    type("patternPitch0", "100");
    type("patternPitch1", "100");
    const PatternId pattern = session().selected<PatternId>();
    QVERIFY(pattern);
    QCOMPARE(session().cell().parts.size(), size_t(24));  // the tile is the first of them
    QCOMPARE(findPattern(session().cell(), pattern)->name, std::string("Tile"));
    QCOMPARE(findPart(session().cell(), tile)->name, std::string("Tile 1"));
    const Part& last = session().cell().parts.back();
    QCOMPARE(last.pattern, pattern);
    QVERIFY((last.pose.translation - Vec3(0.15, 0.25, 0.006)).norm() < 1e-9);
    type("patternLeftOut", "2, 24");
    QCOMPARE(session().cell().parts.size(), size_t(22));
    choose("patternOrder", 1);
    type("patternStagger", "50");
    QVERIFY(std::abs(findPattern(session().cell(), pattern)->stagger - 0.5) < 1e-12);
    type("patternLeftOut", "0, x");
    QVERIFY2(note().contains("is not a place"), qPrintable(note()));
    // Density makes the mass: 80 x 80 x 12 mm at 2000 kg/m³.
    session().select(tile);
    type("density", "2000");
    QVERIFY(std::abs(session().cell().partKinds.front().mass - 0.1536) < 1e-9);
    while (session().history().canUndo())
        session().undo();
    QCOMPARE(session().cell().parts.size(), size_t(0));
    QCOMPARE(session().cell().name, before);
}

void LayoutWindowTest::numbersTakeSumsAndUnits_data()
{
    QTest::addColumn<int>("length");
    QTest::addColumn<QString>("typed");
    QTest::addColumn<double>("metres");
    QTest::addColumn<QString>("shown");
    QTest::newRow("mm") << 0 << "1200-45/2" << 1.1775 << "1177.50 mm";
    QTest::newRow("inch in mm") << 0 << "12 in" << 0.3048 << "304.80 mm";
    QTest::newRow("m") << 1 << "0.75" << 0.75 << "0.75000 m";
    QTest::newRow("mm in m") << 1 << "750mm" << 0.75 << "0.75000 m";
    QTest::newRow("inch") << 2 << "10" << 0.254 << "10.0000 in";
}

void LayoutWindowTest::numbersTakeSumsAndUnits()
{
    QFETCH(int, length);
    QFETCH(QString, typed);
    QFETCH(double, metres);
    QFETCH(QString, shown);
    action(QString("Show lengths in %1").arg(kLengthUnits[length].symbol))->trigger();
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    type("pose0", typed);
    QVERIFY(std::abs(findFrame(session().cell(), rack)->pose.translation[0] - metres) < 1e-12);
    QTRY_COMPARE(child<NumberField>("pose0")->text(), shown);
    // With only the number selected, as the Tab key leaves it, a unit may be typed as well.
    auto* field = child<NumberField>("pose1");
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, "2 in");
    QTest::keyClick(field, Qt::Key_Return);
    QVERIFY(std::abs(findFrame(session().cell(), rack)->pose.translation[1] - 0.0508) < 1e-12);
    // Layout and the strip over the view speak the same unit.
    bool told = false;
    for (QTreeWidgetItemIterator it(child<QTreeWidget>("layoutTree")); *it; ++it)
        told = told || ((*it)->text(0) == "Drying rack" && (*it)->toolTip(0).contains(kLengthUnits[length].symbol));
    QVERIFY(told);
}

void LayoutWindowTest::typedPlaceIsShownBeforeItIsTaken()
{
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    QTRY_VERIFY(m_window->findChild<NumberField*>("pose0"));
    auto* edit = child<NumberField>("pose0")->findChild<QLineEdit*>();
    const auto shown = [&] { return findFrame(session().shownCell(), rack)->pose.translation[0]; };
    const double before = shown();
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, "700+40");
    QVERIFY(std::abs(shown() - 0.74) < 1e-12);
    QVERIFY(findFrame(session().cell(), rack)->pose.translation[0] == before && !session().history().canUndo());
    // What is no number shows nothing.
    QTest::keyClicks(edit, "+");
    QCOMPARE(shown(), before);
    QTest::keyClick(edit, Qt::Key_Backspace);
    QVERIFY(std::abs(shown() - 0.74) < 1e-12);
    // Escape takes it back, Enter takes it.
    QTest::keyClick(edit, Qt::Key_Escape);
    QCOMPARE(shown(), before);
    QVERIFY2(edit->text().startsWith(QString::number(before * 1000)), qPrintable(edit->text()));
    edit->selectAll();
    QTest::keyClicks(edit, "650");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(std::abs(findFrame(session().cell(), rack)->pose.translation[0] - 0.65) < 1e-12);
    QCOMPARE(&session().shownCell(), &session().cell());
    session().undo();
    QVERIFY(!session().history().canUndo());
}

void LayoutWindowTest::handleMovesAFrameInSteps()
{
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    QCoreApplication::processEvents();
    const Pose before = worldFromFrame(session().cell(), rack);
    const double metres = view().camera().metresPerPixel(before.translation, view().size());
    const Vec3 axis = before.rotation * Vec3::UnitX();
    const Vec3 grab = before.translation + 70 * metres * axis;
    drag(pixelOf(grab), pixelOf(grab + 0.1234 * axis));
    const Pose after = worldFromFrame(session().cell(), rack);
    const double way = (after.translation - before.translation).dot(axis);
    const double step = session().jogLength();
    QVERIFY2(std::abs(way - 0.1234) < step + 2 * metres, qPrintable(QString::number(way)));
    QVERIFY(std::abs(way / step - std::round(way / step)) < 1e-9);
    QVERIFY((after.translation - before.translation - way * axis).norm() < 1e-12);
    session().undo();  // one step for the whole drag
    QVERIFY((worldFromFrame(session().cell(), rack).translation - before.translation).norm() < 1e-15);
    // With Shift it goes freely; a locked frame does not go at all, the TCP has its handle back.
    drag(pixelOf(grab), pixelOf(grab + 0.0513 * axis), Qt::ShiftModifier);
    const double freely = (worldFromFrame(session().cell(), rack).translation - before.translation).dot(axis);
    QVERIFY(std::abs(freely - 0.0513) < 2 * metres && std::abs(freely / step - std::round(freely / step)) > 1e-6);
    action("Lock or unlock")->trigger();
    QVERIFY((view().handlePixel()
             - view().camera().pixel((worldFromBase(session().cell(), session().station())
                                      * baseFromTcp(session().cell(), session().station(), session().posture()))
                                         .translation,
                                     view().size()))
                .manhattanLength()
            < 1);
}

void LayoutWindowTest::frameSnapsToACorner()
{
    // A new frame is dropped onto a corner of the board of the rack.
    click("addFrame");
    const FrameId frame = session().selected<FrameId>();
    QVERIFY(frame);
    const FrameId rack = frameNamed("Drying rack");
    action("Look from the corner")->trigger();
    // The corner of the rack's shapes that is nearest to the eye is surely seen.
    Vec3 corner = Vec3::Zero();
    double nearest = INFINITY;
    for (const Solid& solid : findFrame(session().cell(), rack)->solids)
        for (const Eigen::Vector3f& p : solidMesh(solid).edges) {
            const Vec3 world = worldFromFrame(session().cell(), rack) * Vec3(p.cast<double>());
            if (const double away = (world - view().camera().eye()).norm(); away < nearest)
                nearest = away, corner = world;
        }
    session().select(frame);
    QCoreApplication::processEvents();
    drag(view().handlePixel().toPoint(), pixelOf(corner) + QPoint(1, 1));
    QVERIFY2((worldFromFrame(session().cell(), frame).translation - corner).norm() < 1e-6, qPrintable(note()));
    session().undo();
    session().undo();
    QVERIFY(!findFrame(session().cell(), frame));
}

void LayoutWindowTest::escapeTakesADragBack()
{
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    QCoreApplication::processEvents();
    const Pose before = worldFromFrame(session().cell(), rack);
    const QPoint from = view().handlePixel().toPoint();
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    const QPointF to = from + QPoint(60, -20);
    QMouseEvent move(QEvent::MouseMove, to, view().mapToGlobal(to), Qt::LeftButton, Qt::LeftButton, {});
    QCoreApplication::sendEvent(&view(), &move);
    QVERIFY((worldFromFrame(session().shownCell(), rack).translation - before.translation).norm() > 0.01);
    QVERIFY((worldFromFrame(session().cell(), rack).translation - before.translation).norm() == 0);
    QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY((worldFromFrame(session().shownCell(), rack).translation - before.translation).norm() == 0);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, to.toPoint());
    QVERIFY(!session().history().canUndo());
}

void LayoutWindowTest::threePointsPlaceAFrame()
{
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    action("Place frame by three points")->trigger();
    const Pose planted{Vec3(0.5, 0.3, 0.2), Quat(Eigen::AngleAxisd(0.4, Vec3(0.1, 0.2, 1).normalized()))};
    auto* apply = child<QPushButton>("teachApply");
    QVERIFY(!apply->isEnabled());
    // The first point is where the TCP stands, the others are typed.
    click("teachTake");
    const Vec3 tcp = frameFromTcp(session().cell(), session().station(), findFrame(session().cell(), rack)->parent,
                                  session().posture())
                         .translation;
    QCOMPARE(child<QTableWidget>("teachTable")->item(0, 0)->text(), placeFigure(tcp[0]));
    fillRow(0, planted.translation);
    fillRow(1, planted * Vec3(0.3, 0, 0));
    fillRow(2, planted * Vec3(0.6, 0, 0));
    QVERIFY2(child<QLabel>("teachResult")->text().contains("lie on a line"),
             qPrintable(child<QLabel>("teachResult")->text()));
    QVERIFY(!apply->isEnabled());
    fillRow(2, planted * Vec3(-0.1, 0.2, 0));
    QVERIFY(apply->isEnabled());
    click("teachApply");
    const PoseDeviation away = deviation(findFrame(session().cell(), rack)->pose, planted);
    QVERIFY(away.metres < 1e-9 && away.radians < 1e-9);
    QVERIFY(!child<QWidget>("teachPanel")->isVisible());
}

void LayoutWindowTest::measuredPointsCorrectAFrame()
{
    const FrameId rack = frameNamed("Drying rack");
    const Pose drawn = findFrame(session().cell(), rack)->pose;
    const Pose shift{Vec3(0.004, -0.006, 0.002), Quat(Eigen::AngleAxisd(-0.008, Vec3::UnitZ()))};
    const TargetId place = targetNamed("Rack place");
    const Pose before = baseFromTarget(session().cell(), *findTarget(session().cell(), place));
    session().select(rack);
    action("Measure frame as built")->trigger();
    const Vec3 nominal[] = {drawn.translation, drawn * Vec3(0.4, 0, 0), drawn * Vec3(0, 0.3, 0)};
    for (int r = 0; r < 3; ++r) {
        fillRow(2 * r, nominal[r]);
        fillRow(2 * r + 1, shift * nominal[r]);
    }
    QVERIFY2(child<QLabel>("teachResult")->text().contains("Residual 0.00 mm rms"),
             qPrintable(child<QLabel>("teachResult")->text()));
    click("teachApply");
    const Frame& frame = *findFrame(session().cell(), rack);
    QVERIFY(frame.pose == drawn);
    QVERIFY(deviation(*frame.measured, shift * drawn).metres < 1e-9);
    const Vec3 moved = baseFromTarget(session().cell(), *findTarget(session().cell(), place)).translation;
    QVERIFY((moved - before.translation).norm() > 0.003);
    QTRY_VERIFY(child<QTreeWidget>("layoutTree")->findItems("Drying rack", Qt::MatchRecursive).size() == 1);
    action("Stand as drawn or as built")->trigger();
    QVERIFY(!session().cell().asBuilt);
    QVERIFY2(note().contains("1 measured frames stand as drawn"), qPrintable(note()));
    QVERIFY(
        (baseFromTarget(session().cell(), *findTarget(session().cell(), place)).translation - before.translation).norm()
        < 1e-15);
}

void LayoutWindowTest::depthOfAProcessIsTyped()
{
    m_window->openExample("glaze-edge-wiping-bench");
    const ToolId tool = session().station().tool;
    const auto depth = [&] { return findTool(session().cell(), tool)->processes.front().depth; };
    QCOMPARE(depth(), kProcessDepth);
    session().select(tool);
    QTRY_VERIFY(m_window->findChild<QAbstractSpinBox*>("processDepth0"));
    auto* field = child<QAbstractSpinBox>("processDepth0");
    QVERIFY2(field->text().startsWith("0.5 "), qPrintable(field->text()));
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, "10,5");
    QTest::keyClick(field, Qt::Key_Return);
    QVERIFY2(std::abs(depth() - 0.0105) < 1e-12, qPrintable(QString::number(depth())));
    session().undo();
    QCOMPARE(depth(), kProcessDepth);
}

void LayoutWindowTest::fourPosturesFindTheTcp()
{
    // The arm's tool point is not where the cell says: it touches one place in four postures with the true one.
    const ToolId tool = session().station().tool;
    const Pose truth = translated({0.012, -0.007, 0.2345});
    session().select(tool);
    action("Find TCP by four points")->trigger();
    const Pose middle = forward(session().arm(), session().posture()) * truth;
    const Vec3 axes[] = {Vec3::UnitX(), Vec3::UnitY(), Vec3(1, 1, 0).normalized(), Vec3(-1, 0.5, 0.5).normalized()};
    int taken = 0;
    for (const Vec3& axis : axes) {
        const Pose tilted{middle.translation, middle.rotation * Quat(Eigen::AngleAxisd(0.5, axis))};
        const Solutions found = inverseKinematics(session().arm(), tilted * inverse(truth));
        QVERIFY(!found.items.empty());
        session().setPosture(found.items.front().joints);
        click("teachTake");
        ++taken;
        QCOMPARE(child<QTableWidget>("teachTable")->rowCount(), taken);
        QCOMPARE(child<QPushButton>("teachApply")->isEnabled(), taken == 4);
    }
    QVERIFY2(child<QLabel>("teachResult")->text().contains("Residual 0.00 mm"),
             qPrintable(child<QLabel>("teachResult")->text()));
    click("teachApply");
    QVERIFY((findTool(session().cell(), tool)->flangeFromTcp.translation - truth.translation).norm() < 1e-9);
}

void LayoutWindowTest::pitchIsDragged()
{
    session().select(targetNamed("Rack place"));
    click("addPattern");
    QCoreApplication::processEvents();
    type("patternColumns", "3");
    type("patternRows", "1");
    type("patternPitch0", "-100");
    const PatternId id = session().selected<PatternId>();
    const Pattern before = *findPattern(session().cell(), id);
    const Pose first = worldFromFrame(session().cell(), before.frame) * before.first;
    const auto end = [&](double pitch) { return pixelOf(first * Vec3(2 * pitch, 0, 0)); };
    drag(end(-0.1), end(-0.13));
    // In steps of the jog length, 2 mm at the end, so 1 mm of pitch.
    const double pitch = findPattern(session().cell(), id)->pitch[0];
    QVERIFY2(std::abs(pitch + 0.13) < 0.004, qPrintable(QString::number(pitch, 'f', 6)));
    QVERIFY(std::abs(std::round((pitch + 0.1) / 1e-3) * 1e-3 - (pitch + 0.1)) < 1e-9);
    QVERIFY((findPattern(session().cell(), id)->first.translation - before.first.translation).norm() < 1e-12);
    const Target& last = *findTarget(session().cell(), targetNamed("Rack place 3"));
    QVERIFY((last.pose.translation - before.first * Vec3(2 * pitch, 0, 0)).norm() < 1e-12);
    // One drag is one step back.
    session().undo();
    QCOMPARE(findPattern(session().cell(), id)->pitch[0], -0.1);
}

void LayoutWindowTest::toolsChangeInForce()
{
    const ToolId before = session().station().tool;
    action("Add tool")->trigger();
    const ToolId added = session().selected<ToolId>();
    QVERIFY(added && added != before);
    type("toolNumber", "4");
    QCOMPARE(findTool(session().cell(), added)->number, 4u);
    choose("gripperKind", 1);
    QCOMPARE(int(findTool(session().cell(), added)->gripper.kind), int(Gripper::Kind::Angular));
    choose("gripRegion", 1);
    type("region1", "120");
    QVERIFY(std::abs(findTool(session().cell(), added)->gripper.region[1] - 0.12) < 1e-12);
    click("addPoint");
    QCoreApplication::processEvents();
    QCOMPARE(findTool(session().cell(), added)->points.size(), size_t(1));
    type("pose2", "222");
    QVERIFY(std::abs(findTool(session().cell(), added)->points[0].flangeFromTcp.translation[2] - 0.222) < 1e-12);
    const Vec3 tcp = baseFromTcp(session().cell(), session().station(), session().posture()).translation;
    click("toolInForce");
    QCoreApplication::processEvents();
    QCOMPARE(session().station().tool, added);
    QVERIFY((baseFromTcp(session().cell(), session().station(), session().posture()).translation - tcp).norm() > 0.01);
    click("usePoint");
    QVERIFY(session().station().tcp == findTool(session().cell(), added)->points[0].id);
    // Targets use the first tool, so it cannot go.
    session().select(before);
    action("Delete")->trigger();
    QVERIFY2(note().contains("uses"), qPrintable(note()));
}

void LayoutWindowTest::rightClickFindsTheThing()
{
    action("Look from the corner")->trigger();
    const FrameId rack = frameNamed("Drying rack");
    const Vec3 on = worldFromFrame(session().cell(), rack) * Vec3(0.05, 0.05, 0);
    QStringList entries;
    QTimer::singleShot(100, this, [&] {
        if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) {
            for (QAction* a : menu->actions())
                entries << a->text();
            menu->close();
        }
    });
    QTest::mouseClick(&view(), Qt::RightButton, {}, pixelOf(on));
    QCOMPARE(session().selected<FrameId>(), rack);
    QVERIFY(entries.contains("Copy") && entries.contains("Show alone"));
}

void LayoutWindowTest::rackComesFromAnotherCell()
{
    const QTemporaryDir folder;
    const QString path = folder.filePath("other.topikos");
    QVERIFY(m_window->saveTo(path));
    newCell();
    QVERIFY(!frameNamed("Drying rack"));
    QTimer answer;
    connect(&answer, &QTimer::timeout, this, [&] {
        auto* dialog = m_window->findChild<QDialog*>("bringDialog");
        if (!dialog || !dialog->isVisible()) return;
        answer.stop();
        auto* list = dialog->findChild<QListWidget*>("bringList");
        list->findItems("Frame: Drying rack", Qt::MatchExactly).front()->setCheckState(Qt::Checked);
        dialog->accept();
    });
    answer.start(20);
    m_window->bringFromCell(path);
    QVERIFY(frameNamed("Drying rack"));
    QVERIFY(targetNamed("Rack place"));
    QCOMPARE(session().cell().tools.size(), size_t(2));  // the jaws that its targets were taught with come along
    session().undo();
    QVERIFY(!frameNamed("Drying rack"));
}

void LayoutWindowTest::pairsAreFoundAndSwitched()
{
    action("Contact pairs")->trigger();
    child<QDoubleSpinBox>("contactSamples")->setValue(100);
    QTest::mouseClick(child<QPushButton>("contactFind"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!session().cell().contact.pairs.empty(), 60000);
    QCOMPARE(session().cell().contact.samples, 100u);
    auto* table = child<QTableWidget>("contactTable");
    QTRY_VERIFY(table->rowCount() > 8 && table->item(0, 1));
    QCOMPARE(table->item(0, 1)->text(), QString("– adjacent"));
    QVERIFY(!table->item(0, 0));
    QVERIFY2(child<QLabel>("contactCounts")->text().contains("7 adjacent"),
             qPrintable(child<QLabel>("contactCounts")->text()));
    // A click switches a pair, and says that it was a hand that did.
    QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, table->visualItemRect(table->item(0, 1)).center());
    QTRY_COMPARE(table->item(0, 1)->text(), QString("✓ by hand"));
    QCOMPARE(table->item(1, 0)->text(), QString("✓ by hand"));
    session().undo();
    QTRY_COMPARE(table->item(0, 1)->text(), QString("– adjacent"));
    // Cancelled, nothing changes.
    child<QDoubleSpinBox>("contactSamples")->setValue(1000000);
    QTest::mouseClick(child<QPushButton>("contactFind"), Qt::LeftButton);
    QCOMPARE(child<QPushButton>("contactFind")->text(), QString("Cancel"));
    QTest::mouseClick(child<QPushButton>("contactFind"), Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(child<QPushButton>("contactFind")->text(), QString("Find pairs"), 20000);
    QCOMPARE(session().cell().contact.samples, 100u);
}

TOPIKOS_TEST(LayoutWindowTest)
#include "layout_window_test.moc"
