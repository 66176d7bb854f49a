#include "import/library_import.h"

#include "core/shape/mesh_file.h"
#include "core/shape/mesh_sound.h"

#include <assimp/DefaultIOSystem.h>
#include <assimp/Importer.hpp>
#include <assimp/material.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

namespace topikos {

namespace {

namespace fs = std::filesystem;

/// Lets the library see the file itself, and regular files in its folder or below.
class FilesBeside : public Assimp::DefaultIOSystem {
public:
    explicit FilesBeside(const fs::path& main)
    {
        std::error_code bad;
        m_folder = fs::canonical(main, bad).parent_path();
    }
    bool Exists(const char* name) const override { return allowed(name); }
    Assimp::IOStream* Open(const char* name, const char* mode) override
    {
        const bool reads = mode && mode[0] == 'r' && !std::strchr(mode, '+');
        return reads && allowed(name) ? DefaultIOSystem::Open(name, mode) : nullptr;
    }

private:
    bool allowed(const char* name) const
    {
        std::error_code bad;
        const fs::path path = fs::canonical(name, bad);
        if (bad || !fs::is_regular_file(path, bad) || fs::file_size(path, bad) > kLargestMeshFile || bad) return false;
        const auto [rest, ignored] = std::mismatch(m_folder.begin(), m_folder.end(), path.begin(), path.end());
        return rest == m_folder.end();
    }
    fs::path m_folder;
};

Error fault(const char* code, std::string message, std::string remedy)
{
    return {code, std::move(message), "", std::move(remedy)};
}

/// Adds the triangles of one part.
Status addPart(const aiMesh& mesh, unsigned number, Triangles& out)
{
    if (out.faces.size() + mesh.mNumFaces > kMostTriangles)
        return fault("mesh.triangles", fmt::format("has more than {} triangles", kMostTriangles),
                     "Reduce it before bringing it in.");
    const auto base = std::uint32_t(out.points.size());
    for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
        const Eigen::Vector3f point(mesh.mVertices[i].x, mesh.mVertices[i].y, mesh.mVertices[i].z);
        if (!point.allFinite())
            return fault("mesh.number",
                         fmt::format("holds a point that is not made of numbers (vertex {} of part {})", i, number),
                         "Export it again.");
        out.points.push_back(point);
    }
    for (unsigned i = 0; i < mesh.mNumFaces; ++i) {
        const aiFace& face = mesh.mFaces[i];
        if (face.mNumIndices != 3) continue;
        const std::array<std::uint32_t, 3> corners{base + face.mIndices[0], base + face.mIndices[1],
                                                   base + face.mIndices[2]};
        if (std::max({face.mIndices[0], face.mIndices[1], face.mIndices[2]}) >= mesh.mNumVertices)
            return fault("mesh.index", "refers to points that it does not hold", "Export it again.");
        const Eigen::Vector3f a = out.points[corners[1]] - out.points[corners[0]],
                              b = out.points[corners[2]] - out.points[corners[0]];
        if (a.cross(b).squaredNorm() > 0) out.faces.push_back(corners);
    }
    return std::nullopt;
}

}  // namespace

Result<Triangles> importMesh(const std::string& path)
{
    if (Status wrong = looksSound(path)) return *wrong;
    Assimp::Importer importer;
    importer.SetIOHandler(new FilesBeside(path));  // the importer deletes it
    const aiScene* scene = nullptr;
    try {
        scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_JoinIdenticalVertices
                                            | aiProcess_PreTransformVertices | aiProcess_SortByPType);
    } catch (const std::exception& e) {
        return fault("mesh.read", fmt::format("cannot be read ({})", e.what()), "Export it again, for example as STL.");
    }
    if (!scene || !scene->HasMeshes()) {
        const std::string why = importer.GetErrorString();
        return fault("mesh.read", fmt::format("cannot be read ({})", why.empty() ? "no surface in it" : why),
                     "Bring in STL, OBJ, PLY, DAE or glTF.");
    }
    Triangles out;
    for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
        const aiMesh& mesh = *scene->mMeshes[m];
        if (!(mesh.mPrimitiveTypes & aiPrimitiveType_TRIANGLE)) continue;
        if (Status wrong = addPart(mesh, m, out)) return *wrong;
        aiColor4D color;
        if (m == 0 && mesh.mMaterialIndex < scene->mNumMaterials
            && aiGetMaterialColor(scene->mMaterials[mesh.mMaterialIndex], AI_MATKEY_COLOR_DIFFUSE, &color)
                   == AI_SUCCESS) {
            const auto byte = [](float v) { return std::uint8_t(std::clamp(v, 0.0f, 1.0f) * 255); };
            out.color = {byte(color.r), byte(color.g), byte(color.b)};
        }
    }
    if (out.faces.empty())
        return fault("mesh.empty", "holds no triangle with an area", "Export the surface, not only lines or points.");
    return out;
}

}  // namespace topikos
