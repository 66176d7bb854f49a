#include "core/contact/nearest.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace topikos {

namespace {

/// A corner of the difference of two bodies: a point of a less one of b.
struct Corner {
    Vec3 w, a, b;
};

/// Up to four corners, and how much each counts in the point of their hull that is nearest to the origin.
struct Simplex {
    std::array<Corner, 4> corners;
    std::array<double, 4> weights{};
    int count = 0;

    Vec3 point() const
    {
        Vec3 out = Vec3::Zero();
        for (int i = 0; i < count; ++i)
            out += weights[size_t(i)] * corners[size_t(i)].w;
        return out;
    }
};

/// Weights of the point of some of the corners that is nearest to the origin, and its distance squared.
struct Candidate {
    std::array<double, 4> weights{};
    double squared = INFINITY;
};

void offer(Candidate& best, const Simplex& s, const std::array<double, 4>& weights)
{
    Vec3 at = Vec3::Zero();
    for (int i = 0; i < s.count; ++i)
        at += weights[size_t(i)] * s.corners[size_t(i)].w;
    const double squared = at.squaredNorm();
    if (squared >= best.squared) return;
    best = {weights, squared};
}

void ofEdge(Candidate& best, const Simplex& s, int i, int k)
{
    const Vec3 &a = s.corners[size_t(i)].w, &b = s.corners[size_t(k)].w;
    const Vec3 way = b - a;
    const double length = way.squaredNorm();
    const double t = length > 0 ? std::clamp(-a.dot(way) / length, 0.0, 1.0) : 0;
    std::array<double, 4> weights{};
    weights[size_t(i)] = 1 - t;
    weights[size_t(k)] = t;
    offer(best, s, weights);
}

void ofFace(Candidate& best, const Simplex& s, int i, int j, int k)
{
    const Vec3 &a = s.corners[size_t(i)].w, &b = s.corners[size_t(j)].w, &c = s.corners[size_t(k)].w;
    const Vec3 ab = b - a, ac = c - a, n = ab.cross(ac);
    const double area = n.squaredNorm();
    if (area > 1e-24 * ab.squaredNorm() * ac.squaredNorm()) {
        // Where the perpendicular from the origin meets the plane.
        const double u = b.cross(c).dot(n) / area, v = c.cross(a).dot(n) / area, w = 1 - u - v;
        if (u >= 0 && v >= 0 && w >= 0) {
            std::array<double, 4> weights{};
            weights[size_t(i)] = u;
            weights[size_t(j)] = v;
            weights[size_t(k)] = w;
            offer(best, s, weights);
            return;
        }
    }
    ofEdge(best, s, i, j);
    ofEdge(best, s, j, k);
    ofEdge(best, s, k, i);
}

/// Brings a simplex down to the corners that its nearest point lies between; false when the origin is inside it.
bool reduce(Simplex& s)
{
    Candidate best;
    switch (s.count) {
    case 1: offer(best, s, {1, 0, 0, 0}); break;
    case 2: ofEdge(best, s, 0, 1); break;
    case 3: ofFace(best, s, 0, 1, 2); break;
    default: {
        const Vec3 &a = s.corners[0].w, &b = s.corners[1].w, &c = s.corners[2].w, &d = s.corners[3].w;
        const double volume = (b - a).dot((c - a).cross(d - a));
        const double size = (b - a).norm() * (c - a).norm() * (d - a).norm();
        if (std::abs(volume) > 1e-14 * size) {
            // The origin's own coordinates in the tetrahedron.
            const double u = -a.dot((c - a).cross(d - a)) / volume, v = (b - a).dot((-a).cross(d - a)) / volume,
                         w = (b - a).dot((c - a).cross(-a)) / volume;
            if (u >= 0 && v >= 0 && w >= 0 && u + v + w <= 1) {
                s.weights = {1 - u - v - w, u, v, w};
                return false;
            }
        }
        ofFace(best, s, 0, 1, 2);
        ofFace(best, s, 0, 1, 3);
        ofFace(best, s, 0, 2, 3);
        ofFace(best, s, 1, 2, 3);
    }
    }
    Simplex out;
    for (int i = 0; i < s.count; ++i) {
        if (!(best.weights[size_t(i)] > 0)) continue;
        out.corners[size_t(out.count)] = s.corners[size_t(i)];
        out.weights[size_t(out.count++)] = best.weights[size_t(i)];
    }
    s = out;
    return true;
}

}  // namespace

Nearest nearest(const Convex& a, const Convex& b, const Pose& aFromB, double upTo)
{
    // All in the frame of a's own points.
    const Pose placed = inverse(a.pose) * aFromB * b.pose;
    const Mat3 turn = placed.matrix(), back = turn.transpose();
    const double margins = a.margin + b.margin;
    const auto corner = [&](const Vec3& direction) {
        Corner out;
        out.a = a.furthest(direction);
        out.b = turn * b.furthest(back * -direction) + placed.translation;
        out.w = out.a - out.b;
        return out;
    };
    const auto answer = [&](const Simplex& s, double distance) {
        Nearest out;
        out.distance = std::max(0.0, distance - margins);
        Vec3 onA = Vec3::Zero(), onB = Vec3::Zero();
        for (int i = 0; i < s.count; ++i) {
            onA += s.weights[size_t(i)] * s.corners[size_t(i)].a;
            onB += s.weights[size_t(i)] * s.corners[size_t(i)].b;
        }
        if (distance > 0) {
            const Vec3 way = (onB - onA) / distance;
            onA += a.margin * way;
            onB -= b.margin * way;
        }
        out.onA = a.pose * onA;
        out.onB = a.pose * onB;
        return out;
    };
    Simplex s;
    const Vec3 start = placed.translation.squaredNorm() > 0 ? Vec3(placed.translation) : Vec3(Vec3::UnitX());
    s.corners[0] = corner(start);
    s.weights[0] = 1;
    s.count = 1;
    double best = s.corners[0].w.norm();
    constexpr int most = 200;
    for (int i = 0; i < most; ++i) {
        const Vec3 v = s.point();
        const double length = v.norm();
        best = std::min(best, length);
        if (length <= 1e-14 * (1 + s.corners[0].a.norm())) return answer(s, 0);
        const Corner next = corner(-v);
        const double below = v.dot(next.w) / length;  // nothing of the difference is nearer than this
        if (below - margins > upTo) {
            Nearest out = answer(s, length);
            out.distance = below - margins;
            return out;
        }
        if (length - below <= kNearestError || (length <= margins)) return answer(s, length);
        const bool known =
            std::any_of(s.corners.begin(), s.corners.begin() + s.count, [&](const Corner& c) { return c.w == next.w; });
        if (known) return answer(s, length);
        const Simplex before = s;
        s.corners[size_t(s.count++)] = next;
        if (!reduce(s)) return answer(s, 0);
        // Rounding: no nearer than before.
        if (s.point().norm() >= length) return answer(before, length);
    }
    return answer(s, s.point().norm());
}

namespace {

/// A polytope that grows from inside towards a body known by its furthest points.
class Growing {
public:
    struct Face {
        std::array<int, 3> corners;
        Vec3 out;     ///< normal, of length 1
        double away;  ///< of its plane from the origin, along the normal
    };
    Growing(const std::array<Vec3, 4>& corners) : m_points(corners.begin(), corners.end())
    {
        m_middle = 0.25 * (corners[0] + corners[1] + corners[2] + corners[3]);
        for (const std::array<int, 3>& face : {std::array{0, 1, 2}, {0, 1, 3}, {0, 2, 3}, {1, 2, 3}})
            add(face);
    }
    const Face* nearest() const
    {
        const auto found = std::min_element(m_faces.begin(), m_faces.end(),
                                            [](const Face& x, const Face& y) { return x.away < y.away; });
        return found == m_faces.end() ? nullptr : &*found;
    }
    /// Takes a point in: the faces that it sees go, their rim is joined to it.
    void grow(const Vec3& point)
    {
        std::vector<std::array<int, 2>> rim;
        std::erase_if(m_faces, [&](const Face& f) {
            if (f.out.dot(point) <= f.away + kFlat) return false;
            for (size_t i = 0; i < 3; ++i) {
                const int from = f.corners[i], to = f.corners[(i + 1) % 3];
                const auto other = std::find_if(rim.begin(), rim.end(), [&](const std::array<int, 2>& e) {
                    return (e[0] == from && e[1] == to) || (e[0] == to && e[1] == from);
                });
                if (other == rim.end()) rim.push_back({from, to});
                else rim.erase(other);
            }
            return true;
        });
        m_points.push_back(point);
        for (const auto& [from, to] : rim)
            add({from, to, int(m_points.size()) - 1});
    }

private:
    static constexpr double kFlat = 1e-12;  // [m]
    void add(std::array<int, 3> corners)
    {
        const Vec3& p = m_points[size_t(corners[0])];
        Vec3 out = (m_points[size_t(corners[1])] - p).cross(m_points[size_t(corners[2])] - p);
        const double area = out.norm();
        if (area < 1e-18) return;
        out /= area;
        if (out.dot(p - m_middle) < 0) out = -out;
        m_faces.push_back({corners, out, out.dot(p)});
    }
    std::vector<Vec3> m_points;
    std::vector<Face> m_faces;
    Vec3 m_middle;
};

}  // namespace

double depth(const Convex& a, const Convex& b, const Pose& aFromB)
{
    const Pose placed = inverse(a.pose) * aFromB * b.pose;
    const Mat3 turn = placed.matrix(), back = turn.transpose();
    const double margins = a.margin + b.margin;
    double best = INFINITY;
    // The point of the difference of the two that is furthest along a direction: b has to go so far to be past a.
    const auto furthest = [&](const Vec3& d) {
        const Vec3 point = a.furthest(d) - (turn * b.furthest(back * -d) + placed.translation) + margins * d;
        best = std::min(best, point.dot(d));
        return point;
    };
    for (int i = 0; i < 3; ++i)
        for (const Vec3& d : {Vec3(Vec3::Unit(i)), Vec3(turn.col(i))}) {
            furthest(d);
            furthest(-d);
        }
    if (best <= 0) return 0;
    // Four points that are not in one plane.
    std::array<Vec3, 4> start;
    start[0] = furthest(Vec3::UnitX());
    start[1] = furthest(-Vec3::UnitX());
    const Vec3 line = (start[1] - start[0]).normalized(), side = line.unitOrthogonal();
    const auto furthestOff = [&](const Vec3& d, const auto& off) {
        const Vec3 one = furthest(d), other = furthest(-d);
        return off(one) > off(other) ? one : other;
    };
    const auto offLine = [&](const Vec3& p) { return (p - start[0]).cross(line).norm(); };
    const Vec3 first = furthestOff(side, offLine), second = furthestOff(line.cross(side), offLine);
    start[2] = offLine(first) > offLine(second) ? first : second;
    const Vec3 normal = line.cross(start[2] - start[0]).normalized();
    start[3] = furthestOff(normal, [&](const Vec3& p) { return std::abs((p - start[0]).dot(normal)); });
    Growing inside(start);
    constexpr int most = 100;
    for (int n = 0; n < most && best > 0; ++n) {
        const Growing::Face* face = inside.nearest();
        if (!face) break;
        const double away = face->away;
        const Vec3 point = furthest(face->out);
        if (best - away <= kDepthError || point.dot(face->out) - away <= kDepthError) break;
        inside.grow(point);
    }
    return std::max(0.0, best);
}

}  // namespace topikos
