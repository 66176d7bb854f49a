#include "app/route/route_delegate.h"

#include "app/route/route_model.h"
#include "app/theme/theme.h"

#include <QLineEdit>
#include <QPainter>
#include <QPainterPath>

namespace topikos {

namespace {

constexpr int kRow = 28;
constexpr int kLongestBracket = 60;  // rows looked at in each direction
constexpr int kNumber = 24, kBracket = 22, kGlyph = 21, kSeconds = 46, kIndent = 14;

/// As many digits as fit: "9.67", "235.1", "8640".
QString secondsText(double seconds)
{
    return QString::number(seconds, 'f', seconds < 99.995 ? 2 : seconds < 999.95 ? 1 : 0);
}

/// Frame that holds at a row: its own target's, or between two rows of the same frame that one.
QString frameAt(const QAbstractItemModel* model, int row)
{
    const auto own = [&](int r) { return model->index(r, 0).data(RouteModel::FrameRole).toString(); };
    const auto move = [&](int r) {
        return StepKind(model->index(r, 0).data(RouteModel::KindRole).toInt()) <= StepKind::Arc;
    };
    if (row < 0 || row >= model->rowCount()) return {};
    if (move(row)) return own(row);
    int up = row, down = row;
    while (up >= 0 && !move(up))
        --up;
    while (down < model->rowCount() && !move(down))
        ++down;
    if (up >= 0 && down < model->rowCount() && own(up) == own(down)) return own(up);
    return {};
}

void paintBracket(QPainter* p, const QRect& r, const QModelIndex& index)
{
    const QString frame = frameAt(index.model(), index.row());
    if (frame.isEmpty()) return;
    int first = index.row(), last = index.row();
    while (index.row() - first < kLongestBracket && frameAt(index.model(), first - 1) == frame)
        --first;
    while (last - index.row() < kLongestBracket && frameAt(index.model(), last + 1) == frame)
        ++last;
    const bool top = first == index.row(), bottom = last == index.row();
    const double x = r.left() + 8.5, t = top ? r.top() + 5 : r.top() - 1, b = bottom ? r.bottom() - 5 : r.bottom() + 2;
    QPainterPath path;
    if (top) path.moveTo(x + 8, t), path.lineTo(x + 4, t), path.quadTo(x, t, x, t + 4);
    else path.moveTo(x, t);
    path.lineTo(x, bottom ? b - 4 : b);
    if (bottom) path.quadTo(x, b, x + 4, b), path.lineTo(x + 8, b);
    p->setPen(QPen(theme().accent, 1.3));
    p->setBrush(Qt::NoBrush);
    p->drawPath(path);
    // The frame's name runs upwards along its bracket; each row paints its part of it.
    const int rows = last - first + 1;
    if (rows < 2) return;
    p->save();
    p->setClipRect(r);
    p->setFont(textFont(10));
    p->setPen(theme().accent);
    const double middle = r.top() + (first + last - 2 * index.row() + 1) * kRow / 2.0;
    p->translate(x + 9, middle);
    p->rotate(-90);
    const double length = rows * kRow - 14;
    p->drawText(QRectF(-length / 2, -7, length, 14), Qt::AlignCenter,
                QFontMetrics(p->font()).elidedText(frame, Qt::ElideRight, int(length)));
    p->restore();
}

}  // namespace

int RouteDelegate::wedgeLeft(int depth) { return kNumber + kBracket + 2 + depth * kIndent - 9; }

QSize RouteDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const { return {200, kRow}; }

void RouteDelegate::paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const QRect r = option.rect;
    p->save();
    p->setRenderHint(QPainter::Antialiasing);
    const bool selected = option.state & QStyle::State_Selected;
    if (selected) p->fillRect(r, theme().accentSoft);
    else if (option.state & QStyle::State_MouseOver) p->fillRect(r, theme().paper);
    // What runs has a mark of its own: a bar, and its number in ink.
    const bool runs = index.data(RouteModel::RunsRole).toBool();
    if (runs) p->fillRect(QRect(r.left(), r.top() + 2, 4, r.height() - 4), theme().ink);
    const bool off = index.data(RouteModel::OffRole).toBool();
    const QColor ink = off ? theme().faint : theme().ink;

    const int number = index.data(RouteModel::NumberRole).toInt(), depth = index.data(RouteModel::DepthRole).toInt();
    p->setFont(figureFont(11));
    p->setPen(runs ? theme().ink : theme().faint);
    p->drawText(QRect(r.left(), r.top(), kNumber, r.height()), Qt::AlignRight | Qt::AlignVCenter,
                number > 0 ? QString::number(number) : QString());
    // The run halts before it: a bar above, as wide as the row.
    if (index.data(RouteModel::HaltRole).toBool()) {
        p->fillRect(QRect(r.left(), r.top(), r.width(), 2), theme().blocked);
        p->fillRect(QRect(r.left(), r.top(), 6, 8), theme().blocked);
    }
    if (!runs && index.data(RouteModel::HereRole).toBool()) {
        p->setPen(Qt::NoPen);
        p->setBrush(theme().accent);
        p->drawPolygon(QPolygonF{QPointF(r.left() + 2, r.center().y() - 4), QPointF(r.left() + 7, r.center().y()),
                                 QPointF(r.left() + 2, r.center().y() + 4)});
    }
    paintBracket(p, QRect(r.left() + kNumber, r.top(), kBracket, r.height()), index);

    int x = r.left() + kNumber + kBracket + 2;
    // What is in a block stands further in, along a thin line.
    p->setPen(QPen(theme().track, 1));
    for (int i = 0; i < depth; ++i, x += kIndent)
        p->drawLine(x + 8, r.top(), x + 8, r.bottom());
    const auto kind = StepKind(index.data(RouteModel::KindRole).toInt());
    if (const QVariant folded = index.data(RouteModel::FoldRole); folded.isValid()) {
        p->setPen(Qt::NoPen);
        p->setBrush(theme().faint);
        const QPointF c(x - 3, r.center().y() + 0.5);
        if (folded.toBool()) p->drawPolygon(QPolygonF{c + QPointF(-2, -4), c + QPointF(3, 0), c + QPointF(-2, 4)});
        else p->drawPolygon(QPolygonF{c + QPointF(-4, -2), c + QPointF(4, -2), c + QPointF(0, 3)});
    }
    if (!index.data(RouteModel::ElseRole).toBool())
        drawGlyph(*p, QRectF(x + 2, r.center().y() - 7, 15, 15), stepGlyph(kind),
                  off ? theme().faint : stepColor(kind));
    x += kGlyph;
    const int right = r.right() - kSeconds - 14;
    QFont main = textFont(13);
    main.setStrikeOut(off);
    if (kind == StepKind::Note) main.setItalic(true);
    p->setFont(main);
    p->setPen(kind == StepKind::Note && !off ? theme().faint : ink);
    const QString words = index.data(RouteModel::MainRole).toString();
    const int wide = std::min(right - x, QFontMetrics(main).horizontalAdvance(words) + 1);
    p->drawText(QRect(x, r.top(), wide, r.height()), Qt::AlignVCenter,
                QFontMetrics(main).elidedText(words, Qt::ElideRight, wide));
    p->setFont(textFont(11));
    p->setPen(theme().faint);
    const QRect rest(x + wide + 6, r.top(), right - x - wide - 6, r.height());
    if (rest.width() > 20)
        p->drawText(rest, Qt::AlignVCenter,
                    QFontMetrics(p->font()).elidedText(index.data(RouteModel::MoreRole).toString(), Qt::ElideRight,
                                                       rest.width()));

    const QVariant severity = index.data(RouteModel::SeverityRole);
    if (severity.isValid())
        drawSeverity(*p, QRectF(r.right() - kSeconds - 15, r.center().y() - 6, 12, 12), Severity(severity.toInt()));
    const QVariant seconds = index.data(RouteModel::SecondsRole);
    p->setFont(figureFont(12));
    p->setPen(theme().faint);
    p->drawText(QRect(r.right() - kSeconds, r.top(), kSeconds - 8, r.height()), Qt::AlignRight | Qt::AlignVCenter,
                seconds.isValid() ? secondsText(seconds.toDouble()) : QString("–"));
    p->restore();
}

QWidget* RouteDelegate::createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex&) const
{
    auto* edit = new QLineEdit(parent);
    edit->setObjectName("stepEditor");
    return edit;
}

void RouteDelegate::updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option, const QModelIndex&) const
{
    editor->setGeometry(option.rect.adjusted(kNumber + 2, 1, -2, -1));
}

}  // namespace topikos
