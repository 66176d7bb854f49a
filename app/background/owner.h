#pragma once
#include <QObject>

namespace topikos {

/// Whose work is done beside the interface.
class Owner : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;
    virtual void say(const QString& text, bool alert = false) = 0;

Q_SIGNALS:
    void opened();  ///< another cell: what was shown and worked out of the one before goes
};

}  // namespace topikos
