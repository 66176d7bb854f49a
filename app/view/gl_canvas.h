#pragma once
#include <QImage>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QWidget>

#include <memory>

namespace topikos {

/// A picture that OpenGL makes beside the screen, and that is painted like any other. Where OpenGL computes without
/// graphics hardware that costs half of what a window does that OpenGL puts together, and what lies over the picture
/// can change without the picture being made anew.
class GlCanvas : public QWidget {
    Q_OBJECT
public:
    explicit GlCanvas(QWidget* parent = nullptr);
    ~GlCanvas() override;

    /// As it is to be seen now, in pixels.
    QImage picture();

protected:
    /// Once, before the first picture, with the context current. False: there will be no picture.
    virtual bool initializeGL() = 0;
    /// Draws into target(), with the context current.
    virtual void paintGL() = 0;
    /// The picture is to be made anew.
    void redraw();
    /// nullptr where there is none.
    QOpenGLContext* context() const { return m_context.get(); }
    bool makeCurrent();
    void doneCurrent();
    unsigned target() const { return m_target->handle(); }
    /// Of the picture.
    QSize pixels() const { return size() * devicePixelRatio(); }

    void paintEvent(QPaintEvent* event) override;
    void changeEvent(QEvent* event) override;

private:
    void make();

    std::unique_ptr<QOffscreenSurface> m_surface;
    std::unique_ptr<QOpenGLContext> m_context;
    std::unique_ptr<QOpenGLFramebufferObject> m_target;
    enum class State { New, Ready, Refused } m_state = State::New;
    bool m_stale = true;
    QImage m_picture;
};

}  // namespace topikos
