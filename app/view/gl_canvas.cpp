#include "app/view/gl_canvas.h"

#include <QEvent>
#include <QOpenGLFunctions>
#include <QPainter>

namespace topikos {

GlCanvas::GlCanvas(QWidget* parent) : QWidget(parent) { setAttribute(Qt::WA_OpaquePaintEvent); }

GlCanvas::~GlCanvas()
{
    makeCurrent();
    m_target.reset();
    doneCurrent();
}

bool GlCanvas::makeCurrent() { return m_context && m_context->isValid() && m_context->makeCurrent(m_surface.get()); }

void GlCanvas::doneCurrent()
{
    if (m_context) m_context->doneCurrent();
}

void GlCanvas::redraw()
{
    m_stale = true;
    update();
}

void GlCanvas::changeEvent(QEvent* event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::StyleChange || event->type() == QEvent::PaletteChange) redraw();
}

void GlCanvas::make()
{
    if (m_state == State::New) {
        m_surface = std::make_unique<QOffscreenSurface>();
        m_surface->create();
        m_context = std::make_unique<QOpenGLContext>();
        m_context->create();
        makeCurrent();
        m_state = initializeGL() ? State::Ready : State::Refused;
    }
    if (m_state == State::Refused || !makeCurrent()) {
        m_picture = QImage(pixels(), QImage::Format_RGB32);
        m_picture.fill(palette().window().color());
    } else {
        if (!m_target || m_target->size() != pixels())
            m_target = std::make_unique<QOpenGLFramebufferObject>(pixels(), QOpenGLFramebufferObject::NoAttachment);
        paintGL();
        m_target->bind();
        QImage rows(pixels(), QImage::Format_RGB32);
        m_context->functions()->glReadPixels(0, 0, rows.width(), rows.height(), GL_BGRA, GL_UNSIGNED_BYTE, rows.bits());
        m_picture = std::move(rows).mirrored();  // the last row came first
    }
    doneCurrent();
    m_picture.setDevicePixelRatio(devicePixelRatio());
    m_stale = false;
}

QImage GlCanvas::picture()
{
    if (m_stale || m_picture.size() != pixels()) make();
    return m_picture;
}

void GlCanvas::paintEvent(QPaintEvent* event)
{
    const QImage now = picture();
    QPainter painter(this);
    const QRectF part = event->rect();
    const double ratio = now.devicePixelRatio();
    painter.drawImage(part, now, QRectF(part.topLeft() * ratio, part.size() * ratio));
}

}  // namespace topikos
