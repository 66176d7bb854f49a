#pragma once
#include "app/session/session.h"
#include "core/cell/furniture.h"

namespace topikos {

// What can be done with the things of the layout. Each acts on what is selected and says what is missing when nothing
// fits.

/// The frame that new things go into: the selected one, or that of the selected part; else the world.
FrameId frameForNew(const Session& session);

void addFrameHere(Session& session);
void addPartHere(Session& session);
QString furnitureTitle(Furniture::Kind kind);  ///< its word as a title, the first letter large
void addFurnitureHere(Session& session, Furniture::Kind kind);
void addToolHere(Session& session);
/// A gripper of the usual size, which the arm in hand carries from then on.
void addGripperHere(Session& session, Gripper::Kind kind);
void addDeviceHere(Session& session, Device::Kind kind);
/// Another arm, of the model in hand, on the selected frame or on a new one.
void addArmHere(Session& session);
void takeArmInHand(Session& session, ArmId arm);
void takeNextArmInHand(Session& session);
/// The arm in hand stands on the selected frame.
void mountArmHere(Session& session);
void addRoutineForArm(Session& session);
/// A pattern of the selected part's kind, or of the selected target; else of a new kind of part.
void addPatternHere(Session& session);
/// A fixture with all that is in it, a part, a tool's point or a pattern's members.
void copySelected(Session& session);
void deleteSelected(Session& session);
void hideSelected(Session& session);
void lockSelected(Session& session);
void isolateSelected(Session& session);
void showEverything(Session& session);
void putToolInForce(Session& session);
void switchAsBuilt(Session& session);

}  // namespace topikos
