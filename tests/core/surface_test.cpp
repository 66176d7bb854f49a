#include "core/shape/mesh.h"
#include "core/surface/draw.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <functional>
#include <numbers>
#include <set>

using namespace topikos;
using namespace topikos::test;

/// Process targets on surfaces: normals, lines over them, spacing and chord error, held against the surfaces that the
/// meshes are made of.
class SurfaceTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void normalsAreThoseOfTheSurface_data();
    void normalsAreThoseOfTheSurface();
    void roundSolidsAreRoundAndInPlace_data();
    void roundSolidsAreRoundAndInPlace();
    void noisyMeshesHaveSmoothNormals();
    void normalsStopAtSharpEdges();
    void raysHitWhatTheyShould();
    void theNearestPlaceIsTheNearest();
    void linesGoAlongTheSurface();
    void spacingIsKept_data();
    void spacingIsKept();
    void chordErrorIsKept();
    void edgesAreFollowedRound();
    void edgesOfAPlateGoRoundTheClickedFace();
    void tooManyPointsAreRefused();
    void groupsAreChangedOnTheSurface();
};

namespace {

constexpr double kPi = std::numbers::pi;

/// A mesh over a grid of two parameters, made of what `place` gives; closed ways share their points.
template <class Place> Solid meshOver(int nu, int nv, bool closedU, bool closedV, Place place)
{
    Triangles t;
    for (int i = 0; i < nu + !closedU; ++i)
        for (int k = 0; k < nv + !closedV; ++k)
            t.points.push_back(Vec3(place(double(i) / nu, double(k) / nv)).template cast<float>());
    const int across = nv + !closedV, along = nu + !closedU;
    const auto at = [&](int i, int k) { return std::uint32_t((i % along) * across + k % across); };
    for (int i = 0; i < nu; ++i)
        for (int k = 0; k < nv; ++k) {
            t.faces.push_back({at(i, k), at(i + 1, k), at(i + 1, k + 1)});
            t.faces.push_back({at(i, k), at(i + 1, k + 1), at(i, k + 1)});
        }
    Solid solid;
    solid.kind = Solid::Kind::Mesh;
    solid.surface.drawn = solid.surface.light = std::make_shared<const Triangles>(std::move(t));
    return solid;
}

struct Shape {
    Solid mesh;
    std::function<Vec3(const Vec3&)> normal;  ///< of the true surface at the nearest place
    std::function<Vec3(double, double)> place;
};

Shape cylinder(double radius, double height, double mesh)
{
    const auto place = [=](double u, double v) {
        return Vec3(radius * std::cos(2 * kPi * u), radius * std::sin(2 * kPi * u), height * v);
    };
    return {meshOver(int(2 * kPi * radius / mesh), int(height / mesh), true, false, place),
            [](const Vec3& p) { return Vec3(p[0], p[1], 0).normalized(); }, place};
}
Shape sphere(double radius, double mesh)
{
    // A band about the equator: poles of such grids have slivers that no file from a drawing has.
    const auto place = [=](double u, double v) {
        const double h = (v - 0.5) * 2.0;
        return Vec3(radius * std::cos(h) * std::cos(2 * kPi * u), radius * std::cos(h) * std::sin(2 * kPi * u),
                    radius * std::sin(h));
    };
    return {meshOver(int(2 * kPi * radius / mesh), int(2 * radius / mesh), true, false, place),
            [](const Vec3& p) { return p.normalized(); }, place};
}
Shape torus(double radius, double tube, double mesh)
{
    const auto place = [=](double u, double v) {
        const double a = 2 * kPi * u, b = 2 * kPi * v;
        return Vec3((radius + tube * std::cos(b)) * std::cos(a), (radius + tube * std::cos(b)) * std::sin(a),
                    tube * std::sin(b));
    };
    return {meshOver(int(2 * kPi * (radius + tube) / mesh), int(2 * kPi * tube / mesh), true, true, place),
            [=](const Vec3& p) {
                const Vec3 ring = radius * Vec3(p[0], p[1], 0).normalized();
                return Vec3((p - ring).normalized());
            },
            place};
}

double degreesBetween(const Vec3& a, const Vec3& b) { return std::acos(std::clamp(a.dot(b), -1.0, 1.0)) * 180 / kPi; }

Solid boxOf(const Vec3& size)
{
    Solid solid;
    solid.size = size;
    return solid;
}

}  // namespace

void SurfaceTest::normalsAreThoseOfTheSurface_data()
{
    QTest::addColumn<int>("shape");
    QTest::addColumn<double>("radius");
    for (const double radius : {0.0, 0.008}) {
        const QByteArray how = radius > 0 ? ", smoothed" : "";
        QTest::newRow("cylinder" + how) << 0 << radius;
        QTest::newRow("sphere" + how) << 1 << radius;
        QTest::newRow("torus" + how) << 2 << radius;
    }
}
void SurfaceTest::normalsAreThoseOfTheSurface()
{
    QFETCH(int, shape);
    QFETCH(double, radius);
    constexpr double mesh = 0.002;
    const Shape own = shape == 0   ? cylinder(0.05, 0.1, mesh)
                      : shape == 1 ? sphere(0.06, mesh)
                                   : torus(0.09, 0.03, mesh);
    const BodySurface surface({own.mesh});
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> along(0, 1), inside(0.15, 0.85);
    double worst = 0;
    for (int i = 0; i < 400; ++i) {
        const SurfaceSpot spot = surface.nearest(own.place(along(random), inside(random)));
        worst = std::max(worst, degreesBetween(surface.normal(spot, radius), own.normal(spot.at)));
    }
    QVERIFY2(worst < 0.5, qPrintable(QString("%1°").arg(worst)));
    QVERIFY(worst > 0);
}

void SurfaceTest::roundSolidsAreRoundAndInPlace_data()
{
    QTest::addColumn<int>("kind");
    QTest::addColumn<double>("diameter");
    for (const double diameter : {0.02, 0.1, 0.3}) {
        QTest::addRow("cylinder of %g mm", 1000 * diameter) << int(Solid::Kind::Cylinder) << diameter;
        QTest::addRow("cone of %g mm", 1000 * diameter) << int(Solid::Kind::Cone) << diameter;
        QTest::addRow("ball of %g mm", 1000 * diameter) << int(Solid::Kind::Sphere) << diameter;
    }
}
void SurfaceTest::roundSolidsAreRoundAndInPlace()
{
    QFETCH(int, kind);
    QFETCH(double, diameter);
    Solid solid;
    solid.kind = Solid::Kind(kind);
    solid.pose = Pose{{0.3, -0.2, 0.5}, Quat(Eigen::AngleAxisd(0.7, Vec3(1, 2, -1).normalized()))};
    const bool cone = solid.kind == Solid::Kind::Cone, ball = solid.kind == Solid::Kind::Sphere;
    solid.size = {diameter, cone ? 0.5 * diameter : diameter, ball ? diameter : 0.2};
    const BodySurface surface({solid});
    std::mt19937_64 random(5);
    std::uniform_real_distribution<double> real(0, 1);
    double worstPlace = 0, worstNormal = 0;
    for (int i = 0; i < 300; ++i) {
        const double a = 2 * kPi * real(random), v = 0.1 + 0.8 * real(random);
        const Vec3 round(std::cos(a), std::sin(a), 0);
        Vec3 at, normal;
        if (ball) {
            const double h = 2.4 * (v - 0.5);
            normal = std::cos(h) * round + std::sin(h) * Vec3::UnitZ();
            at = 0.5 * diameter * normal;
        } else {
            const double upper = 0.5 * solid.size[1], lower = 0.5 * solid.size[0];
            at = (lower + v * (upper - lower)) * round + 0.2 * (v - 0.5) * Vec3::UnitZ();
            normal = (0.2 * round + (lower - upper) * Vec3::UnitZ()).normalized();
        }
        const SurfaceSpot spot = surface.nearest(solid.pose * at);
        worstPlace = std::max(worstPlace, (spot.at - solid.pose * at).norm());
        worstNormal = std::max(worstNormal, degreesBetween(surface.normal(spot), solid.pose.rotation * normal));
    }
    QVERIFY2(worstPlace < (ball ? 4e-5 : 2e-5), qPrintable(QString("%1 mm").arg(1000 * worstPlace)));
    QVERIFY2(worstNormal < 0.5, qPrintable(QString("%1°").arg(worstNormal)));
}

void SurfaceTest::noisyMeshesHaveSmoothNormals()
{
    Shape own = cylinder(0.05, 0.1, 0.002);
    std::mt19937_64 random(3);
    std::normal_distribution<float> noise(0, 0.00005f);
    Triangles rough = *own.mesh.surface.drawn;
    for (Eigen::Vector3f& p : rough.points)
        p += Eigen::Vector3f(noise(random), noise(random), noise(random));
    own.mesh.surface.drawn = own.mesh.surface.light = std::make_shared<const Triangles>(rough);
    const BodySurface surface({own.mesh});
    double plain = 0, smooth = 0;
    for (int i = 0; i < 100; ++i) {
        const SurfaceSpot spot = surface.nearest(own.place(i / 100.0, 0.5));
        plain += degreesBetween(surface.normal(spot), own.normal(spot.at)) / 100;
        smooth += degreesBetween(surface.normal(spot, 0.012), own.normal(spot.at)) / 100;
    }
    QVERIFY2(smooth < 0.5, qPrintable(QString("%1° smoothed").arg(smooth)));
    QVERIFY2(plain > 2 * smooth, qPrintable(QString("%1° plain, %2° smoothed").arg(plain).arg(smooth)));
}

void SurfaceTest::normalsStopAtSharpEdges()
{
    const BodySurface surface({boxOf({0.2, 0.1, 0.05})});
    // A tenth of a millimetre from the edge, with a radius that reaches far around it.
    for (const double radius : {0.0, 0.03}) {
        const SurfaceSpot top = surface.nearest({0.0999, 0, 0.025}), side = surface.nearest({0.1, 0, 0.0249});
        QVERIFY(degreesBetween(surface.normal(top, radius), Vec3::UnitZ()) < 1e-6);
        QVERIFY(degreesBetween(surface.normal(side, radius), Vec3::UnitX()) < 1e-6);
    }
}

void SurfaceTest::raysHitWhatTheyShould()
{
    const Shape own = torus(0.09, 0.03, 0.004);
    const BodySurface surface({own.mesh});
    const Mesh drawn = meshFrom(*own.mesh.surface.drawn);
    std::mt19937_64 random(11);
    std::uniform_real_distribution<double> where(-0.15, 0.15);
    int hits = 0;
    for (int i = 0; i < 300; ++i) {
        const Vec3 from(where(random), where(random), 0.3);
        const Vec3 way = (Vec3(where(random), where(random), 0) - from).normalized();
        const auto expected = rayHit(drawn, from, way);
        const auto found = surface.hit(from, way);
        QCOMPARE(found.has_value(), expected.has_value());
        if (!found) continue;
        ++hits;
        QVERIFY(std::abs((found->at - from).norm() - *expected) < 1e-6);
    }
    QVERIFY(hits > 50 && hits < 300);
}

void SurfaceTest::theNearestPlaceIsTheNearest()
{
    const Shape own = sphere(0.06, 0.004);
    const BodySurface surface({own.mesh});
    std::mt19937_64 random(5);
    std::uniform_real_distribution<double> where(-0.04, 0.04);
    for (int i = 0; i < 200; ++i) {
        Vec3 p(where(random), where(random), 0.3 * where(random));
        if (p.norm() < 0.01 || std::abs(p[2]) > 0.7 * p.norm()) continue;  // the band has no poles
        const Vec3 outside = 0.1 * p.normalized();
        const SurfaceSpot spot = surface.nearest(outside);
        QVERIFY(std::abs(spot.at.norm() - 0.06) < 1e-4);
        double corner = INFINITY;
        for (const Eigen::Vector3f& q : own.mesh.surface.drawn->points)
            corner = std::min(corner, (q.cast<double>() - outside).norm());
        const double away = (spot.at - outside).norm();
        QVERIFY(away <= corner + 1e-9 && away > 0.04 - 1e-6);
    }
}

void SurfaceTest::linesGoAlongTheSurface()
{
    // A third of the way round a cylinder, straight across its axis: the cut is an arc.
    const Shape own = cylinder(0.05, 0.1, 0.002);
    const BodySurface surface({own.mesh});
    const SurfaceSpot from = surface.nearest(own.place(0.1, 0.5)), to = surface.nearest(own.place(0.1 + 1.0 / 3, 0.5));
    const SurfaceLine line = lineThrough(surface, {from, to}, false);
    double length = 0;
    for (size_t i = 1; i < line.spots.size(); ++i)
        length += (line.spots[i].at - line.spots[i - 1].at).norm();
    QVERIFY2(std::abs(length / (0.05 * 2 * kPi / 3) - 1) < 0.002, qPrintable(QString::number(length)));
    for (const SurfaceSpot& spot : line.spots) {
        QVERIFY(std::abs(Vec3(spot.at[0], spot.at[1], 0).norm() - 0.05) < 5e-5);
        QVERIFY(std::abs(spot.at[2] - 0.05) < 1e-6);
    }
    QVERIFY((line.spots.front().at - from.at).norm() < 1e-9 && (line.spots.back().at - to.at).norm() < 1e-9);
}

void SurfaceTest::spacingIsKept_data()
{
    QTest::addColumn<double>("spacing");
    QTest::newRow("of a few faces") << 0.005;
    QTest::newRow("wide") << 0.02;
    QTest::newRow("narrower than the mesh") << 0.001;
}
void SurfaceTest::spacingIsKept()
{
    QFETCH(double, spacing);
    const Shape own = cylinder(0.05, 0.1, 0.002);
    const BodySurface surface({own.mesh});
    const SurfaceLine line =
        lineThrough(surface, {surface.nearest(own.place(0.1, 0.5)), surface.nearest(own.place(0.4, 0.5))}, false);
    DrawRule rule;
    rule.spacing = spacing;
    const auto points = pointsAlong(surface, line, rule);
    QVERIFY(points.ok());
    QVERIFY(points->size() > 3);
    for (size_t i = 1; i + 1 < points->size(); ++i) {
        // The arc between them on the true surface.
        const Vec3 &a = (*points)[i - 1].at, &b = (*points)[i].at;
        const double arc = 0.05 * std::abs(std::atan2(a[0] * b[1] - a[1] * b[0], a[0] * b[0] + a[1] * b[1]));
        QVERIFY2(std::abs(arc / spacing - 1) < 0.01, qPrintable(QString("%1: %2").arg(i).arg(arc)));
        QVERIFY(degreesBetween((*points)[i].normal, own.normal((*points)[i].at)) < 0.5);
    }
    // What is left over is at the end.
    QVERIFY(((*points)[points->size() - 2].at - points->back().at).norm() <= spacing * 1.001);
}

void SurfaceTest::chordErrorIsKept()
{
    const Shape own = cylinder(0.05, 0.1, 0.0005);
    const BodySurface surface({own.mesh});
    const SurfaceLine line =
        lineThrough(surface, {surface.nearest(own.place(0.0, 0.5)), surface.nearest(own.place(0.45, 0.5))}, false);
    for (const double chord : {0.0002, 0.001}) {
        DrawRule rule;
        rule.kind = DrawRule::Kind::Chord;
        rule.chord = chord;
        const auto points = pointsAlong(surface, line, rule);
        QVERIFY(points.ok());
        double most = 0;
        for (size_t i = 1; i < points->size(); ++i) {
            const double half = 0.5 * ((*points)[i].at - (*points)[i - 1].at).norm();
            const double sagitta = 0.05 - std::sqrt(0.05 * 0.05 - half * half);
            most = std::max(most, sagitta);
        }
        // Kept, and made use of: fewer points would break it.
        QVERIFY2(most < chord * 1.02, qPrintable(QString::number(most)));
        QVERIFY2(most > chord * 0.95, qPrintable(QString::number(most)));
    }
}

void SurfaceTest::edgesAreFollowedRound()
{
    // The open rim of half a sphere's band: a circle.
    const Shape own = sphere(0.06, 0.002);
    const BodySurface surface({own.mesh});
    const SurfaceSpot near = surface.nearest(own.place(0.3, 0.99));
    const auto line = edgeLine(surface, near, 0.01);
    QVERIFY(line.has_value());
    QVERIFY(line->closed);
    const double z = 0.06 * std::sin(1.0), r = 0.06 * std::cos(1.0);
    for (const SurfaceSpot& spot : line->spots) {
        QVERIFY(std::abs(spot.at[2] - z) < 1e-6);
        QVERIFY(std::abs(Vec3(spot.at[0], spot.at[1], 0).norm() - r) < 1e-6);
    }
    DrawRule rule;
    rule.spacing = 0.01;
    const auto points = pointsAlong(surface, *line, rule);
    QVERIFY(points.ok());
    QCOMPARE(int(points->size()), int(std::floor(2 * kPi * r / 0.01 - 1e-3)) + 1);
    QVERIFY(!edgeLine(surface, surface.nearest(own.place(0.3, 0.5)), 0.01).has_value());
}

void SurfaceTest::edgesOfAPlateGoRoundTheClickedFace()
{
    const BodySurface surface({boxOf({0.2, 0.1, 0.01})});
    const auto line = edgeLine(surface, surface.nearest({0.09, 0.0, 0.005}), 0.02);
    QVERIFY(line.has_value());
    QVERIFY(line->closed);
    double length = 0;
    for (size_t i = 0; i < line->spots.size(); ++i) {
        QVERIFY(std::abs(line->spots[i].at[2] - 0.005) < 1e-9);
        length += (line->spots[(i + 1) % line->spots.size()].at - line->spots[i].at).norm();
    }
    QVERIFY(std::abs(length - 0.6) < 1e-6);
    DrawRule rule;
    rule.spacing = 0.02;
    const auto points = pointsAlong(surface, *line, rule);
    QVERIFY(points.ok());
    QCOMPARE(points->size(), size_t(30));
    // All of them look out of the face that was clicked.
    for (const SurfacePoint& p : *points)
        QVERIFY(degreesBetween(p.normal, Vec3::UnitZ()) < 1e-6);
}

void SurfaceTest::tooManyPointsAreRefused()
{
    const BodySurface surface({boxOf({90, 1, 1})});
    const SurfaceLine line =
        lineThrough(surface, {surface.nearest({-40, 0, 0.5}), surface.nearest({40, 0, 0.5})}, false);
    DrawRule rule;
    rule.spacing = 0.001;
    const auto points = pointsAlong(surface, line, rule);
    QVERIFY(!points.ok());
    QCOMPARE(points.error().code, std::string("draw.many"));
    rule.spacing = 0;
    QCOMPARE(pointsAlong(surface, line, rule).error().code, std::string("draw.spacing"));
}

void SurfaceTest::groupsAreChangedOnTheSurface()
{
    const Shape own = cylinder(0.05, 0.1, 0.002);
    const BodySurface surface({own.mesh});
    DrawRule rule;
    rule.spacing = 0.01;
    Drawing drawing;
    drawing.points = *pointsAlong(
        surface,
        lineThrough(surface, {surface.nearest(own.place(0.1, 0.3)), surface.nearest(own.place(0.3, 0.7))}, false),
        rule);
    const auto onIt = [&](const Drawing& d) {
        for (const SurfacePoint& p : d.points) {
            QVERIFY(std::abs(Vec3(p.at[0], p.at[1], 0).norm() - 0.05) < 5e-5);
            QVERIFY(degreesBetween(p.normal, own.normal(p.at)) < 0.5);
        }
    };
    const Drawing up = shifted(surface, drawing, {0, 0, 0.01});
    onIt(up);
    QVERIFY(std::abs(up.points[3].at[2] - drawing.points[3].at[2] - 0.01) < 1e-6);
    const Drawing other = mirrored(surface, drawing, 1);
    onIt(other);
    QVERIFY(std::abs(other.points[2].at[1] + drawing.points[2].at[1]) < 1e-6);
    rule.spacing = 0.005;
    const Drawing dense = *respaced(surface, drawing, rule);
    onIt(dense);
    QVERIFY(double(dense.points.size()) > 1.6 * double(drawing.points.size()));
    // Known points keep their numbers, new ones get free ones.
    std::set<std::uint32_t> numbers;
    for (size_t i = 0; i < dense.points.size(); ++i) {
        if (i < drawing.points.size()) QCOMPARE(dense.points[i].number, drawing.points[i].number);
        QVERIFY(numbers.insert(dense.points[i].number).second);
    }
    const Drawing more = withPoint(surface, drawing, 2, surface.nearest(own.place(0.2, 0.1)));
    QCOMPARE(more.points.size(), drawing.points.size() + 1);
    QCOMPARE(more.points[3].number, drawing.points[2].number);
    QVERIFY(!checkDrawing(more));
    QCOMPARE(reversed(reversed(drawing)) == drawing, true);
}

TOPIKOS_TEST(SurfaceTest)
#include "surface_test.moc"
