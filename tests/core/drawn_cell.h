#pragma once
#include "tests/core/program_cells.h"

/// Cells with a group of process targets on a body.
namespace topikos::test {

/// The demo with a plate on the bench in front of the arm, and a seam along it.
struct Drawn {
    Cell cell;
    FrameId bench;
    PatternId seam;
};
Drawn drawnOnBench(bool onPart = false);

/// The targets of a pattern, in the order of the cell.
std::vector<const Target*> placesOf(const Cell& cell, PatternId id);
Pose worldOf(const Cell& cell, const Target& target);

}  // namespace topikos::test
