#include "cli/commands.h"
#include "cli/support.h"
#include "core/collide/sweep.h"
#include "core/files/cell_file.h"
#include "core/spatial/text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <iostream>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

Json pointJson(const Vec3& p) { return Json::array({p[0], p[1], p[2]}); }

Json nearestJson(const Nearest& n)
{
    return {{"touching", n.touching()},
            {"distance", n.distance},
            {"points", Json::array({pointJson(n.onA), pointJson(n.onB)})}};
}

/// Bodies that a name means: a tool with its jaws is several; with and without the arm's name in front.
Result<std::vector<size_t>> bodiesNamed(const ContactScene& scene, const std::string& name)
{
    const Cell& cell = scene.cell();
    const std::string wanted = lowered(name);
    std::vector<size_t> out;
    for (size_t i = 0; i < scene.bodies().size(); ++i) {
        const SceneBody& body = scene.bodies()[i];
        std::string own = lowered(scene.bodies().name(i));
        if (body.kind == SceneBody::Kind::Link) {
            const std::string link = body.number == 0 ? "base" : fmt::format("link {}", body.number);
            if (wanted == lowered(findArm(cell, body.arm)->name) + " " + link) own = wanted;
            if (cell.arms.size() == 1 && wanted == link) own = wanted;
        }
        if (own == wanted) out.push_back(i);
    }
    if (out.empty())
        return Error{"cli.body", fmt::format("there is no body called \"{}\"", shownText(name)), "",
                     "Name a frame with shapes, a part, a tool, or \"ARM link N\"."};
    return out;
}

}  // namespace

int clearanceOfCell(const std::string& file, const std::string& a, const std::string& b, double at)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    RunOptions run;
    if (!a.empty()) run.until = at;
    const Trace trace = simulate(*cell, run);
    const ContactScene scene(*cell, trace);
    if (a.empty()) {
        Json pairs = Json::array();
        for (const SmallestClearance& own : smallestClearances(scene)) {
            Json item{{"a", scene.bodies().name(own.a)},
                      {"b", scene.bodies().name(own.b)},
                      {"time", own.time}};
            item.update(nearestJson(own.nearest));
            pairs.push_back(std::move(item));
        }
        std::cout << Json{{"pairs", pairs}}.dump() << '\n';
        return 0;
    }
    const Result<std::vector<size_t>> first = bodiesNamed(scene, a), second = bodiesNamed(scene, b);
    if (!first) return refused(first.error());
    if (!second) return refused(second.error());
    Nearest best;
    for (const size_t i : *first)
        for (const size_t k : *second) {
            const std::optional<Pose> x = scene.place(i, at), y = scene.place(k, at);
            if (!x || !y || i == k) continue;
            const Nearest own = scene.bodies()[i].shape->nearest(*x, *scene.bodies()[k].shape, *y);
            if (own.distance < best.distance) best = own;
        }
    if (!std::isfinite(best.distance))
        return refused({"cli.body", fmt::format("\"{}\" and \"{}\" are not both there at {:.3f} s", a, b, at), "",
                        "Name another time, or two bodies."});
    std::cout << nearestJson(best).dump() << '\n';
    return 0;
}

}  // namespace topikos::cli
