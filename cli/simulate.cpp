#include "cli/commands.h"
#include "cli/breakdown.h"
#include "cli/support.h"
#include "core/check/check.h"
#include "core/exchange/cell_file.h"
#include "core/exchange/breakdown_csv.h"
#include "core/exchange/trace_csv.h"
#include "core/cell/step_tree.h"
#include "core/program/step_text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <climits>
#include <cmath>
#include <iostream>
#include <map>

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
    const Trace trace = simulate(*cell, options);
    const Vocabulary words(*cell);
    std::map<StepId, std::string> texts;
    for (const Routine& routine : cell->routines) {
        const StepScope scope{routine};
        eachStep(routine.steps, [&](const Step& step, size_t) { texts[step.id] = stepText(words, step, &scope); });
    }
    Json steps = Json::array();
    std::string text = fmt::format("{:>4}  {:>8}  {:>8}  step\n", "", "start s", "takes s");
    for (const ArmTrace& arm : trace.arms) {
        if (trace.arms.size() > 1) text += findArm(*cell, arm.arm)->name + "\n";
        for (const ArmTrace::Span& span : arm.spans) {
            const StepOutcome& outcome = arm.outcomes[span.outcome];
            const int depth = callDepth(outcome.within.get());
            Json step{{"routine", findRoutine(*cell, outcome.routine)->name},
                      {"step", outcome.index + 1},
                      {"start", span.start},
                      {"duration", span.end - span.start}};
            if (options.cycles > 1) step["cycle"] = outcome.pass + 1;
            steps.push_back(std::move(step));
            text += fmt::format("{:>4}  {:>8.3f}  {:>8.3f}  {}{}\n", outcome.index + 1, span.start,
                                span.end - span.start, std::string(size_t(2 * depth), ' '), texts[outcome.step]);
        }
    }
    const auto count = [&](auto which) {
        return std::count_if(trace.partEvents.begin(), trace.partEvents.end(), which);
    };
    const auto gripped = count([](const PartEvent& e) { return e.kind == PartEvent::Kind::Carried; });
    const auto released = count([](const PartEvent& e) { return e.arm && e.kind == PartEvent::Kind::Lies; });
    const Cycles gone = cyclesOf(trace);
    const int done = gone.done;
    const std::string ends = whatEnds(*cell, trace);
    const double each = done == 0 ? 0 : gone.time;
    Json out{
        {"cycle_time", !ends.empty() || done == 0 ? Json() : Json(each)},
        {"parts_per_hour", partsPerHour(trace)},
        {"steps", steps},
        {"counters", {{"cycles", done}, {"gripped", gripped}, {"released", released}, {"made", trace.made.size()}}}};
    if (!ends.empty()) {
        out["blocked"] = ends;
        text += ends + "\n";
    } else {
        text += fmt::format("{}: cycle {:.3f} s, {:.0f} parts per hour, {} cycle{} {:.3f} s\n", cell->name, each,
                            partsPerHour(trace), done, done == 1 ? " takes" : "s take", trace.duration);
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
