#include "tests/core/program_cells.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/cell/validate.h"
#include "core/program/program_text.h"
#include "core/program/step_text.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <set>

using namespace topikos;
using namespace topikos::test;

class ProgramTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void sampleReadsAndPrints();
    void randomProgramsPrintAsTheyRead();
    void randomProgramsSurviveTheFile();
    void mutatedTextsEndInErrorsOrAProgram();
    void errorsSayWhereAndWhatIsMeant_data();
    void errorsSayWhereAndWhatIsMeant();
    void stepsThatStayKeepTheirIds();
    void renamedRoutineStaysTheSame();
    void namesThatCouldBeReadTwoWays();
    void pasteTakesWhatCopyGives();
    void wrapUnwrapAndMakeRoutine();
    void recursionNamesTheChain();
    void placesOfARoutineChangeWithItsCalls();
    void usesAreFound();
    void largeTextIsReadInTime();
};

namespace {

std::vector<StepId> idsOf(const Steps& steps)
{
    std::vector<StepId> out;
    eachStep(steps, [&](const Step& step, size_t) { out.push_back(step.id); });
    return out;
}

const char* const kSample = R"(routine Set one tile (pick, there)
    joint over pick 120 mm at 80 % blend 20 mm
    line to pick at 150 mm/s
    grip
    line over pick 120 mm at 250 mm/s
    joint over there 120 mm blend 20 mm
    line to there at 150 mm/s
    release
    line over there 120 mm at 250 mm/s

routine Main, run by Arm
    # fills the rack
    joint to Home
    for each place of Rack
        wait for Go at most 30 s, else stop "No tile came"
        call Set one tile (Tile pick, place)  # one of many
        pulse Full
    if Full
        repeat 3 times
            wait 0.5 s
    else
        set Full on
    off joint to Home
)";

}  // namespace

void ProgramTest::sampleReadsAndPrints()
{
    const Cell cell = withProgram(programCell(), kSample);
    QCOMPARE(QString::fromStdString(programText(cell)), QString(kSample));
    const Routine& tile = cell.routines[0];
    QVERIFY(!tile.arm && tile.parameters.size() == 2 && tile.parameters[0].name == "pick");
    const Steps& main = cell.routines[1].steps;
    QCOMPARE(main.size(), size_t(5));
    QVERIFY(main[0].kind() == StepKind::Note && main[0].note == "fills the rack");
    QCOMPARE(main[2].body.size(), size_t(3));
    QVERIFY(main[2].body[0].otherwise.front().as<Halt>()->message == "No tile came");
    const Call& call = *main[2].body[1].as<Call>();
    QVERIFY(call.routine == tile.id && call.places.size() == 2);
    QVERIFY(std::get<PatternId>(call.places[1]) == cell.patterns[0].id);
    QCOMPARE(main[3].body[0].body.size(), size_t(1));
    QCOMPARE(main[3].otherwise.size(), size_t(1));
    QVERIFY(main[4].off);
    QVERIFY(!validate(cell));
}

void ProgramTest::randomProgramsPrintAsTheyRead()
{
    std::mt19937_64 random(71);
    const Cell base = programCell();
    size_t kinds = 0, deepest = 0;
    std::set<StepKind> seen;
    for (int i = 0; i < 10000; ++i) {
        const Cell cell = randomProgram(base, random, 1 + random() % 12);
        const std::string text = programText(cell);
        const ProgramReading reading = readProgram(base, text);
        if (!reading.cell) {
            qInfo("%s", text.c_str());
            QVERIFY2(reading.cell, reading.errors.front().text().c_str());
        }
        if (programText(*reading.cell) != text) {
            qInfo("%s", text.c_str());
            QCOMPARE(QString::fromStdString(programText(*reading.cell)), QString::fromStdString(text));
        }
        // Put into its own cell, nothing changes: not even an id.
        const ProgramReading own = readProgram(cell, text);
        QVERIFY(own.cell);
        for (const Routine& routine : cell.routines) {
            QVERIFY(idsOf(findRoutine(*own.cell, routine.id)->steps) == idsOf(routine.steps));
            for (const StepRow& row : rowsOf(routine.steps)) {
                seen.insert(row.step->kind());
                deepest = std::max(deepest, size_t(row.depth));
            }
        }
        kinds = seen.size();
    }
    QCOMPARE(int(kinds), kStepKinds);
    QVERIFY(deepest >= 3);
}

void ProgramTest::randomProgramsSurviveTheFile()
{
    std::mt19937_64 random(72);
    const Cell base = programCell();
    for (int i = 0; i < 200; ++i) {
        const Cell cell = randomProgram(base, random, 30);
        QVERIFY(!validate(cell));
        const Result<Cell> back = readCell(writeCell(cell), "cell");
        QVERIFY2(back, back ? "" : back.error().line().c_str());
        QVERIFY(*back == cell);
    }
}

void ProgramTest::mutatedTextsEndInErrorsOrAProgram()
{
    // Each ends in errors with places, or in a program that can be saved. TOPIKOS_MUTANTS asks for more of them.
    const int many = std::max(4000, qEnvironmentVariableIntValue("TOPIKOS_MUTANTS"));
    std::mt19937_64 random(73);
    const Cell base = programCell();
    std::string seed = kSample;
    int programs = 0, refused = 0;
    for (int i = 0; i < many; ++i) {
        if (i % 100 == 0) seed = programText(randomProgram(base, random, 25));
        std::string text = seed;
        for (size_t k = 1 + random() % 3; k > 0; --k)
            text = mutatedText(text, random);
        const ProgramReading reading = readProgram(base, text);
        QVERIFY(reading.cell.has_value() == reading.errors.empty());
        const size_t lines = size_t(std::count(text.begin(), text.end(), '\n')) + 1;
        for (const TextError& error : reading.errors) {
            QVERIFY(error.line >= 1 && error.line <= lines && error.column >= 1);
            QVERIFY(!error.message.empty());
            QVERIFY(error.message.find('\n') == std::string::npos);
        }
        ++(reading.cell ? programs : refused);
        if (reading.cell) QVERIFY(!validate(*reading.cell));
    }
    QVERIFY(programs > 100 && refused > 1000);
}

void ProgramTest::errorsSayWhereAndWhatIsMeant_data()
{
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("error");
    const auto row = [](const char* name, const char* body, const char* error) {
        QTest::newRow(name) << QString("routine Main, run by Arm\n") + body << error;
    };
    row("misspelt target", "    line to Tile pik at 150 mm/s\n",
        "2:13: there is no target called \"Tile pik\"; \"Tile pick\" is meant?");
    row("misspelt step", "    lin to Tile pick\n", "2:5: \"lin to Tile pick\" is not a step; \"line\" is meant?");
    row("unknown signal", "    wait for Goo\n", "2:14: there is no signal called \"Goo\"; \"Go\" is meant?");
    row("unknown routine", "    call Mian\n", "2:10: there is no routine called \"Mian\"; \"Main\" is meant?");
    row("calls itself", "    call Main\n", "1:1: a routine would come to call itself: \"Main\" calls \"Main\"");
    row("place outside a loop", "    line to place\n", "\"place\" means something inside a \"for each place of\" only");
    row("indented too far", "    grip\n        release\n", "3:9: is indented, but the step before holds no others");
    row("not indented", "grip\n", "2:1: is not indented");
    row("else of nothing", "    grip\n    else\n        release\n", "3:5: \"else\" belongs to nothing");
    row("else without a limit", "    wait for Go, else grip\n", "there is no time limit, so no \"else\"");
    row("no main routine", "    grip\nroutine Main\n    grip\n", "3:1: there is a routine \"Main\" in line 1 already");
    row("limit", "    wait 4000 s\n", "2:5: a wait cannot be 4000 s");
    row("joint that turns", "    joint 4 by 10 mm\n", "joint 4 turns");
    row("twice round the same pattern",
        "    for each place of Rack\n        for each place of Rack\n            grip\n",
        "3:9: the step is in a \"for each\" of \"Rack\" already");
    row("wrong number of places", "    call Main (Home)\n", "2:5: \"Main\" takes 0 places, not 1");
    QTest::newRow("nothing runs") << "routine Main, for Arm\n    grip\n"
                                  << "no routine is run by \"Arm\"";
    QTest::newRow("steps without a routine") << "    grip\n"
                                             << "1:5: stands in no routine";
    QTest::newRow("unknown arm") << "routine Main, run by Armm\n    grip\n"
                                 << "1:22: there is no arm called \"Armm\"; \"Arm\" is meant?";
}

void ProgramTest::errorsSayWhereAndWhatIsMeant()
{
    QFETCH(QString, text);
    QFETCH(QString, error);
    const ProgramReading reading = readProgram(programCell(), text.toStdString());
    QVERIFY(!reading.cell);
    QString all;
    for (const TextError& e : reading.errors)
        all += QString::fromStdString(e.text()) + "\n";
    QVERIFY2(all.contains(error), qPrintable(all));
}

void ProgramTest::stepsThatStayKeepTheirIds()
{
    const Cell cell = withProgram(programCell(), kSample);
    const std::vector<StepId> before = idsOf(cell.routines[1].steps);
    // A step put in, one changed, one taken out, a block wrapped round.
    std::string text = kSample;
    const auto replace = [&](const std::string& what, const std::string& with) {
        const size_t at = text.find(what);
        QVERIFY(at != std::string::npos);
        text.replace(at, what.size(), with);
    };
    replace("        pulse Full\n", "        wait 1 s\n        pulse Full for 0.5 s\n");
    replace("    off joint to Home\n", "");
    const Cell after = withProgram(cell, text);
    const std::vector<StepId> now = idsOf(after.routines[1].steps);
    QVERIFY(idsOf(after.routines[0].steps) == idsOf(cell.routines[0].steps));
    const Step& pulse = after.routines[1].steps[2].body[3];
    QVERIFY(pulse.kind() == StepKind::PulseSignal && pulse.id == cell.routines[1].steps[2].body[2].id);
    for (const StepId id : before)
        if (id != before.back()) QVERIFY(std::find(now.begin(), now.end(), id) != now.end());
    QVERIFY(std::find(now.begin(), now.end(), before.back()) == now.end());
    QVERIFY(after.nextId > cell.nextId);
}

void ProgramTest::renamedRoutineStaysTheSame()
{
    const Cell cell = withProgram(programCell(), kSample);
    std::string text = kSample;
    for (const char* old : {"routine Set one tile", "call Set one tile"})
        text.replace(text.find(old), std::string(old).size(),
                     std::string(old).substr(0, std::string(old).find(' ')) + " Move a tile");
    const Cell after = withProgram(cell, text);
    QVERIFY(after.routines[0].id == cell.routines[0].id && after.routines[0].name == "Move a tile");
    QVERIFY(after.routines[0].parameters == cell.routines[0].parameters);
    QVERIFY(idsOf(after.routines[1].steps) == idsOf(cell.routines[1].steps));
}

void ProgramTest::namesThatCouldBeReadTwoWays()
{
    Cell cell = programCell();
    const TargetId odd[] = {cell.targets[1].id, cell.targets[2].id};
    cell.targets.edit(odd[0])->name = "place 120";
    cell.targets.edit(odd[1])->name = "place (left), #2";
    cell = withProgram(cell, R"(routine Main, run by Arm
    for each place of Rack
        line over place of Rack 120 mm at 250 mm/s
        line to place 120 at 250 mm/s
        line to "place (left), #2" at 250 mm/s  # odd
    line to place 120 at 250 mm/s
)");
    const Step& each = cell.routines[0].steps[0];
    QVERIFY(std::get<PatternId>(endOf(each.body[0])->place) == cell.patterns[0].id);
    QVERIFY(std::get<TargetId>(endOf(each.body[1])->place) == odd[0]);
    QVERIFY(std::get<TargetId>(endOf(each.body[2])->place) == odd[1]);
    QCOMPARE(each.body[2].note, std::string("odd"));
    const std::string text = programText(cell);
    const Cell again = withProgram(cell, text);
    QVERIFY(again.routines == cell.routines);
    // The place of the loop 120 mm above it must not become the target of that name.
    const StepScope scope{cell.routines[0], {cell.patterns[0].id}};
    const Result<Step> typed = parseStep(cell, scope, stepText(cell, each.body[0], &scope));
    QVERIFY(typed && endOf(*typed)->place == endOf(each.body[0])->place && endOf(*typed)->over == 0.12);
}

void ProgramTest::pasteTakesWhatCopyGives()
{
    std::mt19937_64 random(74);
    const Cell base = programCell();
    int pasted = 0;
    for (int i = 0; i < 300; ++i) {
        const Cell cell = randomProgram(base, random, 20);
        const Routine& routine = cell.routines[random() % cell.routines.size()];
        if (routine.steps.empty()) continue;
        const std::vector<StepRow> rows = rowsOf(routine.steps);
        const StepRow& row = rows[random() % rows.size()];
        const std::vector<PatternId> loops = loopsAround(routine.steps, row.place.block);
        const std::string text = stepsText(cell, routine, {row.step->id});
        const Result<std::vector<Step>> steps = parseSteps(cell, routine, loops, text);
        QVERIFY2(steps, steps ? "" : (text + steps.error().line()).c_str());
        QCOMPARE(steps->size(), size_t(1));
        // Put in behind what it was copied from, it reads the same.
        StepPlace place = row.place;
        ++place.at;
        std::vector<StepId> made;
        const Result<Cell> more = insertSteps(cell, routine.id, place, *steps, &made);
        QVERIFY(more);
        QCOMPARE(stepsText(*more, *findRoutine(*more, routine.id), {made[0]}), text);
        ++pasted;
    }
    QVERIFY(pasted > 100);
    QVERIFY(!parseSteps(base, base.routines[0], {}, "line to Nowhere\n"));
}

void ProgramTest::wrapUnwrapAndMakeRoutine()
{
    const Cell cell = withProgram(programCell(), kSample);
    const Routine& main = cell.routines[1];
    const std::vector<StepId> inner{main.steps[2].body[0].id, main.steps[2].body[1].id};
    StepId block;
    const Cell wrapped = wrapSteps(cell, main.id, inner, Step{.action = Repeat{}}, &block).value();
    QCOMPARE(wrapped.routines[1].steps[2].body.size(), size_t(2));
    QCOMPARE(wrapped.routines[1].steps[2].body[0].body.size(), size_t(2));
    QVERIFY(unwrapStep(wrapped, main.id, block).value().routines == cell.routines);
    QVERIFY(!wrapSteps(cell, main.id, {main.steps[0].id, main.steps[2].id}, Step{.action = Repeat{}}));
    // The loop's place becomes a place of the new routine.
    RoutineId made;
    const Cell split = makeRoutine(cell, main.id, inner, "Bring one", &made).value();
    const Routine& bring = *findRoutine(split, made);
    QCOMPARE(bring.parameters.size(), size_t(1));
    QCOMPARE(bring.parameters[0].name, std::string("place"));
    QVERIFY(bring.steps[0].id == inner[0] && bring.steps[1].id == inner[1]);
    const Call& call = *findRoutine(split, main.id)->steps[2].body[0].as<Call>();
    QVERIFY(call.routine == made && std::get<PatternId>(call.places[0]) == cell.patterns[0].id);
    QVERIFY(!validate(split));
    // And does the same, to the bit.
    const Trace a = simulate(cell), b = simulate(split);
    QVERIFY(a.duration == b.duration && a.arms[0].spans.size() == b.arms[0].spans.size());
    QVERIFY(!makeRoutine(cell, main.id, inner, "Main"));
}

void ProgramTest::recursionNamesTheChain()
{
    Cell cell = programCell();
    RoutineId a, b;
    cell = addRoutine(cell, {}, "First", &a).value();
    cell = addRoutine(cell, {}, "Second", &b).value();
    cell = insertStep(cell, a, 0, Step{.action = Call{b, {}}}).value();
    const Result<Cell> loop = insertStep(cell, b, 0, Step{.action = Call{a, {}}});
    QVERIFY(!loop);
    QVERIFY2(loop.error().line().find("\"First\" calls \"Second\" calls \"First\"") != std::string::npos,
             loop.error().line().c_str());
    // A routine that is called cannot go.
    QVERIFY(!deleteRoutine(cell, b));
    QVERIFY(deleteRoutine(cell, a));
}

void ProgramTest::placesOfARoutineChangeWithItsCalls()
{
    const Cell cell = withProgram(programCell(), kSample);
    const Routine& tile = cell.routines[0];
    std::vector<Parameter> places{tile.parameters[1], tile.parameters[0], {{}, "between"}};
    const Cell more = setParameters(cell, tile.id, places).value();
    const Call& call = *more.routines[1].steps[2].body[1].as<Call>();
    QCOMPARE(call.places.size(), size_t(3));
    QVERIFY(std::holds_alternative<PatternId>(call.places[0]));
    QVERIFY(std::get<TargetId>(call.places[2]) == more.arms.front().home);
    QVERIFY(!validate(more));
    QVERIFY(!setParameters(cell, tile.id, {tile.parameters[0]}));  // "there" is used
    QVERIFY(!setParameters(cell, tile.id, {tile.parameters[0], {tile.parameters[1].id, "Tile pick"}}));
    QVERIFY(!setMainRoutine(cell, tile.id));
}

void ProgramTest::usesAreFound()
{
    const Cell cell = withProgram(programCell(), kSample);
    const auto count = [&](const Used& what) { return stepsThatUse(cell, what).size(); };
    QCOMPARE(count(cell.routines[0].id), size_t(1));
    QCOMPARE(count(cell.patterns[0].id), size_t(2));  // the loop, and its place in the call
    QCOMPARE(count(cell.routines[0].parameters[0].id), size_t(3));
    QCOMPARE(count(findTarget(cell, cell.arms.front().home)->id), size_t(2));
    for (const Signal& signal : cell.signals)
        if (signal.name == "Full") {
            const std::vector<StepUse> uses = stepsThatUse(cell, signal.id);
            QCOMPARE(uses.size(), size_t(3));
            QVERIFY(uses[0].writes && !uses[1].writes && uses[2].writes);
            QVERIFY(!deleteSignal(cell, signal.id));
        }
}

void ProgramTest::largeTextIsReadInTime()
{
    // 5,000 steps in blocks; that it is quick is measured in the benchmarks, that it does not grow with the square
    // here.
    std::string text = "routine Main, run by Arm\n";
    for (int i = 0; i < 1000; ++i)
        text += "    repeat 2 times\n        line to Tile pick at 150 mm/s\n        grip\n        joint to Home\n      "
                "  release\n";
    const Cell cell = withProgram(programCell(), text);
    QCOMPARE(countSteps(cell.routines[0].steps), size_t(5000));
    QCOMPARE(programText(cell), text);
    const Cell same = withProgram(cell, text);
    QVERIFY(same == cell);
}

TOPIKOS_TEST(ProgramTest)
#include "program_test.moc"
