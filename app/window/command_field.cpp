#include "app/window/command_field.h"

#include <QAbstractItemView>
#include <QCompleter>
#include <QKeyEvent>
#include <QStandardItemModel>

namespace topikos {

CommandField::CommandField(std::function<std::vector<Entry>()> entries, QWidget* parent) :
    QLineEdit(parent), m_source(std::move(entries)), m_model(new QStandardItemModel(this))
{
    setObjectName("commandField");
    setAccessibleName("Find or do");
    setPlaceholderText("Find or do …  Ctrl K");
    setToolTip("Type the name of any action, target, frame or step (Ctrl+K)");
    setClearButtonEnabled(true);
    auto* completer = new QCompleter(m_model, this);
    completer->setFilterMode(Qt::MatchContains);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setMaxVisibleItems(12);
    completer->popup()->setObjectName("commandPopup");
    completer->popup()->installEventFilter(this);
    setCompleter(completer);
    connect(completer, qOverload<const QModelIndex&>(&QCompleter::activated), this, [this](const QModelIndex& index) {
        const int entry = index.data(Qt::UserRole).toInt();
        // After the completer has put its text in.
        QMetaObject::invokeMethod(
            this,
            [this, entry] {
                clear();
                if (parentWidget()) parentWidget()->setFocus();
                if (entry >= 0 && entry < int(m_entries.size())) m_entries[size_t(entry)].run();
            },
            Qt::QueuedConnection);
    });
    connect(this, &QLineEdit::returnPressed, this, [this] {
        // Enter without a choice in the list: the first match.
        if (text().trimmed().isEmpty() || this->completer()->popup()->currentIndex().isValid()) return;
        this->completer()->setCompletionPrefix(text().trimmed());
        if (this->completer()->completionCount() == 0) return;
        const int entry = this->completer()->currentIndex().data(Qt::UserRole).toInt();
        this->completer()->popup()->hide();
        clear();
        m_entries[size_t(entry)].run();
    });
}

bool CommandField::eventFilter(QObject* object, QEvent* event)
{
    // The list is wider than the field; its right end goes below the field's, so that it stays in the window.
    auto* list = qobject_cast<QWidget*>(object);
    if (list && (event->type() == QEvent::Show || event->type() == QEvent::Move)) {
        const QPoint place = mapToGlobal(QPoint(width() - list->width(), height() + 2));
        if (list->pos() != place) list->move(place);
    }
    return QLineEdit::eventFilter(object, event);
}

void CommandField::refill()
{
    m_entries = m_source();
    m_model->clear();
    for (size_t i = 0; i < m_entries.size(); ++i) {
        auto* item = new QStandardItem(m_entries[i].hint.isEmpty() ? m_entries[i].words
                                                                   : m_entries[i].words + "    " + m_entries[i].hint);
        item->setData(int(i), Qt::UserRole);
        m_model->appendRow(item);
    }
}

void CommandField::focusInEvent(QFocusEvent* event)
{
    refill();
    QLineEdit::focusInEvent(event);
}

void CommandField::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape) {
        clear();
        clearFocus();
        return;
    }
    if (event->key() == Qt::Key_Down && text().isEmpty()) {
        completer()->setCompletionPrefix({});
        completer()->complete();
        return;
    }
    QLineEdit::keyPressEvent(event);
}

}  // namespace topikos
