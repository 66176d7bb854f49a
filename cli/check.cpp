#include "core/check/check.h"

#include "cli/commands.h"
#include "cli/junit.h"
#include "cli/support.h"
#include "core/exchange/cell_file.h"
#include "core/spatial/text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <iostream>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

Json findingJson(const Cell& cell, const Finding& f)
{
    const Measure measure = measureOf(cell, f);
    Json out{{"rule", ruleName(f.rule)},
             {"severity", severityName(f.severity)},
             {"routine", f.routine ? Json(findRoutine(cell, f.routine)->name) : Json()},
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
        Json accepted = Json::array();
        for (const Finding& f : result.accepted) {
            accepted.push_back(findingJson(*cell, f));
            accepted.back()["reason"] = f.accepted;
        }
        std::cout << Json{{"cell", cell->name},  {"looked_at", lookedAt(result)},
                          {"blocked", blocked},  {"cautions", cautions},
                          {"advice", advice},    {"findings", list},
                          {"accepted", accepted}}
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
    for (const Finding& f : result.accepted)
        std::cout << fmt::format("stands   {} ({})\n", findingText(*cell, f).line(), shownText(f.accepted));
    std::cout << fmt::format("{}: {} blocked, {} caution, {} advice\nLooked at: {}\n", cell->name, blocked, cautions,
                             advice, lookedAt(result));
    return blocked ? 1 : 0;
}

}  // namespace topikos::cli
