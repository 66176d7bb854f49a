#include "core/surface/draw.h"

#include "core/cell/edit_support.h"
#include "core/cell/pattern.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace topikos {

namespace {

constexpr double kSame = 1e-7;                 // places nearer than this are one [m]
const double kSharp = std::cos(20 * kDegree);  // a line that turns by more has a corner there

/// Ways along a line: where it is after so many metres.
class Walk {
public:
    explicit Walk(const SurfaceLine& line) : m_spots(line.spots)
    {
        if (line.closed && m_spots.size() > 1) m_spots.push_back(m_spots.front());
        m_away.push_back(0);
        for (size_t i = 1; i < m_spots.size(); ++i)
            m_away.push_back(m_away.back() + (m_spots[i].at - m_spots[i - 1].at).norm());
    }
    double length() const { return m_away.back(); }
    SurfaceSpot at(double away) const
    {
        const size_t i = pieceAt(away);
        if (i == 0) return m_spots.front();
        const double piece = m_away[i] - m_away[i - 1], part = piece > 0 ? (away - m_away[i - 1]) / piece : 1;
        const SurfaceSpot &a = m_spots[i - 1], &b = m_spots[i];
        // The piece lies in the face of its end, unless it is at that end and the line goes on.
        return {a.at + std::clamp(part, 0.0, 1.0) * (b.at - a.at), b.face};
    }
    /// How far the line departs from the chord between two ways.
    double departure(double from, double to) const
    {
        const Vec3 a = at(from).at, b = at(to).at, chord = b - a;
        double most = 0;
        for (size_t i = 0; i < m_spots.size(); ++i) {
            if (m_away[i] <= from || m_away[i] >= to) continue;
            const Vec3 p = m_spots[i].at - a;
            const double t = chord.squaredNorm() > 0 ? std::clamp(p.dot(chord) / chord.squaredNorm(), 0.0, 1.0) : 0;
            most = std::max(most, (p - t * chord).norm());
        }
        return most;
    }
    const std::vector<double>& stops() const { return m_away; }
    /// Ways to its sharp corners, and to its end.
    std::vector<double> corners() const
    {
        std::vector<double> out;
        for (size_t i = 1; i + 1 < m_spots.size(); ++i) {
            const Vec3 before = m_spots[i].at - m_spots[i - 1].at, behind = m_spots[i + 1].at - m_spots[i].at;
            if (before.normalized().dot(behind.normalized()) < kSharp) out.push_back(m_away[i]);
        }
        out.push_back(length());
        return out;
    }

private:
    size_t pieceAt(double away) const
    {
        const auto it = std::lower_bound(m_away.begin(), m_away.end(), away - 1e-12);
        return it == m_away.end() ? m_away.size() - 1 : size_t(it - m_away.begin());
    }
    std::vector<SurfaceSpot> m_spots;
    std::vector<double> m_away;
};

/// Where points stand along a line.
std::vector<double> waysBySpacing(const Walk& walk, double spacing)
{
    std::vector<double> out;
    // A rest shorter than a tenth of a hair's breadth is none. Corners are points, and the spacing begins anew there.
    double from = 0;
    for (const double to : walk.corners()) {
        const auto count = size_t(std::floor((to - from) / spacing + 1e-9));
        for (size_t i = 0; i <= count; ++i)
            if (const double way = std::min(from + double(i) * spacing, to); to - way > 1e-6) out.push_back(way);
        from = to;
    }
    out.push_back(walk.length());
    return out;
}
std::vector<double> waysByChord(const Walk& walk, double chord, size_t most)
{
    // As far as the chord holds, each time; between two corners of the line by halving.
    std::vector<double> out{0};
    const std::vector<double>& stops = walk.stops();
    size_t next = 1;
    while (out.back() < walk.length() - 1e-9 && out.size() <= most) {
        const double from = out.back();
        while (next < stops.size() && stops[next] <= from + 1e-12)
            ++next;
        size_t reach = next;
        while (reach + 1 < stops.size() && walk.departure(from, stops[reach + 1]) <= chord)
            ++reach;
        double low = stops[std::min(reach, stops.size() - 1)];
        if (reach + 1 < stops.size()) {
            double high = stops[reach + 1];
            for (int i = 0; i < 30; ++i) {
                const double middle = (low + high) / 2;
                (walk.departure(from, middle) <= chord ? low : high) = middle;
            }
        }
        out.push_back(std::max(low, from + 1e-6));
    }
    out.back() = walk.length();
    return out;
}

}  // namespace

SurfaceLine lineThrough(const BodySurface& surface, const std::vector<SurfaceSpot>& spots, bool closed)
{
    SurfaceLine line{{}, closed && spots.size() > 2};
    const auto add = [&](const SurfaceSpot& spot) {
        if (line.spots.empty() || (spot.at - line.spots.back().at).norm() > kSame) line.spots.push_back(spot);
    };
    if (!spots.empty()) add(spots.front());
    for (size_t i = 1; i < spots.size() + (line.closed ? 1 : 0); ++i) {
        const SurfaceSpot &from = spots[i - 1], &to = spots[i % spots.size()];
        if ((to.at - from.at).norm() <= kSame) continue;
        if (const auto cut = surface.cut(from, to)) {
            for (const SurfaceSpot& spot : *cut)
                add(spot);
            continue;
        }
        constexpr int kPieces = 64;
        for (int k = 1; k < kPieces; ++k)
            add(surface.nearest(from.at + (to.at - from.at) * (double(k) / kPieces)));
        add(to);
    }
    if (line.closed && line.spots.size() > 1 && (line.spots.back().at - line.spots.front().at).norm() <= kSame)
        line.spots.pop_back();
    return line;
}

std::optional<SurfaceLine> edgeLine(const BodySurface& surface, const SurfaceSpot& spot, double within)
{
    const auto& edges = surface.edges();
    size_t first = edges.size();
    double nearest = within;
    const Vec3 wanted = surface.faceNormal(spot.face);
    const auto sideOf = [&](size_t e, const Vec3& normal) {
        return surface.faceNormal(edges[e].face).dot(normal) >= surface.faceNormal(edges[e].other).dot(normal)
                   ? edges[e].face
                   : edges[e].other;
    };
    for (size_t e = 0; e < edges.size(); ++e) {
        const Vec3 &a = surface.corner(edges[e].a), &b = surface.corner(edges[e].b);
        const double t = std::clamp((spot.at - a).dot(b - a) / (b - a).squaredNorm(), 0.0, 1.0);
        const double away = (a + t * (b - a) - spot.at).norm();
        // Of edges equally near, that of the face that was meant.
        const double matching = surface.faceNormal(sideOf(e, wanted)).dot(wanted);
        if (away - 1e-6 * matching < nearest) nearest = away - 1e-6 * matching, first = e;
    }
    if (first == edges.size()) return std::nullopt;
    std::multimap<std::uint32_t, size_t> at;
    for (size_t e = 0; e < edges.size(); ++e)
        at.insert({edges[e].a, e}), at.insert({edges[e].b, e});

    std::vector<bool> used(edges.size(), false);
    used[first] = true;
    // From one end on, and if that does not come back, from the other end too.
    struct Piece {
        std::uint32_t corner, face;
    };
    const auto follow = [&](std::uint32_t start, std::uint32_t end) {
        std::vector<Piece> out;
        std::uint32_t before = start, corner = end, face = sideOf(first, wanted);
        while (true) {
            out.push_back({corner, face});
            if (out.size() > edges.size()) break;
            const Vec3 way = (surface.corner(corner) - surface.corner(before)).normalized();
            const Vec3 normal = surface.faceNormal(face);
            size_t best = edges.size();
            double bestScore = -INFINITY;
            const auto [from, to] = at.equal_range(corner);
            for (auto it = from; it != to; ++it) {
                const size_t e = it->second;
                if (used[e]) continue;
                const std::uint32_t other = edges[e].a == corner ? edges[e].b : edges[e].a;
                const Vec3 next = (surface.corner(other) - surface.corner(corner)).normalized();
                const double score =
                    2 * std::min(0.9, surface.faceNormal(sideOf(e, normal)).dot(normal)) + next.dot(way);
                if (score > bestScore) best = e, bestScore = score;
            }
            if (best == edges.size()) break;
            used[best] = true;
            before = corner;
            corner = edges[best].a == corner ? edges[best].b : edges[best].a;
            face = sideOf(best, normal);
            if (corner == start) {
                out.push_back({corner, face});
                return std::pair(out, true);
            }
        }
        return std::pair(out, false);
    };
    const auto asSpot = [&](const Piece& p) { return SurfaceSpot{surface.corner(p.corner), p.face}; };
    SurfaceLine line;
    // With the face on the left, seen from outside, which is how faces go round their edges.
    auto [ahead, closed] = follow(edges[first].a, edges[first].b);
    line.closed = closed;
    if (closed) {
        for (const Piece& p : ahead)
            line.spots.push_back(asSpot(p));
        return line;
    }
    const auto [behind, unused] = follow(edges[first].b, edges[first].a);
    for (auto it = behind.rbegin(); it != behind.rend(); ++it)
        line.spots.push_back(asSpot(*it));
    for (const Piece& p : ahead)
        line.spots.push_back(asSpot(p));
    return line;
}

std::vector<SurfacePoint> pointsAt(const BodySurface& surface, const std::vector<SurfaceSpot>& spots, double radius)
{
    std::vector<SurfacePoint> out;
    for (const SurfaceSpot& spot : spots)
        out.push_back({std::uint32_t(out.size()), spot.at, surface.normal(spot, radius), 0});
    return out;
}

Result<std::vector<SurfacePoint>> pointsAlong(const BodySurface& surface, const SurfaceLine& line, const DrawRule& rule)
{
    const bool spacing = rule.kind == DrawRule::Kind::Spacing;
    if (Status bad = spacing ? checkLimit(limits::kSpacing, rule.spacing, "draw.spacing")
                             : checkLimit(limits::kChord, rule.chord, "draw.chord"))
        return *bad;
    if (Status bad = checkLimit(limits::kSmoothing, rule.radius, "draw.radius")) return *bad;
    const Walk walk(line);
    if (line.spots.size() < 2 || walk.length() < 1e-5)
        return Error{"draw.short", "the line is shorter than a hundredth of a millimetre", "", "Draw it further."};
    const auto most = size_t(limits::kPlaces.most);
    if (spacing && walk.length() / rule.spacing > double(most))
        return Error{"draw.many",
                     fmt::format("{:.0f} mm by {:.4g} mm are more than {} points", walk.length() * 1000,
                                 rule.spacing * 1000, most),
                     "", "Choose a wider spacing."};
    std::vector<double> ways = spacing ? waysBySpacing(walk, rule.spacing) : waysByChord(walk, rule.chord, most);
    if (line.closed) ways.pop_back();  // which is the first again
    if (ways.size() > most)
        return Error{"draw.many",
                     fmt::format("a chord error of {:.4g} mm takes more than {} points", rule.chord * 1000, most), "",
                     "Choose a coarser one."};
    std::vector<SurfaceSpot> spots;
    for (const double way : ways)
        spots.push_back(walk.at(way));
    if (!line.spots.empty()) spots.front() = line.spots.front();
    return pointsAt(surface, spots, rule.radius);
}

Result<Drawing> respaced(const BodySurface& surface, Drawing drawing, const DrawRule& rule)
{
    std::vector<SurfaceSpot> spots;
    for (const SurfacePoint& p : drawing.points)
        spots.push_back(surface.nearest(p.at));
    Result<std::vector<SurfacePoint>> line = pointsAlong(surface, lineThrough(surface, spots, drawing.closed), rule);
    if (!line) return line.error();
    std::vector<SurfacePoint> points = std::move(line).value();
    std::uint32_t free = freeNumber(drawing);
    for (size_t i = 0; i < points.size(); ++i) {
        const bool known = i < drawing.points.size();
        points[i].number = known ? drawing.points[i].number : free++;
        if (known) points[i].turn = drawing.points[i].turn;
    }
    drawing.points = std::move(points);
    drawing.radius = rule.radius;
    return drawing;
}

namespace {

SurfacePoint onSurface(const BodySurface& surface, SurfacePoint point, const Vec3& at, double radius)
{
    const SurfaceSpot spot = surface.nearest(at);
    point.at = spot.at;
    point.normal = surface.normal(spot, radius);
    return point;
}

}  // namespace

Drawing smoothed(const BodySurface& surface, Drawing drawing, double radius)
{
    drawing.radius = radius;
    for (SurfacePoint& p : drawing.points) {
        // At an edge the side that it was drawn on.
        const SurfaceSpot inside = surface.nearest(p.at), beside = surface.nearest(p.at + 1e-5 * p.normal);
        const bool second =
            surface.faceNormal(beside.face).dot(p.normal) > surface.faceNormal(inside.face).dot(p.normal);
        p.normal = surface.normal({p.at, second ? beside.face : inside.face}, radius);
    }
    return drawing;
}

Drawing withPointAt(const BodySurface& surface, Drawing drawing, size_t point, const SurfaceSpot& spot)
{
    drawing.points[point].at = spot.at;
    drawing.points[point].normal = surface.normal(spot, drawing.radius);
    return drawing;
}

Drawing withPoint(const BodySurface& surface, Drawing drawing, size_t at, const SurfaceSpot& spot)
{
    const SurfacePoint point{freeNumber(drawing), spot.at, surface.normal(spot, drawing.radius), 0};
    drawing.points.insert(drawing.points.begin() + std::ptrdiff_t(at), point);
    return drawing;
}

Drawing shifted(const BodySurface& surface, Drawing drawing, const Vec3& by)
{
    for (SurfacePoint& p : drawing.points)
        p = onSurface(surface, p, p.at + by, drawing.radius);
    return drawing;
}

Drawing mirrored(const BodySurface& surface, Drawing drawing, int axis)
{
    for (SurfacePoint& p : drawing.points) {
        Vec3 at = p.at;
        at[axis] = -at[axis];
        p = onSurface(surface, p, at, drawing.radius);
    }
    return drawing;
}

Result<Cell> addDrawnGroup(const Cell& cell, ArmId arm, const DrawnOn& body, Drawing drawing, const std::string& name,
                           const JointVector& posture, const AxisValues& axes, PatternId* created)
{
    const ArmStation* station = findArm(cell, arm);
    if (!station) return missing("arm");
    Pattern group;
    group.name = name;
    group.content = Pattern::Content::Targets;
    group.layout = Pattern::Layout::Drawn;
    group.arm = arm;
    group.tool = station->tool;
    group.configuration = configurationOf(*station->model, posture);
    if (const auto* frame = std::get_if<FrameId>(&body)) {
        group.frame = *frame;
    } else {
        const Part* part = findPart(cell, std::get<PartId>(body));
        if (!part) return missing("part");
        group.frame = part->frame;
        group.first = part->pose;
        drawing.part = part->id;
    }
    for (const FrameId axis : axesBetween(cell, station->mount, group.frame))
        group.axes.push_back({axis, axisValue(*findFrame(cell, axis), axes)});
    group.drawing = std::move(drawing);
    return addPattern(cell, group, created);
}

const std::vector<Solid>& bodyOf(const Cell& cell, const Pattern& pattern)
{
    static const std::vector<Solid> none;
    if (const Part* part = findPart(cell, pattern.drawing.part)) return partSolids(cell, *part);
    const Frame* frame = findFrame(cell, pattern.frame);
    return frame ? frame->solids : none;
}

}  // namespace topikos
