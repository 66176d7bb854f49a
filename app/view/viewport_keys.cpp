#include "app/session/held_jog.h"
#include "app/view/viewport.h"

#include <QKeyEvent>

/// What the keys do in the view.
namespace topikos {

bool Viewport::jogByKey(QKeyEvent* event)
{
    int axis = -1;
    double sign = 1;
    switch (event->key()) {
    case Qt::Key_Right: axis = 0; break;
    case Qt::Key_Left: axis = 0, sign = -1; break;
    case Qt::Key_Up: axis = 1; break;
    case Qt::Key_Down: axis = 1, sign = -1; break;
    case Qt::Key_PageUp: axis = 2; break;
    case Qt::Key_PageDown: axis = 2, sign = -1; break;
    default: return false;
    }
    if (m_held->on() && (axis == 0 || m_session.jogSpace() != JogSpace::Joint)) {
        if (event->isAutoRepeat()) return true;
        const bool joint = m_session.jogSpace() == JogSpace::Joint;
        m_heldKey = event->key();
        m_held->press(joint ? m_session.jogJointIndex() : axis + (event->modifiers() & Qt::ShiftModifier ? 3 : 0),
                      sign);
        return true;
    }
    if (m_session.jogSpace() == JogSpace::Joint) {
        if (axis == 0) m_session.jogJoint(m_session.jogJointIndex(), sign);
        else m_session.setJogJointIndex(m_session.jogJointIndex() - int(sign));
        return true;
    }
    const bool turn = event->modifiers() & Qt::ShiftModifier;
    m_session.jogAxis(m_session.jogSpace(), axis + (turn ? 3 : 0),
                      sign * (turn ? m_session.jogAngle() : m_session.jogLength()));
    return true;
}

const std::vector<std::pair<QString, QString>>& Viewport::keys()
{
    // As keyPressEvent() and jogByKey() take them.
    static const std::vector<std::pair<QString, QString>> all = {
        {"Arrows", "jog along X and Y, with Shift turn about them; a joint: choose it and turn it"},
        {"Page Up, Page Down", "jog along Z, with Shift turn about it"},
        {"J, W, O, R, B", "jog joints, in the world, in the tool, in the frame, in the base"},
        {"1 to 9", "choose a joint"},
        {"< and >", "smaller and larger steps, or slower and faster"},
        {"H", "jog for as long as a key is held, or by steps"},
        {"+ and −", "faster and slower while keys are held"},
        {"F", "fit all into the view"},
        {"Enter, Backspace", "while drawing: keep what is drawn, take the last click back"},
        {"Esc", "end a drag where it began, end measuring or drawing, reset the run, select nothing"},
        {"Drag, wheel", "orbit and zoom; Shift or the middle button pans"},
    };
    return all;
}

void Viewport::keyPressEvent(QKeyEvent* event)
{
    if (event->modifiers() & (Qt::ControlModifier | Qt::AltModifier)) return GlCanvas::keyPressEvent(event);
    if (drawKey(event)) return;
    if (jogByKey(event)) return;
    switch (event->key()) {
    case Qt::Key_Less:
    case Qt::Key_Comma: m_held->on() ? m_held->changeSpeed(-1) : m_session.changeJogStep(-1); return;
    case Qt::Key_Greater:
    case Qt::Key_Period: m_held->on() ? m_held->changeSpeed(1) : m_session.changeJogStep(1); return;
    case Qt::Key_Minus: m_held->changeSpeed(-1); return;
    case Qt::Key_Plus:
    case Qt::Key_Equal: m_held->changeSpeed(1); return;
    case Qt::Key_H: m_held->setOn(!m_held->on()); return;
    case Qt::Key_J: m_session.setJogSpace(JogSpace::Joint); return;
    case Qt::Key_W: m_session.setJogSpace(JogSpace::World); return;
    case Qt::Key_O: m_session.setJogSpace(JogSpace::Tool); return;
    case Qt::Key_R: m_session.setJogSpace(JogSpace::Frame); return;
    case Qt::Key_B: m_session.setJogSpace(JogSpace::Base); return;
    case Qt::Key_F: fitAll(); return;
    case Qt::Key_Escape:
        if (m_moving) {
            m_moving.reset();
            m_drag.reset();
            m_session.endPreview();
            showNote({}, false);
            return;
        }
        if (m_drag) {
            m_drag.reset();
            m_session.stand(m_dragFrom.first, m_dragFrom.second);
            return;
        }
        if (m_measuring) return setMeasuring(false);
        m_session.leaveRun();
        m_session.select({});
        showNote({}, false);
        return;
    default: break;
    }
    if (event->key() >= Qt::Key_1 && event->key() < Qt::Key_1 + m_session.arm().jointCount()) {
        m_session.setJogSpace(JogSpace::Joint);
        m_session.setJogJointIndex(event->key() - Qt::Key_1);
        return;
    }
    GlCanvas::keyPressEvent(event);
}

void Viewport::keyReleaseEvent(QKeyEvent* event)
{
    if (!event->isAutoRepeat() && event->key() == m_heldKey) {
        m_heldKey = 0;
        m_held->release();
        return;
    }
    GlCanvas::keyReleaseEvent(event);
}

void Viewport::focusOutEvent(QFocusEvent* event)
{
    // Where the keys go elsewhere, nobody would hear that one is let go.
    m_heldKey = 0;
    m_held->release();
    GlCanvas::focusOutEvent(event);
}

}  // namespace topikos
