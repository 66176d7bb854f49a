#include "app/route/route_model.h"
#include "core/cell/devices.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QLineEdit>
#include <QListView>
#include <QMimeData>
#include <QPushButton>
#include <QTreeWidget>

using namespace topikos;
using namespace topikos::test;

/// Several things selected at once, dragged and changed together; targets in other frames; names where they stand.
class SeveralWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void stepsTogether();
    void stepsAreDraggedTogether();
    void targetsAreDraggedIntoTheRoute();
    void targetsTogether();
    void targetKeepsItsPlaceInAnotherFrame();
    void thingsOfTheLayoutTogether();
    void namesAreTypedWhereTheyStand();
    void fieldsOutliveEdits();
    void anotherUnitIsAnotherField();
    void groupsFold();

private:
    StepId stepAt(size_t i) { return session().routine().steps[i].id; }
    std::vector<StepId> ids()
    {
        std::vector<StepId> out;
        for (const Step& s : session().routine().steps)
            out.push_back(s.id);
        return out;
    }
    void clickRow(int row, Qt::KeyboardModifiers modifiers = {})
    {
        auto* list = child<QListView>("routeList");
        list->scrollTo(list->model()->index(row, 0));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, modifiers,
                          list->visualRect(list->model()->index(row, 0)).center());
        QCoreApplication::processEvents();
    }
    /// Drops what a list gives for its rows on the route, above a row; -1 is below all.
    void drop(QMimeData* data, int above, Qt::KeyboardModifiers modifiers = {})
    {
        auto* list = child<QListView>("routeList");
        list->scrollTo(list->model()->index(std::max(0, above), 0));
        const QRect row = list->visualRect(list->model()->index(std::max(0, above), 0));
        const QPointF place =
            above < 0
                ? QPointF(20, list->visualRect(list->model()->index(list->model()->rowCount() - 1, 0)).bottom() + 8)
                : QPointF(row.left() + 20, row.top() + 1);
        QDragEnterEvent enter(place.toPoint(), Qt::CopyAction | Qt::MoveAction, data, Qt::LeftButton, modifiers);
        QApplication::sendEvent(list->viewport(), &enter);
        QDragMoveEvent move(place.toPoint(), Qt::CopyAction | Qt::MoveAction, data, Qt::LeftButton, modifiers);
        QApplication::sendEvent(list->viewport(), &move);
        QDropEvent dropped(place, Qt::CopyAction | Qt::MoveAction, data, Qt::LeftButton, modifiers);
        QApplication::sendEvent(list->viewport(), &dropped);
        QCoreApplication::processEvents();
    }
};

void SeveralWindowTest::stepsTogether()
{
    action("Route face")->trigger();
    const std::vector<StepId> before = ids();
    clickRow(2);
    clickRow(4, Qt::ShiftModifier);
    QCOMPARE(session().allSelected<StepId>().size(), size_t(3));
    QVERIFY(session().selected<StepId>() == before[4]);
    QTest::keyClick(child<QListView>("routeList"), Qt::Key_Space);
    for (size_t i = 0; i < before.size(); ++i)
        QCOMPARE(session().routine().steps[i].off, i >= 2 && i <= 4);
    action("Move step up")->trigger();
    QVERIFY(ids()[1] == before[2] && ids()[3] == before[4] && ids()[4] == before[1]);
    QCOMPARE(session().allSelected<StepId>().size(), size_t(3));
    action("Duplicate step")->trigger();
    QCOMPARE(ids().size(), before.size() + 3);
    QCOMPARE(session().allSelected<StepId>().size(), size_t(3));
    QVERIFY(session().selected<StepId>() == ids()[6]);
    QTest::keyClick(child<QListView>("routeList"), Qt::Key_Delete);
    QCOMPARE(ids().size(), before.size());
    // Each was one edit.
    for (int i = 0; i < 4; ++i)
        action("Undo")->trigger();
    QVERIFY(ids() == before && !session().history().canUndo());
    // Ctrl takes one out again; what a plain click selects is alone.
    clickRow(1);
    clickRow(3, Qt::ControlModifier);
    clickRow(1, Qt::ControlModifier);
    QVERIFY(session().everySelected() == std::vector<Selection>{before[3]});
    clickRow(5);
    QVERIFY(session().everySelected() == std::vector<Selection>{before[5]});
}

void SeveralWindowTest::stepsAreDraggedTogether()
{
    action("Route face")->trigger();
    const std::vector<StepId> before = ids();
    auto* model = child<QListView>("routeList")->model();
    const std::unique_ptr<QMimeData> data(model->mimeData({model->index(5, 0), model->index(1, 0)}));
    drop(data.get(), 4);
    const std::vector<StepId> wanted{before[0], before[2], before[3], before[1], before[5],
                                     before[4], before[6], before[7], before[8], before[9]};
    QVERIFY(ids() == wanted);
    action("Undo")->trigger();
    QVERIFY(ids() == before);
}

void SeveralWindowTest::targetsAreDraggedIntoTheRoute()
{
    const TargetId pick = targetNamed("Tile pick"), place = targetNamed("Rack place");
    action("Targets face")->trigger();
    auto* tree = child<QTreeWidget>("targetsTree");
    QModelIndexList rows;
    for (const char* name : {"Tile pick", "Rack place"}) {
        const auto found = tree->findItems(name, Qt::MatchExactly | Qt::MatchRecursive);
        QCOMPARE(found.size(), 1);
        QVERIFY(found.front()->flags() & Qt::ItemIsDragEnabled);
        rows << tree->model()->index(found.front()->parent()->indexOfChild(found.front()), 0,
                                     tree->model()->index(tree->indexOfTopLevelItem(found.front()->parent()), 0));
    }
    const std::unique_ptr<QMimeData> data(tree->model()->mimeData(rows));
    QVERIFY(data && data->hasFormat(kTargetsMime));
    action("Route face")->trigger();
    const size_t before = ids().size();
    drop(data.get(), 3);
    QCOMPARE(ids().size(), before + 2);
    const Table<Step>& steps = session().routine().steps;
    QVERIFY(steps[3].kind() == StepKind::Joint && targetOf(steps[3]) == pick);
    QVERIFY(targetOf(steps[4]) == place && session().allSelected<StepId>().size() == 2);
    // Into a routine that is empty, too.
    action("Undo")->trigger();
    action("Add routine")->trigger();
    QVERIFY(session().routine().steps.empty());
    auto* panel = child<QListView>("routeList")->parentWidget();
    QDragEnterEvent enter({30, 200}, Qt::CopyAction, data.get(), Qt::LeftButton, {});
    QApplication::sendEvent(panel, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent dropped(QPointF(30, 200), Qt::CopyAction, data.get(), Qt::LeftButton, {});
    QApplication::sendEvent(panel, &dropped);
    QCOMPARE(session().routine().steps.size(), size_t(2));
}

void SeveralWindowTest::targetsTogether()
{
    // Two taken targets, copied and deleted together.
    for (int i = 0; i < 2; ++i)
        action("Take target here")->trigger();
    const size_t before = session().cell().targets.size();
    session().selectMany({targetNamed("Target 1"), targetNamed("Target 2")});
    action("Copy selected thing")->trigger();
    QCOMPARE(session().cell().targets.size(), before + 2);
    QVERIFY(targetNamed("Target 1 copy") && targetNamed("Target 2 copy"));
    QCOMPARE(session().allSelected<TargetId>().size(), size_t(2));
    action("Targets face")->trigger();
    QTRY_COMPARE(child<QTreeWidget>("targetsTree")->selectedItems().size(), 2);
    QTest::keyClick(child<QTreeWidget>("targetsTree"), Qt::Key_Delete);
    QCOMPARE(session().cell().targets.size(), before);
    action("Undo")->trigger();
    QCOMPARE(session().cell().targets.size(), before + 2);
}

void SeveralWindowTest::targetKeepsItsPlaceInAnotherFrame()
{
    const TargetId id = targetNamed("Rack place");
    const auto world = [&] {
        const Target& t = *findTarget(session().cell(), id);
        return worldFromFrame(session().cell(), t.frame, t.axes) * t.pose;
    };
    const Pose before = world();
    action("Targets face")->trigger();
    session().select(id);
    choose("targetFrame", "Infeed belt");
    const Target& moved = *findTarget(session().cell(), id);
    QVERIFY(moved.frame == frameNamed("Infeed belt"));
    const PoseDeviation off = deviation(before, world());
    QVERIFY(off.metres < 1e-9 && off.radians < 1e-9);
    // It goes with its new frame.
    QVERIFY(session().edit("Move", [&](const Cell& c) {
        return setFramePose(c, frameNamed("Infeed belt"),
                            translated({0.1, 0, 0}) * findFrame(c, frameNamed("Infeed belt"))->pose);
    }));
    QVERIFY(std::abs(deviation(before, world()).metres - 0.1) < 1e-9);
    // A member of a pattern stays with it.
    session().select(id);
    action("Add pattern")->trigger();
    const std::string place = findPattern(session().cell(), session().selected<PatternId>())->name;
    const Pattern& pattern = *findPattern(session().cell(), session().selected<PatternId>());
    for (const Target& t : session().cell().targets)
        if (t.pattern == pattern.id)
            QVERIFY(!session().edit("Frame", [&](const Cell& c) { return setTargetFrame(c, {t.id}, {}); }));
}

void SeveralWindowTest::thingsOfTheLayoutTogether()
{
    action("Cell face")->trigger();
    pick("Drying rack");
    auto* tree = child<QTreeWidget>("layoutTree");
    const auto belt = tree->findItems("Infeed belt", Qt::MatchExactly | Qt::MatchRecursive);
    tree->scrollToItem(belt.front());
    QTest::mouseClick(tree->viewport(), Qt::LeftButton, Qt::ControlModifier,
                      tree->visualItemRect(belt.front()).center());
    QCOMPARE(session().allSelected<FrameId>().size(), size_t(2));
    action("Hide or show")->trigger();
    QVERIFY(findFrame(session().cell(), frameNamed("Drying rack"))->look.hidden);
    QVERIFY(findFrame(session().cell(), frameNamed("Infeed belt"))->look.hidden);
    action("Undo")->trigger();
    QVERIFY(!session().history().canUndo());
    // Ctrl in the view takes a thing in as well.
    const auto parts = session().cell().parts;
    session().select(parts[0].id);
    for (const PlacedPart& p : session().shownState().parts)
        if (p.part == parts[1].id)
            QTest::mouseClick(&view(), Qt::LeftButton, Qt::ControlModifier, pixelOf(p.worldFromPart.translation));
    QVERIFY(session().isSelected(parts[0].id) && session().isSelected(parts[1].id));
}

void SeveralWindowTest::namesAreTypedWhereTheyStand()
{
    action("Route face")->trigger();
    const auto rename = [&](const char* field, const char* name) {
        auto* line = child<QLineEdit>(field);
        line->setFocus();
        line->selectAll();
        QTest::keyClicks(line, name);
        QTest::keyClick(line, Qt::Key_Return);
        QCoreApplication::processEvents();
    };
    rename("cellName", "Second line");
    QCOMPARE(session().cell().name, std::string("Second line"));
    rename("routineName", "Set a tile");
    QCOMPARE(session().routine().name, std::string("Set a tile"));
    QVERIFY(m_window->windowTitle().startsWith("Second line"));
    QCOMPARE(QApplication::focusWidget()->objectName(), QString("routeList"));
    // Escape takes back what is typed.
    auto* name = child<QLineEdit>("routineName");
    name->setFocus();
    QTest::keyClicks(name, "zzz");
    QTest::keyClick(name, Qt::Key_Escape);
    QCOMPARE(name->text(), QString("Set a tile"));
    // What is refused is not shown as if it were so.
    rename("cellName", " ");
    QCOMPARE(child<QLineEdit>("cellName")->text(), QString("Second line"));
    action("Undo")->trigger();
    QCOMPARE(child<QLineEdit>("routineName")->text(), QString("Set one tile"));
}

void SeveralWindowTest::fieldsOutliveEdits()
{
    // The very same widgets before and after, and what is being typed is kept over an edit of something else.
    session().select(frameNamed("Drying rack"));
    QCoreApplication::processEvents();
    auto* x = child<QAbstractSpinBox>("pose0");
    auto* z = child<QAbstractSpinBox>("pose2");
    x->setFocus();
    x->selectAll();
    QTest::keyClicks(x, "12");
    const QString typed = x->findChild<QLineEdit*>()->text();
    QVERIFY(session().edit("Hide", [&](const Cell& c) {
        return setFrameLook(c, frameNamed("Drying rack"), {true, false});
    }));
    QCoreApplication::processEvents();
    QCOMPARE(child<QAbstractSpinBox>("pose0"), x);
    QCOMPARE(child<QAbstractSpinBox>("pose2"), z);
    QVERIFY(x->hasFocus());
    QCOMPARE(x->findChild<QLineEdit*>()->text(), typed);
    QTest::keyClick(x, Qt::Key_Tab);
    QCoreApplication::processEvents();
    QVERIFY(std::abs(findFrame(session().cell(), frameNamed("Drying rack"))->pose.translation[0] - 0.012) < 1e-9);
    QVERIFY(child<QAbstractSpinBox>("pose1")->hasFocus());
    // A number that the cell refuses is not left standing.
    session().select(session().station().tool);
    QCoreApplication::processEvents();
    auto* open = child<QAbstractSpinBox>("gripperOpen");
    const QString before = open->text();
    type("gripperOpen", "1");  // less than closed
    QTRY_COMPARE(open->text(), before);
}

void SeveralWindowTest::anotherUnitIsAnotherField()
{
    // A step that moves a rail, then a turntable: what is typed counts in the unit that is shown.
    FrameId rail, table;
    QVERIFY(session().edit("Rail", [&](const Cell& c) {
        return addDevice(c, Device::Kind::Rail, "Rail", {}, translated({0, -2, 0}), &rail);
    }));
    QVERIFY(session().edit("Table", [&](const Cell& c) {
        return addDevice(c, Device::Kind::Turntable, "Table", {}, translated({2, 0, 0}), &table);
    }));
    typeSteps({"move Rail to 500"});
    choose("stepDevice", "Table");
    type("stepAxis0", "0.5 rad");
    const Step& step = *session().routine().steps.find(session().selected<StepId>());
    QVERIFY(step.as<MoveAxes>()->device == table);
    QVERIFY2(std::abs(step.as<MoveAxes>()->values.front() - 0.5) < 1e-4,
             qPrintable(QString::number(step.as<MoveAxes>()->values.front())));
    choose("stepDevice", "Rail");
    type("stepAxis0", "12 in");
    QVERIFY(std::abs(session().routine().steps.find(step.id)->as<MoveAxes>()->values.front() - 0.3048) < 1e-6);
    // The keys stay in the properties when a button leads to another kind of thing.
    session().select(axesOf(session().cell(), rail).front());
    QCoreApplication::processEvents();
    auto* go = child<QPushButton>("toDevice");
    go->setFocus();
    QTest::keyClick(go, Qt::Key_Space);
    QCoreApplication::processEvents();
    QVERIFY(session().selected<FrameId>() == rail);
    QVERIFY(child<QWidget>("propertiesInner")->isAncestorOf(QApplication::focusWidget()));
}

void SeveralWindowTest::groupsFold()
{
    session().select(session().station().tool);
    QCoreApplication::processEvents();
    QVERIFY(child<QWidget>("gripperOpen")->isVisible());
    click("head Gripper");
    QVERIFY(!child<QWidget>("gripperOpen")->isVisible() && child<QWidget>("mass")->isVisible());
    // It stays so for the next one of its kind.
    session().select(frameNamed("Drying rack"));
    QCoreApplication::processEvents();
    session().select(session().station().tool);
    QCoreApplication::processEvents();
    QVERIFY(!child<QWidget>("gripperOpen")->isVisible());
    click("head Gripper");
    QVERIFY(child<QWidget>("gripperOpen")->isVisible());
}

TOPIKOS_TEST(SeveralWindowTest)
#include "several_window_test.moc"
