#pragma once
#include <QStyledItemDelegate>

namespace topikos {

/// A delegate whose editor keeps what is being typed when the row's data change meanwhile, as they do when a check
/// comes in.
class TypedDelegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;

    void setEditorData(QWidget* editor, const QModelIndex& index) const override
    {
        if (editor->property("filled").toBool()) return;
        editor->setProperty("filled", true);
        QStyledItemDelegate::setEditorData(editor, index);
    }
};

}  // namespace topikos
