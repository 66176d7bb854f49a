#pragma once
#include "core/cell/edit_layout.h"

namespace topikos {

/// A copy beside it of a frame with everything below it: frames, parts, patterns and pose targets, each under a new
/// name. Targets keep their ways.
Result<Cell> copyFixture(const Cell& cell, FrameId id, FrameId* created = nullptr);

/// Brings a frame of another cell in, with everything below it, the kinds of its parts and the tools of its targets. It
/// stands in the world where it stood there. Kinds and tools that this cell has under the same name and with the same
/// values are used; others come along under a free name. Targets keep their
/// configurations and become targets of `arm`.
Result<Cell> bringFixture(const Cell& cell, ArmId arm, const Cell& from, FrameId id, FrameId* created = nullptr);

/// Brings a tool of another cell in, with all its points.
Result<Cell> bringTool(const Cell& cell, const Cell& from, ToolId id, ToolId* created = nullptr);

}  // namespace topikos
