#pragma once
#include <QAbstractSpinBox>
#include <QComboBox>
#include <QEvent>

namespace topikos {

/// Keeps the wheel from changing lists and numbers: over a closed one it scrolls what is behind it.
class WheelGuard : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;
    bool eventFilter(QObject* object, QEvent* event) override
    {
        if (event->type() != QEvent::Wheel) return false;
        const QObject* field = object;
        if (!qobject_cast<const QComboBox*>(field) && !qobject_cast<const QAbstractSpinBox*>(field))
            field = object->parent();  // the line inside a field
        if (!qobject_cast<const QComboBox*>(field) && !qobject_cast<const QAbstractSpinBox*>(field)) return false;
        event->ignore();
        return true;
    }
};

}  // namespace topikos
