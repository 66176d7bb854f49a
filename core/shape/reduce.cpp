#include "core/shape/reduce.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace topikos {

namespace {

/// One point per cube of the grid: the mean of those in it.
Triangles clustered(const Triangles& surface, const Eigen::Vector3f& low, float edge, double* moved)
{
    std::unordered_map<std::uint64_t, std::uint32_t> cubes;
    std::vector<std::uint32_t> cubeOf(surface.points.size());
    std::vector<Eigen::Vector3d> sum;
    std::vector<std::uint32_t> count;
    for (size_t i = 0; i < surface.points.size(); ++i) {
        const Eigen::Vector3f at = (surface.points[i] - low) / edge;
        const std::uint64_t key = (std::uint64_t(at[0]) << 42) | (std::uint64_t(at[1]) << 21) | std::uint64_t(at[2]);
        const auto [it, fresh] = cubes.try_emplace(key, std::uint32_t(sum.size()));
        if (fresh) sum.push_back(Eigen::Vector3d::Zero()), count.push_back(0);
        cubeOf[i] = it->second;
        sum[it->second] += surface.points[i].cast<double>();
        ++count[it->second];
    }
    Triangles out;
    out.color = surface.color;
    for (size_t i = 0; i < sum.size(); ++i)
        out.points.push_back((sum[i] / count[i]).cast<float>());
    std::vector<std::array<std::uint32_t, 3>> sorted;
    for (const auto& face : surface.faces) {
        std::array<std::uint32_t, 3> f{cubeOf[face[0]], cubeOf[face[1]], cubeOf[face[2]]};
        if (f[0] == f[1] || f[1] == f[2] || f[2] == f[0]) continue;
        std::rotate(f.begin(), std::min_element(f.begin(), f.end()), f.end());
        sorted.push_back(f);
    }
    std::sort(sorted.begin(), sorted.end());
    sorted.erase(std::unique(sorted.begin(), sorted.end()), sorted.end());
    out.faces = std::move(sorted);
    if (moved) {
        float most = 0;
        for (size_t i = 0; i < surface.points.size(); ++i)
            most = std::max(most, (surface.points[i] - out.points[cubeOf[i]]).squaredNorm());
        *moved = std::sqrt(double(most));
    }
    return out;
}

}  // namespace

Triangles reduced(const Triangles& surface, std::size_t most, double* moved)
{
    if (moved) *moved = 0;
    if (surface.faces.size() <= most) return surface;
    Eigen::AlignedBox3f box;
    for (const Eigen::Vector3f& p : surface.points)
        box.extend(p);
    const float size = box.sizes().maxCoeff();
    // The number of triangles goes with the square of the fineness.
    double low = 2, high = 1 << 20;
    Triangles best;
    double bestMoved = 0;
    for (int i = 0; i < 12; ++i) {
        const double cells = i == 0 ? std::clamp(std::sqrt(double(most)), low, high) : std::sqrt(low * high);
        double away = 0;
        Triangles now = clustered(surface, box.min(), float(size / cells), &away);
        if (now.faces.size() > most || now.faces.empty()) {
            (now.faces.empty() ? low : high) = cells;
        } else {
            low = cells;
            best = std::move(now);
            bestMoved = away;
            if (double(best.faces.size()) > 0.8 * double(most)) break;
        }
    }
    if (best.faces.empty()) return surface;
    if (moved) *moved = bestMoved;
    return best;
}

std::size_t repairNormals(Triangles& surface)
{
    const std::vector<std::uint32_t> place = placeNumbers(surface.points);
    struct Side {
        std::uint32_t face;
        bool upward;  ///< runs from the lower to the higher corner
    };
    /// The first two faces at an edge, and how many there are.
    struct Meeting {
        std::array<Side, 2> sides;
        std::uint32_t count = 0;
    };
    std::unordered_map<std::uint64_t, Meeting> edges;
    edges.reserve(2 * surface.faces.size());
    const auto key = [](std::uint32_t a, std::uint32_t b) {
        return (std::uint64_t(std::min(a, b)) << 32) | std::max(a, b);
    };
    for (std::uint32_t f = 0; f < surface.faces.size(); ++f)
        for (size_t k = 0; k < 3; ++k) {
            const std::uint32_t a = place[surface.faces[f][k]], b = place[surface.faces[f][(k + 1) % 3]];
            Meeting& m = edges[key(a, b)];
            if (m.count < 2) m.sides[m.count] = {f, a < b};
            ++m.count;
        }
    std::vector<signed char> turn(surface.faces.size(), -1);  // -1 unseen, 0 as it is, 1 turned
    std::size_t count = 0;
    for (std::uint32_t start = 0; start < surface.faces.size(); ++start) {
        if (turn[start] >= 0) continue;
        std::vector<std::uint32_t> piece{start};
        turn[start] = 0;
        bool closed = true;
        for (size_t i = 0; i < piece.size(); ++i) {
            const auto& face = surface.faces[piece[i]];
            for (size_t k = 0; k < 3; ++k) {
                const std::uint32_t a = place[face[k]], b = place[face[(k + 1) % 3]];
                const auto& [sides, meeting] = edges[key(a, b)];
                if (meeting != 2) {
                    closed = false;
                    continue;
                }
                const Side& other = sides[0].face == piece[i] ? sides[1] : sides[0];
                if (turn[other.face] >= 0) continue;
                turn[other.face] = (other.upward == (a < b)) ? !turn[piece[i]] : turn[piece[i]];
                piece.push_back(other.face);
            }
        }
        double volume = 0;
        size_t turned = 0;
        for (const std::uint32_t f : piece) {
            const auto& face = surface.faces[f];
            const double v = surface.points[face[0]].cast<double>().dot(
                surface.points[face[1]].cast<double>().cross(surface.points[face[2]].cast<double>()));
            volume += turn[f] ? -v : v;
            turned += size_t(turn[f]);
        }
        const bool flip = closed ? volume < 0 : 2 * turned > piece.size();
        for (const std::uint32_t f : piece)
            if ((turn[f] != 0) != flip) {
                std::swap(surface.faces[f][1], surface.faces[f][2]);
                ++count;
            }
    }
    return count;
}

}  // namespace topikos
