#pragma once
#include "core/robot/arm.h"

#include <functional>
#include <map>

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

/// Turns the name of a mesh file, as a URDF file gives it, into a surface in metres; fails with the reason.
using MeshLoader = std::function<Result<Triangles>(const std::string& name, const Vec3& scale)>;

/// Where packages lie: "package://NAME/…" is looked for in the folder given for NAME. Other names count from the folder
/// of the URDF file.
using PackageFolders = std::map<std::string, std::string>;
MeshLoader meshesBeside(const std::string& urdfPath, PackageFolders packages);

/// Names of the packages that a URDF text refers to.
std::vector<std::string> packagesOf(const std::string& text);

/// The arm in a URDF text: one chain from base to tip. Joints that do not move anything between the two (other
/// branches, fingers that follow another joint) are left out with their links. Fixed joints are folded in. URDF holds
/// no acceleration limits: a joint is taken to come up to speed in 0.35 s. A joint of the chain that follows another
/// (mimic) is refused: the chain would not be one of free joints. Errors name line and joint or link; `name` stands for
/// the file. With `meshes`, surfaces of the links (visual, or else collision) come along; one that cannot be had leaves
/// its link to a body made from the kinematics, and a sentence in `lost`.
Result<ArmPtr> readUrdf(const std::string& text, const std::string& name, const UrdfChain& chain = {},
                        const MeshLoader& meshes = {}, std::vector<std::string>* lost = nullptr);

/// A file made for another format, and what that format cannot hold.
struct Exported {
    std::string text;
    std::vector<std::string> lost;  ///< one sentence each
    std::vector<std::pair<std::string, std::string>>
        beside;  ///< files that the text refers to: path from its own folder, content
};

/// The arm as URDF: links base_link, link_1 …, flange. `check_urdf` accepts it. Surfaces of links become STL files in
/// the folder `NAME-meshes` beside it.
Exported writeUrdf(const Arm& arm, const std::string& name = "arm");

/// Two links, 0 the base, that are not checked for contact, and why: "Never", "Always", "User".
struct LinksApart {
    int a = 0, b = 0;
    std::string reason;
};
/// Companion of writeUrdf(): the group from base_link to flange, its named postures, and the pairs of links that are
/// not checked: neighbours, and those of `apart`.
std::string writeSrdf(const Arm& arm, const std::vector<std::pair<std::string, JointVector>>& postures,
                      const std::vector<LinksApart>& apart = {});

}  // namespace topikos
