#include "core/shape/solid.h"

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
    if (n < 3 || n > 500) return fail(fmt::format("an outline of {} corners is not possible; 3 to 500 are", n));
    double area = 0;
    for (size_t i = 0; i < n; ++i) {
        const Eigen::Vector2d &a = outline[i], &b = outline[(i + 1) % n];
        if (!a.allFinite() || a.cwiseAbs().maxCoeff() > 100)
            return fail(fmt::format("corner {} of the outline is not within 100 m", i + 1));
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
        return Error{code, std::move(message), "", "Give a size in that range."};
    };
    if (!s.pose.translation.allFinite() || s.pose.translation.cwiseAbs().maxCoeff() > 1000)
        return fail("shape.place", "a shape must lie within 1000 m of its origin");
    if (s.kind == Solid::Kind::Mesh) {
        if (!s.surface.drawn || !s.surface.light || s.surface.drawn->faces.empty())
            return fail("shape.surface", "a shape from a file must have a surface");
        return std::nullopt;
    }
    const bool pointed = s.kind == Solid::Kind::Cone && s.size[1] == 0;
    for (int i = 0; i < 3; ++i)
        if (!(s.size[i] > 0 || (pointed && i == 1)) || s.size[i] > 100)
            return fail("shape.size", fmt::format("a size of {:.6g} mm is not possible; above 0 and up to 100000 mm is",
                                                  s.size[i] * 1000));
    return s.kind == Solid::Kind::Extrusion ? checkOutline(s.outline) : std::nullopt;
}

}  // namespace topikos
