#include "core/files/cell_file.h"
#include "core/plan/free_turns.h"
#include "core/reach/reach_map.h"
#include "core/surface/draw.h"

#include <benchmark/benchmark.h>

// Process targets on the sink of the wiping bench: a mesh of 4,608 triangles, a closed seam of 64 points.

namespace {

using namespace topikos;

const Cell& bench()
{
    static const Cell cell = openCell(TOPIKOS_EXAMPLES "/glaze-edge-wiping-bench.topikos").value();
    return cell;
}
const Pattern& seam() { return bench().patterns.front(); }

void makeBodySurface(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(BodySurface(bodyOf(bench(), seam())));
}
BENCHMARK(makeBodySurface)->Unit(benchmark::kMillisecond);

void lineOf64Points(benchmark::State& state)
{
    const BodySurface surface(bodyOf(bench(), seam()));
    std::vector<SurfaceSpot> spots;
    for (const SurfacePoint& p : seam().drawing.points)
        spots.push_back(surface.nearest(p.at));
    DrawRule rule;
    rule.radius = 0.006;
    for (auto _ : state)
        benchmark::DoNotOptimize(pointsAlong(surface, lineThrough(surface, spots, true), rule));
}
BENCHMARK(lineOf64Points)->Unit(benchmark::kMillisecond);

void freeTurnsOf64Points(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(freeTurns(bench(), seam()));
}
BENCHMARK(freeTurnsOf64Points)->Unit(benchmark::kMillisecond);

/// 10,000 spots of the demo cell in a plane, the tool down; all of them, and the coarse picture that comes first.
ReachQuery tenThousand(const Cell& cell)
{
    ReachQuery query;
    query.arm = cell.arms.front().id;
    query.lowest = {-1, -1, 0.6};
    query.highest = {0.98, 0.98, 0.6};
    query.spacing = 0.02;
    return query;
}
void reachMap10000(benchmark::State& state)
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value();
    for (auto _ : state)
        benchmark::DoNotOptimize(reachMap(cell, tenThousand(cell)));
}
BENCHMARK(reachMap10000)->Unit(benchmark::kMillisecond);
void reachFirstPicture(benchmark::State& state)
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value();
    ReachQuery query = tenThousand(cell);
    for (auto _ : state) {
        std::stop_source stop;
        query.stop = stop.get_token();
        benchmark::DoNotOptimize(reachMap(cell, query, [&](const ReachMap&) { stop.request_stop(); }));
    }
}
BENCHMARK(reachFirstPicture)->Unit(benchmark::kMillisecond);

}  // namespace
