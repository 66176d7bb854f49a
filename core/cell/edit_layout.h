#pragma once
#include "core/cell/edit.h"

namespace topikos {

// Edits of what stands in the cell: frames, parts and tools.

Result<Cell> renameFrame(const Cell& cell, FrameId id, const std::string& name);
Result<Cell> renamePart(const Cell& cell, PartId id, const std::string& name);
Result<Cell> renamePartKind(const Cell& cell, PartKindId id, const std::string& name);
Result<Cell> renameTool(const Cell& cell, ToolId id, const std::string& name);
Result<Cell> renamePattern(const Cell& cell, PatternId id, const std::string& name);

Result<Cell> addFrame(const Cell& cell, const std::string& name, FrameId parent, const Pose& parentFromFrame,
                      FrameId* created = nullptr);
/// Moves a frame to where it is to stand now: the measured placement if that is in force, else the drawn one.
Result<Cell> setFramePose(const Cell& cell, FrameId id, const Pose& parentFromFrame);
/// New parent; the place in the world is kept, as drawn and as measured.
Result<Cell> setFrameParent(const Cell& cell, FrameId id, FrameId parent);
/// Where the frame was measured to stand in its parent, beside where it was drawn; nothing takes the measurement away.
Result<Cell> setFrameMeasured(const Cell& cell, FrameId id, const std::optional<Pose>& parentFromFrame);
/// Whether measured placements are in force.
Result<Cell> setAsBuilt(const Cell& cell, bool on);
Result<Cell> setFrameSolids(const Cell& cell, FrameId id, const std::vector<Solid>& solids);
/// Takes away the frame, all frames below it, and the parts, targets and patterns in them. Refused for what the arm
/// stands on and while steps use one of the targets.
Result<Cell> deleteFrame(const Cell& cell, FrameId id);
/// A part of a kind of its own, which is a box of 100 mm until it gets another shape.
Result<Cell> addPart(const Cell& cell, const std::string& name, FrameId frame, const Pose& frameFromPart,
                     PartId* created = nullptr);
/// One more part of the same kind, beside it.
Result<Cell> copyPart(const Cell& cell, PartId id, PartId* created = nullptr);
/// Refused for parts of a pattern. A kind that nothing has any more goes as well.
Result<Cell> deletePart(const Cell& cell, PartId id);
Result<Cell> setPartPose(const Cell& cell, PartId id, const Pose& frameFromPart);
/// Lies in another frame; the place in the world is kept.
Result<Cell> setPartFrame(const Cell& cell, PartId id, FrameId frame);
Result<Cell> setPartKind(const Cell& cell, PartId id, PartKindId kind);
/// Replaces the kind with the same id; all parts of it follow.
Result<Cell> changePartKind(const Cell& cell, const PartKind& kind);
/// What is wrong with the grip points of a kind, or nothing.
Status checkGrips(const PartKind& kind);

/// A tool without a body: TCP 100 mm in front of the flange.
Result<Cell> addTool(const Cell& cell, const std::string& name, ToolId* created = nullptr);
/// Replaces the tool with the same id. Points that targets use cannot go.
Result<Cell> changeTool(const Cell& cell, const Tool& tool);
Result<Cell> setToolTcp(const Cell& cell, ToolId id, const Pose& flangeFromTcp, TcpId tcp = {});
Result<Cell> addToolPoint(const Cell& cell, ToolId id, const std::string& name, const Pose& flangeFromTcp,
                          TcpId* created = nullptr);
/// The tool in force, and the point of it, are what the arm carries and poses are read at.
Result<Cell> setToolInForce(const Cell& cell, ArmId arm, ToolId id, TcpId tcp = {});
/// Refused for the tool in force and while targets use it.
Result<Cell> deleteTool(const Cell& cell, ToolId id);

Result<Cell> setFrameLook(const Cell& cell, FrameId id, const Look& look);
Result<Cell> setPartLook(const Cell& cell, PartId id, const Look& look);
/// Shows only this frame, what is in it and below it; everything else is hidden. The arm stays.
Result<Cell> isolateFrame(const Cell& cell, FrameId id);
Result<Cell> showAll(const Cell& cell);

/// What is wrong with a tool's values, or nothing.
Status checkTool(const Tool& tool);

}  // namespace topikos
