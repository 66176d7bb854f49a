#include "core/program/step_text.h"

#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace topikos {

std::vector<std::string> loopWords(const Pattern& pattern, bool innermost)
{
    std::vector<std::string> out{pattern.name + " place", "place of " + pattern.name};
    if (innermost) out.insert(out.begin(), "place");
    return out;
}

std::string stageWords(Stage stage)
{
    switch (stage) {
    case Stage::Over: break;
    case Stage::Approach: return "approach";
    case Stage::NearApproach: return "near approach";
    case Stage::Retract: return "retract";
    case Stage::NearRetract: return "near retract";
    }
    return "";
}

std::optional<PlaceName> longestPlace(const Vocabulary& words, const StepScope& scope, std::string_view text)
{
    std::optional<PlaceName> best;
    const auto offer = [&](Place place, const std::string& name) {
        const bool begins = text.starts_with(lowered(name))
                            && (text.size() == name.size()
                                || std::string_view(" ,()").find(text[name.size()]) != std::string_view::npos);
        if (begins && (!best || name.size() > best->length)) best = {place, name.size()};
    };
    for (size_t i = scope.loops.size(); i-- > 0;)
        if (const Pattern* pattern = findPattern(words.cell, scope.loops[i]))
            for (const std::string& form : loopWords(*pattern, i + 1 == scope.loops.size()))
                offer(pattern->id, form);
    for (const Parameter& own : scope.routine.parameters)
        offer(own.id, own.name);
    const Names::Match* target = words.targets.longest(text);
    if (target && (!best || target->length > best->length)) best = {TargetId{target->id}, target->length};
    return best;
}

Names placeNames(const Vocabulary& words, const StepScope& scope)
{
    Names out;
    for (size_t i = scope.loops.size(); i-- > 0;)
        if (const Pattern* pattern = findPattern(words.cell, scope.loops[i]))
            for (const std::string& form : loopWords(*pattern, i + 1 == scope.loops.size()))
                out.add(form, 0);
    for (const Parameter& own : scope.routine.parameters)
        out.add(own.name, own.id.value);
    for (const Target& target : words.cell.targets)
        if (target.arm == scope.routine.arm) out.add(target.name, target.id.value);
    return out;
}

}  // namespace topikos
