#include "cli/commands.h"
#include "core/check/check.h"
#include "core/exchange/arm_file.h"
#include "core/exchange/cell_file.h"
#include "core/exchange/step_text.h"
#include "core/exchange/trace_csv.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cstdio>
#include <iostream>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

int refused(const Error& error)
{
    std::fprintf(stderr, "topikos-cli: %s\n", error.line().c_str());
    return 2;
}

const char* unitName(Unit unit) { return unit == Unit::Metre ? "m" : unit == Unit::Radian ? "rad" : ""; }

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
std::string junitText(const Cell& cell, const std::vector<CheckResult>& results)
{
    std::string cases;
    size_t count = 0, failures = 0;
    for (const CheckResult& result : results)
        for (const ArmTrace& arm : result.trace.arms)
            for (const StepOutcome& outcome : arm.outcomes) {
                const Routine* routine = findRoutine(cell, arm.routine);
                std::string failure;
                for (const Finding& f : result.findings)
                    if (f.step == outcome.step && f.severity == Severity::Blocked) {
                        const FindingText text = findingText(cell, f);
                        failure += fmt::format("<failure message=\"{}\">{}</failure>", escaped(text.headline),
                                               escaped(text.detail));
                    }
                ++count;
                failures += failure.empty() ? 0 : 1;
                cases += fmt::format("  <testcase classname=\"{}\" name=\"step {}: {}\">{}</testcase>\n",
                                     escaped(routine->name), outcome.index + 1,
                                     escaped(stepText(cell, routine->steps[outcome.index])), failure);
            }
    for (const TargetVerdict& verdict : results.front().targets) {
        std::string failure;
        for (const Finding& f : verdict.findings)
            if (f.severity == Severity::Blocked)
                failure += fmt::format("<failure message=\"{}\"/>", escaped(findingText(cell, f).detail));
        ++count;
        failures += failure.empty() ? 0 : 1;
        cases += fmt::format("  <testcase classname=\"targets\" name=\"{}\">{}</testcase>\n",
                             escaped(findTarget(cell, verdict.target)->name), failure);
    }
    return fmt::format("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuite name=\"{}\" tests=\"{}\" "
                       "failures=\"{}\">\n{}</testsuite>\n",
                       escaped(cell.name), count, failures, cases);
}

}  // namespace

int checkCell(const std::string& file, bool json, const std::string& junit)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    // The routines that the arms run go together, the others one by one.
    std::vector<CheckResult> results{check(*cell)};
    for (const Routine& routine : cell->routines)
        if (&routineOf(*cell, armOf(*cell, routine)) != &routine) results.push_back(check(*cell, routine));

    Json list = Json::array();
    int blocked = 0, cautions = 0;
    std::string text;
    for (size_t r = 0; r < results.size(); ++r)
        for (const Finding& f : results[r].findings) {
            if (r > 0 && f.target && !f.step) continue;  // findings about targets are the same for every routine
            (f.severity == Severity::Blocked ? blocked : cautions) += 1;
            const FindingText words = findingText(*cell, f);
            list.push_back({{"rule", ruleName(f.rule)},
                            {"severity", severityName(f.severity)},
                            {"routine", f.step ? Json(findRoutine(*cell, f.routine)->name) : Json()},
                            {"step", f.step ? Json(f.stepIndex + 1) : Json()},
                            {"message", words.headline + ". " + words.detail},
                            {"measured", f.measured},
                            {"limit", f.limit},
                            {"unit", unitName(f.unit)}});
            text += fmt::format("{:<8} {}. {}\n", severityName(f.severity), words.headline, words.detail);
        }
    if (!junit.empty())
        if (const Status bad = saveFile(junit, junitText(*cell, results))) return refused(*bad);
    if (json)
        std::cout << Json{{"cell", cell->name}, {"blocked", blocked}, {"cautions", cautions}, {"findings", list}}.dump()
                  << '\n';
    else std::cout << text << fmt::format("{}: {} blocked, {} caution\n", cell->name, blocked, cautions);
    return blocked ? 1 : 0;
}

int simulateCell(const std::string& file, bool json, int cycles, const std::string& traceFile)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    const CheckResult result = check(*cell);
    const Trace& trace = result.trace;
    Json steps = Json::array();
    std::string text = fmt::format("{:>4}  {:>8}  {:>8}  step\n", "", "start s", "takes s");
    for (const ArmTrace& arm : trace.arms) {
        const Routine& routine = *findRoutine(*cell, arm.routine);
        if (trace.arms.size() > 1) text += findArm(*cell, arm.arm)->name + "\n";
        for (const ArmTrace::Span& span : arm.spans) {
            const StepOutcome& outcome = arm.outcomes[span.outcome];
            steps.push_back({{"routine", routine.name},
                             {"step", outcome.index + 1},
                             {"start", span.start},
                             {"duration", span.end - span.start}});
            text += fmt::format("{:>4}  {:>8.3f}  {:>8.3f}  {}\n", outcome.index + 1, span.start, span.end - span.start,
                                stepText(*cell, routine.steps[outcome.index]));
        }
    }
    const auto count = [&](auto which) {
        return std::count_if(trace.partEvents.begin(), trace.partEvents.end(), which);
    };
    const auto gripped = count([](const PartEvent& e) { return e.kind == PartEvent::Kind::Carried; });
    const auto released = count([](const PartEvent& e) { return e.arm && e.kind == PartEvent::Kind::Lies; });
    const bool blocked = trace.blocked();
    const int done = blocked ? 0 : cycles;
    Json out{
        {"cycle_time", blocked ? Json() : Json(trace.duration)},
        {"parts_per_hour", partsPerHour(trace)},
        {"steps", steps},
        {"counters",
         {{"cycles", done}, {"gripped", gripped * std::max(1, done)}, {"released", released * std::max(1, done)}}}};
    if (blocked) {
        for (const Finding& f : result.findings)
            if (f.severity == Severity::Blocked
                && std::any_of(trace.arms.begin(), trace.arms.end(), [&](const ArmTrace& a) {
                       return a.blockedAt && a.outcomes[*a.blockedAt].step == f.step;
                   })) {
                const FindingText words = findingText(*cell, f);
                out["blocked"] = words.headline + ". " + words.detail;
                text += words.headline + ". " + words.detail + "\n";
                break;
            }
    } else {
        text +=
            fmt::format("{}: cycle {:.3f} s, {:.0f} parts per hour, {} cycle{} {:.3f} s\n", cell->name, trace.duration,
                        partsPerHour(trace), cycles, cycles == 1 ? " takes" : "s take", cycles * trace.duration);
    }
    if (!traceFile.empty())
        if (const Status bad = saveFile(traceFile, traceCsv(*cell, trace))) return refused(*bad);
    if (json) std::cout << out.dump() << '\n';
    else std::cout << text;
    return blocked ? 1 : 0;
}

int exportCell(const std::string& file, const std::string& out)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    Exported written;
    if (out.ends_with(".csv")) {
        const CheckResult result = check(*cell);
        written.text = traceCsv(*cell, result.trace);
        if (result.trace.blocked()) written.lost.push_back("The routine is blocked; the table ends there.");
    } else {
        std::vector<std::pair<std::string, JointVector>> postures;
        for (const Target& target : cell->targets)
            if (target.kind == Target::Kind::Posture && target.arm == cell->inHand)
                postures.push_back({target.name, target.posture});
        std::vector<LinksApart> apart;
        for (const ContactPair& p : cell->contact.pairs)
            if (!p.checked && p.a.kind == ContactMember::Kind::Link && p.b.kind == ContactMember::Kind::Link
                && p.a.arm == cell->inHand && p.b.arm == cell->inHand)
                apart.push_back({int(p.a.id), int(p.b.id),
                                 p.reason == ContactPair::Reason::Always  ? "Always"
                                 : p.reason == ContactPair::Reason::Never ? "Never"
                                                                          : "User"});
        Result<Exported> arm =
            out.ends_with(".srdf")
                ? Result<Exported>(Exported{writeSrdf(*armInHand(*cell).model, postures, apart), {}, {}})
                : exportArm(*armInHand(*cell).model, postures, out);
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
