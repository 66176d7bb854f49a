#include "tests/core/program_cells.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "tests/run.h"

#include <functional>
#include <set>

using namespace topikos;
using namespace topikos::test;

using MakeCell = std::function<Cell()>;
Q_DECLARE_METATYPE(MakeCell)

class AdviceTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void firesAndIsSilent_data();
    void firesAndIsSilent();
    void everyRuleHasARow();
    void acceptedAdviceStaysUntilItsSubjectChanges();
    void onlyAdviceIsAccepted();
};

namespace {

/// The demo without what advice could be about, and a program.
Cell with(const std::string& text)
{
    Cell cell = example("tile-glazing-line");
    cell = addSignal(cell, "Go", Signal::Kind::Digital).value();
    cell = addSignal(cell, "Lamp", Signal::Kind::Digital).value();
    return withProgram(cell, text);
}

Cell main(const std::string& body)
{
    std::string text = "routine Main, run by Arm\n";
    for (size_t at = 0; at < body.size();) {
        const size_t end = std::min(body.find('\n', at), body.size());
        text += "    " + body.substr(at, end - at) + "\n";
        at = end + 1;
    }
    return with(text);
}

/// A branch of 300 steps that is passed so many times, each time from another posture.
Cell branches(int passes)
{
    std::string text =
        "joint to Home\nrepeat " + std::to_string(passes) + " times\n    joint 1 by 0.01°\n    if Go is on\n";
    for (int i = 0; i < 300; ++i)
        text += "        wait 1 s\n";
    return main(text);
}

const char* const kPick =
    "joint to Home\njoint over Tile pick 120 mm\nline to Tile pick at 150 mm/s\ngrip\n"
    "line over Tile pick 120 mm at 250 mm/s\njoint over Rack place 120 mm\nline to Rack place at 150 mm/s\n"
    "release\nline over Rack place 120 mm at 250 mm/s\njoint to Home";

std::string changed(std::string text, const std::string& what, const std::string& with)
{
    text.replace(text.find(what), what.size(), with);
    return text;
}

struct AdviceRow {
    Rule rule;
    const char* name;
    MakeCell fires, silent;
};

std::vector<AdviceRow> adviceRows()
{
    return {
        {Rule::AdviceUnusedTarget, "a target that no step goes to",
         [] { return main("joint to Home\njoint to Rack place\njoint to Home"); },
         [] { return main("joint to Home\njoint to Rack place\njoint over Tile pick 10 mm\njoint to Home"); }},
        {Rule::AdviceDoubledTarget, "a place twice and its neighbour never",
         [] {
             return withProgram(programCell(), "routine Main, run by Arm\n    line to Rack 1\n    line to Rack 2\n    "
                                               "joint to Home\n    line to Rack 2\n    line to Rack 4\n");
         },
         [] {
             return withProgram(programCell(), "routine Main, run by Arm\n    line to Rack 1\n    line to Rack 2\n    "
                                               "joint to Home\n    line to Rack 3\n    line to Rack 4\n");
         }},
        {Rule::AdviceNoApproach, "a grip come to from the side",
         [] {
             return main(changed(kPick, "joint over Tile pick 120 mm\nline to Tile pick at 150 mm/s",
                                 "joint to Tile pick\nline by 100 mm along x\nline to Tile pick at 150 mm/s"));
         },
         [] { return main(kPick); }},
        {Rule::AdviceJointIntoGrip, "a joint move to where the next step grips",
         [] { return main(changed(kPick, "line to Tile pick at 150 mm/s", "joint to Tile pick")); },
         [] { return main(kPick); }},
        {Rule::AdviceNotOpened, "a closed gripper", [] { return main("joint to Home\ngrip\n" + std::string(kPick)); },
         [] { return main("joint to Home\ngrip\nrelease\n" + std::string(kPick)); }},
        {Rule::AdviceGripAgain, "a grip while a part is held",
         [] { return main(changed(kPick, "joint over Rack", "grip\njoint over Rack")); }, [] { return main(kPick); }},
        {Rule::AdviceNothingHeld, "a release of nothing", [] { return main(std::string(kPick) + "\nrelease"); },
         [] { return main("release\n" + std::string(kPick)); }},
        {Rule::AdviceSideways, "a part dragged over its support",
         [] { return main(changed(kPick, "line over Tile pick 120 mm at", "line by 60 mm along x at")); },
         [] { return main(kPick); }},
        {Rule::AdviceEndlessWait, "a wait for what nobody switches", [] { return main("wait for Go\njoint to Home"); },
         [] { return main("wait for Go at most 5 s\njoint to Home"); }},
        {Rule::AdviceEndlessWait, "a wait for what is never set to that",
         [] { return main("set Go off\nwait for Go\njoint to Home"); },
         [] { return main("set Go on\nwait for Go\njoint to Home"); }},
        {Rule::AdviceTwoWriters, "a signal that two arms write",
         [] {
             Cell two = addArm(with("routine Main, run by Arm\n    set Go on\n"), "Other",
                               example("tile-glazing-line").arms[0].model, {})
                            .value();
             const RoutineId other = two.arms.back().main;
             return insertStep(two, other, 0, Step{.action = SetSignal{two.signals[0].id, 0}}).value();
         },
         [] {
             Cell two = addArm(with("routine Main, run by Arm\n    set Go on\n"), "Other",
                               example("tile-glazing-line").arms[0].model, {})
                            .value();
             const RoutineId other = two.arms.back().main;
             return insertStep(two, other, 0, Step{.action = SetSignal{two.signals[1].id, 0}}).value();
         }},
        {Rule::AdviceOtherTool, "a target taught with another point",
         [] {
             Cell cell = main(kPick);
             Tool& tool = *cell.tools.edit(cell.arms[0].tool);
             tool.points.push_back({{cell.nextId++}, "Edge", tool.flangeFromTcp});
             return insertStep(cell, cell.arms[0].main, 1, Step{.action = UsePoint{tool.points[0].id}}).value();
         },
         [] { return main("use point first\n" + std::string(kPick)); }},
        {Rule::AdviceOtherTool, "a target taught in another frame than is read from",
         [] { return main("read from Drying rack\n" + std::string(kPick)); },
         [] { return main("read from Drying rack\njoint to Home\njoint to Rack place\njoint to Home"); }},
        {Rule::AdviceUncalled, "a routine that is never called",
         [] { return with("routine Main, run by Arm\n    joint to Home\n\nroutine Wipe\n    wait 1 s\n"); },
         [] { return with("routine Main, run by Arm\n    call Wipe\n\nroutine Wipe\n    wait 1 s\n"); }},
        {Rule::AdviceOpenEnd, "a run that ends elsewhere", [] { return main("joint to Home\njoint to Rack place"); },
         [] { return main("joint to Home\njoint to Rack place\njoint to Home"); }},
        {Rule::AdviceNotJudged, "more steps in branches than are judged", [] { return branches(360); },
         [] { return branches(200); }},
    };
}

int adviceCount(const Cell& cell, Rule rule)
{
    const CheckResult result = check(cell);
    return int(std::count_if(result.findings.begin(), result.findings.end(),
                             [rule](const Finding& f) { return f.rule == rule; }));
}

}  // namespace

void AdviceTest::firesAndIsSilent_data()
{
    QTest::addColumn<Rule>("rule");
    QTest::addColumn<MakeCell>("fires");
    QTest::addColumn<MakeCell>("silent");
    for (const AdviceRow& row : adviceRows())
        QTest::newRow(row.name) << row.rule << row.fires << row.silent;
}

void AdviceTest::firesAndIsSilent()
{
    QFETCH(Rule, rule);
    QFETCH(MakeCell, fires);
    QFETCH(MakeCell, silent);
    const Cell bad = fires();
    QVERIFY(adviceCount(bad, rule) > 0);
    QCOMPARE(adviceCount(silent(), rule), 0);
    for (const Finding& f : check(bad).findings)
        if (f.rule == rule) {
            QVERIFY(f.severity == Severity::Advice);
            const FindingText words = findingText(bad, f);
            QVERIFY(!words.headline.empty() && words.line().find('\n') == std::string::npos);
            QVERIFY(std::string(ruleName(rule)).starts_with("advice-"));
            if (f.step)
                QVERIFY2(words.headline.find("tep ") != std::string::npos
                             || words.headline.find("written") != std::string::npos,
                         words.headline.c_str());
        }
}

void AdviceTest::everyRuleHasARow()
{
    std::set<Rule> seen;
    for (const AdviceRow& row : adviceRows())
        seen.insert(row.rule);
    for (int i = 0; i < kRules; ++i)
        if (isAdvice(Rule(i))) QVERIFY2(seen.contains(Rule(i)), ruleName(Rule(i)));
}

void AdviceTest::acceptedAdviceStaysUntilItsSubjectChanges()
{
    const Cell cell = main(changed(kPick, "line to Tile pick at 150 mm/s", "joint to Tile pick"));
    const CheckResult before = check(cell);
    const auto advice = std::find_if(before.findings.begin(), before.findings.end(),
                                     [](const Finding& f) { return f.rule == Rule::AdviceJointIntoGrip; });
    QVERIFY(advice != before.findings.end());
    const Cell accepted = acceptFinding(cell, *advice, "the jaws are wide open there").value();
    const CheckResult after = check(accepted);
    QCOMPARE(after.findings.size() + 1, before.findings.size());
    QCOMPARE(after.accepted.size(), size_t(1));
    QCOMPARE(after.accepted[0].accepted, std::string("the jaws are wide open there"));
    // It is in the file, and gone when the step reads otherwise, or when the reason is taken back.
    const Cell back = readCell(writeCell(accepted), "cell").value();
    QVERIFY(back == accepted);
    Step slower = *findStep(back.routines[0].steps, advice->step);
    slower.as<JointMove>()->speed = 0.5;
    QCOMPARE(check(changeStep(back, back.routines[0].id, slower).value()).accepted.size(), size_t(0));
    QCOMPARE(check(acceptFinding(back, *advice, "").value()).accepted.size(), size_t(0));
}

void AdviceTest::onlyAdviceIsAccepted()
{
    const Cell cell = main("wait for Go at most 1 s");
    const CheckResult result = check(cell);
    QVERIFY(!result.findings.empty());
    for (const Finding& f : result.findings)
        QCOMPARE(bool(acceptFinding(cell, f, "fine")), f.severity != Severity::Blocked);
}

TOPIKOS_TEST(AdviceTest)
#include "advice_test.moc"
