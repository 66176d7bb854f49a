#include "core/cell/devices.h"
#include "core/program/step_text.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class StepTextTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void parseAndPrint_data();
    void parseAndPrint();
    void refused_data();
    void refused();
    void longestTargetNameWins();
};

namespace {

/// The demo cell with signals, a rail and a positioner.
Cell equipped()
{
    Cell cell = example("tile-glazing-line");
    cell = addSignal(cell, "Lamp", Signal::Kind::Digital).value();
    cell = addSignal(cell, "Lamp count", Signal::Kind::Number).value();
    cell = addDevice(cell, Device::Kind::Rail, "Rail", {}, {}).value();
    return addDevice(cell, Device::Kind::Positioner, "Positioner", {}, {}).value();
}

}  // namespace

void StepTextTest::parseAndPrint_data()
{
    QTest::addColumn<QString>("typed");
    QTest::addColumn<QString>("shown");
    QTest::newRow("joint move") << "joint to Home"
                                << "joint to Home";
    QTest::newRow("the target alone") << "to Home"
                                      << "joint to Home";
    QTest::newRow("over a target alone") << "over Tile pick 80"
                                         << "joint over Tile pick 80 mm";
    QTest::newRow("without to") << "joint Home"
                                << "joint to Home";
    QTest::newRow("any case, any spaces") << "  JOINT   to  hOME  at 60%"
                                          << "joint to Home at 60 %";
    QTest::newRow("line") << "line to Tile pick"
                          << "line to Tile pick at 250 mm/s";
    QTest::newRow("line at a speed") << "line to Tile pick at 150 mm/s"
                                     << "line to Tile pick at 150 mm/s";
    QTest::newRow("units left out") << "line over Rack place 80 at 150 blend 10"
                                    << "line over Rack place 80 mm at 150 mm/s blend 10 mm";
    QTest::newRow("units touching") << "line over Rack place 80mm at 150mm/s blend 12.5mm"
                                    << "line over Rack place 80 mm at 150 mm/s blend 12.5 mm";
    QTest::newRow("blend before speed") << "joint to Rack place blend 5 at 33.3"
                                        << "joint to Rack place at 33.3 % blend 5 mm";
    QTest::newRow("grip") << "grip"
                          << "grip";
    QTest::newRow("release") << "Release"
                             << "release";
    QTest::newRow("wait") << "wait 0.25"
                          << "wait 0.25 s";
    QTest::newRow("set on") << "set Lamp on"
                            << "set Lamp on";
    QTest::newRow("set to off") << "SET lamp TO off"
                                << "set Lamp off";
    QTest::newRow("set a number") << "set Lamp count to 3"
                                  << "set Lamp count to 3";
    QTest::newRow("wait for a signal") << "wait for Lamp"
                                       << "wait for Lamp";
    QTest::newRow("wait for off") << "wait for Lamp off"
                                  << "wait for Lamp off";
    QTest::newRow("wait for at least") << "wait for Lamp count at least 12"
                                       << "wait for Lamp count at least 12";
    QTest::newRow("wait for a number") << "wait for Lamp count 2"
                                       << "wait for Lamp count is 2";
    QTest::newRow("move a rail") << "move Rail 1200"
                                 << "move Rail to 1200 mm";
    QTest::newRow("move a rail slowly") << "move Rail to 1200 mm at 33 %"
                                        << "move Rail to 1200 mm at 33 %";
    QTest::newRow("move a positioner") << "move Positioner to 30 -90.5"
                                       << "move Positioner to 30° -90.5°";
    QTest::newRow("move with signs") << "move Positioner to 30° -90°"
                                     << "move Positioner to 30° -90°";
    QTest::newRow("switched off") << "off wait 2 s"
                                  << "off wait 2 s";
    QTest::newRow("switched off move") << "off joint to Home"
                                       << "off joint to Home";
}

void StepTextTest::parseAndPrint()
{
    QFETCH(QString, typed);
    QFETCH(QString, shown);
    const Cell cell = equipped();
    const Result<Step> step = typedStep(cell, typed.toStdString());
    QVERIFY2(step.ok(), step.ok() ? "" : step.error().line().c_str());
    QCOMPARE(QString::fromStdString(stepText(cell, *step)), shown);
    const Result<Step> again = typedStep(cell, stepText(cell, *step));
    QVERIFY(again.ok());
    QCOMPARE(stepText(cell, *again), stepText(cell, *step));
    QCOMPARE(again->off, step->off);
}

void StepTextTest::refused_data()
{
    QTest::addColumn<QString>("typed");
    QTest::addColumn<QString>("said");
    QTest::newRow("nothing") << ""
                             << "nothing is typed";
    QTest::newRow("not a step") << "jump to Home"
                                << "\"jump to Home\" is not a step";
    QTest::newRow("no target") << "line to"
                               << "a target is missing";
    QTest::newRow("unknown target") << "line to Kiln"
                                    << "no target called \"Kiln\"";
    QTest::newRow("no signal") << "wait for"
                               << "a signal is missing";
    QTest::newRow("unknown signal") << "set Bell on"
                                    << "no signal called \"Bell\"";
    QTest::newRow("no value") << "set Lamp"
                              << "the value of the signal is missing";
    QTest::newRow("digital at 5") << "set Lamp to 5"
                                  << "on (1) or off (0)";
    QTest::newRow("half a part") << "wait for Lamp count 2.5"
                                 << "whole numbers";
    QTest::newRow("at what") << "wait for Lamp count at 3"
                             << "\"at\" needs \"least\" or \"most\"";
    QTest::newRow("not a device") << "move Kiln to 3"
                                  << "no device called \"Kiln\"";
    QTest::newRow("frame without axes") << "move Drying rack to"
                                        << "no device with axes";
    QTest::newRow("one value of two") << "move Positioner to 30"
                                      << "\"Positioner plate\" goes is missing";
    QTest::newRow("past the rail") << "move Rail to 9000"
                                   << "0 to 2000 mm is its range";
    QTest::newRow("joint in mm/s") << "joint to Tile pick at 150 mm/s"
                                   << "a joint move's speed is in %";
    QTest::newRow("line in percent") << "line to Tile pick at 50 %"
                                     << "a line's speed is in mm/s";
    QTest::newRow("over without distance") << "line over Tile pick"
                                           << "\"over\" needs a number";
    QTest::newRow("over a posture") << "joint over Home 50 mm"
                                    << "is a posture";
    QTest::newRow("too fast") << "line to Tile pick at 50000"
                              << "limits are 0.1 and 10000 mm/s";
    QTest::newRow("word too many") << "grip hard"
                                   << "\"hard\" is too much";
    QTest::newRow("wait for what") << "wait"
                                   << "\"wait\" needs a time";
    QTest::newRow("wait backwards") << "wait -1"
                                    << "limits are 0 and 3600 s";
    QTest::newRow("not a number") << "wait nan"
                                  << "needs a time";
    QTest::newRow("infinite") << "joint to Home at inf"
                              << "needs a speed";
    QTest::newRow("stray words") << "joint to Home quickly"
                                 << "\"quickly\" is not understood";
}

void StepTextTest::refused()
{
    QFETCH(QString, typed);
    QFETCH(QString, said);
    const Result<Step> step = typedStep(equipped(), typed.toStdString());
    QVERIFY(!step.ok());
    QVERIFY2(QString::fromStdString(step.error().line()).contains(said), step.error().line().c_str());
}

void StepTextTest::longestTargetNameWins()
{
    Cell cell = example("tile-glazing-line");
    Target longer = cell.targets.back();
    longer.id = {cell.nextId++};
    longer.name = "Rack place two";
    cell.targets.push_back(longer);
    QCOMPARE(targetOf(*typedStep(cell, "line to rack place two")).value, longer.id.value);
    QCOMPARE(targetOf(*typedStep(cell, "line to rack place")).value, cell.targets[cell.targets.size() - 2].id.value);
}

TOPIKOS_TEST(StepTextTest)
#include "step_text_test.moc"
