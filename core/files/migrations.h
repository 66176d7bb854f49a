#pragma once
#include "core/files/document.h"

namespace topikos {

// One step per version of the cell format, each in a file of its own. A step changes what the next version writes
// otherwise and leaves everything else, right or wrong, to the reader.

/// Parts had shapes of their own; now parts of the same shape are of one kind.
void migrate1to2(Json& cell);
/// Devices, signals and several arms came: with one arm nothing said whose it was, and nothing changes.
void migrate2to3(Json& cell);
/// Each arm names the routine that runs, which was the first of its own; which arm is in hand is no longer part of the
/// cell; and everything says whose it is, with one arm as well.
void migrate3to4(Json& cell);
/// Steps hold others, and there are more kinds of them; nothing that was there is written otherwise.
void migrate4to5(Json& cell);
/// Time tables and limits of jerk came; nothing that was there is written otherwise.
void migrate5to6(Json& cell);
/// Drawn groups, freedom, ties, grip points and steps that follow came; nothing that was there is written otherwise.
void migrate6to7(Json& cell);
/// Approaches and retracts of targets, and steps that go there, came; nothing that was there is written otherwise.
void migrate7to8(Json& cell);
/// How deep processes reach and the reach of arms came; nothing that was there is written otherwise.
void migrate8to9(Json& cell);

}  // namespace topikos
