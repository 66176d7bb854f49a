#include "app/view/scene.h"

#include <algorithm>
#include <cmath>

/// What is under the pointer, and where things are.
namespace topikos {

int Scene::seen(const Vec3& eye, const std::vector<Vec3>& points, const Selection& owner) const
{
    const std::vector<Placed> bodies = placed(m_session.shownState());
    return int(std::count_if(points.begin(), points.end(), [&](const Vec3& point) {
        const double distance = (point - eye).norm();
        const Vec3 direction = (point - eye) / distance;
        return std::none_of(bodies.begin(), bodies.end(), [&](const Placed& p) {
            if (p.owner == owner) return false;
            const Pose back = inverse(p.world);
            const auto hit = rayHit(p.shape->mesh, back * eye, back.rotation * direction);
            return hit && *hit < distance - 0.005;
        });
    }));
}

Selection Scene::pick(const Vec3& origin, const Vec3& direction) const
{
    Selection best;
    double nearest = INFINITY;
    for (const Placed& p : placed(m_session.shownState())) {
        if (locked(p.owner)) continue;
        const Pose back = inverse(p.world);
        const auto hit = rayHit(p.shape->mesh, back * origin, back.rotation * direction);
        if (hit && *hit < nearest) {
            nearest = *hit;
            best = p.owner;
        }
    }
    return best;
}

bool Scene::locked(const Selection& owner) const
{
    const Cell& cell = m_session.cell();
    if (const auto* id = std::get_if<FrameId>(&owner)) {
        const Frame* frame = findFrame(cell, *id);
        return frame && frame->look.locked
               && std::none_of(cell.arms.begin(), cell.arms.end(), [&](const ArmStation& a) { return a.mount == *id; });
    }
    if (const auto* id = std::get_if<PartId>(&owner)) {
        const Part* part = findPart(cell, *id);
        return part && part->look.locked;
    }
    return false;
}

std::string Scene::nameOf(const Selection& owner) const
{
    const Cell& cell = m_session.cell();
    if (const auto* id = std::get_if<FrameId>(&owner)) return frameName(cell, *id);
    if (const auto* id = std::get_if<PartId>(&owner))
        if (const Part* part = findPart(cell, *id)) return part->name;
    if (const auto* id = std::get_if<ToolId>(&owner))
        if (const Tool* tool = findTool(cell, *id)) return tool->name;
    return {};
}

std::optional<Scene::Snap> Scene::snapAt(QPointF pixel, const Camera& camera, QSizeF size,
                                         const Selection& moving) const
{
    const Cell& cell = m_session.shownCell();
    const Camera::Ray ray = camera.ray(pixel, size);
    const auto pixelsAway = [&](const Vec3& p) {
        double depth = 0;
        const QPointF at = camera.pixel(p, size, &depth);
        return depth < 0 ? INFINITY : std::hypot(at.x() - pixel.x(), at.y() - pixel.y());
    };
    const auto* movingFrame = std::get_if<FrameId>(&moving);
    const auto moves = [&](const Selection& owner) {
        if (owner == moving) return true;
        FrameId frame;
        if (const auto* id = std::get_if<FrameId>(&owner)) frame = *id;
        if (const auto* id = std::get_if<PartId>(&owner)) frame = findPart(cell, *id)->frame;
        return movingFrame && frame && isBelow(cell, frame, *movingFrame);
    };
    std::optional<Snap> face, edge, point;
    double nearestFace = INFINITY, nearestEdge = 6, nearestPoint = 10;
    const std::vector<Placed> bodies = placed(m_session.shownState());
    for (const Placed& p : bodies) {
        if (moves(p.owner)) continue;
        const Mesh& mesh = p.shape->light ? *p.shape->light : p.shape->mesh;
        const Pose back = inverse(p.world);
        const Vec3 origin = back * ray.origin, direction = back.rotation * ray.direction;
        if (const auto hit = rayHit(mesh, origin, direction); hit && *hit < nearestFace) {
            nearestFace = *hit;
            // The normal of the triangle that was hit: a step to either side in the plane across the ray.
            const Vec3 at = origin + *hit * direction, u = direction.unitOrthogonal(), v = direction.cross(u);
            const double step = 1e-4;
            const auto a = rayHit(mesh, origin + step * u, direction), b = rayHit(mesh, origin + step * v, direction);
            Vec3 normal = Vec3::Zero();
            if (a && b && std::abs(*a - *hit) < 100 * step && std::abs(*b - *hit) < 100 * step)
                normal = (origin + step * u + *a * direction - at)
                             .cross(origin + step * v + *b * direction - at)
                             .normalized();
            if (normal.dot(direction) > 0) normal = -normal;
            face = Snap{Snap::Kind::Face, p.world * at, p.world.rotation * normal, nameOf(p.owner)};
        }
    }
    // What lies clearly behind the face under the pixel is not seen.
    const auto seen = [&](const Vec3& p) { return (p - ray.origin).dot(ray.direction) < nearestFace + 0.01; };
    for (const Placed& p : bodies) {
        if (moves(p.owner)) continue;
        const auto offer = [&](Snap::Kind kind, const Vec3& place, const Vec3& direction, double& nearest,
                               std::optional<Snap>& best) {
            const double away = pixelsAway(place);
            if (away >= nearest || !seen(place)) return;
            nearest = away;
            best = Snap{kind, place, direction, nameOf(p.owner)};
        };
        for (const Circle& c : p.shape->circles)
            offer(Snap::Kind::Circle, p.world * c.centre, p.world.rotation * c.axis, nearestPoint, point);
        const Mesh& mesh = p.shape->light ? *p.shape->light : p.shape->mesh;
        if (mesh.edges.size() > 200000) continue;
        for (size_t i = 0; i + 1 < mesh.edges.size(); i += 2) {
            const Vec3 a = p.world * Vec3(mesh.edges[i].cast<double>()),
                       b = p.world * Vec3(mesh.edges[i + 1].cast<double>());
            const Vec3 way = b - a;
            const double length = way.norm();
            if (length < 1e-9) continue;
            const bool round = std::any_of(p.shape->circles.begin(), p.shape->circles.end(), [&](const Circle& c) {
                const Vec3 local = mesh.edges[i].cast<double>() - c.centre;
                return std::abs(local.norm() - c.radius) < 0.02 * c.radius
                       && std::abs(local.dot(c.axis)) < 0.02 * c.radius;
            });
            if (!round)
                for (const Vec3& corner : {a, b})
                    offer(Snap::Kind::Corner, corner, Vec3::Zero(), nearestPoint, point);
            // Nearest point of the edge to the ray.
            const Vec3 d = way / length, w = a - ray.origin;
            const double c = d.dot(ray.direction), denominator = 1 - c * c;
            if (denominator < 1e-6) continue;
            const double s = std::clamp((c * ray.direction.dot(w) - d.dot(w)) / denominator, 0.0, length);
            offer(Snap::Kind::Edge, a + s * d, d, nearestEdge, edge);
        }
    }
    for (const Frame& f : cell.frames) {
        if (moves(f.id) || f.look.hidden) continue;
        const Pose world = m_session.shownPlace(f.id);
        const double away = pixelsAway(world.translation);
        if (away < nearestPoint) {
            nearestPoint = away;
            point = Snap{Snap::Kind::Frame, world.translation, world.rotation * Vec3::UnitZ(), f.name};
        }
    }
    return point ? point : edge ? edge : face;
}

namespace {

void addCorners(std::vector<Vec3>& out, const Eigen::AlignedBox3f& box, const Pose& world)
{
    for (int i = 0; i < 8 && !box.isEmpty(); ++i)
        out.push_back(world * Vec3(box.corner(Eigen::AlignedBox3f::CornerType(i)).cast<double>()));
}

}  // namespace

std::vector<Vec3> Scene::corners() const
{
    std::vector<Vec3> out;
    for (const Placed& p : placed(m_session.shownState()))
        addCorners(out, p.shape->box, p.world);
    return out;
}

std::vector<Vec3> Scene::corners(const Selection& thing) const
{
    const Cell& cell = m_session.shownCell();
    const auto* frame = std::get_if<FrameId>(&thing);
    const auto* pattern = std::get_if<PatternId>(&thing);
    std::vector<Vec3> out;
    for (const Placed& p : placed(m_session.shownState())) {
        FrameId in;
        if (const auto* id = std::get_if<FrameId>(&p.owner)) in = *id;
        const auto* part = std::get_if<PartId>(&p.owner);
        if (part) in = findPart(cell, *part)->frame;
        const bool member = pattern && part && findPart(cell, *part)->pattern == *pattern;
        if (p.owner == thing || member || (frame && in && isBelow(cell, in, *frame)))
            addCorners(out, p.shape->box, p.world);
    }
    if (!out.empty()) return out;
    if (frame && findFrame(cell, *frame)) out.push_back(m_session.shownPlace(*frame).translation);
    if (const auto* id = std::get_if<TargetId>(&thing))
        if (const Target* t = findTarget(cell, *id); t && t->kind == Target::Kind::Pose)
            out.push_back((m_session.shownPlace(t->frame) * t->pose).translation);
    return out;
}

}  // namespace topikos
