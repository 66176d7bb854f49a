#include "core/cell/devices.h"
#include "core/files/cell_file.h"
#include "core/program/program_text.h"
#include "core/program/step_text.h"
#include "core/simulate/runner.h"

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <climits>
#include <fstream>
#include <random>
#include <string>

// Programs that repeat: an hour of the rack cell, a day in flat memory, and texts of 5,000 steps.

namespace {

using namespace topikos;

/// The rack cell without end: the press never runs out, and what is set into the rack is taken away.
CellPtr rackCell()
{
    Cell cell = openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value();
    for (const Frame& frame : std::vector<Frame>(cell.frames.begin(), cell.frames.end()))
        if (frame.device && frame.device->kind == Device::Kind::Source) {
            Device d = *frame.device;
            d.most = 10000;
            cell = changeDevice(cell, frame.id, d).value();
        }
    const Pattern& rack = cell.patterns[0];
    FrameId sink;
    cell = addDevice(cell, Device::Kind::Sink, "Rack change", rack.frame, rack.first, &sink).value();
    Device d = *findFrame(cell, sink)->device;
    d.size = {2.5, 2.5, 0.2};
    cell = changeDevice(cell, sink, d).value();
    std::string text = programText(cell), out;
    // All of the routine becomes the body of an endless repeat.
    for (size_t at = 0; at < text.size();) {
        const size_t end = text.find('\n', at);
        const std::string line = text.substr(at, end - at);
        out += (out.empty() ? line + "\n    repeat without end" : "    " + line) + "\n";
        at = end + 1;
    }
    return std::make_shared<const Cell>(readProgram(cell, out).cell.value());
}

/// Resident memory of the process [MB].
double residentMegabytes()
{
    std::ifstream status("/proc/self/status");
    std::string word;
    double kilobytes = 0;
    while (status >> word)
        if (word == "VmRSS:") status >> kilobytes;
    return kilobytes / 1024;
}

void rackCellHour(benchmark::State& state)
{
    const CellPtr cell = rackCell();
    RunOptions options;
    options.cycles = options.rounds = INT_MAX;
    options.until = 3600;
    size_t steps = 0;
    for (auto _ : state) {
        const Trace trace = simulate(*cell, options);
        steps = trace.arms[0].spans.size();
        benchmark::DoNotOptimize(trace.duration);
    }
    state.counters["steps"] = double(steps);
}
BENCHMARK(rackCellHour)->Unit(benchmark::kMillisecond);

/// 24 hours in pieces of five minutes, of which half an hour is kept.
void rackCellDay(benchmark::State& state)
{
    const CellPtr cell = rackCell();
    for (auto _ : state) {
        RunOptions options;
        options.cycles = options.rounds = INT_MAX;
        Runner runner(cell, options);
        double first = 0;
        for (double t = 300; t <= 86400; t += 300) {
            runner.advance(t, 1800);
            if (t == 7200) first = residentMegabytes();
        }
        state.counters["MB after 2 h"] = first;
        state.counters["MB after 24 h"] = residentMegabytes();
        state.counters["made"] = double(runner.counts().made);
        state.counters["set down"] = double(runner.counts().released);
        state.counters["spans kept"] = double(runner.trace().arms[0].spans.size());
        state.counters["over"] = runner.over();
    }
}
BENCHMARK(rackCellDay)->Unit(benchmark::kMillisecond)->Iterations(1);

Cell longProgram()
{
    const Cell cell = *rackCell();
    std::string text = "routine Fill the rack, run by Arm\n    joint to Home\n";
    for (int i = 0; i < 1000; ++i)
        text += fmt::format(
            "    repeat 2 times\n        line over Tile pick {} mm at 150 mm/s\n        grip\n        joint to Home\n"
            "        release\n",
            1 + i % 900);
    return readProgram(cell, text).cell.value();
}

/// What a pause of typing costs, beside the interface: reading all of it, one step changed.
void programTextRead(benchmark::State& state)
{
    const Cell cell = longProgram();
    std::string text = programText(cell);
    const size_t at = text.find("over Tile pick 450 mm") + 15;
    int n = 0;
    for (auto _ : state) {
        text[at] = char('1' + n++ % 9);
        benchmark::DoNotOptimize(readProgram(cell, text).cell.has_value());
    }
}
BENCHMARK(programTextRead)->Unit(benchmark::kMillisecond);

void programTextPrint(benchmark::State& state)
{
    const Cell cell = longProgram();
    for (auto _ : state)
        benchmark::DoNotOptimize(programText(cell));
}
BENCHMARK(programTextPrint)->Unit(benchmark::kMillisecond);

/// One typed step, judged.
void stepRead(benchmark::State& state)
{
    const Cell cell = longProgram();
    const Vocabulary words(cell);
    const StepScope scope{cell.routines[0]};
    for (auto _ : state)
        benchmark::DoNotOptimize(parseStep(words, scope, "line over Tile pick 120 mm at 150 mm/s blend 20 mm").ok());
}
BENCHMARK(stepRead);

}  // namespace
