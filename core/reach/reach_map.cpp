#include "core/reach/reach_map.h"

#include "core/cell/edit_targets.h"
#include "core/cell/margin.h"
#include "core/check/free_ways.h"
#include "core/spatial/limits.h"
#include "core/spatial/rotation.h"
#include "core/shape/mesh.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

namespace topikos {

namespace {

/// Poses over the bodies of a frame, one for each spacing squared of their area. Inside a triangle they follow the
/// additive sequence of Roberts ("The unreasonable effectiveness of quasirandom sequences", 2018).
std::vector<Pose> overSurface(const Frame& frame, double spacing)
{
    std::vector<Pose> out;
    const double share = spacing * spacing;
    double area = 0.5 * share;
    std::uint64_t n = 0;
    for (const Solid& solid : frame.solids) {
        const Triangles triangles = trianglesOf(solidMesh(solid, true));
        for (const auto& face : triangles.faces) {
            const Vec3 a = triangles.points[face[0]].cast<double>(), b = triangles.points[face[1]].cast<double>(),
                       c = triangles.points[face[2]].cast<double>();
            const Vec3 normal = (b - a).cross(c - a);
            area += 0.5 * normal.norm();
            for (; area >= share; area -= share) {
                ++n;
                double u = std::fmod(0.5 + 0.7548776662466927 * double(n), 1.0),
                       v = std::fmod(0.5 + 0.5698402909980532 * double(n), 1.0);
                if (u + v > 1) u = 1 - u, v = 1 - v;
                out.push_back({a + u * (b - a) + v * (c - a), facing(-normal)});
                if (out.size() > kMostSpots) return out;
            }
        }
    }
    return out;
}

ReachSpot judged(const Cell& cell, const ArmStation& station, const Pose& baseFromFrame, const Pose& flangeFromPoint,
                 const Pose& frameFromTcp)
{
    const Arm& arm = *station.model;
    const Solutions found = inverseKinematics(arm, baseFromFrame * frameFromTcp * inverse(flangeFromPoint));
    ReachSpot out{frameFromTcp};
    out.ways = int(found.items.size());
    out.reason = found.reason;
    out.shortfall = found.shortfall;
    out.range = found.range;
    double best = -1;
    for (const Solution& way : found.items)
        if (const double margin = marginOf(cell, arm, way.joints); margin > best) {
            best = margin;
            out.best = way.joints;
        }
    if (!out.reached()) return out;
    out.margin = best;
    const SingularityMargins margins = singularityMargins(arm, out.best);
    double nearest = INFINITY;
    for (const SingularityKind kind : kSingularityKinds) {
        const double caution = cell.thresholds.cautions().of(kind);
        if (!hasKind(arm, kind) || !(caution > 0) || margins.distance(kind) / caution >= nearest) continue;
        nearest = margins.distance(kind) / caution;
        out.kind = kind;
        out.distance = margins.distance(kind);
    }
    out.cautions = nearest;
    return out;
}

}  // namespace

Status checkReachQuery(const Cell& cell, const ReachQuery& query)
{
    const auto bad = [](std::string message, std::string remedy) {
        return Error{"reach.query", std::move(message), "", std::move(remedy)};
    };
    if (!findArm(cell, query.arm)) return bad("the arm is not in the cell", "Choose another one.");
    const Frame* frame = findFrame(cell, query.frame);
    if (query.frame && !frame) return bad("the frame is not in the cell", "Choose another one.");
    if (!(query.spacing >= kFinestSpacing) || !std::isfinite(query.spacing))
        return bad(fmt::format("the spacing cannot be {:.4g} mm", query.spacing * 1000),
                   fmt::format("Give at least {:.0f} mm.", kFinestSpacing * 1000));
    if (Status wrong = checkFreedom(query.freedom)) return wrong;
    if (Status wrong = checkLimit(limits::kFreeTurnStep, query.turnStep, "reach.query")) return wrong;
    const double turns = 2 * std::numbers::pi / query.turnStep;
    const bool turned = query.freedom.kind == Freedom::Kind::Turn || query.freedom.kind == Freedom::Kind::Cone;
    if (turned && std::abs(turns - std::round(turns)) > 1e-6)
        return bad(fmt::format("steps of {:.6g}° do not make up a full turn", degrees(query.turnStep)),
                   fmt::format("Take {:.6g}°, which does.", 360 / std::round(turns)));
    if (query.over == ReachQuery::Over::Surface) {
        if (!frame || frame->solids.empty()) return bad("the frame has no body", "Choose one that has, or a box.");
        return std::nullopt;
    }
    double spots = 1;
    for (int i = 0; i < 3; ++i) {
        const double length = query.highest[i] - query.lowest[i];
        if (!std::isfinite(length) || length < 0)
            return bad(fmt::format("the box has its ends the wrong way round along {}", "xyz"[i]),
                       "Give the lower one first.");
        spots *= std::round(length / query.spacing) + 1;
    }
    if (spots > double(kMostSpots))
        return bad(fmt::format("that would be {:.0f} spots; the most are {}", spots, kMostSpots),
                   "Make the box smaller or the spacing wider.");
    return std::nullopt;
}

const char* noSolutionName(NoSolution reason)
{
    switch (reason) {
    case NoSolution::TooFar: return "too-far";
    case NoSolution::TooClose: return "too-close";
    case NoSolution::JointRange: return "joint-range";
    case NoSolution::Orientation: return "orientation";
    case NoSolution::NotFound: return "not-found";
    case NoSolution::None: break;
    }
    return "";
}

size_t ReachMap::reached() const
{
    return size_t(std::count_if(spots.begin(), spots.end(), [](const ReachSpot& s) { return s.reached(); }));
}

Result<ReachMap> reachMap(const Cell& cell, const ReachQuery& query,
                          const std::function<void(const ReachMap&)>& partial)
{
    if (Status bad = checkReachQuery(cell, query)) return *bad;
    const ArmStation& station = *findArm(cell, query.arm);
    const Pose baseFromFrame =
        inverse(worldFromBase(cell, station, query.axes)) * worldFromFrame(cell, query.frame, query.axes);
    const Pose& flangeFromPoint = flangeFromTcp(cell, station);
    ReachMap map;
    const auto judge = [&](ReachSpot& spot) {
        if (query.freedom.kind == Freedom::Kind::Fixed) {
            spot = judged(cell, station, baseFromFrame, flangeFromPoint, spot.frameFromTcp);
            return;
        }
        const Pose asked = spot.frameFromTcp;
        std::optional<ReachSpot> best;
        for (const FreeWay& free : posesWithin(query.freedom, asked, query.turnStep)) {
            ReachSpot own = judged(cell, station, baseFromFrame, flangeFromPoint, free.frameFromTcp);
            // Of those that are not reached the one that lacks least, where that can be compared.
            const bool better = !best || own.margin > best->margin || (own.reached() && !best->reached())
                                || (!own.reached() && !best->reached() && own.reason == best->reason
                                    && own.shortfall < best->shortfall);
            if (better) best = std::move(own);
        }
        spot = std::move(*best);
    };
    if (query.over == ReachQuery::Over::Surface) {
        for (const Pose& pose : overSurface(*findFrame(cell, query.frame), query.spacing))
            map.spots.push_back({pose});
        if (map.spots.size() > kMostSpots)
            return Error{"reach.query", fmt::format("that would be more than {} spots", kMostSpots), "",
                         "Make the spacing wider."};
        for (size_t i = 0; i < map.spots.size(); ++i) {
            if (i % 256 == 0 && query.stop.stop_requested()) return map;
            judge(map.spots[i]);
        }
        map.complete = true;
        return map;
    }
    std::array<double, 3> step{};
    for (size_t i = 0; i < 3; ++i) {
        const double length = query.highest[Eigen::Index(i)] - query.lowest[Eigen::Index(i)];
        map.counts[i] = int(std::round(length / query.spacing)) + 1;
        step[i] = map.counts[i] > 1 ? length / (map.counts[i] - 1) : 0;
    }
    const auto [columns, rows, layers] = map.counts;
    for (int z = 0; z < layers; ++z)
        for (int y = 0; y < rows; ++y)
            for (int x = 0; x < columns; ++x)
                map.spots.push_back({{query.lowest + Vec3(x * step[0], y * step[1], z * step[2]), query.frameFromTcp}});
    const auto at = [&map, columns = columns, rows = rows](int x, int y, int z) -> ReachSpot& {
        return map.spots[(size_t(z) * size_t(rows) + size_t(y)) * size_t(columns) + size_t(x)];
    };
    const int coarsest = partial ? 8 : 1;
    for (int stride = coarsest; stride >= 1; stride /= 2) {
        size_t looked = 0;
        for (int z = 0; z < layers; z += stride)
            for (int y = 0; y < rows; y += stride)
                for (int x = 0; x < columns; x += stride) {
                    const bool known =
                        stride < coarsest && x % (2 * stride) == 0 && y % (2 * stride) == 0 && z % (2 * stride) == 0;
                    if (known) continue;
                    if (++looked % 256 == 0 && query.stop.stop_requested()) return map;
                    judge(at(x, y, z));
                }
        if (stride == 1) break;
        if (!partial) continue;
        ReachMap shown = map;
        for (int z = 0; z < layers; ++z)
            for (int y = 0; y < rows; ++y)
                for (int x = 0; x < columns; ++x) {
                    const Pose own = at(x, y, z).frameFromTcp;
                    ReachSpot& spot = shown.spots[(size_t(z) * size_t(rows) + size_t(y)) * size_t(columns) + size_t(x)];
                    spot = at(x - x % stride, y - y % stride, z - z % stride);
                    spot.frameFromTcp = own;
                }
        partial(shown);
    }
    map.complete = true;
    return map;
}

namespace {

using Edges = std::vector<std::pair<Vec3, Vec3>>;

Edges edgeOfBox(const ReachMap& map)
{
    Edges out;
    std::vector<size_t> axes;
    for (size_t i = 0; i < 3; ++i)
        if (map.counts[i] > 1) axes.push_back(i);
    if (axes.size() < 2) return out;
    const size_t a = axes[0], b = axes[1];
    const std::array<size_t, 3> stride{1, size_t(map.counts[0]), size_t(map.counts[0]) * size_t(map.counts[1])};
    const auto place = [&](size_t i) -> const Vec3& { return map.spots[i].frameFromTcp.translation; };
    const Vec3 stepA = place(stride[a]) - place(0), stepB = place(stride[b]) - place(0);
    const auto between = [&](size_t i, size_t other, const Vec3& side) {
        if (map.spots[i].reached() == map.spots[other].reached()) return;
        const Vec3 middle = 0.5 * (place(i) + place(other));
        out.emplace_back(middle - 0.5 * side, middle + 0.5 * side);
    };
    for (size_t i = 0; i < map.spots.size(); ++i) {
        if (int(i / stride[a]) % map.counts[a] + 1 < map.counts[a]) between(i, i + stride[a], stepB);
        if (int(i / stride[b]) % map.counts[b] + 1 < map.counts[b]) between(i, i + stride[b], stepA);
    }
    return out;
}

Edges edgeOnSurface(const ReachMap& map, double spacing)
{
    constexpr double overIt = 0.001, sameWay = 0.5;  // [m]; cosine
    const double near = 1.5 * spacing;
    const auto cellOf = [near](const Vec3& at, const Eigen::Vector3i& off) {
        const Eigen::Vector3i c = (at / near).array().floor().cast<int>().matrix() + off;
        return std::array<int, 3>{c[0], c[1], c[2]};
    };
    std::map<std::array<int, 3>, std::vector<size_t>> reached;
    for (size_t i = 0; i < map.spots.size(); ++i)
        if (map.spots[i].reached()) reached[cellOf(map.spots[i].frameFromTcp.translation, {0, 0, 0})].push_back(i);
    Edges out;
    for (const ReachSpot& spot : map.spots) {
        if (spot.reached()) continue;
        const Vec3 at = spot.frameFromTcp.translation, normal = -(spot.frameFromTcp.rotation * Vec3::UnitZ());
        for (int k = 0; k < 27; ++k) {
            const auto found = reached.find(cellOf(at, {k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1}));
            if (found == reached.end()) continue;
            for (const size_t i : found->second) {
                const Pose& other = map.spots[i].frameFromTcp;
                const Vec3 across = other.translation - at;
                if (across.norm() > near || across.norm() < 1e-9) continue;
                if (-(other.rotation * Vec3::UnitZ()).dot(normal) < sameWay) continue;
                const Vec3 middle = 0.5 * (at + other.translation) + overIt * normal;
                const Vec3 side = 0.5 * spacing * normal.cross(across).normalized();
                out.emplace_back(middle - side, middle + side);
            }
        }
    }
    return out;
}

}  // namespace

std::vector<std::pair<Vec3, Vec3>> reachEdge(const ReachMap& map, const ReachQuery& query)
{
    if (map.spots.empty()) return {};
    return query.over == ReachQuery::Over::Surface ? edgeOnSurface(map, query.spacing) : edgeOfBox(map);
}

}  // namespace topikos
