#include "core/files/migrations.h"
#include "core/spatial/text.h"

#include <algorithm>
#include <set>

namespace topikos {

void migrate1to2(Json& cell)
{
    const auto parts = cell.find("parts");
    const auto nextId = cell.find("next-id");
    if (parts == cell.end() || !parts->is_array() || nextId == cell.end() || !nextId->is_number_unsigned()) return;
    Json kinds = cell.contains("part-kinds") && cell["part-kinds"].is_array() ? cell["part-kinds"] : Json::array();
    std::set<std::string> taken;
    for (const Json& kind : kinds)
        if (kind.is_object() && kind.contains("name") && kind["name"].is_string())
            taken.insert(lowered(kind["name"].get<std::string>()));
    std::uint64_t id = nextId->get<std::uint64_t>();
    // Names could begin and end with spaces then.
    for (Json& part : *parts)
        if (part.is_object() && part.contains("name") && part["name"].is_string()) {
            const std::string name = part["name"].get<std::string>();
            const size_t first = name.find_first_not_of(' ');
            if (first != std::string::npos) part["name"] = name.substr(first, name.find_last_not_of(' ') - first + 1);
        }
    for (Json& part : *parts) {
        if (!part.is_object() || part.contains("kind") || !part.contains("name") || !part["name"].is_string()) continue;
        const Json solids = part.contains("solids") ? part["solids"] : Json::array();
        part.erase("solids");
        const auto same = std::find_if(kinds.begin(), kinds.end(), [&](const Json& k) {
            return k.is_object() && k.contains("solids") && k["solids"] == solids;
        });
        if (same != kinds.end()) {
            part["kind"] = (*same)["id"];
            continue;
        }
        // Named after the part, without its number.
        const std::string whole = part["name"].get<std::string>();
        std::string stem = whole.substr(0, whole.find_last_not_of("0123456789 ") + 1);
        if (stem.empty()) stem = whole;
        std::string name = stem;
        for (int i = 2; !taken.insert(lowered(name)).second; ++i)
            name = stem + " " + std::to_string(i);
        kinds.push_back(Json{{"id", id}, {"name", name}, {"mass", 0}, {"solids", solids}});
        part["kind"] = id++;
    }
    cell["next-id"] = id;
    if (!kinds.empty()) cell["part-kinds"] = kinds;
}

}  // namespace topikos
