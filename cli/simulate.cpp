#include "cli/commands.h"
#include "cli/support.h"
#include "core/check/check.h"
#include "core/exchange/cell_file.h"
#include "core/exchange/trace_csv.h"
#include "core/program/step_text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <climits>
#include <cmath>
#include <iostream>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

/// The sentence about what ends a run early; empty when nothing does.
std::string whatEnds(const Cell& cell, const Trace& trace)
{
    for (const ArmTrace& arm : trace.arms)
        if (arm.blockedAt)
            for (const Finding& f : stepFindings(cell, *findRoutine(cell, arm.routine), arm.outcomes[*arm.blockedAt]))
                if (f.severity == Severity::Blocked) return findingText(cell, f).line();
    if (!trace.stuck) return "";
    Finding f;
    f.rule = Rule::Signal;
    f.severity = Severity::Blocked;
    f.fact = SignalFact{{}, 0, *trace.stuck};
    return findingText(cell, f).line();
}

/// How many passes every arm has been through.
int passesDone(const Cell& cell, const Trace& trace)
{
    int least = INT_MAX;
    for (const ArmTrace& arm : trace.arms) {
        const size_t steps = findRoutine(cell, arm.routine)->steps.size();
        if (steps == 0) continue;
        int done = int(arm.outcomes.size() / steps);
        const bool underWay = !arm.spans.empty() && arm.spans.back().end > trace.duration + 1e-9;
        if (arm.blockedAt) done = arm.outcomes[*arm.blockedAt].pass;
        else if (done > 0 && arm.outcomes.size() % steps == 0 && (underWay || trace.stuck)) --done;
        least = std::min(least, done);
    }
    return least == INT_MAX ? 0 : std::max(0, least);
}

}  // namespace

int simulateCell(const std::string& file, bool json, int cycles, double until, const std::string& traceFile,
                 double every)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    RunOptions options;
    // Up to a time without a number of cycles: as often as it takes.
    options.cycles = cycles > 0 ? cycles : std::isfinite(until) ? INT_MAX : 1;
    options.until = until;
    const Trace trace = simulate(*cell, options);
    Json steps = Json::array();
    std::string text = fmt::format("{:>4}  {:>8}  {:>8}  step\n", "", "start s", "takes s");
    for (const ArmTrace& arm : trace.arms) {
        const Routine& routine = *findRoutine(*cell, arm.routine);
        if (trace.arms.size() > 1) text += findArm(*cell, arm.arm)->name + "\n";
        for (const ArmTrace::Span& span : arm.spans) {
            const StepOutcome& outcome = arm.outcomes[span.outcome];
            Json step{{"routine", routine.name},
                      {"step", outcome.index + 1},
                      {"start", span.start},
                      {"duration", span.end - span.start}};
            if (options.cycles > 1) step["cycle"] = outcome.pass + 1;
            steps.push_back(std::move(step));
            text += fmt::format("{:>4}  {:>8.3f}  {:>8.3f}  {}\n", outcome.index + 1, span.start, span.end - span.start,
                                stepText(*cell, routine.steps[outcome.index]));
        }
    }
    const auto count = [&](auto which) {
        return std::count_if(trace.partEvents.begin(), trace.partEvents.end(), which);
    };
    const auto gripped = count([](const PartEvent& e) { return e.kind == PartEvent::Kind::Carried; });
    const auto released = count([](const PartEvent& e) { return e.arm && e.kind == PartEvent::Kind::Lies; });
    const int done = passesDone(*cell, trace);
    const std::string ends = whatEnds(*cell, trace);
    const double each = done > 0 ? trace.duration / done : 0;
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
    if (!traceFile.empty())
        if (const Status bad = saveTraceCsv(traceFile, *cell, trace, every)) return refused(*bad);
    if (json) std::cout << out.dump() << '\n';
    else std::cout << text;
    return ends.empty() ? 0 : 1;
}

}  // namespace topikos::cli
