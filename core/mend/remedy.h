#pragma once
#include "core/cell/applied.h"
#include "core/check/check.h"

#include <functional>

namespace topikos {

/// A change of the cell that takes a finding away. It was tried: the numbers are those of a check of the whole cell
/// with it.
struct Remedy {
    std::string text;    ///< what it does: "Turn Rack place 3 by 30° about the tool axis"
    std::string change;  ///< which kind of change: "configuration", "joint-move", …
    std::string kind;    ///< one remedy of each is offered
    CellPatch patch;     ///< what it does to the cell
    int blocked = 0, cautions = 0;
    double cycleTime = 0;  ///< of the run [s]; of one that is blocked up to there
    bool runs = false;     ///< the run comes to its end
    double rank = 0;       ///< how much it changes; the least come first
    ArmId arm;             ///< that its ghost is of
    JointVector posture;   ///< at the end of the step, or at the target, with it; empty when there is none [rad or m]
    AxisValues axes;       ///< where device axes stand then
};

/// The nearest place to a target that the arm can reach, and what it gives up.
struct NearestPlace {
    TargetId target;
    Pose frameFromTcp;
    double shift = 0;     ///< from the target [m]
    double turn = 0;      ///< and how far it is turned [rad]
    JointVector posture;  ///< there [rad or m]
    AxisValues axes;
    Vec3 by = Vec3::Zero();  ///< from the target, along the axes of its frame [m]
};
/// "x +12.0 mm, z -3.0 mm of Drying rack, turned by 5.0°"; empty when it is where the target is.
std::string nearestText(const Cell& cell, const NearestPlace& place);

struct RemedyOptions {
    PlanCache* plans = nullptr;
    ContactCache* touched = nullptr;
    int workers = 1;
    size_t most = 6;      ///< it ends with so many
    int mostTried = 400;  ///< or with so many whole checks
    std::stop_token stop{};
    std::function<void(const Remedy&)>
        found{};  ///< told of each that was tried, also when a lesser one takes its place
    std::function<void(const NearestPlace&)> nearest{};  ///< told before the first one is tried
};

struct Remedies {
    std::vector<Remedy> offers;           ///< those that change least first
    std::optional<NearestPlace> nearest;  ///< of targets out of reach
    int tried = 0;                        ///< changes, in whole checks
};

/// Looks for changes that take a finding away and block nothing that ran before. `checked` is a check of the cell. Same
/// cell and finding: same remedies. Advice has none.
Remedies remediesFor(const Cell& cell, const CheckResult& checked, const Finding& finding,
                     const RemedyOptions& options = {});

/// The nearest place to a pose target in its configuration or another one; nothing when none is found.
std::optional<NearestPlace> nearestPlace(const Cell& cell, const Target& target, const AxisValues& axes,
                                         PlanCache* plans = nullptr);

}  // namespace topikos
