#include "core/shape/solid.h"

#include "core/spatial/limits.h"

#include <fmt/format.h>

namespace topikos {

namespace {

double cross(const Eigen::Vector2d& a, const Eigen::Vector2d& b) { return a[0] * b[1] - a[1] * b[0]; }

bool meet(const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c, const Eigen::Vector2d& d)
{
    const double u = cross(b - a, c - a), v = cross(b - a, d - a), s = cross(d - c, a - c), t = cross(d - c, b - c);
    return ((u > 0) != (v > 0)) && ((s > 0) != (t > 0));
}

Status checkOutline(const std::vector<Eigen::Vector2d>& outline)
{
    const auto fail = [](std::string message) {
        return Error{"shape.outline", std::move(message), "", "Correct the corners of the outline."};
    };
    const size_t n = outline.size();
    if (Status bad = checkLimit(limits::kCorners, double(n), "shape.outline")) return bad;
    double area = 0;
    for (size_t i = 0; i < n; ++i) {
        const Eigen::Vector2d &a = outline[i], &b = outline[(i + 1) % n];
        if (!a.allFinite() || a.cwiseAbs().maxCoeff() > limits::kSize.most)
            return fail(fmt::format("corner {} of the outline is not within {:.0f} m", i + 1, limits::kSize.most));
        if ((b - a).norm() < 1e-7)
            return fail(fmt::format("corners {} and {} of the outline are the same", i + 1, (i + 1) % n + 1));
        area += 0.5 * cross(a, b);
        for (size_t k = i + 2; k < n; ++k)
            if ((i > 0 || k + 1 < n) && meet(a, b, outline[k], outline[(k + 1) % n]))
                return fail(fmt::format("the outline crosses itself at edges {} and {}", i + 1, k + 1));
    }
    if (std::abs(area) < 1e-10) return fail("the outline encloses no area");
    return std::nullopt;
}

}  // namespace

Status checkSolid(const Solid& s)
{
    const auto fail = [](const char* code, std::string message) {
        return Error{code, std::move(message), "", "Choose another one."};
    };
    for (const double coordinate : s.pose.translation)
        if (Status bad = checkLimit(limits::kOffset, coordinate, "shape.place")) return bad;
    if (s.kind == Solid::Kind::Mesh) {
        if (!s.surface.drawn || !s.surface.light || s.surface.drawn->faces.empty())
            return fail("shape.surface", "a shape from a file must have a surface");
        return std::nullopt;
    }
    const bool pointed = s.kind == Solid::Kind::Cone && s.size[1] == 0;
    for (int i = 0; i < 3; ++i)
        if (!(pointed && i == 1))
            if (Status bad = checkLimit(limits::kSize, s.size[i], "shape.size")) return bad;
    return s.kind == Solid::Kind::Extrusion ? checkOutline(s.outline) : std::nullopt;
}

}  // namespace topikos
