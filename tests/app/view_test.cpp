#include "app/view/handle.h"
#include "app/view/scene.h"
#include "core/files/cell_file.h"
#include "tests/run.h"

#include <random>

using namespace topikos;

/// Camera, handle and scene without a window: where things are on the screen and what a drag means.
class ViewTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void rayAndPixelAreInverse();
    void projectionMatchesTheMatrix();
    void zoomKeepsThePointUnderTheMouse();
    void panMovesByPixels();
    void fitShowsEveryPoint_data();
    void fitShowsEveryPoint();
    void handlePartsAreFoundWhereTheyAreDrawn();
    void handleDragMovesAlongItsAxis_data();
    void handleDragMovesAlongItsAxis();
    void handleDragTurnsByTheAngle();
    void pickFindsTheNearestThing();
    void calloutSitsWhereTheLineStops();
    void blamedJointIsTheOneOfTheFinding();
    void pathsAreThoseOfTheOpenCell();
};

namespace {

constexpr QSizeF kSize(900, 600);
double distance(QPointF a, QPointF b) { return std::hypot(a.x() - b.x(), a.y() - b.y()); }

}  // namespace

void ViewTest::rayAndPixelAreInverse()
{
    Camera camera;
    std::mt19937_64 random(2);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int n = 0; n < 500; ++n) {
        camera.yaw = 3 * u(random);
        camera.pitch = 1.2 * u(random);
        const Vec3 point = camera.centre + Vec3(u(random), u(random), u(random));
        double depth;
        const QPointF pixel = camera.pixel(point, kSize, &depth);
        QVERIFY(depth > 0);
        const Camera::Ray ray = camera.ray(pixel, kSize);
        QVERIFY((point - ray.origin).cross(ray.direction).norm() < 1e-9);
    }
}

void ViewTest::projectionMatchesTheMatrix()
{
    Camera camera;
    const QMatrix4x4 m = camera.viewProjection(kSize);
    for (const Vec3& p : {Vec3(0, 0, 0), Vec3(0.5, -0.3, 1.2), Vec3(1, 1, 0)}) {
        const QVector3D clip = m.map(QVector3D(float(p[0]), float(p[1]), float(p[2])));
        const QPointF pixel((clip.x() + 1) / 2 * kSize.width(), (1 - clip.y()) / 2 * kSize.height());
        QVERIFY(distance(pixel, camera.pixel(p, kSize)) < 0.05);
    }
}

void ViewTest::zoomKeepsThePointUnderTheMouse()
{
    Camera camera;
    const QPointF mouse(640, 210);
    const Camera::Ray ray = camera.ray(mouse, kSize);
    const double t = (camera.centre - ray.origin).dot(camera.forward()) / ray.direction.dot(camera.forward());
    const Vec3 held = ray.origin + t * ray.direction;
    for (const double factor : {0.8, 0.5, 1.7}) {
        camera.zoom(factor, mouse, kSize);
        QVERIFY(distance(camera.pixel(held, kSize), mouse) < 1e-6);
    }
    camera.zoom(1e-9, mouse, kSize);
    QVERIFY(camera.distance >= 0.15 - 1e-12);
    camera.zoom(1e9, mouse, kSize);
    QVERIFY(camera.distance <= 40 + 1e-9);
}

void ViewTest::panMovesByPixels()
{
    Camera camera;
    const Vec3 point = camera.centre;
    const QPointF before = camera.pixel(point, kSize);
    camera.pan({37, -21}, kSize);
    QVERIFY(distance(camera.pixel(point, kSize), before + QPointF(37, -21)) < 1e-6);
}

void ViewTest::fitShowsEveryPoint_data()
{
    QTest::addColumn<double>("yaw");
    QTest::addColumn<double>("pitch");
    QTest::addColumn<double>("scale");
    QTest::newRow("corner") << -0.9 << 0.42 << 1.0;
    QTest::newRow("above") << 0.0 << 1.55 << 1.0;
    QTest::newRow("front, small") << 0.0 << 0.0 << 0.05;
    QTest::newRow("low, large") << 2.0 << -0.1 << 6.0;
}

void ViewTest::fitShowsEveryPoint()
{
    QFETCH(double, yaw);
    QFETCH(double, pitch);
    QFETCH(double, scale);
    Camera camera;
    camera.yaw = yaw;
    camera.pitch = pitch;
    std::mt19937_64 random(3);
    std::uniform_real_distribution<double> u(-1, 1);
    std::vector<Vec3> points;
    for (int n = 0; n < 60; ++n)
        points.push_back(scale * Vec3(2 + u(random), u(random), 1 + u(random)));
    camera.fit(points, kSize, 50);
    double top = 1e9, bottom = -1e9, left = 1e9, right = -1e9;
    for (const Vec3& p : points) {
        const QPointF q = camera.pixel(p, kSize);
        top = std::min(top, q.y()), bottom = std::max(bottom, q.y());
        left = std::min(left, q.x()), right = std::max(right, q.x());
    }
    QVERIFY(top > 45 && bottom < 555 && left > 15 && right < 885);
    QVERIFY(bottom - top > 440 || right - left > 780);  // and as large as it goes
}

void ViewTest::handlePartsAreFoundWhereTheyAreDrawn()
{
    Camera camera;
    Handle handle;
    const Pose place{camera.centre, Quat::Identity()};
    handle.place(place, camera, kSize);
    const double metres = camera.metresPerPixel(place.translation, kSize);
    QCOMPARE(handle.partAt(camera.pixel(place.translation, kSize), camera, kSize), 6);
    for (int axis = 0; axis < 3; ++axis)
        QCOMPARE(handle.partAt(camera.pixel(place * Vec3(74 * metres * Vec3::Unit(axis)), kSize), camera, kSize), axis);
    QCOMPARE(handle.partAt({5, 5}, camera, kSize), -1);
    std::vector<DrawLine> lines;
    handle.draw(lines, 2);
    QVERIFY(lines.size() > 20);
}

void ViewTest::handleDragMovesAlongItsAxis_data()
{
    QTest::addColumn<int>("axis");
    QTest::newRow("x") << 0;
    QTest::newRow("y") << 1;
    QTest::newRow("z") << 2;
}

void ViewTest::handleDragMovesAlongItsAxis()
{
    QFETCH(int, axis);
    Camera camera;
    Handle handle;
    const Pose place{camera.centre, Quat(Eigen::AngleAxisd(0.4, Vec3::UnitZ()))};
    handle.place(place, camera, kSize);
    const double metres = camera.metresPerPixel(place.translation, kSize);
    const Vec3 direction = place.rotation * Vec3::Unit(axis);
    const Vec3 from = place.translation + 70 * metres * direction;
    auto drag = handle.press(camera.pixel(from, kSize), camera, kSize);
    QVERIFY(drag && drag->part == axis);
    for (const double way : {0.01, 0.1, -0.2}) {
        QVERIFY(Handle::move(*drag, camera.pixel(from + way * direction, kSize), camera, kSize));
        QVERIFY(std::abs(drag->amount - way) < 1e-9);
        const Pose moved = Handle::moved(*drag, place);
        QVERIFY((moved.translation - place.translation - way * direction).norm() < 1e-9);
        QVERIFY(deviation(moved, translated(moved.translation) * Pose{Vec3::Zero(), place.rotation}).radians < 1e-12);
    }
}

void ViewTest::handleDragTurnsByTheAngle()
{
    Camera camera;
    camera.pitch = 1.2;
    Handle handle;
    const Pose place{camera.centre, Quat::Identity()};
    handle.place(place, camera, kSize);
    const double radius = 0.62 * 82 * camera.metresPerPixel(place.translation, kSize);
    const auto onRing = [&](double angle) {
        return camera.pixel(place.translation + radius * Vec3(std::cos(angle), std::sin(angle), 0), kSize);
    };
    auto drag = handle.press(onRing(0.8), camera, kSize);
    QVERIFY(drag);
    QCOMPARE(drag->part, 5);
    QVERIFY(Handle::move(*drag, onRing(1.3), camera, kSize));
    QVERIFY(std::abs(drag->amount - 0.5) < 1e-9);
    const Pose moved = Handle::moved(*drag, place);
    QVERIFY((moved.translation - place.translation).norm() < 1e-12);
    QVERIFY(moved.rotation.angularDistance(Quat(Eigen::AngleAxisd(0.5, Vec3::UnitZ()))) < 1e-9);
}

void ViewTest::pickFindsTheNearestThing()
{
    Session session(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
    Scene scene(session);
    const Part& tile = session.cell().parts[1];
    const Vec3 place = worldFromPart(session.cell(), tile).translation;
    QVERIFY(scene.pick(place + Vec3(0, 0, 0.5), -Vec3::UnitZ()) == Selection(tile.id));
    QVERIFY(scene.pick(place - Vec3(0, 0, 0.5), Vec3::UnitZ())
            == Selection(session.cell().frames[2].id));  // the belt from below
    QVERIFY(scene.pick({5, 5, 5}, Vec3::UnitZ()) == Selection());
    const Vec3 flange =
        (worldFromBase(session.cell(), session.cell().arms.front()) * forward(session.arm(), session.posture()))
            .translation;
    QVERIFY(scene.pick(flange + Vec3(0, 0.5, -0.05), -Vec3::UnitY()) == Selection(session.station().tool));
}

void ViewTest::calloutSitsWhereTheLineStops()
{
    Session session(openCell(TOPIKOS_EXAMPLES "/planted-mistakes.topikos").value());
    QTRY_VERIFY(session.checked());
    Scene scene(session);
    QVERIFY(!scene.callout());
    session.select(session.routine().steps[2].id);
    const auto callout = scene.callout();
    QVERIFY(callout);
    QCOMPARE(callout->text.headline, std::string("Step 3 stops 36 mm short"));
    const Move& move = *session.trace()->arms[0].outcomes[2].move;
    const Vec3 stop = (worldFromBase(session.cell(), session.cell().arms.front())
                       * baseFromTcp(session.cell(), session.cell().arms.front(), move.to))
                          .translation;
    QVERIFY((callout->place - stop).norm() < 1e-6);
    session.select(session.routine().steps[0].id);
    QVERIFY(!scene.callout());
}

void ViewTest::blamedJointIsTheOneOfTheFinding()
{
    Session session(openCell(TOPIKOS_EXAMPLES "/planted-mistakes.topikos").value());
    QTRY_VERIFY(session.checked());
    const Scene scene(session);
    const auto blamed = [&] { return scene.blamedNames().join(","); };
    QCOMPARE(blamed(), QString());
    session.select(session.routine().steps[2].id);
    QCOMPARE(blamed(), QString("link 3"));
    session.select(session.routine().steps[4].id);  // a singularity is nobody's stop
    QCOMPARE(blamed(), QString());
}

void ViewTest::pathsAreThoseOfTheOpenCell()
{
    Session session(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
    const Scene scene(session);
    for (int n = 0; n < 12; ++n) {
        // Old checks are freed on the way, so addresses come back.
        session.open(openCell(n % 2 ? TOPIKOS_EXAMPLES "/tile-glazing-line.topikos"
                                    : TOPIKOS_EXAMPLES "/planted-mistakes.topikos")
                         .value(),
                     {});
        QTRY_VERIFY(session.checkIsFresh());
        const Trace& trace = *session.trace();
        size_t moves = 0;
        for (const StepOutcome& outcome : trace.arms[0].outcomes) {
            if (!outcome.move) continue;
            const Scene::Path& path = scene.paths().at(moves++);
            QVERIFY(path.step == outcome.step);
            const Vec3 start = (worldFromBase(session.cell(), session.cell().arms.front())
                                * baseFromTcp(session.cell(), session.cell().arms.front(), outcome.move->from))
                                   .translation;
            QVERIFY((path.points.front() - start).norm() < 1e-9);
        }
        QCOMPARE(scene.paths().size(), moves);
    }
}

TOPIKOS_TEST(ViewTest)
#include "view_test.moc"
