#include "tests/core/mutate.h"

#include <vector>

namespace topikos::test {

namespace {

using Json = nlohmann::json;

void collect(Json& value, std::vector<Json*>& places)
{
    places.push_back(&value);
    if (value.is_structured())
        for (Json& inner : value)
            collect(inner, places);
}

Json deep(int levels)
{
    Json value = 1;
    for (int i = 0; i < levels; ++i)
        value = Json::array({std::move(value)});
    return value;
}

void mutateNumber(Json& value, std::mt19937_64& random)
{
    const double extremes[] = {0, -1, 1e-300, 1e300, -1e300, 1e9, -1e-9, 4294967295.0, 4294967296.0, 0.5, 1e-7};
    switch (random() % 5) {
    case 0: value = extremes[random() % std::size(extremes)]; break;
    case 1: value = value.get<double>() * (random() % 2 ? 1e6 : 1e-6); break;
    case 2: value = -value.get<double>(); break;
    case 3: value = std::uint64_t(random() % 40); break;
    default: value = std::uniform_real_distribution(0.5, 1.5)(random) * value.get<double>();
    }
}

void mutateText(Json& value, std::mt19937_64& random)
{
    const std::string words[] = {"",
                                 " ",
                                 "World",
                                 "a\nb",
                                 "a\x1b[2Jb",
                                 "\xe2\x80\xaeover",
                                 std::string(5000, 'x'),
                                 std::string("\0", 1),
                                 "line",
                                 "Gripper on",
                                 "\"",
                                 "joint",
                                 "\xc3\xa4"};
    value = words[random() % std::size(words)];
}

}  // namespace

void mutate(Json& document, std::mt19937_64& random)
{
    std::vector<Json*> places;
    collect(document, places);
    Json& place = *places[random() % places.size()];
    if (random() % 8 == 0) {
        // Whatever it was, it becomes something else.
        const Json others[] = {nullptr, true, "text", 7, Json::array(), Json::object(), deep(50)};
        if (&place != &document) place = others[random() % std::size(others)];
        return;
    }
    if (place.is_number()) return mutateNumber(place, random);
    if (place.is_string()) return mutateText(place, random);
    if (place.is_boolean()) {
        place = !place.get<bool>();
        return;
    }
    if (!place.is_structured() || place.empty()) return;
    const auto one = [&] { return std::next(place.begin(), std::ptrdiff_t(random() % place.size())); };
    switch (random() % 4) {
    case 0: place.erase(one()); break;
    case 1: std::swap(*one(), *one()); break;
    case 2:
        if (place.is_array()) place.push_back(Json(*one()));
        else place[place.begin().key() + "x"] = 1;
        break;
    default: *one() = Json(*places[random() % places.size()]);
    }
}

}  // namespace topikos::test
