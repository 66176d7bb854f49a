#include "cli/commands.h"
#include "core/check/check.h"
#include "core/exchange/arm_file.h"
#include "core/exchange/cell_file.h"
#include "core/program/step_text.h"
#include "core/exchange/trace_csv.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <climits>
#include <cmath>
#include <cstdio>
#include <iostream>
#include <map>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

int refused(const Error& error)
{
    std::fprintf(stderr, "topikos-cli: %s\n", error.line().c_str());
    return 2;
}

std::string escaped(const std::string& text)
{
    std::string out;
    for (const char c : text) {
        if (c == '<') out += "&lt;";
        else if (c == '>') out += "&gt;";
        else if (c == '&') out += "&amp;";
        else if (c == '"') out += "&quot;";
        else out += c;
    }
    return out;
}

/// One test case per step and target; blocked ones fail.
std::string junitText(const Cell& cell, const CheckResult& result)
{
    std::string cases;
    size_t count = 0, failures = 0;
    std::map<StepId, std::string> ofSteps;
    for (const Finding* f : withFollowUps(result.findings))
        if (f->step && f->severity == Severity::Blocked) {
            const FindingText text = findingText(cell, *f);
            ofSteps[f->step] +=
                fmt::format("<failure message=\"{}\">{}</failure>", escaped(text.headline), escaped(text.detail));
        }
    const auto add = [&](const std::string& group, const std::string& name, const std::string& failure) {
        ++count;
        failures += failure.empty() ? 0 : 1;
        cases += fmt::format("  <testcase classname=\"{}\" name=\"{}\">{}</testcase>\n", escaped(group), escaped(name),
                             failure);
    };
    const auto addSteps = [&](const Trace& trace) {
        for (const ArmTrace& arm : trace.arms) {
            const Routine& routine = *findRoutine(cell, arm.routine);
            for (const StepOutcome& outcome : arm.outcomes)
                add(routine.name,
                    fmt::format("step {}: {}", outcome.index + 1, stepText(cell, routine.steps[outcome.index])),
                    ofSteps[outcome.step]);
        }
    };
    addSteps(result.trace);
    for (const Trace& trace : result.alone)
        addSteps(trace);
    for (const TargetVerdict& verdict : result.targets) {
        std::string failure;
        for (const Finding& f : verdict.findings)
            if (f.severity == Severity::Blocked)
                failure += fmt::format("<failure message=\"{}\"/>", escaped(findingText(cell, f).detail));
        add("targets", findTarget(cell, verdict.target)->name, failure);
    }
    return fmt::format("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuite name=\"{}\" tests=\"{}\" "
                       "failures=\"{}\">\n{}</testsuite>\n",
                       escaped(cell.name), count, failures, cases);
}

Json findingJson(const Cell& cell, const Finding& f)
{
    const Measure measure = measureOf(cell, f);
    Json out{{"rule", ruleName(f.rule)},
             {"severity", severityName(f.severity)},
             {"routine", f.step ? Json(findRoutine(cell, f.routine)->name) : Json()},
             {"step", f.step ? Json(f.stepIndex + 1) : Json()},
             {"message", findingText(cell, f).line()},
             {"measured", measure.measured},
             {"limit", measure.limit},
             {"unit", unitName(measure.unit)}};
    for (const Finding& follows : f.followUps)
        out["follow_ups"].push_back(findingJson(cell, follows));
    return out;
}

}  // namespace

int checkCell(const std::string& file, bool json, const std::string& junit)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    const CheckResult result = check(*cell);
    if (!junit.empty())
        if (const Status bad = saveFile(junit, junitText(*cell, result))) return refused(*bad);
    const int blocked = result.count(Severity::Blocked), cautions = result.count(Severity::Caution),
              advice = result.count(Severity::Advice);
    if (json) {
        Json list = Json::array();
        for (const Finding& f : result.findings)
            list.push_back(findingJson(*cell, f));
        std::cout << Json{{"cell", cell->name}, {"looked_at", lookedAt(result)},
                          {"blocked", blocked}, {"cautions", cautions},
                          {"advice", advice},   {"findings", list}}
                         .dump()
                  << '\n';
        return blocked ? 1 : 0;
    }
    const auto print = [&](const Finding& f, const char* indent) {
        std::cout << fmt::format("{}{:<8} {}\n", indent, severityName(f.severity), findingText(*cell, f).line());
    };
    for (const Finding& f : result.findings) {
        print(f, "");
        for (const Finding& follows : f.followUps)
            print(follows, "  ");
    }
    std::cout << fmt::format("{}: {} blocked, {} caution, {} advice\nLooked at: {}\n", cell->name, blocked, cautions,
                             advice, lookedAt(result));
    return blocked ? 1 : 0;
}

namespace {

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

int simulateCell(const std::string& file, bool json, int cycles, double until, const std::string& traceFile)
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
        if (const Status bad = saveFile(traceFile, traceCsv(*cell, trace))) return refused(*bad);
    if (json) std::cout << out.dump() << '\n';
    else std::cout << text;
    return ends.empty() ? 0 : 1;
}

int exportCell(const std::string& file, const std::string& out)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    Exported written;
    if (out.ends_with(".csv")) {
        const Trace trace = simulate(*cell);
        written.text = traceCsv(*cell, trace);
        if (trace.blocked()) written.lost.push_back("The routine is blocked; the table ends there.");
    } else {
        const ArmStation& station = cell->arms.front();
        std::vector<std::pair<std::string, JointVector>> postures;
        for (const Target& target : cell->targets)
            if (target.kind == Target::Kind::Posture && target.arm == station.id)
                postures.push_back({target.name, target.posture});
        std::vector<LinksApart> apart;
        for (const ContactPair& p : cell->contact.pairs)
            if (!p.checked && p.a.kind == ContactMember::Kind::Link && p.b.kind == ContactMember::Kind::Link
                && p.a.arm == station.id && p.b.arm == station.id)
                apart.push_back({int(p.a.id), int(p.b.id),
                                 p.reason == ContactPair::Reason::Always  ? "Always"
                                 : p.reason == ContactPair::Reason::Never ? "Never"
                                                                          : "User"});
        Result<Exported> arm = out.ends_with(".srdf")
                                   ? Result<Exported>(Exported{writeSrdf(*station.model, postures, apart), {}, {}})
                                   : exportArm(*station.model, postures, out);
        if (!arm) {
            Error error = arm.error();
            if (error.code == "export.ending") error.remedy = "End it in .csv, .urdf, .srdf or .topikos-arm.";
            return refused(error);
        }
        written = std::move(arm).value();
    }
    if (const Status bad = saveExported(out, written)) return refused(*bad);
    for (const std::string& lost : written.lost)
        std::fprintf(stderr, "topikos-cli: %s\n", lost.c_str());
    return 0;
}

int formatCell(const std::string& file)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    if (const Status bad = saveCell(file, *cell)) return refused(*bad);
    return 0;
}

}  // namespace topikos::cli
