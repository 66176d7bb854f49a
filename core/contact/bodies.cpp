#include "core/contact/bodies.h"

#include <fcl/fcl.h>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <numbers>
#include <unordered_map>

namespace topikos {

using Tree = fcl::BVHModel<fcl::OBBRSS<double>>;

struct ContactBody::Surface {
    Tree tree;
    std::shared_ptr<const Triangles> triangles;
    Eigen::AlignedBox3d box;
};

namespace {

fcl::Transform3<double> transformOf(const Pose& pose)
{
    fcl::Transform3<double> t = fcl::Transform3<double>::Identity();
    t.linear() = pose.matrix();
    t.translation() = pose.translation;
    return t;
}

/// Whether a point is inside a closed surface: its winding number by solid angles (Van Oosterom and Strackee, "The
/// solid angle of a plane triangle", 1983).
bool inside(const Triangles& surface, const Eigen::AlignedBox3d& box, const Vec3& point)
{
    if (!box.contains(point)) return false;
    double angle = 0;
    for (const auto& face : surface.faces) {
        const Vec3 a = surface.points[face[0]].cast<double>() - point,
                   b = surface.points[face[1]].cast<double>() - point,
                   c = surface.points[face[2]].cast<double>() - point;
        const double x = a.norm(), y = b.norm(), z = c.norm();
        angle += 2 * std::atan2(a.dot(b.cross(c)), x * y * z + a.dot(b) * z + b.dot(c) * x + c.dot(a) * y);
    }
    return std::abs(angle) > 2 * std::numbers::pi;  // half of what a full turn round gives
}

Vec3 somePoint(const Triangles& t) { return t.points[t.faces[0][0]].cast<double>(); }

Convex boxOf(const fcl::OBB<double>& box)
{
    Convex out{makePose(box.axis, box.To)};
    for (int i = 0; i < 8; ++i)
        out.points.push_back({i & 1 ? box.extent[0] : -box.extent[0], i & 2 ? box.extent[1] : -box.extent[1],
                              i & 4 ? box.extent[2] : -box.extent[2]});
    return out;
}

/// Convex against a tree: boxes that are further away than the best so far are not opened; nearer ones first.
void search(const Tree& tree, const Triangles& triangles, int node, const Convex& convex, const Pose& treeFromConvex,
            Nearest& best)
{
    const auto& own = tree.getBV(node);
    if (best.touching()) return;
    if (own.isLeaf()) {
        Convex face;
        for (const std::uint32_t corner : triangles.faces[size_t(own.primitiveId())])
            face.points.push_back(triangles.points[corner].cast<double>());
        const Nearest found = nearest(face, convex, treeFromConvex, best.distance);
        if (found.distance < best.distance) best = found;
        return;
    }
    const std::array<int, 2> below{own.leftChild(), own.rightChild()};
    std::array<double, 2> bound{};
    for (size_t i = 0; i < 2; ++i)
        bound[i] = nearest(boxOf(tree.getBV(below[i]).bv.obb), convex, treeFromConvex, best.distance).distance;
    const size_t first = bound[1] < bound[0];
    for (const size_t i : {first, 1 - first})
        if (bound[i] < best.distance) search(tree, triangles, below[i], convex, treeFromConvex, best);
}

}  // namespace

std::shared_ptr<const ContactBody::Surface> ContactBody::treeOver(const std::shared_ptr<const Triangles>& triangles)
{
    static std::mutex mutex;
    static std::unordered_map<const Triangles*, std::shared_ptr<const Surface>> known;
    {
        const std::lock_guard lock(mutex);
        // Nobody else has the surface any more.
        std::erase_if(known, [](const auto& entry) {
            return entry.second.use_count() == 1 && entry.second->triangles.use_count() == 1;
        });
        if (const auto found = known.find(triangles.get()); found != known.end()) return found->second;
    }
    auto made = std::make_shared<Surface>();
    made->triangles = triangles;
    std::vector<fcl::Vector3<double>> points;
    for (const Eigen::Vector3f& p : triangles->points) {
        points.push_back(p.cast<double>());
        made->box.extend(points.back());
    }
    std::vector<fcl::Triangle> faces;
    for (const auto& face : triangles->faces)
        faces.emplace_back(face[0], face[1], face[2]);
    made->tree.beginModel(int(faces.size()), int(points.size()));
    made->tree.addSubModel(points, faces);
    made->tree.endModel();
    const std::lock_guard lock(mutex);
    return known.try_emplace(triangles.get(), std::move(made)).first->second;
}

ContactBody::ContactBody(std::vector<Convex> pieces, const std::vector<PlacedSurface>& surfaces)
{
    for (Convex& convex : pieces) {
        const Ball ball = ballAround(convex);
        m_pieces.push_back({std::move(convex), nullptr, ball, {}});
    }
    for (const PlacedSurface& own : surfaces) {
        if (own.triangles->faces.empty()) continue;
        std::shared_ptr<const Surface> tree = treeOver(own.triangles);
        const Ball ball{own.pose * Vec3(tree->box.center()), 0.5 * tree->box.diagonal().norm()};
        m_pieces.push_back({Convex{own.pose}, std::move(tree), ball, {}});
    }
    Eigen::AlignedBox3d box;
    for (Piece& piece : m_pieces) {
        piece.box = boxAround(piece, Pose{});
        const Vec3 half = Vec3::Constant(piece.ball.radius);
        box.extend(Vec3(piece.ball.centre - half));
        box.extend(Vec3(piece.ball.centre + half));
    }
    if (m_pieces.empty()) return;
    m_ball.centre = box.center();
    for (const Piece& piece : m_pieces)
        m_ball.radius = std::max(m_ball.radius, (piece.ball.centre - m_ball.centre).norm() + piece.ball.radius);
}

ContactBody ContactBody::of(const std::vector<Solid>& solids)
{
    std::vector<Convex> pieces;
    std::vector<PlacedSurface> surfaces;
    for (const Solid& s : solids) {
        if (s.kind == Solid::Kind::Mesh) surfaces.push_back({s.pose, s.surface.light});
        for (Convex& piece : convexPieces(s))
            pieces.push_back(std::move(piece));
    }
    return {std::move(pieces), surfaces};
}

ContactBody::~ContactBody() = default;
ContactBody::ContactBody(ContactBody&&) noexcept = default;
ContactBody& ContactBody::operator=(ContactBody&&) noexcept = default;

Nearest ContactBody::ofSurface(const Surface& a, const Convex& b, const Pose& aFromB, double upTo)
{
    Nearest best;
    best.distance = std::max(upTo, 1e-12);  // above 0: nothing is known to touch yet
    search(a.tree, *a.triangles, 0, b, aFromB, best);
    const Vec3 point = aFromB * (b.pose * b.furthest(Vec3::UnitX()));
    if (!best.touching() && inside(*a.triangles, a.box, point)) return {0, point, point};
    return best;
}

Nearest ContactBody::ofSurfaces(const Surface& a, const Surface& b, const Pose& aFromB, double upTo)
{
    fcl::CollisionResult<double> meets;
    const fcl::Transform3<double> still = fcl::Transform3<double>::Identity(), place = transformOf(aFromB);
    fcl::CollisionRequest<double> contacts;
    contacts.enable_contact = true;
    if (fcl::collide(&a.tree, still, &b.tree, place, contacts, meets) > 0) {
        const Vec3 point = meets.numContacts() > 0 ? Vec3(meets.getContact(0).pos) : aFromB * somePoint(*b.triangles);
        return {0, point, point};
    }
    // Trees know surfaces only: one may be wholly inside the other.
    const Vec3 ofA = somePoint(*a.triangles), ofB = aFromB * somePoint(*b.triangles);
    if (inside(*b.triangles, b.box, inverse(aFromB) * ofA)) return {0, ofA, ofA};
    if (inside(*a.triangles, a.box, ofB)) return {0, ofB, ofB};
    Nearest best;
    best.distance = std::max(upTo, 1e-12);
    if (upTo <= 0) return best;
    const fcl::DistanceRequest<double> request(true);
    fcl::DistanceResult<double> result;
    best.distance = fcl::distance(&a.tree, still, &b.tree, place, request, result);
    best.onA = result.nearest_points[0];
    best.onB = result.nearest_points[1];
    return best;
}

Nearest ContactBody::nearest(const Piece& a, const Piece& b, const Pose& aFromB, double upTo)
{
    if (!a.surface && !b.surface) return topikos::nearest(a.convex, b.convex, aFromB, upTo);
    if (!a.surface) {
        const Nearest turned = nearest(b, a, inverse(aFromB), upTo);
        return {turned.distance, aFromB * turned.onB, aFromB * turned.onA};
    }
    const Pose& place = a.convex.pose;
    const Pose own = inverse(place) * aFromB;
    const Nearest found = b.surface ? ofSurfaces(*a.surface, *b.surface, own * b.convex.pose, upTo)
                                    : ofSurface(*a.surface, b.convex, own, upTo);
    return {found.distance, place * found.onA, place * found.onB};
}

Nearest ContactBody::nearest(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther,
                             double upTo) const
{
    const double apart = (worldFromThis * m_ball.centre - worldFromOther * other.m_ball.centre).norm() - m_ball.radius
                         - other.m_ball.radius;
    if (apart > upTo) return {apart, Vec3::Zero(), Vec3::Zero()};
    const Pose thisFromOther = inverse(worldFromThis) * worldFromOther;
    struct Near {
        double bound;
        const Piece *a, *b;
    };
    std::vector<Near> near;
    std::vector<Vec3> centres;
    for (const Piece& b : other.m_pieces)
        centres.push_back(thisFromOther * b.ball.centre);
    Nearest best;
    double beyond = INFINITY;  // of what is further away than asked for
    for (const Piece& a : m_pieces)
        for (size_t k = 0; k < other.m_pieces.size(); ++k) {
            const Piece& b = other.m_pieces[k];
            const double bound = (centres[k] - a.ball.centre).norm() - a.ball.radius - b.ball.radius;
            if (bound > upTo) beyond = std::min(beyond, bound);
            else near.push_back({bound, &a, &b});
        }
    std::sort(near.begin(), near.end(), [](const Near& x, const Near& y) { return x.bound < y.bound; });
    for (const Near& pair : near) {
        const double most = std::min(best.distance, upTo);
        if (pair.bound > most) {
            beyond = std::min(beyond, pair.bound);
            break;
        }
        const Nearest found = nearest(*pair.a, *pair.b, thisFromOther, most);
        if (found.distance < best.distance) best = found;
        if (best.touching()) break;
    }
    if (best.distance > upTo) best.distance = std::min(best.distance, beyond);
    best.onA = worldFromThis * best.onA;
    best.onB = worldFromThis * best.onB;
    return best;
}

bool ContactBody::touches(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther) const
{
    return nearest(worldFromThis, other, worldFromOther, 0).touching();
}

double ContactBody::depth(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther) const
{
    const Pose thisFromOther = inverse(worldFromThis) * worldFromOther;
    double out = 0;
    for (const Piece& a : m_pieces)
        for (const Piece& b : other.m_pieces) {
            if (a.surface || b.surface) continue;
            const double apart = (thisFromOther * b.ball.centre - a.ball.centre).norm();
            if (apart < a.ball.radius + b.ball.radius
                && topikos::nearest(a.convex, b.convex, thisFromOther, 0).touching())
                out = std::max(out, topikos::depth(a.convex, b.convex, thisFromOther));
        }
    return out;
}

Eigen::AlignedBox3d ContactBody::boxAround(const Piece& piece, const Pose& fromBody)
{
    if (piece.surface) {
        const Vec3 centre = fromBody * piece.ball.centre, half = Vec3::Constant(piece.ball.radius);
        return {Vec3(centre - half), Vec3(centre + half)};
    }
    const Pose place = fromBody * piece.convex.pose;
    const Mat3 turn = place.matrix();
    Vec3 low, high;
    for (int i = 0; i < 3; ++i) {
        const Vec3 way = turn.row(i).transpose();
        high[i] = way.dot(piece.convex.furthest(way)) + place.translation[i] + piece.convex.margin;
        low[i] = way.dot(piece.convex.furthest(-way)) + place.translation[i] - piece.convex.margin;
    }
    return {low, high};
}

Eigen::AlignedBox3d ContactBody::box(const Pose& worldFromThis) const
{
    Eigen::AlignedBox3d out;
    for (const Piece& piece : m_pieces)
        out.extend(boxAround(piece, worldFromThis));
    return out;
}

std::optional<Nearest> ContactBody::within(const Pose& worldFromThis, const ContactBody& other,
                                           const Pose& worldFromOther, double upTo) const
{
    const Pose otherFromThis = inverse(worldFromOther) * worldFromThis, thisFromOther = inverse(otherFromThis);
    const auto apart = [upTo](const Piece& boxed, const Vec3& centre, double radius) {
        const double least = radius + upTo;
        return boxed.box.squaredExteriorDistance(centre) > least * least;
    };
    struct Near {
        double bound;
        const Piece *a, *b;
    };
    thread_local std::vector<Near> near;
    near.clear();
    for (const Piece& a : m_pieces) {
        const Vec3 centre = otherFromThis * a.ball.centre;  // seen from the other
        for (const Piece& b : other.m_pieces) {
            const double least = a.ball.radius + b.ball.radius + upTo, off = (centre - b.ball.centre).squaredNorm();
            if (off > least * least || apart(b, centre, a.ball.radius)
                || apart(a, thisFromOther * b.ball.centre, b.ball.radius))
                continue;
            near.push_back({std::sqrt(off) - a.ball.radius - b.ball.radius, &a, &b});
        }
    }
    std::sort(near.begin(), near.end(), [](const Near& x, const Near& y) { return x.bound < y.bound; });
    Nearest best;
    for (const Near& pair : near) {
        const double most = std::min(best.distance, upTo);
        if (pair.bound > most) break;
        const Nearest found = nearest(*pair.a, *pair.b, thisFromOther, most);
        if (found.distance < best.distance) best = found;
        if (best.touching()) break;
    }
    // Surfaces tell what they were asked for where nothing is nearer.
    if (!best.touching() && !(best.distance < upTo)) return std::nullopt;
    best.onA = worldFromThis * best.onA;
    best.onB = worldFromThis * best.onB;
    return best;
}

}  // namespace topikos
