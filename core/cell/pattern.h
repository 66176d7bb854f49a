#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// One place of a pattern.
struct PatternPlace {
    std::uint32_t place = 0;  ///< counted along x, then y, then z, left-out places too
    Pose pose;                ///< in the pattern's frame
};

/// How many places there are, those left out included.
std::uint32_t placeCount(const Pattern& pattern);

/// The places that are not left out, in the order of the pattern. Nearest: each time the nearest one not yet visited,
/// from the first.
std::vector<PatternPlace> placesOf(const Pattern& pattern);

/// Where the parts or targets of a pattern of the cell are, in its frame and order: what placesOf() gave when it was
/// last changed.
std::vector<Pose> membersOf(const Cell& cell, const Pattern& pattern);

/// What is wrong with a pattern's values, or nothing: counts from 1, at most 10,000 places, pitches up to 100 m, at
/// least one place not left out.
Status checkPattern(const Cell& cell, const Pattern& pattern);

/// A pattern of one place, where a pose target is, for the same arm with the same tool, way and axes.
Pattern patternOf(const Target& target);

/// A pattern of targets that follows one of parts, with its places where that has them.
Pattern following(Pattern targets, const Pattern& parts);

/// Adds a pattern with its parts or targets. They are named after it: "Rack 1", "Rack 2" … in its order. A single part
/// or target given by its id becomes its first place, and stays what steps refer to.
Result<Cell> addPattern(const Cell& cell, Pattern pattern, PatternId* created = nullptr, PartId firstPart = {},
                        TargetId firstTarget = {});

/// Replaces the pattern with the same id; its parts and targets follow, and groups of the same family show the same.
/// Those of places that stay keep their identity and the way a target is reached. Refused when a target that would go
/// is used by a step.
Result<Cell> changePattern(const Cell& cell, const Pattern& pattern);

/// Takes the pattern away, and what belongs to it; or leaves that as single parts or targets.
Result<Cell> deletePattern(const Cell& cell, PatternId id, bool keepMembers = false);

}  // namespace topikos
