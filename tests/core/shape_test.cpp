#include "core/shape/arm_bodies.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <map>

using namespace topikos;
using namespace topikos::test;

class ShapeTest : public QObject {
    Q_OBJECT
private slots:
    void solidsHaveTheirSizeAndFaceOutwards_data();
    void solidsHaveTheirSizeAndFaceOutwards();
    void rayHitsTheNearSide();
    void armBodiesAreSoundForEveryArm_data();
    void armBodiesAreSoundForEveryArm();
    void neighbouringBodiesTouch_data() { armBodiesAreSoundForEveryArm_data(); }
    void neighbouringBodiesTouch();
};

void ShapeTest::solidsHaveTheirSizeAndFaceOutwards_data()
{
    QTest::addColumn<int>("kind");
    QTest::newRow("box") << int(Solid::Kind::Box);
    QTest::newRow("cylinder") << int(Solid::Kind::Cylinder);
}

void ShapeTest::solidsHaveTheirSizeAndFaceOutwards()
{
    QFETCH(int, kind);
    Solid solid;
    solid.kind = Solid::Kind(kind);
    solid.size = {0.4, 0.4, 0.3};
    solid.pose = translated({1, 2, 3});
    const Mesh mesh = solidMesh(solid);
    Eigen::AlignedBox3f box;
    for (const MeshVertex& v : mesh.vertices) box.extend(v.position);
    QVERIFY((box.sizes() - Eigen::Vector3f(0.4f, 0.4f, 0.3f)).norm() < 0.01f);
    QVERIFY((box.center() - Eigen::Vector3f(1, 2, 3)).norm() < 1e-5f);
    QVERIFY(!mesh.edges.empty());
    // The signed volume of the triangles is that of the solid: all of them face outwards.
    double volume = 0;
    for (size_t i = 0; i < mesh.triangles.size(); i += 3) {
        const auto p = [&](size_t k) { return mesh.vertices[mesh.triangles[i + k]].position.cast<double>(); };
        volume += p(0).dot(Vec3(p(1)).cross(Vec3(p(2)))) / 6;
        const Vec3 normal = (p(1) - p(0)).cross(p(2) - p(0)).normalized();
        QVERIFY(normal.dot(mesh.vertices[mesh.triangles[i]].normal.cast<double>()) > 0.9);
    }
    const double wanted = solid.kind == Solid::Kind::Box ? 0.4 * 0.4 * 0.3 : 3.14159265 * 0.2 * 0.2 * 0.3;
    QVERIFY2(std::abs(volume - wanted) < 0.01 * wanted, qPrintable(QString::number(volume)));
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
    for (const std::string& id : catalogueIds()) QTest::newRow(id.c_str()) << id;
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
        for (const std::uint32_t i : mesh.triangles) QVERIFY(i < mesh.vertices.size());
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
            const Pose place = link ? makePose(frames.joints[link - 1].rotation, frames.joints[link - 1].origin) : Pose{};
            Eigen::AlignedBox3d box;
            for (const MeshVertex& v : bodies[link].vertices) box.extend(place * Vec3(v.position.cast<double>()));
            if (link) QVERIFY(box.intersects(before));
            before = box;
        }
    }
}

TOPIKOS_TEST(ShapeTest)
#include "shape_test.moc"
