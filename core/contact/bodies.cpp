#include "core/contact/bodies.h"

#include <fcl/fcl.h>

#include <cmath>
#include <numbers>

namespace topikos {

struct ContactBody::Piece {
    std::shared_ptr<fcl::BVHModel<fcl::OBBRSS<double>>> tree;
    Triangles triangles;
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
bool inside(const Triangles& surface, const Vec3& point)
{
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

}  // namespace

ContactBody::ContactBody(const std::vector<Triangles>& pieces)
{
    for (const Triangles& t : pieces) {
        if (t.faces.empty()) continue;
        Piece& piece = m_pieces.emplace_back();
        piece.triangles = t;
        piece.tree = std::make_shared<fcl::BVHModel<fcl::OBBRSS<double>>>();
        std::vector<fcl::Vector3<double>> points;
        for (const Eigen::Vector3f& p : t.points) {
            points.push_back(p.cast<double>());
            piece.box.extend(points.back());
        }
        std::vector<fcl::Triangle> faces;
        for (const auto& face : t.faces)
            faces.emplace_back(face[0], face[1], face[2]);
        piece.tree->beginModel(int(faces.size()), int(points.size()));
        piece.tree->addSubModel(points, faces);
        piece.tree->endModel();
    }
}

ContactBody ContactBody::of(const std::vector<Solid>& solids)
{
    std::vector<Triangles> pieces;
    for (const Solid& s : solids)
        pieces.push_back(trianglesOf(solidMesh(s, true)));
    return ContactBody(pieces);
}

ContactBody::~ContactBody() = default;
ContactBody::ContactBody(ContactBody&&) noexcept = default;
ContactBody& ContactBody::operator=(ContactBody&&) noexcept = default;

bool ContactBody::empty() const { return m_pieces.empty(); }

bool ContactBody::touches(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther) const
{
    const Pose otherFromThis = inverse(worldFromOther) * worldFromThis;
    const Pose thisFromOther = inverse(otherFromThis);
    const fcl::Transform3<double> place = transformOf(otherFromThis);
    const fcl::CollisionRequest<double> request;  // yes or no
    for (const Piece& a : m_pieces)
        for (const Piece& b : other.m_pieces) {
            fcl::CollisionResult<double> result;
            if (fcl::collide(a.tree.get(), place, b.tree.get(), fcl::Transform3<double>::Identity(), request, result)
                > 0)
                return true;
            // Trees know surfaces only: one piece may be wholly inside the other.
            const Vec3 ofA = otherFromThis * Vec3(a.triangles.points[a.triangles.faces[0][0]].cast<double>());
            if (b.box.contains(ofA) && inside(b.triangles, ofA)) return true;
            const Vec3 ofB = thisFromOther * Vec3(b.triangles.points[b.triangles.faces[0][0]].cast<double>());
            if (a.box.contains(ofB) && inside(a.triangles, ofB)) return true;
        }
    return false;
}

}  // namespace topikos
