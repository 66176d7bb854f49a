#pragma once
#include "tests/core/support.h"

/// Cells for programs that call, repeat and decide.
namespace topikos::test {
/// The same with steps of a main routine alone.
Cell mainWith(const Cell& cell, const std::string& body);

/// The demo with a pattern "Rack" of so many places (columns times rows), signals Go, Full and Level, a process of the
/// tool, a time table "Wobble" from home, and an empty main routine "Main".
Cell programCell(std::uint32_t columns = 3, std::uint32_t rows = 2);
/// The cell with the program of a text; the test fails with its errors.
Cell withProgram(const Cell& cell, const std::string& text);
/// A time table of joints 1 and 3 that begins and ends at a posture: once there and back.
TimeRows wobble(const JointVector& around, double seconds = 4, double by = 0.4);

/// A program made at random: routines with places, blocks in blocks, every kind of step.
Cell randomProgram(const Cell& cell, std::mt19937_64& random, size_t steps);

/// A text with one place changed: a byte, a word of the grammar put in, a piece taken out, doubled or moved.
std::string mutatedText(std::string text, std::mt19937_64& random);

}  // namespace topikos::test
