#pragma once
#include "core/cell/cell.h"

#include <functional>

namespace topikos {

/// Bodies that contact is asked of, in a fixed order: the links of the arm from base to last, the tool in force, frames
/// with shapes.
std::vector<ContactMember> contactMembers(const Cell& cell);
/// "Link 3", or the name of the tool or frame.
std::string memberName(const Cell& cell, const ContactMember& member);

/// What a joint, or the flange, of one arm holds together.
bool neighbours(const Cell& cell, const ContactMember& a, const ContactMember& b);

struct SamplingOptions {
    std::uint32_t samples = 1000;
    std::uint32_t seed = 1;
};

/// Which pairs can touch, found by trying random postures inside all ranges. Same cell, options and seed: same result.
///
/// Neighbours on the arm are not checked (adjacent), nor pairs that touch in every posture (always), nor pairs of the
/// arm itself that touched in none (never). Pairs with the cell that never touched stay checked: samples do not prove
/// that they cannot. Two things that do not move against each other are no pair. What was set by hand before stays.
/// `keepOn` is asked in between; false gives up, and nothing comes back.
std::optional<ContactPairs> sampleContactPairs(const Cell& cell, const SamplingOptions& options,
                                               const std::function<bool(double done)>& keepOn = {});

/// How many pairs there are with each reason, as words: "6 adjacent, 2 always, 14 never, 9 sometimes, 1 by hand".
std::string pairCounts(const ContactPairs& pairs);

Result<Cell> setContactPairs(const Cell& cell, const ContactPairs& pairs);
/// Checks a pair, or leaves it out, by hand.
Result<Cell> setPairChecked(const Cell& cell, const ContactMember& a, const ContactMember& b, bool checked);

/// The clearance asked of a pair in place of the cell's [m]; nothing: that of the cell.
Result<Cell> setPairCaution(const Cell& cell, const ContactMember& a, const ContactMember& b,
                            std::optional<double> caution);

}  // namespace topikos
