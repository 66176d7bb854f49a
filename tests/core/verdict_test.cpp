#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/check/check.h"
#include "core/check/live_checker.h"
#include "core/spatial/units.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// What checks say: about the right place, with the number that decided, and all of it.
class VerdictTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void targetsAreJudgedWhereTheProgramUsesThem();
    void cautionDoesNotHideABlock();
    void routinesThatDoNotRunAreLookedAt();
    void unreachableTargetIsOneFinding();
    void shownNumberIsTheOneThatDecided_data();
    void shownNumberIsTheOneThatDecided();
    void noJointComesAboveItsLimits_data();
    void noJointComesAboveItsLimits();
    void lineEndsInAnotherPostureThanTaught();
    void alignedWristOfAGantryIsReached();
    void wristOfGantriesAndElbowOfHorizontalArmsAreNamed();
    void editPlansOnlyWhatItTouches();
    void stoppedCheckerDeliversTheNewestOnly();
    void anotherCellLeavesNothingOfTheOneBefore();
};

namespace {

/// A random line of an arm from a posture in range, long enough to meet what is in its way.
struct RandomLine {
    JointVector from;
    LinePath path;
};

RandomLine randomLine(const Arm& arm, std::mt19937_64& random, double turn)
{
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    // One after the other: the order of arguments is the compiler's.
    const auto vector = [&] {
        const double x = real(-1, 1), y = real(-1, 1), z = real(-1, 1);
        return Vec3(x, y, z);
    };
    RandomLine line;
    line.from = randomPosture(arm, random);
    line.path.flangeFromTcp = translated({0.03, 0, 0.12});
    line.path.start = forward(arm, line.from) * line.path.flangeFromTcp;
    const Vec3 way = vector() * 0.6 * std::min(1.0, arm.reach());
    line.path.end = {line.path.start.translation + way, line.path.start.rotation};
    if (arm.as<FiveAxis>()) {
        // Within its plane it can keep an orientation.
        line.path.flangeFromTcp = translated({0, 0, 0.12});
        line.path.start = forward(arm, line.from) * line.path.flangeFromTcp;
        const Vec3 place = forward(arm, line.from).translation;
        const Vec3 ahead = Vec3(place[0], place[1], 0).normalized();
        line.path.end = {line.path.start.translation + way[0] * ahead + Vec3(0, 0, way[2]), line.path.start.rotation};
    }
    if (turn > 0) {
        const Vec3 axis = vector().normalized();
        line.path.end.rotation = Quat(Eigen::AngleAxisd(real(0, turn), axis)) * line.path.start.rotation;
    }
    return line;
}

SingularityBounds blocks() { return Thresholds().blocks(); }
SingularityBounds cautions() { return Thresholds().cautions(); }

}  // namespace

void VerdictTest::targetsAreJudgedWhereTheProgramUsesThem()
{
    // On a rail: what is out of reach from the start is in reach where the program takes the arm first.
    Cell cell = example("tile-glazing-line");
    FrameId rail;
    cell = addDevice(cell, Device::Kind::Rail, "Rail", {}, translated({0, 0, 0.1}), &rail).value();
    const FrameId carriage = axesOf(cell, rail).front();
    const ArmId arm = cell.arms.front().id;
    cell = setArmMount(cell, arm, carriage).value();
    TargetId far;
    cell =
        takePoseTarget(cell, arm, {}, homePosture(cell, cell.arms.front()), "Far off", &far, {{carriage, 1.9}}).value();
    cell = setTargetAxes(cell, far, {}).value();
    const Cell bare = withSteps(cell, {"joint to Home"});
    QVERIFY(check(bare).count(Severity::Blocked) >= 1);  // on its own it is out of reach
    const CheckResult result = check(withSteps(cell, {"move Rail to 1900", "joint to Far off"}), {.contact = false});
    for (const Finding* f : withFollowUps(result.findings))
        QVERIFY2(f->target != far, findingText(cell, *f).line().c_str());
    const auto verdict = std::find_if(result.targets.begin(), result.targets.end(),
                                      [&](const TargetVerdict& v) { return v.target == far; });
    QVERIFY(verdict->used && verdict->findings.empty() && !verdict->ways.items.empty());
    QCOMPARE(verdict->axes.size(), size_t(1));
    QCOMPARE(verdict->axes[0].value, 1.9);
}

void VerdictTest::cautionDoesNotHideABlock()
{
    // Above the tile joint 3 comes near its end, at the tile it would be past it: both are said.
    const Cell cell = example("planted-mistakes");
    const auto close =
        std::find_if(cell.targets.begin(), cell.targets.end(), [](const Target& t) { return t.name == "Tile close"; });
    bool met = false;
    for (int above = 30; above <= 120 && !met; above += 2) {
        const std::string words = "joint over Tile close " + std::to_string(above) + " mm";
        const CheckResult result = check(withSteps(cell, {words.c_str()}), {.contact = false});
        const auto own = result.ofStep(result.trace.arms[0].outcomes[0].step);
        if (own.size() != 1 || own[0]->rule != Rule::JointRange || own[0]->severity != Severity::Caution) continue;
        met = true;
        const auto all = withFollowUps(result.findings);
        QVERIFY(std::any_of(all.begin(), all.end(), [&](const Finding* f) {
            return f->target == close->id && !f->step && f->severity == Severity::Blocked
                   && f->as<RangeFact>()->joint == own[0]->as<RangeFact>()->joint;
        }));
    }
    QVERIFY(met);
}

void VerdictTest::routinesThatDoNotRunAreLookedAt()
{
    Cell cell = example("tile-glazing-line");
    RoutineId other;
    cell = addRoutine(cell, cell.arms.front().id, "Service", &other).value();
    QCOMPARE(QString::fromStdString(lookedAt(check(cell))), QString("1 routine that runs, 3 targets, contact"));
    const Target& pick = cell.targets[1];
    Step step = lineTo(pick.id, 0, 0.2);
    cell = insertStep(cell, other, 0, step).value();
    TargetId far;
    cell = takePoseTarget(cell, cell.arms.front().id, {}, homePosture(cell, cell.arms.front()), "Far", &far).value();
    cell = setTargetPose(cell, far, translated({9, 0, 0})).value();
    step.as<LineMove>()->goal = AtPlace{far};
    cell = insertStep(cell, other, 1, step).value();
    int early = 0;
    CheckOptions options;
    options.partial = [&](const CheckResult& result) {
        // The routines that run, then all of them; contact comes last.
        QVERIFY(!result.complete && !result.contact);
        if (result.contactDone > 0) return;  // how far contact is, where that takes long
        QCOMPARE(int(result.alone.size()), early++);
    };
    const CheckResult result = check(cell, options);
    QCOMPARE(early, 2);
    QCOMPARE(result.alone.size(), size_t(1));
    QVERIFY(std::any_of(result.findings.begin(), result.findings.end(),
                        [&](const Finding& f) { return f.routine == other && f.severity == Severity::Blocked; }));
    QCOMPARE(QString::fromStdString(lookedAt(result)),
             QString("1 routine that runs, 1 other by itself, 4 targets, contact"));
    QVERIFY(!result.trace.blocked());
}

void VerdictTest::unreachableTargetIsOneFinding()
{
    const Cell cell = withSteps(example("planted-mistakes"),
                                {"joint over Far shelf 50 mm", "line to Far shelf", "joint to Far shelf"});
    const CheckResult result = check(cell);
    const TargetId shelf = targetOf(cell.routines.front().steps[0]);
    const auto about = std::count_if(result.findings.begin(), result.findings.end(),
                                     [&](const Finding& f) { return f.target == shelf; });
    QCOMPARE(int(about), 1);
    const Finding& f = *std::find_if(result.findings.begin(), result.findings.end(),
                                     [&](const Finding& g) { return g.target == shelf; });
    QCOMPARE(f.stepIndex, size_t(0));
    QVERIFY(f.followUps.size() >= 2);
    for (const Step& step : cell.routines.front().steps)
        QVERIFY(!result.ofStep(step.id).empty());  // each step still knows that it is blocked
}

void VerdictTest::shownNumberIsTheOneThatDecided_data()
{
    QTest::addColumn<QString>("arm");
    QTest::addColumn<int>("seed");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << QString::fromStdString(id) << 17;
}

void VerdictTest::shownNumberIsTheOneThatDecided()
{
    // Of every line that stops for a singularity: the distance met is below the bound, the arm stands at the bound, and
    // nothing else had come first.
    QFETCH(QString, arm);
    QFETCH(int, seed);
    const ArmPtr model = catalogueArm(arm.toStdString());
    std::mt19937_64 random{std::uint64_t(seed)};
    const bool few = model->freeJoints().size() < 6;
    int stops = 0;
    for (int n = 0; n < 120; ++n) {
        const RandomLine line = randomLine(*model, random, few ? 0 : 1.0);
        const Move move = planLine(*model, line.from, line.path, {}, blocks(), cautions());
        if (!move.stop) continue;
        const LineStop& stop = *move.stop;
        if (stop.why == LineStop::Why::Singularity) {
            ++stops;
            QVERIFY2(stop.distance < blocks().of(stop.kind),
                     qPrintable(QString("line %1: %2 of kind %3").arg(n).arg(stop.distance).arg(int(stop.kind))));
        }
        if (stop.why == LineStop::Why::Jump) QVERIFY(stop.range.joint >= 0 && stop.range.excess > 20 * kDegree);
        if (stop.fraction <= 0 || stop.fraction >= 1) continue;
        const SingularityMargins there = singularityMargins(*model, move.to);
        for (const SingularityKind kind : kSingularityKinds) {
            if (!hasKind(*model, kind)) continue;
            const double bound = blocks().of(kind), distance = there.distance(kind);
            QVERIFY2(distance > bound * (1 - 1e-3), qPrintable(QString("line %1 (%4): %2 left at the stop, bound %3")
                                                                   .arg(n)
                                                                   .arg(distance)
                                                                   .arg(bound)
                                                                   .arg(int(stop.why))));
            if (stop.why == LineStop::Why::Singularity && kind == stop.kind)
                QVERIFY2(distance < bound * (1 + 1e-3),
                         qPrintable(QString("line %1: %2 left, bound %3").arg(n).arg(distance).arg(bound)));
        }
        QVERIFY(withinRange(*model, move.to) || rangeExcess(*model, move.to).excess < 1e-6);
    }
    if (model->hasBranches()) QVERIFY(stops > 0);
}

void VerdictTest::noJointComesAboveItsLimits_data() { shownNumberIsTheOneThatDecided_data(); }

void VerdictTest::noJointComesAboveItsLimits()
{
    // Against differences of the posture over time.
    QFETCH(QString, arm);
    const ArmPtr model = catalogueArm(arm.toStdString());
    std::mt19937_64 random(23);
    const bool few = model->freeJoints().size() < 6;
    MotionLimits limits;
    limits.lineSpeed = 1.0;
    limits.lineAcceleration = 8;
    int slowed = 0, free = 0;
    for (int n = 0; n < 40; ++n) {
        const RandomLine line = randomLine(*model, random, few ? 0 : 1.0);
        const Move move = planLine(*model, line.from, line.path, limits, blocks(), cautions());
        if (move.profile.duration < 0.05) continue;
        double speed = 0, acceleration = 0;
        constexpr double h = 4e-5;
        const auto at = [&](double t) { return move.at(*model, move.profile.at(t).position); };
        for (double t = h; t < move.profile.duration - h; t += 2 * h) {
            // Where the profile bends, a difference is of neither side.
            bool bends = false;
            for (const Profile::Stretch& s : move.profile.stretches)
                bends = bends || std::abs(s.time - t) < 1.5 * h;
            if (bends) continue;
            const JointVector a = at(t - h), b = at(t), c = at(t + h);
            for (int i = 0; i < model->jointCount(); ++i) {
                const Joint& joint = model->joints()[size_t(i)];
                speed = std::max(speed, std::abs(c[i] - a[i]) / (2 * h) / joint.speed);
                acceleration = std::max(acceleration, std::abs(a[i] - 2 * b[i] + c[i]) / (h * h) / joint.acceleration);
            }
        }
        QVERIFY2(speed < (model->jointCount() > 6 ? 1.01 : 1.002),
                 qPrintable(QString("line %1: %2 times the speed").arg(n).arg(speed)));
        // A difference of second order blurs what stands still and jumps at the range end of a seventh axis.
        QVERIFY2(acceleration < (model->jointCount() > 6 ? 1.1 : 1.02),
                 qPrintable(QString("line %1: %2 times the acceleration").arg(n).arg(acceleration)));
        ++(move.slowed().by.byJoint() ? slowed : free);
        QVERIFY(move.slowed().by.byJoint() == (move.slowed().lowest < 1));
    }
    QVERIFY2(slowed + free > 10, qPrintable(QString("%1 slowed, %2 free").arg(slowed).arg(free)));
}

void VerdictTest::lineEndsInAnotherPostureThanTaught()
{
    Cell cell = example("tile-glazing-line");
    const ArmId arm = cell.arms.front().id;
    cell = setArmModel(cell, arm, catalogueArm("redundant-820")).value();
    const Arm& model = *cell.arms.front().model;
    // The pose of a posture near home, taught with the elbow swung round by half a turn's share.
    JointVector start = homePosture(cell, cell.arms.front());
    const Pose flange = forward(model, start);
    std::optional<JointVector> swung;
    for (double turn = 0.3; turn < 2 && !swung; turn += 0.1) {
        JointVector guess = start;
        guess[2] += turn;
        for (const Solution& s : inverseKinematics(model, flange, &guess).items)
            if ((s.joints - start).cwiseAbs().maxCoeff() > 15 * kDegree
                && configurationOf(model, s.joints) == configurationOf(model, start))
                swung = s.joints;
    }
    QVERIFY(swung);
    TargetId target;
    cell = takePoseTarget(cell, arm, {}, *swung, "Swung", &target).value();
    cell = withSteps(cell, {"joint to Home", "line to Swung at 50 mm/s"});
    const CheckResult result = check(cell);
    const auto own = result.ofStep(result.trace.arms[0].outcomes[1].step);
    const auto other =
        std::find_if(own.begin(), own.end(), [](const Finding* f) { return f->rule == Rule::Configuration; });
    QVERIFY(other != own.end());
    QVERIFY(measureOf(cell, **other).measured > 5 * kDegree);
    QVERIFY(QString::fromStdString(findingText(cell, **other).headline).contains("another posture"));
}

void VerdictTest::alignedWristOfAGantryIsReached()
{
    const ArmPtr gantry = catalogueArm("gantry-2400");
    const auto* family = gantry->as<Gantry>();
    QVERIFY(family && family->turns.size() == 3);
    std::mt19937_64 random(4);
    int tried = 0;
    for (int n = 0; n < 200; ++n) {
        JointVector q = randomPosture(*gantry, random);
        q[family->turns[1]] = 0;
        if (singularityMargins(*gantry, q).distance(SingularityKind::Wrist) > 1e-9) continue;
        ++tried;
        const Solutions found = inverseKinematics(*gantry, forward(*gantry, q));
        QVERIFY2(!found.items.empty(), qPrintable(QString("posture %1").arg(n)));
        QVERIFY(deviation(forward(*gantry, found.items[0].joints), forward(*gantry, q)).metres < 1e-9);
        // Asked for with either side of the wrist, it is the same posture.
        for (const bool turned : {false, true})
            QVERIFY(chosenWay(*gantry, {false, false, turned}, {}, found.items));
    }
    QCOMPARE(tried, 200);
}

void VerdictTest::wristOfGantriesAndElbowOfHorizontalArmsAreNamed()
{
    const ArmPtr gantry = catalogueArm("gantry-2400"), horizontal = catalogueArm("scara-600");
    QVERIFY(hasKind(*gantry, SingularityKind::Wrist) && !hasKind(*gantry, SingularityKind::Direction));
    QVERIFY(hasKind(*horizontal, SingularityKind::Elbow) && !hasKind(*horizontal, SingularityKind::Direction));
    std::mt19937_64 random(6);
    for (int n = 0; n < 50; ++n) {
        // The margin is the angle between the first and the last turning axis, whatever the rest of the posture.
        const JointVector q = randomPosture(*gantry, random);
        const double angle = singularityMargins(*gantry, q).distance(SingularityKind::Wrist);
        ChainFrames frames;
        chainFrames(*gantry, q, frames);
        const auto& turns = gantry->as<Gantry>()->turns;
        const Vec3 a = frames.joints[size_t(turns[0])].rotation.col(2),
                   b = frames.joints[size_t(turns[2])].rotation.col(2);
        QVERIFY(std::abs(std::sin(angle) - a.cross(b).norm()) < 1e-12);
    }
    QCOMPARE(singularityCause(*gantry, SingularityKind::Wrist), std::string("axes 4 and 6 line up"));
}

void VerdictTest::editPlansOnlyWhatItTouches()
{
    Cell cell = example("tile-glazing-line");
    PlanCache plans;
    CheckOptions options;
    options.plans = &plans;
    const CheckResult before = check(cell, options);
    const auto first = plans.counts();
    QVERIFY(first.planned > 5);
    // A speed touches one move, and the law of it and the one before, which go over into each other; where it ends
    // stays, so all others are known.
    const Routine& routine = cell.routines.front();
    Step step = routine.steps[2];
    step.as<LineMove>()->speed *= 0.5;
    cell = changeStep(cell, routine.id, step).value();
    const CheckResult after = check(cell, options);
    QCOMPARE(plans.counts().planned, first.planned + 2);
    QVERIFY(after.trace.duration > before.trace.duration);
    // And it says what a check without any memory says.
    QCOMPARE(storyOf(after.trace), storyOf(check(cell).trace));
}

void VerdictTest::stoppedCheckerDeliversTheNewestOnly()
{
    const auto slow = std::make_shared<const Cell>(example("glazing-line-on-a-rail"));
    const auto last = std::make_shared<const Cell>(example("planted-mistakes"));
    std::mutex mutex;
    std::condition_variable done;
    std::vector<std::uint64_t> revisions;
    LiveChecker checker([&](std::shared_ptr<const CheckedCell> checked) {
        const std::lock_guard lock(mutex);
        revisions.push_back(checked->revision);
        done.notify_all();
    });
    for (std::uint64_t revision = 1; revision <= 200; ++revision)
        checker.submit(revision == 200 ? last : slow, revision);
    std::unique_lock lock(mutex);
    QVERIFY(
        done.wait_for(lock, std::chrono::seconds(20), [&] { return !revisions.empty() && revisions.back() == 200; }));
    QVERIFY(std::is_sorted(revisions.begin(), revisions.end()));
}

void VerdictTest::anotherCellLeavesNothingOfTheOneBefore()
{
    const auto small = std::make_shared<const Cell>(example("planted-mistakes"));
    const auto large = std::make_shared<const Cell>(example("rack-of-24"));
    // What is kept once the last of some cells is checked; all but the first are another one than before, or edits.
    const auto keptAfter = [](const std::vector<CellPtr>& cells, bool afresh) {
        std::mutex mutex;
        std::condition_variable done;
        std::uint64_t checked = 0;
        LiveChecker checker([&](std::shared_ptr<const CheckedCell> result) {
            if (!result->result.complete) return;
            const std::lock_guard lock(mutex);
            checked = result->revision;
            done.notify_all();
        });
        for (size_t i = 0; i < cells.size(); ++i) {
            checker.submit(cells[i], i + 1, afresh && i > 0);
            std::unique_lock lock(mutex);
            if (!done.wait_for(lock, std::chrono::seconds(60), [&] { return checked == i + 1; })) return size_t(0);
        }
        return checker.plans().counts().bytes;
    };
    const size_t alone = keptAfter({small}, false);
    QVERIFY(alone > 0);
    QVERIFY(keptAfter({large, small}, false) > 2 * alone);
    QCOMPARE(keptAfter({large, small}, true), alone);
}

TOPIKOS_TEST(VerdictTest)
#include "verdict_test.moc"
