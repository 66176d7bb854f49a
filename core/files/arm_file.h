#pragma once
#include "core/files/urdf.h"
#include "core/robot/data_sheet.h"

namespace topikos {

inline constexpr int kArmFormatVersion = 3;
inline constexpr std::size_t kLargestArmFile = std::size_t(16) << 20;  // [bytes]

/// A data sheet as the text of a .topikos-arm file: canonical. Format: docs/format/arm.md.
std::string writeSheet(const DataSheet& sheet);

/// Reads the text of a .topikos-arm file; errors name line or place, `name` stands for the file.
Result<DataSheet> readSheet(const std::string& text, const std::string& name);

/// The arm of a sheet.
Result<ArmPtr> armOf(const DataSheet& sheet);

/// A catalogue id, or the path of a .topikos-arm or URDF file, told apart by what is in it. `chain` is for URDF files
/// that hold several. With `packages`, the surfaces that a URDF file names come along; what could not be had is said in
/// `lost`.
Result<ArmPtr> findArm(const std::string& idOrPath, const UrdfChain& chain = {},
                       const PackageFolders* packages = nullptr, std::vector<std::string>* lost = nullptr);

/// Writes what was exported to `path`, and what it refers to beside it.
Status saveExported(const std::string& path, const Exported& file);

/// The arm, with its named postures, in the form that the ending of `path` asks for: .topikos-arm, .urdf or .srdf.
Result<Exported> exportArm(const Arm& arm, const std::vector<std::pair<std::string, JointVector>>& postures,
                           const std::string& path);

/// Whether the catalogue holds this arm, so that its id is enough to name it.
bool fromCatalogue(const ArmDescription& arm);

}  // namespace topikos
