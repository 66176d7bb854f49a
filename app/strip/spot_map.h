#pragma once
#include <QColor>
#include <QWidget>

#include <vector>

namespace topikos {

/// By lightness alone, so that everybody can read it: `share` from 0 to 1, the better the darker.
QColor rampColour(double share);

/// Something that is known of each spot of a grid, drawn from above: shaded, or hatched where it fails. Pointing tells
/// of a spot by its number, from left to right and from below; a double click takes it.
class SpotMap : public QWidget {
    Q_OBJECT
public:
    enum class Kind { Works, OutOfReach, Touches };
    struct Spot {
        Kind kind = Kind::OutOfReach;
        double share = 0;  ///< of the darkest, 0 to 1
    };
    struct Mark {
        enum class Shape { Cross, Ring, FullRing };
        QPointF at;  ///< shares of the map from the left and from below
        Shape shape = Shape::Cross;
    };
    struct Grid {
        int columns = 0, rows = 0;
        double aspect = 1;  ///< width over height; 0: as wide and as high as there is room
        std::vector<Spot> spots{};
        std::vector<Mark> marks{};
        bool edges = false;  ///< a line around what works
        QString legend{};
    };

    /// `words` are shown while there is no grid.
    SpotMap(const QString& name, const QString& accessible, const QString& words, QWidget* parent = nullptr);
    void show(Grid grid);
    void showNothing(const QString& words);
    bool empty() const { return m_grid.spots.empty(); }
    /// The spot at a point of the widget, by number; -1 for none.
    int spotAt(const QPointF& at) const;
    /// The middle of a spot.
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
    QRectF room() const;
    QRectF field(const QRectF& room) const;
    void paintMarks(QPainter& painter, const QRectF& field) const;

    Grid m_grid;
    QString m_words;
};

}  // namespace topikos
