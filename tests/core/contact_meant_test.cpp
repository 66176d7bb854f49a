#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/cell/pattern.h"
#include "core/check/check.h"
#include "core/collide/cache.h"
#include "core/collide/meant.h"
#include "core/collide/sweep.h"
#include "core/motion/time_law.h"
#include "tests/core/device_cells.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <set>

using namespace topikos;
using namespace topikos::test;

namespace {

std::vector<Finding> contactsIn(const Cell& cell, const CheckOptions& options = {})
{
    std::vector<Finding> out;
    const CheckResult result = check(cell, options);
    for (const Finding* f : withFollowUps(result.findings))
        if (f->rule == Rule::Contact) out.push_back(*f);
    return out;
}

std::string told(const Cell& cell, const CheckOptions& options = {})
{
    std::string out;
    const CheckResult result = check(cell, options);
    for (const Finding* f : withFollowUps(result.findings))
        out += findingText(cell, *f).line() + "\n";
    return out;
}

/// The highest speed of anything in a window, as far as a few looks tell [m/s].
double fastest(const ContactScene& scene, const Window& window)
{
    constexpr double h = 1e-4;
    double most = 0;
    for (size_t i = 0; i < scene.bodies().size(); ++i) {
        if (!scene.moves(i) || !scene.bodies()[i].shape) continue;
        const Ball& ball = scene.bodies()[i].shape->ball();
        for (int k = 0; k < 8; ++k) {
            const double time = window.from + (window.to - window.from - h) * k / 7;
            const auto a = scene.place(i, time), b = scene.place(i, time + h);
            if (!a || !b) continue;
            for (int axis = 0; axis < 3; ++axis)
                for (const double side : {-1.0, 1.0}) {
                    const Vec3 point = ball.centre + side * ball.radius * Vec3::Unit(axis);
                    most = std::max(most, (*a * point - *b * point).norm() / h);
                }
        }
    }
    return most;
}

/// Every checked pair, looked at each time that something may have moved by so much [m]: those that touch without being
/// meant to.
std::set<std::pair<size_t, size_t>> plainSweep(const ContactScene& scene, double step)
{
    std::set<std::pair<size_t, size_t>> out;
    const std::vector<CheckedPair> pairs = checkedPairs(scene.bodies(), axesAt(scene.trace(), 0));
    const CellBodies& bodies = scene.bodies();
    Meant meant(scene);
    for (const Window& window : windowsOf(scene.trace())) {
        const double length = window.to - window.from;
        if (!(length > 1e-9)) continue;
        const int looks = std::max(1, int(1.2 * length * fastest(scene, window) / step));
        for (int i = 0; i < looks; ++i) {
            const double time = window.from + length * (i + 0.5) / looks;
            std::vector<std::optional<Pose>> places;
            for (size_t k = 0; k < bodies.size(); ++k)
                places.push_back(scene.place(k, time));
            for (const CheckedPair& pair : pairs) {
                const auto &a = places[pair.a], &b = places[pair.b];
                if (!a || !b) continue;
                const Ball &x = bodies[pair.a].shape->ball(), &y = bodies[pair.b].shape->ball();
                if ((*a * x.centre - *b * y.centre).norm() > x.radius + y.radius) continue;
                if (out.contains({pair.a, pair.b})) continue;
                if (!bodies[pair.a].shape->touches(*a, *bodies[pair.b].shape, *b)) continue;
                if (!meant.touch(pair.a, pair.b, window.middle())) out.insert({pair.a, pair.b});
            }
        }
    }
    return out;
}

/// A small cell: one arm, a block, three tiles of which two lie on each other, and a few moves at random; some with a
/// belt, another arm, or a turntable and a rail.
Cell randomCell(std::mt19937_64& random)
{
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    Cell cell = onceBroke("stacked-touching");
    Pose low = cell.targets.back().pose;
    low.translation += Vec3(real(-0.02, 0.02), real(-0.02, 0.02), real(-0.006, 0.012));
    cell = setTargetPose(cell, cell.targets.back().id, low).value();
    FrameId block;
    cell = addFrame(cell, "Block", {}, translated({real(0.5, 1), real(-0.9, 0.3), real(0.75, 1.2)}), &block).value();
    cell =
        setFrameSolids(cell, block, {{Solid::Kind::Box, {}, {real(0.02, 0.2), real(0.02, 0.2), real(0.02, 0.2)}, {}}})
            .value();
    const Part part = cell.parts.back();
    Pose beside = cell.parts.front().pose;
    beside.translation += Vec3(real(0.1, 0.2), real(-0.1, 0.1), real(0, 0.01));
    cell = setPartPose(cell, part.id, beside).value();
    const RoutineId main = cell.arms.front().main;
    switch (random() % 4) {
    case 1: {
        // A belt across the way of the arm, with a slab that rides.
        FrameId belt;
        const Pose across{{real(0.4, 0.8), -1.2, real(0.5, 0.9)},
                          Quat(Eigen::AngleAxisd(std::numbers::pi / 2, Vec3::UnitZ()))};
        cell = addDevice(cell, Device::Kind::Belt, "Belt", {}, across, &belt).value();
        Device device = *findFrame(cell, belt)->device;
        device.size = {2.4, 0.4, 0.1};
        device.speed = real(0.1, 0.6);
        cell = changeDevice(cell, belt, device).value();
        cell = addPart(cell, "Rider", belt, translated({0.1, 0, real(0.01, 0.3)})).value();
        break;
    }
    case 2: {
        // A second arm opposite that turns about.
        FrameId mount;
        ArmId other;
        cell = addFrame(cell, "Other base", {}, translated({real(0.9, 1.6), real(-0.8, 0.8), 0.35}), &mount).value();
        cell = addArm(cell, "Other", cell.arms.front().model, mount, &other).value();
        std::vector<Step> steps;
        for (int i = 0; i < 5; ++i) {
            steps.push_back({.action = JointMove{.goal = JointShift{int(random() % 3), real(-0.7, 0.7)}}});
            steps.push_back({.action = JointMove{.goal = AtPlace{findArm(cell, other)->home}}});
        }
        cell = insertSteps(cell, findArm(cell, other)->main, 0, steps).value();
        break;
    }
    case 3: {
        // A turntable with a block on it and a rail with another, moved in between.
        for (const Device::Kind kind : {Device::Kind::Turntable, Device::Kind::Rail}) {
            FrameId device, load;
            cell = addDevice(cell, kind, kind == Device::Kind::Rail ? "Rail" : "Table", {},
                             translated({real(0.5, 1), real(-0.9, 0.9), real(0.6, 1)}), &device)
                       .value();
            const FrameId axis = axesOf(cell, device).front();
            cell = addFrame(cell, kind == Device::Kind::Rail ? "Sledge" : "Load", axis,
                            translated({real(0, 0.4), 0, real(0, 0.2)}), &load)
                       .value();
            cell = setFrameSolids(cell, load,
                                  {{Solid::Kind::Box, {}, {real(0.05, 0.3), real(0.05, 0.3), real(0.05, 0.3)}, {}}})
                       .value();
            for (const double share : {0.3, 0.8}) {
                const FrameAxis& own = *findFrame(cell, axis)->axis;
                const double to = own.lowest + share * (own.highest - own.lowest);
                const size_t count = findRoutine(cell, main)->steps.size();
                cell = insertSteps(cell, main, 1 + random() % (count - 1), {Step{.action = MoveAxes{device, {to}}}})
                           .value();
            }
        }
        break;
    }
    default: break;
    }
    return cell;
}

}  // namespace

/// What is meant to touch, and for how long; and that nothing that decides a verdict is left out of what is remembered.
class ContactMeantTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void supportIsOneUntilItIsLeft();
    void contactLastsOverSteps();
    void releaseOnABeltIsMeant();
    void twoAxesInOneCornerKeepTheirLimits();
    void tipMayBeInItsSeam();
    void noContactIsMissedAndNoneIsFalse();
    void idsAreNoKeys();
    void keptIsFresh();
};

void ContactMeantTest::supportIsOneUntilItIsLeft()
{
    // The upper tile begins on the lower one, is lifted, and driven 8 mm into it.
    const Cell cell = onceBroke("stacked-touching");
    const std::vector<Finding> found = contactsIn(cell);
    const auto ofTiles = [&](const Finding& f) {
        const ContactFact& fact = *f.as<ContactFact>();
        return fact.a.name == "Lower" && fact.b.name == "Upper";
    };
    QCOMPARE(std::count_if(found.begin(), found.end(), ofTiles), 1);
    const Finding& tiles = *std::find_if(found.begin(), found.end(), ofTiles);
    QVERIFY(std::abs(tiles.as<ContactFact>()->depth - 0.008) < 1e-4);
    // Taken from there and put back, they are meant to touch.
    Cell back = cell;
    Pose pose = findTarget(cell, cell.targets.back().id)->pose;
    pose.translation[2] = 0.018;
    back = setTargetPose(back, cell.targets.back().id, pose).value();
    const Routine& routine = routineOf(back, back.arms.front());
    back = insertSteps(back, routine.id, 6, {Step{.action = Release{}}}).value();
    QVERIFY(contactsIn(back).empty());
}

void ContactMeantTest::contactLastsOverSteps()
{
    // Into the lower tile, a wait there, and out again: one contact, with the step in which it ends.
    Cell cell = onceBroke("stacked-touching");
    const RoutineId id = routineOf(cell, cell.arms.front()).id;
    cell = insertSteps(cell, id, 6, {Step{.action = Wait{0.7}}}).value();
    const Trace trace = simulate(cell);
    for (const Finding& f : contactsIn(cell)) {
        const ContactFact& fact = *f.as<ContactFact>();
        if (fact.a.name != "Lower" || fact.b.name != "Upper") continue;
        QCOMPARE(f.stepIndex, size_t(5));
        QCOMPARE(fact.lastIndex, size_t(7));
        const auto& spans = trace.arms.front().spans;
        QVERIFY(fact.time < spans[5].end && fact.until > spans[7].start && fact.until < spans[7].end);
        // The end is where the tile comes off: 8 mm above the lowest place, on its way up.
        const ContactScene scene(cell, trace);
        size_t a = 0, b = 0;
        for (size_t i = 0; i < scene.bodies().size(); ++i) {
            if (scene.bodies()[i].part == fact.a.part) a = i;
            if (scene.bodies()[i].part == fact.b.part) b = i;
        }
        const auto apart = [&](double time) {
            return scene.bodies()[a]
                .shape->nearest(*scene.place(a, time), *scene.bodies()[b].shape, *scene.place(b, time))
                .distance;
        };
        QVERIFY(apart(fact.until - 1e-3) <= 1e-5 && apart(fact.until + 0.02) > 1e-5);
        return;
    }
    QFAIL("no contact of the two tiles");
}

void ContactMeantTest::releaseOnABeltIsMeant()
{
    const Cell cell = onceBroke("release-on-belt");
    for (const Finding& f : contactsIn(cell))
        QVERIFY2(false, findingText(cell, f).line().c_str());
    // What the arm sets down on a belt counts once.
    const Trace trace = simulate(cell);
    const auto of = [&](PartEvent::Kind kind) {
        return std::count_if(trace.partEvents.begin(), trace.partEvents.end(),
                             [kind](const PartEvent& e) { return e.arm && e.kind == kind; });
    };
    QCOMPARE(of(PartEvent::Kind::Lies), 1);
    QCOMPARE(of(PartEvent::Kind::Rides), 1);
    QCOMPARE(partsPerHour(trace), 3600 / trace.duration);
}

void ContactMeantTest::twoAxesInOneCornerKeepTheirLimits()
{
    // A rail moves in one move, a turntable that the next place lies on in the next, and the corner between is cut.
    FrameId rail, carriage, table;
    Cell cell = onRail(rail, carriage);
    cell = with(cell, Device::Kind::Turntable, "Table", translated({3, 3, 0}), table);
    const FrameId plate = axesOf(cell, table).front();
    const ArmId arm = cell.arms.front().id;
    const auto target = [&](const char* name, AxisValues axes, double by) {
        JointVector posture = homePosture(cell, cell.arms.front());
        posture[0] += by;
        TargetId id;
        cell = takePoseTarget(cell, arm, {}, posture, name, &id).value();
        cell = setTargetAxes(cell, id, axes).value();
    };
    const double start = findFrame(cell, carriage)->axis->value;
    target("First", {{carriage, start + 0.3}, {plate, 0}}, 0.2);
    target("Second", {{carriage, start + 0.3}, {plate, 0.8}}, 0.4);
    cell = mainWith(cell, "joint to First at 100 % blend 80 mm\njoint to Second at 100 %\n");
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    bool cut = false;
    for (const AxisTrack& track : trace.axes) {
        const FrameAxis& axis = *findFrame(cell, track.frame)->axis;
        constexpr double h = 1e-4;
        for (double t = 2 * h; t < trace.duration - 2 * h; t += 2e-3) {
            const auto at = [&](double time) { return track.at(time).value_or(axis.value); };
            const double speed = (at(t + h) - at(t - h)) / (2 * h),
                         change = (at(t + h) - 2 * at(t) + at(t - h)) / (h * h);
            QVERIFY2(std::abs(speed) <= axis.speed * (1 + 2 * kAboveLimit), qPrintable(QString::number(speed)));
            QVERIFY2(std::abs(change) <= axis.acceleration * (1 + 0.02) + 0.02, qPrintable(QString::number(change)));
            cut = cut || std::abs(speed) > 1e-3;
        }
    }
    QVERIFY(cut);
}

void ContactMeantTest::tipMayBeInItsSeam()
{
    // The bench with its tools allowed nothing by hand.
    Cell cell = example("glaze-edge-wiping-bench");
    for (Routine& routine : cell.routines.edits())
        routine.steps.change([](const Step& step) { return !step.mayTouch.empty(); },
                             [](Step& step) { step.mayTouch.clear(); });
    const auto shiftedBy = [&](double by) {
        Cell out = cell;
        for (const Pattern& pattern : cell.patterns) {
            if (pattern.layout != Pattern::Layout::Drawn) continue;
            Pattern changed = pattern;
            changed.drawing.offset += by;
            out = changePattern(out, changed).value();
        }
        return out;
    };
    const auto isTold = [&](double by) {
        for (const Finding& f : contactsIn(shiftedBy(by))) {
            const ContactFact& fact = *f.as<ContactFact>();
            for (const ContactSide* side : {&fact.a, &fact.b})
                if (side->member && side->member->kind == ContactMember::Kind::Tool) return true;
        }
        return false;
    };
    /// The smallest distance of the wiping tool from the sink along the seam.
    const auto nearest = [&](double by) {
        const Cell moved = shiftedBy(by);
        const Trace trace = simulate(moved);
        const ContactScene scene(moved, trace);
        const ArmTrace& arm = *findArmTrace(trace, moved.arms.front().id);
        double least = INFINITY;
        for (size_t t = 0; t < scene.bodies().size(); ++t) {
            const SceneBody& tool = scene.bodies()[t];
            if (tool.kind != SceneBody::Kind::Tool || tool.arm != arm.arm) continue;
            for (size_t p = 0; p < scene.bodies().size(); ++p) {
                if (scene.bodies()[p].kind != SceneBody::Kind::Part) continue;
                for (double time = 0; time < arm.spans[60].end; time += 0.02)
                    least = std::min(
                        least,
                        tool.shape->nearest(*scene.place(t, time), *scene.bodies()[p].shape, *scene.place(p, time))
                            .distance);
            }
        }
        return least;
    };
    // How far off the surface the seam has to be for nothing to be told: there the tip is still in it.
    double told = 0, silent = 0.03;
    QVERIFY(isTold(told) && !isTold(silent));
    while (silent - told > 1e-4) {
        const double middle = 0.5 * (told + silent);
        (isTold(middle) ? told : silent) = middle;
    }
    QVERIFY2(nearest(silent) <= 1e-6, qPrintable(QString::number(nearest(silent))));
    QVERIFY2(nearest(silent + 0.7 * kProcessDepth) <= 1e-6, "half a millimetre is meant");
    QVERIFY2(nearest(silent + 1.5 * kProcessDepth) > 1e-6, "and no more");
    // A tool whose process goes deeper is silent as much deeper, and by its flank as little as any other.
    Tool& tool = *cell.tools.edit(cell.arms.front().tool);
    QVERIFY(!tool.processes.empty());
    constexpr double depth = 0.004;
    for (Process& process : tool.processes)
        process.depth = depth;
    // It leans, so that the depth along its axis is a little more than across the surface.
    const double more = depth - kProcessDepth;
    QVERIFY2(!isTold(silent - 0.8 * more + 2e-4), "as deep as the process says");
    QVERIFY2(isTold(silent - more - 4e-4), "and no deeper");
}

void ContactMeantTest::noContactIsMissedAndNoneIsFalse()
{
    std::mt19937_64 random(5);
    const bool many = qEnvironmentVariableIsSet("TOPIKOS_MANY");
    const int cells = many ? 200 : 16;
    const double step = many ? 2e-4 : 2e-3;
    int touching = 0;
    for (int n = 0; n < cells; ++n) {
        const Cell cell = randomCell(random);
        const Trace trace = simulate(cell);
        const ContactScene scene(cell, trace);
        std::set<std::pair<size_t, size_t>> found;
        for (const Encounter& e : encounters(scene, 0))
            if (e.contact) found.insert({e.a, e.b});
        for (const auto& pair : plainSweep(scene, step)) {
            ++touching;
            QVERIFY2(found.contains(pair), qPrintable(QString("cell %1: missed").arg(n)));
        }
        // Each of them is a contact where it says so.
        for (const Encounter& e : encounters(scene, 0)) {
            if (!e.contact) continue;
            const auto &a = scene.bodies()[e.a], &b = scene.bodies()[e.b];
            QVERIFY(a.shape->nearest(*scene.place(e.a, e.time), *b.shape, *scene.place(e.b, e.time)).distance <= 2e-5);
        }
        if (many) qInfo("%d of %d cells, %d contacts", n + 1, cells, touching);
    }
    QVERIFY2(touching > cells, qPrintable(QString::number(touching)));
}

void ContactMeantTest::idsAreNoKeys()
{
    // The step may touch "Block"; then what it touches is given to another frame at the same place.
    const Cell cell = onceBroke("stacked-touching");
    FrameId a, b;
    Cell made = addFrame(cell, "Block", {}, translated({0.72, -0.58, 0.72}), &a).value();
    made = addFrame(made, "Other", {}, translated({0.72, -0.58, 0.72}), &b).value();
    const std::vector<Solid> solids{{Solid::Kind::Box, {}, {0.3, 0.3, 0.02}, {}}};
    made = setFrameSolids(made, a, solids).value();
    const Routine& routine = routineOf(made, made.arms.front());
    std::vector<Step> steps;
    for (Step step : routine.steps) {
        step.mayTouch = {a, made.partKinds.front().id};
        steps.push_back(step);
    }
    made = changeSteps(made, routine.id, steps).value();
    ContactCache cache;
    PlanCache plans;
    CheckOptions kept;
    kept.touched = &cache;
    kept.plans = &plans;
    QVERIFY(contactsIn(made, kept).empty());
    Cell swapped = setFrameSolids(made, a, {}).value();
    swapped = setFrameSolids(swapped, b, solids).value();
    QVERIFY(!contactsIn(swapped).empty());
    QCOMPARE(contactsIn(swapped, kept).size(), contactsIn(swapped).size());
    QCOMPARE(told(made, kept), told(made));
}

/// After edits of every kind, also such that give what one thing has to another, what is remembered tells the same as a
/// check from nothing: plans, contact, pairs and verdicts.
void ContactMeantTest::keptIsFresh()
{
    std::mt19937_64 random(3);
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    const int edits = qEnvironmentVariableIsSet("TOPIKOS_MANY") ? 2000 : 250;
    ContactCache cache;
    PlanCache plans;
    Cell cell = randomCell(random);
    FrameId other;
    cell = addFrame(cell, "Other", {}, translated({0.8, -0.4, 0.9}), &other).value();
    cell = setFrameSolids(cell, other, {{Solid::Kind::Box, {}, {0.1, 0.1, 0.1}, {}}}).value();
    const FrameId block = frameNamed(cell, "Block");
    PartKind slab = cell.partKinds.front();
    slab.id = {cell.nextId++};
    slab.name = "Slab";
    slab.solids.front().size[2] *= 2;
    cell.partKinds.push_back(slab);
    int contacts = 0, different = 0;
    std::string before;
    for (int n = 0; n < edits; ++n) {
        const Routine& routine = routineOf(cell, cell.arms.front());
        switch (random() % 11) {
        case 0:
            cell = setFramePose(cell, block, translated({real(0.5, 1), real(-0.9, 0.3), real(0.75, 1.2)})).value();
            break;
        case 1: {  // shapes change hands
            const std::vector<Solid> own = findFrame(cell, block)->solids, its = findFrame(cell, other)->solids;
            cell = setFrameSolids(cell, block, its).value();
            cell = setFrameSolids(cell, other, own).value();
            break;
        }
        case 2: {  // places change hands
            const Pose own = findFrame(cell, block)->pose, its = findFrame(cell, other)->pose;
            cell = setFramePose(cell, block, its).value();
            cell = setFramePose(cell, other, own).value();
            break;
        }
        case 3: {
            Part& part = cell.parts.at(random() % cell.parts.size());
            part.kind = cell.partKinds[random() % cell.partKinds.size()].id;
            break;
        }
        case 4: {
            Tool tool = cell.tools.front();
            tool.gripper.open = real(0.16, 0.2);
            if (random() % 4 == 0)
                tool.gripper.kind =
                    tool.gripper.kind == Gripper::Kind::Parallel ? Gripper::Kind::Angular : Gripper::Kind::Parallel;
            tool.gripper.pivot = real(0.12, 0.2);
            *cell.tools.edit(tool.id) = tool;
            break;
        }
        case 5: {
            Step step = routine.steps[random() % routine.steps.size()];
            step.mayTouch.clear();
            if (random() % 2) step.mayTouch.push_back(random() % 2 ? block : other);
            if (random() % 2) step.mayTouch.push_back(cell.partKinds[random() % cell.partKinds.size()].id);
            cell = changeStep(cell, routine.id, step).value();
            break;
        }
        case 6: {
            Pose pose = cell.targets.back().pose;
            pose.translation[2] = real(0.008, 0.03);
            cell = setTargetPose(cell, cell.targets.back().id, pose).value();
            break;
        }
        case 7: {
            Pose pose = cell.parts.back().pose;
            pose.translation[0] = real(0.05, 0.25);
            cell = setPartPose(cell, cell.parts.back().id, pose).value();
            break;
        }
        case 8: cell.arms.edit(cell.arms.front().id)->padding = real(0, 0.02); break;
        case 9: {
            Step step = routine.steps[random() % routine.steps.size()];
            if (LineMove* line = step.as<LineMove>()) line->speed = real(0.05, 0.5);
            if (random() % 3 == 0) step.off = !step.off;
            cell = changeStep(cell, routine.id, step).value();
            break;
        }
        case 10: cell.thresholds.clearance = real(0, 0.01); break;
        }
        CheckOptions kept;
        kept.plans = &plans;
        kept.touched = &cache;
        kept.workers = 1 + int(random() % 2);
        const std::string with = told(cell, kept), fresh = told(cell);
        QVERIFY2(with == fresh, qPrintable(QString("edit %1:\n%2\nfresh:\n%3")
                                               .arg(n)
                                               .arg(QString::fromStdString(with), QString::fromStdString(fresh))));
        contacts += with.find("touch") != std::string::npos;
        different += std::exchange(before, with) != with;
    }
    QVERIFY2(contacts > edits / 4 && different > edits / 4, qPrintable(QString("%1 %2").arg(contacts).arg(different)));
}

TOPIKOS_TEST(ContactMeantTest)
#include "contact_meant_test.moc"
