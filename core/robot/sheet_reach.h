#pragma once
#include "core/robot/arm.h"

namespace topikos {

/// How far an arm gets from its first axis, as makers say it: to the wrist or to the flange.
struct SheetReach {
    double wrist = 0, flange = 0;  ///< farthest from the line of the first axis [m]
    double fromShoulder = 0;       ///< farthest wrist from the second axis [m]
    double lengths = 0;            ///< from the second axis to the wrist, from axis to axis, added up [m]
};
/// The farthest places within the ranges of the axes: one axis after the other is turned to where it gets the place
/// farthest, from several postures, until none gets it farther. Arms of turning axes alone; nothing for others.
std::optional<SheetReach> sheetReach(const Arm& arm);

/// How far a reach that a maker gives may be off [part of it].
inline constexpr double kReachApart = 0.03;

}  // namespace topikos
