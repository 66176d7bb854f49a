#include "core/shape/mesh_wire.h"

#include "core/shape/mesh_file.h"

#include <algorithm>
#include <cstring>

namespace topikos {

namespace {

// Program and reader are built together, so numbers are sent as they lie in memory.
constexpr std::string_view kSurface = "TKM1S", kError = "TKM1E";
struct Head {
    std::uint32_t points, faces;
    std::array<std::uint8_t, 3> color;
};
using Point = std::array<float, 3>;
using Face = std::array<std::uint32_t, 3>;

template <class T> void put(std::string& out, const T* values, std::size_t count)
{
    out.append(reinterpret_cast<const char*>(values), count * sizeof(T));
}

}  // namespace

std::size_t longestWire()
{
    return kSurface.size() + sizeof(Head) + kMostTriangles * (3 * sizeof(Point) + sizeof(Face));
}

std::string wireOf(const Triangles& triangles)
{
    std::string out(kSurface);
    const Head head{std::uint32_t(triangles.points.size()), std::uint32_t(triangles.faces.size()), triangles.color};
    out.reserve(out.size() + sizeof head + head.points * sizeof(Point) + head.faces * sizeof(Face));
    put(out, &head, 1);
    for (const Eigen::Vector3f& p : triangles.points)
        put(out, p.data(), 3);
    put(out, triangles.faces.data(), triangles.faces.size());
    return out;
}

std::string wireOf(const Error& error)
{
    std::string out(kError);
    for (const std::string* text : {&error.code, &error.message, &error.remedy}) {
        out += *text;
        out += '\0';
    }
    return out;
}

std::optional<Result<Triangles>> fromWire(std::string_view bytes)
{
    if (bytes.starts_with(kError)) {
        bytes.remove_prefix(kError.size());
        Error error;
        for (std::string* text : {&error.code, &error.message, &error.remedy}) {
            const std::size_t end = bytes.find('\0');
            if (end == bytes.npos) return std::nullopt;
            *text = bytes.substr(0, end);
            bytes.remove_prefix(end + 1);
        }
        return error;
    }
    Head head;
    if (!bytes.starts_with(kSurface) || bytes.size() < kSurface.size() + sizeof head) return std::nullopt;
    std::memcpy(&head, bytes.data() + kSurface.size(), sizeof head);
    bytes.remove_prefix(kSurface.size() + sizeof head);
    if (bytes.size() != head.points * sizeof(Point) + head.faces * sizeof(Face)) return std::nullopt;
    Triangles out;
    out.color = head.color;
    out.points.resize(head.points);
    for (Eigen::Vector3f& p : out.points) {
        std::memcpy(p.data(), bytes.data(), sizeof(Point));
        bytes.remove_prefix(sizeof(Point));
        if (!p.allFinite()) return std::nullopt;
    }
    out.faces.resize(head.faces);
    if (!bytes.empty()) std::memcpy(out.faces.data(), bytes.data(), bytes.size());
    for (const Face& face : out.faces)
        if (*std::max_element(face.begin(), face.end()) >= head.points) return std::nullopt;
    return out;
}

}  // namespace topikos
