#include "app/instruments/travel_bars.h"
#include "app/session/text.h"
#include "app/strip/cycle_strip.h"
#include "core/cell/devices.h"
#include "core/cell/pattern.h"
#include "core/files/cell_file.h"
#include "core/program/step_text.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTreeWidget>

using namespace topikos;
using namespace topikos::test;

/// Devices, signals and several arms, by mouse and keyboard.
class DeviceWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void wholeLineIsBuiltFromAnEmptyCell();
    void axisIsJoggedWithTheArmOnIt();
    void axesComeAlongToATarget();
    void stepsAreMadeOfChoices();
    void signalsAreKeptInTheirTable();
    void armsAreTakenInHand();
    void runShowsDevicesAndSignals();
    void devicesAreMoreThanFrames();

private:
    void add(const QString& device);
    FrameId axisOf(const char* device) { return axesOf(session().cell(), frameNamed(device)).front(); }
    SignalId signalNamed(const char* name);
    /// Row of a signal in the table, -1 for none.
    int rowOf(const QString& signal);
    void rename(const QString& signal, const QString& name);
    /// Brings the TCP to a place in the frame that poses are read in, one value after the other, and takes a target
    /// there.
    void takeAt(const QStringList& values, const QString& name);
};

void DeviceWindowTest::add(const QString& device)
{
    for (QAction* entry : child<QMenu>("addMoreMenu")->actions())
        if (entry->text() == device) {
            entry->trigger();
            QCoreApplication::processEvents();
            return;
        }
    QFAIL(qPrintable("there is no " + device));
}

SignalId DeviceWindowTest::signalNamed(const char* name)
{
    for (const Signal& s : session().cell().signals)
        if (s.name == name) return s.id;
    return {};
}

int DeviceWindowTest::rowOf(const QString& signal)
{
    auto* table = child<QTableWidget>("signalsTable");
    for (int r = 0; r < table->rowCount(); ++r)
        if (table->item(r, 0)->text() == signal) return r;
    return -1;
}

void DeviceWindowTest::rename(const QString& signal, const QString& name)
{
    action("Signals")->trigger();
    QCoreApplication::processEvents();
    const int row = rowOf(signal);
    QVERIFY2(row >= 0, qPrintable("there is no signal " + signal));
    child<QTableWidget>("signalsTable")->item(row, 0)->setText(name);
    QCoreApplication::processEvents();
}

void DeviceWindowTest::takeAt(const QStringList& values, const QString& name)
{
    // All three, then Enter: what lies between would be gone to with what is there in the way.
    for (int i = 0; i < values.size(); ++i) {
        auto* field = child<QLineEdit>(QString("reading%1").arg(i));
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, values[i]);
    }
    QTest::keyClick(child<QLineEdit>(QString("reading%1").arg(values.size() - 1)), Qt::Key_Return);
    QVERIFY2(!child<QLabel>("readingVerdict")->isVisible(),
             qPrintable(name + ": " + child<QLabel>("readingVerdict")->text() + note()));
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_T);
    type("propertyName", name);
    QVERIFY(targetNamed(name.toUtf8()));
}

void DeviceWindowTest::wholeLineIsBuiltFromAnEmptyCell()
{
    newCell();
    action("Cell face")->trigger();
    // The arm on a rail along Y.
    pick("World");
    add("Rail");
    type("pose0", "0");
    type("pose1", "-1500");
    type("pose5", "90");
    pick("Rail carriage");
    const QString axis = QString("axis%1").arg(axisOf("Rail").value);
    type(axis + "High", "2400");
    type(axis + "Start", "250");
    click("mountHere");
    QVERIFY(session().station().mount == axisOf("Rail"));
    pick("Arm base");
    action("Delete")->trigger();
    QCOMPARE(session().cell().frames.size(), size_t(2));
    // The arm looks along the rail: a frame on the carriage turns it to the side.
    pick("Rail carriage");
    click("addFrame");
    type("propertyName", "Arm base");
    type("pose0", "0");
    type("pose1", "0");
    type("pose2", "60");
    type("pose5", "-90");
    click("mountHere");

    // A belt that goes on by 300 mm, four tiles on it, a press that makes more, a sensor at its end.
    pick("World");
    add("Belt");
    type("propertyName", "Infeed belt");
    type("pose0", "720");
    type("pose1", "-2700");
    type("pose2", "620");
    type("pose5", "90");
    type("deviceSize0", "1650");
    type("beltSpeed", "400");
    choose("beltMode", "by the pitch");
    type("beltPitch", "300");
    pick("Infeed belt");
    click("addPart");
    type("propertyName", "Tile 1");
    type("shapeSize0", "150");
    type("shapeSize1", "150");
    type("shapeSize2", "12");
    type("pose0", "1400");
    type("pose1", "0");
    type("pose2", "6");
    click("addPattern");
    QCoreApplication::processEvents();
    type("patternColumns", "4");
    type("patternRows", "1");
    type("patternPitch0", "-300");
    QCOMPARE(session().cell().parts.size(), size_t(4));
    pick("Infeed belt");
    add("Source");
    type("propertyName", "Press outlet");
    type("pose0", "200");
    type("pose2", "6");
    choose("sourceMakes", 1);
    choose("wireInput", "new: Press outlet next part");
    choose("wireNumber", "new: Press outlet parts made");
    rename("Press outlet next part", "Next tile");
    pick("Infeed belt");
    choose("wireInput", "Next tile");
    add("Presence sensor");
    type("propertyName", "Tile eye");
    type("pose0", "1400");
    type("pose1", "-220");
    type("pose2", "6");
    type("pose5", "90");
    type("deviceSize0", "440");
    rename("Presence sensor part seen", "Tile there");

    // A booth and a rack, as plain shapes.
    pick("World");
    click("addFrame");
    type("propertyName", "Glazing booth");
    type("pose0", "980");
    type("pose1", "-500");
    click("shapeAdd");
    QCoreApplication::processEvents();
    type("shapeSize0", "30");
    type("shapeSize1", "1000");
    type("shapeSize2", "1600");
    type("shape0", "500");
    type("shape2", "800");
    pick("World");
    click("addFrame");
    type("propertyName", "Drying rack");
    type("pose0", "620");
    type("pose1", "350");
    type("pose2", "550");

    // Targets where the arm is brought to, with the rail where it stands then.
    const auto standAt = [&](const QString& rail, const char* frame) {
        pick("Rail carriage");
        type(axis + "Now", rail);
        auto* box = child<QComboBox>("readingFrame");
        box->setCurrentIndex(box->findText(frame));
        Q_EMIT box->activated(box->currentIndex());
        QCOMPARE(session().readingFrame(), frameNamed(frame));
    };
    standAt("250", "Infeed belt");
    takeAt({"1400", "0", "6"}, "Tile pick");
    QCOMPARE(findTarget(session().cell(), targetNamed("Tile pick"))->axes, AxisValues({{axisOf("Rail"), 0.25}}));
    standAt("750", "Glazing booth");
    takeAt({"50", "-250", "1150"}, "Booth in");
    standAt("1250", "Glazing booth");
    takeAt({"50", "220", "1150"}, "Booth out");
    standAt("2200", "Drying rack");
    takeAt({"0", "0", "6"}, "Rack place");
    // The tile lies flat with its sides along the rack whatever way the jaws turn; a pattern of 4 x 6 of the place.
    action("Cell face")->trigger();
    click("addPattern");
    QCoreApplication::processEvents();
    type("patternColumns", "4");
    type("patternRows", "6");
    type("patternPitch0", "-170");
    type("patternPitch1", "185");
    QVERIFY(targetNamed("Rack place 24"));
    QVERIFY(!findTarget(session().cell(), targetNamed("Rack place 24"))->axes.empty());

    typeSteps({"joint to Home", "joint over Tile pick 120 blend 20", "wait for Tile there", "line to Tile pick at 150",
               "grip", "line over Tile pick 120 blend 20", "set Next tile on", "set Next tile off", "joint to Booth in",
               "line to Booth out at 200", "joint over Rack place 1 120 blend 20", "line to Rack place 1 at 150",
               "release", "line over Rack place 1 120 blend 20", "joint to Home"});
    fresh();
    const CheckResult& result = session().checked()->result;
    QStringList words;
    for (const Finding& f : result.findings)
        if (f.severity == Severity::Blocked) words << text(findingText(session().cell(), f).headline);
    QVERIFY2(words.isEmpty(), qPrintable(words.join("; ")));
    QVERIFY(partsPerHour(result.trace) > 100);
    QCOMPARE(result.trace.made.size(), size_t(1));
    // The tile ends in the rack; the next one has come to where the first one was.
    session().scrub(1e9);
    const CellState end = session().shownState();
    const auto placeOf = [&](const char* name) {
        for (const PlacedPart& p : end.parts)
            if (findPart(session().cell(), p.part) && findPart(session().cell(), p.part)->name == name)
                return p.worldFromPart.translation;
        return Vec3(NAN, NAN, NAN);
    };
    QVERIFY((placeOf("Tile 1") - Vec3(0.62, 0.35, 0.556)).norm() < 2e-3);
    QVERIFY((placeOf("Tile 2") - Vec3(0.72, -1.3, 0.626)).norm() < 1e-9);
    QVERIFY(child<CycleStrip>("cycleStrip")->laneNames().contains("Tile there"));
    // What was built is kept by its file, and every edit can be taken back.
    const std::string built = writeCell(session().cell());
    QCOMPARE(writeCell(readCell(built, "built").value()), built);
    while (session().history().canUndo())
        session().undo();
    QVERIFY(session().cell().frames.size() == 1 && session().cell().signals.empty()
            && session().routine().steps.empty());
    while (session().history().canRedo())
        session().redo();
    QCOMPARE(writeCell(session().cell()), built);
}

void DeviceWindowTest::axisIsJoggedWithTheArmOnIt()
{
    m_window->openExample("glazing-line-on-a-rail");
    fresh();
    auto* bars = child<TravelBars>("travelBars");
    const FrameId carriage = axisOf("Rail");
    const Pose before = session().shownTcp();
    // By the marker of the bar.
    const QPoint from = bars->markerAt(6, 0.25).toPoint(), to = bars->markerAt(6, 1.5).toPoint();
    QTest::mousePress(bars, Qt::LeftButton, {}, from);
    QMouseEvent move(QEvent::MouseMove, to, bars->mapToGlobal(to), Qt::LeftButton, Qt::LeftButton, {});
    QCoreApplication::sendEvent(bars, &move);
    QTest::mouseRelease(bars, Qt::LeftButton, {}, to);
    const double at = axisValue(*findFrame(session().cell(), carriage), session().shownAxes());
    QVERIFY2(std::abs(at - 1.5) < 0.02, qPrintable(QString::number(at)));
    QVERIFY((session().shownTcp().translation - before.translation - Vec3(0, at - 0.25, 0)).norm() < 1e-9);
    // The reading goes with it, the authored cell does not change.
    QCOMPARE(child<QLineEdit>("reading1")->text(), placeFigure(session().shownTcp().translation[1], 1));
    QVERIFY(session().history().undoLabel().empty());
    // By typing, and never past its range.
    action("Cell face")->trigger();
    pick("Carriage");
    type(QString("axis%1Now").arg(carriage.value), "2000");
    QVERIFY(std::abs(axisValue(*findFrame(session().cell(), carriage), session().shownAxes()) - 2) < 1e-12);
    session().setAxis(carriage, 99);
    QVERIFY(std::abs(axisValue(*findFrame(session().cell(), carriage), session().shownAxes()) - 2.4) < 1e-12);
    // Moving to a target takes the rail along.
    session().goToTarget(targetNamed("Booth in"));
    QVERIFY(std::abs(axisValue(*findFrame(session().cell(), carriage), session().shownAxes()) - 0.75) < 1e-12);
    const Target& booth = *findTarget(session().cell(), targetNamed("Booth in"));
    QVERIFY(deviation(session().shownTcp(), session().shownPlace(booth.frame) * booth.pose).metres < 1e-9);
}

void DeviceWindowTest::axesComeAlongToATarget()
{
    m_window->openExample("glazing-line-on-a-rail");
    fresh();
    const TargetId pick = targetNamed("Tile pick");
    const FrameId carriage = axisOf("Rail");
    session().select(pick);
    const QString axis = QString::number(carriage.value);
    type("targetAxis" + axis, "300");
    QCOMPARE(findTarget(session().cell(), pick)->axes, AxisValues({{carriage, 0.3}}));
    auto* box = child<QCheckBox>("comesAlong" + axis);
    QVERIFY(box->isChecked());
    box->click();
    QCoreApplication::processEvents();
    QVERIFY(findTarget(session().cell(), pick)->axes.empty());
    // Left to itself, the rail stays at its start, from where the tile can be reached as well.
    fresh();
    const ArmTrace& own = *session().armTrace();
    QVERIFY(!own.blockedAt);
    QVERIFY(own.outcomes[1].travels.empty());
    session().undo();
    QCoreApplication::processEvents();
    QVERIFY(child<QCheckBox>("comesAlong" + axis)->isChecked());
    // A pattern has one rail place for all.
    session().select(targetNamed("Rack place 3"));
    type("targetAxis" + axis, "2100");
    QCOMPARE(findTarget(session().cell(), targetNamed("Rack place 20"))->axes, AxisValues({{carriage, 2.1}}));
}

void DeviceWindowTest::stepsAreMadeOfChoices()
{
    m_window->openExample("glazing-line-on-a-rail");
    fresh();
    const StepId step = session().routine().steps[2].id;
    session().select(step);
    const auto shown = [&] { return QString::fromStdString(stepText(session().cell(), session().routine().steps[2])); };
    choose("stepValue", "off");
    QCOMPARE(shown(), QString("wait for Tile there off"));
    choose("stepSignal", "Tiles pressed");
    choose("stepComparison", "at least");
    type("stepValue", "2");
    QCOMPARE(shown(), QString("wait for Tiles pressed at least 2"));
    choose("stepKind", "move device");
    QCOMPARE(shown(), QString("move Rail to 250 mm"));
    type("stepAxis0", "1.5 m");
    type("stepSpeed", "40");
    QCOMPARE(shown(), QString("move Rail to 1500 mm at 40 %"));
    // Outside the range it cannot be typed.
    type("stepAxis0", "9000");
    QCOMPARE(shown(), QString("move Rail to 1500 mm at 40 %"));
    choose("stepKind", "set signal");
    QCOMPARE(shown(), QString("set Next tile on"));  // the first one that no device writes
    QCOMPARE(child<QComboBox>("stepSignal")->count(), 1);
    QCOMPARE(session().history().canUndo(), true);
}

void DeviceWindowTest::signalsAreKeptInTheirTable()
{
    m_window->openExample("glazing-line-on-a-rail");
    fresh();
    action("Signals")->trigger();
    auto* table = child<QTableWidget>("signalsTable");
    QCOMPARE(table->rowCount(), 4);
    const int next = rowOf("Next tile");
    QCOMPARE(table->item(next, 4)->text(), QString("Glaze one tile, step 7 · Glaze one tile, step 8"));
    QCOMPARE(table->item(next, 5)->text(), QString("Infeed belt: run · Press outlet: next part"));
    // What is used stays.
    table->setCurrentCell(next, 0);
    click("deleteSignal");
    QVERIFY2(note().contains("is used by Infeed belt: run"), qPrintable(note()));
    click("addSignal1");
    QCoreApplication::processEvents();
    QCOMPARE(table->rowCount(), 5);
    rename("Signal", "Oven heat");
    table->item(rowOf("Oven heat"), 2)->setText("812.5");
    QCoreApplication::processEvents();
    const SignalId oven = signalNamed("Oven heat");
    QVERIFY(oven && findSignal(session().cell(), oven)->start == 812.5);
    QCOMPARE(table->item(rowOf("Oven heat"), 4)->text(), QString("nobody here: keeps its start value"));
    table->item(rowOf("Oven heat"), 2)->setText("hot");
    QVERIFY2(note().contains("\"hot\" is no value"), qPrintable(note()));
    QCOMPARE(findSignal(session().cell(), oven)->start, 812.5);
    table->item(rowOf("Oven heat"), 2)->setText("640,25");
    QCOMPARE(findSignal(session().cell(), oven)->start, 640.25);
    choose(QString("signalKind%1").arg(rowOf("Oven heat")), "digital");
    QTRY_COMPARE(int(findSignal(session().cell(), oven)->kind), int(Signal::Kind::Digital));
    table->setCurrentCell(rowOf("Oven heat"), 0);
    click("deleteSignal");
    QCoreApplication::processEvents();
    QVERIFY(!signalNamed("Oven heat"));
}

void DeviceWindowTest::armsAreTakenInHand()
{
    action("Cell face")->trigger();
    pick("Drying rack");
    add("Arm");
    QCOMPARE(session().cell().arms.size(), size_t(2));
    const ArmId first = session().cell().arms[0].id, second = session().cell().arms[1].id;
    QVERIFY(session().station().id == second);
    // It stands on the rack, with its own jogging, targets and routine.
    QCOMPARE(findArm(session().cell(), second)->mount, frameNamed("Drying rack"));
    const JointVector before = session().posture();
    QVERIFY(session().jogJoint(0, 20));
    fresh();
    typeSteps({"joint to Arm 2 home", "wait 1 s"});
    auto* refusedLine = child<QLineEdit>("typeStep");
    refusedLine->setFocus();
    QTest::keyClicks(refusedLine, "joint to Tile pick");
    QTest::keyClick(refusedLine, Qt::Key_Return);
    QCOMPARE(session().routine().steps.size(), size_t(2));  // a target of the other arm
    refusedLine->clear();
    fresh();
    QCOMPARE(session().trace()->arms.size(), size_t(2));
    QVERIFY(child<CycleStrip>("cycleStrip")->laneNames().contains("Arm 2"));
    // Back to the first one: its posture is where it was, the other one keeps its own.
    action("Take next arm in hand")->trigger();
    QVERIFY(session().station().id == first);
    QVERIFY(session().posture() == homePosture(session().cell(), session().station()));
    QVERIFY(std::abs(session().shownState().of(second).posture[0] - before[0] - 20 * session().jogAngle()) < 1e-12);
    QCOMPARE(child<QComboBox>("routineChoice")->currentText(), QString("Arm: Set one tile"));
    choose("routineChoice", "Arm 2: Arm 2 routine");
    QVERIFY(session().station().id == second);
    QVERIFY(std::abs(session().posture()[0] - before[0] - 20 * session().jogAngle()) < 1e-12);
    // Only the targets of the arm in hand are listed.
    action("Targets face")->trigger();
    QCoreApplication::processEvents();
    QVERIFY(child<QTreeWidget>("targetsTree")->findItems("Tile pick", Qt::MatchExactly | Qt::MatchRecursive).isEmpty());
    session().goToTarget(targetNamed("Tile pick"));
    QVERIFY2(note().contains("is a target of Arm"), qPrintable(note()));
    // Taken in hand in the middle of a run, the picture goes on with the run of the cell as it is now.
    session().scrub(1);
    action("Take next arm in hand")->trigger();
    QVERIFY(view().grab().width() > 0);
    fresh();
    action("Take next arm in hand")->trigger();
    // A wait that cannot end is a finding; choosing it takes its arm in hand.
    SignalId never;
    QVERIFY(
        session().edit("Signal", [&](const Cell& c) { return addSignal(c, "Never", Signal::Kind::Digital, &never); }));
    typeSteps({"wait for Never"});
    fresh();
    action("Take next arm in hand")->trigger();
    fresh();
    QVERIFY(session().station().id == first);
    action("Next finding")->trigger();
    QVERIFY(session().station().id == second && session().selected<StepId>());
    // Deleted, it goes with all it has.
    session().scrub(0.5);
    action("Cell face")->trigger();
    pick("Arm 2");
    click("deleteArm");
    QVERIFY(session().cell().arms.size() == 1 && session().station().id == first
            && session().cell().routines.size() == 1);
    session().undo();
    QCOMPARE(session().cell().arms.size(), size_t(2));
}

void DeviceWindowTest::runShowsDevicesAndSignals()
{
    m_window->openExample("glazing-line-on-a-rail");
    fresh();
    const auto* strip = child<CycleStrip>("cycleStrip");
    const QStringList wanted{"Arm",     "Gripper jaws", "Part carried", "Devices",    "Carriage",     "Infeed belt",
                             "Signals", "Tile there",   "Next tile",    "Belt moves", "Tiles pressed"};
    QCOMPARE(strip->laneNames(), wanted);
    // The name of a group folds its lanes, and the keys fold all of them.
    auto* lanes = child<CycleStrip>("cycleStrip");
    const int lane = (lanes->minimumHeight() - 26) / int(wanted.size());
    QTest::mouseClick(lanes, Qt::LeftButton, {}, QPoint(20, 22 + 6 * lane + lane / 2));
    QCOMPARE(strip->laneNames(), wanted.mid(0, 7));
    QTest::keyClick(lanes, Qt::Key_Minus);
    QCOMPARE(strip->laneNames(), QStringList({"Arm", "Devices", "Signals"}));
    QTest::keyClick(lanes, Qt::Key_Plus);
    QCOMPARE(strip->laneNames(), wanted);
    action("Signals")->trigger();
    auto* table = child<QTableWidget>("signalsTable");
    const int row = rowOf("Tile there");
    const Trace& trace = *session().trace();
    const double gone = trace.signalEvents[1].time;  // the tile is lifted out of the beam
    session().scrub(0.5);
    QCOMPARE(table->item(row, 3)->text(), QString("on"));
    session().scrub(gone + 1e-3);
    QCOMPARE(table->item(rowOf("Tiles pressed"), 3)->text(),
             QString::number(signalAt(session().cell(), trace, signalNamed("Tiles pressed"), gone + 1e-3)));
    session().scrub(1e9);
    QCOMPARE(table->item(rowOf("Tiles pressed"), 3)->text(), QString("1"));
    // What the source made is drawn and is gone when the run is left.
    QCOMPARE(session().shownState().parts.size(), session().cell().parts.size() + 1);
    session().leaveRun();
    QCOMPARE(session().shownState().parts.size(), session().cell().parts.size());
}

void DeviceWindowTest::devicesAreMoreThanFrames()
{
    action("Cell face")->trigger();
    for (const char* kind : {"Rail", "Turntable", "Positioner", "Belt", "Source", "Sink", "Presence sensor", "Scanner",
                             "Clamp", "Light barrier"}) {
        pick("World");
        add(kind);
        const FrameId id = session().selected<FrameId>();
        QVERIFY2(id && findFrame(session().cell(), id)->device, kind);
        QVERIFY2(QString::fromStdString(deviceWord(findFrame(session().cell(), id)->device->kind))
                         .compare(kind, Qt::CaseInsensitive)
                     == 0,
                 kind);
        action("Copy selected thing")->trigger();
        const FrameId copy = session().selected<FrameId>();
        QVERIFY2(copy != id && findFrame(session().cell(), copy)->device, kind);
        QCOMPARE(axesOf(session().cell(), copy).size(), axesOf(session().cell(), id).size());
        action("Delete")->trigger();
        QVERIFY(!findFrame(session().cell(), copy));
    }
    // An axis goes with its device only.
    pick("Turntable plate");
    action("Delete")->trigger();
    QVERIFY2(note().contains("is an axis of"), qPrintable(note()));
    QVERIFY(frameNamed("Turntable plate"));
    fresh();
    QVERIFY(!session().trace()->blocked());
}

TOPIKOS_TEST(DeviceWindowTest)
#include "device_window_test.moc"
