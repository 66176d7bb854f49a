#include "core/cell/arms.h"
#include "core/cell/edit.h"
#include "core/cell/history.h"
#include "core/cell/time_tables.h"
#include "core/check/check.h"
#include "core/files/time_table_csv.h"
#include "core/motion/table_move.h"
#include "core/program/program_text.h"
#include "core/report/trace_csv.h"
#include "core/simulate/state.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

using namespace topikos;
using namespace topikos::test;

/// Time tables: read from text, played, measured against what the joints can do, kept in the cell.
class TimeTableTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void columnsAreMatchedByName_data();
    void columnsAreMatchedByName();
    void brokenTextsSayWhere_data();
    void brokenTextsSayWhere();
    void rowsReadBackToTheLastBit();
    void runPlaysAgainFromItsTable();
    void smoothPassesItsRowsAndRestsAtItsEnds();
    void linearAndHeldAreWhatTheySay();
    void overloadIsTheWorstThereIs_data();
    void overloadIsTheWorstThereIs();
    void fitsOneNotchBelow_data();
    void fitsOneNotchBelow();
    void stopsWhereAJointLeavesItsRange();
    void jumpsAreBlocked();
    void playsInARun();
    void editsKeepTablesRight();
};

namespace {

const ArmStation& firstArm(const Cell& cell) { return cell.arms.front(); }

TimeRows randomRows(const Arm& arm, std::mt19937_64& random, size_t rows, double step)
{
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    TimeRows out;
    for (int j = 0; j < arm.jointCount(); ++j)
        if (j == 0 || random() % 2) out.joints.push_back(j);
    for (size_t i = 0; i < rows; ++i) {
        out.times.push_back(i == 0 ? 0 : out.times.back() + real(0.3, 1) * step);
        for (const int j : out.joints) {
            const Joint& joint = arm.joints()[size_t(j)];
            const double middle = 0.5 * (joint.lower + joint.upper), half = 0.2 * (joint.upper - joint.lower);
            out.values.push_back(middle + real(-half, half));
        }
    }
    return out;
}

Move moveBy(const Arm& arm, const TimeRows& rows, BetweenRows between, std::uint32_t passes = 1, double speed = 1)
{
    JointVector from = armHome(arm);
    for (size_t k = 0; k < rows.joints.size(); ++k)
        from[rows.joints[k]] = rows.at(0, k);
    MotionLimits limits;
    limits.jointFraction = speed;
    return planTableMove(arm, from, {std::make_shared<const TimeRows>(rows), between, passes}, limits);
}

/// Findings of a cell with a text as its main routine.
std::vector<Finding> findingsOf(const Cell& cell, Rule rule)
{
    std::vector<Finding> out;
    for (const Finding& f : check(cell).findings)
        if (f.rule == rule) out.push_back(f);
    return out;
}

}  // namespace

void TimeTableTest::columnsAreMatchedByName_data()
{
    QTest::addColumn<std::string>("text");
    QTest::addColumn<double>("time");   // of the second row [s]
    QTest::addColumn<int>("joint");     // of the first column
    QTest::addColumn<double>("value");  // of the second row there [rad or m]
    QTest::addColumn<int>("columns");
    QTest::newRow("as runs are written") << std::string("time_s,joint_1_rad,gripper_m\n0,0.1,0\n0.5,0.2,0\n") << 0.5
                                         << 0 << 0.2 << 1;
    QTest::newRow("another order") << std::string("joint_3_rad,time_s,joint_1_rad\n1,0,2\n3,0.5,4\n") << 0.5 << 2 << 3.0
                                   << 2;
    QTest::newRow("brackets") << std::string("Time [ms],Joint 2 (deg)\n0,10\n250,90\n") << 0.25 << 1
                              << std::numbers::pi / 2 << 1;
    QTest::newRow("no unit: degrees") << std::string("t,j2\n0,0\n1,180\n") << 1.0 << 1 << std::numbers::pi << 1;
    QTest::newRow("spreadsheet, decimal comma")
        << std::string("time\tjoint_1 °\n0\t0\n0,5\t-45,0\n") << 0.5 << 0 << -std::numbers::pi / 4 << 1;
    QTest::newRow("semicolons") << std::string("time;joint_1_rad;joint_2_rad\r\n0;0,5;1\r\n1;1,5;2\r\n") << 1.0 << 0
                                << 1.5 << 2;
    QTest::newRow("of one arm of several")
        << std::string("time_s,Other joint_1_rad,Arm joint_1_rad\n0,9,1\n1,9,2\n") << 1.0 << 0 << 2.0 << 1;
    QTest::newRow("numbers alone") << std::string("3,0,0,0,0,0,0\n4,90,0,0,0,0,0\n") << 1.0 << 0 << std::numbers::pi / 2
                                   << 6;
    QTest::newRow("quotes, blank lines, byte order mark")
        << std::string("\xef\xbb\xbf\"time\",\"axis 4 [rad]\"\n\n\"0\",\"1\"\n\n1,\"2\"\n\n") << 1.0 << 3 << 2.0 << 1;
    QTest::newRow("does not begin at 0") << std::string("time_s,joint_1_rad\n10,1\n10.5,2\n") << 0.5 << 0 << 2.0 << 1;
}

void TimeTableTest::columnsAreMatchedByName()
{
    QFETCH(std::string, text);
    Cell cell = example("tile-glazing-line");
    cell = renameArm(cell, firstArm(cell).id, "Arm").value();
    std::vector<TableColumn> used;
    const Result<TimeRows> rows = readTimeTable(text, firstArm(cell), &used);
    QVERIFY2(rows, rows ? "" : rows.error().line().c_str());
    QCOMPARE(rows->size(), size_t(2));
    QCOMPARE(rows->times[0], 0.0);
    QTEST(rows->times[1], "time");
    QTEST(rows->joints[0], "joint");
    QTEST(rows->at(1, 0), "value");
    QTEST(int(rows->joints.size()), "columns");
}

void TimeTableTest::brokenTextsSayWhere_data()
{
    QTest::addColumn<std::string>("text");
    QTest::addColumn<std::string>("says");
    QTest::newRow("nothing") << std::string() << std::string("no rows");
    QTest::newRow("names alone") << std::string("time,joint_1\n") << std::string("no rows");
    QTest::newRow("a word") << std::string("time,joint_1\n0,0\n1,abc\n") << std::string("line 3, column \"joint_1\"");
    QTest::newRow("an empty cell") << std::string("time,joint_1\n0,\n1,2\n")
                                   << std::string("line 2, column \"joint_1\"");
    QTest::newRow("not a number") << std::string("time,joint_1\n0,nan\n1,2\n") << std::string("\"nan\"");
    QTest::newRow("endless") << std::string("time,joint_1\n0,1e999\n1,2\n") << std::string("\"1e999\"");
    QTest::newRow("time stands") << std::string("time,joint_1\n0,1\n1,2\n1,3\n") << std::string("line 4");
    QTest::newRow("time goes back") << std::string("time,joint_1\n0,1\n1,2\n0.5,3\n") << std::string("not later");
    QTest::newRow("columns missing") << std::string("time,joint_1\n0,1\n1\n") << std::string("line 3");
    QTest::newRow("no time") << std::string("joint_1\n0\n1\n") << std::string("time");
    QTest::newRow("no joint") << std::string("time,x\n0,1\n1,2\n") << std::string("no column is a joint");
    QTest::newRow("one row") << std::string("time,joint_1\n0,1\n") << std::string("rows");
    QTest::newRow("a turn of a thousand")
        << std::string("time,joint_1_rad\n0,1\n1,1001\n") << std::string("joint value");
    QTest::newRow("a day and more") << std::string("time,joint_1\n0,1\n90000,1\n") << std::string("time");
    QTest::newRow("open quotes") << std::string("time,\"joint_1\n0,1\n") << std::string("quotation mark");
    QTest::newRow("not UTF-8") << std::string("time,joint_1\xff\n0,1\n") << std::string("UTF-8");
}

void TimeTableTest::brokenTextsSayWhere()
{
    QFETCH(std::string, text);
    QFETCH(std::string, says);
    const Cell cell = example("tile-glazing-line");
    const Result<TimeRows> rows = readTimeTable(text, firstArm(cell));
    QVERIFY(!rows);
    const std::string line = rows.error().line();
    QVERIFY2(line.find(says) != line.npos, line.c_str());
    QVERIFY(!rows.error().remedy.empty());
}

void TimeTableTest::rowsReadBackToTheLastBit()
{
    std::mt19937_64 random(71);
    for (const char* id : {"sixaxis-1400", "scara-600", "gantry-2400"}) {
        const ArmPtr model = catalogueArm(id);
        ArmStation station = example("tile-glazing-line").arms.front();
        station.model = model;
        for (int n = 0; n < 20; ++n) {
            const TimeRows rows = randomRows(*model, random, 2 + random() % 200, 0.3);
            const Result<TimeRows> back = readTimeTable(timeTableCsv(*model, rows), station);
            QVERIFY2(back, back ? "" : back.error().line().c_str());
            QVERIFY(*back == rows);
        }
    }
}

/// What a run is written as plays the same motion, and the joints can follow it.
void TimeTableTest::runPlaysAgainFromItsTable()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    const Result<std::string> csv = traceCsv(cell, trace, 0.004);
    QVERIFY(csv);
    const Result<TimeRows> rows = readTimeTable(*csv, firstArm(cell));
    QVERIFY2(rows, rows ? "" : rows.error().line().c_str());
    QCOMPARE(rows->joints.size(), size_t(firstArm(cell).model->jointCount()));
    const Cell with = withProgram(addTimeTable(cell, firstArm(cell).id, "Again", *rows).value(),
                                  "routine Set one tile, run by Arm\n    play Again\n");
    const CheckResult judged = check(with);
    for (const Finding& f : judged.findings)
        QVERIFY2(f.severity != Severity::Blocked, findingText(with, f).line().c_str());
    const Trace again = simulate(with);
    QVERIFY(std::abs(again.duration - trace.duration) < 1e-6);
    const ArmId arm = firstArm(cell).id;
    for (double t = 0; t < trace.duration; t += 0.01) {
        const JointVector off = stateAt(with, again, t).of(arm).posture - stateAt(cell, trace, t).of(arm).posture;
        // Straight on between rows: a sagitta of acceleration times the square of the step over eight.
        QVERIFY2(off.cwiseAbs().maxCoeff() < 1e-4, qPrintable(QString::number(off.cwiseAbs().maxCoeff())));
    }
}

void TimeTableTest::smoothPassesItsRowsAndRestsAtItsEnds()
{
    std::mt19937_64 random(72);
    const ArmPtr arm = catalogueArm("sixaxis-1400");
    for (int n = 0; n < 50; ++n) {
        const TimeRows rows = randomRows(*arm, random, 3 + random() % 40, 0.5);
        const Move move = moveBy(*arm, rows, BetweenRows::Smooth);
        const TimingPtr timing = aloneTiming(std::make_shared<const Move>(move));
        QCOMPARE(timing->duration, rows.duration());
        if (move.stop) continue;
        for (size_t i = 0; i < rows.size(); ++i)
            for (size_t k = 0; k < rows.joints.size(); ++k)
                QVERIFY(std::abs(timing->postureAt(*arm, rows.times[i])[rows.joints[k]] - rows.at(i, k)) < 1e-9);
        QVERIFY(timing->speedAt(0).cwiseAbs().maxCoeff() < 1e-12);
        QVERIFY(timing->speedAt(rows.duration()).cwiseAbs().maxCoeff() < 1e-9);
        // Speed and acceleration are those of the position, without a jump at the rows.
        for (size_t i = 1; i + 1 < rows.size(); ++i) {
            const double t = rows.times[i], h = 1e-5;
            const JointVector before = timing->accelerationAt(t - 1e-9), after = timing->accelerationAt(t + 1e-9);
            QVERIFY((before - after).cwiseAbs().maxCoeff() < 1e-3 * (1 + after.cwiseAbs().maxCoeff()));
            const JointVector slope = (timing->postureAt(*arm, t + h) - timing->postureAt(*arm, t - h)) / (2 * h);
            QVERIFY((slope - timing->speedAt(t)).cwiseAbs().maxCoeff() < 1e-4 * (1 + slope.cwiseAbs().maxCoeff()));
        }
    }
}

void TimeTableTest::linearAndHeldAreWhatTheySay()
{
    const ArmPtr arm = catalogueArm("sixaxis-1400");
    const JointVector home = armHome(*arm);
    const TimeRows rows{{1}, {0, 1, 3}, {home[1], home[1] + 0.2, home[1] - 0.2}};
    const TimingPtr linear = aloneTiming(std::make_shared<const Move>(moveBy(*arm, rows, BetweenRows::Linear)));
    const TimingPtr held = aloneTiming(std::make_shared<const Move>(moveBy(*arm, rows, BetweenRows::Hold)));
    const auto at = [&](const TimingPtr& timing, double t) { return timing->postureAt(*arm, t)[1] - home[1]; };
    for (const auto& [time, straight, kept] :
         {std::tuple(0.5, 0.1, 0.0), {0.999, 0.1998, 0.0}, {1.0, 0.2, 0.2}, {2.0, 0.0, 0.2}, {3.0, -0.2, -0.2}}) {
        QVERIFY(std::abs(at(linear, time) - straight) < 1e-12);
        QVERIFY(std::abs(at(held, time) - kept) < 1e-12);
    }
    QVERIFY(std::abs(linear->speedAt(2)[1] + 0.2) < 1e-12);
    // Other joints stay; half the speed takes twice as long, and two passes twice again.
    QCOMPARE(linear->postureAt(*arm, 2)[0], home[0]);
    const TimeRows round{{1}, {0, 1, 3}, {home[1], home[1] + 0.2, home[1]}};
    const TimingPtr slow = aloneTiming(std::make_shared<const Move>(moveBy(*arm, round, BetweenRows::Linear, 2, 0.5)));
    QVERIFY(std::abs(slow->duration - 12) < 1e-12);
    QVERIFY(std::abs(at(slow, 7) - 0.1) < 1e-12);
}

void TimeTableTest::overloadIsTheWorstThereIs_data()
{
    QTest::addColumn<int>("between");
    QTest::newRow("linear") << int(BetweenRows::Linear);
    QTest::newRow("smooth") << int(BetweenRows::Smooth);
}

void TimeTableTest::overloadIsTheWorstThereIs()
{
    QFETCH(int, between);
    std::mt19937_64 random(73);
    const ArmPtr arm = catalogueArm("sixaxis-1400");
    int tooFast = 0, tooHard = 0;
    for (int n = 0; n < 60; ++n) {
        const TimeRows rows = randomRows(*arm, random, 3 + random() % 12, 1);
        const Move move = moveBy(*arm, rows, BetweenRows(between));
        const TimingPtr timing = aloneTiming(std::make_shared<const Move>(move));
        double speed = 0, acceleration = 0;
        for (int i = 0; i < 20000; ++i) {
            const double t = rows.duration() * (i + 0.5) / 20000;
            for (const int j : rows.joints) {
                const Joint& joint = arm->joints()[size_t(j)];
                speed = std::max(speed, std::abs(timing->speedAt(t)[j]) / joint.speed);
                acceleration = std::max(acceleration, std::abs(timing->accelerationAt(t)[j]) / joint.acceleration);
            }
        }
        QCOMPARE(move.as<TableSegment>()->speed.joint >= 0, speed > 1.001);
        if (speed > 1.001) {
            ++tooFast;
            QVERIFY(std::abs(move.as<TableSegment>()->speed.amount / move.as<TableSegment>()->speed.limit - speed) < 2e-3 * speed);
        }
        if (between == int(BetweenRows::Linear) || acceleration <= 1.001) continue;
        ++tooHard;
        QVERIFY(std::abs(move.as<TableSegment>()->acceleration.amount / move.as<TableSegment>()->acceleration.limit - acceleration)
                < 5e-3 * acceleration);
    }
    QVERIFY(tooFast > 10);
    QVERIFY(between == int(BetweenRows::Linear) || tooHard > 10);
}

void TimeTableTest::fitsOneNotchBelow_data()
{
    QTest::addColumn<std::string>("how");
    for (const char* how : {"", "smooth", "held"})
        QTest::newRow(*how ? how : "linear") << std::string(how);
}

/// Silent at the speed that is named, and raised a hundredth above it.
void TimeTableTest::fitsOneNotchBelow()
{
    QFETCH(std::string, how);
    Cell cell = programCell();
    cell = setTimeRows(cell, cell.timeTables.front().id, wobble(homePosture(cell, firstArm(cell)), 0.4, 0.8)).value();
    const auto at = [&](double percent) {
        return withProgram(cell,
                           fmt::format("routine Main, run by Arm\n    play Wobble {} at {:.6f} %\n", how, percent));
    };
    const Cell whole = at(100);
    double fits = 1;
    int found = 0;
    for (const Finding& f : check(whole).findings)
        if (const TableFact* fact = f.as<TableFact>()) {
            QCOMPARE(f.severity, Severity::Blocked);
            QVERIFY(measureOf(whole, f).measured > measureOf(whole, f).limit);
            fits = fact->fits;
            ++found;
        }
    QVERIFY(found > 0);
    QVERIFY(fits < 1 && fits > 0.01);
    const auto raised = [&](double speed) {
        const Cell own = at(100 * speed);
        return findingsOf(own, Rule::JointSpeed).size() + findingsOf(own, Rule::JointAcceleration).size();
    };
    QCOMPARE(raised(fits), size_t(0));
    QVERIFY(raised(1.01 * fits) > 0);
}

void TimeTableTest::stopsWhereAJointLeavesItsRange()
{
    Cell cell = programCell();
    const Arm& arm = *firstArm(cell).model;
    const JointVector home = homePosture(cell, firstArm(cell));
    const double end = arm.joints()[1].upper;
    // In range up to half of the second piece.
    const TimeRows rows{{1}, {0, 2, 4}, {home[1], end - 0.1, end + 0.1}};
    cell = setTimeRows(cell, cell.timeTables.front().id, rows).value();
    const Cell with = withProgram(cell, "routine Main, run by Arm\n    play Wobble\n    joint Home\n");
    const std::vector<Finding> range = findingsOf(with, Rule::JointRange);
    QCOMPARE(range.size(), size_t(1));
    QCOMPARE(range.front().severity, Severity::Blocked);
    QVERIFY(std::abs(range.front().as<RangeFact>()->amount - 0.1) < 1e-9);
    const Trace trace = simulate(with);
    QVERIFY(trace.blocked());
    const JointVector there = stateAt(with, trace, trace.duration).of(firstArm(with).id).posture;
    QVERIFY(std::abs(there[1] - end) < 1e-6);
    QVERIFY(std::abs(trace.duration - 3) < 1e-6);
}

void TimeTableTest::jumpsAreBlocked()
{
    Cell cell = programCell();
    const JointVector home = homePosture(cell, firstArm(cell));
    const TimeTableId table = cell.timeTables.front().id;
    const auto play = [&](TimeRows rows, const char* words) {
        return withProgram(setTimeRows(cell, table, std::move(rows)).value(),
                           fmt::format("routine Main, run by Arm\n    {}\n", words));
    };
    TimeRows away = wobble(home);
    for (size_t i = 0; i < away.values.size(); i += 2)
        away.values[i] += 0.01;
    const Cell off = play(away, "play Wobble");
    std::vector<Finding> found = findingsOf(off, Rule::JointSpeed);
    QCOMPARE(found.size(), size_t(1));
    QVERIFY(std::abs(measureOf(off, found.front()).measured - 0.01) < 1e-12);
    QVERIFY(simulate(off).blocked());
    // A joint move to where it begins mends it.
    TimeRows open = wobble(home);
    open.values[open.values.size() - 2] += 0.01;
    QVERIFY(findingsOf(play(open, "play Wobble"), Rule::JointSpeed).empty());
    found = findingsOf(play(open, "play Wobble 2 times"), Rule::JointSpeed);
    QCOMPARE(found.size(), size_t(1));
    QCOMPARE(found.front().as<TableFact>()->what, TableFact::What::JumpsAtRepeat);
    // Rows that are off by less than the last digit of a sheet give way.
    TimeRows near = wobble(home);
    for (size_t i = 0; i < near.values.size(); i += 2)
        near.values[i] += 0.9 * kSameRow;
    const Cell rounded = play(near, "play Wobble 2 times");
    QVERIFY(findingsOf(rounded, Rule::JointSpeed).empty());
    const Trace trace = simulate(rounded);
    QCOMPARE(stateAt(rounded, trace, 0).of(firstArm(rounded).id).posture[0], home[0]);
}

void TimeTableTest::playsInARun()
{
    const Cell cell =
        withProgram(programCell(),
                    "routine Main, run by Arm\n    wait 1 s\n    play Wobble smooth 3 times at 50 %\n    wait 1 s\n");
    const std::string text = programText(cell);
    QVERIFY2(text.find("play Wobble smooth 3 times at 50 %") != text.npos, text.c_str());
    const Trace trace = simulate(cell);
    QVERIFY(std::abs(trace.duration - 26) < 1e-9);
    const ArmId arm = firstArm(cell).id;
    const JointVector home = homePosture(cell, firstArm(cell));
    for (const int pass : {0, 1, 2}) {
        const double begin = 1 + 8 * pass;
        QVERIFY(std::abs(stateAt(cell, trace, begin).of(arm).posture[0] - home[0]) < 1e-9);
        QVERIFY(std::abs(stateAt(cell, trace, begin + 4).of(arm).posture[0] - home[0] - 0.4) < 1e-9);
    }
    QCOMPARE(stateAt(cell, trace, 26).of(arm).posture[0], home[0]);
    // Of another arm's routines, and of all arms', it is none.
    QVERIFY(!typedStep(cell, "play Nothing"));
    const Result<Step> times = typedStep(cell, "play Wobble 1.5 times");
    QVERIFY(!times);
}

void TimeTableTest::editsKeepTablesRight()
{
    const Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    play Wobble\n");
    const TimeTableId table = cell.timeTables.front().id;
    QVERIFY(!deleteTimeTable(cell, table));
    QVERIFY(!addTimeTable(cell, firstArm(cell).id, "wobble", *cell.timeTables.front().rows));
    const Cell renamed = renameTimeTable(cell, table, "Wipe").value();
    QVERIFY(programText(renamed).find("play Wipe") != std::string::npos);
    const Result<Cell> back = readCell(writeCell(renamed), "there and back");
    QVERIFY2(back, back ? "" : back.error().line().c_str());
    QVERIFY(*back == renamed);
    // Another arm keeps the joints that it has.
    TimeRows six = wobble(homePosture(cell, firstArm(cell)));
    six.joints = {0, 5};
    const Cell wide = setTimeRows(cell, table, six).value();
    History history(wide);
    QVERIFY(!history.apply("other arm",
                           [&](const Cell& c) { return setArmModel(c, firstArm(c).id, catalogueArm("scara-600")); }));
    QCOMPARE(history.current()->timeTables.front().rows->joints, std::vector<int>{0});
    QCOMPARE(history.current()->timeTables.front().rows->size(), six.size());
    TimeRows twice = six;
    twice.joints = {0, 0};
    QVERIFY(!setTimeRows(cell, table, twice));
    twice = six;
    twice.times[1] = 0;
    QVERIFY(!setTimeRows(cell, table, twice));
}

TOPIKOS_TEST(TimeTableTest)
#include "time_table_test.moc"
