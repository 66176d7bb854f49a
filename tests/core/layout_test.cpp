#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/fixture.h"
#include "core/cell/history.h"
#include "core/cell/pattern.h"
#include "core/check/check.h"
#include "core/shape/reduce.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Frames, parts, tools and patterns: edits, what follows them, and the file.
class LayoutTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void tenThousandEditsUndoToTheSameBytes();
    void measuredFrameCarriesItsTargets();
    void newParentKeepsDrawnAndMeasuredPlaces();
    void copiedFixtureBringsAllThatIsInIt();
    void fixtureComesFromAnotherCell();
    void deletedFrameTakesItsContents();
    void refusalsSayWhy_data();
    void refusalsSayWhy();
    void gridPlaces_data();
    void gridPlaces();
    void ringPlaces();
    void patternEditKeepsIdentities();
    void patternTakesInWhatItRepeats();
    void madeNamesArePossibleOnes();
    void patternOfTargetsIsReachedLikeOneTarget();
    void pointsOfAToolAreMeantByTargets();
    void gripRegionDecides();
    void layoutSurvivesTheFile();
    void versionOneIsRead();
};

namespace {

FrameId frameNamed(const Cell& cell, const std::string& name)
{
    for (const Frame& f : cell.frames)
        if (f.name == name) return f.id;
    qFatal("no frame %s", name.c_str());
}

/// The demo as the first version of the format held it: every part with solids of its own.
Json versionOne()
{
    Json document = Json::parse(writeCell(example("tile-glazing-line")));
    document["version"] = 1;
    const Json solids = document["part-kinds"][0]["solids"];
    document.erase("part-kinds");
    for (Json& part : document["parts"]) {
        part.erase("kind");
        part["solids"] = solids;
    }
    return document;
}

/// The demo with a pattern of parts and one of targets in the rack.
Cell patterned(PatternId* parts = nullptr, PatternId* targets = nullptr)
{
    Cell cell = example("tile-glazing-line");
    Pattern p;
    p.name = "Stack";
    p.frame = frameNamed(cell, "Drying rack");
    p.kind = cell.parts.front().kind;
    p.first = translated({0.1, 0.1, 0.006});
    p.columns = 3;
    p.rows = 2;
    p.layers = 2;
    p.pitch = {0.16, 0.17, 0.02};
    cell = addPattern(cell, p, parts).value();
    const Target place = cell.targets.back();
    Pattern t;
    t.name = "Place";
    t.content = Pattern::Content::Targets;
    t.frame = place.frame;
    t.first = place.pose;
    t.arm = place.arm;
    t.tool = place.tool;
    t.configuration = place.configuration;
    t.columns = 2;
    t.rows = 2;
    t.pitch = {0.02, 0.02, 0};
    return addPattern(cell, t, targets).value();
}

}  // namespace

void LayoutTest::tenThousandEditsUndoToTheSameBytes()
{
    History history(patterned());
    std::mt19937_64 random(77);
    const auto pick = [&](size_t n) { return size_t(random() % n); };
    const std::hash<std::string> digest;
    std::vector<size_t> states{digest(writeCell(*history.current()))};
    int applied = 0;
    for (int n = 0; n < 10000; ++n) {
        const auto act = [&](const Cell& c) -> Result<Cell> {
            const Frame& frame = c.frames[pick(c.frames.size())];
            const Pose pose = translated({double(pick(9)) / 7, double(pick(5)) / 9, 0.2});
            switch (pick(27)) {
            case 0:
                return c.frames.size() < 14 ? addFrame(c, "Frame " + std::to_string(n), frame.id, pose)
                                            : deleteFrame(c, frame.id);
            case 1: return setFramePose(c, frame.id, pose);
            case 2: return setFrameMeasured(c, frame.id, frame.measured ? std::nullopt : std::optional(pose));
            case 3: return setAsBuilt(c, !c.asBuilt);
            case 4: return setFrameParent(c, frame.id, c.frames[pick(c.frames.size())].id);
            case 5:
                return c.parts.size() < 30 ? addPart(c, "Part " + std::to_string(n), frame.id, pose)
                                           : deletePart(c, c.parts[pick(c.parts.size())].id);
            case 6: return c.parts.empty() ? Result<Cell>(c) : setPartPose(c, c.parts[pick(c.parts.size())].id, pose);
            case 7:
                return c.parts.empty() ? Result<Cell>(c) : setPartFrame(c, c.parts[pick(c.parts.size())].id, frame.id);
            case 8: return c.frames.size() < 14 ? copyFixture(c, frame.id) : deleteFrame(c, frame.id);
            case 9:
                return c.tools.size() < 6 ? addTool(c, "Tool " + std::to_string(n))
                                          : deleteTool(c, c.tools[pick(c.tools.size())].id);
            case 10: return setToolInForce(c, c.arms.front().id, c.tools[pick(c.tools.size())].id);
            case 11: {
                const Tool& tool = c.tools[pick(c.tools.size())];
                if (tool.points.size() < 3) return addToolPoint(c, tool.id, "Point " + std::to_string(n), pose);
                Tool fewer = tool;
                fewer.points.pop_back();
                return changeTool(c, fewer);
            }
            case 12: {
                std::vector<Solid> solids = frame.solids;
                if (solids.size() > 4) solids.pop_back();
                solids.push_back({Solid::Kind(pick(4)), pose, Vec3(0.1 + 0.01 * double(pick(9)), 0.2, 0.3), {1, 2, 3}});
                return setFrameSolids(c, frame.id, solids);
            }
            case 13:
            case 14: {
                if (c.patterns.empty()) return c;
                Pattern p = c.patterns[pick(c.patterns.size())];
                p.columns = std::uint32_t(1 + pick(4));
                p.order = Pattern::Order(pick(3));
                p.layout = Pattern::Layout(pick(2));
                p.leftOut = pick(2) ? std::vector<std::uint32_t>{std::uint32_t(pick(4))} : std::vector<std::uint32_t>{};
                return changePattern(c, p);
            }
            case 15: return c.patterns.size() > 1 ? deletePattern(c, c.patterns.back().id, pick(2)) : Result<Cell>(c);
            case 16: return setFrameLook(c, frame.id, {pick(2) == 0, pick(2) == 0});
            case 17: return pick(2) ? showAll(c) : isolateFrame(c, frame.id);
            case 18:
                return takePoseTarget(c, c.arms.front().id, frame.id, randomPosture(*c.arms.front().model, random),
                                      freeTargetName(c, "Target"));
            case 19:
                return c.frames.size() < 14
                           ? addDevice(c, Device::Kind(pick(10)), "Device " + std::to_string(n), frame.id, pose)
                           : deleteFrame(c, frame.id);
            case 20: {
                if (!frame.device) return c;
                Device d = *frame.device;
                d.size += Vec3(0.01, 0, 0.01);
                d.indexing = !d.indexing;
                if (wiresOf(d.kind).input && !c.signals.empty()) d.input = c.signals[pick(c.signals.size())].id;
                return changeDevice(c, frame.id, d);
            }
            case 21: {
                if (!frame.axis) return c;
                FrameAxis a = *frame.axis;
                a.value = a.lowest + (a.highest - a.lowest) * double(pick(5)) / 5;
                return changeAxis(c, frame.id, a);
            }
            case 22:
                return c.signals.size() < 8 ? addSignal(c, "Signal " + std::to_string(n), Signal::Kind(pick(3)))
                                            : deleteSignal(c, c.signals[pick(c.signals.size())].id);
            case 23:
                return c.arms.size() < 3 ? addArm(c, "Arm " + std::to_string(n), catalogueArm("cobot-900"), frame.id)
                                         : deleteArm(c, c.arms[pick(c.arms.size())].id);
            case 24: return setMainRoutine(c, c.routines[pick(c.routines.size())].id);
            case 25: {
                const Target& target = c.targets[pick(c.targets.size())];
                return setTargetAxes(c, target.id,
                                     frame.axis ? AxisValues{{frame.id, frame.axis->lowest}} : AxisValues{});
            }
            default: return deleteTarget(c, c.targets[pick(c.targets.size())].id);
            }
        };
        if (history.apply("edit", act)) continue;
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
    QTest::newRow("size of nothing") << 8 << "above 0 and up to 100000 mm";
    QTest::newRow("every place left out") << 9 << "left out";
    QTest::newRow("too many places") << 10 << "10000 is the limit";
    QTest::newRow("jaws closed wider than open") << 11 << "closed <= open";
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

void LayoutTest::gridPlaces_data()
{
    QTest::addColumn<int>("order");
    QTest::addColumn<QList<uint>>("leftOut");
    QTest::addColumn<QList<uint>>("places");
    QTest::newRow("rows") << int(Pattern::Order::Rows) << QList<uint>{} << QList<uint>{0, 1, 2, 3, 4, 5};
    QTest::newRow("serpentine") << int(Pattern::Order::Serpentine) << QList<uint>{} << QList<uint>{0, 1, 2, 5, 4, 3};
    QTest::newRow("serpentine with a gap")
        << int(Pattern::Order::Serpentine) << QList<uint>{2, 4} << QList<uint>{0, 1, 5, 3};
    QTest::newRow("nearest") << int(Pattern::Order::Nearest) << QList<uint>{1} << QList<uint>{0, 3, 4, 5, 2};
}

void LayoutTest::gridPlaces()
{
    QFETCH(int, order);
    QFETCH(QList<uint>, leftOut);
    QFETCH(QList<uint>, places);
    Pattern p;
    p.first = {Vec3(1, 2, 3), Quat(Eigen::AngleAxisd(0.5, Vec3::UnitZ()))};
    p.columns = 3;
    p.rows = 2;
    p.pitch = {0.1, 0.15, 0.2};
    p.stagger = 0.5;
    p.order = Pattern::Order(order);
    p.leftOut.assign(leftOut.begin(), leftOut.end());
    QList<uint> found;
    for (const PatternPlace& place : placesOf(p)) {
        found << place.place;
        const double row = place.place / 3, column = place.place % 3;
        const Vec3 wanted = p.first * Vec3(0.1 * (column + 0.5 * row), 0.15 * row, 0);
        QVERIFY((place.pose.translation - wanted).norm() < 1e-12);
    }
    QCOMPARE(found, places);
}

void LayoutTest::ringPlaces()
{
    Pattern p;
    p.layout = Pattern::Layout::Ring;
    p.columns = 6;
    p.layers = 2;
    p.pitch = {0.3, 0, 0.1};
    const auto full = placesOf(p);
    QCOMPARE(full.size(), size_t(12));
    for (size_t i = 0; i < 12; ++i) {
        QVERIFY(std::abs(full[i].pose.translation.head<2>().norm() - 0.3) < 1e-12);
        QVERIFY(std::abs(full[i].pose.translation[2] - (i < 6 ? 0 : 0.1)) < 1e-12);
        // x of each place points outwards.
        QVERIFY((full[i].pose.rotation * Vec3::UnitX()
                 - Vec3(full[i].pose.translation[0], full[i].pose.translation[1], 0) / 0.3)
                    .norm()
                < 1e-12);
        for (size_t k = 0; k < i; ++k)
            QVERIFY((full[i].pose.translation - full[k].pose.translation).norm() > 0.09);
    }
    p.sweep = 90 * kDegree;
    p.columns = 4;
    p.layers = 1;
    const auto part = placesOf(p);
    QVERIFY((part.back().pose.translation - Vec3(0, 0.3, 0)).norm() < 1e-12);  // the end is a place, too
}

void LayoutTest::patternEditKeepsIdentities()
{
    PatternId parts, targets;
    Cell cell = patterned(&parts, &targets);
    QCOMPARE(std::count_if(cell.parts.begin(), cell.parts.end(), [&](const Part& p) { return p.pattern == parts; }),
             12);
    const auto idAt = [](const auto& list, PatternId id, std::uint32_t place) {
        const auto it =
            std::find_if(list.begin(), list.end(), [&](const auto& o) { return o.pattern == id && o.place == place; });
        return it == list.end() ? 0u : it->id.value;
    };
    const std::uint32_t third = idAt(cell.targets, targets, 2);
    // The way of one target is its own; it stays when the pattern changes.
    const Solutions ways = waysTo(cell, *findTarget(cell, {third}));
    QVERIFY(ways.items.size() >= 2);
    const Solution other = *std::find_if(ways.items.begin(), ways.items.end(), [&](const Solution& s) {
        return !(s.configuration == findTarget(cell, {third})->configuration);
    });
    cell = setTargetWay(cell, {third}, other).value();
    Pattern p = *findPattern(cell, targets);
    p.first.translation[2] += 0.01;
    p.leftOut = {1};
    const Cell changed = changePattern(cell, p).value();
    QCOMPARE(idAt(changed.targets, targets, 2), third);
    QCOMPARE(idAt(changed.targets, targets, 1), 0u);
    QVERIFY(findTarget(changed, {third})->configuration == other.configuration);
    QVERIFY(std::abs(findTarget(changed, {third})->pose.translation[2] - findTarget(cell, {third})->pose.translation[2]
                     - 0.01)
            < 1e-12);
    // A place in use cannot be left out; taking the pattern apart leaves its targets.
    Step step;
    step.kind = Step::Kind::Line;
    step.target = {third};
    const Cell used = insertStep(cell, cell.routines.front().id, 0, step).value();
    p.leftOut = {2};
    const Result<Cell> refused = changePattern(used, p);
    QVERIFY(!refused && refused.error().message.find("used by step 1") != std::string::npos);
    QVERIFY(!deletePattern(used, targets));
    const Cell apart = deletePattern(used, targets, true).value();
    QCOMPARE(apart.targets.size(), used.targets.size());
    QVERIFY(setTargetPose(apart, {third}, Pose{}).ok());
}

void LayoutTest::patternTakesInWhatItRepeats()
{
    // Steps go on using the target that became the first place.
    const Cell cell = example("tile-glazing-line");
    const Target& place = cell.targets.back();
    Pattern p;
    p.name = "Rack";
    p.content = Pattern::Content::Targets;
    p.frame = place.frame;
    p.first = place.pose;
    p.arm = place.arm;
    p.tool = place.tool;
    p.configuration = place.configuration;
    const Cell next = addPattern(cell, p, nullptr, {}, place.id).value();
    QCOMPARE(next.targets.size(), cell.targets.size() + 3);
    const Target& member = *findTarget(next, place.id);
    QVERIFY(member.pattern && member.place == 0);
    QCOMPARE(member.name, std::string("Rack 1"));
    QVERIFY(member.pose == place.pose && member.configuration == place.configuration);
    const CheckResult before = check(cell, cell.routines.front()), after = check(next, next.routines.front());
    QCOMPARE(after.trace.duration, before.trace.duration);
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
    Json document = versionOne();
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

void LayoutTest::patternOfTargetsIsReachedLikeOneTarget()
{
    const Cell cell = patterned();
    const CheckResult result = check(cell, cell.routines.front());
    int members = 0;
    for (const TargetVerdict& v : result.targets)
        if (findTarget(cell, v.target)->pattern) {
            ++members;
            QVERIFY(!v.ways.items.empty());
        }
    QCOMPARE(members, 4);
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
    Json document = versionOne();
    document["parts"][0]["solids"][0]["color"] = "#010203";
    const Result<Cell> cell = readCell(document.dump(), "old");
    QVERIFY2(cell.ok(), cell.ok() ? "" : cell.error().line().c_str());
    QCOMPARE(cell->partKinds.size(), size_t(2));
    QVERIFY(cell->parts[1].kind == cell->parts[2].kind);
    QVERIFY(cell->parts[0].kind != cell->parts[1].kind);
    QCOMPARE(partSolids(*cell, cell->parts[0])[0].color.blue, std::uint8_t(3));
}

TOPIKOS_TEST(LayoutTest)
#include "layout_test.moc"
