#include "core/exchange/cell_file.h"
#include "core/reach/freedom.h"
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

}  // namespace
