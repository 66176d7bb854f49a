#include "app/session/held_jog.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "core/robot/construction.h"

#include <QPainter>
#include <QSettings>

/// What is written into the view: the construction of the inverse, and the speed of jogging at the tool.
namespace topikos {

void Viewport::showConstruction(bool on)
{
    m_construction = on;
    QSettings().setValue("view/construction", on);
    if (on && constructionText().isEmpty())
        m_session.say("This arm has no triangle of shoulder, elbow and wrist: its first axes slide.", true);
    changed();
}

std::optional<std::pair<Pose, JointVector>> Viewport::constructed() const
{
    const Cell& cell = m_session.shownCell();
    const Target* target = findTarget(cell, m_session.selected<TargetId>());
    if (target && target->arm == m_session.station().id && !m_session.inRun()) {
        if (target->kind == Target::Kind::Posture) return std::pair(m_session.shownBase(), target->posture);
        const Solutions ways = waysTo(cell, *target, 0, nullptr, m_session.shownAxes());
        if (const Solution* way = chosenWay(m_session.arm(), *target, ways.items))
            return std::pair(m_session.shownBase(), way->joints);
    }
    return std::pair(m_session.shownBase(), m_session.shownPosture());
}

QStringList Viewport::constructionText() const
{
    if (!m_construction) return {};
    const auto own = constructed();
    const auto c = own ? constructionAt(m_session.arm(), own->second) : std::nullopt;
    if (!c) return {};
    const auto length = [](double metres) { return placeFigure(metres, 1) + " " + lengthUnit().symbol; };
    QStringList out;
    const Target* target = findTarget(m_session.shownCell(), m_session.selected<TargetId>());
    out << (target ? "How " + text(target->name) + " is reached" : QString("How the wrist is reached"));
    out << QString("a  shoulder – elbow   %1").arg(length(c->upper));
    out << QString("b  elbow – wrist        %1").arg(length(c->fore));
    out << QString("c  shoulder – wrist   %1").arg(length(c->reach));
    out << QString("cos E = (a² + b² − c²) / 2ab   E = %1").arg(degreeText(c->atElbow));
    out << QString("cos S = (a² + c² − b²) / 2ac   S = %1").arg(degreeText(c->atShoulder));
    const double most = c->upper + c->fore, least = std::abs(c->upper - c->fore);
    out << QString("c must be %1 to %2; each c between has two elbows").arg(placeFigure(least, 1), length(most));
    return out;
}

void Viewport::paintConstruction(QPainter& painter)
{
    const QStringList words = constructionText();
    if (words.isEmpty()) return;
    const auto own = constructed();
    const Construction c = *constructionAt(m_session.arm(), own->second);
    const auto at = [&](const Vec3& inBase) { return m_camera.pixel(own->first * inBase, size()); };
    const QPointF s = at(c.shoulder), e = at(c.elbow), w = at(c.wrist), other = at(c.otherElbow);
    // The other way first, so that this one lies over it.
    painter.setPen(QPen(theme().faint, 2, Qt::DashLine));
    painter.drawPolyline(QPolygonF{s, other, w});
    painter.setPen(QPen(theme().ink, 1.5, Qt::DotLine));
    painter.drawLine(s, w);
    painter.setPen(QPen(theme().accent, 3));
    painter.drawPolyline(QPolygonF{s, e, w});
    painter.setFont(textFont(13, QFont::DemiBold));
    const auto dot = [&](const QPointF& p, const QString& name, const QColor& color) {
        painter.setPen(QPen(theme().panel, 1.5));
        painter.setBrush(color);
        painter.drawEllipse(p, 5, 5);
        painter.setPen(theme().ink);
        painter.drawText(p + QPointF(8, -7), name);
    };
    dot(other, "E′", theme().faint);
    dot(s, "S", theme().accent);
    dot(e, "E", theme().accent);
    dot(w, "W", theme().accent);
    const auto side = [&](const QPointF& a, const QPointF& b, const QString& name) {
        const QRectF box = QRectF(-9, -9, 18, 18).translated((a + b) / 2);
        painter.setPen(QPen(theme().line, 1));
        painter.setBrush(theme().raised);
        painter.drawRoundedRect(box, 4, 4);
        painter.setPen(theme().ink);
        painter.drawText(box, Qt::AlignCenter, name);
    };
    side(s, e, "a");
    side(e, w, "b");
    side(s, w, "c");
    // The sheet, in the lower right corner.
    painter.setFont(textFont(12));
    const QFontMetricsF metrics(painter.font());
    double wide = 0;
    for (const QString& line : words)
        wide = std::max(wide, metrics.horizontalAdvance(line));
    const double high = metrics.height() + 3;
    const QRectF box(width() - wide - 34, height() - high * double(words.size()) - 72, wide + 22,
                     high * double(words.size()) + 12);
    painter.setPen(QPen(theme().line, 1));
    painter.setBrush(theme().raised);
    painter.drawRoundedRect(box, 6, 6);
    for (int i = 0; i < words.size(); ++i) {
        painter.setPen(i == 0 ? theme().accent : theme().ink);
        painter.setFont(i == 0 ? textFont(12, QFont::DemiBold) : textFont(12));
        painter.drawText(QPointF(box.left() + 11, box.top() + 6 + high * (i + 0.8)), words[i]);
    }
}

void Viewport::paintSpeed(QPainter& painter)
{
    paintTag(painter, m_session.shownTcp().translation, m_held->speedText());
}

}  // namespace topikos
