#include "core/collide/checked_pairs.h"
#include "core/collide/scene.h"
#include "core/collide/world.h"
#include "tests/core/device_cells.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// The cell in one state: postures that are free, what is nearest, ways that are proved to be free.
class WorldTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void nearestIsThatOfAllPairs_data();
    void nearestIsThatOfAllPairs();
    void waysKeepWhatTheySay_data();
    void waysKeepWhatTheySay();
    void thinThingsAreNotJumpedOver();
    void carriedPartsCount();
    void framesMayStandElsewhere();
    void axesGoAlong();
    void contactMayBeLeft();

private:
    static Cell withBlock(const Cell& cell, const Pose& place, const Vec3& size, FrameId* made = nullptr,
                          FrameId parent = {}, const std::string& name = "Block")
    {
        FrameId id;
        const Cell next = addFrame(cell, name, parent, place, &id).value();
        if (made) *made = id;
        return setFrameSolids(next, id, {{Solid::Kind::Box, {}, size, {}}}).value();
    }
    /// The arm on a rail among blocks, and a turntable that carries one.
    static Cell crowd(std::uint64_t seed)
    {
        std::mt19937_64 random(seed);
        const auto real = [&](double low, double high) {
            return low + (high - low) * double(random() >> 11) * 0x1p-53;
        };
        FrameId rail, carriage, table;
        Cell cell = onRail(rail, carriage);
        cell = setFrameSolids(cell, frameNamed(cell, "Pedestal"), {}).value();
        cell = with(cell, Device::Kind::Turntable, "Turntable", translated({0.9, 0.9, 0.2}), table);
        cell = withBlock(cell, translated({0.3, 0, 0.3}), {0.1, 0.1, 0.6}, nullptr, axesOf(cell, table).front());
        for (int n = 0; n < 8; ++n) {
            const double turn = real(-3.1, 3.1), out = real(0.7, 1.5);
            cell = withBlock(cell, translated({out * std::cos(turn), out * std::sin(turn), real(0.2, 1.4)}),
                             Vec3::Constant(real(0.02, 0.3)), nullptr, {}, "Block " + std::to_string(n + 2));
        }
        return cell;
    }
    static std::vector<FrameId> axisFrames(const Cell& cell)
    {
        std::vector<FrameId> out;
        for (const Frame& frame : cell.frames)
            if (frame.axis) out.push_back(frame.id);
        return out;
    }
    static Cell cellOf(const std::string& name)
    {
        return name.starts_with("crowd") ? crowd(std::uint64_t(name.back() - '0')) : example(name);
    }
    /// Inside all ranges.
    static World::Coordinates anywhere(const Cell& cell, const World& world, std::mt19937_64& random, double share)
    {
        const ArmStation& arm = cell.arms.front();
        const auto real = [&](double low, double high) {
            return low + (high - low) * double(random() >> 11) * 0x1p-53;
        };
        JointVector posture = homePosture(cell, arm);
        for (int j = 0; j < posture.size(); ++j) {
            const Joint& joint = arm.model->joints()[size_t(j)];
            posture[j] += share * (real(joint.lower, joint.upper) - posture[j]);
        }
        AxisValues axes;
        for (const FrameId id : axisFrames(cell)) {
            const FrameAxis& axis = *findFrame(cell, id)->axis;
            axes.push_back({id, axis.value + share * (real(axis.lowest, axis.highest) - axis.value)});
        }
        return world.at(posture, axes);
    }
    struct Plain {
        double around = INFINITY, itself = INFINITY;
    };
    /// The distance of all bodies of an arm to all others, one pair after the other.
    static Plain plain(const Cell& authored, const JointVector& posture, const AxisValues& axes)
    {
        Cell cell = authored;
        for (const AxisValue& a : axes)
            cell.frames.edit(a.frame)->axis->value = a.value;
        const ArmId arm = cell.arms.front().id;
        Trace trace;
        trace.duration = 1;
        for (const ArmStation& own : cell.arms) {
            ArmTrace& stands = trace.arms.emplace_back();
            stands.arm = own.id;
            stands.start = own.id == arm ? posture : homePosture(cell, own);
            stands.startOpening = toolInForce(cell, own).gripper.open;
            stands.duration = 1;
            StepOutcome outcome;
            outcome.arrival = stands.start;
            stands.spans.push_back({0, 0, 1, stands.startOpening, stands.startOpening});
            stands.outcomes.push_back(outcome);
        }
        for (const FrameId frame : axisFrames(cell))
            trace.axes.push_back({frame, {}});
        const ContactScene scene(cell, trace);
        Plain out;
        for (const CheckedPair& pair : checkedPairs(scene.bodies(), axesAt(trace, 0))) {
            const bool a = scene.moverOf(pair.a, 0.5) == arm, b = scene.moverOf(pair.b, 0.5) == arm;
            if (!a && !b) continue;
            const double distance =
                scene.bodies()[pair.a]
                    .shape->nearest(*scene.place(pair.a, 0.5), *scene.bodies()[pair.b].shape, *scene.place(pair.b, 0.5))
                    .distance;
            double& least = a && b ? out.itself : out.around;
            least = std::min(least, distance);
        }
        return out;
    }
};

void WorldTest::nearestIsThatOfAllPairs_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"tile-glazing-line", "glazing-line-on-a-rail", "rack-of-24", "crowd 1", "crowd 2"})
        QTest::newRow(name) << std::string(name);
}

void WorldTest::nearestIsThatOfAllPairs()
{
    QFETCH(std::string, name);
    const Cell cell = cellOf(name);
    const ArmId arm = cell.arms.front().id;
    ContactCache cache;
    WorldOptions options;
    options.axes = axisFrames(cell);
    const World world(cell, authoredState(cell, arm, homePosture(cell, cell.arms.front())), arm, cache, options);
    std::mt19937_64 random(3);
    int touching = 0, apart = 0;
    for (int n = 0; n < 60; ++n) {
        const World::Coordinates at = anywhere(cell, world, random, n % 2 ? 1 : 0.3);
        const Plain all = plain(cell, world.posture(at), world.axes(at));
        const World::Near around = world.nearest(at), itself = world.nearest(at, true);
        const auto same = [](double a, double b) { return a == b || std::abs(a - b) < 1e-9; };
        QVERIFY2(same(around.distance, all.around), qPrintable(QString("%1 %2").arg(around.distance).arg(all.around)));
        QVERIFY2(same(itself.distance, all.itself), qPrintable(QString("%1 %2").arg(itself.distance).arg(all.itself)));
        const bool touches = std::min(all.around, all.itself) <= kTouch;
        QCOMPARE(world.free(at), !touches);
        ++(touches ? touching : apart);
    }
    QVERIFY2(touching >= 5 && apart >= 5, qPrintable(QString("%1 %2").arg(touching).arg(apart)));
}

void WorldTest::waysKeepWhatTheySay_data() { nearestIsThatOfAllPairs_data(); }

void WorldTest::waysKeepWhatTheySay()
{
    QFETCH(std::string, name);
    const Cell cell = cellOf(name);
    const ArmId arm = cell.arms.front().id;
    ContactCache cache;
    WorldOptions options;
    options.axes = axisFrames(cell);
    const World world(cell, authoredState(cell, arm, homePosture(cell, cell.arms.front())), arm, cache, options);
    std::mt19937_64 random(11);
    int met = 0, through = 0;
    for (int n = 0; n < 40; ++n) {
        const World::Coordinates from = anywhere(cell, world, random, 0.5), to = anywhere(cell, world, random, 0.6);
        if (!world.free(from)) continue;
        const double gap = n % 2 ? 2e-4 : 0;
        const World::Edge edge = world.edge(from, to, gap);
        ++(edge.free ? through : met);
        QVERIFY(edge.free == (edge.until == 1 && !edge.met));
        constexpr int looks = 600;
        for (int k = 0; k <= looks; ++k) {
            const double fraction = edge.until * double(k) / looks;
            QVERIFY2(world.free(from + fraction * (to - from)),
                     qPrintable(QString("%1 of %2").arg(fraction).arg(edge.until)));
        }
        if (edge.free) continue;
        // What it ends at is as near as the gap there, or comes so near a little later.
        double least = edge.met.distance;
        for (int k = 0; k <= 100; ++k) {
            const double fraction = std::min(1.0, edge.until + 2e-4 * k / 100);
            least = std::min(least, std::min(world.nearest(from + fraction * (to - from)).distance,
                                             world.nearest(from + fraction * (to - from), true).distance));
        }
        QVERIFY2(least <= gap + kTouch + 2 * World::kFinestEdge, qPrintable(QString::number(least)));
        // The same the other way round comes no farther than what it meets first.
        QVERIFY(!world.edge(to, from, gap).free || !world.free(to));
    }
    QVERIFY2(met >= 2 && through >= 2, qPrintable(QString("%1 met, %2 through").arg(met).arg(through)));
}

/// A sheet of a tenth of a millimetre in the way of a wide swing.
void WorldTest::thinThingsAreNotJumpedOver()
{
    Cell cell = withoutParts(example("tile-glazing-line"));
    const ArmStation& arm = cell.arms.front();
    JointVector from = homePosture(cell, arm), to = from;
    to[0] += 1.2;
    JointVector middle = from;
    middle[0] += 0.7;
    const Pose there = worldFromTcp(cell, arm, middle);
    const Vec3 across = Vec3(there.translation.x(), there.translation.y(), 0).cross(Vec3::UnitZ()).normalized();
    const Quat turned = Quat::FromTwoVectors(Vec3::UnitX(), across);
    cell = withBlock(cell, {there.translation, turned}, {1e-4, 0.3, 0.3});
    ContactCache cache;
    const ArmId id = cell.arms.front().id;
    const World world(cell, authoredState(cell, id, from), id, cache);
    const World::Edge edge = world.edge(world.at(from), world.at(to));
    QVERIFY(!edge.free);
    QCOMPARE(world.side(edge.met.other).name, std::string("Block"));
    QVERIFY2(edge.until > 0.2 && edge.until < 0.6, qPrintable(QString::number(edge.until)));
    QVERIFY2(edge.looks < 400, qPrintable(QString::number(edge.looks)));
    // Out of its way few looks are enough.
    to[0] = from[0] - 0.3;
    const World::Edge away = world.edge(world.at(from), world.at(to));
    QVERIFY(away.free);
    QVERIFY2(away.looks < 60, qPrintable(QString::number(away.looks)));
}

void WorldTest::carriedPartsCount()
{
    Cell cell = example("tile-glazing-line");
    const ArmStation& arm = cell.arms.front();
    const JointVector home = homePosture(cell, arm);
    CellState state = authoredState(cell, arm.id, home);
    PlacedPart& part = state.parts.front();
    part.carried = true;
    part.worldFromPart = worldFromTcp(cell, arm, home) * translated({0, 0, 0.15});
    // Beside the part, 30 mm from its edge, and farther from everything else.
    const Cell beside = withBlock(cell, worldFromTcp(cell, arm, home) * translated({0, 0.3, 0.15}), {0.05, 0.3, 0.05});
    ContactCache cache;
    WorldOptions options;
    options.carried = {part.part};
    const World with(beside, state, arm.id, cache, options);
    const World::Near near = with.nearest(with.start());
    QVERIFY(near.own != World::none);
    QCOMPARE(with.side(near.own).part, part.part);
    QCOMPARE(with.side(near.other).name, std::string("Block"));
    // It goes with the tool: turned about the axis of the flange it stays as far from the tool, not from the block.
    JointVector turned = home;
    turned[5] += 0.4;
    QVERIFY(std::abs(with.nearest(with.at(turned)).distance - near.distance) > 1e-4);
    // In the grasp it is held; lying there it is in the way of the jaws.
    part.worldFromPart = worldFromTcp(cell, arm, home);
    state.arms.front().gripperOpening = 0.05;
    const World grasps(beside, state, arm.id, cache, options), lies(beside, state, arm.id, cache, {});
    QVERIFY(grasps.free(grasps.start()));
    QVERIFY(!lies.free(lies.start()));
    QCOMPARE(lies.side(lies.touch(lies.start()).other).part, part.part);
    // One that is gone is none.
    CellState gone = state;
    gone.parts.erase(gone.parts.begin());
    const World without(beside, gone, arm.id, cache, {});
    QVERIFY(without.nearest(without.start()).distance > near.distance);
}

void WorldTest::framesMayStandElsewhere()
{
    FrameId block;
    const Cell first = withoutParts(example("tile-glazing-line"));
    const ArmStation& arm = first.arms.front();
    const JointVector home = homePosture(first, arm);
    const Pose tcp = worldFromTcp(first, arm, home);
    const Cell cell = withBlock(first, translated(tcp.translation + Vec3(0, 0.6, 0)), {0.3, 0.3, 0.3}, &block);
    const Cell moved = setFramePose(cell, block, translated(tcp.translation)).value();
    ContactCache cache;
    const World world(cell, authoredState(cell, arm.id, home), arm.id, cache);
    QVERIFY(world.free(world.start()));
    const World there = world.in(moved);
    QVERIFY2(!there.free(there.start()), qPrintable(QString::number(there.nearest(there.start()).distance)));
    QCOMPARE(there.side(there.touch(there.start()).other).name, std::string("Block"));
    const World anew(moved, authoredState(moved, arm.id, home), arm.id, cache);
    QCOMPARE(there.nearest(there.start()).distance, anew.nearest(anew.start()).distance);
    QVERIFY(world.free(world.start()));
}

/// A turntable brings a block, and a tile that lies on it, to the arm; the arm's rail takes the arm to another.
void WorldTest::axesGoAlong()
{
    const Cell cell = crowd(2);
    const ArmId arm = cell.arms.front().id;
    ContactCache cache;
    WorldOptions options;
    options.axes = axisFrames(cell);
    options.others = true;
    QCOMPARE(options.axes.size(), size_t(2));
    const World world(cell, authoredState(cell, arm, homePosture(cell, cell.arms.front())), arm, cache, options);
    QCOMPARE(world.size(), Eigen::Index(8));
    std::mt19937_64 random(29);
    int met = 0;
    for (int n = 0; n < 60; ++n) {
        // The axes alone.
        World::Coordinates from = anywhere(cell, world, random, 0.4), to = from;
        const World::Coordinates other = anywhere(cell, world, random, 1);
        to.tail(2) = other.tail(2);
        if (!world.free(from)) continue;
        const World::Edge edge = world.edge(from, to);
        met += !edge.free;
        for (int k = 0; k <= 300; ++k) {
            const World::Coordinates at = from + edge.until * k / 300 * (to - from);
            QVERIFY(world.free(at));
            const AxisValues axes = world.axes(at);
            QCOMPARE(axes.size(), size_t(2));
        }
    }
    QVERIFY2(met >= 3, qPrintable(QString::number(met)));
}

void WorldTest::contactMayBeLeft()
{
    FrameId block;
    const Cell first = withoutParts(example("tile-glazing-line"));
    const ArmStation& arm = first.arms.front();
    const JointVector home = homePosture(first, arm);
    JointVector in = home, far = home, deeper = home;
    const Pose tcp = worldFromTcp(first, arm, home);
    const Vec3 side = Vec3::UnitZ().cross(tcp.translation).normalized();
    const Cell cell = withBlock(first, translated(tcp.translation + 0.2 * side), {0.1, 0.1, 0.2}, &block);
    ContactCache cache;
    const World world(cell, authoredState(cell, arm.id, home), arm.id, cache);
    JointVector through = home;
    through[0] += 0.5;
    const World::Edge edge = world.edge(world.at(home), world.at(through));
    QVERIFY(!edge.free);
    in[0] += 0.5 * edge.until + 0.01;
    deeper[0] = in[0] + 0.03;
    far[0] = home[0] - 0.2;
    QVERIFY(!world.free(world.at(in)));
    QVERIFY(world.edge(world.at(in), world.at(far)).free);
    const World::Edge deep = world.edge(world.at(in), world.at(deeper));
    QVERIFY(!deep.free);
    QVERIFY2(deep.until < 0.1, qPrintable(QString::number(deep.until)));
    // Just before the touch it may go away at once.
    JointVector before = home;
    before[0] += 0.5 * edge.until;
    QVERIFY(world.edge(world.at(before), world.at(home)).free);
}

TOPIKOS_TEST(WorldTest)
#include "world_test.moc"
