#include "core/cell/edit_steps.h"
#include "core/collide/clearance_along.h"
#include "core/report/breakdown_csv.h"
#include "core/report/curves_file.h"
#include "tests/core/program_cells.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <QFile>
#include <QTemporaryDir>

#include <set>

using namespace topikos;
using namespace topikos::test;

/// Curves of a run, and where its time goes.
class CurvesTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyCurveHasANameAWordAndAValue();
    void clearanceIsThatOfTheNearestPair();
    void speedsAddUpToPositions();
    void toolSpeedIsThatOfTheTool_data();
    void toolSpeedIsThatOfTheTool();
    void torquesAreThoseOfTheDynamics();
    void armsWithoutMassesHaveNoTorques();
    void onlyCornersLeaveThePath();
    void tableHasARowForEachTime();
    void picturesAreMade();
    void ticksAreRound();
    void breakdownAddsUp_data();
    void breakdownAddsUp();
    void breakdownSaysWhatCostsTime();
    void breakdownLeavesTheWarmUpOut();
    void breakdownIsCompared();
};

namespace {

std::vector<double> evenly(double to, int parts)
{
    std::vector<double> out;
    for (int i = 0; i <= parts; ++i)
        out.push_back(to * i / parts);
    return out;
}

Curve curveOf(const Cell& cell, Curve::Kind kind, int joint = -1)
{
    return {kind, cell.arms.front().id, joint, {}, {}};
}

}  // namespace

void CurvesTest::everyCurveHasANameAWordAndAValue()
{
    const Cell cell = example("glazing-line-on-a-rail");
    const Trace trace = simulate(cell);
    const std::vector<Curve> all = curvesOf(cell);
    std::set<std::string> names;
    for (const Curve& curve : all)
        names.insert(curveName(cell, curve) + curveWord(curve.kind));
    QCOMPARE(names.size(), all.size());
    for (const Curve::Kind kind : curveKinds())
        QCOMPARE(curveKind(curveWord(kind)), std::optional(kind));
    QVERIFY(!curveKind("joint"));
    const auto values = curveValues(cell, trace, all, evenly(trace.duration, 50));
    for (size_t i = 0; i < all.size(); ++i) {
        QCOMPARE(values[i].size(), size_t(51));
        for (const double v : values[i])
            QVERIFY2(!std::isinf(v) && (!std::isnan(v) || all[i].kind == Curve::Kind::PathError),
                     curveName(cell, all[i]).c_str());
        if (const auto limits = curveLimits(cell, all[i]))
            if (all[i].kind != Curve::Kind::JointTorque)
                for (const double v : values[i])
                    QVERIFY2(v >= limits->lower * 1.001 - 1e-6 && v <= limits->upper * 1.001 + 1e-6,
                             curveName(cell, all[i]).c_str());
    }
}

void CurvesTest::clearanceIsThatOfTheNearestPair()
{
    const Cell cell = example("glazing-line-on-a-rail");
    const Trace trace = simulate(cell);
    const ArmId arm = cell.arms.front().id;
    ClearanceAlong along(cell, trace);
    const ContactScene& scene = along.scene();
    const std::vector<CheckedPair> pairs = checkedPairs(scene.bodies(), axesAt(trace, 0));
    const std::vector<Window> windows = windowsOf(trace);
    Meant meant(scene);
    std::mt19937_64 random(5);
    int touching = 0;
    for (int n = 0; n < 150; ++n) {
        // Here and there in the run; every pair by itself.
        const double time = trace.duration * double(random() >> 11) * 0x1p-53;
        const Window& window =
            *std::find_if(windows.begin(), windows.end(), [&](const Window& w) { return time < w.to; });
        double nearest = INFINITY;
        for (const CheckedPair& pair : pairs) {
            if ((scene.moverOf(pair.a, time) == arm) == (scene.moverOf(pair.b, time) == arm)) continue;
            if (meant.touch(pair.a, pair.b, window.middle())) continue;
            const auto a = scene.place(pair.a, time), b = scene.place(pair.b, time);
            if (a && b)
                nearest = std::min(
                    nearest, scene.bodies()[pair.a].shape->nearest(*a, *scene.bodies()[pair.b].shape, *b).distance);
        }
        const ClearanceAlong::Near found = along.at(arm, time);
        QVERIFY(std::abs(found.distance - nearest) < 1e-7);
        touching += found.distance == 0;
        if (found.distance > 0) QVERIFY(std::abs((found.onOwn - found.onOther).norm() - found.distance) < 1e-6);
        QVERIFY(scene.moverOf(found.own, time) == arm);
        QCOMPARE(curveValues(cell, trace, {curveOf(cell, Curve::Kind::Clearance)}, {time})[0][0], found.distance);
    }
    QVERIFY(touching < 150);
}

void CurvesTest::speedsAddUpToPositions()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    const int parts = int(trace.duration / 1e-4);
    const double h = trace.duration / parts;
    const std::vector<double> times = evenly(trace.duration, parts);
    for (int joint = 0; joint < 6; ++joint) {
        const auto values = curveValues(cell, trace,
                                        {curveOf(cell, Curve::Kind::JointPosition, joint),
                                         curveOf(cell, Curve::Kind::JointSpeed, joint),
                                         curveOf(cell, Curve::Kind::JointAcceleration, joint)},
                                        times);
        double position = values[0][0], speed = 0, worst = 0, worstSpeed = 0;
        for (size_t i = 1; i < times.size(); ++i) {
            position += 0.5 * h * (values[1][i - 1] + values[1][i]);
            speed += 0.5 * h * (values[2][i - 1] + values[2][i]);
            worst = std::max(worst, std::abs(position - values[0][i]));
            worstSpeed = std::max(worstSpeed, std::abs(speed - values[1][i]));
        }
        QVERIFY2(worst < 1e-6, qPrintable(QString("joint %1: %2").arg(joint + 1).arg(worst)));
        // Accelerations jump, so a sum of them is off by half a jump at each.
        QVERIFY2(worstSpeed < 0.05, qPrintable(QString("joint %1: %2").arg(joint + 1).arg(worstSpeed)));
    }
}

void CurvesTest::toolSpeedIsThatOfTheTool_data()
{
    QTest::addColumn<std::string>("name");
    QTest::newRow("standing") << std::string("tile-glazing-line");
    QTest::newRow("on a rail") << std::string("glazing-line-on-a-rail");
}

void CurvesTest::toolSpeedIsThatOfTheTool()
{
    QFETCH(std::string, name);
    const Cell cell = example(name);
    const Trace trace = simulate(cell);
    const ArmStation& arm = cell.arms.front();
    double fastest = 0;
    for (double t = 0.0137; t < trace.duration - 0.01; t += 0.0531) {
        const double h = 2e-6;
        const auto place = [&](double at) {
            return worldFromTcp(cell, arm, postureAt(cell, trace.arms[0], at), axesAt(trace, at)).translation;
        };
        const double wanted = (place(t + h) - place(t - h)).norm() / (2 * h);
        const double got = curveValues(cell, trace, {curveOf(cell, Curve::Kind::ToolSpeed)}, {t})[0][0];
        QVERIFY2(std::abs(got - wanted) < 2e-4, qPrintable(QString("%1 s: %2, %3").arg(t).arg(got).arg(wanted)));
        fastest = std::max(fastest, got);
    }
    QVERIFY(fastest > 0.3);
}

void CurvesTest::torquesAreThoseOfTheDynamics()
{
    Cell cell = example("tile-glazing-line");
    for (PartKind& kind : cell.partKinds.edits())
        kind.mass = 1.1;
    const Trace trace = simulate(cell);
    const ArmStation& station = cell.arms.front();
    const Arm& arm = *station.model;
    QVERIFY(knowsMasses(arm));
    std::vector<Curve> curves;
    for (int i = 0; i < 6; ++i)
        curves.push_back(curveOf(cell, Curve::Kind::JointTorque, i));
    bool carried = false, empty = false;
    for (double t = 0.011; t < trace.duration; t += 0.173) {
        const double h = 1e-4;
        const auto at = [&](double time) { return postureAt(cell, trace.arms[0], time); };
        const JointVector q = at(t), qd = (at(t + h) - at(t - h)) / (2 * h),
                          qdd = (at(t + h) - 2 * q + at(t - h)) / (h * h);
        const Payload payload = payloadAt(cell, carriedIn(cell, trace), station, t);
        (payload.mass > toolInForce(cell, station).mass + 1e-9 ? carried : empty) = true;
        const JointVector wanted = jointEfforts(arm, q, qd, qdd, kStandardGravity, payload);
        const auto got = curveValues(cell, trace, curves, {t});
        // Where the acceleration jumps within the difference, it is of neither side.
        const JointVector before = (q - 2 * at(t - h) + at(t - 2 * h)) / (h * h),
                          after = (at(t + 2 * h) - 2 * at(t + h) + q) / (h * h);
        if ((before - after).cwiseAbs().maxCoeff() > 0.05) continue;
        for (int i = 0; i < 6; ++i)
            QVERIFY2(std::abs(got[size_t(i)][0] - wanted[i]) < 0.02 * (1 + wanted.cwiseAbs().maxCoeff()),
                     qPrintable(
                         QString("%1 s, joint %2: %3 for %4").arg(t).arg(i + 1).arg(got[size_t(i)][0]).arg(wanted[i])));
    }
    QVERIFY(carried && empty);
    // At rest it holds the arm against gravity.
    const auto still = curveValues(cell, trace, curves, {trace.duration + 1});
    const JointVector hold = gravityEfforts(arm, homePosture(cell, station), kStandardGravity,
                                            payloadAt(cell, carriedIn(cell, trace), station, trace.duration + 1));
    for (int i = 0; i < 6; ++i)
        QVERIFY(std::abs(still[size_t(i)][0] - hold[i]) < 1e-8);
}

void CurvesTest::armsWithoutMassesHaveNoTorques()
{
    Cell cell = example("tile-glazing-line");
    ArmDescription description = cell.arms.front().model->description();
    for (Joint& joint : description.joints)
        joint.link = {};
    cell.arms.edit(cell.arms.front().id)->model = Arm::make(description).value();
    const std::vector<Curve> all = curvesOf(cell);
    QVERIFY(std::none_of(all.begin(), all.end(), [](const Curve& c) { return c.kind == Curve::Kind::JointTorque; }));
    const Trace trace = simulate(cell);
    QVERIFY(std::isnan(curveValues(cell, trace, {curveOf(cell, Curve::Kind::JointTorque, 1)}, {0.5})[0][0]));
}

void CurvesTest::onlyCornersLeaveThePath()
{
    const Cell cell = withProgram(programCell(), R"(routine Main, run by Arm
    joint over Tile pick 150 mm
    line by 60 mm along x at 300 mm/s blend 15 mm
    line by 60 mm along y at 300 mm/s
    joint to Home
)");
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    const ArmTrace& own = trace.arms[0];
    double corner = 0;
    int onLines = 0, ofJoints = 0;
    for (const double t : evenly(trace.duration, 3000)) {
        const double error = curveValues(cell, trace, {curveOf(cell, Curve::Kind::PathError)}, {t})[0][0];
        const ArmTrace::Span& span = *spanAt(own, t);
        const StepOutcome& outcome = own.outcomes[span.outcome];
        const Leg& leg = outcome.timing->legAt(t - span.start);
        if (!leg.move->isLine()) {
            QVERIFY(std::isnan(error));
            ++ofJoints;
        } else if (leg.move->cut()) {
            corner = std::max(corner, error);
        } else {
            QVERIFY2(error < 1e-8, qPrintable(QString("%1 s: %2 m").arg(t).arg(error)));
            ++onLines;
        }
    }
    QVERIFY(ofJoints > 10 && onLines > 100);
    // The middle of a parabola between lines at right angles is a quarter of its diagonal from both of them.
    QVERIFY2(std::abs(corner - 0.015 / 4) < 5e-5, qPrintable(QString::number(corner)));
}

void CurvesTest::tableHasARowForEachTime()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    const std::vector<Curve> curves{curveOf(cell, Curve::Kind::JointSpeed, 2), curveOf(cell, Curve::Kind::PathError)};
    const QStringList lines =
        QString::fromStdString(curvesCsv(cell, trace, curves, 0.1).value()).split('\n', Qt::SkipEmptyParts);
    QCOMPARE(lines[0], QString("time_s,joint 3 speed [rad/s],path error [m]"));
    QCOMPARE(lines.size(), int(std::ceil(trace.duration / 0.1)) + 2);
    bool empty = false;
    for (int i = 1; i < lines.size(); ++i) {
        const QStringList cells = lines[i].split(',');
        QCOMPARE(cells.size(), 3);
        const double wanted = curveValues(cell, trace, curves, {std::min(0.1 * (i - 1), trace.duration)})[0][0];
        QVERIFY(std::abs(cells[1].toDouble() - wanted) < 1e-6);
        empty = empty || cells[2].isEmpty();
    }
    QVERIFY(empty);
    const Result<std::string> tooMany = curvesCsv(cell, trace, curves, 1e-9);
    QVERIFY(!tooMany && !tooMany.error().message.empty());
}

void CurvesTest::picturesAreMade()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    QTemporaryDir folder;
    std::vector<Curve> curves{curveOf(cell, Curve::Kind::ToolSpeed)};
    for (int i = 0; i < 6; ++i)
        curves.push_back(curveOf(cell, Curve::Kind::JointSpeed, i));
    QCOMPARE(panelsOf(cell, curves).size(), size_t(2));
    QCOMPARE(panelTitle(cell, panelsOf(cell, curves)[1]), std::string("joint speeds [°/s]"));
    const std::string svg = folder.filePath("c.svg").toStdString(), png = folder.filePath("c.png").toStdString();
    QVERIFY(!saveCurvesPicture(svg, cell, trace, curves, 0, trace.duration, {&cell, &trace}));
    QVERIFY(!saveCurvesPicture(png, cell, trace, curves, 1, 2));
    QFile file(QString::fromStdString(svg));
    QVERIFY(file.open(QIODevice::ReadOnly));
    QVERIFY(file.readAll().contains("<svg") && file.size() > 20000);
    QFile picture(QString::fromStdString(png));
    QVERIFY(picture.open(QIODevice::ReadOnly));
    QVERIFY(picture.read(4) == QByteArray("\x89PNG", 4) && picture.size() > 10000);
    const Status none = saveCurvesPicture(svg, cell, trace, {}, 0, 1);
    QVERIFY(none && !none->remedy.empty());
}

void CurvesTest::ticksAreRound()
{
    QCOMPARE(ticks(0, 10, 5), std::vector<double>({0, 2, 4, 6, 8, 10}));
    QCOMPARE(ticks(-0.3, 0.7, 4), std::vector<double>({-0.25, 0, 0.25, 0.5}));
    QVERIFY(ticks(1, 1, 4).empty());
}

void CurvesTest::breakdownAddsUp_data()
{
    QTest::addColumn<std::string>("name");
    for (const char* name : {"tile-glazing-line", "glazing-line-on-a-rail", "rack-of-24"})
        QTest::newRow(name) << std::string(name);
}

void CurvesTest::breakdownAddsUp()
{
    QFETCH(std::string, name);
    const Cell cell = example(name);
    RunOptions options;
    options.rounds = 3;
    const Trace trace = simulate(cell, options);
    const Breakdown b = breakdownOf(cell, trace);
    QVERIFY(b.seconds() > 0 && b.to <= trace.duration + 1e-9);
    for (const ArmShare& arm : b.arms) {
        double steps = 0, routines = 0;
        for (const StepShare& s : b.steps)
            if (s.arm == arm.arm) steps += s.time;
        for (const RoutineShare& r : b.routines)
            if (r.arm == arm.arm) routines += r.time;
        const double all = arm.busy() + arm.waiting + arm.pausing;
        QVERIFY(std::abs(steps - all) < 1e-9 && std::abs(routines - all) < 1e-9);
        QVERIFY(std::abs(all + arm.ended - b.seconds()) < 1e-9);
    }
    for (const StepShare& s : b.steps) {
        QVERIFY(s.passes > 0 && s.time >= 0 && s.held <= s.time + 1e-9);
        const bool moves = s.kind == StepKind::Joint || s.kind == StepKind::Line || s.kind == StepKind::Arc;
        if (!moves) QVERIFY(s.saved == 0 && s.low == 0 && s.by.kind == HeldBy::Kind::Nothing);
        else if (s.time > 0) QVERIFY(!heldByText(s.by).empty());
    }
    const QStringList lines = QString::fromStdString(breakdownCsv(cell, b)).split('\n', Qt::SkipEmptyParts);
    QCOMPARE(lines.size(), int(b.steps.size()) + 1);
}

void CurvesTest::breakdownSaysWhatCostsTime()
{
    const Cell cell = withProgram(programCell(), R"(routine Main, run by Arm
    joint over Tile pick 150 mm at 50 %
    line by 60 mm along x at 50 mm/s
    wait for Go at most 2 s
    grip
    joint to Home
)");
    const Breakdown b = breakdownOf(cell, simulate(cell));
    QCOMPARE(b.steps.size(), size_t(5));
    // Half speed: what it costs is worked out by the same move at full speed.
    const Cell quick = withProgram(cell, R"(routine Main, run by Arm
    joint over Tile pick 150 mm
    line by 60 mm along x at 10000 mm/s
)");
    const Trace full = simulate(quick);
    for (const size_t i : {size_t(0), size_t(1)})
        QVERIFY(std::abs(b.steps[i].low - (b.steps[i].time - full.arms[0].outcomes[i].duration)) < 1e-6);
    QCOMPARE(b.steps[1].by.kind, HeldBy::Kind::ToolSpeed);
    QCOMPARE(int(b.steps[0].by.byJoint()), 1);
    QCOMPARE(b.signals.size(), size_t(1));
    QVERIFY(std::abs(b.signals[0].waited - 2) < 1e-9);
    QVERIFY(std::abs(b.arms[0].waiting - 2) < 1e-9);
    QCOMPARE(b.steps[4].low, 0.0);
    // A corner saves what it is quicker than two moves that stop.
    const Cell cut = example("tile-glazing-line");
    Cell stops = cut;
    for (Routine& routine : stops.routines.edits())
        for (size_t i = 0; i < routine.steps.size(); ++i)
            if (Pace* pace = paceOf(routine.steps.at(i))) pace->blend = 0;
    double saved = 0;
    for (const StepShare& s : breakdownOf(cut, simulate(cut)).steps)
        saved += s.saved;
    QVERIFY(saved > 0.1);
    QVERIFY(std::abs(saved - (simulate(stops).duration - simulate(cut).duration)) < 1e-9);
}

void CurvesTest::breakdownLeavesTheWarmUpOut()
{
    const Cell cell = withProgram(programCell(), R"(routine Main, run by Arm
    wait 5 s
    repeat without end
        wait 2 s
        wait 1 s
)");
    RunOptions options;
    options.rounds = 4;
    const Breakdown b = breakdownOf(cell, simulate(cell, options));
    QVERIFY(std::abs(b.from - 8) < 1e-9 && std::abs(b.seconds() - 9) < 1e-9);
    QVERIFY(std::abs(b.cycleTime - 3) < 1e-9);
    QCOMPARE(b.steps.size(), size_t(2));
    QVERIFY(std::abs(b.steps[0].time - 6) < 1e-9 && b.steps[0].passes == 3);
}

void CurvesTest::breakdownIsCompared()
{
    const Cell cell = mainWith(programCell(), "wait 1 s\nwait 2 s");
    const Routine& routine = cell.routines.front();
    Step step = routine.steps[1];
    step.as<Wait>()->seconds = 3;
    Cell next = changeStep(cell, routine.id, step).value();
    step.id = {};
    next = insertSteps(next, routine.id, StepPlace{{}, false, 2}, {step}).value();
    Breakdown now = breakdownOf(next, simulate(next));
    compareWith(now, breakdownOf(cell, simulate(cell)));
    QCOMPARE(now.steps.size(), size_t(3));
    QCOMPARE(now.steps[0].before, std::optional(1.0));
    QCOMPARE(now.steps[1].before, std::optional(2.0));
    QVERIFY(!now.steps[2].before);
}

TOPIKOS_TEST(CurvesTest)
#include "curves_test.moc"
