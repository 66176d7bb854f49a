#include "app/session/export.h"
#include "app/targets/targets_files.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/files/cell_file.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QAbstractButton>
#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFile>
#include <QMessageBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTimer>

using namespace topikos;
using namespace topikos::test;

/// The arm sent to what was clicked in the view, and steps that grip and set down there.
class SendWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void armGoesAboveWhatWasClicked();
    void farAwayMovesNothingAndSaysWhatLacks();
    void pickAndPlaceInAFewActions();
    void toASelectedTargetAndBack();
    void clickedPlaceGoesWithItsFrame();
    void targetsGoOutAndComeIn();
    void gripPointsOfAKindAreTaken();

private:
    QString what() { return child<QLabel>("sendWhat")->text(); }
    void clickAt(const Vec3& place) { QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(place)); }
    Pose placeOf(const char* part)
    {
        for (const Part& own : session().cell().parts)
            if (own.name == part) return session().shownPlace(own.frame) * own.pose;
        qFatal("there is no %s", part);
    }
};

void SendWindowTest::armGoesAboveWhatWasClicked()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    QVERIFY(!child<QPushButton>("sendTo")->isEnabled());
    const Pose tile = placeOf("Tile 2");
    const Vec3 top = tile.translation;
    clickAt(tile * Vec3(0.03, 0.02, 0.006));
    QCOMPARE(what(), QString("to Tile 2"));
    // A part is gone to as a whole.
    child<QDoubleSpinBox>("sendOff")->setValue(80);
    click("sendAbove");
    const Pose tcp = session().shownTcp();
    QVERIFY((tcp.rotation * Vec3::UnitZ() + Vec3::UnitZ()).norm() < 1e-9);
    QVERIFY(std::abs(tcp.translation.z() - (top.z() + 0.08)) < 1e-6);
    QVERIFY((tcp.translation - top).head<2>().norm() < 1e-6);
    QVERIFY2(note().contains("80.0 mm before it"), qPrintable(note()));
    // The other turns, one after the other, each at the same place; behind the last the best one again.
    const size_t turns = session().sendTurns();
    QVERIFY(turns > 1);
    const JointVector best = session().posture();
    session().setStopsAtContact(false);
    for (size_t i = 1; i < turns; ++i) {
        click("sendTurn");
        QVERIFY2(note().contains(QString("%1 of %2 turns").arg(i + 1).arg(turns)), qPrintable(note()));
        QVERIFY((session().shownTcp().translation - tcp.translation).norm() < 1e-6);
        QVERIFY((session().shownTcp().rotation * Vec3::UnitZ() + Vec3::UnitZ()).norm() < 1e-6);
    }
    click("sendTurn");
    QVERIFY(sameValues(session().posture(), best));
    session().setStopsAtContact(true);
    // Moved away by hand there is nothing to turn.
    QVERIFY(session().moveTyped("z +5"));
    QVERIFY(!child<QPushButton>("sendTurn")->isEnabled());
    QVERIFY(session().moveTyped("z -5"));
    // As the tool stands: no turn at all.
    QVERIFY(session().moveTyped("ry +15"));
    const Pose tilted = session().shownTcp();
    child<QComboBox>("sendAxis")->setCurrentIndex(1);
    click("sendAbove");
    QVERIFY(session().shownTcp().rotation.angularDistance(tilted.rotation) < 1e-9);
    QVERIFY(session().standBack());
    QVERIFY((session().shownTcp().translation - tilted.translation).norm() < 1e-9);
}

void SendWindowTest::farAwayMovesNothingAndSaysWhatLacks()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const JointVector stood = session().posture();
    session().setPicked(
        PickedPlace{{4, 0, 1}, Vec3::UnitZ(), Quat::Identity(), frameNamed("Drying rack"), "somewhere"});
    session().select(frameNamed("Drying rack"));
    click("sendTo");
    QVERIFY(sameValues(session().posture(), stood));
    QVERIFY2(note().contains("somewhere cannot be reached") && note().contains("mm too far for the wrist"),
             qPrintable(note()));
}

void SendWindowTest::pickAndPlaceInAFewActions()
{
    m_window->openExample("tile-glazing-line");
    QVERIFY(session().edit("Empty", [this](const Cell& c) {
        std::vector<StepId> all;
        for (const Step& step : session().routine().steps)
            all.push_back(step.id);
        return deleteSteps(c, session().routine().id, all);
    }));
    fresh();
    int actions = 0;
    const auto counted = [&](auto act) {
        act();
        ++actions;
    };
    const PartId tile = session().cell().parts.front().id;
    const Vec3 from = placeOf("Tile 1") * Vec3(0.02, 0, 0.006);
    const FrameId rack = frameNamed("Drying rack");
    const Vec3 to = session().shownPlace(rack) * Vec3(0.2, 0.35, 0);
    counted([&] { clickAt(from); });
    counted([&] { click("strokeGrip"); });
    counted([&] { clickAt(to); });
    QCOMPARE(what(), QString("to face of Drying rack"));
    counted([&] { click("strokeRelease"); });
    QCOMPARE(session().routine().steps.size(), size_t(8));
    fresh();
    QVERIFY2(actions <= 12, qPrintable(QString::number(actions)));
    const CheckResult& result = session().checked()->result;
    for (const Finding& f : result.findings)
        QVERIFY2(f.severity != Severity::Blocked, findingText(session().cell(), f).line().c_str());
    const CellState end = stateAt(session().cell(), result.trace, result.trace.duration);
    for (const PlacedPart& part : end.parts)
        if (part.part == tile) {
            QVERIFY(std::abs(part.worldFromPart.translation.z() - (to.z() + 0.006)) < 1e-6);
            QVERIFY((part.worldFromPart.translation - to).head<2>().norm() < 0.015);  // two pixels
        }
    // The height is that of the part gripped last, not of one that is only gone to.
    QVERIFY(session().edit("Go to another", [&](const Cell& c) {
        TargetId target;
        const Result<Cell> taken = takePoseTarget(c, session().station().id, c.parts[1].frame, session().shownPosture(),
                                                  "Other tile", &target);
        const Result<Cell> there = setTargetPose(*taken, target, c.parts[1].pose);
        return insertSteps(*there, session().routine().id, size_t(8), {jointTo(target)});
    }));
    QVERIFY(session().edit("Thicker", [&](const Cell& c) {
        Cell next = c;
        PartKind other = *findPartKind(c, c.parts[1].kind);
        other.id = {next.nextId++};
        other.name = "Block";
        other.solids.front().size.z() = 0.1;
        next.partKinds.push_back(other);
        next.parts.edit(c.parts[1].id)->kind = other.id;
        return Result<Cell>(next);
    }));
    clickAt(to);
    click("strokeRelease");
    const Target& placed = session().cell().targets.back();
    QVERIFY(std::abs((session().shownPlace(placed.frame) * placed.pose).translation.z() - (to.z() + 0.006)) < 1e-6);
    for (int i = 0; i < 3; ++i)
        action("Undo")->trigger();
    // Each stroke is one edit.
    action("Undo")->trigger();
    QCOMPARE(session().routine().steps.size(), size_t(4));
    action("Undo")->trigger();
    QCOMPARE(session().routine().steps.size(), size_t(0));
}

void SendWindowTest::toASelectedTargetAndBack()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    session().select(targetNamed("Rack place"));
    QCOMPARE(what(), QString("to Rack place"));
    child<QDoubleSpinBox>("sendOff")->setValue(120);
    child<QComboBox>("sendAxis")->setCurrentIndex(0);
    click("sendAbove");
    const Target& target = *findTarget(session().cell(), targetNamed("Rack place"));
    const Pose wanted = session().shownPlace(target.frame) * target.pose * translated({0, 0, -0.12});
    QVERIFY((session().shownTcp().translation - wanted.translation).norm() < 1e-6);
    session().select({});
    QVERIFY(!child<QPushButton>("sendAbove")->isEnabled());
}

void SendWindowTest::clickedPlaceGoesWithItsFrame()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const FrameId rack = frameNamed("Drying rack");
    clickAt(session().shownPlace(rack) * Vec3(0.2, 0.35, 0));
    QCOMPARE(what(), QString("to face of Drying rack"));
    const Vec3 first = session().sendPlace()->place;
    const Pose shift{Vec3(0.0125, -0.02, 0.01), Quat(Eigen::AngleAxisd(3 * kDegree, Vec3::UnitZ()))};
    const Pose before = session().shownPlace(rack);
    QVERIFY(session().edit("Shift",
                           [&](const Cell& c) { return setFramePose(c, rack, shift * findFrame(c, rack)->pose); }));
    const Vec3 wanted = session().shownPlace(rack) * (inverse(before) * first);
    QVERIFY((session().sendPlace()->place - wanted).norm() < 1e-12);
    QVERIFY((wanted - first).norm() > 0.02);
    // Another cell has no clicked place.
    m_window->openExample("glazing-line-on-a-rail");
    QVERIFY(!session().sendPlace());
    session().select(frameNamed("Drying rack"));
    QCOMPARE(what(), QString("to origin of Drying rack"));
}

void SendWindowTest::targetsGoOutAndComeIn()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const QTemporaryDir folder;
    const QString path = folder.filePath("targets.csv");
    saveTargets(session(), m_window.get(), path);
    // Nothing goes over the cell that is open, by whatever name it is called.
    const QString cell = folder.filePath("open.topikos");
    QVERIFY(!saveCell(cell.toStdString(), session().cell()));
    QVERIFY(m_window->openFile(cell));
    bool written = false;
    const auto write = [&]() -> Status {
        written = true;
        return std::nullopt;
    };
    QVERIFY(!writeExport(session(), folder.filePath("./open.topikos"), "It is", write) && !written);
    QVERIFY2(note().contains("is one that is read"), qPrintable(note()));
    QVERIFY(writeExport(session(), folder.filePath("beside.csv"), "It is", write) && written);
    bringInTargets(session(), m_window.get(), path);
    QVERIFY2(note().contains("what the targets are already"), qPrintable(note()));
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write("name,x [mm],y [mm]\nTile pick,5,0\nRack place,oops,0\n");
    file.close();
    const Cell before = session().cell();
    // Asked about the row that is wrong: first no, then the others.
    for (const bool rest : {false, true}) {
        bool asked = false;
        QTimer::singleShot(0, m_window.get(), [&] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            asked = box && box->text().contains("line 3") && box->text().contains("oops");
            for (QAbstractButton* button : box->buttons())
                if ((button->text() == "Take the others") == rest) return button->click();
        });
        bringInTargets(session(), m_window.get(), path);
        QVERIFY(asked);
        QCOMPARE(session().cell() == before, !rest);
    }
    QVERIFY(std::abs(findTarget(session().cell(), targetNamed("Tile pick"))->pose.translation.x() - 0.005) < 1e-12);
    action("Undo")->trigger();
    QVERIFY(session().cell() == before);
}

void SendWindowTest::gripPointsOfAKindAreTaken()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const Part tile = session().cell().parts.front();
    session().select(tile.id);
    QTRY_VERIFY(m_window->findChild<QPushButton*>("gripAdd"));
    // Where the tool stands after it was sent to the tile, 15 mm to the side.
    click("sendTo");
    QVERIFY2(session().moveTyped("x +15"), qPrintable(note()));
    const Pose grip = inverse(placeOf("Tile 1")) * session().shownTcp();
    session().select(tile.id);
    QTRY_VERIFY(m_window->findChild<QPushButton*>("gripAdd"));
    click("gripAdd");
    const PartKind kind = *findPartKind(session().cell(), tile.kind);
    QCOMPARE(kind.grips.size(), size_t(1));
    QVERIFY(deviation(kind.grips.front().pose, grip).metres < 1e-9);
    choose("grip0Freedom", 1);
    QCOMPARE(findPartKind(session().cell(), tile.kind)->grips.front().freedom.kind, Freedom::Kind::Turn);
    // Every part of the kind is gone to by it, and the target goes with the part.
    PartId other;
    for (const Part& part : session().cell().parts)
        if (part.name == "Tile 2") other = part.id;
    QVERIFY(other);
    session().select(other);
    QTRY_VERIFY(child<QPushButton>("strokeGrip")->isEnabled());
    const size_t many = session().cell().targets.size();
    click("strokeGrip");
    QVERIFY2(session().cell().targets.size() == many + 1, qPrintable(note()));
    const Target made = session().cell().targets.back();
    QCOMPARE(made.tie->part, other);
    QCOMPARE(made.freedom.kind, Freedom::Kind::Turn);
    QVERIFY((made.tie->pose.translation - grip.translation).norm() < 1e-6);
    QVERIFY(session().edit("Move", [&](const Cell& c) {
        return setPartPose(c, other, findPart(c, other)->pose * translated({0.0125, 0, 0}));
    }));
    const Target& moved = *findTarget(session().cell(), made.id);
    QVERIFY(std::abs((moved.pose.translation - made.pose.translation).norm() - 0.0125) < 1e-9);
    QVERIFY(deviation(moved.tie->pose, made.tie->pose).metres < 1e-12);
}

TOPIKOS_TEST(SendWindowTest)
#include "send_window_test.moc"
