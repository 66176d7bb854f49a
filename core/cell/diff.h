#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// What differs between two cells, told by what they share. Ids of objects that were added, changed or taken away; an
/// object that was only given the value it had counts as changed.
struct CellDiff {
    std::vector<ArmId> arms;
    std::vector<FrameId> frames;
    std::vector<ToolId> tools;
    std::vector<PartKindId> partKinds;
    std::vector<PartId> parts;
    std::vector<PatternId> patterns;
    std::vector<TargetId> targets;
    std::vector<SignalId> signals;
    std::vector<TimeTableId> timeTables;
    std::vector<RoutineId> routines;
    bool order = false;  ///< objects of some kind stand in another order
    bool rest = false;   ///< name, thresholds, limits of lines, convention of angles, contact pairs, as built or drawn

    /// Nothing but routines and their steps.
    bool onlyRoutines() const;
};
CellDiff differences(const Cell& before, const Cell& after);

/// Memory that a cell needs beside what it shares with another one. An estimate from below. [bytes]
size_t bytesBeside(const Cell& cell, const Cell& other);

}  // namespace topikos
