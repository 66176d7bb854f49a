#pragma once
#include "app/layout/mesh_import.h"
#include "core/shape/reduce.h"

#include <cmath>

namespace topikos::test {

/// A waved surface of 2 n^2 triangles with its lighter copy, as if it had come from a file in metres.
inline ReadSurface waveSurface(int n)
{
    ReadSurface read;
    Triangles& wave = read.triangles;
    for (int r = 0; r <= n; ++r)
        for (int c = 0; c <= n; ++c)
            wave.points.push_back({0.002f * float(c), 0.002f * float(r),
                                   0.02f * std::sin(0.05f * float(r)) * std::cos(0.04f * float(c))});
    for (std::uint32_t r = 0; r < std::uint32_t(n); ++r)
        for (std::uint32_t c = 0; c < std::uint32_t(n); ++c) {
            const std::uint32_t at = r * std::uint32_t(n + 1) + c;
            wave.faces.push_back({at, at + 1, at + std::uint32_t(n) + 2});
            wave.faces.push_back({at, at + std::uint32_t(n) + 2, at + std::uint32_t(n) + 1});
        }
    read.light = reduced(wave, kLightTriangles);
    return read;
}

}  // namespace topikos::test
