#pragma once
#include "core/cell/cell.h"

#include <map>

namespace topikos {

/// In which line of a text each step and routine begins, from 0.
struct ProgramLines {
    std::map<StepId, size_t> steps;
    std::map<RoutineId, size_t> routines;
};

/// The whole program of a cell as text: all routines with their steps, blocks by indentation. Grammar:
/// docs/manual/program-grammar.md. What is read from it prints to the same text again.
std::string programText(const Cell& cell, ProgramLines* lines = nullptr);

/// Steps as lines of such a text, to be put on a clipboard; the first one stands at the left edge.
std::string stepsText(const Cell& cell, const Routine& routine, const std::vector<StepId>& steps);
/// Steps from lines of text, as they would stand in a list of a routine, inside the "for each" blocks of `loops`.
Result<std::vector<Step>> parseSteps(const Cell& cell, const Routine& routine, const std::vector<PatternId>& loops,
                                     const std::string& text);

struct TextError {
    size_t line = 1, column = 1;  ///< from 1; columns count bytes
    std::string message, remedy;

    std::string words() const;  ///< what is wrong, and what helps
    std::string text() const;   ///< "12:8: there is no target called "Rak place"; "Rack place" is meant? Take …"
};

/// What a text says.
struct ProgramReading {
    std::optional<Cell> cell;       ///< with the program of the text; nothing when there are errors
    ProgramLines lines;             ///< of the text that was read, when there are none
    std::vector<TextError> errors;  ///< in the order of lines, at most kMostTextErrors
};
inline constexpr size_t kMostTextErrors = 100;

/// Puts the program of a text into a cell in place of its own. Routines are known by their names, and one that got
/// another name by its place; steps that stayed keep their ids, and so do the names of places.
ProgramReading readProgram(const Cell& cell, const std::string& text);

}  // namespace topikos
