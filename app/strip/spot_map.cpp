#include "app/strip/spot_map.h"

#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace topikos {

namespace {

constexpr int kLegend = 16;  // [px]

}  // namespace

QColor rampColour(double share)
{
    const QColor from = theme().accentSoft, to = theme().accent;
    const auto mix = [&](int a, int b) { return int(a + share * (b - a)); };
    return {mix(from.red(), to.red()), mix(from.green(), to.green()), mix(from.blue(), to.blue())};
}

SpotMap::SpotMap(const QString& name, const QString& accessible, const QString& words, QWidget* parent) :
    QWidget(parent), m_words(words)
{
    setObjectName(name);
    setAccessibleName(accessible);
    setMouseTracking(true);
}

void SpotMap::show(Grid grid)
{
    m_grid = std::move(grid);
    update();
}

void SpotMap::showNothing(const QString& words)
{
    m_words = words;
    show({});
}

QRectF SpotMap::room() const
{
    const QRectF whole = QRectF(rect()).adjusted(4, 4, -4, -4);
    return m_grid.legend.isEmpty() ? whole : whole.adjusted(0, 0, 0, -kLegend);
}

QRectF SpotMap::field(const QRectF& room) const
{
    if (empty()) return {};
    if (m_grid.aspect <= 0) return room;
    const double wide = std::min(room.width(), room.height() * m_grid.aspect);
    const QSizeF size(wide, wide / m_grid.aspect);
    return {room.center() - QPointF(size.width() / 2, size.height() / 2), size};
}

void SpotMap::paint(QPainter& p, const QRectF& room) const
{
    const QRectF f = field(room);
    const auto [columns, rows] = std::pair(m_grid.columns, m_grid.rows);
    const double wide = f.width() / columns, high = f.height() / rows;
    const auto at = [&](int x, int y) -> const Spot& { return m_grid.spots[size_t(y * columns + x)]; };
    const auto boxOf = [&](int x, int y) {
        return QRectF(f.left() + x * wide, f.bottom() - (y + 1) * high, wide, high);
    };
    p.setPen(Qt::NoPen);
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const QRectF box = boxOf(x, y).adjusted(0, 0, 0.5, 0.5);
            if (const Spot& spot = at(x, y); spot.kind == Kind::Works) {
                p.fillRect(box, rampColour(std::clamp(spot.share, 0.0, 1.0)));
            } else {
                p.fillRect(box, theme().paper);
                p.fillRect(box, QBrush(theme().faint,
                                       spot.kind == Kind::OutOfReach ? Qt::BDiagPattern : Qt::DiagCrossPattern));
            }
        }
    if (m_grid.edges) {
        const auto works = [&](int x, int y) { return at(x, y).kind == Kind::Works; };
        p.setPen(QPen(theme().ink, 1.6));
        for (int y = 0; y < rows; ++y)
            for (int x = 0; x < columns; ++x) {
                const QRectF box = boxOf(x, y);
                if (x + 1 < columns && works(x, y) != works(x + 1, y)) p.drawLine(box.topRight(), box.bottomRight());
                if (y + 1 < rows && works(x, y) != works(x, y + 1)) p.drawLine(box.topLeft(), box.topRight());
            }
    }
    p.setPen(QPen(theme().line, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(f);
    paintMarks(p, f);
}

void SpotMap::paintMarks(QPainter& p, const QRectF& f) const
{
    for (const Mark& mark : m_grid.marks) {
        const QPointF at(f.left() + mark.at.x() * f.width(), f.bottom() - mark.at.y() * f.height());
        if (mark.shape == Mark::Shape::Cross) {
            p.setPen(QPen(theme().ink, 1.6));
            p.drawLine(at - QPointF(5, 0), at + QPointF(5, 0));
            p.drawLine(at - QPointF(0, 5), at + QPointF(0, 5));
            continue;
        }
        const bool full = mark.shape == Mark::Shape::FullRing;
        p.setPen(QPen(theme().ink, full ? 2.2 : 1.2));
        p.setBrush(full ? QBrush(theme().raised) : QBrush(Qt::NoBrush));
        p.drawEllipse(at, 5, 5);
    }
}

void SpotMap::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    if (empty()) {
        p.setPen(theme().faint);
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, m_words);
        return;
    }
    paint(p, room());
    if (m_grid.legend.isEmpty()) return;
    p.setPen(theme().faint);
    p.setFont(textFont(11));
    p.drawText(QRectF(4, height() - kLegend - 2, width() - 8, kLegend), Qt::AlignLeft | Qt::AlignVCenter,
               m_grid.legend);
}

int SpotMap::spotAt(const QPointF& at) const
{
    const QRectF f = field(room());
    if (f.isEmpty() || !f.contains(at)) return -1;
    const int x = std::clamp(int((at.x() - f.left()) / f.width() * m_grid.columns), 0, m_grid.columns - 1);
    const int y = std::clamp(int((f.bottom() - at.y()) / f.height() * m_grid.rows), 0, m_grid.rows - 1);
    return y * m_grid.columns + x;
}

QPointF SpotMap::pixelOf(int column, int row) const
{
    const QRectF f = field(room());
    return {f.left() + (column + 0.5) * f.width() / m_grid.columns,
            f.bottom() - (row + 0.5) * f.height() / m_grid.rows};
}

void SpotMap::mouseMoveEvent(QMouseEvent* event) { Q_EMIT pointed(spotAt(event->position())); }
void SpotMap::mouseDoubleClickEvent(QMouseEvent* event)
{
    if (const int spot = spotAt(event->position()); spot >= 0) Q_EMIT taken(spot);
}
void SpotMap::leaveEvent(QEvent*) { Q_EMIT pointed(-1); }

}  // namespace topikos
