#include "core/shape/arm_bodies.h"

#include "core/robot/forward.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr Color kShell{222, 226, 224};
constexpr Color kHousing{92, 105, 113};
constexpr Color kCover{14, 110, 104};

/// What a link is made of: as it is drawn, and as convex pieces.
struct LinkBody {
    Mesh mesh;
    std::vector<Convex> pieces;

    void append(const LinkBody& other)
    {
        mesh.append(other.mesh);
        pieces.insert(pieces.end(), other.pieces.begin(), other.pieces.end());
    }
    void turned(const std::vector<LathePoint>& outline, Color color, const Pose& place)
    {
        mesh.append(latheMesh(outline, color), place);
        add(turnedPieces(outline), place);
    }
    void drum(double radius, double low, double high, double bevel, Color color, const Pose& place)
    {
        turned(drumOutline(radius, low, high, bevel), color, place);
    }
    void plate(double radiusA, double radiusB, double length, double thickness, double bevel, Color color,
               const Pose& place)
    {
        mesh.append(plateMesh(radiusA, radiusB, length, thickness, bevel, color), place);
        add({plateHull(radiusA, radiusB, length, thickness, bevel)}, place);
    }
    void box(const Pose& place, const Vec3& size, Color color)
    {
        const Solid solid{Solid::Kind::Box, place, size, color};
        mesh.append(solidMesh(solid));
        add(convexPieces(solid), {});
    }
    void add(std::vector<Convex> own, const Pose& place)
    {
        for (Convex& piece : own) {
            piece.pose = place * piece.pose;
            pieces.push_back(std::move(piece));
        }
    }
};

/// Frame at `origin` whose z is `z` and whose x is as near as possible to `x`.
Pose frameAlong(const Vec3& origin, const Vec3& z, const Vec3& x)
{
    Vec3 u = x - x.dot(z) * z;
    if (u.norm() < 1e-9) u = z.unitOrthogonal();
    u.normalize();
    Mat3 r;
    r.col(0) = u;
    r.col(1) = z.cross(u);
    r.col(2) = z;
    return makePose(r, origin);
}

/// Length that thicknesses follow: the reach; of a gantry, whose reach is its travel, what hangs below its slides.
double bodyScale(const Arm& arm)
{
    const Gantry* gantry = arm.as<Gantry>();
    if (!gantry) return arm.reach();
    double hanging = arm.flangeTranslation().norm();
    for (size_t i = size_t(gantry->turns.front()); i < arm.joints().size(); ++i)
        hanging += arm.joints()[i].parentFromJoint.translation.norm();
    return std::min(arm.reach(), 1.6 * hanging);
}

/// Radius of the housing of joint `i` (0 based) of `n`.
double housingRadius(const Arm& arm, int i)
{
    const double along = double(i) / std::max(1, arm.jointCount() - 1);
    return bodyScale(arm) * (0.108 - 0.120 * along + 0.048 * along * along);
}

struct Axis {
    Vec3 origin, direction;
};

/// What one link carries between its own axis and the next one, in base at the zero posture.
LinkBody linkBody(const Axis& own, const Axis& next, double ownRadius, double nextRadius, double reach)
{
    LinkBody body;
    const double bevel = 0.012 * reach;
    const Vec3 way = next.origin - own.origin;
    const Vec3 alongNext = way.dot(next.direction) * next.direction;
    const Vec3 across = way - alongNext;
    const Vec3 foot = own.origin + across;
    // Plate across to the next axis.
    if (across.norm() > 0.03 * reach) {
        const Vec3 dir = across.normalized();
        const bool acrossOwn = std::abs(own.direction.dot(dir)) < 0.1;
        const Vec3 normal = acrossOwn ? own.direction : next.direction;
        const bool parallel = std::abs(own.direction.dot(next.direction)) > 0.99;
        const double thickness =
            1.25 * (parallel ? std::min(ownRadius, nextRadius) : std::max(0.8 * ownRadius, nextRadius));
        body.plate(0.86 * ownRadius, parallel ? 0.86 * nextRadius : 0.95 * nextRadius, across.norm(), thickness, bevel,
                   kShell, frameAlong(own.origin, normal, dir));
    }
    // Tube along the next axis.
    if (alongNext.norm() > 0.02 * reach) {
        const double length = alongNext.norm();
        const bool spinning = std::abs(own.direction.dot(next.direction)) > 0.99;
        const double wide = spinning ? 0.94 * ownRadius : std::min(0.98 * ownRadius, 1.25 * nextRadius),
                     slim = std::min(wide, 0.98 * nextRadius);
        const double start = spinning ? 0 : -0.55 * wide;
        body.turned({{0.9 * wide, start},
                     {wide, start + 0.1 * wide},
                     {wide, start + 0.35 * length},
                     {slim, 0.92 * length},
                     {0.93 * slim, length}},
                    kShell, frameAlong(foot, alongNext.normalized(), own.direction));
    }
    return body;
}

/// Housing on a link's own axis. Axes that swing the link get covers at both ends.
LinkBody housing(const Axis& own, double radius, bool swings, double reach)
{
    LinkBody body;
    const Pose place = frameAlong(own.origin, own.direction, Vec3::UnitX());
    if (swings) {
        body.drum(0.92 * radius, -0.98 * radius, 0.98 * radius, 0.006 * reach, kHousing, place);
        for (const double side : {-1.0, 1.0})
            body.drum(0.74 * radius, side > 0 ? 0.95 * radius : -1.1 * radius, side > 0 ? 1.1 * radius : -0.95 * radius,
                      0.006 * reach, kCover, place);
    } else {
        body.drum(radius, -0.1 * radius, 0.3 * radius, 0.005 * reach, kHousing, place);
    }
    return body;
}

/// Whether joint `i` (0 based) slides a ram through the link before it: it is the last slide before a turning joint or
/// the flange.
bool isRam(const Arm& arm, int i)
{
    const auto slides = [&](int k) {
        return k < arm.jointCount() && arm.joints()[size_t(k)].kind == JointKind::Prismatic;
    };
    return slides(i) && !slides(i + 1) && (i > 0);
}

/// Beam along a sliding axis over its whole travel, in base at the zero posture.
void addRail(LinkBody& body, const Joint& joint, const Axis& axis, double width, const Vec3& beside = Vec3::Zero())
{
    const double middle = 0.5 * (joint.lower + joint.upper), length = joint.upper - joint.lower + 3.2 * width;
    body.box(frameAlong(axis.origin + middle * axis.direction + beside, axis.direction, Vec3::UnitZ()),
             {1.5 * width, width, length}, kHousing);
}

/// Rails of the first slide on posts; a second one where the second slide ends.
LinkBody portal(const Arm& arm, const std::vector<Axis>& axes, double width)
{
    LinkBody body;
    const Joint& first = arm.joints()[0];
    const bool second = arm.jointCount() > 1 && arm.joints()[1].kind == JointKind::Prismatic;
    std::vector<Vec3> sides{Vec3::Zero()};
    if (second)
        sides = {(arm.joints()[1].lower - width) * axes[2].direction,
                 (arm.joints()[1].upper + width) * axes[2].direction};
    for (const Vec3& side : sides) {
        addRail(body, first, axes[1], width, side);
        for (const double end : {first.lower - 0.8 * width, first.upper + 0.8 * width}) {
            const Vec3 top = axes[1].origin + side + end * axes[1].direction;
            if (top[2] < 2 * width) continue;
            body.box(translated({top[0], top[1], 0.5 * (top[2] - 0.5 * width)}), {width, width, top[2] - 0.5 * width},
                     kHousing);
            body.box(translated({top[0], top[1], 0.1 * width}), {2.2 * width, 2.2 * width, 0.2 * width}, kHousing);
        }
    }
    return body;
}

/// Carriage of a sliding link, with its ram if it has one.
LinkBody carriage(const Arm& arm, int joint, const Axis& own, const Axis& next, double width)
{
    LinkBody body;
    const Joint& slide = arm.joints()[size_t(joint)];
    if (isRam(arm, joint)) {
        const double thick = (arm.as<Gantry>() ? 0.75 : 0.45) * width;
        const double back = slide.upper - std::min(0.0, slide.lower) + width,
                     ahead = std::max(0.3 * width, (next.origin - own.origin).dot(own.direction));
        body.box(frameAlong(own.origin + 0.5 * (ahead - back) * own.direction, own.direction, Vec3::UnitX()),
                 {thick, thick, back + ahead}, kShell);
    } else {
        body.box(frameAlong(own.origin, own.direction, Vec3::UnitZ()), {2.1 * width, 1.5 * width, 2.2 * width}, kCover);
    }
    return body;
}

bool hasSurface(const Arm& arm, int link)
{
    const std::vector<LinkMesh>& meshes = arm.description().meshes;
    return std::any_of(meshes.begin(), meshes.end(), [link](const LinkMesh& mesh) { return mesh.link == link; });
}

/// Where the surfaces of a link stand in its z-frame.
Pose surfacePlace(const Arm& arm, int link)
{
    return link == 0 ? Pose{} : Pose{Vec3::Zero(), Quat(arm.segments()[size_t(link) - 1].linkInZ)};
}

/// The surfaces that came with the arm for a link, in its z-frame; nothing if there are none.
std::optional<Mesh> givenBody(const Arm& arm, int link)
{
    std::optional<Mesh> body;
    for (const LinkMesh& mesh : arm.description().meshes) {
        if (mesh.link != link) continue;
        if (!body) body.emplace();
        body->append(meshFrom(*mesh.triangles), surfacePlace(arm, link));
    }
    return body;
}

}  // namespace

namespace {

/// The bodies made from the kinematics, each in its link's z-frame; links with surfaces of their own have none.
std::vector<LinkBody> standIns(const Arm& arm)
{
    const int n = arm.jointCount();
    const double reach = bodyScale(arm);
    ChainFrames zero;
    chainFrames(arm, JointVector::Zero(n), zero);

    std::vector<Axis> axes{{Vec3::Zero(), Vec3::UnitZ()}};
    for (int i = 0; i < n; ++i)
        axes.push_back({zero.joints[size_t(i)].origin, zero.joints[size_t(i)].rotation.col(2)});
    axes.push_back({zero.flange.origin, zero.flange.rotation.col(2)});

    std::vector<LinkBody> bodies;
    for (int link = 0; link <= n; ++link) {
        LinkBody& body = bodies.emplace_back();
        if (hasSurface(arm, link)) continue;
        const Axis& own = axes[size_t(link)];
        const Axis& next = axes[size_t(link) + 1];
        const double ownRadius = housingRadius(arm, std::max(0, link - 1)),
                     nextRadius = housingRadius(arm, std::min(link, n - 1));
        const double width = 0.1 * bodyScale(arm);
        const bool nextSlides = link < n && arm.joints()[size_t(link)].kind == JointKind::Prismatic;
        const bool ownSlides = link > 0 && arm.joints()[size_t(link) - 1].kind == JointKind::Prismatic;
        if (link == 0 && nextSlides) {
            body.append(portal(arm, axes, width));
        } else if (ownSlides) {
            body.append(carriage(arm, link - 1, own, next, width));
            if (nextSlides && !isRam(arm, link)) addRail(body, arm.joints()[size_t(link)], next, 0.8 * width);
            if (nextSlides && isRam(arm, link))
                body.box(frameAlong(next.origin, next.direction, Vec3::UnitX()),
                         {1.5 * width, 1.5 * width, 1.8 * width}, kCover);
        } else if (link == 0) {
            const double height = std::max(0.05 * reach, (next.origin - own.origin).norm());
            const double r = housingRadius(arm, 0);
            body.turned({{1.45 * r, 0},
                         {1.45 * r, 0.018 * reach},
                         {1.2 * r, 0.03 * reach},
                         {1.05 * r, height - 0.012 * reach},
                         {1.0 * r, height}},
                        kHousing, {});
        } else {
            const Vec3 way = next.origin - own.origin;
            const bool swings = way.norm() > 1e-9 && std::abs(way.normalized().dot(own.direction)) < 0.5;
            const bool turret = link == 1;
            if (turret)
                body.drum(ownRadius, 0, std::max(0.5 * ownRadius, 0.6 * way.dot(own.direction)), 0.01 * reach, kShell,
                          frameAlong(own.origin, own.direction, Vec3::UnitX()));
            else body.append(housing(own, ownRadius, swings || link == n - 1, reach));
            if (link == n)
                body.drum(0.9 * ownRadius, 0, (next.origin - own.origin).norm(), 0.003 * reach, kHousing,
                          frameAlong(own.origin, next.direction, Vec3::UnitX()));
            else body.append(linkBody(own, next, ownRadius, nextRadius, reach));
        }
        const AxisFrame* frame = link ? &zero.joints[size_t(link - 1)] : nullptr;
        const Pose linkFromBase = frame ? inverse(makePose(frame->rotation, frame->origin)) : Pose{};
        Mesh local;
        local.append(body.mesh, linkFromBase);
        body.mesh = std::move(local);
        for (Convex& piece : body.pieces)
            piece.pose = linkFromBase * piece.pose;
    }
    return bodies;
}

}  // namespace

std::vector<Mesh> armBodies(const Arm& arm)
{
    std::vector<Mesh> out;
    for (LinkBody& body : standIns(arm)) {
        const std::optional<Mesh> given = givenBody(arm, int(out.size()));
        out.push_back(given ? *given : std::move(body.mesh));
    }
    return out;
}

std::vector<LinkShape> armShapes(const Arm& arm)
{
    std::vector<LinkShape> out;
    for (LinkBody& body : standIns(arm)) {
        const int link = int(out.size());
        LinkShape& shape = out.emplace_back(LinkShape{std::move(body.pieces), {}, !hasSurface(arm, link)});
        for (const LinkMesh& mesh : arm.description().meshes)
            if (mesh.link == link) shape.surfaces.push_back({surfacePlace(arm, link), mesh.triangles});
    }
    return out;
}

}  // namespace topikos
