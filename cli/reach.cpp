#include "core/reach/reach_map.h"

#include "cli/commands.h"
#include "cli/support.h"
#include "core/files/cell_file.h"
#include "core/report/reach_csv.h"
#include "core/spatial/text.h"
#include "core/spatial/units.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <iostream>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

Json spotJson(const ReachSpot& spot)
{
    const Vec3& at = spot.frameFromTcp.translation;
    const Quat& q = spot.frameFromTcp.rotation;
    Json out{{"xyz", Json::array({at[0], at[1], at[2]})},
             {"quaternion", Json::array({q.w(), q.x(), q.y(), q.z()})},
             {"ways", spot.ways}};
    if (spot.reached()) {
        out["margin"] = spot.margin;
        out["singularity"] = singularityName(spot.kind);
        out["distance"] = spot.distance;
        return out;
    }
    out["reason"] = noSolutionName(spot.reason);
    out["shortfall"] = spot.shortfall;
    if (spot.range.joint >= 0) {
        out["joint"] = spot.range.joint + 1;
        out["excess"] = spot.range.excess;
    }
    return out;
}

/// A line for each row along y, the highest on top: how many tenths of the margin, or a point where nothing is reached.
void drawLayer(const ReachMap& map, int layer)
{
    const auto [columns, rows, layers] = map.counts;
    for (int y = rows - 1; y >= 0; --y) {
        for (int x = 0; x < columns; ++x) {
            const ReachSpot& spot = map.spots[size_t((layer * rows + y) * columns + x)];
            std::cout << (spot.reached() ? char('0' + std::clamp(int(10 * spot.margin), 0, 9)) : '.');
        }
        std::cout << '\n';
    }
}

}  // namespace

int reachOfCell(const std::string& file, const ReachOptions& options)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    ReachQuery query;
    query.arm = cell->arms.front().id;
    query.spacing = options.spacing;
    if (options.freeTurn) query.freedom.kind = Freedom::Kind::Turn;
    query.turnStep = options.turnStep * kDegree;
    if (options.cone > 0) query.freedom = {Freedom::Kind::Cone, options.cone * kDegree, 0, 0};
    const auto named = [](const auto& list, const std::string& name) {
        return std::find_if(list.begin(), list.end(), [&](const auto& x) { return lowered(x.name) == lowered(name); });
    };
    if (!options.arm.empty()) {
        const auto arm = named(cell->arms, options.arm);
        if (arm == cell->arms.end())
            return refused({"cli.arm", fmt::format("there is no arm called \"{}\"", shownText(options.arm)), file,
                            "Name one of the cell's."});
        query.arm = (*arm).id;
    }
    if (!options.frame.empty() && lowered(options.frame) != "world") {
        const auto frame = named(cell->frames, options.frame);
        if (frame == cell->frames.end())
            return refused({"cli.frame", fmt::format("there is no frame called \"{}\"", shownText(options.frame)), file,
                            "Name one of the cell's, or leave it out for the world."});
        query.frame = (*frame).id;
    }
    if (!options.target.empty()) {
        const auto target = named(cell->targets, options.target);
        if (target == cell->targets.end() || (*target).kind != Target::Kind::Pose)
            return refused({"cli.target",
                            fmt::format("there is no target called \"{}\" with a pose", shownText(options.target)),
                            file, "Name one that has."});
        query.frameFromTcp =
            (inverse(worldFromFrame(*cell, query.frame)) * (worldFromFrame(*cell, (*target).frame) * (*target).pose))
                .rotation;
    }
    if (options.surface) {
        query.over = ReachQuery::Over::Surface;
    } else {
        const bool plane = options.box.size() == 5;
        if (!plane && options.box.size() != 6)
            return refused({"cli.box", "a box has a least and a most along x, y and z, a plane along x and y and its z",
                            "--box", "Give X0 X1 Y0 Y1 Z, or X0 X1 Y0 Y1 Z0 Z1."});
        query.lowest = {options.box[0], options.box[2], options.box[4]};
        query.highest = {options.box[1], options.box[3], options.box[plane ? 4 : 5]};
    }
    const Result<ReachMap> map = reachMap(*cell, query);
    if (!map) return refused(map.error());
    if (!options.csv.empty())
        if (const Status failed = saveReachCsv(options.csv, *map)) return refused(*failed);
    if (options.json) {
        Json spots = Json::array();
        for (const ReachSpot& spot : map->spots)
            spots.push_back(spotJson(spot));
        std::cout << Json{{"counts", map->counts}, {"reached", map->reached()}, {"spots", spots}}.dump() << '\n';
        return 0;
    }
    for (int layer = 0; layer < map->counts[2]; ++layer) {
        std::cout << fmt::format(
            "z {:.1f} mm\n",
            millimetres(map->spots[size_t(layer * map->counts[0] * map->counts[1])].frameFromTcp.translation.z()));
        drawLayer(*map, layer);
    }
    std::cout << fmt::format("{} of {} spots reached\n", map->reached(), map->spots.size());
    return 0;
}

}  // namespace topikos::cli
