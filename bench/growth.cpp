// How time grows with size: each benchmark for n, 2n, 4n and so on, with the order of growth that fits best. Near
// linear is wanted throughout. Run: build/bench/topikos-bench-growth
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/pattern.h"
#include "core/cell/settled.h"
#include "core/cell/validate.h"
#include "core/plan/best_ways.h"
#include "core/check/check.h"
#include "core/collide/cache.h"
#include "core/files/cell_file.h"
#include "core/files/urdf.h"

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>

using namespace topikos;

namespace {

Cell example(const char* name) { return openCell(std::string(TOPIKOS_EXAMPLES "/") + name + ".topikos").value(); }

/// The routine of a cell again and again, as often as `times`; each pass a little slower, so that each move is its own.
Cell repeated(Cell cell, size_t times)
{
    Table<Step>& steps = cell.routines.edit(cell.arms.front().main)->steps;
    const Table<Step> once = steps;
    for (size_t n = 1; n < times; ++n)
        for (Step s : once) {
            s.id = {cell.nextId++};
            const double slower = 1 - 1e-5 * double(n);
            if (JointMove* move = s.as<JointMove>()) move->speed *= slower;
            if (LineMove* move = s.as<LineMove>()) move->speed *= slower;
            steps.push_back(s);
        }
    return cell;
}

/// Slabs that queue at the end of a belt, past a sensor.
Cell queue(size_t parts)
{
    Cell cell = example("tile-glazing-line");
    FrameId belt, sensor;
    cell = addDevice(cell, Device::Kind::Belt, "Long belt", {}, translated({-30, 3, 0.5}), &belt).value();
    Device device = *findFrame(cell, belt)->device;
    device.size = {90, 0.4, 0.1};
    cell = changeDevice(cell, belt, device).value();
    cell = addDevice(cell, Device::Kind::Sensor, "Eye", belt, translated({80, -0.2, 0.05}), &sensor).value();
    PartId first;
    cell = addPart(cell, "Slab", belt, translated({0.05, 0, 0.05}), &first).value();
    Table<Part> more = cell.parts;
    for (size_t n = 1; n < parts; ++n) {
        Part part = *findPart(cell, first);
        part.id = {cell.nextId++};
        part.name = fmt::format("Slab {}", n + 1);
        part.pose.translation[0] = 0.05 + 60.0 * double(n) / double(parts);
        more.push_back(part);
    }
    cell.parts = more;
    PartKind kind = *findPartKind(cell, findPart(cell, first)->kind);
    kind.solids = {Solid{Solid::Kind::Box, {}, {0.01, 0.1, 0.1}}};
    cell = changePartKind(cell, kind).value();
    Step wait{.action = Wait{600}};
    Routine& routine = *cell.routines.edit(cell.arms.front().main);
    wait.id = {cell.nextId++};
    routine.steps = {wait};
    return cell;
}

/// The same check again, with what is kept.
void checkOfAQueueAgain(benchmark::State& state)
{
    const Cell cell = queue(size_t(state.range(0)));
    PlanCache plans;
    ContactCache touched;
    CheckOptions options;
    options.plans = &plans;
    options.touched = &touched;
    check(cell, options);
    for (auto _ : state)
        benchmark::DoNotOptimize(check(cell, options));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(checkOfAQueueAgain)->RangeMultiplier(2)->Range(100, 3200)->Complexity()->Unit(benchmark::kMillisecond);

/// Targets that go each with the one before.
void tiesInAChain(benchmark::State& state)
{
    Cell cell = example("tile-glazing-line");
    std::vector<Target> targets(cell.targets.begin(), cell.targets.end());
    Target own = targets.back();
    for (int n = 0; n < state.range(0); ++n) {
        const TargetId before = own.id;
        own.id = {cell.nextId++};
        own.name = fmt::format("Tied {}", n);
        own.tie = Tie{{}, before, translated({0, 0, 1e-6})};
        targets.push_back(own);
    }
    cell.targets = Table<Target>(targets);
    const std::string text = writeCell(settled(cell).value());
    for (auto _ : state) {
        const Cell read = readCell(text, "chain").value();
        benchmark::DoNotOptimize(settled(read));
    }
    state.SetComplexityN(state.range(0));
}
BENCHMARK(tiesInAChain)->RangeMultiplier(2)->Range(7500, 60000)->Complexity()->Unit(benchmark::kMillisecond);

void placesToTheNearest(benchmark::State& state)
{
    Pattern pattern;
    pattern.columns = std::uint32_t(std::lround(std::sqrt(double(state.range(0)))));
    pattern.rows = pattern.columns;
    pattern.pitch = {0.05, 0.07, 0};
    pattern.order = Pattern::Order::Nearest;
    for (auto _ : state)
        benchmark::DoNotOptimize(placesOf(pattern));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(placesToTheNearest)->RangeMultiplier(2)->Range(1250, 10000)->Complexity()->Unit(benchmark::kMillisecond);

void waysOfARoutine(benchmark::State& state)
{
    const Cell cell = repeated(example("tile-glazing-line"), size_t(state.range(0)));
    const Routine& routine = *findRoutine(cell, cell.arms.front().main);
    for (auto _ : state)
        benchmark::DoNotOptimize(bestWays(cell, routine, [](double) { return true; }));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(waysOfARoutine)->RangeMultiplier(2)->Range(8, 64)->Complexity()->Unit(benchmark::kMillisecond);

void linksOfAnUrdfFile(benchmark::State& state)
{
    std::string text = "<robot name=\"r\">\n";
    for (int n = 0; n <= state.range(0); ++n)
        text += fmt::format("<link name=\"l{}\"/>\n", n);
    for (int n = 0; n < state.range(0); ++n)
        text += fmt::format(
            "<joint name=\"j{0}\" type=\"{2}\"><parent link=\"l{0}\"/><child link=\"l{1}\"/><axis xyz=\"0 0 "
            "1\"/><limit lower=\"-1\" upper=\"1\" effort=\"1\" velocity=\"1\"/></joint>\n",
            n, n + 1, n < 6 ? "revolute" : "fixed");
    text += "</robot>\n";
    for (auto _ : state)
        benchmark::DoNotOptimize(readUrdf(text, "links"));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(linksOfAnUrdfFile)->RangeMultiplier(2)->Range(16000, 64000)->Complexity()->Unit(benchmark::kMillisecond);

void nestedXml(benchmark::State& state)
{
    std::string text = "<robot name=\"r\">";
    for (int n = 0; n < state.range(0); ++n)
        text += "<a>";
    for (int n = 0; n < state.range(0); ++n)
        text += "</a>";
    text += "</robot>";
    for (auto _ : state)
        benchmark::DoNotOptimize(readUrdf(text, "deep"));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(nestedXml)->RangeMultiplier(2)->Range(5000, 20000)->Complexity()->Unit(benchmark::kMillisecond);

/// Belts that start one another, each by the signal that the one before moves.
Cell chain(size_t devices)
{
    Cell cell = example("tile-glazing-line");
    std::vector<Frame> frames(cell.frames.begin(), cell.frames.end());
    std::vector<Signal> signals;
    for (size_t n = 0; n <= devices; ++n)
        signals.push_back({{cell.nextId++}, fmt::format("S{}", n)});
    for (size_t n = 0; n < devices; ++n) {
        Frame frame{{cell.nextId++}, fmt::format("Belt {}", n), {}, translated({0, 0.5 * double(n % 1000), 2}), {}};
        Device belt;
        belt.kind = Device::Kind::Belt;
        belt.indexing = true;
        belt.input = signals[n].id;
        belt.output = signals[n + 1].id;
        frame.device = belt;
        frames.push_back(frame);
    }
    cell.frames = Table<Frame>(frames);
    cell.signals = Table<Signal>(signals);
    Step set{.action = SetSignal{signals[0].id, 1}};
    set.id = {cell.nextId++};
    Step wait{.action = Wait{10}};
    wait.id = {cell.nextId++};
    cell.routines.edit(cell.arms.front().main)->steps = {set, wait};
    return cell;
}

Step stepOf(Cell& cell, Action action)
{
    Step step{.action = std::move(action)};
    step.id = {cell.nextId++};
    return step;
}

void giveMain(Cell& cell, const std::vector<Step>& steps)
{
    cell.routines.edit(cell.arms.front().main)->steps = Table<Step>(steps);
}

Cell stepsOfARun(size_t passes) { return repeated(example("tile-glazing-line"), passes); }

/// Targets of which each is gone to once.
Cell targetsGoneTo(size_t count)
{
    Cell cell = example("tile-glazing-line");
    std::vector<Target> targets(cell.targets.begin(), cell.targets.end());
    Target own =
        *std::find_if(targets.begin(), targets.end(), [](const Target& t) { return t.kind == Target::Kind::Pose; });
    std::vector<Step> steps;
    for (size_t n = 0; n < count; ++n) {
        own.id = {cell.nextId++};
        own.name = fmt::format("Spot {}", n);
        own.pose.translation[2] += n % 2 ? 1e-6 : 2e-6;
        targets.push_back(own);
        steps.push_back(stepOf(cell, JointMove{.goal = AtPlace{own.id}}));
    }
    cell.targets = Table<Target>(targets);
    giveMain(cell, steps);
    return cell;
}

/// Tiles that lie side by side on a table.
Cell partsOnATable(size_t count)
{
    Cell cell = example("tile-glazing-line");
    const Part first = *cell.parts.begin();
    std::vector<Part> parts(cell.parts.begin(), cell.parts.end());
    const size_t side = size_t(std::ceil(std::sqrt(double(count))));
    for (size_t n = 0; n < count; ++n) {
        Part part = first;
        part.id = {cell.nextId++};
        part.name = fmt::format("More {}", n);
        part.frame = {};
        part.pose = translated({3 + 0.2 * double(n % side), 0.2 * double(n / side), 0.5});
        parts.push_back(part);
    }
    cell.parts = Table<Part>(parts);
    return cell;
}

/// A pattern of targets, each of which is gone to.
Cell placesOfAPattern(size_t count)
{
    Cell cell = example("rack-of-24");
    const Pattern* own = nullptr;
    for (const Pattern& pattern : cell.patterns)
        if (pattern.content == Pattern::Content::Targets && !pattern.follows) own = &pattern;
    Pattern pattern = *own;
    pattern.id = {};
    pattern.name = "Many";
    pattern.columns = std::uint32_t(count);
    pattern.rows = pattern.layers = 1;
    pattern.leftOut = {};
    pattern.pitch = {0.2 / double(count), 0.1, 0.1};
    PatternId id;
    cell = addPattern(cell, pattern, &id).value();
    Step each = stepOf(cell, ForEach{.pattern = id});
    each.body = Table<Step>(std::vector<Step>{stepOf(cell, JointMove{.goal = AtPlace{id}})});
    giveMain(cell, {each});
    return cell;
}

/// Signals that are set and reset, each of them.
Cell signalsSet(size_t count)
{
    Cell cell = example("tile-glazing-line");
    std::vector<Signal> signals(cell.signals.begin(), cell.signals.end());
    std::vector<Step> steps;
    for (size_t n = 0; n < count; ++n) {
        signals.push_back({{cell.nextId++}, fmt::format("Lamp {}", n)});
        steps.push_back(stepOf(cell, PulseSignal{signals.back().id, 0.2}));
        steps.push_back(stepOf(cell, Wait{0.01}));
    }
    cell.signals = Table<Signal>(signals);
    giveMain(cell, steps);
    return cell;
}

/// Arms side by side that all work.
Cell armsAtWork(size_t count)
{
    Cell cell = example("tile-glazing-line");
    const ArmStation first = cell.arms.front();
    for (size_t n = 1; n < count; ++n) {
        FrameId mount;
        ArmId id;
        cell = addFrame(cell, fmt::format("Base {}", n), {}, translated({3.0 * double(n), 0, 0.4}), &mount).value();
        cell = addArm(cell, fmt::format("Arm {}", n + 1), first.model, mount, &id).value();
        const ArmStation* arm = findArm(cell, id);
        const TargetId home = arm->home;
        const RoutineId main = arm->main;
        std::vector<Step> steps;
        for (int k = 0; k < 20; ++k) {
            steps.push_back(stepOf(cell, JointMove{.goal = JointShift{1, k % 2 ? -0.3 : 0.3}}));
            if (k % 5 == 4) steps.push_back(stepOf(cell, JointMove{.goal = AtPlace{home}}));
        }
        cell.routines.edit(main)->steps = Table<Step>(steps);
    }
    return cell;
}

/// Calls of a routine with four steps.
Cell callsOfARoutine(size_t count)
{
    Cell cell = example("tile-glazing-line");
    RoutineId own;
    cell = addRoutine(cell, cell.arms.front().id, "Nod", &own).value();
    std::vector<Step> inner;
    for (int k = 0; k < 4; ++k)
        inner.push_back(stepOf(cell, JointMove{.goal = JointShift{4, k % 2 ? -0.2 : 0.2}}));
    cell.routines.edit(own)->steps = Table<Step>(inner);
    std::vector<Step> steps;
    for (size_t n = 0; n < count; ++n)
        steps.push_back(stepOf(cell, Call{.routine = own}));
    giveMain(cell, steps);
    return cell;
}

/// Belts side by side, each with a part that rides to its end.
Cell beltsWithParts(size_t count)
{
    Cell cell = example("tile-glazing-line");
    std::vector<Frame> frames(cell.frames.begin(), cell.frames.end());
    std::vector<Part> parts(cell.parts.begin(), cell.parts.end());
    const Part first = parts.front();
    for (size_t n = 0; n < count; ++n) {
        Frame frame{{cell.nextId++}, fmt::format("Belt {}", n), {}, translated({3, 0.4 * double(n), 0.5}), {}};
        Device belt;
        belt.kind = Device::Kind::Belt;
        belt.size = {2, 0.3, 0.1};
        belt.accumulates = true;
        frame.device = belt;
        frames.push_back(frame);
        Part part = first;
        part.id = {cell.nextId++};
        part.name = fmt::format("Rider {}", n);
        part.frame = frame.id;
        part.pose = translated({0.2, 0, 0.006});
        parts.push_back(part);
    }
    cell.frames = Table<Frame>(frames);
    cell.parts = Table<Part>(parts);
    giveMain(cell, {stepOf(cell, Wait{20})});
    return cell;
}

/// What a cell can have many of, each checked and simulated for a row of sizes.
struct Kind {
    const char* name;
    Cell (*make)(size_t count);
    int least, most;
};
constexpr Kind kKinds[] = {{"steps", stepsOfARun, 32, 256},
                           {"targets", targetsGoneTo, 500, 4000},
                           {"partsOnATable", partsOnATable, 400, 6400},
                           {"partsInAQueue", queue, 100, 3200},
                           {"places", placesOfAPattern, 500, 4000},
                           {"devices", chain, 2000, 16000},
                           {"signals", signalsSet, 500, 4000},
                           {"arms", armsAtWork, 8, 64},
                           {"calls", callsOfARoutine, 250, 2000},
                           {"belts", beltsWithParts, 50, 800}};

void registerKinds()
{
    for (const Kind& kind : kKinds)
        for (const bool checked : {true, false}) {
            const std::string name = fmt::format("{}/{}", checked ? "check" : "simulate", kind.name);
            benchmark::RegisterBenchmark(name.c_str(),
                                         [&kind, checked](benchmark::State& state) {
                                             const Cell cell = kind.make(size_t(state.range(0)));
                                             if (validate(cell)) return state.SkipWithError("the cell is not valid");
                                             bool blocked = false;
                                             for (auto _ : state) {
                                                 if (checked) benchmark::DoNotOptimize(check(cell));
                                                 else blocked = simulate(cell).blocked();
                                             }
                                             if (blocked) state.SetLabel("blocked");
                                             state.SetComplexityN(state.range(0));
                                         })
                ->RangeMultiplier(2)
                ->Range(kind.least, kind.most)
                ->Complexity()
                ->Unit(benchmark::kMillisecond);
        }
}

}  // namespace

int main(int argc, char** argv)
{
    registerKinds();
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
}
