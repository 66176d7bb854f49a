#include "tests/core/device_cells.h"
#include "tests/core/program_cells.h"

#include "core/cell/arms.h"
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/robot/inverse.h"
#include "core/simulate/moves.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <functional>
#include <set>

using namespace topikos;
using namespace topikos::test;

/// A cell for how far past a threshold something is; below 0 on the side where all is well.
using MakeNotch = std::function<Cell(double)>;
Q_DECLARE_METATYPE(MakeNotch)

/// Every rule about what the arm does: silent one notch below its threshold, there one notch above. The thresholds are
/// worked out here from the arm and the cell, not asked from the checker.
class NotchTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void silentBelowAndThereAbove_data();
    void silentBelowAndThereAbove();
    void everyRuleHasARow();
    void everyMistakeOfTheExampleIsFound();
};

namespace {

constexpr double kNotch = 1e-4;  // of most: [m], [rad] or [s]
const Quat kDown(0, 0, 1, 0);

/// The demo without parts.
Cell bare() { return withoutParts(programCell()); }

TargetId addPlace(Cell& cell, const std::string& name, const Pose& worldFromTcp, Configuration configuration = {})
{
    Target target{{cell.nextId++}, name, cell.arms.front().id};
    target.tool = cell.arms.front().tool;
    target.pose = worldFromTcp;
    target.configuration = configuration;
    cell.targets.push_back(target);
    return target.id;
}

/// Where the tool is in a posture.
Pose placeOf(const Cell& cell, const JointVector& q)
{
    const ArmStation& arm = cell.arms.front();
    return worldFromBase(cell, arm) * forward(*arm.model, q) * flangeFromTcp(cell, arm);
}

/// A cell that goes by joints to where the tool is in a posture, moved a little in the world.
Cell toPlaceOf(JointVector q, const Vec3& moved = Vec3::Zero())
{
    Cell cell = bare();
    Pose place = placeOf(cell, q);
    place.translation += moved;
    addPlace(cell, "There", place, configurationOf(*cell.arms.front().model, q));
    return mainWith(cell, "joint to There");
}

JointVector someReach()
{
    JointVector q = homePosture(bare(), bare().arms.front());
    q[4] = 60 * kDegree;
    return q;
}

/// The wrist, the way out from axis 2 to it, and how long that is.
struct Stretch {
    Vec3 way;
    double length;
};
Stretch stretchOf(const Cell& cell, const JointVector& q)
{
    ChainFrames frames;
    chainFrames(*cell.arms.front().model, q, frames);
    const Vec3 axis = frames.joints[1].rotation.col(2);
    Vec3 way = frames.joints[4].origin - frames.joints[1].origin;
    way -= axis * axis.dot(way);
    return {worldFromBase(cell, cell.arms.front()).rotation * way.normalized(), way.norm()};
}

Cell pastReach(double by)
{
    // Joint 3 where the wrist is furthest from axis 2, by golden sections.
    JointVector q = someReach();
    q[1] = 40 * kDegree;  // well in front
    const Cell cell = bare();
    const auto lengthAt = [&](double third) {
        q[2] = third;
        return stretchOf(cell, q).length;
    };
    double low = -2.5, high = 1.0;
    for (int i = 0; i < 100; ++i) {
        const double a = high - 0.618034 * (high - low), b = low + 0.618034 * (high - low);
        (lengthAt(a) > lengthAt(b) ? high : low) = lengthAt(a) > lengthAt(b) ? b : a;
    }
    q[2] = 0.5 * (low + high);
    return toPlaceOf(q, by * stretchOf(cell, q).way);
}

Cell nearRangeEnd(double by)
{
    Cell cell = bare();
    const Joint& last = cell.arms.front().model->joints()[5];
    JointVector q = someReach();
    q[5] = last.upper - cell.thresholds.jointMargin + by;
    Target target{{cell.nextId++}, "There", cell.arms.front().id, Target::Kind::Posture};
    target.posture = q;
    cell.targets.push_back(target);
    return mainWith(cell, "joint to There");
}

Cell nearAlignedWrist(double by)
{
    JointVector q = someReach();
    q[4] = bare().thresholds.wristCaution - by;
    return toPlaceOf(q);
}

/// An arm of seven axes, whose line arrives so far from the posture that its target was taught with.
Cell fromTaughtPosture(double by)
{
    Cell cell = bare();
    cell = setArmModel(cell, cell.arms.front().id, catalogueArm("redundant-820")).value();
    const ArmStation& arm = cell.arms[0];
    JointVector q(7);
    q << 0.3, 0.7, 0.2, -1.2, 0.1, 1.0, 0.2;
    const auto place = [&](const char* name, const Pose& pose) {
        const TargetId id = addPlace(cell, name, pose, configurationOf(*arm.model, q));
        cell.targets.edit(id)->posture = q;
        return id;
    };
    const Pose from = placeOf(cell, q);
    place("Here", from);
    const TargetId there = place("There", Pose{from.translation + Vec3(0, 0, 0.1), from.rotation});
    cell = mainWith(cell, "joint to Here\nline to There");
    const CheckResult first = check(cell);
    JointVector taught = first.trace.arms[0].outcomes[1].plan->arrival;
    taught[2] += 5 * kDegree + by;
    cell.targets.edit(there)->posture = taught;
    return cell;
}

/// A line from side to side in front of the arm, at a speed.
Cell across(double x, double y, double z, double speed)
{
    Cell cell = bare();
    addPlace(cell, "Left", Pose{Vec3(x, -y, z), kDown});
    addPlace(cell, "Right", Pose{Vec3(x, y, z), kDown});
    return mainWith(cell, fmt::format("joint to Left\nline to Right at {:.6f} mm/s", speed * 1000));
}

Cell slowedByAJoint(double by)
{
    // In the middle of the line the tool goes round axis 1 as fast as that joint can turn; half of the speed asked for
    // is still well.
    constexpr double x = 0.2;
    const double speed = 2 * x * bare().arms.front().model->joints()[0].speed;
    return across(x, 0.55, 1.25, speed * (1 + by));
}

Cell slowedByAnAcceleration(double by)
{
    constexpr double x = 0.28, y = 0.78, z = 0.8, h = 2e-3;
    const Cell cell = bare();
    const ArmStation& arm = cell.arms.front();
    const auto at = [&](double s) {
        const Pose place =
            inverse(worldFromBase(cell, arm)) * Pose{Vec3(x, s, z), kDown} * inverse(flangeFromTcp(cell, arm));
        return withConfiguration(inverseKinematics(*arm.model, place).items, {})->joints;
    };
    // In the middle the speed is the lowest one, so that joints accelerate by how their ways bend alone.
    const JointVector bend = (at(-h) - 2 * at(0) + at(h)) / (h * h);
    double speed = INFINITY;
    for (int j = 0; j < 6; ++j)
        speed = std::min(speed, std::sqrt(arm.model->joints()[size_t(j)].acceleration / std::abs(bend[j])));
    return across(x, y, z, 2 * speed * (1 + by));
}

Cell cornerOfAShortMove(double by)
{
    // Half of the 100 mm between two corners.
    return mainWith(bare(), fmt::format("joint to Home\nline by 200 mm along y blend 20 mm\n"
                                        "line by -100 mm along z blend {:.6f} mm\nline by -200 mm along y",
                                        50 + 1000 * by));
}

/// The jaws so far over a board [m].
Cell overABoard(double gap)
{
    Cell cell = bare();
    double lowest = 0;  // of the jaws behind the tool point
    for (const Solid& solid : findTool(cell, cell.arms.front().tool)->jaw)
        lowest = std::max(lowest, solid.pose.translation.z() + 0.5 * solid.size.z());
    Frame board{{cell.nextId++}, "Board"};
    board.pose = translated({0.8, 0, 0.8});
    board.solids = {Solid{Solid::Kind::Box, translated({0, 0, -0.01}), {0.3, 0.3, 0.02}}};
    cell.frames.push_back(board);
    addPlace(cell, "Spot", Pose{Vec3(0.8, 0, 0.8 + lowest + gap), kDown});
    return mainWith(cell, "joint over Spot 100 mm\nline to Spot\nline over Spot 100 mm");
}

Cell gripsFrom(double by)
{
    Cell cell = example("tile-glazing-line");
    Part& tile = *cell.parts.edit(cell.parts[0].id);
    const Target& pick = cell.targets[1];
    tile.pose = pick.pose * translated({findTool(cell, pick.tool)->gripper.grasp + by, 0, 0});
    tile.pose.rotation = Quat::Identity();
    return mainWith(cell, fmt::format("joint over {0} 100 mm\nline to {0}\ngrip", pick.name));
}

/// A second arm that switches Go on after a second.
Cell withOther(const std::string& own, const std::string& others)
{
    Cell cell = bare();
    cell = addArm(cell, "Other", cell.arms.front().model, {}).value();
    cell = renameRoutine(cell, cell.arms.back().main, "Aside").value();
    return withProgram(cell, "routine Main, run by Arm\n    " + own + "\n\nroutine Aside, run by Other\n" + others);
}

Cell waits(const std::string& otherwise, double by)
{
    return withOther(fmt::format("wait for Go at most {:.6f} s{}", 1 - by, otherwise), "    wait 1 s\n    set Go on\n");
}

Cell axisIsBusy(double by)
{
    const Cell cell = bare();
    const FrameAxis* axis = nullptr;
    for (const Frame& frame : cell.frames)
        if (frame.axis) axis = &*frame.axis;
    const double busy = timeOf(90 * kDegree, axis->speed, axis->acceleration);
    return withOther(fmt::format("wait {:.6f} s\n    move Table to 0°", busy - by), "    move Table to 90°\n");
}

Cell runsOff(double by)
{
    FrameId belt;
    Cell cell = beltCell({0.4}, belt);
    Device& device = *cell.frames.edit(belt)->device;
    device.accumulates = device.indexing = false;
    const double way = device.size.x() - 0.4;
    return withSteps(
        cell,
        {fmt::format("wait {:.6f} s", way / device.speed + device.speed / (2 * device.acceleration) + by).c_str()});
}

struct Notch {
    Rule rule;
    const char* name;
    double notch;
    MakeNotch make;
};

std::vector<Notch> notches()
{
    return {
        {Rule::Reach, "the arm as long as it gets", kNotch, pastReach},
        {Rule::JointRange, "the margin to a range end", kNotch, nearRangeEnd},
        {Rule::Singularity, "the caution of the wrist", kNotch, nearAlignedWrist},
        {Rule::Configuration, "5° from the posture taught", 1e-3, fromTaughtPosture},
        {Rule::JointSpeed, "half of the speed, by a joint's speed", 0.01, slowedByAJoint},
        {Rule::JointAcceleration, "half of the speed, by a joint's acceleration", 0.01, slowedByAnAcceleration},
        {Rule::Corner, "half of a short move", kNotch, cornerOfAShortMove},
        {Rule::Contact, "jaws on a board", 3e-5, [](double by) { return overABoard(-by); }},
        {Rule::Clearance, "2 mm of clearance", 2e-5,
         [](double by) { return overABoard(bare().thresholds.clearance - by); }},
        {Rule::Grip, "as far as the gripper grips", kNotch, gripsFrom},
        {Rule::Signal, "a wait just long enough", kNotch, [](double by) { return waits("", by); }},
        {Rule::Axis, "an axis that another arm moves", kNotch, axisIsBusy},
        {Rule::Belt, "the end of a belt", kNotch, runsOff},
        {Rule::Stop, "a stop when the time is up", kNotch,
         [](double by) { return waits(", else stop \"No tile came\"", by); }},
    };
}

size_t notchFindings(const Cell& cell, Rule rule)
{
    const CheckResult result = check(cell);
    return size_t(std::count_if(result.findings.begin(), result.findings.end(),
                                [rule](const Finding& f) { return f.rule == rule; }));
}

}  // namespace

void NotchTest::silentBelowAndThereAbove_data()
{
    QTest::addColumn<Rule>("rule");
    QTest::addColumn<double>("notch");
    QTest::addColumn<MakeNotch>("make");
    for (const Notch& row : notches())
        QTest::newRow(row.name) << row.rule << row.notch << row.make;
}

void NotchTest::silentBelowAndThereAbove()
{
    QFETCH(Rule, rule);
    QFETCH(double, notch);
    QFETCH(MakeNotch, make);
    QCOMPARE(notchFindings(make(-notch), rule), size_t(0));
    QVERIFY(notchFindings(make(notch), rule) > 0);
}

void NotchTest::everyRuleHasARow()
{
    std::set<Rule> seen;
    for (const Notch& row : notches())
        seen.insert(row.rule);
    for (int i = 0; i < kRules; ++i)
        if (!isAdvice(Rule(i))) QVERIFY2(seen.contains(Rule(i)), ruleName(Rule(i)));
}

void NotchTest::everyMistakeOfTheExampleIsFound()
{
    const Cell cell = example("one-mistake-of-every-rule");
    const CheckResult result = check(cell);
    std::set<Rule> found;
    for (const Finding& f : result.findings)
        found.insert(f.rule);
    // More branches than are judged would make it a long one.
    for (int i = 0; i < kRules; ++i)
        if (Rule(i) != Rule::AdviceNotJudged) QVERIFY2(found.contains(Rule(i)), ruleName(Rule(i)));
    // Each at the step whose note names it.
    const std::string mark = "mistake: ";
    int named = 0;
    for (const Routine& routine : cell.routines)
        for (const Step& step : routine.steps) {
            if (!step.note.starts_with(mark)) continue;
            ++named;
            QVERIFY2(std::any_of(result.findings.begin(), result.findings.end(),
                                 [&](const Finding& f) {
                                     return f.step == step.id && ruleName(f.rule) == step.note.substr(mark.size());
                                 }),
                     step.note.c_str());
        }
    QVERIFY(named > 20);
}

TOPIKOS_TEST(NotchTest)
#include "notch_test.moc"
