#include "app/fields/number_field.h"
#include "app/route/route_model.h"
#include "core/cell/devices.h"
#include "core/cell/furniture.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QComboBox>
#include <QLineEdit>
#include <QFile>
#include <QListView>
#include <QListWidget>
#include <QPointer>
#include <QPushButton>
#include <QTabWidget>
#include <QTextBlock>
#include <QTextBrowser>
#include <QTreeWidget>
#include <QWheelEvent>

using namespace topikos;
using namespace topikos::test;

/// Typing, keys and the wheel, as a person uses them without looking.
class EntryWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void tabGoesThroughSizes_data();
    void tabGoesThroughSizes();
    void tabGoesThroughAStep();
    void tabGoesThroughAPlace();
    void wheelChangesNoListAndNoNumber();
    void typedPoseIsTakenWithTheNextKey();
    void keysMeanTheSameInEveryList();
    void whatRunsHasItsOwnMark();
    void addedThingIsNamedAtOnce();
    void messagesLeave();
    void nothingToRunIsNotOffered();
    void targetBesideARailThatIsAwayIsRefused();
    void slidesJogByLengths();
    void propertiesAndBack();
    void instrumentsKeepTheirPlaces();
    void textOfAStepIsAllOfIt();
    void stepsByButtonsAndMenus();
    void tableOfAnySize();
    void stripGrowsAndComesBack();
    void manualIsInside();
    void goingNearLooksPastWhatIsInTheWay();
    void targetIsTakenInTheFrameThatIsSaid();

private:
    void focusOn(const QString& field)
    {
        QCoreApplication::processEvents();
        QTRY_VERIFY(m_window->findChild<QWidget*>(field) && child<QWidget>(field)->isVisible());
        auto* number = child<QAbstractSpinBox>(field);
        number->setFocus();
        number->selectAll();
        QVERIFY(number->hasFocus());
    }
    void select(const Selection& what)
    {
        session().select(what);
        QCoreApplication::processEvents();
    }
    StepId stepAt(size_t i) { return session().routine().steps[i].id; }
};

void EntryWindowTest::tabGoesThroughSizes_data()
{
    QTest::addColumn<int>("key");
    QTest::newRow("Tab") << int(Qt::Key_Tab);
    QTest::newRow("Enter") << int(Qt::Key_Return);
}

void EntryWindowTest::tabGoesThroughSizes()
{
    QFETCH(int, key);
    action("Add frame")->trigger();
    QCoreApplication::processEvents();
    click("shapeAdd");
    focusOn("shapeSize0");
    for (int i = 0; i < 3; ++i) {
        QCOMPARE(QApplication::focusWidget()->objectName(), QString("shapeSize%1").arg(i));
        typeThere("60", Qt::Key(key));
    }
    const Frame& frame = *findFrame(session().cell(), session().selected<FrameId>());
    QVERIFY((frame.solids.back().size - Vec3::Constant(0.06)).norm() < 1e-9);
}

void EntryWindowTest::tabGoesThroughAStep()
{
    select(stepAt(2));  // a line
    QVERIFY(session().routine().steps[2].kind() == StepKind::Line);
    focusOn("stepSpeed");
    typeThere("150", Qt::Key_Tab);
    typeThere("33", Qt::Key_Tab);
    typeThere("7", Qt::Key_Tab);
    const Step& step = session().routine().steps[2];
    QVERIFY(std::abs(step.as<LineMove>()->speed - 0.15) < 1e-9);
    QVERIFY(std::abs(endOf(step)->over - 0.033) < 1e-9 && std::abs(paceOf(step)->blend - 0.007) < 1e-9);
}

void EntryWindowTest::tabGoesThroughAPlace()
{
    select(frameNamed("Drying rack"));
    focusOn("pose0");
    for (const char* number : {"700", "600", "500"})
        typeThere(number, Qt::Key_Tab);
    QCOMPARE(QApplication::focusWidget()->objectName(), QString("pose3"));
    const Pose& pose = findFrame(session().cell(), frameNamed("Drying rack"))->pose;
    QVERIFY((pose.translation - Vec3(0.7, 0.6, 0.5)).norm() < 1e-9);
}

void EntryWindowTest::wheelChangesNoListAndNoNumber()
{
    select(stepAt(2));
    action("Cell face")->trigger();
    const std::string before = writeCell(session().cell());
    const FrameId reading = session().readingFrame();
    int tried = 0;
    QList<QPointer<QWidget>> fields;
    for (QWidget* field : m_window->findChildren<QWidget*>())
        fields << field;
    for (const QPointer<QWidget>& field : fields) {
        if (!field || !field->isVisible()
            || (!qobject_cast<QComboBox*>(field.data()) && !qobject_cast<QAbstractSpinBox*>(field.data())))
            continue;
        field->setFocus();
        for (const int turn : {-120, 120}) {
            if (!field) break;
            const QPointF middle = QRectF(field->rect()).center();
            QWheelEvent wheel(middle, field->mapToGlobal(middle), {}, {0, turn}, Qt::NoButton, Qt::NoModifier,
                              Qt::NoScrollPhase, false);
            QApplication::sendEvent(field, &wheel);
            QCoreApplication::processEvents();
        }
        ++tried;
    }
    QVERIFY(tried >= 5);
    QVERIFY(writeCell(session().cell()) == before && session().readingFrame() == reading);
    QVERIFY(!session().history().canUndo());
}

void EntryWindowTest::typedPoseIsTakenWithTheNextKey()
{
    auto* z = child<QLineEdit>("reading2");
    z->setFocus();
    QCoreApplication::processEvents();
    z->selectAll();
    QTest::keyClicks(z, "1000");
    QTest::keyClick(z, Qt::Key_Return);
    QCOMPARE(QApplication::focusWidget(), static_cast<QWidget*>(&view()));
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_T);
    const Target* taken = findTarget(session().cell(), targetNamed("Target 1"));
    QVERIFY(taken);
    QVERIFY(std::abs(taken->pose.translation[2] - 1.0) < 1e-6);
}

void EntryWindowTest::keysMeanTheSameInEveryList()
{
    // A step's target, from the list of steps.
    action("Route face")->trigger();
    select(stepAt(2));
    auto* list = child<QListView>("routeList");
    list->setFocus();
    const JointVector before = session().posture();
    QTest::keyClick(list, Qt::Key_M);
    QVERIFY((session().posture() - before).norm() > 0.1);
    // A frame from the tree, a target from its list.
    action("Add frame")->trigger();
    const size_t frames = session().cell().frames.size();
    auto* tree = child<QTreeWidget>("layoutTree");
    action("Cell face")->trigger();
    tree->setFocus();
    QTest::keyClick(tree, Qt::Key_Delete);
    QCOMPARE(session().cell().frames.size(), frames - 1);
    QTest::keyClick(&view(), Qt::Key_T);
    const TargetId taken = targetNamed("Target 1");
    QVERIFY(taken);
    action("Targets face")->trigger();
    select(taken);
    auto* targets = child<QTreeWidget>("targetsTree");
    targets->setFocus();
    QTest::keyClick(targets, Qt::Key_Delete);
    QVERIFY(!targetNamed("Target 1"));
    // Where text is typed they are text.
    action("Route face")->trigger();
    auto* line = child<QLineEdit>("typeStep");
    line->setFocus();
    const JointVector stands = session().posture();
    QTest::keyClicks(line, "mt");
    QVERIFY(line->text().startsWith("mt"));
    QVERIFY(session().posture() == stands && !targetNamed("Target 1"));
}

void EntryWindowTest::whatRunsHasItsOwnMark()
{
    action("Route face")->trigger();
    select(stepAt(9));
    const auto marked = [&] {
        QList<int> rows;
        const QAbstractItemModel* model = child<QListView>("routeList")->model();
        for (int r = 0; r < model->rowCount(); ++r)
            if (model->index(r, 0).data(RouteModel::RunsRole).toBool()) rows << r;
        return rows;
    };
    QVERIFY(marked().isEmpty());
    const ArmTrace& arm = *session().armTrace();
    for (const size_t i : {size_t(1), size_t(4), arm.spans.size() - 1}) {
        const ArmTrace::Span& span = arm.spans[i];
        session().scrub(0.5 * (span.start + span.end));
        QCoreApplication::processEvents();
        const int row = int(arm.outcomes[span.outcome].index);
        QCOMPARE(marked(), QList<int>{row});
        // The selection stays, and the row is in sight.
        QVERIFY(session().selected<StepId>() == stepAt(9));
        auto* list = child<QListView>("routeList");
        QVERIFY(list->viewport()->rect().contains(list->visualRect(list->model()->index(row, 0)).center()));
    }
    session().leaveRun();
    QVERIFY(marked().isEmpty());
}

void EntryWindowTest::addedThingIsNamedAtOnce()
{
    for (const char* command : {"Add frame", "Add part"}) {
        action(command)->trigger();
        QCoreApplication::processEvents();
        auto* name = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(name);
        QCOMPARE(name->objectName(), QString("propertyName"));
        QTest::keyClicks(name, QString("My own %1").arg(QString(command).mid(4)));
        QTest::keyClick(name, Qt::Key_Return);
        QCoreApplication::processEvents();
    }
    QVERIFY(frameNamed("My own frame"));
    QCOMPARE(session().cell().parts.back().name, std::string("My own part"));
    QCOMPARE(session().cell().frames.size(), size_t(5));
}

void EntryWindowTest::messagesLeave()
{
    action("Move home")->trigger();
    QVERIFY(note().startsWith("At "));
    QTest::qWait(200);  // what is done within that time still belongs to the message
    QVERIFY(note().startsWith("At "));
    QTest::keyClick(&view(), Qt::Key_Up);
    QVERIFY(note().isEmpty());
}

void EntryWindowTest::nothingToRunIsNotOffered()
{
    QVERIFY(child<QPushButton>("runButton")->isEnabled());
    newCell();
    QVERIFY(!child<QPushButton>("runButton")->isEnabled());
    fresh();
    QVERIFY(!child<QPushButton>("runButton")->isEnabled());
}

void EntryWindowTest::targetBesideARailThatIsAwayIsRefused()
{
    QVERIFY(m_window->openExample("glazing-line-on-a-rail"));
    fresh();
    FrameId carriage;
    for (const Frame& f : session().cell().frames)
        if (f.axis && f.axis->kind == JointKind::Prismatic) carriage = f.id;
    QVERIFY(carriage);
    // A target that takes no axis along, and the rail as far from it as it goes.
    const Table<Target> targets = session().cell().targets;
    for (const Target& target : targets)
        if (target.kind == Target::Kind::Pose)
            session().edit("Leave the rail", [&](const Cell& c) { return setTargetAxes(c, target.id, {}); });
    int refused = 0;
    for (const Target& target : targets) {
        if (target.kind != Target::Kind::Pose) continue;
        for (const double end : {findFrame(session().cell(), carriage)->axis->lowest,
                                 findFrame(session().cell(), carriage)->axis->highest}) {
            session().setAxis(carriage, end);
            select(target.id);
            if (session().goToSelected()) continue;
            QVERIFY2(note().contains("out of reach", Qt::CaseInsensitive) || note().size() > 20, qPrintable(note()));
            ++refused;
        }
    }
    QVERIFY(refused > 0);
}

void EntryWindowTest::slidesJogByLengths()
{
    QVERIFY(session().edit("Another arm", [id = session().station().id](const Cell& c) {
        return setArmModel(c, id, catalogueArm("gantry-2400"));
    }));
    const Arm& arm = session().arm();
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double before = session().posture()[i], step = arm.joints()[size_t(i)].kind == JointKind::Prismatic
                                                                 ? session().jogLength()
                                                                 : session().jogAngle();
        QVERIFY(session().jogJoint(i, 1) || session().jogJoint(i, -1));
        QVERIFY(std::abs(std::abs(session().posture()[i] - before) - step) < 1e-9);
    }
}

void EntryWindowTest::propertiesAndBack()
{
    action("Route face")->trigger();
    select(stepAt(2));
    auto* list = child<QListView>("routeList");
    list->setFocus();
    action("Properties and back")->trigger();
    QVERIFY(QApplication::focusWidget() != list);
    QVERIFY(child<QWidget>("propertiesInner")->isAncestorOf(QApplication::focusWidget()));
    action("Properties and back")->trigger();
    QCOMPARE(QApplication::focusWidget(), static_cast<QWidget*>(list));
}

void EntryWindowTest::instrumentsKeepTheirPlaces()
{
    // Whatever is selected, the buttons that jog stand where they stood.
    auto* button = child<QPushButton>("jogPlus0");
    const QPoint place = button->mapTo(m_window.get(), QPoint());
    std::vector<Selection> all{stepAt(0), stepAt(2), frameNamed("Drying rack"), Selection{}};
    for (const Target& t : session().cell().targets)
        all.push_back(t.id);
    for (const Part& p : session().cell().parts)
        all.push_back(p.id);
    for (const Selection& what : all) {
        select(what);
        QTest::qWait(1);
        QCOMPARE(button->mapTo(m_window.get(), QPoint()), place);
    }
    QTest::keyClick(&view(), Qt::Key_Up);
    QCOMPARE(button->mapTo(m_window.get(), QPoint()), place);
}

void EntryWindowTest::textOfAStepIsAllOfIt()
{
    QVERIFY(session().edit(
        "Add signal", [](const Cell& c) { return topikos::addSignal(c, "Cut off valve", Signal::Kind::Digital); }));
    typeSteps({"set Cut off valve on", "off set Cut off valve off"});
    auto* model = child<QListView>("routeList")->model();
    QStringList shown;
    for (int r = 0; r < model->rowCount(); ++r)
        shown << model->index(r, 0).data(RouteModel::MainRole).toString();
    QCOMPARE(shown.count("set Cut off valve on"), 1);
    QCOMPARE(shown.count("set Cut off valve off"), 1);
    // A blend that is taken out of the text is gone.
    QVERIFY(paceOf(session().routine().steps[1])->blend > 0);
    QVERIFY(model->setData(model->index(1, 0), "joint over Tile pick 120 mm"));
    QCOMPARE(paceOf(session().routine().steps[1])->blend, 0.0);
    QVERIFY(session().routine().steps[1].id == stepAt(1));
}

void EntryWindowTest::targetIsTakenInTheFrameThatIsSaid()
{
    const auto taken = [&](const char* frame) {
        QCoreApplication::processEvents();
        const QString said = child<QLabel>("viewNote")->text();
        QTest::keyClick(&view(), Qt::Key_T);
        const Target& last = session().cell().targets.back();
        QVERIFY2(said.contains(QString("</b> target in %1&").arg(frame)), qPrintable(said));
        QCOMPARE(frameName(session().cell(), last.frame), std::string(frame));
        session().say("");  // the message leaves
    };
    const auto read = [&](const char* frame) {
        auto* box = child<QComboBox>("readingFrame");
        Q_EMIT box->activated(box->findText(frame));
    };
    taken("World");
    select(frameNamed("Drying rack"));
    taken("Drying rack");
    taken("Drying rack");  // a target is selected by now
    read("Infeed belt");
    taken("Infeed belt");
    select(session().cell().parts.front().id);  // on the belt
    read("Drying rack");
    taken("Drying rack");
    select(session().cell().parts.front().id);
    taken("Infeed belt");
    select({});
    taken("Drying rack");  // as it is read
    // A new name is said, and another cell knows nothing of it.
    session().edit("Rename", [&](const Cell& c) { return renameFrame(c, frameNamed("Drying rack"), "Oven rack"); });
    taken("Oven rack");
    select(frameNamed("Infeed belt"));
    QVERIFY(m_window->openExample("planted-mistakes"));
    taken("World");
}

void EntryWindowTest::goingNearLooksPastWhatIsInTheWay()
{
    // A wall between the eye and the rack.
    const Vec3 rack = worldFromFrame(session().cell(), frameNamed("Drying rack")).translation,
               eye = view().camera().eye();
    FrameId wall;
    QVERIFY(session().edit("Wall", [&](const Cell& c) -> Result<Cell> {
        Result<Cell> framed = addFrame(c, "Wall", {}, translated(rack + 0.2 * (eye - rack)), &wall);
        Solid plate;
        plate.size = {0.02, 1.2, 3};
        plate.pose.rotation = Quat(Eigen::AngleAxisd(std::atan2(eye[1] - rack[1], eye[0] - rack[0]), Vec3::UnitZ()));
        return framed ? setFrameSolids(*framed, wall, {plate}) : framed;
    }));
    select(frameNamed("Drying rack"));
    const double before = view().camera().yaw;
    action("Go near the selected thing")->trigger();
    QVERIFY(std::abs(view().camera().yaw - before) > 0.1);
}

void EntryWindowTest::stepsByButtonsAndMenus()
{
    const TargetId place = targetNamed("Rack place");
    select(place);
    select(stepAt(2));
    action("Route face")->trigger();
    const size_t before = session().routine().steps.size();
    click(QString("insert%1").arg(int(StepKind::Line)));
    const Step& line = session().routine().steps[3];
    QVERIFY(line.kind() == StepKind::Line && targetOf(line) == place && session().selected<StepId>() == line.id);
    click(QString("insert%1").arg(int(StepKind::Grip)));
    QVERIFY(session().routine().steps[4].kind() == StepKind::Grip);
    click(QString("insert%1").arg(int(StepKind::WaitSignal)));  // there is no signal yet
    QVERIFY(note().contains("signal"));
    QCOMPARE(session().routine().steps.size(), before + 2);
    typeSteps({"to Home"});
    QVERIFY(findTarget(session().cell(), targetOf(session().routine().steps[5]))->name == "Home");
    // The right mouse button offers what the menus do.
    QStringList offered;
    for (const QAction* a : child<QListView>("routeList")->actions())
        offered << a->text();
    QVERIFY(offered.contains("Duplicate step") && offered.contains("Delete"));
    QCOMPARE(child<QListView>("routeList")->contextMenuPolicy(), Qt::ActionsContextMenu);
    QVERIFY(!child<QTreeWidget>("targetsTree")->actions().isEmpty());
}

void EntryWindowTest::tableOfAnySize()
{
    action("Add table")->trigger();
    QCoreApplication::processEvents();
    QTest::keyClicks(QApplication::focusWidget(), "Glaze table");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
    focusOn("furnitureWidth");
    for (const char* number : {"1500", "700", "900"})
        typeThere(number, Qt::Key_Tab);
    const Frame& table = *findFrame(session().cell(), frameNamed("Glaze table"));
    const auto known = furnitureOf(table.solids);
    QVERIFY(known && (Vec3(known->width, known->depth, known->height) - Vec3(1.5, 0.7, 0.9)).norm() < 1e-9);
    QVERIFY(std::abs(table.pose.translation[2] - 0.9) < 1e-9);  // its top carries the frame
}

void EntryWindowTest::stripGrowsAndComesBack()
{
    auto* strip = child<QTabWidget>("bottomPanel");
    const int high = strip->height();
    action("Grow the strip and back")->trigger();
    QCoreApplication::processEvents();
    QVERIFY(strip->height() > 2 * high && !view().isVisible());
    action("Grow the strip and back")->trigger();
    QCoreApplication::processEvents();
    QVERIFY(std::abs(strip->height() - high) <= 2 && view().isVisible());
}

void EntryWindowTest::manualIsInside()
{
    action("Manual")->trigger();
    auto* page = child<QTextBrowser>("manualPage");
    auto* pages = child<QListWidget>("manualPages");
    QVERIFY(page->isVisible());
    QVERIFY(page->toPlainText().startsWith("First cycle"));
    // Every page has a title, and its pictures are there.
    for (int i = 0; i < pages->count(); ++i) {
        pages->setCurrentRow(i);
        QVERIFY2(page->toPlainText().size() > 500 && !pages->item(i)->text().isEmpty(),
                 qPrintable(pages->item(i)->text()));
        for (QTextBlock block = page->document()->begin(); block.isValid(); block = block.next())
            for (auto it = block.begin(); !it.atEnd(); ++it)
                if (it.fragment().charFormat().isImageFormat()) {
                    const QString name = it.fragment().charFormat().toImageFormat().name();
                    const QUrl url = page->source().resolved(QUrl(name));
                    QVERIFY2(QFile::exists(":" + url.path()), qPrintable(url.toString()));
                }
    }
    child<QLineEdit>("manualSearch")->setText("hard links");
    int shown = 0;
    for (int i = 0; i < pages->count(); ++i)
        shown += pages->item(i)->isHidden() ? 0 : 1;
    QCOMPARE(shown, 1);
    QVERIFY(page->textCursor().selectedText().contains("hard links"));
    // Keys of the cell do nothing here; Esc goes back to it.
    QTest::keyClick(pages, Qt::Key_T);
    QVERIFY(!targetNamed("Target 1"));
    QTest::keyClick(pages, Qt::Key_Escape);
    QVERIFY(view().isVisible() && !page->isVisible());
}

TOPIKOS_TEST(EntryWindowTest)
#include "entry_window_test.moc"
