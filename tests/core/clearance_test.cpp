#include "core/contact/bodies.h"
#include "core/shape/arm_bodies.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <numbers>

using namespace topikos;
using namespace topikos::test;

/// Distances of bodies: against the reference, closed formulas, and every pair of triangles.
class ClearanceTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void followsTheReference();
    void ballsAndRodsByFormula();
    void alignedBoxesByFormula();
    void turnedBoxesByTheirCorners();
    void cylindersByFormula();
    void surfacesByEveryPairOfTriangles();
    void verdictsByEveryPairOfTriangles();
    void pointsAreWhereTheySayAndSymmetric();
    void boundsAboveWhatIsAskedForHold();
    void piecesFillTheirSolid_data();
    void piecesFillTheirSolid();
    void piecesOfArmsFollowWhatIsDrawn_data();
    void piecesOfArmsFollowWhatIsDrawn();
};

namespace {

int rounds(int all) { return qEnvironmentVariableIsSet("TOPIKOS_MANY") ? all : all / 4; }

class Dice {
public:
    explicit Dice(std::uint64_t seed) : m_random(seed) {}
    double between(double low, double high) { return low + (high - low) * double(m_random() >> 11) * 0x1p-53; }
    Vec3 vector(double most) { return {between(-most, most), between(-most, most), between(-most, most)}; }
    Pose pose(double far)
    {
        const Vec3 axis = vector(1);
        return {vector(far), Quat(Eigen::AngleAxisd(between(-3, 3), axis.normalized()))};
    }
    size_t pick(size_t n) { return size_t(m_random() % n); }

private:
    std::mt19937_64 m_random;
};

ContactBody one(Solid solid) { return ContactBody::of({std::move(solid)}); }
Solid box(const Vec3& size) { return {Solid::Kind::Box, {}, size, {}}; }
Solid ball(double diameter) { return {Solid::Kind::Sphere, {}, Vec3::Constant(diameter), {}}; }
Solid rod(double diameter, double height) { return {Solid::Kind::Cylinder, {}, {diameter, diameter, height}, {}}; }

/// The triangles of a solid, in single precision as surfaces from files have them.
ContactBody facets(const Solid& solid)
{
    return ContactBody({}, {{Pose{}, std::make_shared<const Triangles>(trianglesOf(solidMesh(solid)))}});
}

Convex face(const Triangles& t, size_t i)
{
    Convex out;
    for (const std::uint32_t corner : t.faces[i])
        out.points.push_back(t.points[corner].cast<double>());
    return out;
}

/// Distance of two segments by trying all the ways in which the nearest points can lie.
double segments(const Vec3& p1, const Vec3& q1, const Vec3& p2, const Vec3& q2)
{
    const auto toPoint = [](const Vec3& a, const Vec3& b, const Vec3& p) {
        const Vec3 way = b - a;
        return (p - a - std::clamp((p - a).dot(way) / way.squaredNorm(), 0.0, 1.0) * way).norm();
    };
    double best = std::min({toPoint(p1, q1, p2), toPoint(p1, q1, q2), toPoint(p2, q2, p1), toPoint(p2, q2, q1)});
    const Vec3 u = q1 - p1, v = q2 - p2, w = p1 - p2;
    const double a = u.dot(u), b = u.dot(v), c = v.dot(v), d = u.dot(w), e = v.dot(w), det = a * c - b * b;
    if (det > 1e-12 * a * c) {
        const double s = (b * e - c * d) / det, t = (a * e - b * d) / det;
        if (s >= 0 && s <= 1 && t >= 0 && t <= 1) best = std::min(best, (w + s * u - t * v).norm());
    }
    return best;
}

/// Distance of two triangles from those of edges and corners.
double triangles(const Convex& x, const Convex& y)
{
    double best = INFINITY;
    for (size_t i = 0; i < 3; ++i)
        for (size_t k = 0; k < 3; ++k)
            best = std::min(best, segments(x.points[i], x.points[(i + 1) % 3], y.points[k], y.points[(k + 1) % 3]));
    const auto corners = [&](const Convex& face, const Convex& other) {
        const Vec3 n = (face.points[1] - face.points[0]).cross(face.points[2] - face.points[0]);
        if (n.norm() < 1e-15) return;
        const auto inside = [&](const Vec3& p) {
            for (size_t i = 0; i < 3; ++i)
                if ((face.points[(i + 1) % 3] - face.points[i]).cross(p - face.points[i]).dot(n) < 0) return false;
            return true;
        };
        for (size_t i = 0; i < 3; ++i) {
            const Vec3 &p = other.points[i], &q = other.points[(i + 1) % 3];
            const double hp = (p - face.points[0]).dot(n) / n.norm(), hq = (q - face.points[0]).dot(n) / n.norm();
            if (inside(p - hp * n / n.norm())) best = std::min(best, std::abs(hp));
            // An edge that goes through the face.
            if (hp * hq < 0 && inside(p + hp / (hp - hq) * (q - p))) best = 0;
        }
    };
    corners(x, y);
    corners(y, x);
    return best;
}

}  // namespace

void ClearanceTest::followsTheReference()
{
    const Cell cell = openCell(dataPath("reference/clearance-cell.topikos")).value();
    int touching = 0;
    for (const Json& item : reference("clearance")["cases"]) {
        const FrameId a = frameNamed(cell, item["a"]), b = frameNamed(cell, item["b"]);
        const Nearest found =
            ContactBody::of(findFrame(cell, a)->solids)
                .nearest(worldFromFrame(cell, a), ContactBody::of(findFrame(cell, b)->solids), worldFromFrame(cell, b));
        const bool touches = item["touching"];
        QVERIFY2(found.touching() == touches, item.dump().c_str());
        QVERIFY2(std::abs(found.distance - item["distance"].get<double>()) < 1e-6, item.dump().c_str());
        touching += touches;
    }
    QCOMPARE(touching, 39);
}

void ClearanceTest::ballsAndRodsByFormula()
{
    Dice dice(81);
    for (int n = 0; n < rounds(5000); ++n) {
        const double a = dice.between(0.01, 0.4), b = dice.between(0.01, 0.4);
        const Pose at = dice.pose(0.5), place = dice.pose(0.5);
        const double far = (at.translation - place.translation).norm() - 0.5 * (a + b);
        QVERIFY(std::abs(one(ball(a)).nearest(at, one(ball(b)), place).distance - std::max(0.0, far)) < 1e-9);
        // Segments with a margin: capsules.
        Convex first{{}, {Vec3(0, 0, -a), Vec3(0, 0, a)}, {}, 0.1 * b},
            second{{}, {Vec3(0, 0, -b), Vec3(0, 0, b)}, {}, 0.05};
        const Pose firstFromSecond = inverse(at) * place;
        const double way = segments(first.points[0], first.points[1], firstFromSecond * second.points[0],
                                    firstFromSecond * second.points[1]);
        QVERIFY(std::abs(nearest(first, second, firstFromSecond).distance - std::max(0.0, way - 0.1 * b - 0.05))
                < 1e-9);
    }
}

void ClearanceTest::alignedBoxesByFormula()
{
    Dice dice(82);
    for (int n = 0; n < rounds(20000); ++n) {
        // Often with faces, edges or corners exactly opposite each other.
        const auto length = [&] { return dice.pick(3) ? dice.between(0.001, 0.5) : 0.25; };
        const Vec3 a(length(), length(), length()), b(length(), length(), length());
        Vec3 by = dice.vector(1);
        for (int i = 0; i < 3; ++i)
            if (dice.pick(3) == 0) by[i] = 0;
        const Vec3 apart = (by.cwiseAbs() - 0.5 * (a + b)).cwiseMax(0);
        const Pose world = dice.pick(2) ? dice.pose(2) : Pose{};
        const double found = one(box(a)).nearest(world, one(box(b)), world * translated(by)).distance;
        QVERIFY2(std::abs(found - apart.norm()) < 1e-9, qPrintable(QString::number(found - apart.norm())));
    }
}

void ClearanceTest::turnedBoxesByTheirCorners()
{
    Dice dice(83);
    for (int n = 0; n < rounds(1000); ++n) {
        const Vec3 a = dice.vector(0.3).cwiseAbs() + Vec3::Constant(1e-3),
                   b = dice.vector(0.3).cwiseAbs() + Vec3::Constant(1e-3);
        const Pose place = dice.pose(0.8);
        const Triangles first = trianglesOf(solidMesh(box(a))), second = placed(place, trianglesOf(solidMesh(box(b))));
        double best = INFINITY;
        for (size_t i = 0; i < first.faces.size(); ++i)
            for (size_t k = 0; k < second.faces.size(); ++k)
                best = std::min(best, triangles(face(first, i), face(second, k)));
        const double found = one(box(a)).nearest({}, one(box(b)), place).distance;
        // Single precision of the triangles; a box inside the other has no distance of triangles.
        if (found > 0) QVERIFY(std::abs(found - best) < 1e-6);
    }
}

void ClearanceTest::cylindersByFormula()
{
    Dice dice(84);
    for (int n = 0; n < rounds(3000); ++n) {
        const double r = dice.between(0.01, 0.2), h = dice.between(0.02, 0.6), s = dice.between(0.01, 0.2);
        const Pose world = dice.pose(1);
        // A ball beside, above, or over the rim.
        const double out = dice.between(0, 0.6), up = dice.between(-0.6, 0.6), turn = dice.between(-3, 3);
        const Vec3 centre(out * std::cos(turn), out * std::sin(turn), up);
        const double far = std::hypot(std::max(0.0, out - r), std::max(0.0, std::abs(up) - 0.5 * h)) - s;
        const double found = one(rod(2 * r, h)).nearest(world, one(ball(2 * s)), world * translated(centre)).distance;
        QVERIFY2(std::abs(found - std::max(0.0, far)) < 1e-9, qPrintable(QString::number(found - far)));
        // Two that stand side by side.
        const double q = dice.between(0.01, 0.2), g = dice.between(0.02, 0.6);
        const double between = std::hypot(std::max(0.0, out - r - q), std::max(0.0, std::abs(up) - 0.5 * (h + g)));
        const double both = one(rod(2 * r, h)).nearest(world, one(rod(2 * q, g)), world * translated(centre)).distance;
        QVERIFY2(std::abs(both - between) < 1e-9, qPrintable(QString::number(both - between)));
    }
}

void ClearanceTest::surfacesByEveryPairOfTriangles()
{
    Dice dice(85);
    const Solid solids[] = {box({0.3, 0.2, 0.01}),
                            ball(0.2),
                            rod(0.1, 0.4),
                            {Solid::Kind::Extrusion,
                             {},
                             Vec3::Constant(0.2),
                             {},
                             {{-0.2, -0.2}, {0.2, -0.2}, {0.2, -0.1}, {-0.1, -0.1}, {-0.1, 0.2}, {-0.2, 0.2}}}};
    for (int n = 0; n < 200; ++n) {
        const Solid &a = solids[dice.pick(3)], &b = solids[dice.pick(4)];
        const Pose place = dice.pose(0.5);
        const Triangles first = trianglesOf(solidMesh(a)), second = placed(place, trianglesOf(solidMesh(b)));
        double best = INFINITY;
        const auto middle = [](const Convex& f) { return Vec3((f.points[0] + f.points[1] + f.points[2]) / 3); };
        const auto size = [&](const Convex& f) {
            return (f.points[0] - middle(f)).norm() + (f.points[1] - middle(f)).norm()
                   + (f.points[2] - middle(f)).norm();
        };
        std::vector<Convex> others;
        for (size_t k = 0; k < second.faces.size(); ++k)
            others.push_back(face(second, k));
        for (size_t i = 0; i < first.faces.size() && best > 0; ++i) {
            const Convex own = face(first, i);
            for (const Convex& other : others)
                if ((middle(own) - middle(other)).norm() - size(own) - size(other) < best)
                    best = std::min(best, triangles(own, other));
        }
        const double meshes = facets(a).nearest({}, facets(b), place).distance;
        if (meshes > 0) QVERIFY2(std::abs(meshes - best) < 1e-5, qPrintable(QString("%1 %2").arg(meshes).arg(best)));
        // A surface against convex pieces: round ones bulge out of their triangles by less than 1 %.
        const double mixed = facets(a).nearest({}, one(b), place).distance;
        QVERIFY2(mixed < meshes + 1e-6 && mixed > meshes - 2e-3, qPrintable(QString("%1 %2").arg(mixed).arg(meshes)));
        const double other = one(b).nearest(place, facets(a), {}).distance;
        QVERIFY(std::abs(other - mixed) < 1e-7);
    }
}

void ClearanceTest::verdictsByEveryPairOfTriangles()
{
    // Boxes of no more than flat faces: what touches is told by the triangles alone, or by a corner inside.
    Dice dice(86);
    int touching = 0;
    for (int n = 0; n < rounds(10000); ++n) {
        const Vec3 a = dice.vector(0.25).cwiseAbs() + Vec3::Constant(5e-4),
                   b = dice.vector(0.25).cwiseAbs() + Vec3::Constant(5e-4);
        const Pose place = dice.pose(0.2), back = inverse(place);
        const Triangles first = trianglesOf(solidMesh(box(a))), second = placed(place, trianglesOf(solidMesh(box(b))));
        double best = INFINITY;
        for (size_t i = 0; i < first.faces.size() && best > 0; ++i)
            for (size_t k = 0; k < second.faces.size() && best > 0; ++k)
                best = std::min(best, triangles(face(first, i), face(second, k)));
        const bool within = (place.translation.cwiseAbs() - 0.5 * a).maxCoeff() < 0
                            || (back.translation.cwiseAbs() - 0.5 * b).maxCoeff() < 0;
        if (!within && best > 0 && best < 1e-6) continue;  // single precision cannot tell
        const bool touches = one(box(a)).touches({}, one(box(b)), place);
        QCOMPARE(touches, within || best == 0);
        touching += touches;
    }
    QVERIFY(touching > rounds(2000) && touching < rounds(8000));
}

void ClearanceTest::pointsAreWhereTheySayAndSymmetric()
{
    Dice dice(87);
    const Solid solids[] = {
        box({0.3, 0.2, 0.1}), ball(0.2), rod(0.1, 0.4), {Solid::Kind::Cone, {}, {0.3, 0.1, 0.3}, {}}};
    for (int n = 0; n < rounds(3000); ++n) {
        const ContactBody a = one(solids[dice.pick(4)]), b = one(solids[dice.pick(4)]);
        const Pose atA = dice.pose(1), atB = dice.pose(1);
        const Nearest there = a.nearest(atA, b, atB), back = b.nearest(atB, a, atA);
        QVERIFY(std::abs(there.distance - back.distance) < 1e-8);
        QCOMPARE(there.touching(), back.touching());
        if (!there.touching()) QVERIFY(std::abs((there.onA - there.onB).norm() - there.distance) < 1e-8);
        // The point of a is in a: a ball of no size there touches it when it is a hair nearer to its middle.
        const ContactBody dot = one(ball(2e-6));
        QVERIFY(dot.touches(translated(there.onA), a, atA));
        QVERIFY(dot.touches(translated(there.onB), b, atB));
    }
}

void ClearanceTest::boundsAboveWhatIsAskedForHold()
{
    Dice dice(88);
    const Solid solids[] = {box({0.3, 0.2, 0.1}), ball(0.2), rod(0.1, 0.4)};
    int above = 0;
    for (int n = 0; n < rounds(2000); ++n) {
        std::vector<Solid> many;
        for (int k = 0; k < 4; ++k) {
            many.push_back(solids[dice.pick(3)]);
            many.back().pose = dice.pose(0.4);
        }
        const ContactBody a = ContactBody::of(many), b = dice.pick(2) ? one(solids[dice.pick(3)]) : facets(solids[0]);
        const Pose at = dice.pose(1.2);
        const double whole = a.nearest({}, b, at).distance, upTo = dice.between(0, 0.6);
        const double bounded = a.nearest({}, b, at, upTo).distance;
        const std::optional<Nearest> asked = a.within({}, b, at, upTo);
        QCOMPARE(asked.has_value(), whole <= upTo);
        if (whole <= upTo) {
            QVERIFY(std::abs(bounded - whole) < 1e-8);
            QVERIFY(std::abs(asked->distance - whole) < 1e-8);
            if (whole > 1e-6) QVERIFY(std::abs((asked->onA - asked->onB).norm() - whole) < 1e-6);
            continue;
        }
        ++above;
        QVERIFY(bounded >= upTo - 1e-9 && bounded <= whole + 1e-9);
    }
    QVERIFY(above > rounds(300));
}

void ClearanceTest::piecesFillTheirSolid_data()
{
    QTest::addColumn<int>("kind");
    for (const auto& [kind, name] : {std::pair(Solid::Kind::Box, "box"),
                                     {Solid::Kind::Cylinder, "cylinder"},
                                     {Solid::Kind::Cone, "cone"},
                                     {Solid::Kind::Sphere, "sphere"},
                                     {Solid::Kind::Extrusion, "extrusion"},
                                     {Solid::Kind::Profile, "profile"}})
        QTest::newRow(name) << int(kind);
}

/// A dot is in the pieces where it is inside the triangles.
void ClearanceTest::piecesFillTheirSolid()
{
    QFETCH(int, kind);
    Solid solid{Solid::Kind(kind), {}, {0.4, 0.4, 0.3}, {}};
    solid.size[1] = solid.kind == Solid::Kind::Cone ? 0.2 : 0.4;
    solid.outline = {{0.2, 0.1}, {0.05, 0.02}, {0, 0.2}, {-0.05, 0.02}, {-0.2, 0.1}, {-0.1, -0.1}, {0.1, -0.1}};
    solid.pose = Dice(89).pose(0.2);
    const ContactBody pieces = one(solid), surface = facets(solid), dot = one(ball(1e-9));
    Dice dice(90);
    int in = 0;
    for (int n = 0; n < rounds(3000); ++n) {
        const Pose at = translated(solid.pose * dice.vector(0.25));
        if (surface.nearest({}, dot, at).distance < 4e-3 && !surface.touches({}, dot, at))
            continue;  // round in between
        const bool inside = surface.touches({}, dot, at);
        if (inside) QVERIFY(pieces.touches({}, dot, at));
        else QVERIFY(pieces.nearest({}, dot, at).distance > 0);
        in += inside;
    }
    QVERIFY(in > rounds(100));
}

void ClearanceTest::piecesOfArmsFollowWhatIsDrawn_data()
{
    QTest::addColumn<std::string>("id");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

/// What is drawn lies in the pieces, and they reach no further than a hair.
void ClearanceTest::piecesOfArmsFollowWhatIsDrawn()
{
    QFETCH(std::string, id);
    const ArmPtr arm = catalogueArm(id);
    const std::vector<Mesh> drawn = armBodies(*arm);
    const std::vector<LinkShape> shapes = armShapes(*arm);
    QCOMPARE(drawn.size(), shapes.size());
    const ContactBody dot = one(ball(1e-9));
    for (size_t i = 0; i < drawn.size(); ++i) {
        QVERIFY(shapes[i].standIn);
        const ContactBody body(shapes[i].pieces, shapes[i].surfaces);
        for (size_t k = 0; k < drawn[i].vertices.size(); k += 7)
            QVERIFY(body.nearest({}, dot, translated(drawn[i].vertices[k].position.cast<double>())).distance < 1e-6);
        const ContactBody faces({}, {{Pose{}, std::make_shared<const Triangles>(trianglesOf(drawn[i]))}});
        for (const Convex& piece : shapes[i].pieces)
            for (const Vec3& way : {Vec3(1, 0.3, 0.2), Vec3(-0.4, 1, 0.1), Vec3(0.2, -0.1, -1)}) {
                const Vec3 far = piece.pose * piece.furthest(way);
                QVERIFY(faces.nearest({}, dot, translated(far)).distance < 4e-3 * arm->reach());
            }
    }
}

TOPIKOS_TEST(ClearanceTest)
#include "clearance_test.moc"
