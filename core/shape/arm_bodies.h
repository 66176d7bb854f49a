#pragma once
#include "core/robot/arm.h"
#include "core/shape/convex.h"
#include "core/shape/mesh.h"

namespace topikos {

/// Bodies for an arm: the surfaces that came with a link, or else made from its kinematics: housings on the axes,
/// plates and tubes between them. Entry 0 stands in base; entry i moves with joint i (from 1) and is given in that
/// joint's z-frame (see Arm::segments()). Sizes follow the reach, tapering from base to flange; they are for the eye
/// and promise no clearance.
std::vector<Mesh> armBodies(const Arm& arm);

/// The same for contact: what a link is made of, in the same frames.
struct LinkShape {
    std::vector<Convex> pieces;
    std::vector<PlacedSurface> surfaces;
    bool standIn = true;  ///< made from the kinematics
};
std::vector<LinkShape> armShapes(const Arm& arm);

}  // namespace topikos
