#include "core/cell/new_cell.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_support.h"
#include "core/cell/furniture.h"
#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/robot/forward.h"
#include "core/shape/arm_bodies.h"
#include "core/shape/mass.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// What a new cell starts with, and edits that bring ready-made things: grippers, kinds of sources, surfaces of links,
/// targets in other frames.
class NewCellTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyArmWithEveryGripper();
    void valuesOutOfRangeAreRefused();
    void grippersWeighWhatTheirShapesDo();
    void sourceMakesAKindOfItsOwn();
    void devicesFindTheirPlaceOnABelt();
    void linksGetSurfaces();
    void targetsKeepTheirPlaceInAnotherFrame();
    void copiesAreTargetsOfTheirOwn();
    void severalStepsAtOnce();
};

void NewCellTest::everyArmWithEveryGripper()
{
    const std::optional<Gripper::Kind> grippers[] = {Gripper::Kind::Parallel, Gripper::Kind::Angular,
                                                     Gripper::Kind::Vacuum, std::nullopt};
    int cells = 0;
    for (const std::string& id : catalogueIds())
        for (const auto& gripper : grippers)
            for (const double height : {0.0, 0.05, 0.1, 0.45}) {
                const Result<Cell> cell = newCell({"Bench", catalogueArm(id), height, gripper, 0.08});
                QVERIFY2(bool(cell), cell ? "" : cell.error().message.c_str());
                const ArmStation& arm = cell->arms.front();
                QVERIFY(std::abs(worldFromBase(*cell, arm).translation[2] - height) < 1e-12);
                const std::vector<Solid>& base = findFrame(*cell, arm.mount)->solids;
                QCOMPARE(furnitureOf(base).has_value(), height >= 0.1);
                QCOMPARE(base.empty(), height == 0);
                QVERIFY(homePosture(*cell, arm) == armHome(*arm.model));
                QVERIFY(routineOf(*cell, arm).steps.empty() && cell->routines.size() == 1 && cell->tools.size() == 1);
                // A file takes it, and nothing is wrong with it.
                const Result<Cell> again = readCell(writeCell(*cell), "new");
                QVERIFY(again && writeCell(*again) == writeCell(*cell));
                QCOMPARE(check(*cell).count(Severity::Blocked), 0);
                ++cells;
            }
    QVERIFY(cells >= 6 * 16);
}

void NewCellTest::valuesOutOfRangeAreRefused()
{
    NewCell wanted;
    QVERIFY(!newCell(wanted));  // without an arm
    wanted.arm = catalogueArm("cobot-900");
    QVERIFY(newCell(wanted));
    wanted.name = std::string(61, 'x');
    QVERIFY(!newCell(wanted));
    wanted.name = "Bench";
    wanted.widest = 1e6;
    QVERIFY(!newCell(wanted));
    wanted.widest = 0.1;
    wanted.baseHeight = 1e6;
    QVERIFY(!newCell(wanted));
}

void NewCellTest::grippersWeighWhatTheirShapesDo()
{
    for (const Gripper::Kind kind : {Gripper::Kind::Parallel, Gripper::Kind::Angular, Gripper::Kind::Vacuum}) {
        double before = 0;
        for (const double widest : {0.02, 0.08, 0.25}) {
            const Tool tool = readyGripper(kind, widest);
            double volume = 0;
            for (const Solid& s : tool.body)
                volume += bulkOf(s).volume;
            for (const Solid& s : tool.jaw)
                volume += 2 * bulkOf(s).volume;
            QVERIFY(std::abs(tool.mass - 2700 * volume) < 1e-9);
            QVERIFY(tool.centreOfMass.head<2>().norm() < 1e-12);
            QVERIFY(tool.centreOfMass[2] > 0 && tool.centreOfMass[2] < tool.flangeFromTcp.translation[2]);
            QVERIFY(tool.gripper.open >= tool.gripper.closed);
            if (kind == Gripper::Kind::Vacuum) continue;
            QCOMPARE(tool.gripper.closed, widest);
            QVERIFY(tool.mass > before);
            before = tool.mass;
        }
    }
}

void NewCellTest::sourceMakesAKindOfItsOwn()
{
    const Cell bare = newCell({"Bench", catalogueArm("cobot-900"), 0, std::nullopt, 0.1}).value();
    FrameId source;
    Cell cell = addDevice(bare, Device::Kind::Source, "Press", {}, translated({0.5, 0, 0}), &source).value();
    QCOMPARE(cell.partKinds.size(), size_t(1));
    QCOMPARE(findFrame(cell, source)->device->makes, cell.partKinds.front().id);
    QVERIFY(cell.parts.empty());
    // Another one takes its place; the first is of no use any more.
    const PartKindId first = cell.partKinds.front().id;
    cell = makeNewKind(cell, source).value();
    QCOMPARE(cell.partKinds.size(), size_t(1));
    QVERIFY(cell.partKinds.front().id != first);
    QVERIFY(readCell(writeCell(cell), "source"));
    QVERIFY(!makeNewKind(cell, cell.arms.front().mount));
}

void NewCellTest::devicesFindTheirPlaceOnABelt()
{
    Cell cell = newCell({"Bench", catalogueArm("cobot-900"), 0, std::nullopt, 0.1}).value();
    FrameId belt, sensor;
    cell = addDevice(cell, Device::Kind::Belt, "Belt", {}, translated({0.6, 0, 0.5}), &belt).value();
    const Device& device = *findFrame(cell, belt)->device;
    const Pose across = usualPlace(cell, Device::Kind::Sensor, belt);
    const double length = device.size[0], width = device.size[1];
    cell = addDevice(cell, Device::Kind::Sensor, "Eye", belt, across, &sensor).value();
    // Its beam goes over the whole width, and beyond both edges.
    const Vec3 from = across.translation, to = across * Vec3(findFrame(cell, sensor)->device->size[0], 0, 0);
    QVERIFY(std::abs(from[1] + to[1]) < 1e-12 && from[1] < -0.5 * width && to[1] > 0.5 * width);
    QVERIFY(from[0] > 0 && from[0] < length && std::abs(from[0] - to[0]) < 1e-12);
    QVERIFY(usualPlace(cell, Device::Kind::Source, belt).translation[0] < 0.5 * length);
    QVERIFY(usualPlace(cell, Device::Kind::Source, {}).translation.norm() > 0.1);
}

void NewCellTest::linksGetSurfaces()
{
    // A small box on the flange's link, drawn in base with all joints at zero, stays where it is drawn.
    for (const std::string& id : catalogueIds()) {
        Cell cell = newCell({"Bench", catalogueArm(id), 0, std::nullopt, 0.1}).value();
        const ArmId arm = cell.arms.front().id;
        const Arm& before = *cell.arms.front().model;
        const JointVector home = homePosture(cell, cell.arms.front());
        cell = setAxisLock(cell, arm, 0, home[0]).value();
        const AngleOrder angles = cell.angles;
        const int last = before.jointCount();
        Solid box;
        box.pose = forward(before, JointVector::Zero(last));
        box.size = Vec3(0.05, 0.06, 0.07);
        auto drawn = std::make_shared<Triangles>();
        std::vector<Vec3> corners;
        for (int i = 0; i < 8; ++i) {
            corners.push_back(
                box.pose * Vec3(0.5 * box.size.cwiseProduct(Vec3(i & 1 ? 1 : -1, i & 2 ? 1 : -1, i & 4 ? 1 : -1))));
            drawn->points.push_back(corners.back().cast<float>());
        }
        for (const auto& [p, q, r, t] : {std::array{0u, 2u, 3u, 1u},
                                         {4u, 5u, 7u, 6u},
                                         {0u, 1u, 5u, 4u},
                                         {2u, 6u, 7u, 3u},
                                         {0u, 4u, 6u, 2u},
                                         {1u, 3u, 7u, 5u}}) {
            drawn->faces.push_back({p, q, r});
            drawn->faces.push_back({p, r, t});
        }
        const Result<Cell> with = addLinkSurface(cell, arm, {last, drawn});
        QVERIFY2(bool(with), with ? "" : with.error().message.c_str());
        const Arm& after = *with->arms.front().model;
        QCOMPARE(after.description().meshes.size(), before.description().meshes.size() + 1);
        QVERIFY(after.description().joints[0].locked && with->angles == angles);
        QVERIFY(homePosture(*with, with->arms.front()) == homePosture(cell, cell.arms.front()));
        for (const JointVector& q : {JointVector(JointVector::Zero(last)), home})
            QVERIFY(deviation(forward(before, q), forward(after, q)).metres < 1e-9);
        // The body of that link is the surface: with all joints at zero each corner is where it was drawn.
        ChainFrames frames;
        chainFrames(after, JointVector::Zero(last), frames);
        const AxisFrame& f = frames.joints[size_t(last) - 1];
        const Mesh body = armBodies(after).back();
        QVERIFY(!body.vertices.empty());
        for (const MeshVertex& v : body.vertices) {
            const Vec3 inBase = makePose(f.rotation, f.origin) * Vec3(v.position.cast<double>());
            double nearest = 1;
            for (const Vec3& corner : corners)
                nearest = std::min(nearest, (corner - inBase).norm());
            QVERIFY2(nearest < 1e-5, qPrintable(QString::fromStdString(id) + QString(" %1").arg(nearest)));
        }
        // A file keeps it.
        const Result<Cell> again = readCell(writeCell(*with), "surface");
        QVERIFY2(bool(again), again ? "" : again.error().message.c_str());
        QCOMPARE(again->arms.front().model->description().meshes.size(), after.description().meshes.size());
        QVERIFY(!addLinkSurface(cell, arm, {last + 1, drawn}) && !addLinkSurface(cell, arm, {-1, drawn}));
    }
}

void NewCellTest::targetsKeepTheirPlaceInAnotherFrame()
{
    std::mt19937_64 random(11);
    std::uniform_real_distribution<double> any(-1, 1);
    // An arm on a rail, and a turntable: axes come along to targets, and stay with them.
    Cell cell = newCell({"Bench", catalogueArm("cobot-900"), 0, std::nullopt, 0.1}).value();
    const ArmId arm = cell.arms.front().id;
    FrameId rail, table, plain;
    cell = addDevice(cell, Device::Kind::Rail, "Rail", {}, translated({0, -1, 0}), &rail).value();
    cell = setArmMount(cell, arm, axesOf(cell, rail).front()).value();
    cell = addDevice(cell, Device::Kind::Turntable, "Table", {}, translated({0.7, 0.2, 0}), &table).value();
    cell = addFrame(cell, "Post", {}, translated({0.4, 0.6, 0.3}), &plain).value();
    const FrameId plate = axesOf(cell, table).front(), carriage = axesOf(cell, rail).front();
    for (int n = 0; n < 200; ++n) {
        const AxisValues axes{{carriage, 1 + 0.5 * any(random)}, {plate, any(random)}};
        const FrameId from = n % 3 == 0 ? plain : n % 3 == 1 ? plate : FrameId();
        const FrameId to = n % 2 ? plate : plain;
        TargetId id;
        const Cell taken =
            takePoseTarget(cell, arm, from, homePosture(cell, cell.arms.front()), "T" + std::to_string(n), &id, axes)
                .value();
        const Result<Cell> moved = setTargetFrame(taken, {id}, to);
        QVERIFY2(bool(moved), moved ? "" : moved.error().message.c_str());
        const Target &a = *findTarget(taken, id), &b = *findTarget(*moved, id);
        QVERIFY(b.frame == to);
        const auto world = [&](const Cell& c, const Target& t) { return worldFromFrame(c, t.frame, axes) * t.pose; };
        // Where it stood with its axes; those it does not know of are at the start.
        const AxisValues known = a.axes;
        const PoseDeviation off =
            deviation(worldFromFrame(taken, a.frame, known) * a.pose, worldFromFrame(*moved, b.frame, known) * b.pose);
        QVERIFY(off.metres < 1e-12 && off.radians < 1e-9);
        const auto names = [](const AxisValues& values, FrameId axis) {
            return std::any_of(values.begin(), values.end(), [axis](const AxisValue& v) { return v.frame == axis; });
        };
        QVERIFY(names(b.axes, carriage));
        QCOMPARE(names(b.axes, plate), to == plate);
        if (from == plate && to == plate) QVERIFY(deviation(world(taken, a), world(*moved, b)).metres < 1e-12);
    }
    const Target& home = *findTarget(cell, cell.arms.front().home);
    QVERIFY(!setTargetFrame(cell, {home.id}, plain));
}

void NewCellTest::copiesAreTargetsOfTheirOwn()
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value();
    for (const Target& target : cell.targets) {
        TargetId id;
        const Cell copied = copyTarget(cell, target.id, &id).value();
        Target copy = *findTarget(copied, id);
        QVERIFY(copy.id != target.id && copy.name != target.name);
        copy.id = target.id;
        copy.name = target.name;
        QVERIFY(copy == target);
        // Nothing uses it, so it can go at once.
        QVERIFY(*deleteTarget(copied, id).value().targets.find(target.id) == target);
    }
    QVERIFY(!copyTarget(cell, {999999}));
}

void NewCellTest::severalStepsAtOnce()
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value();
    const Routine& routine = cell.routines.front();
    const auto ids = [&](const Cell& c) {
        std::vector<StepId> out;
        for (const Step& s : c.routines.front().steps)
            out.push_back(s.id);
        return out;
    };
    const std::vector<StepId> all = ids(cell);
    std::mt19937_64 random(5);
    for (int n = 0; n < 300; ++n) {
        std::vector<StepId> some;
        for (const StepId id : all)
            if (random() % 3 == 0) some.push_back(id);
        std::shuffle(some.begin(), some.end(), random);
        std::vector<StepId> rest;
        for (const StepId id : all)
            if (std::find(some.begin(), some.end(), id) == some.end()) rest.push_back(id);
        QVERIFY(ids(deleteSteps(cell, routine.id, some).value()) == rest);
        const size_t to = random() % (rest.size() + 1);
        std::vector<StepId> wanted = rest;
        wanted.insert(wanted.begin() + std::ptrdiff_t(to), some.begin(), some.end());
        QVERIFY(ids(moveSteps(cell, routine.id, some, to).value()) == wanted);
        // What is moved is the same but for its place, and can be moved back.
        QVERIFY(moveSteps(moveSteps(cell, routine.id, some, to).value(), routine.id, all, 0).value() == cell);
    }
    QVERIFY(ids(moveSteps(cell, routine.id, {all[0], all[0]}, 1).value())[1] == all[0]);  // named twice, moved once
    QVERIFY(!moveSteps(cell, routine.id, {all[0]}, all.size()));
    QVERIFY(!deleteSteps(cell, routine.id, {all[0], {999999}}));
    // 5,000 of them take no time that is felt.
    Cell large = cell;
    std::vector<StepId> made;
    large = insertSteps(large, routine.id, 3, std::vector<Step>(5000, routine.steps[2]), &made).value();
    QVERIFY(made.size() == 5000 && ids(large)[3] == made[0] && ids(large)[5002] == made[4999]
            && ids(large)[5003] == all[3]);
    std::reverse(made.begin(), made.end());
    large = moveSteps(large, routine.id, made, 0).value();
    QVERIFY(ids(large)[0] == made[0] && ids(large)[5000] == all[0]);
    QVERIFY(ids(deleteSteps(large, routine.id, made).value()) == all);
}

TOPIKOS_TEST(NewCellTest)
#include "new_cell_test.moc"
