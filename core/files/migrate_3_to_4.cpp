#include "core/files/migrations.h"

namespace topikos {

namespace {

/// The list under a key, nullptr if there is none.
Json* listOf(Json& cell, const char* key)
{
    const auto list = cell.find(key);
    return list == cell.end() || !list->is_array() ? nullptr : &*list;
}

}  // namespace

void migrate3to4(Json& cell)
{
    cell.erase("in-hand");
    Json* arms = listOf(cell, "arms");
    Json* routines = listOf(cell, "routines");
    if (!arms || !routines) return;
    const auto nextId = cell.find("next-id");
    if (arms->size() == 1 && (*arms)[0].is_object() && nextId != cell.end() && nextId->is_number_unsigned()) {
        Json& arm = (*arms)[0];
        if (!arm.contains("id")) {
            const auto id = nextId->get<std::uint64_t>();
            arm["id"] = id;
            cell["next-id"] = id + 1;
        }
        const Json id = arm["id"];
        const auto give = [&id](Json& object) {
            if (object.is_object() && !object.contains("arm")) object["arm"] = id;
        };
        for (const char* key : {"targets", "routines"})
            if (Json* list = listOf(cell, key))
                for (Json& object : *list)
                    give(object);
        if (Json* patterns = listOf(cell, "patterns"))
            for (Json& pattern : *patterns)
                if (pattern.is_object() && pattern.value("content", Json()) == "targets") give(pattern);
        if (Json* pairs = listOf(cell, "contact-pairs"))
            for (Json& pair : *pairs)
                for (const char* side : {"a", "b"})
                    if (pair.is_object() && pair.contains(side) && pair[side].is_object()
                        && pair[side].value("kind", Json()) != "frame")
                        give(pair[side]);
    }
    for (Json& arm : *arms)
        for (const Json& routine : *routines)
            if (arm.is_object() && arm.contains("id") && !arm.contains("main") && routine.is_object()
                && routine.contains("arm") && routine.contains("id") && routine["arm"] == arm["id"])
                arm["main"] = routine["id"];
}

}  // namespace topikos
