#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/fixture.h"
#include "core/cell/furniture.h"
#include "core/cell/history.h"
#include "core/cell/pattern.h"
#include "core/check/check.h"
#include "tests/core/random_edit.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Frames, parts, tools and patterns: edits, what follows them, and the file.
class LayoutTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void tenThousandEditsUndoToTheSameBytes();
    void acceptedEditsGiveACellThatOpens();
    void measuredFrameCarriesItsTargets();
    void newParentKeepsDrawnAndMeasuredPlaces();
    void copiedFixtureBringsAllThatIsInIt();
    void fixtureComesFromAnotherCell();
    void deletedFrameTakesItsContents();
    void refusalsSayWhy_data();
    void refusalsSayWhy();
    void madeNamesArePossibleOnes();
    void pointsOfAToolAreMeantByTargets();
    void gripRegionDecides();
    void layoutSurvivesTheFile();
    void versionOneIsRead();
    void furnitureStandsAndIsKnownAgain_data();
    void furnitureStandsAndIsKnownAgain();
};

void LayoutTest::tenThousandEditsUndoToTheSameBytes()
{
    History history(patterned());
    std::mt19937_64 random(77);
    const std::hash<std::string> digest;
    std::vector<size_t> states{digest(writeCell(*history.current()))};
    int applied = 0;
    for (int n = 0; n < 10000; ++n) {
        if (history.apply("edit", [&](const Cell& c) { return randomEdit(c, random); })) continue;
        // Writing takes longer than editing: every tenth state is kept.
        if (++applied % 10 == 0) states.push_back(digest(writeCell(*history.current())));
    }
    QVERIFY2(applied > 6000, qPrintable(QString::number(applied)));
    const std::string last = writeCell(*history.current());
    const Result<Cell> read = readCell(last, "edited");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QCOMPARE(writeCell(*read), last);
    int at = applied;
    while (history.canUndo()) {
        history.undo();
        if (--at % 10 == 0) QCOMPARE(digest(writeCell(*history.current())), states[size_t(at / 10)]);
    }
    QCOMPARE(at, 0);
    while (history.canRedo()) {
        history.redo();
        if (++at % 10 == 0) QCOMPARE(digest(writeCell(*history.current())), states[size_t(at / 10)]);
    }
    QCOMPARE(at, applied);
    QCOMPARE(writeCell(*history.current()), last);
}

void LayoutTest::acceptedEditsGiveACellThatOpens()
{
    // Values far beyond what is possible among them: they are refused, and what is accepted saves, opens and runs.
    std::mt19937_64 random(83);
    int accepted = 0, refused = 0;
    for (int round = 0; round < 60; ++round) {
        History history(round % 2 ? patterned() : randomWiring(random));
        for (int n = 0; n < 40; ++n) {
            const Status bad = history.apply("edit", [&](const Cell& c) { return randomEdit(c, random, true); });
            ++(bad ? refused : accepted);
            if (bad) QVERIFY(!bad->message.empty() && bad->line().find('\n') == std::string::npos);
        }
        const Cell& cell = *history.current();
        const std::string text = writeCell(cell);
        const Result<Cell> again = readCell(text, "edited");
        QVERIFY2(again.ok(), again.ok() ? "" : again.error().line().c_str());
        QCOMPARE(writeCell(*again), text);
        RunOptions options;
        options.until = 60;
        QVERIFY(simulate(cell, options).duration <= 60);
        QVERIFY(!check(cell).targets.empty());
    }
    QVERIFY2(accepted > 800 && refused > 300,
             qPrintable(QString("%1 accepted, %2 refused").arg(accepted).arg(refused)));
}

void LayoutTest::measuredFrameCarriesItsTargets()
{
    Cell cell = example("tile-glazing-line");
    const FrameId rack = frameNamed(cell, "Drying rack");
    const Target place = cell.targets.back();  // the cell is replaced below
    QVERIFY(place.frame == rack);
    const Pose drawn = worldFromFrame(cell, rack), before = baseFromTarget(cell, place);
    const Pose built =
        findFrame(cell, rack)->pose * Pose{Vec3(0.004, -0.003, 0.001), Quat(Eigen::AngleAxisd(0.01, Vec3::UnitZ()))};
    cell = setFrameMeasured(cell, rack, built).value();
    const Pose shift = worldFromFrame(cell, rack) * inverse(drawn);
    QVERIFY(deviation(worldFromBase(cell, cell.arms.front()) * baseFromTarget(cell, place),
                      shift * worldFromBase(cell, cell.arms.front()) * before)
                .metres
            < 1e-12);
    QVERIFY((worldFromFrame(cell, rack).translation - drawn.translation).norm() > 0.004);
    // Switched off, all is as drawn; the measurement is kept.
    const Cell asDrawn = setAsBuilt(cell, false).value();
    QVERIFY(deviation(worldFromFrame(asDrawn, rack), drawn).metres < 1e-15);
    QVERIFY(findFrame(asDrawn, rack)->measured.has_value());
    // What is moved is the placement in force; the other one stays.
    QVERIFY(findFrame(setFramePose(cell, rack, Pose{}).value(), rack)->pose == findFrame(cell, rack)->pose);
    QVERIFY(findFrame(setFramePose(asDrawn, rack, Pose{}).value(), rack)->measured == built);
}

void LayoutTest::newParentKeepsDrawnAndMeasuredPlaces()
{
    Cell cell = example("tile-glazing-line");
    const FrameId rack = frameNamed(cell, "Drying rack"), belt = frameNamed(cell, "Infeed belt");
    cell = setFramePose(cell, belt, {Vec3(0.3, -0.2, 0.5), Quat(Eigen::AngleAxisd(0.6, Vec3(1, 2, 3).normalized()))})
               .value();
    cell = setFrameMeasured(cell, rack, findFrame(cell, rack)->pose * translated({0.01, 0.02, 0})).value();
    const Cell moved = setFrameParent(cell, rack, belt).value();
    for (const bool built : {true, false}) {
        const PoseDeviation away = deviation(worldFromFrame(setAsBuilt(cell, built).value(), rack),
                                             worldFromFrame(setAsBuilt(moved, built).value(), rack));
        QVERIFY(away.metres < 1e-12 && away.radians < 1e-12);
    }
}

void LayoutTest::copiedFixtureBringsAllThatIsInIt()
{
    Cell cell = patterned();
    const FrameId rack = frameNamed(cell, "Drying rack");
    cell = addFrame(cell, "Shelf", rack, translated({0, 0, 0.3})).value();
    cell = addPart(cell, "Jar", frameNamed(cell, "Shelf"), {}).value();
    FrameId copy;
    const Cell both = copyFixture(cell, rack, &copy).value();
    const auto countIn = [](const Cell& c, FrameId top, const auto& list) {
        return std::count_if(list.begin(), list.end(),
                             [&](const auto& o) { return o.frame && isBelow(c, o.frame, top); });
    };
    QCOMPARE(countIn(both, copy, both.parts), countIn(cell, rack, cell.parts));
    QCOMPARE(countIn(both, copy, both.targets), countIn(cell, rack, cell.targets));
    QCOMPARE(both.frames.size(), cell.frames.size() + 2);
    QCOMPARE(both.patterns.size(), cell.patterns.size() + 2);
    // Targets stand in the copy as in the original, and mean the same way.
    for (const Target& t : both.targets) {
        if (t.frame != copy || t.pattern) continue;
        const Target& original =
            cell.targets[size_t(std::find_if(cell.targets.begin(), cell.targets.end(),
                                             [&](const Target& o) { return t.name == o.name + " copy"; })
                                - cell.targets.begin())];
        QVERIFY(t.pose == original.pose && t.configuration == original.configuration && t.tool == original.tool);
    }
    // The copies are things of their own: changing one pattern leaves the other.
    Pattern pattern = both.patterns.back();
    QVERIFY(isBelow(both, pattern.frame, copy));
    pattern.columns += 1;
    const Cell grown = changePattern(both, pattern).value();
    QVERIFY(countIn(grown, copy, grown.targets) > countIn(both, copy, both.targets));
    QCOMPARE(countIn(grown, rack, grown.targets), countIn(both, rack, both.targets));
    QCOMPARE(writeCell(readCell(writeCell(grown), "copied").value()), writeCell(grown));
}

void LayoutTest::fixtureComesFromAnotherCell()
{
    Cell from = patterned();
    const FrameId rack = frameNamed(from, "Drying rack");
    TcpId tip;
    from = addToolPoint(from, from.arms.front().tool, "Tip", translated({0, 0, 0.3}), &tip).value();
    from = setToolInForce(from, from.arms.front().id, from.arms.front().tool, tip).value();
    from = takePoseTarget(from, from.arms.front().id, rack, homePosture(from, from.arms.front()), "By the tip").value();
    // Into a cell that has none of it, and into one that has the same kinds.
    Cell bare = example("planted-mistakes");
    for (const Frame& f : Table<Frame>(bare.frames))
        if (f.name == "Drying rack") bare = renameFrame(bare, f.id, "Old rack").value();
    FrameId top;
    const Cell both = bringFixture(bare, bare.arms.front().id, from, rack, &top).value();
    QCOMPARE(frameName(both, top), std::string("Drying rack"));
    QVERIFY(deviation(worldFromFrame(both, top), worldFromFrame(from, rack)).metres < 1e-12);
    const auto countIn = [](const Cell& c, FrameId frame, const auto& list) {
        return std::count_if(list.begin(), list.end(),
                             [&](const auto& o) { return o.frame && isBelow(c, o.frame, frame); });
    };
    QCOMPARE(countIn(both, top, both.parts), countIn(from, rack, from.parts));
    QCOMPARE(countIn(both, top, both.targets), countIn(from, rack, from.targets));
    QCOMPARE(both.partKinds.size(), bare.partKinds.size());  // the tiles are the same in both
    const auto tipped =
        std::find_if(both.targets.begin(), both.targets.end(), [](const Target& t) { return t.name == "By the tip"; });
    QVERIFY(tipped != both.targets.end() && tipped->tcp);
    QVERIFY(flangeFromTcp(*findTool(both, tipped->tool), tipped->tcp).translation[2] == 0.3);
    const std::string text = writeCell(both);
    const Result<Cell> read = readCell(text, "both");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    ToolId brought;
    const Cell tooled = bringTool(bare, from, from.arms.front().tool, &brought).value();
    QCOMPARE(tooled.tools.size(), bare.tools.size() + 1);
    QCOMPARE(findTool(tooled, brought)->points.size(), size_t(1));
}

void LayoutTest::deletedFrameTakesItsContents()
{
    Cell cell = example("tile-glazing-line");
    const FrameId belt = frameNamed(cell, "Infeed belt");
    const FrameId extra = [&] {
        FrameId id;
        cell = addFrame(cell, "Lamp", belt, {}, &id).value();
        cell = addFrame(cell, "Bulb", id, {}).value();
        cell = addPart(cell, "Glass", frameNamed(cell, "Bulb"), {}).value();
        return id;
    }();
    const Cell less = deleteFrame(cell, extra).value();
    QCOMPARE(less.frames.size(), cell.frames.size() - 2);
    QCOMPARE(less.parts.size(), cell.parts.size() - 1);
    QCOMPARE(less.partKinds.size(), cell.partKinds.size() - 1);  // nothing is of that kind any more
}

void LayoutTest::refusalsSayWhy_data()
{
    QTest::addColumn<int>("edit");
    QTest::addColumn<QString>("said");
    QTest::newRow("frame under the arm") << 0 << "\"Arm\" stands on";
    QTest::newRow("frame with a target in use") << 1 << "used by step";
    QTest::newRow("part of a pattern moved") << 2 << "belongs to the pattern \"Stack\"";
    QTest::newRow("target of a pattern moved") << 3 << "belongs to the pattern \"Place\"";
    QTest::newRow("tool in force") << 4 << "\"Arm\" carries";
    QTest::newRow("tool targets use") << 5 << "uses \"";
    QTest::newRow("impossible inertia") << 6 << "no body has such moments";
    QTest::newRow("outline that crosses itself") << 7 << "crosses itself at edges 1 and 3";
    QTest::newRow("size of nothing") << 8 << "limits are 0.001 and 100000 mm";
    QTest::newRow("every place left out") << 9 << "left out";
    QTest::newRow("too many places") << 10 << "limits are 1 and 10000";
    QTest::newRow("jaws closed wider than open") << 11 << "cannot be closed at";
    QTest::newRow("frame called World") << 12 << "already a \"World\"";
    QTest::newRow("point targets use removed") << 13 << "uses this point";
}

void LayoutTest::refusalsSayWhy()
{
    QFETCH(int, edit);
    QFETCH(QString, said);
    Cell cell = patterned();
    const auto member = [](const auto& list) {
        return std::find_if(list.begin(), list.end(), [](const auto& o) { return bool(o.pattern); })->id;
    };
    const FrameId rack = frameNamed(cell, "Drying rack");
    const Result<Cell> result = [&]() -> Result<Cell> {
        Tool tool = cell.tools.front();
        Pattern pattern = cell.patterns.front();
        switch (edit) {
        case 0: return deleteFrame(cell, cell.arms.front().mount);
        case 1: return deleteFrame(cell, rack);
        case 2: return setPartPose(cell, member(cell.parts), {});
        case 3: return setTargetPose(cell, member(cell.targets), {});
        case 4: return deleteTool(cell, cell.arms.front().tool);
        case 5: {
            ToolId other;
            cell = addTool(cell, "Other", &other).value();
            return deleteTool(setToolInForce(cell, cell.arms.front().id, other).value(), tool.id);
        }
        case 6: tool.inertia = {1, 1, 3}; return changeTool(cell, tool);
        case 7:
            return setFrameSolids(
                cell, rack, {{Solid::Kind::Extrusion, {}, Vec3::Constant(0.1), {}, {{0, 0}, {1, 1}, {1, 0}, {0, 1}}}});
        case 8: return setFrameSolids(cell, rack, {{Solid::Kind::Box, {}, Vec3(0.1, 0, 0.1), {}}});
        case 9:
            pattern.columns = pattern.rows = pattern.layers = 1, pattern.leftOut = {0};
            return changePattern(cell, pattern);
        case 10: pattern.columns = pattern.rows = pattern.layers = 30; return changePattern(cell, pattern);
        case 11: tool.gripper.closed = tool.gripper.open + 0.01; return changeTool(cell, tool);
        case 12: return addFrame(cell, "world", {}, {});
        default: {
            TcpId tip;
            cell = addToolPoint(cell, tool.id, "Tip", tool.flangeFromTcp, &tip).value();
            cell = setToolInForce(cell, cell.arms.front().id, tool.id, tip).value();
            cell = takePoseTarget(cell, cell.arms.front().id, rack, homePosture(cell, cell.arms.front()), "By the tip")
                       .value();
            return changeTool(cell, tool);
        }
        }
    }();
    QVERIFY(!result);
    QVERIFY2(QString::fromStdString(result.error().line()).contains(said), result.error().line().c_str());
}

void LayoutTest::madeNamesArePossibleOnes()
{
    // Letter case does not tell names apart, long ones are cut between characters, and what is made can be read back.
    PatternId id;
    Cell cell = patterned(nullptr, &id);
    cell = takePostureTarget(cell, cell.arms.front().id, homePosture(cell, cell.arms.front()), "row 1").value();
    Pattern p = *findPattern(cell, id);
    p.name = "Row";
    Cell next = changePattern(cell, p).value();
    QVERIFY(readCell(writeCell(next), "case").ok());
    std::string umlauts = "x";
    while (umlauts.size() < 59)
        umlauts += "ä";
    p.name = umlauts;
    next = changePattern(cell, p).value();
    QVERIFY(readCell(writeCell(next), "long").ok());
    for (const Target& t : next.targets)
        QVERIFY(t.name.size() <= 60);
    next = renameFrame(cell, p.frame, umlauts).value();
    const Result<Cell> copied = copyFixture(next, p.frame);
    QVERIFY(copied.ok());
    QVERIFY(readCell(writeCell(*copied), "copied").ok());
    // A copied pattern names its members at once.
    const Pattern& copy = copied->patterns.back();
    for (const Target& t : copied->targets)
        if (t.pattern == copy.id) QVERIFY2(t.name.starts_with(copy.name), t.name.c_str());
    // A name that no edit would give does not keep a file of the first version from being read.
    Json document = Json::parse(readFile(dataPath("cells/v1/tile-glazing-line.topikos"), kLargestCellFile).value());
    for (Json& part : document["parts"])
        part["name"] = "  " + part["name"].get<std::string>();
    QVERIFY(readCell(document.dump(), "old").ok());
    // Two answers to what a part is made of are none.
    document["version"] = 2;
    document["part-kinds"] =
        Json::array({{{"id", 9000}, {"name", "Kind"}, {"mass", 0}, {"solids", document["parts"][0]["solids"]}}});
    document["next-id"] = 9001;
    for (Json& part : document["parts"])
        part["kind"] = 9000;
    const Result<Cell> both = readCell(document.dump(), "both");
    QVERIFY(!both);
    QVERIFY(both.error().line().find("solids") != std::string::npos);
}

void LayoutTest::pointsOfAToolAreMeantByTargets()
{
    Cell cell = example("tile-glazing-line");
    TcpId tip;
    const Pose offset = translated({0.05, 0, 0.25});
    cell = addToolPoint(cell, cell.arms.front().tool, "Tip", offset, &tip).value();
    const Cell atTip = setToolInForce(cell, cell.arms.front().id, cell.arms.front().tool, tip).value();
    const JointVector q = homePosture(cell, cell.arms.front());
    QVERIFY(deviation(baseFromTcp(atTip, atTip.arms.front(), q), forward(*cell.arms.front().model, q) * offset).metres
            < 1e-12);
    TargetId taken;
    const Cell taught = takePoseTarget(atTip, atTip.arms.front().id, {}, q, "By the tip", &taken).value();
    // Whatever point is in force later, the target means the one it was taught with.
    const Cell later = setToolInForce(taught, taught.arms.front().id, cell.arms.front().tool).value();
    const Solutions ways = waysTo(later, *findTarget(later, taken));
    const Solution* way = chosenWay(*later.arms.front().model, *findTarget(later, taken), ways.items);
    QVERIFY(way && difference(*later.arms.front().model, way->joints, q) < 1e-9);
    QVERIFY(!setToolInForce(cell, cell.arms.front().id, cell.arms.front().tool, TcpId{99999}));
}

void LayoutTest::gripRegionDecides()
{
    Gripper g;
    g.grasp = 0.03;
    QVERIFY(inGrasp(g, translated({0.02, 0.02, 0})));
    QVERIFY(!inGrasp(g, translated({0.03, 0.03, 0})));
    g.region = {0.02, 0.2, 0.01};
    QVERIFY(inGrasp(g, translated({0.009, -0.09, 0.004})));
    QVERIFY(!inGrasp(g, translated({0.011, 0, 0})));
    QVERIFY(!inGrasp(g, translated({0, 0, -0.006})));
    // In a run: the tile lies off the TCP by more than the region holds.
    Cell cell = example("tile-glazing-line");
    const Routine& routine = cell.routines.front();
    QVERIFY(!simulate(cell, routine).partEvents.empty());
    cell.tools.at(0).gripper.region = {1e-4, 1e-4, 1e-4};
    cell.parts.at(0).pose.translation[0] += 0.002;
    const Trace trace = simulate(cell, routine);
    QVERIFY(std::any_of(trace.arms[0].outcomes.begin(), trace.arms[0].outcomes.end(),
                        [](const StepOutcome& o) { return o.problem == StepOutcome::Problem::NothingGripped; }));
}

void LayoutTest::layoutSurvivesTheFile()
{
    Cell cell = patterned();
    const FrameId rack = frameNamed(cell, "Drying rack");
    cell = setFrameMeasured(cell, rack, translated({0.1, 0.2, 0.3})).value();
    cell = setAsBuilt(cell, false).value();
    cell = setFrameLook(cell, rack, {true, true}).value();
    Tool tool = cell.tools.front();
    tool.number = 7;
    tool.inertia = {0.02, 0.03, 0.04};
    tool.gripper.kind = Gripper::Kind::Angular;
    tool.gripper.pivot = 0.07;
    tool.gripper.region = {0.1, 0.2, 0.3};
    cell = changeTool(cell, tool).value();
    TcpId tip;
    cell = addToolPoint(cell, tool.id, "Tip", translated({0, 0, 0.3}), &tip).value();
    cell = setToolInForce(cell, cell.arms.front().id, tool.id, tip).value();
    auto drawn = std::make_shared<Triangles>();
    drawn->points = {{0, 0, 0}, {0.1f, 0, 0}, {0, 0.1f, 0}, {0, 0, 0.123456789f}};
    drawn->faces = {{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}};
    Solid mesh;
    mesh.kind = Solid::Kind::Mesh;
    mesh.surface = {drawn, std::make_shared<const Triangles>(*drawn)};
    Solid outline{Solid::Kind::Extrusion,
                  translated({0.1, 0, 0}),
                  Vec3::Constant(0.05),
                  {9, 8, 7},
                  {{0, 0}, {0.2, 0}, {0.1, 0.1}}};
    cell = setFrameSolids(cell, rack, {mesh, outline, mesh, {Solid::Kind::Cone, {}, {0.2, 0, 0.3}, {}}}).value();
    const std::string text = writeCell(cell);
    const Result<Cell> read = readCell(text, "layout");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QCOMPARE(writeCell(*read), text);
    const Frame& back = *findFrame(*read, rack);
    QVERIFY(back.measured == translated({0.1, 0.2, 0.3}) && back.look == (Look{true, true}) && !read->asBuilt);
    QVERIFY(back.solids[0].surface.drawn->points[3] == drawn->points[3]);  // to the bit
    QVERIFY(back.solids[0].surface == back.solids[2].surface);             // stored once
    QVERIFY(back.solids[1].outline == outline.outline);
    QCOMPARE(read->tools.front().number, 7u);
    QCOMPARE(int(read->tools.front().gripper.kind), int(Gripper::Kind::Angular));
    QVERIFY(read->arms.front().tcp == tip);
    const Json schema =
        Json::parse(readFile(std::string(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json", 1 << 20).value());
    QCOMPARE(QString::fromStdString(schemaOffence(Json::parse(text), schema, schema, "")), QString());
    // Surfaces that are not what they claim are refused.
    for (const auto& [from, to] : {std::pair<std::string, std::string>{"\"surface\":1", "\"surface\":9"},
                                   {"\"triangles\":\"AAAA", "\"triangles\":\"/wAA"},
                                   {"\"points\":\"A", "\"points\":\"?"}}) {
        std::string broken = text;
        const size_t at = broken.find(from);
        QVERIFY2(at != std::string::npos, from.c_str());
        broken.replace(at, from.size(), to);
        QVERIFY2(!readCell(broken, "broken"), from.c_str());
    }
}

void LayoutTest::versionOneIsRead()
{
    // In version 1 every part had solids of its own: equal ones become one kind.
    Json document = Json::parse(readFile(dataPath("cells/v1/tile-glazing-line.topikos"), kLargestCellFile).value());
    document["parts"][0]["solids"][0]["color"] = "#010203";
    const Result<Cell> cell = readCell(document.dump(), "old");
    QVERIFY2(cell.ok(), cell.ok() ? "" : cell.error().line().c_str());
    QCOMPARE(cell->partKinds.size(), size_t(2));
    QVERIFY(cell->parts[1].kind == cell->parts[2].kind);
    QVERIFY(cell->parts[0].kind != cell->parts[1].kind);
    QCOMPARE(partSolids(*cell, cell->parts[0])[0].color.blue, std::uint8_t(3));
}

void LayoutTest::furnitureStandsAndIsKnownAgain_data()
{
    QTest::addColumn<int>("kind");
    for (const Furniture::Kind kind : kFurnitureKinds)
        QTest::newRow(furnitureWord(kind)) << int(kind);
}

void LayoutTest::furnitureStandsAndIsKnownAgain()
{
    QFETCH(int, kind);
    std::mt19937_64 random(91);
    for (int n = 0; n < 50; ++n) {
        const auto length = [&] { return 0.1 * double(2 + random() % 30); };
        const Furniture f =
            n ? Furniture{Furniture::Kind(kind), length(), length(), length()} : usualFurniture(Furniture::Kind(kind));
        FrameId id;
        Cell cell = addFurniture(example("tile-glazing-line"), "Thing", f, {}, translated({2, 1, 0}), &id).value();
        // Through the file it is the same thing, of the size that was asked for, with its feet on the floor.
        cell = readCell(writeCell(cell), "thing").value();
        const auto lowest = [&](const Cell& c) {
            double z = INFINITY;
            for (const Solid& s : findFrame(c, id)->solids)
                z = std::min(z, worldFromFrame(c, id).translation[2] + s.pose.translation[2] - s.size[2] / 2);
            return z;
        };
        auto known = furnitureOf(findFrame(cell, id)->solids);
        QVERIFY(known && int(known->kind) == kind);
        QVERIFY((Vec3(known->width, known->depth, known->height) - Vec3(f.width, f.depth, f.height)).norm() < 1e-9);
        QVERIFY(std::abs(lowest(cell)) < 1e-9);
        Furniture taller = *known;
        taller.height += 0.3;
        taller.width = 1.75;
        cell = resizeFurniture(cell, id, taller).value();
        known = furnitureOf(findFrame(cell, id)->solids);
        QVERIFY(known && std::abs(known->height - taller.height) < 1e-9 && std::abs(known->width - 1.75) < 1e-9);
        QVERIFY(std::abs(lowest(cell)) < 1e-9);
        // With a shape changed it is what it is.
        std::vector<Solid> changed = findFrame(cell, id)->solids;
        changed.back().size[0] += 0.01;
        const Cell other = setFrameSolids(cell, id, changed).value();
        QVERIFY(!furnitureOf(changed));
        QVERIFY(!resizeFurniture(other, id, taller));
    }
}

TOPIKOS_TEST(LayoutTest)
#include "layout_test.moc"
