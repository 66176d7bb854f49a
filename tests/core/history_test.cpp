#include "core/cell/history.h"

#include "core/cell/edit_layout.h"
#include "core/cell/settled.h"
#include "core/cell/pattern.h"
#include "core/cell/time_tables.h"
#include "core/cell/validate.h"
#include "core/motion/plan.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

using namespace topikos;
using namespace topikos::test;

/// What undo and caches keep is bounded in bytes, all of it counted; and what is tied in long chains is settled.
class HistoryTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void timeTablesCount();
    void surfacesCount();
    void gesturesCount();
    void plansAreBounded();
    void longChainsOfTiesAreSettled();
    void placesGoToTheNearest();

private:
    static int undoable(History& history)
    {
        int steps = 0;
        while (history.canUndo()) {
            history.undo();
            ++steps;
        }
        return steps;
    }
};

void HistoryTest::timeTablesCount()
{
    constexpr size_t most = size_t(4) << 20;
    const Cell cell = programCell();
    History history(cell, most);
    const JointVector home = homePosture(cell, cell.arms.front());
    for (int n = 0; n < 60; ++n) {
        TimeRows rows{{0, 2}, {}, {}};
        for (int i = 0; i < 20000; ++i) {
            rows.times.push_back(0.01 * i);
            rows.values.insert(rows.values.end(), {home[0] + 1e-6 * n, home[2]});
        }
        QVERIFY(!history.apply("Table", [&](const Cell& now) {
            Cell next = now;
            next.timeTables.edit(now.timeTables.front().id)->rows = std::make_shared<const TimeRows>(rows);
            return Result<Cell>(next);
        }));
        QVERIFY(history.bytes() <= most);
    }
    // Each is about 480 kB: eight of them fit.
    const int steps = undoable(history);
    QVERIFY2(steps >= 5 && steps <= 9, qPrintable(QString::number(steps)));
}

void HistoryTest::surfacesCount()
{
    constexpr size_t most = size_t(4) << 20;
    FrameId id;
    const Cell cell = addFrame(programCell(), "Casting", {}, Pose{}, &id).value();
    History history(cell, most);
    for (int n = 0; n < 20; ++n) {
        Triangles own;
        for (int i = 0; i < 30000; ++i)
            own.points.push_back({float(i % 173), float(i / 173), float(n)});
        for (std::uint32_t i = 0; i + 174 < 30000; ++i)
            own.faces.push_back({i, i + 1, i + 174});
        const auto surface = std::make_shared<const Triangles>(std::move(own));
        // One surface takes the place of another, with as many shapes as before.
        QVERIFY(!history.apply("Surface", [&](const Cell& now) {
            Cell next = now;
            Solid solid;
            solid.kind = Solid::Kind::Mesh;
            solid.size = Vec3::Ones();
            solid.surface.drawn = solid.surface.light = surface;
            next.frames.edit(id)->solids = {solid};
            return Result<Cell>(next);
        }));
        QVERIFY(history.bytes() <= most || undoable(history) <= 1);
    }
    const int steps = undoable(history);
    QVERIFY2(steps >= 1 && steps <= 7, qPrintable(QString::number(steps)));
}

void HistoryTest::gesturesCount()
{
    const Cell cell = programCell();
    History history(cell);
    history.beginGesture("Drag");
    const auto withNote = [&](size_t length) {
        return [length](const Cell& now) {
            Cell next = now;
            std::vector<Target> more(now.targets.begin(), now.targets.end());
            for (size_t i = 0; i < length; ++i) {
                Target own = more.front();
                own.id = {next.nextId++};
                own.name = fmt::format("Copy {}", i);
                more.push_back(own);
            }
            next.targets = Table<Target>(more);
            return Result<Cell>(next);
        };
    };
    QVERIFY(!history.replace(withNote(1)));
    const size_t small = history.bytes();
    QVERIFY(!history.replace(withNote(2000)));
    QVERIFY(history.bytes() > small + 2000 * sizeof(Target));
    QVERIFY(!history.replace(withNote(1)));
    QCOMPARE(history.bytes(), small);
    history.cancelGesture();
    QCOMPARE(history.bytes(), size_t(0));
}

void HistoryTest::plansAreBounded()
{
    constexpr size_t most = size_t(1) << 20;
    PlanCache plans(most);
    const Cell cell = example("tile-glazing-line");
    RunOptions options;
    options.plans = &plans;
    size_t planned = 0;
    for (int n = 0; n < 300; ++n) {
        Cell own = cell;
        Frame& frame = *own.frames.edit(frameNamed(own, "Drying rack"));
        frame.pose.translation[0] += 1e-4 * n;
        simulate(own, options);
        QVERIFY2(plans.counts().bytes < 5 * most, qPrintable(QString::number(plans.counts().bytes)));
        planned = plans.counts().planned;
    }
    QVERIFY(planned > 1000);
    // What was asked for last is known.
    simulate(cell, options);
    const auto before = plans.counts().planned;
    simulate(cell, options);
    QCOMPARE(plans.counts().planned, before);
}

void HistoryTest::longChainsOfTiesAreSettled()
{
    Cell cell = example("tile-glazing-line");
    std::vector<Target> targets(cell.targets.begin(), cell.targets.end());
    Target own = targets.back();
    const Pose first = own.pose;
    constexpr int count = 60000;
    for (int n = 0; n < count; ++n) {
        const TargetId before = own.id;
        own.id = {cell.nextId++};
        own.name = fmt::format("Tied {}", n);
        own.tie = Tie{{}, before, translated({1e-6, 0, 0})};
        targets.push_back(own);
    }
    // The last first, so that each waits for all others.
    std::reverse(targets.begin(), targets.end());
    cell.targets = Table<Target>(targets);
    const Cell done = settled(cell).value();
    QVERIFY(!validate(done));
    const Pose last = findTarget(done, own.id)->pose;
    QVERIFY(std::abs((last.translation - first.translation).norm() - count * 1e-6) < 1e-9);
    // A loop is refused.
    Cell loop = done;
    loop.targets.edit(findTarget(loop, own.id)->tie->target)->tie = Tie{{}, own.id, {}};
    QVERIFY(validate(loop).has_value());
}

void HistoryTest::placesGoToTheNearest()
{
    // As the plain search has it, over patterns of many kinds.
    std::mt19937_64 random(6);
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    for (int n = 0; n < 40; ++n) {
        Pattern pattern;
        pattern.columns = 1 + std::uint32_t(random() % 9);
        pattern.rows = 1 + std::uint32_t(random() % 9);
        pattern.layers = 1 + std::uint32_t(random() % 3);
        pattern.pitch = {real(0.01, 0.2), real(0.01, 0.2), real(0.01, 0.2)};
        for (std::uint32_t place = 1; place < placeCount(pattern); ++place)
            if (random() % 5 == 0) pattern.leftOut.push_back(place);
        std::vector<PatternPlace> plain = placesOf(pattern);
        for (size_t i = 0; i + 1 < plain.size(); ++i) {
            size_t best = i + 1;
            const auto away = [&](size_t k) {
                return (plain[k].pose.translation - plain[i].pose.translation).squaredNorm();
            };
            for (size_t k = i + 2; k < plain.size(); ++k)
                if (away(k) < away(best) - 1e-12
                    || (std::abs(away(k) - away(best)) <= 1e-12 && plain[k].place < plain[best].place))
                    best = k;
            std::rotate(plain.begin() + std::ptrdiff_t(i) + 1, plain.begin() + std::ptrdiff_t(best),
                        plain.begin() + std::ptrdiff_t(best) + 1);
        }
        pattern.order = Pattern::Order::Nearest;
        const std::vector<PatternPlace> found = placesOf(pattern);
        QCOMPARE(found.size(), plain.size());
        for (size_t i = 0; i < found.size(); ++i)
            QVERIFY2(found[i].place == plain[i].place,
                     qPrintable(QString("%1 of %2 in try %3").arg(i).arg(found.size()).arg(n)));
    }
}

TOPIKOS_TEST(HistoryTest)
#include "history_test.moc"
