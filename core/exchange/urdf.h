#pragma once
#include "core/robot/arm.h"

namespace topikos {

inline constexpr std::size_t kLargestUrdfFile = std::size_t(64) << 20;  // [bytes]

/// Which chain of a URDF file is meant. Empty: the root, and the link "flange" or else the only end there is.
struct UrdfChain {
    std::string base, tip;
};

/// The links at which a chain can end, and the root it can begin at: what there is to choose from.
struct UrdfLinks {
    std::string root;
    std::vector<std::string> all;   ///< in the order of the file
    std::vector<std::string> tips;  ///< links without children
};
Result<UrdfLinks> urdfLinks(const std::string& text, const std::string& name);

/// The arm in a URDF text: one chain from base to tip. Joints that do not move anything between the two (other branches, fingers that follow another
/// joint) are left out with their links. Fixed joints are folded in. URDF holds no acceleration limits: a joint is taken to come up to
/// speed in 0.35 s. A joint of the chain that follows another (mimic) is refused: the chain would not be one of free joints.
/// Errors name line and joint or link; `name` stands for the file.
Result<ArmPtr> readUrdf(const std::string& text, const std::string& name, const UrdfChain& chain = {});

/// A file made for another format, and what that format cannot hold.
struct Exported {
    std::string text;
    std::vector<std::string> lost;  ///< one sentence each
};

/// The arm as URDF: links base_link, link_1 …, flange. `check_urdf` accepts it.
Exported writeUrdf(const Arm& arm);

/// Companion of writeUrdf(): the group from base_link to flange, its named postures, and the pairs of neighbouring links that always touch.
std::string writeSrdf(const Arm& arm, const std::vector<std::pair<std::string, JointVector>>& postures);

}  // namespace topikos
