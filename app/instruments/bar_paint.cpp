#include "app/instruments/bar_paint.h"

#include "app/session/text.h"
#include "app/theme/theme.h"

#include <QPainterPath>

namespace topikos {

void paintZones(QPainter& p, const QRectF& bar, const std::vector<std::tuple<double, double, QColor>>& zones)
{
    QPainterPath clip;
    clip.addRoundedRect(bar, bar.height() / 2, bar.height() / 2);
    p.save();
    p.setClipPath(clip);
    p.fillRect(bar, theme().track);
    for (const auto& [from, to, color] : zones)
        p.fillRect(QRectF(bar.left() + from * bar.width(), bar.top(), (to - from) * bar.width(), bar.height()), color);
    p.restore();
}

void paintMarker(QPainter& p, const QRectF& bar, double place, const QColor& color)
{
    p.setPen(Qt::NoPen);
    p.setBrush(color);
    p.drawRoundedRect(QRectF(bar.left() + place * bar.width() - 2, bar.top() - 3, 4, bar.height() + 6), 2, 2);
}

int barValue(int usual)
{
    constexpr int more = 18;
    return &lengthUnit() == &kLengthUnits[0] && &angleUnit() == &kAngleUnits[0] ? usual : usual + more;
}

}  // namespace topikos
