#pragma once
#include <QColor>
#include <QPainter>

#include <tuple>
#include <vector>

/// Bars with zones and a marker, as the instruments draw them.
namespace topikos {

inline constexpr int kBarRow = 19, kBar = 8;
inline constexpr int kBarValue = 64;  // room for a value behind a bar, in millimetres and degrees
/// The same in the units that are shown, which may have more digits.
int barValue(int usual = kBarValue);

/// Zones from and to a share of the bar.
void paintZones(QPainter& p, const QRectF& bar, const std::vector<std::tuple<double, double, QColor>>& zones);
void paintMarker(QPainter& p, const QRectF& bar, double place, const QColor& color);

}  // namespace topikos
