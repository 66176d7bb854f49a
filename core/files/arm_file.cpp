#include "core/files/arm_file.h"

#include "core/files/arm_fields.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"

#include <fmt/format.h>

#include <filesystem>

namespace topikos {

namespace {

constexpr DocumentKind kArmDocument{"topikos-arm", kArmFormatVersion, "arm file", ".topikos-arm", "arm-file"};

struct StoredSheet {
    std::string format = kArmDocument.format;
    std::uint32_t version = kArmFormatVersion;
    DataSheet sheet;
};

template <class Io> void fields(Io& io, StoredSheet& s)
{
    io.field("format", s.format);
    io.field("version", s.version);
    fields(io, s.sheet);
}

}  // namespace

std::string writeSheet(const DataSheet& sheet)
{
    StoredSheet stored;
    stored.sheet = sheet;
    FieldWriter writer;
    fields(writer, stored);
    return printDocument(writer.json);
}

Result<DataSheet> readSheet(const std::string& text, const std::string& name)
{
    const Result<Json> document = parseDocument(text, kArmDocument);
    if (!document) return inFile(document.error(), name);
    std::optional<Error> error;
    StoredSheet stored;
    {
        FieldReader reader(*document, "", error, kArmDocument.code);
        fields(reader, stored);
    }
    if (error) return inFile(*error, name);
    if (stored.sheet.axes.empty() || stored.sheet.axes.size() > size_t(kMaxJoints))
        return inFile(Error{"arm-file.axes",
                            fmt::format("holds {} axes; 1 to {} are possible", stored.sheet.axes.size(), kMaxJoints),
                            "axes", "Correct the file or open another one."},
                      name);
    if (stored.sheet.home.size() != Eigen::Index(stored.sheet.axes.size()))
        return inFile(
            Error{"arm-file.home",
                  fmt::format("has {} values; the arm has {} axes", stored.sheet.home.size(), stored.sheet.axes.size()),
                  "home", "Give one value per axis."},
            name);
    return stored.sheet;
}

Result<ArmPtr> armOf(const DataSheet& sheet)
{
    Result<ArmDescription> description = describe(sheet);
    if (!description) return description.error();
    return Arm::make(std::move(description).value());
}

bool fromCatalogue(const ArmDescription& arm)
{
    const ArmPtr known = catalogueArm(arm.id);
    return known && !arm.sheet && known->description().joints.size() == arm.joints.size();
}

Status saveExported(const std::string& path, const Exported& file)
{
    for (const auto& [name, content] : file.beside) {
        const std::filesystem::path beside = std::filesystem::path(path).parent_path() / name;
        std::error_code failed;
        std::filesystem::create_directories(beside.parent_path(), failed);
        if (failed)
            return Error{"file.write",
                         "cannot make the folder for the surfaces of the links (" + failed.message() + ")",
                         beside.parent_path().string(), "Choose another place."};
        if (const Status bad = saveFile(beside.string(), content)) return bad;
    }
    return saveFile(path, file.text);
}

Result<Exported> exportArm(const Arm& arm, const std::vector<std::pair<std::string, JointVector>>& postures,
                           const std::string& path)
{
    if (path.ends_with(".urdf")) return writeUrdf(arm, std::filesystem::path(path).stem().string());
    if (path.ends_with(".srdf")) return Exported{writeSrdf(arm, postures), {}, {}};
    if (path.ends_with(".topikos-arm")) {
        Exported out{writeSheet(sheetOf(arm.description())), {}, {}};
        if (arm.unlocked()) out.lost.push_back("Locks belong to a cell and are not in it.");
        return out;
    }
    return Error{"export.ending", "ends in nothing that an arm can be written as", path,
                 "End it in .topikos-arm, .urdf or .srdf."};
}

Result<ArmPtr> findArm(const std::string& idOrPath, const UrdfChain& chain, const PackageFolders* packages,
                       std::vector<std::string>* lost)
{
    if (ArmPtr arm = catalogueArm(idOrPath)) return arm;
    const Result<std::string> text = readFile(idOrPath, kLargestUrdfFile);
    if (!text) {
        if (idOrPath.find('/') == std::string::npos && idOrPath.find('.') == std::string::npos)
            return Error{"arm.unknown", fmt::format("there is no catalogue arm \"{}\"", idOrPath), "",
                         "Use one of `topikos-cli arm list`, or the path of a .topikos-arm or URDF file."};
        return text.error();
    }
    const size_t first = text->find_first_not_of(" \t\r\n");
    if (first == std::string::npos || (*text)[first] != '{')
        return readUrdf(*text, idOrPath, chain, packages ? meshesBeside(idOrPath, *packages) : MeshLoader(), lost);
    const Result<DataSheet> sheet = readSheet(*text, idOrPath);
    if (!sheet) return sheet.error();
    Result<ArmPtr> arm = armOf(*sheet);
    if (!arm) return inFile(arm.error(), idOrPath);
    return arm;
}

}  // namespace topikos
