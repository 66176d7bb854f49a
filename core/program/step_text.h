#pragma once
#include "core/cell/step_check.h"
#include "core/program/vocabulary.h"

namespace topikos {

/// A step as a line of text, the form in which it is shown and typed, without its note and without what it holds.
/// Grammar: docs/manual/program-grammar.md. "line over Rack 1 80 mm at 150 mm/s blend 10 mm". `scope` is what is around
/// the step, where that is known: its loops make names of places short, its routine says whether a joint slides.
/// Numbers are rounded to three decimals (values of signals to six), small ones to four digits.
std::string stepText(const Vocabulary& words, const Step& step, const StepScope* scope = nullptr);
std::string stepText(const Cell& cell, const Step& step, const StepScope* scope = nullptr);

/// Reads a typed step, with a note behind "#" and the one step behind ", else" of a wait. Values that are not typed are
/// taken from `defaults` where the kind of step has them. Errors say the column in `where`.
Result<Step> parseStep(const Vocabulary& words, const StepScope& scope, const std::string& text,
                       const Step& defaults = {});
Result<Step> parseStep(const Cell& cell, const StepScope& scope, const std::string& text, const Step& defaults = {});

/// "approach", "near retract"; nothing for Over.
std::string stageWords(Stage stage);

/// The place that a lowered text begins with by its longest name, and how long that is: of a loop ("place", "Rack
/// place", "place of Rack"), of the routine, or a target. Nothing when it begins with none.
struct PlaceName {
    Place place;
    size_t length = 0;  ///< [bytes]
};
std::optional<PlaceName> longestPlace(const Vocabulary& words, const StepScope& scope, std::string_view lowered);
/// What the place of a loop can be called inside it, the shortest first.
std::vector<std::string> loopWords(const Pattern& pattern, bool innermost);
/// All names that can stand for a place there.
Names placeNames(const Vocabulary& words, const StepScope& scope);

}  // namespace topikos
