#include "core/cell/arms.h"
#include "core/cell/edit_steps.h"
#include "core/cell/step_check.h"
#include "core/check/check.h"
#include "core/program/program_text.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <set>

using namespace topikos;
using namespace topikos::test;

/// Routines that several arms share, that are run alone, or that are nested as far as it goes.
class RoutineTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void whatAWaitDoesElseIsJudgedOnceInEveryBranch_data();
    void whatAWaitDoesElseIsJudgedOnceInEveryBranch();
    void placesThatNothingFillsInArePassedOver();
    void callsGoDownToTheLimitInAnyOrder_data();
    void callsGoDownToTheLimitInAnyOrder();
    void jointOfASharedRoutineIsThereOnEveryArm_data();
    void jointOfASharedRoutineIsThereOnEveryArm();
    void slidingJointOfTheSecondArmIsInMillimetres();
    void elseTooDeepIsAnError();
};

namespace {

Cell withLoader() { return addArm(programCell(), "Loader", catalogueArm("scara-600"), {}).value(); }

}  // namespace

void RoutineTest::whatAWaitDoesElseIsJudgedOnceInEveryBranch_data()
{
    QTest::addColumn<QString>("begin");
    QTest::newRow("not taken") << "    if Go is on\n";
    QTest::newRow("behind a wait for ever") << "    wait for Full\n    repeat 2 times\n";
}

void RoutineTest::whatAWaitDoesElseIsJudgedOnceInEveryBranch()
{
    QFETCH(QString, begin);
    const Cell cell = withProgram(programCell(2, 2), "routine Main, run by Arm\n" + begin.toStdString()
                                                         + "        for each place of Rack\n"
                                                           "            wait for Go at most 1 s, else line to place\n"
                                                           "            joint over place 100 mm\n");
    const Trace trace = simulate(cell);
    std::vector<std::string> lines, joints;
    for (const StepOutcome& o : trace.arms[0].outcomes) {
        if (!o.judgedOnly) continue;
        const Target* target = findTarget(cell, o.target);
        if (o.kind == StepKind::Line) lines.push_back(target->name);
        if (o.kind == StepKind::Joint) joints.push_back(target->name);
    }
    // At each place, once.
    QCOMPARE(lines.size(), size_t(4));
    QCOMPARE(std::set<std::string>(lines.begin(), lines.end()).size(), size_t(4));
    QCOMPARE(lines[0].substr(0, 4), std::string("Rack"));
    QVERIFY(!joints.empty());
    for (const std::string& name : joints)
        QCOMPARE(name.substr(0, 4), std::string("Rack"));
}

void RoutineTest::placesThatNothingFillsInArePassedOver()
{
    const Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    grip\n"
                                                 "routine Fetch (there), for Arm\n"
                                                 "    joint over there 100 mm\n"
                                                 "    line to there at 250 mm/s\n"
                                                 "    wait 2 s\n");
    const Routine& fetch = cell.routines[1];
    QCOMPARE(fetch.name, std::string("Fetch"));
    const Trace trace = simulate(cell, fetch);
    QCOMPARE(trace.arms[0].outcomes.size(), size_t(1));
    QCOMPARE(trace.duration, 2.0);
    QVERIFY(trace.arms[0].ended);
}

void RoutineTest::callsGoDownToTheLimitInAnyOrder_data()
{
    QTest::addColumn<int>("depth");
    QTest::addColumn<bool>("deepestFirst");
    for (const bool deepestFirst : {false, true})
        for (const int depth : {64, 65})
            QTest::addRow("%d calls, %s", depth, deepestFirst ? "deepest first" : "top first") << depth << deepestFirst;
}

void RoutineTest::callsGoDownToTheLimitInAnyOrder()
{
    QFETCH(int, depth);
    QFETCH(bool, deepestFirst);
    std::vector<std::string> routines{"routine Main, run by Arm\n    call Level 1\n"};
    for (int i = 1; i <= depth; ++i)
        routines.push_back(fmt::format("routine Level {}, for Arm\n    {}\n", i,
                                       i < depth ? fmt::format("call Level {}", i + 1) : "wait 1 s"));
    if (deepestFirst) std::reverse(routines.begin(), routines.end());
    std::string text;
    for (const std::string& routine : routines)
        text += routine;
    const ProgramReading reading = readProgram(programCell(), text);
    if (depth <= 64) {
        QVERIFY2(reading.cell, reading.errors.empty() ? "" : reading.errors[0].text().c_str());
        QCOMPARE(simulate(*reading.cell).duration, 1.0);
        return;
    }
    QVERIFY(!reading.cell);
    QVERIFY2(reading.errors[0].message.find("64") != std::string::npos, reading.errors[0].message.c_str());
    QVERIFY(reading.errors[0].message.find("itself") == std::string::npos);
}

void RoutineTest::jointOfASharedRoutineIsThereOnEveryArm_data()
{
    QTest::addColumn<QString>("step");
    QTest::addColumn<bool>("isRight");
    QTest::newRow("turns on both") << "joint 1 by 10°" << true;
    QTest::newRow("slides on one") << "joint 3 by 10°" << false;
    QTest::newRow("is missing on one") << "joint 6 by 10°" << false;
}

void RoutineTest::jointOfASharedRoutineIsThereOnEveryArm()
{
    QFETCH(QString, step);
    QFETCH(bool, isRight);
    const Cell cell = withLoader();
    const std::string mains = "routine Main, run by Arm\n    call Shared\nroutine Loader, run by Loader\n"
                              "    call Shared\n";
    const ProgramReading reading = readProgram(cell, mains + "routine Shared\n    " + step.toStdString() + "\n");
    QCOMPARE(reading.cell.has_value(), isRight);
    if (isRight) QCOMPARE(programText(*reading.cell).find(step.toStdString()) != std::string::npos, true);
}

void RoutineTest::slidingJointOfTheSecondArmIsInMillimetres()
{
    const std::string text = "routine Main, run by Arm\n    wait 1 s\nroutine Loader, run by Loader\n"
                             "    joint 3 by 20 mm at 10%\n";
    const Cell cell = withProgram(withLoader(), text);
    const Routine& loader = cell.routines[1];
    const JointShift& shift = std::get<JointShift>(loader.steps[0].as<JointMove>()->goal);
    QVERIFY(std::abs(shift.by - 0.020) < 1e-12);
    QVERIFY2(programText(cell).find("joint 3 by 20 mm") != std::string::npos, programText(cell).c_str());
    QCOMPARE(jointKindOf(cell, loader, 2), std::optional(JointKind::Prismatic));
    QVERIFY(withProgram(cell, programText(cell)).routines == cell.routines);
}

void RoutineTest::elseTooDeepIsAnError()
{
    std::string text = "routine Main, run by Arm\n", indent = "    ";
    for (int i = 0; i < 16; ++i, indent += "    ")
        text += indent + "if Go is on\n";
    text += indent + "grip\n";
    text += indent.substr(4) + "else\n";
    const std::string fits = text + indent + "release\n";
    QVERIFY(readProgram(programCell(), fits).cell);
    // One block more, in the `else` of a wait.
    const ProgramReading reading = readProgram(programCell(), text + indent + "wait for Go at most 1 s\n" + indent
                                                                  + "else\n" + indent + "    release\n");
    QVERIFY(!reading.cell);
    QCOMPARE(reading.errors[0].line, size_t(22));
}

TOPIKOS_TEST(RoutineTest)
#include "routine_test.moc"
