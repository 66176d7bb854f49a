#pragma once
#include "core/robot/arm.h"

namespace topikos {

inline constexpr std::size_t kLargestUrdfFile = std::size_t(64) << 20;  // [bytes]

/// The arm in a URDF text: the one chain from the root to the tip. `flange` is the link of that name, or else the last link.
/// Fixed joints are folded in. URDF holds no acceleration limits: a joint is taken to come up to speed in 0.35 s.
/// Errors name the joint or link; `name` stands for the file.
Result<ArmPtr> readUrdf(const std::string& text, const std::string& name);

/// A catalogue id, or the path of a URDF file.
Result<ArmPtr> findArm(const std::string& idOrPath);

}  // namespace topikos
