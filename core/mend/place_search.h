#pragma once
#include "core/check/check.h"

#include <array>
#include <functional>

namespace topikos {

/// Where something could be put: away from where it stands, along x, y and z of its parent [m] and about its own z
/// [rad].
using PlaceOffset = std::array<double, 4>;
inline constexpr int kPlaceAxes = 4;

struct PlaceQuery {
    enum class Goal { Margin, Cycle };
    FrameId frame{};                    ///< that is to stand elsewhere: what carries an arm, or a fixture
    std::vector<RoutineId> routines{};  ///< that have to work; none: all that run
    PlaceOffset lowest{}, highest{};    ///< of the search; equal: that one is kept
    Goal goal = Goal::Margin;           ///< what counts when nothing is blocked
    std::uint32_t seed = 1;
    size_t most = 5;   ///< best places
    int columns = 31;  ///< places of the map along each side
    PlanCache* plans = nullptr;
    ContactCache* touched = nullptr;
    int workers = 1;
    /// Told the share done; false gives up, and nothing comes back.
    std::function<bool(double done)> keepOn{};
};

/// What was found of one place.
struct TriedPlace {
    PlaceOffset offset{};
    int unreached = 0;     ///< targets
    int blocked = 0;       ///< findings of moves, and targets at which the arm stands in something; of the best places
                           ///< findings of contact along the moves instead
    double margin = 0;     ///< smallest of what the move can change, see core/cell/margin.h [0 to 1]
    double cycle = NAN;    ///< time of the run, where it was run to its end [s]
    std::string reason{};  ///< what is wrong there, if anything is

    bool works() const { return unreached == 0 && blocked == 0; }
};

struct PlaceSearch {
    TriedPlace now;                ///< where it stands
    std::vector<TriedPlace> best;  ///< the best ones first, each apart from the others; with contact
    bool better = false;           ///< the first of them is better than where it stands
    std::vector<TriedPlace> map;   ///< targets only, with what the arm touches there; row by row over x and y at z and
                                   ///< turn of the best place
    int columns = 0, rows = 0;     ///< of the map
    int tried = 0;                 ///< places
};

/// Looks for the best place: fewest targets out of reach, fewest blocked findings, then the largest worst-case margin
/// or the shortest cycle. What is the same wherever it stands does not count. Of those that are as good the present
/// place comes first, then the shorter cycle (or the larger margin), then the smaller move. Same cell, query and seed:
/// same answer. Nothing when it was given up.
///
/// Method: a grid over the box and as many random places (targets only, and what the arm touches when it stands there),
/// the best of those with their moves, from there halving steps along each axis, the best few with contact.
std::optional<PlaceSearch> searchPlace(const Cell& cell, const PlaceQuery& query);

/// The cell with the frame there, as drawn; a measured place is dropped, since it has to be measured anew.
Result<Cell> placedAt(const Cell& cell, FrameId frame, const PlaceOffset& offset);

}  // namespace topikos
