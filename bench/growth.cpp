// How time grows with size: each benchmark for n, 2n and 4n, with the order of growth that fits best. Near linear is
// wanted throughout. Run: build/bench/topikos-bench-growth
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/pattern.h"
#include "core/cell/settled.h"
#include "core/check/best_ways.h"
#include "core/check/check.h"
#include "core/check/contact_cache.h"
#include "core/exchange/cell_file.h"
#include "core/exchange/urdf.h"

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

/// The line on a rail with a belt, a press, a sensor and a source.
void stepsOfARun(benchmark::State& state)
{
    const Cell cell = repeated(example("glazing-line-on-a-rail"), size_t(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(check(cell));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(stepsOfARun)->RangeMultiplier(2)->Range(32, 128)->Complexity()->Unit(benchmark::kMillisecond);

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

void partsInAQueue(benchmark::State& state)
{
    const Cell cell = queue(size_t(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(simulate(cell));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(partsInAQueue)->RangeMultiplier(2)->Range(200, 3200)->Complexity()->Unit(benchmark::kMillisecond);

void checkOfAQueue(benchmark::State& state)
{
    const Cell cell = queue(size_t(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(check(cell));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(checkOfAQueue)->RangeMultiplier(2)->Range(100, 3200)->Complexity()->Unit(benchmark::kMillisecond);

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

/// Belts that start one another, each by the signal that the one before moves.
std::string chain(size_t devices)
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
    return writeCell(cell);
}

/// Reading and checking.
void devicesInAChain(benchmark::State& state)
{
    const std::string text = chain(size_t(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(check(readCell(text, "chain").value()));
    state.SetComplexityN(state.range(0));
}
BENCHMARK(devicesInAChain)->RangeMultiplier(2)->Range(4000, 16000)->Complexity()->Unit(benchmark::kMillisecond);

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

}  // namespace

BENCHMARK_MAIN();
