#include "app/strip/offer_list.h"

#include <QKeyEvent>

namespace topikos {

OfferList::OfferList(const QString& name, const QString& words, QWidget* parent) : QListWidget(parent)
{
    setObjectName(name);
    setAccessibleName(words);
    setMouseTracking(true);
    setWordWrap(true);
    // It gives way where there is little room.
    setMinimumHeight(30);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    connect(this, &QListWidget::itemEntered, this, [this](QListWidgetItem* item) { Q_EMIT pointed(row(item)); });
    connect(this, &QListWidget::currentRowChanged, this, [this](int now) {
        if (hasFocus()) Q_EMIT pointed(now);
    });
    connect(this, &QListWidget::itemDoubleClicked, this, &OfferList::taken);
}

void OfferList::leaveEvent(QEvent* event)
{
    QListWidget::leaveEvent(event);
    Q_EMIT pointed(-1);
}

void OfferList::focusOutEvent(QFocusEvent* event)
{
    QListWidget::focusOutEvent(event);
    Q_EMIT pointed(-1);
}

void OfferList::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) Q_EMIT taken();
    else QListWidget::keyPressEvent(event);
}

}  // namespace topikos
