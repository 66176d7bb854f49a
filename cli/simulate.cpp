#include "cli/breakdown.h"
#include "cli/commands.h"
#include "cli/finding_json.h"
#include "cli/support.h"
#include "core/cell/step_tree.h"
#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "core/program/step_text.h"
#include "core/report/breakdown_csv.h"
#include "core/report/trace_csv.h"
#include "core/simulate/runner.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <climits>
#include <cmath>
#include <iostream>
#include <map>
#include <set>
#include <utility>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

/// The sentence about what ends a run early; empty when nothing does.
std::string whatEnds(const Cell& cell, const Trace& trace)
{
    for (const ArmTrace& arm : trace.arms)
        if (arm.blockedAt)
            for (const Finding& f : stepFindings(cell, arm.arm, arm.outcomes[*arm.blockedAt]))
                if (f.severity == Severity::Blocked) return findingText(cell, f).line();
    const std::optional<Finding> stuck = stuckFinding(cell, trace);
    return stuck ? findingText(cell, *stuck).line() : "";
}

constexpr int kKeptCycles = 100;  // of more cycles a run is told while it goes on, and forgotten

using StepTexts = std::map<StepId, std::string>;

StepTexts stepTexts(const Cell& cell)
{
    const Vocabulary words(cell);
    StepTexts out;
    for (const Routine& routine : cell.routines) {
        const StepScope scope{routine};
        eachStep(routine.steps, [&](const Step& step, size_t) { out[step.id] = stepText(words, step, &scope); });
    }
    return out;
}

Json stepJson(const Cell& cell, const ArmTrace::Span& span, const StepOutcome& outcome, bool cycles)
{
    Json step{{"routine", findRoutine(cell, outcome.routine)->name},
              {"step", outcome.index + 1},
              {"start", span.start},
              {"duration", span.end - span.start}};
    if (cycles) step["cycle"] = outcome.pass + 1;
    return step;
}

std::string stepLine(const ArmTrace::Span& span, const StepOutcome& outcome, const StepTexts& texts)
{
    return fmt::format("{:>4}  {:>8.3f}  {:>8.3f}  {}{}\n", outcome.index + 1, span.start, span.end - span.start,
                       std::string(size_t(2 * callDepth(outcome.within.get())), ' '), texts.at(outcome.step));
}

/// A finding of a later cycle.
Json laterJson(const Cell& cell, const Finding& f)
{
    Json out = findingJson(cell, f);
    out["cycle"] = f.as<GripFact>()->cycle + 1;
    return out;
}

std::string findingLine(const Cell& cell, const Finding& f)
{
    return fmt::format("{:8} {}\n", severityName(f.severity), findingText(cell, f).line());
}

/// A run of many cycles, told while it goes on: what is kept does not grow with their number.
int simulateMany(Cell cell, RunOptions options, bool json)
{
    constexpr double kStretch = 300;  // [s]
    const CellPtr shared = std::make_shared<const Cell>(std::move(cell));
    const StepTexts texts = stepTexts(*shared);
    Runner runner(shared, options);
    /// How much of an arm's trace has been told.
    struct Seen {
        size_t spans = 0, passes = 0, rounds = 0;
    };
    std::vector<Seen> seen;
    size_t seenEvents = 0;
    // What the cycle time and the parts per hour go by, of all the run.
    Trace told;
    std::vector<double> releases;
    std::set<StepId> found;
    Json findings = Json::array();
    std::string findingLines, ends;
    bool firstStep = true;
    std::cout << (json ? "{\"steps\":[" : fmt::format("{:>4}  {:>8}  {:>8}  step\n", "", "start s", "takes s"));
    double now = 0;
    for (bool goesOn = true; goesOn;) {
        now += kStretch;
        goesOn = runner.advance(now);
        const Trace& trace = runner.trace();
        seen.resize(trace.arms.size());
        told.arms.resize(trace.arms.size());
        told.duration = trace.duration;
        for (size_t i = 0; i < trace.arms.size(); ++i) {
            const ArmTrace& arm = trace.arms[i];
            for (size_t k = seen[i].spans; k < arm.spans.size(); ++k) {
                const ArmTrace::Span& span = arm.spans[k];
                const StepOutcome& outcome = arm.outcomes[span.outcome];
                if (json)
                    std::cout << (std::exchange(firstStep, false) ? "" : ",")
                              << stepJson(*shared, span, outcome, true).dump();
                else
                    std::cout << (trace.arms.size() > 1 ? findArm(*shared, arm.arm)->name + ": " : "")
                              << stepLine(span, outcome, texts);
            }
            ArmTrace& own = told.arms[i];
            own.passes.insert(own.passes.end(), arm.passes.begin() + std::ptrdiff_t(seen[i].passes), arm.passes.end());
            own.rounds.insert(own.rounds.end(), arm.rounds.begin() + std::ptrdiff_t(seen[i].rounds), arm.rounds.end());
            own.duration = arm.duration;
            own.ended = arm.ended;
            own.blockedAt = arm.blockedAt;
            if (own.outcomes.empty() && !arm.outcomes.empty()) own.outcomes.push_back(arm.outcomes.front());
        }
        for (size_t k = seenEvents; k < trace.partEvents.size(); ++k)
            if (isRelease(trace.partEvents[k])) releases.push_back(trace.partEvents[k].time);
        // What fails from the first cycle on is told by a check.
        for (const ArmTrace& arm : trace.arms)
            for (const StepOutcome& outcome : arm.outcomes)
                if (outcome.pass == 0 && outcome.problem != StepOutcome::Problem::None) found.insert(outcome.step);
        for (const Finding& f : laterCycleFindings(*shared, trace))
            if (found.insert(f.step).second) {
                findings.push_back(laterJson(*shared, f));
                findingLines += findingLine(*shared, f);
            }
        ends = whatEnds(*shared, trace);
        if (!goesOn) break;
        runner.forget(now - 1);
        for (size_t i = 0; i < trace.arms.size(); ++i)
            seen[i] = {trace.arms[i].spans.size(), trace.arms[i].passes.size(), trace.arms[i].rounds.size()};
        seenEvents = trace.partEvents.size();
    }
    const Runner::Counts counts = runner.counts();
    const Cycles gone = cyclesOf(told);
    const int done = gone.done;
    const double cycle = gone.time, perHour = partsPerHour(told, releases);
    if (json) {
        Json out{
            {"cycle_time", !ends.empty() || done == 0 ? Json() : Json(cycle)},
            {"parts_per_hour", perHour},
            {"counters",
             {{"cycles", done}, {"gripped", counts.gripped}, {"released", counts.released}, {"made", counts.made}}}};
        if (!ends.empty()) out["blocked"] = ends;
        if (!findings.empty()) out["findings"] = findings;
        std::cout << "]," << out.dump().substr(1) << '\n';
    } else if (ends.empty()) {
        std::cout << fmt::format("{}: cycle {:.3f} s, {:.0f} parts per hour, {} cycle{} {:.3f} s\n", shared->name,
                                 cycle, perHour, done, done == 1 ? " takes" : "s take", told.duration)
                  << findingLines;
    } else {
        std::cout << ends << '\n' << findingLines;
    }
    return ends.empty() ? 0 : 1;
}

/// Whether some arm runs a repeat without end.
bool hasEndless(const Cell& cell)
{
    bool any = false;
    for (const RoutineId id : reachedRoutines(cell))
        eachStep(findRoutine(cell, id)->steps, [&](const Step& step, size_t) {
            const Repeat* repeat = step.as<Repeat>();
            any = any || (repeat && !step.off && repeat->kind == Repeat::Kind::Endless);
        });
    return any;
}

}  // namespace

int simulateCell(const std::string& file, const SimulateOptions& asked)
{
    const int cycles = asked.cycles;
    const double until = asked.until;
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    RunOptions options;
    // Up to a time without a number of cycles: as often as it takes.
    options.cycles = cycles > 0 ? cycles : std::isfinite(until) ? INT_MAX : 1;
    options.rounds = options.cycles;
    options.until = until;
    const bool kept = !asked.trace.empty() || asked.breakdown || !asked.breakdownFile.empty() || std::isfinite(until);
    if (options.cycles > kKeptCycles && !kept) return simulateMany(*cell, options, asked.json);
    const Trace trace = simulate(*cell, options);
    const StepTexts texts = stepTexts(*cell);
    Json steps = Json::array();
    std::string text = fmt::format("{:>4}  {:>8}  {:>8}  step\n", "", "start s", "takes s");
    for (const ArmTrace& arm : trace.arms) {
        if (trace.arms.size() > 1) text += findArm(*cell, arm.arm)->name + "\n";
        for (const ArmTrace::Span& span : arm.spans) {
            const StepOutcome& outcome = arm.outcomes[span.outcome];
            steps.push_back(stepJson(*cell, span, outcome, options.cycles > 1));
            text += stepLine(span, outcome, texts);
        }
    }
    const auto count = [&](auto which) {
        return std::count_if(trace.partEvents.begin(), trace.partEvents.end(), which);
    };
    const auto gripped = count([](const PartEvent& e) { return e.kind == PartEvent::Kind::Carried; });
    const auto released = count(isRelease);
    // A cycle of an endless routine is its second pass, which begins where the first one ends.
    std::optional<Trace> second;
    if (options.rounds == 1 && !std::isfinite(until) && hasEndless(*cell)) {
        RunOptions twice;
        twice.rounds = kCheckedRounds;
        second = simulate(*cell, twice);
    }
    const Trace& timed = second ? *second : trace;
    Cycles gone = cyclesOf(timed);
    gone.done = cyclesOf(trace).done;
    const int done = gone.done;
    const std::string ends = whatEnds(*cell, trace);
    const double each = done == 0 ? 0 : gone.time;
    Json out{
        {"cycle_time", !ends.empty() || done == 0 ? Json() : Json(each)},
        {"parts_per_hour", partsPerHour(timed)},
        {"steps", steps},
        {"counters", {{"cycles", done}, {"gripped", gripped}, {"released", released}, {"made", trace.made.size()}}}};
    if (!ends.empty()) {
        out["blocked"] = ends;
        text += ends + "\n";
    } else {
        text += fmt::format("{}: cycle {:.3f} s, {:.0f} parts per hour, {} cycle{} {:.3f} s\n", cell->name, each,
                            partsPerHour(timed), done, done == 1 ? " takes" : "s take", trace.duration);
    }
    for (const Finding& f : laterCycleFindings(*cell, trace)) {
        out["findings"].push_back(laterJson(*cell, f));
        text += findingLine(*cell, f);
    }
    if (!asked.trace.empty())
        if (const Status bad = saveTraceCsv(asked.trace, *cell, trace, asked.every)) return refused(*bad);
    if (asked.breakdown || !asked.breakdownFile.empty()) {
        const Breakdown breakdown = breakdownOf(*cell, trace);
        if (asked.breakdown) {
            out["breakdown"] = breakdownJson(*cell, breakdown);
            text += breakdownText(*cell, breakdown);
        }
        if (!asked.breakdownFile.empty())
            if (const Status bad = saveBreakdownCsv(asked.breakdownFile, *cell, breakdown)) return refused(*bad);
    }
    if (asked.json) std::cout << out.dump() << '\n';
    else std::cout << text;
    return ends.empty() ? 0 : 1;
}

}  // namespace topikos::cli
