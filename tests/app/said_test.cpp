#include "app/arms/arms_page.h"
#include "app/background/background.h"
#include "app/draw/ready_surface.h"
#include "app/draw/surface_draw.h"
#include "app/instruments/travel_bars.h"
#include "app/fields/number_field.h"
#include "app/session/text.h"
#include "app/window/message_log.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/files/cell_file.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QListWidget>
#include <QMessageBox>
#include <QPushButton>
#include <QSignalSpy>
#include <QSurfaceFormat>
#include <QTextBrowser>
#include <QTreeWidget>

#include <atomic>
#include <stdexcept>
#include <thread>

using namespace topikos;
using namespace topikos::test;

/// What the window says, asks and does beside the person's work.
class SaidTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void workThatBreaksDownIsTold();
    void workOfTheCellBeforeIsNotHeard();
    void largeBodiesAreMadeReadyBeside();
    void typedPoseStopsAtContact();
    void escapeEndsADragWhereItBegan();
    void fieldsShowTheChosenUnit();
    void messagesCanBeReadAgain();
    void messagesAreSeenWhereTheViewIsHidden();
    void keysAreListedFromTheActions();
    void foldsStayOverEdits();
    void enteredDataSheetIsAskedAbout();
    void lostCellThatIsPutOffIsOfferedAgain();
    void olderOpenGlIsToldInTheWindow();
};

void SaidTest::workThatBreaksDownIsTold()
{
    Background work(session(), "The search");
    QSignalSpy ended(&work, &Background::ended);
    bool done = false;
    work.start([](const Background::Task&) -> int { throw std::runtime_error("out of order"); },
               [&](int) { done = true; });
    QVERIFY(work.isWorking());
    QTRY_COMPARE(ended.size(), 1);
    QVERIFY(!done && !work.isWorking());
    QVERIFY2(note().startsWith("The search broke down: out of order."), qPrintable(note()));
    // The next piece of work is none the worse for it.
    work.start([](const Background::Task&) { return 7; }, [&](int made) { done = made == 7; });
    QTRY_VERIFY(done);
    QVERIFY(!work.isWorking());
    QCOMPARE(ended.size(), 1);
}

void SaidTest::workOfTheCellBeforeIsNotHeard()
{
    Background work(session(), "The search");
    QSignalSpy ended(&work, &Background::ended);
    QStringList heard;
    std::atomic<bool> asked{false};
    work.start(
        [&](const Background::Task& task) {
            while (task.goesOn())
                std::this_thread::yield();
            task.tell([&] { heard << "told"; });
            asked = true;
            return 1;
        },
        [&](int) { heard << "done"; });
    session().open(openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value(), "");
    QCOMPARE(ended.size(), 1);
    QTRY_VERIFY(asked);
    QCoreApplication::processEvents();
    QVERIFY2(heard.isEmpty(), qPrintable(heard.join(", ")));
}

void SaidTest::largeBodiesAreMadeReadyBeside()
{
    fresh();
    // A plate of 80,000 faces, and a line on it that is to be spaced anew.
    auto plate = std::make_shared<Triangles>();
    constexpr std::uint32_t side = 201;
    for (std::uint32_t i = 0; i < side * side; ++i)
        plate->points.push_back({float(i % side) * 0.002f, float(i / side) * 0.002f, 0.02f});
    for (std::uint32_t i = 0; i + side + 1 < side * side; ++i)
        if (i % side + 1 < side) {
            plate->faces.push_back({i, i + 1, i + side});
            plate->faces.push_back({i + 1, i + side + 1, i + side});
        }
    Solid solid;
    solid.kind = Solid::Kind::Mesh;
    solid.surface = {plate, plate};
    const FrameId rack = frameNamed("Drying rack");
    QVERIFY(session().edit("Bring in", [&](const Cell& cell) { return setFrameSolids(cell, rack, {solid}); }));
    QVERIFY(!readySurface({solid}));
    int used = 0;
    bool inLoop = false;
    for (int again = 0; again < 2; ++again)
        withSurface(session(), {solid}, "Plate", [&](const std::shared_ptr<const BodySurface>& made) {
            used += made && !made->empty();
            inLoop = true;
        });
    // It came back at once, and said so; what was asked for last is done when it is ready.
    QVERIFY(!inLoop);
    QVERIFY2(note().contains("The surface of Plate is being made ready"), qPrintable(note()));
    QTRY_COMPARE_WITH_TIMEOUT(used, 1, 20000);
    const std::shared_ptr<const BodySurface> surface = readySurface({solid});
    QVERIFY(surface);
    // A seam on it, smoothed when the surface is no longer at hand: as asked for, and later.
    Drawing drawing;
    for (const double x : {0.1, 0.2, 0.3})
        if (const auto spot = surface->hit({x, 0.2, 1}, {0, 0, -1}))
            drawing.points.push_back({std::uint32_t(drawing.points.size() + 1), spot->at, Vec3::UnitZ(), 0});
    QCOMPARE(drawing.points.size(), size_t(3));
    PatternId group;
    QVERIFY(session().edit("Draw", [&](const Cell& cell) {
        return addDrawnGroup(cell, cell.arms.front().id, rack, drawing, "Seam", session().posture(), {}, &group);
    }));
    for (int other = 1; other <= 4; ++other) {
        Solid box;
        box.size = Vec3::Constant(0.1 * other);
        QVERIFY(readySurface({box}));
    }
    QVERIFY(!readySurface({solid}));
    smoothGroup(session(), group, 0.012);
    const auto radius = [&] { return findPattern(session().cell(), group)->drawing.radius; };
    QVERIFY(radius() != 0.012);
    QTRY_COMPARE_WITH_TIMEOUT(radius(), 0.012, 20000);
}

void SaidTest::typedPoseStopsAtContact()
{
    fresh();
    session().setStopsAtContact(false);
    QVERIFY(session().goToTarget(targetNamed("Rack place")));
    QVERIFY(session().moveTyped("z 1000"));
    session().setStopsAtContact(true);
    const JointVector start = session().posture();
    QVERIFY2(session().downToContact(), qPrintable(note()));
    const double touched = session().shownTcp().translation.z();
    session().stand(start, {});
    QVERIFY(session().stopsAtContact());
    auto* z = child<QLineEdit>("reading2");
    z->setFocus();
    z->selectAll();
    QTest::keyClicks(z, QString::number(1000 * (touched - 0.03), 'f', 1));
    QTest::keyClick(z, Qt::Key_Return);
    const double stopped = session().shownTcp().translation.z();
    QVERIFY2(stopped > touched - 1e-4, qPrintable(QString("%1, touches at %2").arg(stopped).arg(touched)));
    QVERIFY2(note().startsWith("Stopped: "), qPrintable(note()));
}

void SaidTest::escapeEndsADragWhereItBegan()
{
    session().setStopsAtContact(false);
    const JointVector start = session().posture();
    auto* bars = child<TravelBars>("travelBars");
    const QPoint from = bars->markerAt(0, start[0]).toPoint(), to = bars->markerAt(0, 0.6).toPoint();
    QTest::mousePress(bars, Qt::LeftButton, {}, from);
    QTest::mouseMove(bars, to);
    QVERIFY(std::abs(session().posture()[0] - start[0]) > 0.1);
    QTest::keyClick(bars, Qt::Key_Escape);
    QVERIFY(session().posture() == start);
    QTest::mouseMove(bars, (from + to) / 2);
    QTest::mouseRelease(bars, Qt::LeftButton, {}, to);
    QVERIFY(session().posture() == start);
    // The same of the handle at the tool.
    const Pose tcp = session().shownTcp();
    const double metres = view().camera().metresPerPixel(tcp.translation, view().size());
    const QPoint arrow = pixelOf(tcp.translation + Vec3(0, 0, 55 * metres));
    QTest::mouseMove(&view(), arrow);
    QTest::mousePress(&view(), Qt::LeftButton, {}, arrow);
    QTest::mouseMove(&view(), arrow - QPoint(0, 20));
    QTest::mouseMove(&view(), arrow - QPoint(0, 40));
    QVERIFY((session().shownTcp().translation - tcp.translation).norm() > 0.01);
    QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY(session().posture() == start);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, arrow - QPoint(0, 40));
    QVERIFY(session().posture() == start);
}

void SaidTest::fieldsShowTheChosenUnit()
{
    fresh();
    chooseUnits(2, 1);  // inches and radians
    NumberField::showUnits();
    Q_EMIT session().cellChanged();
    session().select(session().routine().steps[2].id);  // a line at 150 mm/s
    QTRY_VERIFY(m_window->findChild<NumberField*>("stepSpeed"));
    auto* speed = child<NumberField>("stepSpeed");
    QCOMPARE(speed->text(), QString("5.906 in/s"));
    speed->setFocus();
    speed->selectAll();
    QTest::keyClicks(speed, "4");
    QTest::keyClick(speed, Qt::Key_Return);
    const auto ofStep = [&] { return session().routine().steps[2].as<LineMove>()->speed; };
    QVERIFY(std::abs(ofStep() - 4 * 0.0254) < 1e-9);
    speed->setFocus();
    speed->selectAll();
    QTest::keyClicks(speed, "0,1 m/s");
    QTest::keyClick(speed, Qt::Key_Return);
    QVERIFY(std::abs(ofStep() - 0.1) < 1e-9);
    // A joint in radians, typed at its bar.
    session().setStopsAtContact(false);
    auto* bars = child<TravelBars>("travelBars");
    bars->setFocus();
    session().setJogJointIndex(0);
    QTest::keyClick(bars, Qt::Key_F2);
    typeThere("0.5", Qt::Key_Return);
    QVERIFY(std::abs(session().posture()[0] - 0.5) < 1e-9);
    QCOMPARE(jointText(session().arm().joints()[0], 0.5), QString("0.500 rad"));
    chooseUnits(0, 0);
    NumberField::showUnits();
    QCOMPARE(speed->text(), QString("100.0 mm/s"));
}

void SaidTest::messagesCanBeReadAgain()
{
    session().say("The first one.");
    session().say("The second one.", true);
    action("Messages")->trigger();
    auto* list = child<QListWidget>("messageList");
    QVERIFY(list->isVisible() && list->hasFocus());
    QVERIFY(list->item(0)->text().endsWith("The second one."));
    QVERIFY(list->item(1)->text().endsWith("The first one."));
    QTest::keyClick(list, Qt::Key_Escape);
    QVERIFY(!list->isVisible());
}

void SaidTest::messagesAreSeenWhereTheViewIsHidden()
{
    auto* line = child<QLabel>("messageLine");
    session().say("In the view.");
    QVERIFY(!line->isVisible());
    action("Manual")->trigger();
    session().say("Over the manual.");
    QVERIFY(line->isVisible());
    QCOMPARE(line->text(), QString("Over the manual."));
    QVERIFY(MessageLog::readingTime(QString(200, 'x')) > MessageLog::readingTime("Short."));
}

void SaidTest::keysAreListedFromTheActions()
{
    QString words;
    answer<QDialog>("keysDialog", [&](QDialog* dialog) {
        words = dialog->findChild<QTextBrowser*>("keysText")->toPlainText();
        dialog->reject();
    });
    action("Keys")->trigger();
    int many = 0;
    for (const QAction* own : m_window->findChildren<QAction*>())
        for (const QKeySequence& key : own->shortcuts()) {
            if (own->text().isEmpty() || !m_window->actions().contains(own)) continue;
            ++many;
            QVERIFY2(words.contains(key.toString(QKeySequence::NativeText)), qPrintable(own->text()));
            QVERIFY2(words.contains(own->text().remove('&')), qPrintable(own->text()));
        }
    QVERIFY(many > 20);
    QVERIFY(words.contains("jog along X and Y"));
}

void SaidTest::foldsStayOverEdits()
{
    action("Targets face")->trigger();
    auto* tree = child<QTreeWidget>("targetsTree");
    QTRY_VERIFY(tree->topLevelItemCount() > 1);
    const QString name = tree->topLevelItem(0)->text(0);
    tree->topLevelItem(0)->setExpanded(false);
    const auto count = [&] {
        int all = 0;
        for (int i = 0; i < tree->topLevelItemCount(); ++i)
            all += tree->topLevelItem(i)->childCount();
        return all;
    };
    const int before = count();
    action("Take target here")->trigger();
    QTRY_COMPARE(count(), before + 1);
    QCOMPARE(tree->topLevelItem(0)->text(0), name);
    for (int i = 0; i < tree->topLevelItemCount(); ++i)
        QCOMPARE(tree->topLevelItem(i)->isExpanded(), i > 0);
    // Of another cell all can be seen.
    session().open(session().cell(), "");
    QTRY_COMPARE(count(), before + 1);
    QVERIFY(tree->topLevelItem(0)->isExpanded());
}

void SaidTest::enteredDataSheetIsAskedAbout()
{
    m_window->showArms(true);
    ArmsPage& page = m_window->armsPage();
    DataSheet sheet = page.model().sheet();
    sheet.name = "Half entered";
    page.model().change(sheet);
    auto* gallery = page.findChild<QListWidget*>("armGallery");
    int asked = 0;
    const auto click = [&](QMessageBox::StandardButton button) {
        answer<QMessageBox>("sheetBox", [&asked, button](QMessageBox* box) {
            ++asked;
            box->button(button)->click();
        });
        Q_EMIT gallery->itemActivated(gallery->item(1));
    };
    click(QMessageBox::Cancel);
    QCOMPARE(asked, 1);
    QCOMPARE(page.model().sheet().name, std::string("Half entered"));
    click(QMessageBox::Discard);
    QCOMPARE(asked, 2);
    QVERIFY(page.model().sheet().name != "Half entered");
}

void SaidTest::lostCellThatIsPutOffIsOfferedAgain()
{
    const QString copy = loseCell("Half done");
    action("Lost cells")->trigger();
    auto* open = child<QPushButton>("notice0");
    QVERIFY(open->isVisible());
    // The open cell has changes; who stays with it is offered the lost one again.
    QTest::keyClick(&view(), Qt::Key_T);
    answer<QMessageBox>("unsavedBox", [](QMessageBox* box) { box->button(QMessageBox::Cancel)->click(); });
    QTest::mouseClick(open, Qt::LeftButton);
    QVERIFY(open->isVisible());
    QCOMPARE(open->text(), QString("Open it as it was"));
    answer<QMessageBox>("unsavedBox", [](QMessageBox* box) { box->button(QMessageBox::Discard)->click(); });
    QTest::mouseClick(open, Qt::LeftButton);
    QCOMPARE(session().cell().name, std::string("Half done"));
    action("Lost cells")->trigger();
    QVERIFY2(note().startsWith("No cell with unsaved"), qPrintable(note()));
    session().saved(copy + " none", session().history().current());
}

void SaidTest::olderOpenGlIsToldInTheWindow()
{
    // What is not the desktop's OpenGL 3.3 counts as older, whatever its number.
    const QSurfaceFormat usual = QSurfaceFormat::defaultFormat();
    QSurfaceFormat small = usual;
    small.setRenderableType(QSurfaceFormat::OpenGLES);
    small.setVersion(2, 0);
    QSurfaceFormat::setDefaultFormat(small);
    {
        MainWindow second;
        second.show();
        QVERIFY(QTest::qWaitForWindowExposed(&second));
        QTRY_VERIFY(second.findChild<QLabel*>("viewRefusal"));
        const QString words = second.findChild<QLabel*>("viewRefusal")->text();
        QVERIFY2(words.contains("The view needs OpenGL 3.3"), qPrintable(words));
        // All else goes on.
        QVERIFY(second.session().edit("Rename", [](const Cell& cell) { return renameCell(cell, "Without a view"); }));
        QTest::mouseClick(&second.viewport(), Qt::LeftButton);
        second.session().saved("none", second.session().history().current());
    }
    QSurfaceFormat::setDefaultFormat(usual);
}

TOPIKOS_TEST(SaidTest)
#include "said_test.moc"
