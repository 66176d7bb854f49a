#pragma once
#include "app/view/camera.h"
#include "core/shape/mesh.h"

#include <QColor>
#include <QOpenGLBuffer>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>

#include <memory>
#include <optional>
#include <vector>

namespace topikos {

/// A mesh on the graphics side.
class GpuMesh {
public:
    GpuMesh(QOpenGLFunctions_3_3_Core& gl, const Mesh& mesh);
    ~GpuMesh();
    GpuMesh(const GpuMesh&) = delete;
    void drawTriangles() const;
    void drawEdges() const;
    /// Never given twice, unlike an address.
    std::uint64_t serial() const { return m_serial; }

private:
    QOpenGLFunctions_3_3_Core& m_gl;
    unsigned m_arrays[2] = {}, m_buffers[3] = {};
    int m_indexCount = 0, m_edgeCount = 0;
    std::uint64_t m_serial;
};

struct DrawLine;

/// Lines on the graphics side, all drawn at once.
class GpuLines {
public:
    explicit GpuLines(QOpenGLFunctions_3_3_Core& gl);
    ~GpuLines();
    GpuLines(const GpuLines&) = delete;
    void fill(const std::vector<DrawLine>& lines);
    void draw() const;
    bool empty() const { return m_count == 0; }

private:
    QOpenGLFunctions_3_3_Core& m_gl;
    unsigned m_array = 0, m_buffers[2] = {};
    int m_count = 0;
};

/// One body to be drawn.
struct DrawItem {
    const GpuMesh* mesh = nullptr;
    Pose worldFromMesh;
    QColor tint;  ///< mixed in by its alpha
    double opacity = 1;
    bool shadow = true;
};

/// Straight piece of a drawn line, in the world.
struct DrawLine {
    Vec3 from, to;
    QColor color;
    double width = 1.5;  ///< [pixels]
};

/// Everything in one picture.
struct DrawList {
    std::vector<DrawItem> items;
    /// Hidden by bodies, and the same from picture to picture as long as the pointer is.
    std::shared_ptr<const std::vector<DrawLine>> route;
    std::vector<DrawLine> lines;       ///< hidden by bodies
    std::vector<DrawLine> marks;       ///< seen faintly where bodies hide them
    std::vector<DrawLine> linesOnTop;  ///< in front of everything
    Vec3 shadowCentre = Vec3::Zero();
    std::optional<Eigen::Vector4d> section;  ///< bodies are drawn where its product with (x, y, z, 1) is not negative
    double gridStep = 0.1;                   ///< [m]
    double shadowHalf = 2;                   ///< half the width of the area that can hold shadows [m]
};

/// OpenGL 3.3 core. Lit matte bodies with thin edges, a ground with grid and soft contact shadow, wide lines.
class Renderer {
public:
    explicit Renderer(QOpenGLFunctions_3_3_Core& gl);
    ~Renderer();

    /// Draws into `target`. `fine` smooths edges (slower, for the picture that stands still); others are drawn at a
    /// `scale` of up to 1 of their pixels.
    void draw(const DrawList& list, const Camera& camera, QSize pixels, unsigned target, bool fine, double scale = 1);

private:
    std::unique_ptr<QOpenGLShaderProgram> program(const char* vertex, const char* fragment);
    void drawShadow(const DrawList& list);
    void drawBodies(const DrawList& list, const Camera& camera, const QMatrix4x4& matrix, bool ghosts);
    void drawLines(const GpuLines& lines, const QMatrix4x4& matrix, QSize pixels, float bias, float opacity = 1);

    QOpenGLFunctions_3_3_Core& m_gl;
    std::vector<std::pair<std::uint64_t, Pose>> m_shadowOf;  ///< serials of the bodies in the shadow as last drawn
    std::unique_ptr<QOpenGLShaderProgram> m_body, m_ground, m_line, m_sky, m_blur, m_height;
    std::unique_ptr<QOpenGLFramebufferObject> m_fine, m_coarse, m_shadow[2];
    unsigned m_emptyArray = 0, m_groundArray = 0, m_groundBuffer = 0;
    GpuLines m_route, m_lines, m_marks, m_onTop;
    std::shared_ptr<const std::vector<DrawLine>> m_routeOf;  ///< that m_route holds
};

}  // namespace topikos
