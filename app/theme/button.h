#pragma once
#include <QLayout>
#include <QPushButton>

namespace topikos {

/// A button with a name, words and a tip, put into a row. `run` is called when it is pressed.
template <class Run>
QPushButton* addButton(QLayout* row, QWidget* owner, const QString& name, const QString& words, const QString& tip,
                       Run run)
{
    auto* b = new QPushButton(words, owner);
    b->setObjectName(name);
    b->setToolTip(tip);
    QObject::connect(b, &QPushButton::clicked, owner, run);
    row->addWidget(b);
    return b;
}

}  // namespace topikos
