#include "core/shape/mesh_file.h"

#include <assimp/Importer.hpp>
#include <assimp/ProgressHandler.hpp>
#include <assimp/material.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>

#include <cstring>
#include <filesystem>
#include <fstream>

namespace topikos {

namespace {

/// A binary STL file says how many triangles it holds; a wrong count must not be believed.
Status checkStlHeader(const std::string& path, std::uintmax_t size)
{
    std::ifstream file(path, std::ios::binary);
    char head[84] = {};
    file.read(head, sizeof head);
    const bool text = file.gcount() >= 5 && std::strncmp(head, "solid", 5) == 0;
    std::uint32_t count = 0;
    std::memcpy(&count, head + 80, sizeof count);
    if (size < 84 || size == 84 + 50 * std::uintmax_t(count) || text) return std::nullopt;
    return Error{"mesh.count",
                 fmt::format("says that it holds {} triangles, but is {} bytes long, which is room for {}", count, size,
                             (size - 84) / 50),
                 path, "It is cut off or damaged; export it again."};
}

/// Asks between the steps of reading whether to go on.
class Asker : public Assimp::ProgressHandler {
public:
    explicit Asker(std::function<bool()> keepOn) : m_keepOn(std::move(keepOn)) {}
    bool Update(float) override { return m_keepOn(); }

private:
    std::function<bool()> m_keepOn;
};

}  // namespace

Result<Triangles> readMeshFile(const std::string& path, const Vec3& scale, const std::function<bool()>& keepOn)
{
    const auto fail = [&](const char* code, std::string message, std::string remedy) {
        return Error{code, std::move(message), path, std::move(remedy)};
    };
    std::error_code bad;
    const std::uintmax_t size = std::filesystem::file_size(path, bad);
    if (bad) return fail("mesh.open", "cannot be opened", "Check the name and the permissions.");
    if (size > kLargestMeshFile)
        return fail("mesh.size", fmt::format("has {} MB; {} MB is the limit", size >> 20, kLargestMeshFile >> 20),
                    "Reduce it before bringing it in.");
    std::string ending = std::filesystem::path(path).extension().string();
    for (char& c : ending)
        c = char(std::tolower(static_cast<unsigned char>(c)));
    if (ending == ".stl")
        if (Status wrong = checkStlHeader(path, size)) return *wrong;

    Assimp::Importer importer;
    if (keepOn) importer.SetProgressHandler(new Asker(keepOn));  // the importer deletes it
    const aiScene* scene = nullptr;
    try {
        scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_JoinIdenticalVertices
                                            | aiProcess_PreTransformVertices | aiProcess_SortByPType);
    } catch (const std::exception& e) {
        return fail("mesh.read", fmt::format("cannot be read ({})", e.what()), "Export it again, for example as STL.");
    }
    if (keepOn && !keepOn()) return fail("mesh.cancelled", "was not read to its end", "");
    if (!scene || !scene->HasMeshes()) {
        const std::string why = importer.GetErrorString();
        return fail("mesh.read", fmt::format("cannot be read ({})", why.empty() ? "no surface in it" : why),
                    "Bring in STL, OBJ, PLY, DAE or glTF.");
    }
    Triangles out;
    for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
        const aiMesh& mesh = *scene->mMeshes[m];
        if (!(mesh.mPrimitiveTypes & aiPrimitiveType_TRIANGLE)) continue;
        if (out.faces.size() + mesh.mNumFaces > kMostTriangles)
            return fail("mesh.triangles", fmt::format("has more than {} triangles", kMostTriangles),
                        "Reduce it before bringing it in.");
        const auto base = std::uint32_t(out.points.size());
        for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
            const aiVector3D& v = mesh.mVertices[i];
            const Vec3 point = scale.cwiseProduct(Vec3(v.x, v.y, v.z));
            if (!point.allFinite())
                return fail("mesh.number",
                            fmt::format("holds a point that is not made of numbers (vertex {} of part {})", i, m),
                            "Export it again.");
            out.points.push_back(point.cast<float>());
        }
        for (unsigned i = 0; i < mesh.mNumFaces; ++i) {
            const aiFace& face = mesh.mFaces[i];
            if (face.mNumIndices != 3) continue;
            const std::array<std::uint32_t, 3> corners{base + face.mIndices[0], base + face.mIndices[1],
                                                       base + face.mIndices[2]};
            if (std::max({corners[0], corners[1], corners[2]}) >= out.points.size())
                return fail("mesh.index", "refers to points that it does not hold", "Export it again.");
            const Eigen::Vector3f a = out.points[corners[1]] - out.points[corners[0]],
                                  b = out.points[corners[2]] - out.points[corners[0]];
            if (a.cross(b).squaredNorm() > 0) out.faces.push_back(corners);
        }
        aiColor4D color;
        if (scene->HasMaterials()
            && aiGetMaterialColor(scene->mMaterials[mesh.mMaterialIndex], AI_MATKEY_COLOR_DIFFUSE, &color) == AI_SUCCESS
            && m == 0) {
            const auto byte = [](float v) { return std::uint8_t(std::clamp(v, 0.0f, 1.0f) * 255); };
            out.color = {byte(color.r), byte(color.g), byte(color.b)};
        }
    }
    if (out.faces.empty())
        return fail("mesh.empty", "holds no triangle with an area", "Export the surface, not only lines or points.");
    return out;
}

std::string stlOf(const Triangles& triangles)
{
    std::string out(80, ' ');
    const auto put = [&out](const auto& value) { out.append(reinterpret_cast<const char*>(&value), sizeof value); };
    put(std::uint32_t(triangles.faces.size()));
    for (const auto& face : triangles.faces) {
        const Eigen::Vector3f &a = triangles.points[face[0]], &b = triangles.points[face[1]],
                              &c = triangles.points[face[2]];
        const Eigen::Vector3f normal = (b - a).cross(c - a).normalized();
        for (const Eigen::Vector3f* v : {&normal, &a, &b, &c})
            for (int i = 0; i < 3; ++i)
                put((*v)[i]);
        put(std::uint16_t(0));
    }
    return out;
}

}  // namespace topikos
