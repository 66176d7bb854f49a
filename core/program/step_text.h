#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// A step as a line of text, the form in which it is shown and typed. Grammar: docs/manual/program-grammar.md.
/// "line over Rack 1 80 mm at 150 mm/s blend 10 mm". Names that could be read in two ways stand in quotation marks,
/// with those inside doubled. Numbers are rounded to three decimals (values of signals to six), small ones to four
/// digits.
std::string stepText(const Cell& cell, const Step& step);

/// Reads a typed step. Values that are not typed are taken from `defaults` where the kind of step has them.
Result<Step> parseStep(const Cell& cell, const std::string& text, const Step& defaults = {});

/// A number as people write it: no trailing zeros, at most `decimals` of them.
std::string plainNumber(double value, int decimals);

}  // namespace topikos
