#include "app/window/home_lamp.h"

#include "app/targets/target_commands.h"
#include "app/theme/theme.h"

#include <QPainter>

namespace topikos {

HomeLamp::HomeLamp(Session& session, QWidget* parent) : QPushButton("home", parent), m_session(session)
{
    setObjectName("homeLamp");
    setFocusPolicy(Qt::TabFocus);
    setStyleSheet("padding-left: 20px;");
    connect(this, &QPushButton::clicked, this, [this] { bringHome(m_session); });
    for (const auto signal : {&Session::postureChanged, &Session::cellChanged, &Session::runChanged})
        connect(&session, signal, this, &HomeLamp::refresh);
    refresh();
}

void HomeLamp::refresh()
{
    m_away = armsAwayFromHome(m_session);
    const QString words = m_away.isEmpty() ? QString("Every arm is at home")
                                           : m_away.join(", ") + (m_away.size() == 1 ? " is" : " are") + " not at home";
    setAccessibleName(words);
    setToolTip(words + ". A press brings the arm in hand home, if nothing is in the way (Ctrl+H goes there at once)");
    update();
}

void HomeLamp::paintEvent(QPaintEvent* event)
{
    QPushButton::paintEvent(event);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    // Full at home, a ring away from it: the shape says it too.
    const bool home = m_away.isEmpty();
    const QColor color = home ? theme().accent : theme().caution;
    p.setPen(QPen(color, 1.8));
    p.setBrush(home ? QBrush(color) : QBrush(Qt::NoBrush));
    p.drawEllipse(QPointF(11, height() / 2.0), 4, 4);
}

}  // namespace topikos
