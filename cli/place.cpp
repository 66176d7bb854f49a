#include "core/mend/place_search.h"

#include "cli/commands.h"
#include "cli/support.h"
#include "core/check/live_checker.h"
#include "core/files/cell_file.h"
#include "core/spatial/text.h"
#include "core/spatial/units.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <iostream>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

Json placeJson(const TriedPlace& p)
{
    return {{"offset", p.offset},
            {"unreached", p.unreached},
            {"blocked", p.blocked},
            {"margin", p.margin},
            {"cycle_time", std::isnan(p.cycle) ? Json() : Json(p.cycle)},
            {"reason", p.reason.empty() ? Json() : Json(p.reason)}};
}

std::string placeLine(const TriedPlace& p)
{
    const std::string offset =
        fmt::format("x {:+7.1f}  y {:+7.1f}  z {:+7.1f} mm  turn {:+6.1f}°", millimetres(p.offset[0]),
                    millimetres(p.offset[1]), millimetres(p.offset[2]), degrees(p.offset[3]));
    if (!p.works()) return fmt::format("{}  {} out of reach, {} blocked: {}", offset, p.unreached, p.blocked, p.reason);
    return fmt::format("{}  margin {:.0f} %{}", offset, 100 * p.margin,
                       std::isnan(p.cycle) ? "" : fmt::format(", cycle {:.2f} s", p.cycle));
}

}  // namespace

int placeInCell(const std::string& file, const PlaceOptions& options)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    PlaceQuery query;
    for (const Frame& frame : cell->frames)
        if (lowered(frame.name) == lowered(options.frame)) query.frame = frame.id;
    if (!query.frame)
        return refused({"cli.frame", fmt::format("there is no frame called \"{}\"", shownText(options.frame)), file,
                        "Name the frame that an arm stands on, or a fixture."});
    if (options.box.size() % 2 != 0)
        return refused({"cli.box", "a box has a least and a most along each axis", "--box",
                        "Give two numbers for x, y, z and the turn, as many as are searched."});
    for (size_t i = 0; i < options.box.size() / 2; ++i) {
        query.lowest[i] = options.box[2 * i];
        query.highest[i] = options.box[2 * i + 1];
        const double most = i < 3 ? 100 : 2 * std::numbers::pi;
        if (!(query.lowest[i] <= query.highest[i]) || std::abs(query.lowest[i]) > most
            || std::abs(query.highest[i]) > most)
            return refused({"cli.box", "the least has to be below the most, within 100 m and a full turn", "--box",
                            "Give the least first."});
    }
    for (const std::string& name : options.routines) {
        const auto known = std::find_if(cell->routines.begin(), cell->routines.end(),
                                        [&](const Routine& r) { return lowered(r.name) == lowered(name); });
        if (known == cell->routines.end())
            return refused({"cli.routine", fmt::format("there is no routine called \"{}\"", shownText(name)), file,
                            "Name one of the cell's."});
        query.routines.push_back((*known).id);
    }
    query.goal = options.byCycle ? PlaceQuery::Goal::Cycle : PlaceQuery::Goal::Margin;
    query.seed = std::uint32_t(options.seed);
    query.workers = kCheckWorkers;
    const PlaceSearch found = *searchPlace(*cell, query);
    if (!options.map.empty()) {
        std::string table = "x [m],y [m],unreached,blocked,margin,reason\n";
        for (const TriedPlace& p : found.map) {
            std::string reason = p.reason;
            for (char& c : reason)
                if (c == '"') c = '\'';
            table += fmt::format("{:.6g},{:.6g},{},{},{:.6g},\"{}\"\n", p.offset[0], p.offset[1], p.unreached,
                                 p.blocked, p.margin, reason);
        }
        if (const Status failed = saveFile(options.map, table)) return refused(*failed);
    }
    if (!options.out.empty() && !found.best.empty()) {
        const Result<Cell> placed = placedAt(*cell, query.frame, found.best.front().offset);
        if (!placed) return refused(placed.error());
        if (const Status failed = saveCell(options.out, *placed)) return refused(*failed);
    }
    if (options.json) {
        Json best = Json::array();
        for (const TriedPlace& p : found.best)
            best.push_back(placeJson(p));
        std::cout << Json{{"tried", found.tried},
                          {"now", placeJson(found.now)},
                          {"better", found.better},
                          {"best", best}}
                         .dump()
                  << '\n';
    } else {
        std::cout << fmt::format("{} places tried\nnow     {}\n", found.tried, placeLine(found.now));
        for (size_t i = 0; i < found.best.size(); ++i)
            std::cout << fmt::format("best {}  {}\n", i + 1, placeLine(found.best[i]));
        if (!found.better) std::cout << "Nothing is better than where it stands.\n";
    }
    return !found.best.empty() && found.best.front().works() ? 0 : 1;
}

}  // namespace topikos::cli
