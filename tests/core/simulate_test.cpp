#include "core/cell/edit.h"
#include "core/report/trace_csv.h"
#include "core/simulate/state.h"
#include "tests/core/program_cells.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <thread>

using namespace topikos;
using namespace topikos::test;

class SimulateTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void cycleTimeIsTheSumByHand();
    void blendsSaveTimeAndStayNearTheirCorners();
    void cornersGoOnPastTheHorizon();
    void partIsGrippedCarriedAndReleased();
    void runLeavesTheCellAlone();
    void motionHasNoJumpsAndKeepsJointSpeeds();
    void blockedRunEndsWhereTheLineStops();
    void gripFindsOnlyWhatIsNear();
    void sameCellSameTrace();
    void csvHoldsTheTrace();
    void armWithParallelAxesRunsACycle();
};

namespace {

Cell demoWithoutBlends()
{
    Cell cell = example("tile-glazing-line");
    for (Step& s : cell.routines.at(0).steps.edits())
        if (Pace* pace = paceOf(s)) pace->blend = 0;
    return cell;
}

/// Time of a move from rest to rest, from the school formula.
double timeOf(double distance, double speed, double acceleration)
{
    if (distance >= speed * speed / acceleration) return distance / speed + speed / acceleration;
    return 2 * std::sqrt(distance / acceleration);
}

}  // namespace

void SimulateTest::cycleTimeIsTheSumByHand()
{
    const Cell cell = demoWithoutBlends();
    const Arm& arm = *cell.arms.front().model;
    double sum = 0;
    JointVector at = homePosture(cell, cell.arms.front());
    for (const Step& s : cell.routines.front().steps) {
        if (s.kind() == StepKind::Grip || s.kind() == StepKind::Release) {
            sum += 0.3;
            continue;
        }
        const Target& target = *findTarget(cell, targetOf(s));
        JointVector to = homePosture(cell, cell.arms.front());
        if (target.kind == Target::Kind::Pose)
            to = withConfiguration(inverseKinematics(arm, baseFromFlange(cell, target, endOf(s)->over), &at).items,
                                   target.configuration)
                     ->joints;
        if (s.kind() == StepKind::Line) {
            QVERIFY(std::abs((baseFromTcp(cell, cell.arms.front(), to).translation
                              - baseFromTcp(cell, cell.arms.front(), at).translation)
                                 .norm()
                             - 0.12)
                    < 1e-9);
            sum += timeOf(0.12, s.as<LineMove>()->speed, 2.0);
        } else {
            // All joints together, as slow as the slowest: with one common ramp the limiting speed and acceleration may
            // be of two joints.
            double way = 0, speed = INFINITY, acceleration = INFINITY;
            for (int i = 0; i < 6; ++i) {
                way = std::abs(to[i] - at[i]);
                if (way < 1e-12) continue;
                speed = std::min(speed, s.as<JointMove>()->speed * arm.joints()[size_t(i)].speed / way);
                acceleration = std::min(acceleration, arm.joints()[size_t(i)].speed / 0.35 / way);
            }
            if (std::isfinite(speed)) sum += timeOf(1, speed, acceleration);
        }
        at = to;
    }
    const Trace trace = simulate(cell, cell.routines.front());
    QVERIFY(!trace.arms[0].blockedAt);
    QVERIFY2(std::abs(trace.duration - sum) < 1e-9,
             qPrintable(QString("%1 s, by hand %2 s").arg(trace.duration, 0, 'f', 9).arg(sum, 0, 'f', 9)));
    // One line spelt out: 120 mm at 150 mm/s with 2 m/s².
    QVERIFY(std::abs(trace.arms[0].outcomes[2].duration - (0.12 / 0.15 + 0.15 / 2)) < 1e-12);
    QVERIFY(std::abs(partsPerHour(trace) - 3600 / sum) < 1e-6);
}

void SimulateTest::blendsSaveTimeAndStayNearTheirCorners()
{
    const Cell plain = demoWithoutBlends(), blended = example("tile-glazing-line");
    const Trace without = simulate(plain, plain.routines.front()), with = simulate(blended, blended.routines.front());
    int corners = 0;
    const ArmStation& station = blended.arms.front();
    for (size_t i = 0; i + 1 < with.arms[0].spans.size(); ++i) {
        const ArmTrace::Span& span = with.arms[0].spans[i];
        QCOMPARE(span.end, with.arms[0].spans[i + 1].start);
        const StepOutcome& outcome = with.arms[0].outcomes[span.outcome];
        const Step& step = blended.routines.front().steps[outcome.index];
        const double blend = step.isMove() ? paceOf(step)->blend : 0;
        if (!outcome.timing || outcome.timing->ends() <= outcome.timing->duration + 1e-9) continue;
        ++corners;
        // The TCP comes no farther from the corner than the blend while the corner is cut, and does not come to it.
        const Leg& corner = outcome.timing->legs.back();
        const Vec3 place = baseFromTcp(blended, station, outcome.move->to).translation;
        double nearest = INFINITY;
        for (int k = 0; k <= 20; ++k) {
            const double t = span.start + corner.start + corner.law->duration * k / 20;
            const double away =
                (baseFromTcp(blended, station, postureAt(blended, with.arms[0], t)).translation - place).norm();
            QVERIFY(away <= blend * (1 + 1e-3));
            nearest = std::min(nearest, away);
        }
        QVERIFY(nearest > 1e-3 * blend);
    }
    QVERIFY(corners > 1);
    QVERIFY(with.duration < without.duration - 0.1);
}

void SimulateTest::cornersGoOnPastTheHorizon()
{
    // Round a square without a stop, more often than moves are timed together: the same each time, even, and level.
    const Cell cell = mainWith(programCell(), R"(joint over Tile pick 200 mm
repeat 20 times
    line by 60 mm along x at 300 mm/s blend 15 mm
    line by 60 mm along y at 300 mm/s blend 15 mm
    line by -60 mm along x at 300 mm/s blend 15 mm
    line by -60 mm along y at 300 mm/s blend 15 mm
joint to Home)");
    const Trace trace = simulate(cell);
    QVERIFY(!trace.blocked());
    const ArmTrace& own = trace.arms[0];
    QCOMPARE(own.spans.size(), size_t(82));
    const Arm& arm = *cell.arms.front().model;
    const double first = own.spans[9].start, last = own.spans[70].end;
    const double level = baseFromTcp(cell, cell.arms.front(), postureAt(cell, own, first)).translation[2];
    const double h = 2e-4;
    for (double t = first; t < last; t += 3.1e-3) {
        const JointVector a = postureAt(cell, own, t - h), b = postureAt(cell, own, t), c = postureAt(cell, own, t + h);
        for (int i = 0; i < arm.jointCount(); ++i)
            QVERIFY(std::abs(a[i] - 2 * b[i] + c[i]) < 1.01 * h * h * arm.joints()[size_t(i)].acceleration);
        QVERIFY(std::abs(baseFromTcp(cell, cell.arms.front(), b).translation[2] - level) < 1e-8);
        QVERIFY(
            (baseFromTcp(cell, cell.arms.front(), c).translation - baseFromTcp(cell, cell.arms.front(), a).translation)
                .norm()
            > 2 * h * 0.05);
    }
    for (size_t i = 13; i < 70; ++i) {
        const double now = own.spans[i].end - own.spans[i].start,
                     before = own.spans[i - 4].end - own.spans[i - 4].start;
        QVERIFY2(std::abs(now - before) < 2e-3 * before, qPrintable(QString("move %1").arg(i)));
    }
}

void SimulateTest::partIsGrippedCarriedAndReleased()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell, cell.routines.front());
    QCOMPARE(trace.partEvents.size(), size_t(2));
    const PartEvent &grip = trace.partEvents[0], &release = trace.partEvents[1];
    QVERIFY(grip.kind == PartEvent::Kind::Carried && release.kind == PartEvent::Kind::Lies && grip.time < release.time);
    const PartId tile = grip.part;
    QCOMPARE(findPart(cell, tile)->name, std::string("Tile 1"));
    const auto partAt = [&](double t) {
        for (const PlacedPart& p : stateAt(cell, trace, t).parts)
            if (p.part == tile) return p;
        return PlacedPart{};
    };
    const Pose start = worldFromPart(cell, *findPart(cell, tile));
    QVERIFY(deviation(partAt(grip.time - 1e-6).worldFromPart, start).metres < 1e-12);
    QVERIFY(deviation(partAt(grip.time + 1e-9).worldFromPart, start).metres < 1e-6);
    for (int i = 0; i <= 50; ++i) {
        const double t = grip.time + (release.time - grip.time - 1e-6) * i / 50;
        const Pose tcp = worldFromBase(cell, cell.arms.front())
                         * baseFromTcp(cell, cell.arms.front(), postureAt(cell, trace.arms[0], t));
        QVERIFY(partAt(t).carried);
        QVERIFY(deviation(inverse(tcp) * partAt(t).worldFromPart, grip.pose).metres < 1e-9);
        QVERIFY(std::abs(stateAt(cell, trace, t).of(cell.arms.front().id).gripperOpening - 0.15) < 1e-12);
    }
    // Set down in the rack, at the target, and staying there.
    const Pose wanted =
        worldFromBase(cell, cell.arms.front()) * baseFromTarget(cell, *findTarget(cell, cell.targets.back().id));
    QVERIFY((partAt(trace.duration).worldFromPart.translation - wanted.translation).norm() < 1e-6);
    QVERIFY(!partAt(trace.duration).carried);
    const double middle = trace.arms[0].spans[3].start + 0.15;
    QVERIFY(std::abs(stateAt(cell, trace, middle).of(cell.arms.front().id).gripperOpening - 0.173)
            < 1e-9);  // half-way between 196 and 150 mm
}

void SimulateTest::runLeavesTheCellAlone()
{
    const Cell cell = example("tile-glazing-line");
    const std::string before = writeCell(cell);
    const Trace trace = simulate(cell, cell.routines.front());
    for (double t = 0; t < trace.duration; t += 0.1)
        (void)stateAt(cell, trace, t);
    QCOMPARE(writeCell(cell), before);
    const CellState state = authoredState(cell, cell.arms.front().id, homePosture(cell, cell.arms.front()));
    QVERIFY(deviation(state.parts[0].worldFromPart, worldFromPart(cell, cell.parts[0])).metres < 1e-15);
}

void SimulateTest::motionHasNoJumpsAndKeepsJointSpeeds()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell, cell.routines.front());
    constexpr double dt = 0.001;
    JointVector before = postureAt(cell, trace.arms[0], 0);
    QVERIFY((before - homePosture(cell, cell.arms.front())).norm() < 1e-12);
    for (double t = dt; t < trace.duration; t += dt) {
        const JointVector now = postureAt(cell, trace.arms[0], t);
        for (int i = 0; i < 6; ++i)
            QVERIFY2(std::abs(now[i] - before[i]) <= 1.01 * dt * cell.arms.front().model->joints()[size_t(i)].speed,
                     qPrintable(QString("joint %1 at %2 s").arg(i + 1).arg(t)));
        before = now;
    }
    QVERIFY((postureAt(cell, trace.arms[0], trace.duration) - homePosture(cell, cell.arms.front())).norm() < 1e-9);
    QVERIFY((postureAt(cell, trace.arms[0], 1e9) - homePosture(cell, cell.arms.front())).norm() < 1e-9);
}

void SimulateTest::blockedRunEndsWhereTheLineStops()
{
    const Cell cell = example("planted-mistakes");
    const Trace trace = simulate(cell, cell.routines.front());
    QVERIFY(trace.arms[0].blockedAt);
    const StepOutcome& blocked = trace.arms[0].outcomes[*trace.arms[0].blockedAt];
    QCOMPARE(blocked.index, size_t(2));
    const JointVector end = postureAt(cell, trace.arms[0], trace.duration);
    QVERIFY((end - blocked.move->to).norm() < 1e-6);
    QVERIFY(withinRange(*cell.arms.front().model, end));
    QCOMPARE(partsPerHour(trace), 0.0);
    QCOMPARE(trace.arms[0].outcomes.size(), cell.routines.front().steps.size());  // later steps are judged all the same
}

void SimulateTest::gripFindsOnlyWhatIsNear()
{
    Cell cell = example("tile-glazing-line");
    for (Part& p : cell.parts.edits())
        p.pose.translation[1] -= 0.05;
    const Trace trace = simulate(cell, cell.routines.front());
    QVERIFY(trace.partEvents.empty());
    QCOMPARE(int(trace.arms[0].outcomes[3].problem), int(StepOutcome::Problem::NothingGripped));
}

void SimulateTest::sameCellSameTrace()
{
    // One thread or several at a time, the table is the same to the last digit.
    const Cell cell = example("tile-glazing-line");
    const std::string alone = traceCsv(cell, simulate(cell, cell.routines.front())).value();
    PlanCache plans;
    RunOptions options;
    options.plans = &plans;
    std::vector<std::string> tables(3);
    {
        std::vector<std::jthread> threads;
        for (std::string& table : tables)
            threads.emplace_back(
                [&] { table = traceCsv(cell, simulate(cell, cell.routines.front(), options)).value(); });
    }
    for (const std::string& table : tables)
        QVERIFY(table == alone);
    QVERIFY(alone.size() > 10000);
}

void SimulateTest::csvHoldsTheTrace()
{
    const Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell, cell.routines.front());
    const QStringList lines =
        QString::fromStdString(traceCsv(cell, trace, 0.01).value()).split('\n', Qt::SkipEmptyParts);
    QCOMPARE(lines.front(), QString("time_s,joint_1_rad,joint_2_rad,joint_3_rad,joint_4_rad,joint_5_rad,joint_6_rad,"
                                    "gripper_m,tcp_x_m,tcp_y_m,tcp_z_m"));
    QCOMPARE(lines.size(), 2 + int(std::ceil(trace.duration / 0.01)));
    const QStringList row = lines[101].split(',');
    QCOMPARE(row[0].toDouble(), 1.0);
    QVERIFY(std::abs(row[1].toDouble() - postureAt(cell, trace.arms[0], 1.0)[0]) < 1e-9);
    QVERIFY(std::abs(lines.back().split(',')[0].toDouble() - trace.duration) < 1e-6);
}

void SimulateTest::armWithParallelAxesRunsACycle()
{
    // The shorter arm in the same cell, with belt and rack moved within its reach; lines stay straight for it, too.
    Cell cell = example("tile-glazing-line");
    cell.arms.at(0).model = catalogueArm("cobot-900");
    for (Target& t : cell.targets.edits())
        if (t.id == cell.arms.front().home) t.posture << 0, -1.4, 1.7, -1.9, -1.5, 0;
    cell.frames.at(2).pose.translation = {0.35, -0.45, 0.45};
    cell.frames.at(3).pose.translation = {0.30, 0.15, 0.45};
    for (Target& t : cell.targets.edits()) {
        if (t.kind != Target::Kind::Pose) continue;
        const Solutions ways = inverseKinematics(*cell.arms.front().model, baseFromFlange(cell, t));
        QVERIFY(!ways.items.empty());
        JointVector home = homePosture(cell, cell.arms.front());
        t.configuration = nearestTo(ways.items, home)->configuration;
    }
    const Trace trace = simulate(cell, cell.routines.front());
    QVERIFY(!trace.arms[0].blockedAt);
    QCOMPARE(trace.partEvents.size(), size_t(2));
    for (const StepOutcome& outcome : trace.arms[0].outcomes) {
        if (!outcome.move || !outcome.move->isLine()) continue;
        const Move& move = *outcome.move;
        for (int i = 0; i <= 20; ++i) {
            const Pose tcp = forward(*cell.arms.front().model, move.at(*cell.arms.front().model, i / 20.0))
                             * move.line().flangeFromTcp;
            QVERIFY(deviation(tcp, interpolate(move.line().start, move.line().end, i / 20.0)).metres < 1e-9);
        }
    }
    const Cell back = readCell(writeCell(cell), "cell").value();
    QCOMPARE(back.arms.front().model->description().id, std::string("cobot-900"));
}

TOPIKOS_TEST(SimulateTest)
#include "simulate_test.moc"
