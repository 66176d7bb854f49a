#include "core/cell/validate.h"
#include "core/files/cell_file.h"
#include "core/program/program_text.h"
#include "tests/fuzz/target.h"

using namespace topikos;

/// A text is errors with places, or a program that prints to a text that reads as the same.
TOPIKOS_FUZZ_TARGET(program)
{
    static const Cell cell = openCell(TOPIKOS_EXAMPLES "/rack-of-24.topikos").value();
    const ProgramReading reading = readProgram(cell, bytes);
    fuzz::require(reading.cell.has_value() == reading.errors.empty(), "errors or a program");
    for (const TextError& error : reading.errors) {
        fuzz::require(error.line >= 1 && error.column >= 1 && !error.message.empty(), "an error says where and what");
        fuzz::requireLine(error.text());
    }
    if (!reading.cell) return;
    fuzz::require(!validate(*reading.cell), "the program can be saved");
    const std::string text = programText(*reading.cell);
    const ProgramReading again = readProgram(*reading.cell, text);
    fuzz::require(again.cell.has_value(), "a printed program is read again");
    fuzz::require(programText(*again.cell) == text, "and prints to the same text");
}
