#include "app/view/renderer.h"

#include "app/theme/theme.h"

#include <array>
#include <cstddef>

namespace topikos {

namespace {

struct PackedVertex {
    float position[3], normal[3];
    std::uint8_t color[4];
};

struct LineVertex {
    float from[3], to[3];
    std::uint8_t color[4];
    float corner[3];
};

constexpr int kShadowSize = 256;  // [pixels]
constexpr float kBehind = 0.22f;  // opacity of marks that bodies hide

QMatrix4x4 matrixOf(const Pose& pose)
{
    const Eigen::Matrix4d m = homogeneous(pose);
    QMatrix4x4 out;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c)
            out(r, c) = float(m(r, c));
    return out;
}

QVector3D rgb(const QColor& c) { return {float(c.redF()), float(c.greenF()), float(c.blueF())}; }
QVector3D vector(const Vec3& v) { return {float(v[0]), float(v[1]), float(v[2])}; }

}  // namespace

GpuMesh::GpuMesh(QOpenGLFunctions_3_3_Core& gl, const Mesh& mesh) :
    m_gl(gl), m_indexCount(int(mesh.triangles.size())), m_edgeCount(int(mesh.edges.size()) / 2)
{
    static std::uint64_t made = 0;
    m_serial = ++made;
    std::vector<PackedVertex> vertices;
    vertices.reserve(mesh.vertices.size());
    for (const MeshVertex& v : mesh.vertices)
        vertices.push_back({{v.position[0], v.position[1], v.position[2]},
                            {v.normal[0], v.normal[1], v.normal[2]},
                            {v.color.red, v.color.green, v.color.blue, 255}});
    gl.glGenVertexArrays(2, m_arrays);
    gl.glGenBuffers(3, m_buffers);
    gl.glBindVertexArray(m_arrays[0]);
    gl.glBindBuffer(GL_ARRAY_BUFFER, m_buffers[0]);
    gl.glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(vertices.size() * sizeof(PackedVertex)), vertices.data(),
                    GL_STATIC_DRAW);
    gl.glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, m_buffers[1]);
    gl.glBufferData(GL_ELEMENT_ARRAY_BUFFER, GLsizeiptr(mesh.triangles.size() * 4), mesh.triangles.data(),
                    GL_STATIC_DRAW);
    gl.glEnableVertexAttribArray(0);
    gl.glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, sizeof(PackedVertex), nullptr);
    gl.glEnableVertexAttribArray(1);
    gl.glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, sizeof(PackedVertex),
                             reinterpret_cast<void*>(offsetof(PackedVertex, normal)));
    gl.glEnableVertexAttribArray(2);
    gl.glVertexAttribPointer(2, 4, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(PackedVertex),
                             reinterpret_cast<void*>(offsetof(PackedVertex, color)));
    // Feature edges are plain one-pixel lines: positions only, one colour for all.
    gl.glBindVertexArray(m_arrays[1]);
    gl.glBindBuffer(GL_ARRAY_BUFFER, m_buffers[2]);
    gl.glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(mesh.edges.size() * sizeof(Eigen::Vector3f)), mesh.edges.data(),
                    GL_STATIC_DRAW);
    gl.glEnableVertexAttribArray(0);
    gl.glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, sizeof(Eigen::Vector3f), nullptr);
    gl.glBindVertexArray(0);
}

GpuMesh::~GpuMesh()
{
    m_gl.glDeleteVertexArrays(2, m_arrays);
    m_gl.glDeleteBuffers(3, m_buffers);
}

void GpuMesh::drawTriangles() const
{
    m_gl.glBindVertexArray(m_arrays[0]);
    m_gl.glDrawElements(GL_TRIANGLES, m_indexCount, GL_UNSIGNED_INT, nullptr);
}

void GpuMesh::drawEdges() const
{
    m_gl.glBindVertexArray(m_arrays[1]);
    m_gl.glDrawArrays(GL_LINES, 0, 2 * m_edgeCount);
}

std::unique_ptr<QOpenGLShaderProgram> Renderer::program(const char* vertex, const char* fragment)
{
    auto p = std::make_unique<QOpenGLShaderProgram>();
    const bool good = p->addShaderFromSourceFile(QOpenGLShader::Vertex, QString(":/shaders/") + vertex)
                      && p->addShaderFromSourceFile(QOpenGLShader::Fragment, QString(":/shaders/") + fragment)
                      && p->link();
    if (!good) qFatal("The drawing program %s + %s could not be built: %s", vertex, fragment, qPrintable(p->log()));
    return p;
}

Renderer::Renderer(QOpenGLFunctions_3_3_Core& gl) : m_gl(gl), m_route(gl), m_lines(gl), m_marks(gl), m_onTop(gl)
{
    m_body = program("body.vert", "body.frag");
    m_height = program("body.vert", "height.frag");
    m_ground = program("ground.vert", "ground.frag");
    m_line = program("line.vert", "flat.frag");
    m_sky = program("sky.vert", "sky.frag");
    m_blur = program("sky.vert", "blur.frag");
    gl.glGenVertexArrays(1, &m_emptyArray);
    gl.glGenVertexArrays(1, &m_groundArray);
    gl.glGenBuffers(1, &m_groundBuffer);
    constexpr float g = 7;
    const float ground[] = {-g, -g, 0, g, -g, 0, g, g, 0, -g, -g, 0, g, g, 0, -g, g, 0};
    gl.glBindVertexArray(m_groundArray);
    gl.glBindBuffer(GL_ARRAY_BUFFER, m_groundBuffer);
    gl.glBufferData(GL_ARRAY_BUFFER, sizeof ground, ground, GL_STATIC_DRAW);
    gl.glEnableVertexAttribArray(0);
    gl.glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    gl.glBindVertexArray(0);
}

Renderer::~Renderer()
{
    m_gl.glDeleteVertexArrays(1, &m_emptyArray);
    m_gl.glDeleteVertexArrays(1, &m_groundArray);
    m_gl.glDeleteBuffers(1, &m_groundBuffer);
}

void Renderer::drawShadow(const DrawList& list)
{
    std::vector<std::pair<std::uint64_t, Pose>> casting;
    for (const DrawItem& item : list.items)
        if (item.shadow && item.opacity >= 1) casting.emplace_back(item.mesh->serial(), item.worldFromMesh);
    if (m_shadow[0] && casting == m_shadowOf) return;  // orbiting leaves it as it is
    m_shadowOf = std::move(casting);
    if (!m_shadow[0])
        for (auto& fbo : m_shadow) {
            fbo = std::make_unique<QOpenGLFramebufferObject>(kShadowSize, kShadowSize, QOpenGLFramebufferObject::Depth,
                                                             GL_TEXTURE_2D, GL_R8);
            m_gl.glBindTexture(GL_TEXTURE_2D, fbo->texture());
            m_gl.glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR);
            m_gl.glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
            m_gl.glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
            m_gl.glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
        }
    // Seen from below: the lowest body over each spot decides how dark it is.
    m_shadow[0]->bind();
    m_gl.glViewport(0, 0, kShadowSize, kShadowSize);
    m_gl.glClearColor(0, 0, 0, 1);
    m_gl.glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    m_gl.glEnable(GL_DEPTH_TEST);
    m_gl.glDisable(GL_BLEND);
    QMatrix4x4 m;
    const auto h = float(list.shadowHalf);
    m.ortho(-h, h, -h, h, -0.5f, 5.0f);
    m.scale(1, 1, -1);
    m.translate(float(-list.shadowCentre[0]), float(-list.shadowCentre[1]), 0);
    m_height->bind();
    m_height->setUniformValue("viewProjection", m);
    m_height->setUniformValue("section", QVector4D(0, 0, 0, 1));
    for (const DrawItem& item : list.items) {
        if (!item.shadow || item.opacity < 1) continue;
        m_height->setUniformValue("model", matrixOf(item.worldFromMesh));
        item.mesh->drawTriangles();
    }
    m_gl.glDisable(GL_DEPTH_TEST);
    m_blur->bind();
    m_blur->setUniformValue("source", 0);
    m_gl.glBindVertexArray(m_emptyArray);
    for (int pass = 0; pass < 2; ++pass) {
        m_shadow[1 - pass]->bind();
        m_gl.glBindTexture(GL_TEXTURE_2D, m_shadow[pass]->texture());
        m_blur->setUniformValue("direction",
                                pass == 0 ? QVector2D(1.0f / kShadowSize, 0) : QVector2D(0, 1.0f / kShadowSize));
        m_gl.glDrawArrays(GL_TRIANGLES, 0, 3);
    }
}

void Renderer::drawBodies(const DrawList& list, const Camera& camera, const QMatrix4x4& matrix, bool ghosts)
{
    m_body->bind();
    m_body->setUniformValue("viewProjection", matrix);
    m_body->setUniformValue("eye", vector(camera.eye()));
    m_body->setUniformValue("plain", false);
    const Eigen::Vector4f cut = list.section.value_or(Eigen::Vector4d(0, 0, 0, 1)).cast<float>();
    m_body->setUniformValue("section", QVector4D(cut[0], cut[1], cut[2], cut[3]));
    m_body->setUniformValue("ambient", theme().dark ? 0.42f : 0.52f);
    m_gl.glEnable(GL_POLYGON_OFFSET_FILL);
    m_gl.glPolygonOffset(1, 1);
    for (const DrawItem& item : list.items) {
        if ((item.opacity < 1) != ghosts) continue;
        m_body->setUniformValue("model", matrixOf(item.worldFromMesh));
        const QColor& t = item.tint;
        m_body->setUniformValue("tint", t.isValid() ? QVector4D(rgb(t), float(t.alphaF())) : QVector4D());
        m_body->setUniformValue("opacity", float(item.opacity));
        if (ghosts) {
            // Depth first, so that only the ghost's outer surface shows.
            m_gl.glColorMask(GL_FALSE, GL_FALSE, GL_FALSE, GL_FALSE);
            item.mesh->drawTriangles();
            m_gl.glColorMask(GL_TRUE, GL_TRUE, GL_TRUE, GL_TRUE);
            m_gl.glDepthFunc(GL_LEQUAL);
        }
        item.mesh->drawTriangles();
        m_gl.glDepthFunc(GL_LESS);
    }
    m_gl.glDisable(GL_POLYGON_OFFSET_FILL);
    if (ghosts) return;
    // Edges have positions only and one colour for all.
    m_body->setUniformValue("plain", true);
    m_body->setUniformValue("tint", QVector4D(rgb(theme().edge), 1));
    m_body->setUniformValue("opacity", 0.5f);
    m_gl.glEnable(GL_BLEND);
    for (const DrawItem& item : list.items) {
        if (item.opacity < 1) continue;
        m_body->setUniformValue("model", matrixOf(item.worldFromMesh));
        item.mesh->drawEdges();
    }
}

GpuLines::GpuLines(QOpenGLFunctions_3_3_Core& gl) : m_gl(gl)
{
    gl.glGenVertexArrays(1, &m_array);
    gl.glGenBuffers(2, m_buffers);
    gl.glBindVertexArray(m_array);
    gl.glBindBuffer(GL_ARRAY_BUFFER, m_buffers[0]);
    gl.glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, m_buffers[1]);
    const auto attribute = [&](unsigned place, int count, GLenum type, bool normalized, std::size_t offset) {
        gl.glEnableVertexAttribArray(place);
        gl.glVertexAttribPointer(place, count, type, normalized, sizeof(LineVertex), reinterpret_cast<void*>(offset));
    };
    attribute(0, 3, GL_FLOAT, false, offsetof(LineVertex, from));
    attribute(1, 3, GL_FLOAT, false, offsetof(LineVertex, to));
    attribute(2, 4, GL_UNSIGNED_BYTE, true, offsetof(LineVertex, color));
    attribute(3, 3, GL_FLOAT, false, offsetof(LineVertex, corner));
    gl.glBindVertexArray(0);
}

GpuLines::~GpuLines()
{
    m_gl.glDeleteVertexArrays(1, &m_array);
    m_gl.glDeleteBuffers(2, m_buffers);
}

void GpuLines::fill(const std::vector<DrawLine>& lines)
{
    std::vector<LineVertex> vertices;
    std::vector<std::uint32_t> indices;
    vertices.reserve(lines.size() * 4);
    indices.reserve(lines.size() * 6);
    for (const DrawLine& l : lines) {
        const auto base = std::uint32_t(vertices.size());
        const QRgb color = l.color.rgba();
        for (const auto& [along, side] : {std::pair{0.0f, -1.0f}, {0.0f, 1.0f}, {1.0f, 1.0f}, {1.0f, -1.0f}})
            vertices.push_back({{float(l.from[0]), float(l.from[1]), float(l.from[2])},
                                {float(l.to[0]), float(l.to[1]), float(l.to[2])},
                                {std::uint8_t(qRed(color)), std::uint8_t(qGreen(color)), std::uint8_t(qBlue(color)),
                                 std::uint8_t(qAlpha(color))},
                                {along, side, float(l.width)}});
        for (const std::uint32_t i : {0u, 1u, 2u, 0u, 2u, 3u})
            indices.push_back(base + i);
    }
    m_count = int(indices.size());
    m_gl.glBindVertexArray(m_array);
    m_gl.glBindBuffer(GL_ARRAY_BUFFER, m_buffers[0]);
    m_gl.glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(vertices.size() * sizeof(LineVertex)), vertices.data(),
                      GL_STREAM_DRAW);
    m_gl.glBufferData(GL_ELEMENT_ARRAY_BUFFER, GLsizeiptr(indices.size() * 4), indices.data(), GL_STREAM_DRAW);
}

void GpuLines::draw() const
{
    m_gl.glBindVertexArray(m_array);
    m_gl.glDrawElements(GL_TRIANGLES, m_count, GL_UNSIGNED_INT, nullptr);
}

void Renderer::drawLines(const GpuLines& lines, const QMatrix4x4& matrix, QSize pixels, float bias, float opacity)
{
    if (lines.empty()) return;
    m_line->bind();
    m_line->setUniformValue("model", QMatrix4x4());
    m_line->setUniformValue("viewProjection", matrix);
    m_line->setUniformValue("viewport", QVector2D(float(pixels.width()), float(pixels.height())));
    m_line->setUniformValue("bias", bias);
    m_line->setUniformValue("opacity", opacity);
    m_gl.glEnable(GL_BLEND);
    lines.draw();
}

void Renderer::draw(const DrawList& list, const Camera& camera, QSize whole, unsigned target, bool fine, double scale)
{
    const QSize pixels = fine ? whole : (scale * QSizeF(whole)).toSize().expandedTo({1, 1});
    auto& fbo = fine ? m_fine : m_coarse;
    if (!fbo || fbo->size() != pixels) {
        QOpenGLFramebufferObjectFormat format;
        format.setAttachment(QOpenGLFramebufferObject::Depth);
        format.setSamples(fine ? 4 : 0);
        fbo = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
    }
    drawShadow(list);

    fbo->bind();
    m_gl.glViewport(0, 0, pixels.width(), pixels.height());
    m_gl.glDepthMask(GL_TRUE);
    m_gl.glClear(GL_DEPTH_BUFFER_BIT);
    m_gl.glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
    m_gl.glDisable(GL_CULL_FACE);
    m_gl.glDisable(GL_DEPTH_TEST);
    m_gl.glDisable(GL_BLEND);
    const Theme& t = theme();
    m_sky->bind();
    m_sky->setUniformValue("top", rgb(t.skyTop));
    m_sky->setUniformValue("bottom", rgb(t.skyBottom));
    m_gl.glBindVertexArray(m_emptyArray);
    m_gl.glDrawArrays(GL_TRIANGLES, 0, 3);

    const QMatrix4x4 matrix = camera.viewProjection(whole);
    m_gl.glEnable(GL_DEPTH_TEST);
    m_gl.glDepthFunc(GL_LESS);
    if (list.section) m_gl.glEnable(GL_CLIP_DISTANCE0);
    drawBodies(list, camera, matrix, false);
    m_gl.glDisable(GL_CLIP_DISTANCE0);

    m_gl.glEnable(GL_BLEND);
    m_gl.glDepthMask(GL_FALSE);
    m_ground->bind();
    m_gl.glBindTexture(GL_TEXTURE_2D, m_shadow[0]->texture());
    m_ground->setUniformValue("shadow", 0);
    m_ground->setUniformValue("viewProjection", matrix);
    m_ground->setUniformValue("ground", rgb(t.ground));
    m_ground->setUniformValue("grid", rgb(t.grid));
    m_ground->setUniformValue("step", float(list.gridStep));
    m_ground->setUniformValue("fadeCentre", vector(camera.centre));
    m_ground->setUniformValue("shadowArea", QVector4D(float(list.shadowCentre[0]), float(list.shadowCentre[1]),
                                                      float(list.shadowHalf), 0.55f));
    m_gl.glBindVertexArray(m_groundArray);
    m_gl.glDrawArrays(GL_TRIANGLES, 0, 6);
    m_gl.glDepthMask(GL_TRUE);

    if (list.route != m_routeOf) {
        m_route.fill(list.route ? *list.route : std::vector<DrawLine>());
        m_routeOf = list.route;
    }
    m_lines.fill(list.lines);
    m_marks.fill(list.marks);
    m_onTop.fill(list.linesOnTop);
    drawLines(m_route, matrix, whole, 0.00005f);
    drawLines(m_lines, matrix, whole, 0.00005f);
    m_gl.glEnable(GL_BLEND);
    drawBodies(list, camera, matrix, true);
    // Marks hide nothing of each other: what of them is behind bodies is faint.
    m_gl.glDepthMask(GL_FALSE);
    drawLines(m_marks, matrix, whole, 0.00005f);
    m_gl.glDepthFunc(GL_GREATER);
    drawLines(m_marks, matrix, whole, 0.00005f, kBehind);
    m_gl.glDepthFunc(GL_LESS);
    m_gl.glDepthMask(GL_TRUE);
    m_gl.glDisable(GL_DEPTH_TEST);
    drawLines(m_onTop, matrix, whole, 0);

    m_gl.glBindVertexArray(0);
    m_gl.glBindFramebuffer(GL_READ_FRAMEBUFFER, fbo->handle());
    m_gl.glBindFramebuffer(GL_DRAW_FRAMEBUFFER, target);
    m_gl.glBlitFramebuffer(0, 0, pixels.width(), pixels.height(), 0, 0, whole.width(), whole.height(),
                           GL_COLOR_BUFFER_BIT, pixels == whole ? GL_NEAREST : GL_LINEAR);
    m_gl.glBindFramebuffer(GL_FRAMEBUFFER, target);
}

}  // namespace topikos
