#pragma once
#include "core/program/vocabulary.h"

/// Which things of a program that was read are those that the cell had before.
namespace topikos {

/// The routine of the cell that each name means: the one of that name; those that are left in their order. 0 for new
/// ones.
std::vector<RoutineId> identifiedRoutines(const Cell& cell, const std::vector<std::string>& names);
/// Gives steps of a routine the ids of those that they were before, and all digits to those that read the same; new
/// ones get new ids.
void keepIds(const Vocabulary& words, const Routine& routine, const Steps& before, Steps& after, std::uint32_t& nextId);
/// Names of a routine's places, with the ids that they had.
std::vector<Parameter> keptPlaces(const std::vector<Parameter>& before, const std::vector<std::string>& names,
                                  std::uint32_t& nextId);

}  // namespace topikos
