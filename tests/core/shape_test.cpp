#include "core/shape/arm_bodies.h"
#include "core/shape/mass.h"
#include "core/shape/reduce.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <map>

using namespace topikos;
using namespace topikos::test;

class ShapeTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void solidsHaveTheirSizeAndFaceOutwards_data();
    void solidsHaveTheirSizeAndFaceOutwards();
    void massIsExact_data() { solidsHaveTheirSizeAndFaceOutwards_data(); }
    void massIsExact();
    void reducedSurfaceKeepsItsShape();
    void normalsAreRepaired();
    void roundRimsAreFound();
    void rayHitsTheNearSide();
    void armBodiesAreSoundForEveryArm_data();
    void armBodiesAreSoundForEveryArm();
    void neighbouringBodiesTouch_data() { armBodiesAreSoundForEveryArm_data(); }
    void neighbouringBodiesTouch();
};

void ShapeTest::solidsHaveTheirSizeAndFaceOutwards_data()
{
    QTest::addColumn<int>("kind");
    QTest::addColumn<double>("wanted");  // volume [m^3]
    constexpr double pi = 3.14159265358979;
    QTest::newRow("box") << int(Solid::Kind::Box) << 0.4 * 0.4 * 0.3;
    QTest::newRow("cylinder") << int(Solid::Kind::Cylinder) << pi * 0.2 * 0.2 * 0.3;
    QTest::newRow("cone") << int(Solid::Kind::Cone) << pi * 0.3 / 3 * (0.2 * 0.2 + 0.2 * 0.1 + 0.1 * 0.1);
    QTest::newRow("sphere") << int(Solid::Kind::Sphere) << pi / 6 * 0.4 * 0.4 * 0.4;
    QTest::newRow("extrusion") << int(Solid::Kind::Extrusion) << (0.4 * 0.4 - 0.2 * 0.2) * 0.3;
}

void ShapeTest::solidsHaveTheirSizeAndFaceOutwards()
{
    QFETCH(int, kind);
    QFETCH(double, wanted);
    Solid solid;
    solid.kind = Solid::Kind(kind);
    solid.size = {0.4, 0.4, 0.3};
    if (solid.kind == Solid::Kind::Cone) solid.size[1] = 0.2;
    if (solid.kind == Solid::Kind::Sphere) solid.size[2] = 0.4;
    // An angle, clockwise: the inner corner is what simple fans get wrong.
    solid.outline = {{-0.2, -0.2}, {-0.2, 0.2}, {0, 0.2}, {0, 0}, {0.2, 0}, {0.2, -0.2}};
    solid.pose = translated({1, 2, 3});
    const Mesh mesh = solidMesh(solid);
    Eigen::AlignedBox3f box;
    for (const MeshVertex& v : mesh.vertices)
        box.extend(v.position);
    QVERIFY((box.sizes() - Eigen::Vector3f(0.4f, 0.4f, float(solid.size[2]))).norm() < 0.01f);
    QVERIFY((box.center() - Eigen::Vector3f(1, 2, 3)).norm() < 1e-5f);
    if (solid.kind != Solid::Kind::Sphere) QVERIFY(!mesh.edges.empty());
    // The signed volume of the triangles is that of the solid: all of them face outwards.
    double volume = 0;
    for (size_t i = 0; i < mesh.triangles.size(); i += 3) {
        const auto p = [&](size_t k) { return mesh.vertices[mesh.triangles[i + k]].position.cast<double>(); };
        volume += p(0).dot(Vec3(p(1)).cross(Vec3(p(2)))) / 6;
        const Vec3 across = (p(1) - p(0)).cross(p(2) - p(0)), normal = across.normalized();
        if (across.norm() < 1e-9) continue;  // at the poles of a sphere
        QVERIFY(normal.dot(mesh.vertices[mesh.triangles[i]].normal.cast<double>()) > 0.9);
    }
    QVERIFY2(std::abs(volume - wanted) < 0.01 * wanted, qPrintable(QString::number(volume)));
}

void ShapeTest::massIsExact()
{
    QFETCH(int, kind);
    QFETCH(double, wanted);
    Solid solid{Solid::Kind(kind),
                {Vec3(0.3, -0.2, 0.5), Quat(Eigen::AngleAxisd(0.8, Vec3(1, 2, 3).normalized()))},
                {0.4, 0.4, 0.3},
                {},
                {{-0.2, -0.2}, {-0.2, 0.2}, {0, 0.2}, {0, 0}, {0.2, 0}, {0.2, -0.2}}};
    if (solid.kind == Solid::Kind::Cone) solid.size[1] = 0.2;
    const Bulk bulk = bulkOf(solid);
    const double volume = bulk.volume;
    QVERIFY2(std::abs(std::abs(volume) / wanted - 1) < 1e-6, qPrintable(QString::number(volume)));
    // Against the sum over small cubes, in the solid's own axes.
    Vec3 first = Vec3::Zero();
    Mat3 second = Mat3::Zero();
    double sum = 0;
    constexpr int n = 64;
    for (int i = 0; i < n * n * n; ++i) {
        const Vec3 p = 0.4 * (Vec3(i % n, i / n % n, i / n / n) + Vec3::Constant(0.5)) / n - Vec3::Constant(0.2);
        const double r = p.head<2>().norm(), h = std::abs(p[2]);
        const bool inside = solid.kind == Solid::Kind::Box        ? p.head<2>().cwiseAbs().maxCoeff() < 0.2 && h < 0.15
                            : solid.kind == Solid::Kind::Cylinder ? r < 0.2 && h < 0.15
                            : solid.kind == Solid::Kind::Cone     ? h < 0.15 && r < 0.2 - 0.1 * (p[2] + 0.15) / 0.3
                            : solid.kind == Solid::Kind::Sphere
                                ? p.norm() < 0.2
                                : p.head<2>().cwiseAbs().maxCoeff() < 0.2 && h < 0.15 && !(p[0] > 0 && p[1] > 0);
        if (!inside) continue;
        const Vec3 q = solid.pose * p;
        sum += 1;
        first += q;
        second += q * q.transpose();
    }
    const double cube = std::pow(0.4 / n, 3);
    const Vec3 centre = first / sum;
    const Mat3 central = cube * (second - sum * centre * centre.transpose());
    const Mat3 inertia = central.trace() * Mat3::Identity() - central;
    QVERIFY2(std::abs(sum * cube / wanted - 1) < 0.02, qPrintable(QString::number(sum * cube)));
    QVERIFY((bulk.unit.centre - centre).norm() < 2e-3);
    QVERIFY((bulk.unit.inertia - inertia).norm() < 0.04 * inertia.norm());
    QVERIFY(std::abs(inertialOf({solid, solid}, 2700).mass - 2 * 2700 * wanted) < 0.01);
}

void ShapeTest::reducedSurfaceKeepsItsShape()
{
    Solid ball;
    ball.kind = Solid::Kind::Sphere;
    ball.size = Vec3::Constant(0.5);
    Triangles fine = trianglesOf(latheMesh(
        [] {
            std::vector<LathePoint> outline;
            for (int i = 0; i <= 200; ++i)
                outline.push_back(
                    {std::max(1e-5, 0.25 * std::sin(3.14159265 * i / 200)), -0.25 * std::cos(3.14159265 * i / 200)});
            return outline;
        }(),
        {}, 400));
    double moved = 0;
    const Triangles light = reduced(fine, 5000, &moved);
    QVERIFY2(light.faces.size() <= 5000 && light.faces.size() > 1500, qPrintable(QString::number(light.faces.size())));
    QVERIFY(moved > 0 && moved < 0.03);
    for (const Eigen::Vector3f& p : light.points)
        QVERIFY(std::abs(p.norm() - 0.25f) < float(moved) + 1e-5f);
    QVERIFY(std::abs(bulkOf(light).volume / bulkOf(fine).volume - 1) < 0.05);
    QVERIFY(reduced(light, 10000).faces == light.faces);  // small enough already
}

void ShapeTest::normalsAreRepaired()
{
    Solid box;
    box.size = {0.2, 0.3, 0.4};
    Triangles surface = trianglesOf(solidMesh(box));
    const double volume = bulkOf(surface).volume;
    std::mt19937 random(3);
    size_t wrong = 0;
    for (auto& face : surface.faces)
        if (random() % 2) std::swap(face[0], face[1]), ++wrong;
    QVERIFY(bulkOf(surface).volume < 0.99 * volume);
    QCOMPARE(repairNormals(surface), wrong);
    QVERIFY(std::abs(bulkOf(surface).volume / volume - 1) < 1e-6);
    QCOMPARE(repairNormals(surface), size_t(0));
}

void ShapeTest::roundRimsAreFound()
{
    const Pose place{Vec3(0.1, 0.2, 0.3), Quat(Eigen::AngleAxisd(0.7, Vec3(1, 1, 0).normalized()))};
    const auto circles = circlesOf(solidMesh({Solid::Kind::Cylinder, place, {0.08, 0.08, 0.5}, {}}));
    QCOMPARE(circles.size(), size_t(2));
    for (const Circle& c : circles) {
        QVERIFY(std::abs(c.radius - 0.04) < 1e-4);
        QVERIFY(std::abs(std::abs(c.axis.dot(place.rotation * Vec3::UnitZ())) - 1) < 1e-6);
        QVERIFY(std::abs((c.centre - place.translation).norm() - 0.25) < 1e-5);
    }
    QVERIFY(circlesOf(solidMesh({Solid::Kind::Box, place, {0.1, 0.1, 0.1}, {}})).empty());
}

void ShapeTest::rayHitsTheNearSide()
{
    Solid box;
    box.size = {0.2, 0.2, 0.2};
    const Mesh mesh = solidMesh(box);
    const auto hit = rayHit(mesh, {0, 0, 1}, {0, 0, -1});
    QVERIFY(hit && std::abs(*hit - 0.9) < 1e-6);
    QVERIFY(!rayHit(mesh, {0.2, 0, 1}, {0, 0, -1}));
    QVERIFY(!rayHit(mesh, {0, 0, 1}, {0, 0, 1}));
}

void ShapeTest::armBodiesAreSoundForEveryArm_data()
{
    QTest::addColumn<std::string>("name");
    for (const std::string& id : catalogueIds())
        QTest::newRow(id.c_str()) << id;
}

void ShapeTest::armBodiesAreSoundForEveryArm()
{
    QFETCH(std::string, name);
    const ArmPtr arm = catalogueArm(name);
    const std::vector<Mesh> bodies = armBodies(*arm);
    QCOMPARE(int(bodies.size()), arm->jointCount() + 1);
    for (const Mesh& mesh : bodies) {
        QVERIFY(!mesh.triangles.empty());
        for (const MeshVertex& v : mesh.vertices) {
            QVERIFY(v.position.allFinite() && v.normal.allFinite());
            QVERIFY(std::abs(v.normal.norm() - 1) < 1e-3f);
            QVERIFY(v.position.norm() < 3 * arm->reach());
        }
        for (const std::uint32_t i : mesh.triangles)
            QVERIFY(i < mesh.vertices.size());
    }
}

void ShapeTest::neighbouringBodiesTouch()
{
    // At any posture no link hangs in the air: the boxes of neighbours overlap.
    QFETCH(std::string, name);
    const ArmPtr arm = catalogueArm(name);
    const std::vector<Mesh> bodies = armBodies(*arm);
    std::mt19937_64 random(61);
    for (int n = 0; n < 50; ++n) {
        ChainFrames frames;
        chainFrames(*arm, randomPosture(*arm, random), frames);
        Eigen::AlignedBox3d before;
        for (size_t link = 0; link < bodies.size(); ++link) {
            const Pose place =
                link ? makePose(frames.joints[link - 1].rotation, frames.joints[link - 1].origin) : Pose{};
            Eigen::AlignedBox3d box;
            for (const MeshVertex& v : bodies[link].vertices)
                box.extend(place * Vec3(v.position.cast<double>()));
            if (link) QVERIFY(box.intersects(before));
            before = box;
        }
    }
}

TOPIKOS_TEST(ShapeTest)
#include "shape_test.moc"
