#pragma once
#include <QLabel>

namespace topikos {

/// What stands where there is nothing yet: how to begin, and the page of the manual about it. "manual:PAGE#SECTION"
/// links are opened by the window.
inline QLabel* emptyNote(QWidget* parent, const QString& words, const QString& page)
{
    auto* note = new QLabel(parent);
    note->setText(QString("<p>%1</p><p><a href=\"manual:%2\">More in the manual</a></p>")
                      .arg(words.toHtmlEscaped().replace('\n', "<br>"), page));
    note->setAlignment(Qt::AlignCenter);
    note->setWordWrap(true);
    note->setProperty("class", "faint");
    note->setOpenExternalLinks(true);
    note->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    return note;
}

}  // namespace topikos
