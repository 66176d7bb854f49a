#include "app/arms/arm_picture.h"

#include "app/view/camera.h"
#include "core/robot/forward.h"
#include "core/shape/arm_bodies.h"

#include <QPainter>

#include <algorithm>

namespace topikos {

QImage armPicture(const Arm& arm, QSize pixels)
{
    constexpr int finer = 2;
    const QSize size = pixels * finer;
    struct Facet {
        double depth;
        QPolygonF shape;
        QColor color;
    };
    std::vector<Facet> facets;
    Camera camera;
    camera.pitch = 0.3;
    camera.yaw = -0.8;
    ChainFrames frames;
    chainFrames(arm, armHome(arm), frames);
    const std::vector<Mesh> bodies = armBodies(arm);
    std::vector<Pose> places{Pose{}};
    for (int i = 0; i < arm.jointCount(); ++i)
        places.push_back(makePose(frames.joints[size_t(i)].rotation, frames.joints[size_t(i)].origin));
    std::vector<Vec3> points;
    for (size_t b = 0; b < bodies.size(); ++b)
        for (const MeshVertex& v : bodies[b].vertices)
            points.push_back(places[b] * Vec3(v.position.cast<double>()));
    camera.fit(points, size, 4);
    const Vec3 light = Vec3(-0.4, -0.5, 0.8).normalized();
    for (size_t b = 0; b < bodies.size(); ++b) {
        const Mesh& mesh = bodies[b];
        for (size_t t = 0; t + 2 < mesh.triangles.size(); t += 3) {
            Vec3 corners[3];
            Vec3 normal = Vec3::Zero();
            for (size_t k = 0; k < 3; ++k) {
                const MeshVertex& v = mesh.vertices[mesh.triangles[t + k]];
                corners[k] = places[b] * Vec3(v.position.cast<double>());
                normal += places[b].rotation * v.normal.cast<double>();
            }
            const Vec3 centre = (corners[0] + corners[1] + corners[2]) / 3;
            normal.normalize();
            if (normal.dot(centre - camera.eye()) > 0) continue;
            Facet facet;
            facet.depth = (centre - camera.eye()).norm();
            for (const Vec3& c : corners)
                facet.shape << camera.pixel(c, size);
            const Color& own = mesh.vertices[mesh.triangles[t]].color;
            const double bright = 0.62 + 0.38 * std::max(0.0, normal.dot(light));
            facet.color = QColor(int(own.red * bright), int(own.green * bright), int(own.blue * bright));
            facets.push_back(std::move(facet));
        }
    }
    std::sort(facets.begin(), facets.end(), [](const Facet& a, const Facet& b) { return a.depth > b.depth; });
    QImage image(size, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::transparent);
    QPainter painter(&image);
    for (const Facet& f : facets) {
        painter.setPen(QPen(f.color, 1));
        painter.setBrush(f.color);
        painter.drawPolygon(f.shape);
    }
    painter.end();
    return image.scaled(pixels, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
}

}  // namespace topikos
