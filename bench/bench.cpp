// One benchmark for each figure that concerns the core. Run: build/bench/topikos-bench --benchmark_repetitions=5
// --benchmark_report_aggregates_only=true
#include "bench/long_cell.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/cell/step_tree.h"
#include "core/check/check.h"
#include "core/collide/cache.h"
#include "core/collide/pairs.h"
#include "core/collide/world.h"
#include "core/curves/curves.h"
#include "core/files/cell_file.h"
#include "core/mend/place_search.h"
#include "core/mend/remedy.h"
#include "core/motion/move_chain.h"
#include "core/robot/catalogue.h"
#include "core/robot/singularity.h"
#include "core/shape/mesh.h"
#include "core/shape/mesh_file.h"
#include "core/shape/reduce.h"
#include "core/simulate/state.h"

#include <benchmark/benchmark.h>

#include <array>
#include <cmath>
#include <cstdio>
#include <chrono>
#include <random>
#include <utility>

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
        for (int i = 0; i < 6; ++i)
            q[i] = std::uniform_real_distribution(arm().joints()[size_t(i)].lower,
                                                  arm().joints()[size_t(i)].upper)(random);
        out.push_back(q);
    }
    return out;
}

Cell demo() { return openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value(); }

Cell longCell(size_t steps) { return longCell(demo(), steps); }

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
            t = t * Eigen::Translation3d(j.parentFromJoint.translation) * j.parentFromJoint.rotation
                * Eigen::AngleAxisd(q[i], j.axis);
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
    for (const JointVector& q : postures())
        poses.push_back(forward(arm(), q));
    size_t n = 0;
    for (auto _ : state) {
        const Solutions s = inverseKinematics(arm(), poses[n++ & 1023]);
        benchmark::DoNotOptimize(s);
    }
}
BENCHMARK(inverseAllBranches);

/// Poses reached from random postures, each with a posture 0.02 rad beside that one.
std::vector<std::pair<Pose, JointVector>> posesNear(const Arm& arm)
{
    std::mt19937_64 random(2);
    std::vector<std::pair<Pose, JointVector>> poses;
    for (int n = 0; n < 1024; ++n) {
        JointVector q(arm.jointCount());
        for (int i = 0; i < q.size(); ++i)
            q[i] = std::uniform_real_distribution(arm.joints()[size_t(i)].lower, arm.joints()[size_t(i)].upper)(random);
        const Pose pose = forward(arm, q);
        for (double& v : q)
            v += 0.02;
        poses.push_back({pose, clampedToRange(arm, q)});
    }
    return poses;
}

/// Inverse kinematics of random reachable poses, one after the other.
void inverseOf(benchmark::State& state, const ArmPtr& arm, bool near)
{
    const auto poses = posesNear(*arm);
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

/// The one posture that goes on from a near one: what lines and jogging ask for.
void followedTo(benchmark::State& state, const ArmPtr& arm)
{
    const auto poses = posesNear(*arm);
    size_t n = 0;
    for (auto _ : state) {
        const auto& [pose, seed] = poses[n++ & 1023];
        benchmark::DoNotOptimize(followBranch(*arm, pose, {}, seed));
    }
}
BENCHMARK_CAPTURE(followedTo, seven_axes, catalogueArm("redundant-820"));

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

/// 500 mm across and down.
LinePath slantedLine(const Cell& cell, const JointVector& from)
{
    LinePath path;
    path.flangeFromTcp = toolInForce(cell, cell.arms.front()).flangeFromTcp;
    path.start = baseFromTcp(cell, cell.arms.front(), from);
    path.end = {path.start.translation + Vec3(0, 0.4, -0.3), path.start.rotation};
    return path;
}

void lineCheckPerSample(benchmark::State& state)
{
    const Cell cell = demo();
    const JointVector from = homePosture(cell, cell.arms.front());
    const LinePath path = slantedLine(cell, from);
    size_t samples = 0;
    for (auto _ : state) {
        const Move move = planLine(arm(), from, path, {}, cell.thresholds.blocks());
        samples += size_t(std::ceil(path.length() / 4e-3));
        benchmark::DoNotOptimize(move);
    }
    state.counters["per_sample"] =
        benchmark::Counter(double(samples), benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
BENCHMARK(lineCheckPerSample)->Unit(benchmark::kMicrosecond);

/// A line of 500 mm on which joints decide, with its fastest law.
void planLine500(benchmark::State& state)
{
    const Cell cell = demo();
    const JointVector from = homePosture(cell, cell.arms.front());
    const LinePath path = slantedLine(cell, from);
    MotionLimits limits;
    limits.lineSpeed = state.range(0) ? 3 : 0.25;
    limits.lineAcceleration = state.range(0) ? 20 : 2;
    for (auto _ : state)
        benchmark::DoNotOptimize(planLine(arm(), from, path, limits, cell.thresholds.blocks()));
    state.SetLabel(state.range(0) ? "joints decide" : "the tool decides");
}
BENCHMARK(planLine500)->Arg(0)->Arg(1)->Unit(benchmark::kMicrosecond);

/// Eight moves with corners, from stop to stop, planned already.
void timeChainOfEight(benchmark::State& state)
{
    std::mt19937_64 random(5);
    std::vector<ChainedMove> steps;
    JointVector at = armHome(arm());
    while (steps.size() < 8) {
        MoveInput in;
        in.arm = catalogueArm("sixaxis-1400");
        in.from = at;
        JointVector to = at;
        for (int i = 0; i < 6; ++i)
            to[i] = std::clamp(at[i] + 0.4 * (double(random() >> 11) * 0x1p-52 - 1), -0.8, 0.8);
        in.goal = to;
        auto plan = std::make_shared<const MovePlan>(planMove(in));
        if (plan->problem != MovePlan::Problem::None) continue;
        at = plan->arrival;
        steps.push_back({plan, 0.05, {}});
    }
    for (auto _ : state)
        benchmark::DoNotOptimize(makeMoveChain(*catalogueArm("sixaxis-1400"), steps));
}
BENCHMARK(timeChainOfEight)->Unit(benchmark::kMicrosecond);

/// Six joint curves with 20,000 values each.
void curveValuesSix(benchmark::State& state)
{
    const Cell cell = demo();
    const Trace trace = simulate(cell);
    std::vector<Curve> curves;
    for (int i = 0; i < 6; ++i)
        curves.push_back({Curve::Kind::JointSpeed, cell.arms.front().id, i, {}, {}});
    std::vector<double> times(20000);
    for (size_t i = 0; i < times.size(); ++i)
        times[i] = trace.duration * double(i) / double(times.size());
    for (auto _ : state)
        benchmark::DoNotOptimize(curveValues(cell, trace, curves, times));
}
BENCHMARK(curveValuesSix)->Unit(benchmark::kMillisecond);

/// Seconds of cell time per second, all link frames every 4 ms.
void simulateAllFrames(benchmark::State& state)
{
    const Cell cell = demo();
    double simulated = 0;
    ChainFrames frames;
    for (auto _ : state) {
        const Trace trace = simulate(cell, cell.routines.front());
        for (double t = 0; t < trace.duration; t += 0.004) {
            chainFrames(arm(), postureAt(cell, trace.arms[0], t), frames);
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
    CheckOptions how;
    how.contact = state.range(0) > 0;
    how.workers = int(state.range(0));
    for (auto _ : state)
        benchmark::DoNotOptimize(check(cell, cell.routines.front(), how));
}
// Without contact, with it on one thread, on two.
BENCHMARK(checkThousandMoves)->Arg(0)->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond)->UseRealTime();

/// A target of a cell of 5,000 steps goes a little further each time: with contact, as the window checks it.
void editOneTargetOf5000Steps(benchmark::State& state)
{
    const Cell cell = longCell(5000);
    PlanCache plans;
    ContactCache touched;
    CheckOptions how;
    how.plans = &plans;
    how.touched = &touched;
    how.workers = 2;
    check(cell, how);
    using Clock = std::chrono::steady_clock;
    Clock::time_point begun;
    double first = 0;
    bool told = false;
    how.partial = [&](const CheckResult&) {
        if (!std::exchange(told, true)) first += std::chrono::duration<double>(Clock::now() - begun).count();
    };
    double z = 0;
    ContactCache::Counts before;
    // One of its own, so that a single step changes.
    TargetId own;
    Cell with = copyTarget(cell, cell.targets[1].id, &own).value();
    const Routine& routine = with.routines.front();
    Step step;
    eachStep(routine.steps, [&](const Step& s, size_t n) {
        if (n > 2500 && !step.id && targetOf(s) == cell.targets[1].id) step = s;
    });
    endOf(step)->place = own;
    with = changeStep(with, routine.id, step).value();
    before = touched.counts();
    for (auto _ : state) {
        z += 1e-4;
        const Cell edited = setTargetPose(with, own, findTarget(with, own)->pose * translated({0, 0, -z})).value();
        begun = Clock::now();
        told = false;
        benchmark::DoNotOptimize(check(edited, how));
    }
    // All but contact.
    state.counters["first_s"] = benchmark::Counter(first, benchmark::Counter::kAvgIterations);
    const auto missed = [](const ContactCache::Counts& c) {
        return double(c.asked - c.found + c.pairsAsked - c.pairsFound);
    };
    state.counters["worked_out"] =
        benchmark::Counter(missed(touched.counts()) - missed(before), benchmark::Counter::kAvgIterations);
    state.counters["asked"] = benchmark::Counter(
        double(touched.counts().asked + touched.counts().pairsAsked - before.asked - before.pairsAsked),
        benchmark::Counter::kAvgIterations);
}
BENCHMARK(editOneTargetOf5000Steps)->Unit(benchmark::kMillisecond)->UseRealTime();

/// From a finding to its first remedy, and to all of them.
void firstRemedy(benchmark::State& state)
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/planted-mistakes.topikos").value();
    const CheckResult result = check(cell);
    for (auto _ : state) {
        RemedyOptions how;
        how.most = size_t(state.range(0));
        how.workers = 2;
        benchmark::DoNotOptimize(remediesFor(cell, result, result.findings.front(), how));
    }
}
BENCHMARK(firstRemedy)->Arg(1)->Arg(6)->Unit(benchmark::kMillisecond)->UseRealTime();

void bestPlaceOfTheRack(benchmark::State& state)
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value();
    PlaceQuery query;
    for (const Frame& frame : cell.frames)
        if (frame.name == "Drying rack") query.frame = frame.id;
    query.lowest = {-0.3, -0.3, 0, 0};
    query.highest = {0.3, 0.3, 0, 0};
    for (auto _ : state)
        benchmark::DoNotOptimize(searchPlace(cell, query));
}
BENCHMARK(bestPlaceOfTheRack)->Unit(benchmark::kMillisecond)->UseRealTime();

/// The demo's arm among 30 boxes, at random postures: yes or no, the clearance, and the way to the next one.
struct Crowd {
    Cell cell;
    ContactCache cache;
    std::unique_ptr<World> world;
    std::vector<World::Coordinates> free, hit;

    Crowd()
    {
        cell = openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value();
        std::mt19937_64 random(5);
        const auto real = [&](double low, double high) {
            return low + (high - low) * double(random() >> 11) * 0x1p-53;
        };
        for (int i = 0; i < 30; ++i) {
            const double turn = real(-3.1, 3.1), out = real(0.8, 1.6);
            FrameId id;
            cell = addFrame(cell, "Box " + std::to_string(i), {},
                            translated({out * std::cos(turn), out * std::sin(turn), real(0, 1.2)}), &id)
                       .value();
            cell = setFrameSolids(cell, id, {{Solid::Kind::Box, {}, Vec3::Constant(0.15), {}}}).value();
        }
        const ArmStation& arm = cell.arms.front();
        const JointVector home = homePosture(cell, arm);
        world = std::make_unique<World>(cell, authoredState(cell, arm.id, home), arm.id, cache);
        while (free.size() < 64 || hit.size() < 64) {
            JointVector q = home;
            for (int j = 0; j < 6; ++j)
                q[j] += real(-0.8, 0.8);
            const World::Coordinates at = world->at(q);
            (world->free(at) ? free : hit).push_back(at);
        }
    }
};

void contactOfAState(benchmark::State& state)
{
    const Crowd crowd;
    const std::vector<World::Coordinates>& at = state.range(0) ? crowd.hit : crowd.free;
    size_t n = 0;
    for (auto _ : state)
        benchmark::DoNotOptimize(crowd.world->free(at[n++ % at.size()]));
}
BENCHMARK(contactOfAState)->Arg(0)->Arg(1)->Unit(benchmark::kMicrosecond);  // free, hit

void clearanceOfAState(benchmark::State& state)
{
    const Crowd crowd;
    size_t n = 0;
    for (auto _ : state)
        benchmark::DoNotOptimize(crowd.world->nearest(crowd.free[n++ % crowd.free.size()]));
}
BENCHMARK(clearanceOfAState)->Unit(benchmark::kMicrosecond);

/// Ways between two free postures: how long each takes, how many looks it needs, and how many are free.
void edgeOfAState(benchmark::State& state)
{
    const Crowd crowd;
    size_t n = 0, looks = 0, free = 0, edges = 0;
    for (auto _ : state) {
        const World::Edge edge =
            crowd.world->edge(crowd.free[n % crowd.free.size()], crowd.free[(n + 1) % crowd.free.size()]);
        looks += size_t(edge.looks);
        free += edge.free;
        ++edges;
        ++n;
    }
    state.counters["looks"] = double(looks) / double(edges);
    state.counters["free"] = double(free) / double(edges);
}
BENCHMARK(edgeOfAState)->Unit(benchmark::kMicrosecond);

/// With a rail, a belt, a source and a sensor.
void checkLineOnARail(benchmark::State& state)
{
    const Cell cell = openCell(TOPIKOS_EXAMPLES "/glazing-line-on-a-rail.topikos").value();
    double simulated = 0;
    for (auto _ : state) {
        const CheckResult result = check(cell);
        simulated += result.trace.duration;
        benchmark::DoNotOptimize(result.findings);
    }
    state.counters["cell_s_per_s"] = benchmark::Counter(simulated, benchmark::Counter::kIsRate);
}
BENCHMARK(checkLineOnARail)->Unit(benchmark::kMillisecond);

void editOneTargetOf500Steps(benchmark::State& state)
{
    const Cell cell = longCell(500);
    double z = 0;
    for (auto _ : state) {
        z = z > 0.01 ? 0 : z + 0.001;
        const Target& t = cell.targets[1];
        const Cell edited = setTargetPose(cell, t.id, t.pose * translated({0, 0, -z})).value();
        benchmark::DoNotOptimize(check(edited, edited.routines.front(), {.contact = false}));
    }
}
BENCHMARK(editOneTargetOf500Steps)->Unit(benchmark::kMillisecond);

void readFiveThousandSteps(benchmark::State& state)
{
    const std::string text = writeCell(longCell(5000));
    for (auto _ : state)
        benchmark::DoNotOptimize(readCell(text, "bench"));
}
BENCHMARK(readFiveThousandSteps)->Unit(benchmark::kMillisecond);

void saveFiveThousandSteps(benchmark::State& state)
{
    const Cell cell = longCell(5000);
    const std::string path = "/tmp/topikos-bench.topikos";
    for (auto _ : state)
        benchmark::DoNotOptimize(saveCell(path, cell));
    std::remove(path.c_str());
}
BENCHMARK(saveFiveThousandSteps)->Unit(benchmark::kMillisecond);

/// A closed wavy slab of 2 n² triangles above and as many below.
Triangles slab(int n)
{
    Triangles t;
    for (const float z : {0.0f, 0.05f})
        for (int r = 0; r <= n; ++r)
            for (int c = 0; c <= n; ++c)
                t.points.push_back({float(c) / float(n), float(r) / float(n),
                                    z + 0.01f * std::sin(0.03f * float(r)) * std::cos(0.02f * float(c))});
    const auto at = [n](int side, int r, int c) { return std::uint32_t((side * (n + 1) + r) * (n + 1) + c); };
    for (int side = 0; side < 2; ++side)
        for (int r = 0; r < n; ++r)
            for (int c = 0; c < n; ++c)
                for (const auto& f : {std::array{at(side, r, c), at(side, r, c + 1), at(side, r + 1, c + 1)},
                                      std::array{at(side, r, c), at(side, r + 1, c + 1), at(side, r + 1, c)}})
                    t.faces.push_back(side ? f : std::array{f[0], f[2], f[1]});
    return t;
}

Solid surfaceOf(const Triangles& t)
{
    Solid s;
    s.kind = Solid::Kind::Mesh;
    s.surface.drawn = std::make_shared<const Triangles>(t);
    s.surface.light = std::make_shared<const Triangles>(reduced(t, 6000));
    return s;
}

/// From an STL file of 400,000 triangles to a shape that can be drawn.
void bringInSurface(benchmark::State& state)
{
    const std::string path = "/tmp/topikos-bench.stl";
    if (saveFile(path, stlOf(slab(316)))) return state.SkipWithError("no room in /tmp");
    for (auto _ : state) {
        Triangles t = readMeshFile(path).value();
        repairNormals(t);
        benchmark::DoNotOptimize(solidMesh(surfaceOf(t)));
    }
    std::remove(path.c_str());
}
BENCHMARK(bringInSurface)->Unit(benchmark::kMillisecond);

/// Eight surfaces, together 100 MB of file.
Cell heavyCell()
{
    Cell cell = demo();
    for (int i = 0; i < 8; ++i)
        cell.frames.at(cell.frames.size() - 1).solids.push_back(surfaceOf(slab(360 + i)));
    return cell;
}

void openHundredMegabytes(benchmark::State& state)
{
    const std::string path = "/tmp/topikos-bench.topikos";
    if (saveCell(path, heavyCell())) return state.SkipWithError("no room in /tmp");
    for (auto _ : state)
        benchmark::DoNotOptimize(openCell(path));
    state.counters["MB"] = double(readFile(path, std::size_t(1) << 30).value().size()) / 1e6;
    std::remove(path.c_str());
}
BENCHMARK(openHundredMegabytes)->Unit(benchmark::kMillisecond);

void saveHundredMegabytes(benchmark::State& state)
{
    const Cell cell = heavyCell();
    const std::string path = "/tmp/topikos-bench.topikos";
    for (auto _ : state)
        benchmark::DoNotOptimize(saveCell(path, cell));
    std::remove(path.c_str());
}
BENCHMARK(saveHundredMegabytes)->Unit(benchmark::kMillisecond);

void contactPairsOfThousandPostures(benchmark::State& state)
{
    const Cell cell = demo();
    for (auto _ : state)
        benchmark::DoNotOptimize(sampleContactPairs(cell, {1000, 1}));
}
BENCHMARK(contactPairsOfThousandPostures)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
