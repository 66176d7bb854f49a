#pragma once
#include "core/cell/edit_layout.h"

namespace topikos {

/// What stands on the floor of a workshop, by three lengths. Its frame is where things are put: in the middle of the
/// top of a table, pedestal or pallet; of a rack, fence or booth in the middle of the floor under it. x is across, y
/// goes back.
struct Furniture {
    enum class Kind { Table, Pedestal, Pallet, Rack, Fence, Booth };
    Kind kind = Kind::Table;
    double width = 1, depth = 1, height = 1;  ///< along x, y, z [m]
};
inline constexpr Furniture::Kind kFurnitureKinds[] = {Furniture::Kind::Table,  Furniture::Kind::Pedestal,
                                                      Furniture::Kind::Pallet, Furniture::Kind::Rack,
                                                      Furniture::Kind::Fence,  Furniture::Kind::Booth};

constexpr double kLeastFurniture = 0.1;  ///< shortest width, depth or height [m]

/// "table", "pedestal", …
const char* furnitureWord(Furniture::Kind kind);
/// One of the usual size.
Furniture usualFurniture(Furniture::Kind kind);
/// Whether its frame is at its top, so that it has to be lifted by the height.
bool framedAtTop(Furniture::Kind kind);

/// Its shapes, in its frame. Lengths below kLeastFurniture are taken for it.
std::vector<Solid> solidsOf(const Furniture& furniture);
/// The furniture that these shapes are, unchanged; nothing for others.
std::optional<Furniture> furnitureOf(const std::vector<Solid>& solids);

/// A frame with it, standing at `parentFromFoot` on its parent.
Result<Cell> addFurniture(const Cell& cell, const std::string& name, const Furniture& furniture, FrameId parent,
                          const Pose& parentFromFoot, FrameId* created = nullptr);
/// Gives it other lengths. It goes on standing where it stood.
Result<Cell> resizeFurniture(const Cell& cell, FrameId id, const Furniture& furniture);

}  // namespace topikos
