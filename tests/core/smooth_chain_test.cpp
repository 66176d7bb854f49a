#include "core/cell/edit.h"
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/motion/move_chain.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

using namespace topikos;
using namespace topikos::test;

namespace {

/// The demo with an arm whose joints have a largest jerk.
Cell withJerk(double perAcceleration)
{
    Cell cell = programCell();
    ArmDescription arm = cell.arms.front().model->description();
    for (Joint& joint : arm.joints)
        joint.jerk = perAcceleration * joint.acceleration;
    return setArmModel(cell, cell.arms.front().id, Arm::make(std::move(arm)).value()).value();
}

/// Moves at random from home on, lines and joint moves, all with blends.
std::string randomRoutine(std::mt19937_64& random, int moves)
{
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    std::string text = "joint to Home\n";
    for (int i = 0; i < moves; ++i) {
        const int blend = int(real(5, 60));
        if (random() % 2)
            text += fmt::format("joint {} by {:.0f}° blend {} mm\n", 1 + random() % 6, real(-25, 25), blend);
        else
            text += fmt::format("line by {1:.0f} mm along {0} of world at {2:.0f} mm/s blend {3} mm\n",
                                "xyz"[random() % 3], real(-90, 90), real(80, 600), blend);
    }
    return text;
}

Cell withoutBlends(Cell cell)
{
    for (Routine& routine : cell.routines.edits())
        routine.steps.change([](const Step& step) { return paceOf(step) != nullptr; },
                             [](Step& step) { paceOf(step)->blend = 0; });
    return cell;
}

}  // namespace

/// Chains of moves of arms whose joints have a largest jerk.
class SmoothChainTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void cornersAreNeverSlowerThanStops();
    void limitsAreKept();
    void steadySpeedIsHeld();
    void manyCornersAreCut();
    void longRowsGoOn_data();
    void longRowsGoOn();
    void shortPiecesAreFollowedAtSpeed();
    void standsWhereACornerIsNone();
    void whatCannotGoOnSaysSo();
};

void SmoothChainTest::cornersAreNeverSlowerThanStops()
{
    const int routines = qEnvironmentVariableIsSet("TOPIKOS_MANY") ? 200 : 30;
    const Cell cell = withJerk(8);
    std::mt19937_64 random(4);
    std::vector<double> ratios;
    for (int n = 0; n < routines; ++n) {
        const std::string text = randomRoutine(random, 3 + int(random() % 8));
        const Cell own = mainWith(cell, text);
        const Trace blended = simulate(own), stopping = simulate(withoutBlends(own));
        if (stopping.blocked() || blended.blocked()) continue;
        ratios.push_back(blended.duration / stopping.duration);
        QVERIFY2(ratios.back() <= 1 + 1e-9,
                 qPrintable(QString("%1: %2\n%3").arg(n).arg(ratios.back()).arg(QString::fromStdString(text))));
    }
    QVERIFY(ratios.size() > size_t(routines) / 3);
    std::sort(ratios.begin(), ratios.end());
    qInfo("%d routines; with blends %.3f of the time with stops (median), %.3f to %.3f", int(ratios.size()),
          ratios[ratios.size() / 2], ratios.front(), ratios.back());
    // Half of them gain something.
    QVERIFY(ratios[ratios.size() / 2] < 1);
}

void SmoothChainTest::limitsAreKept()
{
    const Cell cell = withJerk(8);
    const Arm& arm = *cell.arms.front().model;
    std::mt19937_64 random(9);
    for (int n = 0; n < 6; ++n) {
        const Trace trace = simulate(mainWith(cell, randomRoutine(random, 6)));
        const ArmTrace& own = trace.arms.front();
        constexpr double h = 1e-3;
        for (double t = 2 * h; t < own.duration - 2 * h; t += 7e-4) {
            const JointVector a = postureAt(cell, own, t - 1.5 * h), b = postureAt(cell, own, t - 0.5 * h),
                              c = postureAt(cell, own, t + 0.5 * h), d = postureAt(cell, own, t + 1.5 * h);
            const JointVector third = (d - 3 * c + 3 * b - a) / (h * h * h), second = (d - c - b + a) / (2 * h * h);
            for (int j = 0; j < arm.jointCount(); ++j) {
                const Joint& joint = arm.joints()[size_t(j)];
                QVERIFY2(std::abs(second[j]) <= joint.acceleration * 1.005,
                         qPrintable(QString("%1 at %2").arg(second[j] / joint.acceleration).arg(t)));
                QVERIFY2(std::abs(third[j]) <= joint.jerk * 1.03,
                         qPrintable(QString("%1 at %2").arg(third[j] / joint.jerk).arg(t)));
            }
        }
    }
}

void SmoothChainTest::steadySpeedIsHeld()
{
    // A polygon near to a circle at 50 mm/s, which no joint is hard put to follow: it takes about its length by that.
    const Cell cell = withJerk(20);
    std::string text = "joint to Home\n";
    constexpr int sides = 24;
    constexpr double radius = 60;  // [mm]
    double length = 0;
    for (int i = 0; i < sides; ++i) {
        const double a = 2 * std::numbers::pi * i / sides, b = 2 * std::numbers::pi * (i + 1) / sides;
        const double x = radius * (std::cos(b) - std::cos(a)), y = radius * (std::sin(b) - std::sin(a));
        // A line along one axis after the other stands in for a slanted one.
        text += fmt::format("line by {:.3f} mm along x of world at 50 mm/s blend 3 mm\n"
                            "line by {:.3f} mm along y of world at 50 mm/s blend 3 mm\n",
                            x, y);
        length += std::abs(x) + std::abs(y);
    }
    const Trace trace = simulate(mainWith(cell, text));
    QVERIFY(!trace.blocked());
    const Trace stops = simulate(withoutBlends(mainWith(cell, text)));
    QVERIFY(trace.duration <= stops.duration);
    const double ideal = length / 50;
    QVERIFY2(trace.duration < 1.35 * ideal, qPrintable(QString("%1 s of %2 s").arg(trace.duration).arg(ideal)));
}

void SmoothChainTest::manyCornersAreCut()
{
    // Thirty corners in a row: none of them is a stop that nobody told of.
    const Cell cell = withJerk(20);
    std::string text = "joint to Home\n";
    for (int i = 0; i < 30; ++i)
        text += fmt::format("line by {} mm along {} of world at 100 mm/s blend 5 mm\n", i % 4 < 2 ? 20 : -20,
                            i % 2 ? "x" : "y");
    const Cell own = mainWith(cell, text);
    const Trace trace = simulate(own);
    for (const StepOutcome& outcome : trace.arms.front().outcomes) {
        if (!outcome.timing || outcome.corner) continue;
        const Step* step = findStep(routineOf(own, own.arms.front()).steps, outcome.step);
        if (!step || !paceOf(*step) || paceOf(*step)->blend == 0 || &outcome == &trace.arms.front().outcomes.back())
            continue;
        QVERIFY(outcome.timing->speedAt(outcome.duration).norm() > 1e-6);
    }
}

void SmoothChainTest::longRowsGoOn_data()
{
    QTest::addColumn<double>("jerk");
    QTest::addColumn<int>("seed");
    for (const double jerk : {8.0, 20.0, 60.0})
        for (int seed = 1; seed <= (qEnvironmentVariableIsSet("TOPIKOS_MANY") ? 4 : 1); ++seed)
            QTest::addRow("jerk %.0f, seed %d", jerk, seed) << jerk << seed;
}

void SmoothChainTest::longRowsGoOn()
{
    // More moves than are timed together: small random ones about a place, back to it again and again.
    QFETCH(double, jerk);
    QFETCH(int, seed);
    const Cell cell = withJerk(jerk);
    const Arm& arm = *cell.arms.front().model;
    std::mt19937_64 random{std::uint64_t(seed)};
    std::string text = "joint to Home\n";
    std::array<int, 3> at{};
    for (int i = 0; i < 160; ++i) {
        const size_t axis = random() % 3;
        int way = 10 + int(random() % 40);
        if (at[axis] > 0) way = -way;
        at[axis] += way;
        text += fmt::format("line by {} mm along {} of world at {} mm/s blend {} mm\n", way, "xyz"[axis],
                            100 + random() % 300, 2 + random() % 5);
    }
    const Trace trace = simulate(mainWith(cell, text));
    QVERIFY(!trace.blocked());
    const ArmTrace& own = trace.arms.front();
    int stops = 0;
    for (const StepOutcome& outcome : own.outcomes)
        stops += outcome.corner && outcome.corner->why == Corner::Why::NotKept;
    qInfo("%d stops for want of a law in %d moves, %.2f s", stops, int(own.outcomes.size()), own.duration);
    QVERIFY(stops <= 1);
    constexpr double h = 1e-3;
    double acceleration = 0, third = 0;
    for (double t = 2 * h; t < own.duration - 2 * h; t += 2.3e-3) {
        const JointVector a = postureAt(cell, own, t - 1.5 * h), b = postureAt(cell, own, t - 0.5 * h),
                          c = postureAt(cell, own, t + 0.5 * h), d = postureAt(cell, own, t + 1.5 * h);
        const JointVector j = (d - 3 * c + 3 * b - a) / (h * h * h), s = (d - c - b + a) / (2 * h * h);
        for (int k = 0; k < arm.jointCount(); ++k) {
            acceleration = std::max(acceleration, std::abs(s[k]) / arm.joints()[size_t(k)].acceleration);
            third = std::max(third, std::abs(j[k]) / arm.joints()[size_t(k)].jerk);
        }
    }
    QVERIFY2(acceleration <= 1.005, qPrintable(QString::number(acceleration)));
    QVERIFY2(third <= 1.03, qPrintable(QString::number(third)));
}

void SmoothChainTest::shortPiecesAreFollowedAtSpeed()
{
    // Pieces of 2 mm at 500 mm/s: braking takes more of them than a corner or two.
    for (const double jerk : {0.0, 40.0}) {
        const Cell cell = jerk > 0 ? withJerk(jerk) : programCell();
        std::string text = "joint to Home\n";
        constexpr int pieces = 240;
        for (int i = 0; i < pieces; ++i)
            text += fmt::format("line by {} mm along {} of world at 500 mm/s blend 0.9 mm\n", i < pieces / 2 ? 2 : -2,
                                i < pieces / 2 ? "x" : "z");
        const Trace trace = simulate(mainWith(cell, text));
        QVERIFY(!trace.blocked());
        double highest = 0;
        for (const StepOutcome& outcome : trace.arms.front().outcomes)
            if (outcome.timing && outcome.timing->move && outcome.timing->move->isLine())
                highest = std::max(highest, 0.002 * outcome.timing->peakRate());
        QVERIFY2(highest > (jerk > 0 ? 0.35 : 0.49), qPrintable(QString("%1 m/s at jerk %2").arg(highest).arg(jerk)));
    }
}

void SmoothChainTest::standsWhereACornerIsNone()
{
    // The corner from which the rest would be timed anew is as good as none: the arm stands there.
    for (const bool smooth : {false, true}) {
        std::string text = "joint to Home\n";
        const int none = smooth ? 47 : 11;
        for (int i = 0; i < 130; ++i)
            text += fmt::format("line by {} mm along {} of world at 200 mm/s blend {} mm\n", i % 4 < 2 ? 60 : -60,
                                i % 2 ? "x" : "y", std::abs(i - none) <= 1 ? 0.00001 : 5);
        const Cell own = mainWith(smooth ? withJerk(20) : programCell(), text);
        const Trace trace = simulate(own);
        QVERIFY(!trace.blocked());
        QCOMPARE(trace.arms.front().outcomes.size(), size_t(131));
        const ArmTrace& arm = trace.arms.front();
        for (double t = 0; t + 1e-3 < arm.duration; t += 1e-3)
            QVERIFY((postureAt(own, arm, t + 1e-3) - postureAt(own, arm, t)).norm() < 0.01);
    }
}

void SmoothChainTest::whatCannotGoOnSaysSo()
{
    const Cell cell = withJerk(20);
    const ArmPtr arm = cell.arms.front().model;
    const Pose tool = translated({0, 0, 0.1});
    std::vector<ChainedMove> steps;
    JointVector at = armHome(*arm);
    for (int i = 0; i < 6; ++i) {
        MoveInput in;
        in.arm = arm;
        in.from = at;
        JointVector to = at;
        to[i % 3] += i % 2 ? 0.2 : -0.25;
        in.goal = to;
        steps.push_back({std::make_shared<const MovePlan>(planMove(in)), 0.03, tool});
        at = to;
    }
    const MoveChain chain = makeMoveChain(*arm, steps);
    QVERIFY(chain.keeps);
    int entries = 0;
    for (size_t k = 1; k + 2 < steps.size(); ++k) {
        const std::optional<ChainEntry> entry = entryBefore(chain, k);
        if (!entry) continue;
        ++entries;
        const std::vector<ChainedMove> rest(steps.begin() + std::ptrdiff_t(k), steps.end());
        const MoveChain on = makeMoveChain(*arm, rest, {}, entry);
        if (on.keeps) {
            // On without a jump of place, speed and acceleration.
            const Timing &before = *chain.steps[k].timing, &behind = *on.steps.front().timing;
            QVERIFY((before.postureAt(*arm, 0) - behind.postureAt(*arm, 0)).norm() < 1e-8);
            QVERIFY((before.speedAt(0) - behind.speedAt(0)).norm() < 1e-5);
            QVERIFY((before.accelerationAt(0) - behind.accelerationAt(1e-9)).norm() < 1e-2);
        }
        // From twenty times the speed nothing brakes in time.
        ChainEntry fast = *entry;
        LawBelow below = *entry->below;
        for (Profile::Stretch& s : below.law.stretches) {
            s.speed *= 20;
            s.acceleration *= 20;
        }
        fast.below = std::make_shared<const LawBelow>(below);
        QVERIFY(!makeMoveChain(*arm, rest, {}, fast).keeps);
        QVERIFY(!PlanCache().chain(*arm, rest, fast)->keeps);
    }
    QVERIFY(entries > 0);
}

TOPIKOS_TEST(SmoothChainTest)
#include "smooth_chain_test.moc"
