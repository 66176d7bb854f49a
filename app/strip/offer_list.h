#pragma once
#include <QListWidget>

namespace topikos {

/// Things that can be done, of two lines each: pointing at one, by mouse or keys, shows it; Enter or a double click
/// takes it.
class OfferList : public QListWidget {
    Q_OBJECT
public:
    explicit OfferList(const QString& name, const QString& words, QWidget* parent);

Q_SIGNALS:
    void pointed(int row);  ///< -1: at none any more
    void taken();

protected:
    void leaveEvent(QEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
};

}  // namespace topikos
