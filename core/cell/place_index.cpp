#include "core/cell/place_index.h"

#include "core/spatial/text.h"

#include <fmt/format.h>

namespace topikos {

Result<TargetId> targetAt(const Cell& cell, const Pattern& pattern, const std::vector<std::uint32_t>& numbers)
{
    const auto missing = [&](const std::string& what, std::string remedy) {
        return Error{"edit.place", fmt::format("\"{}\" {}", shownText(pattern.name), what), "", std::move(remedy)};
    };
    if (pattern.content != Pattern::Content::Targets)
        return missing("is a pattern of parts", "Name a pattern of targets.");
    std::uint32_t place = 0;
    if (numbers.size() == 1) {
        const std::vector<PatternPlace> places = placesOf(pattern);
        if (numbers[0] < 1 || numbers[0] > places.size())
            return missing(fmt::format("has no place {}", numbers[0]),
                           fmt::format("Its places are 1 to {}.", places.size()));
        place = places[numbers[0] - 1].place;
    } else {
        if (pattern.layout != Pattern::Layout::Grid || numbers.size() < 2 || numbers.size() > 3)
            return missing("has no such place", pattern.layout == Pattern::Layout::Grid
                                                    ? "Name a place by its number, or by column, row and layer."
                                                    : "Name a place by its number: it has no columns and rows.");
        const std::uint32_t column = numbers[0], row = numbers[1], layer = numbers.size() == 3 ? numbers[2] : 1;
        const auto inside = [](std::uint32_t n, std::uint32_t most) { return n >= 1 && n <= most; };
        if (!inside(column, pattern.columns) || !inside(row, pattern.rows) || !inside(layer, pattern.layers))
            return missing(fmt::format("has no place at column {}, row {}, layer {}", column, row, layer),
                           fmt::format("Its columns are 1 to {}, its rows 1 to {}, its layers 1 to {}.",
                                       pattern.columns, pattern.rows, pattern.layers));
        place = column - 1 + pattern.columns * (row - 1 + pattern.rows * (layer - 1));
    }
    for (const Target& target : cell.targets)
        if (target.pattern == pattern.id && target.place == place) return target.id;
    return missing("has that place left out", "Name another one.");
}

}  // namespace topikos
