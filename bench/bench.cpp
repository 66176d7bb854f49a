// One benchmark for each figure that concerns the core. Run: build/bench/topikos-bench --benchmark_repetitions=5 --benchmark_report_aggregates_only=true
#include "core/cell/edit.h"
#include "core/check/check.h"
#include "core/exchange/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/robot/singularity.h"

#include <benchmark/benchmark.h>

#include <cstdio>
#include <random>

using namespace topikos;

namespace {

const Arm& arm()
{
    static const ArmPtr a = catalogueArm("sixaxis-1400");
    return *a;
}

std::vector<JointVector> postures()
{
    std::mt19937_64 random(1);
    std::vector<JointVector> out;
    for (int n = 0; n < 1024; ++n) {
        JointVector q(6);
        for (int i = 0; i < 6; ++i) q[i] = std::uniform_real_distribution(arm().joints()[size_t(i)].lower, arm().joints()[size_t(i)].upper)(random);
        out.push_back(q);
    }
    return out;
}

Cell demo() { return openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value(); }

/// The demo routine repeated until it has about `steps` steps.
Cell longCell(size_t steps)
{
    Cell cell = demo();
    const std::vector<Step> once = cell.routines.front().steps;
    std::vector<Step>& all = cell.routines.front().steps;
    while (all.size() < steps)
        for (Step s : once) {
            s.id = {cell.nextId++};
            all.push_back(s);
        }
    return cell;
}

/// A generic chain of isometries: the plain prototype that kinematics are measured against.
void plainForward(benchmark::State& state)
{
    const auto all = postures();
    size_t n = 0;
    for (auto _ : state) {
        const JointVector& q = all[n++ & 1023];
        Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
        for (int i = 0; i < 6; ++i) {
            const Joint& j = arm().joints()[size_t(i)];
            t = t * Eigen::Translation3d(j.parentFromJoint.translation) * j.parentFromJoint.rotation * Eigen::AngleAxisd(q[i], j.axis);
        }
        benchmark::DoNotOptimize(t);
    }
}
BENCHMARK(plainForward);

void forwardAllFrames(benchmark::State& state)
{
    const auto all = postures();
    size_t n = 0;
    ChainFrames frames;
    for (auto _ : state) {
        chainFrames(arm(), all[n++ & 1023], frames);
        benchmark::DoNotOptimize(frames);
    }
}
BENCHMARK(forwardAllFrames);

void forwardWithJacobian(benchmark::State& state)
{
    const auto all = postures();
    size_t n = 0;
    ChainFrames frames;
    for (auto _ : state) {
        chainFrames(arm(), all[n++ & 1023], frames);
        const Jacobian j = jacobian(frames, arm());
        benchmark::DoNotOptimize(j);
    }
}
BENCHMARK(forwardWithJacobian);

void inverseAllBranches(benchmark::State& state)
{
    std::vector<Pose> poses;
    for (const JointVector& q : postures()) poses.push_back(forward(arm(), q));
    size_t n = 0;
    for (auto _ : state) {
        const Solutions s = inverseKinematics(arm(), poses[n++ & 1023]);
        benchmark::DoNotOptimize(s);
    }
}
BENCHMARK(inverseAllBranches);

/// Inverse kinematics of random reachable poses, one after the other.
void inverseOf(benchmark::State& state, const ArmPtr& arm, bool near)
{
    std::mt19937_64 random(2);
    std::vector<std::pair<Pose, JointVector>> poses;
    for (int n = 0; n < 1024; ++n) {
        JointVector q(arm->jointCount());
        for (int i = 0; i < q.size(); ++i) q[i] = std::uniform_real_distribution(arm->joints()[size_t(i)].lower, arm->joints()[size_t(i)].upper)(random);
        const Pose pose = forward(*arm, q);
        for (double& v : q) v += 0.02;
        poses.push_back({pose, clampedToRange(*arm, q)});
    }
    size_t n = 0;
    for (auto _ : state) {
        const auto& [pose, seed] = poses[n++ & 1023];
        benchmark::DoNotOptimize(inverseKinematics(*arm, pose, near ? &seed : nullptr));
    }
}
BENCHMARK_CAPTURE(inverseOf, three_parallel_axes, catalogueArm("cobot-900"), false);
BENCHMARK_CAPTURE(inverseOf, horizontal_arm, catalogueArm("scara-600"), false);
BENCHMARK_CAPTURE(inverseOf, five_axes, catalogueArm("fiveaxis-500"), false);
BENCHMARK_CAPTURE(inverseOf, gantry, catalogueArm("gantry-2400"), false);
BENCHMARK_CAPTURE(inverseOf, seven_axes, catalogueArm("redundant-820"), false);
BENCHMARK_CAPTURE(inverseOf, seven_axes_near, catalogueArm("redundant-820"), true);

/// The six-axis arm with its wrist pulled apart, so that no closed form is left.
ArmPtr offsetWrist()
{
    ArmDescription d = catalogueArm("sixaxis-1400")->description();
    d.joints[4].parentFromJoint.translation += Vec3(0, 0.03, 0.02);
    d.joints[5].parentFromJoint.translation += Vec3(0, 0.02, 0.04);
    return Arm::make(d).value();
}
BENCHMARK_CAPTURE(inverseOf, any_six_axes, offsetWrist(), false)->Unit(benchmark::kMicrosecond);

/// The seven-axis arm with its wrist pulled apart: the numeric search.
ArmPtr offsetSeven()
{
    ArmDescription d = catalogueArm("redundant-820")->description();
    d.joints[5].parentFromJoint.translation += Vec3(0.05, 0, 0.02);
    return Arm::make(d).value();
}
BENCHMARK_CAPTURE(inverseOf, numeric_seven_axes, offsetSeven(), false)->Unit(benchmark::kMicrosecond);
BENCHMARK_CAPTURE(inverseOf, numeric_seven_axes_near, offsetSeven(), true)->Unit(benchmark::kMicrosecond);

void lineCheckPerSample(benchmark::State& state)
{
    const Cell cell = demo();
    const JointVector from = homePosture(cell);
    LinePath path;
    path.flangeFromTcp = toolInForce(cell).flangeFromTcp;
    path.start = baseFromTcp(cell, from);
    path.end = {path.start.translation + Vec3(0, 0.4, -0.3), path.start.rotation};
    size_t samples = 0;
    for (auto _ : state) {
        const Move move = planLine(arm(), from, path, {}, cell.thresholds.blocks());
        samples += move.samples.size();
        benchmark::DoNotOptimize(move);
    }
    state.counters["per_sample"] = benchmark::Counter(double(samples), benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
BENCHMARK(lineCheckPerSample)->Unit(benchmark::kMicrosecond);

/// Seconds of cell time per second, all link frames every 4 ms.
void simulateAllFrames(benchmark::State& state)
{
    const Cell cell = demo();
    double simulated = 0;
    ChainFrames frames;
    for (auto _ : state) {
        const Trace trace = simulate(cell, cell.routines.front());
        for (double t = 0; t < trace.duration; t += 0.004) {
            chainFrames(arm(), postureAt(cell, trace, t), frames);
            benchmark::DoNotOptimize(frames);
        }
        simulated += trace.duration;
    }
    state.counters["cell_s_per_s"] = benchmark::Counter(simulated, benchmark::Counter::kIsRate);
}
BENCHMARK(simulateAllFrames)->Unit(benchmark::kMillisecond);

void checkThousandMoves(benchmark::State& state)
{
    const Cell cell = longCell(1250);  // eight moves in ten steps
    for (auto _ : state) benchmark::DoNotOptimize(check(cell, cell.routines.front()));
}
BENCHMARK(checkThousandMoves)->Unit(benchmark::kMillisecond);

void editOneTargetOf500Steps(benchmark::State& state)
{
    const Cell cell = longCell(500);
    double z = 0;
    for (auto _ : state) {
        z = z > 0.01 ? 0 : z + 0.001;
        const Target& t = cell.targets[1];
        const Cell edited = setTargetPose(cell, t.id, t.pose * translated({0, 0, -z})).value();
        benchmark::DoNotOptimize(check(edited, edited.routines.front()));
    }
}
BENCHMARK(editOneTargetOf500Steps)->Unit(benchmark::kMillisecond);

void readFiveThousandSteps(benchmark::State& state)
{
    const std::string text = writeCell(longCell(5000));
    for (auto _ : state) benchmark::DoNotOptimize(readCell(text, "bench"));
}
BENCHMARK(readFiveThousandSteps)->Unit(benchmark::kMillisecond);

void saveFiveThousandSteps(benchmark::State& state)
{
    const Cell cell = longCell(5000);
    const std::string path = "/tmp/topikos-bench.topikos";
    for (auto _ : state) benchmark::DoNotOptimize(saveCell(path, cell));
    std::remove(path.c_str());
}
BENCHMARK(saveFiveThousandSteps)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
