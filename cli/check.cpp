#include "core/check/check.h"

#include "cli/commands.h"
#include "cli/finding_json.h"
#include "cli/junit.h"
#include "cli/support.h"
#include "core/check/live_checker.h"
#include "core/files/cell_file.h"
#include "core/mend/remedy.h"
#include "core/spatial/text.h"
#include "core/spatial/units.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <atomic>
#include <future>
#include <iostream>
#include <thread>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

/// What one cell came to.
struct Outcome {
    int blocked = 0, cautions = 0, advice = 0;
    Json json;
    std::string junit;
};

Json remedyJson(const Remedy& r)
{
    return {{"text", r.text},
            {"change", r.change},
            {"blocked", r.blocked},
            {"cautions", r.cautions},
            {"cycle_time", r.runs ? Json(r.cycleTime) : Json()}};
}

std::string remedyLine(size_t number, const Remedy& r)
{
    return fmt::format("  remedy {}: {} ({} blocked, {} caution, {})\n", number, r.text, r.blocked, r.cautions,
                       r.runs ? fmt::format("cycle {:.2f} s", r.cycleTime) : std::string("the run still ends early"));
}

/// Changes that are tried for each finding, so that all of a cell are told in seconds.
int triedFor(const CheckResult& result)
{
    constexpr size_t all = 1500, least = 75;
    const size_t findings = std::max<size_t>(1, result.findings.size());
    return int(std::max(least, all / findings));
}

/// Remedies of all findings, worked out one beside the other while the first ones are told.
class Trying {
public:
    Trying(const Cell& cell, const CheckResult& result, PlanCache& plans, ContactCache& touched, bool wanted) :
        m_found(wanted ? result.findings.size() : 0)
    {
        for (int n = 0; n < kCheckWorkers && wanted; ++n)
            m_threads.emplace_back([&](const std::stop_token& stop) {
                for (size_t i; (i = m_next++) < m_found.size() && !stop.stop_requested();) {
                    RemedyOptions how;
                    how.plans = &plans;
                    how.touched = &touched;
                    how.mostTried = triedFor(result);
                    how.stop = stop;
                    try {
                        m_found[i].set_value(remediesFor(cell, result, result.findings[i], how));
                    } catch (...) {
                        m_found[i].set_exception(std::current_exception());
                    }
                }
            });
    }
    /// Once for each; waits for it.
    Remedies of(size_t finding) { return m_found[finding].get_future().get(); }

private:
    std::vector<std::promise<Remedies>> m_found;
    std::atomic<size_t> m_next{0};
    std::vector<std::jthread> m_threads;  ///< the last: they end first
};

class Checker {
public:
    explicit Checker(const CheckCliOptions& how) : m_how(how)
    {
        m_options.plans = &m_plans;
        m_options.touched = &m_touched;
        m_options.workers = kCheckWorkers;
    }
    Outcome of(const Cell& cell)
    {
        const CheckResult result = check(cell, m_options);
        Outcome out{
            result.count(Severity::Blocked), result.count(Severity::Caution), result.count(Severity::Advice), {}, {}};
        if (!m_how.junit.empty()) out.junit = junitText(cell, result);
        Json list = Json::array(), accepted = Json::array();
        Trying trying(cell, result, m_plans, m_touched, m_how.remedies);
        for (size_t i = 0; i < result.findings.size(); ++i) {
            const Finding& f = result.findings[i];
            list.push_back(findingJson(cell, f));
            if (!m_how.json) {
                print(cell, f, m_how.remedies ? fmt::format("{:>3} ", i + 1) : "");
                for (const Finding& follows : f.followUps)
                    print(cell, follows, m_how.remedies ? "      " : "  ");
            }
            if (!m_how.remedies || isAdvice(f.rule)) continue;
            const Remedies found = trying.of(i);
            list.back()["remedies"] = Json::array();
            for (size_t k = 0; k < found.offers.size(); ++k) {
                list.back()["remedies"].push_back(remedyJson(found.offers[k]));
                if (!m_how.json) std::cout << remedyLine(k + 1, found.offers[k]);
            }
            if (found.nearest) {
                const Vec3& by = found.nearest->by;
                list.back()["nearest"] = {
                    {"shift", found.nearest->shift}, {"turn", found.nearest->turn}, {"by", {by[0], by[1], by[2]}}};
                const std::string where = nearestText(cell, *found.nearest);
                if (!m_how.json && !where.empty())
                    std::cout << fmt::format("  nearest place that can be reached: {}\n", where);
            }
            if (!m_how.json && found.offers.empty()) std::cout << "  no remedy was found\n";
        }
        for (const Finding& f : result.accepted) {
            accepted.push_back(findingJson(cell, f));
            accepted.back()["reason"] = f.accepted;
            if (!m_how.json)
                std::cout << fmt::format("stands   {} ({})\n", findingText(cell, f).line(), shownText(f.accepted));
        }
        out.json = {{"cell", cell.name},        {"looked_at", lookedAt(result)}, {"blocked", out.blocked},
                    {"cautions", out.cautions}, {"advice", out.advice},          {"findings", list},
                    {"accepted", accepted}};
        if (!m_how.json)
            std::cout << fmt::format("{}: {} blocked, {} caution, {} advice\nLooked at: {}\n", cell.name, out.blocked,
                                     out.cautions, out.advice, lookedAt(result));
        return out;
    }

private:
    static void print(const Cell& cell, const Finding& f, const std::string& indent)
    {
        std::cout << fmt::format("{}{:<8} {}\n", indent, severityName(f.severity), findingText(cell, f).line());
    }

    const CheckCliOptions& m_how;
    PlanCache m_plans;
    ContactCache m_touched;
    CheckOptions m_options;
};

}  // namespace

int checkCells(const std::vector<std::string>& files, const CheckCliOptions& options)
{
    Checker checker(options);
    Json cells = Json::array();
    std::string suites;
    Outcome total;
    int bad = 0;
    const bool several = files.size() > 1;
    for (const std::string& file : files) {
        const Result<Cell> cell = openCell(file);
        if (!cell) {
            bad = refused(cell.error());
            if (several) cells.push_back({{"file", file}, {"error", cell.error().message}});
            continue;
        }
        Outcome own = checker.of(*cell);
        total.blocked += own.blocked;
        total.cautions += own.cautions;
        total.advice += own.advice;
        suites += own.junit;
        if (several) own.json["file"] = file;
        cells.push_back(std::move(own.json));
    }
    if (!options.junit.empty() && (several || !bad)) {
        const std::string head = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n";
        const std::string text = several ? head + "<testsuites>\n" + suites + "</testsuites>\n" : head + suites;
        if (const Status failed = saveFile(options.junit, text)) return refused(*failed);
    }
    if (!several && bad) return bad;
    if (options.json && several)
        std::cout << Json{{"cells", cells},
                          {"blocked", total.blocked},
                          {"cautions", total.cautions},
                          {"advice", total.advice}}
                         .dump()
                  << '\n';
    else if (options.json) std::cout << cells.front().dump() << '\n';
    else if (several)
        std::cout << fmt::format("{} cells: {} blocked, {} caution, {} advice\n", files.size(), total.blocked,
                                 total.cautions, total.advice);
    return bad ? bad : total.blocked ? 1 : 0;
}

int mendCell(const std::string& file, int finding, int remedy, const std::string& out)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    PlanCache plans;
    ContactCache touched;
    CheckOptions how;
    how.plans = &plans;
    how.touched = &touched;
    how.workers = kCheckWorkers;
    const CheckResult result = check(*cell, how);
    if (size_t(finding) > result.findings.size())
        return refused({"cli.finding",
                        fmt::format("there are {} findings, no number {}", result.findings.size(), finding), file,
                        "topikos-cli check --remedies shows their numbers."});
    RemedyOptions options;
    options.plans = &plans;
    options.touched = &touched;
    options.workers = kCheckWorkers;
    options.mostTried = triedFor(result);
    const Finding& own = result.findings[size_t(finding) - 1];
    const Remedies found = remediesFor(*cell, result, own, options);
    if (size_t(remedy) > found.offers.size())
        return refused({"cli.remedy",
                        fmt::format("finding {} has {} remedies, no number {}", finding, found.offers.size(), remedy),
                        file, "topikos-cli check --remedies shows them."});
    const Remedy& chosen = found.offers[size_t(remedy) - 1];
    const Result<Cell> mended = patched(*cell, chosen.patch);
    if (!mended) return refused(mended.error());
    if (const Status failed = saveCell(out, *mended)) return refused(*failed);
    std::cout << fmt::format("{}: {}\n{} blocked, {} caution\n", findingText(*cell, own).headline, chosen.text,
                             chosen.blocked, chosen.cautions);
    return chosen.blocked ? 1 : 0;
}

}  // namespace topikos::cli
