#pragma once
#include "app/theme/typed_delegate.h"

namespace topikos {

/// Rows of the route: number, bracket of the frame in force, glyph, text, severity, seconds.
class RouteDelegate : public TypedDelegate {
public:
    using TypedDelegate::TypedDelegate;

    /// Where the wedge that folds a block begins, in a row of a depth.
    static int wedgeLeft(int depth);

    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    void updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option,
                              const QModelIndex& index) const override;
};

}  // namespace topikos
