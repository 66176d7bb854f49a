#include "app/strip/reach_picture.h"

#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace topikos {

double valueOf(const ReachSpot& spot, ReachColour colour)
{
    switch (colour) {
    case ReachColour::Margin: return spot.margin;
    case ReachColour::Ways: return spot.ways;
    case ReachColour::Singularity: break;
    }
    return spot.cautions;
}

namespace {

double shareOf(const ReachSpot& spot, ReachColour colour, double full)
{
    return full > 0 ? std::clamp(valueOf(spot, colour) / full, 0.0, 1.0) : 0;
}

/// By lightness alone, so that everybody can read it.
QColor rampColour(double share)
{
    const QColor from = theme().accentSoft, to = theme().accent;
    const auto mix = [&](int a, int b) { return int(a + share * (b - a)); };
    return {mix(from.red(), to.red()), mix(from.green(), to.green()), mix(from.blue(), to.blue())};
}

}  // namespace

QColor colourOf(const ReachSpot& spot, ReachColour colour, double full)
{
    return rampColour(shareOf(spot, colour, full));
}

ReachPicture::ReachPicture(QWidget* parent) : QWidget(parent)
{
    setObjectName("reachPicture");
    setAccessibleName("Reach map from above");
    setMouseTracking(true);
}

void ReachPicture::show(std::shared_ptr<const ReachMap> map, int layer, ReachColour colour, double full)
{
    m_map = std::move(map);
    m_layer = layer;
    m_colour = colour;
    m_full = full;
    update();
}

QRectF ReachPicture::field(const QRectF& room) const
{
    if (!m_map || m_map->counts[0] == 0) return {};
    const double scale = std::min(room.width() / m_map->counts[0], room.height() / m_map->counts[1]);
    const QSizeF size(scale * m_map->counts[0], scale * m_map->counts[1]);
    return {room.center() - QPointF(size.width() / 2, size.height() / 2), size};
}

void ReachPicture::paint(QPainter& p, const QRectF& room) const
{
    const QRectF f = field(room);
    const auto [columns, rows, layers] = m_map->counts;
    const double side = f.width() / columns;
    const auto at = [&](int x, int y) -> const ReachSpot& {
        return m_map->spots[size_t((m_layer * rows + y) * columns + x)];
    };
    const auto boxOf = [&](int x, int y) {
        return QRectF(f.left() + x * side, f.bottom() - (y + 1) * side, side, side);
    };
    p.setPen(Qt::NoPen);
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const ReachSpot& spot = at(x, y);
            const QRectF box = boxOf(x, y).adjusted(0, 0, 0.5, 0.5);
            if (spot.reached()) p.fillRect(box, colourOf(spot, m_colour, m_full));
            else p.fillRect(box, QBrush(theme().faint, Qt::BDiagPattern));
        }
    // The edge of what is reached.
    p.setPen(QPen(theme().ink, 1.6));
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const QRectF box = boxOf(x, y);
            if (x + 1 < columns && at(x, y).reached() != at(x + 1, y).reached())
                p.drawLine(box.topRight(), box.bottomRight());
            if (y + 1 < rows && at(x, y).reached() != at(x, y + 1).reached()) p.drawLine(box.topLeft(), box.topRight());
        }
    p.setPen(QPen(theme().line, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(f);
}

void ReachPicture::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    if (m_map && m_map->counts[0] > 0) return paint(p, QRectF(rect()).adjusted(4, 4, -4, -4));
    p.setPen(theme().faint);
    p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
               m_map ? "The map lies on the bodies: see the view." : "Make the map: the better a spot, the darker.");
}

int ReachPicture::spotAt(const QPointF& at) const
{
    const QRectF f = field(QRectF(rect()).adjusted(4, 4, -4, -4));
    if (f.isEmpty() || !f.contains(at)) return -1;
    const auto [columns, rows, layers] = m_map->counts;
    const int x = std::clamp(int((at.x() - f.left()) / f.width() * columns), 0, columns - 1);
    const int y = std::clamp(int((f.bottom() - at.y()) / f.height() * rows), 0, rows - 1);
    return (m_layer * rows + y) * columns + x;
}

QPointF ReachPicture::pixelOf(int column, int row) const
{
    const QRectF f = field(QRectF(rect()).adjusted(4, 4, -4, -4));
    const double side = f.width() / m_map->counts[0];
    return {f.left() + (column + 0.5) * side, f.bottom() - (row + 0.5) * side};
}

void ReachPicture::mouseMoveEvent(QMouseEvent* event) { Q_EMIT pointed(spotAt(event->position())); }
void ReachPicture::mouseDoubleClickEvent(QMouseEvent* event)
{
    if (const int spot = spotAt(event->position()); spot >= 0) Q_EMIT taken(spot);
}
void ReachPicture::leaveEvent(QEvent*) { Q_EMIT pointed(-1); }

}  // namespace topikos
