#pragma once
#include "core/reach/reach_map.h"

#include <QWidget>

#include <memory>

namespace topikos {

/// What a reach map is coloured by.
enum class ReachColour { Margin, Ways, Singularity };

double valueOf(const ReachSpot& spot, ReachColour colour);
/// Of a spot on a scale that ends at `full`.
QColor colourOf(const ReachSpot& spot, ReachColour colour, double full);

/// One layer of a reach map from above, the better the darker, with the edge of what is reached. Pointing tells of a
/// spot, a double click takes it.
class ReachPicture : public QWidget {
    Q_OBJECT
public:
    explicit ReachPicture(QWidget* parent = nullptr);
    void show(std::shared_ptr<const ReachMap> map, int layer, ReachColour colour, double full);
    /// The spot at a point of the widget, by number; -1 for none.
    int spotAt(const QPointF& at) const;
    /// The middle of a spot of the layer.
    QPointF pixelOf(int column, int row) const;
    QSize minimumSizeHint() const override { return {160, 70}; }
    void paint(QPainter& painter, const QRectF& room) const;

Q_SIGNALS:
    void pointed(int spot);
    void taken(int spot);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;

private:
    QRectF field(const QRectF& room) const;
    std::shared_ptr<const ReachMap> m_map;
    int m_layer = 0;
    ReachColour m_colour = ReachColour::Margin;
    double m_full = 1;  ///< of the darkest
};

}  // namespace topikos
