#pragma once
#include "core/cell/cell.h"
#include "core/spatial/result.h"

namespace topikos {

/// Puts right what follows from something else, after any edit: groups that are drawn on a part go with it, those drawn
/// on a kind are on every part of it and the same on each, patterns of targets that follow one of parts have its
/// places, and tied targets go with what they are tied to. A part that is gone takes the groups on it along, which is
/// refused while steps use them. Targets whose part or target is gone stay where they are.
Result<Cell> settled(const Cell& cell);

/// Ties a pose target to a part or to another pose target, so that it stays where it is beside it; nothing unties it.
/// Refused in loops, for members of patterns, and when the other target is of a pattern's places that go.
Result<Cell> tieTarget(const Cell& cell, TargetId id, PartId part, TargetId target);

/// Called by edits that set the pose of a target by itself: what it is tied to stays, and where it is beside that is
/// new.
void keepTie(const Cell& cell, Target& target);

}  // namespace topikos
