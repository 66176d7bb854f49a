#pragma once
#include <QFrame>
#include <QLabel>
#include <QListWidget>
#include <QTimer>

namespace topikos {

class Session;

/// What was said to the person, to be read again: a list at the foot of the window, newest first. Where the view that
/// shows messages is hidden, the newest one stands there for as long as it takes to read it.
class MessageLog : public QFrame {
    Q_OBJECT
public:
    /// Lies over `parent`; messages stand in `view` as long as that is seen.
    MessageLog(Session& session, QWidget* view, QWidget* parent);
    /// Shows the list, or puts it away.
    void toggle();
    /// So long a message is read [ms].
    static int readingTime(const QString& words);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;

private:
    void add(const QString& words, bool alert);
    void place();

    QWidget* m_view;
    QLabel *m_head, *m_line;
    QListWidget* m_list;
    QTimer m_timer;  ///< until the line goes
};

}  // namespace topikos
