#include "app/window/message_log.h"

#include "app/session/session.h"
#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QStyle>
#include <QTime>
#include <QVBoxLayout>

namespace topikos {

namespace {

constexpr int kMost = 200;  // messages

}  // namespace

MessageLog::MessageLog(Session& session, QWidget* view, QWidget* parent) : QFrame(parent), m_view(view)
{
    setObjectName("messageLog");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 8, 10, 8);
    column->setSpacing(4);
    m_head = new QLabel("Messages, newest first · Esc closes", this);
    m_head->setProperty("class", "faint");
    column->addWidget(m_head);
    m_list = new QListWidget(this);
    m_list->setObjectName("messageList");
    m_list->setAccessibleName("Messages");
    m_list->setWordWrap(true);
    m_list->setIconSize({14, 14});
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(m_list);
    m_line = new QLabel(this);
    m_line->setObjectName("messageLine");
    m_line->setWordWrap(true);
    column->addWidget(m_line);
    hide();
    m_timer.setSingleShot(true);
    connect(&m_timer, &QTimer::timeout, this, [this] {
        if (m_list->isHidden()) hide();
    });
    connect(&session, &Session::said, this, &MessageLog::add);
    parent->installEventFilter(this);
}

int MessageLog::readingTime(const QString& words)
{
    constexpr int least = 4000, perLetter = 70;
    return std::max(least, perLetter * int(words.size()));
}

void MessageLog::add(const QString& words, bool alert)
{
    if (words.isEmpty()) return;
    auto* item = new QListWidgetItem(QTime::currentTime().toString("hh:mm:ss  ") + words);
    if (alert) {
        item->setIcon(severityIcon(Severity::Blocked));
        item->setForeground(theme().blocked);
    }
    m_list->insertItem(0, item);
    if (m_list->count() > kMost) delete m_list->takeItem(kMost);
    const bool listed = isVisible() && !m_list->isHidden();
    if (listed || m_view->isVisible() || !parentWidget()->isVisible()) return;
    m_head->hide();
    m_list->hide();
    m_line->setText(words);
    m_line->show();
    setProperty("alert", alert);
    style()->unpolish(this);
    style()->polish(this);
    show();
    place();
    m_timer.start(readingTime(words));
}

void MessageLog::toggle()
{
    if (isVisible() && !m_list->isHidden()) return hide();
    m_line->hide();
    m_head->setText(m_list->count() > 0 ? "Messages, newest first · Esc closes" : "No messages yet · Esc closes");
    m_head->show();
    m_list->show();
    setProperty("alert", false);
    style()->unpolish(this);
    style()->polish(this);
    show();
    place();
    m_list->setFocus();
}

void MessageLog::place()
{
    constexpr int gap = 12, most = 760, rows = 300;
    const QWidget& over = *parentWidget();
    int wide = std::min(over.width() - 2 * gap, most);
    // A single message is as wide as its words, so that it covers little.
    if (m_list->isHidden()) wide = std::min(wide, m_line->fontMetrics().horizontalAdvance(m_line->text()) + 40);
    const int high = m_list->isHidden() ? heightForWidth(wide) : std::min(rows, over.height() - 2 * gap);
    setGeometry((over.width() - wide) / 2, over.height() - high - gap, wide, high);
    raise();
}

void MessageLog::keyPressEvent(QKeyEvent* event)
{
    if (event->key() != Qt::Key_Escape) return QFrame::keyPressEvent(event);
    hide();
    if (m_view->isVisible()) m_view->setFocus();
}

bool MessageLog::eventFilter(QObject*, QEvent* event)
{
    if (event->type() == QEvent::Resize && isVisible()) place();
    return false;
}

}  // namespace topikos
