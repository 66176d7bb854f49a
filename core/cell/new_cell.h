#pragma once
#include "core/cell/edit_layout.h"

namespace topikos {

constexpr double kUsualGrip = 0.1;  ///< width of a part, as parts are made at first [m]

/// What a new cell starts with.
struct NewCell {
    std::string name = "New cell";
    ArmPtr arm;
    double baseHeight = 0;  ///< of the pedestal that carries it [m]; 0: the floor
    std::optional<Gripper::Kind> gripper = Gripper::Kind::Parallel;  ///< none: the bare flange
    double widest = kUsualGrip;                                      ///< part that the jaws close on [m]
};

/// A cell with one arm on the floor or on a pedestal, its tool, its home posture and an empty routine. Refused for
/// values that edits of a cell would refuse, too.
Result<Cell> newCell(const NewCell& wanted);

/// A gripper with a body that fits it, to be screwed on by its flange. Jaws close to `widest` and open 46 mm further,
/// their reach grows with it; the mass is that of its shapes in aluminium. [m]
Tool readyGripper(Gripper::Kind kind, double widest);

/// Another tool of the cell that is such a gripper.
Result<Cell> addGripper(const Cell& cell, const std::string& name, Gripper::Kind kind, double widest,
                        ToolId* created = nullptr);

}  // namespace topikos
